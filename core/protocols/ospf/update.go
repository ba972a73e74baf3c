package ospf

import (
	"slices"

	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/ospf"
)

// What a changed LSA makes of a shortest-path tree that is there already: only
// the vertices are visited that come to lie elsewhere, and only the routes to
// their networks looked at (after Ramalingam and Reps, "An incremental algorithm
// for a generalization of the shortest-path problem", 1996). Whatever is not a
// plain change of another router's links goes the long way, tree.go. Check holds
// the result against that after every settled state in tests.

// changed is a router LSA that is not what it was at the last run.
type changed struct {
	key uint32
	was uint32 // its body then, 0 if it was not there
}

// manyChanges is how many changed LSAs make starting afresh the shorter way.
const manyChanges = 32

// changedLSA remembers what the next run has to look at.
func (p *Process) changedLSA(h Host, ai int, key uint32, old entry) {
	a := p.scope(ai)
	switch h.Pool().Key(key).Type {
	case wire.RouterLSA:
		if slices.ContainsFunc(a.changed, func(c changed) bool { return c.key == key }) {
			return
		}
		was := old.body
		if old.dying {
			was = 0
		}
		a.changed = append(a.changed, changed{key, was})
		a.full = a.full || len(a.changed) > manyChanges
	case wire.NetworkLSA:
		a.full = true
	default:
		p.later = true
	}
}

// updater brings one area's tree up to date.
type updater struct {
	p       *Process
	s       *scratch
	pool    *Pool
	a       *area
	t       *spt
	root    uint32
	hit     []uint32 // vertices that lose a shortest way, and all behind them
	touched []uint32 // vertices that came to lie elsewhere
}

// updateTree brings an area's tree up to date with its changed LSAs. It returns
// the vertices that came to lie elsewhere, and those whose LSA changed; ok is
// false if the tree has to be made anew.
func (p *Process) updateTree(h Host, s *scratch, ai int) (touched []uint32, ok bool) {
	a := &p.areas[ai]
	if len(a.changed) == 0 {
		return nil, true
	}
	u := updater{p: p, s: s, pool: h.Pool(), a: a, t: a.tree, root: h.Pool().KeyID(p.routerKey())}
	s.load(a.tree, int(u.pool.keys.Len()), int(h.Shared().Prefixes.Len()))
	var better [][3]uint32 // from, to, cost: ways that are shorter now
	for _, c := range a.changed {
		now, was := u.live(c.key), u.old(c.key)
		rootBody := u.live(u.root)
		switch {
		case c.key == u.root || now == nil || was == nil || rootBody == nil || now.Router.Flags != was.Router.Flags:
			return nil, false
		case rootBody.linksTo(c.key) && now.linksTo(u.root) != was.linksTo(u.root):
			return nil, false
		}
		for _, n := range a.tree.nets { // addresses on the root's own segments are first hops
			before, _ := was.on(n.vertex)
			if after, _ := now.on(n.vertex); before != after && rootBody.linksTo(n.vertex) {
				return nil, false
			}
		}
		for _, list := range [][]edge{was.edges, now.edges} {
			for _, e := range list {
				if e.target == u.root {
					continue
				}
				better = u.compare(better, c.key, e.target)
				better = u.compare(better, e.target, c.key)
			}
		}
		touched = append(touched, c.key)
	}
	u.spread()
	for _, y := range u.hit {
		s.mark[y] = 0
	}
	for _, y := range u.hit {
		u.reachAgain(y)
	}
	for _, b := range better {
		if s.mark[b[0]] == s.run {
			u.relax(b[1], s.dist[b[0]]+b[2])
		}
	}
	u.settle()
	for _, y := range u.hit {
		if s.mark[y] != s.run {
			u.touched = append(u.touched, y)
		}
	}
	if len(u.touched) > 0 {
		a.tree = u.renewed(h.Shared())
	}
	return append(touched, u.touched...), true
}

func (u *updater) live(key uint32) *Body { return u.s.live(u.pool, u.a, key) }

// old is the LSA of a vertex as it was at the last run.
func (u *updater) old(key uint32) *Body {
	for _, c := range u.a.changed {
		if c.key == key {
			if c.was == 0 {
				return nil
			}
			return u.pool.bodies.Get(c.was)
		}
	}
	return u.live(key)
}

const noWay = ^uint32(0)

// cost is what it costs from one vertex to another, noWay if the two do not list
// each other (RFC 2328 16.1 (2)(b)).
func cost(from *Body, fromKey uint32, to *Body, toKey uint32) uint32 {
	least := noWay
	if from == nil || to == nil || !to.linksTo(fromKey) {
		return least
	}
	for _, e := range from.edges {
		if e.target == toKey {
			least = min(least, e.metric)
		}
	}
	return least
}

