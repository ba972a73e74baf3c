package device

import (
	"hellebore/core/event"
	"hellebore/core/tcp"
	"hellebore/core/wire/ip"
	wire "hellebore/core/wire/tcp"
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
	d.tcp.Listen(ports)
}

// Connect opens a TCP connection. A src of 0 lets the device choose: the address
// of the port by which it leaves.
func (d *Device) Connect(src, dst ip.Addr, port uint16) (id uint32) {
	if src == 0 {
		src = d.sourceFor(dst)
	}
	id = d.tcp.Open(d, src, dst, port, d.segmentSize(dst))
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
func (d *Device) SendTCP(src, dst ip.Addr, segment []byte) {
	if d.Local(dst) {
		return
	}
	p := ip.Packet{TTL: defaultTTL, Protocol: ip.ProtoTCP, Src: src, Dst: dst, Payload: segment}
	d.forward(NoPort, &p, event.Pending)
}

// Connection is told of a change of a connection: one that the other end opened
// to a service and closes is closed from here too.
func (d *Device) Connection(id uint32, news tcp.News) {
	switch news {
	case tcp.Arrived:
		d.tcp.Read(d, id)
	case tcp.Ended:
		d.tcp.Close(d, id)
	}
}
