// Package ospf codes the packets and LSAs of OSPFv2 (RFC 2328 appendix A). It
// holds no state and decides nothing: a packet is read into a struct whose
// slices share the input, or refused.
//
// To add an LSA type: give it a number in lsa.go, a body struct with Append and
// a Read function, and a case in ReadBody.
package ospf

import (
	"encoding/binary"

	"golang.org/x/crypto/cryptobyte"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/wire/inet"
)

// Packet types (RFC 2328 A.3.1).
const (
	TypeHello   = 1
	TypeDD      = 2
	TypeRequest = 3
	TypeUpdate  = 4
	TypeAck     = 5
)

// TypeName names the packet types, by number.
var TypeName = [...]string{"unknown", "Hello", "Database Description", "Link State Request", "Link State Update",
	"Link State Acknowledgment"}

// AllSPFRouters is where packets on a point-to-point link go (RFC 2328 A.1).
var AllSPFRouters = ip.V4(0xe0000005)

// AllDRouters is where packets for the DR and BDR of a segment go (RFC 2328 A.1).
var AllDRouters = ip.V4(0xe0000006)

// HeaderLen is the length of the packet header.
const HeaderLen = 24

// Options of a router and of an LSA (RFC 2328 A.2, RFC 3101 2.1).
const (
	OptionE = 0x02 // takes AS external LSAs
	// OptionN says in a hello that the area is an NSSA; in an NSSA LSA the same
	// bit is P, which asks the area's border to translate it.
	OptionN = 0x08
	OptionP = OptionN
)

// Header is the header of all OSPF packets (RFC 2328 A.3.1).
type Header struct {
	Type     uint8
	RouterID ip.Quad
	Area     uint32
	AuType   uint16
	Body     []byte
	Raw      []byte // the whole packet without trailer
	Trailer  []byte // the digest of cryptographic authentication
}

// ReadError says why a packet could not be read.
type ReadError uint8

// Why a packet could not be read.
const (
	OK ReadError = iota
	TooShort
	BadVersion
	BadChecksum
)

// Read reads the header of a packet and verifies version, length and checksum
// (RFC 2328 8.2). The checksum covers all of a packet but its authentication
// field (D.4.1); one with cryptographic authentication has none (D.4.3).
func Read(b []byte) (h Header, fail ReadError) {
	if len(b) < HeaderLen {
		return h, TooShort
	}
	if b[0] != 2 {
		return h, BadVersion
	}
	length := int(binary.BigEndian.Uint16(b[2:]))
	if length < HeaderLen || length > len(b) {
		return h, TooShort
	}
	h.Trailer = b[length:]
	b = b[:length]
	h.Raw = b
	h.Type = b[1]
	h.RouterID = ip.Quad(binary.BigEndian.Uint32(b[4:]))
	h.Area = binary.BigEndian.Uint32(b[8:])
	h.AuType = binary.BigEndian.Uint16(b[14:])
	h.Body = b[HeaderLen:]
	if h.AuType != AuthCryptographic && checksum(b) != 0 {
		return h, BadChecksum
	}
	return h, OK
}

// checksum sums a packet without its 64-bit authentication field.
func checksum(b []byte) uint16 {
	front, rest := inet.Checksum(b[:16]), inet.Checksum(b[HeaderLen:])
	sum := uint32(^front) + uint32(^rest)
	return ^uint16(sum>>16 + sum&0xffff)
}

// Begin appends a header whose length and checksum Finish fills in.
func Begin(b []byte, typ uint8, routerID ip.Quad, area uint32) []byte {
	b = append(b, 2, typ, 0, 0)
	b = binary.BigEndian.AppendUint32(b, uint32(routerID))
	b = binary.BigEndian.AppendUint32(b, area)
	return append(b, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0)
}

// Finish completes the packet that begins at start of b.
func Finish(b []byte, start int) {
	p := b[start:]
	binary.BigEndian.PutUint16(p[2:], uint16(len(p)))
	binary.BigEndian.PutUint16(p[12:], 0)
	binary.BigEndian.PutUint16(p[12:], checksum(p))
}

