package bgp

import (
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/tcp"
)

// Which TCP connections belong to a session, and which come from strangers.

// Accepts says whether a connection that somebody opens to us is taken, and on
// which terms. Who is not taken is remembered.
func (s *Speaker) Accepts(h Host, from, to ip.Addr) (terms tcp.Terms, ok bool) {
	if !s.running {
		return terms, false
	}
	i := slices.IndexFunc(s.peers, func(p peer) bool { return p.config.Address == from && !p.gone })
	if i < 0 {
		s.stranger(h, Stranger{From: from, To: to, Reason: note.PeerUnknown})
		return terms, false
	}
	p := &s.peers[i]
	why := note.None
	switch {
	case p.disabled() || p.limited:
		why = note.PeerDisabled
	case p.config.Local != "" && h.PortAddress(p.config.Local) != to:
		why = note.WrongLocalAddress
	case p.direct() && !h.OnLink(from):
		why = note.PeerNotOnLink
	case p.up || p.conns[theirs].on:
		return terms, false // there is one already
	}
	if why != note.None {
		s.stranger(h, Stranger{From: from, To: to, Reason: why})
		return terms, false
	}
	return p.terms(), true
}

func (s *Speaker) stranger(h Host, n Stranger) {
	n.Last, n.Count = h.Now(), 1
	h.Note(note.Note{Kind: note.ConnectionTurnedAway, A: uint64(h.Shared().Addrs.ID(n.From)), B: uint64(h.Shared().Addrs.ID(n.To)),
		Reason: n.Reason})
	i := slices.IndexFunc(s.refused, func(o Stranger) bool { return o.From == n.From && o.To == n.To })
	switch {
	case i >= 0:
		n.Count += s.refused[i].Count
		s.refused[i] = n
	case len(s.refused) < maxStrangers:
		s.refused = append(slices.Clip(s.refused), n)
	}
}

// find is the peer and the connection with a TCP number, nil if it is none of ours.
func (s *Speaker) find(conn uint32) (*peer, *connection) {
	for i := range s.peers {
		for k := range s.peers[i].conns {
			if c := &s.peers[i].conns[k]; c.on && c.conn == conn {
				return &s.peers[i], c
			}
		}
	}
	return nil, nil
}

// Owns says whether a TCP connection is one of the speaker's.
func (s *Speaker) Owns(conn uint32) bool { p, _ := s.find(conn); return p != nil }

// Taken begins a session on a connection that a peer opened and that Accepts let
// in.
func (s *Speaker) Taken(h Host, conn uint32) {
	local, remote := h.EndsTCP(conn)
	i := slices.IndexFunc(s.peers, func(p peer) bool { return p.config.Address == remote && !p.gone })
	if !s.running || i < 0 || s.peers[i].up || s.peers[i].conns[theirs].on {
		h.AbortTCP(conn)
		return
	}
	p := &s.peers[i]
	p.conns[theirs] = connection{on: true, taken: true, conn: conn, local: local}
	p.sendOpen(s, h, &p.conns[theirs])
}

// TCPOpened, TCPArrived and TCPOver are the news of a connection of ours.
func (s *Speaker) TCPOpened(h Host, conn uint32) {
	if p, c := s.find(conn); p != nil {
		p.sendOpen(s, h, c)
	}
}

// TCPOver is the news that a connection is no more.
func (s *Speaker) TCPOver(h Host, conn uint32, why note.Code) {
	p, c := s.find(conn)
	if p == nil {
		return
	}
	stage := c.stage
	if why == note.None { // the other end closed: so do we
		h.CloseTCP(conn)
		why = note.ConnectionClosed
	}
	*c = connection{}
	if stage == Established {
		p.end(s, h, Ending{Reason: why, WasUp: true})
		return
	}
	if why != note.ConnectionClosed || !p.last.Notify && !p.last.Received || p.last.At != h.Now() {
		if !(why == note.ConnectionClosed && p.last.Received) {
			p.last = Ending{At: h.Now(), Reason: why}
		}
	}
	p.fruitless(h)
	if !p.conns[ours].on && !p.conns[theirs].on {
		// RFC 4271 8.2.2 goes to Idle here when no DelayOpenTimer runs; we listen on.
		p.setState(h, Active, why)
	}
}
