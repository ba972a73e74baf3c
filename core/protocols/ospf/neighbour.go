package ospf

import (
	"encoding/binary"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	wire "hellebore/core/protocols/wire/ospf"
)

type neighbour struct {
	port    uint32
	next    store.Ref // of the port
	id      ip.Quad
	address ip.Addr
	state   adjacency.State
	since   event.Time
	// What its hellos say (RFC 2328 9.4).
	priority uint8
	dr, bdr  ip.Quad

	inactivity event.Timer
	guard      event.Watch

	descriptions adjacency.Descriptions
	dd           adjacency.Retry
	lastDD       []byte // the last packet sent, before it was authenticated; immutable

	cryptoSeq uint32 // of the last packet that was authentic

	requests adjacency.Requests
	request  adjacency.Retry

	retransmits lsdb.List
	retransmit  adjacency.Retry
}

// NeighbourView is a neighbour as a view sees it.
type NeighbourView struct {
	Port     uint32
	RouterID ip.Quad
	Address  ip.Addr
	State    adjacency.State
	Priority uint8
	Since    event.Time
	DeadAt   event.Time // when the inactivity timer runs out
}

// Neighbours visits the neighbours on a port.
func (p *Process) Neighbours(i uint32, visit func(NeighbourView)) {
	if int(i) >= len(p.ports) {
		return
	}
	for n := p.ports[i].firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
		nb := &p.nbrs[n.Index()]
		visit(NeighbourView{nb.port, nb.id, nb.address, nb.state, nb.priority, nb.since, nb.inactivity.Deadline()})
	}
}

// find is the neighbour that a packet is from: on a segment the address decides,
// on a point-to-point link the router ID (RFC 2328 8.2).
func (p *Process) find(q *port, id ip.Quad, address ip.Addr) (n uint32, ok bool) {
	if q.Broadcast {
		mark := markOf(address)
		for n, m := range p.marks {
			if m == mark && p.nbrs[n].address == address && p.ports[p.nbrs[n].port] == q {
				return uint32(n), true
			}
		}
		return 0, false
	}
	for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
		if p.nbrs[n.Index()].id == id {
			return n.Index(), true
		}
	}
	return 0, false
}

// markOf is what a neighbour's address is found by: a segment has hundreds, and their rows are long. It is never 0.
func markOf(address ip.Addr) uint32 { return uint32(address.Hash()) | 1<<31 }

// sendHello sends a hello and restarts its timer (RFC 2328 9.5).
func (p *Process) sendHello(h Host, i uint32) {
	q := p.ports[i]
	b := wire.Begin(make([]byte, 0, 96), wire.TypeHello, p.routerID, q.Area)
	mask := ip.Mask(q.PrefixLen)
	if q.Virtual {
		mask = 0 // RFC 2328 9.5
	}
	hello := wire.Hello{
		Mask:         mask,
		Interval:     uint16(q.HelloInterval.Seconds()),
		Options:      p.helloOptions(q.Area),
		Priority:     q.Priority,
		DeadInterval: uint32(q.DeadInterval.Seconds()),
		DR:           q.dr,
		BDR:          q.bdr,
	}
	b = hello.Append(b)
	for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
		if p.nbrs[n.Index()].state >= adjacency.Init {
			b = binary.BigEndian.AppendUint32(b, uint32(p.nbrs[n.Index()].id))
		}
	}
	// The first hello since a disturbance may still change something; those
	// after it only keep the neighbours' guards quiet.
	class := event.Periodic
	if h.Calm().Stale(&q.retry) {
		class = event.Pending
	}
	h.Calm().Refresh(&q.retry)
	p.send(h, i, wire.AllSPFRouters, b, class)
	q.sent++
	q.hello.Set(h, h.Now()+q.nextHello(h, i), helloTimer, event.Periodic, i, 0)
}

// nextHello is when the next hello is due: at the hello interval or up to a tenth
// of it earlier, or all routers would say hello in step (RFC 2328 4.4).
func (q *port) nextHello(h Host, i uint32) event.Time {
	interval := event.FromDuration(q.HelloInterval)
	if q.ExactHellos {
		return interval
	}
	return interval - event.Time(store.Below(h.Rand(randHello, uint64(i)<<32|q.sent), uint64(interval/10)))
}

