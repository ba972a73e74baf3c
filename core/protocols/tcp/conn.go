package tcp

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	wire "hellebore/core/protocols/wire/tcp"
)

// conn is a connection. Sequence numbers have RFC 9293's names (3.3.1).
type conn struct {
	local, remote         ip.Addr
	localPort, remotePort uint16
	state                 State
	taken                 bool
	since                 event.Time
	why                   News // it was closed

	iss, una, nxt uint32
	peak          uint32 // the highest nxt there was: what is below it was sent before
	rcv           uint32 // RCV.NXT
	told          uint32 // the last RCV.NXT that was sent
	window        uint32 // SND.WND
	offer         uint16 // the segment size that we name
	terms         Terms
	peerMSS       uint16
	out           []byte // from una on, but SYN and FIN; grown by a copy, never written
	in            []byte // not read yet
	finished      bool   // our user sends no more: FIN follows out

	// RFC 6298 and RFC 5681.
	rto, srtt, rttvar event.Time
	timed             uint32 // the sequence number that is timed, if timing
	timedAt           event.Time
	timing            bool
	tries             int
	congestion        uint32 // the congestion window, 0 before the first
	threshold         uint32
	retransmit        event.Timer
	closing           event.Timer // TIME-WAIT
	// A SYN that nobody answers can go on for long without anything being about
	// to happen: its timer is not of the pending ones.
	opening event.Timer
}

// before says whether one sequence number comes before another (RFC 9293 3.4).
func before(a, b uint32) bool { return int32(a-b) < 0 }

// fin is the sequence number of our FIN; right only when finished.
func (c *conn) fin() uint32 { return c.dataFrom() + uint32(len(c.out)) }

// dataFrom is the sequence number of the first byte of out.
func (c *conn) dataFrom() uint32 {
	if c.una == c.iss {
		return c.iss + 1 // the SYN is not acknowledged yet
	}
	return c.una
}

func (s *Stack) send(h Host, c *conn, g *wire.Segment) {
	g.SrcPort, g.DstPort = c.localPort, c.remotePort
	c.told = c.rcv
	g.Window = uint16(Window - min(len(c.in), Window))
	h.SendTCP(c.local, c.remote, c.terms.TTL, c.terms.write(h.Now(), g, c.local, c.remote))
}

func (s *Stack) acknowledge(h Host, c *conn) {
	s.send(h, c, &wire.Segment{Seq: c.nxt, Ack: c.rcv, Flags: wire.ACK})
}

// output sends what may be sent: the SYN, data as far as the windows allow, and
// the FIN behind it.
func (s *Stack) output(h Host, id uint32) {
	c := &s.conns[id]
	switch c.state {
	case SynSent, SynReceived:
		if c.nxt == c.iss {
			g := wire.Segment{Seq: c.iss, Flags: wire.SYN, MSS: c.offer}
			if c.state == SynReceived {
				g.Flags, g.Ack = wire.SYN|wire.ACK, c.rcv
			}
			s.advance(h, c, 1)
			s.send(h, c, &g)
		}
	case Established, CloseWait, FinWait1, Closing, LastAck:
		mss := c.mss()
		if c.congestion == 0 {
			c.congestion, c.threshold = 10*mss, 1<<30 // RFC 6928
		}
		from := c.dataFrom()
		for {
			sent := c.nxt - from
			if c.finished && c.nxt == c.fin()+1 {
				break
			}
			left := uint32(len(c.out)) - min(sent, uint32(len(c.out)))
			room := min(c.window, c.congestion)
			if room == 0 && sent == 0 && left > 0 && c.tries > 0 {
				room = 1 // a probe of a window that is shut (RFC 9293 3.8.6.1)
			}
			n := min(left, mss, room-min(room, sent))
			last := c.finished && n == left
			if n == 0 && !last {
				break
			}
			g := wire.Segment{Seq: c.nxt, Ack: c.rcv, Flags: wire.ACK, Payload: c.out[sent : sent+n]}
			if n > 0 && n == left {
				g.Flags |= wire.PSH
			}
			if last {
				g.Flags |= wire.FIN
				switch c.state {
				case Established:
					c.state = FinWait1
				case CloseWait:
					c.state = LastAck
				}
				n++
			}
			s.advance(h, c, n)
			s.send(h, c, &g)
		}
	}
	s.patience(h, id)
}

