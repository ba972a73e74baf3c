package ospf

import (
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/spf"
	wire "hellebore/core/protocols/wire/ospf"
)

// scratch is the working memory of a run.
type scratch struct {
	paths   spf.Scratch
	run     uint32
	netMark []uint32 // of netKey: elements count if their mark is this run's
	netKey  []uint32 // by network vertex: the number of its LSA
	nets    []net
	first   []route.Hop
	lans    []spf.Lan
	hopBuf  []route.Hop
	sets    []cachedSet

	// Of the whole table, for all areas, by prefix number.
	affected []uint32 // prefixes
	bitBuf   []uint64
	table    uint32
	tmark    []uint32 // of routes
	routes   []Route
	offered  []uint32
	border   []border
	asbrs    []border
}

// cachedSet is the set of next hops of some first hops.
type cachedSet struct {
	bits uint64
	set  route.SetID
}

// areaTree is an area's shortest-path tree as the last run left it. It is replaced,
// never written, so that copies of a world share it.
type areaTree struct {
	*spf.Tree
	first  []route.Hop // by the tree's numbers of first hops
	nets   []net
	border []border
}

// net is a network vertex and the key of the LSA that is it: who its DR is does not
// follow from what points to it.
type net struct{ vertex, key uint32 }

// graph is an area as shortest paths see it: the LSAs that are there now.
type graph struct {
	pool *Pool
	a    *area
	s    *scratch
}

// Vertex is the vertex of a router or network, nil if there is none.
func (g *graph) Vertex(key uint32) *spf.Vertex {
	if body := g.body(key); body != nil {
		return &body.Vertex
	}
	return nil
}

// body is the LSA of a vertex, nil if there is none.
func (g *graph) body(key uint32) *Body {
	if g.s.netMark[key] == g.s.run {
		key = g.s.netKey[key]
	}
	e := g.a.db.Usable(key)
	if e == nil {
		return nil
	}
	return g.pool.bodies.Get(e.Body)
}

// border is a router that leads out of an area, or out of the autonomous system.
type border struct {
	router ip.Quad
	area   uint32
	cost   uint32
	set    route.SetID
	flags  uint8
	inter  bool // known by a summary of another area
}

func (s *scratch) beginTable(prefixes int) {
	s.table++
	s.room(prefixes)
	s.offered, s.border, s.asbrs = s.offered[:0], s.border[:0], s.asbrs[:0]
}

// room makes the table large enough for so many prefixes.
func (s *scratch) room(prefixes int) {
	if n := prefixes - len(s.tmark); n > 0 {
		s.tmark = append(s.tmark, make([]uint32, n+64)...)
		s.routes = append(s.routes, make([]Route, n+64)...)
	}
}

func (s *scratch) has(prefix uint32) bool {
	return int(prefix) < len(s.tmark) && s.tmark[prefix] == s.table
}

// offer puts a route into the table if none is better; of equal ones, all next
// hops are used.
func (s *scratch) offer(shared *route.Shared, prefix uint32, r Route) {
	if !s.has(prefix) {
		s.tmark[prefix] = s.table
		s.offered = append(s.offered, prefix)
		s.routes[prefix] = r
		return
	}
	old := &s.routes[prefix]
	switch better, equal := r.better(old); {
	case better:
		*old = r
	case equal && old.Set != route.NoSet && r.Set != route.NoSet:
		old.Set = s.merge(shared, old.Set, r.Set)
	case equal && r.Set == route.NoSet && old.Set != route.NoSet && r.Kind == IntraArea:
		// A network of our own, in another area than where others have it at the same
		// cost: whoever was offered first, it is our own.
		*old = r
	}
}

func (s *scratch) merge(shared *route.Shared, a, b route.SetID) route.SetID {
	if a == b {
		return a
	}
	s.hopBuf = append(append(s.hopBuf[:0], shared.Sets.Hops(a)...), shared.Sets.Hops(b)...)
	return shared.Sets.ID(s.hopBuf)
}

// begin starts a run on an area, whose networks are these.
func (s *scratch) begin(keys int, nets []net) {
	s.run++
	if len(s.netMark) < keys {
		s.netMark, s.netKey = make([]uint32, keys+64), make([]uint32, keys+64)
		s.run = 1
	}
	for _, n := range nets {
		s.netMark[n.vertex], s.netKey[n.vertex] = s.run, n.key
	}
	s.first, s.lans, s.sets = s.first[:0], s.lans[:0], s.sets[:0]
}

// networks are the networks of an area that have an LSA.
func (s *scratch) networks(pool *Pool, a *area) []net {
	s.nets = s.nets[:0]
	a.db.Each(func(key uint32, e *lsdb.Instance) bool {
		if k := pool.Key(key); !e.Dying && k.Type == wire.NetworkLSA {
			if v, ok := pool.FindKey(networkKey(k.ID)); ok {
				s.nets = append(s.nets, net{v, key})
			}
		}
		return true
	})
	return slices.Clone(s.nets)
}

