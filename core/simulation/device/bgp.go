package device

import (
	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/tcp"
	"hellebore/core/protocols/wire/ip"

	bgpwire "hellebore/core/protocols/wire/bgp"
)

// What makes Device a bgp.Host, and joins the speaker to table and TCP.

// syncBGP starts, stops and configures the speaker.
func (d *Device) syncBGP() {
	if !d.Enabled() {
		d.bgp.Gone(d, note.DeviceDisabled)
		return
	}
	d.bgp.Configure(d, d.config.BGP, d.env.Book(), d.routerID())
	d.bgp.LinksChanged(d)
}

// RestartBGP stops the speaker and starts it anew, and says whether it ran.
func (d *Device) RestartBGP() bool {
	if !d.bgp.Running() {
		return false
	}
	d.bgp.Stop(d, note.ProcessRestarted)
	d.sync()
	return true
}

// Peer does something to a session with a peer; ok is false if there is no such
// peer, or if what says that there was nothing to do it to.
func (d *Device) Peer(a ip.Addr, what func(s *bgp.Speaker, i int) bool) (ok bool) {
	i, ok := d.bgp.Find(a)
	if !ok || !what(&d.bgp, i) {
		return false
	}
	d.settle()
	return true
}

// decisions bounds how often one event lets the table and the speaker answer each
// other. What is left goes on in an event of its own.
const decisions = 16

// runBGP lets the speaker follow the table and the table the speaker.
func (d *Device) runBGP() {
	if !d.bgp.Running() {
		d.touched, d.moved, d.depending = nil, nil, false
		return
	}
	for n := 0; ; n++ {
		if d.depending {
			d.depending = false
			d.bgp.Depend(d)
		}
		for _, id := range d.touched {
			d.bgp.Touch(d, id)
		}
		for _, g := range d.moved {
			d.bgp.Moved(d, g)
		}
		d.touched, d.moved = d.touched[:0:0], d.moved[:0:0]
		if !d.bgp.Due() {
			break
		}
		if n == decisions {
			if !d.deciding {
				d.deciding = true
				d.env.Calm().Begin()
				d.Schedule(event.Event{At: d.Now() + event.Millisecond, Kind: decideAgain, Class: event.Pending})
			}
			break
		}
		d.bgp.Decide(d)
		d.table.Settle(d, d.env.Shared())
	}
	d.bgp.Send(d)
}

// The table calls GatewayChanged and InteriorChanged.
func (d *Device) GatewayChanged(gateway uint32) { d.moved = append(d.moved, gateway) }
func (d *Device) InteriorChanged(prefix uint32) {
	if d.bgp.Running() {
		d.touched = append(d.touched, prefix)
	}
}

// Attrs holds the world's attribute sets.
func (d *Device) Attrs() *attr.Pool { return d.env.Attrs() }

// OpenTCP begins a connection to a peer's BGP port.
func (d *Device) OpenTCP(local, remote ip.Addr, terms tcp.Terms) uint32 {
	return d.tcp.Open(d, local, remote, bgpwire.Port, d.segmentSize(remote), terms)
}

// WriteTCP and the like are what the speaker does with its connections.
func (d *Device) WriteTCP(conn uint32, data []byte) { d.tcp.Write(d, conn, data) }
func (d *Device) ReadTCP(conn uint32) []byte        { return d.tcp.Read(d, conn) }
func (d *Device) CloseTCP(conn uint32)              { d.tcp.Close(d, conn) }
func (d *Device) AbortTCP(conn uint32)              { d.tcp.Abort(d, conn) }
func (d *Device) UnsentTCP(conn uint32) int         { return d.tcp.Unsent(conn) }

// EndsTCP are the addresses of a connection.
func (d *Device) EndsTCP(conn uint32) (local, remote ip.Addr) {
	v := d.tcp.View(conn)
	return v.Local, v.Remote
}

// overWhy is what the end of a connection means to the speaker.
var overWhy = map[tcp.News]note.Code{
	tcp.Ended: note.None, tcp.Closed: note.ConnectionClosed, tcp.Refused: note.ConnectionRefused,
	tcp.Reset: note.ConnectionReset, tcp.Lost: note.ConnectionLost,
}

