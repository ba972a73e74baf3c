package ospf

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/ospf"
)

// Not-so-stubby areas (RFC 3101): external routes that live in one area as NSSA
// LSAs, and leave it as AS external LSAs of the border router that translates.

// translatorStability is how long a translator goes on after another took over
// (RFC 3101 3.1).
const translatorStability = 40 * event.Second

// nssaBorder says whether the router joins an NSSA to other areas. All such
// routers say that they are AS boundary routers, for they may translate (RFC
// 3101 2.1).
func (p *Process) nssaBorder() bool {
	if !p.joins() {
		return false
	}
	return slices.ContainsFunc(p.active(), func(id uint32) bool { return p.areaConfig(id).NSSA })
}

// Translates says whether the router translates an NSSA's external routes for
// the other areas.
func (p *Process) Translates(areaID uint32) bool {
	return slices.ContainsFunc(p.areas, func(a area) bool { return a.id == areaID && a.translates })
}

// electTranslators finds out whether this router translates (RFC 3101 3.1):
// because it is configured to, or because of the border routers of the NSSA that can
// be reached it has the highest router ID and none translates in any case. Only
// those count that are reached outside of the area too, as AS boundary routers:
// others are of no use to the rest of the network.
func (p *Process) electTranslators(h Host, s *scratch) {
	atBorder := p.joins()
	for ai := range p.areas {
		a := &p.areas[ai]
		c := p.areaConfig(a.id)
		if !atBorder || !c.NSSA {
			a.translates, a.translatesUntil = false, 0
			continue
		}
		elected := c.Translate || !slices.ContainsFunc(s.border, func(b border) bool {
			if b.area != a.id || b.flags&wire.FlagB == 0 || b.flags&wire.FlagN == 0 && b.router < p.routerID {
				return false
			}
			_, outside := p.asbr(b.router)
			return outside
		})
		switch {
		case elected:
			a.translates, a.translatesUntil = true, 0
		case a.translates && a.translatesUntil == 0:
			a.translatesUntil = h.Now() + translatorStability
		}
	}
}

// nssaRoutes adds the external routes of an NSSA (RFC 3101 2.5).
func (p *Process) nssaRoutes(h Host, s *scratch, ai int) {
	pool, shared := h.Pool(), h.Shared()
	a := &p.areas[ai]
	c := p.areaConfig(a.id)
	atBorder := p.joins()
	a.db.Each(func(id uint32, e *lsdb.Instance) bool {
		k := pool.Key(id)
		if k.Type != wire.NSSALSA || e.Dying || k.Router == p.routerID {
			return true
		}
		p.beyond = true
		b := pool.bodies.Get(e.Body)
		if b.External.Metric >= wire.LSInfinity || len(b.Leaves) != 1 {
			return true
		}
		// RFC 3101 2.5 (3): a border router does not follow the default that
		// another one gives the area.
		if atBorder && shared.Prefixes.Prefix(b.Leaves[0].Prefix).Len == 0 &&
			(b.Options&wire.OptionP == 0 || c.NoSummary) {
			return true
		}
		i := slices.IndexFunc(s.border, func(o border) bool {
			return o.area == a.id && o.router == k.Router && o.flags&wire.FlagE != 0
		})
		if i < 0 {
			return true
		}
		way, ok := s.border[i], true
		if x := b.External.Forward; x.IsValid() {
			way, ok = p.forwarding(h, s, x, func(r *Route) bool { return r.Kind == IntraArea && r.Area == a.id })
		}
		if ok {
			s.offer(shared, b.Leaves[0].Prefix, externalRoute(b, way, a.id))
		}
		return true
	})
}

// nssaWishes are the NSSA LSAs that this router has for an NSSA (RFC 3101 2.4,
// 2.7): what it announces from outside, and on a border router a default route.
// Those of a border router are not to be translated: it announces the same
// itself.
func (p *Process) nssaWishes(c *AreaConfig, list []wish) []wish {
	atBorder := p.joins()
	own := p.outside()
	if atBorder && !c.NoSummary && !slices.ContainsFunc(own, func(x External) bool { return x.Prefix.Len == 0 }) {
		own = append(slices.Clone(own), External{Prefix: ip.Default, Metric: c.DefaultCost})
	}
	options := uint8(wire.OptionP)
	var forward ip.Addr
	if atBorder {
		options = 0
	} else {
		forward = p.forwardingAddress(c.ID)
	}
	for i := range own {
		if !own[i].Forward.IsValid() || !p.inArea(own[i].Forward, c.ID) {
			own[i].Forward = forward
		}
	}
	return appendExternals(list, wire.NSSALSA, options, p.routerID, own)
}

// inArea says whether an address is on one of our networks in an area.
func (p *Process) inArea(a ip.Addr, areaID uint32) bool {
	return slices.ContainsFunc(p.ports, func(q *port) bool {
		return q.running() && q.Area == areaID && ip.MakePrefix(q.Address, q.PrefixLen).Contains(a)
	})
}

// forwardingAddress is where packets for what this router announces into an NSSA
// go: a loopback's address in the area, else a port's (RFC 3101 2.3).
func (p *Process) forwardingAddress(areaID uint32) ip.Addr {
	var loopback, any ip.Addr
	for i := range p.ports {
		if q := p.ports[i]; q.running() && q.Area == areaID {
			any = ip.Higher(any, q.Address)
			if q.Loopback {
				loopback = ip.Higher(loopback, q.Address)
			}
		}
	}
	if loopback.IsValid() {
		return loopback
	}
	return any
}

