package live

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"time"

	"hellebore/core/lab"
	"hellebore/core/simulation/history"
	"hellebore/server/store"
)

const (
	// imageAfter is how many events a lab may have to replay, about a second, before an image of it is kept; in a large lab it is
	// an imagePart of all that there were.
	imageAfter = 200_000
	imagePart  = 8
	// quiet is for how long nothing has been done to a lab of which an image is made.
	quiet = 5 * time.Second
)

// imageDue says whether the lab would have much to replay, and nobody is at work with it.
func (o *Lab) imageDue(x *lab.Lab) bool {
	all := x.History().Head().Handled()
	return !o.doubt && len(o.unwritten) == 0 && time.Since(o.acted) >= o.labs.quiet && all-o.imaged.Load() >= max(o.labs.imageAfter, all/imagePart)
}

// keepImage keeps an image of a lab as it is now.
func (o *Lab) keepImage(x *lab.Lab) {
	start := time.Now()
	steps := x.History().Steps()
	o.imaged.Store(x.History().Head().Handled()) // kept or not: what fails does so again
	err := o.labs.journal.KeepImage(context.Background(), o.ID, lab.ImageVersion(), len(steps), x.WriteImage)
	switch {
	case errors.Is(err, store.ErrNotFound): // gone meanwhile
	case err != nil:
		slog.Warn("no image of the lab was kept; it opens by a replay", "lab", o.ID, "error", err)
	default:
		slog.Info("an image of the lab was kept", "lab", o.ID, "actions", len(steps), "took", time.Since(start))
	}
}

// reopened is the lab of a journal: from its image if there is one that fits, else replayed.
func (o *Lab) reopened(records []history.Record, stop func() bool) (*lab.Lab, error) {
	var image io.Reader
	var actions int
	err := o.labs.persist(context.Background(), func(ctx context.Context) (err error) {
		image, actions, err = o.labs.journal.Image(ctx, o.ID, lab.ImageVersion())
		return err
	})
	if err != nil {
		slog.Warn("the lab's image cannot be had; it opens by a replay", "lab", o.ID, "error", err)
	}
	if image == nil {
		return lab.Open(records, stop)
	}
	x, err := lab.Resume(image, records, stop)
	if err == nil {
		o.imaged.Store(x.History().Steps()[actions-1].Events)
	}
	if err == nil || errors.Is(err, history.ErrStopped) {
		return x, err
	}
	slog.Warn("the lab's image does not fit; it opens by a replay", "lab", o.ID, "why", err)
	err = o.labs.persist(context.Background(), func(ctx context.Context) error { return o.labs.journal.DropImage(ctx, o.ID) })
	if err != nil {
		slog.Warn("the lab's image is still there", "lab", o.ID, "error", err)
	}
	return lab.Open(records, stop)
}
