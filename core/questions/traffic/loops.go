package traffic

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/protocols/route"
	"hellebore/core/simulation/history"
)

// Loop is a circle of routers that hand each other packets for a destination,
// since they computed their routes at different moments.
type Loop struct {
	Devices []string `json:"devices" doc:"in the order of the packets"`
	From    float64  `json:"from"`
	Until   *float64 `json:"until" doc:"null if it still is there at the end"`
	Toward  []string `json:"toward" doc:"devices that cannot be reached through it"`
	Why     string   `json:"why" doc:"when each of them computed its routes"`
}

// loops finds the circles in which the devices would send packets for the
// destination: at every moment at which one of them changes its mind, those that
// it is in. A device from which all packets arrive is in none, and each goes through
// one that forwards in another way than before, or from which packets did not arrive.
func (f *follower) loops(toward string, quiet *steady, found map[string]*Loop) {
	s := f.step
	type change struct {
		at   event.Time
		node node
	}
	var changes []change
	var kept []node // instances that are in no circle, unless one that changed is
	for _, d := range s.Applied.Devices() {
		if d.Kind() != config.Router {
			continue
		}
		for i := range d.Instances() {
			n := node{d.ID(), uint16(i)}
			if quiet.arrive(n) {
				continue
			}
			if quiet.keeps(n) {
				kept = append(kept, n)
				continue
			}
			changes = append(changes, change{s.Start, n}) // circles that were there before are still there
			for _, x := range f.timeline(n) {
				if x.from > s.Start {
					changes = append(changes, change{x.from, n})
				}
			}
		}
	}
	slices.SortFunc(changes,
		func(a, b change) int { return cmp.Or(cmp.Compare(a.at, b.at), a.node.compare(b.node)) })
	open := map[string]*Loop{}
	for i := 0; i < len(changes); {
		at := changes[i].at
		var changed, gone []node // gone are those from which there is no loop
		for ; i < len(changes) && changes[i].at == at; i++ {
			changed = append(changed, changes[i].node)
		}
		// Loops through a device that changed its mind may be over.
		still := map[string]bool{}
		if !f.circles(changed, at) {
			changed, gone = nil, changed
		} else if at == s.Start {
			changed = append(changed, kept...)
			slices.SortFunc(changed, node.compare)
		}
		for _, n := range changed {
			if ring := f.ringAt(n, at); ring != nil {
				still[f.ringKey(ring)] = true
				f.open(ring, at, open)
			}
		}
		for key, l := range open {
			if still[key] || !slices.ContainsFunc(append(changed, gone...),
				func(n node) bool { return slices.Contains(l.Devices, n.in(s.Applied).Ref()) }) {
				continue
			}
			f.close(key, at, toward, open, found)
		}
	}
	for key := range open {
		f.close(key, event.Never, toward, open, found)
	}
}

func (f *follower) ringKey(ring []node) string { return fmt.Sprint(ring) }

func (f *follower) open(ring []node, at event.Time, open map[string]*Loop) {
	key := f.ringKey(ring)
	if open[key] != nil {
		return
	}
	l := &Loop{From: at.Seconds()}
	for _, n := range ring {
		l.Devices = append(l.Devices, n.in(f.step.Applied).Ref())
	}
	open[key] = l
}

// close keeps a loop that has ended; one that was there for more destinations at
// the same time is one.
func (f *follower) close(key string, at event.Time, toward string, open, found map[string]*Loop) {
	l := open[key]
	delete(open, key)
	if at != event.Never {
		until := at.Seconds()
		if l.Until = &until; until == l.From {
			return
		}
	}
	name := fmt.Sprint(key, l.From, at)
	if found[name] == nil {
		found[name] = l
	}
	found[name].Toward = append(found[name].Toward, toward)
}

// ringAt is the circle in which packets go that an instance sends at a time; it
// begins at the smallest number, so that it is the same whoever is asked.
func (f *follower) ringAt(from node, at event.Time) []node {
	seen := map[node]bool{} // one that was left once does not lead back
	var way []node
	var leadsBack func(n node) bool
	leadsBack = func(n node) bool {
		if len(way) > 0 && n == from {
			return true
		}
		if seen[n] || f.calm != nil && f.calm.arrive(n) {
			return false
		}
		seen[n] = true
		way = append(way, n)
		if f.anyNext(n, at, leadsBack) {
			return true
		}
		way = way[:len(way)-1]
		return false
	}
	if !leadsBack(from) {
		return nil
	}
	low := slices.Index(way, slices.MinFunc(way, node.compare))
	return append(slices.Clone(way[low:]), way[:low]...)
}

// anyNext asks of the routers that an instance may forward packets to at a time, until one is it.
func (f *follower) anyNext(n node, at event.Time, is func(node) bool) bool {
	c := f.decisionAt(n, at)
	if c == nil || c.local || c.set == route.Blackhole || !c.world.Device(n.dev).Enabled() {
		return false
	}
	for _, h := range c.hops {
		x := &f.passes(n.dev, h).after
		if x.why == note.None && f.step.Applied.Device(x.device).Kind() == config.Router && is(node{x.device, x.inst}) {
			return true
		}
	}
	return false
}

// circles says whether any circle can be got into from some instances at a time: one look at each instance for all of them.
func (f *follower) circles(from []node, at event.Time) bool {
	const on, done = 1, 2
	clear(f.marks)
	var back func(n node) bool
	back = func(n node) bool {
		mark := &f.marks[f.places.of(n)]
		switch {
		case *mark == on:
			return true
		case *mark == done || f.calm != nil && f.calm.arrive(n):
			return false
		}
		*mark = on
		found := f.anyNext(n, at, back)
		*mark = done
		return found
	}
	return slices.ContainsFunc(from, back)
}

func (f *follower) decisionAt(n node, at event.Time) *decision {
	ds := f.timeline(n)
	for i := len(ds) - 1; i >= 0; i-- {
		if ds[i].from <= at {
			return &ds[i]
		}
	}
	return nil
}

// computedWords says when the routers of a loop computed their routes.
func computedWords(s *history.Step, l *Loop) string {
	until := s.End
	if l.Until != nil {
		until = event.FromSeconds(*l.Until)
	}
	ran := map[string]event.Time{}
	for i := s.NotesApplied; i < s.NotesAfter; i++ {
		if n := s.After.NoteAt(i); n.Kind == note.SPFRun && event.Time(n.At) <= until {
			ran[s.After.Device(n.Device).Instances()[n.Instance].Ref()] = event.Time(n.At)
		}
	}
	var words []string
	for _, d := range l.Devices {
		if at, ok := ran[d]; ok {
			words = append(words,
				phrase.Say("%s computed its routes %.3f s after the action", d, (at-s.Start).Seconds()))
		} else if s.Lost > 0 {
			words = append(words, phrase.Say("when %s computed its routes was not kept: there were too many events", d))
		} else {
			words = append(words, phrase.Say("%s had not computed its routes anew", d))
		}
	}
	return strings.Join(words, ", ")
}
