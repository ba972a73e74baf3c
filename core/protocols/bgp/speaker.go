// Package bgp is one BGP-4 speaker (RFC 4271): sessions with peers, the tables
// between them (Adj-RIB-In, Loc-RIB, Adj-RIB-Out), the decision among paths, and
// what is sent to whom. It takes what TCP brings, timers, and changes of the
// routing table and the configuration; it gives bytes, routes and notes through
// Host. It knows no clock and no other protocol.
//
// Tables are arrays by prefix number. A policy never changes what came in: the
// Adj-RIB-In is kept as received beside what the import policy made of it, so
// that another policy needs no help of the peer.
package bgp

import (
	mathbits "math/bits"
	"reflect"
	"slices"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/tcp"
	wire "hellebore/core/protocols/wire/bgp"
)

// Host is what a speaker needs of its device.
type Host interface {
	event.Scheduler
	Note(n note.Note)
	// Rand is keyed randomness of this device.
	Rand(purpose, counter uint64) uint64
	Shared() *route.Shared
	Attrs() *attr.Pool

	// OpenTCP begins a connection to the BGP port.
	OpenTCP(local, remote ip.Addr, terms tcp.Terms) (conn uint32)
	WriteTCP(conn uint32, data []byte)
	ReadTCP(conn uint32) []byte
	CloseTCP(conn uint32)
	AbortTCP(conn uint32)
	// UnsentTCP is how many bytes wait to be sent or acknowledged.
	UnsentTCP(conn uint32) int
	// EndsTCP are the addresses of a connection.
	EndsTCP(conn uint32) (local, remote ip.Addr)

	// SourceTo is the address of the port by which packets to a leave; 0 if there
	// is no route.
	SourceTo(a ip.Addr) ip.Addr
	// PortAddress is the address of a port that is up, 0 for none.
	PortAddress(name string) ip.Addr
	// OnLink says whether a is on the network of a port that is up.
	OnLink(a ip.Addr) bool
	// SameNetwork says whether two addresses are on one network of a port.
	SameNetwork(a, b ip.Addr) bool
	// Local says whether a is an address of the device.
	Local(a ip.Addr) bool

	// PutBGP gives the table BGP's route for a prefix, or takes it away: through
	// these next hops, which are the speaker's, or into a blackhole.
	PutBGP(prefix uint32, r Route)
	// Gateway numbers an address that paths go through; Reach is how it is reached
	// for a path to a prefix.
	Gateway(a ip.Addr) uint32
	Reach(gateway, prefix uint32) (cost uint32, ok bool)
	// Interior is the best route of the table that is not BGP's.
	Interior(prefix uint32) (s route.Source, r route.Route, ok bool)
	// InUse says whether the table uses a route for exactly this prefix, and
	// whether that is BGP's.
	InUse(prefix uint32) (there, bgp bool)
	// AnyInUse says whether a policy accepts any route that the table uses.
	AnyInUse(p *policy.Policy) bool
	// SourceRouteType is the kind of a source's route for a prefix, in words, for policies;
	// OriginName the routing instance in which it began.
	SourceRouteType(s route.Source, prefix uint32, r route.Route) string
	OriginName(s route.Source, prefix uint32) string
}

// Route is a route for the table.
type Route struct {
	Present    bool
	Vias       []ip.Addr // next hops
	Blackhole  bool
	Beyond     bool  // packets leave the lab here, and are answered
	Preference uint8 // in the table; lower is better
	External   bool
	MED        uint32
	PeerAS     uint32 // the neighbouring AS of the path
}

// Event kinds of BGP; an event's A is the peer, but of feedTimer.
const (
	retryTimer event.Kind = FirstKind + iota
	holdTimer
	keepaliveTimer
	intervalTimer
	feedTimer
	EndKind
)

// FirstKind and EndKind bound the event kinds that a host passes to Timer.
const FirstKind event.Kind = 160

