package bgp

import (
	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/protocols/policy"
	wire "hellebore/core/protocols/wire/bgp"
)

// PeerView is a peer and its session as a view sees it.
type PeerView struct {
	Number              int // of the peer, as Speaker counts; below 0 if the speaker does not run
	Config              config.Peer
	Address             ip.Addr
	External            bool
	Disabled            bool // by its configuration, or by an action above it
	State               State
	Since               event.Time // when State began
	Ups                 uint32     // how often it was Established
	Blocked             note.Code  // what keeps it from being tried
	Limited             bool       // down until it is reset, for too many prefixes
	Last                Ending     // how the last session or attempt ended
	NextTry             event.Time // 0 if none is planned
	HoldAt              event.Time // when the hold time runs out; 0 if it does not run
	HoldTime            event.Time // in force
	Local               ip.Addr    // our address of the session, if it is up
	PeerID              ip.Quad
	Conn                uint32 // its TCP connection, if it is up
	Opened              bool   // we opened it
	Received, Accepted  uint32 // prefixes in Adj-RIB-In, and those that the import policy let in
	Sent                uint32 // prefixes in Adj-RIB-Out
	Waiting             int    // prefixes that wait to be compared and sent
	In, Out             Counters
	Faults              uint32 // UPDATEs that RFC 7606 had to save
	SentCaps, TheirCaps []wire.Capability
	FourOctet, Refresh  bool
}

// TTL is the TTL that packets of the session are sent with, and the least that is
// taken (RFC 5082 3).
func (v *PeerView) TTL() (send, least uint8) {
	p := peer{config: peerConfig{Peer: v.Config, External: v.External}}
	return p.ttl()
}

// Peers visits all peers that are configured.
func (s *Speaker) Peers(visit func(v PeerView)) {
	for i := range s.peers {
		if !s.peers[i].gone {
			visit(s.Peer(i))
		}
	}
}

// Peer is one peer by number.
func (s *Speaker) Peer(i int) PeerView {
	p := &s.peers[i]
	v := PeerView{Number: i, Config: p.config.Peer, Address: p.config.Address, External: p.config.External,
		Disabled: p.disabled(),
		State:    p.phase, Since: p.since, Ups: p.ups,
		Blocked: p.blocked, Limited: p.limited, Last: p.last, NextTry: p.retry.Deadline(), Received: p.received,
		Accepted: p.accepted, Sent: p.sent,
		Waiting: len(p.pending), In: p.inCount, Out: p.outCount, Faults: p.faults, SentCaps: p.sentCap,
		TheirCaps: p.theirs}
	if t := p.established(); t != nil {
		v.HoldAt, v.HoldTime, v.Local, v.PeerID, v.Conn, v.Opened = p.hold.Deadline(), p.holding, t.local, t.open.ID,
			t.conn, !t.taken
		v.FourOctet, v.Refresh = p.both(t, wire.CapFourOctetAS), p.both(t, wire.CapRouteRefresh)
	}
	return v
}

// Row is a row of Adj-RIB-In.
type Row struct {
	Raw, Accepted attr.ID
	Why           note.Code // it is not accepted
	Step          note.Code // at which it lost the decision; None for the best
	Against       int       // the peer whose path it lost to; Local for one of our own
}

// Local is the speaker's own number, where a peer's is asked for.
const Local = int(fromLocal)

// In is a peer's row for a prefix; ok is false if it sent none.
func (s *Speaker) In(i int, prefix uint32) (r Row, ok bool) {
	e := s.peers[i].in.Get(prefix)
	return Row{e.raw, e.eff, e.why, e.step, int(e.against)}, e.raw != 0
}

// Sent is what was sent to a peer for a prefix, 0 for nothing.
func (s *Speaker) Sent(i int, prefix uint32) attr.ID { return s.peers[i].out.Get(prefix).sent }

// Wanted is what a peer is to receive for a prefix now, and if nothing, why. trace,
// if not nil, is filled with what the export policy did.
func (s *Speaker) Wanted(h Host, i int, prefix uint32, trace *policy.Trace) (attr.ID, note.Code) {
	if !s.peers[i].up {
		return 0, note.NoBestPath
	}
	x := exporter{s: s, h: h, p: &s.peers[i], trace: trace}
	return x.wanted(prefix)
}

