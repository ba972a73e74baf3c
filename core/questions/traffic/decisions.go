package traffic

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/route"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// forwardings are a step's changes of forwarding, by place, each list in order of time. A cold start has millions.
type forwardings [][]forwarding

// forwarding is one of them: a note of the world after the step.
type forwarding struct {
	prefix uint32 // that the route is to
	hop    bool   // a next hop changed: that may concern any destination
	note   uint32
}

func (p *places) forwardingsOf(s *history.Step) forwardings {
	all := make(forwardings, p.count)
	for i := s.NotesApplied; i < s.NotesAfter; i++ {
		n := s.After.NoteAt(i)
		if n.Kind == note.RouteChanged || n.Kind == note.HopChanged {
			at := p.of(node{n.Device, n.Instance})
			all[at] = append(all[at], forwarding{uint32(n.A), n.Kind == note.HopChanged, i})
		}
	}
	return all
}

// decision is what an instance does with packets for the destination from a time
// on, until the next decision.
type decision struct {
	from  event.Time
	world *network.World // for ports and addresses: before or after the action
	local bool
	set   route.SetID
	hops  []route.Hop
}

// longAgo is before everything.
const longAgo = event.Time(-1 << 62)

// timeline is all decisions of an instance about the destination, in order.
func (f *follower) timeline(at node) []decision {
	place := f.places.of(at)
	if f.decided[place] {
		return f.decisions[place]
	}
	s := f.step
	ds := f.decisions[place][:0]
	if before := at.in(s.Before); before != nil {
		ds = append(ds, f.decide(longAgo, s.Before, at, before.Table().Next, before.Table().Set))
	}
	table := at.in(s.Applied).Table()
	var fib []note.Note // the latest change of each of the prefixes that changed
	var resolved map[route.HopID]route.SetID
	next := func(id uint32) route.HopID {
		for i := range fib {
			if uint32(fib[i].A) == id {
				return route.HopID(fib[i].C)
			}
		}
		return table.Next(id)
	}
	set := func(h route.HopID) route.SetID {
		if x, ok := resolved[h]; ok {
			return x
		}
		if x := table.Set(h); x != route.NoSet {
			return x
		}
		if after := at.in(s.After).Table(); after.Vias(h) == nil {
			return after.Set(h) // a direct hop that came later never changes
		}
		return route.NoSet
	}
	if d := f.decide(s.Start, s.Applied, at, next, set); len(ds) == 0 || !f.same.has(at.dev) || !d.like(&ds[0]) {
		ds = append(ds, d)
	}
	f.about = f.about[:0]
	for _, c := range f.changes[place] {
		if c.hop || slices.Contains(f.covers, c.prefix) {
			f.about = append(f.about, c.note)
		}
	}
	for i, notes := 0, f.about; i < len(notes); {
		when := s.After.NoteAt(notes[i]).At
		for ; i < len(notes); i++ {
			n := s.After.NoteAt(notes[i])
			if n.At != when {
				break
			}
			if n.Kind == note.HopChanged {
				if resolved == nil {
					resolved = map[route.HopID]route.SetID{}
				}
				resolved[route.HopID(n.A)] = route.SetID(n.C)
				continue
			}
			fib = slices.DeleteFunc(fib, func(o note.Note) bool { return o.A == n.A })
			fib = append(fib, n)
		}
		d := f.decide(event.Time(when), s.Applied, at, next, set)
		switch last := &ds[len(ds)-1]; {
		case d.from == last.from:
			*last = d
		case !d.like(last):
			ds = append(ds, d)
		}
	}
	f.decisions[place], f.decided[place] = ds, true
	return ds
}

// like says whether two decisions are the same.
func (d *decision) like(o *decision) bool { return d.local == o.local && d.set == o.set }

// untouched are the devices of a step that the action left as they were, but for their tables.
type untouched struct {
	step *history.Step
	is   []uint8 // by device, once that has been asked
}

func untouchedOf(s *history.Step) untouched {
	return untouched{s, make([]uint8, len(s.After.Devices()))}
}

func (u *untouched) has(dev uint32) bool {
	const no, yes = 1, 2
	if u.is[dev] == 0 {
		before, applied := u.step.Before.Device(dev), u.step.Applied.Device(dev)
		u.is[dev] = no
		if before.Gone() == applied.Gone() && before.Enabled() == applied.Enabled() && before.Config() == applied.Config() &&
			slices.Equal(before.Ports(), applied.Ports()) {
			u.is[dev] = yes
		}
	}
	return u.is[dev] == yes
}

func (f *follower) decide(from event.Time, w *network.World, at node, next func(uint32) route.HopID,
	set func(route.HopID) route.SetID) decision {
	d := decision{from: from, world: w}
	if at.in(w).Local(f.dst) {
		d.local = true
		return d
	}
	for _, id := range f.covers {
		if h := next(id); h != 0 {
			d.set = set(h)
		}
		if d.set != route.NoSet {
			break
		}
	}
	if d.local = d.set == route.Beyond; d.local {
		return d
	}
	d.hops = f.step.After.Shared().Sets.Hops(d.set)
	return d
}
