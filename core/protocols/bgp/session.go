package bgp

import (
	"net/netip"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/protocols/tcp"
	wire "hellebore/core/protocols/wire/bgp"
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

// soon bounds the wait before a session is tried for the first time.
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
	Notify        bool  // we sent a NOTIFICATION
	Received      bool  // the peer sent one
	Code, Subcode uint8 // of the NOTIFICATION (RFC 4271 4.5)
	Data          []byte
	Text          string // that came with it
	Mine, Theirs  uint64 // the values that disagreed
	WasUp         bool
}

// connection is a TCP connection with a peer, and how far a session on it is. A
// peer has two at most: the one that we opened and the one that it opened.
type connection struct {
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

// Which of a peer's connections is which.
const (
	ours = iota
	theirs
)

// peer is one session and its tables. Its methods take the speaker that has it and
// the host of the moment.
type peer struct {
	number  int // among the speaker's peers
	config  peerConfig
	gone    bool
	phase   State
	since   event.Time
	ups     uint32
	conns   [2]connection // ours, theirs
	up      bool          // one of them is Established
	blocked note.Code
	limited bool // stays down until it is reset
	forced  config.Override
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

// disabled says whether the peer is out of service.
func (p *peer) disabled() bool {
	return p.forced.Disabled(p.config.Disabled)
}

// other is the peer's other connection.
func (p *peer) other(c *connection) *connection {
	if c == &p.conns[ours] {
		return &p.conns[theirs]
	}
	return &p.conns[ours]
}

// Force takes a peer out of service or back into it, whatever its configuration
// says.
func (s *Speaker) Force(h Host, i int, o config.Override) {
	p := &s.peers[i]
	was := p.disabled()
	p.forced = o
	if p.disabled() == was {
		return
	}
	if !was {
		p.end(s, h, Ending{Reason: note.PeerDisabled, Notify: true, Code: wire.Cease,
			Subcode: wire.AdministrativeStop, Text: p.config.Shutdown})
		p.stop(h)
	}
	p.start(s, h)
}

func address(a netip.Addr) ip.Addr { return ip.AddrFrom(a) }

func (p *peer) state() State { return p.phase }

// established is the connection of a session that is up, nil if it is not.
func (p *peer) established() *connection {
	switch {
	case !p.up:
		return nil
	case p.conns[ours].stage == Established:
		return &p.conns[ours]
	}
	return &p.conns[theirs]
}

// setState notes a change of state. Only Established counts as a change of the
// network: what comes before is attempts.
func (p *peer) setState(h Host, to State, why note.Code) {
	if p.phase == to {
		return
	}
	h.Note(note.Note{Kind: note.SessionState, A: uint64(h.Shared().Addrs.ID(p.config.Address)), B: uint64(p.phase),
		C: uint64(to), Reason: why})
	if to == Established || p.phase == Established {
		h.Calm().Disturb(h.Now())
	}
	p.phase, p.since = to, h.Now()
}

// startPeer lets a session be tried.
func (p *peer) start(s *Speaker, h Host) {
	p.limited, p.blocked = false, note.None
	p.since = h.Now()
	if p.disabled() {
		p.setState(h, Idle, note.PeerDisabled)
		p.last = Ending{At: h.Now(), Reason: note.PeerDisabled, Text: p.config.Shutdown}
		return
	}
	p.setState(h, Active, note.None)
	if p.config.Passive {
		return
	}
	p.beginTrying(h)
	p.retrySoon(s, h)
}

func (p *peer) beginTrying(h Host) {
	if !p.trying && !p.config.Passive {
		p.trying = true
		h.Calm().Start(&p.watch)
	}
}

func (p *peer) retryIn(h Host, t event.Time) {
	p.retry.Set(h, h.Now()+t, retryTimer, event.Retry, uint32(p.number), 0)
}

// retrySoon lets the first attempt come within a second, at a time of the router's
// own: two ends that begin at once would collide.
func (p *peer) retrySoon(s *Speaker, h Host) {
	s.drawn++
	p.retryIn(h, event.Millisecond+event.Time(store.Below(h.Rand(randRetry, s.drawn), uint64(soon))))
}

// retryLater lets the next attempt come after ConnectRetryTime, with jitter (RFC 4271 10).
func (p *peer) retryLater(s *Speaker, h Host) {
	p.retryIn(h, s.jitter(h, randRetry, event.FromDuration(max(s.config.ConnectRetry, config.DefaultConnectRetry/30))))
}

// fruitless notes that an attempt came to nothing.
func (p *peer) fruitless(h Host) { h.Calm().Refresh(&p.watch) }

// stopPeer takes a peer out of service.
func (p *peer) stop(h Host) {
	p.retry.Stop(h, event.Retry)
	p.hold.Stop(h, event.Guard)
	p.keepalive.Stop(h, event.Periodic)
	if p.trying {
		p.trying = false
		h.Calm().Stop(&p.watch)
	}
	p.setState(h, Idle, note.None)
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
	case p.config.Local != "" && !h.PortAddress(p.config.Local).IsValid():
		return note.NoLocalAddress
	case h.Local(p.config.Address):
		return note.PeerIsLocal
	case p.direct() && !h.OnLink(p.config.Address):
		return note.PeerNotOnLink
	case !h.SourceTo(p.config.Address).IsValid():
		return note.NoRouteToPeer
	}
	return note.None
}

// Timer handles an event of one of BGP's kinds.
func (s *Speaker) Timer(h Host, e *event.Event) {
	if e.Kind == feedTimer {
		if s.flap.Fired(h, e) {
			s.hold(h, 0)
		}
		return
	}
	i := int(e.A)
	if i >= len(s.peers) {
		return
	}
	p := &s.peers[i]
	switch e.Kind {
	case retryTimer:
		if p.retry.Fired(h, e) {
			p.attempt(s, h)
		}
	case holdTimer:
		if p.hold.Fired(h, e) {
			p.end(s, h, Ending{Reason: note.HoldTimeExpired, Notify: true, Code: wire.HoldTimerExpired, Mine: uint64(p.holding)})
		}
	case keepaliveTimer:
		if p.keepalive.Fired(h, e) {
			p.sendKeepalive(s, h)
		}
	case intervalTimer:
		if p.interval.Fired(h, e) && p.held {
			p.held = false
			h.Calm().End()
			s.awaited(p.number)
		}
	}
}

// attempt opens a connection, if nothing prevents it (RFC 4271 8.2.2,
// ConnectRetryTimer_Expires).
func (p *peer) attempt(s *Speaker, h Host) {
	if p.up || p.limited {
		return
	}
	if c := &p.conns[ours]; c.on && c.stage == Connect {
		h.AbortTCP(c.conn)
		*c = connection{}
		p.last = Ending{At: h.Now(), Reason: note.ConnectionUnanswered}
		p.fruitless(h)
	}
	if !p.conns[ours].on && !p.conns[theirs].on {
		p.blocked = s.obstacle(h, p)
		if p.blocked == note.None {
			local := s.localAddress(h, p)
			p.conns[ours] = connection{on: true, stage: Connect, local: local}
			p.setState(h, Connect, note.None)
			conn := h.OpenTCP(local, p.config.Address, p.terms())
			p.conns[ours].conn = conn
		} else {
			p.setState(h, Active, p.blocked)
			p.fruitless(h)
		}
	}
	p.retryLater(s, h)
}

// failTry ends one connection of a session that is not up.
func (p *peer) failConnection(s *Speaker, h Host, c *connection, e Ending) {
	if !c.on {
		return
	}
	e.At = h.Now()
	if e.Notify && c.stage >= OpenSent {
		p.notify(s, h, c, e)
		h.CloseTCP(c.conn)
	} else if e.Received {
		h.CloseTCP(c.conn) // the peer has said what there was to say
	} else {
		h.AbortTCP(c.conn)
	}
	*c = connection{}
	if e.Reason == note.Collision {
		return
	}
	p.last = e
	p.fruitless(h)
	if !p.other(c).on {
		p.hold.Stop(h, event.Guard)
		p.setState(h, Idle, e.Reason)
		if !p.config.Passive {
			p.retryLater(s, h)
		}
	}
}

func (p *peer) notify(s *Speaker, h Host, c *connection, e Ending) {
	n := wire.Notification{Code: e.Code, Subcode: e.Subcode, Data: e.Data}
	if e.Code == wire.Cease && (e.Subcode == wire.AdministrativeStop || e.Subcode == wire.AdministrativeReset) {
		n.Data = wire.ShutdownData(e.Text)
	}
	p.write(s, h, c, wire.TypeNotification, n.Append(nil))
	h.Note(note.Note{Kind: note.NotificationSent, A: uint64(h.Shared().Addrs.ID(p.config.Address)),
		B: uint64(e.Code)<<8 | uint64(e.Subcode), Reason: e.Reason})
}

// end ends a session, whatever its state, and lets it be tried again later.
func (p *peer) end(s *Speaker, h Host, e Ending) {
	wasUp := p.up
	e.At, e.WasUp = h.Now(), wasUp || e.WasUp
	notified := false
	for k := range p.conns {
		c := &p.conns[k]
		if !c.on {
			continue
		}
		if e.Notify && c.stage >= OpenSent {
			notified = true
			p.notify(s, h, c, e)
			h.CloseTCP(c.conn)
		} else if e.Received {
			h.CloseTCP(c.conn)
		} else {
			h.AbortTCP(c.conn)
		}
		*c = connection{}
	}
	e.Notify = notified
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
	p.up = false
	if wasUp || e.WasUp {
		p.forget(s)
	}
	p.setState(h, Idle, e.Reason)
	if p.disabled() || p.gone || p.limited {
		return
	}
	p.beginTrying(h)
	p.fruitless(h)
	if !p.config.Passive {
		p.retryLater(s, h)
	}
}

// forget empties the tables of a peer.
func (p *peer) forget(s *Speaker) {
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
		case p.direct() && !on && (p.up || p.phase >= OpenSent):
			for k := range p.conns {
				if p.conns[k].on {
					h.AbortTCP(p.conns[k].conn)
					p.conns[k] = connection{}
				}
			}
			p.end(s, h, Ending{Reason: note.PeerLinkDown})
		case p.direct() && on && p.blocked == note.PeerNotOnLink ||
			p.last.Reason == note.PeerLinkDown && on && !p.up && !p.conns[ours].on:
			p.blocked = note.None
			p.last.Reason = note.None
			if !p.config.Passive && !p.limited {
				p.retrySoon(s, h)
			}
		}
	}
}

// Reset ends a session on request, with a word to the peer, and tries it again.
func (s *Speaker) Reset(h Host, i int, text string) {
	p := &s.peers[i]
	p.limited = false
	p.end(s, h, Ending{Reason: note.SessionReset, Notify: true, Code: wire.Cease, Subcode: wire.AdministrativeReset,
		Text: text})
	if !p.disabled() && !p.config.Passive {
		p.retrySoon(s, h)
	}
}
