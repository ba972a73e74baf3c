package check_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/check"
	"hellebore/core/simulation/history"
)

// line is three routers in a row and a way around: mill - halt - crane, and the
// customer shed behind crane.
const line = `lab "A line with a way around"
router mill
  loopback lo 10.255.0.1/32
    ospf area 0
  port e1 10.0.12.1/30
    ospf area 0
      hello-interval 1s
  port e2 10.0.13.1/30
    ospf area 0
      cost 100
router halt
  loopback lo 10.255.0.2/32
    ospf area 0
  port e1 10.0.12.2/30
    ospf area 0
      hello-interval 1s
  port e2 10.0.23.1/30
    ospf area 0
router crane
  loopback lo 10.255.0.3/32
    ospf area 0
  port e1 10.0.23.2/30
    ospf area 0
  port e2 10.0.13.2/30
    ospf area 0
      cost 100
  port down 192.0.2.1/30
  static 203.0.113.0/24 blackhole
  bgp as 64500
    originate 203.0.113.0/24
    peer 192.0.2.2 as 64510
      import-policy theirs
      export-policy all
router shed
  port e1 192.0.2.2/30
  static 198.51.100.0/24 blackhole
  bgp as 64510
    originate 198.51.100.0/24
    peer 192.0.2.1 as 64500
      import-policy all
      export-policy all
link mill.e1 halt.e1
link halt.e2 crane.e1
link mill.e2 crane.e2
link crane.down shed.e1
policy all
  statement all
    accept
policy theirs
  statement all
    set local-preference 150
    add community 64500:7
    accept
flow coal mill -> crane every 10ms
`

func run(t *testing.T, checks string) []check.Result {
	t.Helper()
	h := history.New()
	s, err := h.Begin(history.Action{Kind: history.Apply, Text: line + checks}, 0)
	require.NoError(t, err)
	require.NoError(t, h.Run(s, nil))
	digest := h.Head().Digest(true)
	r, ok := check.Run(h, nil)
	require.True(t, ok)
	require.Equal(t, digest, h.Head().Digest(true), "the lab does not notice")
	return r
}

