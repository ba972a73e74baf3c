package ospf

import (
	"cmp"
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/ospf"
)

// summaryWishes are the summary LSAs that an area border router has for an area
// (RFC 2328 12.4.3).
func (p *Process) summaryWishes(h Host, areaID uint32, list []wish) []wish {
	c := p.areaConfig(areaID)
	nets := map[ip.Prefix]uint32{} // network to cost
	// An NSSA that takes summaries is given its default route by an NSSA LSA
	// (RFC 3101 2.7).
	if c.Stub || c.NSSA && c.NoSummary {
		nets[ip.Default] = c.DefaultCost
	}
	if !c.closed() || !c.NoSummary {
		p.networksFor(h, areaID, nets)
	}
	all := make([]ip.Prefix, 0, len(nets))
	for x := range nets {
		all = append(all, x)
	}
	slices.SortFunc(all, ip.Prefix.Compare)
	ids := linkStateIDs(all)
	for i, x := range all {
		body := wire.SummaryBody{Mask: ip.Mask(x.Len), Metric: nets[x]}
		list = append(list, wish{wire.Key{Type: wire.SummaryLSA, ID: ids[i], Router: p.routerID}, p.options(areaID),
			body.Append(nil)})
	}
	if !c.closed() {
		list = p.asbrWishes(h, areaID, list)
	}
	return list
}

// networksFor are the networks of other areas that are advertised into an area: those
// inside an area, ranges applied; and to areas other than the backbone those
// that the backbone advertised.
func (p *Process) networksFor(h Host, areaID uint32, nets map[ip.Prefix]uint32) {
	shared := h.Shared()
	add := func(x ip.Prefix, cost uint32) {
		if old, ok := nets[x]; !ok || cost < old {
			nets[x] = cost
		}
	}
	largest := map[ip.Prefix]uint32{} // of what an active range covers
	p.routes.Each(func(id uint32, r *Route) bool {
		x := shared.Prefixes.Prefix(id)
		switch {
		case r.Kind == 0 || r.Kind > InterArea || r.Area == areaID || p.leadsInto(shared, r.Set, areaID):
		case r.Cost >= wire.LSInfinity:
		case r.Kind == InterArea:
			if areaID != 0 {
				add(x, r.Cost)
			}
		default:
			// RFC 2328 12.4.3: the backbone's networks are not joined for an area
			// that virtual links cross.
			if rg, ok := p.rangeOf(r.Area, x); ok && (r.Area != 0 || !p.crosses(areaID)) {
				if !rg.Hidden {
					largest[rg.Prefix] = max(largest[rg.Prefix], r.Cost)
				}
				return true
			}
			add(x, r.Cost)
		}
		return true
	})
	for x, cost := range largest {
		for _, a := range p.config {
			for _, rg := range a.Ranges {
				if rg.Prefix == x && rg.Cost != 0 {
					cost = rg.Cost
				}
			}
		}
		add(x, cost)
	}
}

// discards adds a route into a blackhole for each area range that covers
// something (RFC 2328 11.1): packets for what is not there must not follow a
// default route back.
func (p *Process) discards(h Host, s *scratch) {
	if !p.joins() {
		return
	}
	shared := h.Shared()
	for _, id := range slices.Clone(s.offered) {
		r := s.routes[id]
		if r.Kind != IntraArea {
			continue
		}
		if rg, ok := p.rangeOf(r.Area, shared.Prefixes.Prefix(id)); ok {
			covered := shared.Prefixes.ID(rg.Prefix)
			s.room(int(covered) + 1)
			s.offer(shared, covered, Route{Set: route.Blackhole, Area: r.Area, Kind: Discard})
		}
	}
}

// rangeOf is the range of an area that covers a network, the most specific one.
func (p *Process) rangeOf(areaID uint32, x ip.Prefix) (best Range, ok bool) {
	for _, r := range p.areaConfig(areaID).Ranges {
		if r.Prefix.Covers(x) && (!ok || r.Prefix.Len > best.Prefix.Len) {
			best, ok = r, true
		}
	}
	return best, ok
}

// leadsInto says whether a next hop lies in an area: the area has it at first
// hand then.
func (p *Process) leadsInto(shared *route.Shared, set route.SetID, areaID uint32) bool {
	for _, hop := range shared.Sets.Hops(set) {
		if int(hop.Port) < len(p.ports) && p.ports[hop.Port].Area == areaID {
			return true
		}
	}
	return false
}

// asbrWishes advertise the AS boundary routers of other areas into an area.
func (p *Process) asbrWishes(h Host, areaID uint32, list []wish) []wish {
	for _, b := range p.asbrs {
		if b.router == p.routerID || b.area == areaID || b.inter && areaID == 0 ||
			p.leadsInto(h.Shared(), b.set, areaID) {
			continue
		}
		body := wire.SummaryBody{Metric: b.cost}
		list = append(list, wish{wire.Key{Type: wire.ASBRSummaryLSA, ID: b.router, Router: p.routerID},
			p.options(areaID), body.Append(nil)})
	}
	return list
}

// externalWishes are the AS external LSAs of what the router is configured
// to announce (RFC 2328 12.4.4), and of what it translates. A router all of whose
// areas keep them out has none.
func (p *Process) externalWishes(h Host) []wish {
	if !slices.ContainsFunc(p.active(), func(id uint32) bool { c := p.areaConfig(id); return !c.closed() }) {
		return nil
	}
	list := p.outside()
	for _, x := range p.translated(h) {
		if !slices.ContainsFunc(list, func(o External) bool { return o.Prefix == x.Prefix }) {
			list = append(list, x)
		}
	}
	return appendExternals(nil, wire.ExternalLSA, wire.OptionE, p.routerID, list)
}

// appendExternals writes external networks as LSAs.
func appendExternals(list []wish, typ, options uint8, router ip.Quad, nets []External) []wish {
	all := make([]ip.Prefix, len(nets))
	for i, x := range nets {
		all[i] = x.Prefix
	}
	ids := linkStateIDs(all)
	for i, x := range nets {
		body := wire.ExternalBody{Mask: ip.Mask(x.Prefix.Len), Type2: !x.Type1, Metric: x.Metric, Forward: x.Forward,
			Tag: x.Tag}
		list = append(list, wish{wire.Key{Type: typ, ID: ids[i], Router: router}, options, body.Append(nil)})
	}
	return list
}

// linkStateIDs gives networks their link state IDs: the network's number, with
// the host bits set where a shorter prefix has the number already (RFC 2328
// appendix E).
func linkStateIDs(list []ip.Prefix) []ip.Quad {
	order := make([]int, len(list))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(list[a].Len, list[b].Len) })
	taken := map[ip.Quad]bool{}
	ids := make([]ip.Quad, len(list))
	for _, i := range order {
		id := list[i].Addr.Quad()
		if taken[id] {
			id |= ^ip.Mask(list[i].Len)
		}
		taken[id] = true
		ids[i] = id
	}
	return ids
}
