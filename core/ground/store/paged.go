// Package store lays state out so that copying a world is nearly free: arrays
// in pages with copy-on-write (Paged), a dictionary that numbers values
// (Index), and randomness that is a function of its purpose (Keyed).
package store

const (
	pageBits = 6
	pageSize = 1 << pageBits
)

type page[T any] struct {
	owner uint64
	// sums are those of Sum, plus 1, since the last write; 0 if they are not known. As items, they are written by the owner only.
	sums  [Sums]uint64
	items [pageSize]T
}

// Sums is how many sums an array keeps.
const Sums = 3

// Paged is an array indexed by small numbers. Elements never written are T's
// zero value. Clone costs one pointer a page; a page is copied when one of the
// two arrays first writes to it.
//
// A page may be written in place when its owner is the array's epoch: after
// Clone both arrays have an epoch above that of every page they share, so two
// arrays can have equal epochs and still never own the same page.
type Paged[T any] struct {
	pages []*page[T]
	epoch uint64
	len   uint32
	owns  bool // a page that was written since the last Clone
}

// Len is one more than the highest index written.
func (p *Paged[T]) Len() uint32 { return p.len }

// Get is the element at i.
func (p *Paged[T]) Get(i uint32) T {
	if i >= p.len {
		var zero T
		return zero
	}
	pg := p.pages[i>>pageBits]
	if pg == nil {
		var zero T
		return zero
	}
	return pg.items[i&(pageSize-1)]
}

// At points to the element at i for reading, or is nil if its page was never
// written. The pointer is good until the next Edit of the array.
func (p *Paged[T]) At(i uint32) *T {
	if i >= p.len {
		return nil
	}
	pg := p.pages[i>>pageBits]
	if pg == nil {
		return nil
	}
	return &pg.items[i&(pageSize-1)]
}

// Edit points to the element at i for writing; the array grows as needed. The
// pointer is good until the next Clone.
func (p *Paged[T]) Edit(i uint32) *T {
	n := int(i >> pageBits)
	for n >= len(p.pages) {
		p.pages = append(p.pages, nil)
	}
	if i >= p.len {
		p.len = i + 1
	}
	pg := p.pages[n]
	switch {
	case pg == nil:
		pg = &page[T]{owner: p.epoch}
		p.pages[n], p.owns = pg, true
	case pg.owner != p.epoch:
		pg = &page[T]{owner: p.epoch, items: pg.items}
		p.pages[n], p.owns = pg, true
	default:
		pg.sums = [Sums]uint64{}
	}
	return &pg.items[i&(pageSize-1)]
}

// Set writes the element at i.
func (p *Paged[T]) Set(i uint32, v T) { *p.Edit(i) = v }

// Append adds an element at the end and returns its index.
func (p *Paged[T]) Append(v T) uint32 {
	i := p.len
	*p.Edit(i) = v
	return i
}

// PageSize is how many elements are shared or not shared together.
const PageSize = pageSize

// SharesPage says whether this array and another one have a page in common, from element n * PageSize on: nobody has written to it
// since the one was cloned from the other. Pages that neither has count as common.
func (p *Paged[T]) SharesPage(o *Paged[T], n uint32) bool {
	var a, b *page[T]
	if int(n) < len(p.pages) {
		a = p.pages[n]
	}
	if int(n) < len(o.pages) {
		b = o.pages[n]
	}
	return a == b
}

// DropBefore drops whole pages of elements below i, and shows each of them; those that are left begin at 0 then.
func (p *Paged[T]) DropBefore(i uint32, each func(v T)) {
	n := int(min(i, p.len) >> pageBits)
	for k := range uint32(n) << pageBits {
		each(p.Get(k))
	}
	p.pages, p.len = append([]*page[T](nil), p.pages[n:]...), p.len-uint32(n)<<pageBits
}

// Clone is an independent copy. It does not write to an array that was not
// written to since it was cloned itself, so that many goroutines may read and
// clone such a one.
func (p *Paged[T]) Clone() Paged[T] {
	if p.owns {
		p.epoch, p.owns = p.epoch+1, false
	}
	return Paged[T]{pages: append([]*page[T](nil), p.pages...), epoch: p.epoch, len: p.len}
}

// Sum is the sum of the hashes of all elements. It costs what was written since it was asked for last, if it was asked for
// before each Clone: pages keep theirs until they are shared, and copies have them too. which is the number of the sum, below Sums; each has one hash for ever, which is 0 for zero
// values and depends on nothing but the element and its index.
func (p *Paged[T]) Sum(which int, hash func(i uint32, v *T) uint64) (sum uint64) {
	for n, pg := range p.pages {
		if pg == nil {
			continue
		}
		if known := pg.sums[which]; known != 0 {
			sum += known - 1
			continue
		}
		var own uint64
		base := uint32(n) << pageBits
		for k := range pg.items {
			if base+uint32(k) >= p.len {
				break
			}
			own += hash(base+uint32(k), &pg.items[k])
		}
		if pg.owner == p.epoch {
			pg.sums[which] = own + 1
		}
		sum += own
	}
	return sum
}

// Each visits the elements of all pages ever written, in order of index, until
// visit says false. It may pass zero values.
func (p *Paged[T]) Each(visit func(i uint32, v *T) bool) {
	for n, pg := range p.pages {
		if pg == nil {
			continue
		}
		base := uint32(n) << pageBits
		for k := range pg.items {
			if base+uint32(k) >= p.len {
				return
			}
			if !visit(base+uint32(k), &pg.items[k]) {
				return
			}
		}
	}
}
