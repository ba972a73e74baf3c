package device

import (
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/protocols/wire/ospf"
)

// CarriesOSPF says whether a frame carries an OSPF packet to whoever listens.
func CarriesOSPF(frame []byte) bool {
	_, _, ok := multicastOSPF(frame)
	return ok
}

// CarriesHello says whether a frame carries a hello of OSPF, and its VLAN.
func CarriesHello(frame []byte) (vlan uint16, is bool) {
	vlan, packet, ok := multicastOSPF(frame)
	if !ok {
		return 0, false
	}
	head, fail := ospf.Read(packet)
	return vlan, fail == ospf.OK && head.Type == ospf.TypeHello
}

func multicastOSPF(frame []byte) (vlan uint16, packet []byte, is bool) {
	f, ok := inet.ReadFrame(frame)
	if !ok || f.Type != inet.TypeIPv4 {
		return 0, nil, false
	}
	p, ok := inet.ReadPacket(f.Payload)
	return f.VLAN, p.Payload, ok && p.Protocol == inet.ProtoOSPF && p.Dst.Multicast()
}