// tree makes the shortest-path tree of an area (RFC 2328 16.1), and offers its
// networks to the table. It returns how many routers it reached.
func (p *Process) tree(h Host, s *scratch, ai int) (reached uint64) {
	a, pool, shared := &p.areas[ai], h.Pool(), h.Shared()
	root := pool.KeyID(p.routerKey())
	keys := int(pool.keys.Len())
	t := &areaTree{nets: s.networks(pool, a)}
	s.begin(keys, t.nets)
	g := &graph{pool, a, s}
	start := p.firstHops(h, s, a.id, root, g)
	t.first = slices.Clone(s.first)
	t.Tree = s.paths.Tree(g, root, start, keys, int(shared.Prefixes.Len()))
	a.tree = t
	t.border, a.crossed, reached = s.borders(shared, g, t, root)
	s.border = append(s.border, t.border...)
	s.paths.Leaves(func(prefix, cost uint32, hops []uint64) {
		s.offer(shared, prefix, Route{Set: s.setOf(shared, t.first, hops), Cost: cost, Area: a.id, Kind: IntraArea})
	})
	return reached
}

// borders are the routers of a tree that lead out of the area or the autonomous system,
// whether virtual links cross the area, and how many routers are in the tree.
func (s *scratch) borders(shared *route.Shared, g *graph, t *areaTree, root uint32) (list []border, crossed bool,
	routers uint64) {
	for i, key := range t.Keys {
		body := g.body(key)
		if body.IsNetwork {
			continue
		}
		routers++
		crossed = crossed || body.Router.Flags&wire.FlagV != 0
		if body.Router.Flags != 0 && key != root {
			list = append(list, border{router: g.pool.Key(key).Router, area: g.a.id, cost: t.Dist[i],
				flags: body.Router.Flags, set: s.setOf(shared, t.first, t.Hops(i))})
		}
	}
	return list, crossed, routers
}

// firstHops lists the root's first hops, a number each: one per usable link, on a
// network one per router there as well, and those of the path to the other end of a
// virtual link.
func (p *Process) firstHops(h Host, s *scratch, areaID, root uint32, g *graph) (start spf.Start) {
	v := g.Vertex(root)
	if v == nil {
		return start
	}
	start.Of = make([]spf.Hops, len(v.Edges))
	for i, e := range v.Edges {
		if s.netMark[e.To] != s.run {
			from := len(s.first)
			s.first = p.appendFirst(h, s.first, areaID, e)
			start.Of[i] = spf.Hops{From: from, N: len(s.first) - from}
			continue
		}
		port, ok := p.portAt(areaID, ip.V4(ip.Quad(e.Data)))
		if !ok {
			continue
		}
		direct := len(s.first)
		start.Of[i] = spf.Hops{From: direct, N: 1}
		s.first = append(s.first, route.Hop{Port: port})
		for _, r := range g.Vertex(e.To).Edges {
			if r.To == root {
				continue
			}
			far := g.Vertex(r.To)
			if far == nil {
				continue
			}
			if address, ok := far.DataTo(e.To); ok {
				s.lans = append(s.lans, spf.Lan{Net: e.To, Router: r.To, OfNet: direct, OfRouter: len(s.first)})
				s.first = append(s.first, route.Hop{Port: port, Gateway: ip.V4(ip.Quad(address))})
			}
		}
	}
	start.Count, start.Lans = len(s.first), slices.Clone(s.lans)
	return start
}

// setOf makes a set of next hops of first hops of one tree, whose sets are cached until
// begin; NoSet for the root's own networks, and those it is on.
func (s *scratch) setOf(shared *route.Shared, first []route.Hop, bits []uint64) route.SetID {
	if len(bits) == 1 {
		for _, c := range s.sets {
			if c.bits == bits[0] {
				return c.set
			}
		}
	}
	s.hopBuf = s.hopBuf[:0]
	for i, hop := range first {
		if hop.Gateway.IsValid() && bits[i/64]&(1<<(i%64)) != 0 {
			s.hopBuf = append(s.hopBuf, hop)
		}
	}
	set := shared.Sets.ID(s.hopBuf)
	if len(bits) == 1 {
		s.sets = append(s.sets, cachedSet{bits[0], set})
	}
	return set
}

// portAt is the port of an area that has an address and talks.
func (p *Process) portAt(areaID uint32, address ip.Addr) (uint32, bool) {
	for i := range p.ports {
		if q := p.ports[i]; q.Address == address && q.Area == areaID && q.talks() {
			return uint32(i), true
		}
	}
	return 0, false
}

// appendFirst appends the first hops of one of the root's own links to a router:
// the neighbour's address on it (RFC 2328 16.1.1), or those of the path to the
// other end of a virtual link.
func (p *Process) appendFirst(h Host, list []route.Hop, areaID uint32, e spf.Edge) []route.Hop {
	id := h.Pool().Key(e.To).Router
	for i := range p.ports {
		q := p.ports[i]
		if uint32(q.Address.Quad()) != e.Data || q.Area != areaID || !q.talks() {
			continue
		}
		for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
			switch nb := &p.nbrs[n.Index()]; {
			case nb.id != id || nb.state != adjacency.Full:
			case q.Virtual:
				return append(list, h.Shared().Sets.Hops(q.path)...)
			default:
				return append(list, route.Hop{Port: uint32(i), Gateway: nb.address})
			}
		}
	}
	return list
}