// patience sets the retransmission timer, if something is to be acknowledged.
func (s *Stack) patience(h Host, id uint32) {
	c := &s.conns[id]
	switch waits := c.una != c.nxt || len(c.out) > 0 && c.state >= Established; {
	case !waits:
		c.retransmit.Stop(h, event.Pending)
		c.opening.Stop(h, event.Retry)
	case c.state <= SynReceived:
		if !c.opening.Running() {
			c.opening.Set(h, h.Now()+c.rto, openTimer, event.Retry, id, 0)
		}
	case !c.retransmit.Running():
		c.opening.Stop(h, event.Retry)
		c.retransmit.Set(h, h.Now()+c.rto, retransmitTimer, event.Pending, id, 0)
	}
}

// advance moves SND.NXT over what is being sent, and times it if nothing else is
// being timed; what is sent again is not timed (RFC 6298 3).
func (s *Stack) advance(h Host, c *conn, n uint32) {
	if !c.timing && !before(c.nxt, c.peak) {
		c.timing, c.timed, c.timedAt = true, c.nxt+n, h.Now()
	}
	c.nxt += n
	if before(c.peak, c.nxt) {
		c.peak = c.nxt
	}
}

// timeout sends again what has not been acknowledged, with twice the patience
// (RFC 6298 5.4 to 5.6), and gives up in the end.
func (s *Stack) timeout(h Host, id uint32) {
	c := &s.conns[id]
	c.tries++
	limit := giveUp
	if c.state <= SynReceived {
		limit = giveUpOpening
	}
	if c.tries > limit {
		s.end(h, id, Lost, true)
		return
	}
	c.rto = min(2*c.rto, maxRTO)
	c.timing = false
	if c.congestion > 0 { // RFC 5681 3.1
		mss := c.mss()
		c.threshold = max((c.nxt-c.una)/2, 2*mss)
		c.congestion = mss
	}
	c.nxt = c.una
	s.output(h, id) // which sets the timer again
}

// Receive handles a segment that came for one of the device's addresses (RFC
// 9293 3.10.7). mss is the segment size to offer to whoever opens a connection.
// What came with too low a time to live or a wrong signature is as if it were
// lost; refused says why.
func (s *Stack) Receive(h Host, src, dst ip.Addr, ttl uint8, b []byte, mss uint16) (refused note.Code) {
	g, ok := wire.Read(b, src, dst)
	if !ok {
		return note.None // a wrong checksum: it is as if it were lost
	}
	id := s.find(dst, src, g.DstPort, g.SrcPort)
	if id >= 0 {
		if why := s.conns[id].terms.refuses(h.Now(), &g, b, src, dst, ttl); why != note.None {
			return why
		}
	}
	if id >= 0 && s.conns[id].state == TimeWait && g.Flags&wire.SYN != 0 {
		s.end(h, uint32(id), Closed, false) // a new connection between the same ports
		id = -1
	}
	switch {
	case id >= 0 && s.conns[id].state == SynSent:
		s.synSent(h, uint32(id), &g)
	case id >= 0:
		s.synchronized(h, uint32(id), &g)
	case g.Flags&(wire.SYN|wire.ACK|wire.RST) == wire.SYN && slices.Contains(s.listening, g.DstPort):
		terms, ok := h.Admits(src, dst, g.DstPort)
		if !ok {
			s.refuse(h, src, dst, &g)
			break
		}
		if why := terms.refuses(h.Now(), &g, b, src, dst, ttl); why != note.None {
			return why
		}
		s.take(h, src, dst, &g, mss, terms)
	case g.Flags&wire.RST == 0:
		s.refuse(h, src, dst, &g)
	}
	return note.None
}

