package relations

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/network"
)

// Rung is a state that one end of an adjacency saw the other come to.
type Rung struct {
	At      float64 `json:"at" doc:"seconds since the lab began"`
	State   string  `json:"state" doc:"an RFC 2328 10.1 name"`
	Took    float64 `json:"took" doc:"seconds in the state before"`
	Because string  `json:"because,omitempty"`
}

// LadderSide is what one end saw.
type LadderSide struct {
	Device string `json:"device"`
	Port   string `json:"port"`
	Rungs  []Rung `json:"rungs" doc:"since the last time it was Down, in order"`
	Falls  int    `json:"falls" doc:"how often it came down from Full since the lab began"`
}

// Ladder is how an adjacency came to its state, as each end saw it (RFC 2328
// 10.3).
type Ladder struct {
	A LadderSide `json:"a"`
	B LadderSide `json:"b"`
}

// LadderOf is the ladder of the adjacency of two ports ("viaduct.e1").
func LadderOf(w *network.World, a, b string) (Ladder, error) {
	var out Ladder
	var sides [2]side
	for i, name := range []string{a, b} {
		r := labtext.ParseRef(name)
		d := w.Find(r.Device)
		if d == nil {
			return out, phrase.Errorf("there is no device named %s at that moment", r.Device)
		}
		p, ok := d.Port(r.Port)
		if !ok {
			return out, phrase.Errorf("%s has no port named %s", r.Device, r.Port)
		}
		sides[i] = side{w: w, d: d, port: p}
	}
	out.A = sides[0].ladder(sides[1])
	out.B = sides[1].ladder(sides[0])
	return out, nil
}

// ladder is what one end saw of the other, by its router ID. A router that was
// given another ID since is followed by the one it has now.
func (s side) ladder(far side) LadderSide {
	out := LadderSide{Device: s.d.Name(), Port: s.config().Name, Rungs: []Rung{}}
	id := far.inst().OSPF().RouterID()
	before := event.Time(0)
	s.w.EachNote(func(_ uint32, n note.Note) {
		if n.Kind != note.NeighbourState || n.Device != s.d.ID() || n.Port != note.PortOf(s.port) || ip.Quad(n.A) != id {
			return
		}
		if adjacency.State(n.B) == adjacency.Full {
			out.Falls++
		}
		if adjacency.State(n.B) == adjacency.Down {
			out.Rungs, before = out.Rungs[:0], event.Time(n.At)
		}
		r := Rung{At: event.Time(n.At).Seconds(), State: adjacency.StateNames[n.C],
			Took: (event.Time(n.At) - before).Seconds()}
		if n.Reason != note.None {
			r.Because = facts.ReasonWords(s.w, n)
		}
		before = event.Time(n.At)
		out.Rungs = append(out.Rungs, r)
	})
	return out
}
