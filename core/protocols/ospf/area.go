package ospf

import (
	"cmp"
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/ospf"
)

// AreaConfig is the settings of an area.
type AreaConfig struct {
	ID          uint32
	Stub        bool   // takes no external routes (RFC 2328 3.6)
	NSSA        bool   // the same, but may have external routes of its own (RFC 3101)
	NoSummary   bool   // of a stub area or NSSA: takes no inter-area routes but the default either
	Translate   bool   // of an NSSA: translate whoever else does
	DefaultCost uint32 // of the default route that a border router gives a stub area or NSSA
	Ranges      []Range
	Joins       []Join // of an NSSA, for the border router that translates
}

// Join joins external routes that it covers into one (RFC 3101 3.2 and 4.1).
type Join struct {
	Prefix ip.Prefix
	Hidden bool // not announced, and what it covers neither
	Tag    uint32
}

// closed says whether AS external LSAs are kept out of the area.
func (a *AreaConfig) closed() bool { return a.Stub || a.NSSA }

// Range joins the networks of an area into one for the other areas (RFC 2328
// C.2).
type Range struct {
	Prefix ip.Prefix
	Hidden bool   // not announced, and what it covers neither
	Cost   uint32 // 0: the largest of the costs of what it covers
}

// External is a network outside that this router announces (RFC 2328 12.4.4).
type External struct {
	Prefix ip.Prefix
	Metric uint32
	Type1  bool
	Tag    uint32
	// Forward is where packets for it go instead of to this router; 0 for none.
	Forward ip.Addr
	// Cost is that of the route of which an NSSA LSA is translated, of type 1
	// with the path to it; 0 if it has none.
	Cost uint32
}

// cost is what the network costs from here.
func (x *External) cost() uint32 { return max(x.Metric, x.Cost) }

// SetAreas gives the process its areas; those that are not named are
// plain. Whether an area is a stub or an NSSA is in every hello, so a change of
// that ends the area's adjacencies.
func (p *Process) SetAreas(h Host, areas []AreaConfig) {
	before := p.config
	p.config = areas
	for i := range p.ports {
		q := p.ports[i]
		if !p.running || !q.running() || sameKind(areaIn(before, q.Area), areaIn(areas, q.Area)) {
			continue
		}
		up := q.Up
		p.portDown(h, uint32(i), 0)
		q.Up = up
		p.portUp(h, uint32(i))
	}
	if p.running && !slices.EqualFunc(before, areas, sameArea) {
		h.Calm().Disturb(h.Now())
		for ai := range p.areas {
			if areaIn(before, p.areas[ai].id).NSSA && !areaIn(areas, p.areas[ai].id).NSSA {
				p.forgetNSSA(h, ai)
			}
			p.wantOriginate(h, ai, 0) // the E and Nt bits
		}
		p.scheduleSPF(h)
		p.wantSync(h, 0)
	}
}

func sameKind(a, b AreaConfig) bool { return a.Stub == b.Stub && a.NSSA == b.NSSA }

func sameArea(a, b AreaConfig) bool {
	return a.ID == b.ID && sameKind(a, b) && a.NoSummary == b.NoSummary && a.Translate == b.Translate &&
		a.DefaultCost == b.DefaultCost && slices.Equal(a.Ranges, b.Ranges) && slices.Equal(a.Joins, b.Joins)
}

func areaIn(list []AreaConfig, id uint32) AreaConfig {
	for _, a := range list {
		if a.ID == id {
			return a
		}
	}
	return AreaConfig{ID: id, DefaultCost: 1}
}

// areaConfig is the configuration of an area.
func (p *Process) areaConfig(id uint32) AreaConfig { return areaIn(p.config, id) }

// SetExternals gives the process what to announce from outside, and what of that
// to join. A router that announces anything is an AS boundary router.
func (p *Process) SetExternals(h Host, list []External, joins []Join) {
	if slices.Equal(p.externals, list) && slices.Equal(p.outsideJoins, joins) {
		return
	}
	was, joined := len(p.externals) > 0, len(p.outsideJoins)+len(joins) > 0
	p.externals, p.outsideJoins = list, joins
	if !p.running {
		return
	}
	if was != (len(list) > 0) { // the E bit
		for i := range p.areas {
			p.wantOriginate(h, i, 0)
		}
	}
	if joined { // routes into a blackhole
		p.scheduleSPF(h)
	}
	p.wantSync(h, 0)
}

