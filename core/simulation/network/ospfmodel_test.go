package network_test

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
)

// What follows is OSPF without packets, timers or databases: from a lab and the
// faults on it straight to the tables that RFC 2328 and RFC 3101 ask for, by the
// slowest and plainest means there are. Each round, every router makes its table of
// what all others announced in the round before, and announces anew; when a round
// changes nothing, that is the settled network.

const infinity = 0xffffff // LSInfinity

type hopSet map[string]bool // "port gateway"

func union(a, b hopSet) hopSet {
	out := maps.Clone(a)
	if out == nil {
		out = hopSet{}
	}
	maps.Copy(out, b)
	return out
}

type modelPort struct {
	r     *modelRouter
	c     *config.Port
	id    string // "r1.e1", or of a sub-port its own name
	up    bool
	group *modelGroup // of a segment, or of the two ends of a link
	link  bool
}

// modelGroup is the ports that hear each other.
type modelGroup struct {
	ports   []*modelPort
	transit bool // a segment with a DR
	prefix  ip.Prefix
	area    uint32
	dr      *modelPort // of a link whose ends have different types
}

type modelRoute struct {
	kind       string // intra-area, inter-area, range, external type 1, external type 2
	cost, dist int
	area       uint32 // of an external one: the NSSA
	hops       hopSet // nil: its own network
	second     bool
}

var modelRank = map[string]int{"intra-area": 1, "inter-area": 2, "range": 3, "external type 1": 4, "external type 2": 5}

// prefers is RFC 2328 11 and 16.4 (6).
func (a modelRoute) prefers(b modelRoute) int {
	if c := cmp.Compare(modelRank[a.kind], modelRank[b.kind]); c != 0 {
		return c
	}
	if a.kind == "external type 2" {
		if c := cmp.Compare(a.cost, b.cost); c != 0 {
			return c
		}
	}
	if a.second != b.second {
		if a.second {
			return 1
		}
		return -1
	}
	return cmp.Or(cmp.Compare(a.cost, b.cost), cmp.Compare(a.dist, b.dist))
}

type modelExternal struct {
	prefix  ip.Prefix
	metric  int
	type1   bool
	forward ip.Addr
	p       bool // the P bit of an NSSA LSA
	cost    int  // of the route that it is translated of
}

type modelBorder struct {
	router *modelRouter
	area   uint32
	cost   int
	hops   hopSet
	inter  bool
}

// said is what a router announces.
type said struct {
	summaries map[uint32]map[ip.Prefix]int    // into an area
	asbrs     map[uint32]map[*modelRouter]int // the same, of AS boundary routers
	nssa      map[uint32][]modelExternal
	external  []modelExternal
	links     map[*modelRouter]modelVirtual // virtual links in use, by the other end
	transit   map[uint32]bool               // areas that they cross
}

type modelVirtual struct {
	area uint32
	cost int
	hops hopSet
}

type modelRouter struct {
	d     *config.Device
	id    ip.Quad
	on    bool
	ports []*modelPort
	said  said
	table map[ip.Prefix]modelRoute
	asbrs map[*modelRouter]modelBorder
}

// faults are what actions did to a lab.
type faults struct {
	off    map[string]bool // devices, and ports "r1.e1"
	cut    map[string]bool // a link by either of its ports; a segment's port
	silent map[string]bool // ports
}

type model struct {
	lab     *config.Lab
	routers []*modelRouter
}

