// Package tcp codes TCP segments (RFC 9293 3.1), with the checksum over the
// pseudo-header. It holds no state and decides nothing.
package tcp

import (
	"crypto/md5"
	"crypto/subtle"
	"encoding/binary"
	"strings"

	"golang.org/x/crypto/cryptobyte"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/wire/inet"
)

// Flags of a segment (RFC 9293 3.1). Those of congestion notification have no
// place here.
const (
	FIN = 1 << iota
	SYN
	RST
	PSH
	ACK
)

// HeaderLen is the length of a header without options.
const HeaderLen = 20

// SignatureLen is how much longer a header is with a signature, filled up to
// whole words (RFC 2385 3.0, 4.3).
const SignatureLen = 20

// Kinds of options, and where the checksum is in the header.
const (
	nop        = 1
	kindDigest = 19
	checksumAt = 16
)

// DefaultMSS is the segment size of a peer that names none (RFC 9293 3.7.1).
const DefaultMSS = 536

// Segment is a TCP segment. Its payload shares the bytes that it was read from.
type Segment struct {
	SrcPort, DstPort uint16
	Seq, Ack         uint32
	Flags            uint8
	Window           uint16
	MSS              uint16 // option of a SYN; 0 for none
	Digest           []byte // option of a signed segment (RFC 2385 3.0); nil for none. Append does not write it
	Payload          []byte
}

// Len is how much of the sequence space the segment takes: its payload, SYN and
// FIN.
func (s *Segment) Len() uint32 {
	n := uint32(len(s.Payload))
	if s.Flags&SYN != 0 {
		n++
	}
	if s.Flags&FIN != 0 {
		n++
	}
	return n
}

// Words names the segment's flags: "SYN-ACK", "RST", "data".
func (s *Segment) Words() string {
	var words []string
	for _, f := range []struct {
		bit  uint8
		word string
	}{{SYN, "SYN"}, {FIN, "FIN"}, {RST, "RST"}} {
		if s.Flags&f.bit != 0 {
			words = append(words, f.word)
		}
	}
	switch {
	case len(words) == 0 && len(s.Payload) > 0:
		return "data"
	case len(words) == 0:
		return "ACK"
	case s.Flags&ACK != 0:
		words = append(words, "ACK")
	}
	return strings.Join(words, "-")
}

// Append appends the segment as it goes from one address to another, without a
// signature.
func (s *Segment) Append(b []byte, src, dst ip.Addr) []byte {
	return s.append(b, src, dst, nil)
}

// AppendSigned appends the segment with its signature (RFC 2385 2.0).
func (s *Segment) AppendSigned(b []byte, src, dst ip.Addr, secret string) []byte {
	return s.append(b, src, dst, &secret)
}

func (s *Segment) append(b []byte, src, dst ip.Addr, secret *string) []byte {
	start := len(b)
	header := uint8(HeaderLen)
	if s.MSS != 0 {
		header += 4
	}
	if secret != nil {
		header += SignatureLen
	}
	b = binary.BigEndian.AppendUint16(b, s.SrcPort)
	b = binary.BigEndian.AppendUint16(b, s.DstPort)
	b = binary.BigEndian.AppendUint32(b, s.Seq)
	b = binary.BigEndian.AppendUint32(b, s.Ack)
	b = append(b, header/4<<4, s.Flags)
	b = binary.BigEndian.AppendUint16(b, s.Window)
	b = append(b, 0, 0, 0, 0) // checksum, urgent pointer
	if s.MSS != 0 {
		b = append(b, 2, 4, byte(s.MSS>>8), byte(s.MSS))
	}
	if secret != nil {
		b = append(b, nop, nop, kindDigest, 2+md5.Size)
		sum := digest(b[start:start+HeaderLen], s.Payload, int(header)+len(s.Payload), src, dst, *secret)
		b = append(b, sum[:]...)
	}
	b = append(b, s.Payload...)
	sum := checksum(b[start:], src, dst)
	binary.BigEndian.PutUint16(b[start+checksumAt:], sum)
	return b
}

// checksum is over the segment and the pseudo-header of RFC 9293 3.1.
func checksum(segment []byte, src, dst ip.Addr) uint16 {
	pseudo := pseudoHeader(src, dst, len(segment))
	sum := uint32(^inet.Checksum(pseudo[:])) + uint32(^inet.Checksum(segment))
	return ^uint16(sum>>16 + sum&0xffff)
}

func pseudoHeader(src, dst ip.Addr, length int) (b [12]byte) {
	binary.BigEndian.PutUint32(b[:], uint32(src.Quad()))
	binary.BigEndian.PutUint32(b[4:], uint32(dst.Quad()))
	b[9] = inet.ProtoTCP
	binary.BigEndian.PutUint16(b[10:], uint16(length))
	return b
}

// digest is the signature of a segment: over the pseudo-header, the header
// without options and with a checksum of zero, the payload and the secret (RFC
// 2385 2.0). length is that of the segment with its options.
func digest(header, payload []byte, length int, src, dst ip.Addr, secret string) (sum [md5.Size]byte) {
	h := md5.New()
	pseudo := pseudoHeader(src, dst, length)
	h.Write(pseudo[:])
	h.Write(header[:checksumAt])
	h.Write([]byte{0, 0})
	h.Write(header[checksumAt+2 : HeaderLen])
	h.Write(payload)
	h.Write([]byte(secret))
	h.Sum(sum[:0])
	return sum
}

// SignedWith says whether the segment that was read from b has the signature
// that this secret gives.
func (s *Segment) SignedWith(b []byte, src, dst ip.Addr, secret string) bool {
	sum := digest(b[:HeaderLen], s.Payload, len(b), src, dst, secret)
	return subtle.ConstantTimeCompare(sum[:], s.Digest) == 1
}

// Read reads a segment and verifies its checksum.
func Read(b []byte, src, dst ip.Addr) (s Segment, ok bool) {
	c := cryptobyte.String(b)
	var offset uint8
	var sum, urgent uint16
	if !c.ReadUint16(&s.SrcPort) || !c.ReadUint16(&s.DstPort) || !c.ReadUint32(&s.Seq) || !c.ReadUint32(&s.Ack) ||
		!c.ReadUint8(&offset) || !c.ReadUint8(&s.Flags) || !c.ReadUint16(&s.Window) || !c.ReadUint16(&sum) ||
		!c.ReadUint16(&urgent) {
		return s, false
	}
	var options []byte
	if !c.ReadBytes(&options, int(offset>>4)*4-HeaderLen) || checksum(b, src, dst) != 0 {
		return s, false
	}
	s.Payload = c
	return s, s.readOptions(options)
}

// readOptions takes the options that matter out, and passes over the others (RFC
// 9293 3.2).
func (s *Segment) readOptions(b cryptobyte.String) bool {
	for !b.Empty() {
		var kind, length uint8
		b.ReadUint8(&kind)
		switch kind {
		case 0:
			return true
		case nop:
			continue
		}
		var value []byte
		if !b.ReadUint8(&length) || length < 2 || !b.ReadBytes(&value, int(length)-2) {
			return false
		}
		if kind == 2 && len(value) == 2 && s.Flags&SYN != 0 {
			s.MSS = binary.BigEndian.Uint16(value)
		}
		if kind == kindDigest && len(value) == md5.Size {
			s.Digest = value
		}
	}
	return true
}
