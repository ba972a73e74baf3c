package network_test

import (
	"fmt"
	"math/rand"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/network"
	"hellebore/core/route"
)

// plan is a random network in areas, from which both the lab's text and the
// routes that must come out are made.
type plan struct {
	routers  []planRouter
	links    []planLink
	segments []planSegment
	stubs    map[int]int // area to default cost
}

type planRouter struct {
	areas   []int // sorted; more than one makes a border router
	outside []planOutside
}

type planOutside struct {
	prefix string
	metric int
	type1  bool
}

type planLink struct {
	a, b, area   int
	costA, costB int
	cut          bool
}

type planSegment struct {
	area  int
	ports []planPort
}

type planPort struct{ router, cost int }

const far = 1 << 28

// randomPlan makes a backbone and areas around it: each area joined to the
// backbone by one or two border routers, each a ring with some chords and now
// and then a segment.
func randomPlan(r *rand.Rand, size int) *plan {
	p := &plan{stubs: map[int]int{}}
	members := map[int][]int{}
	add := func(areas ...int) int {
		p.routers = append(p.routers, planRouter{areas: areas})
		for _, a := range areas {
			members[a] = append(members[a], len(p.routers)-1)
		}
		return len(p.routers) - 1
	}
	areas := 1 + r.Intn(4)
	for range 2 + r.Intn(3) {
		add(0)
	}
	for a := 1; a < areas; a++ {
		for range 1 + r.Intn(2) {
			add(0, a)
		}
		if r.Intn(3) == 0 {
			p.stubs[a] = 1 + r.Intn(9)
		}
	}
	for len(p.routers) < size {
		add(r.Intn(areas))
	}
	cost := func() int { return 1 + r.Intn(30) }
	for a := range areas {
		m := members[a]
		for i := 1; i < len(m); i++ {
			p.links = append(p.links, planLink{a: m[r.Intn(i)], b: m[i], area: a, costA: cost(), costB: cost()})
		}
		for range r.Intn(len(m) + 1) {
			if x, y := m[r.Intn(len(m))], m[r.Intn(len(m))]; x != y {
				p.links = append(p.links, planLink{a: x, b: y, area: a, costA: cost(), costB: cost()})
			}
		}
		if r.Intn(2) == 0 {
			s := planSegment{area: a}
			for _, i := range r.Perm(len(m))[:min(len(m), 1+r.Intn(5))] {
				s.ports = append(s.ports, planPort{m[i], cost()})
			}
			p.segments = append(p.segments, s)
		}
	}
	for range r.Intn(3) {
		i := r.Intn(len(p.routers))
		inStub := true
		for _, a := range p.routers[i].areas {
			if _, stub := p.stubs[a]; !stub {
				inStub = false
			}
		}
		if !inStub {
			p.routers[i].outside = append(p.routers[i].outside, planOutside{fmt.Sprintf("172.%d.0.0/16", 16+r.Intn(4)), r.Intn(40), r.Intn(2) == 0})
		}
	}
	return p
}