func newModel(lab *config.Lab, f faults) *model {
	m := &model{lab: lab}
	ports := map[string]*modelPort{}
	for i := range lab.Devices {
		d := &lab.Devices[i]
		if d.Kind != config.Router {
			continue
		}
		r := &modelRouter{d: d, id: ip.QuadFrom(d.RouterID), on: !f.off[d.Name]}
		for k := range d.Ports {
			p := &modelPort{r: r, c: &d.Ports[k], id: d.Name + "." + d.Ports[k].Name}
			p.up = r.on && !f.off[p.id] && p.c.Loopback
			r.ports = append(r.ports, p)
			ports[p.id] = p
		}
		m.routers = append(m.routers, r)
	}
	given := func(p *modelPort) bool { return p.r.on && !f.off[p.id] }
	var groups []*modelGroup
	for _, l := range lab.Links {
		a, b := ports[l.A.String()], ports[l.B.String()]
		up := given(a) && given(b) && !f.cut[a.id] && !f.cut[b.id]
		a.up, b.up, a.link, b.link = up, up, true, true
		if up && hear(a, b, f) && !(mtuRefused(a, b) || mtuRefused(b, a)) {
			g := &modelGroup{ports: []*modelPort{a, b}, area: a.c.OSPF.Area, prefix: a.net()}
			switch {
			case a.broadcast() && b.broadcast():
				g.transit = a.c.OSPF.Priority > 0 || b.c.OSPF.Priority > 0
				if !g.transit {
					continue
				}
			case a.broadcast() != b.broadcast():
				for _, p := range g.ports {
					if p.c.OSPF.Priority > 0 && (g.dr == nil || p.c.OSPF.Priority > g.dr.c.OSPF.Priority ||
						p.c.OSPF.Priority == g.dr.c.OSPF.Priority && p.r.id > g.dr.r.id) {
						g.dr = p
					}
				}
				if g.dr == nil {
					continue // the end on the segment wants no adjacency
				}
			}
			groups = append(groups, g)
		}
	}
	for _, s := range lab.Segments {
		var left []*modelPort
		for _, ref := range s.Ports {
			p := ports[ref.String()]
			if p == nil {
				continue // a host's
			}
			if p.up = given(p) && !f.cut[p.id]; p.up {
				left = append(left, p)
			}
		}
		for len(left) > 0 {
			g := &modelGroup{area: left[0].c.OSPF.Area, prefix: left[0].net()}
			var rest []*modelPort
			for i, p := range left {
				if i == 0 || hear(left[0], p, f) {
					g.ports = append(g.ports, p)
					g.transit = g.transit || p.c.OSPF.Priority > 0
				} else {
					rest = append(rest, p)
				}
			}
			if g.transit = g.transit && len(g.ports) > 1; g.transit {
				groups = append(groups, g)
			}
			left = rest
		}
	}
	for _, g := range groups {
		for _, p := range g.ports {
			p.group = g
		}
	}
	return m
}

func (p *modelPort) net() ip.Prefix { return ip.PrefixFrom(p.c.Address) }
func (p *modelPort) addr() ip.Addr  { return ip.AddrFrom(p.c.Address.Addr()) }
func (p *modelPort) runs() bool     { return p.up && p.c.OSPF.On && !p.c.OSPF.Disabled && p.r.on }
func (p *modelPort) talks() bool    { return p.runs() && !p.c.OSPF.Passive && !p.c.Loopback }
func (p *modelPort) broadcast() bool {
	return p.c.OSPF.Type == config.Broadcast || p.c.OSPF.Type == config.AutoType && !p.link && !p.c.Loopback
}
func (p *modelPort) cost() int { return int(p.r.d.OSPF.CostOf(p.c)) }

// hear says whether two ports become neighbours (RFC 2328 10.5; RFC 3101 2.1).
func hear(a, b *modelPort, f faults) bool {
	x, y := a.c.OSPF, b.c.OSPF
	ka, kb := a.r.area(x.Area), b.r.area(y.Area)
	return a.talks() && b.talks() && !f.silent[a.id] && !f.silent[b.id] && a.r.id != b.r.id &&
		x.Area == y.Area && x.HelloInterval == y.HelloInterval && x.DeadInterval == y.DeadInterval &&
		a.net() == b.net() && ka.Stub == kb.Stub && ka.NSSA == kb.NSSA
}

func mtuRefused(at, from *modelPort) bool { return from.c.MTU > at.c.MTU && !at.c.OSPF.IgnoreMTU }

func (r *modelRouter) area(id uint32) config.Area { return r.d.OSPF.Area(id) }

// areas are those in which the router has a port that runs; a virtual link in use
// is one in the backbone.
func (r *modelRouter) areas() []uint32 {
	var out []uint32
	for _, p := range r.ports {
		if p.runs() && !slices.Contains(out, p.c.OSPF.Area) {
			out = append(out, p.c.OSPF.Area)
		}
	}
	for far := range r.said.links {
		if _, back := far.said.links[r]; back && !slices.Contains(out, 0) {
			out = append(out, 0)
		}
	}
	slices.Sort(out)
	return out
}

func (r *modelRouter) in(area uint32) bool { return slices.Contains(r.areas(), area) }

// border says whether the router is in several areas, and one of them is the
// backbone (RFC 3509 2.1).
func (r *modelRouter) border() bool { return r.several() && r.in(0) }

func (r *modelRouter) several() bool {
	var area []uint32
	for _, p := range r.ports {
		if p.runs() && !slices.Contains(area, p.c.OSPF.Area) {
			area = append(area, p.c.OSPF.Area)
		}
	}
	return len(area) > 1
}

