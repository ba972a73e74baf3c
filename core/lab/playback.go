package lab

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/phrase"
	"hellebore/core/questions/playback"
)

// Playback is what happens from one time to another, in seconds since the lab began: packets on
// their way and what devices do.
func (l *Lab) Playback(from, to float64) (playback.Stretch, error) {
	now := l.history.Head().Now()
	a, b := event.FromSeconds(from), event.FromSeconds(to)
	if a < 0 || b < a || a > now {
		return playback.Stretch{}, phrase.Errorf("the lab's time is from 0 to %v: %.6f s to %.6f s is no stretch of it", now, from, to)
	}
	return playback.Of(l.history, a, min(b, now), l.stop)
}