func (p *plan) text() string {
	ports := make([][]string, len(p.routers))
	var joins strings.Builder
	port := func(router int, addr string, area, cost int) string {
		name := fmt.Sprintf("p%d", len(ports[router]))
		ports[router] = append(ports[router], fmt.Sprintf("  port %s %s\n    ospf area %d\n      cost %d\n", name, addr, area, cost))
		return fmt.Sprintf("r%d.%s", router, name)
	}
	for i, l := range p.links {
		a := port(l.a, fmt.Sprintf("10.%d.%d.1/30", 1+i/250, i%250), l.area, l.costA)
		b := port(l.b, fmt.Sprintf("10.%d.%d.2/30", 1+i/250, i%250), l.area, l.costB)
		fmt.Fprintf(&joins, "link %s %s\n", a, b)
	}
	for i, s := range p.segments {
		fmt.Fprintf(&joins, "segment s%d", i)
		for k, x := range s.ports {
			joins.WriteString(" " + port(x.router, fmt.Sprintf("10.200.%d.%d/24", i, k+1), s.area, x.cost))
		}
		joins.WriteString("\n")
	}
	var b strings.Builder
	for i, r := range p.routers {
		fmt.Fprintf(&b, "router r%d\n  loopback lo 10.255.%d.%d/32\n    ospf area %d passive\n", i, i/250, i%250+1, r.areas[len(r.areas)-1])
		b.WriteString(strings.Join(ports[i], ""))
		b.WriteString("  ospf\n")
		for _, a := range r.areas {
			if c, stub := p.stubs[a]; stub {
				fmt.Fprintf(&b, "    area %d\n      stub\n        default-cost %d\n", a, c)
			}
		}
		seen := map[string]bool{}
		for k, o := range r.outside {
			if seen[o.prefix] {
				continue
			}
			seen[o.prefix] = true
			kind := 2
			if o.type1 {
				kind = 1
			}
			fmt.Fprintf(&b, "    inject static through r%d-%d type %d metric %d\n", i, k, kind, o.metric)
			fmt.Fprintf(&joins, "prefix-set r%d-%d\n  %s\n", i, k, o.prefix)
			// The route itself is no route of OSPF.
			b.WriteString("")
		}
		for p := range seen {
			fmt.Fprintf(&b, "  static %s blackhole\n", p)
		}
	}
	return b.String() + joins.String()
}

// distances are those of an area between its routers and segments; segments are
// numbered after the routers.
func (p *plan) distances(area int) [][]int {
	n := len(p.routers) + len(p.segments)
	d := make([][]int, n)
	for i := range d {
		d[i] = make([]int, n)
		for k := range d[i] {
			if d[i][k] = far; i == k {
				d[i][k] = 0
			}
		}
	}
	for _, l := range p.links {
		if l.area == area && !l.cut {
			d[l.a][l.b], d[l.b][l.a] = min(d[l.a][l.b], l.costA), min(d[l.b][l.a], l.costB)
		}
	}
	for i, s := range p.segments {
		if s.area == area && len(s.ports) > 1 {
			for _, x := range s.ports {
				v := len(p.routers) + i
				d[x.router][v], d[v][x.router] = x.cost, 0
			}
		}
	}
	for k := range d {
		for i := range d {
			for j := range d {
				d[i][j] = min(d[i][j], d[i][k]+d[k][j])
			}
		}
	}
	return d
}

// oracle computes what each router must know, straight from the plan.
type oracle struct {
	p    *plan
	dist map[int][][]int
}

// in says whether a router is in an area: it has a port there that is up.
func (o *oracle) in(router, area int) bool {
	p := o.p
	all := p.routers[router].areas
	if all[len(all)-1] == area {
		return true // the loopback
	}
	for _, l := range p.links {
		if l.area == area && !l.cut && (l.a == router || l.b == router) {
			return true
		}
	}
	for _, s := range p.segments {
		for _, x := range s.ports {
			if s.area == area && x.router == router {
				return true
			}
		}
	}
	return false
}

func (o *oracle) areas(router int) (list []int) {
	for _, a := range o.p.routers[router].areas {
		if o.in(router, a) {
			list = append(list, a)
		}
	}
	return list
}

func (o *oracle) border(router int) bool { return len(o.areas(router)) > 1 }

// planNetwork is a prefix with where it is: router and the cost of its port there,
// or a segment.
type planNetwork struct {
	prefix string
	area   int
	at     []planPort // routers, cost -1 for a segment's vertex
}

func (o *oracle) networks() []planNetwork {
	var out []planNetwork
	for i, l := range o.p.links {
		if !l.cut {
			out = append(out, planNetwork{fmt.Sprintf("10.%d.%d.0/30", 1+i/250, i%250), l.area, []planPort{{l.a, l.costA}, {l.b, l.costB}}})
		}
	}
	for i, s := range o.p.segments {
		n := planNetwork{prefix: fmt.Sprintf("10.200.%d.0/24", i), area: s.area}
		if len(s.ports) > 1 {
			n.at = []planPort{{len(o.p.routers) + i, 0}}
		} else {
			n.at = s.ports
		}
		out = append(out, n)
	}
	for i, r := range o.p.routers {
		out = append(out, planNetwork{fmt.Sprintf("10.255.%d.%d/32", i/250, i%250+1), r.areas[len(r.areas)-1], []planPort{{i, 0}}})
	}
	return out
}

