package traffic

import (
	"math/bits"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/protocols/route"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
)

// Most packets do not notice an action: whichever of equal paths they take, each device on it forwards them before, during and
// after it in the same way, over links that the action does not touch, and they arrive. Then nothing need be followed. steady
// finds that out for all senders together, in one pass a destination: the way on from a device is the same whoever sent.

// quiet is what of a step does not depend on the destination.
type quiet struct {
	step      *history.Step
	first     []int // of a device's instances among all, by the device's number
	nodes     int
	at        []node      // by their numbers
	newcomers []node      // that were not there before the action
	prefixes  []set       // whose routes changed, by node
	hops      []set       // that changed
	crossings [][]crossed // by the number of the device
	same      untouched
}

// set is one of numbers.
type set []uint64

func (s set) has(i uint32) bool { return int(i>>6) < len(s) && s[i>>6]>>(i&63)&1 != 0 }

func (s *set) put(i uint32) {
	for int(i>>6) >= len(*s) {
		*s = append(*s, 0)
	}
	(*s)[i>>6] |= 1 << (i & 63)
}

func (s set) each(visit func(i uint32)) {
	for w, word := range s {
		for ; word != 0; word &= word - 1 {
			visit(uint32(w<<6 + bits.TrailingZeros64(word)))
		}
	}
}

// crossed is where packets get that leave a device by a port, to an address.
type crossed struct {
	port uint32
	to   ip.Addr
	passage
}

// passage is where packets get that leave by a port, if that is so before and after the action and for those in flight.
type passage struct {
	to node
	ok bool
}

func quietOf(s *history.Step) *quiet {
	c := &quiet{step: s, same: untouchedOf(s), crossings: make([][]crossed, len(s.Before.Devices()))}
	for _, d := range s.Before.Devices() {
		c.first = append(c.first, c.nodes)
		c.nodes += len(d.Instances())
	}
	for _, d := range s.After.Devices() {
		for k := range d.Instances() {
			if n := (node{d.ID(), uint16(k)}); c.has(n) {
				c.at = append(c.at, n)
			} else {
				c.newcomers = append(c.newcomers, n)
			}
		}
	}
	c.prefixes, c.hops = make([]set, c.nodes), make([]set, c.nodes)
	for i := s.NotesBefore; i < s.NotesAfter; i++ {
		n := s.After.NoteAt(i)
		if n.Kind != note.RouteChanged && n.Kind != note.HopChanged || !c.has(node{n.Device, n.Instance}) {
			continue
		}
		at := c.first[n.Device] + int(n.Instance)
		if n.Kind == note.RouteChanged {
			c.prefixes[at].put(uint32(n.A))
		} else {
			c.hops[at].put(uint32(n.A))
		}
	}
	return c
}

// has says whether an instance was there before the action.
func (c *quiet) has(n node) bool {
	return int(n.dev) < len(c.first) && int(n.inst) < len(c.step.Before.Device(n.dev).Instances())
}

// steady is what is found out about a destination.
type steady struct {
	*quiet
	dst    ip.Addr
	covers []uint32 // prefixes that contain it, the longest first
	known  []uint8  // by node: unknown, asked, or a verdict
	far    []uint8  // devices on the longest path from a node

	changed changed // if there is a ground: of that, what the step changes
	doubted []node  // room
	sending []node
}

const (
	unknown uint8 = iota
	asked
	unsteady
	arrives
)

// toward is a pass for a destination; t, if not nil, is one that is done with.
func (c *quiet) toward(dst ip.Addr, t *steady) *steady {
	if t == nil {
		t = &steady{quiet: c, known: make([]uint8, c.nodes), far: make([]uint8, c.nodes)}
	}
	clear(t.known)
	t.dst, t.covers = dst, t.covers[:0]
	c.step.After.Shared().Prefixes.Covering(dst, func(id uint32) bool { t.covers = append(t.covers, id); return true })
	return t
}

// arrive says whether all packets of the step that pass an instance arrive, whoever sent them, none of them twice anywhere.
func (t *steady) arrive(n node) bool {
	if !t.has(n) {
		return false
	}
	i := t.first[n.dev] + int(n.inst)
	if t.changed.terrain != nil {
		return t.changed.arrive(i)
	}
	switch t.known[i] {
	case unknown:
		t.known[i] = asked // a loop comes back here
		verdict := unsteady
		if t.look(n, i) {
			verdict = arrives
		}
		t.known[i] = verdict
		return verdict == arrives
	case arrives:
		return true
	}
	return false
}

// doubtful are the instances that packets may be lost from, in order; they are good until it is called again.
func (t *steady) doubtful() []node {
	t.doubted = t.doubted[:0]
	switch c := &t.changed; {
	case c.terrain == nil:
		for _, n := range t.at {
			if !t.arrive(n) {
				t.doubted = append(t.doubted, n)
			}
		}
	case len(c.which) > 0:
		for i, n := range t.at {
			if !c.arrive(i) {
				t.doubted = append(t.doubted, n)
			}
		}
	default:
		for _, i := range c.lost {
			t.doubted = append(t.doubted, t.at[i])
		}
	}
	t.doubted = append(t.doubted, t.newcomers...)
	return t.doubted
}

