package live

import (
	"context"
	"fmt"
	"strings"
	"time"

	"hellebore/core/history"
	"hellebore/core/lab"
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
	return fmt.Sprintf("the lab has moved on since the preview was made (%s); nothing was applied, and here is what the change would do now", strings.Join(e.Since, ", "))
}

// Preview finds out what a change would do, and keeps that to be applied. base is
// the action that applied the text which the new one was made from; 0 if that
// does not matter.
func (o *Lab) Preview(ctx context.Context, p lab.Plan, base int) (id string, preview *lab.Preview, err error) {
	err = o.Do(ctx, func(x *lab.Lab) error {
		if base != 0 {
			if moved := movedOn(x, p.Text, base); moved != nil {
				return moved
			}
		}
		id, preview, err = o.preview(x, p)
		return err
	})
	return id, preview, err
}

func (o *Lab) preview(x *lab.Lab, p lab.Plan) (string, *lab.Preview, error) {
	seq := len(x.History().Steps())
	o.busy("the preview", seq)
	preview, err := x.Preview(p, o.stop("the preview", seq))
	o.running.Store(false)
	o.feed.publish(Event{Kind: Changed, Actions: seq})
	if err != nil {
		return "", nil, err
	}
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
func (o *Lab) Apply(ctx context.Context, id, author, message string) (record history.Record, err error) {
	err = o.Do(ctx, func(x *lab.Lab) error {
		p := o.find(id)
		if p == nil {
			return fmt.Errorf("that preview is not kept any more: preview the change again")
		}
		if err := o.flush(ctx); err != nil {
			return err
		}
		if !x.Holds(p) {
			again, _, err := o.preview(x, p.Plan())
			if err != nil {
				return err
			}
			return &Overtaken{x.Since(p), again}
		}
		p.Sign(author, message)
		steps := p.Steps()
		for _, s := range steps {
			s.Made = time.Now().UnixMilli()
		}
		if err := o.write(ctx, steps...); err != nil {
			return err
		}
		if err := x.Adopt(p); err != nil {
			return err
		}
		o.previews = nil
		for _, s := range steps {
			o.complete(s.Record)
			record = s.Record
		}
		o.changed(record)
		return nil
	})
	return record, err
}

// Previewed is a preview that is kept; an error if it is gone.
func (o *Lab) Previewed(ctx context.Context, id string) (p *lab.Preview, err error) {
	err = o.Do(ctx, func(*lab.Lab) error {
		if p = o.find(id); p == nil {
			return fmt.Errorf("that preview is not kept any more: preview the change again")
		}
		return nil
	})
	return p, err
}

func (o *Lab) find(id string) *lab.Preview {
	for _, k := range o.previews {
		if k.id == id {
			return k.preview
		}
	}
	return nil
}
