package bgp

import (
	"net/netip"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/protocols/tcp"
	wire "hellebore/core/protocols/wire/bgp"
	"hellebore/core/protocols/wire/ip"
)

// State is a session's state (RFC 4271 8.2.2).
type State uint8

// The states of a session.
const (
	Idle State = iota
	Connect
	Active
	OpenSent
	OpenConfirm
	Established
)

// StateNames are RFC 4271's names, by State.
var StateNames = [...]string{"Idle", "Connect", "Active", "OpenSent", "OpenConfirm", "Established"}

func (s State) String() string { return StateNames[s] }

// openHold is how long an OPEN is waited for (RFC 4271 8.2.2 suggests 4 minutes).
const openHold = 240 * event.Second

// soon bounds the wait before a session is tried for the first time: two ends
// that began at once would collide.
const soon = event.Second

type peerConfig struct {
	config.Peer
	Address  ip.Addr
	External bool
	Interval event.Time
}

// Ending is how a session or an attempt at one ended.
type Ending struct {
	At            event.Time
	Reason        note.Code
	Notify        bool // we sent a NOTIFICATION
	Received      bool // the peer sent one
	Code, Subcode uint8
	Data          []byte
	Text          string // that came with it
	Mine, Theirs  uint64 // the values that disagreed
	WasUp         bool
}

// try is a connection with a peer. A peer has two at most: the one that we opened
// and the one that it opened.
type try struct {
	on    bool
	taken bool // the peer opened it
	conn  uint32
	stage State // Connect, OpenSent, OpenConfirm, Established
	in    []byte
	open  *wire.Open // as received; never written
	local ip.Addr
}

// Counters of messages, by type.
type Counters [6]uint32

// peer is one session and its tables.
type peer struct {
	config  peerConfig
	gone    bool
	phase   State
	since   event.Time
	ups     uint32
	tries   [2]try // ours, the peer's
	up      int8   // which of them is Established, plus 1
	blocked note.Code
	limited bool // stays down until it is reset
	forced  Override
	last    Ending
	sentCap []wire.Capability
	theirs  []wire.Capability // of the last OPEN
	holding event.Time        // hold time in force

	retry, hold, keepalive, interval event.Timer
	watch, guard                     event.Watch
	trying, guarded                  bool // watch and guard are in force
	held                             bool // news wait for the interval

	in       store.Paged[entry]
	out      store.Paged[sentEntry]
	received uint32 // prefixes in Adj-RIB-In
	accepted uint32 // of them, by the import policy
	sent     uint32 // prefixes in Adj-RIB-Out
	pending  []uint32
	// defaultMet says that what originate default depends on is as it asks.
	defaultMet bool
	round      int // of pending, how many are being sent without another wait
	inCount    Counters
	outCount   Counters
	faults     uint32 // UPDATEs that RFC 7606 had to save
}

// entry is a row of Adj-RIB-In: as received, and as the import policy left it.
type entry struct {
	raw, eff attr.ID   // 0: none; not accepted
	why      note.Code // it is not accepted
	step     note.Code // at which it lost the decision
	against  uint16    // the peer whose path it lost to
}

// sentEntry is a row of Adj-RIB-Out.
type sentEntry struct {
	sent   attr.ID
	queued bool
	again  bool // send it even if nothing changed
}

// Override is what an action says of a peer, above its configuration.
type Override int8

// The overrides.
const (
	AsConfigured Override = iota
	ForceDisabled
	ForceEnabled
)

// disabled says whether the peer is out of service.
func (p *peer) disabled() bool {
	return p.forced == ForceDisabled || p.config.Disabled && p.forced == AsConfigured
}

// Force takes a peer out of service or back into it, whatever its configuration
// says.
func (s *Speaker) Force(h Host, i int, o Override) {
	was := s.peers[i].disabled()
	s.peers[i].forced = o
	if s.peers[i].disabled() == was {
		return
	}
	if !was {
		s.end(h, i, Ending{Reason: note.PeerDisabled, Notify: true, Code: wire.Cease, Subcode: wire.AdministrativeStop, Text: s.peers[i].config.Shutdown})
		s.stopPeer(h, i)
	}
	s.startPeer(h, i)
}

