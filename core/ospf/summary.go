package ospf

import (
	"cmp"
	"slices"

	"hellebore/core/route"
	"hellebore/core/wire/ip"
	wire "hellebore/core/wire/ospf"
)

// summaryWishes are the summary LSAs that an area border router has for an area
// (RFC 2328 12.4.3).
func (p *Process) summaryWishes(h Host, areaID uint32, list []wish) []wish {
	stub := p.areaConfig(areaID)
	nets := map[ip.Prefix]uint32{} // network to cost
	if stub.Stub {
		nets[ip.Prefix{}] = stub.DefaultCost
	}
	if !stub.Stub || !stub.NoSummary {
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
		list = append(list, wish{wire.Key{Type: wire.SummaryLSA, ID: ids[i], Router: p.routerID}, p.options(areaID), body.Append(nil)})
	}
	if !stub.Stub {
		list = p.asbrWishes(h, areaID, list)
	}
	return list
}

// networksFor are the networks of other areas that an area is told of: those
// inside an area, ranges applied; and to areas other than the backbone those
// that the backbone told of.
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
			if rg, ok := p.rangeOf(r.Area, x); ok {
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

// asbrWishes tell an area the ways to the AS boundary routers of others.
func (p *Process) asbrWishes(h Host, areaID uint32, list []wish) []wish {
	for _, b := range p.asbrs {
		if b.router == p.routerID || b.area == areaID || b.inter && areaID == 0 || p.leadsInto(h.Shared(), b.set, areaID) {
			continue
		}
		body := wire.SummaryBody{Metric: b.cost}
		list = append(list, wish{wire.Key{Type: wire.ASBRSummaryLSA, ID: b.router, Router: p.routerID}, p.options(areaID), body.Append(nil)})
	}
	return list
}

// externalWishes are the AS external LSAs of what the router was told to
// announce (RFC 2328 12.4.4).
func (p *Process) externalWishes() []wish {
	all := make([]ip.Prefix, len(p.externals))
	for i, x := range p.externals {
		all[i] = x.Prefix
	}
	ids := linkStateIDs(all)
	var list []wish
	for i, x := range p.externals {
		body := wire.ExternalBody{Mask: ip.Mask(x.Prefix.Len), Type2: !x.Type1, Metric: x.Metric, Tag: x.Tag}
		list = append(list, wish{wire.Key{Type: wire.ExternalLSA, ID: ids[i], Router: p.routerID}, wire.OptionE, body.Append(nil)})
	}
	return list
}

// linkStateIDs gives networks their link state IDs: the network's number, with
// the host bits set where a shorter prefix has the number already (RFC 2328
// appendix E).
func linkStateIDs(list []ip.Prefix) []ip.Addr {
	order := make([]int, len(list))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(list[a].Len, list[b].Len) })
	taken := map[ip.Addr]bool{}
	ids := make([]ip.Addr, len(list))
	for _, i := range order {
		id := list[i].Addr
		if taken[id] {
			id |= ^ip.Mask(list[i].Len)
		}
		taken[id] = true
		ids[i] = id
	}
	return ids
}