// receiveHello is RFC 2328 10.5.
func (p *Process) receiveHello(h Host, i uint32, src ip.Addr, head *wire.Header) {
	q := p.ports[i]
	hello, ok := wire.ReadHello(head.Body)
	if !ok {
		p.refuse(h, i, src, note.Malformed, 0, 0)
		return
	}
	mine := uint16(q.HelloInterval.Seconds())
	dead := uint32(q.DeadInterval.Seconds())
	switch {
	case hello.Interval != mine:
		p.refuse(h, i, src, note.HelloIntervalDiffers, seconds(uint32(mine)), seconds(uint32(hello.Interval)))
		return
	case hello.DeadInterval != dead:
		p.refuse(h, i, src, note.DeadIntervalDiffers, seconds(dead), seconds(hello.DeadInterval))
		return
	case !q.Virtual && hello.Mask != ip.Mask(q.PrefixLen):
		// RFC 2328 10.5 does not compare masks on point-to-point links. Ports there
		// are numbered here, and different masks make different routes, so
		// the disagreement is worth refusing.
		n, _ := ip.MaskLen(hello.Mask)
		p.refuse(h, i, src, note.SubnetDiffers, packPrefix(h, q.Address, q.PrefixLen), packPrefix(h, src, n))
		return
	}
	// RFC 3101 2.1: both bits must agree.
	const kind = wire.OptionE | wire.OptionN
	if mine := p.helloOptions(q.Area) & kind; hello.Options&kind != mine {
		p.refuse(h, i, src, note.StubFlagDiffers, uint64(mine), uint64(hello.Options&kind))
		return
	}
	n, known := p.find(q, head.RouterID, src)
	if known && p.nbrs[n].id != head.RouterID {
		// Another router at the same address, or the same with a new identity.
		p.kill(h, n, note.RouterIDChanged)
		known = false
	}
	if !known {
		n = p.newNeighbour(h, i, head.RouterID, src)
		q = p.ports[i]
	}
	nb := &p.nbrs[n]
	if nb.state == adjacency.Full && nb.address != src {
		p.scheduleSPF(h) // next hops are neighbours' addresses
	}
	nb.address, p.marks[n] = src, markOf(src)
	q.refusals.heard(src, !q.Broadcast) // of a point-to-point link, there is only one to hear
	// HelloReceived: the inactivity timer restarts.
	nb.inactivity.Set(h, h.Now()+event.FromDuration(q.DeadInterval), inactivityTimer, event.Guard, i, n)
	h.Calm().Refresh(&nb.guard)
	if nb.state < adjacency.Init {
		p.setState(h, n, adjacency.Init, note.None)
	}
	if !hello.Lists(p.routerID) {
		if nb.state >= adjacency.TwoWay { // 1-WayReceived
			p.leaveExchange(h, n)
			p.setState(h, n, adjacency.Init, note.NotListed)
		}
		nb.priority, nb.dr, nb.bdr = hello.Priority, hello.DR, hello.BDR
		return
	}
	p.twoWay(h, n)
	if q.Broadcast {
		p.declared(h, n, hello.Priority, hello.DR, hello.BDR)
	}
}

// twoWay is the event 2-WayReceived.
func (p *Process) twoWay(h Host, n uint32) {
	nb := &p.nbrs[n]
	switch {
	case nb.state != adjacency.Init:
	case p.ports[nb.port].adjacent(nb):
		p.startExchange(h, n, note.None)
	default:
		p.setState(h, n, adjacency.TwoWay, note.None)
	}
}

func seconds(n uint32) uint64 { return uint64(n) * uint64(event.Second) }

func (p *Process) newNeighbour(h Host, i uint32, id ip.Quad, address ip.Addr) uint32 {
	var n uint32
	if p.freeNbr.IsValid() {
		n = p.freeNbr.Index()
		p.freeNbr = p.nbrs[n].next
	} else {
		n = uint32(len(p.nbrs))
		p.nbrs, p.marks = append(p.nbrs, neighbour{}), append(p.marks, 0)
	}
	nb := &p.nbrs[n]
	// The slot's timers may still have events in the queue: they stay with it.
	*nb = neighbour{port: i, id: id, address: address, since: h.Now(),
		inactivity: nb.inactivity, dd: nb.dd.Slot(), request: nb.request.Slot(), retransmit: nb.retransmit.Slot()}
	p.marks[n] = markOf(address)
	nb.next, p.ports[i].firstNbr = p.ports[i].firstNbr, store.RefTo(n)
	h.Calm().Start(&nb.guard)
	return n
}

// kill is KillNbr, LLDown and InactivityTimer: the neighbour is forgotten.
func (p *Process) kill(h Host, n uint32, why note.Code) {
	nb := &p.nbrs[n]
	p.leaveExchange(h, n)
	p.forgetRefusal(h, nb.port, nb.address, note.MTUTooLarge)
	nb.inactivity.Stop(h, event.Guard)
	h.Calm().Stop(&nb.guard)
	p.setState(h, n, adjacency.Down, why)
	q := p.ports[nb.port]
	at := &q.firstNbr
	for *at != store.RefTo(n) {
		at = &p.nbrs[at.Index()].next
	}
	*at, p.marks[n] = nb.next, 0
	nb.next, p.freeNbr = p.freeNbr, store.RefTo(n)
}

// setState changes the state and what hangs on it.
func (p *Process) setState(h Host, n uint32, to adjacency.State, why note.Code) {
	nb := &p.nbrs[n]
	from := nb.state
	if from == to {
		return
	}
	nb.state, nb.since = to, h.Now()
	h.Calm().Disturb(h.Now())
	h.Note(note.Note{Kind: note.NeighbourState, Port: note.PortOf(nb.port), A: uint64(nb.id),
		B: uint64(from), C: uint64(to), Reason: why})
	q := p.ports[nb.port]
	if q.Broadcast && (from >= adjacency.TwoWay) != (to >= adjacency.TwoWay) {
		p.wantElection(nb.port) // NeighborChange
	}
	if q.Virtual && (from == adjacency.Full || to == adjacency.Full) { // the V bit
		p.wantOriginate(h, p.areaOf(q.Transit), 0)
		p.syncBits(h)
		q = p.ports[nb.port]
	}
	ai := p.areaOf(q.Area)
	if from == adjacency.Full || to == adjacency.Full {
		p.areas[ai].full = true
	}
	switch adjacency.Full {
	case from:
		p.wantOriginate(h, ai, 0)
		p.wantSync(h, 0)
	case to:
		p.wantOriginate(h, ai, goodNews)
		p.wantSync(h, goodNews)
	}
	if from >= adjacency.Exchange { // RFC 2328 14: it may have been what an LSA at MaxAge waited for
		p.sweep(h, q.Area)
	}
}
