package device

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/wire/inet"
	wire "hellebore/core/protocols/wire/tcp"
)

// Action is what a device did with a packet.
type Action uint8

// The actions of a trace.
const (
	Sent      Action = iota // made it
	Forwarded               // passed it on
	Delivered               // took it: it was for one of its addresses
	Dropped
)

var actionNames = [...]string{"sent", "forwarded", "delivered", "dropped"}

func (a Action) String() string { return actionNames[a] }

// Fate is what became of one ICMP or TCP packet at one device.
type Fate struct {
	At        event.Time
	Device    uint32
	Action    Action
	Reason    note.Code // why it was dropped
	Src, Dst  ip.Addr
	TTL       uint8 // that it left with, or came with
	Type      uint8 // of ICMP
	Code      uint8
	ID, Seq   uint16    // of the echo, or of the echo that an error quotes
	Protocol  uint8     // of the packet: ICMP, or TCP, of which Type are the flags, ID and Seq the ports
	Instance  uint16    // of the device, that did it
	In        store.Ref // port it came in on; none if made here
	Out       store.Ref // port it left by; none if it did not
	Gateway   ip.Addr
	Prefix    uint32 // number of the route's prefix, when Routed
	Routed    bool
	Paths     int // equal ones there were
	Connected bool
}

const defaultTTL = 64

// noPort is the port of a packet that is made here, or ends here.
const noPort store.Ref = 0

func notePort(r store.Ref) note.Port {
	if !r.IsValid() {
		return 0
	}
	return note.PortOf(r.Index())
}

// Send makes Instance an ospf.Host: routing packets go out of their port with TTL
// 1, whatever the table says (RFC 2328 A.1).
func (inst *Instance) Send(port uint32, dst ip.Addr, packet []byte, class event.Class) {
	p := &inst.device.ports[port]
	if !dst.Multicast() {
		head := inet.Packet{TOS: inet.TOSInternetControl, TTL: 1, Protocol: inet.ProtoOSPF, Src: p.addr, Dst: dst,
			Payload: packet}
		inst.device.output(port, dst, head.Append(nil), class)
		return
	}
	head := inet.Packet{TOS: inet.TOSInternetControl, TTL: 1, Protocol: inet.ProtoOSPF, Src: p.addr, Dst: dst}
	b := make([]byte, 0, inet.FrameHeader+inet.TagLen+inet.HeaderLen+len(packet))
	b = inst.device.header(b, port, inet.GroupMAC(dst), inet.TypeIPv4)
	b = head.AppendHeader(b, len(packet))
	inst.device.env.Transmit(inst.device.id, inst.device.Carries(port), append(b, packet...), class)
}

// SendFar sends a routing packet the way the table says, over several hops if
// need be (RFC 2328 15).
func (inst *Instance) SendFar(src, dst ip.Addr, packet []byte, class event.Class) {
	p := inet.Packet{TOS: inet.TOSInternetControl, TTL: defaultTTL, Protocol: inet.ProtoOSPF, Src: src, Dst: dst,
		Payload: packet}
	inst.forward(noPort, &p, class)
}

// Receive takes a frame that arrived at a port. Frames for somebody else, and
// frames at a port that is down, are not the device's.
func (d *Device) Receive(port uint32, b []byte) {
	f, ok := inet.ReadFrame(b)
	if !ok || !f.Dst.Group() && f.Dst != d.mac(port) {
		return
	}
	if port, ok = d.Tagged(port, f.VLAN); !ok || !d.ports[port].up {
		return
	}
	switch f.Type {
	case inet.TypeARP:
		d.receiveARP(port, f.Payload)
	case inet.TypeIPv4:
		d.InstanceOf(port).receiveIP(port, f.Payload)
	}
	d.InstanceOf(port).settle()
}

func (inst *Instance) receiveIP(port uint32, b []byte) {
	p, ok := inet.ReadPacket(b)
	switch {
	case !ok:
		inst.Note(note.Note{Kind: note.PacketDropped, Port: note.PortOf(port), Reason: note.Malformed})
	case p.Dst.Multicast():
		if p.Protocol == inet.ProtoOSPF {
			inst.ospf.Receive(inst, port, p.Src, p.Dst, p.Payload)
		}
	case inst.Answers(p.Dst):
		inst.deliver(store.RefTo(port), &p)
	case inst.device.config.Kind == config.Host:
		inst.drop(b, note.NotForThisHost, store.RefTo(port))
	case p.TTL <= 1:
		inst.unreachable(b, note.TTLExpired, inet.CodeNet, store.RefTo(port))
	default:
		p.TTL--
		inst.forward(store.RefTo(port), &p, event.Pending)
	}
}

