package store

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/topology"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
	"hellebore/server/cluster"
)

func openStore(t *testing.T) (*Store, string) {
	t.Helper()
	dir, err := os.MkdirTemp("", "hellebore-store-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755)) // the database's user must get in
	c, err := cluster.Start(filepath.Join(dir, "db"), cluster.Options{Unsafe: true})
	require.NoError(t, err)
	t.Cleanup(func() {
		require.NoError(t, c.Stop())
		require.NoError(t, os.RemoveAll(dir))
	})
	s, err := Open(t.Context(), c.URL())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s, c.URL()
}

func TestStore(t *testing.T) {
	s, url := openStore(t)
	ctx := t.Context()
	require.NoError(t, s.migrate(), "migrating twice changes nothing")

	apply := history.Record{Seq: 1, Action: "apply", Text: "lab \"x\"\n", Engine: history.Engine,
		Signature: history.Signature{Author: "Ada", Message: "begin", Made: 1_700_000_000_123, Origin: history.Reverted}}
	require.NoError(t, s.Create(ctx, Lab{ID: "a", Title: "x"}, []history.Record{apply}))
	labs, err := s.Labs(ctx)
	require.NoError(t, err)
	require.Len(t, labs, 1)
	require.Equal(t, 1, labs[0].Actions)

	cut := history.Record{Seq: 2, ID: "0c0c", Action: "cut a.e1", Start: 5, Engine: history.Engine, Signature: history.Signature{Made: 1_700_000_000_456}}
	require.NoError(t, s.Append(ctx, "a", "y", cut))
	require.NoError(t, s.Append(ctx, "a", "y", cut), "the same entry again is a try whose answer was lost")
	other := cut
	other.ID = "0d0d" // the same action of somebody else
	require.ErrorIs(t, s.Append(ctx, "a", "y", other), ErrMovedOn)
	require.ErrorIs(t, s.Append(ctx, "nobody", "y", cut), ErrNotFound)

	cut.Done, cut.Outcome, cut.End, cut.Settled = true, network.Stopped, 9, 7
	cut.Events, cut.Digest, cut.State = 1234, 1<<63|5, network.State{Ports: 1<<63 | 7, Paths: 3}
	require.NoError(t, s.Complete(ctx, "a", cut))
	journal, err := s.Journal(ctx, "a")
	require.NoError(t, err)
	require.Equal(t, []history.Record{apply, cut}, journal)
	l, err := s.Lab(ctx, "a")
	require.NoError(t, err)
	require.Equal(t, "y", l.Title)
	require.Equal(t, 2, l.Actions)

	times := 0
	for range 2 {
		require.NoError(t, s.Once(ctx, "key", func() error { times++; return nil }))
	}
	require.Equal(t, 1, times)

	// Several at once are written all or not at all.
	three, four := history.Record{Seq: 3, Action: "mend a.e1", Signature: history.Signature{Made: 1}}, history.Record{Seq: 2, Action: "cut a.e9", Signature: history.Signature{Made: 1}}
	require.ErrorIs(t, s.Append(ctx, "a", "y", three, four), ErrMovedOn)
	journal, err = s.Journal(ctx, "a")
	require.NoError(t, err)
	require.Len(t, journal, 2)

	for _, d := range []Draft{{Owner: "x", Text: "lab"}, {Owner: "y", Text: "router"}, {Owner: "x", Text: "lab \"z\"", Base: 1, Author: "Ada"}} {
		d.LabID = "a"
		require.NoError(t, s.KeepDraft(ctx, d))
	}
	drafts, err := s.Drafts(ctx, "a")
	require.NoError(t, err)
	require.Len(t, drafts, 2, "one an owner")
	require.Equal(t, "lab \"z\"", drafts[0].Text)
	require.Equal(t, "Ada", drafts[0].Author)
	require.NoError(t, s.DropDraft(ctx, "a", "x"))
	drafts, err = s.Drafts(ctx, "a")
	require.NoError(t, err)
	require.Len(t, drafts, 1)
	require.ErrorIs(t, s.KeepDraft(ctx, Draft{LabID: "nobody"}), ErrNotFound)

	require.NoError(t, s.NameMoment(ctx, "a", "calm", history.Moment{Step: 1, At: 5}))
	require.NoError(t, s.NameMoment(ctx, "a", "calm", history.Moment{Step: 2, At: 9}))
	require.NoError(t, s.NameMoment(ctx, "a", "storm", history.Moment{Step: 1, At: 3}))
	require.NoError(t, s.ForgetMoment(ctx, "a", "storm"))
	moments, err := s.Moments(ctx, "a")
	require.NoError(t, err)
	require.Equal(t, map[string]history.Moment{"calm": {Step: 2, At: 9}}, moments)
	require.ErrorIs(t, s.NameMoment(ctx, "nobody", "calm", history.Moment{}), ErrNotFound)

	require.NoError(t, s.Place(ctx, "a", map[string]topology.Position{"mill": {X: 1, Y: -2}, "segment yard": {X: 3, Y: 4}}))
	require.NoError(t, s.Place(ctx, "a", map[string]topology.Position{"mill": {X: 5, Y: 6}}))
	places, err := s.Places(ctx, "a")
	require.NoError(t, err)
	require.Equal(t, map[string]topology.Position{"mill": {X: 5, Y: 6}, "segment yard": {X: 3, Y: 4}}, places)
	require.ErrorIs(t, s.Place(ctx, "nobody", places), ErrNotFound)

	for i := range MaxAnswers + 3 {
		require.NoError(t, s.KeepAnswer(ctx, Answer{LabID: "a", Moment: "now", At: fmt.Sprint(i), Said: "{}"}))
	}
	answers, err := s.Answers(ctx, "a")
	require.NoError(t, err)
	require.Len(t, answers, MaxAnswers, "the oldest go")
	require.Equal(t, fmt.Sprint(MaxAnswers+2), answers[0].At, "the newest first")
	require.ErrorIs(t, s.KeepAnswer(ctx, Answer{LabID: "nobody"}), ErrNotFound)
	require.NoError(t, s.ForgetAnswers(ctx, "a"))
	answers, err = s.Answers(ctx, "a")
	require.NoError(t, err)
	require.Empty(t, answers)
	require.NoError(t, s.KeepAnswer(ctx, Answer{LabID: "a", Said: "{}"}))

	require.NoError(t, s.Delete(ctx, "a"))
	require.ErrorIs(t, s.Delete(ctx, "a"), ErrNotFound)
	journal, err = s.Journal(ctx, "a")
	require.NoError(t, err)
	require.Empty(t, journal, "the journal goes with its lab")
	_, err = s.Lab(ctx, "a")
	require.ErrorIs(t, err, ErrNotFound)

	// A text never comes into the log, whatever happens to it.
	var log bytes.Buffer
	was := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(&log, nil)))
	t.Cleanup(func() { slog.SetDefault(was) })
	loud, err := Open(ctx, url)
	require.NoError(t, err)
	err = loud.Create(ctx, Lab{ID: "b"}, []history.Record{{Seq: 1, Action: "apply", Text: "key 1 secret\x00"}})
	require.Error(t, err)
	require.True(t, Refused(err), "and that is no outage")
	require.NotEmpty(t, log.String())
	require.NotContains(t, log.String(), "secret")
	require.NoError(t, loud.Close())

	// A database that a newer version has changed is left alone.
	require.NoError(t, s.db.Exec("INSERT INTO migrations (id) VALUES ('2099-01-01-tomorrow')").Error)
	_, err = Open(ctx, url)
	require.ErrorContains(t, err, "a newer version of this program has changed the database (2099-01-01-tomorrow)")
}

