package device

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
	"hellebore/core/protocols/tcp"
	bgpwire "hellebore/core/protocols/wire/bgp"
	"hellebore/core/protocols/wire/inet"
	wire "hellebore/core/protocols/wire/tcp"
)

// What a device does with TCP: it forwards segments like any packet, takes
// connections on the ports of its services, and opens them for whoever asks.

// syncServices makes TCP listen on the ports of the services.
func (inst *Instance) syncServices() {
	if !inst.device.Enabled() {
		inst.tcp.Stop(inst)
		inst.tcp.Listen(nil)
		return
	}
	var ports []uint16
	for _, s := range inst.device.config.Services {
		ports = append(ports, s.Port)
	}
	if inst.device.config.Kind == config.Router {
		ports = append(ports, bgpwire.Port)
	}
	inst.tcp.Listen(ports)
}

// Connect opens a TCP connection. A src of 0 lets the device choose: the address
// of the port by which it leaves.
func (inst *Instance) Connect(src, dst ip.Addr, port uint16) (id uint32) {
	if !src.IsValid() {
		src = inst.SourceFor(dst)
	}
	id = inst.tcp.Open(inst, src, dst, port, inst.segmentSize(dst), tcp.Terms{TTL: defaultTTL})
	inst.settle()
	return id
}

// Disconnect closes a TCP connection.
func (inst *Instance) Disconnect(id uint32) {
	inst.tcp.Close(inst, id)
	inst.settle()
}

// segmentSize is what a segment to an address may carry: the MTU of the port by
// which it leaves, without the headers (RFC 9293 3.7.1).
func (inst *Instance) segmentSize(to ip.Addr) uint16 {
	mtu := uint16(1500)
	if _, hop, ok := inst.table.Lookup(inst.Shared(), to); ok {
		if hops := inst.Shared().Sets.Hops(inst.table.Set(hop)); len(hops) > 0 {
			mtu = inst.device.ports[hops[0].Port].Config.MTU
		}
	}
	return mtu - inet.HeaderLen - wire.HeaderLen
}

// SendTCP makes Device a tcp.Host. A device does not talk to itself by TCP: what
// is for one of its own addresses goes nowhere.
func (inst *Instance) SendTCP(src, dst ip.Addr, ttl uint8, segment []byte) {
	if inst.Local(dst) {
		return
	}
	p := inet.Packet{TTL: ttl, Protocol: inet.ProtoTCP, Src: src, Dst: dst, Payload: segment}
	inst.forward(noPort, &p, event.Pending)
}

// Admits says whether a connection to a port that is listened on is taken: to a
// service by whoever comes, to BGP only by peers.
func (inst *Instance) Admits(src, dst ip.Addr, port uint16) (terms tcp.Terms, ok bool) {
	if port == bgpwire.Port && inst.device.config.Kind == config.Router {
		return inst.bgp.Accepts(inst, src, dst)
	}
	return tcp.Terms{TTL: defaultTTL}, true
}

// Connection is the news of a change of a connection: BGP's are its own affair; one
// that the other end opened to a service and closes is closed from here too.
func (inst *Instance) Connection(id uint32, news tcp.News) {
	if inst.bgpConnection(id, news) {
		return
	}
	switch news {
	case tcp.Arrived:
		inst.tcp.Read(inst, id)
	case tcp.Ended:
		inst.tcp.Close(inst, id)
	}
}
