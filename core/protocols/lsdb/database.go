package lsdb

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/store"
)

// Database holds the newest instance of each LSA of a flooding scope, by the number of
// its key. The zero value is empty.
type Database struct {
	instances store.Paged[Instance]
	dying     []uint32 // keys of the LSAs at MaxAge
}

// Clone is an independent copy.
func (d *Database) Clone() Database { return Database{d.instances.Clone(), slices.Clone(d.dying)} }

// Get is the instance of an LSA; its Body is 0 if there is none.
func (d *Database) Get(key uint32) Instance { return d.instances.Get(key) }

// At is Get without a copy, for reading; nil if there is no LSA.
func (d *Database) At(key uint32) *Instance {
	if e := d.instances.At(key); e != nil && e.Body != 0 {
		return e
	}
	return nil
}

// Usable is At for what routes are made of: no LSA on its way out (RFC 2328 16.1).
func (d *Database) Usable(key uint32) *Instance {
	if e := d.At(key); e != nil && !e.Dying {
		return e
	}
	return nil
}

// Each visits all LSAs, by the number of their key, until visit says false.
func (d *Database) Each(visit func(key uint32, e *Instance) bool) {
	d.instances.Each(func(key uint32, e *Instance) bool { return e.Body == 0 || visit(key, e) })
}

// Put puts an instance into the database in place of the one that was there, which it
// returns.
func (d *Database) Put(key uint32, e Instance) (old Instance) {
	old = d.instances.Get(key)
	d.instances.Set(key, e)
	switch {
	case e.Dying && !old.Dying:
		d.dying = append(d.dying, key)
	case old.Dying && !e.Dying:
		d.dying = slices.DeleteFunc(d.dying, func(k uint32) bool { return k == key })
	}
	return old
}

// Remove takes an LSA out.
func (d *Database) Remove(key uint32) { d.Put(key, Instance{}) }

// Answer notes that a neighbour that had an older instance was sent this one.
func (d *Database) Answer(key uint32, now event.Time) { d.instances.Edit(key).Answered = now }

// Outbid notes whether the next instance of an own LSA must be newer than this one.
func (d *Database) Outbid(key uint32, must bool) { d.instances.Edit(key).Outbid = must }

// Dying says whether any LSA is on its way out.
func (d *Database) Dying() bool { return len(d.dying) > 0 }

// Sweep removes the LSAs at MaxAge that nothing holds, and tells gone of each.
func (d *Database) Sweep(held func(key uint32, e *Instance) bool, gone func(key uint32, e Instance)) {
	left := d.dying[:0:0]
	for _, key := range d.dying {
		if e := d.instances.Get(key); held(key, &e) {
			left = append(left, key)
		} else {
			d.instances.Set(key, Instance{})
			gone(key, e)
		}
	}
	d.dying = left
}

// Sums are those of what the LSAs say, which body hashes with the key, and of when they were made: their sequence numbers
// and ages. Both are equal for databases that are equal in that, and cost what changed since they were asked for last.
func (d *Database) Sums(body func(e *Instance) uint64) (contents, times uint64) {
	contents = d.instances.Sum(0, func(_ uint32, e *Instance) uint64 {
		if e.Body == 0 {
			return 0
		}
		return body(e)
	})
	times = d.instances.Sum(1, func(_ uint32, e *Instance) uint64 {
		if e.Body == 0 {
			return 0
		}
		return store.Mix(store.Mix(body(e), uint64(e.Seq)), uint64(e.Birth))
	})
	return contents, times
}

// Versions is the sum of which instances of LSAs are there (RFC 2328 13.1), whatever their age: equal for databases that hold the
// same.
func (d *Database) Versions(body func(e *Instance) uint64) uint64 {
	return d.instances.Sum(2, func(_ uint32, e *Instance) uint64 {
		if e.Body == 0 {
			return 0
		}
		return store.Mix(body(e), uint64(uint32(e.Seq))<<16|uint64(e.Sum))
	})
}

// Keys are the numbers of the keys of the LSAs that a condition holds for, in an order
// of the keys themselves: numbers differ between worlds, what is sent must not.
func (d *Database) Keys(order func(a, b uint32) int, holds func(key uint32, e *Instance) bool) []uint32 {
	var keys []uint32
	d.Each(func(key uint32, e *Instance) bool {
		if holds(key, e) {
			keys = append(keys, key)
		}
		return true
	})
	slices.SortFunc(keys, order)
	return keys
}