// TestOriginsOfOldJournals: a journal of before origins were kept says in its message
// that a change was taken back.
// TestImagesComeAndGo keeps an image over another, and lets it go with its lab.
func TestImagesComeAndGo(t *testing.T) {
	s, _ := openStore(t)
	ctx := t.Context()
	for _, id := range []string{"a", "b"} {
		require.NoError(t, s.Create(ctx, Lab{ID: id}, []history.Record{{Seq: 1, Action: "apply"}}))
	}
	has := func(id, version string) (string, int) {
		data, actions, err := s.Image(ctx, id, version)
		require.NoError(t, err)
		if data == nil {
			return "", actions
		}
		b, err := io.ReadAll(data)
		require.NoError(t, err)
		return string(b), actions
	}
	keep := func(id, version string, actions int, text string) error {
		return s.KeepImage(ctx, id, version, actions, func(to io.Writer) error {
			_, err := io.WriteString(to, text)
			return err
		})
	}
	data, actions := has("a", "1")
	require.Equal(t, "", data)
	require.Zero(t, actions)
	require.NoError(t, keep("a", "1", 3, "first"))
	require.NoError(t, keep("b", "1", 4, "other"))
	large := strings.Repeat("second ", 1<<20)
	require.NoError(t, keep("a", "1", 5, large))
	data, actions = has("a", "1")
	require.Equal(t, large, data)
	require.Equal(t, 5, actions)
	data, _ = has("a", "2")
	require.Empty(t, data, "of another version")
	require.NoError(t, keep("a", "2", 6, "third"))
	data, _ = has("a", "1")
	require.Empty(t, data, "one is kept of each lab")
	require.ErrorIs(t, keep("nobody", "1", 1, "x"), ErrNotFound)
	failed := errors.New("failed")
	require.ErrorIs(t, s.KeepImage(ctx, "a", "2", 7, func(io.Writer) error { return failed }), failed)
	noise := make([]byte, MaxImage+1)
	_, err := rand.NewChaCha8([32]byte{}).Read(noise)
	require.NoError(t, err)
	require.ErrorIs(t, keep("a", "2", 7, string(noise)), ErrImageTooLarge)
	data, _ = has("a", "2")
	require.Equal(t, "third", data, "what fails leaves the other")
	require.NoError(t, s.DropImage(ctx, "a"))
	require.NoError(t, s.DropImage(ctx, "a"))
	data, _ = has("a", "2")
	require.Empty(t, data)
	require.NoError(t, s.Delete(ctx, "b"))
	data, _ = has("b", "1")
	require.Empty(t, data, "it goes with its lab")
}

