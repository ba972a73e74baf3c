package ospf

import (
	"slices"

	"hellebore/core/protocols/route"
	"hellebore/core/protocols/wire/ip"
	wire "hellebore/core/protocols/wire/ospf"
)

// scratch is the working memory of a run, by key or prefix number. Marks instead
// of clearing: an element counts if its mark is this run's.
type scratch struct {
	run      uint32
	mark     []uint32 // of dist and hops
	done     []uint32
	struck   []uint32 // of vertices that lose a shortest way
	affected []uint32 // prefixes
	bitBuf   []uint64
	dist     []uint32
	hops     []uint64 // words a vertex: the root's first hops that lead to it
	heap     []vertex
	pmark    []uint32 // of pcost and phops
	pcost    []uint32
	phops    []uint64
	prefixes []uint32
	first    []route.Hop
	lans     []lan
	netMark  []uint32 // of netKey
	netKey   []uint32 // by network vertex: the number of its LSA
	nets     []net
	hopBuf   []route.Hop
	sets     []cachedSet

	// Of the whole table, for all areas.
	table   uint32
	tmark   []uint32 // of routes
	routes  []Route
	offered []uint32
	border  []border
	asbrs   []border
}

// vertex waits in the heap. Of two that are as far away, a network comes before
// a router: it may still give the router another way of the same cost (RFC 2328
// 16.1 (3)).
type vertex struct {
	rank uint64 // twice the distance, and one for a router
	key  uint32
}

func (s *scratch) vertex(dist, key uint32) vertex {
	rank := uint64(dist)<<1 | 1
	if s.netMark[key] == s.run {
		rank--
	}
	return vertex{rank, key}
}

type cachedSet struct {
	bits uint64
	set  route.SetID
}

// lan is a router on a network that the root is on: whoever comes to the router
// by this network leaves by the root's port, to the router's address there (RFC
// 2328 16.1.1).
type lan struct {
	net, router uint32
	direct, bit int // first hops: the network itself, and the router
}

