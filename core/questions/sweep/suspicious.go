package sweep

import (
	"cmp"
	"slices"
	"strings"

	"hellebore/core/language/config"
	"hellebore/core/questions/failure"
	"hellebore/core/simulation/network"
)

// Suspicious chooses the pairs of a list of failures that are worth trying first, at most so many: for each failure, which of the list
// are tried after it. alone is what each does by itself. First come pairs that part devices which neither of them parts alone, those
// that part more first; then pairs of failures that both displace much: what one has others carry, the other may take from them.
func (s *Sweep) Suspicious(list []failure.Failure, alone []Impact, most int) [][]int {
	type pair struct{ i, j, parted, displaced int }
	g := graphOf(s.base)
	cut := make([]hole, len(list))
	single := make([]int, len(list))
	for i := range list {
		cut[i] = g.hole(&list[i])
		single[i] = g.parted(cut[i])
	}
	displaced := func(r *Impact) int { return 1 + r.Routes + r.Pairs.Out }
	var all []pair
	for i := range list {
		for j := i + 1; j < len(list); j++ {
			all = append(all, pair{i, j, max(0, g.parted(cut[i], cut[j])-max(single[i], single[j])), displaced(&alone[i]) * displaced(&alone[j])})
		}
	}
	slices.SortStableFunc(all, func(a, b pair) int {
		return cmp.Or(cmp.Compare(b.parted, a.parted), cmp.Compare(b.displaced, a.displaced))
	})
	out := make([][]int, len(list))
	for _, p := range all[:min(most, len(all))] {
		out[p.i] = append(out[p.i], p.j)
	}
	for _, seconds := range out {
		slices.Sort(seconds)
	}
	return out
}

// graph is what joins devices: vertices are devices, and segments behind them.
type graph struct {
	devices int
	edges   []edge
	vertex  map[string]int   // of a device
	at      map[string][]int // edges of a port
	next    [][]int          // edges of a vertex
	of      []int            // scratch: component of a vertex
	todo    []int            // scratch
}

type edge struct{ a, b int }

// hole is what a failure takes out of the graph.
type hole struct{ vertices, edges []int }

func graphOf(w *network.World) *graph {
	g := &graph{vertex: map[string]int{}, at: map[string][]int{}}
	for _, d := range w.Devices() {
		if !d.Gone() && d.Enabled() {
			g.vertex[d.Name()] = g.devices
			g.devices++
		}
	}
	vertices := g.devices
	join := func(a, b int, ports ...string) {
		for _, p := range ports {
			g.at[p] = append(g.at[p], len(g.edges))
		}
		g.edges = append(g.edges, edge{a, b})
	}
	for i := range w.Media() {
		m := &w.Media()[i]
		if m.Gone || m.Cut {
			continue
		}
		hub := -1
		var ends []int
		var ports []string
		for _, e := range m.Ends {
			d := w.Device(e.Device)
			v, there := g.vertex[d.Name()]
			if !there || e.Cut || e.Parted || !d.PortEnabled(e.Port) {
				continue
			}
			port := config.PortRef{Device: d.Name(), Port: d.Ports()[e.Port].Config.Name}.String()
			if m.Kind == network.Segment {
				if hub < 0 {
					hub = vertices
					vertices++
				}
				join(hub, v, port)
				continue
			}
			ends, ports = append(ends, v), append(ports, port)
		}
		if len(ends) == 2 {
			join(ends[0], ends[1], ports...)
		}
	}
	g.next = make([][]int, vertices)
	for i, e := range g.edges {
		g.next[e.a], g.next[e.b] = append(g.next[e.a], i), append(g.next[e.b], i)
	}
	g.of = make([]int, vertices)
	return g
}

// hole is what a failure takes out. Sessions take nothing out.
func (g *graph) hole(f *failure.Failure) (h hole) {
	if f.Kind == failure.Session {
		return h
	}
	for _, place := range f.Places {
		v, device := g.vertex[place]
		edges, port := g.at[place]
		switch {
		case port && (!device || f.Kind != failure.Router): // a host is named like its port
			h.edges = append(h.edges, edges...)
		case device && !strings.Contains(place, "."):
			h.vertices = append(h.vertices, v)
		}
	}
	return h
}

// parted is how many pairs of devices that are left cannot reach each other once some holes are there.
func (g *graph) parted(holes ...hole) int {
	const unseen, out = -1, -2
	for v := range g.of {
		g.of[v] = unseen
	}
	left := g.devices
	for _, h := range holes {
		for _, v := range h.vertices {
			if g.of[v] != out {
				g.of[v] = out
				left--
			}
		}
	}
	cut := func(e int) bool {
		return slices.ContainsFunc(holes, func(h hole) bool { return slices.Contains(h.edges, e) })
	}
	together := 0
	for start := range g.devices {
		if g.of[start] != unseen {
			continue
		}
		g.of[start] = start
		g.todo = append(g.todo[:0], start)
		size := 0
		for len(g.todo) > 0 {
			v := g.todo[len(g.todo)-1]
			g.todo = g.todo[:len(g.todo)-1]
			if v < g.devices {
				size++
			}
			for _, e := range g.next[v] {
				to := g.edges[e].a + g.edges[e].b - v
				if g.of[to] == unseen && !cut(e) {
					g.of[to] = start
					g.todo = append(g.todo, to)
				}
			}
		}
		together += size * (size - 1)
	}
	return left*(left-1) - together
}
