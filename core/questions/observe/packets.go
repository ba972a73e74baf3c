package observe

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/wire/ip"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/protocols/wire/tcp"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Layer is a part of a packet: a header, a body, an LSA.
type Layer struct {
	Name   string  `json:"name"`
	RFC    string  `json:"rfc,omitempty" doc:"where the format is defined"`
	Fields []Field `json:"fields"`
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
	Packets []Packet    `json:"packets" doc:"those of the kinds asked for, in order of time"`
	Omitted int         `json:"omitted" doc:"packets beyond the bound of what is shown"`
}

// maxPackets bounds the packets that are shown at once.
const maxPackets = 400

// PacketsOf are the frames on what a port is joined to, between two moments. If
// kinds are given, only packets of these are shown.
func PacketsOf(h *history.History, w *network.World, dev, port uint32, from, to event.Time, kinds []string, stop func() bool) (Packets, error) {
	out := Packets{Ports: []string{}, Kinds: []KindCount{}, Packets: []Packet{}, From: from.Seconds(), To: to.Seconds()}
	m, _, ok := w.MediumOf(dev, port)
	if !ok {
		return out, fmt.Errorf("%s is not joined to anything", ref(w.Device(dev), port))
	}
	type end struct{ device, port uint32 }
	ends := map[end]int{}
	for i, e := range m.Ends {
		ends[end{e.Device, e.Port}] = i
		out.Ports = append(out.Ports, ref(w.Device(e.Device), e.Port))
	}
	out.Name = strings.Join(out.Ports, " and ")
	if m.Kind == network.Segment {
		out.Name = "segment " + m.Name
	}
	r := reader{w: w, owners: routerIDs(w)}
	counts := map[string]int{}
	err := h.Frames(from, to, func(f history.Frame) {
		at, here := ends[end{f.Device, f.Port}]
		if !here {
			return
		}
		kind := kindOf(f.Bytes)
		counts[kind]++
		switch {
		case len(kinds) > 0 && !slices.Contains(kinds, kind):
		case len(out.Packets) == maxPackets:
			out.Omitted++
		default:
			p := r.read(f.Bytes)
			p.At, p.From, p.Kind, p.To = f.At.Seconds(), out.Ports[at], kind, []string{}
			dst := ip.MAC(f.Bytes[:6])
			for i, e := range m.Ends {
				if i != at && (dst.Group() || dst == ip.PortMAC(e.Device, uint16(e.Port))) {
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

// kindOf names a frame's packet without reading all of it.
func kindOf(b []byte) string {
	f, ok := ip.ReadFrame(b)
	if !ok {
		return "unreadable"
	}
	if f.Type == ip.TypeARP {
		if a, ok := ip.ReadARP(f.Payload); ok && a.Op == ip.ARPReply {
			return "ARP reply"
		}
		return "ARP request"
	}
	p, ok := ip.ReadPacket(f.Payload)
	if !ok {
		return "unreadable"
	}
	switch p.Protocol {
	case ip.ProtoOSPF:
		if head, fail := wire.Read(p.Payload); fail == wire.OK && int(head.Type) < len(wire.TypeName) {
			return wire.TypeName[head.Type]
		}
	case ip.ProtoICMP:
		if m, ok := ip.ReadICMP(p.Payload); ok {
			return typeWords(m.Type, m.Code)
		}
	case ip.ProtoTCP:
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

// reader decodes packets to their last field.
type reader struct {
	w      *network.World
	owners map[ip.Addr]*device.Device
	layers []Layer
}

func (r *reader) layer(name, rfc string) { r.layers = append(r.layers, Layer{name, rfc, []Field{}}) }

func (r *reader) field(name, format string, args ...any) {
	l := &r.layers[len(r.layers)-1]
	l.Fields = append(l.Fields, Field{name, fmt.Sprintf(format, args...)})
}

func (r *reader) named(id ip.Addr) string {
	if d := r.owners[id]; d != nil {
		return fmt.Sprintf("%v (%s)", id, d.Name())
	}
	return id.String()
}

func (r *reader) holder(a ip.Addr) string {
	if a == 0 {
		return "none"
	}
	if d := r.w.Owner(a); d != nil {
		return fmt.Sprintf("%v (%s)", a, d.Name())
	}
	return a.String()
}

func macWords(m ip.MAC) string {
	return fmt.Sprintf("%02x:%02x:%02x:%02x:%02x:%02x", m[0], m[1], m[2], m[3], m[4], m[5])
}

func (r *reader) read(b []byte) Packet {
	r.layers = []Layer{}
	out := Packet{Protocol: "other", Bytes: len(b)}
	f, ok := ip.ReadFrame(b)
	if ok {
		r.layer("Ethernet", "894")
		r.field("destination", "%s", macWords(f.Dst))
		r.field("source", "%s", macWords(f.Src))
		if f.VLAN != 0 {
			r.field("802.1Q tag", "%d", f.VLAN)
		}
		r.field("type", "%#04x", f.Type)
		switch f.Type {
		case ip.TypeARP:
			out.Protocol = "ARP"
			out.Says = r.arp(f.Payload)
		case ip.TypeIPv4:
			out.Protocol, out.Says = r.ipv4(f.Payload)
		}
	}
	out.Layers = r.layers
	return out
}

func (r *reader) arp(b []byte) string {
	a, ok := ip.ReadARP(b)
	if !ok {
		return "unreadable"
	}
	r.layer("ARP", "826")
	r.field("operation", "%s", map[bool]string{true: "reply", false: "request"}[a.Op == ip.ARPReply])
	r.field("sender", "%v at %s", a.Sender, macWords(a.SenderMAC))
	r.field("target", "%v at %s", a.Target, macWords(a.TargetMAC))
	if a.Op == ip.ARPReply {
		return fmt.Sprintf("%v is at %s", a.Sender, macWords(a.SenderMAC))
	}
	return fmt.Sprintf("who has %v? asks %v", a.Target, a.Sender)
}

func (r *reader) ipv4(b []byte) (protocol, says string) {
	p, ok := ip.ReadPacket(b)
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
	case ip.ProtoOSPF:
		return "OSPF", r.ospf(p.Payload)
	case ip.ProtoICMP:
		m, ok := ip.ReadICMP(p.Payload)
		if !ok {
			return "ICMP", "unreadable"
		}
		r.layer("ICMP", "792")
		r.field("type", "%d, code %d: %s", m.Type, m.Code, typeWords(m.Type, m.Code))
		if m.Type == ip.EchoRequest || m.Type == ip.EchoReply {
			r.field("identifier", "%d", m.ID)
			r.field("sequence", "%d", m.Seq)
		}
		return "ICMP", fmt.Sprintf("%s, %v to %v", typeWords(m.Type, m.Code), p.Src, p.Dst)
	case ip.ProtoTCP:
		if g, ok := tcp.Read(p.Payload, p.Src, p.Dst); ok && bgpKind(&g) != "" {
			return "BGP", r.tcp(&p)
		}
		return "TCP", r.tcp(&p)
	}
	return "IPv4", fmt.Sprintf("protocol %d, %v to %v", p.Protocol, p.Src, p.Dst)
}

func (r *reader) tcp(p *ip.Packet) string {
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
	return fmt.Sprintf("port %d to %d, %s", g.SrcPort, g.DstPort, plural(len(g.Payload), "byte"))
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

func (r *reader) ospf(b []byte) string {
	head, fail := wire.Read(b)
	if fail != wire.OK {
		return "unreadable"
	}
	r.layer("OSPF header", "2328 A.3.1")
	r.field("version", "2")
	r.field("type", "%d", head.Type)
	r.field("packet length", "%d bytes", len(head.Raw))
	r.field("router ID", "%s", r.named(head.RouterID))
	r.field("area ID", "%v", ip.Addr(head.Area))
	r.field("authentication type", "%d", head.AuType)
	if head.AuType == wire.AuthCryptographic {
		r.field("key ID", "%d", head.KeyID())
		r.field("cryptographic sequence", "%d", head.Sequence())
		r.field("digest", "%d bytes", len(head.Trailer))
	}
	switch head.Type {
	case wire.TypeHello:
		return r.hello(head.Body)
	case wire.TypeDD:
		return r.dd(head.Body)
	case wire.TypeRequest:
		return r.request(head.Body)
	case wire.TypeUpdate:
		return r.update(head.Body)
	case wire.TypeAck:
		r.layer("Link State Acknowledgment", "2328 A.3.6")
		return "acknowledges " + r.headers(head.Body)
	}
	return "unreadable"
}

func (r *reader) hello(b []byte) string {
	h, ok := wire.ReadHello(b)
	if !ok {
		return "unreadable"
	}
	r.layer("Hello", "2328 A.3.2")
	n, _ := ip.MaskLen(h.Mask)
	r.field("network mask", "/%d", n)
	r.field("hello interval", "%d s", h.Interval)
	r.field("options", "%s", helloOptionWords(h.Options))
	r.field("priority", "%d", h.Priority)
	r.field("router dead interval", "%d s", h.DeadInterval)
	r.field("designated router", "%s", r.holder(h.DR))
	r.field("backup designated router", "%s", r.holder(h.BDR))
	var names []string
	for list := h.Neighbours; len(list) >= 4; list = list[4:] {
		id := ip.Addr(list[0])<<24 | ip.Addr(list[1])<<16 | ip.Addr(list[2])<<8 | ip.Addr(list[3])
		r.field("neighbour", "%s", r.named(id))
		names = append(names, nameOr(r.owners, id))
	}
	if len(names) == 0 {
		return "hears nobody yet"
	}
	return "hears " + strings.Join(names, ", ")
}

// helloOptionWords writes the options of a hello, where the N bit is not the P
// bit of an LSA.
func helloOptionWords(o uint8) string {
	switch {
	case o&wire.OptionN != 0:
		return "N: the area is an NSSA"
	case o&wire.OptionE != 0:
		return "E: the area takes external routes"
	}
	return "none: the area is a stub"
}

func (r *reader) dd(b []byte) string {
	d, ok := wire.ReadDD(b)
	if !ok {
		return "unreadable"
	}
	r.layer("Database Description", "2328 A.3.3")
	r.field("interface MTU", "%d bytes", d.MTU)
	r.field("options", "%s", optionWords(d.Options))
	var flags []string
	for _, f := range []struct {
		bit  uint8
		word string
	}{{wire.FlagInit, "I: the first"}, {wire.FlagMore, "M: more follow"}, {wire.FlagMaster, "MS: the sender is master"}} {
		if d.Flags&f.bit != 0 {
			flags = append(flags, f.word)
		}
	}
	if len(flags) == 0 {
		flags = []string{"none"}
	}
	r.field("flags", "%s", strings.Join(flags, "; "))
	r.field("sequence number", "%d", d.Seq)
	role := "slave"
	if d.Flags&wire.FlagMaster != 0 {
		role = "master"
	}
	if d.Flags&wire.FlagInit != 0 {
		return fmt.Sprintf("wants to be master, sequence %d", d.Seq)
	}
	return fmt.Sprintf("%s, sequence %d: describes %s", role, d.Seq, r.headers(d.Headers))
}

// headers writes a list of LSA headers, and says how many there were.
func (r *reader) headers(b []byte) string {
	n := 0
	for len(b) >= wire.LSAHeaderLen {
		h, _ := wire.ReadLSAHeader(b)
		b = b[wire.LSAHeaderLen:]
		r.field("LSA header", "%v, sequence %s, age %d s", h.Key, formatValue("sequence", uint64(uint32(h.Seq))), h.Age)
		n++
	}
	return plural(n, "LSA")
}

func (r *reader) request(b []byte) string {
	r.layer("Link State Request", "2328 A.3.4")
	n := 0
	for len(b) > 0 {
		k, ok := wire.NextRequest(&b)
		if !ok {
			break
		}
		r.field("asks for", "%v", k)
		n++
	}
	return "asks for " + plural(n, "LSA")
}

func (r *reader) update(b []byte) string {
	count, list, ok := wire.UpdateCount(b)
	if !ok {
		return "unreadable"
	}
	r.layer("Link State Update", "2328 A.3.5")
	r.field("number of LSAs", "%d", count)
	var says []string
	for range count {
		h, raw, ok := wire.NextLSA(&list)
		if !ok {
			break
		}
		name := fmt.Sprint(h.Key)
		r.layer(name, "2328 A.4")
		r.field("age", "%d s", h.Age)
		r.field("options", "%s", optionWords(h.Options))
		r.field("sequence", "%s", formatValue("sequence", uint64(uint32(h.Seq))))
		r.field("checksum", "%#04x", h.Checksum)
		r.field("length", "%d bytes", h.Length)
		body, ok := bodyOf(h.Key.Type, raw[wire.LSAHeaderLen:])
		if !ok {
			r.field("body", "unreadable")
			continue
		}
		what, fields, _ := decode(r.owners, &ospf.LSAView{Header: h, Body: body})
		l := &r.layers[len(r.layers)-1]
		l.Fields = append(l.Fields, fields...)
		if h.Age >= wire.MaxAge {
			what = "withdrawn"
		}
		says = append(says, name+": "+what)
	}
	switch len(says) {
	case 0:
		return "nothing"
	case 1:
		return says[0]
	}
	return fmt.Sprintf("%s, and %s", says[0], plural(len(says)-1, "more LSA"))
}

// bodyOf reads the body of an LSA that stands in no database.
func bodyOf(typ uint8, raw []byte) (b *ospf.Body, ok bool) {
	b = &ospf.Body{}
	switch typ {
	case wire.RouterLSA:
		b.Router, ok = wire.ReadRouter(raw)
	case wire.NetworkLSA:
		b.Network, ok = wire.ReadNetwork(raw)
	case wire.SummaryLSA, wire.ASBRSummaryLSA:
		b.Summary, ok = wire.ReadSummary(raw)
	case wire.ExternalLSA, wire.NSSALSA:
		b.External, ok = wire.ReadExternal(raw)
	}
	return b, ok
}
