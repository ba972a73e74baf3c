// Package device is a router or a host: ports with ARP, and instances, each with
// its table, protocol processes and TCP, that forward packets between their ports.
// It meets the rest of the world through Env only.
package device

import (
	"slices"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/tcp"
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
	crossAgain
)

// Port is a port's configuration and state. A port that was taken out of the
// configuration keeps its place, Gone.
type Port struct {
	Config   *config.Port // never written, but replaced: clones share it
	Gone     bool
	Override config.Override
	Carrier  bool
	Why      note.Code // why there is no carrier
	Since    event.Time
	Joint    store.Ref // what the world joined it to
	Shared   bool      // that is a segment, not a link
	parent   store.Ref // of a sub-port, the port that carries it
	instance uint16    // that the port belongs to
	addr     ip.Addr
	prefix   uint32
	up       bool
}

// Device is a router or a host.
type Device struct {
	id        uint32
	config    *config.Device // never written, but replaced: clones share it
	gone      bool
	override  config.Override
	ports     []Port
	instances []Instance // by number; main is the first
	arp       []neighbour
	seq       uint64
	env       Env          `image:"-"`
	book      *policy.Book // the policies that it has: the lab's, its own before them
	// Prefixes whose routes may cross between instances otherwise now, and whether that
	// goes on in an event of its own.
	crossing     []uint32
	crossesAgain bool
	crosses      bool // an instance takes routes of another, or did
}

// New makes a device that has no configuration yet.
func New(env Env, id uint32) *Device {
	d := &Device{id: id, env: env, config: &config.Device{}}
	d.instances = []Instance{{device: d}}
	return d
}

// CloneTo copies the device into the slot to, and its instances into the slots
// instances, one each; env is the world it belongs to there.
func (d *Device) CloneTo(to *Device, instances []Instance, env Env) {
	*to = *d
	to.env = env
	to.ports = append([]Port(nil), d.ports...)
	to.instances = instances
	for i := range d.instances {
		d.instances[i].cloneTo(&to.instances[i], to)
	}
	to.arp = append([]neighbour(nil), d.arp...)
	to.crossing = slices.Clone(d.crossing)
}

// JoinWorld gives a device that was made again of an image its world.
func (d *Device) JoinWorld(env Env) { d.env = env }

// ID is the device's number in its world; Name and Kind are as configured.
func (d *Device) ID() uint32        { return d.id }
func (d *Device) Name() string      { return d.config.Name }
func (d *Device) Kind() config.Kind { return d.config.Kind }

// Config is the device's configuration in force.
func (d *Device) Config() *config.Device { return d.config }

// Book is the policies that the device has: those of the lab, its own before them.
func (d *Device) Book() *policy.Book { return d.book }

// Gone says whether the device was taken out of the lab.
func (d *Device) Gone() bool { return d.gone }

// Enabled says whether the device runs at all.
func (d *Device) Enabled() bool { return !d.gone && !d.override.Disabled(d.config.Disabled) }

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
		if d.InstanceOf(i).ospf.Port(i).Up {
			return true, note.None
		}
		return false, note.NoTransitPath
	case p.parent.IsValid():
		return d.Up(p.parent.Index())
	}
	return p.Carrier, p.Why
}

// Carries is the port by whose cable the packets of a port go: itself, but for a
// sub-port.
func (d *Device) Carries(i uint32) uint32 {
	if p := d.ports[i].parent; p.IsValid() {
		return p.Index()
	}
	return i
}

// Tagged is the sub-port of a port that has a tag; the port itself for tag 0.
func (d *Device) Tagged(i uint32, vlan uint16) (uint32, bool) {
	if vlan == 0 {
		return i, true
	}
	for k := range d.ports {
		if p := &d.ports[k]; p.parent == store.RefTo(i) && p.Config.VLAN == vlan && !p.Gone {
			return uint32(k), true
		}
	}
	return 0, false
}

// HearsDRouters says whether a port, or a sub-port of it, takes what is sent to AllDRouters: on all others the network card
// drops it (RFC 2328 A.1).
func (d *Device) HearsDRouters(i uint32) bool {
	for n := range d.Instances() {
		if d.Instances()[n].OSPF().HearsDRouters(i) {
			return true
		}
	}
	for k := range d.ports {
		if p := &d.ports[k]; p.parent == store.RefTo(i) && d.InstanceOf(uint32(k)).OSPF().HearsDRouters(uint32(k)) {
			return true
		}
	}
	return false
}

// PortEnabled says whether a port gives carrier to what it is joined to.
func (d *Device) PortEnabled(i uint32) bool {
	p := &d.ports[i]
	return d.Enabled() && !p.Gone && !p.Override.Disabled(p.Config.Disabled)
}

// Address is the address of a port, 0 if it has none.
func (p *Port) Address() ip.Addr { return p.addr }

