package network

import (
	"cmp"
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/ospf"
	"hellebore/core/simulation/device"
)

// A network at rest says hello and refreshes its LSAs, for hours. SkipIdle passes over such a stretch without going through each
// packet of it: when hellos and refreshes are due follows from the seed, the last hello that each neighbour heard from that, and how
// long an LSA was on its way from a small model of flooding, in which there are no packets (flooding.go). What else goes on, as
// BGP's keepalives do, is carried out as ever. At the end all is as if the network had gone through it: timers, ages and
// sequence numbers (TestSkippingIsLikeGoingThrough).

const (
	// idleLeast is the least time that is skipped.
	idleLeast = 10 * 60 * event.Second
	// idleSlack is added to how long flooding takes at most.
	idleSlack = 100 * event.Millisecond
	// What skipping may cost, or else time is gone through: hellos, about 10 ns each, refreshes, 2 us each, and other events, 1 us each.
	idleHellos    = 100_000_000
	idleRefreshes = 1_000_000
	idleEvents    = 2_000_000
	// idleWait is how many events there may be until nothing is pending.
	idleWait = 20_000
)

// SkipIdle brings a network that is at rest nearer to a time, as if it had gone through all that happens until then; it does nothing
// to one that is not. Whoever runs it on to the time comes to the same as without it. More says that it is worth to call it again.
func (w *World) SkipIdle(until event.Time) (more bool) {
	if until-w.now < idleLeast || w.OnFrame != nil || w.Tracer != nil || w.Watch != nil {
		return false
	}
	for n := 0; w.calm.Pending() > 0; n++ {
		if n == idleWait || !w.RunNext(until) {
			return false
		}
	}
	if !w.calm.Settled() || until-w.now < idleLeast {
		return false
	}
	s := &idling{w: w, until: until}
	if !s.atRest() || !s.refreshes() || !s.quietMoment() {
		return w.passHellos(until)
	}
	before := w.Clone()
	if s.skip() {
		return false
	}
	*w = *before
	w.JoinDevices()
	return w.passHellos(until)
}

// idling is a stretch of time that is skipped.
type idling struct {
	w         *World
	until     event.Time // that somebody waits for
	end       event.Time // of what is skipped
	speakers  []*speaker
	processes []*process
	ports     []*portTo
	due       []refresh     // all refreshes until then, in their order
	flooding  event.Time    // how long it takes at most, acknowledgments included
	longest   event.Time    // delay of a link
	own       []ospf.OwnLSA // of all processes
	owner     []int         // of those
}

// process is a running process and its ports to neighbours.
type process struct {
	number int
	inst   *device.Instance
	ports  []*portTo
}

// portTo is a port with a neighbour.
type portTo struct {
	number   uint32 // among all
	of       *process
	port     uint32
	far      *portTo
	delay    event.Time
	transmit event.Time // InfTransDelay, in seconds
	waits    []int32    // of the model of flooding: floods that wait for the end of the pacing
}

func (q *portTo) device() uint32 { return q.of.inst.Device().ID() }

// refresh is when an own LSA is refreshed.
type refresh struct {
	at  event.Time
	lsa int32
}

// atRest says whether the network does nothing but say hello and refresh LSAs, as far as OSPF is concerned, and finds out who
// speaks to whom.
func (s *idling) atRest() bool {
	w := s.w
	for i := range w.media {
		if m := &w.media[i]; !m.Gone && (m.Loss != 0 || m.Reorder != 0 || m.Duplicate != 0) {
			return false
		}
	}
	processes := map[*device.Instance]*process{}
	for _, d := range w.devices {
		if d.Gone() || !d.Enabled() {
			continue
		}
		for n := range d.Instances() {
			inst := &d.Instances()[n]
			if !inst.OSPF().Running() {
				continue
			}
			if !inst.OSPF().AtRest(w.now, s.until) {
				return false
			}
			p := &process{number: len(s.processes), inst: inst}
			s.processes = append(s.processes, p)
			processes[inst] = p
		}
	}
	s.speakers = w.speakers(s.until)
	at := map[place]*portTo{}
	hellos := int64(0)
	for _, x := range s.speakers {
		v := x.inst.OSPF().Port(x.port)
		hellos += int64((s.until - w.now) / event.FromDuration(v.HelloInterval))
		if !x.quiet || len(x.hears) > 1 || len(x.hears) != len(x.heard) {
			return false
		}
		if len(x.hears) == 0 {
			continue
		}
		if event.FromDuration(v.RetransmitInterval) < ospf.AckDelay+ospf.FloodPacing+2*x.delay+idleSlack {
			return false
		}
		q := &portTo{number: uint32(len(s.ports)), of: processes[x.inst], port: x.port, delay: x.delay,
			transmit: event.FromDuration(v.TransmitDelay) / event.Second}
		s.ports = append(s.ports, q)
		s.longest = max(s.longest, x.delay)
		q.of.ports = append(q.of.ports, q)
		at[x.place()] = q
	}
	if hellos > idleHellos {
		return false
	}
	for _, x := range s.speakers {
		if len(x.hears) == 1 {
			at[x.place()].far = at[x.hears[0].place()]
		}
	}
	return s.sessions() && s.sameDatabases()
}

