package ospf

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	wire "hellebore/core/protocols/wire/ospf"
)

// A process at rest says hello and refreshes its LSAs, and nothing else. When it does so is known beforehand, so whoever has a
// long time pass need not go through each packet of it: what follows is how a process is brought to where it would be.

// farFromMaxSeq is how many refreshes an LSA must have left before its sequence begins anew (RFC 2328 12.1.6).
const farFromMaxSeq = 1 << 20

// AtRest says whether the process will do nothing but say hello and refresh its LSAs until a time, as long as its neighbours and
// what joins them do the same. It is about point-to-point links alone: on segments packets go to single routers, which ARP has a say in.
func (p *Process) AtRest(now, until event.Time) bool {
	if p.delay.timer.Running() || p.sync.Running() || len(p.electing) > 0 || p.all || p.later || p.sweepDue {
		return false
	}
	for i := range p.ports {
		if q := p.ports[i]; q.Virtual && q.On || q.talks() && !p.portAtRest(q, now, until) {
			return false
		}
	}
	for ai := asScope; ai < len(p.areas); ai++ {
		a := p.scope(ai)
		if a.originate.Running() || a.outbid || a.db.Dying() || a.translatesUntil != 0 {
			return false
		}
	}
	return true
}

func (p *Process) portAtRest(q *port, now, until event.Time) bool {
	if !q.hellosAtRest(now, until) || q.flood.Running() || q.ack.Running() || len(q.toFlood) > 0 || len(q.toAck) > 0 {
		return false
	}
	if !q.firstNbr.IsValid() {
		return true
	}
	nb := &p.nbrs[q.firstNbr.Index()]
	return !q.Broadcast && !nb.next.IsValid() && nb.state == adjacency.Full && nb.requests.Len() == 0 && nb.retransmits.Len() == 0 &&
		!nb.dd.Running() && !nb.request.Running() && !nb.retransmit.Running()
}

// HellosAtRest says whether the hellos that a port sends and hears will change nothing until a time, as long as those that it
// hears stay the same.
func (p *Process) HellosAtRest(i uint32, now, until event.Time) bool {
	return p.ports[i].hellosAtRest(now, until)
}

func (q *port) hellosAtRest(now, until event.Time) bool {
	if q.Virtual || q.wait.Running() || !q.hello.Running() {
		return false
	}
	long := 3 * max(event.FromDuration(q.DeadInterval), event.Second)
	for _, list := range []refusals{q.refusals, q.strays} {
		for _, r := range list {
			if now-r.Last < long { // more will be refused
				return false
			}
		}
	}
	if q.Keys == nil {
		return true
	}
	for _, k := range q.Keys.Keys {
		for _, at := range []event.Time{k.Send.From, k.Send.Until, k.Accept.From, k.Accept.Until} {
			if now < at && at <= until {
				return false
			}
		}
	}
	return true
}

// Suspend has all timers forget their events, which were taken out of the queue. Resume sets those again that run at rest.
func (p *Process) Suspend() {
	for _, q := range p.ports {
		if q != absent {
			for _, t := range []*event.Timer{&q.wait, &q.hello, &q.flood, &q.ack} {
				t.Unqueue()
			}
		}
	}
	for i := range p.nbrs {
		nb := &p.nbrs[i]
		nb.inactivity.Unqueue()
		for _, r := range []*adjacency.Retry{&nb.dd, &nb.request, &nb.retransmit} {
			r.Unqueue()
		}
	}
	for i := range p.areas {
		p.areas[i].originate.Unqueue()
	}
	p.delay.timer.Unqueue()
	p.sync.Unqueue()
	p.age.Unqueue()
}

// SuspendHellos has the timers of a port's hellos forget their events, which were taken out of the queue; ResumeHellos sets them
// again.
func (p *Process) SuspendHellos(i uint32) {
	q := p.ports[i]
	q.hello.Unqueue()
	for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
		p.nbrs[n.Index()].inactivity.Unqueue()
	}
}

// ResumeHellos sets the timers of a port's hellos, as they are now.
func (p *Process) ResumeHellos(h Host, i uint32) {
	q := p.ports[i]
	if q.hello.Running() {
		q.hello.Set(h, q.hello.Deadline(), helloTimer, event.Periodic, i, 0)
	}
	for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
		if nb := &p.nbrs[n.Index()]; nb.inactivity.Running() {
			nb.inactivity.Set(h, nb.inactivity.Deadline(), inactivityTimer, event.Guard, i, n.Index())
		}
	}
}

