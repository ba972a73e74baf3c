// Package capture reads the frames of a link, each layer of a packet field by field.
package capture

import (
	"slices"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/wire/inet"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/protocols/wire/tcp"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Layer is a part of a packet: a header, a body, an LSA.
type Layer struct {
	Name   string        `json:"name"`
	RFC    string        `json:"rfc,omitempty" doc:"where the format is defined"`
	Fields []facts.Field `json:"fields"`
}

// Packet is a frame that a port sent.
type Packet struct {
	At       float64  `json:"at" doc:"seconds since the lab began"`
	From     string   `json:"from" doc:"the port that sent it"`
	To       []string `json:"to" doc:"the ports that it is for"`
	Protocol string   `json:"protocol" enum:"OSPF,BGP,ARP,ICMP,TCP,IPv4,other"`
	Kind     string   `json:"kind" doc:"the packet's type by its RFC name"`
	Says     string   `json:"says" doc:"its contents in a few words"`
	Bytes    int      `json:"bytes"`
	Layers   []Layer  `json:"layers"`
}

// KindCount is how many packets there are of a kind.
type KindCount struct {
	Kind  string `json:"kind"`
	Count int    `json:"count"`
}

// Packets are the exchanges on a link or segment over a stretch of time.
type Packets struct {
	Name    string      `json:"name" doc:"the link or segment"`
	Ports   []string    `json:"ports" doc:"its ends"`
	From    float64     `json:"from" doc:"seconds since the lab began"`
	To      float64     `json:"to"`
	Kinds   []KindCount `json:"kinds" doc:"of all packets in the stretch, shown or not"`
	Packets []Packet    `json:"packets" doc:"packets of the requested kinds, the earliest first"`
	Omitted int         `json:"omitted" doc:"packets beyond the bound of what is shown"`
}

// maxPackets bounds the packets that are shown at once.
const maxPackets = 400

// PacketsOf are the frames on what a port is joined to, between two moments. If
// kinds are given, only packets of these are shown.
func PacketsOf(h *history.History, w *network.World, dev, port uint32, from, to event.Time, kinds []string,
	stop func() bool) (Packets, error) {
	out := Packets{Ports: []string{}, Kinds: []KindCount{}, Packets: []Packet{}, From: from.Seconds(), To: to.Seconds()}
	m, _, ok := w.MediumOf(dev, port)
	if !ok {
		return out, phrase.Errorf("%s is not joined to anything", facts.PortName(w.Device(dev), port))
	}
	type end struct{ device, port uint32 }
	ends := map[end]int{}
	for i, e := range m.Ends {
		ends[end{e.Device, e.Port}] = i
		out.Ports = append(out.Ports, facts.PortName(w.Device(e.Device), e.Port))
	}
	out.Name = strings.Join(out.Ports, phrase.Text(" and "))
	if m.Kind == network.Segment {
		out.Name = phrase.Say("segment %s", m.Name)
	}
	r := reader{w: w, owners: facts.RouterIDs(w, w.Device(dev).InstanceOf(port)), inst: w.Device(dev).InstanceOf(port)}
	counts := map[string]int{}
	err := h.Frames(from, to, func(f history.Frame) {
		at, here := ends[end{f.Device, f.Port}]
		if !here {
			return
		}
		kind := KindOf(f.Bytes)
		counts[kind]++
		switch {
		case len(kinds) > 0 && !slices.Contains(kinds, kind):
		case len(out.Packets) == maxPackets:
			out.Omitted++
		default:
			p := r.read(f.Bytes)
			p.At, p.From, p.Kind, p.To = f.At.Seconds(), out.Ports[at], kind, []string{}
			dst := inet.MAC(f.Bytes[:6])
			for i, e := range m.Ends {
				if i != at && (dst.Group() || dst == inet.PortMAC(e.Device, uint16(e.Port))) {
					p.To = append(p.To, out.Ports[i])
				}
			}
			out.Packets = append(out.Packets, p)
		}
	}, stop)
	for kind, n := range counts {
		out.Kinds = append(out.Kinds, KindCount{kind, n})
	}
	slices.SortFunc(out.Kinds, func(a, b KindCount) int { return strings.Compare(a.Kind, b.Kind) })
	return out, err
}

// KindOf names a frame's packet without reading all of it.
func KindOf(b []byte) string {
	f, ok := inet.ReadFrame(b)
	if !ok {
		return "unreadable"
	}
	if f.Type == inet.TypeARP {
		if a, ok := inet.ReadARP(f.Payload); ok && a.Op == inet.ARPReply {
			return "ARP reply"
		}
		return "ARP request"
	}
	p, ok := inet.ReadPacket(f.Payload)
	if !ok {
		return "unreadable"
	}
	switch p.Protocol {
	case inet.ProtoOSPF:
		if head, fail := wire.Read(p.Payload); fail == wire.OK && int(head.Type) < len(wire.TypeName) {
			return wire.TypeName[head.Type]
		}
	case inet.ProtoICMP:
		if m, ok := inet.ReadICMP(p.Payload); ok {
			return facts.ICMPWords(m.Type, m.Code)
		}
	case inet.ProtoTCP:
		if g, ok := tcp.Read(p.Payload, p.Src, p.Dst); ok {
			if kind := bgpKind(&g); kind != "" {
				return kind
			}
			return "TCP " + g.Words()
		}
	default:
		return "IPv4"
	}
	return "unreadable"
}
