package traffic

import (
	"hellebore/core/ground/ip"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
)

// Lost is what a step takes from the pairs of hosts and loopbacks, counted.
type Lost struct {
	Ends     int        // hosts and loopbacks
	Of       int        // pairs there are
	ForGood  []LostPair // that arrived before the step and do not at its end, in the order of devices
	Repaired int        // that did not arrive before the step and do at its end
	Out      int        // that were out for a time and arrive again
	Longest  float64    // seconds of the longest outage of those
	Loops    int        // forwarding loops that were there for a time
}

// LostPair is a pair that does not arrive any more, and where its packets end.
type LostPair struct {
	From, To *device.Device
	At       string
	Cause    string
}

// LostOf follows the pairs of a step as PairsOf does, and counts. stop is that of OutagesOf.
func LostOf(s *history.Step, stop func() bool) Lost {
	var out Lost
	all := ends(s)
	out.Ends = len(all)
	calm := quietOf(s)
	loops := map[string]*Loop{}
	var sure *steady
	f := toward(s, forwardingNotes(s), ip.Addr{})
	f.lean = true
	for _, to := range all {
		dst := ip.AddrFrom(to.Config().Address())
		sure = calm.toward(dst, sure)
		f.another(dst)
		f.calm = sure
		for _, from := range all {
			if from == to {
				continue
			}
			if stop != nil && stop() {
				return out
			}
			if out.Of++; !sure.arrive(node{from.ID(), device.Main}) {
				out.add(s, from, to, f.all(from.ID(), true))
			}
		}
		f.loops(to.Name(), sure, loops)
	}
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
		out := 0.0
		for _, p := range lost {
			out += (p.hi - p.lo).Seconds()
		}
		l.Longest = max(l.Longest, out)
	}
}
