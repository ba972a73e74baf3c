package capture_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/capture"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// TestBGPOnTheWire: the packets of a link between two speakers, decoded.
func TestBGPOnTheWire(t *testing.T) {
	h := history.New()
	s, err := h.Begin(history.Action{Kind: history.Apply, Text: demo.Text("planted-sessions")}, 0)
	require.NoError(t, err)
	require.NoError(t, h.Run(s, nil))
	w := h.Head()
	d := w.Find("viaduct")
	port, _ := d.Port("up")
	p, err := capture.PacketsOf(h, w, d.ID(), port, 0, w.Now(), nil, nil)
	require.NoError(t, err)
	says := map[string]string{}
	fields := map[string]string{}
	for _, x := range p.Packets {
		if x.Protocol != "BGP" {
			continue
		}
		if _, there := says[x.Kind]; !there {
			says[x.Kind] = x.Says
		}
		for _, l := range x.Layers {
			for _, f := range l.Fields {
				fields[l.Name+" "+f.Name] = f.Value
			}
		}
	}
	require.Contains(t, says["BGP OPEN"], "hold time 90 s")
	require.Equal(t, "keepalive", says["BGP KEEPALIVE"])
	require.Contains(t, says["BGP UPDATE"], "announces")
	require.Equal(t, "four-octet AS (65)", fields["BGP OPEN capability"])
	require.Contains(t, fields["BGP UPDATE NEXT_HOP"], "192.0.2.")
	// The one with the wrong AS number ends in a NOTIFICATION.
	d = w.Find("quarry")
	port, _ = d.Port("up")
	p, err = capture.PacketsOf(h, w, d.ID(), port, 0, w.Now(), []string{"BGP NOTIFICATION"}, nil)
	require.NoError(t, err)
	require.NotEmpty(t, p.Packets)
	require.Contains(t, p.Packets[0].Says, "OPEN message error: bad peer AS")
}
