package traffic

import (
	"cmp"
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// all follows all packets of a device to the destination through the step.
func (f *follower) all(from uint32, last bool) []part {
	s := f.step
	f.parts = nil
	if f.lean {
		f.parts = f.room[:0]
	}
	hi := s.End - span
	if last {
		hi = s.End
	}
	lo := s.Start - span
	if int(from) >= len(s.Before.Devices()) {
		lo = s.Start // the flow begins with the action
	}
	f.follow(node{from, device.Main}, lo, hi, 0, maxTTL)
	slices.SortFunc(f.parts, func(a, b part) int {
		if a.lo < b.lo {
			return -1
		}
		return 1
	})
	f.room = f.parts
	return f.parts
}

// node is an instance of a device, by their numbers.
type node struct {
	dev  uint32
	inst uint16
}

func (n node) compare(o node) int {
	return cmp.Or(cmp.Compare(n.dev, o.dev), cmp.Compare(n.inst, o.inst))
}

// in is the instance in a world, nil if it is not there.
func (n node) in(w *network.World) *device.Instance {
	if int(n.dev) >= len(w.Devices()) || int(n.inst) >= len(w.Device(n.dev).Instances()) {
		return nil
	}
	return &w.Device(n.dev).Instances()[n.inst]
}

// places number all instances that there are in a step.
type places struct {
	first []int // of a device's instances, by the device's number
	count int
}

func placesOf(s *history.Step) *places {
	p := &places{}
	for _, d := range s.After.Devices() {
		p.first = append(p.first, p.count)
		p.count += len(d.Instances())
	}
	return p
}

func (p *places) of(n node) int { return p.first[n.dev] + int(n.inst) }

// failure is why packets are lost, and where.
type failure struct {
	code note.Code
	a, b string
}

// follower follows packets to a destination through a step.
type follower struct {
	step      *history.Step
	changes   forwardings
	about     []uint32 // of those, the ones that an instance is asked about
	src, dst  ip.Addr
	covers    []uint32 // prefixes that contain the destination, the longest first
	places    *places
	same      untouched
	decisions [][]decision // by place, of those that are
	decided   []bool
	fates     []fate      // by place
	over      [][]*passes // by device, for all destinations
	ground    *Ground     // of the network before the step; may be nil
	seen      []node      // what the packets that are followed have passed
	marks     []uint8     // by place, for circles
	minds     []mind      // room for those, too
	kept      []node
	changed   []node
	parts     []part
	causes    map[failure]string  // in words
	turns     map[event.Time]Turn // by the send time of the first packet that meets it; nil if nobody asks
	lean      bool                // only what is lost is asked for, and what all gives is good until it is called again
	room      []part              // for the next packets
	trace     *Trip               // of the one packet that is followed, if it is one
	calm      *steady             // of the destination; nil to follow packets to their end
}

// toward is a follower of packets to an address.
func toward(s *history.Step, dst ip.Addr) *follower {
	p := placesOf(s)
	f := &follower{step: s, changes: p.forwardingsOf(s), places: p, same: untouchedOf(s), over: make([][]*passes, len(s.After.Devices())),
		decisions: make([][]decision, p.count), decided: make([]bool, p.count), fates: make([]fate, p.count), marks: make([]uint8, p.count),
		causes: map[failure]string{}, seen: make([]node, 0, maxTTL)}
	f.another(dst)
	return f
}

// another has the follower follow packets to another address; what does not depend on that stays known.
func (f *follower) another(dst ip.Addr) {
	clear(f.decided)
	for i := range f.fates {
		f.fates[i].stretches, f.fates[i].sum.known = f.fates[i].stretches[:0], false
	}
	f.dst, f.covers = dst, f.covers[:0]
	// The last world knows all prefixes that the notes may name.
	f.step.After.Shared().Prefixes.Covering(dst, func(id uint32) bool { f.covers = append(f.covers, id); return true })
}

// follow follows packets sent in [lo, hi) that reach an instance delta later.
func (f *follower) follow(at node, lo, hi, delta event.Time, ttl int) {
	if lo >= hi {
		return
	}
	if f.lean && f.calm.changed.terrain != nil {
		seen := f.seen
		at, delta, ttl = f.walk(at, delta, ttl)
		defer func() { f.seen = seen }()
	}
	switch {
	case f.calm == nil:
	case f.calm.passes(at, ttl, len(f.seen) == 0):
		f.arrive(at, lo, hi)
		return
	case f.lean && delta > 0 && f.calm.changed.terrain != nil:
		f.lossy(at, lo, hi, delta, ttl, func(lo, hi event.Time) { f.met(at, lo, hi, delta, ttl) })
		return
	}
	f.met(at, lo, hi, delta, ttl)
}

// met is what packets meet at an instance.
func (f *follower) met(at node, lo, hi, delta event.Time, ttl int) {
	ds := f.timeline(at)
	if ds[0].from != longAgo && lo+delta < ds[0].from {
		// The device was not there before the action.
		end := min(hi, ds[0].from-delta)
		f.fail(lo, end, note.NoRoute, phrase.Text("a device that is not there yet"), f.dst.String())
		lo = end
	}
	// begins is the send time of the first packet that meets a decision.
	begins := func(k int) event.Time {
		if ds[k].from == longAgo {
			return lo
		}
		return f.meets(ds[k].from, delta)
	}
	for k := range ds {
		from, to := max(lo, begins(k)), hi
		if k+1 < len(ds) {
			to = min(hi, begins(k+1))
		}
		if from < to {
			if ds[k].from != longAgo && from == begins(k) {
				if f.turns != nil {
					f.turns[from] = Turn{at.dev, at.inst, ds[k].from}
				}
			}
			f.hop(at, &ds[k], from, to, delta, ttl)
		}
	}
}

// meets is the send time of the first packet, delta after it was sent, that meets
// what begins at a time. What arrives in the instant of an action was there before
// it: a moment is all events up to and including it.
func (f *follower) meets(begins, delta event.Time) event.Time {
	if begins == f.step.Start && delta > 0 {
		return begins - delta + 1
	}
	return begins - delta
}

func (f *follower) fail(lo, hi event.Time, why note.Code, a, b string) {
	if lo >= hi {
		return
	}
	key := failure{why, a, b}
	cause, known := f.causes[key]
	if !known {
		cause = facts.Sentence(why.Info().Text, a, b)
		f.causes[key] = cause
	}
	f.parts = append(f.parts, part{lo: lo, hi: hi, cause: cause, code: why, at: a, device: a})
}

func (f *follower) arrive(at node, lo, hi event.Time) {
	if !f.lean {
		f.parts = append(f.parts, part{lo: lo, hi: hi, ok: true, looped: hasTwice(f.seen), way: append(slices.Clip(slices.Clone(f.seen)), at)})
	}
}

// hop is one decision's part of follow.
func (f *follower) hop(at node, c *decision, lo, hi, delta event.Time, ttl int) {
	seen := f.seen
	inst := at.in(c.world)
	d := inst.Device()
	if len(seen) == 0 { // it sends from the port by which the packets leave now
		if len(c.hops) > 0 {
			f.src = inst.AddressBy(c.hops[0].Port)
		} else {
			f.src = ip.AddrFrom(d.Config().AddressIn(inst.Name()))
		}
	}
	switch {
	case !d.Enabled():
		f.fail(lo, hi, note.DeviceDisabled, d.Name(), f.dst.String())
		return
	case c.local:
		f.arrive(at, lo, hi)
		return
	case len(seen) > 0 && d.Kind() == config.Host:
		f.fail(lo, hi, note.NotForThisHost, d.Name(), f.dst.String())
		return
	case ttl <= 1 && len(seen) > 0:
		why := note.TTLExpired
		if slices.Contains(seen, at) {
			why = note.Loop
		}
		f.fail(lo, hi, why, d.Name(), f.dst.String())
		return
	case c.set == route.Blackhole:
		f.fail(lo, hi, note.Blackholed, inst.Ref(), f.dst.String())
		return
	case len(c.hops) == 0:
		f.fail(lo, hi, note.NoRoute, inst.Ref(), f.dst.String())
		return
	}
	way := c.hops[f.index(d, c.hops)]
	if over := d.InstanceOf(way.Port); over != inst && over.Answers(f.dst) {
		f.arrive(at, lo, hi)
		return
	}
	f.seen = append(seen, at)
	f.flight(d, c, way, lo, hi, delta, ttl)
	f.seen = seen
}

func hasTwice(seen []node) bool {
	for i, d := range seen {
		if slices.Contains(seen[:i], d) {
			return true
		}
	}
	return false
}

// flight carries packets over a medium: those that are across before the
// action, those that it meets in flight, and those that set out after it.
func (f *follower) flight(d *device.Device, c *decision, way route.Hop, lo, hi, delta event.Time, ttl int) {
	s := f.step
	to := way.Gateway
	if !to.IsValid() {
		to = f.dst
	}
	over := f.passes(d.ID(), way)
	before, after := &over.before, &over.after
	if len(f.seen) > 1 {
		ttl--
	}
	carry := func(x *crossing, lo, hi event.Time) {
		if lo >= hi {
			return
		}
		if f.trace != nil {
			f.leg(x, lo+delta, f.seen)
		}
		if x.why != note.None {
			f.fail(lo, hi, x.why, f.name(x.out), to.String())
			f.parts[len(f.parts)-1].device = d.Name()
			return
		}
		f.follow(node{x.device, x.inst}, lo, hi, delta+x.delay, ttl)
	}
	if over.alike {
		carry(before, lo, hi)
		return
	}
	t0 := f.meets(s.Start, delta)                   // the send time of the first packets that set out after the action
	landed := min(t0, s.Start-delta-before.delay+1) // one that leads nowhere has no delay
	carry(before, lo, min(hi, landed))
	if lo, hi := max(lo, landed), min(hi, t0); lo < hi {
		caught := *before
		if before.why == note.None {
			caught.why = f.caught(before, after)
		}
		carry(&caught, lo, hi)
	}
	carry(after, max(lo, t0), hi)
}
