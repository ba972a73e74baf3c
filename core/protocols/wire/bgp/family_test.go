package bgp

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestFamiliesComeBack(t *testing.T) {
	for f, words := range map[Family]string{IPv4Unicast: "IPv4 unicast", {AFI: 2, SAFI: 128}: "AFI 2, SAFI 128"} {
		got, ok := ReadFamily(f.Append(nil))
		require.True(t, ok)
		require.Equal(t, f, got)
		require.Equal(t, words, f.String())
	}
	_, ok := ReadFamily([]byte{0, 1, 0})
	require.False(t, ok)
}

// TestWhoSaysNothingOfFamiliesTakesIPv4Unicast is RFC 4760 8.
func TestWhoSaysNothingOfFamiliesTakesIPv4Unicast(t *testing.T) {
	other := Family{AFI: 2, SAFI: 1}
	silent := Open{Caps: []Capability{{Code: CapRouteRefresh}}}
	require.True(t, silent.Takes(IPv4Unicast))
	require.False(t, silent.Takes(other))
	only := Open{Caps: []Capability{other.Capability()}}
	require.False(t, only.Takes(IPv4Unicast))
	require.True(t, only.Takes(other))
	both := Open{Caps: []Capability{other.Capability(), IPv4Unicast.Capability()}}
	require.True(t, both.Takes(IPv4Unicast))
}
