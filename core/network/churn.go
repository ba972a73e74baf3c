package network

import (
	"hellebore/core/bgp"
	"hellebore/core/event"
	"hellebore/core/note"
	"hellebore/core/ospf"
)

// Churn looks for what keeps changing for ever: a route that goes round between a
// few next hops; an LSA, an adjacency or a session that begins again and again.
// The zero value has seen nothing.
type Churn struct {
	seen     uint32 // notes that were looked at
	subjects map[subject]*turns
}

// subject is what changes at a device: a prefix, an LSA, a neighbour, a peer.
type subject struct {
	device uint32
	kind   note.Kind
	id     uint64
}

type turns struct {
	count int
	since int64 // when the first of them was
	hops  [maxHops][2]uint64
	n     int
}

// What changed so often, a route between so few next hops, is taken to do so for
// ever. Other things must do it in churnTime, which no refresh does.
const (
	maxTurns  = 64
	maxHops   = 8
	churnTime = 3600 * event.Second
)

// Recurs looks at the notes of a world since the last time, from the given one on,
// and says whether something goes round.
func (c *Churn) Recurs(w *World, from uint32) bool {
	if c.subjects == nil {
		c.subjects = map[subject]*turns{}
	}
	found := false
	for i := max(c.seen, from); i < w.Notes(); i++ {
		n := w.NoteAt(i)
		id, counts := n.A, false
		switch n.Kind {
		case note.RouteChanged, note.LSAOriginated:
			counts = true
		case note.NeighbourState:
			id, counts = uint64(n.Port)<<32|n.A, ospf.State(n.C) == ospf.Full
		case note.SessionState:
			counts = bgp.State(n.C) == bgp.Established
		}
		if !counts {
			continue
		}
		at := subject{n.Device, n.Kind, id}
		t := c.subjects[at]
		if t == nil {
			t = &turns{since: n.At}
			c.subjects[at] = t
		}
		t.count++
		if n.Kind == note.RouteChanged {
			t.add([2]uint64{n.B, n.C})
			found = found || t.count >= maxTurns && t.n <= maxHops
			continue
		}
		if n.At-t.since > int64(churnTime) {
			t.count, t.since = 1, n.At
		}
		found = found || t.count >= maxTurns
	}
	c.seen = w.Notes()
	return found
}

// add counts the pairs of next hops between which a route changed.
func (t *turns) add(pair [2]uint64) {
	for k := range min(t.n, maxHops) {
		if t.hops[k] == pair {
			return
		}
	}
	if t.n < maxHops {
		t.hops[t.n] = pair
	}
	t.n++
}
