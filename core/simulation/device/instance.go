package device

import (
	"iter"
	"slices"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/tcp"
)

// Main is the number of the instance that every device has.
const Main = 0

// Instance is a routing instance (RFC 8529's network instance): a table, an OSPF
// process, a BGP speaker and TCP of its own. A port is in exactly one; addresses
// are looked up among the ports of the instance, and packets that come in by one
// of them are forwarded by its table. An instance that was taken out of the
// configuration keeps its place, Gone.
type Instance struct {
	number   uint16  // in its device
	name     string  // "" for main
	place    int     // among the instances of the configuration, from 1; 0 for main
	gone     bool    // it is no more
	device   *Device // that it belongs to
	table    route.Table
	ospf     ospf.Process
	tcp      tcp.Stack
	bgp      bgp.Speaker
	touched  []uint32 // prefixes whose route of another source than BGP changed
	moved    []uint32 // gateways that are reached otherwise
	deciding bool     // more decisions are due than one event makes
	changed  bool     // the table, since the externals were made of it
	// depending says that the table changed since BGP looked at what it depends on.
	depending bool
	taken     store.Paged[Taking] // by prefix: where its taken routes come from
}

// Name is the instance's name, "" for main; Number its place in the device. Gone says
// whether it was taken out of the configuration.
func (inst *Instance) Name() string   { return inst.name }
func (inst *Instance) Number() uint16 { return inst.number }
func (inst *Instance) Gone() bool     { return inst.gone }

// Ref names the instance: "junction/ferry", or "junction" for main.
func (inst *Instance) Ref() string { return config.InstanceRef(inst.device.config.Name, inst.name) }

// Device is the device that the instance is of.
func (inst *Instance) Device() *Device { return inst.device }

// Config is the instance's configuration in force.
func (inst *Instance) Config() *config.Routing { return inst.config() }

// nothing is the configuration of an instance that is gone.
var nothing config.Routing

func (inst *Instance) config() *config.Routing {
	switch {
	case inst.gone:
		return &nothing
	case inst.place == 0:
		return &inst.device.config.Routing
	}
	return &inst.device.config.Instances[inst.place-1].Routing
}

// Main is the instance that every device has; for reading, as are its parts.
func (d *Device) Main() *Instance { return &d.instances[Main] }

// InstanceOf is the instance that a port is in, Instances are all by number; for
// reading.
func (d *Device) InstanceOf(port uint32) *Instance { return &d.instances[d.ports[port].instance] }
func (d *Device) Instances() []Instance            { return d.instances }

// Instance is an instance by name, "" for main; nil if there is none.
func (d *Device) Instance(name string) *Instance {
	for i := range d.instances {
		if inst := &d.instances[i]; inst.name == name && !inst.gone {
			return inst
		}
	}
	return nil
}

// configureInstances gives every instance of the configuration its place.
func (d *Device) configureInstances() {
	for i := range d.instances[1:] {
		d.instances[i+1].gone, d.instances[i+1].place = true, 0
	}
	for k := range d.config.Instances {
		name := d.config.Instances[k].Name
		i := slices.IndexFunc(d.instances, func(x Instance) bool { return x.name == name })
		if i < 0 {
			i = len(d.instances)
			d.instances = append(d.instances, Instance{number: uint16(i), name: name, device: d})
		}
		d.instances[i].gone, d.instances[i].place = false, k+1
	}
}

// move puts a port into an instance: it goes down in the one and comes up in the other.
func (d *Device) move(i uint32, to uint16) {
	p := &d.ports[i]
	if p.instance == to {
		return
	}
	from, gone := d.InstanceOf(i), p.Gone
	p.Gone = true
	d.syncPort(i)
	from.syncOSPFPort(i)
	p.Gone, p.instance = gone, to
}

// cloneTo copies the instance into the slot to, of a device.
func (inst *Instance) cloneTo(to *Instance, device *Device) {
	*to = *inst
	to.device = device
	to.table = inst.table.Clone()
	to.ospf = inst.ospf.Clone()
	to.tcp = inst.tcp.Clone()
	to.bgp = inst.bgp.Clone()
	to.touched, to.moved = slices.Clone(inst.touched), slices.Clone(inst.moved)
	to.taken = inst.taken.Clone()
}

// Table is its routing table, OSPF its process; both for reading.
func (inst *Instance) Table() *route.Table { return &inst.table }
func (inst *Instance) OSPF() *ospf.Process { return &inst.ospf }

// TCP is its TCP, BGP its speaker; both for reading.
func (inst *Instance) TCP() *tcp.Stack   { return &inst.tcp }
func (inst *Instance) BGP() *bgp.Speaker { return &inst.bgp }

// has says whether a port is in the instance.
func (inst *Instance) has(p *Port) bool { return p.instance == inst.number && !p.Gone }

// Answers says whether packets for an address end here: it is one of the instance's own, or of a network beyond the lab for which
// a feed of its speaker stands.
func (inst *Instance) Answers(a ip.Addr) bool {
	if inst.Local(a) {
		return true
	}
	if feeds, _ := inst.bgp.Feeds(); len(feeds) == 0 {
		return false
	}
	_, hop, ok := inst.table.Lookup(inst.Shared(), a)
	return ok && inst.table.Set(hop) == route.Beyond
}

// Local says whether a is an address of one of the ports that are up.
func (inst *Instance) Local(a ip.Addr) bool {
	for i := range inst.device.ports {
		if p := &inst.device.ports[i]; p.addr == a && p.up && p.instance == inst.number {
			return true
		}
	}
	return false
}

