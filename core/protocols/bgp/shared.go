package bgp

import "hellebore/core/ground/store"

// What two speakers, one of which was cloned from what the other one was, have in common without anybody looking at each row.

// SameBest says whether Loc-RIB has not been written since for the prefixes of a page (of store.PageSize), and how many rows there
// are on it.
func (s *Speaker) SameBest(o *Speaker, page uint32) (rows int, same bool) {
	if !s.loc.SharesPage(&o.loc, page) {
		return 0, false
	}
	return onPage(&s.loc, page, func(b *best) bool { return b.attr != 0 }), true
}

// SameSession is SameBest for what came in from a peer, and for what it was sent.
func (s *Speaker) SameSession(o *Speaker, i int, page uint32) (in, out int, same bool) {
	a, b := &s.peers[i], &o.peers[i]
	if !a.in.SharesPage(&b.in, page) || !a.out.SharesPage(&b.out, page) {
		return 0, 0, false
	}
	return onPage(&a.in, page, func(e *entry) bool { return e.raw != 0 }), onPage(&a.out, page, func(e *sentEntry) bool { return e.sent != 0 }), true
}

func onPage[T any](p *store.Paged[T], page uint32, is func(*T) bool) (n int) {
	for i := page * store.PageSize; i < (page+1)*store.PageSize; i++ {
		if x := p.At(i); x == nil {
			return n
		} else if is(x) {
			n++
		}
	}
	return n
}