// refuse answers a segment for no connection (RFC 9293 3.10.7.1), unsigned: who
// expects a signature does not believe it (RFC 2385 4.1).
func (s *Stack) refuse(h Host, src, dst ip.Addr, g *wire.Segment) {
	r := wire.Segment{SrcPort: g.DstPort, DstPort: g.SrcPort, Ack: g.Seq + g.Len(), Flags: wire.RST | wire.ACK}
	if g.Flags&wire.ACK != 0 {
		r.Seq, r.Ack, r.Flags = g.Ack, 0, wire.RST
	}
	h.SendTCP(dst, src, DefaultTTL, r.Append(nil, dst, src))
}

// take begins a connection that the other end opens (3.10.7.2).
func (s *Stack) take(h Host, src, dst ip.Addr, g *wire.Segment, mss uint16, terms Terms) {
	id := s.slot(h)
	c := &s.conns[id]
	c.local, c.remote, c.localPort, c.remotePort = dst, src, g.DstPort, g.SrcPort
	s.ports[id] = portsOf(c.localPort, c.remotePort)
	c.taken, c.offer, c.rcv, c.window = true, mss, g.Seq+1, uint32(g.Window)
	c.terms = terms
	c.peer(g)
	c.state, c.since = SynReceived, h.Now()
	s.output(h, id)
}

// peer takes what a SYN says of its sender.
func (c *conn) peer(g *wire.Segment) {
	if g.MSS != 0 {
		c.peerMSS = g.MSS
	}
}

// synSent is RFC 9293 3.10.7.3.
func (s *Stack) synSent(h Host, id uint32, g *wire.Segment) {
	c := &s.conns[id]
	acks := g.Flags&wire.ACK != 0
	if acks && g.Ack != c.iss+1 {
		if g.Flags&wire.RST == 0 {
			s.refuse(h, c.remote, c.local, g)
		}
		return
	}
	if g.Flags&wire.RST != 0 {
		if acks {
			s.end(h, id, Refused, true)
		}
		return
	}
	if g.Flags&wire.SYN == 0 {
		return
	}
	c.rcv, c.window = g.Seq+1, uint32(g.Window)
	c.peer(g)
	if !acks { // both opened at once
		c.state, c.nxt = SynReceived, c.iss
		s.output(h, id)
		return
	}
	s.acked(h, c, g.Ack)
	s.establish(h, id)
	if c = &s.conns[id]; c.told != c.rcv && c.state != StateClosed {
		s.acknowledge(h, c) // unless what its user sent on the news has done so
	}
	s.output(h, id)
}

func (s *Stack) establish(h Host, id uint32) {
	c := &s.conns[id]
	c.state, c.since = Established, h.Now()
	c.opening.Stop(h, event.Retry)
	h.Connection(id, Opened)
}

// acked takes an acknowledgment of something new: what it covers is done with,
// the round trip is measured (RFC 6298 2), the congestion window grows (RFC 5681
// 3.1).
func (s *Stack) acked(h Host, c *conn, ack uint32) {
	from := c.dataFrom()
	if done := ack - from; before(from, ack) {
		c.out = c.out[min(int(done), len(c.out)):]
		mss := c.mss()
		switch {
		case c.congestion == 0:
		case c.congestion < c.threshold:
			c.congestion += min(done, mss)
		default:
			c.congestion += max(1, mss*mss/c.congestion)
		}
	}
	c.una = ack
	if before(c.nxt, ack) {
		c.nxt = ack // what was to be sent again has arrived after all
	}
	c.tries = 0
	if c.timing && !before(ack, c.timed) {
		c.timing = false
		r := h.Now() - c.timedAt
		if c.srtt == 0 {
			c.srtt, c.rttvar = r, r/2
		} else {
			d := c.srtt - r
			if d < 0 {
				d = -d
			}
			c.rttvar += (d - c.rttvar) / 4
			c.srtt += (r - c.srtt) / 8
		}
		c.rto = min(max(c.srtt+4*c.rttvar, minRTO), maxRTO)
	}
	c.retransmit.Stop(h, event.Pending) // output starts it anew
	c.opening.Stop(h, event.Retry)
}

