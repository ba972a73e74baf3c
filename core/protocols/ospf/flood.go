package ospf

import (
	"encoding/binary"
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	wire "hellebore/core/protocols/wire/ospf"
)

const noNeighbour = ^uint32(0)

// update gathers LSAs into Link State Updates that fit the port's MTU.
type update struct {
	p    *Process
	port uint32
	dst  ip.Addr
	b    []byte
	n    uint32
}

func (p *Process) newUpdate(port uint32, dst ip.Addr) update {
	return update{p: p, port: port, dst: dst}
}

// add appends an LSA, aged by the port's transmit delay (RFC 2328 13.3).
func (u *update) add(h Host, a *area, key uint32, e lsdb.Instance) {
	head := a.header(h, key, e)
	q := u.p.ports[u.port]
	if len(u.b)+int(head.Length) > q.room()+wire.HeaderLen {
		u.send(h)
	}
	if u.b == nil {
		pool := h.Pool()
		u.b, pool.packet = wire.Begin(pool.packet[:0], wire.TypeUpdate, u.p.routerID, q.Area), nil
		u.b = append(u.b, 0, 0, 0, 0)
	}
	head.Age = min(lsdb.MaxAge, head.Age+uint16(q.TransmitDelay.Seconds()))
	u.b = head.Append(u.b)
	u.b = append(u.b, h.Pool().Body(e.Body).Raw...)
	u.n++
}

// send sends what has been gathered, if anything.
func (u *update) send(h Host) {
	if u.n == 0 {
		return
	}
	binary.BigEndian.PutUint32(u.b[wire.HeaderLen:], u.n)
	u.p.send(h, u.port, u.dst, u.b, event.Pending)
	if !u.p.ports[u.port].Virtual { // what is sent on a link is copied into a frame
		h.Pool().packet = u.b
	}
	u.b, u.n = nil, 0
}

// receiveUpdate is RFC 2328 13: the steps' numbers are the RFC's.
func (p *Process) receiveUpdate(h Host, n uint32, body []byte) {
	if p.nbrs[n].state < adjacency.Exchange {
		return
	}
	port := p.nbrs[n].port
	count, list, ok := wire.UpdateCount(body)
	if !ok {
		p.refuse(h, port, p.nbrs[n].address, note.Malformed, 0, 0)
		return
	}
	for range count {
		head, raw, ok := wire.NextLSA(&list)
		if !ok {
			p.refuse(h, port, p.nbrs[n].address, note.Malformed, 0, 0)
			return
		}
		if p.nbrs[n].state < adjacency.Exchange {
			return // an LSA before made the exchange begin anew
		}
		p.receiveLSA(h, n, &head, raw)
	}
}

func (p *Process) receiveLSA(h Host, n uint32, head *wire.LSAHeader, raw []byte) {
	nb := &p.nbrs[n]
	ai := p.scopeOf(p.ports[nb.port].Area, head.Key)
	a := p.scope(ai)
	pool, now := h.Pool(), h.Now()
	key := pool.KeyID(head.Key)
	_, requested := nb.requests.Wanted(key)
	held := lsdb.Receiver{Own: a.db.At(key), Requested: requested, Unanswered: nb.retransmits.Has(key)}
	held.Exchanging = head.Age >= lsdb.MaxAge && held.Own == nil && p.exchanging(ai)
	discard := func(why note.Code) {
		h.Note(note.Note{Kind: note.LSADiscarded, Port: note.PortOf(nb.port), A: uint64(key), Reason: why})
	}
	// The same instance again is most of what flooding brings: it is known by
	// its header, before anything is verified or decoded (steps 7 and 8 first
	// do no harm: a copy with a wrong checksum is not the same instance).
	if held.Newer(head.Version(), now) {
		if head.Checksum != wire.Fletcher(raw) { // step 1
			discard(note.BadChecksum)
			return
		}
		if !wire.KnownType(head.Key.Type) { // step 2
			discard(note.UnknownLSA)
			return
		}
		if !p.takes(ai, p.ports[nb.port], head.Key.Type) { // step 3
			discard(note.StubTakesNoExternal)
			return
		}
	}
	switch held.Step(head.Version(), now) {
	case lsdb.AckOnly, lsdb.Duplicate:
		p.ackNow(h, n, head)
	case lsdb.TooSoon:
		discard(note.TooSoon)
	case lsdb.Install:
		id, ok := pool.intern(h.Shared(), key, head.Options, raw[wire.LSAHeaderLen:])
		if !ok {
			discard(note.Malformed)
			return
		}
		p.take(h, n, ai, key, id, head)
	case lsdb.BadReq:
		p.startExchange(h, n, note.OlderThanOurs)
	case lsdb.Implied:
		p.acked(h, n, key)
		q := p.ports[nb.port]
		if lsdb.AckImplied(q.Broadcast, q.state == PortBackup, nb.asDR() == q.dr, q.waits(key)) {
			p.ackLater(h, nb.port, head)
		}
		p.sweepScope(h, ai)
	case lsdb.Silence:
		discard(note.OlderThanOurs)
	case lsdb.Answer:
		discard(note.OlderThanOurs)
		e := *held.Own
		a.db.Answer(key, now)
		u := p.newUpdate(nb.port, p.ports[nb.port].to(nb))
		u.add(h, a, key, e)
		u.send(h)
	}
}

