package route

import (
	"cmp"
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/store"
)

// StaticRoute is one configured static route. Via is 0 for a blackhole.
type StaticRoute struct {
	Prefix     uint32 // number
	Via        ip.Addr
	Preference uint8 // lower is better
}

// group is the static routes of one prefix, best preference first. Routes of
// one preference share the traffic.
type group struct {
	prefix uint32
	routes []StaticRoute
}

// SetStatics replaces the configured static routes. Settle must follow.
func (t *Table) SetStatics(w Watcher, routes []StaticRoute) {
	old := t.statics
	t.statics = nil
	sorted := slices.Clone(routes)
	slices.SortStableFunc(sorted, func(a, b StaticRoute) int {
		return cmp.Or(cmp.Compare(a.Prefix, b.Prefix), cmp.Compare(a.Preference, b.Preference))
	})
	for _, r := range sorted {
		if n := len(t.statics); n > 0 && t.statics[n-1].prefix == r.Prefix {
			t.statics[n-1].routes = append(t.statics[n-1].routes, r)
			continue
		}
		t.statics = append(t.statics, group{r.Prefix, []StaticRoute{r}})
	}
	for _, g := range old {
		if !slices.ContainsFunc(t.statics, func(n group) bool { return n.prefix == g.prefix }) {
			t.Put(w, Static, g.prefix, Route{})
		}
	}
	t.stale = true
}

// Statics are the configured static routes of a prefix, best first.
func (t *Table) Statics(prefix uint32) []StaticRoute {
	for _, g := range t.statics {
		if g.prefix == prefix {
			return g.routes
		}
	}
	return nil
}

// resolution is what a group comes to in one round: its route, and the set that
// its hop should have.
type resolution struct {
	route Route
	set   SetID
	vias  []ip.Addr
}

// Settle resolves static routes and gateways against the rest of the table until
// nothing changes.
func (t *Table) Settle(w Watcher, shared *Shared) {
	for range 8 { // statics through BGP's routes through statics: deeper ones wait for the next change
		t.settleStatics(w, shared)
		t.settleGateways(w, shared)
		if !t.stale {
			return
		}
	}
}

// settleStatics starts from nothing resolved, so two statics cannot hold each
// other up; a set of statics that would change for ever stays unresolved.
func (t *Table) settleStatics(w Watcher, shared *Shared) {
	if !t.stale {
		return
	}
	t.stale = false
	if len(t.statics) == 0 {
		return
	}
	now := make([]resolution, len(t.statics))
	stable := false
	for range len(t.statics) + 2 {
		next := make([]resolution, len(now))
		for i := range t.statics {
			next[i] = t.resolveGroup(shared, now, i)
		}
		stable = slices.EqualFunc(now, next, func(a, b resolution) bool {
			return a.set == b.set && a.route == b.route && slices.Equal(a.vias, b.vias)
		})
		now = next
		if stable {
			break
		}
	}
	for i, g := range t.statics {
		r := now[i]
		if !stable {
			r.set = NoSet
		}
		route := Route{Present: true, Preference: g.routes[0].Preference}
		changed := false
		switch {
		case r.set == NoSet:
			route.Hop = t.recursive(viasOf(g.routes[:1]), g.prefix)
			changed = t.resolve(w, route.Hop, NoSet)
		case r.vias == nil:
			route = r.route
			route.Hop = t.Direct(r.set)
		default:
			route = r.route
			route.Hop = t.recursive(r.vias, g.prefix)
			changed = t.resolve(w, route.Hop, r.set)
		}
		t.Put(w, Static, g.prefix, route)
		t.choose(w, g.prefix) // a resolution may have come or gone behind an unchanged route
		if changed {
			t.moves(g.prefix)
		}
		w.InteriorChanged(g.prefix)
	}
	t.stale = false
}

// resolver finds the paths to addresses with the static routes as they are in one
// round of settling them.
type resolver struct {
	t      *Table
	shared *Shared
	now    []resolution
	group  uint32    // the prefix of the static routes that are being resolved, which may not resolve themselves
	on     []ip.Addr // gateways of BGP's routes that are being resolved
}

