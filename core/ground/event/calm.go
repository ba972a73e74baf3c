package event

// Calm keeps the account from which "settled" follows, in constant time an
// event: how much is pending, and how many guards and retries have not been
// refreshed (or been fruitless) since the last disturbance.
type Calm struct {
	pending int
	watched int    // guards and retries in force
	stale   int    // those of them not refreshed in this epoch
	epoch   uint32 // counts disturbances

	lastChange Time // of the last disturbance
	restAfter  Time // when the last hold-down runs out

	observer Observer `image:"-"`
}

// Observer learns what timers are set by: a timer of the scheduler, named by its event, is
// set while an event is handled, or something begins to wait for one that runs already.
type Observer interface {
	TimerSet(by Scheduler, kind Kind, a, b uint32)
}

// Observe has an observer learn of timers; nil ends that.
func (c *Calm) Observe(o Observer) { c.observer = o }

// Awaits tells the observer, if there is one, that something waits for a timer that runs.
func (c *Calm) Awaits(by Scheduler, kind Kind, a, b uint32) {
	if c.observer != nil {
		c.observer.TimerSet(by, kind, a, b)
	}
}

// Watch is the mark a guard or a retry carries. The zero value is not in force.
type Watch struct {
	epoch uint32
	on    bool
}

// Begin notes that something has become pending.
func (c *Calm) Begin() { c.pending++ }

// End notes that something pending is over.
func (c *Calm) End() { c.pending-- }

// Disturb notes a change of state: all guards and retries must prove
// themselves again.
func (c *Calm) Disturb(now Time) {
	c.epoch++
	c.stale = c.watched
	c.lastChange = now
}

// Hold notes a hold-down that runs until the given time: the network may be
// settled before, but it is not at rest.
func (c *Calm) Hold(until Time) { c.restAfter = max(c.restAfter, until) }

// Start puts a guard or retry in force, not yet proven.
func (c *Calm) Start(w *Watch) {
	if w.on {
		return
	}
	w.on, w.epoch = true, c.epoch-1
	c.watched++
	c.stale++
}

// Stop takes a guard or retry out of force.
func (c *Calm) Stop(w *Watch) {
	if !w.on {
		return
	}
	if w.epoch != c.epoch {
		c.stale--
	}
	c.watched--
	*w = Watch{}
}

// Stale says whether w has still to prove itself since the last disturbance.
func (c *Calm) Stale(w *Watch) bool { return w.on && w.epoch != c.epoch }

// Refresh marks a guard as refreshed, or a retry as fruitless once more.
func (c *Calm) Refresh(w *Watch) {
	if w.on && w.epoch != c.epoch {
		w.epoch = c.epoch
		c.stale--
	}
}

// Settled says whether nothing is pending and every guard and retry has proven
// itself since the last disturbance.
func (c *Calm) Settled() bool { return c.pending == 0 && c.stale == 0 }

// Pending is the number of pending things.
func (c *Calm) Pending() int { return c.pending }

// Watched is the number of guards and retries in force.
func (c *Calm) Watched() int { return c.watched }

// LastChange is the time of the last disturbance.
func (c *Calm) LastChange() Time { return c.lastChange }

// RestAfter is the time when the last hold-down runs out.
func (c *Calm) RestAfter() Time { return c.restAfter }
