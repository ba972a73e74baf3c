// Package tcp is one device's TCP (RFC 9293): a state machine that takes
// segments, timers and what its users want, and gives segments and news through
// Host. It knows no clock, no table and no application.
//
// Left out, as RFC 9293 allows: the reassembly of segments that come out of order
// (they are dropped and sent again), delayed acknowledgments, urgent data, and
// all options but the segment size and the signature (RFC 2385).
package tcp

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	wire "hellebore/core/protocols/wire/tcp"
)

// Host is what TCP needs of its device.
type Host interface {
	event.Scheduler
	// SendTCP sends a segment from one address to another with a time to live.
	// The slice belongs to the host from then on.
	SendTCP(src, dst ip.Addr, ttl uint8, segment []byte)
	// Admits says whether a connection to a port that is listened on is taken,
	// and on which terms.
	Admits(src, dst ip.Addr, port uint16) (terms Terms, ok bool)
	// Rand is keyed randomness of this device.
	Rand(purpose, counter uint64) uint64
	// Connection is the news of a change of a connection.
	Connection(id uint32, news News)
}

// Terms are what the user of a connection asks of its segments.
type Terms struct {
	TTL   uint8            // that they are sent with
	Least uint8            // the least TTL that they are taken with (RFC 5082 3)
	Keys  *config.KeyChain // that sign them (RFC 2385); nil for none
}

// News is what happened to a connection.
type News uint8

// What happens to a connection.
const (
	Opened  News = iota // it is established
	Arrived             // data can be read
	Ended               // the other end will send no more
	Closed              // it is over, as both wanted
	Refused             // nobody listens there
	Reset               // the other end broke it off
	Lost                // nothing was acknowledged for too long
	Drained             // half of what waited to be sent has been acknowledged
)

// newsNames say what happened, for people.
var newsNames = [...]string{"opened", "data arrived", "the other end closed", "closed", "refused: nobody listens",
	"reset by the other end", "nothing was acknowledged in time", "there is room to send"}

func (n News) String() string { return newsNames[n] }

// State is a connection's state (RFC 9293 3.3.2).
type State uint8

// The states of a connection. LISTEN is a port's, not a connection's.
const (
	StateClosed State = iota
	SynSent
	SynReceived
	Established
	FinWait1
	FinWait2
	CloseWait
	Closing
	LastAck
	TimeWait
)

// StateNames are RFC 9293's names, by State.
var StateNames = [...]string{"CLOSED", "SYN-SENT", "SYN-RECEIVED", "ESTABLISHED", "FIN-WAIT-1", "FIN-WAIT-2",
	"CLOSE-WAIT", "CLOSING", "LAST-ACK", "TIME-WAIT"}

func (s State) String() string { return StateNames[s] }

// Event kinds of TCP; an event's A is the connection.
const (
	retransmitTimer event.Kind = FirstKind + iota
	closeTimer
	openTimer
	EndKind
)

// FirstKind and EndKind bound the event kinds that a host passes to Timer.
const FirstKind event.Kind = 128

// WaitOf is what an event of one of TCP's kinds is the end of.
func WaitOf(k event.Kind) note.Wait {
	return [...]note.Wait{retransmitTimer - FirstKind: note.TCPRetransmitWait, closeTimer - FirstKind: note.TCPCloseWait,
		openTimer - FirstKind: note.TCPOpenWait}[k-FirstKind]
}

// Times that RFC 9293 and RFC 6298 name.
const (
	initialRTO = event.Second      // RFC 6298 2.1
	minRTO     = event.Second      // RFC 6298 2.4
	maxRTO     = 60 * event.Second // RFC 6298 2.5
	msl        = 30 * event.Second // RFC 9293 3.4.2 leaves its value open
	// giveUp is R2 (RFC 9293 3.8.3): so many retransmissions, of which the last
	// come 100 s after the first.
	giveUp = 7
	// giveUpOpening is R2 for a SYN, at least 3 minutes.
	giveUpOpening = 8
)

// Window is how much a connection takes before its user has read.
const Window = 65535

// DefaultTTL is the time to live of segments whose user says nothing of it.
const DefaultTTL = 64

const randISS = 1 << 30 // purpose of keyed randomness

// Stack is a device's TCP. The zero value is ready for use.
type Stack struct {
	conns     []conn
	ports     []uint32 // of each connection, by which it is found: there may be hundreds
	listening []uint16
	opened    uint64 // connections so far: the counter of keyed randomness
	ephemeral uint16 // the last port given to a connection of our own
}

// Clone is an independent copy.
func (s *Stack) Clone() Stack {
	c := *s
	c.conns = slices.Clone(s.conns)
	c.ports = slices.Clone(s.ports)
	return c
}

// Listen makes ports be those on which connections are taken. The slice is the
// stack's from then on. Connections that are there stay.
func (s *Stack) Listen(ports []uint16) { s.listening = ports }

// View is a connection as a view sees it.
type View struct {
	Local, Remote         ip.Addr
	LocalPort, RemotePort uint16
	State                 State
	Taken                 bool // the other end opened it
	Since                 event.Time
	Unacknowledged        int  // bytes, sent or not
	Why                   News // it was closed, if it is
}

// View is a connection.
func (s *Stack) View(id uint32) View {
	c := &s.conns[id]
	return View{c.local, c.remote, c.localPort, c.remotePort, c.state, c.taken, c.since, len(c.out), c.why}
}

// Each visits the connections that are not closed.
func (s *Stack) Each(visit func(id uint32, v View)) {
	for i := range s.conns {
		if s.conns[i].state != StateClosed {
			visit(uint32(i), s.View(uint32(i)))
		}
	}
}

