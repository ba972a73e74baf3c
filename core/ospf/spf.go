package ospf

import (
	"slices"

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

// Kinds of OSPF routes (RFC 2328 11), as route.Route.Kind, best first.
const (
	IntraArea uint8 = iota + 1
	InterArea
	External1
	External2
	Discard // of an area range: keeps what it covers and is not there from looping
)

// KindNames names the kinds of OSPF routes.
var KindNames = [...]string{"", "intra-area", "inter-area", "external type 1", "external type 2", "range"}

// Route is the process's route for a prefix.
type Route struct {
	Set route.SetID // NoSet for the router's own networks
	// Cost is what is compared first: of an external route of type 2 the
	// metric outside, whose Distance is the cost of the way to it.
	Cost, Distance uint32
	Tag            uint32
	Area           uint32 // of an intra-area or inter-area route; of an external one, the NSSA that has it, 0 for none
	Kind           uint8  // 0: no route
}

// better says whether r is preferred to o (RFC 2328 11); equal routes share the
// traffic.
func (r *Route) better(o *Route) (better, equal bool) {
	switch {
	case r.Kind != o.Kind:
		return r.Kind < o.Kind, false
	case r.Cost != o.Cost:
		return r.Cost < o.Cost, false
	case r.Distance != o.Distance:
		return r.Distance < o.Distance, false
	}
	return false, true
}

// runSPF computes the routing table (RFC 2328 16): the shortest-path tree of
// every area, then what lies in other areas, then what lies outside. The host
// is given the routes that changed.
func (p *Process) runSPF(h Host) {
	pool, shared := h.Pool(), h.Shared()
	if pool.scratch == nil {
		pool.scratch = &scratch{}
	}
	p.runs++
	s := pool.scratch
	s.beginTable(int(shared.Prefixes.Len()))
	var vertices, changed uint64
	order := make([]int, 0, len(p.areas)+1)
	for ai := range p.areas {
		if p.areas[ai].id != 0 {
			order = append(order, ai)
		}
	}
	// The backbone comes last: the areas that virtual links cross say what they
	// cost.
	if p.backbone() {
		order = append(order, p.areaOf(0))
	}
	for _, ai := range order {
		vertices += p.tree(h, s, ai)
		words := s.words()
		for _, prefix := range s.prefixes {
			bits := s.phops[int(prefix)*words : (int(prefix)+1)*words]
			s.offer(shared, prefix, Route{Set: s.setOf(shared, bits), Cost: s.pcost[prefix], Area: p.areas[ai].id, Kind: IntraArea})
		}
		if p.areas[ai].id != 0 {
			p.syncVirtual(h, s, ai)
		}
	}
	p.interArea(h, s)
	p.external(h, s)
	p.asbrs = s.ways(shared)
	p.electTranslators(h, s)
	p.discards(h, s)
	p.joinDiscards(h, s)
	for _, prefix := range s.offered {
		r := s.routes[prefix]
		r.Set = p.limited(shared, r.Set)
		changed += p.putRoute(h, prefix, r)
	}
	p.routes.Each(func(id uint32, r *Route) bool {
		if r.Kind != 0 && !s.has(id) {
			changed += p.putRoute(h, id, Route{})
		}
		return true
	})
	h.Note(note.Note{Kind: note.SPFRun, Port: note.NoPort, A: vertices, B: changed})
	if p.borders(h) {
		p.wantSync(h, 0) // what the other areas are told
	}
}

// backbone says whether the process has a database of the backbone.
func (p *Process) backbone() bool {
	for i := range p.areas {
		if p.areas[i].id == 0 {
			return true
		}
	}
	// A virtual port that comes up in this run begins it.
	for i := range p.ports {
		if p.ports[i].On && p.ports[i].Virtual {
			return true
		}
	}
	return false
}

// SetMaxECMP bounds how many ways of equal cost a route uses; 0 is no bound.
func (p *Process) SetMaxECMP(h Host, n int) {
	if p.maxECMP == n {
		return
	}
	p.maxECMP = n
	if p.running {
		p.scheduleSPF(h)
	}
}

// limited is the first of a set's next hops, as many as are used.
func (p *Process) limited(shared *route.Shared, set route.SetID) route.SetID {
	hops := shared.Sets.Hops(set)
	if p.maxECMP == 0 || len(hops) <= p.maxECMP {
		return set
	}
	return shared.Sets.ID(slices.Clone(hops[:p.maxECMP]))
}

func (p *Process) putRoute(h Host, prefix uint32, r Route) uint64 {
	if p.routes.Get(prefix) == r {
		return 0
	}
	p.routes.Set(prefix, r)
	h.Calm().Disturb(h.Now())
	h.PutRoute(prefix, r)
	return 1
}

// Route is the process's route to a prefix; its Kind is 0 if there is none.
func (p *Process) Route(prefix uint32) Route { return p.routes.Get(prefix) }

// Cost is the cost of the process's route to a prefix that is not its own, and
// whether it has one.
func (p *Process) Cost(prefix uint32) (cost uint32, ok bool) {
	r := p.routes.Get(prefix)
	return r.Cost, r.Kind != 0 && r.Set != route.NoSet
}
