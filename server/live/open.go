package live

import (
	"context"
	"crypto/rand"
	"errors"
	"log/slog"
	"regexp"
	"sync"
	"sync/atomic"
	"time"

	"hellebore/core/lab"
	"hellebore/core/questions/topology"
	"hellebore/core/simulation/history"
	"hellebore/server/store"
)

// Lab is a lab that is open, or on its way to be.
type Lab struct {
	ID       string
	Opened   string // differs each time that it is opened
	labs     *Labs
	requests chan request
	ready    chan struct{} // closed when it is open, or cannot be
	closed   chan struct{} // closed when it goes away
	once     sync.Once     // of closing
	err      error         // why it is closed, or cannot be opened
	view     atomic.Pointer[lab.Lab]
	works    works
	feed     feed

	// What follows belongs to the lab's goroutine.
	unwritten []history.Record // completed, and the database has yet to take them
	doubt     bool             // the journal may have more than we know
	acted     time.Time        // when something was done last
	weighed   uint64           // events that it had when it was weighed

	imaged atomic.Uint64 // events that it had when an image was kept
	held   atomic.Uint64 // bytes of its worlds, as far as they were weighed
	used   atomic.Int64  // when somebody asked for it last, unix nanoseconds

	mu       sync.Mutex
	previews []kept // the latest last
}

type request struct {
	do   func(*lab.Lab) error
	done chan error
}

// lookAgain is how often the database is asked for what is owed to it.
const lookAgain = 2 * time.Second

// form is that of the IDs of labs.
var form = regexp.MustCompile(`^[0-9a-f]{12}$`)

// KnownForm says whether a lab may have an ID.
func KnownForm(id string) bool { return form.MatchString(id) }

