// Package attr is BGP's path attributes as values: what an UPDATE says of the
// prefixes that it carries. Sets of equal attributes are kept once for the whole
// world, in a Pool, and never change.
package attr

import (
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/store"
)

// Origin is how a prefix came into BGP (RFC 4271 5.1.1); lower is preferred.
type Origin uint8

// The origins.
const (
	IGP Origin = iota
	EGP
	Incomplete
)

// OriginNames are the words for origins, by Origin.
var OriginNames = [...]string{"igp", "egp", "incomplete"}

func (o Origin) String() string { return OriginNames[o] }

// Kinds of segments of an AS path (RFC 4271 4.3).
const (
	ASSet      = 1
	ASSequence = 2
)

// MaxSegment is the number of AS numbers that a segment holds.
const MaxSegment = 255

// Segment is a part of an AS path.
type Segment struct {
	Kind uint8
	AS   []uint32
}

// Path is an AS path, the nearest AS first.
type Path []Segment

// Len is the path's length: a set counts as one (RFC 4271 9.1.2.2 a).
func (p Path) Len() int {
	n := 0
	for _, s := range p {
		if s.Kind == ASSet {
			n++
		} else {
			n += len(s.AS)
		}
	}
	return n
}

// First is the neighbouring AS: the first of a path that begins with a sequence;
// 0 for one made in our own AS (RFC 4271 9.1.2.2 c).
func (p Path) First() uint32 {
	if len(p) == 0 || p[0].Kind != ASSequence || len(p[0].AS) == 0 {
		return 0
	}
	return p[0].AS[0]
}

// Count is how often an AS is in the path.
func (p Path) Count(as uint32) int {
	n := 0
	for _, s := range p {
		for _, a := range s.AS {
			if a == as {
				n++
			}
		}
	}
	return n
}

// Each visits the AS numbers in order.
func (p Path) Each(visit func(as uint32)) {
	for _, s := range p {
		for _, a := range s.AS {
			visit(a)
		}
	}
}

// Prepend is the path with AS numbers put before it (RFC 4271 5.1.2 b). The
// receiver is not changed.
func (p Path) Prepend(list ...uint32) Path {
	if len(list) == 0 {
		return p
	}
	out := Path{}
	if len(p) > 0 && p[0].Kind == ASSequence && len(p[0].AS)+len(list) <= MaxSegment {
		list = append(slices.Clone(list), p[0].AS...)
		p = p[1:]
	}
	for len(list) > MaxSegment {
		out = append(out, Segment{ASSequence, list[:MaxSegment]})
		list = list[MaxSegment:]
	}
	out = append(out, Segment{ASSequence, slices.Clone(list)})
	return append(out, p...)
}

// Aggregate is the path of an aggregate of routes with these paths, of which there
// is at least one: the ASes that all begin with in sequence, then all others as a
// set; paths that are equal stay as they are (RFC 4271 9.2.2.2, F.6).
func Aggregate(paths []Path) Path {
	first := paths[0]
	if !slices.ContainsFunc(paths[1:], func(p Path) bool { return !first.equal(p) }) {
		return first
	}
	lead := first.lead()
	for _, p := range paths[1:] {
		l := p.lead()
		n := 0
		for n < min(len(lead), len(l)) && lead[n] == l[n] {
			n++
		}
		lead = lead[:n]
	}
	var rest []uint32
	for _, p := range paths {
		n := 0
		p.Each(func(as uint32) {
			if n++; n > len(lead) && !slices.Contains(rest, as) {
				rest = append(rest, as)
			}
		})
	}
	slices.Sort(rest)
	out := Path{}.Prepend(lead...)
	for len(rest) > 0 {
		n := min(len(rest), MaxSegment)
		out, rest = append(out, Segment{ASSet, rest[:n]}), rest[n:]
	}
	return out
}

func (p Path) equal(o Path) bool {
	return slices.EqualFunc(p, o, func(a, b Segment) bool { return a.Kind == b.Kind && slices.Equal(a.AS, b.AS) })
}

// lead is the ASes in sequence with which the path begins.
func (p Path) lead() (out []uint32) {
	for _, s := range p {
		if s.Kind != ASSequence {
			break
		}
		out = append(out, s.AS...)
	}
	return out
}

// Map is the path with each AS number replaced by what to says; those for which
// keep is false are left out. The receiver is not changed.
func (p Path) Map(to func(as uint32) (now uint32, keep bool)) Path {
	var out Path
	for _, s := range p {
		n := Segment{Kind: s.Kind}
		for _, a := range s.AS {
			if now, keep := to(a); keep {
				n.AS = append(n.AS, now)
			}
		}
		if len(n.AS) > 0 {
			out = append(out, n)
		}
	}
	return out
}

// Large is a large community (RFC 8092).
type Large struct {
	Admin, Data1, Data2 uint32
}

// Compare orders large communities.
func (l Large) Compare(o Large) int {
	return slices.Compare([]uint32{l.Admin, l.Data1, l.Data2}, []uint32{o.Admin, o.Data1, o.Data2})
}

// Well-known communities (RFC 1997).
const (
	NoExport          = 0xffffff01
	NoAdvertise       = 0xffffff02
	NoExportSubconfed = 0xffffff03
)

// Unknown is an optional transitive attribute that we do not know (RFC 4271 5).
type Unknown struct {
	Flags, Type uint8
	Value       string
}

