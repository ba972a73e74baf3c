package tables_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/tables"
	"hellebore/core/questions/testlabs"
)

// warned are the texts of a lab's warnings in a state of rest, with what they name.
func warned(t *testing.T, text string) []string {
	t.Helper()
	out := []string{}
	for _, w := range tables.StateWarnings(testlabs.Settled(t, text)) {
		out = append(out, strings.TrimSpace(w.Weight+": "+w.Text+" "+strings.Join(w.Prefixes, " ")))
	}
	return out
}

func TestWarningsOfARunningNetwork(t *testing.T) {
	edit := func(pairs ...string) string { return strings.NewReplacer(pairs...).Replace(testlabs.Rail) }
	// A way between ford and weir that does not lead through us.
	outside := func(pairs ...string) string {
		return edit(append(pairs, "  bgp as 64496\n", "  port x2 192.0.2.9/30\n  bgp as 64496\n    peer 192.0.2.10 as 64497\n",
			"  bgp as 64497\n", "  port x2 192.0.2.10/30\n  bgp as 64497\n    peer 192.0.2.9 as 64496\n",
			"link halt.x1 weir.x1\n", "link halt.x1 weir.x1\nlink ford.x2 weir.x2\n")...)
	}
	for name, c := range map[string]struct {
		text string
		want []string
	}{
		"nothing amiss": {testlabs.Rail, []string{}},
		"originated, and not there": {edit("originate 198.51.100.0/24", "originate 198.51.100.0/25"),
			[]string{"warning: ford originates 198.51.100.0/25, and its table has no route for exactly that: nothing is announced 198.51.100.0/25"}},
		"advertised, and dropped here": {edit("  port x1 192.0.2.5/30\n", "  port x1 192.0.2.5/30\n  static 198.51.100.0/24 blackhole\n"),
			[]string{"warning: halt advertises 1 prefix that it learned by BGP, and drops the packets: its table uses a static blackhole route 198.51.100.0/24"}},
		"injected without a policy": {edit("  bgp as 64497\n", "  bgp as 64497\n    inject connected\n"),
			[]string{"warning: weir injects 1 connected route into BGP without a policy 192.0.2.4/30"}},
		"a transit": {outside(), []string{"warning: AS 64500 is a transit between AS 64496 and AS 64497: halt sends what it has from the one to the other 198.51.100.0/24"}},
		"held back by one policy": {outside("    peer 192.0.2.6 as 64497\n", "    peer 192.0.2.6 as 64497\n      export-policy ours\n") +
			"prefix-set ours\n  203.0.113.0/24\npolicy ours\n  statement own\n    where prefix in ours\n    accept\n",
			[]string{"notice: only the export policy ours keeps halt from sending AS 64497 what it has from AS 64496 198.51.100.0/24",
				"warning: policy ours matches none of the 1 routes that it is asked about"}},
		"a statement for nothing": {edit("  statement all\n", "  statement never\n    where med = 9\n    accept\n  statement all\n"),
			[]string{"notice: policy out: never matches no route"}},
	} {
		t.Run(name, func(t *testing.T) { require.Equal(t, c.want, warned(t, c.text)) })
	}
}
