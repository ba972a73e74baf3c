package route

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/note"
	"hellebore/core/wire/ip"
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
		address := rapid.Map(rapid.IntRange(0, 1<<10-1), func(n int) ip.Addr { return ip.Addr(n) << 22 })
		for range rapid.IntRange(1, 120).Draw(t, "steps") {
			w := worlds[rapid.IntRange(0, len(worlds)-1).Draw(t, "world")]
			p := ip.MakePrefix(address.Draw(t, "addr"), uint8(rapid.IntRange(0, 12).Draw(t, "len")))
			switch rapid.IntRange(0, 5).Draw(t, "step") {
			case 0:
				if len(worlds) < 5 {
					c := &world{w.shared.Clone(), w.table.Clone(), map[ip.Prefix]SetID{}}
					for p, s := range w.plain {
						c.plain[p] = s
					}
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
					if p.Contains(a) && int(p.Len) > length {
						want, length = set, int(p.Len)
					}
				}
				_, hop, ok := w.table.Lookup(w.shared, a)
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
		{id("10.7.0.0/16"), 0, 1},                // blackhole
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
	hops := []Hop{{1, 0}, {2, 0}, {3, 0}}
	count := map[Hop]int{}
	for src := range ip.Addr(3000) {
		h := Pick(hops, FlowHash(9, src, 7, 1, 0))
		require.Equal(t, h, Pick(hops, FlowHash(9, src, 7, 1, 0)))
		count[h]++
	}
	for _, h := range hops {
		require.InDelta(t, 1000, count[h], 120)
	}
}
