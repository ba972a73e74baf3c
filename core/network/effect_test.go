package network_test

import (
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/labtext"
	"hellebore/core/note"
)

// TestEffectsOfChanges holds the grammar table's effects against what a change
// does to a running network: what it says, and no more. Each case edits one
// thing; want lists what is noted, "device kind" each, without counts.
func TestEffectsOfChanges(t *testing.T) {
	text := demoLab(t, "triangle-with-ospf")
	adjacency := []string{"quarry neighbour-state", "viaduct neighbour-state"}
	with := func(lists ...[]string) []string {
		var out []string
		for _, l := range lists {
			out = append(out, l...)
		}
		sort.Strings(out)
		return out
	}
	for name, c := range map[string]struct {
		from, to string
		effect   labtext.Effect
		want     []string
		lsas     int // originated
	}{
		"seed":                {"seed 7", "seed 8", labtext.Live, nil, 0},
		"flow":                {"every 100ms", "every 50ms", labtext.Live, nil, 0},
		"link delay":          {"link summit.e2 quarry.e2 delay 1ms", "link summit.e2 quarry.e2 delay 3ms", labtext.Live, nil, 0},
		"retransmit interval": {"port e2 10.0.13.1/30\n    ospf area 0", "port e2 10.0.13.1/30\n    ospf area 0\n      retransmit-interval 7s", labtext.Live, nil, 0},
		"cost that moves nothing": {"port e1 10.0.12.1/30 bandwidth 100M\n    ospf area 0", "port e1 10.0.12.1/30 bandwidth 100M\n    ospf area 0\n      cost 101", labtext.Reoriginate,
			[]string{"quarry route-changed"}, 1},
		"bandwidth":           {"port e1 10.0.12.1/30 bandwidth 100M", "port e1 10.0.12.1/30 bandwidth 90M", labtext.Reoriginate, []string{"quarry route-changed"}, 1},
		"reference bandwidth": {"router quarry\n", "router quarry\n  ospf\n    reference-bandwidth 20G\n", labtext.Reoriginate, nil, 1},
		"static":              {"router quarry\n", "router quarry\n  static 10.99.0.0/16 blackhole\n", labtext.Rewrites, []string{"quarry route-changed"}, 0},
		"router ID":           {"router viaduct\n", "router viaduct\n  router-id 10.255.0.9\n", labtext.RestartProcess, with(adjacency, []string{"summit neighbour-state", "viaduct hello-refused", "viaduct router-id", "viaduct route-changed"}), -1},
		"area of a port": {"port e2 10.0.13.1/30\n    ospf area 0", "port e2 10.0.13.1/30\n    ospf area 1", labtext.RestartPort,
			with(adjacency, []string{"viaduct hello-refused", "quarry hello-refused", "viaduct route-changed", "quarry route-changed", "summit route-changed"}), -1},
		"port disabled": {"port e2 10.0.13.1/30\n", "port e2 10.0.13.1/30 disabled\n", labtext.Live,
			with(adjacency, []string{"viaduct port-down", "quarry port-down", "viaduct route-changed", "quarry route-changed", "summit route-changed"}), -1},
	} {
		t.Run(name, func(t *testing.T) {
			w := build(t, text)
			settle(t, w)
			require.Contains(t, text, c.from)
			r := labtext.Parse(strings.Replace(text, c.from, c.to, 1))
			require.True(t, r.OK(), "%v", r.Problems)
			mark := w.Notes()
			w.Configure(&r.Lab)
			settle(t, w)
			seen := map[string]bool{}
			originated := 0
			for i := mark; i < w.Notes(); i++ {
				n := w.NoteAt(i)
				switch n.Kind {
				case note.LSAOriginated:
					originated++
				case note.LSAReceived, note.LSAFlushed, note.LSADiscarded, note.SPFScheduled, note.SPFRun:
				default:
					seen[w.Device(n.Device).Name()+" "+n.Kind.String()] = true
				}
			}
			var got []string
			for k := range seen {
				got = append(got, k)
			}
			sort.Strings(got)
			require.Equal(t, c.want, got)
			if c.lsas >= 0 {
				require.Equal(t, c.lsas, originated)
			}
		})
	}
}
