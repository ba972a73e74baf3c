package network_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/ospf"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// roles are the states of the yard's ports by device: "DR", "Backup" ...
func roles(w *network.World) map[string]string {
	out := map[string]string{}
	for _, d := range w.Devices() {
		if i, ok := d.Port("yard"); ok {
			out[d.Name()] = d.Main().OSPF().Port(i).State.String()
		}
	}
	return out
}

// neighbourStates are what a device sees on its yard port, by router ID.
func neighbourStates(w *network.World, name string) map[string]string {
	d := w.Find(name)
	i, _ := d.Port("yard")
	out := map[string]string{}
	d.Main().OSPF().Neighbours(i, func(n ospf.NeighbourView) { out[n.RouterID.String()] = n.State.String() })
	return out
}

func networkLSAs(w *network.World, name string) (list []string) {
	d := w.Find(name)
	d.Main().OSPF().Database(d.Main(), func(v ospf.LSAView) {
		if v.Header.Key.Type == wire.NetworkLSA {
			list = append(list, fmt.Sprintf("%v by %v with %d", v.Header.Key.ID, v.Header.Key.Router, len(v.Body.Network.Routers)))
		}
	})
	return list
}

func TestElectionByPriority(t *testing.T) { // RFC 2328 9.4
	w := build(t, demo.Text("station-yard"))
	settle(t, w)
	require.Equal(t, map[string]string{"signal-box": "DR", "depot": "Backup", "workshop": "DR Other", "turntable": "DR Other"}, roles(w))
	require.Equal(t, map[string]string{"10.255.2.1": "Full", "10.255.2.2": "Full", "10.255.2.3": "2-Way"}, neighbourStates(w, "turntable"),
		"only the right adjacencies go beyond 2-Way")
	require.Equal(t, []string{"10.2.0.1 by 10.255.2.1 with 4"}, networkLSAs(w, "workshop"))
}

func TestABackupTakesOverAndKeepsThePlace(t *testing.T) {
	w := build(t, demo.Text("station-yard"))
	settle(t, w)
	dev, p := port(t, w, "signal-box.yard")
	w.Cut(dev, p)
	settle(t, w)
	require.Equal(t, map[string]string{"signal-box": "Down", "depot": "DR", "workshop": "DR Other", "turntable": "Backup"}, roles(w))
	require.Equal(t, []string{"10.2.0.1 by 10.255.2.1 with 4", "10.2.0.2 by 10.255.2.2 with 3"}, networkLSAs(w, "workshop"),
		"who is cut off cannot flush its network LSA: it stays until it ages, and nobody links to it")
	require.NotContains(t, table(w, "workshop"), "10.255.2.1/32")
	w.Mend(dev, p)
	settle(t, w)
	require.Equal(t, map[string]string{"signal-box": "DR Other", "depot": "DR", "workshop": "DR Other", "turntable": "Backup"}, roles(w),
		"nobody gives way to a higher priority that comes later")
	require.Equal(t, []string{"10.2.0.2 by 10.255.2.2 with 4"}, networkLSAs(w, "signal-box"), "the DR that lost its role has flushed its network LSA")
}

func TestNobodyIsElectedWherePriorityIsZero(t *testing.T) {
	text := strings.NewReplacer("priority 20", "priority 0", "priority 10", "priority 0",
		"port yard 10.2.0.4/24\n    ospf area 0", "port yard 10.2.0.4/24\n    ospf area 0\n      priority 0").Replace(demo.Text("station-yard"))
	w := build(t, text)
	settle(t, w)
	for name, role := range roles(w) {
		require.Equal(t, "DR Other", role, name)
	}
	require.Empty(t, networkLSAs(w, "depot"))
}

func TestAPriorityChangesNothingUntilTheNextElection(t *testing.T) {
	text := demo.Text("station-yard")
	w := build(t, text)
	settle(t, w)
	before := roles(w)
	reconfigured(t, w, strings.Replace(text, "priority 10", "priority 200", 1))
	require.Equal(t, before, roles(w))
	// A DR that may not be one any more gives up its place.
	reconfigured(t, w, strings.Replace(text, "priority 20", "priority 0", 1))
	require.Equal(t, "DR Other", roles(w)["signal-box"])
	require.Equal(t, "DR", roles(w)["depot"])
	require.Equal(t, []string{"10.2.0.2 by 10.255.2.2 with 4"}, networkLSAs(w, "turntable"))
}

