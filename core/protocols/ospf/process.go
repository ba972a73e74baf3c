// Package ospf is one OSPFv2 process (RFC 2328): a state machine that takes
// packets, timers and changes of ports and configuration, and gives packets,
// timers, routes and notes through Host. It knows no clock, no other protocol
// and no network. What OSPFv3 (RFC 5340) shares is in packages below it, which know
// neither packets nor LSAs: shortest paths (spf), databases and flooding (lsdb), and
// adjacencies (adjacency).
//
// To add an LSA type: its body in wire/ospf, a case in Pool.intern, the wishes of
// the router that originates it (originate.go), and the routes that follow from it
// (tree.go, area.go, nssa.go).
package ospf

import (
	"time"

	"hellebore/core/ground/event"
	"hellebore/core/ground/image"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/ospf"
)

// Host is what a process needs of its device.
type Host interface {
	event.Scheduler
	// Send sends an OSPF packet out of a port. The slice belongs to the host
	// from then on.
	Send(port uint32, dst ip.Addr, packet []byte, class event.Class)
	// SendFar sends one to an address that may be several hops away.
	SendFar(src, dst ip.Addr, packet []byte, class event.Class)
	// Note records what happened; device and time are filled in.
	Note(n note.Note)
	// Rand is keyed randomness of this device.
	Rand(purpose, counter uint64) uint64
	// Pool holds the LSAs of the world, Shared its prefixes and next hops.
	Pool() *Pool
	Shared() *route.Shared
	// PutRoute gives the process's route for a prefix; one whose Set is NoSet,
	// as the router's own networks have, is none to use.
	PutRoute(prefix uint32, r Route)
}

// Event kinds of the process; an event's A is the port, B the neighbour.
const (
	helloTimer event.Kind = FirstKind + iota
	floodTimer
	ackTimer
	inactivityTimer
	ddTimer
	requestTimer
	retransmitTimer
	spfTimer
	originateTimer
	ageTimer
	waitTimer
	syncTimer
	EndKind
)

// OfHellos says whether events of a kind are about hellos: that one is due, or that none was heard for long.
func OfHellos(k event.Kind) bool { return k == helloTimer || k == inactivityTimer }

// FirstKind and EndKind bound the event kinds that a host passes to Timer.
const FirstKind event.Kind = 64

// WaitOf is what an event of one of the process's kinds is the end of.
func WaitOf(k event.Kind) note.Wait {
	return [...]note.Wait{helloTimer - FirstKind: note.HelloWait, floodTimer - FirstKind: note.PacingWait,
		ackTimer - FirstKind: note.AcknowledgeWait, inactivityTimer - FirstKind: note.DeadWait, ddTimer - FirstKind: note.ExchangeWait,
		requestTimer - FirstKind: note.RequestWait, retransmitTimer - FirstKind: note.RetransmitWait, spfTimer - FirstKind: note.SPFWait,
		originateTimer - FirstKind: note.OriginateWait, ageTimer - FirstKind: note.AgeWait, waitTimer - FirstKind: note.ElectionWait,
		syncTimer - FirstKind: note.SyncWait}[k-FirstKind]
}

// Purposes of keyed randomness.
const (
	randHello = iota + 1
	randRefresh
	randDDSeq
)

// Intervals that RFC 2328 leaves to the implementation.
const (
	// FloodPacing is how long LSAs for one port are gathered before they are
	// sent, so that what is flooded together shares packets (RFC 2328 13.5
	// asks for as few packets as possible).
	FloodPacing = 5 * event.Millisecond
	// AckDelay is how long acknowledgments are gathered. It must be below
	// every RxmtInterval (RFC 2328 13.5), whose least value is 1 s.
	AckDelay = 500 * event.Millisecond
	// helloSpread keeps ports that come up together from sending together.
	helloSpread = 100 * event.Millisecond
)

