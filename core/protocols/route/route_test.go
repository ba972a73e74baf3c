package route

import (
	"maps"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
)

type silent struct{}

func (silent) RouteChanged(uint32, HopID, HopID) {}
func (silent) HopChanged(HopID, SetID, SetID)    {}
func (silent) GatewayChanged(uint32)             {}
func (silent) InteriorChanged(uint32)            {}

func prefix(t require.TestingT, s string) ip.Prefix {
	p, err := parse(s)
	require.NoError(t, err)
	return p
}

// TestLookupAgainstList holds the FIB and its copies against a plain list that
// is searched from end to end.
func TestLookupAgainstList(t *testing.T) {
	type world struct {
		shared *Shared
		table  Table
		plain  map[ip.Prefix]SetID
	}
	rapid.Check(t, func(t *rapid.T) {
		worlds := []*world{{shared: &Shared{}, plain: map[ip.Prefix]SetID{}}}
		address := rapid.Map(rapid.IntRange(0, 1<<10-1), func(n int) ip.Quad { return ip.Quad(n) << 22 })
		for range rapid.IntRange(1, 120).Draw(t, "steps") {
			w := worlds[rapid.IntRange(0, len(worlds)-1).Draw(t, "world")]
			p := ip.V4Prefix(address.Draw(t, "addr"), uint8(rapid.IntRange(0, 12).Draw(t, "len")))
			switch rapid.IntRange(0, 5).Draw(t, "step") {
			case 0:
				if len(worlds) < 5 {
					c := &world{w.shared.Clone(), w.table.Clone(), map[ip.Prefix]SetID{}}
					maps.Copy(c.plain, w.plain)
					worlds = append(worlds, c)
				}
			case 1:
				w.table.Put(silent{}, OSPF, w.shared.Prefixes.ID(p), Route{})
				delete(w.plain, p)
			default:
				set := w.shared.Sets.ID([]Hop{{Port: uint32(rapid.IntRange(0, 3).Draw(t, "port"))}})
				w.table.Put(silent{}, OSPF, w.shared.Prefixes.ID(p),
					Route{Hop: w.table.Direct(set), Present: true, Preference: 110})
				w.plain[p] = set
			}
		}
		for _, w := range worlds {
			for range 20 {
				a := address.Draw(t, "lookup")
				want, length := NoSet, -1
				for p, set := range w.plain {
					if p.Contains(ip.V4(a)) && int(p.Len) > length {
						want, length = set, int(p.Len)
					}
				}
				_, hop, ok := w.table.Lookup(w.shared, ip.V4(a))
				require.Equal(t, length >= 0, ok)
				require.Equal(t, want, w.table.Set(hop))
			}
		}
	})
}

func TestLowerPreferenceWins(t *testing.T) {
	var s Shared
	var table Table
	id := s.Prefixes.ID(prefix(t, "10.0.0.0/8"))
	put := func(src Source, port uint32, preference uint8) {
		table.Put(silent{}, src, id, Route{Hop: table.Direct(s.Sets.ID([]Hop{{Port: port}})), Present: true, Preference: preference})
	}
	put(OSPF, 1, 110)
	put(Static, 2, 250)
	best, _ := table.Best(id)
	require.Equal(t, OSPF, best)
	put(Static, 2, 1)
	best, _ = table.Best(id)
	require.Equal(t, Static, best)

	wide := s.Prefixes.ID(prefix(t, "0.0.0.0/0"))
	table.Put(silent{}, Static, wide, Route{Hop: table.Direct(Blackhole), Present: true, Preference: 1})
	c := table.Candidates(&s, prefix(t, "10.1.0.0/16"))
	require.Len(t, c, 3)
	require.Equal(t, []note.Code{note.None, note.WorsePreference, note.LessSpecific}, []note.Code{c[0].Why, c[1].Why, c[2].Why})
	require.Equal(t, [2]uint64{110, 1}, [2]uint64{c[1].Mine, c[1].Theirs})
	require.True(t, c[0].Won)
}

