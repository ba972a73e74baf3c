package ospf

import (
	"encoding/binary"
	"fmt"

	"golang.org/x/crypto/cryptobyte"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/lsdb"
)

// LSA types (RFC 2328 A.4.1, RFC 3101 appendix C). Type 6 is for multicast and
// has no place here.
const (
	RouterLSA      = 1
	NetworkLSA     = 2
	SummaryLSA     = 3
	ASBRSummaryLSA = 4
	ExternalLSA    = 5
	NSSALSA        = 7
)

// LSATypeName names the LSA types, by number.
var LSATypeName = [...]string{"unknown", "router", "network", "summary", "AS boundary summary", "AS external",
	"group membership", "NSSA external"}

// KnownType says whether an LSA type is one that a router here understands.
func KnownType(t uint8) bool { return t >= RouterLSA && t <= ExternalLSA || t == NSSALSA }

// LSAHeaderLen is the length of an LSA header.
const LSAHeaderLen = 20

// Architectural constants of metrics (RFC 2328 appendix B).
const (
	LSInfinity = 0xffffff
	MaxMetric  = 0xffff // of a link in a router LSA
)

// Key identifies an LSA within its area (RFC 2328 12.1).
type Key struct {
	Type   uint8
	ID     ip.Quad
	Router ip.Quad
}

func (k Key) String() string {
	name := "unknown"
	if int(k.Type) < len(LSATypeName) {
		name = LSATypeName[k.Type]
	}
	if k.Type == RouterLSA && k.ID == k.Router {
		return fmt.Sprintf("%s LSA of %v", name, k.Router)
	}
	return fmt.Sprintf("%s LSA %v of %v", name, k.ID, k.Router)
}

// Compare orders keys by type, ID and router.
func (k Key) Compare(o Key) int {
	switch {
	case k.Type != o.Type:
		return int(k.Type) - int(o.Type)
	case k.ID != o.ID:
		if k.ID < o.ID {
			return -1
		}
		return 1
	case k.Router != o.Router:
		if k.Router < o.Router {
			return -1
		}
		return 1
	}
	return 0
}

// LSAHeader is the header of an LSA (RFC 2328 A.4.1).
type LSAHeader struct {
	Age      uint16 // seconds
	Options  uint8
	Key      Key
	Seq      int32
	Checksum uint16
	Length   uint16 // of the whole LSA
}

// Append appends the header.
func (h *LSAHeader) Append(b []byte) []byte {
	b = append(b, byte(h.Age>>8), byte(h.Age), h.Options, h.Key.Type)
	b = binary.BigEndian.AppendUint32(b, uint32(h.Key.ID))
	b = binary.BigEndian.AppendUint32(b, uint32(h.Key.Router))
	b = binary.BigEndian.AppendUint32(b, uint32(h.Seq))
	return append(b, byte(h.Checksum>>8), byte(h.Checksum), byte(h.Length>>8), byte(h.Length))
}

// ReadLSAHeader reads a header from the front of b.
func ReadLSAHeader(b []byte) (h LSAHeader, ok bool) {
	if len(b) < LSAHeaderLen {
		return h, false
	}
	h.Age = binary.BigEndian.Uint16(b)
	h.Options = b[2]
	h.Key = Key{b[3], ip.Quad(binary.BigEndian.Uint32(b[4:])), ip.Quad(binary.BigEndian.Uint32(b[8:]))}
	h.Seq = int32(binary.BigEndian.Uint32(b[12:]))
	h.Checksum = binary.BigEndian.Uint16(b[16:])
	h.Length = binary.BigEndian.Uint16(b[18:])
	return h, true
}

// NextLSA takes the next LSA off a list of LSAs: its header and its whole
// bytes, which share b.
func NextLSA(b *[]byte) (h LSAHeader, raw []byte, ok bool) {
	h, ok = ReadLSAHeader(*b)
	if !ok || int(h.Length) < LSAHeaderLen || int(h.Length) > len(*b) {
		return h, nil, false
	}
	raw, *b = (*b)[:h.Length], (*b)[h.Length:]
	return h, raw, true
}

// Version is what distinguishes the instance from others of its LSA.
func (h *LSAHeader) Version() lsdb.Version {
	return lsdb.Version{Seq: h.Seq, Sum: h.Checksum, Age: h.Age}
}

// Fletcher is the checksum of an LSA (RFC 2328 12.1.7, RFC 905 annex B): over
// all of it but the age. The bytes at 16 and 17, where it is, count as 0.
func Fletcher(lsa []byte) uint16 {
	b := lsa[2:]
	const at = 14 // of the checksum, from b's start
	var c0, c1 int
	for i := 0; i < len(b); {
		// 4102 is the most sums that fit 32 bits; any smaller bound does.
		stop := min(i+4000, len(b))
		for ; i < stop; i++ {
			v := int(b[i])
			if i == at || i == at+1 {
				v = 0
			}
			c0 += v
			c1 += c0
		}
		c0 %= 255
		c1 %= 255
	}
	x := ((len(b)-at-1)*c0 - c1) % 255
	if x <= 0 {
		x += 255
	}
	y := 510 - c0 - x
	if y > 255 {
		y -= 255
	}
	return uint16(x)<<8 | uint16(y)
}

// Link types of a router LSA (RFC 2328 A.4.2).
const (
	LinkPointToPoint = 1
	LinkTransit      = 2
	LinkStub         = 3
	LinkVirtual      = 4
)