// PortConfig is all that a process needs to know of a port: configuration and
// state together. It compares by ==.
type PortConfig struct {
	On                 bool // OSPF is configured on the port
	Up                 bool
	Loopback           bool
	Passive            bool
	OwnMask            bool    // of a loopback: its network, not a host route
	Broadcast          bool    // a segment with a DR; else point-to-point
	Virtual            bool    // across the area Transit to the router Peer
	Transit            uint32  // area of a virtual port
	Peer               ip.Quad // of a virtual port: the router ID of the other end
	Remote             ip.Addr // of a virtual port: the other end's address, found out
	IgnoreMTU          bool
	Keys               *Chain // nil for no authentication; by contents, not by pointer
	Priority           uint8  // to become DR; 0 never does
	Address            ip.Addr
	PrefixLen          uint8 // bits
	Area               uint32
	Cost               uint16 // 1 to 65535
	MTU                uint16 // octets of an IP packet
	ExactHellos        bool   // without jitter
	HelloInterval      time.Duration
	DeadInterval       time.Duration
	RetransmitInterval time.Duration
	TransmitDelay      time.Duration // InfTransDelay: whole seconds, as are the intervals
}

func (c *PortConfig) running() bool { return c.On && c.Up && c.Address.IsValid() }
func (c *PortConfig) talks() bool   { return c.running() && !c.Passive && !c.Loopback }

// Refusal is the last disagreement that a port saw in the packets of one source.
type Refusal struct {
	From         ip.Addr
	Reason       note.Code
	Mine, Theirs uint64 // as note.Info.Value of Reason says
	Count        uint32 // packets refused for this reason in a row
	First, Last  event.Time
}

type port struct {
	PortConfig
	firstNbr store.Ref
	state    PortState
	dr, bdr  ip.Quad // of the segment, by their addresses on it; 0 for none
	wait     event.Timer
	hello    event.Timer
	flood    event.Timer
	ack      event.Timer
	retry    event.Watch     // hellos to whom it may concern
	sent     uint64          // hellos sent, the counter of keyed randomness
	toFlood  []uint32        // keys of LSAs that wait for the pacing
	waiting  map[uint32]bool // the same as a set, once somebody looked; nil in a copy
	toAck    []byte          // headers of LSAs that wait to be acknowledged
	refusals refusals
	strays   refusals    // of packets of virtual links that this router does not have
	path     route.SetID // of a virtual port: to its other end
}

// absent stands where a port of the device is not the process's. It is never written.
var absent = &port{}

// Landmarks are the rules for images of processes.
func Landmarks() []image.Rule { return []image.Rule{image.Landmark(absent)} }

// lasting is what survives a Stop: the configuration, and what numbers others hold.
type lasting struct {
	ports        []*port // by the device's port index
	owned        int     // ports that are not absent
	nbrs         []neighbour
	marks        []uint32  // markOf each neighbour's address, 0 of free slots
	freeNbr      store.Ref // slots that are free, through next
	ddSeq        uint32    // of the last database exchange that began
	config       []AreaConfig
	externals    []External
	outsideJoins []Join // of externals
	maxECMP      int    // 0: no limit
	strict       bool   // RFC1583Compatibility is off
}

// Process is one OSPF process. The zero value is stopped.
type Process struct {
	lasting
	running      bool
	routerID     ip.Quad
	areas        []area
	as           area     // AS external LSAs, which belong to no area
	wasBorder    bool     // as of the last run
	saysBorder   bool     // what the router LSAs of all areas say (B bit)
	saysBoundary bool     // the same of the E bit
	asbrs        []border // of the last run; replaced, never written
	flooding     bool     // an LSA is being put on the retransmission lists
	sweepDue     bool     // LSAs at MaxAge may leave when that is done
	delay        spfDelay
	age          event.Timer
	sync         event.Timer // own LSAs, but for the router LSAs
	electing     []uint32    // ports that want an election
	routes       store.Paged[Route]
	runs         uint32 // of SPF
	all          bool   // the next run is a full one
	later        bool   // LSAs changed that no tree is made of
	beyond       bool   // there are such LSAs
}

// Clone is an independent copy.
func (p *Process) Clone() Process {
	c := *p
	c.ports = append([]*port(nil), p.ports...)
	own := make([]port, 0, p.owned)
	for i, old := range p.ports {
		if old == absent {
			continue
		}
		own = append(own, *old)
		q := &own[len(own)-1]
		c.ports[i] = q
		q.toFlood, q.waiting = append([]uint32(nil), q.toFlood...), nil
		q.toAck = append([]byte(nil), q.toAck...)
	}
	c.nbrs = append([]neighbour(nil), p.nbrs...)
	c.marks = append([]uint32(nil), p.marks...)
	for i := range c.nbrs {
		c.nbrs[i].requests, c.nbrs[i].retransmits = p.nbrs[i].requests.Clone(), p.nbrs[i].retransmits.Clone()
	}
	c.areas = append([]area(nil), p.areas...)
	for i := range c.areas {
		c.areas[i].db = p.areas[i].db.Clone()
		c.areas[i].changed = append([]changed(nil), p.areas[i].changed...)
	}
	c.as.db = p.as.db.Clone()
	c.routes = p.routes.Clone()
	c.electing = nil // empty between events
	return c
}