func TestStaticRoutes(t *testing.T) {
	var s Shared
	var table Table
	id := func(p string) uint32 { return s.Prefixes.ID(prefix(t, p)) }
	addr := func(p string) ip.Addr { return prefix(t, p+"/32").Addr }
	connect := func(p string, port uint32, up bool) {
		r := Route{}
		if up {
			r = Route{Hop: table.Direct(s.Sets.ID([]Hop{{Port: port}})), Present: true}
		}
		table.Put(silent{}, Connected, id(p), r)
		table.Settle(silent{}, &s)
	}
	hops := func(a string) []Hop {
		_, hop, _ := table.Lookup(&s, addr(a))
		return s.Sets.Hops(table.Set(hop))
	}
	connect("10.0.1.0/30", 1, true)
	connect("10.0.2.0/30", 2, true)
	table.SetStatics(silent{}, []StaticRoute{
		{id("10.9.0.0/16"), addr("10.255.0.9"), 1},   // recursive through the next line
		{id("10.255.0.9/32"), addr("10.0.1.2"), 1},   // direct
		{id("10.255.0.9/32"), addr("10.0.2.2"), 200}, // floating, when the first falls away
		{id("10.8.0.0/16"), addr("10.0.1.2"), 1},     // two of one preference share
		{id("10.8.0.0/16"), addr("10.0.2.2"), 1},
		{id("10.7.0.0/16"), ip.Addr{}, 1},        // blackhole
		{id("10.6.0.0/16"), addr("10.6.0.1"), 1}, // through itself
		{id("10.5.0.0/16"), addr("10.4.0.1"), 1}, // through each other
		{id("10.4.0.0/16"), addr("10.5.0.1"), 1},
	})
	table.Settle(silent{}, &s)

	require.Equal(t, []Hop{{1, addr("10.0.1.2")}}, hops("10.9.1.1"))
	require.Equal(t, []Hop{{1, addr("10.0.1.2")}, {2, addr("10.0.2.2")}}, hops("10.8.1.1"))
	_, hop, ok := table.Lookup(&s, addr("10.7.0.1"))
	require.True(t, ok)
	require.Equal(t, Blackhole, table.Set(hop))
	for _, a := range []string{"10.6.1.1", "10.5.1.1", "10.4.1.1"} {
		_, _, ok := table.Lookup(&s, addr(a))
		require.False(t, ok, a)
	}

	before, _, _ := table.Lookup(&s, addr("10.9.1.1"))
	hopBefore := table.Next(before)
	connect("10.0.1.0/30", 1, false)
	require.Equal(t, []Hop{{2, addr("10.0.2.2")}}, hops("10.9.1.1"), "the floating route takes over")
	require.Equal(t, hopBefore, table.Next(before), "the FIB entry still names the same next hop")
	require.Equal(t, []Hop{{2, addr("10.0.2.2")}}, hops("10.8.1.1"))
	connect("10.0.2.0/30", 2, false)
	_, _, ok = table.Lookup(&s, addr("10.9.1.1"))
	require.False(t, ok, "a static route falls away with its port")
	connect("10.0.1.0/30", 1, true)
	require.Equal(t, []Hop{{1, addr("10.0.1.2")}}, hops("10.9.1.1"))

	table.SetStatics(silent{}, nil)
	table.Settle(silent{}, &s)
	_, _, ok = table.Lookup(&s, addr("10.9.1.1"))
	require.False(t, ok)
}

func TestFlowsSpreadAndStay(t *testing.T) {
	hops := []Hop{{1, ip.Addr{}}, {2, ip.Addr{}}, {3, ip.Addr{}}}
	count := map[Hop]int{}
	for src := range ip.Quad(3000) {
		h := Pick(hops, FlowHash(9, ip.V4(src), ip.V4(7), 1, 0))
		require.Equal(t, h, Pick(hops, FlowHash(9, ip.V4(src), ip.V4(7), 1, 0)))
		count[h]++
	}
	for _, h := range hops {
		require.InDelta(t, 1000, count[h], 120)
	}
}

// resolving is what a table is to be made of: routes of each source, and those that
// BGP would have if it could reach their gateways.
type resolving struct {
	plain   map[Source]map[string]plainRoute
	statics []StaticRoute
	bgp     map[string][]ip.Addr
}

// plainRoute is a route straight out of a port.
type plainRoute struct {
	port   uint32
	gate   ip.Addr
	metric uint32
}

// lead makes a table follow: what BGP can reach is put in, as its decision would.
func (x *resolving) lead(t require.TestingT, s *Shared, table *Table, prefixes []string) {
	for source, routes := range x.plain {
		for _, p := range prefixes {
			r := Route{}
			if o, ok := routes[p]; ok {
				r = Route{Hop: table.Direct(s.Sets.ID([]Hop{{o.port, o.gate}})), Present: true, Metric: o.metric, Preference: DefaultPreference[source]}
			}
			table.Put(silent{}, source, s.Prefixes.ID(prefix(t, p)), r)
		}
	}
	table.SetStatics(silent{}, x.statics)
	table.Settle(silent{}, s)
	for round := 0; ; round++ {
		require.Less(t, round, 50, "it goes round for ever: %+v", x)
		changed := false
		for _, p := range prefixes {
			id := s.Prefixes.ID(prefix(t, p))
			r := Route{}
			if vias := x.bgp[p]; len(vias) > 0 {
				if set, _ := table.ReachFor(s, table.Gateway(s, vias[0]), id); set != NoSet {
					r = Route{Hop: table.Recursive(silent{}, s, vias), Present: true, Preference: 200}
				}
			}
			if table.Route(BGP, id) != r {
				changed = true
				table.Put(silent{}, BGP, id, r)
				table.Settle(silent{}, s)
			}
		}
		if !changed {
			return
		}
	}
}

