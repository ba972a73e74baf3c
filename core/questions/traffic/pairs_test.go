package traffic_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/traffic"
)

// ringOfThree is three routers in a ring whose far side is dear, so that for a time
// after a cut one of them sends back what it got: a loop.
const ringOfThree = `lab "Ring"
router mill
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port e1 10.0.12.1/30
    ospf area 0
  port e2 10.0.13.1/30
    ospf area 0
      cost 100
router halt
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 10.0.12.2/30
    ospf area 0
  port e2 10.0.23.1/30
    ospf area 0
router crane
  loopback lo 10.255.0.3/32
    ospf area 0 passive
  port e1 10.0.23.2/30
    ospf area 0
  port e2 10.0.13.2/30
    ospf area 0
      cost 100
link mill.e1 halt.e1 delay 20ms
link halt.e2 crane.e1 delay 20ms
link mill.e2 crane.e2 delay 20ms
flow coal mill -> crane
`

// TestATransientLoopIsFound cuts the link behind halt: halt turns to mill before
// mill has heard of it, and each sends the other the packets for crane.
func TestATransientLoopIsFound(t *testing.T) {
	h := testlabs.Acted(t, ringOfThree, "wait 60s", "cut halt.e2")
	s := h.Steps()[2]
	p := traffic.PairsOf(s, true, nil)
	require.Equal(t, 6, p.Of)
	require.NotEmpty(t, p.Loops)
	l := p.Loops[0]
	require.Equal(t, []string{"mill", "halt"}, l.Devices)
	require.Contains(t, l.Toward, "crane")
	require.Contains(t, l.Why, "halt computed its routes")
	require.NotNil(t, l.Until)

	// Slowly: at each change of forwarding, where the tables lead now.
	in := func(at event.Time) bool {
		w := s.Before.Clone()
		d := w.Find("halt")
		i, _ := d.Port("e2")
		w.Cut(d.ID(), i)
		w.RunUntil(at, 1e6)
		code := traffic.Walk(w, w.Find("mill").Main(), ip.AddrFrom(w.Find("crane").Config().Address())).Code
		return code == note.Loop.String()
	}
	from, until := event.Time(l.From*1e9+0.5), event.Time(*l.Until*1e9+0.5)
	require.False(t, in(from-1000))
	require.True(t, in(from+1000))
	require.True(t, in(until-1000))
	require.False(t, in(until+1000))
}

// TestPairsAreAsTheFlows holds what happens to a pair against the flow between
// the same devices.
func TestPairsAreAsTheFlows(t *testing.T) {
	for _, action := range []string{"cut halt.e2", "silence mill.e1", "disable halt", "cut mill.e2"} {
		h := testlabs.Acted(t, ringOfThree, "wait 60s", action)
		s := h.Steps()[2]
		p := traffic.PairsOf(s, true, nil)
		flow := traffic.OutagesOf(s, true, nil)[0]
		var outages []traffic.Outage
		for _, x := range p.Out {
			if x.From == "mill" && x.To == "crane" {
				outages = x.Outages
				require.NotEmpty(t, x.Where)
			}
			require.Positive(t, x.Seconds)
		}
		require.Equal(t, len(flow.Outages), len(outages), action)
		for i := range outages {
			if of := flow.Outages[i]; of.To != nil { // a pair sends nothing by itself
				require.InDelta(t, (*of.To-of.From)/0.1, of.Packets, 1, "a flow sends every 100 ms")
				outages[i].Packets = of.Packets
			}
			require.Equal(t, flow.Outages[i], outages[i])
		}
		require.Equal(t, p.Total, len(p.Out))
	}
}