// WaitOf is what an event of one of BGP's kinds is the end of.
func WaitOf(k event.Kind) note.Wait {
	return [...]note.Wait{retryTimer - FirstKind: note.ConnectWait, holdTimer - FirstKind: note.HoldWait,
		keepaliveTimer - FirstKind: note.KeepaliveWait, intervalTimer - FirstKind: note.AdvertiseWait, feedTimer - FirstKind: note.FlapWait}[k-FirstKind]
}

// Purposes of keyed randomness.
const (
	randRetry = 1<<31 + iota
	randKeepalive
	randInterval
)

// Speaker is a BGP speaker. The zero value is stopped.
type Speaker struct {
	config  config.BGP
	book    *policy.Book
	id      ip.Quad
	running bool
	peers   []peer   // never removed: numbers stay
	waiting []uint64 // bits of the peers that have prefixes queued: most have none, and there may be hundreds
	loc     store.Paged[best]
	outside store.Paged[best] // the best external path where an internal one is best, if peers are to receive it
	local   store.Paged[local]
	hopOf   store.Paged[gateway]  // of an attribute set, by its number
	users   []store.Paged[uint64] // by gateway: bits of the prefixes whose paths go through it
	dirty   []uint32              // prefixes to decide on
	marked  store.Paged[bool]     // those in dirty
	fed     store.Paged[fed]      // what feeds bring in, by prefix
	feeds   []config.Feed         // those that fed is made of
	held    uint16                // turns below this are withdrawn
	flap    event.Timer           // until what is withdrawn is announced again
	joined  []aggregate
	met     []bool // what each originate and each inject depends on is as it asks
	refused []Stranger
	drawn   uint64    // counter of keyed randomness
	sent    uint64    // messages
	vias    []ip.Addr `image:"-"` // of the route that is being decided on: room to build them in
}

// gateway is the number of a next hop in the table; it is unknown until the table is asked.
type gateway struct {
	number uint32
	asked  bool
}

// best is a row of Loc-RIB.
type best struct {
	attr attr.ID // as the import policy left it; 0 for none
	from uint16  // the peer's number, or fromLocal
	ways uint8   // paths that share the traffic
}

const fromLocal = ^uint16(0)

// Origins of local paths.
const (
	noLocal uint8 = iota
	originated
	injected
	aggregated
	fromFeed
)

// LocalNames are the words for how a local path came about.
var LocalNames = [...]string{"", "originated", "injected", "aggregate", "feed"}

// local is a path that the speaker itself brings in.
type local struct {
	attr       attr.ID // 0 for none
	tag        uint32
	preference uint8 // of its source in the table
	how        uint8
	source     route.Source
	lost       bool // to a learned path whose source is preferred
}

// PeerCount is how many peers are configured.
func (s *Speaker) PeerCount() int { return len(s.peers) }

// Stranger is an address from which connections came and which is no peer's.
type Stranger struct {
	From, To ip.Addr
	Count    uint32
	Last     event.Time
	Reason   note.Code
}

// maxStrangers bounds what is kept of them.
const maxStrangers = 16

// Running says whether the speaker runs; RouterID and AS are its identity; Config
// is its configuration in force.
func (s *Speaker) Running() bool       { return s.running }
func (s *Speaker) RouterID() ip.Quad   { return s.id }
func (s *Speaker) AS() uint32          { return s.config.AS }
func (s *Speaker) Config() *config.BGP { return &s.config }
func (s *Speaker) Book() *policy.Book  { return s.book }

// Strangers are the addresses from which connections were refused.
func (s *Speaker) Strangers() []Stranger { return s.refused }

