package sweeps

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/lab"
	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/simulation/history"
	"hellebore/demo"
	"hellebore/server/cluster"
	"hellebore/server/live"
	"hellebore/server/store"
)

// open is a database for a test.
func open(t *testing.T) (*store.Store, string) {
	t.Helper()
	dir, err := os.MkdirTemp("", "hellebore-sweeps-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755)) // the database's user must get in
	c, err := cluster.Start(filepath.Join(dir, "db"), cluster.Options{Unsafe: true})
	require.NoError(t, err)
	t.Cleanup(func() {
		require.NoError(t, c.Stop())
		require.NoError(t, os.RemoveAll(dir))
	})
	s, err := store.Open(t.Context(), c.URL())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s, c.URL()
}

// text is a demo lab's.
func text(t *testing.T, slug string) string {
	t.Helper()
	for _, d := range demo.Labs() {
		if d.Slug == slug {
			return d.Text
		}
	}
	require.FailNow(t, "no such demo", slug)
	return ""
}

// pool is one with so many slots, which works until the test ends.
func pool(t *testing.T, s *store.Store, held Held, slots int) *Pool {
	t.Helper()
	p, err := New(s, held, slots)
	require.NoError(t, err)
	require.NoError(t, p.Start(t.Context()))
	t.Cleanup(func() { require.NoError(t, p.Stop(context.WithoutCancel(t.Context()))) })
	return p
}

// ended waits until a sweep has.
func ended(t *testing.T, p *Pool, lab, id string) store.Sweep {
	t.Helper()
	var w store.Sweep
	require.Eventually(t, func() bool {
		var err error
		w, err = p.store.Sweep(t.Context(), lab, id)
		require.NoError(t, err)
		return w.State != store.SweepPreparing && w.State != store.SweepRunning
	}, time.Minute, 20*time.Millisecond)
	return w
}

// byHand is what a lab's failures do, without any queue.
func byHand(t *testing.T, text string, actions []string, depth int) []sweep.Impact {
	t.Helper()
	l := lab.New()
	_, err := l.Do(history.Action{Kind: history.Apply, Text: text}, 0)
	require.NoError(t, err)
	for _, typed := range actions {
		a, err := history.ParseAction(typed)
		require.NoError(t, err)
		_, err = l.Do(a, 0)
		require.NoError(t, err)
	}
	s, err := sweep.New(l.History(), nil)
	require.NoError(t, err)
	list := s.Failures(failure.Kinds)
	out := []sweep.Impact{}
	for i := range list {
		found, err := sweep.Branch(s, list, i, depth, nil)
		require.NoError(t, err)
		out = append(out, found...)
	}
	sweep.Rank(out)
	return out
}

func same(t *testing.T, want, got []sweep.Impact) {
	t.Helper()
	a, err := json.Marshal(want)
	require.NoError(t, err)
	b, err := json.Marshal(got)
	require.NoError(t, err)
	require.JSONEq(t, string(a), string(b))
}

func TestASweepByTheQueueIsLikeOneByHand(t *testing.T) {
	s, _ := open(t)
	labs := live.New(s)
	p := pool(t, s, labs.Held, 2)
	draft := text(t, "three-areas")
	row, err := labs.Create(t.Context(), draft, "")
	require.NoError(t, err)
	l, err := labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	cut, err := history.ParseAction("cut junction.e1")
	require.NoError(t, err)
	_, err = l.Act(t.Context(), live.Order{Action: cut})
	require.NoError(t, err)

	for _, c := range []struct {
		name string
		held bool
		o    Order
		want []sweep.Impact
	}{
		{"from the open lab", true, Order{Actions: 2, Depth: 1}, byHand(t, draft, []string{"cut junction.e1"}, 1)},
		{"from the journal", false, Order{Actions: 1, Depth: 1}, byHand(t, draft, nil, 1)},
		{"in pairs", true, Order{Actions: 2, Depth: 2, Kinds: nil}, byHand(t, draft, []string{"cut junction.e1"}, 2)},
	} {
		t.Run(c.name, func(t *testing.T) {
			c.o.Lab = row.ID
			w, err := p.Begin(t.Context(), c.o)
			require.NoError(t, err)
			w = ended(t, p, row.ID, w.ID)
			require.Equal(t, store.SweepDone, w.State, w.Error)
			require.Equal(t, w.Total, w.Tried)
			_, got, err := p.Found(t.Context(), row.ID, w.ID)
			require.NoError(t, err)
			same(t, c.want, got)
		})
	}
}