// Set is the attributes of a path. A Set of a Pool is never written.
type Set struct {
	Origin        Origin
	Path          Path
	NextHop       ip.Addr
	MED           uint32 // 0 without HasMED (RFC 4271 9.1.2.2 c)
	LocalPref     uint32 // 0 without HasLocalPref; Preference says what counts
	HasMED        bool
	HasLocalPref  bool
	Atomic        bool
	HasAggregator bool
	AggregatorAS  uint32    // 0 without HasAggregator, as is Aggregator
	Aggregator    ip.Quad   // its BGP identifier or address (RFC 4271 5.1.7)
	Communities   []uint32  // sorted, each once
	Extended      []uint64  // as received (RFC 4360: carried, never looked at)
	Large         []Large   // sorted, each once
	Originator    ip.Quad   // RFC 4456; 0 for none
	Clusters      []ip.Quad // RFC 4456, the nearest first
	Unknown       []Unknown // as received, by type

	// Worked out when the set is kept.
	PathLen int    // Path.Len
	FirstAS uint32 // Path.First
	digest  uint64 // hash
}

// DefaultLocalPref is the local preference of a path that has none (RFC 4271
// leaves it open).
const DefaultLocalPref = 100

// Preference is the local preference in force.
func (s *Set) Preference() uint32 {
	if s.HasLocalPref {
		return s.LocalPref
	}
	return DefaultLocalPref
}

// Has says whether the set carries a community.
func (s *Set) Has(community uint32) bool {
	_, found := slices.BinarySearch(s.Communities, community)
	return found
}

// hash and equal are over all that is sent.
func (s *Set) hash() uint64 {
	h := store.Mix(uint64(s.Origin)<<32^s.NextHop.Hash(), uint64(s.MED)<<32|uint64(s.LocalPref))
	for _, g := range s.Path {
		h = store.Mix(h, uint64(g.Kind)<<32|uint64(len(g.AS)))
		for _, a := range g.AS {
			h = store.Mix(h, uint64(a))
		}
	}
	for _, c := range s.Communities {
		h = store.Mix(h, uint64(c))
	}
	for _, c := range s.Extended {
		h = store.Mix(h, c)
	}
	for _, c := range s.Large {
		h = store.Mix(store.Mix(h, uint64(c.Admin)), uint64(c.Data1)<<32|uint64(c.Data2))
	}
	for _, c := range s.Clusters {
		h = store.Mix(h, uint64(c))
	}
	for _, u := range s.Unknown {
		h = store.Hash(h, []byte(u.Value))
	}
	return store.Mix(store.Mix(h, uint64(s.Originator)<<32|uint64(s.Aggregator)), uint64(s.AggregatorAS))
}

// Equal says whether two sets say the same.
func (s *Set) Equal(o *Set) bool {
	return s.Origin == o.Origin && s.NextHop == o.NextHop && s.MED == o.MED && s.HasMED == o.HasMED &&
		s.LocalPref == o.LocalPref && s.HasLocalPref == o.HasLocalPref && s.Atomic == o.Atomic &&
		s.HasAggregator == o.HasAggregator && s.AggregatorAS == o.AggregatorAS && s.Aggregator == o.Aggregator &&
		s.Originator == o.Originator &&
		slices.EqualFunc(s.Path, o.Path,
			func(a, b Segment) bool { return a.Kind == b.Kind && slices.Equal(a.AS, b.AS) }) &&
		slices.Equal(s.Communities, o.Communities) && slices.Equal(s.Extended, o.Extended) &&
		slices.Equal(s.Large, o.Large) &&
		slices.Equal(s.Clusters, o.Clusters) && slices.Equal(s.Unknown, o.Unknown)
}

// Digest is equal for sets of any pools that say the same.
func (s *Set) Digest() uint64 { return s.digest }

// ID numbers a set in its pool; 0 is none. Numbers mean nothing outside their
// world: they are never compared by size, sent or digested.
type ID uint32

// Pool keeps each set of a world once. The zero value is ready for use.
type Pool struct {
	sets  store.Paged[*Set]
	index store.Index
}

// Shares says whether a number means the same set in another pool, without looking at it: one was cloned from the other, and what
// is near the set has not been written since.
func (p *Pool) Shares(o *Pool, id ID) bool {
	return p.sets.SharesPage(&o.sets, uint32(id)/store.PageSize)
}

// Get is a set; it must not be written. ID 0 gives nil.
func (p *Pool) Get(id ID) *Set { return p.sets.Get(uint32(id)) }

// Len is one more than the number of sets.
func (p *Pool) Len() uint32 { return p.sets.Len() }

// ID is the number of a set like s, which gets one if it has none. The set is
// copied; what its slices point to belongs to the pool from then on.
func (p *Pool) ID(s *Set) ID {
	h := s.hash()
	if id, ok := p.index.Find(h, func(id uint32) bool { return p.sets.Get(id).Equal(s) }); ok {
		return ID(id)
	}
	if p.sets.Len() == 0 {
		p.sets.Set(0, nil)
	}
	kept := *s
	kept.PathLen, kept.FirstAS, kept.digest = s.Path.Len(), s.Path.First(), h
	id := p.sets.Append(&kept)
	p.index.Add(h, id, func(id uint32) uint64 { return p.sets.Get(id).digest })
	return ID(id)
}

// Clone is an independent copy; the sets themselves are shared.
func (p *Pool) Clone() *Pool {
	return &Pool{sets: p.sets.Clone(), index: p.index.Clone()}
}
