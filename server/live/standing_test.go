package live

import (
	"context"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/lab"
	"hellebore/core/simulation/history"
	"hellebore/demo"
	"hellebore/server/store"
)

func TestAPanicEndsItsLabAloneAndThatOpensAgain(t *testing.T) {
	_, labs, l := open(t)
	row, err := labs.Create(t.Context(), demo.Text("first-triangle"), "")
	require.NoError(t, err)
	other, err := labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	before := digest(t, l)
	err = l.Do(t.Context(), func(*lab.Lab) error { panic("a mistake") })
	var incident *Incident
	require.ErrorAs(t, err, &incident)
	require.ErrorContains(t, err, incident.Number)
	require.ErrorAs(t, l.Do(t.Context(), func(*lab.Lab) error { return nil }), &incident, "the lab is closed")
	digest(t, other)
	again, err := labs.Open(t.Context(), l.ID)
	require.NoError(t, err)
	require.Equal(t, before, digest(t, again))
}

func TestALabThatCannotBeReplayedIsReadAsText(t *testing.T) {
	m, _, l := open(t)
	m.records[l.ID] = append(m.records[l.ID], history.Record{Seq: 2, Action: "burn viaduct"})
	labs := New(m)
	_, err := labs.Open(t.Context(), l.ID)
	var broken *Broken
	require.ErrorAs(t, err, &broken)
	require.NotEmpty(t, broken.Number)
	records, _, err := labs.Journal(t.Context(), l.ID)
	require.NoError(t, err)
	require.Len(t, records, 2)
	require.NotEmpty(t, records[0].Text)
	require.NoError(t, labs.Delete(t.Context(), l.ID))
	_, err = labs.Open(t.Context(), l.ID)
	require.ErrorIs(t, err, store.ErrNotFound)
}

func TestALabThatOpensSlowlyHoldsNoOther(t *testing.T) {
	m, _, l := open(t)
	row, err := New(m).Create(t.Context(), demo.Text("first-triangle"), "")
	require.NoError(t, err)
	gate := make(chan struct{})
	m.gates = map[string]chan struct{}{l.ID: gate}
	labs := New(m)
	slow := make(chan error, 1)
	go func() { _, err := labs.Open(t.Context(), l.ID); slow <- err }()
	require.Eventually(t, func() bool { labs.mu.Lock(); defer labs.mu.Unlock(); return labs.open[l.ID] != nil }, time.Minute, time.Millisecond)
	_, err = labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	impatient, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = labs.Open(impatient, l.ID)
	require.ErrorIs(t, err, context.Canceled)
	close(gate)
	require.NoError(t, <-slow)
}

func TestAnOddIDIsNoOutage(t *testing.T) {
	m, labs, _ := open(t)
	m.setAway(true)
	for _, id := range []string{"", "\x00", "..", "ABCDEF012345", "0123456789abc", "é"} {
		_, err := labs.Open(t.Context(), id)
		require.ErrorIs(t, err, store.ErrNotFound)
		require.ErrorIs(t, labs.Delete(t.Context(), id), store.ErrNotFound)
	}
}

func TestStoppedOpeningChangesNothing(t *testing.T) {
	// Where packets may be lost no time is skipped, so that opening takes a while.
	m, _, l := openText(t, strings.ReplaceAll(demo.Text("triangle-with-ospf"), " delay", " loss 0.0001% delay"))
	for range 40 {
		_, err := l.Act(t.Context(), Order{Action: action(t, "wait 1h")})
		require.NoError(t, err)
	}
	want := append([]history.Record{}, m.records[l.ID]...)
	gate := make(chan struct{})
	m.gates = map[string]chan struct{}{l.ID: gate}
	labs := New(m)
	opening, err := labs.Find(l.ID)
	require.NoError(t, err)
	close(gate)
	require.Eventually(t, func() bool {
		opening.works.mu.Lock()
		defer opening.works.mu.Unlock()
		for _, w := range opening.works.all {
			w.cancel.Store(true) // as Cancel does
			return true
		}
		return false
	}, time.Minute, 100*time.Microsecond)
	_, err = labs.Open(t.Context(), l.ID)
	require.ErrorIs(t, err, errOpening)
	require.Equal(t, want, m.records[l.ID])
	again, err := labs.Open(t.Context(), l.ID)
	require.NoError(t, err)
	for _, s := range again.View(t.Context()).History().Steps() {
		require.False(t, s.Diverged)
	}
}

func TestStopConcernsWhatItWasAskedFor(t *testing.T) {
	_, _, l := open(t)
	news, done := l.Watch()
	defer done()
	_, err := l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
	require.NoError(t, err)
	old := (<-news).Work
	for old == "" {
		old = (<-news).Work
	}
	require.False(t, l.Cancel(old), "that has ended")
	var wait sync.WaitGroup
	wait.Go(func() {
		r, err := l.Act(context.Background(), Order{Action: action(t, "wait 700000h")})
		require.NoError(t, err)
		require.Equal(t, "stopped", r.Outcome.String())
	})
	for e := range news {
		if strings.HasPrefix(e.Action, "wait") {
			require.False(t, l.Cancel(old))
			require.True(t, l.Cancel(e.Work))
			break
		}
	}
	wait.Wait()
}

