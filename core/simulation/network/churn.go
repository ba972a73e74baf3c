package network

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/bgp"
)

// Churn looks for what keeps changing for ever: a route that goes round between a
// few next hops; an LSA, an adjacency or a session that begins again and again.
// The zero value has seen nothing.
type Churn struct {
	seen   uint32    // notes that were looked at
	routes [][]uint8 // by device and prefix: how often the route changed, up to maxTurns
	others map[subject]*turns
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
}

// What changed this often, a route between so few next hops, is taken to do so for
// ever. Other things must do it in churnTime, which no refresh does.
const (
	maxTurns  = 64
	maxHops   = 8
	churnTime = 3600 * event.Second
)

// Recurs looks at the notes of a world since the last time, from the given one on,
// and says whether something goes round.
func (c *Churn) Recurs(w *World, from uint32) bool {
	if c.others == nil {
		c.others = map[subject]*turns{}
	}
	found := false
	suspects := map[subject][][2]uint64{} // and the next hops between which they change
	for i := max(c.seen, from); i < w.Notes(); i++ {
		n := w.NoteAt(i)
		id, counts := n.A, false
		switch n.Kind {
		case note.RouteChanged:
			if c.routeChanged(n.Device, uint32(n.A)) == maxTurns {
				suspects[subject{n.Device, n.Kind, n.A}] = nil
			}
		case note.LSAOriginated:
			counts = true
		case note.NeighbourState:
			id, counts = uint64(n.Port)<<32|n.A, adjacency.State(n.C) == adjacency.Full
		case note.SessionState:
			counts = bgp.State(n.C) == bgp.Established
		}
		if !counts {
			continue
		}
		at := subject{n.Device, n.Kind, id}
		t := c.others[at]
		if t == nil || n.At-t.since > int64(churnTime) {
			t = &turns{since: n.At}
			c.others[at] = t
		}
		t.count++
		found = found || t.count >= maxTurns
	}
	c.seen = w.Notes()
	return found || len(suspects) > 0 && goRound(w, from, suspects)
}

// routeChanged counts a change of a route, and returns how many there were; the
// count stops after maxTurns.
func (c *Churn) routeChanged(device, prefix uint32) uint8 {
	for int(device) >= len(c.routes) {
		c.routes = append(c.routes, nil)
	}
	row := &c.routes[device]
	for int(prefix) >= len(*row) {
		*row = append(*row, 0)
	}
	n := &(*row)[prefix]
	*n = min(*n+1, maxTurns+1)
	return *n
}

// goRound says whether one of the routes changed between few next hops only.
func goRound(w *World, from uint32, suspects map[subject][][2]uint64) bool {
	for i := from; i < w.Notes(); i++ {
		n := w.NoteAt(i)
		if n.Kind != note.RouteChanged {
			continue
		}
		at, pair := subject{n.Device, n.Kind, n.A}, [2]uint64{n.B, n.C}
		if pairs, suspect := suspects[at]; suspect && len(pairs) <= maxHops && !slices.Contains(pairs, pair) {
			suspects[at] = append(pairs, pair)
		}
	}
	for _, pairs := range suspects {
		if len(pairs) <= maxHops {
			return true
		}
	}
	return false
}
