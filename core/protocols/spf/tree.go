// Package spf finds the shortest paths from a root to numbered vertices and to the
// networks behind them, with all first hops of equal cost (RFC 2328 16.1), and
// brings a tree up to date with changes. It knows no LSA, no address and no port:
// what a first hop is, only its user knows.
package spf

import "slices"

// Edge is a link of a vertex, in one direction. It counts if the vertex that it
// leads to lists one back (RFC 2328 16.1 (2)(b)).
type Edge struct {
	To uint32 // key of the vertex
	// Data is what the vertex calls its end of the link: an address in OSPFv2.
	Data   uint32
	Metric uint32
}

// Leaf is a network that is at a vertex alone, by its number.
type Leaf struct {
	Prefix uint32 // number
	Metric uint32
}

// Vertex is a router, or a network that routers are on.
type Vertex struct {
	IsNetwork bool
	Edges     []Edge
	Leaves    []Leaf
}

// LinksTo says whether the vertex lists a link to another.
func (v *Vertex) LinksTo(key uint32) bool {
	for i := range v.Edges {
		if v.Edges[i].To == key {
			return true
		}
	}
	return false
}

// DataTo is what the vertex calls its first link to another.
func (v *Vertex) DataTo(key uint32) (data uint32, ok bool) {
	for i := range v.Edges {
		if v.Edges[i].To == key {
			return v.Edges[i].Data, true
		}
	}
	return 0, false
}

// Graph is the vertices that there are, by key; nil for one that is not there.
type Graph interface {
	Vertex(key uint32) *Vertex
}

// Hops are some first hops, N from a number on; no hops for a link that cannot be used.
type Hops struct{ From, N int }

// Lan is a router on a network that the root is on: paths to it through that network
// leave by the router's own first hop, not by that of the network (RFC 2328 16.1.1).
type Lan struct {
	Net, Router uint32
	OfNet       int // the first hop of the network itself
	OfRouter    int
}

// Start is how paths leave the root.
type Start struct {
	Count int    // first hops, numbered from 0
	Of    []Hops // by the root's edges
	Lans  []Lan
}

// Tree is a shortest-path tree. It is replaced, never written, so that copies of a
// world share it.
type Tree struct {
	Start
	Keys  []uint32 // of the vertices reached, ascending
	Dist  []uint32 // by place in Keys
	hops  []uint64 // words for each vertex: a bit for each first hop
	words int
}

// Find is the place of a vertex in the tree; ok is false if it was not reached.
func (t *Tree) Find(key uint32) (i int, ok bool) { return slices.BinarySearch(t.Keys, key) }

// Hops are the first hops of all shortest paths to a vertex, as bits.
func (t *Tree) Hops(i int) []uint64 { return t.hops[i*t.words : (i+1)*t.words] }

// Words is how many words a set of first hops has.
func (t *Tree) Words() int { return t.words }

// Scratch is the working memory of runs, by key or number of a prefix. Marks instead
// of clearing: an element counts if its mark is this run's.
type Scratch struct {
	run      uint32
	mark     []uint32 // of dist and hops
	done     []uint32
	struck   []uint32 // of vertices that lose a shortest path
	dist     []uint32
	hops     []uint64
	heap     []waiting
	pmark    []uint32 // of pcost and phops
	pcost    []uint32
	phops    []uint64
	prefixes []uint32
	words    int
	buf      []uint64
}

// waiting is a vertex in the heap. Of two that are as far away, a network comes
// before a router: it may still give the router another path of the same cost (RFC
// 2328 16.1 (3)).
type waiting struct {
	rank uint64 // twice the distance, and one for a router
	key  uint32
}

func rank(dist uint32, v *Vertex) uint64 {
	if v.IsNetwork {
		return uint64(dist) << 1
	}
	return uint64(dist)<<1 | 1
}

