package traffic

import (
	"cmp"
	"encoding/binary"
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

// circling is a circle of instances, the one with the lowest number first, and when packets for a destination would have gone around in
// it: until Never if they still would at the end.
type circling struct {
	ring        []node
	from, until event.Time
	toward      []string // devices that cannot be reached through it
}

// circled is what makes two of them the same one, for several destinations.
type circled struct {
	ring        string
	from, until event.Time
}

// ringKey is the same for the same circle.
func ringKey(ring []node) string {
	key := make([]byte, 0, 64)
	for _, n := range ring {
		key = binary.NativeEndian.AppendUint32(key, n.dev)
		key = binary.NativeEndian.AppendUint16(key, n.inst)
	}
	return string(key)
}

// loops finds the circles in which the devices would send packets for the
// destination: at every moment at which one of them changes its mind, those that
// it is in. A device from which all packets arrive is in none (doubtful are the others), and each goes
// through one that forwards in another way than before, or from which packets did not arrive.
func (f *follower) loops(toward string, doubtful []node, found map[circled]*circling) {
	s := f.step
	changes := f.minds[:0]
	kept := f.kept[:0] // instances that are in no circle, unless one that changed is
	for _, n := range doubtful {
		switch {
		case s.Applied.Device(n.dev).Kind() != config.Router:
			continue
		case f.calm.keeps(n):
			kept = append(kept, n)
			continue
		}
		changes = append(changes, mind{s.Start, n}) // circles that were there before are still there
		for _, x := range f.timeline(n) {
			if x.from > s.Start {
				changes = append(changes, mind{x.from, n})
			}
		}
	}
	f.minds, f.kept = changes, kept
	slices.SortFunc(changes, func(a, b mind) int { return cmp.Or(cmp.Compare(a.at, b.at), a.node.compare(b.node)) })
	var open []*circling
	var keys []string // of those
	closes := func(k int, at event.Time) {
		c := open[k]
		c.until = at
		key := circled{keys[k], c.from, at}
		if found[key] == nil {
			found[key] = c
		}
		found[key].toward = append(found[key].toward, toward)
		open, keys = slices.Delete(open, k, k+1), slices.Delete(keys, k, k+1)
	}
	var rings []string // that the changed ones are in
	for i := 0; i < len(changes); {
		at := changes[i].at
		changed := f.changed[:0]
		for ; i < len(changes) && changes[i].at == at; i++ {
			changed = append(changed, changes[i].node)
		}
		f.changed = changed
		rings = rings[:0]
		circles := f.circles(changed, at)
		look := changed
		if circles && at == s.Start {
			look = append(slices.Clone(changed), kept...)
			slices.SortFunc(look, node.compare)
		}
		for _, n := range look {
			if !circles {
				break
			}
			ring := f.ringAt(n, at)
			if ring == nil {
				continue
			}
			key := ringKey(ring)
			rings = append(rings, key)
			if !slices.Contains(keys, key) {
				open, keys = append(open, &circling{ring: ring, from: at}), append(keys, key)
			}
		}
		// Circles through a device that changed its mind may be over.
		for k := len(open) - 1; k >= 0; k-- {
			if !slices.Contains(rings, keys[k]) && slices.ContainsFunc(look, func(n node) bool { return slices.Contains(open[k].ring, n) }) {
				closes(k, at)
			}
		}
	}
	for len(open) > 0 {
		closes(0, event.Never)
	}
}

// mind is when an instance forwards packets in another way.
type mind struct {
	at   event.Time
	node node
}

// loop is a circle in words.
func (c *circling) loop(s *history.Step) Loop {
	l := Loop{From: c.from.Seconds(), Toward: slices.Sorted(slices.Values(c.toward))}
	if c.until != event.Never {
		until := c.until.Seconds()
		l.Until = &until
	}
	for _, n := range c.ring {
		l.Devices = append(l.Devices, n.in(s.Applied).Ref())
	}
	l.Why = computedWords(s, &l)
	return l
}

// ringAt is the circle in which packets go that an instance sends at a time; it
// begins at the smallest number, so that it is the same whoever is asked.
func (f *follower) ringAt(from node, at event.Time) []node {
	clear(f.marks) // one that was left once does not lead back
	var way []node
	var leadsBack func(n node) bool
	leadsBack = func(n node) bool {
		if len(way) > 0 && n == from {
			return true
		}
		mark := &f.marks[f.places.of(n)]
		if *mark != 0 || f.calm != nil && f.calm.arrive(n) {
			return false
		}
		*mark = 1
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
