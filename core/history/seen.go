package history

import (
	"sync"

	"hellebore/core/network"
)

// keepSeen is how many worlds of past moments are kept.
const keepSeen = 8

// seen are the worlds of the moments that were asked for last. A history shares
// them with its readers.
type seen struct {
	mu     sync.Mutex
	worlds []*sought
}

type sought struct {
	moment Moment
	once   sync.Once
	world  *network.World
}

// at is the world at a moment; seek makes it the first time. Whoever asks for a
// moment that is being sought waits for it.
func (s *seen) at(m Moment, seek func(Moment) *network.World) *network.World {
	x := s.find(m)
	x.once.Do(func() { x.world = seek(m) })
	return x.world
}

func (s *seen) find(m Moment) *sought {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, x := range s.worlds {
		if x.moment == m {
			return x
		}
	}
	x := &sought{moment: m}
	s.worlds = append(s.worlds, x)
	if len(s.worlds) > keepSeen {
		s.worlds = s.worlds[1:]
	}
	return x
}
