// Package live holds the labs that are open: one goroutine owns each, and all
// requests reach it as functions that it runs one after the other.
package live

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"hellebore/core/event"
	"hellebore/core/history"
	"hellebore/core/lab"
	"hellebore/core/labtext"
	"hellebore/server/store"
)

// Journal is where labs are kept.
type Journal interface {
	Labs(ctx context.Context) ([]store.Lab, error)
	Lab(ctx context.Context, id string) (store.Lab, error)
	Create(ctx context.Context, l store.Lab, journal []history.Record) error
	Delete(ctx context.Context, id string) error
	Journal(ctx context.Context, id string) ([]history.Record, error)
	Append(ctx context.Context, id, title string, records ...history.Record) error
	Complete(ctx context.Context, id string, r history.Record) error

	Drafts(ctx context.Context, id string) ([]store.Draft, error)
	KeepDraft(ctx context.Context, d store.Draft) error
	DropDraft(ctx context.Context, id, owner string) error
	Moments(ctx context.Context, id string) (map[string]history.Moment, error)
	NameMoment(ctx context.Context, id, name string, m history.Moment) error
	ForgetMoment(ctx context.Context, id, name string) error
}

// Unavailable says that the database did not answer for as long as we tried.
type Unavailable struct{ Err error }

func (e *Unavailable) Error() string {
	return "the database does not answer; nothing was changed or lost, try again in a moment"
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
	return "the text in force is not the one you started from: somebody has applied another since"
}

// Labs are all labs of a database, open or not.
type Labs struct {
	journal Journal
	retry   time.Duration // how long to try when the database does not answer
	mu      sync.Mutex
	open    map[string]*Lab
}

// New makes the collection of a database's labs.
func New(j Journal) *Labs {
	return &Labs{journal: j, retry: 5 * time.Second, open: map[string]*Lab{}}
}

// Lab is an open lab.
type Lab struct {
	ID       string
	labs     *Labs
	requests chan func(*lab.Lab)
	closed   chan struct{}
	cancel   atomic.Bool
	running  atomic.Bool
	feed     feed
	// unwritten are completed records that the database has yet to take.
	unwritten []history.Record
	previews  []kept // the latest last
}

