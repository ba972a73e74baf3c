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
}

// mostNodes bounds the instances of which a ground is made: it grows with their square, 10 bytes each. mostPaths bounds those of which
// the path of each pair is kept, which grows with their cube.
const (
	mostNodes = 5000
	mostPaths = 600
)

// GroundOf is the ground of a network, nil for one that is too large. It is filled in as it is asked.
func GroundOf(w *network.World) *Ground {
	g := &Ground{base: w, calm: quietOf(&history.Step{Before: w, Applied: w, After: w}), toward: map[ip.Addr]*terrain{}, known: map[decided]int32{}}
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
}

// terrain is what is known of a destination. By node: the next hops, as an index of steps; none for an instance at which packets do not
// simply go on to another.
type terrain struct {
	on      []int32
	arrives []bool
	far     []uint8
	order   []int32    // nodes from which packets arrive, each behind all those that it may hand them to
	paths   [][]uint64 // by node, sets of those that its own packets pass, once it was asked
}

const none = -1

// of is the terrain of a destination.
func (g *Ground) of(dst ip.Addr) *terrain {
	if t := g.toward[dst]; t != nil {
		return t
	}
	n := g.calm.nodes
	t := &terrain{on: make([]int32, n), arrives: make([]bool, n), far: make([]uint8, n)}
	if g.words > 0 {
		t.paths = make([][]uint64, n)
	}
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
	return t
}

// path are the instances that packets of one pass, of those from which they arrive: with equal paths, those on the one that they take.
func (g *Ground) path(t *terrain, dst ip.Addr, from node) []uint64 {
	i := g.calm.first[from.dev] + int(from.inst)
	if p := t.paths[i]; p != nil {
		return p
	}
	p := make([]uint64, g.words)
	t.paths[i] = p
	src := ip.Addr{}
	for at := from; ; {
		k := g.calm.first[at.dev] + int(at.inst)
		p[k>>6] |= 1 << (k & 63)
		if t.on[k] == none {
			return p
		}
		x := &g.steps[t.on[k]]
		if at == from {
			src = x.src
		}
		way := &x.ways[indexAt(g.base.Device(at.dev), x.hops, src, dst)]
		at = node{way.device, way.inst}
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
		c := cross(g.base, d.ID(), h.Port, to)
		if d.InstanceOf(h.Port) != inst || c.why != note.None {
			return x, false
		}
		x.ways = append(x.ways, c)
		x.next = append(x.next, int32(g.calm.first[c.device]+int(c.inst)))
	}
	if len(hops) == 0 {
		return x, false
	}
	x.src = inst.AddressBy(hops[0].Port)
	return x, true
}

// changed is what a step that begins on a ground changes for a destination.
type changed struct {
	ground *Ground
	*terrain
	nodes    []uint64 // instances that do not forward as before
	affected []bool   // by node, of those from which packets arrived: some may pass one of those
}

// suspect is an instance that a step may have made forward in another way.
type suspect struct {
	node  node
	at    int  // number of the node
	plain bool // only routes to prefixes changed
}

// suspectsOf finds them: those whose routes changed, those that the action touched, and what is joined to either.
func (c *quiet) suspectsOf() []suspect {
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
	var out []suspect
	for _, d := range s.Before.Devices() {
		for k := range d.Instances() {
			x := suspect{node{d.ID(), uint16(k)}, c.first[d.ID()] + k, true}
			x.plain = !near[d.ID()] && len(c.hops[x.at]) == 0
			if !x.plain || len(c.prefixes[x.at]) > 0 {
				out = append(out, x)
			}
		}
	}
	return out
}

func sameMedium(a, b *network.Medium) bool {
	return a.Kind == b.Kind && a.Gone == b.Gone && a.Cut == b.Cut && a.Delay == b.Delay && slices.Equal(a.Ends, b.Ends)
}

// on has a pass of a step know what the ground says of its destination.
func (t *steady) on(g *Ground, suspects []suspect) {
	if t.changed.nodes == nil {
		t.changed.nodes, t.changed.affected = make([]uint64, (g.calm.nodes+63)/64), make([]bool, g.calm.nodes)
	}
	t.changed.ground, t.changed.terrain = g, g.of(t.dst)
	clear(t.changed.nodes)
	clear(t.changed.affected)
	any := false
	for _, x := range suspects {
		if x.plain && !slices.ContainsFunc(t.covers, t.prefixes[x.at].has) || t.forwardsAlike(x.node, x.at) {
			continue
		}
		t.changed.nodes[x.at>>6] |= 1 << (x.at & 63)
		any = true
	}
	if any {
		t.changed.spread()
	}
}

