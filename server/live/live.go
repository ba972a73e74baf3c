// Package live holds the labs that are open: one goroutine owns each, and all
// requests reach it as functions that it runs one after the other.
package live

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"sync"
	"time"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/topology"
	"hellebore/core/simulation/history"
	"hellebore/server/store"
)

// Journal is where labs are kept.
type Journal interface {
	Labs(ctx context.Context) ([]store.Lab, error)
	Lab(ctx context.Context, id string) (store.Lab, error)
	Create(ctx context.Context, l store.Lab, journal []history.Record) error
	Delete(ctx context.Context, id string) error
	Begin(ctx context.Context, id, title string, r history.Record) error
	Applied(ctx context.Context) (map[string]int, error)
	Text(ctx context.Context, id string, seq int) (string, error)
	Journal(ctx context.Context, id string) ([]history.Record, error)
	Append(ctx context.Context, id, title string, records ...history.Record) error
	Complete(ctx context.Context, id string, r history.Record) error

	Drafts(ctx context.Context, id string) ([]store.Draft, error)
	KeepDraft(ctx context.Context, d store.Draft) error
	DropDraft(ctx context.Context, id, owner string) error
	Moments(ctx context.Context, id string) (map[string]history.Moment, error)
	NameMoment(ctx context.Context, id, name string, m history.Moment) error
	ForgetMoment(ctx context.Context, id, name string) error
	Places(ctx context.Context, id string) (map[string]topology.Position, error)
	Place(ctx context.Context, id string, places map[string]topology.Position) error
	ForgetPlaces(ctx context.Context, id string) error
	Answers(ctx context.Context, id string) ([]store.Answer, error)
	KeepAnswer(ctx context.Context, a store.Answer) error
	ForgetAnswers(ctx context.Context, id string) error
	Image(ctx context.Context, id, version string) (data io.Reader, actions int, err error)
	KeepImage(ctx context.Context, id, version string, actions int, write func(io.Writer) error) error
	DropImage(ctx context.Context, id string) error
}

// Unavailable says that the database did not answer for as long as we tried.
type Unavailable struct {
	Err   error
	Doubt bool // whether it has kept the action is not known
}

func (e *Unavailable) Error() string {
	if e.Doubt {
		return phrase.Text("the database does not answer; nothing took effect. If it has kept the action after all, the lab shows it when the database is back")
	}
	return phrase.Text("the database does not answer; nothing was changed or lost, try again in a moment")
}

// Unwrap is the database's own error.
func (e *Unavailable) Unwrap() error { return e.Err }

// MovedOn says that a text was made from another one than that in force.
type MovedOn struct {
	Text    string           // in force now
	Changes []labtext.Change // from it to the refused text, by meaning
	Seq     int              // of the action that applied it
}

func (e *MovedOn) Error() string {
	return phrase.Text("the text in force is not the one you started from: somebody has applied another since")
}

// Labs are all labs of a database, open or not.
type Labs struct {
	journal Journal
	retry   time.Duration // how long to try when the database does not answer
	mu      sync.Mutex    // held for the map alone
	open    map[string]*Lab
	covers  covers
	demos   []Demo

	Memory     uint64 // bytes that the worlds of all open labs may take
	imageAfter uint64
	quiet      time.Duration
	tidying    sync.Mutex // held while room is made
}

// New makes the collection of a database's labs. The demo labs are in the order in which
// one learns.
func New(j Journal, demos ...Demo) *Labs {
	return &Labs{journal: j, retry: 5 * time.Second, open: map[string]*Lab{}, demos: demos,
		Memory: DefaultMemory, imageAfter: imageAfter, quiet: quiet}
}