// senders are the devices of whose packets some may be lost, in order: their first instances. They are good until it is called again.
func (t *steady) senders() []node {
	t.sending = t.sending[:0]
	if t.changed.terrain == nil || t.changed.through == nil {
		for _, n := range t.doubtful() {
			if n.inst == device.Main {
				t.sending = append(t.sending, n)
			}
		}
		return t.sending
	}
	for w, set := range t.changed.passing() {
		for ; set != 0; set &= set - 1 {
			if n := t.at[w<<6+bits.TrailingZeros64(set)]; n.inst == device.Main {
				t.sending = append(t.sending, n)
			}
		}
	}
	for _, n := range t.newcomers {
		if n.inst == device.Main {
			t.sending = append(t.sending, n)
		}
	}
	return t.sending
}

// passes says whether packets that get to an instance with a TTL arrive for sure; begins says that it sends them itself.
func (t *steady) passes(n node, ttl int, begins bool) bool {
	if !t.arrive(n) {
		return false
	}
	far := int(t.longest(n))
	return far+1 < ttl && (begins || far == 1 || t.step.Before.Device(n.dev).Kind() != config.Host)
}

// longest is how many instances packets pass at most from one from which they arrive, that one counted.
func (t *steady) longest(n node) uint8 {
	i := t.first[n.dev] + int(n.inst)
	if t.changed.terrain != nil {
		return t.changed.far[i]
	}
	return t.far[i]
}

// decides is what an instance does with packets before, during and after the step, if that is all the same: the next hops, none of them
// if packets arrive there. ok is false if it is not the same, or they are lost.
func (t *steady) decides(n node, i int) (hops []route.Hop, ok bool) {
	s := t.step
	before, applied := n.in(s.Before), n.in(s.Applied)
	if applied == nil || before.Device().Gone() || !before.Device().Enabled() {
		return nil, false
	}
	same := t.same.has(n.dev)
	if !same && (applied.Device().Gone() || !applied.Device().Enabled() || before.Local(t.dst) != applied.Local(t.dst)) {
		return nil, false
	}
	if before.Local(t.dst) {
		return nil, true
	}
	set := t.setAt(before, i)
	if set == route.NoSet || set == route.Blackhole || !same && set != t.setAt(applied, i) {
		return nil, false
	}
	if set == route.Beyond {
		return nil, true
	}
	return s.Before.Shared().Sets.Hops(set), true
}

func (t *steady) look(n node, i int) bool {
	s := t.step
	hops, ok := t.decides(n, i)
	if !ok {
		return false
	}
	t.far[i] = 1
	before := n.in(s.Before)
	for _, h := range hops {
		if s.Before.Device(n.dev).InstanceOf(h.Port) != before {
			return false // it crosses to another instance: rare enough to be followed
		}
		to := h.Gateway
		if !to.IsValid() {
			to = t.dst
		}
		x := t.cross(n.dev, h.Port, to)
		if !x.ok || !t.arrive(x.to) {
			return false
		}
		next := s.Before.Device(x.to.dev)
		far := t.far[t.first[x.to.dev]+int(x.to.inst)]
		if far >= maxTTL-2 || next.Kind() == config.Host && far > 1 {
			return false
		}
		t.far[i] = max(t.far[i], far+1)
	}
	return true
}

// setAt is the set of next hops that an instance uses, NoSet if that changes in the step.
func (t *steady) setAt(inst *device.Instance, i int) route.SetID {
	table := inst.Table()
	for _, id := range t.covers {
		if t.prefixes[i].has(id) {
			return route.NoSet
		}
		if h := table.Next(id); h != 0 {
			if t.hops[i].has(uint32(h)) {
				return route.NoSet
			}
			if set := table.Set(h); set != route.NoSet {
				return set
			}
		}
	}
	return route.NoSet
}

// cross finds a crossing that the action leaves alone, once for all destinations.
func (t *steady) cross(dev, port uint32, to ip.Addr) passage {
	for k := range t.crossings[dev] {
		if x := &t.crossings[dev][k]; x.port == port && x.to == to {
			return x.passage
		}
	}
	before, applied := cross(t.step.Before, dev, port, to), cross(t.step.Applied, dev, port, to)
	b, a := &before, &applied
	f := &follower{step: t.step}
	x := passage{node{b.device, b.inst}, b.why == note.None && a.why == note.None && b.device == a.device && b.in == a.in &&
		b.inst == a.inst && b.delay == a.delay && f.caught(b, a) == note.None}
	t.crossings[dev] = append(t.crossings[dev], crossed{port, to, x})
	return x
}
