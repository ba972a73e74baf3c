// Package device is a router or a host: ports with ARP, forwarding with ICMP,
// and the tables and protocol processes of its one routing instance. It meets
// the rest of the world through Env only.
package device

import (
	"slices"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/tcp"
	"hellebore/core/protocols/wire/ip"
)

// Env is what a device needs of the world.
type Env interface {
	Now() event.Time
	Push(e event.Event)
	Calm() *event.Calm
	Seed() uint64
	// ExactHellos says that OSPF's hellos have no jitter.
	ExactHellos() bool
	Note(n note.Note)
	Pool() *ospf.Pool
	Shared() *route.Shared
	Attrs() *attr.Pool
	// Book is the policies of the lab.
	Book() *policy.Book
	// Transmit puts a frame on what the port is joined to. The frame is
	// immutable from then on.
	Transmit(device, port uint32, frame []byte, class event.Class)
	// ForwardingChanged is called for each change of a FIB.
	ForwardingChanged()
	// Trace receives what becomes of ICMP packets, if Tracing says so.
	Tracing() bool
	Trace(s Fate)
}

// Event kinds of a device.
const (
	FrameArrives event.Kind = 1 + iota // the world's: a frame for port A
	arpTimer
	decideAgain
)

// Port is a port's configuration and state. A port that was taken out of the
// configuration keeps its place, Gone.
type Port struct {
	Config   config.Port
	Gone     bool
	Override config.Override
	Carrier  bool
	Why      note.Code // why there is no carrier
	Since    event.Time
	Joint    int32 // what the world joined it to; -1 for nothing
	Shared   bool  // that is a segment, not a link
	parent   int32 // of a sub-port, the port that carries it; -1 for none
	addr     ip.Addr
	prefix   uint32
	up       bool
}

// Device is a router or a host.
type Device struct {
	id       uint32
	config   config.Device
	gone     bool
	override config.Override
	ports    []Port
	table    route.Table
	ospf     ospf.Process
	tcp      tcp.Stack
	bgp      bgp.Speaker
	touched  []uint32 // prefixes whose route of another source than BGP changed
	moved    []uint32 // gateways that are reached otherwise
	deciding bool     // more decisions are due than one event makes
	arp      []neighbour
	changed  bool // the table, since the externals were made of it
	// depending says that the table changed since BGP looked at what it depends on.
	depending bool
	seq       uint64
	env       Env
}

// New makes a device that has no configuration yet.
func New(env Env, id uint32) *Device { return &Device{id: id, env: env} }

// CloneTo copies the device into the slot to; env is the world it belongs to
// there.
func (d *Device) CloneTo(to *Device, env Env) {
	*to = *d
	to.env = env
	to.ports = append([]Port(nil), d.ports...)
	to.table = d.table.Clone()
	to.ospf = d.ospf.Clone()
	to.tcp = d.tcp.Clone()
	to.bgp = d.bgp.Clone()
	to.touched, to.moved = slices.Clone(d.touched), slices.Clone(d.moved)
	to.arp = append([]neighbour(nil), d.arp...)
}

// ID is the device's number in its world; Name and Kind are as configured.
func (d *Device) ID() uint32        { return d.id }
func (d *Device) Name() string      { return d.config.Name }
func (d *Device) Kind() config.Kind { return d.config.Kind }

// Config is the device's configuration in force.
func (d *Device) Config() *config.Device { return &d.config }

// Gone says whether the device was taken out of the lab.
func (d *Device) Gone() bool { return d.gone }

// Enabled says whether the device runs at all.
func (d *Device) Enabled() bool { return !d.gone && !d.override.Disabled(d.config.Disabled) }

// Table is its routing table, OSPF its process; both for reading.
func (d *Device) Table() *route.Table { return &d.table }
func (d *Device) OSPF() *ospf.Process { return &d.ospf }

// TCP is its TCP, BGP its speaker; both for reading.
func (d *Device) TCP() *tcp.Stack   { return &d.tcp }
func (d *Device) BGP() *bgp.Speaker { return &d.bgp }

// Ports are its ports by number, those that are gone included; for reading.
func (d *Device) Ports() []Port { return d.ports }

// Port is the number of a port by name.
func (d *Device) Port(name string) (i uint32, ok bool) {
	for i := range d.ports {
		if !d.ports[i].Gone && d.ports[i].Config.Name == name {
			return uint32(i), true
		}
	}
	return 0, false
}

