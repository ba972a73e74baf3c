package history

import (
	"hellebore/core/ground/event"
	"hellebore/core/simulation/network"
)

// tryAgain is after how much time a run tries again to skip what is idle (network.SkipIdle): LSAs of a router that is lost are gone
// by then.
const tryAgain = 3700 * event.Second

// tries are a run until a time that skips what is idle, at its beginning and now and then: whoever does a part of an action again tries at
// the same times, since skipping leaves fewer events.
type tries struct {
	until, next event.Time
}

// triesUntil is a run that is to last until a time; 0 is to rest, where nothing is skipped.
func triesUntil(w *network.World, until event.Time) tries {
	if until == 0 {
		return tries{event.Never, event.Never}
	}
	t := tries{until: until}
	t.try(w)
	return t
}

func (t *tries) try(w *network.World) {
	t.next = w.Now()
	if more := w.SkipIdle(t.until); !more {
		t.next = min(t.until, w.Now()+tryAgain)
	}
}

// runs runs the world on for the work between two keyframes, and says whether it is at the end.
func (t *tries) runs(w *network.World) bool {
	from := w.Work()
	for w.RunUntil(t.next, frameWork) {
		if t.next == t.until {
			return true
		}
		if w.Work()-from >= frameWork {
			return false
		}
		t.try(w)
	}
	return false
}

// runsNext has the world handle its next event, or skips, if there is something until the end.
func (t *tries) runsNext(w *network.World) bool {
	if w.RunNext(t.next) {
		return true
	}
	if t.next == t.until {
		return false
	}
	t.try(w)
	return true
}
