package spf

import "slices"

// What changed vertices make of a tree that is there already: only the vertices are
// visited that come to lie elsewhere (after Ramalingam and Reps, "An incremental
// algorithm for a generalization of the shortest-path problem", 1996).

// updater brings one tree up to date.
type updater struct {
	s        *Scratch
	now, was Graph
	t        *Tree
	root     uint32
	hit      []uint32 // vertices that lose a shortest path, and all behind them
	touched  []uint32 // vertices that came to lie elsewhere
}

// shorter is a link that costs less than it did, or came.
type shorter struct{ from, to, cost uint32 }

// Update is the tree of graph now, made of that of graph was; they differ in the
// changed vertices only, of which the root is none, and none of which came or went.
// They list the root, or do not, as before, so that paths leave it as they did. touched
// are the vertices that came to lie elsewhere; without any, the tree is the same one.
func (s *Scratch) Update(now, was Graph, t *Tree, root uint32, changed []uint32, keys, prefixes int) (out *Tree,
	touched []uint32) {
	s.begin(keys, prefixes, t.words)
	for i, key := range t.Keys {
		s.mark[key], s.dist[key] = s.run, t.Dist[i]
		copy(s.hopsOf(key), t.Hops(i))
	}
	u := updater{s: s, now: now, was: was, t: t, root: root}
	var better []shorter
	for _, key := range changed {
		for _, list := range [][]Edge{was.Vertex(key).Edges, now.Vertex(key).Edges} {
			for _, e := range list {
				if e.To == root {
					continue
				}
				better = u.compare(better, key, e.To)
				better = u.compare(better, e.To, key)
			}
		}
	}
	u.spread()
	for _, y := range u.hit {
		s.mark[y] = 0
	}
	for _, y := range u.hit {
		u.reachAgain(y)
	}
	for _, b := range better {
		if s.mark[b.from] == s.run {
			u.relax(b.to, s.dist[b.from]+b.cost)
		}
	}
	u.settle()
	for _, y := range u.hit {
		if s.mark[y] != s.run {
			u.touched = append(u.touched, y)
		}
	}
	if len(u.touched) == 0 {
		return t, nil
	}
	return u.renewed(), u.touched
}

const noPath = ^uint32(0)

// cost is what it costs from one vertex to another, noPath if the two do not list
// each other (RFC 2328 16.1 (2)(b)).
func cost(from *Vertex, fromKey uint32, to *Vertex, toKey uint32) uint32 {
	least := noPath
	if from == nil || to == nil || !to.LinksTo(fromKey) {
		return least
	}
	for _, e := range from.Edges {
		if e.To == toKey {
			least = min(least, e.Metric)
		}
	}
	return least
}

// compare finds out what became of the link from x to y: a vertex that loses a
// shortest path is hit, a link that is shorter now is added to the list.
func (u *updater) compare(better []shorter, x, y uint32) []shorter {
	s := u.s
	was := cost(u.was.Vertex(x), x, u.was.Vertex(y), y)
	now := cost(u.now.Vertex(x), x, u.now.Vertex(y), y)
	switch {
	case was == now || s.mark[x] != s.run:
	case now < was:
		better = append(better, shorter{x, y, now})
	case s.mark[y] == s.run && s.dist[x]+was == s.dist[y]:
		u.strike(y)
	}
	return better
}

func (u *updater) strike(y uint32) {
	if s := u.s; y != u.root && s.struck[y] != s.run {
		s.struck[y] = s.run
		u.hit = append(u.hit, y)
	}
}

// spread hits all that lies behind what is hit, by the paths of the last run.
func (u *updater) spread() {
	s := u.s
	for i := 0; i < len(u.hit); i++ {
		y := u.hit[i]
		v := u.was.Vertex(y)
		if v == nil {
			continue
		}
		for _, e := range v.Edges {
			if z := e.To; s.mark[z] == s.run && s.struck[z] != s.run && s.dist[y]+e.Metric == s.dist[z] {
				if far := u.was.Vertex(z); far != nil && far.LinksTo(y) {
					u.strike(z)
				}
			}
		}
	}
}

