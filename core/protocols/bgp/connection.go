package bgp

import (
	"slices"

	"hellebore/core/ground/note"
	"hellebore/core/protocols/tcp"
	"hellebore/core/protocols/wire/ip"
)

// Which TCP connections belong to a session, and which come from strangers.

// Accepts says whether a connection that somebody opens to us is taken, and on
// which terms. Who is not taken is remembered.
func (s *Speaker) Accepts(h Host, from, to ip.Addr) (terms tcp.Terms, ok bool) {
	if !s.running {
		return terms, false
	}
	i := slices.IndexFunc(s.peers, func(p peer) bool { return p.config.Address == from && !p.gone })
	why := note.None
	switch {
	case i < 0:
		why = note.PeerUnknown
	case s.peers[i].disabled() || s.peers[i].limited:
		why = note.PeerDisabled
	case s.peers[i].config.Local != "" && h.PortAddress(s.peers[i].config.Local) != to:
		why = note.WrongLocalAddress
	case s.peers[i].direct() && !h.OnLink(from):
		why = note.PeerNotOnLink
	case s.peers[i].up != 0 || s.peers[i].tries[1].on:
		return terms, false // there is one already
	}
	if why != note.None {
		s.stranger(h, Stranger{From: from, To: to, Reason: why})
		return terms, false
	}
	return s.peers[i].terms(), true
}

func (s *Speaker) stranger(h Host, n Stranger) {
	n.Last, n.Count = h.Now(), 1
	h.Note(note.Note{Kind: note.ConnectionTurnedAway, Port: note.NoPort, A: uint64(n.From), B: uint64(n.To), Reason: n.Reason})
	i := slices.IndexFunc(s.refused, func(o Stranger) bool { return o.From == n.From && o.To == n.To })
	switch {
	case i >= 0:
		n.Count += s.refused[i].Count
		s.refused[i] = n
	case len(s.refused) < maxStrangers:
		s.refused = append(slices.Clip(s.refused), n)
	}
}

// find is the peer and the connection with a TCP number.
func (s *Speaker) find(conn uint32) (i, k int, ok bool) {
	for i := range s.peers {
		for k := range s.peers[i].tries {
			if t := &s.peers[i].tries[k]; t.on && t.conn == conn {
				return i, k, true
			}
		}
	}
	return 0, 0, false
}

// Owns says whether a TCP connection is one of the speaker's.
func (s *Speaker) Owns(conn uint32) bool { _, _, ok := s.find(conn); return ok }

// Taken begins a session on a connection that a peer opened and that Accepts let
// in.
func (s *Speaker) Taken(h Host, conn uint32) {
	local, remote := h.EndsTCP(conn)
	i := slices.IndexFunc(s.peers, func(p peer) bool { return p.config.Address == remote && !p.gone })
	if !s.running || i < 0 || s.peers[i].up != 0 || s.peers[i].tries[1].on {
		h.AbortTCP(conn)
		return
	}
	s.peers[i].tries[1] = try{on: true, taken: true, conn: conn, local: local}
	s.sendOpen(h, i, 1)
}

// TCPOpened, TCPArrived and TCPOver are the news of a connection of ours.
func (s *Speaker) TCPOpened(h Host, conn uint32) {
	if i, k, ok := s.find(conn); ok {
		s.sendOpen(h, i, k)
	}
}

// TCPOver tells that a connection is no more.
func (s *Speaker) TCPOver(h Host, conn uint32, why note.Code) {
	i, k, ok := s.find(conn)
	if !ok {
		return
	}
	p := &s.peers[i]
	stage := p.tries[k].stage
	if why == note.None { // the other end closed: so do we
		h.CloseTCP(conn)
		why = note.ConnectionClosed
	}
	p.tries[k] = try{}
	if stage == Established {
		s.end(h, i, Ending{Reason: why, WasUp: true})
		return
	}
	if why != note.ConnectionClosed || !p.last.Notify && !p.last.Received || p.last.At != h.Now() {
		if !(why == note.ConnectionClosed && p.last.Received) {
			p.last = Ending{At: h.Now(), Reason: why}
		}
	}
	s.fruitless(h, i)
	if !p.tries[0].on && !p.tries[1].on {
		// RFC 4271 8.2.2 goes to Idle here when no DelayOpenTimer runs; we listen on.
		s.setState(h, i, Active, why)
	}
}
