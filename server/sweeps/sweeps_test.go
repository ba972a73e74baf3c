package sweeps

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/riverqueue/river"
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
	s, url, _ := openIn(t)
	return s, url
}

// openIn is one in a directory of its own.
func openIn(t *testing.T) (_ *store.Store, url, dir string) {
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
	return s, c.URL(), dir
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

// middling is a lab whose pairs of failures take a while, and one of its ports; a small one where everything is slow.
func middling(t *testing.T) (_, port string) {
	if testing.Short() {
		return text(t, "triangle-with-ospf"), "viaduct.e1"
	}
	return text(t, "one-bridge"), "depot.e1"
}

// pool is one with so many slots, which works until the test ends.
func pool(t *testing.T, s *store.Store, slots int) *Pool {
	t.Helper()
	p, err := New(s, slots)
	require.NoError(t, err)
	p.timing = quick
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

// byHand is what a lab's failures do, without any queue; of pairs so many, 0 for all.
func byHand(t *testing.T, text string, actions []string, depth, budget int) []sweep.Impact {
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
		of := depth
		if budget > 0 {
			of = 1
		}
		found, err := sweep.Branch(s, list, i, of, nil)
		require.NoError(t, err)
		out = append(out, found...)
	}
	if budget > 0 {
		for i, seconds := range s.Suspicious(list, out, budget) {
			found, err := sweep.Behind(s, list, i, seconds, nil)
			require.NoError(t, err)
			out = append(out, found...)
		}
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
	p := pool(t, s, 2)
	draft, port := middling(t)
	row, err := labs.Create(t.Context(), draft, "")
	require.NoError(t, err)
	l, err := labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	cut, err := history.ParseAction("cut " + port)
	require.NoError(t, err)
	_, err = l.Act(t.Context(), live.Order{Action: cut})
	require.NoError(t, err)

	for _, c := range []struct {
		name string
		held bool
		o    Order
		want []sweep.Impact
	}{
		{"from the open lab", true, Order{Actions: 2, Depth: 1}, byHand(t, draft, []string{"cut " + port}, 1, 0)},
		{"from the journal", false, Order{Actions: 1, Depth: 1}, byHand(t, draft, nil, 1, 0)},
		{"in pairs", true, Order{Actions: 2, Depth: 2, Kinds: nil}, byHand(t, draft, []string{"cut " + port}, 2, 0)},
		{"in some pairs", true, Order{Actions: 2, Depth: 2, Budget: 40}, byHand(t, draft, []string{"cut " + port}, 2, 40)},
		{"in more pairs than there are", false, Order{Actions: 1, Depth: 2, Budget: 1 << 30, Kinds: nil}, byHand(t, draft, nil, 2, 1<<30)},
	} {
		t.Run(c.name, func(t *testing.T) {
			c.o.Lab = row.ID
			w, err := p.Begin(t.Context(), c.o)
			require.NoError(t, err)
			w = ended(t, p, row.ID, w.ID)
			require.Equal(t, store.SweepDone, w.State, w.Error)
			require.Equal(t, w.Total, w.Tried)
			require.Len(t, c.want, w.Found)
			require.LessOrEqual(t, w.Found, w.Expected)
			_, got, err := p.Found(t.Context(), row.ID, w.ID)
			require.NoError(t, err)
			same(t, c.want, got)
		})
	}
}

func TestGaps(t *testing.T) {
	for _, c := range []struct {
		there []int
		end   int
		want  [][2]int
	}{
		{nil, 0, nil}, {nil, 3, [][2]int{{0, 3}}}, {[]int{0, 1, 2}, 3, nil}, {[]int{1, 4}, 6, [][2]int{{0, 1}, {2, 4}, {5, 6}}}, {[]int{0}, 4, [][2]int{{1, 4}}},
	} {
		require.Equal(t, c.want, gaps(c.there, c.end), c)
	}
}

// TestAStoppedSweepGoesOn: what it found stays, what is left is done, and what it would have come to comes out.
func TestAStoppedSweepGoesOn(t *testing.T) {
	s, _ := open(t)
	labs := live.New(s)
	draft, _ := middling(t)
	row, err := labs.Create(t.Context(), draft, "")
	require.NoError(t, err)
	_, err = labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	p := pool(t, s, 1)
	for _, budget := range []int{0, 60} {
		stopped(t, s, p, Order{Lab: row.ID, Actions: 1, Depth: 2, Budget: budget}, byHand(t, draft, nil, 2, budget))
	}
}

func stopped(t *testing.T, s *store.Store, p *Pool, o Order, want []sweep.Impact) {
	t.Helper()
	w, err := p.Begin(t.Context(), o)
	require.NoError(t, err)
	tried := 0
	for range 6 {
		require.Eventually(t, func() bool {
			now, err := s.Sweep(t.Context(), o.Lab, w.ID)
			require.NoError(t, err)
			return now.Tried > tried || now.State == store.SweepDone
		}, time.Minute, 5*time.Millisecond)
		if p.StopSweep(t.Context(), o.Lab, w.ID) != nil { // it is done already
			break
		}
		stopped, _, err := p.Found(t.Context(), o.Lab, w.ID)
		require.NoError(t, err)
		require.Equal(t, store.SweepStopped, stopped.State)
		require.GreaterOrEqual(t, stopped.Tried, tried)
		tried = stopped.Tried
		require.Error(t, p.StopSweep(t.Context(), o.Lab, w.ID), "it is stopped")
		require.NoError(t, p.GoOn(t.Context(), o.Lab, w.ID))
		require.Error(t, p.GoOn(t.Context(), o.Lab, w.ID), "it goes on")
	}
	w = ended(t, p, o.Lab, w.ID)
	require.Equal(t, store.SweepDone, w.State, w.Error)
	require.Len(t, want, w.Found)
	_, got, err := p.Found(t.Context(), o.Lab, w.ID)
	require.NoError(t, err)
	same(t, want, got)
}

// TestSweepsShare: one that is begun later does not wait until the first has ended.
func TestSweepsShare(t *testing.T) {
	s, _ := open(t)
	labs := live.New(s)
	large, err := labs.Create(t.Context(), text(t, "valley-line"), "")
	require.NoError(t, err)
	small, err := labs.Create(t.Context(), text(t, "one-bridge"), "")
	require.NoError(t, err)
	for _, id := range []string{large.ID, small.ID} {
		_, err = labs.Open(t.Context(), id)
		require.NoError(t, err)
	}
	p := pool(t, s, 1)
	first, err := p.Begin(t.Context(), Order{Lab: large.ID, Actions: 1, Depth: 2, Kinds: []string{"router"}})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		w, err := s.Sweep(t.Context(), large.ID, first.ID)
		require.NoError(t, err)
		return w.Tried > 0
	}, time.Minute, 10*time.Millisecond)
	second, err := p.Begin(t.Context(), Order{Lab: small.ID, Actions: 1, Depth: 1})
	require.NoError(t, err)
	require.Equal(t, store.SweepDone, ended(t, p, small.ID, second.ID).State)
	now, err := s.Sweep(t.Context(), large.ID, first.ID)
	require.NoError(t, err)
	require.Equal(t, store.SweepRunning, now.State, "the large one goes on meanwhile")
	require.NoError(t, p.StopSweep(t.Context(), large.ID, first.ID))
}