// outside is what the router announces from outside on its own behalf.
func (p *Process) outside() []External { return slices.Clone(join(p.externals, p.outsideJoins)) }

// options are those of packets and LSAs in an area (RFC 2328 A.2).
func (p *Process) options(areaID uint32) uint8 {
	if c := p.areaConfig(areaID); c.closed() {
		return 0
	}
	return wire.OptionE
}

// helloOptions are those of a hello, which alone says that the area is an NSSA
// (RFC 3101 2.1).
func (p *Process) helloOptions(areaID uint32) uint8 {
	if p.areaConfig(areaID).NSSA {
		return wire.OptionN
	}
	return p.options(areaID)
}

// active are the areas in which a port runs.
func (p *Process) active() []uint32 {
	var ids []uint32
	for i := range p.ports {
		if q := p.ports[i]; q.running() && !slices.Contains(ids, q.Area) {
			ids = append(ids, q.Area)
		}
	}
	slices.Sort(ids)
	return ids
}

// Areas are the areas in which a port runs, sorted; AreaBorder says whether the
// router is an area border router, ASBoundary whether it announces external
// routes.
func (p *Process) Areas() []uint32  { return p.active() }
func (p *Process) AreaBorder() bool { return p.running && p.joins() }
func (p *Process) ASBoundary() bool {
	return p.running && (len(p.externals) > 0 || p.nssaBorder())
}

// several says whether ports run in more than one area. Virtual links do not
// count: they join border routers, so it takes other ports to be one; or a link
// would hold itself up that could not come up again.
func (p *Process) several() bool {
	first := -1
	for i := range p.ports {
		switch q := p.ports[i]; {
		case !q.running() || q.Virtual:
		case first < 0:
			first = i
		case q.Area != p.ports[first].Area:
			return true
		}
	}
	return false
}

// joins says whether the router is an area border router: it is in several areas,
// and one of them is the backbone, by a port or by a virtual link in use. RFC 2328
// 3.3 asks for several areas only; but such a router without the backbone would
// look at no summaries at all (16.2), and draw traffic that it cannot pass on. So
// it is left to pass nothing, as the common practice is (RFC 3509 2.1).
func (p *Process) joins() bool {
	if !p.several() {
		return false
	}
	for i := range p.ports {
		if q := p.ports[i]; q.running() && q.Area == 0 && (!q.Virtual || p.full(q)) {
			return true
		}
	}
	return false
}

// full says whether a port has a neighbour in state Full.
func (p *Process) full(q *port) bool {
	for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
		if p.nbrs[n.Index()].state == adjacency.Full {
			return true
		}
	}
	return false
}

// borders remembers what the router joins, and says whether something must be
// advertised into other areas: they must whenever there are several areas, or have been.
func (p *Process) borders(h Host) bool {
	p.syncBits(h)
	was := p.wasBorder
	p.wasBorder = p.joins()
	return was || p.wasBorder
}

// syncBits has the router LSAs of all areas say what the router is now: an area
// border router, an AS boundary router (the B and E bits, RFC 2328 12.4.1).
func (p *Process) syncBits(h Host) {
	border, boundary := p.joins(), p.ASBoundary()
	if p.saysBorder == border && p.saysBoundary == boundary {
		return
	}
	p.saysBorder, p.saysBoundary = border, boundary
	for i := range p.areas {
		p.wantOriginate(h, i, 0)
	}
}

// interArea adds the routes to other areas (RFC 2328 16.2). A border router
// looks at the backbone's summaries only.
func (p *Process) interArea(h Host, s *scratch) {
	atBorder := p.joins()
	active := p.activeRanges(h, s)
	for ai := range p.areas {
		areaID := p.areas[ai].id
		if atBorder && areaID != 0 {
			continue
		}
		p.eachSummary(h, s, ai, func(k wire.Key, b *Body, by border, cost uint32) {
			switch {
			case k.Type == wire.ASBRSummaryLSA:
				s.asbrs = append(s.asbrs, otherArea(k.ID, areaID, cost, by.set))
			case len(b.Leaves) == 1 && !slices.Contains(active, b.Leaves[0].Prefix):
				s.offer(h.Shared(), b.Leaves[0].Prefix, Route{Set: by.set, Cost: cost, Area: areaID, Kind: InterArea})
			}
		})
	}
}

