package ospf

import (
	"slices"

	"hellebore/core/protocols/route"
	"hellebore/core/protocols/wire/ip"
	wire "hellebore/core/protocols/wire/ospf"
)

// spt is an area's shortest-path tree as the last run left it. It is replaced,
// never written, so that copies of a world share it.
type spt struct {
	keys    []uint32 // of the vertices reached, ascending; a network has its networkKey
	dist    []uint32
	hops    []uint64 // words a vertex
	words   int
	first   []route.Hop
	lans    []lan
	firstOf []bits
	nets    []net
	border  []border
}

// net is a network vertex and the key of the LSA that stands for it.
type net struct{ vertex, key uint32 }

// find is the place of a vertex in the tree, -1 if it was not reached.
func (t *spt) find(key uint32) int {
	if i, ok := slices.BinarySearch(t.keys, key); ok {
		return i
	}
	return -1
}

func (t *spt) bits(i int) []uint64 { return t.hops[i*t.words : (i+1)*t.words] }

// keep makes a tree of what a full run left in the scratch.
func (s *scratch) keep(t *spt) *spt {
	for key := range s.done {
		if s.done[key] == s.run {
			t.keys = append(t.keys, uint32(key))
		}
	}
	t.dist = make([]uint32, len(t.keys))
	t.hops = make([]uint64, len(t.keys)*t.words)
	for i, key := range t.keys {
		t.dist[i] = s.dist[key]
		copy(t.bits(i), s.hopsOf(key, t.words))
	}
	return t
}

// words64 is room for a set of first hops; one set at a time.
func (s *scratch) words64(n int) []uint64 {
	if len(s.bitBuf) < n {
		s.bitBuf = make([]uint64, n)
	}
	clear(s.bitBuf[:n])
	return s.bitBuf[:n]
}

func (s *scratch) hopsOf(key uint32, words int) []uint64 {
	return s.hops[int(key)*words : (int(key)+1)*words]
}

// load puts a tree into the scratch, as a full run would have left it.
func (s *scratch) load(t *spt, keys, prefixes int) {
	s.begin(keys, prefixes, t.words)
	for _, n := range t.nets {
		s.netMark[n.vertex], s.netKey[n.vertex] = s.run, n.key
	}
	for i, key := range t.keys {
		s.mark[key], s.dist[key] = s.run, t.dist[i]
		copy(s.hopsOf(key, t.words), t.bits(i))
	}
	s.first, s.lans = append(s.first, t.first...), append(s.lans, t.lans...)
}

// TreeEdge is a link of a shortest-path tree, from a vertex nearer to the root.
// A vertex is a router by its router ID, or a segment by its DR's address.
type TreeEdge struct {
	Area               uint32
	From, To           ip.Addr
	FromNet, ToNet     bool
	Address, ToAddress ip.Addr // of From and of To on the link; 0 of a segment
	Cost, Distance     uint32  // of the link, and from the root to To
	Virtual            bool
}

// Tree visits the shortest-path trees of the last run, one edge a call.
func (p *Process) Tree(h Host, visit func(TreeEdge)) {
	pool := h.Pool()
	for ai := range p.areas {
		a := &p.areas[ai]
		if a.tree == nil {
			continue
		}
		body := func(vertex uint32) (*Body, bool, ip.Addr) {
			key, isNet := vertex, false
			for _, n := range a.tree.nets {
				if n.vertex == vertex {
					key, isNet = n.key, true
				}
			}
			e := a.db.At(key)
			if e == nil || e.body == 0 || e.dying {
				return nil, isNet, 0
			}
			name := pool.Key(key).Router
			if isNet {
				name = pool.Key(key).ID
			}
			return pool.bodies.Get(e.body), isNet, name
		}
		for i, x := range a.tree.keys {
			from, fromNet, fromName := body(x)
			if from == nil {
				continue
			}
			for _, e := range from.edges {
				k := a.tree.find(e.target)
				if k < 0 || a.tree.dist[i]+e.metric != a.tree.dist[k] || k == i {
					continue
				}
				to, toNet, toName := body(e.target)
				if to == nil {
					continue
				}
				// Of several links between two routers, the one whose addresses
				// are next to each other.
				var toAddress ip.Addr
				for _, back := range to.edges {
					if back.target == x && (toAddress == 0 || back.data^e.data < toAddress^e.data) {
						toAddress = back.data
					}
				}
				if !to.linksTo(x) {
					continue
				}
				virtual := slices.ContainsFunc(from.Router.Links, func(l wire.RouterLink) bool {
					return l.Type == wire.LinkVirtual && l.ID == toName && l.Data == e.data
				})
				visit(TreeEdge{Area: a.id, From: fromName, To: toName, FromNet: fromNet, ToNet: toNet, Virtual: virtual,
					Address: e.data, ToAddress: toAddress, Cost: e.metric, Distance: a.tree.dist[k]})
			}
		}
	}
}
