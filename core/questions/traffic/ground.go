package traffic

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Ground is what is known of the paths of a network at rest, for steps that all begin there: how each instance forwards packets for
// each destination, which instances they pass from there, and whether they arrive. A step then only has to be asked what it changes. It
// may be used by one goroutine.
type Ground struct {
	base   *network.World
	calm   *quiet // of a step that changes nothing
	words  int    // of a set of nodes; 0 if paths are not kept
	toward map[ip.Addr]*terrain
	steps  []onward
	known  map[decided]int32 // in steps
	over   [][]leading       // by device, the crossings that were asked for
}

// mostNodes bounds the instances of which a ground is made: it grows with their square, 10 bytes each. mostPaths bounds those of which
// the path of each pair is kept, which grows with their cube.
const (
	mostNodes = 5000
	mostPaths = 600
)

// GroundOf is the ground of a network, nil for one that is too large. It is filled in as it is asked.
func GroundOf(w *network.World) *Ground {
	g := &Ground{base: w, calm: quietOf(&history.Step{Before: w, Applied: w, After: w}), toward: map[ip.Addr]*terrain{},
		known: map[decided]int32{}, over: make([][]leading, len(w.Devices()))}
	if g.calm.nodes > mostNodes {
		return nil
	}
	if g.calm.nodes <= mostPaths {
		g.words = (g.calm.nodes + 63) / 64
	}
	return g
}

// decided is how an instance forwards packets; to is the destination if a hop has no gateway.
type decided struct {
	node node
	set  route.SetID
	to   ip.Addr
}

// onward are the next hops of an instance: where each gets packets, and how long that takes.
type onward struct {
	hops []route.Hop
	ways []crossing
	next []int32 // where those get, as numbers of nodes
	src  ip.Addr // of packets that the instance itself sends
	salt uint64  // of the device
}

// way is what packets take of the next hops.
func (x *onward) way(src, dst ip.Addr) *crossing {
	return &x.ways[x.index(src, dst)]
}

func (x *onward) index(src, dst ip.Addr) int {
	if len(x.hops) == 1 {
		return 0
	}
	return indexAt(x.salt, x.hops, src, dst)
}

// terrain is what is known of a destination. By node: the next hops, as an index of steps; none for an instance at which packets do not
// simply go on to another.
type terrain struct {
	on      []int32
	arrives []bool
	far     []uint8
	lost    []int32    // nodes from which packets do not arrive
	unheard []uint64   // those, as a set
	order   []int32    // nodes from which packets arrive, each behind all those that it may hand them to
	through [][]uint64 // by node, the devices whose own packets pass it, as numbers of nodes; nil if that is not kept
}

const none = -1

// of is the terrain of a destination.
func (g *Ground) of(dst ip.Addr) *terrain {
	if t := g.toward[dst]; t != nil {
		return t
	}
	n := g.calm.nodes
	t := &terrain{on: make([]int32, n), arrives: make([]bool, n), far: make([]uint8, n)}
	g.toward[dst] = t
	sure := g.calm.toward(dst, nil)
	done := make([]bool, n)
	var visit func(at node, i int)
	visit = func(at node, i int) {
		if done[i] {
			return
		}
		done[i], t.on[i] = true, none
		t.arrives[i] = sure.arrive(at)
		t.far[i] = sure.far[i]
		if k, ok := g.onward(sure, at, i); ok {
			t.on[i] = k
		}
		if !t.arrives[i] {
			t.lost = append(t.lost, int32(i))
			return // a loop may come back here
		}
		if t.on[i] != none {
			for w, j := range g.steps[t.on[i]].next {
				x := &g.steps[t.on[i]].ways[w]
				visit(node{x.device, x.inst}, int(j))
			}
		}
		t.order = append(t.order, int32(i))
	}
	for _, d := range g.base.Devices() {
		for k := range d.Instances() {
			at := node{d.ID(), uint16(k)}
			visit(at, g.calm.first[at.dev]+k)
		}
	}
	slices.Sort(t.lost)
	if g.words > 0 {
		t.unheard = make([]uint64, g.words)
		for _, i := range t.lost {
			t.unheard[i>>6] |= 1 << (i & 63)
		}
		g.send(t, dst)
	}
	return t
}