// Find is a lab that is open or being opened; it is opened if it was not.
func (l *Labs) Find(id string) (*Lab, error) {
	if !KnownForm(id) {
		return nil, store.ErrNotFound
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if open := l.open[id]; open != nil {
		open.used.Store(time.Now().UnixNano())
		return open, nil
	}
	open := &Lab{ID: id, Opened: rand.Text(), labs: l, requests: make(chan request), ready: make(chan struct{}), closed: make(chan struct{})}
	open.used.Store(time.Now().UnixNano())
	l.open[id] = open
	go open.serve()
	return open, nil
}

// Open is a lab, replayed from its journal if it was not open. The error is
// Broken if it cannot be replayed.
func (l *Labs) Open(ctx context.Context, id string) (*Lab, error) {
	open, err := l.Find(id)
	if err != nil {
		return nil, err
	}
	select {
	case <-open.ready:
	case <-open.closed:
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	select {
	case <-open.closed:
		return nil, open.err
	default:
		return open, nil
	}
}

// close ends the lab's goroutine; all that wait get the error.
func (o *Lab) close(err error) {
	o.once.Do(func() {
		o.err = err
		o.works.stopAll()
		close(o.closed)
	})
}

// errOpening says that somebody stopped the opening of a lab.
var errOpening = errors.New("opening the lab was stopped; nothing was changed, open it again to go on")

// serve is the goroutine that owns the lab.
func (o *Lab) serve() {
	var x *lab.Lab
	err := guard("a lab", o.ID, func() (err error) {
		x, err = o.load()
		return err
	})
	if err != nil {
		// A journal that cannot be replayed stays so; all else may be tried again.
		var broken *Broken
		if !errors.As(err, &broken) {
			o.labs.forget(o)
		}
		o.close(err)
		return
	}
	close(o.ready)
	again := time.NewTicker(lookAgain)
	defer again.Stop()
	for {
		select {
		case r := <-o.requests:
			if !o.answer(x, r) {
				return
			}
		case <-again.C:
			if err := guard("a lab", o.ID, func() error { return o.settleDebts(x) }); err != nil {
				o.crash(err)
				return
			}
			o.tidy(x)
		case <-o.closed:
			return
		}
	}
}

// answer runs a request; false if the lab is closed then: it panicked, or the request closed it.
func (o *Lab) answer(x *lab.Lab, r request) bool {
	err := guard("a lab", o.ID, func() error { return r.do(x) })
	var broken *Incident
	if errors.As(err, &broken) {
		o.crash(err)
	}
	r.done <- err
	select {
	case <-o.closed: // the request was the last
		return false
	default:
		return broken == nil
	}
}

// crash closes a lab whose goroutine panicked. The next request opens it anew from
// its journal.
func (o *Lab) crash(err error) {
	o.labs.forget(o)
	o.close(err)
}

func (l *Labs) forget(o *Lab) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.open[o.ID] == o {
		delete(l.open, o.ID)
	}
}

// load reads the journal and replays it.
func (o *Lab) load() (*lab.Lab, error) {
	var records []history.Record
	var moments map[string]history.Moment
	var places map[string]topology.Position
	err := o.labs.persist(context.Background(), func(ctx context.Context) (err error) {
		if _, err = o.labs.journal.Lab(ctx, o.ID); err != nil {
			return err
		}
		if records, err = o.labs.journal.Journal(ctx, o.ID); err != nil {
			return err
		}
		if moments, err = o.labs.journal.Moments(ctx, o.ID); err != nil {
			return err
		}
		places, err = o.labs.journal.Places(ctx, o.ID)
		return err
	})
	if err != nil {
		return nil, err
	}
	start := time.Now()
	work := o.works.begin("opening the lab")
	defer o.works.end(work)
	var x *lab.Lab
	err = guard("a lab", o.ID, func() (err error) {
		x, err = o.reopened(records, func() bool {
			o.tell(work, len(records), nil)
			return work.cancel.Load()
		})
		return err
	})
	var incident *Incident
	switch {
	case errors.Is(err, history.ErrStopped):
		return nil, errOpening
	case errors.As(err, &incident):
		return nil, &Broken{Incident: incident}
	case err != nil:
		return nil, &Broken{Incident: report("a journal cannot be replayed", o.ID, err, nil)}
	}
	slog.Info("lab opened", "lab", o.ID, "actions", len(records), "took", time.Since(start))
	for i, s := range x.History().Steps() {
		if !records[i].Done {
			// The server was stopped in the middle of it: it has been carried
			// to its end now.
			o.complete(s.Record)
		}
		if s.Diverged {
			slog.Warn("another engine comes to another result", "lab", o.ID, "action", s.Seq, "differs", s.Differs)
		}
	}
	for name, m := range moments {
		if err := x.NameMoment(name, m); err != nil {
			slog.Warn("a moment's name cannot be used any more", "lab", o.ID, "name", name)
		}
	}
	if err := x.Move(places); err != nil {
		slog.Warn("the places of cards are not used", "lab", o.ID, "why", err)
	}
	x.Share(&sync.Mutex{})
	o.publish(x)
	return x, nil
}

// publish shows everybody the lab as it is now.
func (o *Lab) publish(x *lab.Lab) {
	o.view.Store(x.Reader())
	o.feed.publish(Event{Kind: Changed, Actions: len(x.History().Steps())})
}

// View is the lab as it was after the latest action, for one request: it takes
// none of the lab's time, and gives up when whoever asked is gone.
func (o *Lab) View(ctx context.Context) *lab.Lab {
	return o.view.Load().Until(func() bool { return ctx.Err() != nil })
}

// Do runs a function with the lab, in its goroutine. If the context ends before,
// the function may still run: it must not touch what belongs to its caller.
func (o *Lab) Do(ctx context.Context, do func(*lab.Lab) error) error {
	r := request{do, make(chan error, 1)}
	select {
	case o.requests <- r:
	case <-o.closed:
		return o.err
	case <-ctx.Done():
		return ctx.Err()
	}
	select {
	case err := <-r.done:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

// ask is Do for what has a result.
func ask[T any](ctx context.Context, o *Lab, do func(*lab.Lab) (T, error)) (T, error) {
	out := make(chan T, 1)
	err := o.Do(ctx, func(x *lab.Lab) error {
		v, err := do(x)
		out <- v
		return err
	})
	select {
	case v := <-out:
		return v, err
	default:
		var none T
		return none, err
	}
}