func reconfigured(t *testing.T, w *network.World, text string) {
	t.Helper()
	r := labtext.Parse(text)
	require.True(t, r.OK(), "%v", r.Problems)
	w.Configure(&r.Lab)
	settle(t, w)
}

// TestTwoHalvesOfASegmentHeal silences two routers towards the others until both
// halves have a DR of their own, then mends it.
func TestTwoHalvesOfASegmentHeal(t *testing.T) {
	w := build(t, demo.Text("station-yard"))
	settle(t, w)
	dev, p := port(t, w, "signal-box.yard")
	w.Silence(dev, p, network.Both)
	settle(t, w)
	require.Equal(t, "DR", roles(w)["signal-box"], "alone, it still is")
	require.Equal(t, "DR", roles(w)["depot"])
	w.Mend(dev, p)
	settle(t, w)
	drs := 0
	for _, r := range roles(w) {
		if r == "DR" {
			drs++
		}
	}
	require.Equal(t, 1, drs, "%v", roles(w))
	require.Len(t, networkLSAs(w, "workshop"), 1, "the DR that lost its role has flushed its network LSA")
	require.Equal(t, table(settledYard(t), "workshop"), table(w, "workshop"))
}

func settledYard(t *testing.T) *network.World {
	w := build(t, demo.Text("station-yard"))
	settle(t, w)
	return w
}

// TestARouterThatComesLaterIsDROther restarts one: it waits, hears who is DR,
// and takes part at once (BackupSeen).
func TestARouterThatComesLaterIsDROther(t *testing.T) {
	w := settledYard(t)
	box := w.Find("turntable").ID()
	w.ForceDevice(box, config.ForceDisabled)
	settle(t, w)
	start := w.Now()
	w.ForceDevice(box, config.ForceEnabled)
	w.RunUntil(start+event.Millisecond, bound)
	require.Equal(t, "Waiting", roles(w)["turntable"])
	w.RunUntil(start+15*event.Second, bound)
	require.Equal(t, "DR Other", roles(w)["turntable"], "it need not wait a dead interval")
	settle(t, w)
	require.Equal(t, "DR", roles(w)["signal-box"])
	require.Equal(t, table(settledYard(t), "turntable"), table(w, "turntable"))
}

// TestAPortLeavesASegmentAndComesBack parts the DR from the segment, and joins it
// again: it finds another DR and does not take its place (RFC 2328 9.4).
func TestAPortLeavesASegmentAndComesBack(t *testing.T) {
	w := settledYard(t)
	dev, p := port(t, w, "signal-box.yard")
	require.True(t, w.Part(dev, p))
	require.False(t, w.Part(dev, p), "it is on no segment any more")
	settle(t, w)
	require.Equal(t, "Down", roles(w)["signal-box"])
	require.Equal(t, "DR", roles(w)["depot"])
	require.Len(t, neighbourStates(w, "depot"), 2)

	// A text that says nothing new of the port leaves it where it is.
	reconfigured(t, w, strings.Replace(demo.Text("station-yard"), "priority 10", "priority 11", 1))
	require.Equal(t, "Down", roles(w)["signal-box"])

	require.True(t, w.JoinSegment(dev, p, w.Segment("yard")))
	require.False(t, w.JoinSegment(dev, p, w.Segment("yard")), "it is on it already")
	settle(t, w)
	require.Equal(t, "DR", roles(w)["depot"])
	require.Equal(t, "DR Other", roles(w)["signal-box"])
	require.Equal(t, table(settledYard(t), "signal-box"), table(w, "signal-box"))
}

// TestAPortMovesToAnotherSegment has a router join a segment that the text does
// not put it on, until the text says otherwise.
func TestAPortMovesToAnotherSegment(t *testing.T) {
	text := "router a\n  port e1 10.0.0.1/24\n    ospf area 0\nrouter b\n  port e1 10.0.0.2/24\n    ospf area 0\n" +
		"router c\n  port e1 10.0.0.3/24\n    ospf area 0\n"
	w := build(t, text+"segment one a.e1 b.e1\nsegment two c.e1\n")
	settle(t, w)
	dev, p := port(t, w, "b.e1")
	w.Part(dev, p)
	require.True(t, w.JoinSegment(dev, p, w.Segment("two")))
	settle(t, w)
	require.Equal(t, map[string]string{"e1": "Full"}, states(w, "c"))
	require.Empty(t, states(w, "a"))
	c := w.Clone()
	reconfigured(t, c, text+"segment one a.e1\nsegment two b.e1 c.e1\n")
	require.Equal(t, map[string]string{"e1": "Full"}, states(c, "c"))
	reconfigured(t, w, text+"segment one a.e1 b.e1\nsegment three c.e1\n")
	require.Equal(t, map[string]string{"e1": "Full"}, states(w, "a"), "its segment is gone: it is where the text has it")
}