// Running says whether the process runs; RouterID is its router ID then.
func (p *Process) Running() bool     { return p.running }
func (p *Process) RouterID() ip.Quad { return p.routerID }

// Runs is how often shortest paths were computed since the process started.
func (p *Process) Runs() uint32 { return p.runs }

// Start starts a stopped process. SetPort gives it its ports.
func (p *Process) Start(h Host, routerID ip.Quad) {
	p.running, p.routerID = true, routerID
	h.Note(note.Note{Kind: note.RouterIDChosen, A: uint64(routerID)})
	for i := range p.ports {
		p.portUp(h, uint32(i))
	}
}

// Stop ends the process: neighbours, databases and routes go. No packet says so;
// the neighbours find out by their router dead interval.
func (p *Process) Stop(h Host, why note.Code) {
	if !p.running {
		return
	}
	for i := range p.ports {
		p.portDown(h, uint32(i), why)
	}
	for i := range p.areas {
		p.areas[i].originate.Stop(h, event.Pending)
	}
	p.delay.timer.Stop(h, event.Pending)
	p.sync.Stop(h, event.Pending)
	p.age.Stop(h, event.Periodic)
	p.routes.Each(func(id uint32, r *Route) bool {
		if r.Set != route.NoSet {
			h.PutRoute(id, Route{})
		}
		return true
	})
	for i := range p.ports {
		if p.ports[i].Virtual {
			p.ports[i].Up = false
		}
	}
	*p = Process{lasting: p.lasting}
	h.Calm().Disturb(h.Now())
}

// Owns says whether the process has a port.
func (p *Process) Owns(i uint32) bool { return int(i) < len(p.ports) && p.ports[i] != absent }

// SetPort gives the process the configuration and state of a port. What that disturbs: a changed
// cost re-originates the router LSA; changed intervals count from the next
// hello; a changed area, address or role, or the port going down, ends its
// adjacencies.
func (p *Process) SetPort(h Host, i uint32, c PortConfig) {
	if !p.Owns(i) && c == (PortConfig{}) {
		return
	}
	for int(i) >= len(p.ports) {
		p.ports = append(p.ports, absent)
	}
	if p.ports[i] == absent {
		p.ports[i] = &port{}
		p.owned++
	}
	q := p.ports[i]
	old := q.PortConfig
	if old.Keys.equal(c.Keys) {
		c.Keys = old.Keys
	}
	if c.Virtual { // what syncVirtual finds out
		c.Up, c.Address, c.Remote, c.Cost = false, ip.Addr{}, ip.Addr{}, 0
		if old.Virtual && old.On && old.Peer == c.Peer && old.Transit == c.Transit {
			c.Up, c.Address, c.Remote, c.Cost = old.Up, old.Address, old.Remote, old.Cost
		} else if p.running {
			p.scheduleSPF(h)
		}
	}
	if old == c {
		return
	}
	if !p.running {
		q.PortConfig = c
		return
	}
	same := old
	same.Cost, same.MTU = c.Cost, c.MTU
	same.HelloInterval, same.DeadInterval, same.ExactHellos = c.HelloInterval, c.DeadInterval, c.ExactHellos
	same.RetransmitInterval, same.TransmitDelay = c.RetransmitInterval, c.TransmitDelay
	same.Priority, same.IgnoreMTU, same.Keys, same.OwnMask = c.Priority, c.IgnoreMTU, c.Keys, c.OwnMask
	if same != c {
		why := note.PortIsDown
		if old.Up && c.Up {
			why = note.None
		}
		p.portDown(h, i, why)
		q.PortConfig = c
		p.portUp(h, i)
		return
	}
	q.PortConfig = c
	if old.HelloInterval != c.HelloInterval && q.hello.Running() {
		q.hello.Set(h, h.Now()+event.Millisecond, helloTimer, event.Periodic, i, 0)
	}
	if old.Priority != c.Priority && q.talks() && q.Broadcast {
		p.wantElection(i)
		p.elections(h)
	}
	h.Calm().Disturb(h.Now())
	p.wantOriginate(h, p.areaOf(c.Area), 0)
}

