package observe

import (
	"fmt"
	"slices"

	"hellebore/core/history"
	"hellebore/core/network"
	"hellebore/core/note"
)

// cycleOf writes down the round that an action which does not settle goes: the
// changes of the prefix that changed most, from one to where they begin again;
// empty if it settled, or if no round is seen.
func cycleOf(s *history.Step) []string {
	out := []string{}
	if s.Outcome != network.Unsettled {
		return out
	}
	w := s.After
	counts := map[uint64]int{}
	for i := s.NotesApplied; i < s.NotesAfter; i++ {
		if n := w.NoteAt(i); n.Kind == note.RouteChanged {
			counts[n.A]++
		}
	}
	prefix, most := uint64(0), 0
	for p, n := range counts {
		if n > most || n == most && p < prefix {
			prefix, most = p, n
		}
	}
	type change struct {
		device   uint32
		from, to uint64
	}
	var last []change
	for i := s.NotesAfter; i > s.NotesApplied && len(last) < 200; i-- {
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
		words := Words(w, note.Note{Kind: note.RouteChanged, Device: c.device, Port: note.NoPort, A: prefix, B: c.from, C: c.to})
		out = append(out, fmt.Sprintf("%s, %s", w.Device(c.device).Name(), words))
	}
	return out
}
