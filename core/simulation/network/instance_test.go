package network_test

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/protocols/route"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// instanceRounds is how many random networks with instances are tried.
var instanceRounds = flag.Int("instance.rounds", 60, "random networks with routing instances")

// islands are networks that use the same addresses and meet at one router, the hub. They
// are written twice: with an instance of the hub for each, and with a router for each.
type islands struct {
	joined, apart string
	names         []string // of the instances, "" for main
	links         []string // ports of the hub and of others, to cut
	offered       []string // prefixes that are anywhere
}

// hubName is the hub's part in an island, by name: in one router, or as a router.
func hubName(island string, apart bool) string {
	switch {
	case island == "":
		return "hub"
	case apart:
		return "hub-" + island
	}
	return "hub/" + island
}

func randomIslands(r *rand.Rand, takes bool) islands {
	var out islands
	out.names = []string{"", "ferry", "mail", "coal"}[:2+r.IntN(3)]
	var blocks, rest [2]strings.Builder // joined, apart
	both := func(format string, args ...any) {
		for i := range rest {
			fmt.Fprintf(&rest[i], format, args...)
		}
	}
	both("policy all\n  otherwise accept\n")
	seen := map[string]bool{}
	offer := func(p string) {
		if !seen[p] {
			seen[p] = true
			out.offered = append(out.offered, p)
		}
	}
	for k, name := range out.names {
		id := string(rune('a' + k))
		var body strings.Builder
		ospf := r.IntN(4) > 0
		passive := ""
		if ospf {
			passive = "\n    ospf area 0 passive"
		}
		fmt.Fprintf(&body, "  loopback lo-%s 10.255.0.1/32%s\n", id, passive)
		n := 1 + r.IntN(3)
		for j := range n {
			near, far := fmt.Sprintf("hub.%s%d", id, j), fmt.Sprintf("r%s%d", id, j)
			area := ""
			if ospf {
				area = fmt.Sprintf("\n    ospf area 0\n      cost %d", 1+r.IntN(3))
			}
			fmt.Fprintf(&body, "  port %s%d 10.0.%d.1/30%s\n", id, j, j, area)
			both("router %s\n  loopback lo 10.255.1.%d/32%s\n  port e0 10.0.%d.2/30%s\n", far, j, passive, j, area)
			if j > 0 {
				both("  port e1 10.0.%d.2/30%s\n", 100+j, area)
			}
			if j+1 < n {
				both("  port e2 10.0.%d.1/30%s\n", 101+j, area)
			}
			if r.IntN(2) == 0 {
				p := fmt.Sprintf("10.%d.0.0/16", 100+r.IntN(4))
				both("  static %s blackhole\n  ospf\n    inject static\n", p)
				offer(p)
			}
			if j > 0 {
				both("link r%s%d.e2 r%s%d.e1\n", id, j-1, id, j)
				out.links = append(out.links, fmt.Sprintf("r%s%d.e1", id, j))
			}
			fmt.Fprintf(&rest[0], "link %s %s.e0\n", near, far)
			fmt.Fprintf(&rest[1], "link %s%s %s.e0\n", hubName(name, true), strings.TrimPrefix(near, "hub"), far)
			out.links = append(out.links, far+".e0")
		}
		if r.IntN(3) == 0 {
			p := fmt.Sprintf("10.%d.0.0/16", 100+r.IntN(4))
			// By a neighbour, or by a router that a cut leaves reachable another way.
			fmt.Fprintf(&body, "  static %s via %s\n", p, []string{"10.0.0.2", "10.255.1.0", "10.255.1.1"}[r.IntN(3)])
			offer(p)
		}
		if r.IntN(3) > 0 {
			fmt.Fprintf(&body, "  port x%s 192.0.2.1/30\n  bgp as 64500\n    peer 192.0.2.2 as %d\n      import-policy all\n      export-policy all\n", id, 64510+k)
			if r.IntN(2) == 0 {
				fmt.Fprintf(&body, "    inject ospf\n")
			}
			both("router x%s\n  port e0 192.0.2.2/30\n  static 10.110.0.0/16 blackhole\n  static 10.%d.0.0/16 blackhole\n  bgp as %d\n    inject static\n    peer 192.0.2.1 as 64500\n      import-policy all\n      export-policy all\n", id, 100+r.IntN(4), 64510+k)
			fmt.Fprintf(&rest[0], "link hub.x%s x%s.e0\n", id, id)
			fmt.Fprintf(&rest[1], "link %s.x%s x%s.e0\n", hubName(name, true), id, id)
			out.links = append(out.links, "x"+id+".e0")
			offer("10.110.0.0/16")
		}
		if takes {
			for _, from := range out.names {
				if from != name && r.IntN(2) == 0 {
					if from == "" {
						from = "main"
					}
					fmt.Fprintf(&body, "  take %s through %s\n", from, []string{"all", "some", "tagged", "begun"}[r.IntN(4)])
				}
			}
		}
		if name == "" {
			blocks[0].WriteString("router hub\n" + body.String())
			blocks[1].WriteString("router hub\n" + body.String())
			continue
		}
		fmt.Fprintf(&blocks[0], "  instance %s\n  %s\n", name, strings.ReplaceAll(strings.TrimSuffix(body.String(), "\n"), "\n", "\n  "))
		fmt.Fprintf(&blocks[1], "router hub-%s\n%s", name, body.String())
	}
	if takes {
		both("prefix-set some\n  10.100.0.0/14 length 14..16\n  10.255.1.0/24 length 32\npolicy tagged\n  statement s\n    where source bgp\n    set tag 7 metric 5\n    accept\n  statement t\n    where tag = 7\n    accept\npolicy begun\n  statement s\n    where instance %s\n    accept\n  statement t\n    where prefix in some source connected\n    accept\n", []string{"main", "ferry", "mail"}[r.IntN(3)])
	}
	out.joined = blocks[0].String() + rest[0].String()
	out.apart = blocks[1].String() + rest[1].String()
	return out
}

