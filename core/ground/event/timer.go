package event

// Scheduler is what a timer needs of its owner: the clock, and a place in the
// queue. Schedule fills in destination, instance, source and counter.
type Scheduler interface {
	Now() Time
	Schedule(e Event)
	Calm() *Calm
}

// Timer is one restartable timer. Restarting it only stores a deadline; the
// event already in the queue re-arms itself when it comes too early. The zero
// value is stopped.
type Timer struct {
	deadline Time // 0 when stopped
	queued   Time // time of the event in the queue that counts, 0 if none
}

// Unqueue has the timer forget its event, which was taken out of the queue.
func (t *Timer) Unqueue() { t.queued = 0 }

// Defer moves the deadline of a timer that runs and has no event; Set is to follow.
func (t *Timer) Defer(to Time) { t.deadline = to }

// Running says whether the timer will expire.
func (t *Timer) Running() bool { return t.deadline != 0 }

// Deadline is the time of expiry, 0 when stopped.
func (t *Timer) Deadline() Time { return t.deadline }

// Set (re)starts the timer to expire at the given time. The event is handed to
// Fired when it comes; kind, a, b and class are the same for all calls on one
// timer.
func (t *Timer) Set(s Scheduler, at Time, kind Kind, class Class, a, b uint32) {
	calm := s.Calm()
	if class == Pending && t.deadline == 0 {
		calm.Begin()
	}
	calm.Awaits(s, kind, a, b)
	t.deadline = at
	if t.queued == 0 || at < t.queued {
		t.queued = at
		s.Schedule(Event{At: at, Kind: kind, Class: class, A: a, B: b})
	}
}

// Stop takes the timer out of force.
func (t *Timer) Stop(s Scheduler, class Class) {
	if t.deadline == 0 {
		return
	}
	t.deadline = 0
	if class == Pending {
		s.Calm().End()
	}
}

// Fired is called with the timer's event and says whether it has expired. An
// event that came too early is queued again for the deadline.
func (t *Timer) Fired(s Scheduler, e *Event) bool {
	if e.At != t.queued {
		return false // superseded by an earlier one
	}
	t.queued = 0
	switch {
	case t.deadline == 0:
		return false
	case t.deadline > e.At:
		t.queued = t.deadline
		s.Schedule(Event{At: t.deadline, Kind: e.Kind, Class: e.Class, A: e.A, B: e.B})
		return false
	}
	t.deadline = 0
	if e.Class == Pending {
		s.Calm().End()
	}
	return true
}