// send follows the packets of each device from which they arrive: with equal paths, on the one that they take.
func (g *Ground) send(t *terrain, dst ip.Addr) {
	all := make([]uint64, g.calm.nodes*g.words)
	t.through = make([][]uint64, g.calm.nodes)
	for i := range t.through {
		t.through[i] = all[i*g.words : (i+1)*g.words]
	}
	for from, i := range g.calm.first {
		if len(g.base.Device(uint32(from)).Instances()) == 0 || !t.arrives[i] {
			continue
		}
		src := ip.Addr{}
		for k := i; ; {
			t.through[k][i>>6] |= 1 << (i & 63)
			if t.on[k] == none {
				break
			}
			x := &g.steps[t.on[k]]
			if k == i {
				src = x.src
			}
			k = int(x.next[x.index(src, dst)])
		}
	}
}

// onward is how an instance forwards packets for a destination, if it does so to other instances over links that are up.
func (g *Ground) onward(sure *steady, at node, i int) (int32, bool) {
	inst := at.in(g.base)
	d := inst.Device()
	if d.Gone() || !d.Enabled() || inst.Local(sure.dst) {
		return none, false
	}
	set := sure.setAt(inst, i)
	if set == route.NoSet || set == route.Blackhole || set == route.Beyond {
		return none, false
	}
	hops := g.base.Shared().Sets.Hops(set)
	key := decided{node: at, set: set}
	if slices.ContainsFunc(hops, func(h route.Hop) bool { return !h.Gateway.IsValid() }) {
		key.to = sure.dst
	}
	if k, known := g.known[key]; known {
		return k, k != none
	}
	k := int32(none)
	if x, ok := g.cross(inst, hops, sure.dst); ok {
		k = int32(len(g.steps))
		g.steps = append(g.steps, x)
	}
	g.known[key] = k
	return k, k != none
}

func (g *Ground) cross(inst *device.Instance, hops []route.Hop, dst ip.Addr) (x onward, ok bool) {
	d := inst.Device()
	x.hops = hops
	for _, h := range hops {
		to := h.Gateway
		if !to.IsValid() {
			to = dst
		}
		c := g.crossing(d.ID(), h.Port, to)
		if d.InstanceOf(h.Port) != inst || c.why != note.None {
			return x, false
		}
		x.ways = append(x.ways, c)
		x.next = append(x.next, int32(g.calm.first[c.device]+int(c.inst)))
	}
	if len(hops) == 0 {
		return x, false
	}
	x.src, x.salt = inst.AddressBy(hops[0].Port), d.Salt()
	return x, true
}

// leading is a crossing toward an address.
type leading struct {
	to ip.Addr
	crossing
}

// crossing is where packets get that leave by a port of a device for an address.
func (g *Ground) crossing(dev, port uint32, to ip.Addr) crossing {
	for k := range g.over[dev] {
		if x := &g.over[dev][k]; x.out.port == port && x.to == to {
			return x.crossing
		}
	}
	x := cross(g.base, dev, port, to)
	g.over[dev] = append(g.over[dev], leading{to, x})
	return x
}

// changed is what a step that begins on a ground changes for a destination.
type changed struct {
	ground *Ground
	*terrain
	nodes    []uint64 // instances that do not forward as before
	which    []int32  // those
	affected []bool   // by node, of those from which packets arrived: some may pass one of those
	senders  []uint64 // room
}

// suspects are the instances that a step may have made forward in another way, by their numbers.
type suspects struct {
	any      []int32            // for whatever destination: next hops of theirs changed, or the action touched them or what they are joined to
	toPrefix map[uint32][]int32 // whose route to a prefix changed, of the others
}

func (c *quiet) suspectsOf() suspects {
	s := c.step
	touched := make([]bool, len(s.Before.Devices()))
	for _, d := range s.Before.Devices() {
		touched[d.ID()] = !c.same.has(d.ID())
	}
	near := slices.Clone(touched)
	after := s.Applied.Media()
	for i := range s.Before.Media() {
		m := &s.Before.Media()[i]
		other := i >= len(after) || !sameMedium(m, &after[i])
		for _, e := range m.Ends {
			other = other || touched[e.Device]
		}
		if other {
			for _, e := range m.Ends {
				near[e.Device] = true
			}
		}
	}
	out := suspects{toPrefix: map[uint32][]int32{}}
	for i, n := range c.at {
		if near[n.dev] || len(c.hops[i]) > 0 {
			out.any = append(out.any, int32(i))
			continue
		}
		c.prefixes[i].each(func(id uint32) { out.toPrefix[id] = append(out.toPrefix[id], int32(i)) })
	}
	return out
}

func sameMedium(a, b *network.Medium) bool {
	return a.Kind == b.Kind && a.Gone == b.Gone && a.Cut == b.Cut && a.Delay == b.Delay && slices.Equal(a.Ends, b.Ends)
}

