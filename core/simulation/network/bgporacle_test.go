package network_test

import (
	"fmt"
	"math/rand"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/route"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// randomAutonomousSystems writes a lab of some ASes: their routers in a chain or a
// ring with OSPF, internal sessions as a full mesh or through a reflector, external
// links between any two of different ASes, some of them known inside by a static
// route, some in another local AS; prefixes and defaults that are originated, with
// conditions and without, aggregates, and policies at random.
func randomAutonomousSystems(r *rand.Rand) string {
	type port struct{ router, text string }
	var ports []port
	var links, tail strings.Builder
	type router struct {
		name, loop string
		as         int
		peers      strings.Builder
	}
	var routers []*router
	inside := map[string][]string{}  // gateways of a router in its AS
	statics := map[string][]string{} // static routes of a router
	ases := 2 + r.Intn(4)
	count := map[string]int{}
	nextPort := func(n string) string { count[n]++; return fmt.Sprintf("e%d", count[n]) }
	for a := range ases {
		as := 64500 + a
		size := 1 + r.Intn(4)
		var members []*router
		for i := range size {
			members = append(members, &router{name: fmt.Sprintf("r%d-%d", a, i), loop: fmt.Sprintf("10.255.%d.%d", a, i+1), as: as})
		}
		ring := size > 2 && r.Intn(2) == 0
		for i := range size {
			if i == 0 && !ring {
				continue
			}
			x, y := members[(i+size-1)%size], members[i]
			px, py := nextPort(x.name), nextPort(y.name)
			ports = append(ports, port{x.name, fmt.Sprintf("  port %s 10.%d.%d.1/30\n    ospf area 0\n      cost %d\n", px, a, i, 1+r.Intn(20))},
				port{y.name, fmt.Sprintf("  port %s 10.%d.%d.2/30\n    ospf area 0\n      cost %d\n", py, a, i, 1+r.Intn(20))})
			fmt.Fprintf(&links, "link %s.%s %s.%s\n", x.name, px, y.name, py)
			inside[y.name] = append(inside[y.name], fmt.Sprintf("10.%d.%d.1", a, i))
			inside[x.name] = append(inside[x.name], fmt.Sprintf("10.%d.%d.2", a, i))
		}
		reflect := size > 2 && r.Intn(2) == 0
		for i, x := range members {
			for k, y := range members {
				if i == k || reflect && i != 0 && k != 0 {
					continue
				}
				fmt.Fprintf(&x.peers, "    peer %s as %d\n      local-address lo\n      min-advertisement-interval %ds\n", y.loop, as, r.Intn(4))
				if r.Intn(3) > 0 {
					x.peers.WriteString("      next-hop-self\n")
				}
				if reflect && i == 0 {
					x.peers.WriteString("      client\n")
				}
			}
		}
		routers = append(routers, members...)
	}
	policies := 0
	for n := range 2 + r.Intn(2*ases) {
		x, y := routers[r.Intn(len(routers))], routers[r.Intn(len(routers))]
		if x.as == y.as {
			continue
		}
		px, py := nextPort(x.name), nextPort(y.name)
		ax, ay := fmt.Sprintf("172.16.%d.1", n), fmt.Sprintf("172.16.%d.2", n)
		asX, asY := x.as, y.as // as the other end sees it
		if r.Intn(4) == 0 {
			asX = 64600 + r.Intn(4)
		}
		if r.Intn(8) == 0 {
			asY = 64610 + r.Intn(4)
		}
		for _, e := range []struct {
			p, a, far  string
			x          *router
			own, farAS int
		}{{px, ax, ay, x, asX, asY}, {py, ay, ax, y, asY, asX}} {
			ospf := ""
			if r.Intn(3) == 0 {
				ospf = "    ospf area 0 passive\n"
			}
			ports = append(ports, port{e.x.name, fmt.Sprintf("  port %s %s/30\n%s", e.p, e.a, ospf)})
			fmt.Fprintf(&e.x.peers, "    peer %s as %d\n      min-advertisement-interval %ds\n", e.far, e.farAS, r.Intn(4))
			if e.own != e.x.as {
				fmt.Fprintf(&e.x.peers, "      local-as %d\n", e.own)
				e.x.peers.WriteString([]string{"", "      no-prepend-inbound\n"}[r.Intn(2)] + []string{"", "      replace-old-as\n"}[r.Intn(2)])
			}
			if r.Intn(5) == 0 {
				e.x.peers.WriteString("      originate default\n" + randomCondition(r, "        ", 8))
			}
			for _, way := range []string{"import", "export"} {
				if r.Intn(3) > 0 {
					continue
				}
				policies++
				fmt.Fprintf(&e.x.peers, "      %s-policy p%d\n", way, policies)
				fmt.Fprintf(&tail, "policy p%d\n%s  otherwise %s\n", policies, randomStatements(r, e.x.as), []string{"accept", "accept", "reject"}[r.Intn(3)])
			}
		}
		fmt.Fprintf(&links, "link %s.%s %s.%s\n", x.name, px, y.name, py)
		for _, z := range routers {
			via := inside[z.name]
			if z != x && z != y && (z.as == x.as || z.as == y.as) && len(via) > 0 && r.Intn(3) == 0 {
				length := []int{30, 24, 16}[r.Intn(3)]
				statics[z.name] = append(statics[z.name], fmt.Sprintf("  static %v via %s\n", netip.PrefixFrom(netip.MustParseAddr(ax), length).Masked(), via[r.Intn(len(via))]))
			}
		}
	}
	var text strings.Builder
	fmt.Fprintf(&text, "lab \"Random\"\n  seed %d\n", r.Intn(1000))
	for _, x := range routers {
		fmt.Fprintf(&text, "router %s\n  loopback lo %s/32\n    ospf area 0 passive\n", x.name, x.loop)
		for _, p := range ports {
			if p.router == x.name {
				text.WriteString(p.text)
			}
		}
		slices.Sort(statics[x.name])
		for _, s := range slices.Compact(statics[x.name]) {
			text.WriteString(s)
		}
		originates := ""
		for range r.Intn(3) {
			k := r.Intn(8)
			p := fmt.Sprintf("198.51.%d.0/24", k)
			if !strings.Contains(originates, p) {
				fmt.Fprintf(&text, "  static %s blackhole\n", p)
				originates += "    originate " + p + "\n" + randomCondition(r, "      ", k)
			}
		}
		if p := fmt.Sprintf("198.51.%d.0/24", r.Intn(8)); r.Intn(4) == 0 && !strings.Contains(originates, p) {
			fmt.Fprintf(&text, "  static %s blackhole\n", p) // what others announce loses to it in the table
		}
		fmt.Fprintf(&text, "  bgp as %d\n%s", x.as, originates)
		if r.Intn(4) == 0 {
			text.WriteString("    in-use-only\n")
		}
		if r.Intn(2) == 0 {
			text.WriteString("    best-external\n")
		}
		for _, p := range []string{"198.51.0.0/22", "198.51.0.0/21", "198.51.2.0/23", "198.51.4.0/22"} {
			if r.Intn(5) == 0 {
				text.WriteString("    aggregate " + p + []string{"", " as-set"}[r.Intn(2)] + []string{"", " alone"}[r.Intn(2)] + "\n")
			}
		}
		if r.Intn(4) == 0 {
			text.WriteString("    multipath 4" + []string{"", " any-as"}[r.Intn(2)] + "\n")
		}
		text.WriteString(x.peers.String())
	}
	text.WriteString(links.String() + "prefix-set some\n  198.51.0.0/16 length 24\nprefix-set few\n  198.51.1.0/24\n  198.51.2.0/23 length 24\n" +
		"as-path-set long\n  path * * ...\ncommunity-set marked\n  community 64500:*\n" + tail.String())
	return text.String()
}

// randomCondition is on what a route for a prefix below 198.51.k.0/24 is there for:
// conditions do not go round, since such a thing need not settle.
func randomCondition(r *rand.Rand, indent string, k int) string {
	if k == 0 || r.Intn(3) > 0 {
		return ""
	}
	what := []string{fmt.Sprintf("198.51.%d.0/24", r.Intn(k))}
	if k >= 4 {
		what = append(what, "few", "198.51.0.0/22", "198.51.2.0/23")
	}
	return indent + []string{"when ", "unless "}[r.Intn(2)] + what[r.Intn(len(what))] + "\n"
}

func randomStatements(r *rand.Rand, as int) string {
	var b strings.Builder
	for n := range 1 + r.Intn(3) {
		fmt.Fprintf(&b, "  statement s%d\n", n)
		if r.Intn(2) == 0 {
			b.WriteString("    where " + []string{"prefix in some", "prefix in few", "as-path in long", "community in marked", "med > 5", "med = 10", "as-path-length < 3", "route-type local"}[r.Intn(8)] + "\n")
		}
		if r.Intn(2) == 0 {
			// Local preference stays alone: with it, policies contradict each other and
			// nothing settles.
			b.WriteString("    " + []string{"set med 10", "set med igp", "set med 3", "set origin egp", fmt.Sprintf("prepend %d times 2", as), "add community 64500:7 64500:8", "remove community in marked", "add community no-export"}[r.Intn(8)] + "\n")
		}
		b.WriteString([]string{"", "    accept\n", "    reject\n", "    accept\n"}[r.Intn(4)])
	}
	return b.String()
}

// plainPath is what the obvious decision needs of a path.
type plainPath struct {
	from     int
	set      *attr.Set
	external bool
	cost     uint32
	id       ip.Quad
	address  ip.Addr
}

// reach is the obvious resolution of the next hop of a path for a prefix, without
// what that path is itself (RFC 4271 9.1.2.1).
func reach(w *network.World, d *device.Device, a ip.Addr, prefix uint32, depth int) (cost uint32, ok bool) {
	best, length := uint32(0), -1
	for id := range w.Shared().Prefixes.Len() {
		p := w.Shared().Prefixes.Prefix(id)
		if s, has := d.Main().Table().Best(id); has && p.Contains(a) && int(p.Len) > length {
			if s == route.BGP && id == prefix {
				continue
			}
			if s == route.BGP {
				via := d.Main().Table().Vias(d.Main().Table().Route(s, id).Hop)
				if len(via) == 0 || via[0] == a || depth == 0 {
					continue
				}
			}
			best, length = id, int(p.Len)
		}
	}
	if length < 0 {
		return 0, false
	}
	s, _ := d.Main().Table().Best(best)
	x := d.Main().Table().Route(s, best)
	if s == route.BGP {
		return reach(w, d, d.Main().Table().Vias(x.Hop)[0], prefix, depth-1)
	}
	return x.Metric + x.Metric2, len(w.Shared().Sets.Hops(d.Main().Table().Set(x.Hop))) > 0
}

// plainDecision is RFC 4271 9.1.2.2 written down step by step.
func plainDecision(list []plainPath) plainPath {
	keep := func(good func(p plainPath) bool) {
		list = slices.DeleteFunc(slices.Clone(list), func(p plainPath) bool { return !good(p) })
	}
	least := func(value func(p plainPath) int64) {
		low := value(list[0])
		for _, p := range list {
			low = min(low, value(p))
		}
		keep(func(p plainPath) bool { return value(p) == low })
	}
	least(func(p plainPath) int64 { return -int64(p.set.Preference()) })
	least(func(p plainPath) int64 { return int64(p.set.Path.Len()) })
	least(func(p plainPath) int64 { return int64(p.set.Origin) })
	all := list
	keep(func(p plainPath) bool {
		for _, q := range all {
			if q.set.Path.First() == p.set.Path.First() && q.set.MED < p.set.MED {
				return false
			}
		}
		return true
	})
	least(func(p plainPath) int64 {
		if p.external {
			return 0
		}
		return 1
	})
	least(func(p plainPath) int64 { return int64(p.cost) })
	least(func(p plainPath) int64 { return int64(p.id) })
	least(func(p plainPath) int64 { return int64(len(p.set.Clusters)) })
	least(func(p plainPath) int64 { return int64(p.address.Quad()) })
	return list[0]
}

// plainPaths are the paths to a prefix that take part in a decision.
func plainPaths(w *network.World, d *device.Device, id uint32) (list []plainPath) {
	s := d.Main().BGP()
	s.Peers(func(v bgp.PeerView) {
		row, ok := s.In(v.Number, id)
		if !ok || row.Accepted == 0 {
			return
		}
		set := w.Attrs().Get(row.Accepted)
		cost, ok := reach(w, d, ip.Addr(set.NextHop), id, 8)
		if !ok {
			return
		}
		x := plainPath{v.Number, set, v.External, cost, set.Originator, v.Address}
		if x.id == 0 {
			x.id = v.PeerID
		}
		list = append(list, x)
	})
	return list
}

// requirePlainDecisions holds every Loc-RIB against the obvious decision over the
// whole Adj-RIB-In.
func requirePlainDecisions(t testing.TB, w *network.World) (decided int) {
	for _, d := range w.Devices() {
		s := d.Main().BGP()
		for id := range w.Shared().Prefixes.Len() {
			list := plainPaths(w, d, id)
			got, from, _ := s.Best(id)
			_, _, preference, _ := s.OwnPath(id)
			own, _, _, _ := s.OwnPath(id)
			p := w.Shared().Prefixes.Prefix(id)
			if len(list) == 0 {
				require.Equal(t, own, got, "%s %v", d.Name(), p)
				continue
			}
			want := plainDecision(list)
			learned := uint8(200)
			if want.external {
				learned = 20
			}
			if own != 0 && preference <= learned {
				require.Equal(t, bgp.Local, from, "%s %v", d.Name(), p)
				continue
			}
			require.Equal(t, want.from, from, "%s %v", d.Name(), p)
			if len(list) > 1 {
				decided++
			}
		}
	}
	return decided
}

// TestRandomAutonomousSystems holds Loc-RIB, Adj-RIB-Out and the two ends of each
// session against the obvious, before and after random faults.
func TestRandomAutonomousSystems(t *testing.T) {
	runs := oracleRuns(60)
	decided, unsettled := 0, 0
	saw := sight{}
	for n := range runs {
		r := rand.New(rand.NewSource(int64(n)))
		text := randomAutonomousSystems(r)
		w := build(t, text)
		for round := range 4 {
			if w.Settle(500_000, nil) != network.Settled {
				// A dispute (see TestADisputeDoesNotSettle), or a path that comes back
				// without our AS, which replace-old-as took out (RFC 7705).
				unsettled++
				break
			}
			require.Empty(t, w.Check(), "run %d round %d\n%s", n, round, text)
			decided += requirePlainDecisions(t, w)
			saw.add(requirePlainOrigins(t, w, text))
			saw.add(requirePlainSending(t, w, text))
			media := w.Media()
			if len(media) == 0 {
				break
			}
			if r.Intn(3) == 0 { // costs change, here and there
				text = otherCosts(r, text)
				configure(t, w, text)
				continue
			}
			m := media[r.Intn(len(media))]
			e := m.Ends[r.Intn(len(m.Ends))]
			if m.Cut {
				w.Mend(e.Device, e.Port)
			} else if r.Intn(2) == 0 {
				w.Cut(e.Device, e.Port)
			} else {
				w.Silence(e.Device, e.Port, network.Both)
			}
		}
	}
	require.Greater(t, decided, 5*runs, "there was something to decide")
	require.Less(t, unsettled, runs/10+1)
	for _, what := range []string{"condition that holds", "condition that does not hold", "aggregate", "aggregate of one path", "aggregate with a set", "aggregate with a sequence and a set", "withheld: within an aggregate",
		"withheld: not in use", "sent with local-as", "local-as put before what came", "sent", "sent: best external"} {
		require.Greater(t, saw[what], runs/20, what)
	}
	t.Logf("%d labs, %d decisions between several paths, %d did not settle; %v", runs, decided, unsettled, saw)
}

// otherCosts is a text with some of its costs changed.
func otherCosts(r *rand.Rand, text string) string {
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		if strings.HasPrefix(l, "      cost ") && r.Intn(3) == 0 {
			lines[i] = fmt.Sprintf("      cost %d", 1+r.Intn(20))
		}
	}
	return strings.Join(lines, "\n")
}

func peerNumber(t testing.TB, d *device.Device, a string) int {
	t.Helper()
	i, ok := d.Main().BGP().Find(ip.AddrFrom(netip.MustParseAddr(a)))
	require.True(t, ok, "%s has no peer %s", d.Name(), a)
	return i
}