// spread finds the instances of which packets may pass one that changed.
func (c *changed) spread() {
	for _, i := range c.order {
		hit := c.nodes[i>>6]>>(i&63)&1 != 0
		if k := c.on[i]; !hit && k != none {
			for _, j := range c.ground.steps[k].next {
				hit = hit || c.affected[j]
			}
		}
		c.affected[i] = hit
	}
}

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

// arriveFrom says whether it is known that the packets of an instance itself arrive as before.
func (t *steady) arriveFrom(n node) bool {
	if t.arrive(n) {
		return true
	}
	if t.changed.terrain == nil || t.changed.paths == nil || !t.has(n) || !t.changed.arrives[t.first[n.dev]+int(n.inst)] {
		return false
	}
	for w, bits := range t.changed.ground.path(t.changed.terrain, t.dst, n) {
		if bits&t.changed.nodes[w] != 0 {
			return false
		}
	}
	return true
}

// keeps says whether it is known that an instance forwards packets as before the step, when they arrived.
func (t *steady) keeps(n node) bool {
	if t.changed.terrain == nil || !t.has(n) {
		return false
	}
	i := t.first[n.dev] + int(n.inst)
	return t.changed.arrives[i] && t.changed.nodes[i>>6]>>(i&63)&1 == 0
}

// onward are the next hops of a node that forwards as before; nil if it does not.
func (c *changed) onward(i int) *onward {
	k := c.on[i]
	if k == none || c.nodes[i>>6]>>(i&63)&1 != 0 {
		return nil
	}
	return &c.ground.steps[k]
}

// walk takes packets over instances that hand them all to the same next one, before, during and after the step: those that forward as
// before, and those whose changes make no difference to these packets. So follow would take them one by one. It gives where that ends,
// with how long it took and the TTL that is left; what was passed is put on seen.
func (f *follower) walk(at node, delta event.Time, ttl int) (node, event.Time, int) {
	t := f.calm
	for t.has(at) && !t.passes(at, ttl, len(f.seen) == 0) {
		if len(f.seen) > 0 && (ttl <= 1 || t.step.Before.Device(at.dev).Kind() == config.Host) {
			break
		}
		way := f.onlyWay(at)
		if way == nil {
			break
		}
		if f.seen = append(f.seen, at); len(f.seen) > 1 {
			ttl--
		}
		at, delta = node{way.device, way.inst}, delta+way.delay
	}
	return at, delta, ttl
}

// onlyWay is where an instance sends all packets that are followed; nil if there are several, or they are not simply sent on.
func (f *follower) onlyWay(at node) *crossing {
	t := f.calm
	d := t.step.Before.Device(at.dev)
	if x := t.changed.onward(t.first[at.dev] + int(at.inst)); x != nil {
		if len(f.seen) == 0 {
			f.src = x.src
		}
		return &x.ways[f.index(d, x.hops)]
	}
	if !f.same.has(at.dev) || !d.Enabled() {
		return nil
	}
	ds := f.timeline(at)
	inst := &d.Instances()[at.inst]
	var only route.Hop
	for i := range ds {
		c := &ds[i]
		if c.local || len(c.hops) == 0 || c.set == route.Blackhole || ds[0].from != longAgo {
			return nil
		}
		if len(f.seen) == 0 {
			src := inst.AddressBy(c.hops[0].Port)
			if i > 0 && src != f.src {
				return nil
			}
			f.src = src
		}
		way := c.hops[f.index(d, c.hops)]
		if i > 0 && way != only {
			return nil
		}
		only = way
	}
	if d.InstanceOf(only.Port) != inst {
		return nil
	}
	x := f.passes(at.dev, only)
	if !x.alike || x.before.why != note.None {
		return nil
	}
	return &x.before
}

// index is which of equal next hops the packets that are followed take at a device.
func (f *follower) index(d *device.Device, hops []route.Hop) int {
	return indexAt(d, hops, f.src, f.dst)
}

func indexAt(d *device.Device, hops []route.Hop, src, dst ip.Addr) int {
	if len(hops) == 1 {
		return 0
	}
	return route.Index(hops, route.FlowHash(d.Salt(), src, dst, inet.ProtoICMP, 0))
}