// take puts an instance that a neighbour sent into the database and floods it (RFC
// 2328 13, step 5).
func (p *Process) take(h Host, n uint32, ai int, key, body uint32, head *wire.LSAHeader) {
	nb := &p.nbrs[n]
	now := h.Now()
	// A refresh says nothing new, and an idle network has no other news: it leaves no note.
	if old := p.scope(ai).db.At(key); old == nil || old.Body != body || old.Dying != (head.Age >= lsdb.MaxAge) {
		h.Note(note.Note{Kind: note.LSAReceived, Port: note.PortOf(nb.port), A: uint64(key), B: uint64(uint32(head.Seq))})
	}
	p.install(h, ai, key, lsdb.Instance{
		Birth: now - event.Time(head.Age)*event.Second, Arrived: now,
		Body: body, Seq: head.Seq, Sum: head.Checksum,
		Flooded: true, Dying: head.Age >= lsdb.MaxAge,
	})
	back := p.flood(h, ai, key, n)
	if q := p.ports[nb.port]; lsdb.AckNewer(back, q.state == PortBackup, nb.asDR() == q.dr) {
		p.ackLater(h, nb.port, head)
	}
	if p.own(head.Key) {
		p.ownCameBack(h, ai, key)
	}
	p.sweepScope(h, ai)
}

// exchanging says whether any neighbour that the database is flooded to is in Exchange or Loading.
func (p *Process) exchanging(ai int) bool {
	for i := range p.nbrs {
		nb := &p.nbrs[i]
		if (nb.state == adjacency.Exchange || nb.state == adjacency.Loading) && p.holds(ai, p.ports[nb.port]) {
			return true
		}
	}
	return false
}

// flood hands the database copy of an LSA to all neighbours that may need it,
// but the one it came from (RFC 2328 13.3). It says whether that goes out of the
// port that the LSA came in by.
func (p *Process) flood(h Host, ai int, key, from uint32) (back bool) {
	// What is flooded may end an exchange, after which LSAs at MaxAge leave the
	// database: not this one, before it is on all lists.
	p.flooding = true
	defer func() {
		if p.flooding = false; p.sweepDue {
			p.sweepDue = false
			for ai := asScope; ai < len(p.areas); ai++ {
				p.sweepScope(h, ai)
			}
		}
	}()
	a := p.scope(ai)
	e := a.db.Get(key)
	version := e.Version(h.Now())
	stamp := lsdb.StampOf(version)
	stamp.At = h.Now()
	for i := range p.ports {
		q := p.ports[i]
		if !q.talks() || !p.holds(ai, q) {
			continue
		}
		added := false
		for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
			nb := &p.nbrs[n.Index()]
			if nb.state < adjacency.Exchange {
				continue
			}
			if want, asked := nb.requests.Wanted(key); asked && nb.state != adjacency.Full {
				order := version.Compare(want)
				if order < 0 {
					continue
				}
				p.answered(h, n.Index(), key)
				if order == 0 {
					continue
				}
			}
			if n.Index() == from {
				continue
			}
			nb.retransmits.Put(key, stamp)
			if !nb.retransmit.Running() {
				p.armRetransmit(h, n.Index(), h.Now())
			}
			added = true
		}
		if added && from != noNeighbour && p.nbrs[from].port == uint32(i) {
			if q.Broadcast && p.passedOn(q, &p.nbrs[from]) {
				continue
			}
			back = true
		}
		if added {
			if q.toFlood = append(q.toFlood, key); q.waiting != nil {
				q.waiting[key] = true
			}
			if !q.flood.Running() {
				q.flood.Set(h, h.Now()+FloodPacing, floodTimer, event.Pending, uint32(i), 0)
			}
		}
	}
	return back
}

// few is how many keys are looked through for one: a set of them would cost more.
const few = 16

// waits says whether an LSA waits for the pacing.
func (q *port) waits(key uint32) bool {
	if len(q.toFlood) <= few {
		return slices.Contains(q.toFlood, key)
	}
	if q.waiting == nil {
		q.waiting = make(map[uint32]bool, len(q.toFlood))
		for _, k := range q.toFlood {
			q.waiting[k] = true
		}
	}
	return q.waiting[key]
}

// passedOn says whether an LSA that came from a neighbour on a segment reaches the
// others without us.
func (p *Process) passedOn(q *port, from *neighbour) bool {
	s := lsdb.Segment{Backup: q.state == PortBackup,
		FromDR:  from.asDR() == q.dr && from.dr == from.asDR(),
		FromBDR: from.asDR() == q.bdr && from.bdr == from.asDR(),
	}
	for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
		if nb := &p.nbrs[n.Index()]; nb.asDR() == q.dr {
			s.DRKnows = nb.dr == nb.asDR()
		}
	}
	return s.PassedOn()
}