// begin makes room for keys and prefixes below these numbers.
func (s *Scratch) begin(keys, prefixes, words int) {
	s.run++
	s.words = words
	if len(s.mark) < keys {
		s.mark, s.done, s.dist, s.struck = make([]uint32, keys+64), make([]uint32, keys+64), make([]uint32, keys+64),
			make([]uint32, keys+64)
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
	s.heap, s.prefixes = s.heap[:0], s.prefixes[:0]
}

func (s *Scratch) hopsOf(key uint32) []uint64 { return s.hops[int(key)*s.words : (int(key)+1)*s.words] }

// Tree is the tree of a graph, whose keys and prefixes are below these numbers.
func (s *Scratch) Tree(g Graph, root uint32, start Start, keys, prefixes int) *Tree {
	t := &Tree{Start: start, words: max(1, (start.Count+63)/64)}
	s.begin(keys, prefixes, t.words)
	at := g.Vertex(root)
	if at == nil {
		return t
	}
	s.mark[root], s.dist[root] = s.run, 0
	clear(s.hopsOf(root))
	s.push(waiting{rank(0, at), root})
	for len(s.heap) > 0 {
		w := s.pop()
		if s.done[w.key] == s.run {
			continue
		}
		s.done[w.key] = s.run
		v, here, hops := g.Vertex(w.key), s.dist[w.key], s.hopsOf(w.key)
		for _, l := range v.Leaves {
			s.leaf(l.Prefix, here+l.Metric, hops)
		}
		for i := range v.Edges {
			e := &v.Edges[i]
			dist := here + e.Metric
			known := s.mark[e.To] == s.run
			if s.done[e.To] == s.run || known && dist > s.dist[e.To] || w.key == root && start.Of[i].N == 0 {
				continue
			}
			far := g.Vertex(e.To)
			if far == nil || !far.LinksTo(w.key) {
				continue
			}
			to := s.hopsOf(e.To)
			if !known || dist < s.dist[e.To] {
				s.mark[e.To], s.dist[e.To] = s.run, dist
				clear(to)
				s.push(waiting{rank(dist, far), e.To})
			}
			t.pass(to, hops, root, w.key, e.To, i, v)
		}
	}
	for key := range s.done {
		if s.done[key] == s.run {
			t.Keys = append(t.Keys, uint32(key))
		}
	}
	t.Dist = make([]uint32, len(t.Keys))
	t.hops = make([]uint64, len(t.Keys)*t.words)
	for i, key := range t.Keys {
		t.Dist[i] = s.dist[key]
		copy(t.Hops(i), s.hopsOf(key))
	}
	return t
}

// pass adds the first hops of paths to vertex far that come by the edge i of vertex
// v, whose own are from.
func (t *Tree) pass(to, from []uint64, root, key, far uint32, i int, v *Vertex) {
	switch {
	case key == root:
		for bit := t.Of[i].From; bit < t.Of[i].From+t.Of[i].N; bit++ {
			to[bit/64] |= 1 << (bit % 64)
		}
	case !v.IsNetwork:
		for w := range to {
			to[w] |= from[w]
		}
	default:
		t.throughNetwork(key, far, from, to)
	}
}

// throughNetwork adds a network's first hops to those of a router on it. Where the
// root is on the network itself, the router is the next hop.
func (t *Tree) throughNetwork(net, router uint32, from, to []uint64) {
	for w := range to {
		to[w] |= from[w]
	}
	for _, l := range t.Lans {
		if l.Net != net || from[l.OfNet/64]&(1<<(l.OfNet%64)) == 0 {
			continue
		}
		to[l.OfNet/64] &^= 1 << (l.OfNet % 64)
		if l.Router == router {
			to[l.OfRouter/64] |= 1 << (l.OfRouter % 64)
		}
	}
}

// leaf adds a path to a network at a vertex (RFC 2328 16.1, second stage).
func (s *Scratch) leaf(prefix, cost uint32, from []uint64) {
	to := s.phops[int(prefix)*s.words : (int(prefix)+1)*s.words]
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

// Leaves visits the networks at the vertices of the tree that was just made.
func (s *Scratch) Leaves(visit func(prefix, cost uint32, hops []uint64)) {
	for _, prefix := range s.prefixes {
		visit(prefix, s.pcost[prefix], s.phops[int(prefix)*s.words:(int(prefix)+1)*s.words])
	}
}

func (s *Scratch) push(v waiting) {
	s.heap = append(s.heap, v)
	h := s.heap
	i := len(h) - 1
	for i > 0 && v.rank < h[(i-1)/2].rank {
		h[i] = h[(i-1)/2]
		i = (i - 1) / 2
	}
	h[i] = v
}

func (s *Scratch) pop() waiting {
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
