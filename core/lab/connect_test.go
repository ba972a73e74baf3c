package lab

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/traffic"
	"hellebore/demo"
)

// TestConnectionsToServices opens TCP connections through the network: to a
// service, to a port on which nobody listens, and where nobody can answer.
func TestConnectionsToServices(t *testing.T) {
	l := open(t, demo.Text("three-areas"))
	connect := func(from, to string, port uint16) traffic.ProbeResult {
		t.Helper()
		r, err := traffic.Probe(l.Fork(l.History().Now()), traffic.ProbeRequest{From: from, To: to, Port: port, Count: 2}, nil)
		require.NoError(t, err)
		return r
	}
	ok := connect("weaver", "web", 443)
	require.Equal(t, "all 2 answered", ok.Summary)
	require.Equal(t, "web takes the connection on port 443 (cloth orders)", ok.Replies[0].Answer)
	require.Equal(t, "web", ok.Replies[0].Device)
	require.InDelta(t, 0.022, *ok.Replies[1].RTT, 0.001, "there and back")
	var packets []string
	for _, s := range ok.Replies[1].Steps {
		if strings.HasPrefix(s.Did, "sent") {
			packets = append(packets, s.Device+" "+s.Packet)
		}
	}
	require.Equal(t, []string{"weaver TCP SYN", "web TCP SYN-ACK", "weaver TCP ACK"}, packets)

	refused := connect("weaver", "web", 80)
	require.Equal(t, "none of 2 answered: web answers, and nobody listens on its port 80", refused.Summary)
	require.Equal(t, "refused", refused.Replies[0].Answer)

	do(t, l, "cut junction.up")
	gone := connect("weaver", "web", 443)
	require.False(t, gone.Replies[0].OK)
	require.Contains(t, gone.Summary, "none of 2 answered: ")
	require.NotContains(t, gone.Summary, "nobody listens")

	do(t, l, "mend junction.up", "disable web")
	require.False(t, connect("miner", "web", 443).Replies[0].OK)
	_, err := traffic.Probe(l.Fork(l.History().Now()), traffic.ProbeRequest{From: "weaver", To: "weaver", Port: 443}, nil)
	require.ErrorContains(t, err, "it needs no network for that")
}