// holdEachOther says whether a static route may go through another route, of whatever
// source has gateways, and that one through the first.
func (x *resolving) holdEachOther(s *Shared) bool {
	type through struct {
		prefix ip.Prefix
		via    ip.Addr
		static bool
	}
	var all []through
	for _, r := range x.statics {
		all = append(all, through{s.Prefixes.Prefix(r.Prefix), r.Via, true})
	}
	for p, vias := range x.bgp {
		all = append(all, through{ip.PrefixFrom(netip.MustParsePrefix(p)), vias[0], false})
	}
	reaches := func(from, to through) bool {
		open, seen := []through{from}, map[through]bool{}
		for len(open) > 0 {
			at := open[0]
			open = open[1:]
			for _, next := range all {
				if next == at || seen[next] || !next.prefix.Contains(at.via) {
					continue
				}
				if next == to {
					return true
				}
				seen[next] = true
				open = append(open, next)
			}
		}
		return false
	}
	return slices.ContainsFunc(all, func(r through) bool {
		return r.static && slices.ContainsFunc(all, func(o through) bool { return o != r && reaches(r, o) && reaches(o, r) })
	})
}

// TestATableFollowsEveryChange: after any sequence of changes, tables and gateways
// are as those that are made of the same routes from nothing.
func TestATableFollowsEveryChange(t *testing.T) {
	prefixes := []string{"0.0.0.0/0", "10.0.0.0/8", "10.1.0.0/16", "10.2.0.0/16", "10.1.1.0/24", "10.2.2.0/24", "10.1.1.1/32", "10.2.2.2/32", "10.3.0.0/16"}
	addresses := []ip.Addr{ip.V4(0x0a010101), ip.V4(0x0a020202), ip.V4(0x0a010201), ip.V4(0x0a030001), ip.V4(0x0b000001)}
	rapid.Check(t, func(t *rapid.T) {
		x := resolving{plain: map[Source]map[string]plainRoute{Connected: {}, OSPF: {}}, bgp: map[string][]ip.Addr{}}
		s, table := &Shared{}, &Table{}
		for _, a := range addresses {
			table.Gateway(s, a)
		}
		any := func(what string) string { return rapid.SampledFrom(prefixes).Draw(t, what) }
		for range rapid.IntRange(1, 25).Draw(t, "changes") {
			p := any("prefix")
			switch rapid.IntRange(0, 7).Draw(t, "change") {
			case 0, 1:
				x.plain[OSPF][p] = plainRoute{uint32(rapid.IntRange(1, 3).Draw(t, "port")), ip.V4(0x0c000001), uint32(rapid.IntRange(1, 3).Draw(t, "metric"))}
			case 2:
				delete(x.plain[OSPF], p)
			case 3:
				if _, on := x.plain[Connected][p]; on {
					delete(x.plain[Connected], p)
				} else {
					x.plain[Connected][p] = plainRoute{port: uint32(rapid.IntRange(1, 3).Draw(t, "port"))}
				}
			case 4:
				x.statics = append(x.statics, StaticRoute{s.Prefixes.ID(prefix(t, p)), rapid.SampledFrom(append(addresses, ip.Addr{})).Draw(t, "via"), uint8(rapid.SampledFrom([]int{1, 150, 250}).Draw(t, "preference"))})
			case 5:
				if n := len(x.statics); n > 0 {
					i := rapid.IntRange(0, n-1).Draw(t, "static")
					x.statics = append(x.statics[:i:i], x.statics[i+1:]...)
				}
			case 6:
				x.bgp[p] = []ip.Addr{rapid.SampledFrom(addresses).Draw(t, "gateway")}
			default:
				delete(x.bgp, p)
			}
			if x.holdEachOther(s) {
				continue // more than one table is right, or none: it is made after a later change
			}
			x.lead(t, s, table, prefixes)

			fresh, ft := &Shared{}, &Table{}
			again := x
			again.statics = nil
			for _, r := range x.statics {
				r.Prefix = fresh.Prefixes.ID(s.Prefixes.Prefix(r.Prefix))
				again.statics = append(again.statics, r)
			}
			again.lead(t, fresh, ft, prefixes)
			for _, p := range prefixes {
				a, b := s.Prefixes.ID(prefix(t, p)), fresh.Prefixes.ID(prefix(t, p))
				require.Equal(t, fresh.Sets.Hops(ft.Set(ft.Next(b))), s.Sets.Hops(table.Set(table.Next(a))), "%s of %+v", p, x)
			}
			for _, a := range addresses {
				set, cost := table.Reach(table.Gateway(s, a))
				fset, fcost := ft.Reach(ft.Gateway(fresh, a))
				require.Equal(t, fresh.Sets.Hops(fset), s.Sets.Hops(set), "gateway %v of %+v", a, x)
				require.Equal(t, fcost, cost, "cost of gateway %v of %+v", a, x)
			}
		}
	})
}
