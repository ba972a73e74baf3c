package traffic

import (
	"cmp"
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/ground/store"
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

// forwardings are a step's changes of forwarding, by place, each list in order of time. A cold start has millions.
type forwardings [][]forwarding

// forwarding is one of them: a note of the world after the step.
type forwarding struct {
	prefix uint32 // that the route is to
	hop    bool   // a next hop changed: that may concern any destination
	note   uint32
}

func (p *places) forwardingsOf(s *history.Step) forwardings {
	all := make(forwardings, p.count)
	for i := s.NotesApplied; i < s.NotesAfter; i++ {
		n := s.After.NoteAt(i)
		if n.Kind == note.RouteChanged || n.Kind == note.HopChanged {
			at := p.of(node{n.Device, n.Instance})
			all[at] = append(all[at], forwarding{uint32(n.A), n.Kind == note.HopChanged, i})
		}
	}
	return all
}

// decision is what an instance does with packets for the destination from a time
// on, until the next decision.
type decision struct {
	from  event.Time
	world *network.World // for ports and addresses: before or after the action
	local bool
	set   route.SetID
	hops  []route.Hop
}

// passes are where packets get that leave a device by a port for an address, before the action and after it; alike says that the action makes no difference there, not even to
// packets in flight.
type passes struct {
	port          uint32
	to            ip.Addr
	before, after crossing
	alike         bool
}

// failure is why packets are lost, and where.
type failure struct {
	code note.Code
	a, b string
}

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
		decisions: make([][]decision, p.count), decided: make([]bool, p.count), fates: make([]fate, p.count), marks: make([]uint8, p.count), causes: map[failure]string{}, seen: make([]node, 0, maxTTL)}
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

const longAgo = event.Time(-1 << 62)

// timeline is all decisions of an instance about the destination, in order.
func (f *follower) timeline(at node) []decision {
	place := f.places.of(at)
	if f.decided[place] {
		return f.decisions[place]
	}
	s := f.step
	ds := f.decisions[place][:0]
	if before := at.in(s.Before); before != nil {
		ds = append(ds, f.decide(longAgo, s.Before, at, before.Table().Next, before.Table().Set))
	}
	table := at.in(s.Applied).Table()
	var fib []note.Note // the latest change of each of the prefixes that changed
	var resolved map[route.HopID]route.SetID
	next := func(id uint32) route.HopID {
		for i := range fib {
			if uint32(fib[i].A) == id {
				return route.HopID(fib[i].C)
			}
		}
		return table.Next(id)
	}
	set := func(h route.HopID) route.SetID {
		if x, ok := resolved[h]; ok {
			return x
		}
		if x := table.Set(h); x != route.NoSet {
			return x
		}
		if after := at.in(s.After).Table(); after.Vias(h) == nil {
			return after.Set(h) // a direct hop that came later never changes
		}
		return route.NoSet
	}
	if d := f.decide(s.Start, s.Applied, at, next, set); len(ds) == 0 || !f.same.has(at.dev) || !d.like(&ds[0]) {
		ds = append(ds, d)
	}
	f.about = f.about[:0]
	for _, c := range f.changes[place] {
		if c.hop || slices.Contains(f.covers, c.prefix) {
			f.about = append(f.about, c.note)
		}
	}
	for i, notes := 0, f.about; i < len(notes); {
		when := s.After.NoteAt(notes[i]).At
		for ; i < len(notes); i++ {
			n := s.After.NoteAt(notes[i])
			if n.At != when {
				break
			}
			if n.Kind == note.HopChanged {
				if resolved == nil {
					resolved = map[route.HopID]route.SetID{}
				}
				resolved[route.HopID(n.A)] = route.SetID(n.C)
				continue
			}
			fib = slices.DeleteFunc(fib, func(o note.Note) bool { return o.A == n.A })
			fib = append(fib, n)
		}
		d := f.decide(event.Time(when), s.Applied, at, next, set)
		switch last := &ds[len(ds)-1]; {
		case d.from == last.from:
			*last = d
		case !d.like(last):
			ds = append(ds, d)
		}
	}
	f.decisions[place], f.decided[place] = ds, true
	return ds
}

// like says whether two decisions are the same.
func (d *decision) like(o *decision) bool { return d.local == o.local && d.set == o.set }

// untouched are the devices of a step that the action left as they were, but for their tables.
type untouched struct {
	step *history.Step
	is   []uint8 // by device, once that has been asked
}

func untouchedOf(s *history.Step) untouched {
	return untouched{s, make([]uint8, len(s.After.Devices()))}
}

