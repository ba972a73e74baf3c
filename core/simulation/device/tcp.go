package device

import (
	"hellebore/core/ground/event"
	"hellebore/core/language/config"
	"hellebore/core/protocols/tcp"
	bgpwire "hellebore/core/protocols/wire/bgp"
	"hellebore/core/protocols/wire/ip"
	wire "hellebore/core/protocols/wire/tcp"
)

// What a device does with TCP: it forwards segments like any packet, takes
// connections on the ports of its services, and opens them for whoever asks.

// syncServices makes TCP listen on the ports of the services.
func (d *Device) syncServices() {
	if !d.Enabled() {
		d.tcp.Stop(d)
		d.tcp.Listen(nil)
		return
	}
	var ports []uint16
	for _, s := range d.config.Services {
		ports = append(ports, s.Port)
	}
	if d.config.Kind == config.Router {
		ports = append(ports, bgpwire.Port)
	}
	d.tcp.Listen(ports)
}

// Connect opens a TCP connection. A src of 0 lets the device choose: the address
// of the port by which it leaves.
func (d *Device) Connect(src, dst ip.Addr, port uint16) (id uint32) {
	if src == 0 {
		src = d.sourceFor(dst)
	}
	id = d.tcp.Open(d, src, dst, port, d.segmentSize(dst), tcp.Terms{TTL: defaultTTL})
	d.settle()
	return id
}

// Disconnect closes a TCP connection.
func (d *Device) Disconnect(id uint32) {
	d.tcp.Close(d, id)
	d.settle()
}

// segmentSize is what a segment to an address may carry: the MTU of the port by
// which it leaves, without the headers (RFC 9293 3.7.1).
func (d *Device) segmentSize(to ip.Addr) uint16 {
	mtu := uint16(1500)
	if _, hop, ok := d.table.Lookup(d.env.Shared(), to); ok {
		if hops := d.env.Shared().Sets.Hops(d.table.Set(hop)); len(hops) > 0 {
			mtu = d.ports[hops[0].Port].Config.MTU
		}
	}
	return mtu - ip.HeaderLen - wire.HeaderLen
}

// SendTCP makes Device a tcp.Host. A device does not talk to itself by TCP: what
// is for one of its own addresses goes nowhere.
func (d *Device) SendTCP(src, dst ip.Addr, ttl uint8, segment []byte) {
	if d.Local(dst) {
		return
	}
	p := ip.Packet{TTL: ttl, Protocol: ip.ProtoTCP, Src: src, Dst: dst, Payload: segment}
	d.forward(NoPort, &p, event.Pending)
}

// Admits says whether a connection to a port that is listened on is taken: to a
// service by whoever comes, to BGP only by peers.
func (d *Device) Admits(src, dst ip.Addr, port uint16) (terms tcp.Terms, ok bool) {
	if port == bgpwire.Port && d.config.Kind == config.Router {
		return d.bgp.Accepts(d, src, dst)
	}
	return tcp.Terms{TTL: defaultTTL}, true
}

// Connection is the news of a change of a connection: BGP's are its own affair; one
// that the other end opened to a service and closes is closed from here too.
func (d *Device) Connection(id uint32, news tcp.News) {
	if d.bgpConnection(id, news) {
		return
	}
	switch news {
	case tcp.Arrived:
		d.tcp.Read(d, id)
	case tcp.Ended:
		d.tcp.Close(d, id)
	}
}