// instance finds the hub's part in an island.
func instanceAt(w *network.World, island string, apart bool) *device.Instance {
	if apart {
		return w.Find(hubName(island, true)).Main()
	}
	return w.Find("hub").Instance(island)
}

// instanceTable writes the routes of an instance that did not cross, one per line, or all.
func instanceTable(w *network.World, inst *device.Instance) string {
	var b strings.Builder
	for _, id := range inst.Prefixes() {
		s, ok := inst.Table().Best(id)
		if !ok {
			continue
		}
		r := inst.Table().Route(s, id)
		fmt.Fprintf(&b, "%v %v cost %d preference %d", w.Shared().Prefixes.Prefix(id), s, r.Metric, r.Preference)
		set := inst.Table().Set(r.Hop)
		if set == route.Blackhole {
			b.WriteString(" blackhole")
		}
		for _, h := range w.Shared().Sets.Hops(set) {
			fmt.Fprintf(&b, " %s %v", inst.Device().Ports()[h.Port].Config.Name, h.Gateway)
		}
		b.WriteByte('\n')
	}
	return b.String()
}

// TestInstancesAreRoutersOfTheirOwn: without a take, each instance has the table that a
// router of its own would have, through cuts, restarts and changes, and so has everybody
// around it: nothing that is done in one changes another's.
func TestInstancesAreRoutersOfTheirOwn(t *testing.T) {
	crossed := 0
	for seed := range uint64(*instanceRounds) {
		r := rand.New(rand.NewPCG(seed, 16))
		net := randomIslands(r, false)
		joined, apart := build(t, net.joined), build(t, net.apart)
		var done []string
		for round := range 4 {
			if round > 0 {
				a := "cut " + net.links[r.IntN(len(net.links))]
				island := net.names[r.IntN(len(net.names))]
				one, other := a, a
				if r.IntN(3) == 0 {
					one, other = "restart ospf on "+hubName(island, false), "restart ospf on "+hubName(island, true)
				}
				if strings.HasPrefix(one, "cut ") && r.IntN(3) == 0 {
					one = "mend " + one[4:]
					other = one
				}
				done = append(done, one)
				for _, x := range []struct {
					w *network.World
					a string
				}{{joined, one}, {apart, other}} {
					act, err := history.ParseAction(x.a)
					require.NoError(t, err)
					_ = act.Perform(x.w, nil) // a link may be cut already, in both
				}
			}
			settle(t, joined)
			settle(t, apart)
			for _, name := range net.names {
				require.Equal(t, instanceTable(apart, instanceAt(apart, name, true)), instanceTable(joined, instanceAt(joined, name, false)), "seed %d, %s after %v\n%s", seed, name, done, net.joined)
				crossed++
			}
			for _, d := range apart.Devices() {
				if !strings.HasPrefix(d.Name(), "hub") {
					require.Equal(t, instanceTable(apart, d.Main()), instanceTable(joined, joined.Find(d.Name()).Main()), "seed %d, %s after %v", seed, d.Name(), done)
				}
			}
		}
	}
	require.NotZero(t, crossed)
}

