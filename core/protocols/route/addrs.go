package route

import (
	"hellebore/core/ground/ip"
	"hellebore/core/ground/store"
)

// Addrs numbers addresses, from 1, so that an event or a note, which carry numbers
// alone, can carry an address of either family; 0 is no address. Nothing is ever
// removed.
type Addrs struct {
	list  store.Paged[ip.Addr]
	index store.Index
}

// Addr is the address with number id.
func (d *Addrs) Addr(id uint32) ip.Addr { return d.list.Get(id) }

// ID is a's number; a gets one if it has none.
func (d *Addrs) ID(a ip.Addr) uint32 {
	if !a.IsValid() {
		return 0
	}
	h := store.Mix(12, a.Hash())
	if id, ok := d.index.Find(h, func(id uint32) bool { return d.list.Get(id) == a }); ok {
		return id
	}
	if d.list.Len() == 0 {
		d.list.Append(ip.Addr{})
	}
	id := d.list.Append(a)
	d.index.Add(h, id, func(id uint32) uint64 { return store.Mix(12, d.list.Get(id).Hash()) })
	return id
}

func (d *Addrs) clone() Addrs { return Addrs{list: d.list.Clone(), index: d.index.Clone()} }
