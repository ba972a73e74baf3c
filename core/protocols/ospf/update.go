package ospf

import (
	"slices"

	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/spf"
	wire "hellebore/core/protocols/wire/ospf"
)

// What changed LSAs make of the routing table that is there already: as little as
// possible is computed anew. Whatever is not a plain change of another router's links
// takes a full run, tree.go. Outdated holds the result against that after every
// settled state in tests.

// changed is a router LSA that is not what it was at the last run.
type changed struct {
	key uint32
	was uint32 // its body then, 0 if it was not there
}

// manyChanges is how many changed LSAs make starting afresh the shorter way.
const manyChanges = 32

// changedLSA remembers what the next run has to look at.
func (p *Process) changedLSA(h Host, ai int, key uint32, old lsdb.Instance) {
	a := p.scope(ai)
	switch h.Pool().Key(key).Type {
	case wire.RouterLSA:
		if slices.ContainsFunc(a.changed, func(c changed) bool { return c.key == key }) {
			return
		}
		was := old.Body
		if old.Dying {
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

// formerly is an area as it was at the last run.
type formerly struct{ graph }

// Vertex is the vertex of a router or network as it was.
func (g *formerly) Vertex(key uint32) *spf.Vertex {
	for _, c := range g.a.changed {
		if c.key == key {
			if c.was == 0 {
				return nil
			}
			return &g.pool.bodies.Get(c.was).Vertex
		}
	}
	return g.graph.Vertex(key)
}

// updateTree brings an area's tree up to date with its changed LSAs. It returns
// the vertices that came to lie elsewhere, and those whose LSA changed; ok is
// false if the tree has to be made anew.
func (p *Process) updateTree(h Host, s *scratch, ai int) (touched []uint32, ok bool) {
	a, pool := &p.areas[ai], h.Pool()
	if len(a.changed) == 0 {
		return nil, true
	}
	t, root := a.tree, pool.KeyID(p.routerKey())
	s.begin(int(pool.keys.Len()), t.nets)
	now := &graph{pool, a, s}
	was := &formerly{*now}
	rootVertex := now.Vertex(root)
	for _, c := range a.changed {
		if c.key == root || c.was == 0 || rootVertex == nil {
			return nil, false
		}
		after, before := now.body(c.key), pool.bodies.Get(c.was)
		switch {
		case after == nil || after.Router.Flags != before.Router.Flags:
			return nil, false
		case rootVertex.LinksTo(c.key) && after.LinksTo(root) != before.LinksTo(root):
			return nil, false
		}
		for _, n := range t.nets { // addresses on the root's own segments are first hops
			x, _ := before.DataTo(n.vertex)
			if y, _ := after.DataTo(n.vertex); x != y && rootVertex.LinksTo(n.vertex) {
				return nil, false
			}
		}
		touched = append(touched, c.key)
	}
	tree, moved := s.paths.Update(now, was, t.Tree, root, touched, int(pool.keys.Len()), int(h.Shared().Prefixes.Len()))
	if len(moved) > 0 {
		a.tree = &areaTree{Tree: tree, first: t.first, nets: t.nets}
		a.tree.border, _, _ = s.borders(h.Shared(), now, a.tree, root)
	}
	return append(touched, moved...), true
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
		g := graph{pool, &p.areas[ai], s}
		for _, key := range touched {
			if body := g.body(key); body != nil {
				prefixes = appendLeaves(prefixes, body)
			}
		}
		for _, c := range was {
			if c.was != 0 {
				prefixes = appendLeaves(prefixes, pool.bodies.Get(c.was))
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

// words64 is room for a set of first hops; one set at a time.
func (s *scratch) words64(n int) []uint64 {
	if len(s.bitBuf) < n {
		s.bitBuf = make([]uint64, n)
	}
	clear(s.bitBuf[:n])
	return s.bitBuf[:n]
}

func appendLeaves(list []uint32, b *Body) []uint32 {
	for _, l := range b.Leaves {
		list = append(list, l.Prefix)
	}
	return list
}

func (p *Process) hasVirtual() bool {
	return slices.ContainsFunc(p.ports, func(q *port) bool { return q.On && q.Virtual })
}

// intraArea offers the routes that the trees have to a prefix.
func (p *Process) intraArea(h Host, s *scratch, prefix uint32) {
	pool, shared := h.Pool(), h.Shared()
	for ai := range p.areas {
		a := &p.areas[ai]
		t := a.tree
		best := ^uint32(0)
		hops := s.words64(t.Words())
		for _, key := range pool.announcers.Get(prefix) {
			e := a.db.Usable(key)
			if e == nil {
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
			i, ok := t.Find(vertex)
			if !ok {
				continue
			}
			for _, l := range pool.bodies.Get(e.Body).Leaves {
				if l.Prefix != prefix {
					continue
				}
				c := t.Dist[i] + l.Metric
				if c < best {
					best = c
					clear(hops)
				}
				if c == best {
					for w := range hops {
						hops[w] |= t.Hops(i)[w]
					}
				}
			}
		}
		if best != ^uint32(0) {
			s.sets = s.sets[:0]
			s.offer(shared, prefix, Route{Set: s.setOf(shared, t.first, hops), Cost: best, Area: a.id, Kind: IntraArea})
		}
	}
}
