package live

import (
	"context"
	"errors"
	"log/slog"
	"strings"
	"time"

	"hellebore/core/ground/event"
	"hellebore/core/ground/phrase"
	"hellebore/core/lab"
	"hellebore/core/language/labtext"
	"hellebore/core/simulation/history"
	"hellebore/server/store"
)

// Order is something to be done to a lab.
type Order struct {
	history.Action
	// ID distinguishes the order from all others: one that was carried out before is not
	// carried out again. Empty: one is chosen.
	ID string
	// For is how much virtual time to let pass; 0 runs to rest.
	For event.Time
	// Base is, for an apply, the action that applied the text which the new one
	// was made from; 0 if that does not matter.
	Base            int
	Author, Message string
}

// Act performs an action: it is written to the journal first, then takes
// effect.
func (o *Lab) Act(ctx context.Context, order Order) (history.Record, error) {
	if err := plain(order.Author, order.Message); err != nil {
		return history.Record{}, err
	}
	if order.ID == "" {
		order.ID = newID()
	}
	order.Text = labtext.Normal(order.Text)
	return ask(ctx, o, func(x *lab.Lab) (record history.Record, err error) {
		for range maxCatchUps {
			record, err = o.act(ctx, x, order)
			if !errors.Is(err, store.ErrMovedOn) {
				return record, err
			}
			// The journal has more than we know: we read on, and try again.
			if err := o.catchUp(x); err != nil {
				return record, err
			}
		}
		return record, err
	})
}

// maxCatchUps is how often an action is tried that others keep overtaking.
const maxCatchUps = 3

// plain refuses what no line of text has.
func plain(lines ...string) error {
	for _, s := range lines {
		if strings.IndexByte(s, 0) >= 0 {
			return phrase.Errorf("%q holds a NUL character; take it out", s)
		}
	}
	return nil
}

func (o *Lab) act(ctx context.Context, x *lab.Lab, order Order) (history.Record, error) {
	if err := o.settleDebts(x); err != nil {
		return history.Record{}, err
	}
	for _, s := range x.History().Steps() {
		if s.ID == order.ID {
			return s.Record, nil
		}
	}
	if order.Kind == history.Apply && order.Base != 0 {
		if moved := movedOn(x, order.Text, order.Base); moved != nil {
			return history.Record{}, moved
		}
	}
	s, err := x.Begin(order.Action, order.For)
	if err != nil {
		return history.Record{}, err
	}
	s.ID, s.Author, s.Message, s.Made = order.ID, order.Author, order.Message, time.Now().UnixMilli()
	if err := o.write(ctx, s); err != nil {
		return history.Record{}, err
	}
	err = o.run(x, s)
	return s.Record, err
}

// run carries a step out that is in the journal.
func (o *Lab) run(x *lab.Lab, s *history.Step) error {
	o.acted = time.Now()
	defer func() { o.acted = time.Now() }()
	work := o.works.begin(s.Record.Action)
	defer o.works.end(work)
	o.busy(work, s.Seq)
	err := x.Run(s, func() bool {
		o.tell(work, s.Seq, x.History())
		return work.cancel.Load()
	})
	if err != nil {
		return err
	}
	o.complete(s.Record)
	o.changed(x, s.Record)
	return nil
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
	err := o.labs.persist(context.WithoutCancel(ctx), func(ctx context.Context) error {
		return o.labs.journal.Append(ctx, o.ID, title, records...)
	})
	var away *Unavailable
	if errors.As(err, &away) {
		away.Doubt, o.doubt = true, true
	}
	return err
}

// catchUp does what the journal has and this lab does not know yet: an action
// whose answer was lost.
func (o *Lab) catchUp(x *lab.Lab) error {
	var records []history.Record
	if err := o.labs.persist(context.Background(), func(ctx context.Context) (err error) {
		records, err = o.labs.journal.Journal(ctx, o.ID)
		return err
	}); err != nil {
		return err
	}
	o.doubt = false
	for _, r := range records[min(len(x.History().Steps()), len(records)):] {
		a := history.Action{Kind: history.Apply, Text: r.Text}
		if r.Action != history.Apply.String() {
			var err error
			if a, err = history.ParseAction(r.Action); err != nil {
				return err
			}
		}
		s, err := x.Begin(a, 0)
		if err != nil {
			return err
		}
		s.Until, s.ID, s.Signature = r.Until, r.ID, r.Signature
		if err := o.run(x, s); err != nil {
			return err
		}
	}
	return nil
}

// settleDebts reads on in the journal if that may have more than we know, and
// writes what the database has yet to take.
func (o *Lab) settleDebts(x *lab.Lab) error {
	if o.doubt {
		if err := o.catchUp(x); err != nil {
			return err
		}
	}
	return o.flush()
}

func (o *Lab) changed(x *lab.Lab, r history.Record) {
	o.publish(x)
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

// complete writes what an action came to. If the database is away, that waits:
// the journal has the action already, and a replay would come to the same.
func (o *Lab) complete(r history.Record) {
	o.unwritten = append(o.unwritten, r)
	if err := o.flush(); err != nil {
		slog.Warn("the result of an action waits for the database", "lab", o.ID, "seq", r.Seq, "error", err)
	}
}

// maxFlush is how long the database may take to take a result.
const maxFlush = 2 * time.Second

func (o *Lab) flush() error {
	for len(o.unwritten) > 0 {
		ctx, done := context.WithTimeout(context.Background(), maxFlush)
		err := o.labs.journal.Complete(ctx, o.ID, o.unwritten[0])
		done()
		if err != nil {
			return &Unavailable{Err: err}
		}
		o.unwritten = o.unwritten[1:]
	}
	return nil
}
