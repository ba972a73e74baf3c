package network_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/ospf"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// Border routers: who translates an NSSA, what virtual links join, and sub-ports.

// routeTo is a device's way to a prefix as table writes it, "" for none.
func routeTo(w *network.World, name, prefix string) string {
	for line := range strings.SplitSeq(table(w, name), "\n") {
		if strings.HasPrefix(line, prefix+" ") {
			return line
		}
	}
	return ""
}

// externals are the routers that announce a prefix to the whole autonomous
// system, as a device knows.
func externals(w *network.World, name, id string) (list []string) {
	d := w.Find(name)
	d.Main().OSPF().Database(d.Main(), func(v ospf.LSAView) {
		if v.Header.Key.Type == wire.ExternalLSA && v.Header.Key.ID.String() == id && v.Header.Age < lsdb.MaxAge {
			list = append(list, v.Header.Key.Router.String())
		}
	})
	return list
}

func TestTheHighestBorderRouterTranslates(t *testing.T) { // RFC 3101 3.1
	w := build(t, demo.Text("three-areas"))
	settle(t, w)
	const upper, lower = "10.255.3.2", "10.255.3.3"
	require.Equal(t, []string{lower}, externals(w, "mill", "172.20.0.0"))
	dev, p := port(t, w, "lower.e5")
	w.Cut(dev, p)
	settle(t, w)
	require.Equal(t, []string{upper}, externals(w, "mill", "172.20.0.0"), "the other one takes over")

	// The old translator is back: the new one goes on for a while.
	w.Mend(dev, p)
	start := w.Now()
	w.RunUntil(start+35*event.Second, 1e6)
	require.Equal(t, []string{upper, lower}, externals(w, "mill", "172.20.0.0"))
	settle(t, w)
	require.Equal(t, []string{lower}, externals(w, "mill", "172.20.0.0"))
}

func TestABorderRoutersOwnExternalsAreNotTranslated(t *testing.T) { // RFC 3101 2.4
	const block = "  ospf\n    area 1\n      range 10.1.0.0/16\n    area 3\n      nssa\n        summary 172.20.0.0/16\n\nrouter lower"
	text := strings.Replace(demo.Text("three-areas"), block,
		"  static 172.21.9.0/24 blackhole\n"+strings.Replace(block, "  ospf\n", "  ospf\n    inject static\n", 1), 1)
	w := build(t, text)
	settle(t, w)
	require.Equal(t, []string{"10.255.3.2"}, externals(w, "mill", "172.21.9.0"), "upper says it itself, lower does not translate it")
	require.Contains(t, routeTo(w, "boathouse", "172.21.9.0/24"), "10.3.1.1", "the NSSA has it from upper")
}

func TestAVirtualLinkJoinsAnAreaToTheBackbone(t *testing.T) { // RFC 2328 15
	text := demo.Text("beyond-the-pass")
	w := build(t, text)
	settle(t, w)
	// 16.3: the way is that of the transit area, not along the virtual link.
	require.Contains(t, routeTo(w, "west", "10.2.9.0/24"), "10.0.2.1", "by depot and east, which costs less than the pass")
	require.Contains(t, routeTo(w, "saddle", "10.20.4.0/24"), "10.1.1.1")

	dev, p := port(t, w, "east.e2")
	w.Cut(dev, p)
	settle(t, w)
	saddle := w.Find("saddle")
	for name, up := range map[string]bool{"virtual-link 10.255.4.2": false, "virtual-link 10.255.4.3": true} {
		i, ok := saddle.Port(name)
		require.True(t, ok)
		got, why := saddle.Up(i)
		require.Equal(t, up, got, name)
		if !up {
			require.Equal(t, note.NoTransitPath, why)
		}
	}
	require.Contains(t, routeTo(w, "saddle", "10.20.4.0/24"), "10.1.2.1")
	require.Contains(t, routeTo(w, "depot", "10.2.9.0/24"), "10.0.2.2")
	w.Mend(dev, p)
	settle(t, w)

	none := build(t, strings.ReplaceAll(strings.ReplaceAll(strings.ReplaceAll(text, "virtual-link 10.255.4.2", "range 10.77.0.0/16"),
		"virtual-link 10.255.4.3", "range 10.78.0.0/16"), "virtual-link 10.255.4.4", "range 10.79.0.0/16"))
	settle(t, none)
	require.Empty(t, routeTo(none, "depot", "10.2.9.0/24"), "without it the area is cut off")
}

// TestRangesOfTheBackboneAreLeftOutOfATransitArea is RFC 2328 12.4.3: into an area
// that virtual links cross, the backbone's networks go one by one.
func TestRangesOfTheBackboneAreLeftOutOfATransitArea(t *testing.T) {
	w := build(t, `router mill
  loopback lo 10.255.0.1/32
    ospf area 0
  loopback one 10.0.1.1/32
    ospf area 0
  loopback two 10.0.2.1/32
    ospf area 0
  port e1 10.1.0.1/30
    ospf area 1
  port e2 10.3.0.1/30
    ospf area 3
  ospf
    area 0
      range 10.0.0.0/16
    area 1
      virtual-link 10.255.0.2
router halt
  loopback lo 10.255.0.2/32
    ospf area 2
  port e1 10.1.0.2/30
    ospf area 1
  port e2 10.1.0.5/30
    ospf area 1
  ospf
    area 1
      virtual-link 10.255.0.1
router ford
  port e2 10.1.0.6/30
    ospf area 1
router weir
  port e2 10.3.0.2/30
    ospf area 3
link mill.e1 halt.e1
link halt.e2 ford.e2
link mill.e2 weir.e2
`)
	settle(t, w)
	require.NotEmpty(t, routeTo(w, "ford", "10.255.0.1/32"))
	for router, transit := range map[string]bool{"ford": true, "weir": false} {
		require.Equal(t, transit, routeTo(w, router, "10.0.1.1/32") != "", router)
		require.Equal(t, transit, routeTo(w, router, "10.0.2.1/32") != "", router)
		require.Equal(t, !transit, routeTo(w, router, "10.0.0.0/16") != "", router)
	}
}