// Configure takes the difference between the configuration in force and this
// one; what did not change is not disturbed. book is the policies that it has.
func (d *Device) Configure(c config.Device, book *policy.Book) {
	old := d.config
	d.config, d.gone, d.book = &c, false, book
	d.configureInstances()
	for now, was := range config.RenamedPorts(old.Ports, c.Ports) {
		if i, ok := d.Port(was); ok {
			renamed := *d.ports[i].Config
			renamed.Name = now
			d.ports[i].Config = &renamed
		}
	}
	ports := append(slices.Clone(c.Ports), c.VirtualPorts()...)
	for i := range d.ports {
		p := &d.ports[i]
		if !p.Gone && !slices.ContainsFunc(ports, func(q config.Port) bool { return q.Name == p.Config.Name }) {
			p.Gone = true
			p.Config = &config.Port{Name: p.Config.Name}
			d.syncPort(uint32(i))
		}
	}
	for k := range ports {
		pc := &ports[k]
		i, ok := d.slot(pc.Name)
		if !ok {
			d.ports = append(d.ports, Port{Config: &config.Port{}, Why: note.NotJoined, Since: d.env.Now()})
			i = uint32(len(d.ports) - 1)
		}
		d.ports[i].Gone = false
		if inst := d.Instance(pc.Instance); inst != nil {
			d.move(i, inst.number)
		}
		d.ports[i].Config = pc
	}
	for i := range d.ports {
		p := &d.ports[i]
		p.parent = 0
		if parent, ok := d.Port(p.Config.Parent); ok && p.Config.Parent != "" && !p.Gone {
			p.parent = store.RefTo(parent)
		}
	}
	for i := range d.instances {
		inst := &d.instances[i]
		if was := old.Instance(inst.name); was == nil || was.RouterID != inst.config().RouterID {
			inst.routerIDChanged()
		}
	}
	d.sync()
}

// Remove takes the device out of the lab.
func (d *Device) Remove() {
	d.gone = true
	c := *d.config
	c.Statics, c.Instances = nil, slices.Clone(c.Instances)
	for i := range c.Instances {
		c.Instances[i].Statics = nil
	}
	d.config = &c
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
	for i := range d.instances {
		d.instances[i].sync()
	}
	d.crossAll()
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
			d.InstanceOf(i).Note(note.Note{Kind: kind, Port: note.PortOf(i), Reason: why})
		}
		d.env.Calm().Disturb(d.env.Now())
	}
	had, hadPrefix := p.up && p.addr.IsValid(), p.prefix
	p.up, p.addr = up, addr
	if addr.IsValid() {
		p.prefix = shared.Prefixes.ID(ip.PrefixFrom(p.Config.Address))
	}
	if had && (hadPrefix != p.prefix || !up || !addr.IsValid()) {
		d.InstanceOf(i).connect(hadPrefix)
	}
	if up && addr.IsValid() {
		d.InstanceOf(i).connect(p.prefix)
	}
}

// SetCarrier is the news that a port has gained or lost carrier.
func (d *Device) SetCarrier(i uint32, carrier bool, why note.Code) {
	p := &d.ports[i]
	if p.Carrier == carrier && p.Why == why {
		return
	}
	p.Carrier, p.Why = carrier, why
	var of []*Instance // the port and its sub-ports
	for k := range d.ports {
		if d.Carries(uint32(k)) == i {
			inst := d.InstanceOf(uint32(k))
			d.syncPort(uint32(k))
			inst.syncOSPFPort(uint32(k))
			if !slices.Contains(of, inst) {
				of = append(of, inst)
			}
		}
	}
	for _, inst := range of {
		inst.bgp.LinksChanged(inst)
		inst.settle()
	}
}

// Join notes what the world joined a port to, and whether it shares that with
// more than one other.
func (d *Device) Join(i uint32, joint store.Ref, shared bool) {
	p := &d.ports[i]
	p.Joint = joint
	if p.Shared != shared {
		p.Shared = shared
		for k := range d.ports {
			if d.Carries(uint32(k)) == i {
				d.InstanceOf(uint32(k)).syncOSPFPort(uint32(k))
			}
		}
	}
}

// Override is what an action says of the device above its configuration.
func (d *Device) Override() config.Override { return d.override }

// Force sets the override of the device, or of one of its ports.
func (d *Device) Force(o config.Override) { d.override = o; d.sync() }

// ForcePort sets the override of a port.
func (d *Device) ForcePort(i uint32, o config.Override) { d.ports[i].Override = o; d.sync() }

// Handle takes an event of the device's own: a timer.
func (d *Device) Handle(e *event.Event) {
	if e.Kind == arpTimer {
		d.arpExpired(e)
		d.InstanceOf(e.A).settle()
		return
	}
	if e.Kind == crossAgain {
		d.crossesAgain = false
		d.Calm().End()
		d.cross()
		return
	}
	inst := &d.instances[e.Instance]
	inst.handle(e)
	inst.settle()
}

// WaitOf is what an event of a device is the end of.
func WaitOf(k event.Kind) note.Wait {
	switch {
	case k >= ospf.FirstKind && k < ospf.EndKind:
		return ospf.WaitOf(k)
	case k >= tcp.FirstKind && k < tcp.EndKind:
		return tcp.WaitOf(k)
	case k >= bgp.FirstKind && k < bgp.EndKind:
		return bgp.WaitOf(k)
	case k == FrameArrives:
		return note.OnLink
	case k == arpTimer:
		return note.ResolveWait
	}
	return note.DecideWait
}

// What follows makes Device an event.Scheduler.

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

// rand is keyed randomness of this device.
func (d *Device) rand(purpose, counter uint64) uint64 {
	return store.Keyed(d.env.Seed(), uint64(d.id), purpose, counter)
}

// Account is what the device holds in force, for checking the world's account
// of what is pending and watched.
func (d *Device) Account() (pending, watched int) {
	for i := range d.instances {
		p, n := d.instances[i].account()
		pending, watched = pending+p, watched+n
	}
	if d.crossesAgain {
		pending++
	}
	for i := range d.arp {
		if d.arp[i].timer.Running() {
			pending++
		}
	}
	return pending, watched
}