// border is a router that leads out of an area, or out of the autonomous system.
type border struct {
	router ip.Addr
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

func (s *scratch) begin(keys, prefixes, words int) {
	s.run++
	if len(s.mark) < keys {
		s.mark, s.done, s.dist = make([]uint32, keys+64), make([]uint32, keys+64), make([]uint32, keys+64)
		s.struck = make([]uint32, keys+64)
		s.netMark, s.netKey = make([]uint32, keys+64), make([]uint32, keys+64)
		s.run = 1
		clear(s.pmark)
	}
	if len(s.pmark) < prefixes {
		s.pmark, s.pcost = make([]uint32, prefixes+64), make([]uint32, prefixes+64)
	}
	if n := len(s.mark) * words; len(s.hops) < n {
		s.hops = make([]uint64, n)
	}
	if n := len(s.pmark) * words; len(s.phops) < n {
		s.phops = make([]uint64, n)
	}
	s.heap, s.prefixes, s.sets = s.heap[:0], s.prefixes[:0], s.sets[:0]
	s.first, s.lans, s.nets = s.first[:0], s.lans[:0], s.nets[:0]
}

func (s *scratch) push(v vertex) {
	s.heap = append(s.heap, v)
	h := s.heap
	i := len(h) - 1
	for i > 0 && v.rank < h[(i-1)/2].rank {
		h[i] = h[(i-1)/2]
		i = (i - 1) / 2
	}
	h[i] = v
}

func (s *scratch) pop() vertex {
	h := s.heap
	top, last := h[0], len(h)-1
	v := h[last]
	h = h[:last]
	s.heap = h
	i := 0
	for {
		c := 2*i + 1
		if c >= last {
			break
		}
		if c+1 < last && h[c+1].rank < h[c].rank {
			c++
		}
		if h[c].rank >= v.rank {
			break
		}
		h[i] = h[c]
		i = c
	}
	if last > 0 {
		h[i] = v
	}
	return top
}

func (s *scratch) words() int { return max(1, (len(s.first)+63)/64) }

// tree fills the scratch with the costs and first hops of all prefixes of an
// area (RFC 2328 16.1), and returns how many routers it reached.
func (p *Process) tree(h Host, s *scratch, ai int) (reached uint64) {
	a, pool := &p.areas[ai], h.Pool()
	root := pool.KeyID(p.routerKey())
	keys, prefixes := int(pool.keys.Len()), int(h.Shared().Prefixes.Len())
	s.begin(keys, prefixes, 1)
	a.db.Each(func(key uint32, e *entry) bool {
		if k := pool.Key(key); e.body != 0 && !e.dying && k.Type == wire.NetworkLSA {
			if v, ok := pool.FindKey(networkKey(k.ID)); ok && int(v) < len(s.netMark) {
				s.netMark[v], s.netKey[v] = s.run, key
				s.nets = append(s.nets, net{v, key})
			}
		}
		return true
	})
	live := func(key uint32) *Body { return s.live(pool, a, key) }
	a.crossed = false
	rootBody := live(root)
	if rootBody == nil {
		a.tree = &spt{words: 1}
		return 0
	}
	firstOf := p.firstHops(h, s, a.id, root, rootBody, live)
	words := s.words()
	kept := &spt{words: words, first: slices.Clone(s.first), lans: slices.Clone(s.lans), firstOf: firstOf}
	if n := len(s.mark) * words; len(s.hops) < n {
		s.hops = make([]uint64, n)
	}
	if n := len(s.pmark) * words; len(s.phops) < n {
		s.phops = make([]uint64, n)
	}
	s.mark[root], s.dist[root] = s.run, 0
	clear(s.hops[int(root)*words : (int(root)+1)*words])
	s.push(s.vertex(0, root))
	from := len(s.border)
	for len(s.heap) > 0 {
		v := s.pop()
		if s.done[v.key] == s.run {
			continue
		}
		s.done[v.key] = s.run
		body, here := live(v.key), s.dist[v.key]
		hops := s.hops[int(v.key)*words : (int(v.key)+1)*words]
		if body.Network.Routers == nil {
			reached++
			a.crossed = a.crossed || body.Router.Flags&wire.FlagV != 0
			if body.Router.Flags != 0 && v.key != root {
				s.border = append(s.border, border{router: pool.Key(v.key).Router, area: a.id, cost: here, flags: body.Router.Flags, set: route.SetID(v.key)})
			}
		}
		for _, st := range body.stubs {
			s.stub(st.prefix, here+st.metric, hops, words)
		}
		for i, e := range body.edges {
			// RFC 2328 16.1 (2)(b): a link counts if the other end lists it too.
			other := live(e.target)
			if other == nil || s.done[e.target] == s.run || !other.linksTo(v.key) {
				continue
			}
			if v.key == root && firstOf[i].n == 0 {
				continue
			}
			dist := here + e.metric
			to := s.hops[int(e.target)*words : (int(e.target)+1)*words]
			switch {
			case s.mark[e.target] != s.run || dist < s.dist[e.target]:
				s.mark[e.target], s.dist[e.target] = s.run, dist
				clear(to)
				s.push(s.vertex(dist, e.target))
			case dist > s.dist[e.target]:
				continue
			}
			switch {
			case v.key == root:
				for bit := firstOf[i].from; bit < firstOf[i].from+firstOf[i].n; bit++ {
					to[bit/64] |= 1 << (bit % 64)
				}
			case body.Network.Routers == nil:
				for w := range to {
					to[w] |= hops[w]
				}
			default:
				s.throughNetwork(v.key, e.target, hops, to)
			}
		}
	}
	for i := from; i < len(s.border); i++ {
		key := int(s.border[i].set)
		s.border[i].set = s.setOf(h.Shared(), s.hops[key*words:(key+1)*words])
	}
	kept.nets, kept.border = slices.Clone(s.nets), slices.Clone(s.border[from:])
	a.tree = s.keep(kept)
	return reached
}

// reached says whether the tree of this run has a vertex.
func (s *scratch) reached(key uint32) bool { return int(key) < len(s.done) && s.done[key] == s.run }

// live is the LSA of a vertex, nil if there is none.
func (s *scratch) live(pool *Pool, a *area, key uint32) *Body {
	if s.netMark[key] == s.run {
		key = s.netKey[key]
	}
	e := a.db.At(key)
	if e == nil || e.body == 0 || e.dying {
		return nil
	}
	return pool.bodies.Get(e.body)
}

// bits are some of the root's first hops: none for a link that cannot be used.
type bits struct{ from, n int }

// firstHops lists the root's first hops, a bit each in the sets of the tree: one
// a usable link, on a network one a router there as well, and those of the way
// to the other end of a virtual link. It returns the first hops of each of the
// root's links.
func (p *Process) firstHops(h Host, s *scratch, areaID, root uint32, rootBody *Body, live func(uint32) *Body) []bits {
	firstOf := make([]bits, len(rootBody.edges))
	for i, e := range rootBody.edges {
		if s.netMark[e.target] != s.run {
			from := len(s.first)
			s.first = p.appendFirst(h, s.first, areaID, e)
			firstOf[i] = bits{from, len(s.first) - from}
			continue
		}
		port, ok := p.portAt(areaID, e.data)
		if !ok {
			continue
		}
		direct := len(s.first)
		firstOf[i] = bits{direct, 1}
		s.first = append(s.first, route.Hop{Port: port})
		for _, r := range live(e.target).edges {
			if r.target == root {
				continue
			}
			if address, ok := live(r.target).on(e.target); ok {
				s.lans = append(s.lans, lan{net: e.target, router: r.target, direct: direct, bit: len(s.first)})
				s.first = append(s.first, route.Hop{Port: port, Gateway: address})
			}
		}
	}
	return firstOf
}

// on is a router's address on a network.
func (b *Body) on(network uint32) (ip.Addr, bool) {
	if b != nil {
		for _, e := range b.edges {
			if e.target == network {
				return e.data, true
			}
		}
	}
	return 0, false
}

// throughNetwork adds a network's first hops to those of a router on it. Where
// the root is on the network itself, the router is the next hop.
func (s *scratch) throughNetwork(net, router uint32, from, to []uint64) {
	for w := range to {
		to[w] |= from[w]
	}
	for _, l := range s.lans {
		if l.net != net || from[l.direct/64]&(1<<(l.direct%64)) == 0 {
			continue
		}
		to[l.direct/64] &^= 1 << (l.direct % 64)
		if l.router == router {
			to[l.bit/64] |= 1 << (l.bit % 64)
		}
	}
}

// stub adds the way to a stub network (RFC 2328 16.1, second stage), or to the
// network that a network LSA stands for.
func (s *scratch) stub(prefix, cost uint32, from []uint64, words int) {
	to := s.phops[int(prefix)*words : (int(prefix)+1)*words]
	switch {
	case s.pmark[prefix] != s.run:
		s.pmark[prefix] = s.run
		s.prefixes = append(s.prefixes, prefix)
	case cost > s.pcost[prefix]:
		return
	case cost == s.pcost[prefix]:
		for w := range to {
			to[w] |= from[w]
		}
		return
	}
	s.pcost[prefix] = cost
	copy(to, from)
}

// setOf makes a set of next hops of first hops; NoSet for the root's own
// networks, and those it is on.
func (s *scratch) setOf(shared *route.Shared, bits []uint64) route.SetID {
	if len(bits) == 1 {
		for _, c := range s.sets {
			if c.bits == bits[0] {
				return c.set
			}
		}
	}
	s.hopBuf = s.hopBuf[:0]
	for i, hop := range s.first {
		if hop.Gateway != 0 && bits[i/64]&(1<<(i%64)) != 0 {
			s.hopBuf = append(s.hopBuf, hop)
		}
	}
	set := shared.Sets.ID(s.hopBuf)
	if len(bits) == 1 {
		s.sets = append(s.sets, cachedSet{bits[0], set})
	}
	return set
}

func (b *Body) linksTo(key uint32) bool {
	for _, e := range b.edges {
		if e.target == key {
			return true
		}
	}
	return false
}

// portAt is the port of an area that has an address and talks.
func (p *Process) portAt(areaID uint32, address ip.Addr) (uint32, bool) {
	for i := range p.ports {
		if q := &p.ports[i]; q.Address == address && q.Area == areaID && q.talks() {
			return uint32(i), true
		}
	}
	return 0, false
}

// appendFirst appends the first hops of one of the root's own links to a router:
// the neighbour's address on it (RFC 2328 16.1.1), or those of the way to the
// other end of a virtual link.
func (p *Process) appendFirst(h Host, list []route.Hop, areaID uint32, e edge) []route.Hop {
	id := h.Pool().Key(e.target).Router
	for i := range p.ports {
		q := &p.ports[i]
		if q.Address != e.data || q.Area != areaID || !q.talks() {
			continue
		}
		for n := q.firstNbr; n != 0; n = p.nbrs[n-1].next {
			switch nb := &p.nbrs[n-1]; {
			case nb.id != id || nb.state != Full:
			case q.Virtual:
				return append(list, h.Shared().Sets.Hops(q.way)...)
			default:
				return append(list, route.Hop{Port: uint32(i), Gateway: nb.address})
			}
		}
	}
	return list
}
