package compare

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/tables"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// numbering translates the prefixes of the later world into the earlier one's.
type numbering struct {
	old   []uint32 // by number in the later world; none if the earlier has it not
	extra []uint32 // numbers of the earlier world that the later has not
	still []bool   // by page of prefixes: all have the number that they had
}

const none = ^uint32(0)

func numbers(before, after *network.World) numbering {
	was, is := &before.Shared().Prefixes, &after.Shared().Prefixes
	n := numbering{old: make([]uint32, is.Len()), still: make([]bool, is.Len()/store.PageSize+1)}
	for i := range n.still {
		n.still[i] = true
	}
	for id := range n.old {
		n.old[id] = none
		if uint32(id) < was.Len() && was.Prefix(uint32(id)) == is.Prefix(uint32(id)) {
			n.old[id] = uint32(id)
		} else if old, ok := was.Find(is.Prefix(uint32(id))); ok {
			n.old[id], n.still[id/store.PageSize] = old, false
		} else if uint32(id) < was.Len() {
			n.still[id/store.PageSize] = false
		}
	}
	for id := range was.Len() {
		if _, ok := is.Find(was.Prefix(id)); !ok {
			n.extra = append(n.extra, id)
		}
	}
	return n
}

// but visits all prefixes of both worlds, but for those of pages that are the same in both: their numbers, none where a world has
// it not. same is asked only where prefixes have the same numbers in both; nil if nothing is known.
func (n *numbering) but(same func(page uint32) bool, visit func(old, now uint32)) {
	for from := 0; from < len(n.old); from += store.PageSize {
		if same != nil && n.still[from/store.PageSize] && same(uint32(from/store.PageSize)) {
			continue
		}
		for id := from; id < min(from+store.PageSize, len(n.old)); id++ {
			visit(n.old[id], uint32(id))
		}
	}
	for _, old := range n.extra {
		visit(old, none)
	}
}

// tables compares the routes in use.
func (c *comparer) tables() {
	n := numbers(c.before, c.after)
	for _, p := range c.pairs {
		if one(p).Device().Kind() != config.Router {
			continue
		}
		same := sameHops(c, p)
		size := &[2]int{}
		if p.before != nil && p.after != nil {
			c.sizes[p.name] = size
		}
		var shared func(page uint32) bool
		if p.before != nil && p.after != nil && samePorts(p) && p.after.Table().SameHops(p.before.Table()) {
			shared = func(page uint32) bool {
				used, same := p.after.Table().SameRoutes(p.before.Table(), page)
				c.sections[Routes].Same += used
				size[0] += used
				size[1] += used
				return same
			}
		}
		n.but(shared, func(old, now uint32) {
			var a, b route.Route
			var from, to route.Source
			had, has := false, false
			if p.before != nil && old != none {
				if from, had = p.before.Table().Best(old); had {
					a = p.before.Table().Route(from, old)
				}
			}
			if p.after != nil && now != none {
				if to, has = p.after.Table().Best(now); has {
					b = p.after.Table().Route(to, now)
				}
			}
			if !had && !has {
				return
			}
			if had {
				size[0]++
			}
			if has {
				size[1]++
			}
			led := had && has && same(a.Hop, b.Hop)
			if led && from == to && a.Metric == b.Metric && a.Metric2 == b.Metric2 && a.Tag == b.Tag &&
				a.Kind == b.Kind && a.Preference == b.Preference {
				c.sections[Routes].Same++
				return
			}
			r := Row{Section: Routes, Device: p.name}
			full := c.full(Routes)
			if had {
				r.Subject = c.before.Shared().Prefixes.Prefix(old).String()
				if !full {
					r.Before = facts.RouteWords(c.before, p.before, old)
				}
			}
			if has {
				r.Subject = c.after.Shared().Prefixes.Prefix(now).String()
				if !full {
					r.After = facts.RouteWords(c.after, p.after, now)
				}
			}
			switch {
			case !has:
				if by := covering(c.after, p.after, c.before, p.before, c.before.Shared().Prefixes.Prefix(old)); by != "" {
					r.After, r.Cause, r.Kind = phrase.Say("within %s", by), Summarised, Changed
					c.within[by] = true
					break
				}
				r.Weight = Worse
				c.lost[r.Subject] = true
			case !had:
				if by := covering(c.before, p.before, c.after, p.after, c.after.Shared().Prefixes.Prefix(now)); by != "" {
					r.Before, r.Cause, r.Kind = phrase.Say("within %s", by), Summarised, Changed
					c.outOf[by] = true
					break
				}
				r.Weight = Better
				c.gained[r.Subject] = true
			default:
				if !led {
					r.Kind = Moved
				}
				if full {
					break
				}
				r.tellApart(func() (before, after []detail) { return restOfRoute(from, a), restOfRoute(to, b) })
			}
			c.add(r)
		})
	}
}

// samePorts says whether the ports of a device are called as they were.
func samePorts(p pair) bool {
	was, is := p.before.Device().Ports(), p.after.Device().Ports()
	return slices.EqualFunc(was, is, func(a, b device.Port) bool { return a.Config.Name == b.Config.Name })
}

