package capture

import (
	"fmt"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/wire/inet"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/protocols/wire/tcp"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// reader decodes packets to their last field.
type reader struct {
	w      *network.World
	inst   *device.Instance // that the packets are seen from
	owners facts.Routers
	layers []Layer
}

func (r *reader) layer(name, rfc string) {
	r.layers = append(r.layers, Layer{phrase.Text(name), rfc, []facts.Field{}})
}

func (r *reader) field(name, format string, args ...any) {
	l := &r.layers[len(r.layers)-1]
	l.Fields = append(l.Fields, facts.Field{Name: phrase.Text(name), Value: phrase.Say(format, args...)})
}

func (r *reader) named(id ip.Quad) string {
	if inst := r.owners[id]; inst != nil {
		return fmt.Sprintf("%v (%s)", id, inst.Ref())
	}
	return id.String()
}

func (r *reader) holder(a ip.Addr) string {
	if !a.IsValid() {
		return phrase.Text("none")
	}
	if far := r.w.Holder(r.inst, a); far != nil {
		return fmt.Sprintf("%v (%s)", a, far.Ref())
	}
	return a.String()
}

func macWords(m inet.MAC) string {
	return fmt.Sprintf("%02x:%02x:%02x:%02x:%02x:%02x", m[0], m[1], m[2], m[3], m[4], m[5])
}

func (r *reader) read(b []byte) Packet {
	r.layers = []Layer{}
	out := Packet{Protocol: "other", Bytes: len(b)}
	f, ok := inet.ReadFrame(b)
	if ok {
		r.layer("Ethernet", "894")
		r.field("destination", "%s", macWords(f.Dst))
		r.field("source", "%s", macWords(f.Src))
		if f.VLAN != 0 {
			r.field("802.1Q tag", "%d", f.VLAN)
		}
		r.field("type", "%#04x", f.Type)
		switch f.Type {
		case inet.TypeARP:
			out.Protocol = "ARP"
			out.Says = r.arp(f.Payload)
		case inet.TypeIPv4:
			out.Protocol, out.Says = r.ipv4(f.Payload)
		}
	}
	out.Layers = r.layers
	return out
}

func (r *reader) arp(b []byte) string {
	a, ok := inet.ReadARP(b)
	if !ok {
		return "unreadable"
	}
	r.layer("ARP", "826")
	r.field("operation", "%s", map[bool]string{true: "reply", false: "request"}[a.Op == inet.ARPReply])
	r.field("sender", "%v at %s", a.Sender, macWords(a.SenderMAC))
	r.field("target", "%v at %s", a.Target, macWords(a.TargetMAC))
	if a.Op == inet.ARPReply {
		return phrase.Say("%v is at %s", a.Sender, macWords(a.SenderMAC))
	}
	return phrase.Say("who has %v? asks %v", a.Target, a.Sender)
}

func (r *reader) ipv4(b []byte) (protocol, says string) {
	p, ok := inet.ReadPacket(b)
	if !ok {
		return "IPv4", "unreadable"
	}
	r.layer("IPv4", "791")
	r.field("source", "%s", r.holder(p.Src))
	r.field("destination", "%s", destinationWords(r, p.Dst))
	r.field("time to live", "%d", p.TTL)
	r.field("type of service", "%#02x", p.TOS)
	r.field("protocol", "%d", p.Protocol)
	r.field("identification", "%d", p.ID)
	switch p.Protocol {
	case inet.ProtoOSPF:
		return "OSPF", r.ospf(p.Payload)
	case inet.ProtoICMP:
		m, ok := inet.ReadICMP(p.Payload)
		if !ok {
			return "ICMP", "unreadable"
		}
		r.layer("ICMP", "792")
		r.field("type", "%d, code %d: %s", m.Type, m.Code, facts.ICMPWords(m.Type, m.Code))
		if m.Type == inet.EchoRequest || m.Type == inet.EchoReply {
			r.field("identifier", "%d", m.ID)
			r.field("sequence", "%d", m.Seq)
		}
		return "ICMP", phrase.Say("%s, %v to %v", facts.ICMPWords(m.Type, m.Code), p.Src, p.Dst)
	case inet.ProtoTCP:
		if g, ok := tcp.Read(p.Payload, p.Src, p.Dst); ok && bgpKind(&g) != "" {
			return "BGP", r.tcp(&p)
		}
		return "TCP", r.tcp(&p)
	}
	return "IPv4", phrase.Say("protocol %d, %v to %v", p.Protocol, p.Src, p.Dst)
}

func (r *reader) tcp(p *inet.Packet) string {
	g, ok := tcp.Read(p.Payload, p.Src, p.Dst)
	if !ok {
		return "unreadable"
	}
	r.layer("TCP", "9293 3.1")
	r.field("source port", "%d", g.SrcPort)
	r.field("destination port", "%d", g.DstPort)
	r.field("sequence number", "%d", g.Seq)
	r.field("acknowledgment", "%d", g.Ack)
	r.field("flags", "%s", g.Words())
	r.field("window", "%d", g.Window)
	if g.Digest != nil {
		r.field("MD5 signature", "%x", g.Digest)
	}
	if g.MSS != 0 {
		r.field("maximum segment size", "%d bytes", g.MSS)
	}
	r.field("payload", "%d bytes", len(g.Payload))
	if bgpKind(&g) != "" {
		return r.bgp(g.Payload)
	}
	return phrase.Say("port %d to %d, %s", g.SrcPort, g.DstPort, phrase.Plural(len(g.Payload), "byte"))
}

func destinationWords(r *reader, a ip.Addr) string {
	switch a {
	case wire.AllSPFRouters:
		return a.String() + " (AllSPFRouters)"
	case wire.AllDRouters:
		return a.String() + " (AllDRouters)"
	}
	return r.holder(a)
}