// RouterLink is one link of a router LSA.
type RouterLink struct {
	ID     ip.Quad
	Data   ip.Quad
	Type   uint8
	Metric uint16
}

// RouterBody is the body of a router LSA (RFC 2328 A.4.2).
type RouterBody struct {
	Flags uint8 // N, V, E, B
	Links []RouterLink
}

// Append appends the body.
func (r *RouterBody) Append(b []byte) []byte {
	b = append(b, r.Flags, 0, byte(len(r.Links)>>8), byte(len(r.Links)))
	for _, l := range r.Links {
		b = binary.BigEndian.AppendUint32(b, uint32(l.ID))
		b = binary.BigEndian.AppendUint32(b, uint32(l.Data))
		b = append(b, l.Type, 0, byte(l.Metric>>8), byte(l.Metric))
	}
	return b
}

// ReadRouter reads the body of a router LSA. TOS metrics (RFC 1583) are passed
// over.
func ReadRouter(b []byte) (r RouterBody, ok bool) {
	s := cryptobyte.String(b)
	var zero uint8
	var n uint16
	if !s.ReadUint8(&r.Flags) || !s.ReadUint8(&zero) || !s.ReadUint16(&n) || int(n)*12 > len(s) {
		return r, false
	}
	r.Links = make([]RouterLink, n)
	for i := range r.Links {
		l := &r.Links[i]
		var id, data uint32
		var tos uint8
		if !s.ReadUint32(&id) || !s.ReadUint32(&data) || !s.ReadUint8(&l.Type) ||
			!s.ReadUint8(&tos) || !s.ReadUint16(&l.Metric) || !s.Skip(4*int(tos)) {
			return r, false
		}
		l.ID, l.Data = ip.Quad(id), ip.Quad(data)
	}
	return r, s.Empty()
}

// NetworkBody is the body of a network LSA (RFC 2328 A.4.3).
type NetworkBody struct {
	Mask    ip.Quad
	Routers []ip.Quad
}

// Append appends the body.
func (n *NetworkBody) Append(b []byte) []byte {
	b = binary.BigEndian.AppendUint32(b, uint32(n.Mask))
	for _, r := range n.Routers {
		b = binary.BigEndian.AppendUint32(b, uint32(r))
	}
	return b
}

// ReadNetwork reads the body of a network LSA.
func ReadNetwork(b []byte) (n NetworkBody, ok bool) {
	s := cryptobyte.String(b)
	var mask uint32
	if !s.ReadUint32(&mask) || len(s)%4 != 0 {
		return n, false
	}
	n.Mask = ip.Quad(mask)
	n.Routers = make([]ip.Quad, 0, len(s)/4)
	for !s.Empty() {
		var r uint32
		s.ReadUint32(&r)
		n.Routers = append(n.Routers, ip.Quad(r))
	}
	return n, true
}

// Flags of a router LSA (RFC 2328 A.4.2).
const (
	FlagB = 0x01 // area border router
	FlagE = 0x02 // AS boundary router
	FlagV = 0x04 // endpoint of a virtual link through this area
	FlagN = 0x10 // translates NSSA LSAs whoever else does (RFC 3101, Nt)
)

// SummaryBody is the body of a summary LSA of either type (RFC 2328 A.4.4). The
// mask means nothing for an AS boundary router.
type SummaryBody struct {
	Mask   ip.Quad
	Metric uint32 // 24 bits
}

// Append appends the body.
func (s *SummaryBody) Append(b []byte) []byte {
	b = binary.BigEndian.AppendUint32(b, uint32(s.Mask))
	return binary.BigEndian.AppendUint32(b, s.Metric&0xffffff)
}

// ReadSummary reads the body of a summary LSA. TOS metrics (RFC 1583) are passed
// over.
func ReadSummary(b []byte) (s SummaryBody, ok bool) {
	if len(b) < 8 || len(b)%4 != 0 {
		return s, false
	}
	return SummaryBody{ip.Quad(binary.BigEndian.Uint32(b)), binary.BigEndian.Uint32(b[4:]) & 0xffffff}, true
}

// ExternalBody is the body of an AS external LSA (RFC 2328 A.4.5) and of an NSSA
// external LSA (RFC 3101 2.4).
type ExternalBody struct {
	Mask    ip.Quad
	Type2   bool
	Metric  uint32 // 24 bits
	Forward ip.Addr
	Tag     uint32
}

// Append appends the body.
func (e *ExternalBody) Append(b []byte) []byte {
	b = binary.BigEndian.AppendUint32(b, uint32(e.Mask))
	metric := e.Metric & 0xffffff
	if e.Type2 {
		metric |= 1 << 31
	}
	b = binary.BigEndian.AppendUint32(b, metric)
	b = binary.BigEndian.AppendUint32(b, uint32(e.Forward.Quad()))
	return binary.BigEndian.AppendUint32(b, e.Tag)
}

// ReadExternal reads the body of an AS external LSA. TOS metrics (RFC 1583) are
// passed over.
func ReadExternal(b []byte) (e ExternalBody, ok bool) {
	if len(b) < 16 || (len(b)-4)%12 != 0 {
		return e, false
	}
	metric := binary.BigEndian.Uint32(b[4:])
	return ExternalBody{ip.Quad(binary.BigEndian.Uint32(b)), metric>>31 == 1, metric & 0xffffff,
		ip.V4(ip.Quad(binary.BigEndian.Uint32(b[8:]))), binary.BigEndian.Uint32(b[12:])}, true
}