// translated are the AS external LSAs that this router makes of the NSSA LSAs
// of areas (RFC 3101 3.2): of those that ask for it and whose routes it uses.
func (p *Process) translated(h Host) []External {
	pool, shared := h.Pool(), h.Shared()
	var all []External
	for ai := range p.areas {
		a := &p.areas[ai]
		if !a.translates {
			continue
		}
		type candidate struct {
			External
			router ip.Quad
		}
		found := map[uint32]candidate{} // by prefix
		for _, id := range a.sorted(pool) {
			e, k := a.db.Get(id), pool.Key(id)
			if k.Type != wire.NSSALSA || e.Dying || k.Router == p.routerID {
				continue
			}
			b := pool.bodies.Get(e.Body)
			if b.Options&wire.OptionP == 0 || !b.External.Forward.IsValid() || len(b.Leaves) != 1 {
				continue
			}
			prefix := b.Leaves[0].Prefix
			r := p.routes.Get(prefix)
			cost, ok := p.inside(shared, b.External.Forward, a.id)
			used := externalRoute(b, border{cost: cost}, a.id)
			if !ok || r.Area != a.id || r.Kind != used.Kind || r.Cost != used.Cost || r.Distance != used.Distance {
				continue // the route in use is that of another LSA, or of none
			}
			now := candidate{External{shared.Prefixes.Prefix(prefix), b.External.Metric, !b.External.Type2,
				b.External.Tag, b.External.Forward, r.Cost}, k.Router}
			// Of several that are the same route, the highest router ID's (RFC
			// 3101 2.5 (6)(e)).
			if old, ok := found[prefix]; !ok || now.Metric < old.Metric ||
				now.Metric == old.Metric && now.router > old.router {
				found[prefix] = now
			}
		}
		var list []External
		for _, c := range found {
			list = append(list, c.External)
		}
		slices.SortFunc(list, func(x, y External) int { return x.Prefix.Compare(y.Prefix) })
		all = append(all, join(list, p.areaConfig(a.id).Joins)...)
	}
	return all
}

// inside is the cost of the path inside an area to a forwarding address, as of the
// last run.
func (p *Process) inside(shared *route.Shared, to ip.Addr, areaID uint32) (cost uint32, ok bool) {
	shared.Prefixes.Covering(to, func(id uint32) bool {
		r := p.routes.At(id)
		if r == nil || r.Kind != IntraArea && r.Kind != InterArea {
			return true
		}
		cost, ok = r.Cost, r.Kind == IntraArea && r.Area == areaID
		return false
	})
	return cost, ok
}

// join joins what joins cover. The joined one is of the worst type among them
// and costs as much as the dearest, one more for type 2 (RFC 3101 3.2 (3)).
func join(list []External, joins []Join) []External {
	if len(joins) == 0 {
		return list
	}
	made := map[ip.Prefix]External{}
	var out []External
	for _, x := range list {
		j, ok := joinOf(joins, x.Prefix)
		switch {
		case !ok:
			out = append(out, x)
		case !j.Hidden:
			cost := x.cost()
			old, had := made[j.Prefix]
			now := External{Prefix: j.Prefix, Type1: x.Type1, Metric: cost, Tag: j.Tag}
			switch {
			case !had:
			case !old.Type1 && x.Type1, old.Type1 == x.Type1 && old.Metric > cost:
				now = old
			}
			made[j.Prefix] = now
		}
	}
	for _, j := range joins {
		if x, ok := made[j.Prefix]; ok {
			if !x.Type1 {
				x.Metric = min(x.Metric+1, wire.LSInfinity-1)
			}
			out = append(out, x)
		}
	}
	return out
}

// joinOf is the most specific join that covers a network.
func joinOf(joins []Join, x ip.Prefix) (best Join, ok bool) {
	for _, j := range joins {
		if j.Prefix.Covers(x) && (!ok || j.Prefix.Len > best.Prefix.Len) {
			best, ok = j, true
		}
	}
	return best, ok
}

// inNSSA says whether a route was made of an NSSA LSA.
func (r *Route) inNSSA() bool {
	return r.Area != 0 && (r.Kind == External1 || r.Kind == External2)
}

// joinDiscards adds a route into a blackhole for every external route that is
// joined of several: packets for what is not there must not come back by a
// default route (RFC 3101 3.2, RFC 2328 11.1).
func (p *Process) joinDiscards(h Host, s *scratch) {
	shared := h.Shared()
	drop := func(joins []Join, x ip.Prefix, translated bool) {
		if j, ok := joinOf(joins, x); ok {
			id := shared.Prefixes.ID(j.Prefix)
			s.room(int(id) + 1)
			if translated && s.has(id) && s.routes[id].inNSSA() {
				return // somebody in the area has just this prefix
			}
			s.offer(shared, id, Route{Set: route.Blackhole, Kind: Discard})
		}
	}
	for _, x := range p.externals {
		drop(p.outsideJoins, x.Prefix, false)
	}
	for ai := range p.areas {
		a := &p.areas[ai]
		joins := p.areaConfig(a.id).Joins
		if !a.translates || len(joins) == 0 {
			continue
		}
		for _, id := range slices.Clone(s.offered) {
			if r := s.routes[id]; r.Area == a.id && r.inNSSA() {
				drop(joins, shared.Prefixes.Prefix(id), true)
			}
		}
	}
}
