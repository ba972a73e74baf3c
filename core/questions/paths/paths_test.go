package paths_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/ip"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/testlabs"
	"hellebore/demo"
)

// TestTheStoryOfAPrefix follows a path from its arrival through the import policy
// and the decision to what each peer is sent.
func TestTheStoryOfAPrefix(t *testing.T) {
	w := testlabs.Settled(t, demo.Text("two-carriers"))
	p := paths.PathsTo(w, netip.MustParsePrefix("198.51.100.0/25"), "quarry")
	require.Len(t, p.Routers, 1)
	r := p.Routers[0]
	require.Equal(t, "quarry uses the path from viaduct rather than that from gannet: local preference 200, not 80", r.Answer)
	require.Len(t, r.Paths, 2)
	best, other := r.Paths[0], r.Paths[1]
	require.True(t, best.Chosen)
	require.Equal(t, "10.255.0.1", best.After.NextHop)
	require.EqualValues(t, 10, *best.Cost)
	require.Equal(t, []string{"80", "200", "viaduct", "4271 9.1.1"}, []string{other.Mine, other.Theirs, other.Against, other.RFC})
	require.Nil(t, other.Received.LocalPref)
	require.EqualValues(t, 80, *other.After.LocalPref)
	require.Equal(t, "statement backup of from-gannet accepts it: set local-preference 80, community add 64500:1", other.Import.Says)
	sent := map[string]string{}
	for _, s := range r.Sent {
		sent[s.To] = s.Why
	}
	require.Equal(t, "statement allowed of to-gannet accepts it", sentTo(t, paths.PathsTo(w, netip.MustParsePrefix("203.0.113.0/24"), "quarry"), "gannet").Export.Says[:len("statement allowed of to-gannet accepts it")])
	require.Equal(t, "no statement of to-gannet decides, and its end rejects", sent["gannet"])
	require.Equal(t, "it was learned from that peer", sent["viaduct"])
	require.Contains(t, sent["summit"], "it has its own session for that")
	// The best external path instead of the best one.
	quarry := strings.Replace(demo.Text("two-carriers"), "    peer 10.255.0.1 group inside\n", "    best-external\n    peer 10.255.0.1 group inside\n", 1)
	inside := sentTo(t, paths.PathsTo(testlabs.Settled(t, quarry), netip.MustParsePrefix("198.51.100.0/25"), "quarry"), "summit")
	require.Equal(t, "sent; it is the best external path (best-external), as the best one comes from an internal peer", inside.Why)
	require.Equal(t, []string{"64497 64498", "10.255.0.2"}, []string{inside.Sent.ASPath, inside.Sent.NextHop})
	// A prefix that is not there, with those that are near.
	none := paths.PathsTo(w, netip.MustParsePrefix("198.51.100.0/24"), "")
	require.Empty(t, none.Routers)
	require.Equal(t, []string{"198.51.100.0/25"}, none.Near)
}

func sentTo(t *testing.T, p paths.PrefixPaths, to string) paths.SentRow {
	t.Helper()
	for _, s := range p.Routers[0].Sent {
		if s.To == to {
			return s
		}
	}
	t.Fatal("nothing about " + to)
	return paths.SentRow{}
}

// TestTheTablesOfASession: what came in and went out agrees with the other end,
// row by row.
func TestTheTablesOfASession(t *testing.T) {
	w := testlabs.Settled(t, demo.Text("two-carriers"))
	table := func(device, peer string) paths.PathTable {
		out, err := paths.SessionTable(w, w.Find(device).Main(), ip.AddrFrom(netip.MustParseAddr(peer)))
		require.NoError(t, err)
		return out
	}
	here, there := table("viaduct", "192.0.2.2"), table("skylark", "192.0.2.1")
	require.Equal(t, "skylark", here.With)
	list := func(rows []paths.TableRow, stages ...string) (out []string) {
		for _, r := range rows {
			if len(stages) == 0 || strings.Contains(strings.Join(stages, " "), r.Stage) {
				out = append(out, r.Prefix+" "+r.Path.ASPath)
			}
		}
		return out
	}
	require.Equal(t, list(here.In), list(there.Out, "sent"))
	require.Equal(t, list(there.In), list(here.Out, "sent"))
	var held []string
	for _, r := range here.Out {
		if r.Stage == "withheld" {
			held = append(held, r.Prefix+" "+r.Code)
		}
	}
	require.Equal(t, []string{"198.51.100.0/25 from-that-peer"}, held)
	loc := paths.RouterTable(w, w.Find("viaduct").Main())
	require.Len(t, loc.In, 4)
	for _, r := range loc.In {
		require.Equal(t, "chosen", r.Stage)
		require.NotZero(t, r.SentTo)
	}
	_, err := paths.SessionTable(w, w.Find("viaduct").Main(), ip.V4(1))
	require.EqualError(t, err, "viaduct has no peer 0.0.0.1")
}
