package traffic_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/traffic"
)

func TestPathsToPrefixesAndAddresses(t *testing.T) {
	w := testlabs.Settled(t, testlabs.Line)
	for to, want := range map[string]string{
		"desk":         "gate mill halt desk",
		"10.20.2.0/24": "gate mill halt",
		"10.255.0.2":   "gate mill halt",
		"10.0.12.0/30": "gate mill",
	} {
		p, err := traffic.FlowBetween(w, "gate", to)
		require.NoError(t, err)
		require.True(t, p.Arrives, "%s: %s", to, p.Reason)
		var way []string
		for _, h := range p.Hops {
			way = append(way, h.Device)
		}
		require.Equal(t, want, strings.Join(way, " "), to)
	}
	for ask, want := range map[[2]string]string{
		{"tower", "desk"}:  "there is no device named tower",
		{"gate", "tower"}:  `"tower" is neither an IPv4 address nor the name of a device`,
		{"gate", "fe80::"}: `"fe80::" is neither an IPv4 address nor the name of a device`,
	} {
		_, err := traffic.FlowBetween(w, ask[0], ask[1])
		require.EqualError(t, err, want)
	}
}
