package spf

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/graph/path"
	"gonum.org/v1/gonum/graph/simple"
	"pgregory.net/rapid"
)

// plain is a graph as a map.
type plain map[uint32]*Vertex

func (g plain) Vertex(key uint32) *Vertex { return g[key] }

const room = 64 // keys and prefixes are below

// randomGraph has routers 1 to n, and networks above; some links are listed by one
// end only, and some ends are not there.
func randomGraph(t *rapid.T) plain {
	g := plain{}
	routers := rapid.IntRange(1, 14).Draw(t, "routers")
	for i := 1; i <= routers; i++ {
		g[uint32(i)] = &Vertex{Leaves: []Leaf{{Prefix: uint32(i), Metric: uint32(rapid.IntRange(0, 3).Draw(t, "leaf"))}}}
	}
	cost := func() uint32 { return uint32(rapid.IntRange(1, 6).Draw(t, "cost")) }
	for range rapid.IntRange(0, 3*routers).Draw(t, "links") {
		a, b := uint32(rapid.IntRange(1, routers).Draw(t, "a")), uint32(rapid.IntRange(1, routers+1).Draw(t, "b"))
		if a == b {
			continue
		}
		g[a].Edges = append(g[a].Edges, Edge{To: b, Metric: cost()})
		if g[b] != nil && rapid.IntRange(0, 9).Draw(t, "one way") > 0 {
			g[b].Edges = append(g[b].Edges, Edge{To: a, Metric: cost()})
		}
	}
	for n := range rapid.IntRange(0, 3).Draw(t, "networks") {
		key := uint32(30 + n)
		v := &Vertex{IsNetwork: true, Leaves: []Leaf{{Prefix: key}}}
		for i := 1; i <= routers; i++ {
			if rapid.Bool().Draw(t, "on it") {
				v.Edges = append(v.Edges, Edge{To: uint32(i)})
				if rapid.IntRange(0, 9).Draw(t, "one way") > 0 {
					g[uint32(i)].Edges = append(g[uint32(i)].Edges, Edge{To: key, Metric: cost()})
				}
			}
		}
		g[key] = v
	}
	return g
}

// startOf gives each link of the root a first hop, but for some that cannot be used.
func startOf(g plain, root uint32, usable func(i int) bool) (s Start) {
	for i := range g[root].Edges {
		if !usable(i) {
			s.Of = append(s.Of, Hops{})
			continue
		}
		s.Of = append(s.Of, Hops{From: s.Count, N: 1})
		s.Count++
	}
	return s
}

// library is the same graph for a general library: what counts of it.
func library(g plain, root uint32, s Start) *simple.WeightedDirectedGraph {
	out := simple.NewWeightedDirectedGraph(0, math.Inf(1))
	for key := range g {
		out.AddNode(simple.Node(key))
	}
	for key, v := range g {
		for i, e := range v.Edges {
			far := g[e.To]
			if far == nil || !far.LinksTo(key) || key == root && s.Of[i].N == 0 {
				continue
			}
			w := float64(e.Metric)
			if old, ok := out.Weight(int64(key), int64(e.To)); ok && out.HasEdgeFromTo(int64(key), int64(e.To)) {
				w = min(w, old)
			}
			out.SetWeightedEdge(simple.WeightedEdge{F: simple.Node(key), T: simple.Node(e.To), W: w})
		}
	}
	return out
}

