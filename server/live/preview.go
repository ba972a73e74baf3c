package live

import (
	"context"
	"errors"
	"strings"
	"time"

	"hellebore/core/ground/phrase"
	"hellebore/core/lab"
	"hellebore/core/language/labtext"
	"hellebore/core/simulation/history"
	"hellebore/server/store"
)

// maxPreviews is how many previews of a lab are kept to be applied: each holds
// copies of the network.
const maxPreviews = 3

type kept struct {
	id      string
	preview *lab.Preview
}

// Overtaken says that the lab moved on between a preview and its application.
type Overtaken struct {
	Since []string // the actions that were done in between
	ID    string   // of a new preview, of the lab as it is now
}

func (e *Overtaken) Error() string {
	return phrase.Say("the lab has moved on since the preview was made (%s); nothing was applied, and here is what the change would do now", strings.Join(e.Since, ", "))
}

// Preview finds out what a change would do, and keeps that to be applied. base is
// the action that applied the text which the new one was made from; 0 if that
// does not matter. It takes none of the lab's time.
func (o *Lab) Preview(ctx context.Context, p lab.Plan, base int) (id string, preview *lab.Preview, err error) {
	if err := plain(p.Author, p.Message); err != nil {
		return "", nil, err
	}
	p.Text = labtext.Normal(p.Text)
	x := o.View(ctx)
	if base != 0 {
		if moved := movedOn(x, p.Text, base); moved != nil {
			return "", nil, moved
		}
	}
	seq := len(x.History().Steps())
	work := o.works.begin("the preview")
	defer o.works.end(work)
	o.busy(work, seq)
	preview, err = x.Preview(p, func() bool {
		o.tell(work, seq, nil)
		return work.cancel.Load() || x.Stopped()
	})
	o.feed.publish(Event{Kind: Ended, Actions: seq})
	if err != nil {
		return "", nil, err
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	k := kept{newID(), preview}
	o.previews = append(o.previews, k)
	if len(o.previews) > maxPreviews {
		o.previews = o.previews[1:]
	}
	return k.id, preview, nil
}

// Apply makes what was previewed the present, exactly as it was seen, signed by
// whoever does it. If the lab has moved on since, nothing is applied: the error is
// Overtaken, with a new preview.
func (o *Lab) Apply(ctx context.Context, id, author, message string) (history.Record, error) {
	if err := plain(author, message); err != nil {
		return history.Record{}, err
	}
	p, err := o.Previewed(id)
	if err != nil {
		return history.Record{}, err
	}
	record, err := ask(ctx, o, func(x *lab.Lab) (history.Record, error) { return o.adopt(ctx, x, p, author, message) })
	var overtaken *Overtaken
	if errors.As(err, &overtaken) {
		again, _, failed := o.Preview(ctx, p.Plan(), 0)
		if failed != nil {
			return record, failed
		}
		overtaken.ID = again
	}
	return record, err
}

// adopt writes a preview's steps to the journal, and makes them the present.
func (o *Lab) adopt(ctx context.Context, x *lab.Lab, p *lab.Preview, author, message string) (record history.Record,
	err error) {
	if err := o.settleDebts(x); err != nil {
		return record, err
	}
	if !x.Holds(p) {
		return record, &Overtaken{Since: x.Since(p)}
	}
	p.Sign(author, message)
	steps := p.Steps()
	for _, s := range steps {
		if s.ID == "" { // a try that failed has given it one
			s.ID = newID()
		}
		s.Made = time.Now().UnixMilli()
	}
	if err := o.write(ctx, steps...); errors.Is(err, store.ErrMovedOn) {
		if err := o.catchUp(x); err != nil {
			return record, err
		}
		return record, &Overtaken{Since: x.Since(p)}
	} else if err != nil {
		return record, err
	}
	if err := x.Adopt(p); err != nil {
		return record, err
	}
	o.mu.Lock()
	o.previews = nil
	o.mu.Unlock()
	for _, s := range steps {
		o.complete(s.Record)
		record = s.Record
	}
	o.changed(x, record)
	return record, nil
}

// Previewed is a preview that is kept; an error if it is gone.
func (o *Lab) Previewed(id string) (*lab.Preview, error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	for _, k := range o.previews {
		if k.id == id {
			return k.preview, nil
		}
	}
	return nil, phrase.Error("that preview is not kept any more: preview the change again")
}
