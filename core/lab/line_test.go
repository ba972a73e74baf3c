package lab

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/why"
	"hellebore/demo"
)

// TestALineIsAnswered asks everything that a line can ask, of networks that are well and
// of some that are not.
func TestALineIsAnswered(t *testing.T) {
	well, sick, bgp := open(t, demo.Text("triangle-with-ospf")), open(t, demo.Text("five-faults")), open(t, demo.Text("two-carriers"))
	for _, c := range []struct {
		lab        *Lab
		line, says string
		good       bool
		rows       int
	}{
		{well, "ping kiosk booth", "all 5 answered", true, 5},
		{well, "  ping   kiosk 10.20.2.10 ", "all 5 answered", true, 5},
		{sick, "ping clerk miner", "none of 5 answered: ", false, 5},
		{well, "trace kiosk booth", "4 hops away", true, 4},
		{well, "path kiosk booth", "kiosk reaches booth over ", true, 0},
		{sick, "path clerk forester", "depot has no route to 10.1.10.10", false, 2},
		{well, "routes viaduct", "viaduct has ", true, 0},
		{well, "routes viaduct ospf", " ospf routes", true, 0},
		{well, "routes viaduct 10.20.0.0/16", "within 10.20.0.0/16", true, 2},
		{well, "neighbours viaduct", "viaduct has 2 neighbours, 2 up", true, 2},
		{sick, "neighbours depot", "depot has 3 neighbours, 1 up", false, 3},
		{well, "ports viaduct", "viaduct has 4 ports, 4 up", true, 4},
		{sick, "ports summit", ", 3 up", false, 4},
		{bgp, "path 198.51.100.0/25", "of BGP know 198.51.100.0/25", true, 0},
		{bgp, "path 198.51.100.8/30", "near it: 198.51.100", false, 0},
		{sick, "why is depot - tunnel not up", "", true, 0},
	} {
		s, err := c.lab.Say(c.lab.History().Now(), c.line, why.Focus{})
		require.NoError(t, err, c.line)
		require.Contains(t, s.Says, c.says, c.line)
		require.Equal(t, c.good, s.Good, "%s: %s %q", c.line, s.Says, s.Rows)
		if c.rows > 0 {
			require.Len(t, s.Rows, c.rows, c.line)
		}
		require.NotEmpty(t, s.View, c.line)
	}
	s, err := sick.Say(sick.History().Now(), "neighbours depot", why.Focus{})
	require.NoError(t, err)
	require.NotEmpty(t, s.Fixes)
	for line, says := range map[string]string{
		"":                       "write a question",
		"pong a b":               `"pong" is no question: write ping, trace, path, routes, neighbours, ports, why`,
		"ping kiosk":             "write ping FROM TO",
		"ping kiosk nobody":      `"nobody" is neither an IPv4 address nor the name of a device`,
		"path nowhere":           `"nowhere" is not a prefix`,
		"path":                   "write path FROM TO, or path PREFIX",
		"routes":                 "write routes ROUTER",
		"routes nobody":          "there is no device named nobody",
		"routes viaduct igrp":    "write connected, static, ospf, bgp or taken",
		"neighbours viaduct all": "write neighbours ROUTER",
	} {
		_, err := well.Say(well.History().Now(), line, why.Focus{})
		require.ErrorContains(t, err, says, line)
	}
}