// TestCrossingsHold: whatever is taken from whom, through cuts and changes, what crosses
// is what the rules say (Check holds taken routes against them), a copy goes the same way,
// and a network that came to a text by changes is as one that began with it.
func TestCrossingsHold(t *testing.T) {
	taken := 0
	for seed := range uint64(*instanceRounds) {
		r := rand.New(rand.NewPCG(seed, 61))
		net := randomIslands(r, true)
		w := build(t, net.joined)
		settle(t, w)
		for range 3 {
			act, err := history.ParseAction([]string{"cut ", "mend "}[r.IntN(2)] + net.links[r.IntN(len(net.links))])
			require.NoError(t, err)
			copied := w.Clone()
			_, _ = act.Perform(w, nil), act.Perform(copied, nil)
			settle(t, w)
			settle(t, copied)
			require.Equal(t, w.Digest(true), copied.Digest(true), "seed %d", seed)
		}
		for i := range w.Find("hub").Instances() {
			taken += strings.Count(instanceTable(w, &w.Find("hub").Instances()[i]), " taken ")
		}
		// Another text, and back.
		other := strings.Replace(net.joined, "  10.100.0.0/14 length 14..16\n", "  10.102.0.0/15 length 15..16\n", 1)
		w = build(t, net.joined)
		settle(t, w)
		was := make([]string, 0, 4)
		for _, name := range net.names {
			was = append(was, instanceTable(w, instanceAt(w, name, false)))
		}
		configure(t, w, other)
		settle(t, w)
		configure(t, w, net.joined)
		settle(t, w)
		for i, name := range net.names {
			require.Equal(t, was[i], instanceTable(w, instanceAt(w, name, false)), "seed %d, %s\n%s", seed, name, net.joined)
		}
	}
	require.NotZero(t, taken)
}

// TestATakenRouteFollowsItsNextHop: the next hop of a taken route is resolved where it
// comes from, and goes on being.
func TestATakenRouteFollowsItsNextHop(t *testing.T) {
	w := build(t, `
router hub
  loopback lo 10.255.0.1/32
  take ferry through all
  instance ferry
    port e1 10.0.1.1/30
      ospf area 0
    port e2 10.0.2.1/30
      ospf area 0
    loopback own 10.255.0.9/32
      ospf area 0 passive
    static 10.100.0.0/16 via 10.255.1.1
    bgp as 64500
      peer 10.255.1.1 as 64500
        local-address own
router pier
  loopback lo 10.255.1.1/32
    ospf area 0 passive
  port e1 10.0.1.2/30
    ospf area 0
  port e2 10.0.2.2/30
    ospf area 0
  static 10.101.0.0/16 blackhole
  bgp as 64500
    originate 10.101.0.0/16
    peer 10.255.0.9 as 64500
      local-address lo
link hub.e1 pier.e1
link hub.e2 pier.e2
policy all
  otherwise accept
`)
	settle(t, w)
	hub := w.Find("hub")
	require.Contains(t, instanceTable(w, hub.Main()), "10.100.0.0/16 taken cost 0 preference 1 e1 10.0.1.2 e2 10.0.2.2\n")
	require.Contains(t, instanceTable(w, hub.Main()), "10.101.0.0/16 taken cost 0 preference 200 e1 10.0.1.2 e2 10.0.2.2\n")
	require.True(t, w.Cut(hub.ID(), 1))
	settle(t, w)
	require.Contains(t, instanceTable(w, hub.Main()), "10.100.0.0/16 taken cost 0 preference 1 e2 10.0.2.2\n")
	require.Contains(t, instanceTable(w, hub.Main()), "10.101.0.0/16 taken cost 0 preference 200 e2 10.0.2.2\n")
}