func (o *oracle) intra(router int, n planNetwork) int {
	if !o.in(router, n.area) {
		return far
	}
	best := far
	for _, x := range n.at {
		best = min(best, o.dist[n.area][router][x.router]+x.cost)
	}
	return best
}

// inter is the cost of a network of another area: by the backbone, and into an
// area by its border routers.
func (o *oracle) inter(router int, intra func(int) int) int {
	best := far
	if o.border(router) || o.in(router, 0) {
		for b := range o.p.routers {
			if b != router && o.border(b) && o.in(b, 0) {
				best = min(best, o.dist[0][router][b]+intra(b))
			}
		}
		return best
	}
	a := o.areas(router)[0]
	for b := range o.p.routers {
		if o.border(b) && o.in(b, a) {
			cost := intra(b)
			if cost >= far {
				cost = o.inter(b, intra)
			}
			best = min(best, o.dist[a][router][b]+cost)
		}
	}
	return best
}

// asbr is the cost of the way to an AS boundary router (RFC 2328 16.4.1).
func (o *oracle) asbr(router, to int) int {
	best := far
	for _, a := range o.areas(router) {
		if _, stub := o.p.stubs[a]; a != 0 && !stub && o.in(to, a) {
			best = min(best, o.dist[a][router][to])
		}
	}
	if best < far {
		return best
	}
	if o.in(router, 0) && o.in(to, 0) {
		best = o.dist[0][router][to]
	}
	inside := func(b int) int { // b's own way, as it tells the backbone
		c := far
		for _, a := range o.areas(b) {
			if _, stub := o.p.stubs[a]; a != 0 && !stub && o.in(to, a) && b != to {
				c = min(c, o.dist[a][b][to])
			}
		}
		return c
	}
	if o.in(router, 0) {
		for b := range o.p.routers {
			if b != router && o.border(b) {
				best = min(best, o.dist[0][router][b]+inside(b))
			}
		}
		return best
	}
	a := o.areas(router)[0]
	for b := range o.p.routers {
		if o.border(b) && o.in(b, a) && b != to {
			best = min(best, o.dist[a][router][b]+o.asbr(b, to))
		}
	}
	return best
}

// routes are the OSPF routes that a router must have: prefix to cost, as the
// table has it.
func (o *oracle) routes(router int) map[string]string {
	out := map[string]string{}
	for _, n := range o.networks() {
		cost, own := o.intra(router, n), false
		for _, x := range n.at {
			own = own || x.router == router
		}
		for i, s := range o.p.segments {
			for _, x := range s.ports {
				own = own || x.router == router && n.prefix == fmt.Sprintf("10.200.%d.0/24", i)
			}
		}
		if own {
			continue // connected
		}
		kind := "intra-area"
		if cost >= far {
			kind = "inter-area"
			cost = o.inter(router, func(b int) int { return o.intra(b, n) })
		}
		if cost < far {
			out[n.prefix] = fmt.Sprintf("%s %d", kind, cost)
		}
	}
	stub := false
	if len(o.areas(router)) == 1 {
		a := o.areas(router)[0]
		var c int
		if c, stub = o.p.stubs[a]; stub {
			best := far
			for b := range o.p.routers {
				if o.border(b) && o.in(b, a) {
					best = min(best, o.dist[a][router][b]+c)
				}
			}
			if best < far {
				out["0.0.0.0/0"] = fmt.Sprintf("inter-area %d", best)
			}
		}
	}
	if stub {
		return out
	}
	for to := range o.p.routers {
		for k, x := range o.p.routers[to].outside {
			mine, again := false, false
			for _, y := range o.p.routers[router].outside {
				mine = mine || y.prefix == x.prefix
			}
			for _, y := range o.p.routers[to].outside[:k] {
				again = again || y.prefix == x.prefix
			}
			way := o.asbr(router, to)
			if mine || again || way >= far {
				continue // static, said before, or out of reach
			}
			now := external{x.type1, x.metric, way}
			if old, ok := o.parse(out[x.prefix]); !ok || now.before(old) {
				out[x.prefix] = now.String()
			}
		}
	}
	return out
}

