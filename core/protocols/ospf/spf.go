package ospf

import (
	"fmt"
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/route"
)

// spfDelay is the back-off of RFC 8405. Its LEARN and HOLDDOWN timers are times
// to compare with, since nothing happens when they run out.
type spfDelay struct {
	timer      event.Timer
	learnUntil event.Time
	holdUntil  event.Time
	set        *Delays // never changed in place, since clones share it; nil for the suggested ones
}

// Delays are the parameters of RFC 8405 section 4.
type Delays struct {
	Initial, Short, Long event.Time
	Learn                event.Time // TIME_TO_LEARN_INTERVAL
	HoldDown             event.Time // HOLDDOWN_INTERVAL
}

// suggested are the values that RFC 8405 section 6 suggests.
var suggested = Delays{Initial: 50 * event.Millisecond, Short: 200 * event.Millisecond, Long: 5 * event.Second,
	Learn: 500 * event.Millisecond, HoldDown: 10 * event.Second}

// SetDelays sets how the SPF computation is held back from the next change on; the zero Delays are those that RFC 8405
// suggests.
func (p *Process) SetDelays(d Delays) {
	p.delay.set = nil
	if d != (Delays{}) && d != suggested {
		p.delay.set = &d
	}
}

// delays are those in force.
func (d *spfDelay) delays() *Delays {
	if d.set != nil {
		return d.set
	}
	return &suggested
}

// The states of RFC 8405, as notes name them.
const (
	Quiet = iota
	ShortWait
	LongWait
)

// DelayNames are RFC 8405's names of the states.
var DelayNames = [...]string{"QUIET", "SHORT_WAIT", "LONG_WAIT"}

// scheduleSPF has the whole routing table computed anew.
func (p *Process) scheduleSPF(h Host) {
	p.all = true
	p.igpEvent(h)
}

// igpEvent is an IGP event of RFC 8405 section 5.
func (p *Process) igpEvent(h Host) {
	d, now := &p.delay, h.Now()
	set := d.delays()
	state, wait := ShortWait, set.Short
	switch {
	case now >= d.holdUntil:
		state, wait = Quiet, set.Initial
		d.learnUntil = now + set.Learn
	case now >= d.learnUntil:
		state, wait = LongWait, set.Long
	}
	d.holdUntil = now + set.HoldDown
	h.Calm().Hold(d.holdUntil)
	if !d.timer.Running() {
		d.timer.Set(h, now+wait, spfTimer, event.Pending, 0, 0)
		h.Note(note.Note{Kind: note.SPFScheduled, A: uint64(wait), B: uint64(state)})
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
	// metric outside, whose Distance is the cost of the path to it.
	Cost, Distance uint32
	Tag            uint32
	Area           uint32 // of an intra-area or inter-area route; of an external one, the NSSA that has it, 0 for none
	Kind           uint8  // 0: no route
	// Second, of an external route where RFC1583Compatibility is off: the path to
	// it is not one that RFC 2328 16.4.1 prefers.
	Second bool
}

// rank orders the kinds of routes, best first. What a range or a summary covers
// and is not there must not follow what others announce of the same prefix: they
// may lead back (RFC 2328 11.1, 12.4.3; RFC 3101 3.2).
var rank = [...]uint8{IntraArea: 1, InterArea: 2, Discard: 3, External1: 4, External2: 5}

// better says whether r is preferred to o (RFC 2328 11); equal routes share the
// traffic.
func (r *Route) better(o *Route) (better, equal bool) {
	switch {
	case r.Kind != o.Kind:
		return rank[r.Kind] < rank[o.Kind], false
	case r.Kind == External2 && r.Cost != o.Cost: // RFC 2328 16.4 (6)(b)
		return r.Cost < o.Cost, false
	case r.Second != o.Second:
		return o.Second, false
	case r.Cost != o.Cost:
		return r.Cost < o.Cost, false
	case r.Distance != o.Distance:
		return r.Distance < o.Distance, false
	}
	return false, true
}

// runSPF brings the routing table up to date (RFC 2328 16): as little of it as
// the changes since the last run call for. The host is given the routes that
// changed.
func (p *Process) runSPF(h Host) {
	if h.Pool().scratch == nil {
		h.Pool().scratch = &scratch{}
	}
	s := h.Pool().scratch
	p.runs++
	vertices, changed, ok := p.update(h, s)
	if !ok {
		vertices = p.table(h, s, true)
		changed = p.putAll(h, s)
	}
	p.all, p.later = false, false
	for ai := range p.areas {
		p.areas[ai].changed, p.areas[ai].full = nil, false
	}
	h.Note(note.Note{Kind: note.SPFRun, A: vertices, B: changed})
	if p.borders(h) {
		p.wantSync(h, 0) // what is advertised into the other areas
	}
}

// table computes the routing table in the scratch: the shortest-path tree of
// every area, then what lies in other areas, then what lies outside. Virtual
// ports are brought up and down by that, unless all is to stay as it is. It
// returns how many routers it reached.
func (p *Process) table(h Host, s *scratch, virtual bool) (vertices uint64) {
	shared := h.Shared()
	s.beginTable(int(shared.Prefixes.Len()))
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
		if virtual && p.areas[ai].id != 0 {
			p.syncVirtual(h, s, ai)
		}
	}
	p.beyondAreas(h, s)
	return vertices
}

// beyondAreas adds what lies in other areas, and outside, to the routes inside
// areas.
func (p *Process) beyondAreas(h Host, s *scratch) {
	p.beyond = false
	p.interArea(h, s)
	p.external(h, s)
	p.electTranslators(h, s)
	p.discards(h, s)
	p.joinDiscards(h, s)
}

// putAll gives the host what changed of the whole table.
func (p *Process) putAll(h Host, s *scratch) (changed uint64) {
	for _, prefix := range s.offered {
		r := s.routes[prefix]
		r.Set = p.limited(h.Shared(), r.Set)
		changed += p.putRoute(h, prefix, r)
	}
	p.routes.Each(func(id uint32, r *Route) bool {
		if r.Kind != 0 && !s.has(id) {
			changed += p.putRoute(h, id, Route{})
		}
		return true
	})
	return changed
}

// Outdated holds the routing table against one that is computed from nothing,
// and describes the first difference; "" means there is none. Tests call it.
func (p *Process) Outdated(h Host) string {
	if !p.running || p.delay.timer.Running() {
		return ""
	}
	c := p.Clone()
	s := &scratch{}
	c.table(h, s, false)
	differs := ""
	for _, prefix := range s.offered {
		r := s.routes[prefix]
		r.Set = p.limited(h.Shared(), r.Set)
		if got := p.routes.Get(prefix); got != r {
			differs = fmt.Sprintf("the route to %v is %+v, and should be %+v", h.Shared().Prefixes.Prefix(prefix),
				got, r)
		}
	}
	p.routes.Each(func(id uint32, r *Route) bool {
		if r.Kind != 0 && !s.has(id) {
			differs = fmt.Sprintf("there is a route to %v, and should be none", h.Shared().Prefixes.Prefix(id))
		}
		return true
	})
	return differs
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

// SetMaxECMP bounds how many paths of equal cost a route uses; 0 is no bound.
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
