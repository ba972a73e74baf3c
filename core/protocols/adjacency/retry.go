package adjacency

import "hellebore/core/ground/event"

// futileAfter is how many attempts without an answer make one that may fail for
// ever: more than random loss takes in a row.
const futileAfter = 12

// Retry is something that is sent again until it is answered: a Database
// Description (RFC 2328 10.8), a Link State Request (10.9), LSAs that wait for
// an acknowledgment (13.6). The other end may never answer, so it is of the
// class Retry: the network is settled although it goes on, once it was fruitless
// since the last disturbance.
type Retry struct {
	timer event.Timer
	watch event.Watch
	tries int // in a row that were not answered
}

// Arm sets the next attempt, which belongs to a neighbour on a port.
func (r *Retry) Arm(h event.Scheduler, at event.Time, kind event.Kind, port, n uint32) {
	h.Calm().Start(&r.watch)
	r.timer.Set(h, at, kind, event.Retry, port, n)
}

// Again notes one more attempt.
func (r *Retry) Again(h event.Scheduler) {
	if r.tries++; r.Futile() {
		h.Calm().Refresh(&r.watch)
	}
}

// Answered notes that the attempts lead on: what follows counts anew.
func (r *Retry) Answered() { r.tries = 0 }

// Futile says whether the attempts may fail for ever.
func (r *Retry) Futile() bool { return r.tries >= futileAfter }

// Pause stops the timer alone: it is for the other end to go on.
func (r *Retry) Pause(h event.Scheduler) { r.timer.Stop(h, event.Retry) }

// Fired is event.Timer.Fired for the timer of the attempts.
func (r *Retry) Fired(h event.Scheduler, e *event.Event) bool { return r.timer.Fired(h, e) }

// Running says whether another attempt is due.
func (r *Retry) Running() bool { return r.timer.Running() }

// Slot is what stays of the attempts when another neighbour takes the place: the
// timer, whose events may still be queued.
func (r *Retry) Slot() Retry { return Retry{timer: r.timer} }

// Unqueue has the timer forget its event, which was taken out of the queue.
func (r *Retry) Unqueue() { r.timer.Unqueue() }

// Stop ends the attempts.
func (r *Retry) Stop(h event.Scheduler) {
	r.Pause(h)
	h.Calm().Stop(&r.watch)
	r.tries = 0
}
