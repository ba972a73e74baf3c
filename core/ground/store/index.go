package store

// Index numbers values: it finds the number under which a value is kept, given
// the value's hash. The values are elsewhere (in a Paged, usually); the Index
// holds only their numbers, in an open-addressing table that clones like any
// Paged. Nothing is ever removed. The zero value is empty.
type Index struct {
	slots Paged[slot]
	size  uint32 // slots in the table, a power of two, 0 before the first Add
	used  uint32
}

type slot struct {
	hash uint32 // the upper half, never 0 in a used slot
	id   uint32
}

func mark(hash uint64) uint32 { return uint32(hash>>32) | 1 }

// Find returns the number of the value with this hash for which same is true.
func (x *Index) Find(hash uint64, same func(id uint32) bool) (id uint32, ok bool) {
	if x.size == 0 {
		return 0, false
	}
	m := mark(hash)
	for i := uint32(hash) & (x.size - 1); ; i = (i + 1) & (x.size - 1) {
		s := x.slots.Get(i)
		if s.hash == 0 {
			return 0, false
		}
		if s.hash == m && same(s.id) {
			return s.id, true
		}
	}
}

// Add keeps id under hash; the caller has made sure with Find that it is new.
// rehash gives the hash of a number already kept, for when the table grows.
func (x *Index) Add(hash uint64, id uint32, rehash func(id uint32) uint64) {
	if 4*(x.used+1) > 3*x.size {
		old, size := x.slots, x.size
		x.size = max(64, 2*size)
		x.slots = Paged[slot]{}
		x.slots.Edit(x.size - 1)
		for i := range size {
			if s := old.Get(i); s.hash != 0 {
				x.put(rehash(s.id), s.id)
			}
		}
	}
	x.put(hash, id)
	x.used++
}

func (x *Index) put(hash uint64, id uint32) {
	i := uint32(hash) & (x.size - 1)
	for x.slots.Get(i).hash != 0 {
		i = (i + 1) & (x.size - 1)
	}
	x.slots.Set(i, slot{mark(hash), id})
}

// Clone is an independent copy.
func (x *Index) Clone() Index {
	return Index{slots: x.slots.Clone(), size: x.size, used: x.used}
}
