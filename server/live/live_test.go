package live

import (
	"context"
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/history"
	"hellebore/core/lab"
	"hellebore/demo"
	"hellebore/server/store"
)

// memory is a journal that can be taken away.
type memory struct {
	mu      sync.Mutex
	labs    map[string]store.Lab
	records map[string][]history.Record
	away    bool
}

func newMemory() *memory {
	return &memory{labs: map[string]store.Lab{}, records: map[string][]history.Record{}}
}

var errAway = errors.New("connection refused")

func (m *memory) locked(do func() error) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.away {
		return errAway
	}
	return do()
}

func (m *memory) Labs(context.Context) (out []store.Lab, err error) {
	return out, m.locked(func() error {
		for _, l := range m.labs {
			out = append(out, l)
		}
		return nil
	})
}

func (m *memory) Lab(_ context.Context, id string) (l store.Lab, err error) {
	return l, m.locked(func() error {
		var ok bool
		if l, ok = m.labs[id]; !ok {
			return store.ErrNotFound
		}
		return nil
	})
}

func (m *memory) Create(_ context.Context, l store.Lab, journal []history.Record) error {
	return m.locked(func() error { m.labs[l.ID], m.records[l.ID] = l, journal; return nil })
}

func (m *memory) Delete(_ context.Context, id string) error {
	return m.locked(func() error { delete(m.labs, id); return nil })
}

func (m *memory) Journal(_ context.Context, id string) (out []history.Record, err error) {
	return out, m.locked(func() error { out = append(out, m.records[id]...); return nil })
}

func (m *memory) Append(_ context.Context, id, title string, r history.Record) error {
	return m.locked(func() error {
		l := m.labs[id]
		l.Title = title
		m.labs[id] = l
		m.records[id] = append(m.records[id], r)
		return nil
	})
}

func (m *memory) Complete(_ context.Context, id string, r history.Record) error {
	return m.locked(func() error { m.records[id][r.Seq-1] = r; return nil })
}

func (m *memory) setAway(away bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.away = away
}

func open(t *testing.T) (*memory, *Labs, *Lab) {
	t.Helper()
	m := newMemory()
	labs := New(m)
	labs.retry = 10 * time.Millisecond
	row, err := labs.Create(t.Context(), demo.Labs()[1].Text, "")
	require.NoError(t, err)
	l, err := labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	return m, labs, l
}

func action(t *testing.T, s string) history.Action {
	t.Helper()
	a, err := history.ParseAction(s)
	require.NoError(t, err)
	return a
}

func digest(t *testing.T, l *Lab) (d uint64) {
	t.Helper()
	require.NoError(t, l.Do(t.Context(), func(x *lab.Lab) error { d = x.History().Head().Digest(true); return nil }))
	return d
}

func TestActionIsInTheJournalBeforeItTakesEffect(t *testing.T) {
	m, _, l := open(t)
	digest(t, l) // open by now
	news, done := l.Watch()
	defer done()
	record, err := l.Act(t.Context(), action(t, "cut viaduct.e2"), 0, 0)
	require.NoError(t, err)
	require.Equal(t, Progress, (<-news).Kind)
	require.Equal(t, Event{Kind: Changed, Actions: 2}, <-news)
	require.Equal(t, record, m.records[l.ID][1])
	require.True(t, record.Done)
}

func TestReopenedLabIsTheSame(t *testing.T) {
	m, _, l := open(t)
	_, err := l.Act(t.Context(), action(t, "silence viaduct.e2 out"), 0, 0)
	require.NoError(t, err)
	want := digest(t, l)
	// As a server that was killed in the middle would have left it.
	cut := &m.records[l.ID][1]
	*cut = history.Record{Seq: cut.Seq, Action: cut.Action, Start: cut.Start}
	again, err := New(m).Open(t.Context(), l.ID)
	require.NoError(t, err)
	require.Equal(t, want, digest(t, again))
	require.True(t, m.records[l.ID][1].Done, "the journalled action was carried to its end and completed")
}

func TestSecondApplyIsToldThatTheTextMovedOn(t *testing.T) {
	_, _, l := open(t)
	text := demo.Labs()[1].Text
	first := strings.Replace(text, "seed 7", "seed 8", 1)
	second := strings.Replace(text, "delay 2ms", "delay 3ms", 1)
	_, err := l.Act(t.Context(), history.Action{Kind: history.Apply, Text: first}, 0, 1)
	require.NoError(t, err)
	before := digest(t, l)
	_, err = l.Act(t.Context(), history.Action{Kind: history.Apply, Text: second}, 0, 1)
	var moved *MovedOn
	require.ErrorAs(t, err, &moved)
	require.Equal(t, first, moved.Text)
	require.Equal(t, 2, moved.Seq)
	require.Len(t, moved.Changes, 2, "the seed back, and the delay")
	require.Equal(t, before, digest(t, l))
	_, err = l.Act(t.Context(), history.Action{Kind: history.Apply, Text: second}, 0, moved.Seq)
	require.NoError(t, err, "applying over it is possible, knowingly")
}

func TestDatabaseAway(t *testing.T) {
	m, labs, l := open(t)
	before := digest(t, l)
	m.setAway(true)
	_, err := l.Act(t.Context(), action(t, "cut viaduct.e2"), 0, 0)
	var away *Unavailable
	require.ErrorAs(t, err, &away)
	require.ErrorIs(t, err, errAway)
	require.Equal(t, before, digest(t, l), "nothing took effect")
	_, err = labs.List(t.Context())
	require.ErrorAs(t, err, &away)
	m.setAway(false)
	_, err = l.Act(t.Context(), action(t, "cut viaduct.e2"), 0, 0)
	require.NoError(t, err)
	require.Len(t, m.records[l.ID], 2, "and the refused try left no trace")
}

func TestDatabaseThatComesBackInTimeIsNotNoticed(t *testing.T) {
	m, labs, l := open(t)
	labs.retry = 5 * time.Second
	m.setAway(true)
	back := time.AfterFunc(80*time.Millisecond, func() { m.setAway(false) })
	defer back.Stop()
	_, err := l.Act(t.Context(), action(t, "cut viaduct.e2"), 0, 0)
	require.NoError(t, err)
}

func TestForkAndDelete(t *testing.T) {
	m, labs, l := open(t)
	_, err := l.Act(t.Context(), action(t, "cut viaduct.e2"), 0, 0)
	require.NoError(t, err)
	row, err := labs.Fork(t.Context(), l.ID, "before-2")
	require.NoError(t, err)
	forked, err := labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	require.NoError(t, forked.Do(t.Context(), func(x *lab.Lab) error {
		require.Len(t, x.History().Steps(), 1)
		return nil
	}))
	_, err = labs.Fork(t.Context(), l.ID, "after-9")
	require.EqualError(t, err, "there is no action 9 in this lab: it has 2")
	require.NoError(t, labs.Delete(t.Context(), l.ID))
	require.ErrorIs(t, l.Do(t.Context(), func(*lab.Lab) error { return nil }), store.ErrNotFound)
	_, err = labs.Open(t.Context(), l.ID)
	require.ErrorIs(t, err, store.ErrNotFound)
	require.Len(t, m.labs, 1)
}

func TestRefusedTextMakesNoLab(t *testing.T) {
	m, labs, _ := open(t)
	_, err := labs.Create(t.Context(), "router\n", "")
	var text *history.TextError
	require.ErrorAs(t, err, &text)
	require.Len(t, m.labs, 1)
}
