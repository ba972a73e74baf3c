package device

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/tcp"

	bgpwire "hellebore/core/protocols/wire/bgp"
)

// What makes Instance a bgp.Host, and joins the speaker to table and TCP.

// syncBGP starts, stops and configures the speaker.
func (inst *Instance) syncBGP() {
	if !inst.device.Enabled() {
		inst.bgp.Gone(inst, note.DeviceDisabled)
		return
	}
	inst.bgp.Configure(inst, inst.config().BGP, inst.device.book, inst.routerID())
	inst.bgp.LinksChanged(inst)
}

// RestartBGP stops the speaker and starts it anew, and says whether it ran.
func (inst *Instance) RestartBGP() bool {
	if !inst.bgp.Running() {
		return false
	}
	inst.bgp.Stop(inst, note.ProcessRestarted)
	inst.device.sync()
	return true
}

// Peer does something to a session with a peer; ok is false if there is no such
// peer, or if what says that there was nothing to do it to.
func (inst *Instance) Peer(a ip.Addr, what func(s *bgp.Speaker, i int) bool) (ok bool) {
	i, ok := inst.bgp.Find(a)
	if !ok || !what(&inst.bgp, i) {
		return false
	}
	inst.settle()
	return true
}

// Speak does something to the speaker; ok is what it says.
func (inst *Instance) Speak(what func(s *bgp.Speaker) bool) (ok bool) {
	if ok = what(&inst.bgp); ok {
		inst.settle()
	}
	return ok
}

// decisions bounds how often one event lets the table and the speaker answer each
// other. What is left goes on in an event of its own.
const decisions = 16

// runBGP lets the speaker follow the table and the table the speaker.
func (inst *Instance) runBGP() {
	if !inst.bgp.Running() {
		inst.touched, inst.moved, inst.depending = nil, nil, false
		return
	}
	for n := 0; ; n++ {
		if inst.depending {
			inst.depending = false
			inst.bgp.Depend(inst)
		}
		for _, id := range inst.touched {
			inst.bgp.Touch(inst, id)
		}
		for _, g := range inst.moved {
			inst.bgp.Moved(inst, g)
		}
		inst.touched, inst.moved = inst.touched[:0:0], inst.moved[:0:0]
		if !inst.bgp.Due() {
			break
		}
		if n == decisions {
			if !inst.deciding {
				inst.deciding = true
				inst.Calm().Begin()
				inst.Schedule(event.Event{At: inst.Now() + event.Millisecond, Kind: decideAgain, Class: event.Pending})
			}
			break
		}
		inst.bgp.Decide(inst)
		inst.table.Settle(inst, inst.Shared())
	}
	inst.bgp.Send(inst)
}

// The table calls GatewayChanged and InteriorChanged.
func (inst *Instance) GatewayChanged(gateway uint32) { inst.moved = append(inst.moved, gateway) }
func (inst *Instance) InteriorChanged(prefix uint32) {
	inst.crosses(prefix)
	if inst.bgp.Running() {
		inst.touched = append(inst.touched, prefix)
	}
}

// OpenTCP begins a connection to a peer's BGP port.
func (inst *Instance) OpenTCP(local, remote ip.Addr, terms tcp.Terms) uint32 {
	return inst.tcp.Open(inst, local, remote, bgpwire.Port, inst.segmentSize(remote), terms)
}

// WriteTCP and the like are what the speaker does with its connections.
func (inst *Instance) WriteTCP(conn uint32, data []byte) { inst.tcp.Write(inst, conn, data) }
func (inst *Instance) ReadTCP(conn uint32) []byte        { return inst.tcp.Read(inst, conn) }
func (inst *Instance) CloseTCP(conn uint32)              { inst.tcp.Close(inst, conn) }
func (inst *Instance) AbortTCP(conn uint32)              { inst.tcp.Abort(inst, conn) }
func (inst *Instance) UnsentTCP(conn uint32) int         { return inst.tcp.Unsent(conn) }

// EndsTCP are the addresses of a connection.
func (inst *Instance) EndsTCP(conn uint32) (local, remote ip.Addr) {
	v := inst.tcp.View(conn)
	return v.Local, v.Remote
}

// overWhy is what the end of a connection means to the speaker.
var overWhy = map[tcp.News]note.Code{
	tcp.Ended: note.None, tcp.Closed: note.ConnectionClosed, tcp.Refused: note.ConnectionRefused,
	tcp.Reset: note.ConnectionReset, tcp.Lost: note.ConnectionLost,
}

