package lsdb

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/store"
)

// List is a neighbour's link state request list or retransmission list (RFC 2328
// 10): LSAs by key. Copies share what neither has written since; an empty list
// holds nothing, and a copy of it costs nothing. The zero value is empty.
type List struct {
	stamps store.Paged[Stamp]
	n      int
}

// Stamp says which instance of an LSA is listed.
type Stamp struct {
	Seq    int32
	Sum    uint16
	Aged   bool // MaxAge
	Asked  bool // in a request: it has been sent
	listed bool
	At     event.Time // when it was listed, or sent last
}

// StampOf is the stamp of a version.
func StampOf(v Version) Stamp { return Stamp{Seq: v.Seq, Sum: v.Sum, Aged: v.Age >= MaxAge} }

// Version is what was Stamped; of its age, only whether it is MaxAge is known.
func (s Stamp) Version() Version {
	v := Version{Seq: s.Seq, Sum: s.Sum}
	if s.Aged {
		v.Age = MaxAge
	}
	return v
}

// Is says whether a version is the instance that was Stamped.
func (s Stamp) Is(v Version) bool {
	return s.Seq == v.Seq && s.Sum == v.Sum && s.Aged == (v.Age >= MaxAge)
}

// Len is the number of LSAs listed.
func (l *List) Len() int { return l.n }

// Get is what is listed of an LSA; ok is false if it is not.
func (l *List) Get(key uint32) (s Stamp, ok bool) {
	s = l.stamps.Get(key)
	return s, s.listed
}

// Has says whether an LSA is listed.
func (l *List) Has(key uint32) bool { return l.stamps.Get(key).listed }

// Put lists an LSA, or changes what is listed of it.
func (l *List) Put(key uint32, s Stamp) {
	if !l.Has(key) {
		l.n++
	}
	s.listed = true
	l.stamps.Set(key, s)
}

// Remove takes an LSA off the list.
func (l *List) Remove(key uint32) {
	switch {
	case !l.Has(key):
	case l.n == 1:
		*l = List{}
	default:
		l.stamps.Set(key, Stamp{})
		l.n--
	}
}

// Sorted are the numbers of the keys listed, in an order of the keys themselves.
func (l *List) Sorted(order func(a, b uint32) int) []uint32 {
	keys := make([]uint32, 0, l.n)
	l.stamps.Each(func(key uint32, s *Stamp) bool {
		if s.listed {
			keys = append(keys, key)
		}
		return len(keys) < l.n
	})
	slices.SortFunc(keys, order)
	return keys
}

// Clone is an independent copy.
func (l *List) Clone() List { return List{l.stamps.Clone(), l.n} }
