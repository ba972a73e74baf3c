package route

import "hellebore/core/ground/store"

// What two tables, one of which was cloned from what the other one was, have in common without anybody looking at each route.

// SameHops says whether the next hops that another table has resolve to the same sets here.
func (t *Table) SameHops(o *Table) bool {
	for i := range o.hops.Len() {
		if t.hops.SharesPage(&o.hops, i/store.PageSize) {
			continue
		}
		if o.hops.Get(i).set != t.hops.Get(i).set {
			return false
		}
	}
	return true
}

// SameRoutes says whether no source's route has been written since for the prefixes of a page (of store.PageSize), and how many of
// them have a route in use.
func (t *Table) SameRoutes(o *Table, page uint32) (used int, same bool) {
	for i := range t.sources {
		if !t.sources[i].SharesPage(&o.sources[i], page) {
			return 0, false
		}
	}
	if !t.fib.SharesPage(&o.fib, page) {
		return 0, false
	}
	for i := page * store.PageSize; i < (page+1)*store.PageSize; i++ {
		if t.fib.Get(i) != 0 {
			used++
		}
	}
	return used, true
}