func address(a netip.Addr) ip.Addr { return ip.AddrFrom(a) }

func (p *peer) state() State { return p.phase }

// established is the connection of a session that is up, nil if it is not.
func (p *peer) established() *try {
	if p.up == 0 {
		return nil
	}
	return &p.tries[p.up-1]
}

// setState notes a change of state. Only Established counts as a change of the
// network: what comes before is attempts.
func (s *Speaker) setState(h Host, i int, to State, why note.Code) {
	p := &s.peers[i]
	if p.phase == to {
		return
	}
	h.Note(note.Note{Kind: note.SessionState, Port: note.NoPort, A: uint64(p.config.Address), B: uint64(p.phase), C: uint64(to), Reason: why})
	if to == Established || p.phase == Established {
		h.Calm().Disturb(h.Now())
	}
	p.phase, p.since = to, h.Now()
}

// startPeer lets a session be tried.
func (s *Speaker) startPeer(h Host, i int) {
	p := &s.peers[i]
	p.limited, p.blocked = false, note.None
	p.since = h.Now()
	if p.disabled() {
		s.setState(h, i, Idle, note.PeerDisabled)
		p.last = Ending{At: h.Now(), Reason: note.PeerDisabled, Text: p.config.Shutdown}
		return
	}
	s.setState(h, i, Active, note.None)
	if p.config.Passive {
		return
	}
	s.beginTrying(h, i)
	s.drawn++
	s.retryIn(h, i, event.Millisecond+event.Time(store.Below(h.Rand(randRetry, s.drawn), uint64(soon))))
}

func (s *Speaker) beginTrying(h Host, i int) {
	p := &s.peers[i]
	if !p.trying && !p.config.Passive {
		p.trying = true
		h.Calm().Start(&p.watch)
	}
}

func (s *Speaker) retryIn(h Host, i int, t event.Time) {
	s.peers[i].retry.Set(h, h.Now()+t, retryTimer, event.Retry, uint32(i), 0)
}

func (s *Speaker) retryLater(h Host, i int) {
	s.retryIn(h, i, s.jitter(h, randRetry, event.FromDuration(max(s.config.ConnectRetry, config.DefaultConnectRetry/30))))
}

// fruitless notes that an attempt came to nothing.
func (s *Speaker) fruitless(h Host, i int) { h.Calm().Refresh(&s.peers[i].watch) }

// stopPeer takes a peer out of service.
func (s *Speaker) stopPeer(h Host, i int) {
	p := &s.peers[i]
	p.retry.Stop(h, event.Retry)
	p.hold.Stop(h, event.Guard)
	p.keepalive.Stop(h, event.Periodic)
	if p.trying {
		p.trying = false
		h.Calm().Stop(&p.watch)
	}
	s.setState(h, i, Idle, note.None)
}

// localAddress is the address that a session is to have on our side, 0 if there
// is none now.
func (s *Speaker) localAddress(h Host, p *peer) ip.Addr {
	if p.config.Local != "" {
		return h.PortAddress(p.config.Local)
	}
	return h.SourceTo(p.config.Address)
}

// direct says whether the peer has to be on a network of ours (RFC 4271 5.1.3):
// an external one, unless it may be several hops away.
func (p *peer) direct() bool {
	return p.config.External && p.config.Multihop == 0 && p.config.TTLSecurity < 2
}

// localAS is the AS that the peer sees us in (RFC 7705).
func (s *Speaker) localAS(p *peer) uint32 { return s.config.ASTowards(&p.config.Peer) }

// terms are those of a connection to the peer.
func (p *peer) terms() tcp.Terms {
	send, least := p.ttl()
	return tcp.Terms{TTL: send, Least: least, Keys: p.config.Keys}
}

