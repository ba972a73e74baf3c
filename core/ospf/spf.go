package ospf

import (
	"hellebore/core/event"
	"hellebore/core/note"
	"hellebore/core/route"
)

// spfDelay is the back-off of RFC 8405. Its LEARN and HOLDDOWN timers are times
// to compare with, since nothing happens when they run out.
type spfDelay struct {
	timer      event.Timer
	learnUntil event.Time
	holdUntil  event.Time
}

// Parameters of RFC 8405 section 6, with the values it suggests.
const (
	initialSPFDelay = 50 * event.Millisecond
	shortSPFDelay   = 200 * event.Millisecond
	longSPFDelay    = 5 * event.Second
	timeToLearn     = 500 * event.Millisecond
	holdDown        = 10 * event.Second
)

// The states of RFC 8405, as notes name them.
const (
	quiet = iota
	shortWait
	longWait
)

// DelayNames are RFC 8405's names of the states.
var DelayNames = [...]string{"QUIET", "SHORT_WAIT", "LONG_WAIT"}

// scheduleSPF is an IGP event of RFC 8405 section 5.
func (p *Process) scheduleSPF(h Host) {
	d, now := &p.delay, h.Now()
	state, wait := shortWait, shortSPFDelay
	switch {
	case now >= d.holdUntil:
		state, wait = quiet, initialSPFDelay
		d.learnUntil = now + timeToLearn
	case now >= d.learnUntil:
		state, wait = longWait, longSPFDelay
	}
	d.holdUntil = now + holdDown
	h.Calm().Hold(d.holdUntil)
	if !d.timer.Running() {
		d.timer.Set(h, now+wait, spfTimer, event.Pending, 0, 0)
		h.Note(note.Note{Kind: note.SPFScheduled, Port: note.NoPort, A: uint64(wait), B: uint64(state)})
	}
}

// routeEntry is what the last run gave for a prefix.
type routeEntry struct {
	set  route.SetID
	cost uint32
}

// spfScratch is the working memory of a run, by key or prefix number. Marks
// instead of clearing: an element counts if its mark is this run's.
type spfScratch struct {
	run      uint32
	mark     []uint32 // of dist and hops
	done     []uint32
	dist     []uint32
	hops     []uint64 // words a vertex: the root's first hops that lead to it
	heap     []vertex
	pmark    []uint32 // of pcost and phops
	pcost    []uint32
	phops    []uint64
	prefixes []uint32
	first    []route.Hop
	hopBuf   []route.Hop
	sets     []cachedSet
}

type vertex struct {
	dist uint32
	key  uint32
}

type cachedSet struct {
	bits uint64
	set  route.SetID
}

func (s *spfScratch) begin(keys, prefixes, words int) {
	s.run++
	if len(s.mark) < keys {
		s.mark, s.done, s.dist = make([]uint32, keys+64), make([]uint32, keys+64), make([]uint32, keys+64)
		s.run = 1
		clear(s.pmark)
	}
	if len(s.pmark) < prefixes {
		s.pmark, s.pcost = make([]uint32, prefixes+64), make([]uint32, prefixes+64)
	}
	if n := len(s.mark) * words; len(s.hops) < n {
		s.hops = make([]uint64, n)
	}
	if n := len(s.pmark) * words; len(s.phops) < n {
		s.phops = make([]uint64, n)
	}
	s.heap, s.prefixes, s.sets = s.heap[:0], s.prefixes[:0], s.sets[:0]
}

func (s *spfScratch) push(v vertex) {
	s.heap = append(s.heap, v)
	h := s.heap
	i := len(h) - 1
	for i > 0 && v.dist < h[(i-1)/2].dist {
		h[i] = h[(i-1)/2]
		i = (i - 1) / 2
	}
	h[i] = v
}