func (p *Process) portUp(h Host, i uint32) {
	q := p.ports[i]
	if !q.running() {
		return
	}
	a := p.areaOf(q.Area)
	q.state = PortPointToPoint
	if q.Loopback {
		q.state = PortLoopback
	}
	if q.talks() {
		if q.Broadcast {
			p.startWaiting(h, i)
		}
		h.Calm().Start(&q.retry)
		wait := 1 + event.Time(store.Below(h.Rand(randHello, uint64(i)<<32|q.sent), uint64(helloSpread)))
		q.hello.Set(h, h.Now()+wait, helloTimer, event.Periodic, i, 0)
	}
	h.Calm().Disturb(h.Now())
	p.wantOriginate(h, a, goodNews)
	p.wantSync(h, goodNews) // a forwarding address may be another one
	p.syncBits(h)
}

func (p *Process) portDown(h Host, i uint32, why note.Code) {
	q := p.ports[i]
	if !q.running() {
		return
	}
	for q.firstNbr.IsValid() {
		p.kill(h, q.firstNbr.Index(), why)
	}
	q.state, q.dr, q.bdr = PortDown, 0, 0
	q.wait.Stop(h, event.Pending)
	q.hello.Stop(h, event.Periodic)
	q.flood.Stop(h, event.Pending)
	q.ack.Stop(h, event.Pending)
	h.Calm().Stop(&q.retry)
	q.toFlood, q.waiting, q.toAck, q.refusals, q.strays = nil, nil, nil, nil, nil
	h.Calm().Disturb(h.Now())
	q.Up = false // own LSAs are built from what is up
	p.wantOriginate(h, p.areaOf(q.Area), 0)
	p.wantSync(h, 0)
	p.syncBits(h)
}

// Timer handles an event of one of the process's kinds.
func (p *Process) Timer(h Host, e *event.Event) {
	p.timer(h, e)
	p.elections(h)
}

func (p *Process) timer(h Host, e *event.Event) {
	switch e.Kind {
	case waitTimer:
		if p.ports[e.A].wait.Fired(h, e) {
			p.waited(h, e.A)
		}
	case syncTimer:
		if p.sync.Fired(h, e) {
			p.syncOwn(h)
		}
	case helloTimer:
		if p.ports[e.A].hello.Fired(h, e) {
			p.sendHello(h, e.A)
		}
	case floodTimer:
		if p.ports[e.A].flood.Fired(h, e) {
			p.sendFlood(h, e.A)
		}
	case ackTimer:
		if p.ports[e.A].ack.Fired(h, e) {
			p.sendAcks(h, e.A)
		}
	case inactivityTimer:
		if n := &p.nbrs[e.B]; n.inactivity.Fired(h, e) {
			p.kill(h, e.B, note.DeadIntervalExpired)
		}
	case ddTimer:
		if n := &p.nbrs[e.B]; n.dd.Fired(h, e) {
			p.retransmitDD(h, e.B)
		}
	case requestTimer:
		if n := &p.nbrs[e.B]; n.request.Fired(h, e) {
			n.request.Again(h)
			p.sendRequest(h, e.B, true)
		}
	case retransmitTimer:
		if n := &p.nbrs[e.B]; n.retransmit.Fired(h, e) {
			p.retransmit(h, e.B)
		}
	case originateTimer:
		// Areas go when the process stops; their last events find none.
		if int(e.A) < len(p.areas) && p.areas[e.A].originate.Fired(h, e) {
			p.originateRouter(h, int(e.A))
		}
	case spfTimer:
		if p.delay.timer.Fired(h, e) {
			p.runSPF(h)
		}
	case ageTimer:
		if p.age.Fired(h, e) {
			p.aged(h)
		}
	}
}

// Receive handles an OSPF packet that came in on a port (RFC 2328 8.2). dst is
// its destination address, src its source.
func (p *Process) Receive(h Host, i uint32, src, dst ip.Addr, packet []byte) {
	if !p.running || int(i) >= len(p.ports) || !p.ports[i].talks() {
		return // the port does not listen
	}
	if dst == wire.AllDRouters && p.ports[i].state < PortBackup {
		return // meant for DR and BDR
	}
	p.receive(h, i, src, packet, !dst.Multicast())
	p.elections(h)
}

