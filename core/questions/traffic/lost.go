package traffic

import (
	"hellebore/core/ground/event"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
)

// Lost is what a step takes from the pairs of hosts and loopbacks, counted.
type Lost struct {
	Ends     []*device.Device // hosts, and routers with a loopback, as they are after the step
	Of       int              // pairs there are
	ForGood  []LostPair       // that arrived before the step and do not at its end, in the order of devices
	Repaired int              // that did not arrive before the step and do at its end
	Out      int              // that were out for a time and arrive again
	Longest  float64          // seconds of the longest outage of those
	Loops    int              // forwarding loops that were there for a time
}

// LostPair is a pair that does not arrive any more, and where its packets end.
type LostPair struct {
	From, To *device.Device
	At       string
	Cause    string
}

// LostOf follows the pairs of a step as PairsOf does, and counts. ground, if not nil, is that of a network: of the step's, if it begins
// there. stop is that of OutagesOf.
func LostOf(s *history.Step, ground *Ground, stop func() bool) Lost {
	out := Lost{Ends: ends(s)}
	var loops map[string]*Loop
	out.Of, loops = eachPair(s, out.Ends, ground, stop, func(f *follower, from, to *device.Device) {
		out.add(s, from, to, f.all(from.ID(), true))
	})
	out.Loops = len(loops)
	return out
}

// add counts a pair by the stretches of time in which its packets are lost, in order.
func (l *Lost) add(s *history.Step, from, to *device.Device, lost []part) {
	if len(lost) == 0 {
		return
	}
	last := lost[len(lost)-1]
	before, after := lost[0].lo <= s.Start-span, last.hi >= s.End
	switch {
	case before && after:
	case before:
		l.Repaired++
	case after:
		l.ForGood = append(l.ForGood, LostPair{from, to, last.at, last.cause})
	default:
		l.Out++
		var out event.Time
		for _, p := range lost {
			out += p.hi - p.lo
		}
		l.Longest = max(l.Longest, out.Seconds())
	}
}