// TestMixedTypesFormAnAdjacencyWithoutRoutes has one end of a link take it for a
// segment: Full, and yet no route.
func TestMixedTypesFormAnAdjacencyWithoutRoutes(t *testing.T) {
	w := build(t, strings.Replace(demo.Text("triangle-with-ospf"), "port e2 10.0.13.1/30\n    ospf area 0", "port e2 10.0.13.1/30\n    ospf area 0\n      type broadcast", 1))
	require.Equal(t, network.Settled, w.Settle(bound, nil))
	require.Contains(t, table(w, "viaduct"), "10.20.2.0/24 ospf 110 via 10.0.12.2 e1")
}

// TestBroadcastOnALinkWorksLikeASegmentOfTwo sets the type on both ends.
func TestBroadcastOnALinkWorksLikeASegmentOfTwo(t *testing.T) {
	text := demo.Text("triangle-with-ospf")
	w := build(t, strings.NewReplacer("port e2 10.0.13.1/30\n    ospf area 0", "port e2 10.0.13.1/30\n    ospf area 0\n      type broadcast",
		"port e1 10.0.13.2/30\n    ospf area 0", "port e1 10.0.13.2/30\n    ospf area 0\n      type broadcast").Replace(text))
	settle(t, w)
	plain := build(t, text)
	settle(t, plain)
	require.Equal(t, table(plain, "viaduct"), table(w, "viaduct"))
	require.Equal(t, table(plain, "summit"), table(w, "summit"))
}

// TestLossChangesNothingButTime loses up to a fifth of all packets between the
// routers of the areas, has others overtaken or come twice, and all of that at
// once: the tables come out the same.
func TestLossChangesNothingButTime(t *testing.T) {
	text := demo.Text("three-areas")
	sound := build(t, text)
	settle(t, sound)
	for _, fault := range []string{"loss 5%", "loss 20%", "reorder 30%", "duplicate 30%", "loss 20% reorder 20% duplicate 20%"} {
		lossy := text
		for _, link := range []string{"link junction.e1 upper.e1", "link junction.e2 lower.e1", "link upper.e2 lower.e2", "link upper.e3 mill.e1", "link lower.e3 mill.e2", "link lower.e4 mine.e1",
			"link upper.e4 boathouse.e1", "link lower.e5 boathouse.e2"} {
			lossy = strings.Replace(lossy, link, link+" "+fault, 1)
		}
		for seed := range 5 {
			w := build(t, strings.Replace(lossy, "seed 5", fmt.Sprintf("seed %d", 100+seed), 1))
			w.RunUntil(20*60*event.Second, bound)
			reconfigured(t, w, strings.Replace(text, "seed 5", fmt.Sprintf("seed %d", 100+seed), 1))
			for _, name := range []string{"junction", "upper", "lower", "mill", "mine", "boathouse"} {
				require.Equal(t, table(sound, name), table(w, name), "%s with %s, seed %d", name, fault, seed)
			}
		}
	}
}

// TestASegmentOfTwoMindsSettles has a router in another area than the two others
// on a segment: each hears one whom it takes and one whom it refuses, in turns.
func TestASegmentOfTwoMindsSettles(t *testing.T) {
	var text strings.Builder
	text.WriteString("segment yard a.yard b.yard c.yard\n")
	for i, name := range []string{"a", "b", "c"} {
		area := 0
		if name == "c" {
			area = 10
		}
		text.WriteString(fmt.Sprintf("router %s\n  port yard 10.7.0.%d/24\n    ospf area %d\n", name, i+1, area))
	}
	r := labtext.Parse(text.String())
	require.True(t, r.OK(), "%v", r.Problems)
	w := network.New()
	w.Configure(&r.Lab)
	require.Equal(t, network.Settled, w.Settle(1e5, nil))
	require.Empty(t, w.Check())
	d := w.Find("c")
	i, _ := d.Port("yard")
	require.Len(t, d.Main().OSPF().Port(i).Refusals, 2, "one a source")
	require.Less(t, w.Calm().LastChange(), 90*event.Second)
}
