package traffic

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/protocols/route"
)

// Of packets that an action does concern, most arrive all the same, whichever of equal paths they take: they reach an instance after it
// has computed its routes anew, or circle between two of them until the other one has. What becomes of packets depends on where they
// are and when, not on who sent them, as long as they arrive on all of the equal paths. So that is found out once for all senders, and
// only packets that may be lost are followed.

// fate is what becomes of packets that get to an instance, by the time at which they do: from the end of time backwards, as far as it
// was asked. Where packets are handed on it follows from what becomes of them there, later; so each stretch rests on later ones.
type fate struct {
	stretches []stretch // the last one first
	busy      bool      // the next one is being found out
	sum       outlook   // once all are known
}

// stretch is what becomes of packets that get to an instance in [from, until).
type stretch struct {
	verdict
	until event.Time
}

// verdict says how many instances packets pass at most until they arrive, the one where they are counted; 0 if they may be lost. It is
// good from a time on, up to the one that was asked about.
type verdict struct {
	from event.Time
	hops uint8
}

var mayBeLost = verdict{from: longAgo}

// maxStretches bounds those of an instance; packets that get there before them may be lost.
const maxStretches = 96

// fateAt is the stretch of an instance that a time is in.
func (f *follower) fateAt(n node, t event.Time) stretch {
	if f.calm.arrive(n) {
		return stretch{verdict{longAgo, f.calm.longest(n)}, event.Never}
	}
	x := &f.fates[f.places.of(n)]
	for {
		last := len(x.stretches) - 1
		if last >= 0 && x.stretches[last].from <= t {
			for x.stretches[last].until <= t {
				last--
			}
			return x.stretches[last]
		}
		if x.busy {
			return stretch{mayBeLost, event.Never} // a loop came back here in no time, or at the end of time
		}
		x.busy = true
		f.foresee(n, x)
		x.busy = false
	}
}

// foresee adds the stretch before those that are known.
func (f *follower) foresee(n node, x *fate) {
	s := stretch{mayBeLost, event.Never}
	if k := len(x.stretches); k > 0 {
		s.until = x.stretches[k-1].from
	}
	if len(x.stretches) < maxStretches {
		s.verdict = f.verdictOf(n, s.until-1)
	}
	x.stretches = append(x.stretches, s)
}

// verdictOf finds the verdict on packets that get to an instance at a time, from the decision that it has then.
func (f *follower) verdictOf(n node, t event.Time) verdict {
	if x := f.calm.onward(n); x != nil {
		return f.asBefore(x, t)
	}
	ds := f.timeline(n)
	k := len(ds) - 1
	for k >= 0 && f.begins(&ds[k]) > t {
		k--
	}
	if k < 0 {
		return mayBeLost // it was not there
	}
	c := &ds[k]
	v := verdict{from: f.begins(c)}
	inst := n.in(c.world)
	d := inst.Device()
	switch {
	case !d.Enabled():
		return v
	case c.local:
		v.hops = 1
		return v
	case d.Kind() == config.Host || c.set == route.Blackhole:
		return v
	}
	for _, h := range c.hops {
		if d.InstanceOf(h.Port) != inst {
			v.hops = 0 // it crosses to another instance: rare enough to be followed
			return v
		}
		if !v.and(f.beyond(f.passes(n.dev, h), t)) {
			break
		}
	}
	return v
}

// asBefore is the verdict on packets that get to an instance that forwards as before the step.
func (f *follower) asBefore(x *onward, t event.Time) verdict {
	v := mayBeLost
	for i := range x.ways {
		if !v.and(f.arriving(&x.ways[i], t)) {
			break
		}
	}
	return v
}

// and has a verdict depend on the one behind a next hop, and says whether packets arrive there.
func (v *verdict) and(next verdict) bool {
	v.from = max(v.from, next.from)
	if next.hops == 0 || next.hops >= maxTTL-2 {
		v.hops = 0
		return false
	}
	v.hops = max(v.hops, next.hops+1)
	return true
}

// begins is when the first packets get to an instance that meet a decision, but for those that it sends itself (meets).
func (f *follower) begins(c *decision) event.Time {
	if c.from == f.step.Start {
		return c.from + 1
	}
	return c.from
}

// beyond is the verdict on packets that set out over a medium at a time, as flight carries them.
func (f *follower) beyond(over *passes, t event.Time) verdict {
	from, x := longAgo, &over.before
	if !over.alike {
		start := f.step.Start + 1
		landed := min(start, start-x.delay)
		switch {
		case t >= start:
			from, x = start, &over.after
		case t >= landed:
			if from = landed; x.why == note.None && f.caught(x, &over.after) != note.None {
				return verdict{from: from}
			}
		}
	}
	if x.why != note.None {
		return verdict{from: from}
	}
	v := f.arriving(x, t)
	v.from = max(v.from, from)
	return v
}

// arriving is the verdict on packets that set out on a crossing at a time and are not lost on it.
func (f *follower) arriving(x *crossing, t event.Time) verdict {
	if t != event.Never-1 { // the end of time stays where it is
		t += x.delay
	}
	v := f.fateAt(node{x.device, x.inst}, t).verdict
	if v.hops > 1 && f.step.Applied.Device(x.device).Kind() == config.Host {
		return mayBeLost
	}
	if v.from != longAgo {
		v.from -= x.delay
	}
	return v
}

// lossy visits the stretches of send time of packets sent in [lo, hi) that get to an instance delta later and may be lost, the first
// one first.
func (f *follower) lossy(n node, lo, hi, delta event.Time, ttl int, visit func(lo, hi event.Time)) {
	for t := lo + delta; t < hi+delta; {
		s := f.fateAt(n, t)
		until := min(s.until, hi+delta)
		if s.hops == 0 || int(s.hops)+1 >= ttl {
			visit(t-delta, until-delta)
		}
		t = until
	}
}

// outlook sums up a fate.
type outlook struct {
	known      bool
	lost       event.Time // for how long packets that get there may be lost, in all; of no meaning if that has no beginning or no end
	from, till event.Time // the first and the last of that; Never if none is
	hops       uint8      // most that others pass
}

// outlook sums up what becomes of packets that get to an instance.
func (f *follower) outlook(n node) *outlook {
	f.fateAt(n, longAgo)
	x := &f.fates[f.places.of(n)]
	o := &x.sum
	if o.known {
		return o
	}
	*o = outlook{known: true, from: event.Never, till: longAgo}
	for _, s := range x.stretches {
		if s.hops > 0 {
			o.hops = max(o.hops, s.hops)
			continue
		}
		o.from, o.till = min(o.from, s.from), max(o.till, s.until)
		o.lost += s.until - s.from
	}
	return o
}