// persist tries a database operation again and again, for as long as the
// collection says.
func (l *Labs) persist(ctx context.Context, do func(context.Context) error) error {
	deadline := time.Now().Add(l.retry)
	for wait := 50 * time.Millisecond; ; wait = min(2*wait, time.Second) {
		err := do(ctx)
		if err == nil || errors.Is(err, store.ErrNotFound) || errors.Is(err, store.ErrMovedOn) || ctx.Err() != nil {
			return err
		}
		if time.Now().Add(wait).After(deadline) {
			return &Unavailable{err}
		}
		slog.Warn("the database does not answer, trying again", "error", err, "in", wait)
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// List is all labs.
func (l *Labs) List(ctx context.Context) (labs []store.Lab, err error) {
	err = l.persist(ctx, func(ctx context.Context) error {
		labs, err = l.journal.Labs(ctx)
		return err
	})
	return labs, err
}

// Create makes a lab from a text; the text is applied when the lab is opened.
func (l *Labs) Create(ctx context.Context, text, demo string) (store.Lab, error) {
	r := labtext.Parse(text)
	if !r.OK() {
		return store.Lab{}, &history.TextError{Problems: r.Problems}
	}
	row := store.Lab{ID: newID(), Title: titleOf(r.Lab.Name), Demo: demo}
	journal := []history.Record{{Seq: 1, Action: history.Apply.String(), Text: text, Engine: history.Engine}}
	err := l.persist(ctx, func(ctx context.Context) error { return l.journal.Create(ctx, row, journal) })
	return row, err
}

// Fork makes a lab that begins as another was at a moment.
func (l *Labs) Fork(ctx context.Context, id string, at string) (store.Lab, error) {
	parent, err := l.Open(ctx, id)
	if err != nil {
		return store.Lab{}, err
	}
	row := store.Lab{ID: newID(), ForkOf: id}
	var journal []history.Record
	err = parent.Do(ctx, func(x *lab.Lab) error {
		m, err := x.ParseMoment(at)
		if err != nil {
			return err
		}
		if m.Step == 0 {
			return errors.New("there is nothing to fork before the first action")
		}
		journal = x.History().ForkRecords(m)
		row.Title = titleOf(x.Title()) + fmt.Sprintf(", from %.3f s on", float64(m.At)/1e9)
		return nil
	})
	if err != nil {
		return store.Lab{}, err
	}
	err = l.persist(ctx, func(ctx context.Context) error { return l.journal.Create(ctx, row, journal) })
	return row, err
}

// Delete removes a lab for good.
func (l *Labs) Delete(ctx context.Context, id string) error {
	l.mu.Lock()
	if open := l.open[id]; open != nil {
		open.cancel.Store(true)
		close(open.closed)
		delete(l.open, id)
	}
	l.mu.Unlock()
	return l.persist(ctx, func(ctx context.Context) error { return l.journal.Delete(ctx, id) })
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

// Open is a lab, replayed from its journal if it was not open.
func (l *Labs) Open(ctx context.Context, id string) (*Lab, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if open := l.open[id]; open != nil {
		return open, nil
	}
	var records []history.Record
	var moments map[string]history.Moment
	err := l.persist(ctx, func(ctx context.Context) (err error) {
		if _, err = l.journal.Lab(ctx, id); err != nil {
			return err
		}
		if records, err = l.journal.Journal(ctx, id); err != nil {
			return err
		}
		moments, err = l.journal.Moments(ctx, id)
		return err
	})
	if err != nil {
		return nil, err
	}
	open := &Lab{ID: id, labs: l, requests: make(chan func(*lab.Lab)), closed: make(chan struct{})}
	l.open[id] = open
	go open.serve(records, moments)
	return open, nil
}

// serve is the goroutine that owns the lab.
func (o *Lab) serve(records []history.Record, moments map[string]history.Moment) {
	start := time.Now()
	o.running.Store(true)
	x, err := lab.Open(records, o.stop("", 0))
	o.running.Store(false)
	if err != nil {
		slog.Error("a journal cannot be replayed", "lab", o.ID, "error", err)
		o.fail()
		return
	}
	slog.Info("lab opened", "lab", o.ID, "actions", len(records), "took", time.Since(start))
	for i, s := range x.History().Steps() {
		if !records[i].Done {
			// The server was stopped in the middle of it: it has been carried
			// to its end now.
			o.complete(s.Record)
		}
		if s.Diverged {
			slog.Warn("a newer engine comes to another result", "lab", o.ID, "action", s.Seq)
		}
	}
	for name, m := range moments {
		if err := x.NameMoment(name, m); err != nil {
			slog.Warn("a moment's name cannot be used any more", "lab", o.ID, "name", name)
		}
	}
	o.feed.publish(Event{Kind: Changed, Actions: len(records)})
	for {
		select {
		case do := <-o.requests:
			do(x)
		case <-o.closed:
			return
		}
	}
}

// fail answers all requests with an error until the lab is opened anew.
func (o *Lab) fail() {
	o.labs.mu.Lock()
	if o.labs.open[o.ID] == o {
		delete(o.labs.open, o.ID)
	}
	o.labs.mu.Unlock()
	for {
		select {
		case do := <-o.requests:
			do(nil)
		case <-o.closed:
			return
		case <-time.After(time.Minute):
			return
		}
	}
}

// errClosed says that the lab went away while a request waited.
var errClosed = errors.New("the lab was closed or cannot be replayed; the server's log says why")

// Do runs a function with the lab, in its goroutine.
func (o *Lab) Do(ctx context.Context, do func(*lab.Lab) error) error {
	done := make(chan error, 1)
	request := func(x *lab.Lab) {
		if x == nil {
			done <- errClosed
			return
		}
		done <- do(x)
	}
	select {
	case o.requests <- request:
	case <-o.closed:
		return store.ErrNotFound
	case <-ctx.Done():
		return ctx.Err()
	}
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Order is something to be done to a lab.
type Order struct {
	history.Action
	// For is how much virtual time to let pass; 0 runs to rest.
	For event.Time
	// Base is, for an apply, the action that applied the text which the new one
	// was made from; 0 if that does not matter.
	Base            int
	Author, Message string
}

// Act performs an action: it is written to the journal first, then takes
// effect.
func (o *Lab) Act(ctx context.Context, order Order) (record history.Record, err error) {
	err = o.Do(ctx, func(x *lab.Lab) error {
		if err := o.flush(ctx); err != nil {
			return err
		}
		if order.Kind == history.Apply && order.Base != 0 {
			if moved := movedOn(x, order.Text, order.Base); moved != nil {
				return moved
			}
		}
		s, err := x.Begin(order.Action, order.For)
		if err != nil {
			return err
		}
		s.Author, s.Message, s.Made = order.Author, order.Message, time.Now().UnixMilli()
		if err := o.write(ctx, s); err != nil {
			return err
		}
		o.busy(s.Record.Action, s.Seq)
		err = x.Run(s, o.stop(s.Record.Action, s.Seq))
		o.running.Store(false)
		if err != nil {
			return err
		}
		o.complete(s.Record)
		record = s.Record
		o.changed(record)
		return nil
	})
	return record, err
}

// write puts begun steps into the journal. Whoever asked may be gone meanwhile;
// journal and world must agree all the same.
func (o *Lab) write(ctx context.Context, steps ...*history.Step) error {
	var records []history.Record
	for _, s := range steps {
		r := s.Record
		r.Done = false // until it has been done to the lab itself
		records = append(records, r)
	}
	title := titleOf(steps[len(steps)-1].Lab.Name)
	return o.labs.persist(context.WithoutCancel(ctx), func(ctx context.Context) error {
		return o.labs.journal.Append(ctx, o.ID, title, records...)
	})
}

func (o *Lab) busy(what string, seq int) {
	o.cancel.Store(false)
	o.running.Store(true)
	o.feed.publish(Event{Kind: Progress, Action: what, Actions: seq})
}

func (o *Lab) changed(r history.Record) {
	o.feed.publish(Event{Kind: Changed, Actions: r.Seq})
	slog.Info("action", "lab", o.ID, "seq", r.Seq, "action", r.Action, "outcome", r.Outcome, "events", r.Events)
}

// LastApply is the number of the action that applied the text in force.
func LastApply(x *lab.Lab) int {
	steps := x.History().Steps()
	for i := len(steps) - 1; i >= 0; i-- {
		if steps[i].Parsed.Kind == history.Apply {
			return steps[i].Seq
		}
	}
	return 0
}

func movedOn(x *lab.Lab, text string, base int) error {
	last := LastApply(x)
	if last == base {
		return nil
	}
	m := &MovedOn{Text: x.Text(), Seq: last}
	if r := labtext.Parse(text); r.OK() {
		m.Changes = x.Differences(&r.Lab)
	}
	return m
}

// stop is asked by a running action whether to give up; it tells the watchers
// how far the action is.
func (o *Lab) stop(what string, seq int) func() bool {
	last := time.Now()
	return func() bool {
		if seq > 0 && time.Since(last) > 200*time.Millisecond {
			last = time.Now()
			o.feed.publish(Event{Kind: Progress, Action: what, Actions: seq})
		}
		return o.cancel.Load()
	}
}

// Cancel stops the action that is running, if one is.
func (o *Lab) Cancel() bool {
	if !o.running.Load() {
		return false
	}
	o.cancel.Store(true)
	return true
}

// complete writes what an action came to. If the database is away, that waits:
// the journal has the action already, and a replay would come to the same.
func (o *Lab) complete(r history.Record) {
	o.unwritten = append(o.unwritten, r)
	if err := o.flush(context.Background()); err != nil {
		slog.Warn("the result of an action waits for the database", "lab", o.ID, "seq", r.Seq, "error", err)
	}
}

func (o *Lab) flush(ctx context.Context) error {
	for len(o.unwritten) > 0 {
		if err := o.labs.persist(ctx, func(ctx context.Context) error {
			return o.labs.journal.Complete(ctx, o.ID, o.unwritten[0])
		}); err != nil {
			return err
		}
		o.unwritten = o.unwritten[1:]
	}
	return nil
}