// reachAgain looks for a path to a vertex from those that were not hit.
func (u *updater) reachAgain(y uint32) {
	s := u.s
	v := u.now.Vertex(y)
	if v == nil {
		return
	}
	for _, e := range v.Edges {
		x := e.To
		if s.mark[x] != s.run {
			continue
		}
		from := u.now.Vertex(x)
		if from == nil {
			continue
		}
		for i, back := range from.Edges {
			if back.To == y && (x != u.root || u.t.Of[i].N > 0) {
				u.relax(y, s.dist[x]+back.Metric)
			}
		}
	}
}

// relax offers a distance to a vertex, which is visited if that changes it or may
// change its first hops.
func (u *updater) relax(y, dist uint32) {
	s := u.s
	switch {
	case y == u.root:
	case s.mark[y] != s.run || dist < s.dist[y]:
		s.mark[y], s.dist[y] = s.run, dist
		s.push(waiting{rank(dist, u.now.Vertex(y)), y})
	case dist == s.dist[y]:
		s.push(waiting{rank(dist, u.now.Vertex(y)), y})
	}
}

// settle visits vertices in the order of their distance.
func (u *updater) settle() {
	s := u.s
	if len(s.buf) < u.t.words {
		s.buf = make([]uint64, u.t.words)
	}
	hops := s.buf[:u.t.words]
	for len(s.heap) > 0 {
		w := s.pop()
		v := u.now.Vertex(w.key)
		if s.done[w.key] == s.run || rank(s.dist[w.key], v) != w.rank {
			continue
		}
		s.done[w.key] = s.run
		u.gather(w.key, hops)
		i, there := u.t.Find(w.key)
		same := there && u.t.Dist[i] == s.dist[w.key] && slices.Equal(hops, u.t.Hops(i))
		copy(s.hopsOf(w.key), hops)
		if !same {
			u.touched = append(u.touched, w.key)
		} else if s.struck[w.key] != s.run {
			continue // nothing changes behind it
		}
		for _, e := range v.Edges {
			if far := u.now.Vertex(e.To); far != nil && s.done[e.To] != s.run && far.LinksTo(w.key) {
				u.relax(e.To, s.dist[w.key]+e.Metric)
			}
		}
	}
}

// gather collects the first hops of all shortest paths to a vertex.
func (u *updater) gather(y uint32, to []uint64) {
	s := u.s
	clear(to)
	for _, e := range u.now.Vertex(y).Edges {
		x := e.To
		from := u.now.Vertex(x)
		if from == nil || s.mark[x] != s.run {
			continue
		}
		for i, back := range from.Edges {
			if back.To == y && s.dist[x]+back.Metric == s.dist[y] {
				u.t.pass(to, s.hopsOf(x), u.root, x, y, i, from)
			}
		}
	}
}

// renewed is the tree with what was touched.
func (u *updater) renewed() *Tree {
	s, t := u.s, u.t
	n := *t
	same := true // vertices as before: the list is shared
	for _, key := range u.touched {
		i, there := slices.BinarySearch(n.Keys, key)
		reached := s.mark[key] == s.run
		if reached != there && same {
			n.Keys, same = slices.Clone(n.Keys), false
		}
		switch {
		case reached && !there:
			n.Keys = slices.Insert(n.Keys, i, key)
		case !reached && there:
			n.Keys = slices.Delete(n.Keys, i, i+1)
		}
	}
	n.Dist = make([]uint32, len(n.Keys))
	n.hops = make([]uint64, len(n.Keys)*n.words)
	for i, key := range n.Keys {
		n.Dist[i] = s.dist[key]
		copy(n.Hops(i), s.hopsOf(key))
	}
	return &n
}