// eachSummary visits the summary LSAs of an area that count (RFC 2328 16.2 (1) to
// (4)): of both types, with the border router that can be reached and says so,
// and the cost by it.
func (p *Process) eachSummary(h Host, s *scratch, ai int, visit func(k wire.Key, b *Body, by border, cost uint32)) {
	a, pool := &p.areas[ai], h.Pool()
	a.db.Each(func(id uint32, e *lsdb.Instance) bool {
		k := pool.Key(id)
		if e.Dying || k.Router == p.routerID ||
			k.Type != wire.SummaryLSA && k.Type != wire.ASBRSummaryLSA {
			return true
		}
		p.beyond = true
		b := pool.bodies.Get(e.Body)
		if b.Summary.Metric >= wire.LSInfinity {
			return true
		}
		for _, by := range s.border {
			if by.router == k.Router && by.area == a.id && by.flags&wire.FlagB != 0 {
				visit(k, b, by, by.cost+b.Summary.Metric)
			}
		}
		return true
	})
}

// otherArea is an AS boundary router that a summary LSA advertises.
func otherArea(router ip.Quad, area, cost uint32, set route.SetID) border {
	return border{router: router, area: area, cost: cost, set: set, flags: wire.FlagE, inter: true}
}

// activeRanges are the ranges of this router, as a border router, that cover a
// network which it reaches inside the range's area: what others say of these is
// no news, for they would be a way back (RFC 2328 16.2 (3)).
func (p *Process) activeRanges(h Host, s *scratch) (active []uint32) {
	if len(p.config) == 0 || !p.joins() {
		return nil
	}
	prefixes := h.Shared().Prefixes
	for _, id := range s.offered {
		if r := &s.routes[id]; r.Kind == IntraArea {
			if rg, ok := p.rangeOf(r.Area, prefixes.Prefix(id)); ok {
				if covered := prefixes.ID(rg.Prefix); !slices.Contains(active, covered) {
					active = append(active, covered)
				}
			}
		}
	}
	s.room(int(prefixes.Len()))
	return active
}

// external adds the routes to outside (RFC 2328 16.4).
func (p *Process) external(h Host, s *scratch) {
	pool, shared := h.Pool(), h.Shared()
	for _, b := range s.border {
		if c := p.areaConfig(b.area); b.flags&wire.FlagE != 0 && !c.closed() {
			s.asbrs = append(s.asbrs, b)
		}
	}
	p.throughTransit(h, s)
	p.asbrs = p.preferred(s, h.Shared())
	for ai := range p.areas {
		if p.areaConfig(p.areas[ai].id).NSSA {
			p.nssaRoutes(h, s, ai)
		}
	}
	p.as.db.Each(func(id uint32, e *lsdb.Instance) bool {
		k := pool.Key(id)
		if e.Dying || k.Router == p.routerID {
			return true
		}
		p.beyond = true
		b := pool.bodies.Get(e.Body)
		way, ok := p.asbr(k.Router)
		if x := b.External.Forward; x.IsValid() && ok {
			way, ok = p.forwarding(h, s, x, func(*Route) bool { return true })
		}
		if ok && b.External.Metric < wire.LSInfinity && len(b.Leaves) == 1 {
			r := externalRoute(b, way, 0)
			if p.strict && !way.inside() {
				r.Second = true // 16.4 (6)(c)
			}
			s.offer(shared, b.Leaves[0].Prefix, r)
		}
		return true
	})
}

// externalRoute is the route that an external LSA makes; area is that of an NSSA
// LSA, 0 of an AS external one.
func externalRoute(b *Body, way border, area uint32) Route {
	r := Route{Set: way.set, Tag: b.External.Tag, Cost: way.cost + b.External.Metric, Kind: External1, Area: area}
	if b.External.Type2 {
		r.Cost, r.Distance, r.Kind = b.External.Metric, way.cost, External2
	}
	return r
}