// HearsDRouters says whether a port takes what is sent to AllDRouters, or may by the time that it arrives.
func (p *Process) HearsDRouters(i uint32) bool {
	return p.running && int(i) < len(p.ports) && p.ports[i].talks() && (p.ports[i].state >= PortBackup || p.ports[i].state == PortWaiting)
}

// receive is Receive for a port that listens; alone says that the packet was for
// this router alone.
func (p *Process) receive(h Host, i uint32, src ip.Addr, packet []byte, alone bool) {
	head, fail := wire.Read(packet)
	if fail != wire.OK {
		why := note.Malformed
		if fail == wire.BadChecksum {
			why = note.BadChecksum
		}
		p.refuse(h, i, src, why, 0, 0)
		return
	}
	q := p.ports[i]
	if head.Area == 0 && q.Area != 0 { // RFC 2328 8.2: by a virtual link
		if v, ok := p.virtualPort(q.Area, head.RouterID); ok {
			if i, q = v, p.ports[v]; !q.running() {
				return // we have no way back yet
			}
		}
	}
	switch {
	case head.Area != q.Area && head.Area == 0 && alone:
		// A virtual link that this router does not have: nothing to do with
		// who is on the port.
		p.refuseInto(h, &q.strays, i, src, note.AreaDiffers, uint64(q.Area), 0)
		return
	case head.Area != q.Area:
		p.refuse(h, i, src, note.AreaDiffers, uint64(q.Area), uint64(head.Area))
		return
	case head.RouterID == p.routerID:
		p.refuse(h, i, src, note.SameRouterID, uint64(p.routerID), uint64(head.RouterID))
		return
	case !q.Virtual && !ip.MakePrefix(q.Address, q.PrefixLen).Contains(src):
		// RFC 2328 8.2 exempts point-to-point links from this check; here
		// ports are numbered, and the next hop must be on the subnet.
		p.refuse(h, i, src, note.SubnetDiffers, packPrefix(h, q.Address, q.PrefixLen), packPrefix(h, src, q.PrefixLen))
		return
	}
	if !p.authentic(h, i, src, &head) {
		return
	}
	if head.Type == wire.TypeHello {
		p.receiveHello(h, i, src, &head)
		return
	}
	n, ok := p.find(q, head.RouterID, src)
	if !ok {
		h.Note(note.Note{Kind: note.HelloRefused, Port: note.PortOf(i), A: uint64(h.Shared().Addrs.ID(src)), Reason: note.NoNeighbour})
		return
	}
	switch head.Type {
	case wire.TypeDD:
		p.receiveDD(h, n, head.Body)
	case wire.TypeRequest:
		p.receiveRequest(h, n, head.Body)
	case wire.TypeUpdate:
		p.receiveUpdate(h, n, head.Body)
	case wire.TypeAck:
		p.receiveAck(h, n, head.Body)
	default:
		p.refuse(h, i, src, note.Malformed, 0, uint64(head.Type))
	}
}

// packPrefix writes an address with its length as one value of a note.
func packPrefix(h Host, a ip.Addr, n uint8) uint64 {
	return uint64(h.Shared().Addrs.ID(a))<<8 | uint64(n)
}

// refuse remembers why a packet was not taken, and notes it when it is news.
func (p *Process) refuse(h Host, i uint32, from ip.Addr, why note.Code, mine, theirs uint64) {
	p.refuseInto(h, &p.ports[i].refusals, i, from, why, mine, theirs)
}

func (p *Process) refuseInto(h Host, list *refusals, i uint32, from ip.Addr, why note.Code, mine, theirs uint64) {
	r := Refusal{From: from, Reason: why, Mine: mine, Theirs: theirs, Count: 1, First: h.Now(), Last: h.Now()}
	old, known := list.of(from)
	same := known && old.Reason == why && old.Mine == mine && old.Theirs == theirs
	if same {
		r.Count, r.First = old.Count+1, old.First
	}
	list.put(r)
	if !same {
		h.Note(note.Note{Kind: note.HelloRefused, Port: note.PortOf(i), A: uint64(h.Shared().Addrs.ID(from)), B: mine, C: theirs, Reason: why})
		h.Calm().Disturb(h.Now())
	}
}