// asBoundary is the E bit: all border routers of NSSAs have it (RFC 3101 2.1).
func (r *modelRouter) asBoundary() bool {
	if len(r.outside()) > 0 {
		return true
	}
	return r.border() && slices.ContainsFunc(r.areas(), func(a uint32) bool { return r.area(a).NSSA })
}

// outside is what the router injects: static blackholes, joined.
func (r *modelRouter) outside() []modelExternal {
	var list []modelExternal
	for _, i := range r.d.OSPF.Injects {
		for _, s := range r.d.Statics {
			list = append(list, modelExternal{prefix: ip.PrefixFrom(s.Prefix), metric: int(i.Metric), type1: i.Type1})
		}
	}
	if !r.on {
		return nil
	}
	sort.Slice(list, func(i, j int) bool { return list[i].prefix.Compare(list[j].prefix) < 0 })
	return modelJoin(list, r.d.OSPF.Summaries)
}

func (r *modelRouter) owns(x ip.Prefix) bool { // as a static or connected network
	for _, s := range r.d.Statics {
		if ip.PrefixFrom(s.Prefix) == x {
			return true
		}
	}
	for _, p := range r.ports {
		if p.up && p.net() == x {
			return true
		}
	}
	return false
}

func coveredBy(list []config.Summary, x ip.Prefix) (best config.Summary, ok bool) {
	for _, s := range list {
		if q := ip.PrefixFrom(s.Prefix); q.Covers(x) && (!ok || s.Prefix.Bits() > best.Prefix.Bits()) {
			best, ok = s, true
		}
	}
	return best, ok
}

// modelJoin joins external routes (RFC 3101 3.2): the worst type among what is
// covered, its largest cost, of type 2 one more.
func modelJoin(list []modelExternal, joins []config.Summary) (out []modelExternal) {
	for _, x := range list {
		if _, ok := coveredBy(joins, x.prefix); !ok {
			out = append(out, x)
		}
	}
	for _, j := range joins {
		made := modelExternal{prefix: ip.PrefixFrom(j.Prefix), type1: true, metric: -1}
		for _, worst := range []bool{true, false} { // type 2 first
			for _, x := range list {
				if k, ok := coveredBy(joins, x.prefix); ok && k.Prefix == j.Prefix && x.type1 != worst {
					made.metric, made.type1 = max(made.metric, max(x.metric, x.cost)), x.type1
				}
			}
			if made.metric >= 0 {
				break
			}
		}
		if made.metric < 0 || j.Hidden {
			continue
		}
		if !made.type1 {
			made.metric = min(made.metric+1, infinity-1)
		}
		out = append(out, made)
	}
	return out
}

// vertex is a router or a segment.
type vertex struct {
	r *modelRouter
	g *modelGroup
}

type modelTree struct {
	dist map[vertex]int
	hops map[vertex]hopSet
}

type modelEdge struct {
	to   vertex
	cost int
	hops hopSet // if it leaves the root
}

func edgesOf(v vertex, area uint32) (out []modelEdge) {
	if v.g != nil {
		for _, p := range v.g.ports {
			out = append(out, modelEdge{to: vertex{r: p.r}})
		}
		return out
	}
	for _, p := range v.r.ports {
		if p.group == nil || !p.runs() || p.c.OSPF.Area != area {
			continue
		}
		if p.group.transit {
			out = append(out, modelEdge{to: vertex{g: p.group}, cost: p.cost(), hops: hopSet{p.c.Name: true}})
			continue
		}
		if p.group.dr != nil && p.broadcast() {
			continue // its link is one to a segment that the other end does not have
		}
		for _, q := range p.group.ports {
			if q != p && q.r.linksTo(v.r, area) {
				out = append(out, modelEdge{to: vertex{r: q.r}, cost: p.cost(), hops: hopSet{p.c.Name + " " + q.addr().String(): true}})
			}
		}
	}
	if area == 0 {
		for far, l := range v.r.said.links {
			if _, back := far.said.links[v.r]; back {
				out = append(out, modelEdge{to: vertex{r: far}, cost: l.cost, hops: l.hops})
			}
		}
	}
	return out
}

