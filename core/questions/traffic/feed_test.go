package traffic_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/traffic"
)

// TestNetworksBeyondTheLabAnswer asks for addresses of a feed, of prefixes that are announced and of those that are withdrawn:
// what is computed is what packets come to.
func TestNetworksBeyondTheLabAnswer(t *testing.T) {
	h := testlabs.Acted(t, testlabs.Fed("feed 400 within 10.64.0.0/10"), "withdraw 50% on carrier")
	all := h.Steps()[0].After
	arrive, lost := 0, 0
	table := all.Find("inner").Main().Table()
	table.EachUsed(func(id uint32) {
		if s, _ := table.Best(id); s != route.BGP || (arrive+lost)%4 == 3 && id%3 != 0 {
			return
		}
		address := ip.V4(all.Shared().Prefixes.Prefix(id).Addr.Quad() + 3)
		to := address.String()
		w := h.Head().Clone()
		p := traffic.Walk(w, w.Find("inner").Main(), address)
		r, err := traffic.Probe(w, traffic.ProbeRequest{From: "inner", Source: "10.255.0.2", To: to, Trace: true}, nil)
		require.NoError(t, err)
		last := r.Replies[len(r.Replies)-1]
		require.Equal(t, p.Arrives, last.OK, "%s: %+v, %+v", to, p, r)
		if p.Arrives {
			require.Len(t, p.Hops, 3)
			require.Equal(t, "carrier", p.Hops[2].Device)
			require.Equal(t, to, last.By)
			arrive++
		} else {
			lost++
		}
		// Before the action all of them answered.
		require.True(t, traffic.Walk(all, all.Find("inner").Main(), address).Arrives, to)
	})
	require.Greater(t, arrive, 40)
	require.Greater(t, lost, 40)
}
