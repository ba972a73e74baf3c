package lab

import (
	"maps"

	"hellebore/core/ground/phrase"
	"hellebore/core/questions/topology"
	"hellebore/core/simulation/history"
)

// maxPlaces bounds the cards that have a place.
const maxPlaces = 20_000

// Map is the Map view of a moment, its cards where somebody put them.
func (l *Lab) Map(m history.Moment) topology.Map {
	out := topology.MapOf(l.World(m))
	out.Places = l.Places()
	return out
}

// Places are where cards are: by the name of a device, or "segment" and its name. The
// text says so (at X Y), and above it whoever moved a card. It is of the lab, and not of
// a moment: cards stay where they are while one looks at the past.
func (l *Lab) Places() map[string]topology.Position {
	out := map[string]topology.Position{}
	if in := l.history.Lab(); in != nil {
		for _, d := range in.Devices {
			if d.At.Set {
				out[d.Name] = topology.Position{X: d.At.X, Y: d.At.Y}
			}
		}
		for _, s := range in.Segments {
			if s.At.Set {
				out["segment "+s.Name] = topology.Position{X: s.At.X, Y: s.At.Y}
			}
		}
	}
	maps.Copy(out, l.moved)
	return out
}

// Moved are the cards that somebody moved.
func (l *Lab) Moved() map[string]topology.Position { return maps.Clone(l.moved) }

// Move puts cards in other places. It changes no network, and is no action.
func (l *Lab) Move(places map[string]topology.Position) error {
	if len(l.moved)+len(places) > maxPlaces {
		return phrase.Errorf("more than %d cards have been moved: lay the map out again", maxPlaces)
	}
	moved := maps.Clone(l.moved) // readers have the one before
	if moved == nil {
		moved = map[string]topology.Position{}
	}
	maps.Copy(moved, places)
	l.moved = moved
	return nil
}

// LayOut forgets where cards were moved to.
func (l *Lab) LayOut() { l.moved = nil }