// linksTo says whether a router describes any link to another one: which link it is
// does not count (RFC 2328 16.1 (2)(b)).
func (r *modelRouter) linksTo(to *modelRouter, area uint32) bool {
	for _, p := range r.ports {
		if p.group == nil || !p.runs() || p.c.OSPF.Area != area || p.group.transit || p.group.dr != nil && p.broadcast() {
			continue
		}
		if slices.ContainsFunc(p.group.ports, func(q *modelPort) bool { return q != p && q.r == to }) {
			return true
		}
	}
	_, virtual := r.said.links[to]
	return virtual && area == 0
}

// tree is RFC 2328 16.1 by Dijkstra's algorithm, a segment before a router that is
// as far away.
func (m *model) tree(root *modelRouter, area uint32) modelTree {
	t := modelTree{dist: map[vertex]int{{r: root}: 0}, hops: map[vertex]hopSet{}}
	done := map[vertex]bool{}
	for {
		var next vertex
		found := false
		for v, d := range t.dist {
			if done[v] {
				continue
			}
			if !found || d < t.dist[next] || d == t.dist[next] && v.g != nil && next.g == nil {
				next, found = v, true
			}
		}
		if !found {
			return t
		}
		done[next] = true
		for _, e := range edgesOf(next, area) {
			d := t.dist[next] + e.cost
			if old, known := t.dist[e.to]; done[e.to] || known && old < d {
				continue
			} else if !known || d < old {
				t.dist[e.to], t.hops[e.to] = d, hopSet{}
			}
			hops := e.hops
			if next.r != root {
				hops = hopSet{}
				for h := range t.hops[next] {
					if !strings.Contains(h, " ") { // the root is on this segment
						for _, p := range next.g.ports {
							if p.r == e.to.r {
								hops[h+" "+p.addr().String()] = true
							}
						}
						continue
					}
					hops[h] = true
				}
			}
			t.hops[e.to] = union(t.hops[e.to], hops)
		}
	}
}