// TestExpectations tries each expectation where it holds and where it does not;
// the finding says what is the case.
func TestExpectations(t *testing.T) {
	for _, c := range []struct {
		when, expect string
		passes       bool
		says         string
	}{
		{"", "reach mill -> crane", true, "mill - halt - crane"},
		{"cut mill.e1, cut mill.e2", "reach mill -> crane", false, "mill: mill has no route"},
		{"cut mill.e1, cut mill.e2", "no-reach mill -> crane", true, "no route"},
		{"", "no-reach mill -> crane", false, "mill - halt - crane"},
		{"", "path mill -> crane through halt", true, ""},
		{"cut mill.e1", "path mill -> crane through halt", false, "not through halt"},
		{"cut mill.e1", "path mill -> crane avoiding halt", true, "mill - crane"},
		{"", "path mill -> crane avoiding halt", false, "; through halt"},
		{"", "flow coal", true, "it arrives: mill - halt - crane"},
		{"disable crane", "flow coal", false, "it does not arrive"},
		{"silence mill.e1", "flow coal outage < 1s", false, "the limit is 1s"},
		{"silence mill.e1", "flow coal outage < 10s", true, "out for 3."},
		{"", "flow coal outage <= 0s", true, "nothing of it was lost"},
		{"cut mill.e1, cut mill.e2", "flow coal outage < 3600s", false, "still out at the end"},
		{"", "route mill 10.255.0.3/32 source ospf via halt metric = 20", true, "ospf, cost 20"},
		{"", "route mill 10.255.0.3/32 source bgp", false, "its source is ospf, not bgp"},
		{"", "route mill 10.255.0.3/32 via crane", false, "crane is no next hop of it"},
		{"cut mill.e1", "route mill 10.255.0.3/32 via crane", true, "cost 100"},
		{"", "route mill 10.255.0.3/32 metric < 20", false, "its metric is 20, not < 20"},
		{"", "route mill 203.0.113.0/24", false, "mill has no route for 203.0.113.0/24"},
		{"", "no-route mill 203.0.113.0/24", true, "has no route"},
		{"", "no-route crane 203.0.113.0/24", false, "static, blackhole"},
		{"", "route crane 198.51.100.0/24 local-preference >= 150 as-path-length <= 1 community 64500:7", true, "bgp"},
		{"", "route crane 198.51.100.0/24 local-preference > 150", false, "its local-preference is 150, not > 150"},
		{"", "route crane 198.51.100.0/24 community 64500:8", false, "does not carry the community 64500:8"},
		{"", "route mill 10.255.0.3/32 as-path-length = 1", false, "BGP has chosen no path"},
		{"", "neighbour mill halt Full", true, "ospf Full"},
		{"cut mill.e1", "neighbour mill halt up", false, "ospf Down"},
		{"cut mill.e1", "neighbour halt mill down", true, "ospf Down"},
		{"", "neighbour crane shed Established", true, "bgp Established"},
		{"disable crane.down", "neighbour crane shed up", false, "bgp"},
		{"", "neighbour mill shed up", false, "are no neighbours"},
		{"", "sent crane shed 203.0.113.0/24", true, "sent to 192.0.2.2"},
		{"", "sent crane 192.0.2.2 203.0.113.0/24", true, "AS path"},
		{"", "not-sent crane shed 203.0.113.0/24", false, "sent to 192.0.2.2"},
		{"", "not-sent crane shed 198.51.100.0/24", true, "not sent to 192.0.2.2: "},
		{"disable crane.down", "sent crane shed 203.0.113.0/24", false, "the session is not up"},
		{"", "sent crane mill 203.0.113.0/24", false, "crane has no peer mill"},
		{"", "sent mill crane 203.0.113.0/24", false, "BGP does not run on mill"},
	} {
		t.Run(c.when+" "+c.expect, func(t *testing.T) {
			var text strings.Builder
			text.WriteString("check \"it\"\n")
			if c.when != "" {
				for w := range strings.SplitSeq(c.when, ", ") {
					text.WriteString("  when " + w + "\n")
				}
			}
			r := run(t, text.String()+"  expect "+c.expect+"\n")[0]
			require.Empty(t, r.Error)
			require.Len(t, r.Outcomes, 1)
			require.Equal(t, c.expect, r.Outcomes[0].Expects)
			require.Equal(t, c.passes, r.Passed, r.Outcomes[0].Says)
			require.Contains(t, r.Outcomes[0].Says, c.says)
		})
	}
}

func TestACheckThatCannotBeTriedFails(t *testing.T) {
	r := run(t, "check \"c\"\n  when cut mill.e1\n  when cut mill.e1\n  expect reach mill -> crane\n")[0]
	require.False(t, r.Passed)
	require.Contains(t, r.Error, "cut mill.e1: the link of mill.e1 is cut already")
	require.Empty(t, r.Outcomes)
}

func TestAllExpectationsMustHold(t *testing.T) {
	r := run(t, "check \"c\"\n  expect reach mill -> crane\n  expect reach mill -> shed\n")[0]
	require.False(t, r.Passed)
	require.True(t, r.Outcomes[0].Passed)
	require.False(t, r.Outcomes[1].Passed)
	require.NotEmpty(t, r.Outcomes[1].Facts)
}

func TestChecksCanBeStopped(t *testing.T) {
	h := history.New()
	s, err := h.Begin(history.Action{Kind: history.Apply, Text: line + "check \"c\"\n  expect reach mill -> crane\n"}, 0)
	require.NoError(t, err)
	require.NoError(t, h.Run(s, nil))
	_, ok := check.Run(h, func() bool { return true })
	require.False(t, ok)
}

// Example of the form in which a check is in a text.
func ExampleRun() {
	h := history.New()
	s, _ := h.Begin(history.Action{Kind: history.Apply, Text: line + "check \"coal goes by the halt\"\n  expect path mill -> crane through halt\n"}, 0)
	_ = h.Run(s, nil)
	results, _ := check.Run(h, nil)
	fmt.Println(results[0].Name, results[0].Passed, results[0].Outcomes[0].Says)
	// Output: coal goes by the halt true mill - halt - crane
}
