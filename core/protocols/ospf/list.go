package ospf

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/store"
)

// list is a neighbour's link state request list or retransmission list (RFC 2328
// 10): LSAs by key. Copies share what neither has written since; an empty list
// holds nothing, and a copy of it costs nothing. The zero value is empty.
type list struct {
	stamps store.Paged[stamp]
	len    int
}

// stamp distinguishes one instance of an LSA from another.
type stamp struct {
	seq    int32
	sum    uint16
	aged   bool // MaxAge
	asked  bool // in a request: it has been sent
	listed bool
	at     event.Time
}

func (l *list) get(key uint32) (s stamp, ok bool) {
	s = l.stamps.Get(key)
	return s, s.listed
}

func (l *list) has(key uint32) bool { return l.stamps.Get(key).listed }

// put lists an LSA, or changes what is listed of it.
func (l *list) put(key uint32, s stamp) {
	if !l.has(key) {
		l.len++
	}
	s.listed = true
	l.stamps.Set(key, s)
}

func (l *list) remove(key uint32) {
	switch {
	case !l.has(key):
	case l.len == 1:
		*l = list{}
	default:
		l.stamps.Set(key, stamp{})
		l.len--
	}
}

// sorted are the keys listed, in the order of their keys' contents.
func (l *list) sorted(pool *Pool) []uint32 {
	keys := make([]uint32, 0, l.len)
	l.stamps.Each(func(key uint32, s *stamp) bool {
		if s.listed {
			keys = append(keys, key)
		}
		return len(keys) < l.len
	})
	slices.SortFunc(keys, func(x, y uint32) int { return pool.Key(x).Compare(pool.Key(y)) })
	return keys
}

func (l *list) clone() list { return list{l.stamps.Clone(), l.len} }