// Up says whether packets pass a port, and if not, why.
func (d *Device) Up(i uint32) (up bool, why note.Code) {
	p := &d.ports[i]
	switch {
	case !d.Enabled():
		return false, note.DeviceDisabled
	case p.Override.Disabled(p.Config.Disabled):
		return false, note.PortDisabled
	case p.Config.Loopback:
		return true, note.None
	case p.Config.OSPF.Disabled && p.Config.Virtual != nil:
		return false, note.ProtocolDisabled
	case p.Config.Virtual != nil:
		if d.ospf.Port(i).Up {
			return true, note.None
		}
		return false, note.NoTransitWay
	case p.parent >= 0:
		return d.Up(uint32(p.parent))
	}
	return p.Carrier, p.Why
}

// Carries is the port by whose cable the packets of a port go: itself, but for a
// sub-port.
func (d *Device) Carries(i uint32) uint32 {
	if p := d.ports[i].parent; p >= 0 {
		return uint32(p)
	}
	return i
}

// Tagged is the sub-port of a port that has a tag; the port itself for tag 0.
func (d *Device) Tagged(i uint32, vlan uint16) (uint32, bool) {
	if vlan == 0 {
		return i, true
	}
	for k := range d.ports {
		if p := &d.ports[k]; p.parent == int32(i) && p.Config.VLAN == vlan && !p.Gone {
			return uint32(k), true
		}
	}
	return 0, false
}

// PortEnabled says whether a port gives carrier to what it is joined to.
func (d *Device) PortEnabled(i uint32) bool {
	p := &d.ports[i]
	return d.Enabled() && !p.Gone && !p.Override.Disabled(p.Config.Disabled)
}

// Address is the address of a port, 0 if it has none.
func (p *Port) Address() ip.Addr { return p.addr }

// Local says whether a is an address of one of the ports that are up.
func (d *Device) Local(a ip.Addr) bool {
	for i := range d.ports {
		if d.ports[i].addr == a && d.ports[i].up {
			return true
		}
	}
	return false
}

// Owns says whether a is an address of one of the ports, up or not.
func (d *Device) Owns(a ip.Addr) bool {
	return a != 0 && slices.ContainsFunc(d.ports, func(p Port) bool { return !p.Gone && p.addr == a })
}

// Configure takes the difference between the configuration in force and this
// one; what did not change is not disturbed.
func (d *Device) Configure(c config.Device) {
	old := d.config
	d.config, d.gone = c, false
	for now, was := range config.RenamedPorts(old.Ports, c.Ports) {
		if i, ok := d.Port(was); ok {
			d.ports[i].Config.Name = now
		}
	}
	ports := append(slices.Clone(c.Ports), c.VirtualPorts()...)
	for i := range d.ports {
		p := &d.ports[i]
		if !p.Gone && !slices.ContainsFunc(ports, func(q config.Port) bool { return q.Name == p.Config.Name }) {
			p.Gone = true
			p.Config = config.Port{Name: p.Config.Name}
			d.syncPort(uint32(i))
		}
	}
	for _, pc := range ports {
		i, ok := d.slot(pc.Name)
		if !ok {
			d.ports = append(d.ports, Port{Joint: -1, parent: -1, Why: note.NotJoined, Since: d.env.Now()})
			i = uint32(len(d.ports) - 1)
		}
		d.ports[i].Gone = false
		d.ports[i].Config = pc
	}
	for i := range d.ports {
		p := &d.ports[i]
		p.parent = -1
		if parent, ok := d.Port(p.Config.Parent); ok && p.Config.Parent != "" && !p.Gone {
			p.parent = int32(parent)
		}
	}
	// An explicit router ID takes effect by a restart of the process (RFC 2328
	// C.1); one chosen from the ports stays while the process runs.
	if d.ospf.Running() && old.RouterID != c.RouterID {
		d.ospf.Stop(d, note.None)
	}
	if d.bgp.Running() && old.RouterID != c.RouterID {
		d.bgp.Stop(d, note.SessionReset)
	}
	d.sync()
}

// Remove takes the device out of the lab.
func (d *Device) Remove() {
	d.gone = true
	d.config.Statics = nil
	d.sync()
}

// slot finds a port's place by name, those that are gone included.
func (d *Device) slot(name string) (uint32, bool) {
	if i, ok := d.Port(name); ok {
		return i, true
	}
	for i := range d.ports {
		if d.ports[i].Config.Name == name {
			return uint32(i), true
		}
	}
	return 0, false
}

