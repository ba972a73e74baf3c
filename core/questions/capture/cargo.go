package capture

import (
	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	bgpwire "hellebore/core/protocols/wire/bgp"
	"hellebore/core/protocols/wire/inet"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/protocols/wire/tcp"
	"hellebore/core/questions/facts"
)

// Cargo is something that a packet brings: an instance of an LSA, or a prefix that is
// announced or withdrawn.
type Cargo struct {
	Of   string `json:"of" doc:"router LSA of 10.255.0.1, or a prefix"`
	Says string `json:"says" doc:"the LSA's sequence number; announced or withdrawn"`
}

// mostCargo bounds the LSAs and prefixes that are listed of one packet.
const mostCargo = 64

// CargoOf is what a frame brings.
func CargoOf(frame []byte) (out []Cargo) {
	f, ok := inet.ReadFrame(frame)
	if !ok || f.Type == inet.TypeARP {
		return nil
	}
	p, ok := inet.ReadPacket(f.Payload)
	if !ok {
		return nil
	}
	add := func(of, says string) {
		if len(out) < mostCargo {
			out = append(out, Cargo{of, says})
		}
	}
	switch p.Protocol {
	case inet.ProtoOSPF:
		head, fail := wire.Read(p.Payload)
		if fail != wire.OK || head.Type != wire.TypeUpdate {
			return nil
		}
		count, list, ok := wire.UpdateCount(head.Body)
		for n := uint32(0); ok && n < uint32(count); n++ {
			h, _, more := wire.NextLSA(&list)
			if !more {
				break
			}
			add(h.Key.String(), phrase.Say("sequence %s", facts.Sequence(h.Seq)))
		}
	case inet.ProtoTCP:
		g, ok := tcp.Read(p.Payload, p.Src, p.Dst)
		if !ok || bgpKind(&g) == "" {
			return nil
		}
		for b := g.Payload; len(b) > 0; {
			t, body, n, fault := bgpwire.Split(b)
			if fault != nil || n == 0 {
				break
			}
			b = b[n:]
			if t != bgpwire.TypeUpdate {
				continue
			}
			if u, fault := bgpwire.ReadUpdate(body); fault == nil {
				bgpwire.Prefixes(u.Withdrawn, func(p ip.Prefix) { add(p.String(), phrase.Text("withdrawn")) })
				bgpwire.Prefixes(u.Announced, func(p ip.Prefix) { add(p.String(), phrase.Text("announced")) })
			}
		}
	}
	return out
}

// Destination is the address that a frame's packet is for; the zero Addr if it has none.
func Destination(frame []byte) ip.Addr {
	if f, ok := inet.ReadFrame(frame); ok && f.Type != inet.TypeARP {
		if p, ok := inet.ReadPacket(f.Payload); ok {
			return p.Dst
		}
	}
	return ip.Addr{}
}
