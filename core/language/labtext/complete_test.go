package labtext

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// offered are the completions at the bar in a text.
func offered(t *testing.T, text string) []string {
	t.Helper()
	before, after, found := strings.Cut(text, "|")
	require.True(t, found, "the case marks no place")
	line := strings.Count(before, "\n") + 1
	column := len(before) - strings.LastIndex(before, "\n")
	var out []string
	for _, s := range Complete(before+after, line, column).Suggestions {
		out = append(out, s.Label)
	}
	return out
}

// TestCompletionsByPlace asks for what may be at a place: statements of the
// block, words that are not there yet, names of the lab.
func TestCompletionsByPlace(t *testing.T) {
	const lab = "router mill\n  port e1 10.0.12.1/30\nrouter halt\n  port e1 10.0.12.2/30\nhost gate 10.20.1.10/24\n"
	for name, c := range map[string]struct {
		text        string
		has, hasNot []string
	}{
		"at the top":            {lab + "|", []string{"router", "host", "link", "segment", "flow"}, []string{"port", "cost"}},
		"in a router":           {"router mill\n  |", []string{"port", "loopback", "static", "router-id", "ospf"}, []string{"router", "link", "cost"}},
		"on a port":             {"router mill\n  port e1 10.0.12.1/30 |", []string{"bandwidth", "mtu", "disabled", "ospf"}, []string{"static", "router-id"}},
		"what is there already": {"router mill\n  port e1 10.0.12.1/30 mtu 1400 |", []string{"bandwidth"}, []string{"mtu"}},
		"in the port's OSPF":    {"router mill\n  port e1 10.0.12.1/30\n    ospf area 0\n      |", []string{"cost", "hello-interval", "passive"}, []string{"area", "static"}},
		"ports of a link":       {lab + "link |", []string{"mill.e1", "halt.e1"}, []string{"mill", "halt"}},
		"the other end":         {lab + "link mill.e1 |", []string{"halt.e1"}, nil},
		"devices of a flow":     {lab + "flow works |", []string{"mill", "halt", "gate"}, []string{"mill.e1"}},
		"words of a value":      {"router mill\n  port e1 10.0.12.1/30\n    ospf area 0\n      type |", []string{"point-to-point"}, nil},
		"a word begun":          {"router mill\n  po|", []string{"port"}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			got := offered(t, c.text)
			for _, w := range c.has {
				require.Contains(t, got, w)
			}
			for _, w := range c.hasNot {
				require.NotContains(t, got, w)
			}
		})
	}
}

// TestEveryStatementIsOfferedWhereItMayStand holds the completion against the
// grammar table: no row is forgotten, and each says what it is.
func TestEveryStatementIsOfferedWhereItMayStand(t *testing.T) {
	opening := map[Context]string{
		DefaultsOf: "defaults\n  ", Top: "", LabBlock: "lab \"T\"\n  ", RouterOf: "router mill\n  ", HostOf: "host gate 10.20.1.10/24\n  ",
		PortOf: "router mill\n  port e1\n    ", Loopback: "router mill\n  loopback lo 10.255.0.1/32\n    ",
		PortOSPF: "router mill\n  port e1\n    ospf\n      ", OSPFOf: "router mill\n  ospf\n    ",
		StaticOf: "router mill\n  static 10.0.0.0/8\n    ", LinkOf: "link a.b c.d\n  ", SegOf: "segment yard a.b\n  ", FlowOf: "flow f a -> b\n  ", PlanOf: "plan links 10.0.0.0/16 ",
		AreaOf: "router mill\n  ospf\n    area 1\n      ", StubOf: "router mill\n  ospf\n    area 1\n      stub\n        ",
		RangeOf: "router mill\n  ospf\n    area 1\n      range 10.0.0.0/8\n        ", InjectOf: "router mill\n  ospf\n    inject static\n      ",
		OrigOf: "router mill\n  ospf\n    originate default\n      ", ChainOf: "key-chain larch\n  ", SetOf: "prefix-set ours\n  ", MemberOf: "prefix-set ours\n  10.0.0.0/8\n    ",
		NSSAOf: "router mill\n  ospf\n    area 1\n      nssa\n        ", VirtOf: "router mill\n  ospf\n    area 1\n      virtual-link 10.255.0.2\n        ",
		JoinOf: "router mill\n  ospf\n    summary 10.0.0.0/8\n      ", KeyOf: "key-chain larch\n  key 1 md5 \"x\" ", VLANOf: "router mill\n  port e1\n    vlan 10\n      ",
		BGPOf: "router mill\n  bgp\n    ", PeerOf: "router mill\n  bgp as 64500\n    peer 192.0.2.2\n      ", GroupOf: "router mill\n  bgp as 64500\n    peer-group inside\n      ",
		DefaultOf: "router mill\n  bgp as 64500\n    peer 192.0.2.2\n      originate default ", BringOf: "router mill\n  bgp as 64500\n    inject ospf ", FeedOf: "router mill\n  bgp as 64500\n    feed 100 ", Aggregate: "router mill\n  bgp as 64500\n    aggregate 198.51.100.0/24 ",
		PolicyOf: "policy p\n  ", StatementOf: "policy p\n  statement s\n    ", WhereOf: "policy p\n  statement s\n    where ", ActionSet: "policy p\n  statement s\n    set ",
		ActionAdd: "policy p\n  statement s\n    add ", ActionTake: "policy p\n  statement s\n    remove ", ActionSwap: "policy p\n  statement s\n    replace ",
		PrependOf: "policy p\n  statement s\n    prepend 64500 ", PathSetOf: "as-path-set s\n  ", CommSetOf: "community-set s\n  ", TagSetOf: "tag-set s\n  ", NbrSetOf: "neighbour-set s\n  ",
		RiskOf: "risk-group \"g\"\n  ", CheckOf: "check \"c\"\n  ", ExpectOf: "check \"c\"\n  expect ", FlowExpect: "check \"c\"\n  expect flow f ", PathExpect: "check \"c\"\n  expect path a -> b ",
		InstanceOf: "router mill\n  instance ferry\n    ", TakeOf: "router mill\n  take ferry ",
		RouteExpect: "check \"c\"\n  expect route a 10.0.0.0/8 ", BriefOf: "brief\n  ", WheneverOf: "check \"c\"\n  whenever link fails ", TaskOf: "brief\n  task \"t\"\n    ", QuestionOf: "brief\n  question \"q\"\n    ",
	}
	for _, row := range Grammar {
		for _, in := range row.In {
			text, ok := opening[in]
			require.True(t, ok, "no opening for %s", in)
			require.Contains(t, offered(t, text+"|"), row.Word, "%s in %s", row.Word, in)
		}
		require.NotEmpty(t, WordHelp(row.Word), row.Word)
		require.NotEmpty(t, row.Help, row.Word)
		require.NotEmpty(t, row.Effect, row.Word)
	}
	require.Empty(t, WordHelp("no-such-word"))
}