// TestAWorkerOfAnotherEngineTakesNothing, and says so.
func TestAWorkerOfAnotherEngineTakesNothing(t *testing.T) {
	s, _ := open(t)
	labs := live.New(s)
	row, err := labs.Create(t.Context(), text(t, "first-triangle"), "")
	require.NoError(t, err)
	old, err := New(s, 0)
	require.NoError(t, err)
	_, err = old.client.Insert(t.Context(), prepareJob{"other", 0}, &river.InsertOpts{Queue: Queue("0")})
	require.NoError(t, err)
	p := pool(t, s, 1)
	require.Eventually(t, func() bool {
		a, err := p.About(t.Context())
		require.NoError(t, err)
		return len(a.Workers) == 1 && strings.Contains(a.Workers[0].Says, "engine 0")
	}, time.Minute, 50*time.Millisecond)
	_, err = labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	w, err := p.Begin(t.Context(), Order{Lab: row.ID, Actions: 1, Depth: 1})
	require.NoError(t, err)
	require.Equal(t, store.SweepDone, ended(t, p, row.ID, w.ID).State, "its own it does")
	a, err := p.About(t.Context())
	require.NoError(t, err)
	require.Equal(t, 1, a.Queued)
}

// TestWhatCannotBeSweptSaysWhy: in the order, or as the sweep's own error.
func TestWhatCannotBeSweptSaysWhy(t *testing.T) {
	s, _ := open(t)
	labs := live.New(s)
	row, err := labs.Create(t.Context(), text(t, "triangle-with-ospf"), "")
	require.NoError(t, err)
	l, err := labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	p := pool(t, s, 1)
	for _, c := range []struct {
		o    Order
		says string
	}{
		{Order{Depth: 3}, "a depth of 3"}, {Order{Depth: 1, Kinds: []string{"moon"}}, "moon"}, {Order{Depth: 1, Own: []string{"jump viaduct.e1"}}, "jump"},
		{Order{Depth: 1, Text: "ruter x"}, "the text has an error"},
	} {
		c.o.Lab, c.o.Actions = row.ID, 1
		_, err := p.Begin(t.Context(), c.o)
		require.ErrorContains(t, err, c.says)
	}
	_, err = p.Begin(t.Context(), Order{Lab: "000000000000", Actions: 1, Depth: 1})
	require.ErrorIs(t, err, store.ErrNotFound)

	own, err := p.Begin(t.Context(), Order{Lab: row.ID, Actions: 1, Depth: 1, Own: []string{"cut nowhere.e1", "cut viaduct.e1"}})
	require.NoError(t, err)
	require.Equal(t, store.SweepDone, ended(t, p, row.ID, own.ID).State)
	_, got, err := p.Found(t.Context(), row.ID, own.ID)
	require.NoError(t, err)
	require.Len(t, got, 2)
	require.Contains(t, got[0].Says(), "nowhere", "what cannot be tried is said, and the other is tried")

	cut, err := history.ParseAction("cut viaduct.e1")
	require.NoError(t, err)
	_, err = l.Act(t.Context(), live.Order{Action: cut, For: 1})
	require.NoError(t, err)
	moving, err := p.Begin(t.Context(), Order{Lab: row.ID, Actions: 2, Depth: 1})
	require.NoError(t, err)
	failed := ended(t, p, row.ID, moving.ID)
	require.Equal(t, store.SweepFailed, failed.State)
	require.Contains(t, failed.Error, "not at rest")

	_, err = p.store.Sweep(t.Context(), "111111111111", own.ID)
	require.ErrorIs(t, err, store.ErrNoSweep, "of another lab")
	require.NoError(t, p.Delete(t.Context(), row.ID, own.ID))
	require.ErrorIs(t, p.Delete(t.Context(), row.ID, own.ID), store.ErrNoSweep)
}