// sync brings ports, routes and processes in line with configuration and
// carrier.
func (d *Device) sync() {
	for i := range d.ports {
		d.syncPort(uint32(i))
	}
	var statics []route.StaticRoute
	for _, s := range d.config.Statics {
		statics = append(statics, route.StaticRoute{
			Prefix: d.env.Shared().Prefixes.ID(ip.PrefixFrom(s.Prefix)),
			Via:    ip.AddrFrom(s.Via), Preference: s.Preference,
		})
	}
	if !d.Enabled() {
		statics = nil
	}
	d.table.SetStatics(d, statics)
	d.syncServices()
	d.syncOSPF()
	d.syncBGP()
	d.settle()
}

// syncOSPF starts and stops the process, and gives it the ports.
func (d *Device) syncOSPF() {
	wanted := false
	for i := range d.ports {
		wanted = wanted || d.ports[i].Config.OSPF.On && !d.ports[i].Gone
	}
	wanted = wanted && d.Enabled() && !d.config.OSPF.Disabled
	switch {
	case !wanted:
		d.ospf.Stop(d, note.ProtocolDisabled)
	case !d.ospf.Running():
		if id := d.routerID(); id != 0 {
			d.ospf.Start(d, id)
		}
	}
	d.syncAreas()
	d.ospf.SetMaxECMP(d, d.config.OSPF.MaxECMP)
	d.ospf.SetRFC1583(d, !d.config.OSPF.Strict)
	for i := range d.ports {
		d.syncOSPFPort(uint32(i))
	}
}

func (d *Device) syncOSPFPort(i uint32) {
	p := &d.ports[i]
	o := &p.Config.OSPF
	if !o.On || o.Disabled || p.Gone {
		d.ospf.SetPort(d, i, ospf.PortConfig{})
		return
	}
	c := ospf.PortConfig{
		On: true, Up: p.up, Loopback: p.Config.Loopback, Passive: o.Passive, OwnMask: o.OwnMask,
		Broadcast: !p.Config.Loopback && p.Config.Virtual == nil &&
			(o.Type == config.Broadcast || o.Type == config.AutoType && d.ports[d.Carries(i)].Shared),
		Priority: o.Priority, IgnoreMTU: o.IgnoreMTU, Keys: chainOf(o.Keys),
		Address: p.addr, PrefixLen: uint8(max(0, p.Config.Address.Bits())),
		Area: o.Area, Cost: d.config.OSPF.CostOf(&p.Config), MTU: p.Config.MTU,
		ExactHellos:   d.env.ExactHellos(),
		HelloInterval: o.HelloInterval, DeadInterval: o.DeadInterval,
		RetransmitInterval: o.RetransmitInterval, TransmitDelay: o.TransmitDelay,
	}
	if v := p.Config.Virtual; v != nil {
		c.Virtual, c.Transit, c.Peer = true, v.Transit, ip.AddrFrom(v.Peer)
	}
	d.ospf.SetPort(d, i, c)
}

// routerID is the explicit router ID, else the highest loopback address, else
// the highest port address; 0 if there is none.
func (d *Device) routerID() ip.Addr {
	if id := ip.AddrFrom(d.config.RouterID); id != 0 {
		return id
	}
	var loopback, any ip.Addr
	for i := range d.ports {
		p := &d.ports[i]
		if p.Gone || p.addr == 0 {
			continue
		}
		any = max(any, p.addr)
		if p.Config.Loopback {
			loopback = max(loopback, p.addr)
		}
	}
	if loopback != 0 {
		return loopback
	}
	return any
}

// syncPort brings one port's address and state into effect.
func (d *Device) syncPort(i uint32) {
	p := &d.ports[i]
	if p.Config.Virtual != nil {
		return // OSPF finds out what it needs
	}
	shared := d.env.Shared()
	addr := ip.AddrFrom(p.Config.Address.Addr())
	up, why := d.Up(i)
	up = up && !p.Gone
	if up != p.up {
		p.Since = d.env.Now()
		kind := note.PortUp
		if !up {
			kind = note.PortDown
			d.dropNeighbours(i)
		}
		if !p.Config.Loopback && !p.Gone {
			d.Note(note.Note{Kind: kind, Port: uint16(i), Reason: why})
		}
		d.env.Calm().Disturb(d.env.Now())
	}
	had, hadPrefix := p.up && p.addr != 0, p.prefix
	p.up, p.addr = up, addr
	if addr != 0 {
		p.prefix = shared.Prefixes.ID(ip.PrefixFrom(p.Config.Address))
	}
	if had && (hadPrefix != p.prefix || !up || addr == 0) {
		d.connect(hadPrefix)
	}
	if up && addr != 0 {
		d.connect(p.prefix)
	}
}