// Open begins a connection (RFC 9293 3.10.1).
func (s *Stack) Open(h Host, local, remote ip.Addr, port uint16, mss uint16, terms Terms) (id uint32) {
	id = s.slot(h)
	c := &s.conns[id]
	c.local, c.remote, c.localPort, c.remotePort = local, remote, s.freePort(), port
	s.ports[id] = portsOf(c.localPort, c.remotePort)
	c.offer, c.terms = mss, terms
	c.state, c.since = SynSent, h.Now()
	s.output(h, id)
	return id
}

func portsOf(local, remote uint16) uint32 { return uint32(local)<<16 | uint32(remote) }

// find is the connection between two addresses and ports that is not closed, -1 if there is none.
func (s *Stack) find(local, remote ip.Addr, localPort, remotePort uint16) int {
	for i, p := range s.ports {
		if p != portsOf(localPort, remotePort) {
			continue
		}
		if c := &s.conns[i]; c.state != StateClosed && c.local == local && c.remote == remote {
			return i
		}
	}
	return -1
}

// freePort is a port for a connection of our own (RFC 6335 6), one after the
// other.
func (s *Stack) freePort() uint16 {
	const first = 49152
	for {
		s.ephemeral++
		if s.ephemeral < first {
			s.ephemeral = first
		}
		if !slices.ContainsFunc(s.conns,
			func(c conn) bool { return c.state != StateClosed && c.localPort == s.ephemeral }) {
			return s.ephemeral
		}
	}
}

// slot is a place for a new connection.
func (s *Stack) slot(h Host) uint32 {
	i := slices.IndexFunc(s.conns, func(c conn) bool { return c.state == StateClosed })
	if i < 0 {
		s.conns, s.ports = append(s.conns, conn{}), append(s.ports, 0)
		i = len(s.conns) - 1
	}
	c := &s.conns[i]
	s.opened++
	iss := uint32(h.Rand(randISS, s.opened)) // RFC 9293 3.4.1: not to be guessed
	// The slot's timers may still have events in the queue: they stay with it.
	*c = conn{retransmit: c.retransmit, closing: c.closing, opening: c.opening, terms: Terms{TTL: DefaultTTL},
		iss: iss, una: iss, nxt: iss, peak: iss, rto: initialRTO, peerMSS: wire.DefaultMSS}
	return uint32(i)
}

// Write sends data. The slice must not be written to afterwards.
func (s *Stack) Write(h Host, id uint32, data []byte) {
	c := &s.conns[id]
	if c.finished || c.state == StateClosed {
		return
	}
	c.out = append(slices.Clip(c.out), data...)
	s.output(h, id)
}

// Unsent is how many bytes wait to be sent or acknowledged.
func (s *Stack) Unsent(id uint32) int { return len(s.conns[id].out) }

// Read is the data that arrived and was not read yet.
func (s *Stack) Read(h Host, id uint32) []byte {
	c := &s.conns[id]
	data := c.in
	c.in = nil
	if len(data) > Window/2 && c.state == Established {
		s.acknowledge(h, c) // the window is open again
	}
	return data
}

// Close sends what is left and closes (RFC 9293 3.10.4).
func (s *Stack) Close(h Host, id uint32) {
	c := &s.conns[id]
	switch c.state {
	case SynSent:
		s.end(h, id, Closed, false)
		return
	case StateClosed:
		return
	}
	if !c.finished {
		c.finished = true
		s.output(h, id)
	}
}

// Abort breaks the connection off (RFC 9293 3.10.5).
func (s *Stack) Abort(h Host, id uint32) {
	c := &s.conns[id]
	if c.state >= SynReceived && c.state != TimeWait {
		s.send(h, c, &wire.Segment{Seq: c.nxt, Ack: c.rcv, Flags: wire.RST | wire.ACK})
	}
	s.end(h, id, Closed, false)
}

// Stop forgets all connections: the device went down.
func (s *Stack) Stop(h Host) {
	for i := range s.conns {
		s.end(h, uint32(i), Lost, false)
	}
}

// end closes a connection, and says so if it is news to its user.
func (s *Stack) end(h Host, id uint32, why News, tell bool) {
	c := &s.conns[id]
	if c.state == StateClosed {
		return
	}
	c.state, c.out, c.in, c.why = StateClosed, nil, nil, why
	c.retransmit.Stop(h, event.Pending)
	c.opening.Stop(h, event.Retry)
	c.closing.Stop(h, event.Periodic)
	if tell {
		h.Connection(id, why)
	}
}

// Timer handles an event of one of TCP's kinds.
func (s *Stack) Timer(h Host, e *event.Event) {
	if int(e.A) >= len(s.conns) {
		return
	}
	c := &s.conns[e.A]
	switch e.Kind {
	case retransmitTimer:
		if c.retransmit.Fired(h, e) {
			s.timeout(h, e.A)
		}
	case openTimer:
		if c.opening.Fired(h, e) {
			s.timeout(h, e.A)
		}
	case closeTimer:
		if c.closing.Fired(h, e) {
			s.end(h, e.A, Closed, false)
		}
	}
}

// Account is what is pending, for checking the world's account.
func (s *Stack) Account() (pending int) {
	for i := range s.conns {
		if s.conns[i].retransmit.Running() {
			pending++
		}
	}
	return pending
}

// Digest folds the connections in, with sequence numbers and timers.
func (s *Stack) Digest(d *store.Digest) {
	for i := range s.conns {
		c := &s.conns[i]
		d.Add(uint64(c.state), c.local.Hash(), c.remote.Hash())
		d.Add(uint64(c.una), uint64(c.nxt), uint64(c.rcv), uint64(c.retransmit.Deadline()),
			uint64(c.opening.Deadline()), uint64(len(c.out)), uint64(len(c.in)))
	}
}