func (u *untouched) has(dev uint32) bool {
	const no, yes = 1, 2
	if u.is[dev] == 0 {
		before, applied := u.step.Before.Device(dev), u.step.Applied.Device(dev)
		u.is[dev] = no
		if before.Gone() == applied.Gone() && before.Enabled() == applied.Enabled() && before.Config() == applied.Config() &&
			slices.Equal(before.Ports(), applied.Ports()) {
			u.is[dev] = yes
		}
	}
	return u.is[dev] == yes
}

func (f *follower) decide(from event.Time, w *network.World, at node, next func(uint32) route.HopID,
	set func(route.HopID) route.SetID) decision {
	d := decision{from: from, world: w}
	if at.in(w).Local(f.dst) {
		d.local = true
		return d
	}
	for _, id := range f.covers {
		if h := next(id); h != 0 {
			d.set = set(h)
		}
		if d.set != route.NoSet {
			break
		}
	}
	if d.local = d.set == route.Beyond; d.local {
		return d
	}
	d.hops = f.step.After.Shared().Sets.Hops(d.set)
	return d
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

// caught is why packets that the action meets in flight are lost; None if they
// arrive all the same.
func (f *follower) caught(before, after *crossing) note.Code {
	was, is := &f.step.Before.Media()[before.joint.Index()], &f.step.Applied.Media()[before.joint.Index()]
	if is.Gone || before.to >= len(is.Ends) || was.Flight(before.from, before.to) != is.Flight(before.from, before.to) {
		if after.why == note.None {
			return note.NotJoined
		}
		return after.why
	}
	_, why := f.step.Applied.Device(before.device).Up(before.in)
	return why
}

// crossing is who gets a packet that leaves by a port, or why nobody does.
type crossing struct {
	device   uint32
	in       uint32 // by which of its ports
	inst     uint16 // that the port is in
	delay    event.Time
	joint    store.Ref // the medium
	from, to int       // its ends
	out, far plug      // the ports that it leaves by, and that it gets to or would
	joined   bool      // there is one that it would get to: not so on a segment on which nobody gets it
	why      note.Code
}

// plug is a port of a device, by their numbers.
type plug struct{ device, port uint32 }

// name is what a port is called.
func (f *follower) name(p plug) string {
	return facts.PortName(f.step.After.Device(p.device), p.port)
}

// passes are where packets get over a hop of a device.
func (f *follower) passes(dev uint32, way route.Hop) *passes {
	to := way.Gateway
	if !to.IsValid() {
		to = f.dst
	}
	for _, x := range f.over[dev] {
		if x.port == way.Port && x.to == to {
			return x
		}
	}
	x := &passes{port: way.Port, to: to}
	if f.ground == nil || int(dev) >= len(f.step.Before.Devices()) {
		x.before, x.after = cross(f.step.Before, dev, way.Port, to), cross(f.step.Applied, dev, way.Port, to)
	} else if x.before = f.ground.crossing(dev, way.Port, to); f.leaves(&x.before) {
		x.after = x.before
	} else {
		x.after = cross(f.step.Applied, dev, way.Port, to)
	}
	x.alike = x.before == x.after && (x.before.why != note.None || f.caught(&x.before, &x.after) == note.None)
	f.over[dev] = append(f.over[dev], x)
	return x
}

// leaves says whether the action leaves a crossing alone: a link between devices that stay as they were.
func (f *follower) leaves(x *crossing) bool {
	if x.why != note.None || !f.same.has(x.out.device) || !f.same.has(x.device) {
		return false
	}
	was, is := &f.step.Before.Media()[x.joint.Index()], &f.step.Applied.Media()[x.joint.Index()]
	return was.Kind == network.Link && sameMedium(was, is)
}

func cross(w *network.World, dev, port uint32, to ip.Addr) crossing {
	x := crossing{out: plug{dev, port}}
	if int(dev) >= len(w.Devices()) || int(port) >= len(w.Device(dev).Ports()) {
		x.why = note.NotJoined
		return x
	}
	d := w.Device(dev)
	m, from, ok := w.MediumOf(dev, port)
	if !ok {
		x.why = note.NotJoined
		return x
	}
	x.from = from
	if m.Kind != network.Segment && len(m.Ends) == 2 {
		far := m.Ends[1-from]
		x.far, x.joined = plug{far.Device, far.Port}, true
	}
	x.delay, x.joint = m.Delay, d.Ports()[d.Carries(port)].Joint
	if up, why := d.Up(port); !up {
		x.why = why
		return x
	}
	next, in, why := across(w, d, port, to)
	if why != note.None {
		x.why = why
		return x
	}
	x.far, x.joined = plug{next.ID(), in}, true
	x.device, x.in, x.inst = next.ID(), in, next.InstanceOf(in).Number()
	_, x.to, _ = w.MediumOf(x.device, in)
	return x
}
