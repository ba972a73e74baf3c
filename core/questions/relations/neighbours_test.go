package relations_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/topology"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// TestAllReasonsOfARow puts four disagreements on one link: what the devices
// observe comes first, what would be in the way next comes after, marked so.
func TestAllReasonsOfARow(t *testing.T) {
	text := strings.Replace(testlabs.Line, testlabs.MillPort, "port e1 10.0.12.1/29\n    ospf area 1\n      hello-interval 5s\n", 1)
	rows := relations.NeighboursOf(testlabs.Settled(t, text))
	require.Len(t, rows, 1)
	n := rows[0]
	require.False(t, n.Up)
	require.Equal(t, "halt", n.A.Device, "the ends stand in the order of their names")
	var got []string
	for _, r := range n.Reasons {
		got = append(got, strings.Join([]string{r.Source, r.Code, r.Mine, r.Theirs, r.By, r.Remedy}, "|"))
	}
	require.Equal(t, []string{
		"observed|area|0|1|halt.e1 and mill.e1|set area 1 on halt.e1, or area 0 on mill.e1",
		"foreseen|subnet|10.0.12.2/30|10.0.12.1/29||put both ports in one subnet",
		"foreseen|hello-interval|10s|5s||set hello-interval 5s on halt.e1",
		"foreseen|dead-interval|40s|20s||set dead-interval 20s on halt.e1",
	}, got)
	require.EqualValues(t, 5, n.Reasons[0].Count, "the hellos of both ends, refused until the lab settled")
}

func TestNeighboursThatAreUp(t *testing.T) {
	w := testlabs.Settled(t, testlabs.Line)
	n := relations.NeighboursOf(w)[0]
	require.True(t, n.Up)
	require.Empty(t, n.Reasons)
	require.Equal(t, "Full", n.A.State)
	require.Equal(t, "10.255.0.2", n.A.RouterID)
	require.Equal(t, "10.0.12.2/30", n.A.Address)
	require.Greater(t, *n.A.DeadIn, 0.0)
	require.LessOrEqual(t, *n.A.DeadIn, 40.0)
	require.Greater(t, n.Since, 0.0)
	// Ports that face nobody but hosts, or each other's passive side, make no row.
	quiet := testlabs.Settled(t, strings.NewReplacer(testlabs.MillPort, "port e1 10.0.12.1/30\n    ospf area 0 passive\n",
		testlabs.HaltPort, "port e1 10.0.12.2/30\n    ospf area 0 passive\n").Replace(testlabs.Line))
	require.Empty(t, relations.NeighboursOf(quiet))
}

func TestSilenceOneWayIsSaidOfTheRightEnd(t *testing.T) {
	w := testlabs.Settled(t, testlabs.Line)
	w.Silence(0, 1, network.Out)
	w.Settle(1e6, nil)
	n := relations.NeighboursOf(w)[0]
	var texts []string
	for _, r := range n.Reasons {
		texts = append(texts, r.Source+": "+r.Text)
	}
	require.Equal(t, []string{
		"observed: the other end is heard, but does not list us: it does not hear us",
		"observed: no hello is heard from the other end",
		"fault: packets from mill.e1 are lost on the link",
	}, texts)
	m := topology.MapOf(w)
	require.True(t, m.Links[0].Ends[0].Silent)
	require.False(t, m.Links[0].Ends[1].Silent)
}

// A router may be called as an absent end is shown.
func TestARouterCalledNobody(t *testing.T) {
	const text = "router nobody\n  port e1 10.0.0.1/30\n    ospf area 0\n  port none 10.9.0.1/30\nrouter mill\n  port e1 10.0.0.5/30\n    ospf area 0\n  bgp as 64500\n    peer 10.9.9.9 as 64501\n"
	for _, n := range relations.NeighboursOf(testlabs.Settled(t, text)) {
		require.True(t, n.B.Absent)
		require.Equal(t, "nobody", n.B.Name())
		require.Empty(t, n.B.Device+n.B.Port)
		require.False(t, n.A.Absent)
	}
}

// TestSinceWhenItIsDown silences a link: the adjacency is Down since the dead interval
// ran out, not since the port came up.
func TestSinceWhenItIsDown(t *testing.T) {
	h := testlabs.Acted(t, testlabs.Line, "silence mill.e1")
	cut := h.Steps()[1].Start.Seconds()
	n := relations.NeighboursOf(h.Head())[0]
	require.Equal(t, "Down", n.State)
	require.InDelta(t, cut+35, n.Since, 6, "the last hello came at most 10 s before, and is good for 40 s")
	require.GreaterOrEqual(t, n.A.Since, n.Since)
	require.GreaterOrEqual(t, n.B.Since, n.Since)

	h = testlabs.Acted(t, testlabs.Line, "cut mill.e1")
	n = relations.NeighboursOf(h.Head())[0]
	require.InDelta(t, h.Steps()[1].Start.Seconds(), n.Since, 1e-9)
	never := strings.Replace(testlabs.Line, testlabs.MillPort, "port e1 10.0.12.1/30\n    ospf area 1\n", 1)
	require.Zero(t, relations.NeighboursOf(testlabs.Settled(t, never))[0].Since)
}

// TestTheRowsBetweenTwoAreThoseOfAll asks about each two devices and instances of many labs, some things of which failed.
func TestTheRowsBetweenTwoAreThoseOfAll(t *testing.T) {
	var texts []string
	for _, l := range demo.Labs() {
		texts = append(texts, l.Text)
	}
	for n := range 20 {
		texts = append(texts, testlabs.Random(rand.New(rand.NewPCG(uint64(n), 8))))
	}
	rows := 0
	for n, text := range texts {
		w := testlabs.Settled(t, text)
		r := rand.New(rand.NewPCG(uint64(n), 9))
		d := w.Devices()[r.IntN(len(w.Devices()))]
		w.Cut(d.ID(), uint32(r.IntN(len(d.Ports()))))
		w.RunUntil(w.Now()+60*event.Second, 1e7)
		names := []string{"nobody"}
		for _, inst := range facts.AllInstances(w) {
			names = append(names, inst.Ref())
		}
		all := relations.NeighboursOf(w)
		for _, a := range names {
			for _, b := range names {
				var want []relations.Neighbour
				for _, x := range all {
					if x.A.Is(a) && x.B.Is(b) || x.A.Is(b) && x.B.Is(a) {
						want = append(want, x)
					}
				}
				got := relations.Between(w, a, b)
				require.Len(t, got, len(want), "lab %d: %s and %s", n, a, b)
				for i := range want {
					require.Equal(t, want[i], got[i], "lab %d: %s and %s", n, a, b)
				}
				rows += len(want)
			}
		}
	}
	require.Greater(t, rows, 500)
}