// persist tries a database operation again and again, for as long as the
// collection says, unless the database refuses what it is given.
func (l *Labs) persist(ctx context.Context, do func(context.Context) error) error {
	deadline := time.Now().Add(l.retry)
	for wait := 50 * time.Millisecond; ; wait = min(2*wait, time.Second) {
		err := do(ctx)
		switch {
		case err == nil || errors.Is(err, store.ErrNotFound) || errors.Is(err, store.ErrMovedOn) || ctx.Err() != nil:
			return err
		case store.Refused(err):
			slog.Error("the database refuses what it is given", "error", err)
			return store.ErrRefused
		case time.Now().Add(wait).After(deadline):
			return &Unavailable{Err: err}
		}
		slog.Warn("the database does not answer, trying again", "error", err, "in", wait)
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// Create makes a lab from a text; the text is applied when the lab is opened.
func (l *Labs) Create(ctx context.Context, text, demo string) (store.Lab, error) {
	r := labtext.Parse(text)
	if !r.OK() {
		return store.Lab{}, &history.TextError{Problems: r.Problems}
	}
	row := store.Lab{ID: newID(), Title: titleOf(r.Lab.Name), Demo: demo}
	return l.create(ctx, row, []history.Record{beginning(text)})
}

// beginning is the first action of a lab's journal.
func beginning(text string) history.Record {
	return history.Record{Seq: 1, Action: history.Apply.String(), Text: labtext.Normal(text), Engine: history.Engine}
}

func (l *Labs) create(ctx context.Context, row store.Lab, journal []history.Record) (store.Lab, error) {
	now := time.Now()
	row.Actions, row.CreatedAt, row.UpdatedAt = len(journal), now, now
	err := l.persist(ctx, func(ctx context.Context) error { return l.journal.Create(ctx, row, journal) })
	return row, err
}

// Fork makes a lab that begins as another was at a moment.
func (l *Labs) Fork(ctx context.Context, id string, at string) (store.Lab, error) {
	parent, err := l.Open(ctx, id)
	if err != nil {
		return store.Lab{}, err
	}
	x := parent.View(ctx)
	m, err := x.ParseMoment(at)
	if err != nil {
		return store.Lab{}, err
	}
	if m.Step == 0 {
		return store.Lab{}, phrase.Error("there is nothing to fork before the first action")
	}
	row := store.Lab{ID: newID(), ForkOf: id,
		Title: titleOf(x.Title()) + fmt.Sprintf(", from %.3f s on", float64(m.At)/1e9)}
	return l.create(ctx, row, x.History().ForkRecords(m))
}

// ForkDoing makes a lab that begins as another was after some of its actions, has a text applied if there is one, and then does
// failures one after the other; the actions of each happen at once.
func (l *Labs) ForkDoing(ctx context.Context, id string, actions int, text string, failures [][]history.Action) (store.Lab, error) {
	parent, err := l.Open(ctx, id)
	if err != nil {
		return store.Lab{}, err
	}
	x := parent.View(ctx)
	steps := x.History().Steps()
	if actions < 1 || actions > len(steps) {
		return store.Lab{}, phrase.Error("the lab was reset since: there is nothing to fork any more")
	}
	m := history.Moment{Step: actions, At: steps[actions-1].End}
	row, err := l.create(ctx, store.Lab{ID: newID(), ForkOf: id, Title: titleOf(x.Title())}, x.History().ForkRecords(m))
	if err != nil {
		return row, err
	}
	fork, err := l.Open(ctx, row.ID)
	if err != nil {
		return row, err
	}
	if text != "" {
		if _, err := fork.Act(ctx, Order{Action: history.Action{Kind: history.Apply, Text: text}}); err != nil {
			return row, err
		}
	}
	for _, f := range failures {
		for i, a := range f {
			order := Order{Action: a}
			if i < len(f)-1 {
				order.For = 1 // at once, but for a nanosecond
			}
			if _, err := fork.Act(ctx, order); err != nil {
				return row, err
			}
		}
	}
	return row, nil
}

// Row is a lab's row, whether it is open or not.
func (l *Labs) Row(ctx context.Context, id string) (store.Lab, error) { return l.journal.Lab(ctx, id) }

// Delete removes a lab for good.
func (l *Labs) Delete(ctx context.Context, id string) error {
	if !KnownForm(id) {
		return store.ErrNotFound
	}
	l.shut(id, store.ErrNotFound)
	return l.persist(ctx, func(ctx context.Context) error { return l.journal.Delete(ctx, id) })
}

// shut closes a lab if it is open; all that wait for it get the error.
func (l *Labs) shut(id string, err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if open := l.open[id]; open != nil {
		open.close(err)
		delete(l.open, id)
	}
}

func titleOf(name string) string {
	if name == "" {
		return "Untitled lab"
	}
	return name
}

func newID() string {
	b := make([]byte, 6)
	_, _ = rand.Read(b) // never fails (crypto/rand)
	return hex.EncodeToString(b)
}
