package adjacency

import "hellebore/core/protocols/lsdb"

// Requests are the LSAs of which a neighbour has a newer instance than we (RFC 2328
// 10.9). The zero value is empty.
type Requests struct {
	wanted lsdb.List
	asked  int // of them, in the outstanding request
}

// Clone is an independent copy.
func (r *Requests) Clone() Requests { return Requests{r.wanted.Clone(), r.asked} }

// Len is how many LSAs are wanted; Asked is how many of them were asked for in the
// outstanding request.
func (r *Requests) Len() int   { return r.wanted.Len() }
func (r *Requests) Asked() int { return r.asked }

// Want adds an LSA, of which the neighbour has the instance v.
func (r *Requests) Want(key uint32, v lsdb.Version) { r.wanted.Put(key, lsdb.StampOf(v)) }

// Wanted is the instance of an LSA that is wanted; ok is false if none is.
func (r *Requests) Wanted(key uint32) (v lsdb.Version, ok bool) {
	s, ok := r.wanted.Get(key)
	return s.Version(), ok
}

// Ask is what to ask for now, at most n LSAs; again repeats what was asked for and has
// not come.
func (r *Requests) Ask(n int, again bool, order func(a, b uint32) int) (keys []uint32) {
	for _, key := range r.wanted.Sorted(order) {
		s, _ := r.wanted.Get(key)
		if again && !s.Asked {
			continue
		}
		if len(keys) == n {
			break
		}
		s.Asked = true
		r.wanted.Put(key, s)
		keys = append(keys, key)
	}
	r.asked = len(keys)
	return keys
}

// Came takes an LSA off.
func (r *Requests) Came(key uint32) {
	if s, _ := r.wanted.Get(key); s.Asked {
		r.asked--
	}
	r.wanted.Remove(key)
}
