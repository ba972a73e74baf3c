package ospf

import "hellebore/core/ground/event"

// futileAfter is how many attempts without an answer make one that may fail for
// ever: more than random loss takes in a row.
const futileAfter = 12

// retry is something that is sent again until it is answered: a Database
// Description (RFC 2328 10.8), a Link State Request (10.9), LSAs that wait for
// an acknowledgment (13.6). The other end may never answer, so it is of the
// class Retry: the network is settled although it goes on, once it was fruitless
// since the last disturbance.
type retry struct {
	timer event.Timer
	watch event.Watch
	tries int // in a row that were not answered
}

// arm sets the next attempt, which belongs to a neighbour on a port.
func (r *retry) arm(h Host, at event.Time, kind event.Kind, port, n uint32) {
	h.Calm().Start(&r.watch)
	r.timer.Set(h, at, kind, event.Retry, port, n)
}

// again notes one more attempt.
func (r *retry) again(h Host) {
	if r.tries++; r.futile() {
		h.Calm().Refresh(&r.watch)
	}
}

// answered notes that the attempts lead on: what follows counts anew.
func (r *retry) answered() { r.tries = 0 }

func (r *retry) futile() bool { return r.tries >= futileAfter }

// pause stops the timer alone: it is for the other end to go on.
func (r *retry) pause(h Host) { r.timer.Stop(h, event.Retry) }

// stop ends the attempts.
func (r *retry) stop(h Host) {
	r.pause(h)
	h.Calm().Stop(&r.watch)
	r.tries = 0
}
