package lab

import (
	"net/netip"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/paths"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Behaviours of BGP that engineers know, each as a lab text in testdata.

func behaviour(t *testing.T, name string, pairs ...string) string {
	t.Helper()
	b, err := os.ReadFile("testdata/" + name + ".lab")
	require.NoError(t, err)
	return strings.NewReplacer(pairs...).Replace(string(b))
}

// bestFrom is whose path a router uses for a prefix.
func bestFrom(t *testing.T, l *Lab, router, prefix string) string {
	t.Helper()
	p := paths.PathsTo(l.History().Head(), netip.MustParsePrefix(prefix), router)
	require.Len(t, p.Routers, 1)
	for _, x := range p.Routers[0].Paths {
		if x.Chosen {
			return x.From
		}
	}
	return ""
}

// TestMEDIsNotTransitive: of any two of three paths one is better, and they go
// round; with all three the outcome does not depend on the order in which they
// came (RFC 4271 9.1.2.2 c).
func TestMEDIsNotTransitive(t *testing.T) {
	text := behaviour(t, "med-goes-round")
	for _, c := range []struct {
		without, best string
	}{{"weir", "ford"}, {"ford", "reed"}, {"reed", "weir"}} {
		l := open(t, text, "disable "+c.without)
		require.Equal(t, c.best, bestFrom(t, l, "mill", "198.51.100.0/24"), "without %s", c.without)
	}
	for _, order := range [][]string{{"ford", "weir", "reed"}, {"reed", "weir", "ford"}, {"weir", "ford", "reed"}} {
		l := open(t, text, "disable ford", "disable weir", "disable reed")
		for _, d := range order {
			do(t, l, "enable "+d)
		}
		require.Equal(t, "reed", bestFrom(t, l, "mill", "198.51.100.0/24"), "in the order %v", order)
	}
}

// TestADisputeDoesNotSettle: three ASes that each prefer the path through the next
// (RFC 4264): the lab says so, shows the round, and stops.
func TestADisputeDoesNotSettle(t *testing.T) {
	l := New()
	s, err := l.Do(history.Action{Kind: history.Apply, Text: behaviour(t, "dispute")}, 0)
	require.NoError(t, err)
	require.Equal(t, network.Unsettled, s.Outcome)
	require.Less(t, s.Events, uint64(2_000_000))
	a := l.Timeline()[0]
	require.Equal(t, "does not settle", a.Outcome)
	require.True(t, strings.HasPrefix(a.Summary, "does not settle"))
	require.NotEmpty(t, a.Cycle)
	round := strings.Join(a.Cycle, "\n")
	for _, who := range []string{"ford", "weir", "reed"} {
		require.Contains(t, round, who)
	}
	require.Contains(t, round, "198.51.100.0/24")

	// The same without the wish of one of them settles.
	calm := open(t, behaviour(t, "dispute", "      import-policy next\n      min-advertisement-interval 1s # ford", "      min-advertisement-interval 1s"))
	require.Equal(t, "settled", calm.Timeline()[0].Outcome)
	require.Empty(t, calm.Timeline()[0].Cycle)
}

// TestAHiddenBackupCostsTime: a border router that prefers the other's path sends
// nobody of its own, which has to be found again when it is needed.
func TestAHiddenBackupCostsTime(t *testing.T) {
	fails := func(text string) float64 {
		l := open(t, text, "cut mill.up")
		require.Equal(t, "halt", bestFrom(t, l, "inn", "198.51.100.0/24"))
		c := l.Timeline()[1].Convergence
		require.NotNil(t, c)
		return *c
	}
	hidden := behaviour(t, "hidden-backup")
	l := open(t, hidden)
	require.Equal(t, "mill", bestFrom(t, l, "inn", "198.51.100.0/24"))
	held := paths.PathsTo(l.History().Head(), netip.MustParsePrefix("198.51.100.0/24"), "inn").Routers[0].Paths
	require.Len(t, held, 1, "the backup is not known inside")
	known := strings.Replace(hidden, "set local-preference 200", "set local-preference 100", 1)
	l = open(t, known)
	held = paths.PathsTo(l.History().Head(), netip.MustParsePrefix("198.51.100.0/24"), "inn").Routers[0].Paths
	require.Len(t, held, 2, "as good a path is known")
	require.Greater(t, fails(hidden), fails(known), "the hidden one takes longer")
}

// TestReflectorsDoNotLoop: two that reflect to each other, with a client of both
// whose path one of them only has from the other, come to rest (RFC 4456 8).
func TestReflectorsDoNotLoop(t *testing.T) {
	l := open(t, behaviour(t, "reflector-ring"))
	w := l.History().Head()
	p := paths.PathsTo(w, netip.MustParsePrefix("198.51.100.0/24"), "")
	var reasons []string
	for _, r := range p.Routers {
		for _, x := range r.Paths {
			if x.Code != "" {
				reasons = append(reasons, r.Device+" "+x.Code)
			}
		}
	}
	slices.Sort(reasons)
	require.Equal(t, []string{"mill own-originator", "weir policy"}, reasons)
	require.Equal(t, "ford", bestFrom(t, l, "weir", "198.51.100.0/24"))
}
