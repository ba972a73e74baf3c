// Package route is a router's table: the sources' candidate routes, the
// selection among them (RIB), and what packets follow (FIB: longest match to a
// next hop, through a next-hop table).
//
// Prefixes and sets of next hops are numbered once for the whole world, in
// Shared; a table is arrays by prefix number, so that a copy of a world shares
// them until one side writes.
package route

import (
	"cmp"
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/store"
)

// Shared is what all tables of one world have in common. Numbers mean nothing
// outside their world. The zero value is ready for use.
type Shared struct {
	Prefixes Prefixes
	Addrs    Addrs
	Sets     Sets
}

// Clone is an independent copy.
func (s *Shared) Clone() *Shared {
	return &Shared{Prefixes: s.Prefixes.clone(), Addrs: s.Addrs.clone(), Sets: s.Sets.clone()}
}

// Prefixes numbers prefixes, from 0. Nothing is ever removed.
type Prefixes struct {
	list    store.Paged[ip.Prefix]
	index   store.Index
	lengths lengths // of IPv4 prefixes
	sixes   lengths // of all others
}

// lengths are those of some prefixes: bit n says that there is one of length n.
type lengths [3]uint64

func (l *lengths) add(n uint8)      { l[n/64] |= 1 << (n % 64) }
func (l *lengths) has(n uint8) bool { return l[n/64]&(1<<(n%64)) != 0 }

func hashPrefix(p ip.Prefix) uint64 {
	return store.Mix(store.Mix(2, p.Addr.Hash()), uint64(p.Len))
}

// Len is the number of prefixes.
func (d *Prefixes) Len() uint32 { return d.list.Len() }

// Prefix is the prefix with number id.
func (d *Prefixes) Prefix(id uint32) ip.Prefix { return d.list.Get(id) }

// Find is p's number, if it has one.
func (d *Prefixes) Find(p ip.Prefix) (id uint32, ok bool) {
	return d.index.Find(hashPrefix(p), func(id uint32) bool { return d.list.Get(id) == p })
}

// Digest is that of the prefix with number id: the same in all worlds.
func (d *Prefixes) Digest(id uint32) uint64 { return hashPrefix(d.list.Get(id)) }

// ID is p's number; p gets one if it has none.
func (d *Prefixes) ID(p ip.Prefix) uint32 {
	if id, ok := d.Find(p); ok {
		return id
	}
	id := d.list.Append(p)
	d.index.Add(hashPrefix(p), id, func(id uint32) uint64 { return hashPrefix(d.list.Get(id)) })
	d.lengthsOf(p.Addr).add(p.Len)
	return id
}

// Covering visits the numbered prefixes that contain a, longest first, until
// visit says false. It asks once for each length in use, five or so in most
// networks: that is why there is no trie.
func (d *Prefixes) Covering(a ip.Addr, visit func(id uint32) bool) {
	in := d.lengthsOf(a)
	longest := uint8(128)
	if a.Is4() {
		longest = 32
	}
	for n := longest + 1; n > 0; n-- {
		if !in.has(n - 1) {
			continue
		}
		if id, ok := d.Find(ip.MakePrefix(a, n-1)); ok && !visit(id) {
			return
		}
	}
}

// lengthsOf are the lengths in use of the family of an address.
func (d *Prefixes) lengthsOf(a ip.Addr) *lengths {
	if a.Is4() {
		return &d.lengths
	}
	return &d.sixes
}

func (d *Prefixes) clone() Prefixes {
	return Prefixes{list: d.list.Clone(), index: d.index.Clone(), lengths: d.lengths, sixes: d.sixes}
}

// Hop is one next hop: out of a port, to a gateway on it, or to the destination
// itself if Gateway is 0.
type Hop struct {
	Port    uint32
	Gateway ip.Addr
}

func compareHops(a, b Hop) int {
	return cmp.Or(cmp.Compare(a.Port, b.Port), a.Gateway.Compare(b.Gateway))
}

// SetID numbers a set of hops.
type SetID uint32

// The sets that every world has.
const (
	NoSet     SetID = 0 // unresolved: no way on
	Blackhole SetID = 1 // packets are dropped on purpose
	Beyond    SetID = 2 // packets leave the lab, and are answered
)

// Sets numbers sets of equal hops.
type Sets struct {
	list  store.Paged[[]Hop]
	index store.Index
}

func hashHops(hops []Hop) uint64 {
	h := uint64(len(hops))
	for _, x := range hops {
		h = store.Mix(h, uint64(x.Port)<<32|x.Gateway.Hash())
	}
	return store.Mix(h, 3)
}

// Hops are the members of a set, sorted; the caller must not write to them.
func (s *Sets) Hops(id SetID) []Hop { return s.list.Get(uint32(id)) }

// ID is the number of the set of these hops, in any order, repetitions allowed;
// none at all are NoSet. The slice is not kept.
func (s *Sets) ID(hops []Hop) SetID {
	if len(hops) == 0 {
		return NoSet
	}
	if !slices.IsSortedFunc(hops, compareHops) {
		hops = slices.Clone(hops)
		slices.SortFunc(hops, compareHops)
	}
	hops = slices.Compact(hops)
	h := hashHops(hops)
	if id, ok := s.index.Find(h, func(id uint32) bool { return slices.Equal(s.list.Get(id), hops) }); ok {
		return SetID(id)
	}
	if s.list.Len() == 0 {
		s.list.Set(uint32(Beyond), nil)
	}
	id := s.list.Append(slices.Clone(hops))
	s.index.Add(h, id, func(id uint32) uint64 { return hashHops(s.list.Get(id)) })
	return SetID(id)
}

func (s *Sets) clone() Sets { return Sets{list: s.list.Clone(), index: s.index.Clone()} }