// sessions says whether what BGP does meanwhile is little enough.
func (s *idling) sessions() bool {
	n := int64(0)
	for _, d := range s.w.devices {
		for i := range d.Instances() {
			if b := d.Instances()[i].BGP(); b.Running() {
				n += int64(b.PeerCount())
			}
		}
	}
	return n*int64((s.until-s.w.now)/(10*event.Second)) < idleEvents
}

// sameDatabases says whether all processes that flood to each other hold the same LSAs, each of which one of them refreshes: none
// is about to age out.
func (s *idling) sameDatabases() bool {
	type held struct {
		process *process
		scope   ospf.Scope
	}
	seen := map[held]uint64{} // digests of databases
	for _, p := range s.processes {
		p.inst.OSPF().Versions(p.inst, func(scope ospf.Scope, digest uint64) { seen[held{p, scope}] = digest })
	}
	done := map[held]bool{}
	for _, p := range s.processes {
		same := true
		p.inst.OSPF().Versions(p.inst, func(scope ospf.Scope, digest uint64) {
			if done[held{p, scope}] || !same {
				return
			}
			routers := map[ip.Quad]*process{}
			around := []*process{p}
			done[held{p, scope}] = true
			for len(around) > 0 {
				x := around[0]
				around = around[1:]
				o := x.inst.OSPF()
				if theirs, has := seen[held{x, scope}]; routers[o.RouterID()] != nil || has && theirs != digest || !has && !scope.AS {
					same = false
					return
				}
				routers[o.RouterID()] = x
				for _, q := range x.ports {
					if far := q.far.of; o.FloodsInto(scope, q.port) && !done[held{far, scope}] {
						done[held{far, scope}] = true
						around = append(around, far)
					}
				}
			}
			p.inst.OSPF().EachLSA(scope, func(key uint32, e *lsdb.Instance) {
				same = same && routers[s.w.pool.Key(key).Router] != nil
			})
			s.flooding = max(s.flooding, s.bound(p, scope))
		})
		if !same {
			return false
		}
	}
	return true
}

// bound is how long flooding from any process to all others that p floods to takes at most, acknowledgments included: the way to p
// and from there on, at each hop with the pacing.
func (s *idling) bound(p *process, scope ospf.Scope) event.Time {
	far := map[*process]int{p: 0}
	around := []*process{p}
	hops := 0
	for len(around) > 0 {
		x := around[0]
		around = around[1:]
		hops = far[x]
		for _, q := range x.ports {
			if _, seen := far[q.far.of]; !seen && x.inst.OSPF().FloodsInto(scope, q.port) {
				far[q.far.of] = hops + 1
				around = append(around, q.far.of)
			}
		}
	}
	return event.Time(2*hops+1)*(ospf.FloodPacing+s.longest) + ospf.AckDelay + s.longest + idleSlack
}

