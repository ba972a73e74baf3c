package ospf

import (
	"math"
	"math/rand"
	"testing"

	"gonum.org/v1/gonum/graph/path"
	"gonum.org/v1/gonum/graph/simple"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/store"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	wire "hellebore/core/protocols/wire/ospf"
)

// randomArea puts an area of routers and links, a ring and chords at random, into
// the database of a router of it, and into a library's graph.
func randomArea(b *testing.B, routers, links int) (*node, *simple.WeightedDirectedGraph, []wire.RouterBody) {
	r := rand.New(rand.NewSource(1))
	g := simple.NewWeightedDirectedGraph(0, math.Inf(1))
	n := newRig(b, 1).nodes[0]
	n.p.running, n.p.routerID = true, id(0)
	n.p.areaOf(0)
	bodies := make([]wire.RouterBody, routers)
	for k := range links {
		x, y := k, (k+1)%routers
		for k >= routers && (x >= routers || x == y) {
			x, y = r.Intn(routers), r.Intn(routers)
		}
		addr := ip.Quad(0x0a000000 + 4*k)
		for _, end := range [][3]int{{x, y, 1}, {y, x, 2}} {
			cost := 1 + r.Intn(40)
			bodies[end[0]].Links = append(bodies[end[0]].Links,
				wire.RouterLink{ID: id(end[1]), Data: addr + ip.Quad(end[2]), Type: wire.LinkPointToPoint, Metric: uint16(cost)},
				wire.RouterLink{ID: addr, Data: ip.Mask(30), Type: wire.LinkStub, Metric: uint16(cost)})
			g.SetWeightedEdge(simple.WeightedEdge{F: simple.Node(end[0]), T: simple.Node(end[1]), W: float64(cost)})
			if end[0] == 0 {
				n.p.ports = append(n.p.ports, &port{PortConfig: defaultPort(ip.V4(addr + ip.Quad(end[2]))), firstNbr: store.RefTo(uint32(len(n.p.nbrs)))})
				n.p.nbrs = append(n.p.nbrs, neighbour{port: uint32(len(n.p.ports) - 1), id: id(end[1]), address: ip.V4(addr + ip.Quad(3-end[2])), state: adjacency.Full})
			}
		}
	}
	for i := range bodies {
		n.put(i, &bodies[i])
	}
	return n, g, bodies
}

func (n *node) put(i int, body *wire.RouterBody) {
	key := n.pool.KeyID(wire.Key{Type: wire.RouterLSA, ID: id(i), Router: id(i)})
	number, _ := n.pool.intern(&n.shared, key, 0, body.Append(nil))
	old := n.p.areas[0].db.Get(key)
	n.p.areas[0].db.Put(key, lsdb.Instance{Body: number, Seq: old.Seq + 1})
	n.p.changedLSA(n, 0, key, old)
}

// BenchmarkShortestPaths computes the routes of an area of 1,000 routers and
// 3,000 links: by the process, routes to all networks and next hops included;
// after a link changed its cost; and distances alone, by a general library.
func BenchmarkShortestPaths(b *testing.B) {
	n, g, bodies := randomArea(b, 1000, 3000)
	b.Run("full", func(b *testing.B) {
		for b.Loop() {
			n.p.all = true
			n.p.runSPF(n)
			n.notes = nil
		}
	})
	b.Run("changed link", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			l := &bodies[1+i%999].Links[0]
			l.Metric = l.Metric%40 + 1
			n.put(1+i%999, &bodies[1+i%999])
			n.p.runSPF(n)
			n.notes = nil
		}
	})
	b.Run("library", func(b *testing.B) {
		for b.Loop() {
			path.DijkstraFrom(simple.Node(0), g)
		}
	})
}