// synchronized is RFC 9293 3.10.7.4, its steps in order.
func (s *Stack) synchronized(h Host, id uint32, g *wire.Segment) {
	c := &s.conns[id]
	// First, the sequence number. What overlaps is cut; what is beyond is
	// dropped, and asked for by the acknowledgment.
	if skip := c.rcv - g.Seq; before(g.Seq, c.rcv) && g.Flags&wire.RST == 0 {
		if g.Len() < skip || g.Len() == skip && g.Len() > 0 {
			s.acknowledge(h, c) // all of it has been here before
			if g.Flags&wire.ACK == 0 {
				return
			}
			skip = g.Len()
			g.Flags &^= wire.FIN
		}
		if g.Flags&wire.SYN != 0 {
			g.Flags &^= wire.SYN
			g.Seq++
			skip--
		}
		g.Payload = g.Payload[min(int(skip), len(g.Payload)):]
		g.Seq = c.rcv
	}
	if g.Seq != c.rcv {
		if g.Flags&wire.RST == 0 {
			s.acknowledge(h, c)
		}
		return
	}
	// Second, RST; fourth, SYN.
	if g.Flags&(wire.RST|wire.SYN) != 0 {
		why := Reset
		if c.state == SynReceived && !c.taken {
			why = Refused
		}
		s.end(h, id, why, true)
		return
	}
	// Fifth, ACK.
	if g.Flags&wire.ACK == 0 {
		return
	}
	waited := len(c.out)
	switch {
	case before(c.peak, g.Ack):
		if c.state == SynReceived {
			s.refuse(h, c.remote, c.local, g)
			return
		}
		s.acknowledge(h, c) // of what was never sent
		return
	case before(c.una, g.Ack):
		s.acked(h, c, g.Ack)
	}
	c.window = uint32(g.Window)
	if c.window == 0 {
		// While the other end answers probes, a shut window ends no connection (RFC 9293 3.8.6.1).
		c.tries = min(c.tries, 1)
	}
	if c.state == SynReceived && c.una != c.iss {
		s.establish(h, id)
	}
	if c.finished && c.una == c.nxt && len(c.out) == 0 && c.una == c.peak {
		switch c.state {
		case FinWait1:
			c.state = FinWait2
		case Closing:
			s.timeWait(h, id)
		case LastAck:
			s.end(h, id, Closed, true)
			return
		}
	}
	drained := waited > drainAt && len(c.out) <= drainAt
	s.takeData(h, id, g)
	if c := &s.conns[id]; c.state != StateClosed {
		s.output(h, id)
		if drained && c.state == Established {
			h.Connection(id, Drained)
		}
	}
}

// drainAt is how little has to wait until the user hears that it may write on.
const drainAt = 16 << 10

// takeData is steps seven and eight: the payload and the FIN.
func (s *Stack) takeData(h Host, id uint32, g *wire.Segment) {
	c := &s.conns[id]
	had := c.rcv
	room := Window - len(c.in)
	payload := g.Payload
	whole := len(payload) <= room
	if !whole {
		payload = payload[:max(0, room)]
	}
	if len(payload) > 0 && c.state >= Established && c.state <= FinWait2 {
		c.in = append(slices.Clip(c.in), payload...)
		c.rcv += uint32(len(payload))
		h.Connection(id, Arrived)
		c = &s.conns[id]
	}
	if g.Flags&wire.FIN != 0 && whole && c.state >= Established && c.state != TimeWait && c.state != StateClosed {
		c.rcv++
		switch c.state {
		case Established:
			c.state = CloseWait
			h.Connection(id, Ended)
		case FinWait1:
			c.state = Closing
		case FinWait2:
			s.timeWait(h, id)
		}
		c = &s.conns[id]
	}
	// What the user sent on this news has acknowledged it already.
	if g.Len() > 0 && c.state != StateClosed && (c.rcv == had || c.told != c.rcv) {
		s.acknowledge(h, c)
	}
}

// timeWait waits for old segments to die out (RFC 9293 3.6); its user is done.
func (s *Stack) timeWait(h Host, id uint32) {
	c := &s.conns[id]
	c.state = TimeWait
	c.retransmit.Stop(h, event.Pending)
	c.closing.Set(h, h.Now()+2*msl, closeTimer, event.Periodic, id, 0)
	h.Connection(id, Closed)
}
