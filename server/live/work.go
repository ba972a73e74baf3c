package live

import (
	"sync"
	"sync/atomic"
	"time"

	"hellebore/core/simulation/history"
)

// work is something that takes time and can be stopped.
type work struct {
	id     string
	what   string
	cancel atomic.Bool
	told   time.Time // when its progress was published last
}

// works are what a lab is busy with.
type works struct {
	mu  sync.Mutex
	all map[string]*work
}

func (w *works) begin(what string) *work {
	x := &work{id: newID(), what: what, told: time.Now()}
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.all == nil {
		w.all = map[string]*work{}
	}
	w.all[x.id] = x
	return x
}

func (w *works) end(x *work) {
	w.mu.Lock()
	defer w.mu.Unlock()
	delete(w.all, x.id)
}

func (w *works) stopAll() {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, x := range w.all {
		x.cancel.Store(true)
	}
}

// Cancel stops a work, unless it has ended.
func (o *Lab) Cancel(id string) bool {
	o.works.mu.Lock()
	defer o.works.mu.Unlock()
	x := o.works.all[id]
	if x != nil {
		x.cancel.Store(true)
	}
	return x != nil
}

// tellEvery is how often watchers hear how far a work is.
const tellEvery = 200 * time.Millisecond

// tell says how far a work is; h, if not nil, is what it works on.
func (o *Lab) tell(x *work, actions int, h *history.History) {
	if time.Since(x.told) < tellEvery {
		return
	}
	x.told = time.Now()
	e := Event{Kind: Progress, Work: x.id, Action: x.what, Actions: actions}
	if h != nil {
		e.At, e.Events = float64(h.Head().Now())/1e9, h.Head().Handled()
	}
	o.feed.publish(e)
}

// busy says that a work has begun.
func (o *Lab) busy(x *work, actions int) {
	o.feed.publish(Event{Kind: Progress, Work: x.id, Action: x.what, Actions: actions})
}
