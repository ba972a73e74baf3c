package timeline

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// mover is what kept changing: an LSA or a prefix wherever it changed, a
// neighbour or a peer of a device.
type mover struct {
	kind   note.Kind
	id     uint64
	device uint32 // 0 for what concerns several
}

// maxMoving bounds what is said of what keeps moving.
const maxMoving = 5

// movingOf says what keeps moving in an action that has not settled, the busiest
// first, and writes down the round that the busiest prefix goes, if one is seen.
// Both are empty if the action settled or ran for a given time.
func movingOf(s *history.Step) (moving, cycle []string) {
	moving, cycle = []string{}, []string{}
	if s.Outcome == network.Settled || s.Outcome == network.Stopped || s.Until != 0 {
		return moving, cycle
	}
	w := s.After
	// The second half of the notes: what the beginning moved is over by then.
	from := s.NotesApplied + (s.NotesAfter-s.NotesApplied)/2
	counts := map[mover]int{}
	last := map[mover]note.Note{}
	devices := map[mover][]uint32{}
	for i := from; i < s.NotesAfter; i++ {
		n := w.NoteAt(i)
		m := mover{kind: n.Kind, id: n.A}
		switch n.Kind {
		case note.RouteChanged, note.LSAOriginated:
		case note.NeighbourState, note.SessionState:
			m.device = n.Device
		default:
			continue
		}
		counts[m]++
		last[m] = n
		if !slices.Contains(devices[m], n.Device) {
			devices[m] = append(devices[m], n.Device)
		}
	}
	most := 0
	for _, n := range counts {
		most = max(most, n)
	}
	var order []mover
	for m, n := range counts {
		if n >= 3 && n*20 >= most {
			order = append(order, m)
		}
	}
	slices.SortFunc(order, func(a, b mover) int {
		return cmp.Or(cmp.Compare(counts[b], counts[a]), cmp.Compare(a.kind, b.kind), cmp.Compare(a.id, b.id),
			cmp.Compare(a.device, b.device))
	})
	for _, m := range order[:min(len(order), maxMoving)] {
		moving = append(moving, moverWords(w, m, last[m], counts[m], devices[m]))
	}
	if i := slices.IndexFunc(order, func(m mover) bool { return m.kind == note.RouteChanged }); i >= 0 {
		cycle = roundOf(s, from, order[i].id)
	}
	return moving, cycle
}

func moverWords(w *network.World, m mover, last note.Note, count int, devices []uint32) string {
	var names []string
	for _, d := range devices {
		names = append(names, w.Device(d).Name())
	}
	slices.Sort(names)
	where := strings.Join(names[:min(len(names), 4)], ", ")
	if len(names) > 4 {
		where = phrase.Say("%s and %d more", where, len(names)-4)
	}
	switch m.kind {
	case note.RouteChanged:
		return phrase.Say("the route to %v on %s changed %d times", w.Shared().Prefixes.Prefix(uint32(m.id)), where,
			count)
	case note.LSAOriginated:
		key := w.Pool().Key(uint32(m.id))
		if len(names) > 1 {
			return phrase.Say("%s originated %v in turn, %d times: they have the same router ID", where, key, count)
		}
		if key.Type == wire.RouterLSA {
			return phrase.Say("%s originated its router LSA %d times", where, count)
		}
		return phrase.Say("%s originated %v %d times", where, key, count)
	}
	return phrase.Say("%s: %s (%d changes)", where, facts.Words(w, last), count)
}

// roundOf is the round in which the routes to a prefix change: the changes from
// one to where they begin again; empty if none is seen.
func roundOf(s *history.Step, from uint32, prefix uint64) []string {
	w := s.After
	type change struct {
		device   uint32
		from, to uint64
	}
	out := []string{}
	var last []change
	for i := s.NotesAfter; i > from && len(last) < 200; i-- {
		if n := w.NoteAt(i - 1); n.Kind == note.RouteChanged && n.A == prefix {
			last = append(last, change{n.Device, n.B, n.C})
		}
	}
	slices.Reverse(last)
	period := 0
	for p := 1; p <= len(last)/3 && period == 0; p++ {
		tail := last[len(last)-3*p:]
		if slices.Equal(tail[:p], tail[p:2*p]) && slices.Equal(tail[p:2*p], tail[2*p:]) {
			period = p
		}
	}
	if period == 0 {
		return out
	}
	for _, c := range last[len(last)-period:] {
		words := facts.Words(w,
			note.Note{Kind: note.RouteChanged, Device: c.device, A: prefix, B: c.from, C: c.to})
		out = append(out, fmt.Sprintf("%s, %s", w.Device(c.device).Name(), words))
	}
	return out
}
