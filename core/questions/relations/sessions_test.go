package relations_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/relations"
	"hellebore/core/questions/testlabs"
)

// TestSessionsBetweenTheSameRouters: two sessions of one pair are two rows, each
// with its own two ends.
func TestSessionsBetweenTheSameRouters(t *testing.T) {
	text := "router a\n  loopback lo 10.255.0.1/32\n  port e1 10.0.1.1/30\n  static 10.255.0.2/32 via 10.0.1.2\n  bgp as 64500\n    peer 10.0.1.2 as 64500\n    peer 10.255.0.2 as 64500\n      local-address lo\n" +
		"router b\n  loopback lo 10.255.0.2/32\n  port e1 10.0.1.2/30\n  static 10.255.0.1/32 via 10.0.1.1\n  bgp as 64500\n    peer 10.0.1.1 as 64500\n    peer 10.255.0.1 as 64500\n      local-address lo\nlink a.e1 b.e1\n"
	var rows []string
	for _, n := range relations.NeighboursOf(testlabs.Settled(t, text)) {
		require.True(t, n.Up)
		require.NotEmpty(t, n.Session.A.TCP)
		require.Len(t, n.Session.A.Capabilities, 3)
		rows = append(rows, n.A.Address+" "+n.B.Address)
	}
	require.ElementsMatch(t, []string{"10.0.1.1 10.0.1.2", "10.255.0.1 10.255.0.2"}, rows)
}