// PortView is a port as a view sees it.
type PortView struct {
	PortConfig
	State     PortState
	DR, BDR   ip.Quad    // by their addresses on the segment; 0 for none
	Refusals  []Refusal  // by source; for reading
	NextHello event.Time // 0 if the port sends none
}

// Refusal is the latest of the refusals; the zero one if there is none.
func (v PortView) Refusal() (last Refusal) {
	for _, r := range v.Refusals {
		if r.Last >= last.Last {
			last = r
		}
	}
	return last
}

// Port is the state of a port; the zero view if OSPF is not on it.
func (p *Process) Port(i uint32) PortView {
	if int(i) >= len(p.ports) || !p.ports[i].On {
		return PortView{}
	}
	q := p.ports[i]
	return PortView{q.PortConfig, q.state, q.dr, q.bdr, q.refusals, q.hello.Deadline()}
}

// DigestPorts folds in what the process has on its ports: neighbours and roles; and what passes of it, timers and counters.
func (p *Process) DigestPorts(d, passing *store.Digest) {
	d.Flag(p.running)
	d.Add(uint64(p.routerID))
	for i := range p.ports {
		q := p.ports[i]
		if !q.On {
			continue
		}
		d.Add(uint64(i), q.Address.Hash(), uint64(q.Area), uint64(q.Cost),
			uint64(q.state), uint64(q.dr), uint64(q.bdr))
		for _, r := range q.refusals {
			d.Add(r.From.Hash(), uint64(r.Reason))
			passing.Add(uint64(r.Count))
		}
		d.Flag(q.talks())
		passing.Add(uint64(q.hello.Deadline()))
		for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
			nb := &p.nbrs[n.Index()]
			d.Add(uint64(nb.id), nb.address.Hash(), uint64(nb.state))
			passing.Add(uint64(nb.inactivity.Deadline()), uint64(nb.descriptions.Seq()), uint64(nb.retransmits.Len()),
				uint64(nb.requests.Len()))
		}
	}
}

// DigestDatabases folds in the link-state databases; and what passes of them, sequence numbers and ages.
func (p *Process) DigestDatabases(d, passing *store.Digest, h Host) {
	for ai := asScope; ai < len(p.areas); ai++ {
		a := p.scope(ai)
		d.Add(uint64(a.id))
		body := func(e *lsdb.Instance) uint64 { return h.Pool().Body(e.Body).Digest }
		contents, times := a.db.Sums(body)
		d.Add(contents)
		passing.Add(times, a.db.Versions(body))
	}
}

// Account is what the process holds in force, for checking the world's account
// of what is pending and watched.
func (p *Process) Account() (pending, watched int) {
	running := func(t *event.Timer) {
		if t.Running() {
			pending++
		}
	}
	for i := range p.ports {
		q := p.ports[i]
		running(&q.wait)
		running(&q.flood)
		running(&q.ack)
		if p.running && q.talks() {
			watched++ // retry
		}
		for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
			nb := &p.nbrs[n.Index()]
			watched++ // guard
			if nb.state == adjacency.ExStart || nb.state == adjacency.Exchange {
				watched++
			}
			if nb.request.Running() {
				watched++
			}
			if nb.retransmit.Running() {
				watched++
			}
		}
	}
	for i := range p.areas {
		running(&p.areas[i].originate)
	}
	running(&p.delay.timer)
	running(&p.sync)
	return pending, watched
}

// Unfinished says what a settled process must not have: LSAs that wait for an
// acknowledgment or an answer, or are on their way out. It is "" if all is well.
func (p *Process) Unfinished() string {
	stuck := false // RFC 2328 14: nothing leaves the database meanwhile
	for i := range p.nbrs {
		nb := &p.nbrs[i]
		if nb.retransmits.Len() > 0 && !nb.retransmit.Futile() || nb.state == adjacency.Loading && !nb.request.Futile() {
			return "neighbour " + nb.id.String() + " has LSAs waiting"
		}
		stuck = stuck || nb.state == adjacency.Exchange || nb.state == adjacency.Loading || nb.retransmit.Futile()
	}
	for ai := asScope; ai < len(p.areas); ai++ {
		if p.scope(ai).db.Dying() && !stuck {
			return "LSAs at MaxAge are still in the database"
		}
	}
	return ""
}
