// Package inet codes what lies below the routing protocols: Ethernet frames, ARP
// (RFC 826), IPv4 (RFC 791) and ICMP (RFC 792), with the Internet checksum (RFC
// 1071). Reading goes through cryptobyte's cursor, so that a short packet is a
// false and never an index.
package inet

import (
	"encoding/binary"

	"golang.org/x/crypto/cryptobyte"

	"hellebore/core/ground/ip"
)

// MAC is an Ethernet address.
type MAC [6]byte

// Broadcast is the MAC address of all stations.
var Broadcast = MAC{0xff, 0xff, 0xff, 0xff, 0xff, 0xff}

// PortMAC is the address of a device's port: locally administered, unicast,
// and telling whose it is.
func PortMAC(device uint32, port uint16) MAC {
	return MAC{0x02, byte(device >> 16), byte(device >> 8), byte(device), byte(port >> 8), byte(port)}
}

// GroupMAC is the Ethernet group address of an IPv4 multicast address (RFC 1112
// 6.4).
func GroupMAC(a ip.Addr) MAC {
	q := a.Quad()
	return MAC{0x01, 0x00, 0x5e, byte(q>>16) & 0x7f, byte(q >> 8), byte(q)}
}

// Group says whether m is a group address.
func (m MAC) Group() bool { return m[0]&1 == 1 }

// EtherTypes that the simulation carries.
const (
	TypeIPv4 = 0x0800
	TypeARP  = 0x0806
	TypeVLAN = 0x8100 // an 802.1Q tag comes first
)

// FrameHeader is the length of an Ethernet header.
const FrameHeader = 14

// TagLen is the length of an 802.1Q tag.
const TagLen = 4

// Frame is an Ethernet II frame.
type Frame struct {
	Dst, Src MAC
	VLAN     uint16 // the 802.1Q tag, 0 for none
	Type     uint16
	Payload  []byte
}

// ReadFrame reads a frame; its payload shares b.
func ReadFrame(b []byte) (f Frame, ok bool) {
	if len(b) < FrameHeader {
		return f, false
	}
	f.Dst, f.Src = MAC(b[0:6]), MAC(b[6:12])
	f.Type = uint16(b[12])<<8 | uint16(b[13])
	f.Payload = b[FrameHeader:]
	if f.Type == TypeVLAN {
		if len(f.Payload) < TagLen {
			return f, false
		}
		f.VLAN = (uint16(f.Payload[0])<<8 | uint16(f.Payload[1])) & 0xfff
		f.Type = uint16(f.Payload[2])<<8 | uint16(f.Payload[3])
		f.Payload = f.Payload[TagLen:]
	}
	return f, true
}

// AppendFrameHeader appends an Ethernet header to b.
func AppendFrameHeader(b []byte, dst, src MAC, etherType uint16) []byte {
	b = append(b, dst[:]...)
	b = append(b, src[:]...)
	return append(b, byte(etherType>>8), byte(etherType))
}

// ARP operations (RFC 826).
const (
	ARPRequest = 1
	ARPReply   = 2
)

// ARP is an ARP packet for IPv4 over Ethernet.
type ARP struct {
	Op                   uint16
	SenderMAC, TargetMAC MAC
	Sender, Target       ip.Addr
}

// Append appends the packet to b.
func (a *ARP) Append(b []byte) []byte {
	b = append(b, 0, 1, 0x08, 0, 6, 4, byte(a.Op>>8), byte(a.Op))
	b = append(b, a.SenderMAC[:]...)
	b = appendAddr(b, a.Sender)
	b = append(b, a.TargetMAC[:]...)
	return appendAddr(b, a.Target)
}

// ReadARP reads an ARP packet for IPv4 over Ethernet.
func ReadARP(b []byte) (a ARP, ok bool) {
	s := cryptobyte.String(b)
	var htype, ptype uint16
	var hlen, plen uint8
	var sender, target uint32
	if !s.ReadUint16(&htype) || !s.ReadUint16(&ptype) || !s.ReadUint8(&hlen) || !s.ReadUint8(&plen) ||
		htype != 1 || ptype != TypeIPv4 || hlen != 6 || plen != 4 ||
		!s.ReadUint16(&a.Op) || !s.CopyBytes(a.SenderMAC[:]) || !s.ReadUint32(&sender) ||
		!s.CopyBytes(a.TargetMAC[:]) || !s.ReadUint32(&target) {
		return a, false
	}
	a.Sender, a.Target = ip.V4(ip.Quad(sender)), ip.V4(ip.Quad(target))
	return a, true
}

func appendAddr(b []byte, a ip.Addr) []byte {
	return binary.BigEndian.AppendUint32(b, uint32(a.Quad()))
}

// readAddr reads an IPv4 address.
func readAddr(b []byte) ip.Addr { return ip.V4(ip.Quad(binary.BigEndian.Uint32(b))) }
