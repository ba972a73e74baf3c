package traffic

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/route"
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

	longest event.Time
}

// LostPair is a pair that does not arrive any more, and where its packets end.
type LostPair struct {
	From, To *device.Device
	At       string
	Cause    string
}

// LostOf follows the pairs of a step as PairsOf does, and counts those whose ends are on when it is over. ground, if not nil, is that of
// a network: of the step's, if it begins there. stop is that of OutagesOf.
func LostOf(s *history.Step, ground *Ground, stop func() bool) Lost {
	out := Lost{Ends: ends(s)}
	var loops map[circled]*circling
	out.Of, loops = eachPair(s, out.Ends, ground, stop, func(f *follower, from, to *device.Device) {
		if !from.Enabled() || !to.Enabled() {
			return
		}
		if isOut, known := f.outAtMost(from.ID(), out.longest); !known {
			out.add(s, from, to, f.all(from.ID(), true))
		} else if isOut {
			out.Out++
		}
	})
	out.Loops, out.Longest = len(loops), out.longest.Seconds()
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
		l.longest = max(l.longest, out)
	}
}

// outAtMost says whether a device is out for a time, if that can be told without following its packets, and that it is not out for
// longer than some time. It is not out at all if nothing is lost behind the first instance on its path that forwards in another way. It
// is out for a time if the path leads over something that the action cuts with packets in flight, and all of them arrive in the end.
func (f *follower) outAtMost(from uint32, atMost event.Time) (out, known bool) {
	s, t := f.step, f.calm
	begin := node{from, device.Main}
	if t.changed.terrain == nil || !t.has(begin) || !t.changed.arrives[t.first[from]] {
		return false, false
	}
	defer func() { f.seen = f.seen[:0] }()
	at, delta, ttl := f.walk(begin, 0, maxTTL)
	if delta == 0 && f.turnsAtOnce(at) || t.changed.on[t.first[at.dev]+int(at.inst)] == none {
		return false, false
	}
	o := f.outlook(at)
	switch {
	case int(o.hops)+1 >= ttl:
		return false, false
	case o.from == event.Never:
		return false, true
	case o.lost > atMost || o.from-delta <= s.Start-span || o.till-delta >= s.End:
		return false, false
	}
	for {
		i := t.first[at.dev] + int(at.inst)
		k := t.changed.on[i]
		if k == none {
			return false, false
		}
		x := &t.changed.ground.steps[k]
		if at == begin {
			f.src = x.src
		}
		w := x.index(f.src, f.dst)
		if t.changed.differs(i) {
			if over := f.passes(at.dev, x.hops[w]); !over.alike {
				x := &over.before
				return true, x.delay > 1 && delta+x.delay < span && f.caught(x, &over.after) != note.None
			}
		}
		at, delta = node{x.ways[w].device, x.ways[w].inst}, delta+x.ways[w].delay
	}
}

// turnsAtOnce says whether packets that a device sends in the instant of the action fare otherwise than those that get there then (meets).
func (f *follower) turnsAtOnce(n node) bool {
	ds := f.timeline(n)
	return slices.ContainsFunc(ds, func(d decision) bool { return d.from == f.step.Start }) ||
		slices.ContainsFunc(ds[0].hops, func(h route.Hop) bool { return !f.passes(n.dev, h).alike })
}
