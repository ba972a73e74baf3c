package lab

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// rewritten is a step of a solution: a text changed in places, old and new in turn.
type rewritten []string

// solutions are what a reader could do about each demo's tasks: actions as they are typed,
// and changes of the text.
var solutions = map[string][]any{
	"ten-minutes": {
		rewritten{"  loopback lo 10.255.0.3/32\n", "  loopback lo 10.255.0.3/32\n    ospf area 0 passive\n  port e1 10.0.0.2/30\n    ospf area 0\n  port e2 10.0.0.6/30\n    ospf area 0\n",
			"  port e1 10.0.12.1/30\n    ospf area 0\n", "  port e1 10.0.12.1/30\n    ospf area 0\n  port e2 10.0.0.1/30\n    ospf area 0\n",
			"  port e2 10.0.24.1/30\n    ospf area 0\n", "  port e2 10.0.24.1/30\n    ospf area 0\n  port e3 10.0.0.5/30\n    ospf area 0\n",
			"segment hall", "link viaduct.e2 quarry.e1\nlink quarry.e2 summit.e3\nsegment hall"},
		"cut viaduct.e1", "mend viaduct.e1",
		rewritten{"      hello-interval 5s\n", "", "  port e1 10.0.12.1/30\n    ospf area 0\n", "  port e1 10.0.12.1/30\n    ospf area 0\n      cost 100\n"}},
	"first-triangle": {rewritten{
		"e1 10.0.12.1/30 bandwidth 100M\n", "e1 10.0.12.1/30 bandwidth 100M\n    ospf area 0\n", "e2 10.0.13.1/30\n", "e2 10.0.13.1/30\n    ospf area 0\n",
		"e1 10.0.12.2/30 bandwidth 100M\n", "e1 10.0.12.2/30 bandwidth 100M\n    ospf area 0\n", "e2 10.0.23.1/30\n", "e2 10.0.23.1/30\n    ospf area 0\n",
		"e1 10.0.13.2/30\n", "e1 10.0.13.2/30\n    ospf area 0\n", "e2 10.0.23.2/30\n", "e2 10.0.23.2/30\n    ospf area 0\n",
		"lan 10.20.1.1/24\n", "lan 10.20.1.1/24\n    ospf area 0 passive\n", "lan 10.20.2.1/24\n", "lan 10.20.2.1/24\n    ospf area 0 passive\n"}},
	"triangle-with-ospf": {"cut viaduct.e2", "mend viaduct.e2", "silence viaduct.e2", "mend viaduct.e2",
		rewritten{"router viaduct", "defaults\n  hello-interval 1s\n  dead-interval 4s\n\nrouter viaduct"}},
	"planted-faults": {rewritten{
		"    ospf area 1\n      hello-interval 5s\n", "    ospf area 0\n", "      dead-interval 30s\n", "", "10.1.3.2/29", "10.1.3.2/30",
		"10.1.4.2/30\n    ospf area 0 passive", "10.1.4.2/30\n    ospf area 0", "10.1.5.2/30\n", "10.1.5.2/30\n    ospf area 0\n", "10.1.6.2/30 disabled", "10.1.6.2/30"}},
	"five-faults": {rewritten{
		"    area 0\n      range", "    area 1\n      range", "10.1.62.2/30\n    ospf area 2", "10.1.62.2/30\n    ospf area 1",
		"10.0.62.2/30\n    ospf area 0 passive", "10.0.62.2/30\n    ospf area 0", "10.0.63.2/30 disabled", "10.0.63.2/30",
		"10.20.63.1/24\n", "10.20.63.1/24\n    ospf area 0 passive\n"}},
	"station-yard": {"cut signal-box.yard", "mend signal-box.yard"},
	"three-areas": {"cut upper.e3", "mend upper.e3", rewritten{
		"    area 3\n      nssa\n        summary 172.20.0.0/16\n", "    area 3\n      range 10.3.0.0/16\n      nssa\n        summary 172.20.0.0/16\n"}},
	"beyond-the-pass": {"cut saddle.e1", "mend saddle.e1", rewritten{
		"  port e2 10.1.1.1/30\n    ospf area 1\n", "  port e2 10.1.1.1/30\n    ospf area 1\n      cost 90\n"}},
	"shared-cable": {rewritten{
		"    vlan 20 10.0.20.1/30\n      ospf area 1\n", "    vlan 20 10.0.20.1/30\n      ospf area 1\n    vlan 30 10.0.30.1/30\n      ospf area 0\n",
		"    vlan 20 10.0.20.2/30\n      ospf area 1\n", "    vlan 20 10.0.20.2/30\n      ospf area 1\n    vlan 30 10.0.30.2/30\n      ospf area 0\n"},
		"cut cabin.e1", "mend cabin.e1"},
	"guarded-line": {rewritten{"    ospf area 0\n      keys larch\n  port e2 10.5.2.1", "    ospf area 0\n      keys ticket\n  port e2 10.5.2.1"},
		rewritten{"    ospf area 0\n      keys ticket\n  port e2 10.5.2.1", "    ospf area 0\n      keys larch\n  port e2 10.5.2.1"}},
	"two-carriers": {"cut viaduct.up", "mend viaduct.up", rewritten{"local-preference 80", "local-preference 250"}},
	"planted-sessions": {rewritten{
		"as 64499", "as 64497", "    originate 10.64.8.0/24\n", "    originate 10.64.8.0/24\n    peer 10.64.0.1 as 64500\n      import-policy everything\n      export-policy everything\n",
		"      local-address lo\n    peer 10.255.0.2", "      local-address lo\n      next-hop-self\n    peer 10.255.0.2",
		"static 10.20.2.0/25", "static 10.20.0.0/16", "    inject connected\n", ""}},
	"two-reflectors": {rewritten{"      local-address lo\n    peer 10.255.0.1 group reflectors\n    peer 10.255.0.2 group reflectors\n    peer 192.0.2.6",
		"      local-address lo\n      next-hop-self\n    peer 10.255.0.1 group reflectors\n    peer 10.255.0.2 group reflectors\n    peer 192.0.2.6"}},
	"two-islands": {rewritten{"      description \"larches\"\n      import-policy everything\n      export-policy everything", "      description \"larches\"\n      import-policy everything\n      export-policy one-as"}},
	"ferry-and-mail": {rewritten{"  10.20.2.0/24\n  10.72.0.0/16 length 20..24\n", "  10.20.2.0/24\n",
		"  static 10.72.8.0/24 blackhole\n", "  static 10.72.8.0/24 blackhole\n  static 10.72.16.0/22 blackhole\n"}},
	"one-bridge": {
		rewritten{"  port e2 10.0.2.1/30\n    ospf area 0\n", "  port e2 10.0.2.1/30\n    ospf area 0\n  port e3 10.0.6.1/30\n    ospf area 0\n",
			"  port e2 10.0.5.2/30\n    ospf area 0\n", "  port e2 10.0.5.2/30\n    ospf area 0\n  port e3 10.0.6.2/30\n    ospf area 0\n",
			"link north.up", "link depot.e3 mine.e3\nlink north.up"},
		rewritten{"    peer 203.0.113.2 as 64500\n      local-address lo\n\nrouter north", "    peer 203.0.113.2 as 64500\n      local-address lo\n    peer 203.0.113.3 as 64500\n      local-address lo\n\nrouter north",
			"    peer 203.0.113.2 group inside\n    peer 203.0.113.4", "    peer 203.0.113.1 group inside client\n    peer 203.0.113.2 group inside\n    peer 203.0.113.4"}},
	"tarn-valley": {rewritten{"prefix-set tramway-prefixes\n  10.64.8.0/22\n", "prefix-set tramway-prefixes\n  10.64.8.0/21 length 22\n"}},
	"valley-line": {"cut viaduct.e1", "mend viaduct.e1", "silence viaduct.e1", "mend viaduct.e1",
		rewritten{"router viaduct", "defaults\n  hello-interval 1s\n  dead-interval 4s\n\nrouter viaduct"}},
}

