package ospf

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
)

// PortState is the state of a port (RFC 2328 9.1).
type PortState uint8

// The states of a port.
const (
	PortDown PortState = iota
	PortLoopback
	PortWaiting
	PortPointToPoint
	PortDROther
	PortBackup
	PortDR
)

// PortStateNames are the RFC's names of the states, by PortState.
var PortStateNames = [...]string{"Down", "Loopback", "Waiting", "Point-to-point", "DR Other", "Backup", "DR"}

func (s PortState) String() string { return PortStateNames[s] }

// candidate is a router that can become DR or BDR of a segment, and what it
// declares in its hellos. Routers are named by their address there.
type candidate struct {
	priority uint8
	id       ip.Quad
	address  ip.Quad
	dr, bdr  ip.Quad
}

// best is the candidate of the highest priority, then of the highest router ID;
// its address is 0 if there is none.
func best(list []candidate, counts func(candidate) bool) candidate {
	var b candidate
	for _, c := range list {
		if counts(c) && (b.address == 0 || c.priority > b.priority || c.priority == b.priority && c.id > b.id) {
			b = c
		}
	}
	return b
}

// asDR is how hellos name a router as DR or BDR of a segment: by its address (RFC
// 2328 A.3.2).
func (nb *neighbour) asDR() ip.Quad { return nb.address.Quad() }
func (q *port) asDR() ip.Quad       { return q.Address.Quad() }

// chooseDR is steps 2 and 3 of RFC 2328 9.4.
func chooseDR(list []candidate) (dr, bdr ip.Quad) {
	bdr = best(list, func(c candidate) bool { return c.dr != c.address && c.bdr == c.address }).address
	if bdr == 0 {
		bdr = best(list, func(c candidate) bool { return c.dr != c.address }).address
	}
	dr = best(list, func(c candidate) bool { return c.dr == c.address }).address
	if dr == 0 {
		dr = bdr
	}
	return dr, bdr
}

// electable are the candidates on a port: its neighbours that hear us, and this
// router itself, which comes first and declares dr and bdr.
func (p *Process) electable(q *port, dr, bdr ip.Quad) []candidate {
	var list []candidate
	if q.Priority > 0 {
		list = append(list, candidate{q.Priority, p.routerID, q.asDR(), dr, bdr})
	}
	for n := q.firstNbr; n != 0; n = p.nbrs[n.index()].next {
		if nb := &p.nbrs[n.index()]; nb.state >= TwoWay && nb.priority > 0 {
			list = append(list, candidate{nb.priority, nb.id, nb.asDR(), nb.dr, nb.bdr})
		}
	}
	return list
}

// wantElection has the port's DR and BDR elected anew when the event that is
// being handled is done with.
func (p *Process) wantElection(i uint32) {
	if !slices.Contains(p.electing, i) {
		p.electing = append(p.electing, i)
	}
}

// elections holds the elections that are due.
func (p *Process) elections(h Host) {
	for len(p.electing) > 0 {
		i := p.electing[0]
		p.electing = p.electing[1:]
		if q := &p.ports[i]; q.talks() && q.Broadcast && q.state != PortWaiting {
			p.elect(h, i)
		}
	}
	p.electing = nil
}

// elect is RFC 2328 9.4. Nobody who is DR or BDR has to give way to a better
// candidate that comes later.
func (p *Process) elect(h Host, i uint32) {
	q := &p.ports[i]
	dr, bdr := chooseDR(p.electable(q, q.dr, q.bdr))
	me := q.asDR()
	if (dr == me) != (q.dr == me) || (bdr == me) != (q.bdr == me) { // step 4
		dr, bdr = chooseDR(p.electable(q, dr, bdr))
	}
	state := PortDROther
	switch me {
	case dr:
		state = PortDR
	case bdr:
		state = PortBackup
	}
	if q.dr == dr && q.bdr == bdr && q.state == state {
		return
	}
	q.dr, q.bdr = dr, bdr
	p.setPortState(h, i, state)
	// AdjOK? for all neighbours (step 7).
	for n := q.firstNbr; n != 0; n = p.nbrs[n.index()].next {
		p.adjOK(h, n.index())
	}
	p.wantOriginate(h, p.areaOf(q.Area), 0)
	p.wantSync(h, 0)
}

func (p *Process) setPortState(h Host, i uint32, s PortState) {
	q := &p.ports[i]
	q.state = s
	h.Calm().Disturb(h.Now())
	h.Note(note.Note{Kind: note.PortRole, Port: uint16(i), A: uint64(q.dr), B: uint64(q.bdr), C: uint64(s)})
}

// startWaiting lets a port listen for who is DR already, before it takes part in
// an election (RFC 2328 9.3, InterfaceUp).
func (p *Process) startWaiting(h Host, i uint32) {
	q := &p.ports[i]
	if q.Priority == 0 {
		p.setPortState(h, i, PortDROther)
		return
	}
	p.setPortState(h, i, PortWaiting)
	q.wait.Set(h, h.Now()+event.FromDuration(q.DeadInterval), waitTimer, event.Pending, i, 0)
}

// waited is WaitTimer or BackupSeen: the port takes part from now on.
func (p *Process) waited(h Host, i uint32) {
	q := &p.ports[i]
	q.wait.Stop(h, event.Pending)
	q.state = PortDROther
	p.elect(h, i)
	if q.state == PortDROther && q.dr == 0 {
		p.setPortState(h, i, PortDROther)
	}
}

// adjacent says whether two routers of a port become adjacent (RFC 2328 10.4).
func (q *port) adjacent(nb *neighbour) bool {
	return !q.Broadcast || q.state == PortDR || q.state == PortBackup || nb.asDR() == q.dr || nb.asDR() == q.bdr
}

// adjOK is the event AdjOK? (RFC 2328 10.3).
func (p *Process) adjOK(h Host, n uint32) {
	nb := &p.nbrs[n]
	switch wanted := p.ports[nb.port].adjacent(nb); {
	case nb.state == TwoWay && wanted:
		p.startExchange(h, n, note.None)
	case nb.state > TwoWay && !wanted:
		p.leaveExchange(h, n)
		p.setState(h, n, TwoWay, note.NoAdjacencyNeeded)
	}
}

// declared takes a neighbour's priority and what it says of DR and BDR out of
// its hello, and finds out whether that calls for an election (RFC 2328 10.5).
func (p *Process) declared(h Host, n uint32, priority uint8, dr, bdr ip.Quad) {
	nb := &p.nbrs[n]
	q := &p.ports[nb.port]
	me := nb.asDR()
	news := nb.priority != priority || (nb.dr == me) != (dr == me) || (nb.bdr == me) != (bdr == me)
	nb.priority, nb.dr, nb.bdr = priority, dr, bdr
	switch {
	case q.state == PortWaiting && (bdr == me || dr == me && bdr == 0):
		p.waited(h, nb.port) // BackupSeen
	case news && q.state != PortWaiting:
		p.wantElection(nb.port)
	}
}

// transit says whether a segment is one that traffic can pass: its DR is
// adjacent to us, or we are it and adjacent to somebody (RFC 2328 12.4.1.2).
func (p *Process) transit(q *port) bool {
	if !q.Broadcast || q.state < PortDROther {
		return false
	}
	for n := q.firstNbr; n != 0; n = p.nbrs[n.index()].next {
		if nb := &p.nbrs[n.index()]; nb.state == Full && (q.state == PortDR || nb.asDR() == q.dr) {
			return true
		}
	}
	return false
}
