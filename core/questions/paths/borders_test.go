package paths_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/testlabs"
	"hellebore/demo"
)

func TestTheBordersOfTheRailway(t *testing.T) {
	w := testlabs.Settled(t, demo.Text("two-carriers"))
	b, err := paths.BordersOf(w, 0)
	require.NoError(t, err)
	require.Equal(t, uint32(64500), b.AS)
	require.Equal(t, []uint32{64500, 64496, 64497, 64498, 64510}, b.ASes)
	var names []string
	for _, n := range b.Neighbours {
		names = append(names, n.Name)
	}
	require.Equal(t, []string{"skylark", "gannet", "tramway"}, names)
	row := func(prefix string) paths.BorderRow {
		for _, r := range b.Rows {
			if r.Prefix == prefix {
				return r
			}
		}
		require.Fail(t, "no row", prefix)
		return paths.BorderRow{}
	}
	own := row("203.0.113.0/24")
	require.Equal(t, "64500", own.Cells[0].Sent.Path)
	require.Equal(t, "64500 64500 64500 64500", own.Cells[1].Sent.Path, "prepended three times")
	require.Equal(t, []string{"quarry"}, own.Cells[1].Sent.By)
	far := row("198.51.100.0/25")
	require.Equal(t, "64496 64498", far.Cells[0].Received.Path)
	require.Equal(t, "best", far.Cells[0].Received.State)
	require.Equal(t, "accepted", far.Cells[1].Received.State)
	require.Nil(t, far.Cells[0].Sent, "no carrier receives what the other sent")
	require.Nil(t, far.Cells[1].Sent)
	require.Equal(t, "64500 64496 64498", far.Cells[2].Sent.Path)

	_, err = paths.BordersOf(w, 65000)
	require.EqualError(t, err, "AS 65000 has no external session in this lab")
	none, err := paths.BordersOf(testlabs.Settled(t, demo.Text("station-yard")), 0)
	require.NoError(t, err)
	require.Zero(t, none.AS)
}

// TestBordersAreWhatTheSessionsSay compares the matrix of every AS of every demo with the
// tables of its sessions, one by one.
func TestBordersAreWhatTheSessionsSay(t *testing.T) {
	checked := 0
	for _, d := range demo.Labs() {
		w := testlabs.Settled(t, d.Text)
		all, err := paths.BordersOf(w, 0)
		require.NoError(t, err)
		for _, as := range all.ASes {
			b, err := paths.BordersOf(w, as)
			require.NoError(t, err)
			received, sent := map[[2]any]int{}, map[[2]any]int{}
			for _, x := range facts.AllInstances(w) {
				s := x.BGP()
				if !s.Running() || s.AS() != as {
					continue
				}
				s.Peers(func(v bgp.PeerView) {
					if !v.External {
						return
					}
					table, err := paths.SessionTable(w, x, v.Address)
					require.NoError(t, err)
					for _, r := range table.In {
						received[[2]any{v.Config.AS, r.Prefix}]++
					}
					for _, r := range table.Out {
						if r.Stage == "sent" {
							sent[[2]any{v.Config.AS, r.Prefix}]++
						}
					}
				})
			}
			for _, r := range b.Rows {
				for i, c := range r.Cells {
					key := [2]any{b.Neighbours[i].AS, r.Prefix}
					n, m := 0, 0
					if c.Received != nil {
						n = c.Received.Sessions
					}
					if c.Sent != nil {
						m = c.Sent.Sessions
					}
					require.Equal(t, received[key], n, "%s %v", d.Slug, key)
					require.Equal(t, sent[key], m, "%s %v", d.Slug, key)
					delete(received, key)
					delete(sent, key)
					checked += n + m
				}
			}
			require.Empty(t, received, d.Slug)
			require.Empty(t, sent, d.Slug)
		}
	}
	require.Greater(t, checked, 50)
}