func (s *spfScratch) pop() vertex {
	h := s.heap
	top, last := h[0], len(h)-1
	v := h[last]
	h = h[:last]
	s.heap = h
	i := 0
	for {
		c := 2*i + 1
		if c >= last {
			break
		}
		if c+1 < last && h[c+1].dist < h[c].dist {
			c++
		}
		if h[c].dist >= v.dist {
			break
		}
		h[i] = h[c]
		i = c
	}
	if last > 0 {
		h[i] = v
	}
	return top
}

// runSPF computes the shortest-path tree of every area (RFC 2328 16.1) and
// gives the host the routes that changed.
func (p *Process) runSPF(h Host) {
	pool, shared := h.Pool(), h.Shared()
	if pool.scratch == nil {
		pool.scratch = &spfScratch{}
	}
	p.runs++
	s := pool.scratch
	var vertices, changed uint64
	results := map[uint32]routeEntry{} // of several areas only
	single := len(p.areas) == 1
	for ai := range p.areas {
		vertices += p.spfArea(h, s, ai)
		words := s.words()
		for _, prefix := range s.prefixes {
			r := routeEntry{set: s.setOf(shared, prefix, words), cost: s.pcost[prefix]}
			if single {
				changed += p.putRoute(h, prefix, r)
			} else if old, known := results[prefix]; !known || r.cost < old.cost {
				results[prefix] = r
			}
		}
	}
	present := func(id uint32) bool { return s.pmark[id] == s.run }
	if !single {
		for id := range shared.Prefixes.Len() {
			if r, ok := results[id]; ok {
				changed += p.putRoute(h, id, r)
			}
		}
		present = func(id uint32) bool { _, ok := results[id]; return ok }
	}
	p.routes.Each(func(id uint32, r *routeEntry) bool {
		if r.set != route.NoSet && !(int(id) < len(s.pmark) && present(id)) {
			changed += p.putRoute(h, id, routeEntry{})
		}
		return true
	})
	h.Note(note.Note{Kind: note.SPFRun, Port: note.NoPort, A: vertices, B: changed})
}

func (p *Process) putRoute(h Host, prefix uint32, r routeEntry) uint64 {
	if p.routes.Get(prefix) == r {
		return 0
	}
	p.routes.Set(prefix, r)
	h.Calm().Disturb(h.Now())
	h.PutRoute(prefix, r.set, r.cost)
	return 1
}

func (s *spfScratch) words() int { return max(1, (len(s.first)+63)/64) }

// spfArea fills the scratch with the costs and first hops of all prefixes of an
// area, and returns how many routers it reached.
func (p *Process) spfArea(h Host, s *spfScratch, ai int) (reached uint64) {
	a, pool := &p.areas[ai], h.Pool()
	root := pool.KeyID(p.routerKey())
	live := func(key uint32) *Body {
		e := a.db.At(key)
		if e == nil || e.body == 0 || e.dying {
			return nil
		}
		return pool.bodies.Get(e.body)
	}
	s.first = s.first[:0]
	rootBody := live(root)
	if rootBody == nil {
		s.begin(int(pool.keys.Len()), int(h.Shared().Prefixes.Len()), 1)
		return 0
	}
	// Each usable link of the root is a first hop, a bit in the sets below.
	firstOf := make([]int, len(rootBody.edges))
	for i, e := range rootBody.edges {
		firstOf[i] = -1
		if hop, ok := p.firstHop(h, a.id, e); ok {
			firstOf[i] = len(s.first)
			s.first = append(s.first, hop)
		}
	}
	words := s.words()
	s.begin(int(pool.keys.Len()), int(h.Shared().Prefixes.Len()), words)
	s.mark[root], s.dist[root] = s.run, 0
	clear(s.hops[int(root)*words : (int(root)+1)*words])
	s.push(vertex{0, root})
	for len(s.heap) > 0 {
		v := s.pop()
		if s.done[v.key] == s.run {
			continue
		}
		s.done[v.key] = s.run
		body := live(v.key)
		reached++
		from := s.hops[int(v.key)*words : (int(v.key)+1)*words]
		for _, st := range body.stubs {
			s.stub(st.prefix, v.dist+st.metric, from, words)
		}
		for i, e := range body.edges {
			// RFC 2328 16.1 (2)(b): a link counts if the other end lists it too.
			other := live(e.target)
			if other == nil || s.done[e.target] == s.run || !other.linksTo(v.key) {
				continue
			}
			if v.key == root && firstOf[i] < 0 {
				continue
			}
			dist := v.dist + e.metric
			to := s.hops[int(e.target)*words : (int(e.target)+1)*words]
			switch {
			case s.mark[e.target] != s.run || dist < s.dist[e.target]:
				s.mark[e.target], s.dist[e.target] = s.run, dist
				clear(to)
				s.push(vertex{dist, e.target})
			case dist > s.dist[e.target]:
				continue
			}
			if v.key == root {
				to[firstOf[i]/64] |= 1 << (firstOf[i] % 64)
				continue
			}
			for w := range to {
				to[w] |= from[w]
			}
		}
	}
	return reached
}

