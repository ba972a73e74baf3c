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
	nssas    map[int]int // the same
	ranges   map[int]planRange
}

// planRange is what all border routers of an area join its networks into.
type planRange struct {
	cost   int // 0: the largest
	hidden bool
}

func (r planRange) String() string {
	switch {
	case r.hidden:
		return " hidden"
	case r.cost != 0:
		return fmt.Sprintf("\n        cost %d", r.cost)
	}
	return ""
}

// Addresses tell their area: all of area a are in its /12.
func rangeOf(area int) string { return fmt.Sprintf("10.%d.0.0/12", 16*area) }
func linkNet(area, i int, h int) string {
	return fmt.Sprintf("10.%d.%d.%d/30", 16*area+1+i/250, i%250, h)
}
func segmentNet(area, i, h int) string { return fmt.Sprintf("10.%d.%d.%d/24", 16*area+15, i, h) }
func loopback(area, i int) string      { return fmt.Sprintf("10.%d.%d.%d/32", 16*area+14, i/250, i%250+1) }

// home is the area of a router's loopback.
func (r planRouter) home() int { return r.areas[len(r.areas)-1] }

// closed says whether an area takes no AS external LSAs.
func (p *plan) closed(area int) bool {
	_, stub := p.stubs[area]
	_, nssa := p.nssas[area]
	return stub || nssa
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
	p := &plan{stubs: map[int]int{}, nssas: map[int]int{}, ranges: map[int]planRange{}}
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
		switch r.Intn(4) {
		case 0:
			p.stubs[a] = 1 + r.Intn(9)
		case 1:
			p.nssas[a] = 1 + r.Intn(9)
		}
		if r.Intn(3) == 0 {
			p.ranges[a] = planRange{cost: r.Intn(2) * (1 + r.Intn(60)), hidden: r.Intn(5) == 0}
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
		prefix := fmt.Sprintf("172.%d.0.0/16", 16+r.Intn(4))
		if _, nssa := p.nssas[p.routers[i].home()]; nssa {
			prefix = fmt.Sprintf("192.168.%d.0/24", i) // of nobody else, or who translates what is another question
		}
		if !inStub {
			p.routers[i].outside = append(p.routers[i].outside, planOutside{prefix, r.Intn(40), r.Intn(2) == 0})
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
		a := port(l.a, linkNet(l.area, i, 1), l.area, l.costA)
		b := port(l.b, linkNet(l.area, i, 2), l.area, l.costB)
		fmt.Fprintf(&joins, "link %s %s\n", a, b)
	}
	for i, s := range p.segments {
		fmt.Fprintf(&joins, "segment s%d", i)
		for k, x := range s.ports {
			joins.WriteString(" " + port(x.router, segmentNet(s.area, i, k+1), s.area, x.cost))
		}
		joins.WriteString("\n")
	}
	var b strings.Builder
	for i, r := range p.routers {
		fmt.Fprintf(&b, "router r%d\n  loopback lo %s\n    ospf area %d passive\n", i, loopback(r.home(), i), r.home())
		b.WriteString(strings.Join(ports[i], ""))
		b.WriteString("  ospf\n")
		for _, a := range r.areas {
			fmt.Fprintf(&b, "    area %d\n", a)
			if c, stub := p.stubs[a]; stub {
				fmt.Fprintf(&b, "      stub\n        default-cost %d\n", c)
			}
			if c, nssa := p.nssas[a]; nssa {
				fmt.Fprintf(&b, "      nssa\n        default-cost %d\n", c)
			}
			if x, ok := p.ranges[a]; ok && len(r.areas) > 1 {
				fmt.Fprintf(&b, "      range %s%s\n", rangeOf(a), x)
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
	if p.routers[router].home() == area {
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
			out = append(out, planNetwork{linkNet(l.area, i, 0), l.area, []planPort{{l.a, l.costA}, {l.b, l.costB}}})
		}
	}
	for i, s := range o.p.segments {
		n := planNetwork{prefix: segmentNet(s.area, i, 0), area: s.area}
		if len(s.ports) > 1 {
			n.at = []planPort{{len(o.p.routers) + i, 0}}
		} else {
			n.at = s.ports
		}
		out = append(out, n)
	}
	for i, r := range o.p.routers {
		out = append(out, planNetwork{loopback(r.home(), i), r.home(), []planPort{{i, 0}}})
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

// joined is what a border router says that a range costs.
func (o *oracle) joined(router, area int, x planRange) int {
	largest := -1
	for _, n := range o.networks() {
		if c := o.intra(router, n); n.area == area && c < far {
			largest = max(largest, c)
		}
	}
	switch {
	case largest < 0 || len(o.p.routers[router].areas) < 2:
		return far
	case x.cost != 0:
		return x.cost
	}
	return largest
}

// translates says whether a border router translates an NSSA: none that it
// reaches there has a higher router ID.
func (o *oracle) translates(router, area int) bool {
	if !o.border(router) || !o.in(router, area) {
		return false
	}
	for b := range o.p.routers {
		// Router IDs rise with the numbers of routers of one area.
		if b > router && o.border(b) && o.in(b, area) && o.dist[area][router][b] < far {
			return false
		}
	}
	return true
}

// translated is the cost of the way to what a router in an NSSA announces, from
// outside of the NSSA: to the forwarding address, if a translator can be reached.
func (o *oracle) translated(router, to, area int, known map[string]string) int {
	for b := range o.p.routers {
		if !o.translates(b, area) || o.dist[area][b][to] >= far || b != router && o.asbr(router, b) >= far {
			continue
		}
		for _, prefix := range []string{loopback(area, to), rangeOf(area)} {
			if s, ok := known[prefix]; ok {
				var cost int
				_, _ = fmt.Sscanf(s[strings.LastIndex(s, " ")+1:], "%d", &cost)
				return cost
			}
		}
	}
	return far
}

// asbr is the cost of the way to an AS boundary router (RFC 2328 16.4.1).
func (o *oracle) asbr(router, to int) int {
	best := far
	for _, a := range o.areas(router) {
		if a != 0 && !o.p.closed(a) && o.in(to, a) {
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
			if a != 0 && !o.p.closed(a) && o.in(to, a) && b != to {
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
				own = own || x.router == router && n.prefix == segmentNet(s.area, i, 0)
			}
		}
		if own {
			continue // connected
		}
		kind := "intra-area"
		if _, joined := o.p.ranges[n.area]; cost >= far && !joined {
			kind = "inter-area"
			cost = o.inter(router, func(b int) int { return o.intra(b, n) })
		}
		if cost < far {
			out[n.prefix] = fmt.Sprintf("%s %d", kind, cost)
		}
	}
	for a, x := range o.p.ranges {
		if x.hidden || o.in(router, a) {
			continue // those in the area know better, and its border routers do not listen
		}
		if cost := o.inter(router, func(b int) int { return o.joined(b, a, x) }); cost < far {
			out[rangeOf(a)] = fmt.Sprintf("inter-area %d", cost)
		}
	}
	inside := -1 // the closed area that the router is in alone
	if all := o.areas(router); len(all) == 1 && o.p.closed(all[0]) {
		inside = all[0]
		best := far
		c, stub := o.p.stubs[inside]
		if !stub {
			c = 0
		}
		for b := range o.p.routers {
			if o.border(b) && o.in(b, inside) {
				best = min(best, o.dist[inside][router][b]+c)
			}
		}
		switch {
		case best >= far:
		case stub:
			out["0.0.0.0/0"] = fmt.Sprintf("inter-area %d", best)
		default:
			out["0.0.0.0/0"] = external{false, o.p.nssas[inside], best}.String()
		}
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
			home := o.p.routers[to].home()
			_, nssa := o.p.nssas[home]
			way := far
			switch {
			case nssa && o.in(router, home) && o.in(to, home) && o.dist[home][router][to] < far:
				way = o.dist[home][router][to]
			case inside >= 0:
			case nssa && !o.border(to):
				way = o.translated(router, to, home, out)
			default:
				way = o.asbr(router, to)
			}
			if nssa && inside < 0 && o.border(to) {
				way = min(way, o.asbr(router, to)) // it announces both
			}
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

// oracleRuns is how many random labs are tried: usual, unless ORACLE says
// otherwise.
func oracleRuns(usual int) int {
	if n, err := strconv.Atoi(os.Getenv("ORACLE")); err == nil {
		return n
	}
	return usual
}

// TestRoutesAgainstTheTopology holds the settled tables of random networks in
// areas against routes that are computed straight from the topology, then again
// after cuts, mends and changes of cost. ORACLE=1000 tries so many networks.
func TestRoutesAgainstTheTopology(t *testing.T) {
	runs := oracleRuns(12)
	for seed := range runs {
		r := rand.New(rand.NewSource(int64(seed)))
		size := 6 + r.Intn(14)
		if seed%3 == 2 {
			size = 20 + r.Intn(41)
		}
		p := randomPlan(r, size)
		t.Logf("seed %d", seed) // shown if it fails
		w := build(t, p.text())
		settle(t, w)
		p.require(t, w, fmt.Sprintf("seed %d, cold", seed))
		for step := range 4 {
			i := r.Intn(len(p.links))
			l := &p.links[i]
			if r.Intn(3) == 0 { // another cost
				l.costA = 1 + r.Intn(30)
				configure(t, w, p.text())
				settle(t, w)
				p.require(t, w, fmt.Sprintf("seed %d, step %d, cost", seed, step))
				continue
			}
			dev, _ := port(t, w, fmt.Sprintf("r%d.lo", l.a))
			for k := range w.Device(dev).Ports() {
				if a := w.Device(dev).Ports()[k].Config.Address; a.String() == linkNet(l.area, i, 1) {
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
