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
// it is in.
func (f *follower) loops(toward string, found map[string]*Loop) {
	s := f.step
	type change struct {
		at  event.Time
		dev uint32
	}
	var changes []change
	devices := s.Applied.Devices()
	for _, d := range devices {
		if d.Kind() != config.Router {
			continue
		}
		for _, x := range f.timeline(d.ID()) {
			if x.from >= s.Start {
				changes = append(changes, change{x.from, d.ID()})
			}
		}
	}
	slices.SortFunc(changes,
		func(a, b change) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.dev, b.dev)) })
	open := map[string]*Loop{}
	for i := 0; i < len(changes); {
		at := changes[i].at
		var changed []uint32
		for ; i < len(changes) && changes[i].at == at; i++ {
			changed = append(changed, changes[i].dev)
		}
		// Loops through a device that changed its mind may be over.
		still := map[string]bool{}
		for _, dev := range changed {
			if ring := f.ringAt(dev, at); ring != nil {
				still[f.ringKey(ring)] = true
				f.open(ring, at, open)
			}
		}
		for key, l := range open {
			if still[key] || !slices.ContainsFunc(changed,
				func(d uint32) bool { return slices.Contains(l.Devices, devices[d].Name()) }) {
				continue
			}
			f.close(key, at, toward, open, found)
		}
	}
	for key := range open {
		f.close(key, event.Never, toward, open, found)
	}
}

func (f *follower) ringKey(ring []uint32) string { return fmt.Sprint(ring) }

func (f *follower) open(ring []uint32, at event.Time, open map[string]*Loop) {
	key := f.ringKey(ring)
	if open[key] != nil {
		return
	}
	l := &Loop{From: at.Seconds()}
	for _, d := range ring {
		l.Devices = append(l.Devices, f.step.Applied.Device(d).Name())
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

// ringAt is the circle in which packets go that a device sends at a time; it
// begins at the smallest number, so that it is the same whoever is asked.
func (f *follower) ringAt(dev uint32, at event.Time) []uint32 {
	seen := map[uint32]bool{} // a device that was left once does not lead back to dev
	var way []uint32
	var leadsBack func(d uint32) bool
	leadsBack = func(d uint32) bool {
		if len(way) > 0 && d == dev {
			return true
		}
		if seen[d] {
			return false
		}
		seen[d] = true
		c := f.decisionAt(d, at)
		if c == nil || c.local || c.set == route.Blackhole || !c.world.Device(d).Enabled() {
			return false
		}
		way = append(way, d)
		for _, h := range c.hops {
			to := h.Gateway
			if !to.IsValid() {
				to = f.dst
			}
			if x := f.crossing(f.step.Applied, d, h.Port, to); x.why == note.None &&
				f.step.Applied.Device(x.device).Kind() == config.Router && leadsBack(x.device) {
				return true
			}
		}
		way = way[:len(way)-1]
		return false
	}
	if !leadsBack(dev) {
		return nil
	}
	low := slices.Index(way, slices.Min(way))
	return append(slices.Clone(way[low:]), way[:low]...)
}

func (f *follower) decisionAt(dev uint32, at event.Time) *decision {
	ds := f.timeline(dev)
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
			ran[s.After.Device(n.Device).Name()] = event.Time(n.At)
		}
	}
	var words []string
	for _, d := range l.Devices {
		if at, ok := ran[d]; ok {
			words = append(words,
				phrase.Say("%s computed its routes %.3f s after the action", d, (at-s.Start).Seconds()))
		} else {
			words = append(words, phrase.Say("%s had not computed its routes anew", d))
		}
	}
	return strings.Join(words, ", ")
}