// connect makes the connected route of a prefix be what the ports say.
func (d *Device) connect(prefix uint32) {
	var hops []route.Hop
	for i := range d.ports {
		if p := &d.ports[i]; p.up && p.addr != 0 && p.prefix == prefix {
			hops = append(hops, route.Hop{Port: uint32(i)})
		}
	}
	r := route.Route{}
	if set := d.env.Shared().Sets.ID(hops); set != route.NoSet {
		r = route.Route{Hop: d.table.Direct(set), Present: true}
	}
	d.table.Put(d, route.Connected, prefix, r)
}

// SetCarrier is the news that a port has gained or lost carrier.
func (d *Device) SetCarrier(i uint32, carrier bool, why note.Code) {
	p := &d.ports[i]
	if p.Carrier == carrier && p.Why == why {
		return
	}
	p.Carrier, p.Why = carrier, why
	for k := range d.ports {
		if d.Carries(uint32(k)) == i {
			d.syncPort(uint32(k))
			d.syncOSPFPort(uint32(k))
		}
	}
	d.bgp.LinksChanged(d)
	d.settle()
}

// Join notes what the world joined a port to, and whether it shares that with
// more than one other; -1 is nothing.
func (d *Device) Join(i uint32, joint int32, shared bool) {
	p := &d.ports[i]
	p.Joint = joint
	if p.Shared != shared {
		p.Shared = shared
		for k := range d.ports {
			if d.Carries(uint32(k)) == i {
				d.syncOSPFPort(uint32(k))
			}
		}
	}
}

// RestartOSPF stops the OSPF process and starts it anew, and says whether it ran.
// Its router ID is chosen anew.
func (d *Device) RestartOSPF() bool {
	if !d.ospf.Running() {
		return false
	}
	d.ospf.Stop(d, note.ProcessRestarted)
	d.sync()
	return true
}

// Force sets the override of the device, or of one of its ports.
func (d *Device) Force(o config.Override) { d.override = o; d.sync() }

// ForcePort sets the override of a port.
func (d *Device) ForcePort(i uint32, o config.Override) { d.ports[i].Override = o; d.sync() }

func (d *Device) settle() {
	d.table.Settle(d, d.env.Shared())
	d.runBGP()
	if d.changed {
		d.changed = false
		d.syncExternals()
	}
}

// Handle takes an event of the device's own: a timer.
func (d *Device) Handle(e *event.Event) {
	switch {
	case e.Kind == arpTimer:
		d.arpExpired(e)
	case e.Kind >= ospf.FirstKind && e.Kind < ospf.EndKind:
		d.ospf.Timer(d, e)
	case e.Kind >= tcp.FirstKind && e.Kind < tcp.EndKind:
		d.tcp.Timer(d, e)
	case e.Kind >= bgp.FirstKind && e.Kind < bgp.EndKind:
		d.bgp.Timer(d, e)
	case e.Kind == decideAgain:
		d.deciding = false
		d.env.Calm().End()
	}
	d.settle()
}

// What follows makes Device an ospf.Host and a route.Watcher.

// Now is the world's time.
func (d *Device) Now() event.Time { return d.env.Now() }

// Calm is the world's account of what is going on.
func (d *Device) Calm() *event.Calm { return d.env.Calm() }

// Schedule queues an event for this device.
func (d *Device) Schedule(e event.Event) {
	d.seq++
	e.Dest, e.Source, e.Seq = d.id, d.id, d.seq
	d.env.Push(e)
}

// NextSeq is the counter of the next event that the world makes on behalf of
// this device.
func (d *Device) NextSeq() uint64 { d.seq++; return d.seq }

// Note records what happened here.
func (d *Device) Note(n note.Note) {
	n.At, n.Device = int64(d.env.Now()), d.id
	d.env.Note(n)
}

// Rand is keyed randomness of this device.
func (d *Device) Rand(purpose, counter uint64) uint64 {
	return store.Keyed(d.env.Seed(), uint64(d.id), purpose, counter)
}

// Pool holds the world's LSAs.
func (d *Device) Pool() *ospf.Pool { return d.env.Pool() }

// Shared holds the world's prefixes and next hops.
func (d *Device) Shared() *route.Shared { return d.env.Shared() }

// PutRoute takes a route from OSPF.
func (d *Device) PutRoute(prefix uint32, o ospf.Route) {
	r := route.Route{}
	if o.Set != route.NoSet {
		r = route.Route{Hop: d.table.Direct(o.Set), Metric: o.Cost, Metric2: o.Distance, Tag: o.Tag, Present: true,
			Preference: route.DefaultPreference[route.OSPF], Kind: o.Kind}
	}
	d.table.Put(d, route.OSPF, prefix, r)
}

