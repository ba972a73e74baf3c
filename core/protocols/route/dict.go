// Package route is a router's table: the sources' candidate routes, the
// selection among them (RIB), and what packets follow (FIB: longest match to a
// next hop, through a next-hop table).
//
// Prefixes and sets of next hops are numbered once for the whole world, in
// Shared; a table is arrays by prefix number, so that a copy of a world shares
// them until one side writes.
package route

import (
	"slices"

	"hellebore/core/ground/store"
	"hellebore/core/protocols/wire/ip"
)

// Shared is what all tables of one world have in common. Numbers mean nothing
// outside their world. The zero value is ready for use.
type Shared struct {
	Prefixes Prefixes
	Sets     Sets
}

// Clone is an independent copy.
func (s *Shared) Clone() *Shared {
	return &Shared{Prefixes: s.Prefixes.clone(), Sets: s.Sets.clone()}
}

// Prefixes numbers prefixes, from 0. Nothing is ever removed.
type Prefixes struct {
	list    store.Paged[ip.Prefix]
	index   store.Index
	lengths uint64 // bit n: there is a prefix of length n
}

func hashPrefix(p ip.Prefix) uint64 {
	return store.Mix(store.Mix(2, uint64(p.Addr)), uint64(p.Len))
}

// Len is the number of prefixes.
func (d *Prefixes) Len() uint32 { return d.list.Len() }

// Prefix is the prefix with number id.
func (d *Prefixes) Prefix(id uint32) ip.Prefix { return d.list.Get(id) }

// Find is p's number, if it has one.
func (d *Prefixes) Find(p ip.Prefix) (id uint32, ok bool) {
	return d.index.Find(hashPrefix(p), func(id uint32) bool { return d.list.Get(id) == p })
}

// ID is p's number; p gets one if it has none.
func (d *Prefixes) ID(p ip.Prefix) uint32 {
	if id, ok := d.Find(p); ok {
		return id
	}
	id := d.list.Append(p)
	d.index.Add(hashPrefix(p), id, func(id uint32) uint64 { return hashPrefix(d.list.Get(id)) })
	d.lengths |= 1 << p.Len
	return id
}

// Covering visits the numbered prefixes that contain a, longest first, until
// visit says false. It asks once for each length in use, five or so in most
// networks: that is why there is no trie.
func (d *Prefixes) Covering(a ip.Addr, visit func(id uint32) bool) {
	for n := 32; n >= 0; n-- {
		if d.lengths&(1<<n) == 0 {
			continue
		}
		if id, ok := d.Find(ip.MakePrefix(a, uint8(n))); ok && !visit(id) {
			return
		}
	}
}

func (d *Prefixes) clone() Prefixes {
	return Prefixes{list: d.list.Clone(), index: d.index.Clone(), lengths: d.lengths}
}

// Hop is one way on: out of a port, to a gateway on it, or to the destination
// itself if Gateway is 0.
type Hop struct {
	Port    uint32
	Gateway ip.Addr
}

func compareHops(a, b Hop) int {
	switch {
	case a.Port != b.Port:
		return int(a.Port) - int(b.Port)
	case a.Gateway < b.Gateway:
		return -1
	case a.Gateway > b.Gateway:
		return 1
	}
	return 0
}

// SetID numbers a set of hops.
type SetID uint32

// The sets that every world has.
const (
	NoSet     SetID = 0 // unresolved: no way on
	Blackhole SetID = 1 // packets are dropped on purpose
)

// Sets numbers sets of equal hops.
type Sets struct {
	list  store.Paged[[]Hop]
	index store.Index
}

func hashHops(hops []Hop) uint64 {
	h := uint64(len(hops))
	for _, x := range hops {
		h = store.Mix(h, uint64(x.Port)<<32|uint64(x.Gateway))
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
		s.list.Set(uint32(Blackhole), nil)
	}
	id := s.list.Append(slices.Clone(hops))
	s.index.Add(h, id, func(id uint32) uint64 { return hashHops(s.list.Get(id)) })
	return SetID(id)
}

func (s *Sets) clone() Sets { return Sets{list: s.list.Clone(), index: s.index.Clone()} }