// deliver takes a packet for one of this device's addresses.
func (inst *Instance) deliver(in store.Ref, p *inet.Packet) {
	inst.trace(p, Fate{Action: Delivered, In: in})
	switch p.Protocol {
	case inet.ProtoOSPF:
		if in.IsValid() {
			inst.ospf.Receive(inst, in.Index(), p.Src, p.Dst, p.Payload)
		}
	case inet.ProtoTCP:
		if why := inst.tcp.Receive(inst, p.Src, p.Dst, p.TTL, p.Payload, inst.segmentSize(p.Src)); why != note.None {
			inst.Note(note.Note{Kind: note.PacketDropped, Port: notePort(in), A: uint64(inst.Shared().Addrs.ID(p.Dst)),
				B: uint64(inst.Shared().Addrs.ID(p.Src)), Reason: why})
		}
	case inet.ProtoICMP:
		m, ok := inet.ReadICMP(p.Payload)
		if !ok || m.Type != inet.EchoRequest {
			return // replies and errors are for whoever traces
		}
		m.Type = inet.EchoReply
		reply := inet.Packet{TTL: defaultTTL, Protocol: inet.ProtoICMP, ID: p.ID, Src: p.Dst, Dst: p.Src,
			Payload: m.Append(nil)}
		inst.forward(noPort, &reply, event.Pending)
	}
}

// Salt is what this device's flow hashes begin with.
func (d *Device) Salt() uint64 { return d.rand(saltPurpose, 0) }

const saltPurpose = 1 << 20

// FlowPorts is what of a packet, beside addresses and protocol, distinguishes flows
// apart: an echo's identifier, the ports of TCP.
func flowPorts(p *inet.Packet) uint32 {
	if p.Protocol == inet.ProtoICMP && len(p.Payload) >= 8 &&
		(p.Payload[0] == inet.EchoRequest || p.Payload[0] == inet.EchoReply) {
		return uint32(p.Payload[4])<<8 | uint32(p.Payload[5])
	}
	if p.Protocol == inet.ProtoTCP && len(p.Payload) >= 4 { // the ports, in one order for both ways
		a, b := uint32(p.Payload[0])<<8|uint32(p.Payload[1]), uint32(p.Payload[2])<<8|uint32(p.Payload[3])
		return min(a, b)<<16 | max(a, b)
	}
	return 0
}

// forward sends a packet the way the table says. in is none for a packet made
// here.
func (inst *Instance) forward(in store.Ref, p *inet.Packet, class event.Class) {
	step := Fate{Action: Forwarded, In: in}
	if !in.IsValid() {
		step.Action = Sent
	}
	if inst.Answers(p.Dst) {
		inst.trace(p, step)
		inst.deliver(noPort, p)
		return
	}
	shared := inst.Shared()
	prefix, hop, ok := inst.table.Lookup(shared, p.Dst)
	if !ok {
		inst.unreachable(p.Append(nil), note.NoRoute, inet.CodeNet, in)
		return
	}
	step.Prefix, step.Routed = prefix, true
	set := inst.table.Set(hop)
	hops := shared.Sets.Hops(set)
	if set == route.Blackhole || len(hops) == 0 {
		inst.drop(p.Append(nil), note.Blackholed, in)
		return
	}
	way := route.Pick(hops, route.FlowHash(inst.device.Salt(), p.Src, p.Dst, p.Protocol, flowPorts(p)))
	step.Out, step.Gateway, step.Paths = store.RefTo(way.Port), way.Gateway, len(hops)
	to := way.Gateway
	if !to.IsValid() {
		to, step.Connected = p.Dst, true
	}
	inst.trace(p, step)
	// Where the packet crosses into another instance, it may be for one of that one's addresses.
	if over := inst.device.InstanceOf(way.Port); over != inst && over.Answers(p.Dst) {
		over.deliver(noPort, p)
		return
	}
	inst.device.output(way.Port, to, p.Append(nil), class)
}

// drop notes that a packet ends here.
func (inst *Instance) drop(b []byte, why note.Code, in store.Ref) {
	inst.dropAt(b, why, in, noPort, ip.Addr{})
}

// dropAt is drop behind a port, for want of an answer from a gateway there.
func (inst *Instance) dropAt(b []byte, why note.Code, in, out store.Ref, gateway ip.Addr) {
	p, ok := inet.ReadPacket(b)
	if !ok {
		return
	}
	inst.Note(note.Note{Kind: note.PacketDropped, Port: notePort(in), A: uint64(inst.Shared().Addrs.ID(p.Dst)),
		B: uint64(inst.Shared().Addrs.ID(p.Src)), Reason: why})
	inst.trace(&p, Fate{Action: Dropped, Reason: why, In: in, Out: out, Gateway: gateway})
}

