package ospf

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/adjacency"
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

// asDR is how hellos name a router as DR or BDR of a segment: by its address (RFC
// 2328 A.3.2).
func (nb *neighbour) asDR() ip.Quad { return nb.address.Quad() }
func (q *port) asDR() ip.Quad       { return q.Address.Quad() }

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
		if q := p.ports[i]; q.talks() && q.Broadcast && q.state != PortWaiting {
			p.elect(h, i)
		}
	}
	p.electing = nil
}

// elect is RFC 2328 9.4.
func (p *Process) elect(h Host, i uint32) {
	q := p.ports[i]
	me := q.asDR()
	var others []adjacency.Candidate
	for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
		if nb := &p.nbrs[n.Index()]; nb.state >= adjacency.TwoWay {
			others = append(others, adjacency.Candidate{Priority: nb.priority, ID: nb.id, Name: nb.asDR(), DR: nb.dr, BDR: nb.bdr})
		}
	}
	dr, bdr := adjacency.Elect(
		adjacency.Candidate{Priority: q.Priority, ID: p.routerID, Name: me, DR: q.dr, BDR: q.bdr}, others)
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
	for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
		p.adjOK(h, n.Index())
	}
	p.wantOriginate(h, p.areaOf(q.Area), 0)
	p.wantSync(h, 0)
}

func (p *Process) setPortState(h Host, i uint32, s PortState) {
	q := p.ports[i]
	q.state = s
	h.Calm().Disturb(h.Now())
	h.Note(note.Note{Kind: note.PortRole, Port: note.PortOf(i), A: uint64(q.dr), B: uint64(q.bdr), C: uint64(s)})
}

// startWaiting lets a port listen for who is DR already, before it takes part in
// an election (RFC 2328 9.3, InterfaceUp).
func (p *Process) startWaiting(h Host, i uint32) {
	q := p.ports[i]
	if q.Priority == 0 {
		p.setPortState(h, i, PortDROther)
		return
	}
	p.setPortState(h, i, PortWaiting)
	q.wait.Set(h, h.Now()+event.FromDuration(q.DeadInterval), waitTimer, event.Pending, i, 0)
}

// waited is WaitTimer or BackupSeen: the port takes part from now on.
func (p *Process) waited(h Host, i uint32) {
	q := p.ports[i]
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
	case nb.state == adjacency.TwoWay && wanted:
		p.startExchange(h, n, note.None)
	case nb.state > adjacency.TwoWay && !wanted:
		p.leaveExchange(h, n)
		p.setState(h, n, adjacency.TwoWay, note.NoAdjacencyNeeded)
	}
}

// declared takes a neighbour's priority and what it says of DR and BDR out of
// its hello, and finds out whether that calls for an election (RFC 2328 10.5).
func (p *Process) declared(h Host, n uint32, priority uint8, dr, bdr ip.Quad) {
	nb := &p.nbrs[n]
	q := p.ports[nb.port]
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
	for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
		if nb := &p.nbrs[n.Index()]; nb.state == adjacency.Full && (q.state == PortDR || nb.asDR() == q.dr) {
			return true
		}
	}
	return false
}