// resolveGroup is the best tier of a group that has a way on, given what the
// other groups came to in the round before.
func (t *Table) resolveGroup(shared *Shared, now []resolution, i int) resolution {
	routes := t.statics[i].routes
	x := resolver{t: t, shared: shared, now: now, group: t.statics[i].prefix}
	for len(routes) > 0 {
		n := 1
		for n < len(routes) && routes[n].Preference == routes[0].Preference {
			n++
		}
		tier := routes[:n]
		routes = routes[n:]
		r := resolution{route: Route{Present: true, Preference: tier[0].Preference}}
		var hops []Hop
		blackhole := false
		for _, s := range tier {
			if !s.Via.IsValid() {
				blackhole = true
				continue
			}
			found := x.find(s.Via)
			if found != nil {
				r.vias = append(r.vias, s.Via)
				hops = append(hops, found...)
			}
		}
		switch {
		case len(hops) > 0:
			r.set = shared.Sets.ID(hops)
			return r
		case blackhole:
			r.vias, r.set = nil, Blackhole
			return r
		}
	}
	return resolution{}
}

// find is the next hops to an address by the longest match that is not the group
// itself; nil if there are none.
func (x *resolver) find(via ip.Addr) []Hop {
	var out []Hop
	x.shared.Prefixes.Covering(via, func(id uint32) bool {
		if id == x.group {
			return true
		}
		set, found := x.best(id)
		if !found {
			return true
		}
		for _, h := range x.shared.Sets.Hops(set) {
			if !h.Gateway.IsValid() {
				h.Gateway = via
			}
			out = append(out, h)
		}
		return false
	})
	return out
}

// best is the set that a prefix would have with the statics as they are in this
// round. BGP's routes are followed through their gateways anew: what they are
// resolved to now may rest on the very statics that are being resolved.
func (x *resolver) best(prefix uint32) (set SetID, ok bool) {
	t := x.t
	var preference uint8
	for s := range Sources {
		r := t.sources[s].Get(prefix)
		if s == Static || !r.Present || ok && r.Preference >= preference {
			continue
		}
		to := t.Set(r.Hop)
		if vias := t.Vias(r.Hop); s == BGP && vias != nil {
			to = x.through(vias)
		}
		if to != NoSet {
			set, preference, ok = to, r.Preference, true
		}
	}
	for j, g := range t.statics {
		if g.prefix == prefix && x.now[j].set != NoSet && (!ok || x.now[j].route.Preference < preference) {
			return x.now[j].set, true
		}
	}
	return set, ok
}

// through is the set of a route of BGP with these gateways.
func (x *resolver) through(vias []ip.Addr) SetID {
	var hops []Hop
	for _, v := range vias {
		if slices.Contains(x.on, v) {
			continue
		}
		deeper := *x
		deeper.on = append(slices.Clip(x.on), v)
		hops = append(hops, deeper.find(v)...)
	}
	return x.shared.Sets.ID(hops)
}

func viasOf(routes []StaticRoute) []ip.Addr {
	var vias []ip.Addr
	for _, r := range routes {
		vias = append(vias, r.Via)
	}
	return vias
}

func hashVias(vias []ip.Addr, group uint32) uint64 {
	h := store.Mix(7, uint64(group))
	for _, v := range vias {
		h = store.Mix(h, v.Hash())
	}
	return store.Mix(h, 0)
}

// recursive is the next hop that goes through these addresses: those of the static
// routes of a prefix, or gateways.
func (t *Table) recursive(vias []ip.Addr, group uint32) HopID {
	hash := hashVias(vias, group)
	id, ok := t.byHop.Find(hash, func(id uint32) bool {
		e := t.hops.Get(id)
		return e.vias.IsValid() && e.group == group && slices.Equal(t.vias[e.vias.Index()], vias)
	})
	if ok {
		return HopID(id)
	}
	t.vias = append(t.vias, slices.Clone(vias))
	return t.hop(hash, func(uint32) bool { return false }, entry{vias: store.RefTo(uint32(len(t.vias) - 1)), group: group})
}

// resolve notes what a recursive next hop comes to, and says whether that changed.
func (t *Table) resolve(w Watcher, h HopID, set SetID) bool {
	e := t.hops.Get(uint32(h))
	if e.set == set {
		return false
	}
	from := e.set
	e.set = set
	t.hops.Set(uint32(h), e)
	w.HopChanged(h, from, set)
	return true
}