// bgpConnection passes a change of a connection on to the speaker, if it is one of
// its.
func (inst *Instance) bgpConnection(id uint32, news tcp.News) bool {
	if inst.device.config.Kind != config.Router {
		return false
	}
	v := inst.tcp.View(id)
	if v.Taken && v.LocalPort == bgpwire.Port && news == tcp.Opened {
		inst.bgp.Taken(inst, id)
		return true
	}
	if !inst.bgp.Owns(id) {
		return false
	}
	switch news {
	case tcp.Opened:
		inst.bgp.TCPOpened(inst, id)
	case tcp.Arrived:
		inst.bgp.TCPArrived(inst, id)
	case tcp.Drained: // settling sends more
	default:
		inst.bgp.TCPOver(inst, id, overWhy[news])
	}
	return true
}

// SourceTo is the address of the port by which packets to a leave; 0 if there is
// no route.
func (inst *Instance) SourceTo(a ip.Addr) ip.Addr {
	shared := inst.Shared()
	if _, hop, ok := inst.table.Lookup(shared, a); ok {
		if hops := shared.Sets.Hops(inst.table.Set(hop)); len(hops) > 0 {
			return inst.AddressBy(hops[0].Port)
		}
	}
	return ip.Addr{}
}

// AddressBy is the address that packets of this instance have when they leave by a port:
// the port's, but where they cross into another instance the instance's own.
func (inst *Instance) AddressBy(port uint32) ip.Addr {
	if inst.device.ports[port].instance == inst.number {
		return inst.device.ports[port].addr
	}
	return ip.AddrFrom(inst.device.config.AddressIn(inst.name))
}

// PortAddress is the address of a port that is up.
func (inst *Instance) PortAddress(name string) ip.Addr {
	if i, ok := inst.device.Port(name); ok && inst.device.ports[i].up && inst.has(&inst.device.ports[i]) {
		return inst.device.ports[i].addr
	}
	return ip.Addr{}
}

// OnLink says whether an address is on the network of a port that is up.
func (inst *Instance) OnLink(a ip.Addr) bool { return inst.SameNetwork(a, a) }

// SameNetwork says whether two addresses are on the network of one port that is
// up.
func (inst *Instance) SameNetwork(a, b ip.Addr) bool {
	for i := range inst.device.ports {
		p := &inst.device.ports[i]
		if !p.up || !p.addr.IsValid() || p.Config.Loopback || !inst.has(p) {
			continue
		}
		if n := inst.Shared().Prefixes.Prefix(p.prefix); n.Contains(a) && n.Contains(b) {
			return true
		}
	}
	return false
}

// PutBGP takes a route from BGP.
func (inst *Instance) PutBGP(prefix uint32, b bgp.Route) {
	inst.crosses(prefix) // its attributes may be others, though the route is the same
	r := route.Route{}
	if b.Present {
		r = route.Route{Metric: b.MED, Tag: b.PeerAS, Present: true, Preference: b.Preference}
		if b.External {
			r.Kind = bgp.KindExternal
		}
		switch {
		case b.Blackhole:
			r.Hop = inst.table.Direct(route.Blackhole)
		case b.Beyond:
			r.Hop = inst.table.Direct(route.Beyond)
		default:
			r.Hop = inst.table.Recursive(inst, inst.Shared(), b.Vias)
		}
	}
	inst.table.Put(inst, route.BGP, prefix, r)
}

// Gateway numbers an address that paths go through; Reach is how it is reached.
func (inst *Instance) Gateway(a ip.Addr) uint32 { return inst.table.Gateway(inst.Shared(), a) }

func (inst *Instance) Reach(gateway, prefix uint32) (cost uint32, ok bool) {
	set, cost := inst.table.ReachFor(inst.Shared(), gateway, prefix)
	return cost, set != route.NoSet
}

// Interior is the best route of the table that is not BGP's.
func (inst *Instance) Interior(prefix uint32) (s route.Source, r route.Route, ok bool) {
	s, ok = inst.table.Interior(prefix)
	return s, inst.table.Route(s, prefix), ok
}

// InUse says whether the table uses a route for exactly this prefix, and whether
// that is BGP's.
func (inst *Instance) InUse(prefix uint32) (there, fromBGP bool) {
	s, ok := inst.table.Best(prefix)
	return ok, ok && s == route.BGP
}

// AnyInUse says whether a policy accepts any route that the table uses.
func (inst *Instance) AnyInUse(p *policy.Policy) bool {
	for _, id := range inst.Prefixes() {
		if source, ok := inst.table.Best(id); ok {
			if r := inst.policyRoute(source, id, inst.Shared().Prefixes.Prefix(id)); p.Run(&r, nil) {
				return true
			}
		}
	}
	return false
}

// SourceRouteType is the kind of a route for a prefix, in words, for policies: of a taken
// route that of the route that it was.
func (inst *Instance) SourceRouteType(s route.Source, prefix uint32, r route.Route) string {
	if s == route.Taken {
		s = inst.taken.Get(prefix).Source
	}
	return typeWords(s, r)
}

func typeWords(s route.Source, r route.Route) string {
	switch s {
	case route.OSPF:
		return ospf.KindNames[r.Kind]
	case route.BGP:
		return bgp.KindNames[r.Kind]
	}
	return "local"
}
