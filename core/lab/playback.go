package lab

import (
	"net/netip"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/questions/playback"
)

// Playback is what happens from one time to another, in seconds since the lab began: packets on
// their way and what devices do. all says that every packet of the flows is in it, not only the first
// ones that take another path or are lost.
func (l *Lab) Playback(from, to float64, all bool) (playback.Stretch, error) {
	a, b, err := l.stretch(from, to)
	if err != nil {
		return playback.Stretch{}, err
	}
	return playback.Of(l.history, a, b, all, l.stop)
}

// Hunt is how the best paths of a prefix change from one time to another.
func (l *Lab) Hunt(prefix string, from, to float64) (playback.Hunt, error) {
	p, err := netip.ParsePrefix(prefix)
	if err != nil {
		return playback.Hunt{}, phrase.Errorf("%q is no prefix: write it as 10.64.12.0/22", prefix)
	}
	a, b, err := l.stretch(from, to)
	if err != nil {
		return playback.Hunt{}, err
	}
	return playback.HuntOf(l.history, ip.PrefixFrom(p), a, b, l.stop)
}

// stretch is a part of the lab's time.
func (l *Lab) stretch(from, to float64) (a, b event.Time, err error) {
	now := l.history.Head().Now()
	// A time that is not a number holds none of it.
	if !(0 <= from && from <= to && from <= now.Seconds()) {
		return 0, 0, phrase.Errorf("the lab's time is from 0 to %v: %v s to %v s is no stretch of it", now, from, to)
	}
	return event.FromSeconds(from), event.FromSeconds(min(to, now.Seconds())), nil
}