// toAll is where what concerns all adjacent routers of a port goes: on a segment,
// DR and BDR pass it on (RFC 2328 13.3).
func (q *port) toAll() ip.Addr {
	if q.Broadcast && q.state < PortBackup {
		return wire.AllDRouters
	}
	return wire.AllSPFRouters
}

// sendFlood sends what the pacing has gathered, if a neighbour still needs it.
func (p *Process) sendFlood(h Host, i uint32) {
	q := p.ports[i]
	keys := q.toFlood
	q.toFlood, q.waiting = q.toFlood[:0], nil
	u := p.newUpdate(i, q.toAll())
	gathered := map[uint32]bool{}
	for i, key := range keys {
		if len(keys) <= few && slices.Contains(keys[:i], key) || gathered[key] {
			continue
		}
		if len(keys) > few {
			gathered[key] = true
		}
		needed := false
		for n := q.firstNbr; n.IsValid() && !needed; n = p.nbrs[n.Index()].next {
			needed = p.nbrs[n.Index()].retransmits.Has(key)
		}
		a := p.scope(p.scopeOf(q.Area, h.Pool().Key(key)))
		if e := a.db.Get(key); needed && e.Body != 0 {
			u.add(h, a, key, e)
		}
	}
	u.send(h)
}

func (p *Process) armRetransmit(h Host, n uint32, since event.Time) {
	nb := &p.nbrs[n]
	nb.retransmit.Arm(h, since+event.FromDuration(p.ports[nb.port].RetransmitInterval), retransmitTimer, nb.port, n)
}

// retransmit sends again what has waited a retransmit interval for its
// acknowledgment (RFC 2328 13.6).
func (p *Process) retransmit(h Host, n uint32) {
	nb := &p.nbrs[n]
	q := p.ports[nb.port]
	interval := event.FromDuration(q.RetransmitInterval)
	next, any := event.Never, false
	u := p.newUpdate(nb.port, q.to(nb))
	for _, key := range nb.retransmits.Sorted(h.Pool().order) {
		s, _ := nb.retransmits.Get(key)
		a := p.scope(p.scopeOf(q.Area, h.Pool().Key(key)))
		e := a.db.Get(key)
		if e.Body == 0 {
			nb.retransmits.Remove(key)
			continue
		}
		if h.Now()-s.At >= interval {
			s.At = h.Now()
			nb.retransmits.Put(key, s)
			u.add(h, a, key, e)
			any = true
		}
		next = min(next, s.At)
	}
	if any {
		nb.retransmit.Again(h)
	}
	u.send(h)
	if next != event.Never {
		p.armRetransmit(h, n, next)
	} else {
		nb.retransmit.Stop(h)
	}
}

// acked takes an LSA off a retransmission list.
func (p *Process) acked(h Host, n, key uint32) {
	nb := &p.nbrs[n]
	if nb.retransmits.Has(key) {
		nb.retransmit.Answered()
		nb.retransmits.Remove(key)
	}
	if nb.retransmits.Len() == 0 {
		nb.retransmit.Stop(h)
	}
}

// ackLater acknowledges an LSA with others (RFC 2328 13.5).
func (p *Process) ackLater(h Host, i uint32, head *wire.LSAHeader) {
	q := p.ports[i]
	q.toAck = head.Append(q.toAck)
	if !q.ack.Running() {
		q.ack.Set(h, h.Now()+AckDelay, ackTimer, event.Pending, i, 0)
	}
}

func (p *Process) sendAcks(h Host, i uint32) {
	q := p.ports[i]
	fit := q.room() / wire.LSAHeaderLen * wire.LSAHeaderLen
	for rest := q.toAck; len(rest) > 0; {
		n := min(fit, len(rest))
		p.sendAck(h, i, q.toAll(), rest[:n])
		rest = rest[n:]
	}
	q.toAck = q.toAck[:0]
}

// ackNow acknowledges an LSA at once.
func (p *Process) ackNow(h Host, n uint32, head *wire.LSAHeader) {
	nb := &p.nbrs[n]
	p.sendAck(h, nb.port, p.ports[nb.port].to(nb), head.Append(nil))
}

func (p *Process) sendAck(h Host, i uint32, dst ip.Addr, headers []byte) {
	b := wire.Begin(make([]byte, 0, wire.HeaderLen+len(headers)), wire.TypeAck, p.routerID, p.ports[i].Area)
	b = append(b, headers...)
	p.send(h, i, dst, b, event.Pending)
}

// receiveAck is RFC 2328 13.7.
func (p *Process) receiveAck(h Host, n uint32, body []byte) {
	nb := &p.nbrs[n]
	if nb.state < adjacency.Exchange {
		return
	}
	for len(body) >= wire.LSAHeaderLen {
		head, _ := wire.ReadLSAHeader(body)
		body = body[wire.LSAHeaderLen:]
		key, known := h.Pool().FindKey(head.Key)
		s, waits := nb.retransmits.Get(key)
		if known && waits && s.Is(head.Version()) {
			p.acked(h, n, key)
		}
	}
	p.sweep(h, p.ports[nb.port].Area)
}