// TestABorderRouterReachesOtherAreasByTheBackboneOnly is RFC 2328 16.2: it looks at
// the summaries of the backbone, even where those of another area cost less.
func TestABorderRouterReachesOtherAreasByTheBackboneOnly(t *testing.T) {
	w := build(t, `router mill
  loopback lo 10.255.0.1/32
    ospf area 0
  port e0 10.0.0.1/30
    ospf area 0
      cost 100
  port e1 10.1.0.1/30
    ospf area 1
      cost 1
router halt
  loopback lo 10.255.0.2/32
    ospf area 0
  port e0 10.0.0.5/30
    ospf area 0
      cost 1
  port e1 10.1.0.2/30
    ospf area 1
      cost 1
router ford
  loopback lo 10.255.0.3/32
    ospf area 0
  loopback far 10.2.0.1/32
    ospf area 2
  port e0 10.0.0.2/30
    ospf area 0
  port e1 10.0.0.6/30
    ospf area 0
link mill.e0 ford.e0
link halt.e0 ford.e1
link mill.e1 halt.e1
`)
	settle(t, w)
	require.Equal(t, "10.2.0.1/32 ospf 100 via 10.0.0.2 e0", routeTo(w, "mill", "10.2.0.1/32"))
	require.Equal(t, "10.2.0.1/32 ospf 1 via 10.0.0.6 e0", routeTo(w, "halt", "10.2.0.1/32"))
}

func TestVirtualLinksCarryNoExternals(t *testing.T) { // RFC 2328 13.3
	text := strings.Replace(demo.Text("beyond-the-pass"), "router depot\n", "router depot\n  static 198.51.100.0/24 blackhole\n  ospf\n    inject static\n", 1)
	w := build(t, text)
	settle(t, w)
	require.NotEmpty(t, routeTo(w, "alp", "198.51.100.0/24"))
	for i := range w.Notes() {
		if n := w.NoteAt(i); n.Kind == note.LSAReceived && w.Pool().Key(uint32(n.A)).Type == wire.ExternalLSA {
			port, ok := n.Port.Number()
			require.True(t, ok)
			require.Nil(t, w.Device(n.Device).Ports()[port].Config.Virtual)
		}
	}
}

func TestASubPortHearsItsTagOnly(t *testing.T) {
	w := build(t, demo.Text("shared-cable"))
	settle(t, w)
	require.Contains(t, routeTo(w, "halt", "10.30.0.0/24"), "10.0.10.1", "the loopback with its own mask")
	frames := map[bool]int{} // tagged
	w.OnFrame = func(_ event.Time, _, _ uint32, f []byte) { frames[f[12] == 0x81 && f[13] == 0x00]++ }
	dev, p := port(t, w, "cabin.e1")
	w.Cut(dev, p)
	settle(t, w)
	require.Empty(t, states(w, "cabin")["e1.20"], "a cut takes both sub-ports down")
	w.Mend(dev, p)
	settle(t, w)
	require.Positive(t, frames[true])
	require.Contains(t, routeTo(w, "halt", "10.20.8.0/24"), "10.0.10.1", "by the cabin, since the yard costs the halt 100")
}

func TestEqualWaysAreBounded(t *testing.T) {
	text := demo.Text("three-areas")
	w := build(t, text)
	settle(t, w)
	require.Equal(t, 2, strings.Count(routeTo(w, "boathouse", "10.1.0.0/16"), " via "))
	reconfigured(t, w, strings.Replace(text, "    inject static type 1 metric 15", "    max-ecmp 1\n    inject static type 1 metric 15", 1))
	require.Equal(t, 1, strings.Count(routeTo(w, "boathouse", "10.1.0.0/16"), " via "))
}

// TestOnlyWhatChangedIsComputed counts the vertices of the shortest-path trees
// that are looked at: none for a route from outside, few for a link far away.
func TestOnlyWhatChangedIsComputed(t *testing.T) {
	visited := func(w *network.World, mark uint32) map[string]uint64 {
		out := map[string]uint64{}
		for i := mark; i < w.Notes(); i++ {
			if n := w.NoteAt(i); n.Kind == note.SPFRun {
				out[w.Device(n.Device).Name()] += n.A
			}
		}
		return out
	}
	text := demo.Text("three-areas")
	w := build(t, text)
	settle(t, w)
	mark := w.Notes()
	reconfigured(t, w, strings.Replace(text, "metric 50", "metric 60", 1))
	runs := visited(w, mark)
	require.Len(t, runs, 4, "junction, upper, lower and mill: %v", runs)
	for name, n := range runs {
		require.Zero(t, n, "%s needs no shortest paths for it", name)
	}

	big := build(t, grid(10))
	settle(t, big)
	mark = big.Notes()
	dev, p := port(t, big, "r0.e1")
	big.Cut(dev, p)
	settle(t, big)
	for name, n := range visited(big, mark) {
		if strings.HasPrefix(name, "r9") {
			require.Less(t, n, uint64(20), "%s is far away, of 100 routers", name)
		}
	}
}
