package network

import (
	"cmp"
	"maps"
	"slices"

	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
)

// move is where an action put a port: on a segment, or nowhere. It holds until
// the text joins the port to something else than it did then.
type move struct {
	to   string // a segment; "" for nowhere
	text string // what the text joined the port to: "segment yard", "link", ""
}

// Move is a port that an action put where the text does not have it.
type Move struct {
	Device, Port uint32
	To           string // the segment that it is on; "" for none
	Joined       bool   // the text joins it to something
}

// Moves are the ports that are not where the text has them, in the order of their
// numbers.
func (w *World) Moves() []Move {
	var out []Move
	for at, m := range w.moved {
		out = append(out, Move{at[0], at[1], m.to, m.text != ""})
	}
	slices.SortFunc(out, func(a, b Move) int { return cmp.Or(cmp.Compare(a.Device, b.Device), cmp.Compare(a.Port, b.Port)) })
	return out
}

// joinedBy is what a text joins each port to.
func (w *World) joinedBy(lab *config.Lab) map[[2]uint32]string {
	out := map[[2]uint32]string{}
	put := func(r config.PortRef, to string) {
		d := w.devices[w.byName[r.Device]]
		if i, ok := d.Port(r.Port); ok {
			out[[2]uint32{d.ID(), i}] = to
		}
	}
	for _, l := range lab.Links {
		put(l.A, "link")
		put(l.B, "link")
	}
	for _, s := range lab.Segments {
		for _, r := range s.Ports {
			put(r, "segment "+s.Name)
		}
	}
	return out
}

// keepMoves drops the moves of ports that the text now joins to something else,
// and those to segments that are no more.
func (w *World) keepMoves(lab *config.Lab) {
	says := w.joinedBy(lab)
	kept := maps.Clone(w.moved)
	maps.DeleteFunc(kept, func(at [2]uint32, m move) bool {
		there := m.to == "" || slices.ContainsFunc(lab.Segments, func(s config.Segment) bool { return s.Name == m.to })
		return says[at] != m.text || !there
	})
	w.moved = kept
	w.says = says
}

// movedTo are the ports that actions put on a segment, in the order of their
// numbers.
func (w *World) movedTo(segment string) [][2]uint32 {
	var out [][2]uint32
	for at, m := range w.moved {
		if m.to == segment {
			out = append(out, at)
		}
	}
	slices.SortFunc(out, func(a, b [2]uint32) int { return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1])) })
	return out
}

func (w *World) move(dev, port uint32, to string) {
	at := [2]uint32{dev, port}
	moved := maps.Clone(w.moved)
	if moved == nil {
		moved = map[[2]uint32]move{}
	}
	if moved[at] = (move{to, w.says[at]}); to != "" && w.says[at] == "segment "+to {
		delete(moved, at) // back where the text has it
	}
	w.moved = moved
	w.calm.Disturb(w.now)
}

// Segment is the segment of a name, nil if there is none.
func (w *World) Segment(name string) *Medium {
	for i := range w.media {
		if m := &w.media[i]; m.Kind == Segment && m.Name == name && !m.Gone {
			return m
		}
	}
	return nil
}

// Part takes a port off its segment. It says whether it was on one.
func (w *World) Part(dev, port uint32) bool {
	port = w.devices[dev].Carries(port)
	m, i, ok := w.MediumOf(dev, port)
	if !ok || m.Kind != Segment {
		return false
	}
	e := &m.Ends[i]
	e.Parted = true
	e.genIn++
	e.genOut++
	w.devices[dev].Join(port, 0, false)
	w.devices[dev].SetCarrier(port, false, note.NotJoined)
	w.move(dev, port, "")
	return true
}

// JoinSegment puts a port that is joined to nothing on a segment. It says
// whether that is so.
func (w *World) JoinSegment(dev, port uint32, m *Medium) bool {
	port = w.devices[dev].Carries(port)
	if _, _, joined := w.MediumOf(dev, port); joined {
		return false
	}
	i := slices.IndexFunc(m.Ends, func(e End) bool { return e.Device == dev && e.Port == port })
	if i < 0 {
		m.Ends = append(slices.Clip(m.Ends), End{Device: dev, Port: port})
	} else {
		m.Ends[i].Parted = false
	}
	for j := range w.media {
		if &w.media[j] == m {
			w.devices[dev].Join(port, store.RefTo(uint32(j)), true)
		}
	}
	w.carriers(m)
	w.move(dev, port, m.Name)
	return true
}
