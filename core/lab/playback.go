package lab

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/phrase"
	"hellebore/core/questions/playback"
)

// Playback is what happens from one time to another, in seconds since the lab began: packets on
// their way and what devices do. all says that every packet of the flows is in it, not only the first
// ones that take another way or are lost.
func (l *Lab) Playback(from, to float64, all bool) (playback.Stretch, error) {
	now := l.history.Head().Now()
	// A time that is not a number holds none of it.
	if !(0 <= from && from <= to && from <= now.Seconds()) {
		return playback.Stretch{}, phrase.Errorf("the lab's time is from 0 to %v: %v s to %v s is no stretch of it", now, from, to)
	}
	to = min(to, now.Seconds())
	return playback.Of(l.history, event.FromSeconds(from), event.FromSeconds(to), all, l.stop)
}