// Clone is an independent copy.
func (s *Speaker) Clone() Speaker {
	c := *s
	c.peers = slices.Clone(s.peers)
	for i := range c.peers {
		c.peers[i].in = s.peers[i].in.Clone()
		c.peers[i].out = s.peers[i].out.Clone()
		c.peers[i].pending = slices.Clone(s.peers[i].pending)
	}
	c.loc, c.outside, c.local, c.hopOf, c.marked = s.loc.Clone(), s.outside.Clone(), s.local.Clone(), s.hopOf.Clone(), s.marked.Clone()
	c.fed = s.fed.Clone()
	c.users = make([]store.Paged[uint64], len(s.users))
	for i := range s.users {
		c.users[i] = s.users[i].Clone()
	}
	c.waiting = slices.Clone(s.waiting)
	c.dirty = slices.Clone(s.dirty)
	c.joined = slices.Clone(s.joined)
	c.met = slices.Clone(s.met)
	c.refused = slices.Clone(s.refused)
	c.vias = nil
	return c
}

// Configure takes a configuration; what did not change is not disturbed. id is
// the router ID; it is kept while the speaker runs.
func (s *Speaker) Configure(h Host, c config.BGP, book *policy.Book, id ip.Quad) {
	old, oldBook := s.config, s.book
	if s.running && (c.AS == 0 || c.Disabled) {
		s.Stop(h, note.ProtocolDisabled)
	}
	if s.running && (old.AS != c.AS || old.ClusterID != c.ClusterID) {
		s.Stop(h, note.SessionReset)
	}
	s.config, s.book = c, book
	if c.AS == 0 || c.Disabled || id == 0 {
		return
	}
	started := !s.running
	if started {
		s.running, s.id = true, id
	}
	for i := range s.peers {
		p := &s.peers[i]
		if !p.gone && c.Peer(p.config.Peer.Address) == nil {
			p.end(s, h, Ending{Reason: note.PeerRemoved, Notify: true, Code: wire.Cease,
				Subcode: wire.PeerDeconfigured})
			p.stop(h)
			p.gone = true
		}
	}
	for _, pc := range c.Peers {
		s.configurePeer(h, pc, started)
	}
	feeds := s.syncFeeds(h, started)
	again := started || feeds || !reflect.DeepEqual(old.Originates, c.Originates) ||
		!reflect.DeepEqual(old.Injects, c.Injects) ||
		!reflect.DeepEqual(old.Aggregates, c.Aggregates) || oldBook != book
	if again {
		s.met = nil
		s.depend(h, false)
		s.syncAggregates()
		for prefix := range h.Shared().Prefixes.Len() {
			s.Touch(h, prefix)
		}
	}
	if !started && (oldBook != book || old.MEDAmongAll != c.MEDAmongAll || old.Multipath != c.Multipath ||
		old.MultipathAny != c.MultipathAny ||
		old.InUseOnly != c.InUseOnly || old.BestExternal != c.BestExternal || old.NeedPolicy != c.NeedPolicy ||
		old.NoLoopCheck != c.NoLoopCheck || again) {
		for i := range s.peers {
			s.Reimport(h, i)
		}
		s.loc.Each(func(prefix uint32, b *best) bool { s.mark(prefix); return true })
		for i := range s.peers {
			s.peers[i].queueAll(s, h, false)
		}
	}
}

// Stop ends all sessions and forgets all routes.
func (s *Speaker) Stop(h Host, why note.Code) {
	if !s.running {
		return
	}
	for i := range s.peers {
		p := &s.peers[i]
		p.end(s, h, Ending{Reason: why, Notify: true, Code: wire.Cease, Subcode: wire.AdministrativeStop})
		p.stop(h)
	}
	s.loc.Each(func(prefix uint32, b *best) bool {
		if b.attr != 0 {
			*s.loc.Edit(prefix) = best{}
			h.PutBGP(prefix, Route{})
		}
		return true
	})
	s.outside, s.local = store.Paged[best]{}, store.Paged[local]{}
	s.stopFeeds(h)
	s.joined = nil
	s.running = false
	for _, p := range s.dirty {
		s.marked.Set(p, false)
	}
	s.dirty = nil
}

// Gone forgets connections without a word: the device went down.
func (s *Speaker) Gone(h Host, why note.Code) {
	for i := range s.peers {
		for k := range s.peers[i].conns {
			s.peers[i].conns[k] = connection{}
		}
	}
	s.Stop(h, why)
}

