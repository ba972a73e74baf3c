package tables_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/facts"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/testlabs"
)

func TestRoutesAcrossRouters(t *testing.T) {
	w := testlabs.Settled(t, testlabs.Line)
	r := tables.RouteTable(w)
	require.Equal(t, []string{"mill", "halt"}, r.Devices, "hosts have no column")
	rows := map[string]tables.RouteRow{}
	for _, row := range r.Rows {
		rows[row.Prefix] = row
	}
	require.Equal(t, "mill.lan", rows["10.20.1.0/24"].Owner)
	require.Equal(t, "connected", rows["10.20.1.0/24"].Cells["mill"].Source)
	require.Equal(t, tables.Cell{Source: "ospf", Kind: "intra-area", Metric: 20, Preference: 110,
		NextHops: []facts.NextHop{{Via: "10.0.12.1", Port: "e1", To: "mill"}}}, rows["10.20.1.0/24"].Cells["halt"])
}

// TestStoriesOfRoutes asks why of routes that are there and of some that are
// not.
func TestStoriesOfRoutes(t *testing.T) {
	statics := strings.Replace(testlabs.Line, "router mill\n", "router mill\n  static 10.20.2.0/24 via 10.0.12.2 preference 150\n"+
		"  static 10.30.0.0/16 blackhole\n  static 10.40.0.0/16 via 10.77.0.1\n  static 10.50.0.0/16 via 10.255.0.2\n"+
		"  static 10.50.0.0/16 via 10.0.12.2 preference 9\n", 1)
	for name, c := range map[string]struct {
		text, prefix, answer string
		also                 []string
		why                  []string
	}{
		"two sources": {text: statics, prefix: "10.20.2.0/24",
			answer: "mill reaches 10.20.2.0/24 by halt, 10.0.12.2 on e1, ospf, cost 20",
			why:    []string{"longest match, ospf is preferred (110), least cost", "another source is preferred: route preference 110, not 150"}},
		"a blackhole": {text: statics, prefix: "10.30.0.0/16",
			answer: "mill reaches 10.30.0.0/16 not at all: a blackhole route drops what goes there", why: []string{"longest match"}},
		"an unresolved next hop": {text: statics, prefix: "10.40.0.0/16", answer: "mill has no route to 10.40.0.0/16",
			why:  []string{"its next hop 10.77.0.1 cannot be resolved: no other route leads there"},
			also: []string{"mill has 1 neighbour in state Full"}},
		"a recursive next hop and a floating route behind it": {text: statics, prefix: "10.50.0.0/16",
			answer: "mill reaches 10.50.0.0/16 by halt, 10.0.12.2 on e1, static, cost 0",
			why:    []string{"longest match", "another static route is preferred: route preference 1, not 9"}},
		"on a port": {text: testlabs.Line, prefix: "10.20.1.0/24", answer: "mill reaches 10.20.1.0/24 directly on lan", why: []string{"longest match"}},
		"a network that nobody announces": {text: strings.Replace(testlabs.Line, "port lan 10.20.2.1/24\n    ospf area 0 passive\n", "port lan 10.20.2.1/24\n", 1),
			prefix: "10.20.2.0/24", answer: "mill has no route to 10.20.2.0/24",
			also: []string{"halt.lan has the network and does not announce it: OSPF does not run on the port", "mill has 1 neighbour in state Full"}},
		"a network behind a port that is down": {text: strings.Replace(testlabs.Line, "port lan 10.20.2.1/24\n", "port lan 10.20.2.1/24 disabled\n", 1),
			prefix: "10.20.2.0/24", answer: "mill has no route to 10.20.2.0/24",
			also: []string{"halt.lan has the network, but the port is down: the port is disabled", "mill has 1 neighbour in state Full"}},
		"an adjacency that stops it": {text: strings.Replace(testlabs.Line, testlabs.MillPort, "port e1 10.0.12.1/30\n    ospf area 1\n", 1), prefix: "10.20.2.0/24",
			answer: "mill has no route to 10.20.2.0/24",
			also: []string{"halt.lan announces the network; it does not get as far as mill", "mill has no neighbour in state Full",
				"the LSA got as far as halt and not to mill, since their adjacency is Down: the two ports are in different areas"}},
		"no neighbour": {text: strings.Replace(testlabs.Line, "link mill.e1 halt.e1\n", "", 1), prefix: "10.20.2.0/24",
			answer: "mill has no route to 10.20.2.0/24",
			also:   []string{"halt.lan announces the network; it does not get as far as mill", "mill has no neighbour in state Full"}},
	} {
		t.Run(name, func(t *testing.T) {
			w := testlabs.Settled(t, c.text)
			s := tables.Explain(w, w.Find("mill").Main(), netip.MustParsePrefix(c.prefix))
			require.Equal(t, c.answer, s.Answer)
			var why []string
			for _, x := range s.Candidates {
				why = append(why, x.Why)
			}
			require.Equal(t, c.why, why)
			require.ElementsMatch(t, c.also, s.Also)
		})
	}
}