// inside says whether a path is one of those that RFC 2328 16.4.1 prefers: inside
// an area that is not the backbone.
func (b *border) inside() bool { return !b.inter && b.area != 0 }

// preferred are the paths to all AS boundary routers that are used, sorted by
// router (RFC 2328 16.4 (3)).
func (p *Process) preferred(s *scratch, shared *route.Shared) []border {
	if len(s.asbrs) == 0 {
		return nil
	}
	all := slices.Clone(s.asbrs)
	slices.SortStableFunc(all, func(a, b border) int {
		return cmp.Or(cmp.Compare(a.router, b.router), cmp.Compare(a.area, b.area))
	})
	var list []border
	for _, b := range all {
		if b.set == route.NoSet {
			continue
		}
		last := len(list) - 1
		if last < 0 || list[last].router != b.router || list[last].area != b.area {
			list = append(list, b)
			continue
		}
		// One entry an area, in which a path inside the area comes first (16.2 (7)).
		switch o := &list[last]; {
		case o.inter && !b.inter, o.inter == b.inter && b.cost < o.cost:
			*o = b
		case o.inter == b.inter && b.cost == o.cost:
			o.set = s.merge(shared, o.set, b.set)
		}
	}
	best := list[:0]
	for _, b := range list {
		last := len(best) - 1
		if last < 0 || best[last].router != b.router {
			best = append(best, b)
			continue
		}
		// Of the entries of several areas, of equal cost that of the largest area ID.
		o := &best[last]
		switch {
		case p.strict && o.inside() != b.inside():
			if b.inside() {
				*o = b
			}
		case b.cost <= o.cost:
			*o = b
		}
	}
	return best
}

// asbr is the path to an AS boundary router that is used.
func (p *Process) asbr(router ip.Quad) (way border, ok bool) {
	i, ok := slices.BinarySearchFunc(p.asbrs, router,
		func(b border, router ip.Quad) int { return cmp.Compare(b.router, router) })
	if !ok {
		return way, false
	}
	return p.asbrs[i], true
}

// SetRFC1583 says whether the process prefers external paths as RFC 1583 does
// (RFC 2328 C.1, RFC1583Compatibility); strict is RFC 2328's own way, 16.4.1.
func (p *Process) SetRFC1583(h Host, compatible bool) {
	if p.strict == !compatible {
		return
	}
	p.strict = !compatible
	if p.running {
		p.scheduleSPF(h)
	}
}

// RFC1583 says whether external paths are preferred as RFC 1583 does.
func (p *Process) RFC1583() bool { return !p.strict }

// forwarding is the path to a forwarding address: by an intra-area or inter-area
// route only (RFC 2328 16.4 (3)), and one that fits. One of our own addresses is
// no next hop.
func (p *Process) forwarding(h Host, s *scratch, to ip.Addr, fits func(*Route) bool) (way border, ok bool) {
	if slices.ContainsFunc(p.ports, func(q *port) bool { return q.running() && q.Address == to }) {
		return way, false
	}
	shared := h.Shared()
	length := -1
	for _, id := range s.offered {
		x, r := shared.Prefixes.Prefix(id), &s.routes[id]
		if r.Kind > InterArea || !x.Contains(to) || int(x.Len) <= length {
			continue
		}
		length, ok = int(x.Len), fits(r)
		way = border{cost: r.Cost, set: r.Set, area: r.Area, inter: r.Kind == InterArea}
		if r.Set == route.NoSet {
			way.set = p.onPort(shared, to)
		}
	}
	return way, ok && way.set != route.NoSet
}

// onPort is the next hop that is an address on one of our own networks.
func (p *Process) onPort(shared *route.Shared, to ip.Addr) route.SetID {
	for i := range p.ports {
		if q := p.ports[i]; q.running() && ip.MakePrefix(q.Address, q.PrefixLen).Contains(to) {
			return shared.Sets.ID([]route.Hop{{Port: uint32(i), Gateway: to}})
		}
	}
	return route.NoSet
}