// ttl is the TTL to send with, and the least to take (RFC 5082 3).
func (p *peer) ttl() (send, least uint8) {
	switch {
	case p.config.TTLSecurity > 0:
		return 255, 255 - (p.config.TTLSecurity - 1)
	case p.config.Multihop > 0:
		return p.config.Multihop, 0
	case p.config.External:
		return 1, 0
	}
	return 64, 0
}

// obstacle is what keeps a session from being tried now.
func (s *Speaker) obstacle(h Host, p *peer) note.Code {
	switch {
	case p.disabled():
		return note.PeerDisabled
	case p.config.Local != "" && h.PortAddress(p.config.Local) == 0:
		return note.NoLocalAddress
	case h.Local(p.config.Address):
		return note.PeerIsLocal
	case p.direct() && !h.OnLink(p.config.Address):
		return note.PeerNotOnLink
	case h.SourceTo(p.config.Address) == 0:
		return note.NoRouteToPeer
	}
	return note.None
}

// Timer handles an event of one of BGP's kinds.
func (s *Speaker) Timer(h Host, e *event.Event) {
	i := int(e.A)
	if i >= len(s.peers) {
		return
	}
	p := &s.peers[i]
	switch e.Kind {
	case retryTimer:
		if p.retry.Fired(h, e) {
			s.attempt(h, i)
		}
	case holdTimer:
		if p.hold.Fired(h, e) {
			s.end(h, i, Ending{Reason: note.HoldTimeExpired, Notify: true, Code: wire.HoldTimerExpired, Mine: uint64(p.holding)})
		}
	case keepaliveTimer:
		if p.keepalive.Fired(h, e) {
			s.sendKeepalive(h, i)
		}
	case intervalTimer:
		if p.interval.Fired(h, e) && p.held {
			p.held = false
			h.Calm().End()
		}
	}
}

// attempt opens a connection, if nothing prevents it (RFC 4271 8.2.2,
// ConnectRetryTimer_Expires).
func (s *Speaker) attempt(h Host, i int) {
	p := &s.peers[i]
	if p.up != 0 || p.limited {
		return
	}
	if t := &p.tries[0]; t.on && t.stage == Connect {
		h.AbortTCP(t.conn)
		*t = try{}
		p.last = Ending{At: h.Now(), Reason: note.ConnectionUnanswered}
		s.fruitless(h, i)
	}
	if !p.tries[0].on && !p.tries[1].on {
		p.blocked = s.obstacle(h, p)
		if p.blocked == note.None {
			local := s.localAddress(h, p)
			p.tries[0] = try{on: true, stage: Connect, local: local}
			s.setState(h, i, Connect, note.None)
			conn := h.OpenTCP(local, p.config.Address, p.terms())
			s.peers[i].tries[0].conn = conn
		} else {
			s.setState(h, i, Active, p.blocked)
			s.fruitless(h, i)
		}
	}
	s.retryLater(h, i)
}

// failTry ends one connection of a session that is not up.
func (s *Speaker) failTry(h Host, i, k int, e Ending) {
	p := &s.peers[i]
	t := &p.tries[k]
	if !t.on {
		return
	}
	e.At = h.Now()
	if e.Notify && t.stage >= OpenSent {
		s.notify(h, i, k, e)
		h.CloseTCP(t.conn)
	} else if e.Received {
		h.CloseTCP(t.conn) // the peer has said what there was to say
	} else {
		h.AbortTCP(t.conn)
	}
	p.tries[k] = try{}
	if e.Reason == note.Collision {
		return
	}
	p.last = e
	s.fruitless(h, i)
	if !p.tries[1-k].on {
		p.hold.Stop(h, event.Guard)
		s.setState(h, i, Idle, e.Reason)
		if !p.config.Passive {
			s.retryLater(h, i)
		}
	}
}