// stub adds a router's way to a stub network (RFC 2328 16.1, second stage).
func (s *spfScratch) stub(prefix, cost uint32, from []uint64, words int) {
	to := s.phops[int(prefix)*words : (int(prefix)+1)*words]
	switch {
	case s.pmark[prefix] != s.run:
		s.pmark[prefix] = s.run
		s.prefixes = append(s.prefixes, prefix)
	case cost > s.pcost[prefix]:
		return
	case cost == s.pcost[prefix]:
		for w := range to {
			to[w] |= from[w]
		}
		return
	}
	s.pcost[prefix] = cost
	copy(to, from)
}

// setOf is the next hops of a prefix; NoSet for the root's own networks.
func (s *spfScratch) setOf(shared *route.Shared, prefix uint32, words int) route.SetID {
	bits := s.phops[int(prefix)*words : (int(prefix)+1)*words]
	if words == 1 {
		for _, c := range s.sets {
			if c.bits == bits[0] {
				return c.set
			}
		}
	}
	s.hopBuf = s.hopBuf[:0]
	for i, hop := range s.first {
		if bits[i/64]&(1<<(i%64)) != 0 {
			s.hopBuf = append(s.hopBuf, hop)
		}
	}
	set := shared.Sets.ID(s.hopBuf)
	if words == 1 {
		s.sets = append(s.sets, cachedSet{bits[0], set})
	}
	return set
}

func (b *Body) linksTo(key uint32) bool {
	for _, e := range b.edges {
		if e.target == key {
			return true
		}
	}
	return false
}

// firstHop is the port and the gateway of one of the root's own links: the
// neighbour's address on it (RFC 2328 16.1.1).
func (p *Process) firstHop(h Host, areaID uint32, e edge) (route.Hop, bool) {
	id := h.Pool().Key(e.target).Router
	for i := range p.ports {
		q := &p.ports[i]
		if q.Address != e.data || q.Area != areaID || !q.talks() {
			continue
		}
		for n := q.firstNbr; n != 0; n = p.nbrs[n-1].next {
			if nb := &p.nbrs[n-1]; nb.id == id && nb.state == Full {
				return route.Hop{Port: uint32(i), Gateway: nb.address}, true
			}
		}
	}
	return route.Hop{}, false
}

// Cost is the cost of the process's route to a prefix, and whether it has one.
func (p *Process) Cost(prefix uint32) (cost uint32, ok bool) {
	r := p.routes.Get(prefix)
	return r.cost, r.set != route.NoSet
}

// Kinds of OSPF routes (RFC 2328 11), as route.Route.Kind.
const (
	IntraArea uint8 = iota + 1
)

// KindNames names the kinds of OSPF routes.
var KindNames = [...]string{"", "intra-area"}
