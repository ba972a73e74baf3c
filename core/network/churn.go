package network

import "hellebore/core/note"

// Churn looks for what keeps changing for ever: a route that goes round between a
// few ways, again and again. The zero value has seen nothing.
type Churn struct {
	seen   uint32 // notes that were looked at
	routes map[turn]*turns
}

type turn struct {
	device uint32
	prefix uint64
}

type turns struct {
	count int
	ways  [maxWays][2]uint64
	n     int
}

// A route that changed so often between so few ways is taken to do so for ever.
const (
	maxTurns = 64
	maxWays  = 8
)

// Recurs looks at the notes of a world since the last time, from the given one on,
// and says whether some route goes round.
func (c *Churn) Recurs(w *World, from uint32) bool {
	if c.routes == nil {
		c.routes = map[turn]*turns{}
	}
	found := false
	for i := max(c.seen, from); i < w.Notes(); i++ {
		n := w.NoteAt(i)
		if n.Kind != note.RouteChanged {
			continue
		}
		at := turn{n.Device, n.A}
		t := c.routes[at]
		if t == nil {
			t = &turns{}
			c.routes[at] = t
		}
		t.count++
		way, known := [2]uint64{n.B, n.C}, false
		for k := range min(t.n, maxWays) {
			known = known || t.ways[k] == way
		}
		if !known {
			if t.n < maxWays {
				t.ways[t.n] = way
			}
			t.n++
		}
		found = found || t.count >= maxTurns && t.n <= maxWays
	}
	c.seen = w.Notes()
	return found
}
