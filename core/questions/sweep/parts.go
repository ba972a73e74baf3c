package sweep

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/bgp"
	"hellebore/core/simulation/history"
)

// Parts is when each part of a convergence was over, in seconds after the failure: the last that happened of it before forwarding
// changed for the last time. Null is what did not happen.
type Parts struct {
	Noticed    *float64 `json:"noticed" doc:"a port, an adjacency or a session went down, for the first time"`
	Flooding   *float64 `json:"flooding" doc:"an LSA was received"`
	SPF        *float64 `json:"spf" doc:"shortest paths were computed"`
	Updates    *float64 `json:"updates" doc:"a BGP UPDATE was received"`
	Forwarding *float64 `json:"forwarding" doc:"forwarding changed"`
}

// partsOf reads them from the notes of a step. Of a very long convergence early notes of flooding may be let go; the last ones are there.
func partsOf(s *history.Step) (p Parts) {
	end := s.Start
	if s.After.ForwardingChanges() != s.Before.ForwardingChanges() {
		end = s.After.LastForwarding()
	}
	for i := max(s.After.FirstNote(), s.NotesBefore); i < s.NotesAfter; i++ {
		n := s.After.NoteAt(i)
		at := (event.Time(n.At) - s.Start).Seconds()
		down := n.Kind == note.PortDown || n.Kind == note.NeighbourState && n.C == uint64(adjacency.Down) ||
			n.Kind == note.SessionState && n.B == uint64(bgp.Established)
		if down && p.Noticed == nil {
			p.Noticed = &at
		}
		if event.Time(n.At) > end {
			continue
		}
		switch {
		case n.Kind == note.LSAReceived:
			p.Flooding = &at
		case n.Kind == note.SPFRun:
			p.SPF = &at
		case n.Kind == note.UpdateReceived:
			p.Updates = &at
		case n.Kind == note.RouteChanged || n.Kind == note.HopChanged:
			p.Forwarding = &at
		}
	}
	return p
}