// unreachable drops a packet and sends its source the reason, unless it was itself an
// ICMP error or the source is this device (RFC 1122 3.2.2).
func (inst *Instance) unreachable(b []byte, why note.Code, code uint8, in store.Ref) {
	inst.drop(b, why, in)
	inst.tellSource(b, why, code, in)
}

// tellSource sends the ICMP error about a dropped packet.
func (inst *Instance) tellSource(b []byte, why note.Code, code uint8, in store.Ref) {
	p, ok := inet.ReadPacket(b)
	if !ok || !p.Src.IsValid() || inst.Local(p.Src) {
		return
	}
	if p.Protocol == inet.ProtoICMP && len(p.Payload) > 0 && p.Payload[0] != inet.EchoRequest &&
		p.Payload[0] != inet.EchoReply {
		return
	}
	m := inet.ICMP{Type: inet.Unreachable, Code: code, Data: p.Quote()}
	if why == note.TTLExpired {
		m.Type, m.Code = inet.TimeExceeded, 0
	}
	// The error comes from the port by which the packet came, so that its
	// receiver learns the way it took.
	var src ip.Addr
	if in.IsValid() {
		src = inst.device.ports[in.Index()].addr
	}
	if !src.IsValid() {
		src = inst.SourceFor(p.Src)
	}
	if !src.IsValid() {
		return
	}
	reply := inet.Packet{TTL: defaultTTL, Protocol: inet.ProtoICMP, Src: src, Dst: p.Src, Payload: m.Append(nil)}
	inst.forward(noPort, &reply, event.Pending)
}

// SourceFor is the address of the port by which packets to a leave, or of the
// first loopback for one of our own addresses.
func (inst *Instance) SourceFor(a ip.Addr) ip.Addr {
	if inst.Local(a) {
		return a
	}
	shared := inst.Shared()
	_, hop, ok := inst.table.Lookup(shared, a)
	if ok {
		if hops := shared.Sets.Hops(inst.table.Set(hop)); len(hops) > 0 {
			return inst.AddressBy(hops[0].Port)
		}
	}
	return ip.AddrFrom(inst.device.config.AddressIn(inst.name))
}

// Echo sends an ICMP echo request. A src of 0 lets the device choose: the
// address of the port by which it leaves.
func (inst *Instance) Echo(src, dst ip.Addr, ttl uint8, id, seq uint16) {
	if !src.IsValid() {
		src = inst.SourceFor(dst)
	}
	m := inet.ICMP{Type: inet.EchoRequest, ID: id, Seq: seq, Data: make([]byte, 32)}
	p := inet.Packet{TTL: ttl, Protocol: inet.ProtoICMP, ID: seq, Src: src, Dst: dst, Payload: m.Append(nil)}
	inst.forward(noPort, &p, event.Pending)
	inst.settle()
}

// trace passes on to whoever traces what became of an ICMP or TCP packet.
func (inst *Instance) trace(p *inet.Packet, s Fate) {
	d := inst.device
	if !d.env.Tracing() {
		return
	}
	s.Instance = inst.number
	s.Protocol = p.Protocol
	if p.Protocol == inet.ProtoTCP {
		if g, ok := wire.Read(p.Payload, p.Src, p.Dst); ok {
			s.At, s.Device = d.env.Now(), d.id
			s.Src, s.Dst, s.TTL, s.Type, s.ID, s.Seq = p.Src, p.Dst, p.TTL, g.Flags, g.SrcPort, g.DstPort
			d.env.Trace(s)
		}
		return
	}
	if p.Protocol != inet.ProtoICMP {
		return
	}
	m, ok := inet.ReadICMP(p.Payload)
	if !ok {
		return
	}
	s.At, s.Device = d.env.Now(), d.id
	s.Src, s.Dst, s.TTL, s.Type, s.Code, s.ID, s.Seq = p.Src, p.Dst, p.TTL, m.Type, m.Code, m.ID, m.Seq
	if m.Type == inet.Unreachable || m.Type == inet.TimeExceeded {
		// Identifier and sequence are in what the error quotes.
		if q, ok := inet.ReadQuote(m.Data); ok && len(q.Payload) >= 8 {
			s.ID = uint16(q.Payload[4])<<8 | uint16(q.Payload[5])
			s.Seq = uint16(q.Payload[6])<<8 | uint16(q.Payload[7])
		}
	}
	d.env.Trace(s)
}