// Hello is the body of a Hello packet (RFC 2328 A.3.2).
type Hello struct {
	Mask         ip.Quad
	Interval     uint16 // seconds
	Options      uint8
	Priority     uint8
	DeadInterval uint32 // seconds
	DR, BDR      ip.Quad
	Neighbours   []byte // router IDs, four bytes each
}

// Append appends the body.
func (h *Hello) Append(b []byte) []byte {
	b = binary.BigEndian.AppendUint32(b, uint32(h.Mask))
	b = binary.BigEndian.AppendUint16(b, h.Interval)
	b = append(b, h.Options, h.Priority)
	b = binary.BigEndian.AppendUint32(b, h.DeadInterval)
	b = binary.BigEndian.AppendUint32(b, uint32(h.DR))
	b = binary.BigEndian.AppendUint32(b, uint32(h.BDR))
	return append(b, h.Neighbours...)
}

// ReadHello reads the body.
func ReadHello(b []byte) (h Hello, ok bool) {
	s := cryptobyte.String(b)
	var mask, dr, bdr uint32
	if !s.ReadUint32(&mask) || !s.ReadUint16(&h.Interval) || !s.ReadUint8(&h.Options) ||
		!s.ReadUint8(&h.Priority) || !s.ReadUint32(&h.DeadInterval) ||
		!s.ReadUint32(&dr) || !s.ReadUint32(&bdr) || len(s)%4 != 0 {
		return h, false
	}
	h.Mask, h.DR, h.BDR, h.Neighbours = ip.Quad(mask), ip.Quad(dr), ip.Quad(bdr), s
	return h, true
}

// Lists says whether router id is among the neighbours.
func (h *Hello) Lists(id ip.Quad) bool {
	for n := h.Neighbours; len(n) >= 4; n = n[4:] {
		if ip.Quad(binary.BigEndian.Uint32(n)) == id {
			return true
		}
	}
	return false
}

// Bits of a Database Description packet (RFC 2328 A.3.3).
const (
	FlagMaster = 1
	FlagMore   = 2
	FlagInit   = 4
)

// DD is the body of a Database Description packet.
type DD struct {
	MTU     uint16
	Options uint8
	Flags   uint8
	Seq     uint32
	Headers []byte // LSA headers, LSAHeaderLen each
}

// Append appends the body.
func (d *DD) Append(b []byte) []byte {
	b = binary.BigEndian.AppendUint16(b, d.MTU)
	b = append(b, d.Options, d.Flags)
	b = binary.BigEndian.AppendUint32(b, d.Seq)
	return append(b, d.Headers...)
}

// ReadDD reads the body.
func ReadDD(b []byte) (d DD, ok bool) {
	s := cryptobyte.String(b)
	if !s.ReadUint16(&d.MTU) || !s.ReadUint8(&d.Options) || !s.ReadUint8(&d.Flags) ||
		!s.ReadUint32(&d.Seq) || len(s)%LSAHeaderLen != 0 {
		return d, false
	}
	d.Headers = s
	return d, true
}

// RequestLen is the length of one entry of a Link State Request (RFC 2328
// A.3.4).
const RequestLen = 12

// AppendRequest appends one entry of a Link State Request.
func AppendRequest(b []byte, k Key) []byte {
	b = binary.BigEndian.AppendUint32(b, uint32(k.Type))
	b = binary.BigEndian.AppendUint32(b, uint32(k.ID))
	return binary.BigEndian.AppendUint32(b, uint32(k.Router))
}

// NextRequest takes the next entry off the body of a Link State Request.
func NextRequest(b *[]byte) (k Key, ok bool) {
	s := cryptobyte.String(*b)
	var typ, id, router uint32
	if !s.ReadUint32(&typ) || !s.ReadUint32(&id) || !s.ReadUint32(&router) {
		return k, false
	}
	*b = s
	return Key{uint8(typ), ip.Quad(id), ip.Quad(router)}, typ < 256
}

// UpdateCount is the number of LSAs that the body of a Link State Update says
// it carries, and the LSAs (RFC 2328 A.3.5).
func UpdateCount(b []byte) (n uint32, rest []byte, ok bool) {
	s := cryptobyte.String(b)
	if !s.ReadUint32(&n) {
		return 0, nil, false
	}
	return n, s, true
}
