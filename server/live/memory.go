package live

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"hellebore/core/ground/phrase"
	"hellebore/core/lab"
)

// DefaultMemory is how many bytes the worlds of all open labs may take.
const DefaultMemory = 2 << 30

// unused is how long nobody has asked for anything of a lab that is closed to make room.
const unused = time.Minute

// errRoom says that a lab was closed to make room: to whoever has held on to it for longer than that.
var errRoom error = phrase.Error("the lab was closed to make room for others; nothing was lost, open it again")

// tidy is called by the lab's goroutine now and then: it has an image kept and memory given back if it is time for that, by a
// goroutine of its own, one at a time.
func (o *Lab) tidy(x *lab.Lab) {
	image := o.imageDue(x)
	events := x.History().Head().Handled()
	weigh := o.weighed != events && time.Since(o.acted) >= lookAgain
	if !image && !weigh || !o.labs.tidying.TryLock() {
		return
	}
	if weigh {
		o.weighed = events
	}
	reader := o.view.Load()
	go func() {
		defer o.labs.tidying.Unlock()
		err := guard("a lab", o.ID, func() error {
			if image {
				o.keepImage(reader)
			}
			if weigh {
				o.held.Store(lab.Weigh(reader))
				o.labs.makeRoom()
			}
			return nil
		})
		if err != nil {
			slog.Error("no room is made", "error", err)
		}
	}()
}

// makeRoom has labs let go of worlds until all take no more than they may, and none more than half of that: labs that nobody looks at
// are closed, the longest unused first; if there are none, the largest gets lighter.
func (l *Labs) makeRoom() {
	for {
		l.mu.Lock()
		var total uint64
		var idle, largest *Lab
		for _, o := range l.open {
			total += o.held.Load()
			if largest == nil || o.held.Load() > largest.held.Load() {
				largest = o
			}
			if o.idle() && (idle == nil || o.used.Load() < idle.used.Load()) {
				idle = o
			}
		}
		l.mu.Unlock()
		switch {
		case largest == nil || total <= l.Memory && largest.held.Load() <= l.Memory/2:
			return
		case total > l.Memory && idle != nil:
			slog.Info("a lab that nobody looks at is closed to make room", "lab", idle.ID, "MiB", idle.held.Load()>>20)
			idle.retire()
		case !largest.lighten():
			return
		}
	}
}

// idle says whether nobody looks at the lab or has something done to it.
func (o *Lab) idle() bool {
	o.feed.mu.Lock()
	watched := len(o.feed.watchers) > 0
	o.feed.mu.Unlock()
	o.works.mu.Lock()
	busy := len(o.works.all) > 0
	o.works.mu.Unlock()
	return !watched && !busy && o.held.Load() > 0 && time.Since(time.Unix(0, o.used.Load())) >= unused
}

// retire closes a lab that is idle, after an image of it was kept if it would have much to replay.
func (o *Lab) retire() {
	if x := o.view.Load(); x.History().Head().Handled()-o.imaged.Load() >= o.labs.imageAfter {
		o.keepImage(x)
	}
	o.labs.mu.Lock()
	defer o.labs.mu.Unlock()
	if o.labs.open[o.ID] == o && o.idle() {
		delete(o.labs.open, o.ID)
		o.close(errRoom)
	}
	o.held.Store(0)
}

// lighten has a lab let go of some of its worlds; it says whether there were any.
func (o *Lab) lighten() (lighter bool) {
	before := o.held.Load()
	for range lightenAtOnce {
		err := o.Do(context.Background(), func(x *lab.Lab) error {
			if lighter = x.Lighten(); !lighter {
				return errNoMore
			}
			o.view.Store(x.Reader()) // nobody sees a difference
			return nil
		})
		if err != nil {
			break
		}
	}
	o.held.Store(lab.Weigh(o.view.Load()))
	slog.Info("a lab gets lighter to make room", "lab", o.ID, "MiB before", before>>20, "MiB", o.held.Load()>>20)
	return o.held.Load() < before
}

// lightenAtOnce is how often a lab gets lighter before it is weighed again.
const lightenAtOnce = 4

var errNoMore = errors.New("the lab is as light as it can be")