// compare finds out what became of the way from x to y: a vertex that loses a
// shortest way is hit, a way that is shorter now is added to the list.
func (u *updater) compare(better [][3]uint32, x, y uint32) [][3]uint32 {
	s := u.s
	was := cost(u.old(x), x, u.old(y), y)
	now := cost(u.live(x), x, u.live(y), y)
	switch {
	case was == now || s.mark[x] != s.run:
	case now < was:
		better = append(better, [3]uint32{x, y, now})
	case s.mark[y] == s.run && s.dist[x]+was == s.dist[y]:
		u.strike(y)
	}
	return better
}

func (u *updater) strike(y uint32) {
	if s := u.s; y != u.root && s.struck[y] != s.run {
		s.struck[y] = s.run
		u.hit = append(u.hit, y)
	}
}

// spread hits all that lies behind what is hit, by the ways of the last run.
func (u *updater) spread() {
	s := u.s
	for i := 0; i < len(u.hit); i++ {
		y := u.hit[i]
		body := u.old(y)
		if body == nil {
			continue
		}
		for _, e := range body.edges {
			if z := e.target; s.mark[z] == s.run && s.struck[z] != s.run && s.dist[y]+e.metric == s.dist[z] {
				if far := u.old(z); far != nil && far.linksTo(y) {
					u.strike(z)
				}
			}
		}
	}
}

// reachAgain looks for a way to a vertex from those that were not hit.
func (u *updater) reachAgain(y uint32) {
	s := u.s
	body := u.live(y)
	if body == nil {
		return
	}
	for _, e := range body.edges {
		x := e.target
		if s.mark[x] != s.run {
			continue
		}
		from := u.live(x)
		if from == nil {
			continue
		}
		for i, back := range from.edges {
			if back.target == y && (x != u.root || u.t.firstOf[i].n > 0) {
				u.relax(y, s.dist[x]+back.metric)
			}
		}
	}
}

// relax offers a distance to a vertex, which is visited if that changes it or may
// change its first hops.
func (u *updater) relax(y, dist uint32) {
	s := u.s
	switch {
	case y == u.root:
	case s.mark[y] != s.run || dist < s.dist[y]:
		s.mark[y], s.dist[y] = s.run, dist
		s.push(s.vertex(dist, y))
	case dist == s.dist[y]:
		s.push(s.vertex(dist, y))
	}
}

// settle visits vertices in the order of their distance.
func (u *updater) settle() {
	s := u.s
	hops := s.words64(u.t.words)
	for len(s.heap) > 0 {
		v := s.pop()
		if s.done[v.key] == s.run || s.vertex(s.dist[v.key], v.key).rank != v.rank {
			continue
		}
		s.done[v.key] = s.run
		u.firstHops(v.key, hops)
		mine := s.hopsOf(v.key, u.t.words)
		i := u.t.find(v.key)
		same := i >= 0 && u.t.dist[i] == s.dist[v.key] && slices.Equal(hops, u.t.bits(i))
		copy(mine, hops)
		if !same {
			u.touched = append(u.touched, v.key)
		} else if s.struck[v.key] != s.run {
			continue // nothing changes behind it
		}
		for _, e := range u.live(v.key).edges {
			if far := u.live(e.target); far != nil && s.done[e.target] != s.run && far.linksTo(v.key) {
				u.relax(e.target, s.dist[v.key]+e.metric)
			}
		}
	}
}

// firstHops gathers the first hops of all shortest ways to a vertex.
func (u *updater) firstHops(y uint32, to []uint64) {
	s := u.s
	clear(to)
	for _, e := range u.live(y).edges {
		x := e.target
		from := u.live(x)
		if from == nil || s.mark[x] != s.run {
			continue
		}
		for i, back := range from.edges {
			if back.target != y || s.dist[x]+back.metric != s.dist[y] {
				continue
			}
			hops := s.hopsOf(x, u.t.words)
			switch {
			case x == u.root:
				for bit := u.t.firstOf[i].from; bit < u.t.firstOf[i].from+u.t.firstOf[i].n; bit++ {
					to[bit/64] |= 1 << (bit % 64)
				}
			case from.Network.Routers == nil:
				for w := range to {
					to[w] |= hops[w]
				}
			default:
				s.throughNetwork(x, y, hops, to)
			}
		}
	}
}