func (s *Speaker) notify(h Host, i, k int, e Ending) {
	n := wire.Notification{Code: e.Code, Subcode: e.Subcode, Data: e.Data}
	if e.Code == wire.Cease && (e.Subcode == wire.AdministrativeStop || e.Subcode == wire.AdministrativeReset) {
		n.Data = wire.ShutdownData(e.Text)
	}
	s.write(h, i, k, wire.TypeNotification, n.Append(nil))
	h.Note(note.Note{Kind: note.NotificationSent, Port: note.NoPort, A: uint64(s.peers[i].config.Address), B: uint64(e.Code)<<8 | uint64(e.Subcode), Reason: e.Reason})
}

// end ends a session, whatever its state, and lets it be tried again later.
func (s *Speaker) end(h Host, i int, e Ending) {
	p := &s.peers[i]
	wasUp := p.up != 0
	e.At, e.WasUp = h.Now(), wasUp || e.WasUp
	told := false
	for k := range p.tries {
		t := &p.tries[k]
		if !t.on {
			continue
		}
		if e.Notify && t.stage >= OpenSent {
			told = true
			s.notify(h, i, k, e)
			h.CloseTCP(t.conn)
		} else if e.Received {
			h.CloseTCP(t.conn)
		} else {
			h.AbortTCP(t.conn)
		}
		*t = try{}
	}
	e.Notify = told
	p.last = e
	p.hold.Stop(h, event.Guard)
	p.keepalive.Stop(h, event.Periodic)
	p.interval.Stop(h, event.Periodic)
	if p.guarded {
		p.guarded = false
		h.Calm().Stop(&p.guard)
	}
	if p.held {
		p.held = false
		h.Calm().End()
	}
	p.up = 0
	if wasUp || e.WasUp {
		s.forget(i)
	}
	s.setState(h, i, Idle, e.Reason)
	if p.disabled() || p.gone || p.limited {
		return
	}
	s.beginTrying(h, i)
	s.fruitless(h, i)
	if !p.config.Passive {
		s.retryLater(h, i)
	}
}

// forget empties the tables of a peer.
func (s *Speaker) forget(i int) {
	p := &s.peers[i]
	p.in.Each(func(prefix uint32, e *entry) bool {
		if e.raw != 0 {
			s.mark(prefix)
		}
		return true
	})
	p.in, p.out = store.Paged[entry]{}, store.Paged[sentEntry]{}
	p.received, p.accepted, p.sent = 0, 0, 0
	p.pending, p.round = nil, 0
}

// LinksChanged looks at which peers are still on a link of ours: a direct external
// session ends with its carrier, and is tried at once when that is back.
func (s *Speaker) LinksChanged(h Host) {
	if !s.running {
		return
	}
	for i := range s.peers {
		p := &s.peers[i]
		if p.gone || p.disabled() {
			continue
		}
		on := h.OnLink(p.config.Address)
		switch {
		case p.direct() && !on && (p.up != 0 || p.phase >= OpenSent):
			for k := range p.tries {
				if p.tries[k].on {
					h.AbortTCP(p.tries[k].conn)
					p.tries[k] = try{}
				}
			}
			s.end(h, i, Ending{Reason: note.PeerLinkDown})
		case p.direct() && on && p.blocked == note.PeerNotOnLink || p.last.Reason == note.PeerLinkDown && on && p.up == 0 && !p.tries[0].on:
			p.blocked = note.None
			p.last.Reason = note.None
			if !p.config.Passive && !p.limited {
				s.drawn++
				s.retryIn(h, i, event.Millisecond+event.Time(store.Below(h.Rand(randRetry, s.drawn), uint64(soon))))
			}
		}
	}
}

// Reset ends a session on request, with a word to the peer, and tries it again.
func (s *Speaker) Reset(h Host, i int, text string) {
	p := &s.peers[i]
	p.limited = false
	s.end(h, i, Ending{Reason: note.SessionReset, Notify: true, Code: wire.Cease, Subcode: wire.AdministrativeReset, Text: text})
	if !p.disabled() && !p.config.Passive {
		s.drawn++
		s.retryIn(h, i, event.Millisecond+event.Time(store.Below(h.Rand(randRetry, s.drawn), uint64(soon))))
	}
}
