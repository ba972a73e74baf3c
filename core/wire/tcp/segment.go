// Package tcp codes TCP segments (RFC 9293 3.1), with the checksum over the
// pseudo-header. It holds no state and decides nothing.
package tcp

import (
	"encoding/binary"
	"strings"

	"golang.org/x/crypto/cryptobyte"

	"hellebore/core/wire/ip"
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

// DefaultMSS is the segment size of a peer that names none (RFC 9293 3.7.1).
const DefaultMSS = 536

// Segment is a TCP segment. Its payload shares the bytes that it was read from.
type Segment struct {
	SrcPort, DstPort uint16
	Seq, Ack         uint32
	Flags            uint8
	Window           uint16
	MSS              uint16 // option of a SYN; 0 for none
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

// Append appends the segment as it goes from one address to another.
func (s *Segment) Append(b []byte, src, dst ip.Addr) []byte {
	start := len(b)
	header := uint8(HeaderLen)
	if s.MSS != 0 {
		header += 4
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
	b = append(b, s.Payload...)
	sum := checksum(b[start:], src, dst)
	binary.BigEndian.PutUint16(b[start+16:], sum)
	return b
}

// checksum is over the segment and the pseudo-header of RFC 9293 3.1.
func checksum(segment []byte, src, dst ip.Addr) uint16 {
	pseudo := make([]byte, 0, 12)
	pseudo = binary.BigEndian.AppendUint32(pseudo, uint32(src))
	pseudo = binary.BigEndian.AppendUint32(pseudo, uint32(dst))
	pseudo = append(pseudo, 0, ip.ProtoTCP, byte(len(segment)>>8), byte(len(segment)))
	sum := uint32(^ip.Checksum(pseudo)) + uint32(^ip.Checksum(segment))
	return ^uint16(sum>>16 + sum&0xffff)
}

// Read reads a segment and verifies its checksum.
func Read(b []byte, src, dst ip.Addr) (s Segment, ok bool) {
	c := cryptobyte.String(b)
	var offset uint8
	var sum, urgent uint16
	if !c.ReadUint16(&s.SrcPort) || !c.ReadUint16(&s.DstPort) || !c.ReadUint32(&s.Seq) || !c.ReadUint32(&s.Ack) ||
		!c.ReadUint8(&offset) || !c.ReadUint8(&s.Flags) || !c.ReadUint16(&s.Window) || !c.ReadUint16(&sum) || !c.ReadUint16(&urgent) {
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
		case 1:
			continue
		}
		var value []byte
		if !b.ReadUint8(&length) || length < 2 || !b.ReadBytes(&value, int(length)-2) {
			return false
		}
		if kind == 2 && len(value) == 2 && s.Flags&SYN != 0 {
			s.MSS = binary.BigEndian.Uint16(value)
		}
	}
	return true
}
