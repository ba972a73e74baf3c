package history

import "hellebore/core/simulation/network"

// Locker is a lock that goroutines share. The core has none of its own: whoever
// lets several goroutines look into a history brings it.
type Locker interface {
	Lock()
	Unlock()
}

// Alone is the lock of what one goroutine has to itself.
type Alone struct{}

// Lock and Unlock do nothing.
func (Alone) Lock()   {}
func (Alone) Unlock() {}

// keepSeen is how many worlds of past moments are kept.
const keepSeen = 8

// seen are the worlds of the moments that were asked for last. A history shares
// them with its readers.
type seen struct {
	worlds []sought
	steps  []*Step // faded ones, done again
}

type sought struct {
	moment Moment
	world  *network.World
}

func (s *seen) find(m Moment) *network.World {
	for _, x := range s.worlds {
		if x.moment == m {
			return x.world
		}
	}
	return nil
}

// step is a faded step that was done again, nil if it is not kept.
func (s *seen) step(seq int) *Step {
	for _, x := range s.steps {
		if x.Seq == seq {
			return x
		}
	}
	return nil
}

// sought is the world at a moment of the past. Two goroutines that ask for one at
// the same time may both make it.
func (h *History) sought(m Moment) *network.World {
	h.guard.Lock()
	w := h.seen.find(m)
	h.guard.Unlock()
	if w != nil {
		return w
	}
	w = h.seek(m)
	if h.stopped() {
		return w
	}
	h.guard.Lock()
	defer h.guard.Unlock()
	if other := h.seen.find(m); other != nil {
		return other
	}
	h.seen.worlds = append(h.seen.worlds, sought{m, w})
	if len(h.seen.worlds) > keepSeen {
		h.seen.worlds = h.seen.worlds[1:]
	}
	return w
}
