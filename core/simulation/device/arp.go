package device

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/protocols/wire/inet"
)

// neighbour is an ARP entry: an address on a port, and who answers for it.
type neighbour struct {
	port    uint32
	addr    ip.Addr
	mac     inet.MAC
	known   bool
	learned event.Time
	tries   int
	timer   event.Timer
	waiting []waiting // packets that wait for an answer; copied on change
}

type waiting struct {
	packet []byte // an IP packet
	class  event.Class
}

// ARP's intervals, which RFC 826 leaves open: RFC 1122 2.3.2.1 asks for at most
// one request a second and for entries that time out.
const (
	arpRetry   = event.Second
	arpTries   = 3
	arpAge     = 20 * 60 * event.Second
	arpWaiting = 8 // packets that wait for one address
)

func (d *Device) findARP(port uint32, a ip.Addr) int {
	return slices.IndexFunc(d.arp, func(n neighbour) bool { return n.port == port && n.addr == a })
}

// output sends an IP packet out of a port, to the station that has the address
// to; it waits for ARP if need be.
func (d *Device) output(port uint32, to ip.Addr, packet []byte, class event.Class) {
	if to.Multicast() {
		d.frame(port, inet.GroupMAC(to), inet.TypeIPv4, packet, class)
		return
	}
	i := d.findARP(port, to)
	if i < 0 {
		d.arp = append(d.arp, neighbour{port: port, addr: to})
		i = len(d.arp) - 1
	}
	n := &d.arp[i]
	if n.known && d.env.Now()-n.learned < arpAge {
		d.frame(port, n.mac, inet.TypeIPv4, packet, class)
		return
	}
	if len(n.waiting) == arpWaiting {
		d.InstanceOf(port).dropAt(packet, note.QueuedTooLong, noPort, store.RefTo(port), to)
		return
	}
	n.waiting = append(slices.Clone(n.waiting), waiting{packet, class})
	if !n.timer.Running() {
		n.tries = 0
		d.askARP(i)
	}
}

func (d *Device) askARP(i int) {
	n := &d.arp[i]
	n.tries++
	p := &d.ports[n.port]
	ask := inet.ARP{Op: inet.ARPRequest, SenderMAC: d.mac(n.port), Sender: p.addr, Target: n.addr}
	d.frame(n.port, inet.Broadcast, inet.TypeARP, ask.Append(nil), event.Pending)
	n.timer.Set(d, d.env.Now()+arpRetry, arpTimer, event.Pending, n.port, d.env.Shared().Addrs.ID(n.addr))
}

func (d *Device) arpExpired(e *event.Event) {
	addr := d.env.Shared().Addrs.Addr(e.B)
	i := d.findARP(e.A, addr)
	if i < 0 || !d.arp[i].timer.Fired(d, e) {
		return
	}
	n := &d.arp[i]
	if n.tries < arpTries {
		d.askARP(i)
		return
	}
	inst := d.InstanceOf(e.A)
	inst.Note(note.Note{Kind: note.AddressUnresolved, Port: note.PortOf(n.port), A: uint64(inst.Shared().Addrs.ID(n.addr))})
	for _, w := range n.waiting {
		inst.dropAt(w.packet, note.NoAnswerToARP, noPort, store.RefTo(e.A), addr)
		inst.tellSource(w.packet, note.NoAnswerToARP, inet.CodeHost, noPort)
	}
	i = d.findARP(e.A, addr) // the errors may have made entries of their own
	d.arp[i].waiting = nil
}

// receiveARP is RFC 826's "packet reception".
func (d *Device) receiveARP(port uint32, b []byte) {
	a, ok := inet.ReadARP(b)
	if !ok {
		return
	}
	p := &d.ports[port]
	mine := p.addr.IsValid() && a.Target == p.addr
	i := d.findARP(port, a.Sender)
	if i < 0 && mine && a.Sender.IsValid() {
		d.arp = append(d.arp, neighbour{port: port, addr: a.Sender})
		i = len(d.arp) - 1
	}
	if i >= 0 {
		n := &d.arp[i]
		n.mac, n.known, n.learned = a.SenderMAC, true, d.env.Now()
		n.timer.Stop(d, event.Pending)
		ready := n.waiting
		n.waiting = nil
		for _, w := range ready {
			d.frame(port, a.SenderMAC, inet.TypeIPv4, w.packet, w.class)
		}
	}
	if mine && a.Op == inet.ARPRequest {
		reply := inet.ARP{Op: inet.ARPReply, SenderMAC: d.mac(port), Sender: p.addr,
			TargetMAC: a.SenderMAC, Target: a.Sender}
		d.frame(port, a.SenderMAC, inet.TypeARP, reply.Append(nil), event.Pending)
	}
}

// dropNeighbours forgets the ARP entries of a port that went down. Entries keep
// their place while a timer's event may still come for them.
func (d *Device) dropNeighbours(port uint32) {
	d.arp = slices.DeleteFunc(d.arp, func(n neighbour) bool {
		if n.port != port {
			return false
		}
		n.timer.Stop(d, event.Pending)
		return true
	})
}

// mac is the Ethernet address of a port; a sub-port has that of its port.
func (d *Device) mac(port uint32) inet.MAC { return inet.PortMAC(d.id, uint16(d.Carries(port))) }

// header appends the Ethernet header of a frame from a port, tagged if the port
// is a sub-port.
func (d *Device) header(b []byte, port uint32, dst inet.MAC, etherType uint16) []byte {
	if tag := d.ports[port].Config.VLAN; tag != 0 {
		b = inet.AppendFrameHeader(b, dst, d.mac(port), inet.TypeVLAN)
		return append(b, byte(tag>>8), byte(tag), byte(etherType>>8), byte(etherType))
	}
	return inet.AppendFrameHeader(b, dst, d.mac(port), etherType)
}

func (d *Device) frame(port uint32, dst inet.MAC, etherType uint16, payload []byte, class event.Class) {
	b := d.header(make([]byte, 0, inet.FrameHeader+inet.TagLen+len(payload)), port, dst, etherType)
	d.env.Transmit(d.id, d.Carries(port), append(b, payload...), class)
}