func TestTreesAgainstALibrary(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		g, root := randomGraph(t), uint32(1)
		s := startOf(g, root, func(int) bool { return rapid.IntRange(0, 5).Draw(t, "usable") > 0 })
		var work Scratch
		tree := work.Tree(g, root, s, room, room)
		all := library(g, root, s)
		from := path.DijkstraFrom(simple.Node(root), all)
		leaves := map[uint32]uint32{}
		for key, v := range g {
			i, reached := tree.Find(key)
			dist := from.WeightTo(int64(key))
			require.Equal(t, !math.IsInf(dist, 1), reached, "vertex %d", key)
			if !reached {
				continue
			}
			require.EqualValues(t, dist, tree.Dist[i], "vertex %d", key)
			for _, l := range v.Leaves {
				leaves[l.Prefix] = tree.Dist[i] + l.Metric
			}
			// A first hop leads to a vertex if its link begins a path as short as any.
			for n, e := range g[root].Edges {
				if s.Of[n].N == 0 || key == root {
					continue
				}
				want := false
				if far := g[e.To]; far != nil && far.LinksTo(root) {
					rest := path.DijkstraFrom(simple.Node(e.To), all).WeightTo(int64(key))
					want = float64(e.Metric)+rest == dist
				}
				bit := s.Of[n].From
				require.Equal(t, want, tree.Hops(i)[bit/64]&(1<<(bit%64)) != 0, "link %d to vertex %d", n, key)
			}
		}
		got := map[uint32]uint32{}
		work.Leaves(func(prefix, cost uint32, _ []uint64) { got[prefix] = cost })
		require.Equal(t, leaves, got)
	})
}

// TestUpdatesAgainstTreesFromNothing changes vertices, a few times in a row.
func TestUpdatesAgainstTreesFromNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		g, root := randomGraph(t), uint32(1)
		s := startOf(g, root, func(int) bool { return rapid.IntRange(0, 5).Draw(t, "usable") > 0 })
		var work Scratch
		tree := work.Tree(g, root, s, room, room)
		for range rapid.IntRange(1, 4).Draw(t, "rounds") {
			now := plain{}
			var changed []uint32
			for key := uint32(1); key < room; key++ {
				v := g[key]
				if v == nil {
					continue
				}
				now[key] = v
				if key == root || v.IsNetwork || rapid.IntRange(0, 3).Draw(t, "changes") > 0 {
					continue
				}
				w := &Vertex{Edges: slices.Clone(v.Edges), Leaves: v.Leaves}
				for i := range w.Edges {
					if rapid.Bool().Draw(t, "metric") {
						w.Edges[i].Metric = uint32(rapid.IntRange(1, 6).Draw(t, "cost"))
					}
				}
				if n := len(w.Edges); n > 0 && w.Edges[n-1].To != root && rapid.IntRange(0, 2).Draw(t, "goes") == 0 {
					w.Edges = slices.Delete(w.Edges, n-1, n)
				}
				now[key] = w
				changed = append(changed, key)
			}
			next, touched := work.Update(now, g, tree, root, changed, room, room)
			var fresh Scratch
			want := fresh.Tree(now, root, s, room, room)
			require.Equal(t, want.Keys, next.Keys)
			require.Equal(t, want.Dist, next.Dist)
			require.Equal(t, want.hops, next.hops)
			for key := range now {
				i, was := tree.Find(key)
				j, is := next.Find(key)
				if was != is || was && (tree.Dist[i] != next.Dist[j] || !slices.Equal(tree.Hops(i), next.Hops(j))) {
					require.Contains(t, touched, key)
				}
			}
			g, tree = now, next
		}
	})
}

// TestARouterOnARootsNetworkIsItsOwnFirstHop is RFC 2328 16.1.1.
func TestARouterOnARootsNetworkIsItsOwnFirstHop(t *testing.T) {
	lan := uint32(9)
	on := func(cost uint32, more ...Edge) *Vertex {
		return &Vertex{Edges: append([]Edge{{To: lan, Metric: cost}}, more...)}
	}
	g := plain{1: on(10), 2: on(10, Edge{To: 4, Metric: 1}), 3: on(10, Edge{To: 4, Metric: 1}), 4: {Edges: []Edge{{To: 2, Metric: 1}, {To: 3, Metric: 1}}},
		lan: {IsNetwork: true, Edges: []Edge{{To: 1}, {To: 2}, {To: 3}}}}
	s := Start{Count: 3, Of: []Hops{{From: 0, N: 1}}, Lans: []Lan{{lan, 2, 0, 1}, {lan, 3, 0, 2}}}
	var work Scratch
	tree := work.Tree(g, 1, s, room, room)
	for key, bits := range map[uint32]uint64{lan: 0b001, 2: 0b010, 3: 0b100, 4: 0b110} {
		i, ok := tree.Find(key)
		require.True(t, ok)
		require.Equal(t, []uint64{bits}, tree.Hops(i), "vertex %d", key)
	}
}