// configurePeer takes one peer's configuration.
func (s *Speaker) configurePeer(h Host, c config.Peer, started bool) {
	pc := peerConfig{Peer: c, Address: address(c.Address), External: c.AS != s.config.AS,
		Interval: event.FromDuration(s.config.MinInterval(&c))}
	i := slices.IndexFunc(s.peers, func(p peer) bool { return p.config.Address == pc.Address })
	if i < 0 {
		i = len(s.peers)
		s.peers = append(s.peers, peer{number: i, config: pc, gone: true})
	}
	p := &s.peers[i]
	old := p.config
	p.config = pc
	p.defaultMet = s.holds(h, pc.DefaultWhen)
	switch {
	case p.gone || started:
		p.gone = false
		p.last = Ending{}
		p.start(s, h)
	case old.resets(&pc):
		ending := Ending{Reason: note.SessionReset, Notify: true, Code: wire.Cease, Subcode: wire.OtherChange}
		if pc.Disabled {
			ending.Reason, ending.Subcode, ending.Text = note.PeerDisabled, wire.AdministrativeStop, pc.Shutdown
		}
		p.end(s, h, ending)
		p.stop(h)
		p.start(s, h)
	case !reflect.DeepEqual(old, pc):
		s.Reimport(h, i)
		p.queueAll(s, h, false)
	}
}

// resets says whether a change of configuration needs another session.
func (c *peerConfig) resets(n *peerConfig) bool {
	return c.AS != n.AS || c.LocalAS != n.LocalAS || c.External != n.External || c.Disabled != n.Disabled ||
		c.Local != n.Local || c.Multihop != n.Multihop || c.TTLSecurity != n.TTLSecurity ||
		!reflect.DeepEqual(c.Keys, n.Keys) || c.Passive != n.Passive || c.HoldTime != n.HoldTime ||
		c.TwoOctetAS != n.TwoOctetAS || c.NoRefresh != n.NoRefresh
}

// Due says whether a decision is due; Decide makes those that are, and Send sends
// peers what follows.
func (s *Speaker) Due() bool { return len(s.dirty) > 0 }

// Decide decides on all prefixes whose paths changed.
func (s *Speaker) Decide(h Host) { s.decideAll(h) }

// Send sends each peer what it does not know yet, as far as it may.
func (s *Speaker) Send(h Host) {
	for w := range s.waiting {
		for left := s.waiting[w]; left != 0; left &= left - 1 {
			bit := mathbits.TrailingZeros64(left)
			p := &s.peers[w*64+bit]
			// Who is held comes back when MinRouteAdvertisementInterval is over.
			if p.send(s, h); len(p.pending) == 0 || p.held {
				s.waiting[w] &^= 1 << bit
			}
		}
	}
}

// awaited is the news that a peer has prefixes queued.
func (s *Speaker) awaited(peer int) {
	w := peer / 64
	if grow := w + 1 - len(s.waiting); grow > 0 {
		s.waiting = append(s.waiting, make([]uint64, grow)...)
	}
	s.waiting[w] |= 1 << (peer % 64)
}

// Kinds of BGP's routes in the table, and their words.
const (
	KindInternal uint8 = iota
	KindExternal
)

// KindNames are the words for the kinds of routes.
var KindNames = [...]string{"internal", "external"}

// mark puts a prefix among those to decide on.
func (s *Speaker) mark(prefix uint32) {
	if s.marked.Get(prefix) {
		return
	}
	s.marked.Set(prefix, true)
	s.dirty = append(s.dirty, prefix)
}

