// Package timeline is what an action did, in time: its outcome and marks,
// what keeps moving, and the messages that routers would log.
package timeline

import (
	"math/bits"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/ospf"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Action is an action of the journal and what it came to.
type Action struct {
	Seq         int            `json:"seq" doc:"from 1"`
	Action      string         `json:"action" doc:"as it is typed"`
	Start       float64        `json:"start" doc:"seconds since the lab began"`
	Settled     float64        `json:"settled" doc:"time of the last change"`
	End         float64        `json:"end"`
	Outcome     string         `json:"outcome" enum:"settled,does not settle,stopped,does not settle so far"`
	Convergence *float64       `json:"convergence" doc:"seconds from the action to the last change of forwarding on any router; null if there was none"`
	Routes      int            `json:"routes" doc:"routes that changed, counted on each router"`
	Routers     int            `json:"routers" doc:"routers whose forwarding changed"`
	Tables      Counts         `json:"tables" doc:"routes in all tables, before and after"`
	LSAs        Counts         `json:"lsas" doc:"LSAs, each counted once for its area, before and after"`
	Out         int            `json:"out" doc:"flows that were out for a time"`
	OutSince    int            `json:"outSince" doc:"flows that are out since this action"`
	StillOut    int            `json:"stillOut" doc:"flows that were out before and are at its end"`
	Repaired    int            `json:"repaired" doc:"flows that were out before and arrive at its end"`
	Summary     string         `json:"summary" doc:"one sentence"`
	Changes     []string       `json:"changes,omitempty" doc:"of an apply: what changed, by meaning"`
	Moving      []string       `json:"moving" doc:"of an action that does not settle: what keeps changing, the busiest first"`
	Cycle       []string       `json:"cycle" doc:"of an action that does not settle: the round of changes that goes on for ever"`
	Until       *float64       `json:"until,omitempty" doc:"of an action that was to run for a given time: until when"`
	Lost        uint64         `json:"lost" doc:"events that were not kept: there were too many to show all"`
	Author      string         `json:"author,omitempty"`
	Message     string         `json:"message,omitempty" doc:"why it was done, as its author said; of a reverted change, the harm it did"`
	Origin      history.Origin `json:"origin,omitempty" enum:"reverted" doc:"reverted: the lab took the change before it back, since it did harm"`
	Diverged    bool           `json:"diverged" doc:"a newer engine came to another result than the one recorded"`
	Differs     []string       `json:"differs,omitempty" doc:"in what that result differs"`
}

// Counts is how many there were before an action and after it.
type Counts struct {
	Before int `json:"before"`
	After  int `json:"after"`
}

// sizes counts the routes of all routers, and the LSAs of all areas. Routers of an area have the same database most of the
// time: it is looked at once.
func sizes(w *network.World) (routes, lsas int) {
	type database = func(key func(id uint32))
	databases := map[ospf.Scope]map[uint64]database{}
	for _, inst := range facts.AllInstances(w) {
		if inst.Device().Kind() != config.Router {
			continue
		}
		routes += inst.Table().Used()
		inst.OSPF().Scopes(inst, func(s ospf.Scope, digest uint64, each database) {
			if databases[s] == nil {
				databases[s] = map[uint64]database{}
			}
			databases[s][digest] = each
		})
	}
	for _, of := range databases {
		seen := map[uint32]bool{}
		for _, each := range of {
			each(func(id uint32) { seen[id] = true })
		}
		lsas += len(seen)
	}
	return routes, lsas
}

// LSAs is how many LSAs a network has, each counted once for its area.
func LSAs(w *network.World) int {
	_, lsas := sizes(w)
	return lsas
}

// ActionOf is a step as a view shows it; outages are its flows', before the
// configuration in force until it.
func ActionOf(s *history.Step, outages []traffic.FlowOutages, changes []labtext.Change) Action {
	a := Action{Seq: s.Seq, Action: s.Record.Action, Start: s.Start.Seconds(), Settled: s.Settled.Seconds(),
		End: s.End.Seconds(), Outcome: s.Outcome.String(), Diverged: s.Diverged, Differs: s.Differs, Author: s.Author,
		Message: s.Message, Origin: s.Origin}
	a.Convergence, a.Routes, a.Routers = ForwardingOf(s)
	a.Tables.Before, a.LSAs.Before = sizes(s.Before)
	a.Tables.After, a.LSAs.After = sizes(s.After)
	for _, f := range outages {
		switch {
		case f.Before && f.Still:
			a.StillOut++
		case f.Before:
			a.Repaired++
		case f.Still:
			a.OutSince++
		case len(f.Outages) > 0:
			a.Out++
		}
	}
	for _, c := range changes {
		a.Changes = append(a.Changes, c.String())
	}
	a.Moving, a.Cycle = movingOf(s)
	a.Lost = s.Lost
	if s.Until != 0 {
		until := s.Until.Seconds()
		a.Until = &until
	}
	a.Summary = actionWords(&a)
	return a
}

// ForwardingOf is what a step did to forwarding: how many seconds after the action the last change came, nil if there was none, how many
// routes changed, counted on each router, and on how many routers.
func ForwardingOf(s *history.Step) (convergence *float64, routes, routers int) {
	if s.After.ForwardingChanges() != s.Before.ForwardingChanges() {
		c := (s.After.LastForwarding() - s.Start).Seconds()
		convergence = &c
	}
	moved, on := routesMoved{}, map[uint32]bool{}
	for i := s.NotesBefore; i < s.NotesAfter; i++ {
		n := s.After.NoteAt(i)
		switch n.Kind {
		case note.RouteChanged:
			moved.add(n.Device, uint32(n.A))
			on[n.Device] = true
		case note.HopChanged:
			on[n.Device] = true
		}
	}
	return convergence, moved.count(), len(on)
}

// routesMoved are prefixes that changed at devices, a bit each: a cold start moves millions.
type routesMoved map[uint32][]uint64

func (m routesMoved) add(device, prefix uint32) {
	row, w := m[device], int(prefix/64)
	if grow := w + 1 - len(row); grow > 0 {
		row = append(row, make([]uint64, grow)...)
		m[device] = row
	}
	row[w] |= 1 << (prefix % 64)
}

func (m routesMoved) count() (n int) {
	for _, row := range m {
		for _, w := range row {
			n += bits.OnesCount64(w)
		}
	}
	return n
}

func actionWords(a *Action) string {
	s := phrase.Text("no forwarding change")
	switch changed := phrase.Say("%s changed on %s", phrase.Plural(a.Routes, "route"),
		phrase.Plural(a.Routers, "device")); {
	case a.Convergence == nil:
	case a.Outcome != network.Settled.String():
		s = phrase.Say("%s so far", changed)
	default:
		s = phrase.Say("converged in %s, %s", facts.Seconds(event.FromSeconds(*a.Convergence)), changed)
	}
	switch {
	case a.Outcome == network.Settled.String():
	case a.Until != nil:
		s = phrase.Say("left at %s, before its time was up; %s", facts.Seconds(event.FromSeconds(a.End)), s)
	case len(a.Moving) > 0:
		s = phrase.Say("%s; what keeps moving: %s; %s", a.Outcome, strings.Join(a.Moving, "; "), s)
	default:
		s = a.Outcome + "; " + s
	}
	for _, x := range []struct {
		n    int
		says string
	}{{a.OutSince, "; %s out since"}, {a.Out, "; %s out for a time"}, {a.Repaired, "; %s repaired"},
		{a.StillOut, "; %s out as before"}} {
		if x.n > 0 {
			s += phrase.Say(x.says, phrase.Plural(x.n, "flow"))
		}
	}
	return s
}