// gated are hops that lead to a router; nil if there are none.
func gated(h hopSet) hopSet {
	out := hopSet{}
	for x := range h {
		if strings.Contains(x, " ") {
			out[x] = true
		}
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

// stubs are the networks that a router announces as its own in an area.
func (r *modelRouter) stubs(area uint32) map[ip.Prefix]int {
	out := map[ip.Prefix]int{}
	add := func(x ip.Prefix, cost int) {
		if old, ok := out[x]; !ok || cost < old {
			out[x] = cost
		}
	}
	for _, p := range r.ports {
		if !p.runs() || p.c.OSPF.Area != area {
			continue
		}
		switch {
		case p.c.Loopback && !p.c.OSPF.OwnMask:
			add(ip.MakePrefix(p.addr(), 32), 0)
		case p.group != nil && p.group.transit:
		case p.group != nil && p.group.dr != nil && p.broadcast():
			if p.group.dr == p { // its network LSA
				add(p.net(), p.cost())
			}
		default:
			add(p.net(), p.cost())
		}
	}
	return out
}

func (r *modelRouter) offer(x ip.Prefix, n modelRoute) {
	old, ok := r.table[x]
	switch c := n.prefers(old); {
	case !ok || c < 0:
		r.table[x] = n
	case c == 0 && (n.kind == "range" || n.kind == "intra-area" && (old.hops == nil || n.hops == nil)):
		if n.hops == nil {
			r.table[x] = n
		}
	case c == 0:
		old.hops = union(old.hops, n.hops)
		r.table[x] = old
	}
}

// compute makes a router's table of what the others said.
func (m *model) compute(r *modelRouter) {
	r.table, r.asbrs = map[ip.Prefix]modelRoute{}, map[*modelRouter]modelBorder{}
	areas := r.areas()
	trees := map[uint32]modelTree{}
	for _, a := range areas {
		t := m.tree(r, a)
		trees[a] = t
		nets := map[ip.Prefix]modelRoute{}
		add := func(x ip.Prefix, cost int, hops hopSet) {
			old, ok := nets[x]
			switch {
			case !ok || cost < old.cost:
				nets[x] = modelRoute{kind: "intra-area", cost: cost, area: a, hops: gated(hops)}
			case cost == old.cost:
				old.hops = gated(union(old.hops, hops))
				nets[x] = old
			}
		}
		for v, d := range t.dist {
			if v.g != nil {
				add(v.g.prefix, d, t.hops[v])
				continue
			}
			for x, c := range v.r.stubs(a) {
				add(x, d+c, t.hops[v])
			}
		}
		for x, n := range nets {
			r.offer(x, n)
		}
	}
	active := r.activeRanges()
	entries := map[string]modelBorder{} // router and area
	entry := func(b modelBorder) {
		key := fmt.Sprint(b.router.d.Name, " ", b.area)
		old, ok := entries[key]
		switch {
		case !ok || old.inter && !b.inter || old.inter == b.inter && b.cost < old.cost:
			entries[key] = b
		case old.inter == b.inter && b.cost == old.cost:
			old.hops = union(old.hops, b.hops)
			entries[key] = old
		}
	}
	each := func(a uint32, visit func(b *modelRouter, cost int, hops hopSet)) {
		for _, b := range m.routers {
			if d, ok := trees[a].dist[vertex{r: b}]; ok && b != r {
				visit(b, d, gated(trees[a].hops[vertex{r: b}]))
			}
		}
	}
	for _, a := range areas { // RFC 2328 16.2
		if r.border() && a != 0 {
			continue
		}
		each(a, func(b *modelRouter, cost int, hops hopSet) {
			for x, c := range b.said.summaries[a] {
				if c < infinity && !active[x] && b.border() {
					r.offer(x, modelRoute{kind: "inter-area", cost: cost + c, area: a, hops: hops})
				}
			}
			for to, c := range b.said.asbrs[a] {
				if c < infinity && to != r && b.border() {
					entry(modelBorder{to, a, cost + c, hops, true})
				}
			}
		})
	}
	for _, a := range areas {
		if k := r.area(a); k.Closed() {
			continue
		}
		each(a, func(b *modelRouter, cost int, hops hopSet) {
			if b.asBoundary() {
				entry(modelBorder{b, a, cost, hops, false})
			}
		})
	}
	for _, a := range areas { // RFC 2328 16.3
		crossed := r.said.transit[a]
		each(a, func(b *modelRouter, _ int, _ hopSet) { crossed = crossed || b.said.transit[a] })
		if a == 0 || !crossed {
			continue
		}
		each(a, func(b *modelRouter, cost int, hops hopSet) {
			if !b.border() {
				return
			}
			better := func(old int, has hopSet, c int) (int, hopSet) {
				switch {
				case c < old:
					return c, hops
				case c == old:
					return c, union(has, hops)
				}
				return old, has
			}
			for x, c := range b.said.summaries[a] {
				if n, ok := r.table[x]; ok && n.area == 0 && n.hops != nil && (n.kind == "intra-area" || n.kind == "inter-area") {
					n.cost, n.hops = better(n.cost, n.hops, cost+c)
					r.table[x] = n
				}
			}
			for to, c := range b.said.asbrs[a] {
				if key := fmt.Sprint(to.d.Name, " ", 0); entries[key].router != nil {
					e := entries[key]
					e.cost, e.hops = better(e.cost, e.hops, cost+c)
					entries[key] = e
				}
			}
		})
	}
	for _, e := range entries { // RFC 2328 16.4 (3)
		old, ok := r.asbrs[e.router]
		better := !ok
		if ok {
			switch strict := r.d.OSPF.Strict; {
			case strict && e.inside() != old.inside():
				better = e.inside()
			case e.cost != old.cost:
				better = e.cost < old.cost
			default:
				better = e.area > old.area
			}
		}
		if better {
			r.asbrs[e.router] = e
		}
	}
	m.outside(r, areas, trees)
	r.discards()
}

func (b modelBorder) inside() bool { return !b.inter && b.area != 0 }

func (r *modelRouter) activeRanges() map[ip.Prefix]bool {
	out := map[ip.Prefix]bool{}
	if !r.border() {
		return out
	}
	for x, n := range r.table {
		if g, ok := r.rangeOf(n.area, x); ok && n.kind == "intra-area" {
			out[ip.PrefixFrom(g.Prefix)] = true
		}
	}
	return out
}

func (r *modelRouter) rangeOf(area uint32, x ip.Prefix) (best config.Range, ok bool) {
	for _, g := range r.area(area).Ranges {
		if ip.PrefixFrom(g.Prefix).Covers(x) && (!ok || g.Prefix.Bits() > best.Prefix.Bits()) {
			best, ok = g, true
		}
	}
	return best, ok
}

// outside adds external routes: RFC 3101 2.5, RFC 2328 16.4.
func (m *model) outside(r *modelRouter, areas []uint32, trees map[uint32]modelTree) {
	inside := map[ip.Prefix]modelRoute{}
	for x, n := range r.table {
		if n.kind == "intra-area" || n.kind == "inter-area" {
			inside[x] = n
		}
	}
	forward := func(to ip.Addr, fits func(modelRoute) bool) (n modelRoute, ok bool) {
		length := -1
		for _, p := range r.ports {
			if p.runs() && p.addr() == to {
				return n, false
			}
		}
		for x, o := range inside {
			if x.Contains(to) && int(x.Len) > length {
				n, length, ok = o, int(x.Len), fits(o)
			}
		}
		if !ok || n.hops != nil {
			return n, ok
		}
		for _, p := range r.ports {
			if p.runs() && p.net().Contains(to) {
				n.hops = hopSet{p.c.Name + " " + to.String(): true}
				return n, true
			}
		}
		return n, false
	}
	offer := func(e modelExternal, cost int, hops hopSet, area uint32, second bool) {
		n := modelRoute{kind: "external type 2", cost: e.metric, dist: cost, area: area, hops: hops, second: second}
		if e.type1 {
			n = modelRoute{kind: "external type 1", cost: cost + e.metric, area: area, hops: hops, second: second}
		}
		r.offer(e.prefix, n)
	}
	open := false
	for _, a := range areas {
		k := r.area(a)
		open = open || !k.Closed()
		if !k.NSSA {
			continue
		}
		for _, b := range m.routers {
			d, ok := trees[a].dist[vertex{r: b}]
			if !ok || b == r || !b.asBoundary() {
				continue
			}
			for _, e := range b.said.nssa[a] {
				if r.border() && e.prefix.Len == 0 && (!e.p || k.NoSummary) {
					continue
				}
				cost, hops := d, gated(trees[a].hops[vertex{r: b}])
				if e.forward.IsValid() {
					n, ok := forward(e.forward, func(n modelRoute) bool { return n.kind == "intra-area" && n.area == a })
					if !ok {
						continue
					}
					cost, hops = n.cost, n.hops
				}
				offer(e, cost, hops, a, false)
			}
		}
	}
	if !open {
		return
	}
	for b, at := range r.asbrs {
		for _, e := range b.said.external {
			cost, hops, first := at.cost, at.hops, at.inside()
			if e.forward.IsValid() {
				n, ok := forward(e.forward, func(modelRoute) bool { return true })
				if !ok {
					continue
				}
				cost, hops, first = n.cost, n.hops, n.kind == "intra-area" && n.area != 0
			}
			offer(e, cost, hops, 0, r.d.OSPF.Strict && !first)
		}
	}
}

// discards adds the routes into a blackhole of active ranges and summaries.
func (r *modelRouter) discards() {
	drop := modelRoute{kind: "range"}
	for x := range r.activeRanges() {
		r.offer(x, drop)
	}
	join := func(list []config.Summary, x ip.Prefix, translated bool) {
		if s, ok := coveredBy(list, x); ok {
			to := ip.PrefixFrom(s.Prefix)
			if n, has := r.table[to]; translated && has && n.area != 0 && strings.HasPrefix(n.kind, "external") {
				return
			}
			r.offer(to, drop)
		}
	}
	if r.on {
		for range r.d.OSPF.Injects {
			for _, s := range r.d.Statics {
				join(r.d.OSPF.Summaries, ip.PrefixFrom(s.Prefix), false)
			}
		}
	}
	for _, a := range r.areas() {
		if !r.translates(a) {
			continue
		}
		for x, n := range maps.Clone(r.table) {
			if n.area == a && strings.HasPrefix(n.kind, "external") {
				join(r.area(a).Summaries, x, true)
			}
		}
	}
}

// translates is RFC 3101 3.1.
func (r *modelRouter) translates(area uint32) bool {
	k := r.area(area)
	if !k.NSSA || !r.border() || !r.in(area) {
		return false
	}
	if k.Translate {
		return true
	}
	for b := range r.asbrs { // reached outside of the area
		if b.border() && b.in(area) && r.reaches(b, area) && (b.area(area).Translate || b.id > r.id) {
			return false
		}
	}
	return true
}

// reaches says whether a router is reached inside an area; set by the model.
func (r *modelRouter) reaches(b *modelRouter, area uint32) bool {
	seen := map[*modelRouter]bool{r: true}
	for work := []*modelRouter{r}; len(work) > 0; work = work[1:] {
		for _, e := range edgesOf(vertex{r: work[0]}, area) {
			for _, n := range append(edgesOf(e.to, area), modelEdge{to: e.to}) {
				if e.to.g == nil && n.to != e.to || n.to.r == nil || seen[n.to.r] {
					continue
				}
				seen[n.to.r] = true
				work = append(work, n.to.r)
			}
		}
	}
	return seen[b]
}

// announce is what a router says with the table that it has.
func (m *model) announce(r *modelRouter) said {
	out := said{summaries: map[uint32]map[ip.Prefix]int{}, asbrs: map[uint32]map[*modelRouter]int{}, nssa: map[uint32][]modelExternal{},
		links: map[*modelRouter]modelVirtual{}, transit: map[uint32]bool{}}
	if !r.on {
		return out
	}
	leads := func(h hopSet, area uint32) bool {
		for x := range h {
			port, _, _ := strings.Cut(x, " ")
			for _, p := range r.ports {
				if p.c.Name == port && p.c.OSPF.Area == area {
					return true
				}
			}
		}
		return false
	}
	open := false
	for _, a := range r.areas() {
		k := r.area(a)
		open = open || !k.Closed()
		if r.border() {
			out.summaries[a] = m.summaries(r, a, leads)
			out.asbrs[a] = map[*modelRouter]int{}
			for to, e := range r.asbrs {
				if !k.Closed() && e.area != a && !(e.inter && a == 0) && !leads(e.hops, a) {
					out.asbrs[a][to] = e.cost
				}
			}
		}
		if k.NSSA {
			list := r.outside()
			for i := range list {
				list[i].p, list[i].forward = !r.border(), r.forwardingAddress(a)
				if r.border() {
					list[i].forward = ip.Addr{}
				}
			}
			if r.border() && !k.NoSummary && !slices.ContainsFunc(list, func(x modelExternal) bool { return x.prefix.Len == 0 }) {
				list = append(list, modelExternal{prefix: ip.Default, metric: int(k.DefaultCost)})
			}
			out.nssa[a] = list
		}
	}
	if open {
		out.external = r.outside()
		for _, x := range m.translated(r) {
			if !slices.ContainsFunc(out.external, func(o modelExternal) bool { return o.prefix == x.prefix }) {
				out.external = append(out.external, x)
			}
		}
	}
	for _, a := range r.d.OSPF.Areas { // RFC 2328 15
		for _, v := range a.Virtual {
			i := slices.IndexFunc(m.routers, func(o *modelRouter) bool { return o.id == ip.QuadFrom(v.Peer) })
			if i < 0 || !m.routers[i].on {
				continue
			}
			far := m.routers[i]
			back := far.area(a.ID)
			if !slices.ContainsFunc(back.Virtual, func(o config.VirtualLink) bool { return ip.QuadFrom(o.Peer) == r.id }) || !r.in(a.ID) || !far.in(a.ID) {
				continue
			}
			if t := m.tree(r, a.ID); t.dist[vertex{r: far}] > 0 && r.several() && far.several() {
				out.links[far] = modelVirtual{a.ID, t.dist[vertex{r: far}], gated(t.hops[vertex{r: far}])}
			}
		}
	}
	for far, l := range out.links {
		if _, back := far.said.links[r]; back {
			out.transit[l.area] = true
		}
	}
	return out
}

func (r *modelRouter) forwardingAddress(area uint32) ip.Addr {
	var loopback, any ip.Addr
	for _, p := range r.ports {
		if p.runs() && p.c.OSPF.Area == area {
			any = ip.Higher(any, p.addr())
			if p.c.Loopback {
				loopback = ip.Higher(loopback, p.addr())
			}
		}
	}
	if loopback.IsValid() {
		return loopback
	}
	return any
}

// summaries is RFC 2328 12.4.3.
func (m *model) summaries(r *modelRouter, area uint32, leads func(hopSet, uint32) bool) map[ip.Prefix]int {
	out := map[ip.Prefix]int{}
	k := r.area(area)
	if k.Stub || k.NSSA && k.NoSummary {
		out[ip.Default] = int(k.DefaultCost)
	}
	if k.Closed() && k.NoSummary {
		return out
	}
	add := func(x ip.Prefix, cost int) {
		if old, ok := out[x]; !ok || cost < old {
			out[x] = cost
		}
	}
	crossed := r.said.transit[area]
	for _, b := range m.routers {
		if b.said.transit[area] && r.in(area) && r.reaches(b, area) {
			crossed = true
		}
	}
	joined := map[ip.Prefix]int{}
	costs := map[ip.Prefix]int{}
	for x, n := range r.table {
		if n.kind != "intra-area" && n.kind != "inter-area" || n.area == area || leads(n.hops, area) || n.cost >= infinity {
			continue
		}
		if n.kind == "inter-area" {
			if area != 0 {
				add(x, n.cost)
			}
			continue
		}
		if g, ok := r.rangeOf(n.area, x); ok && (n.area != 0 || !crossed) {
			if !g.Hidden {
				p := ip.PrefixFrom(g.Prefix)
				joined[p] = max(joined[p], n.cost)
				costs[p] = int(g.Cost)
			}
			continue
		}
		add(x, n.cost)
	}
	for x, c := range joined {
		if costs[x] != 0 {
			c = costs[x]
		}
		add(x, c)
	}
	return out
}

// translated is RFC 3101 3.2: of the NSSA LSAs whose routes are used, those that
// ask for it.
func (m *model) translated(r *modelRouter) (all []modelExternal) {
	for _, a := range r.areas() {
		if !r.translates(a) {
			continue
		}
		found := map[ip.Prefix]modelExternal{}
		by := map[ip.Prefix]ip.Quad{}
		for _, b := range m.routers {
			if b == r || !r.reaches(b, a) {
				continue
			}
			for _, e := range b.said.nssa[a] {
				n := r.table[e.prefix]
				if !e.p || !e.forward.IsValid() || n.area != a || n.kind != map[bool]string{true: "external type 1", false: "external type 2"}[e.type1] {
					continue
				}
				way := r.intraCost(e.forward, a)
				if e.type1 && n.cost != way+e.metric || !e.type1 && (n.cost != e.metric || n.dist != way) {
					continue // another one's route is used
				}
				e.cost = n.cost
				old, has := found[e.prefix]
				if !has || e.metric < old.metric || e.metric == old.metric && b.id > by[e.prefix] {
					found[e.prefix], by[e.prefix] = e, b.id
				}
			}
		}
		var list []modelExternal
		for _, e := range found {
			e.p = false
			list = append(list, e)
		}
		sort.Slice(list, func(i, j int) bool { return list[i].prefix.Compare(list[j].prefix) < 0 })
		all = append(all, modelJoin(list, r.area(a).Summaries)...)
	}
	return all
}

func (r *modelRouter) intraCost(to ip.Addr, area uint32) int {
	best, length := -1, -1
	for x, n := range r.table {
		if x.Contains(to) && int(x.Len) > length && (n.kind == "intra-area" || n.kind == "inter-area") {
			best, length = n.cost, int(x.Len)
		}
	}
	return best
}

// uneven says whether packets may go round although all tables are as the RFCs ask:
// border routers know paths that others do not, where the backbone is in several
// parts (RFC 2328 3.2), or where some of them join what a virtual link carries.
func (m *model) uneven() bool {
	for _, a := range m.routers {
		if len(a.said.transit) > 0 {
			return true
		}
		for _, b := range m.routers {
			if a.in(0) && b.in(0) && !a.reaches(b, 0) {
				return true
			}
		}
	}
	return false
}

// settle makes rounds until nothing changes: in several, for a virtual link is in
// use a round after both ends have it, its area says so in the next, and what that
// changes is seen in the one after.
func (m *model) settle() bool {
	same := 0
	for range 80 {
		was := m.String()
		for _, r := range m.routers {
			m.compute(r)
		}
		next := make([]said, len(m.routers))
		for i, r := range m.routers {
			next[i] = m.announce(r)
		}
		for i, r := range m.routers {
			r.said = next[i]
		}
		if m.String() != was {
			same = 0
		} else if same++; same == 4 {
			return true
		}
	}
	return false
}

// routes are the OSPF routes that are used, as learned writes them.
func (m *model) routes(r *modelRouter) map[string]string {
	out := map[string]string{}
	for x, n := range r.table {
		if r.owns(x) || n.hops == nil && n.kind != "range" {
			continue
		}
		out[x.String()] = routeLine(n.kind, n.cost, n.dist, slices.Sorted(maps.Keys(n.hops)))
	}
	return out
}

func routeLine(kind string, cost, dist int, hops []string) string {
	return fmt.Sprintf("%s %d %d by %s", kind, cost, dist, strings.Join(hops, ", "))
}

func (m *model) String() string {
	var b strings.Builder
	for _, r := range m.routers {
		fmt.Fprintln(&b, r.d.Name, m.routes(r))
		var far []string
		for f, l := range r.said.links {
			far = append(far, fmt.Sprint(f.d.Name, l.cost))
		}
		slices.Sort(far)
		fmt.Fprintln(&b, far, len(r.said.external), len(r.said.transit))
	}
	return b.String()
}
