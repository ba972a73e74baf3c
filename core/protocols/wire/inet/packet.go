package inet

import (
	"encoding/binary"

	"golang.org/x/crypto/cryptobyte"

	"hellebore/core/ground/ip"
)

// Protocol numbers (IANA).
const (
	ProtoICMP = 1
	ProtoTCP  = 6
	ProtoOSPF = 89
)

// TOSInternetControl is the precedence with which routing packets travel (RFC
// 2328 A.1).
const TOSInternetControl = 0xc0

// HeaderLen is the length of an IPv4 header without options.
const HeaderLen = 20

// Packet is an IPv4 packet. Options are kept out: a packet that has any is
// read, and they are ignored.
type Packet struct {
	TOS      uint8
	ID       uint16
	TTL      uint8
	Protocol uint8
	Src, Dst ip.Addr
	Payload  []byte
}

// Checksum is the Internet checksum of b (RFC 1071); b with a right checksum in
// it gives 0.
func Checksum(b []byte) uint16 {
	var sum uint64
	for len(b) >= 4 {
		sum += uint64(binary.BigEndian.Uint32(b))
		b = b[4:]
	}
	if len(b) >= 2 {
		sum += uint64(binary.BigEndian.Uint16(b))
		b = b[2:]
	}
	if len(b) == 1 {
		sum += uint64(b[0]) << 8
	}
	for sum>>16 != 0 {
		sum = sum>>16 + sum&0xffff
	}
	return ^uint16(sum)
}

// AppendHeader appends the IPv4 header for a payload of n bytes.
func (p *Packet) AppendHeader(b []byte, n int) []byte {
	start := len(b)
	total := HeaderLen + n
	b = append(b, 0x45, p.TOS, byte(total>>8), byte(total), byte(p.ID>>8), byte(p.ID),
		0x40, 0, // don't fragment: nothing in the simulation does
		p.TTL, p.Protocol, 0, 0)
	b = appendAddr(b, p.Src)
	b = appendAddr(b, p.Dst)
	sum := Checksum(b[start : start+HeaderLen])
	b[start+10], b[start+11] = byte(sum>>8), byte(sum)
	return b
}

// Append appends the whole packet.
func (p *Packet) Append(b []byte) []byte {
	return append(p.AppendHeader(b, len(p.Payload)), p.Payload...)
}

// ReadPacket reads a packet and verifies its header's checksum; the payload
// shares b.
func ReadPacket(b []byte) (p Packet, ok bool) {
	if len(b) < HeaderLen || b[0]>>4 != 4 {
		return p, false
	}
	header, total := int(b[0]&0xf)*4, int(binary.BigEndian.Uint16(b[2:]))
	if header < HeaderLen || total < header || total > len(b) || Checksum(b[:header]) != 0 {
		return p, false
	}
	p.TOS = b[1]
	p.ID = binary.BigEndian.Uint16(b[4:])
	p.TTL, p.Protocol = b[8], b[9]
	p.Src = readAddr(b[12:])
	p.Dst = readAddr(b[16:])
	p.Payload = b[header:total]
	return p, true
}

// ICMP types and codes (RFC 792, RFC 1812 5.2.7.1).
const (
	EchoReply      = 0
	Unreachable    = 3
	EchoRequest    = 8
	TimeExceeded   = 11
	CodeNet        = 0
	CodeHost       = 1
	CodeProhibited = 13
)

// ICMP is an ICMP message: an echo, or an error that quotes the packet it is
// about.
type ICMP struct {
	Type, Code uint8
	ID, Seq    uint16 // of an echo
	Data       []byte // of an echo; in an error, the header and 8 bytes of the packet
}

// Append appends the message with its checksum.
func (m *ICMP) Append(b []byte) []byte {
	start := len(b)
	b = append(b, m.Type, m.Code, 0, 0, byte(m.ID>>8), byte(m.ID), byte(m.Seq>>8), byte(m.Seq))
	b = append(b, m.Data...)
	sum := Checksum(b[start:])
	b[start+2], b[start+3] = byte(sum>>8), byte(sum)
	return b
}

// ReadICMP reads a message and verifies its checksum, of which ffff and 0000 are the
// same (RFC 1071); Data shares b.
func ReadICMP(b []byte) (m ICMP, ok bool) {
	s := cryptobyte.String(b)
	var sum uint16
	if !s.ReadUint8(&m.Type) || !s.ReadUint8(&m.Code) || !s.ReadUint16(&sum) ||
		!s.ReadUint16(&m.ID) || !s.ReadUint16(&m.Seq) || Checksum(b) != 0 {
		return m, false
	}
	m.Data = s
	return m, true
}

// Quote is what an ICMP error quotes of a packet: its header and the first 8
// bytes of its payload (RFC 792).
func (p *Packet) Quote() []byte {
	b := p.AppendHeader(make([]byte, 0, HeaderLen+8), len(p.Payload))
	return append(b, p.Payload[:min(8, len(p.Payload))]...)
}

// ReadQuote reads what Quote wrote: the header, and as much payload as is
// there.
func ReadQuote(b []byte) (p Packet, ok bool) {
	if len(b) < HeaderLen || b[0] != 0x45 {
		return p, false
	}
	p.TTL, p.Protocol = b[8], b[9]
	p.ID = binary.BigEndian.Uint16(b[4:])
	p.Src = readAddr(b[12:])
	p.Dst = readAddr(b[16:])
	p.Payload = b[HeaderLen:]
	return p, true
}
