package traffic_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/traffic"
)

func TestProbeRequestsThatCannotBe(t *testing.T) {
	w := testlabs.Settled(t, testlabs.Line)
	for want, r := range map[string]traffic.ProbeRequest{
		"there is no device named tower":                              {From: "tower", To: "desk"},
		`"desk7" is neither an IPv4 address nor the name of a device`: {From: "gate", To: "desk7"},
		"10.0.12.2 is not an address of mill":                         {From: "mill", Source: "10.0.12.2", To: "desk"},
		`"soon" is not an interval; write for example 1s or 200ms`:    {From: "gate", To: "desk", Every: "soon"},
		"the interval 90s is out of range: from 1ms to 60s":           {From: "gate", To: "desk", Every: "90s"},
	} {
		_, err := traffic.Probe(w.Clone(), r, nil)
		require.EqualError(t, err, want)
	}
}

func TestAProbeIsShownAsItGoesAndCanBeStopped(t *testing.T) {
	w := testlabs.Settled(t, testlabs.Line)
	before := w.Digest(true)
	var seen []int
	r, err := traffic.Probe(w.Clone(), traffic.ProbeRequest{From: "gate", To: "desk", Count: 50}, func(x traffic.Reply) bool {
		seen = append(seen, x.Seq)
		return x.Seq < 3
	})
	require.NoError(t, err)
	require.Equal(t, []int{1, 2, 3}, seen)
	require.Equal(t, "all 3 answered", r.Summary)
	require.Equal(t, before, w.Digest(true), "the lab itself does not notice")

	r, err = traffic.Probe(w.Clone(), traffic.ProbeRequest{From: "gate", To: "desk", Trace: true}, func(traffic.Reply) bool { return false })
	require.NoError(t, err)
	require.Equal(t, 1, r.Sent)
	require.Equal(t, "stopped after 1 hop", r.Summary)
}