// Resume sets the timers that run at rest, as hellos and databases are now.
func (p *Process) Resume(h Host) {
	for i, q := range p.ports {
		if q.hello.Running() {
			q.hello.Set(h, q.hello.Deadline(), helloTimer, event.Periodic, uint32(i), 0)
		}
	}
	for n := range p.nbrs {
		if nb := &p.nbrs[n]; nb.inactivity.Running() {
			nb.inactivity.Set(h, nb.inactivity.Deadline(), inactivityTimer, event.Guard, nb.port, uint32(n))
		}
	}
	next := event.Never
	for ai := asScope; ai < len(p.areas); ai++ {
		p.scope(ai).db.Each(func(key uint32, e *lsdb.Instance) bool {
			next = min(next, p.dueAt(h, key, *e))
			return true
		})
	}
	if next != event.Never {
		p.age.Set(h, next, ageTimer, event.Periodic, 0, 0)
	}
}

// SkipHellos counts the hellos of a port that are due up to a time as sent, and says when the last of them was due; false if
// none was.
func (p *Process) SkipHellos(h Host, i uint32, until event.Time) (last event.Time, any bool) {
	q := p.ports[i]
	next := q.hello.Deadline()
	for next <= until {
		last, any = next, true
		q.sent++
		next += q.nextHello(h, i)
	}
	if any {
		q.hello.Defer(next)
	}
	return last, any
}

// SayHello sends the hello of a port that is due now.
func (p *Process) SayHello(h Host, i uint32) { p.sendHello(h, i) }

// Heard has a neighbour on a port have said hello last at a time, which was heard later.
func (p *Process) Heard(i uint32, id ip.Quad, said, heard event.Time) {
	q := p.ports[i]
	for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
		nb := &p.nbrs[n.Index()]
		if nb.id != id {
			continue
		}
		nb.inactivity.Defer(heard + event.FromDuration(q.DeadInterval))
		if q.authType() == wire.AuthCryptographic {
			nb.cryptoSeq = max(nb.cryptoSeq, uint32(said/event.Millisecond))
		}
	}
}

// OwnLSA is an LSA that its process refreshes.
type OwnLSA struct {
	Scope Scope
	Key   uint32
	lsdb.Instance
}

// OwnLSAs are the LSAs that the process refreshes, in an order of their keys; false if one of them is near the end of its sequence.
func (p *Process) OwnLSAs(h Host) (own []OwnLSA, ok bool) {
	for ai := asScope; ai < len(p.areas); ai++ {
		for _, key := range p.scope(ai).own(h.Pool(), p.routerID) {
			e := p.scope(ai).db.Get(key)
			if e.Outbid || e.Seq > lsdb.MaxSeq-farFromMaxSeq {
				return nil, false
			}
			own = append(own, OwnLSA{p.scopeAt(ai), key, e})
		}
	}
	return own, true
}

// RefreshAt is when an own LSA is refreshed (aged, syncOwn).
func (p *Process) RefreshAt(h Host, x *OwnLSA) event.Time {
	at := p.dueAt(h, x.Key, x.Instance)
	if h.Pool().Key(x.Key).Type != wire.RouterLSA {
		at += event.Microsecond
	}
	return at
}

// Refresh puts the next instance of an own LSA, which says the same, into its database. Whoever calls it floods it.
func (p *Process) Refresh(h Host, x *OwnLSA) lsdb.Instance {
	a, now := p.in(x.Scope), h.Now()
	old := a.db.Get(x.Key)
	e := lsdb.Instance{Birth: now, Arrived: now, Body: old.Body, Seq: old.Seq + 1, Sum: p.checksum(h, x.Key, old.Body, old.Seq+1)}
	h.Calm().Hold(now + lsdb.MinLSInterval)
	h.Note(note.Note{Kind: note.LSAOriginated, A: uint64(x.Key), B: uint64(uint32(e.Seq))})
	a.db.Put(x.Key, e)
	if h.Pool().Key(x.Key).Type == wire.RouterLSA {
		a.originated = now
	}
	return e
}

// Flooded puts an instance of another router's LSA, which says the same, into its database as flooding would have.
func (p *Process) Flooded(scope Scope, key uint32, e lsdb.Instance) {
	e.Flooded, e.Outbid = true, false
	p.in(scope).db.Put(key, e)
}

// in is a database by what it is of; it must be there.
func (p *Process) in(s Scope) *area {
	if s.AS {
		return &p.as
	}
	return &p.areas[p.areaOf(s.Area)]
}

// FloodsInto says whether what is in a database is flooded out of a port.
func (p *Process) FloodsInto(s Scope, i uint32) bool {
	if s.AS {
		return p.holds(asScope, p.ports[i])
	}
	return p.ports[i].Area == s.Area
}

// EachLSA visits the LSAs of a database.
func (p *Process) EachLSA(s Scope, visit func(key uint32, e *lsdb.Instance)) {
	p.in(s).db.Each(func(key uint32, e *lsdb.Instance) bool { visit(key, e); return true })
}

// Talks says whether hellos are sent out of a port.
func (p *Process) Talks(i uint32) bool { return int(i) < len(p.ports) && p.ports[i].talks() }
