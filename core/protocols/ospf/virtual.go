package ospf

import (
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/ospf"
)

// Virtual links (RFC 2328 15): two border routers of an area that are neighbours
// in the backbone although no link of it joins them. A virtual port is up while
// the area has a path to the other end, and takes its addresses and its cost from
// that.

// virtualPort is the port whose other end is a router beyond an area.
func (p *Process) virtualPort(transit uint32, peer ip.Quad) (uint32, bool) {
	for i := range p.ports {
		if q := p.ports[i]; q.Virtual && q.On && q.Transit == transit && q.Peer == peer {
			return uint32(i), true
		}
	}
	return 0, false
}

// syncVirtual makes the virtual ports that cross an area be what its
// shortest-path tree says (RFC 2328 15 and 16.1).
func (p *Process) syncVirtual(h Host, s *scratch, ai int) {
	areaID := p.areas[ai].id
	for i := range p.ports {
		q := p.ports[i]
		if !q.Virtual || !q.On || q.Transit != areaID {
			continue
		}
		want := q.PortConfig
		want.Up, want.Address, want.Remote, want.Cost = false, ip.Addr{}, ip.Addr{}, 0
		q.path = route.NoSet
		if key, known := h.Pool().FindKey(wire.Key{Type: wire.RouterLSA, ID: q.Peer, Router: q.Peer}); known &&
			p.several() {
			t := p.areas[ai].tree
			if at, reached := t.Find(key); reached && t.Dist[at] < wire.MaxMetric {
				set := s.setOf(h.Shared(), t.first, t.Hops(at))
				hops := h.Shared().Sets.Hops(set)
				if remote, ok := p.farAddress(h, s, ai, key, t.Dist[at]); ok && len(hops) > 0 {
					want.Up, want.Address, want.Remote, want.Cost = true, p.ports[hops[0].Port].Address, remote,
						uint16(t.Dist[at])
					q.path = set
				}
			}
		}
		switch {
		case want.Up && q.Up && want.Address == q.Address && want.Remote == q.Remote:
			if q.Cost != want.Cost {
				q.Cost = want.Cost
				p.wantOriginate(h, p.areaOf(q.Area), 0)
			}
		case want.Up || q.Up:
			if q.Up {
				h.Note(note.Note{Kind: note.PortDown, Port: note.PortOf(uint32(i)), Reason: note.NoTransitPath})
			}
			p.portDown(h, uint32(i), note.NoTransitPath)
			q.PortConfig = want
			if want.Up {
				h.Note(note.Note{Kind: note.PortUp, Port: note.PortOf(uint32(i))})
			}
			p.portUp(h, uint32(i))
		}
	}
}

// farAddress is the address at which a router of an area is reached: that of its
// end of the last link of a shortest path to it (RFC 2328 16.1, of virtual
// links).
func (p *Process) farAddress(h Host, s *scratch, ai int, router, dist uint32) (ip.Addr, bool) {
	a := &p.areas[ai]
	g := &graph{h.Pool(), a, s}
	for _, e := range g.Vertex(router).Edges {
		from, reached := a.tree.Find(e.To)
		if !reached {
			continue
		}
		for _, back := range g.Vertex(e.To).Edges {
			if back.To == router && a.tree.Dist[from]+back.Metric == dist {
				return ip.V4(ip.Quad(e.Data)), true
			}
		}
	}
	return ip.Addr{}, false
}

// crosses says whether virtual links that are in use cross an area (RFC 2328
// 6, TransitCapability): a router there says so.
func (p *Process) crosses(areaID uint32) bool {
	for i := range p.areas {
		if p.areas[i].id == areaID {
			return p.areas[i].crossed
		}
	}
	return false
}

// endsVirtual says whether this router is one end of a virtual link in use that
// crosses an area.
func (p *Process) endsVirtual(areaID uint32) bool {
	return slices.ContainsFunc(p.ports, func(q *port) bool {
		return q.Virtual && q.running() && q.Transit == areaID && p.full(q)
	})
}

// throughTransit improves the ways in the backbone by what border routers of
// areas that virtual links cross say of them (RFC 2328 16.3): packets need not
// follow the virtual link.
func (p *Process) throughTransit(h Host, s *scratch) {
	shared := h.Shared()
	for ai := range p.areas {
		if a := &p.areas[ai]; !a.crossed || a.id == 0 {
			continue
		}
		p.eachSummary(h, s, ai, func(k wire.Key, b *Body, by border, cost uint32) {
			if k.Type == wire.SummaryLSA && len(b.Leaves) == 1 && s.has(b.Leaves[0].Prefix) {
				r := &s.routes[b.Leaves[0].Prefix]
				if r.Area == 0 && (r.Kind == IntraArea || r.Kind == InterArea) && r.Set != route.NoSet {
					s.shorten(shared, &r.Set, &r.Cost, by.set, cost)
				}
			}
			for x := range s.asbrs {
				if way := &s.asbrs[x]; k.Type == wire.ASBRSummaryLSA && way.router == k.ID && way.area == 0 {
					s.shorten(shared, &way.set, &way.cost, by.set, cost)
				}
			}
		})
	}
}

// shorten takes another path if it costs less, and uses both if they cost the
// same.
func (s *scratch) shorten(shared *route.Shared, set *route.SetID, cost *uint32, by route.SetID, byCost uint32) {
	switch {
	case byCost < *cost:
		*set, *cost = by, byCost
	case byCost == *cost:
		*set = s.merge(shared, *set, by)
	}
}