// covering is the summary that a device uses for a prefix in one world, and does not have
// in the other, where the prefix has a route of its own; "" if there is none.
func covering(in *network.World, inst *device.Instance, other *network.World, then *device.Instance, gone ip.Prefix) string {
	if inst == nil || then == nil {
		return ""
	}
	id, hop, ok := inst.Table().Lookup(in.Shared(), gone.Addr)
	if !ok || inst.Table().Set(hop) == route.Blackhole {
		return ""
	}
	by := in.Shared().Prefixes.Prefix(id)
	if by.Len == 0 || !by.Covers(gone) {
		return ""
	}
	if at, known := other.Shared().Prefixes.Find(by); known {
		if _, there := then.Table().Best(at); there {
			return ""
		}
	}
	return by.String()
}

// one is the instance of a pair, the later if there are two.
func one(p pair) *device.Instance {
	if p.after != nil {
		return p.after
	}
	return p.before
}

// sameHops says of two next hops of a device whether they lead to the same place;
// what was found out once is remembered.
func sameHops(c *comparer, p pair) func(a, b route.HopID) bool {
	known := map[[2]route.HopID]bool{}
	return func(a, b route.HopID) bool {
		key := [2]route.HopID{a, b}
		if is, ok := known[key]; ok {
			return is
		}
		x, y := p.before.Table().Set(a), p.after.Table().Set(b)
		hole := (x == route.Blackhole) == (y == route.Blackhole)
		hole = hole && (x == route.Beyond) == (y == route.Beyond)
		is := hole && hopSet(c.before, p.before.Device(), x) == hopSet(c.after, p.after.Device(), y)
		known[key] = is
		return is
	}
}

func hopSet(w *network.World, d *device.Device, set route.SetID) string {
	var s strings.Builder
	for _, h := range w.Shared().Sets.Hops(set) {
		fmt.Fprintf(&s, "%s %d,", d.Ports()[h.Port].Config.Name, h.Gateway)
	}
	return s.String()
}

// database compares the link-state databases, each LSA once an area.
func (c *comparer) database() {
	type item struct {
		of, area string
		lsa      tables.LSA
	}
	list := func(w *network.World) (out []item) {
		for _, a := range tables.DatabaseOf(w).Areas {
			for _, l := range a.LSAs {
				out = append(out, item{a.Of, a.Area, l})
			}
		}
		return out
	}
	place := func(i item) string {
		words := "AS"
		if i.area != "" {
			words = phrase.Say("area %s", i.area)
		}
		if i.of != "" {
			words = phrase.Say("%s of %s", words, i.of)
		}
		return words
	}
	key := func(i item, _ bool) string {
		return phrase.Say("%s, %s %s of %s", place(i), i.lsa.Type, i.lsa.ID, i.lsa.Router)
	}
	words := func(i *item) string {
		s := i.lsa.Says
		if len(i.lsa.Missing) > 0 {
			s += phrase.Say("; missing on %s", strings.Join(i.lsa.Missing, ", "))
		}
		return s
	}
	full := func(i *item) string { return fmt.Sprint(i.lsa.Fields, i.lsa.Missing, i.lsa.Options) }
	old := func(i *item) string { return c.names(full(i)) }
	keyed(list(c.before), list(c.after), key, func(name string, a, b *item) {
		if a != nil && b != nil && old(a) == full(b) {
			c.sections[Database].Same++
			return
		}
		r := Row{Section: Database, Subject: name}
		if a != nil {
			r.Device, r.Before = c.now(a.lsa.Device), words(a)
		}
		if b != nil {
			r.Device, r.After = b.lsa.Device, words(b)
		}
		if a != nil && b != nil && r.Before == r.After {
			r.Before, r.After = otherFields(a.lsa.Fields, b.lsa.Fields)
		}
		c.add(r)
	})
}

// otherFields are the fields of two instances of an LSA that are not the same.
func otherFields(a, b []facts.Field) (before, after string) {
	minus := func(x, y []facts.Field) string {
		has := map[facts.Field]bool{}
		for _, f := range y {
			has[f] = true
		}
		var out []string
		for _, f := range x {
			if !has[f] {
				out = append(out, f.Name+" "+f.Value)
			}
		}
		return strings.Join(out, ", ")
	}
	if before, after = minus(a, b), minus(b, a); before == "" {
		before = phrase.Text("without that")
	}
	if after == "" {
		after = phrase.Text("without that")
	}
	return before, after
}

func portWords(p *tables.Port) string {
	s := "up"
	if !p.Up {
		s = "down"
		if p.Why != nil {
			s += ": " + p.Why.Text
		}
	}
	add := func(words ...string) { s += ", " + strings.Join(words, " ") }
	if p.Address != "" {
		add(p.Address)
	}
	if p.Kind == "port" {
		add("MTU", fmt.Sprint(p.MTU))
	}
	if o := p.OSPF; o != nil {
		add("OSPF area", o.Area)
		add(o.State)
		add("cost", fmt.Sprint(o.Cost))
		if o.HelloInterval != "" {
			add("hello", o.HelloInterval, "dead", o.DeadInterval)
		}
		if o.Authentication != "none" && o.Authentication != "" {
			add("keys", o.Authentication)
		}
		if o.Disabled {
			add("OSPF disabled")
		}
	}
	return s
}