// Moved is the news that a gateway is reached otherwise, or no longer: the paths that
// go through it are decided on again, and policies that use its cost run again.
func (s *Speaker) Moved(h Host, gateway uint32) {
	if int(gateway) >= len(s.users) {
		return
	}
	var concerned []*peer // whose export policy uses the cost
	for i := range s.peers {
		if p := &s.peers[i]; p.up {
			if s.book.Policy(p.config.Import).UsesInterior() {
				s.Reimport(h, i)
			}
			if s.book.Policy(p.config.Export).UsesInterior() {
				concerned = append(concerned, p)
			}
		}
	}
	s.users[gateway].Each(func(word uint32, bits *uint64) bool {
		for v := *bits; v != 0; v &= v - 1 {
			prefix := word*64 + uint32(mathbits.TrailingZeros64(v))
			s.mark(prefix)
			for _, p := range concerned {
				p.queue(s, prefix)
			}
		}
		return true
	})
}

// gateway is the number of a set's next hop, whose users prefix is among from now
// on.
func (s *Speaker) gateway(h Host, id attr.ID, prefix uint32) uint32 {
	known := s.hopOf.Get(uint32(id))
	if !known.asked {
		known = gateway{h.Gateway(h.Attrs().Get(id).NextHop), true}
		s.hopOf.Set(uint32(id), known)
	}
	g := known.number
	for int(g) >= len(s.users) {
		s.users = append(s.users, store.Paged[uint64]{})
	}
	if bit := uint64(1) << (prefix % 64); s.users[g].Get(prefix/64)&bit == 0 {
		*s.users[g].Edit(prefix / 64) |= bit
	}
	return g
}

// jitter is a time of 0.75 to 1 times t (RFC 4271 10).
func (s *Speaker) jitter(h Host, purpose uint64, t event.Time) event.Time {
	s.drawn++
	return t - event.Time(store.Below(h.Rand(purpose, s.drawn), uint64(t/4)+1))
}

// Account is what is pending and watched, for checking the world's account.
func (s *Speaker) Account() (pending, watched int) {
	if s.flap.Running() {
		pending++
	}
	for i := range s.peers {
		p := &s.peers[i]
		if p.held {
			pending++
		}
		if p.trying {
			watched++
		}
		if p.guarded {
			watched++
		}
	}
	return pending, watched
}

// Digest folds the speaker's state in; and what passes of it, timers and counters. Tables cost what changed of them since they
// were asked for last.
func (s *Speaker) Digest(d, passing *store.Digest, h Host) {
	d.Flag(s.running)
	if !s.running {
		return
	}
	d.Add(uint64(s.id), uint64(s.config.AS))
	pool, prefixes := h.Attrs(), &h.Shared().Prefixes
	set := func(id attr.ID) uint64 {
		if id == 0 {
			return 0
		}
		return pool.Get(id).Digest()
	}
	for i := range s.peers {
		p := &s.peers[i]
		if p.gone {
			continue
		}
		d.Add(p.config.Address.Hash(), uint64(p.state()), uint64(p.accepted), uint64(p.received))
		passing.Add(uint64(p.since), uint64(p.retry.Deadline()), uint64(p.hold.Deadline()), uint64(p.interval.Deadline()),
			uint64(len(p.pending)))
		d.Add(p.in.Sum(0, func(prefix uint32, e *entry) uint64 {
			if e.raw == 0 {
				return 0
			}
			return store.Mix(store.Mix(prefixes.Digest(prefix), set(e.raw)), set(e.eff))
		}), p.out.Sum(0, func(prefix uint32, e *sentEntry) uint64 {
			if e.sent == 0 {
				return 0
			}
			return store.Mix(prefixes.Digest(prefix), set(e.sent))
		}))
	}
	d.Add(s.loc.Sum(0, func(prefix uint32, b *best) uint64 {
		if b.attr == 0 {
			return 0
		}
		from := uint64(0)
		if b.from != fromLocal {
			from = s.peers[b.from].config.Address.Hash() // a peer keeps its number and its address
		}
		return store.Mix(store.Mix(prefixes.Digest(prefix), set(b.attr)), from)
	}))
	passing.Add(s.drawn, s.sent)
	if s.held > 0 {
		passing.Add(uint64(s.held))
	}
}