type external struct {
	type1       bool
	metric, way int
}

func (e external) String() string {
	if e.type1 {
		return fmt.Sprintf("external type 1 %d", e.metric+e.way)
	}
	return fmt.Sprintf("external type 2 %d %d", e.metric, e.way)
}

func (e external) before(o external) bool {
	switch {
	case e.type1 != o.type1:
		return e.type1
	case e.type1:
		return e.metric+e.way < o.metric+o.way
	case e.metric != o.metric:
		return e.metric < o.metric
	}
	return e.way < o.way
}

func (o *oracle) parse(s string) (e external, ok bool) {
	if n, _ := fmt.Sscanf(s, "external type 1 %d", &e.metric); n == 1 {
		e.type1 = true
		return e, true
	}
	n, _ := fmt.Sscanf(s, "external type 2 %d %d", &e.metric, &e.way)
	return e, n == 2
}

// learned are the OSPF routes of a router as its table has them.
func learned(w *network.World, name string) map[string]string {
	out := map[string]string{}
	d := w.Find(name)
	kinds := []string{"", "intra-area", "inter-area", "external type 1", "external type 2"}
	for _, id := range d.Prefixes() {
		r := d.Table().Route(route.OSPF, id)
		if s, ok := d.Table().Best(id); !ok || s != route.OSPF || int(r.Kind) >= len(kinds) {
			continue
		}
		out[w.Shared().Prefixes.Prefix(id).String()] = strings.TrimSuffix(fmt.Sprintf("%s %d %d", kinds[r.Kind], r.Metric, r.Metric2), " 0")
	}
	return out
}

func (p *plan) require(t *testing.T, w *network.World, what string) {
	t.Helper()
	o := &oracle{p: p, dist: map[int][][]int{}}
	for _, r := range p.routers {
		for _, a := range r.areas {
			if o.dist[a] == nil {
				o.dist[a] = p.distances(a)
			}
		}
	}
	for i := range p.routers {
		name := fmt.Sprintf("r%d", i)
		want := o.routes(i)
		for k, v := range want { // as learned writes a way of no cost
			want[k] = strings.TrimSuffix(v, " 0")
		}
		require.Equal(t, want, learned(w, name), "%s, %s\n%s", what, name, p.text())
	}
}

// TestRoutesAgainstTheTopology holds the settled tables of random networks in
// areas against routes that are computed straight from the topology, then again
// after cuts and mends. ORACLE=1000 tries so many networks.
func TestRoutesAgainstTheTopology(t *testing.T) {
	runs := 12
	if n, err := strconv.Atoi(os.Getenv("ORACLE")); err == nil {
		runs = n
	}
	for seed := range runs {
		r := rand.New(rand.NewSource(int64(seed)))
		p := randomPlan(r, 6+r.Intn(14))
		w := build(t, p.text())
		settle(t, w)
		p.require(t, w, fmt.Sprintf("seed %d, cold", seed))
		for step := range 3 {
			i := r.Intn(len(p.links))
			l := &p.links[i]
			dev, _ := port(t, w, fmt.Sprintf("r%d.lo", l.a))
			for k := range w.Device(dev).Ports() {
				if a := w.Device(dev).Ports()[k].Config.Address; a.String() == fmt.Sprintf("10.%d.%d.1/30", 1+i/250, i%250) {
					if l.cut {
						w.Mend(dev, uint32(k))
					} else {
						w.Cut(dev, uint32(k))
					}
				}
			}
			l.cut = !l.cut
			settle(t, w)
			p.require(t, w, fmt.Sprintf("seed %d, step %d", seed, step))
		}
	}
}