func TestOriginsOfOldJournals(t *testing.T) {
	s, url := openStore(t)
	ctx := t.Context()
	old := "taken back by itself: flow coal no longer arrives"
	require.NoError(t, s.Create(ctx, Lab{ID: "a", Title: "x"}, []history.Record{{Seq: 1, Action: "apply", Signature: history.Signature{Made: 1, Message: old}},
		{Seq: 2, Action: "cut a.e1", Signature: history.Signature{Made: 1, Message: "spare the host"}}}))
	require.NoError(t, s.db.Exec("ALTER TABLE journal DROP origin; DELETE FROM migrations WHERE id = '2026-11-28-origins'").Error)
	again, err := Open(ctx, url)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, again.Close()) })
	journal, err := again.Journal(ctx, "a")
	require.NoError(t, err)
	require.Equal(t, history.Signature{Made: 1, Message: "flow coal no longer arrives", Origin: history.Reverted}, journal[0].Signature)
	require.Equal(t, history.Signature{Made: 1, Message: "spare the host"}, journal[1].Signature)
}

func TestALabBeginsAnew(t *testing.T) {
	s, _ := openStore(t)
	ctx := t.Context()
	apply := history.Record{Seq: 1, Action: "apply", Text: "lab \"x\"\n", Engine: history.Engine}
	require.NoError(t, s.Create(ctx, Lab{ID: "a", Title: "x", Demo: "slug"}, []history.Record{apply}))
	second := history.Record{Seq: 2, ID: "1", Action: "apply", Text: "lab \"y\"\n", Engine: history.Engine}
	require.NoError(t, s.Append(ctx, "a", "y", second, history.Record{Seq: 3, ID: "2", Action: "settle", Engine: history.Engine}))
	require.NoError(t, s.NameMoment(ctx, "a", "calm", history.Moment{Step: 2}))
	require.NoError(t, s.KeepDraft(ctx, Draft{LabID: "a", Owner: "o", Text: "t"}))
	applied, err := s.Applied(ctx)
	require.NoError(t, err)
	require.Equal(t, map[string]int{"a": 2}, applied)
	text, err := s.Text(ctx, "a", 2)
	require.NoError(t, err)
	require.Equal(t, second.Text, text)
	_, err = s.Text(ctx, "a", 9)
	require.ErrorIs(t, err, ErrNotFound)

	require.NoError(t, s.Begin(ctx, "a", "x", apply))
	l, err := s.Lab(ctx, "a")
	require.NoError(t, err)
	require.Equal(t, []any{"x", "slug", 1}, []any{l.Title, l.Demo, l.Actions})
	journal, err := s.Journal(ctx, "a")
	require.NoError(t, err)
	require.Len(t, journal, 1)
	moments, err := s.Moments(ctx, "a")
	require.NoError(t, err)
	require.Empty(t, moments)
	drafts, err := s.Drafts(ctx, "a")
	require.NoError(t, err)
	require.Empty(t, drafts)
	require.ErrorIs(t, s.Begin(ctx, "b", "x", apply), ErrNotFound)
}

// TestOnlyWorkersDoWithoutTheDisk: what users did is on disk when the server says so; what workers found can be found again.
func TestOnlyWorkersDoWithoutTheDisk(t *testing.T) {
	s, url := openStore(t)
	worker, err := Join(t.Context(), url)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, worker.Close()) })
	set := func(of *Store) (by []string) {
		require.NoError(t, of.db.Raw("SELECT setting FROM pg_settings WHERE name = 'synchronous_commit' AND source = 'client'").Scan(&by).Error)
		return by
	}
	require.Empty(t, set(s), "as the database is set up")
	require.Equal(t, []string{"off"}, set(worker))
}
