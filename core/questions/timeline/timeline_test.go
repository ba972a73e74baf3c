package timeline_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/traffic"
)

func TestTimelineOfAnAction(t *testing.T) {
	h := testlabs.Acted(t, testlabs.Line, "silence mill.e1", "mend mill.e1")
	s := h.Steps()[1]
	flows := traffic.OutagesOf(s, false, nil)
	require.Len(t, flows[0].Outages, 1)
	o := flows[0].Outages[0]
	require.InDelta(t, float64(s.Start)/1e9, o.From, 0.003)
	require.Contains(t, o.Cause, "packets are lost on the link")
	require.Equal(t, []string{"packets are lost on the link", "mill has no route to 10.20.2.10"}, o.Causes)

	a := timeline.DetailOf(s, flows, nil, timeline.All(s))
	require.Equal(t, "settled", a.Outcome)
	require.Equal(t, 2, a.Routers)
	require.Contains(t, a.Summary, "1 flow out since")
	require.Greater(t, *a.Convergence, 29.0, "the dead interval decides")

	idle := testlabs.Acted(t, testlabs.Line, "wait 60s").Steps()[1]
	quiet := timeline.ActionOf(idle, traffic.OutagesOf(idle, true, nil), nil)
	require.Nil(t, quiet.Convergence)
	require.Equal(t, "no forwarding change", quiet.Summary)
}