func TestALostAnswerIsLookedUp(t *testing.T) {
	m, labs, l := open(t)
	labs.retry = 5 * time.Second
	m.lose = true
	_, err := l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
	require.NoError(t, err)
	require.Len(t, m.records[l.ID], 2)
}

func TestAnActionThatTheJournalKeptAfterAllIsCaughtUpWith(t *testing.T) {
	m, labs, l := open(t)
	digest(t, l)
	labs.retry = 0 // no second try: the answer stays lost
	m.lose = true
	_, err := l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2"), ID: "0a"})
	var away *Unavailable
	require.ErrorAs(t, err, &away)
	require.True(t, away.Doubt)
	require.Len(t, m.records[l.ID], 2, "it was kept")
	again, err := l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2"), ID: "0a"})
	require.NoError(t, err)
	require.Equal(t, 2, again.Seq, "the same order is not carried out twice")
	_, err = l.Act(t.Context(), Order{Action: action(t, "mend viaduct.e2")})
	require.NoError(t, err)
	reopened, err := New(m).Open(t.Context(), l.ID)
	require.NoError(t, err)
	require.Equal(t, digest(t, l), digest(t, reopened))
}

func TestALabReadsOnInItsJournal(t *testing.T) {
	m, _, l := open(t)
	other, err := New(m).Open(t.Context(), l.ID)
	require.NoError(t, err)
	_, err = other.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
	require.NoError(t, err)
	record, err := l.Act(t.Context(), Order{Action: action(t, "wait 5s")})
	require.NoError(t, err)
	require.Equal(t, 3, record.Seq)
	_, draft := drafts()
	id, _, err := other.Preview(t.Context(), lab.Plan{Text: draft}, 0)
	require.NoError(t, err)
	_, err = other.Apply(t.Context(), id, "", "")
	var overtaken *Overtaken
	require.ErrorAs(t, err, &overtaken)
	require.Equal(t, []string{"wait 5s"}, overtaken.Since)
	require.Equal(t, digest(t, l), digest(t, other))
}

func TestARefusedRenameKeepsTheOldName(t *testing.T) {
	m, _, l := open(t)
	require.NoError(t, l.NameMoment(t.Context(), "calm", "now"))
	_, err := l.Act(t.Context(), Order{Action: action(t, "wait 5s")})
	require.NoError(t, err)
	was, _ := l.View(t.Context()).MomentOf("calm")
	m.setAway(true)
	require.Error(t, l.NameMoment(t.Context(), "calm", "now"))
	m.setAway(false)
	require.NoError(t, l.Do(t.Context(), func(x *lab.Lab) error {
		is, ok := x.MomentOf("calm")
		require.True(t, ok)
		require.Equal(t, was, is)
		return nil
	}))
}

// TestWhoeverGoesAwayLeavesNoRace acts, looks and previews with contexts that end
// at any time: the race detector must be silent, and the lab whole.
func TestWhoeverGoesAwayLeavesNoRace(t *testing.T) {
	m, _, l := open(t)
	_, draft := drafts()
	var wait sync.WaitGroup
	for i := range 40 {
		wait.Go(func() {
			ctx, cancel := context.WithTimeout(t.Context(), time.Duration(i)*200*time.Microsecond)
			defer cancel()
			switch i % 4 {
			case 0:
				_, _ = l.Act(ctx, Order{Action: action(t, "wait 5s")})
			case 1:
				_, _ = l.View(ctx).Pairs(1)
			case 2:
				_, _, _ = l.Preview(ctx, lab.Plan{Text: draft}, 0)
			default:
				l.View(ctx).Timeline()
			}
		})
	}
	wait.Wait()
	want := digest(t, l) // waits for what runs on although nobody waits for it
	reopened, err := New(m).Open(t.Context(), l.ID)
	require.NoError(t, err)
	require.Equal(t, want, digest(t, reopened))
}

func TestNoNULComesIn(t *testing.T) {
	m, labs, l := open(t)
	_, err := l.Act(t.Context(), Order{Action: action(t, "wait 5s"), Author: "A\x00"})
	require.ErrorContains(t, err, "NUL")
	_, _, err = l.Preview(t.Context(), lab.Plan{Text: "router a\n", Message: "\x00"}, 0)
	require.ErrorContains(t, err, "NUL")
	require.ErrorContains(t, labs.KeepDraft(t.Context(), store.Draft{LabID: l.ID, Text: "\x00"}), "NUL")
	_, err = labs.Create(t.Context(), "lab \"\x00\"\n", "")
	require.Error(t, err)
	require.Len(t, m.records[l.ID], 1)
}