// Owns says whether a is an address of one of the ports, up or not.
func (inst *Instance) Owns(a ip.Addr) bool {
	return a.IsValid() && slices.ContainsFunc(inst.device.ports, func(p Port) bool { return p.addr == a && inst.has(&p) })
}

// Addresses are those that Owns says it has.
func (inst *Instance) Addresses() iter.Seq[ip.Addr] {
	return func(yield func(ip.Addr) bool) {
		for i := range inst.device.ports {
			if p := &inst.device.ports[i]; p.addr.IsValid() && inst.has(p) && !yield(p.addr) {
				return
			}
		}
	}
}

// sync brings routes and processes in line with configuration and ports.
func (inst *Instance) sync() {
	d := inst.device
	var statics []route.StaticRoute
	if d.Enabled() {
		for _, s := range inst.config().Statics {
			statics = append(statics, route.StaticRoute{
				Prefix: inst.Shared().Prefixes.ID(ip.PrefixFrom(s.Prefix)),
				Via:    ip.AddrFrom(s.Via), Preference: s.Preference,
			})
		}
	}
	inst.table.SetStatics(inst, statics)
	inst.syncServices()
	inst.syncOSPF()
	inst.syncBGP()
	inst.settle()
}

// routerIDChanged stops what must take another router ID: an explicit one takes
// effect by a restart of the process (RFC 2328 C.1); one chosen from the ports stays
// while the process runs.
func (inst *Instance) routerIDChanged() {
	if inst.ospf.Running() {
		inst.ospf.Stop(inst, note.None)
	}
	if inst.bgp.Running() {
		inst.bgp.Stop(inst, note.SessionReset)
	}
}

// handle takes an event of the instance's own: a timer.
func (inst *Instance) handle(e *event.Event) {
	switch {
	case e.Kind >= ospf.FirstKind && e.Kind < ospf.EndKind:
		inst.ospf.Timer(inst, e)
	case e.Kind >= tcp.FirstKind && e.Kind < tcp.EndKind:
		inst.tcp.Timer(inst, e)
	case e.Kind >= bgp.FirstKind && e.Kind < bgp.EndKind:
		inst.bgp.Timer(inst, e)
	case e.Kind == decideAgain:
		inst.deciding = false
		inst.Calm().End()
	}
}

// account is Device.Account for what the instance holds.
func (inst *Instance) account() (pending, watched int) {
	pending, watched = inst.ospf.Account()
	pending += inst.tcp.Account()
	p, n := inst.bgp.Account()
	if inst.deciding {
		p++
	}
	return pending + p, watched + n
}

// connect makes the connected route of a prefix be what the ports say.
func (inst *Instance) connect(prefix uint32) {
	var hops []route.Hop
	for i := range inst.device.ports {
		if p := &inst.device.ports[i]; p.up && p.addr.IsValid() && p.prefix == prefix && inst.has(p) {
			hops = append(hops, route.Hop{Port: uint32(i)})
		}
	}
	r := route.Route{}
	if set := inst.Shared().Sets.ID(hops); set != route.NoSet {
		r = route.Route{Hop: inst.table.Direct(set), Present: true}
	}
	inst.table.Put(inst, route.Connected, prefix, r)
}

// settle brings what depends on the table in line with it, in this instance and in
// those that take from it.
func (inst *Instance) settle() {
	inst.settleAlone()
	inst.device.cross()
}

func (inst *Instance) settleAlone() {
	inst.table.Settle(inst, inst.Shared())
	inst.runBGP()
	if inst.changed {
		inst.changed = false
		inst.syncExternals()
	}
}

// What follows makes Instance a route.Watcher, and the host of its protocols.

// Now is the world's time.
func (inst *Instance) Now() event.Time { return inst.device.env.Now() }

// Calm is the world's account of what is going on.
func (inst *Instance) Calm() *event.Calm { return inst.device.env.Calm() }

// Schedule queues an event for this instance.
func (inst *Instance) Schedule(e event.Event) {
	e.Instance = inst.number
	inst.device.Schedule(e)
}

// Note records what happened here.
func (inst *Instance) Note(n note.Note) {
	n.At, n.Device, n.Instance = int64(inst.Now()), inst.device.id, inst.number
	inst.device.env.Note(n)
}

// Rand is keyed randomness of this instance.
func (inst *Instance) Rand(purpose, counter uint64) uint64 {
	return inst.device.rand(uint64(inst.number)<<32|purpose, counter)
}

// Pool holds the world's LSAs.
func (inst *Instance) Pool() *ospf.Pool { return inst.device.env.Pool() }

// Shared holds the world's prefixes and next hops.
func (inst *Instance) Shared() *route.Shared { return inst.device.env.Shared() }

// Attrs holds the world's attribute sets.
func (inst *Instance) Attrs() *attr.Pool { return inst.device.env.Attrs() }

// RouteChanged notes a change of the FIB.
func (inst *Instance) RouteChanged(prefix uint32, from, to route.HopID) {
	inst.changed, inst.depending = true, true
	inst.crosses(prefix)
	inst.Note(note.Note{Kind: note.RouteChanged, A: uint64(prefix), B: uint64(from), C: uint64(to)})
	inst.Calm().Disturb(inst.Now())
	inst.device.env.ForwardingChanged()
}

// HopChanged notes a change of the next-hop table.
func (inst *Instance) HopChanged(hop route.HopID, from, to route.SetID) {
	inst.changed, inst.depending = true, true // a forwarding address may be another one
	inst.Note(note.Note{Kind: note.HopChanged, A: uint64(hop), B: uint64(from), C: uint64(to)})
	inst.Calm().Disturb(inst.Now())
	inst.device.env.ForwardingChanged()
}
