package ospf

import (
	"slices"

	"hellebore/core/ground/ip"
	wire "hellebore/core/protocols/wire/ospf"
)

// TreeEdge is a link of a shortest-path tree, from a vertex nearer to the root.
// A vertex is a router by its router ID, or a segment by its DR's address.
type TreeEdge struct {
	Area               uint32
	From, To           ip.Quad
	FromNet, ToNet     bool
	Address, ToAddress ip.Addr // of From and of To on the link; 0 of a segment
	Cost, Distance     uint32  // of the link, and from the root to To
	Virtual            bool
}

// Tree visits the shortest-path trees of the last run, one edge per call.
func (p *Process) Tree(h Host, visit func(TreeEdge)) {
	pool := h.Pool()
	for ai := range p.areas {
		a := &p.areas[ai]
		if a.tree == nil {
			continue
		}
		body := func(vertex uint32) (*Body, bool, ip.Quad) {
			key, isNet := vertex, false
			for _, n := range a.tree.nets {
				if n.vertex == vertex {
					key, isNet = n.key, true
				}
			}
			e := a.db.Usable(key)
			if e == nil {
				return nil, isNet, 0
			}
			name := pool.Key(key).Router
			if isNet {
				name = pool.Key(key).ID
			}
			return pool.bodies.Get(e.Body), isNet, name
		}
		for i, x := range a.tree.Keys {
			from, fromNet, fromName := body(x)
			if from == nil {
				continue
			}
			for _, e := range from.Edges {
				k, ok := a.tree.Find(e.To)
				if !ok || a.tree.Dist[i]+e.Metric != a.tree.Dist[k] || k == i {
					continue
				}
				to, toNet, toName := body(e.To)
				if to == nil {
					continue
				}
				// Of several links between two routers, the one whose addresses
				// are next to each other.
				var toAddress uint32
				for _, back := range to.Edges {
					if back.To == x && (toAddress == 0 || back.Data^e.Data < toAddress^e.Data) {
						toAddress = back.Data
					}
				}
				if !to.LinksTo(x) {
					continue
				}
				virtual := slices.ContainsFunc(from.Router.Links, func(l wire.RouterLink) bool {
					return l.Type == wire.LinkVirtual && l.ID == toName && uint32(l.Data) == e.Data
				})
				visit(TreeEdge{Area: a.id, From: fromName, To: toName, FromNet: fromNet, ToNet: toNet, Virtual: virtual,
					Address: ip.V4(ip.Quad(e.Data)), ToAddress: ip.V4(ip.Quad(toAddress)), Cost: e.Metric, Distance: a.tree.Dist[k]})
			}
		}
	}
}