// RouteChanged notes a change of the FIB.
func (d *Device) RouteChanged(prefix uint32, from, to route.HopID) {
	d.changed, d.depending = true, true
	d.Note(note.Note{Kind: note.RouteChanged, Port: note.NoPort, A: uint64(prefix), B: uint64(from), C: uint64(to)})
	d.env.Calm().Disturb(d.env.Now())
	d.env.ForwardingChanged()
}

// HopChanged notes a change of the next-hop table.
func (d *Device) HopChanged(hop route.HopID, from, to route.SetID) {
	d.changed, d.depending = true, true // a forwarding address may be another one
	d.Note(note.Note{Kind: note.HopChanged, Port: note.NoPort, A: uint64(hop), B: uint64(from), C: uint64(to)})
	d.env.Calm().Disturb(d.env.Now())
	d.env.ForwardingChanged()
}

// Account is what the device holds in force, for checking the world's account
// of what is pending and watched.
func (d *Device) Account() (pending, watched int) {
	pending, watched = d.ospf.Account()
	pending += d.tcp.Account()
	p, n := d.bgp.Account()
	pending, watched = pending+p, watched+n
	if d.deciding {
		pending++
	}
	for i := range d.arp {
		if d.arp[i].timer.Running() {
			pending++
		}
	}
	return pending, watched
}

// Parts are the digests of the parts of a state.
type Parts struct {
	Ports, Neighbours, Database, Routes, Paths store.Digest
}

// DigestParts folds the device's state in, part by part, without what passes:
// ages, sequence numbers and the phases of timers. prefixes are those of the table
// (Prefixes), which the caller sorts once for both digests.
func (d *Device) DigestParts(parts *Parts, prefixes []uint32) {
	for _, g := range []*store.Digest{&parts.Ports, &parts.Neighbours, &parts.Database, &parts.Routes, &parts.Paths} {
		g.Bytes([]byte(d.config.Name))
	}
	d.digestPorts(&parts.Ports, false)
	d.ospf.DigestPorts(&parts.Neighbours, false)
	d.ospf.DigestDatabases(&parts.Database, d, false)
	d.digestTable(&parts.Routes, prefixes)
	d.bgp.Digest(&parts.Paths, d, prefixes, false)
}

// Digest folds the device's state in; prefixes are those of the table.
func (d *Device) Digest(g *store.Digest, full bool, prefixes []uint32) {
	g.Bytes([]byte(d.config.Name))
	g.Flag(d.gone)
	d.digestPorts(g, full)
	d.digestTable(g, prefixes)
	d.ospf.Digest(g, d, full)
	d.bgp.Digest(g, d, prefixes, full)
	if full {
		// Connections come and go; what they carry is in the tables.
		d.tcp.Digest(g)
		g.Add(d.seq)
		for i := range d.arp {
			g.Add(uint64(d.arp[i].port), uint64(d.arp[i].addr), uint64(d.arp[i].learned))
		}
	}
}

func (d *Device) digestPorts(g *store.Digest, full bool) {
	g.Flag(d.Enabled())
	for i := range d.ports {
		p := &d.ports[i]
		g.Bytes([]byte(p.Config.Name))
		g.Flag(p.Gone)
		g.Flag(p.up)
		g.Add(uint64(p.addr), uint64(p.Why))
		if full {
			g.Add(uint64(p.Since))
		}
	}
}

// digestTable folds the routes in, sorted by prefix: numbers of prefixes differ
// between worlds.
func (d *Device) digestTable(g *store.Digest, prefixes []uint32) {
	shared := d.env.Shared()
	for _, id := range prefixes {
		p := shared.Prefixes.Prefix(id)
		g.Add(uint64(p.Addr), uint64(p.Len))
		for s := range route.Sources {
			r := d.table.Route(s, id)
			if !r.Present {
				continue
			}
			g.Add(uint64(s), uint64(r.Metric), uint64(r.Preference), uint64(r.Kind))
			d.digestHop(g, r.Hop)
		}
		d.digestHop(g, d.table.Next(id))
	}
}

func (d *Device) digestHop(g *store.Digest, h route.HopID) {
	set := d.table.Set(h)
	g.Flag(set == route.Blackhole)
	for _, hop := range d.env.Shared().Sets.Hops(set) {
		g.Add(uint64(hop.Port), uint64(hop.Gateway))
	}
}