// on has a pass of a step know what the ground says of its destination.
func (t *steady) on(g *Ground, suspects *suspects) {
	if t.changed.nodes == nil {
		t.changed.nodes, t.changed.affected = make([]uint64, (g.calm.nodes+63)/64), make([]bool, g.calm.nodes)
	}
	t.changed.ground, t.changed.terrain = g, g.of(t.dst)
	clear(t.changed.nodes)
	clear(t.changed.affected)
	t.changed.which = t.changed.which[:0]
	look := func(list []int32) {
		for _, i := range list {
			if !t.changed.differs(int(i)) && !t.forwardsAlike(t.at[i], int(i)) {
				t.changed.nodes[i>>6] |= 1 << (i & 63)
				t.changed.which = append(t.changed.which, i)
			}
		}
	}
	look(suspects.any)
	for _, id := range t.covers {
		look(suspects.toPrefix[id])
	}
	if len(t.changed.which) > 0 {
		t.changed.spread()
	}
}

// spread finds the instances of which packets may pass one that changed.
func (c *changed) spread() {
	began := false
	for _, i := range c.order {
		hit := c.differs(int(i))
		began = began || hit
		if !began {
			continue // nothing that it hands packets to changed
		}
		if k := c.on[i]; !hit && k != none {
			for _, j := range c.ground.steps[k].next {
				if c.affected[j] {
					hit = true
					break
				}
			}
		}
		c.affected[i] = hit
	}
}

// differs says whether an instance does not forward as before.
func (c *changed) differs(i int) bool { return c.nodes[i>>6]>>(i&63)&1 != 0 }

// forwardsAlike says whether a step leaves an instance as it is: how it forwards packets, and over what.
func (t *steady) forwardsAlike(n node, i int) bool {
	hops, ok := t.decides(n, i)
	if !ok {
		return false
	}
	for _, h := range hops {
		to := h.Gateway
		if !to.IsValid() {
			to = t.dst
		}
		if !t.cross(n.dev, h.Port, to).ok {
			return false
		}
	}
	return true
}

// arrive says whether packets arrive from a node as before.
func (c *changed) arrive(i int) bool { return c.arrives[i] && !c.affected[i] }

// passing are the devices from whose own packets some may be lost: they did not arrive, or pass an instance that changed.
func (c *changed) passing() []uint64 {
	c.senders = append(c.senders[:0], c.unheard...)
	for _, i := range c.which {
		for w, bits := range c.through[i] {
			c.senders[w] |= bits
		}
	}
	return c.senders
}

// keeps says whether it is known that an instance forwards packets as before the step, when they arrived.
func (t *steady) keeps(n node) bool {
	if t.changed.terrain == nil || !t.has(n) {
		return false
	}
	i := t.first[n.dev] + int(n.inst)
	return t.changed.arrives[i] && !t.changed.differs(i)
}

// onward are the next hops of an instance that is known to forward as before the step; nil if it is not.
func (t *steady) onward(n node) *onward {
	c := &t.changed
	if c.terrain == nil || !t.has(n) {
		return nil
	}
	i := t.first[n.dev] + int(n.inst)
	if c.on[i] == none || c.differs(i) {
		return nil
	}
	return &c.ground.steps[c.on[i]]
}

// walk takes packets over instances that forward as before, before, during and after the step, to the first one that does not. It gives
// how long that took and the TTL that is left; what was passed is put on seen.
func (f *follower) walk(at node, delta event.Time, ttl int) (node, event.Time, int) {
	t := f.calm
	for {
		x := t.onward(at)
		if x == nil || len(f.seen) > 0 && (ttl <= 1 || t.step.Before.Device(at.dev).Kind() == config.Host) {
			return at, delta, ttl
		}
		if len(f.seen) == 0 {
			f.src = x.src
		}
		way := x.way(f.src, f.dst)
		if f.seen = append(f.seen, at); len(f.seen) > 1 {
			ttl--
		}
		at, delta = node{way.device, way.inst}, delta+way.delay
	}
}

// index is which of equal next hops the packets that are followed take at a device.
func (f *follower) index(d *device.Device, hops []route.Hop) int {
	if len(hops) == 1 {
		return 0
	}
	return indexAt(d.Salt(), hops, f.src, f.dst)
}

func indexAt(salt uint64, hops []route.Hop, src, dst ip.Addr) int {
	return route.Index(hops, route.FlowHash(salt, src, dst, inet.ProtoICMP, 0))
}
