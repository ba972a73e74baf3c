package live

import (
	"bytes"
	"context"
	"errors"
	"maps"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/lab"
	"hellebore/core/questions/topology"
	"hellebore/core/simulation/history"
	"hellebore/demo"
	"hellebore/server/store"
)

// memory is a journal that can be taken away.
type memory struct {
	mu      sync.Mutex
	labs    map[string]store.Lab
	records map[string][]history.Record
	drafts  map[string]store.Draft
	moments map[string]map[string]history.Moment
	places  map[string]map[string]topology.Position
	answers map[string][]store.Answer
	images  map[string]imageOf
	away    bool
	lose    bool                     // the answer of the next Append is lost
	gates   map[string]chan struct{} // journals that come when their channel is closed
}

func newMemory() *memory {
	return &memory{labs: map[string]store.Lab{}, records: map[string][]history.Record{}, drafts: map[string]store.Draft{}, moments: map[string]map[string]history.Moment{}, places: map[string]map[string]topology.Position{}, answers: map[string][]store.Answer{}, images: map[string]imageOf{}}
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

func (m *memory) Begin(_ context.Context, id, title string, r history.Record) error {
	return m.locked(func() error {
		l, ok := m.labs[id]
		if !ok {
			return store.ErrNotFound
		}
		l.Title, l.Actions = title, 1
		m.labs[id], m.records[id] = l, []history.Record{r}
		delete(m.moments, id)
		delete(m.places, id)
		delete(m.answers, id)
		return nil
	})
}

func (m *memory) Applied(context.Context) (map[string]int, error) {
	out := map[string]int{}
	return out, m.locked(func() error {
		for id, records := range m.records {
			for _, r := range records {
				if r.Action == "apply" {
					out[id] = r.Seq
				}
			}
		}
		return nil
	})
}

func (m *memory) Text(_ context.Context, id string, seq int) (text string, err error) {
	return text, m.locked(func() error {
		if len(m.records[id]) < seq {
			return store.ErrNotFound
		}
		text = m.records[id][seq-1].Text
		return nil
	})
}

func (m *memory) Journal(_ context.Context, id string) (out []history.Record, err error) {
	m.mu.Lock()
	gate := m.gates[id]
	m.mu.Unlock()
	if gate != nil {
		<-gate
	}
	return out, m.locked(func() error { out = append(out, m.records[id]...); return nil })
}

func (m *memory) Append(_ context.Context, id, title string, r ...history.Record) error {
	return m.locked(func() error {
		l, ok := m.labs[id]
		if !ok {
			return store.ErrNotFound
		}
		if had := m.records[id]; r[0].Seq <= len(had) {
			if had[r[0].Seq-1].ID == r[0].ID {
				return nil // ours: its answer was lost
			}
			return store.ErrMovedOn
		}
		l.Title = title
		m.labs[id] = l
		m.records[id] = append(m.records[id], r...)
		if m.lose {
			m.lose = false
			return errAway
		}
		return nil
	})
}

func (m *memory) Drafts(_ context.Context, id string) (out []store.Draft, err error) {
	return out, m.locked(func() error {
		for _, d := range m.drafts {
			if d.LabID == id {
				out = append(out, d)
			}
		}
		return nil
	})
}

func (m *memory) KeepDraft(_ context.Context, d store.Draft) error {
	return m.locked(func() error { m.drafts[d.LabID+d.Owner] = d; return nil })
}

func (m *memory) DropDraft(_ context.Context, id, owner string) error {
	return m.locked(func() error { delete(m.drafts, id+owner); return nil })
}

func (m *memory) Moments(_ context.Context, id string) (out map[string]history.Moment, err error) {
	return out, m.locked(func() error { out = maps.Clone(m.moments[id]); return nil })
}

func (m *memory) NameMoment(_ context.Context, id, name string, at history.Moment) error {
	return m.locked(func() error {
		if m.moments[id] == nil {
			m.moments[id] = map[string]history.Moment{}
		}
		m.moments[id][name] = at
		return nil
	})
}

func (m *memory) ForgetMoment(_ context.Context, id, name string) error {
	return m.locked(func() error { delete(m.moments[id], name); return nil })
}

func (m *memory) Places(_ context.Context, id string) (out map[string]topology.Position, err error) {
	return out, m.locked(func() error { out = maps.Clone(m.places[id]); return nil })
}

func (m *memory) Place(_ context.Context, id string, places map[string]topology.Position) error {
	return m.locked(func() error {
		if m.places[id] == nil {
			m.places[id] = map[string]topology.Position{}
		}
		maps.Copy(m.places[id], places)
		return nil
	})
}

func (m *memory) ForgetPlaces(_ context.Context, id string) error {
	return m.locked(func() error { delete(m.places, id); return nil })
}

func (m *memory) Answers(_ context.Context, id string) (out []store.Answer, err error) {
	return out, m.locked(func() error { out = slices.Clone(m.answers[id]); return nil })
}

func (m *memory) KeepAnswer(_ context.Context, a store.Answer) error {
	return m.locked(func() error {
		m.answers[a.LabID] = append([]store.Answer{a}, m.answers[a.LabID]...)
		return nil
	})
}

func (m *memory) ForgetAnswers(_ context.Context, id string) error {
	return m.locked(func() error { delete(m.answers, id); return nil })
}

func (m *memory) Complete(_ context.Context, id string, r history.Record) error {
	return m.locked(func() error { m.records[id][r.Seq-1] = r; return nil })
}

func (m *memory) setAway(away bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.away = away
}

func open(t *testing.T) (*memory, *Labs, *Lab) { return openText(t, demo.Text("triangle-with-ospf")) }

func openText(t *testing.T, text string) (*memory, *Labs, *Lab) {
	t.Helper()
	m := newMemory()
	labs := New(m)
	labs.retry = 10 * time.Millisecond
	row, err := labs.Create(t.Context(), text, "")
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
	record, err := l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
	require.NoError(t, err)
	require.Equal(t, Progress, (<-news).Kind)
	require.Equal(t, Event{Kind: Changed, Actions: 2}, <-news)
	require.Equal(t, record, m.records[l.ID][1])
	require.True(t, record.Done)
}

func TestReopenedLabIsTheSame(t *testing.T) {
	m, _, l := open(t)
	_, err := l.Act(t.Context(), Order{Action: action(t, "silence viaduct.e2 out")})
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
	text := demo.Text("triangle-with-ospf")
	first := strings.Replace(text, "seed 7", "seed 8", 1)
	second := strings.Replace(text, "delay 2ms", "delay 3ms", 1)
	_, err := l.Act(t.Context(), Order{Action: history.Action{Kind: history.Apply, Text: first}, Base: 1})
	require.NoError(t, err)
	before := digest(t, l)
	_, err = l.Act(t.Context(), Order{Action: history.Action{Kind: history.Apply, Text: second}, Base: 1})
	var moved *MovedOn
	require.ErrorAs(t, err, &moved)
	require.Equal(t, first, moved.Text)
	require.Equal(t, 2, moved.Seq)
	require.Len(t, moved.Changes, 2, "the seed back, and the delay")
	require.Equal(t, before, digest(t, l))
	_, err = l.Act(t.Context(), Order{Action: history.Action{Kind: history.Apply, Text: second}, Base: moved.Seq})
	require.NoError(t, err, "applying over it is possible, knowingly")
}

func TestDatabaseAway(t *testing.T) {
	m, labs, l := open(t)
	before := digest(t, l)
	m.setAway(true)
	_, err := l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
	var away *Unavailable
	require.ErrorAs(t, err, &away)
	require.ErrorIs(t, err, errAway)
	require.Equal(t, before, digest(t, l), "nothing took effect")
	_, err = labs.List(t.Context())
	require.ErrorAs(t, err, &away)
	m.setAway(false)
	_, err = l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
	require.NoError(t, err)
	require.Len(t, m.records[l.ID], 2, "and the refused try left no trace")
}

func TestDatabaseThatComesBackInTimeIsNotNoticed(t *testing.T) {
	m, labs, l := open(t)
	labs.retry = 5 * time.Second
	m.setAway(true)
	back := time.AfterFunc(80*time.Millisecond, func() { m.setAway(false) })
	defer back.Stop()
	_, err := l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
	require.NoError(t, err)
}

func TestForkAndDelete(t *testing.T) {
	m, labs, l := open(t)
	_, err := l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
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

// drafts are the text of the demo lab and one with another delay.
func drafts() (text, draft string) {
	text = demo.Text("triangle-with-ospf")
	return text, strings.Replace(text, "delay 2ms", "delay 3ms", 1)
}

func TestAppliedIsWhatWasPreviewed(t *testing.T) {
	m, _, l := open(t)
	_, draft := drafts()
	before := digest(t, l)
	id, p, err := l.Preview(t.Context(), lab.Plan{Text: draft, Author: "Bob", Message: "faster"}, 1)
	require.NoError(t, err)
	require.Equal(t, before, digest(t, l), "nothing has happened")
	require.Len(t, m.records[l.ID], 1)
	record, err := l.Apply(t.Context(), id, "Ada", "slower")
	require.NoError(t, err)
	require.Equal(t, p.Digest(), digest(t, l))
	require.Equal(t, record, m.records[l.ID][1])
	require.True(t, record.Done)
	require.Equal(t, "Ada", record.Author, "the last word counts")
	require.Equal(t, "slower", record.Message)
	require.NotZero(t, record.Made)
	_, err = l.Apply(t.Context(), id, "", "")
	require.ErrorContains(t, err, "preview the change again")

	again, err := New(m).Open(t.Context(), l.ID)
	require.NoError(t, err)
	require.Equal(t, p.Digest(), digest(t, again), "and it is so after a replay")
}

func TestAnOvertakenPreviewSaysWhatMovedAndIsMadeAgain(t *testing.T) {
	m, _, l := open(t)
	_, draft := drafts()
	id, _, err := l.Preview(t.Context(), lab.Plan{Text: draft}, 1)
	require.NoError(t, err)
	_, err = l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
	require.NoError(t, err)
	_, err = l.Apply(t.Context(), id, "", "")
	var overtaken *Overtaken
	require.ErrorAs(t, err, &overtaken)
	require.Equal(t, []string{"cut viaduct.e2"}, overtaken.Since)
	require.Len(t, m.records[l.ID], 2, "nothing was applied")
	_, err = l.Apply(t.Context(), overtaken.ID, "", "")
	require.NoError(t, err)
	require.Len(t, m.records[l.ID], 3)
}

func TestAPreviewOfAnOldTextIsRefused(t *testing.T) {
	_, _, l := open(t)
	text, draft := drafts()
	_, err := l.Act(t.Context(), Order{Action: history.Action{Kind: history.Apply, Text: strings.Replace(text, "seed 7", "seed 8", 1)}, Base: 1})
	require.NoError(t, err)
	_, _, err = l.Preview(t.Context(), lab.Plan{Text: draft}, 1)
	var moved *MovedOn
	require.ErrorAs(t, err, &moved)
	_, _, err = l.Preview(t.Context(), lab.Plan{Text: "router\n"}, 0)
	var wrong *history.TextError
	require.ErrorAs(t, err, &wrong)
}

func TestAPreviewIsNotAppliedWhileTheDatabaseIsAway(t *testing.T) {
	m, _, l := open(t)
	_, draft := drafts()
	id, _, err := l.Preview(t.Context(), lab.Plan{Text: draft}, 1)
	require.NoError(t, err)
	before := digest(t, l)
	m.setAway(true)
	_, err = l.Apply(t.Context(), id, "", "")
	var away *Unavailable
	require.ErrorAs(t, err, &away)
	require.Equal(t, before, digest(t, l))
	m.setAway(false)
	_, err = l.Apply(t.Context(), id, "", "")
	require.NoError(t, err, "the preview still holds")
}

func TestNamedMomentsComeBack(t *testing.T) {
	m, _, l := open(t)
	require.NoError(t, l.NameMoment(t.Context(), "calm", "now"))
	_, err := l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
	require.NoError(t, err)
	require.ErrorContains(t, l.NameMoment(t.Context(), "before-1", "now"), "is no name for a moment")
	require.Error(t, l.NameMoment(t.Context(), "x", "no such moment"))
	again, err := New(m).Open(t.Context(), l.ID)
	require.NoError(t, err)
	require.NoError(t, again.Do(t.Context(), func(x *lab.Lab) error {
		at, err := x.ParseMoment("calm")
		require.NoError(t, err)
		require.Equal(t, x.History().BeforeStep(2), at)
		require.False(t, x.Compare(at, x.History().Now()).Same)
		return nil
	}))
	require.NoError(t, again.ForgetMoment(t.Context(), "calm"))
	require.Empty(t, m.moments[l.ID])
}

func TestMovedCardsComeBack(t *testing.T) {
	m, _, l := open(t)
	at := map[string]topology.Position{"viaduct": {X: 12, Y: 34}}
	require.NoError(t, l.Move(t.Context(), at))
	require.ErrorContains(t, l.Move(t.Context(), map[string]topology.Position{"nobody": {}}), "there is no device or segment named nobody")
	again, err := New(m).Open(t.Context(), l.ID)
	require.NoError(t, err)
	require.Equal(t, at, again.View(t.Context()).Moved())
	require.Len(t, again.View(t.Context()).History().Steps(), 1, "it is no action")
	require.NoError(t, again.Move(t.Context(), nil))
	require.Empty(t, m.places[l.ID])
	require.Empty(t, again.View(t.Context()).Moved())
}

func TestABundleIsReplayedElsewhere(t *testing.T) {
	m, labs, l := open(t)
	_, err := l.Act(t.Context(), Order{Action: action(t, "silence viaduct.e2 out"), Author: "Ada", Message: "a test"})
	require.NoError(t, err)
	require.NoError(t, l.NameMoment(t.Context(), "silent", "now"))
	require.NoError(t, l.Move(t.Context(), map[string]topology.Position{"viaduct": {X: 12, Y: 34}}))
	var b bytes.Buffer
	require.NoError(t, l.Do(t.Context(), func(x *lab.Lab) error { return x.Bundle(&b) }))
	row, err := labs.Import(t.Context(), b.Bytes())
	require.NoError(t, err)
	other, err := labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	require.Equal(t, digest(t, l), digest(t, other))
	ours := m.records[l.ID][1]
	ours.ID = "" // of the other lab alone
	require.Equal(t, ours, m.records[row.ID][1])
	require.Equal(t, 2, row.Actions)
	require.WithinDuration(t, time.Now(), row.CreatedAt, time.Minute)
	require.Equal(t, m.moments[l.ID], m.moments[row.ID])
	require.Equal(t, m.places[l.ID], m.places[row.ID])
	_, err = labs.Import(t.Context(), []byte("no zip"))
	require.ErrorContains(t, err, "no zip archive")
}

func TestDraftsAreKeptByTheServer(t *testing.T) {
	_, labs, l := open(t)
	for _, owner := range []string{"one", "other"} {
		require.NoError(t, labs.KeepDraft(t.Context(), store.Draft{LabID: l.ID, Owner: owner, Text: "router mill\n", Base: 1}))
	}
	drafts, err := labs.Drafts(t.Context(), l.ID)
	require.NoError(t, err)
	require.Len(t, drafts, 2)
	require.NoError(t, labs.DropDraft(t.Context(), l.ID, "one"))
	drafts, err = labs.Drafts(t.Context(), l.ID)
	require.NoError(t, err)
	require.Equal(t, "other", drafts[0].Owner)
	require.Len(t, drafts, 1)
}