// bgpConnection passes a change of a connection on to the speaker, if it is one of
// its.
func (d *Device) bgpConnection(id uint32, news tcp.News) bool {
	if d.config.Kind != config.Router {
		return false
	}
	v := d.tcp.View(id)
	if v.Taken && v.LocalPort == bgpwire.Port && news == tcp.Opened {
		d.bgp.Taken(d, id)
		return true
	}
	if !d.bgp.Owns(id) {
		return false
	}
	switch news {
	case tcp.Opened:
		d.bgp.TCPOpened(d, id)
	case tcp.Arrived:
		d.bgp.TCPArrived(d, id)
	case tcp.Drained: // settling sends more
	default:
		d.bgp.TCPOver(d, id, overWhy[news])
	}
	return true
}

// SourceTo is the address of the port by which packets to a leave; 0 if there is
// no route.
func (d *Device) SourceTo(a ip.Addr) ip.Addr {
	shared := d.env.Shared()
	if _, hop, ok := d.table.Lookup(shared, a); ok {
		if hops := shared.Sets.Hops(d.table.Set(hop)); len(hops) > 0 {
			return d.ports[hops[0].Port].addr
		}
	}
	return 0
}

// PortAddress is the address of a port that is up.
func (d *Device) PortAddress(name string) ip.Addr {
	if i, ok := d.Port(name); ok && d.ports[i].up {
		return d.ports[i].addr
	}
	return 0
}

// OnLink says whether an address is on the network of a port that is up.
func (d *Device) OnLink(a ip.Addr) bool { return d.SameNetwork(a, a) }

// SameNetwork says whether two addresses are on the network of one port that is
// up.
func (d *Device) SameNetwork(a, b ip.Addr) bool {
	for i := range d.ports {
		p := &d.ports[i]
		if !p.up || p.addr == 0 || p.Config.Loopback {
			continue
		}
		if n := d.env.Shared().Prefixes.Prefix(p.prefix); n.Contains(a) && n.Contains(b) {
			return true
		}
	}
	return false
}

// PutBGP takes a route from BGP.
func (d *Device) PutBGP(prefix uint32, b bgp.Route) {
	r := route.Route{}
	if b.Present {
		r = route.Route{Metric: b.MED, Tag: b.PeerAS, Present: true, Preference: b.Preference}
		if b.External {
			r.Kind = bgp.KindExternal
		}
		if b.Blackhole {
			r.Hop = d.table.Direct(route.Blackhole)
		} else {
			r.Hop = d.table.Recursive(d, d.env.Shared(), b.Vias)
		}
	}
	d.table.Put(d, route.BGP, prefix, r)
}

// Gateway numbers an address that paths go through; Way is how it is reached.
func (d *Device) Gateway(a ip.Addr) uint32 { return d.table.Gateway(d.env.Shared(), a) }

func (d *Device) Way(gateway, prefix uint32) (cost uint32, ok bool) {
	set, cost := d.table.WayFor(d.env.Shared(), gateway, prefix)
	return cost, set != route.NoSet
}

// Interior is the best route of the table that is not BGP's.
func (d *Device) Interior(prefix uint32) (s route.Source, r route.Route, ok bool) {
	s, ok = d.table.Interior(prefix)
	return s, d.table.Route(s, prefix), ok
}

// InUse says whether the table uses a route for exactly this prefix, and whether
// that is BGP's.
func (d *Device) InUse(prefix uint32) (there, fromBGP bool) {
	s, ok := d.table.Best(prefix)
	return ok, ok && s == route.BGP
}

// AnyInUse says whether a policy accepts any route that the table uses.
func (d *Device) AnyInUse(p *policy.Policy) bool {
	for _, id := range d.Prefixes() {
		if source, ok := d.table.Best(id); ok {
			if r := d.policyRoute(source, id, d.env.Shared().Prefixes.Prefix(id)); p.Run(&r, nil) {
				return true
			}
		}
	}
	return false
}

// SourceRouteType is the kind of a route, in words, for policies.
func (d *Device) SourceRouteType(s route.Source, r route.Route) string {
	switch {
	case s == route.OSPF:
		return ospf.KindNames[r.Kind]
	case s == route.BGP:
		return bgp.KindNames[r.Kind]
	}
	return "local"
}