// renewed is the tree with what was touched.
func (u *updater) renewed(shared *route.Shared) *spt {
	s, t := u.s, u.t
	n := *t
	same := true // vertices as before: the list is shared
	for _, key := range u.touched {
		i, there := slices.BinarySearch(n.keys, key)
		reached := s.mark[key] == s.run
		if reached != there && same {
			n.keys, same = slices.Clone(n.keys), false
		}
		switch {
		case reached && !there:
			n.keys = slices.Insert(n.keys, i, key)
		case !reached && there:
			n.keys = slices.Delete(n.keys, i, i+1)
		}
	}
	n.dist = make([]uint32, len(n.keys))
	n.hops = make([]uint64, len(n.keys)*n.words)
	n.border = nil
	for i, key := range n.keys {
		n.dist[i] = s.dist[key]
		copy(n.bits(i), s.hopsOf(key, n.words))
		if body := u.live(key); body.Network.Routers == nil && body.Router.Flags != 0 && key != u.root {
			n.border = append(n.border, border{router: u.pool.Key(key).Router, area: u.a.id, cost: n.dist[i],
				flags: body.Router.Flags, set: s.setOf(shared, n.bits(i))})
		}
	}
	return &n
}

// update brings the routing table up to date with the LSAs that changed since
// the last run. It returns how many vertices it visited; ok is false if that
// takes a full run.
func (p *Process) update(h Host, s *scratch) (vertices, put uint64, ok bool) {
	if p.all || p.hasVirtual() {
		return 0, 0, false
	}
	for i := range p.areas {
		// What a transit area makes shorter (RFC 2328 16.3) is not in the table as
		// the trees have it.
		if a := &p.areas[i]; a.full || a.tree == nil || a.crossed {
			return 0, 0, false
		}
	}
	pool, shared := h.Pool(), h.Shared()
	later := p.later || p.beyond || p.joins()
	prefixes := s.affected[:0]
	for ai := range p.areas {
		was := p.areas[ai].changed
		touched, ok := p.updateTree(h, s, ai)
		if !ok {
			return 0, 0, false
		}
		vertices += uint64(len(touched))
		for _, key := range touched {
			if body := s.live(pool, &p.areas[ai], key); body != nil {
				prefixes = appendStubs(prefixes, body)
			}
		}
		for _, c := range was {
			if c.was != 0 {
				prefixes = appendStubs(prefixes, pool.bodies.Get(c.was))
			}
		}
	}
	slices.Sort(prefixes)
	prefixes = slices.Compact(prefixes)
	s.affected = prefixes
	s.beginTable(int(shared.Prefixes.Len()))
	for _, prefix := range prefixes {
		p.intraArea(h, s, prefix)
	}
	if !later {
		for _, prefix := range prefixes {
			r := Route{}
			if s.has(prefix) {
				r = s.routes[prefix]
				r.Set = p.limited(shared, r.Set)
			}
			put += p.putRoute(h, prefix, r)
		}
		return vertices, put, true
	}
	p.routes.Each(func(id uint32, r *Route) bool {
		if _, again := slices.BinarySearch(prefixes, id); r.Kind == IntraArea && !again {
			s.offer(shared, id, *r)
		}
		return true
	})
	for ai := range p.areas {
		s.border = append(s.border, p.areas[ai].tree.border...)
	}
	p.beyondAreas(h, s)
	return vertices, p.putAll(h, s), true
}

func appendStubs(list []uint32, b *Body) []uint32 {
	for _, st := range b.stubs {
		list = append(list, st.prefix)
	}
	return list
}

func (p *Process) hasVirtual() bool {
	return slices.ContainsFunc(p.ports, func(q port) bool { return q.On && q.Virtual })
}

// intraArea offers the routes that the trees have to a prefix.
func (p *Process) intraArea(h Host, s *scratch, prefix uint32) {
	pool, shared := h.Pool(), h.Shared()
	for ai := range p.areas {
		a := &p.areas[ai]
		t := a.tree
		best := noWay
		hops := s.words64(t.words)
		for _, key := range pool.announcers.Get(prefix) {
			e := a.db.At(key)
			if e == nil || e.body == 0 || e.dying {
				continue
			}
			vertex := key
			if pool.Key(key).Type == wire.NetworkLSA {
				i := slices.IndexFunc(t.nets, func(n net) bool { return n.key == key })
				if i < 0 {
					continue
				}
				vertex = t.nets[i].vertex
			}
			i := t.find(vertex)
			if i < 0 {
				continue
			}
			for _, st := range pool.bodies.Get(e.body).stubs {
				if st.prefix != prefix {
					continue
				}
				c := t.dist[i] + st.metric
				if c < best {
					best = c
					clear(hops)
				}
				if c == best {
					for w := range hops {
						hops[w] |= t.bits(i)[w]
					}
				}
			}
		}
		if best != noWay {
			s.first, s.sets = append(s.first[:0], t.first...), s.sets[:0]
			s.offer(shared, prefix, Route{Set: s.setOf(shared, hops), Cost: best, Area: a.id, Kind: IntraArea})
		}
	}
}