// Imported runs the import policy on a row once more, for its trace.
func (s *Speaker) Imported(h Host, i int, prefix uint32, trace *policy.Trace) {
	p := &s.peers[i]
	e := p.in.Get(prefix)
	pol := s.book.Policy(p.config.Import)
	if e.raw == 0 || pol == nil || s.unacceptable(h, p, h.Attrs().Get(e.raw)) != note.None {
		return
	}
	set, _ := p.prepended(h.Attrs().Get(e.raw))
	r := s.asked(h, p, h.Shared().Prefixes.Prefix(prefix), set)
	pol.Run(&r, trace)
}

// Asked is the route that the import policy is asked about for a prefix that a
// peer sent; ok is false if it sent none.
func (s *Speaker) Asked(h Host, i int, prefix uint32) (r policy.Route, ok bool) {
	e := s.peers[i].in.Get(prefix)
	if e.raw == 0 {
		return r, false
	}
	set, _ := s.peers[i].prepended(h.Attrs().Get(e.raw))
	return s.asked(h, &s.peers[i], h.Shared().Prefixes.Prefix(prefix), set), true
}

// Offered is the route that the export policy towards a peer is asked about; ok
// is false if there is none, or if it is withheld whatever the policy.
func (s *Speaker) Offered(h Host, i int, prefix uint32) (r policy.Route, ok bool) {
	if !s.peers[i].up {
		return r, false
	}
	x := exporter{s: s, h: h, p: &s.peers[i]}
	b, why := x.shown(prefix)
	if why != note.None {
		return r, false
	}
	r, _ = x.offer(prefix, b)
	return r, true
}

// ShownFrom is the number of the peer that the path came from which a peer is shown for a prefix, or Local; best is false
// if it is not the best path, but the best external one. ok is false if the peer is shown none.
func (s *Speaker) ShownFrom(h Host, i int, prefix uint32) (from int, best, ok bool) {
	if !s.peers[i].up {
		return 0, false, false
	}
	x := exporter{s: s, h: h, p: &s.peers[i]}
	b, why := x.shown(prefix)
	return int(b.from), b == s.loc.Get(prefix), why == note.None
}

// Best is the row of Loc-RIB for a prefix: the attributes, and the number of the
// peer that it was learned from, or Local; 0 attributes for none.
func (s *Speaker) Best(prefix uint32) (a attr.ID, from int, ways int) {
	b := s.loc.Get(prefix)
	return b.attr, int(b.from), int(b.ways)
}

// BestAttributes are those of Loc-RIB's row, with the peer that it came from.
func (s *Speaker) BestAttributes(prefix uint32) (a attr.ID, neighbour ip.Addr) {
	b := s.loc.Get(prefix)
	if b.attr != 0 && b.from != fromLocal {
		neighbour = s.peers[b.from].config.Address
	}
	return b.attr, neighbour
}

// OwnPath is the path that we bring in for a prefix ourselves; 0 attributes for
// none. How is a word of LocalNames; lost says that a learned path is preferred.
func (s *Speaker) OwnPath(prefix uint32) (a attr.ID, how string, preference uint8, lost bool) {
	l := s.local.Get(prefix)
	return l.attr, LocalNames[l.how], l.preference, l.lost
}

// OwnSource is the source that the path was taken from that we bring in for a
// prefix.
func (s *Speaker) OwnSource(prefix uint32) string {
	l := s.local.Get(prefix)
	return l.source.String()
}

// Prefixes is one more than the highest number of a prefix that any of the tables
// may hold.
func (s *Speaker) Prefixes() uint32 {
	n := max(s.loc.Len(), s.local.Len())
	for i := range s.peers {
		n = max(n, s.peers[i].in.Len(), s.peers[i].out.Len())
	}
	return n
}

// PreferenceOf is the route preference of what a peer sends.
func (s *Speaker) PreferenceOf(i int) uint8 {
	if s.peers[i].config.External {
		return ExternalPreference
	}
	return InternalPreference
}

// Candidates are the paths to a prefix that take part in its decision now, for
// whoever wants to make it again.
func (s *Speaker) Candidates(h Host, prefix uint32) []Path {
	return s.candidates(h, prefix, nil, func(int) {})
}

// Set is the path's attributes; External, Cost and ID are what else is compared.
func (p *Path) Set() *attr.Set { return p.set }
func (p *Path) External() bool { return p.external }
func (p *Path) Cost() uint32   { return p.cost }
func (p *Path) ID() ip.Quad    { return p.id }
