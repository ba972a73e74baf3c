package route

import "hellebore/core/ground/store"

// Digest is equal for tables of any worlds in which the same sources have the same routes, and packets follow the same next
// hops. It costs what changed since it was asked for last. What a next hop that goes through addresses is resolved to follows
// from the routes, and is not looked at.
func (t *Table) Digest(shared *Shared) uint64 {
	var d store.Digest
	prefix := shared.Prefixes.Digest
	for s := range t.sources {
		d.Add(t.sources[s].Sum(0, func(id uint32, r *Route) uint64 {
			if !r.Present {
				return 0
			}
			h := store.Mix(store.Mix(prefix(id), t.hopDigest(shared, r.Hop)), uint64(r.Metric)<<32|uint64(r.Metric2))
			return store.Mix(h, uint64(r.Tag)<<16|uint64(r.Preference)<<8|uint64(r.Kind))
		}))
	}
	d.Add(t.fib.Sum(0, func(id uint32, hop *HopID) uint64 {
		if *hop == 0 {
			return 0
		}
		return store.Mix(prefix(id), t.hopDigest(shared, *hop))
	}))
	t.Used() // copies that are made now know it, too
	return uint64(d)
}

// Used is how many prefixes packets follow a route to. It costs what changed since it was asked for last.
func (t *Table) Used() int {
	return int(t.fib.Sum(1, func(_ uint32, hop *HopID) uint64 { return uint64(min(*hop, 1)) }))
}

// hopDigest is of what never changes of a next hop: the addresses that it goes through, else its set.
func (t *Table) hopDigest(shared *Shared, h HopID) uint64 {
	e := t.hops.Get(uint32(h))
	if !e.vias.IsValid() {
		return store.Mix(uint64(min(e.set, Blackhole+1)), hashHops(shared.Sets.Hops(e.set)))
	}
	group := uint64(0)
	if e.group != noPrefix {
		group = shared.Prefixes.Digest(e.group)
	}
	return store.Mix(group, hashVias(t.vias[e.vias.Index()], 0))
}