// TestEveryDemosTasksCanBeDone solves each demo: some task is open at first, and all are
// done in the end, but for what its reader has to look at.
func TestEveryDemosTasksCanBeDone(t *testing.T) {
	for _, d := range demo.Labs() {
		t.Run(d.Slug, func(t *testing.T) {
			t.Parallel()
			l := open(t, d.Text)
			open := func() (names []string) {
				for _, task := range l.Brief().Tasks {
					if !task.Done {
						names = append(names, task.Text)
					}
				}
				return names
			}
			require.NotEmpty(t, open())
			require.NotEmpty(t, solutions[d.Slug])
			for _, step := range solutions[d.Slug] {
				a := history.Action{Kind: history.Apply}
				switch s := step.(type) {
				case string:
					var err error
					a, err = history.ParseAction(s)
					require.NoError(t, err)
				case rewritten:
					a.Text = l.Text()
					for i := 0; i < len(s); i += 2 {
						require.Contains(t, a.Text, s[i])
						a.Text = strings.ReplaceAll(a.Text, s[i], s[i+1])
					}
				}
				_, err := l.Do(a, 0)
				require.NoError(t, err, step)
			}
			require.Empty(t, open())
		})
	}
}

// TestNoDemoGivesItsFaultsAway: a comment beside a fault names it.
func TestNoDemoGivesItsFaultsAway(t *testing.T) {
	for _, slug := range []string{"ten-minutes", "planted-faults", "five-faults", "planted-sessions", "two-reflectors"} {
		for line := range strings.Lines(demo.Text(slug)) {
			if before, _, commented := strings.Cut(line, "#"); commented {
				require.Empty(t, strings.TrimSpace(before), "%s: %s", slug, line)
			}
		}
	}
}