// refreshes finds out when each LSA is refreshed.
func (s *idling) refreshes() bool {
	for n, p := range s.processes {
		own, ok := p.inst.OSPF().OwnLSAs(p.inst)
		if !ok {
			return false
		}
		for _, x := range own {
			s.own, s.owner = append(s.own, x), append(s.owner, n)
		}
	}
	least := int64(lsdb.LSRefreshTime) * 9 / 10 * int64(event.Second)
	if int64(len(s.own))*(int64(s.until-s.w.now)/least+1) > idleRefreshes {
		return false
	}
	for i, x := range s.own {
		p := s.processes[s.owner[i]]
		for {
			at := p.inst.OSPF().RefreshAt(p.inst, &x)
			if at > s.until {
				break
			}
			s.due = append(s.due, refresh{at, int32(i)})
			x.Birth, x.Seq = at, x.Seq+1
		}
	}
	slices.SortFunc(s.due, func(a, b refresh) int {
		return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(s.device(a), s.device(b)), cmp.Compare(a.lsa, b.lsa))
	})
	return true
}

func (s *idling) device(r refresh) uint32 {
	return s.processes[s.owner[r.lsa]].inst.Device().ID()
}

// quiet says whether no LSA is on its way just before a refresh, or at the end if i is that of none.
func (s *idling) quiet(i int, end event.Time) bool { return i == 0 || end-s.due[i-1].at > s.flooding }

// quietMoment finds the latest moment at which no LSA is on its way: there the network goes on by itself.
func (s *idling) quietMoment() bool {
	end := s.until - event.Second
	for i := len(s.due); i >= 0 && end-s.w.now >= idleLeast/2; i-- {
		if s.quiet(i, end) {
			s.end, s.due = end, s.due[:i]
			return true
		}
		if i > 0 {
			end = min(end, s.due[i-1].at-1)
		}
	}
	return false
}

// skip passes over the time until the end; false if something else happened than was to happen.
func (s *idling) skip() bool {
	w := s.w
	changed, watched := w.calm.LastChange(), w.calm.Watched()
	isOSPF := func(e *event.Event) bool { return e.Kind >= ospf.FirstKind && e.Kind < ospf.EndKind }
	w.queue.Filter(func(e *event.Event) bool {
		return !isOSPF(e) && !(e.Kind == device.FrameArrives && device.CarriesOSPF(e.Frame))
	})
	for _, p := range s.processes {
		p.inst.OSPF().Suspend()
	}
	model := &flooding{s: s}
	handled, first := w.handled, s.firstModelled()
	for i, r := range s.due {
		for w.queue.Next() <= r.at {
			w.step()
		}
		w.now = r.at
		p := s.processes[s.owner[r.lsa]]
		if e := p.inst.OSPF().Refresh(p.inst, &s.own[r.lsa]); i >= first {
			model.flood(r, e)
		}
		if w.handled-handled > idleEvents {
			return false
		}
	}
	for w.queue.Next() <= s.end {
		if w.step(); w.handled-handled > idleEvents {
			return false
		}
	}
	if w.calm.LastChange() != changed || w.calm.Watched() != watched || !model.install(s.end) {
		return false
	}
	pass(w, s.speakers, s.end)
	for _, p := range s.processes {
		p.inst.OSPF().Resume(p.inst)
	}
	w.now = s.end
	return true
}

// firstModelled is the first refresh of which the flooding matters: the last ones of all LSAs come later, and what is on its way
// before it arrives before it, too.
func (s *idling) firstModelled() int {
	last := s.end - lsdb.LSRefreshTime*event.Second - event.Millisecond
	for i := len(s.due) - 1; i > 0; i-- {
		if s.due[i].at <= last && s.quiet(i, s.due[i].at) {
			return i
		}
	}
	return 0
}

// Rest is about how many hellos and keepalives there are in a time in which nothing happens.
func (w *World) Rest(d event.Time) (hellos, keepalives uint64) {
	for _, dev := range w.devices {
		for n := range dev.Instances() {
			inst := &dev.Instances()[n]
			for i := range dev.Ports() {
				if inst.OSPF().Talks(uint32(i)) {
					hear := max(1, len(w.Facing(dev.ID(), uint32(i))))
					hellos += uint64(hear) * uint64(d/event.FromDuration(inst.OSPF().Port(uint32(i)).HelloInterval))
				}
			}
			inst.BGP().Peers(func(v bgp.PeerView) {
				if v.HoldTime > 0 {
					keepalives += uint64(d / (v.HoldTime / 3))
				}
			})
		}
	}
	return hellos, keepalives
}
