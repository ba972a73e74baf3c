package network_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/network"
)

func TestTheInteriorCostIsTheOneOfNow(t *testing.T) { // RFC 4271 9.1.2.2 e
	w := build(t, corner(t, "bgp/igpcut"))
	settle(t, w)
	require.Equal(t, []string{"198.18.0.0/24 bgp 0 via 10.1.2.2 p2"}, lines(table(w, "r"), "198.18.0.0/24"))
	w.Cut(port(t, w, "m.p3"))
	settle(t, w)
	require.Equal(t, []string{"198.18.0.0/24 bgp 0 via 10.1.1.2 p1"}, lines(table(w, "r"), "198.18.0.0/24"), "11 against 5, behind the same first hop")

	w = build(t, corner(t, "bgp/igp"))
	settle(t, w)
	configure(t, w, corner(t, "bgp/igpc"))
	settle(t, w)
	fresh := build(t, corner(t, "bgp/igpc"))
	settle(t, fresh)
	require.Equal(t, table(fresh, "r"), table(w, "r"))
	require.Equal(t, []string{"198.18.0.0/24 bgp 0 via 10.1.1.2 p1"}, lines(table(w, "r"), "198.18.0.0/24"))
}

func TestARouteDoesNotResolveItsOwnNextHop(t *testing.T) { // RFC 4271 9.1.2.1
	w := build(t, corner(t, "bgp/flap"))
	require.Equal(t, network.Settled, w.Settle(50_000, nil))
	require.Empty(t, w.Check())
	require.Equal(t, []string{"0.0.0.0/0 bgp 0 via 10.1.2.2 c"}, lines(table(w, "a"), "0.0.0.0/0"))
}

func TestABGPRouteLeavesADeadPort(t *testing.T) { // RFC 4271 9.1.2.1
	for lab, c := range map[string]struct{ cut, before, after string }{
		"bgp/stale2": {"r.p3", "198.18.32.0/24 bgp 0 via 172.16.18.2 p3 via 172.16.19.2 p4", "198.18.32.0/24 bgp 0 via 172.16.12.1 p1 via 172.16.19.2 p4"}, // the default reaches the lost gateway
		"bgp/stale3": {"r.p1", "198.18.0.0/24 bgp 0 via 10.1.1.2 p1", "198.18.0.0/24 bgp 0 via 10.1.2.2 p2"},
	} {
		w := build(t, corner(t, lab))
		settle(t, w)
		require.Equal(t, []string{c.before}, lines(table(w, "r"), "198.18.0.0/24", "198.18.32.0/24"), lab)
		w.Cut(port(t, w, c.cut))
		settle(t, w)
		require.Equal(t, []string{c.after}, lines(table(w, "r"), "198.18.0.0/24", "198.18.32.0/24"), lab)
		w.Mend(port(t, w, c.cut))
		settle(t, w)
		require.Equal(t, []string{c.before}, lines(table(w, "r"), "198.18.0.0/24", "198.18.32.0/24"), lab)
	}
}
