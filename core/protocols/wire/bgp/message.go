// Package bgp codes BGP-4 messages (RFC 4271 4) with four-octet AS numbers (RFC
// 6793), capabilities (RFC 5492), communities (RFC 1997, 4360, 8092), reflection
// (RFC 4456) and route refresh (RFC 2918). It holds no state and decides nothing
// but what is malformed, and how that is to be taken (RFC 7606).
//
// Reading an UPDATE allocates nothing for its prefixes: they stay in the bytes
// they came in, and Prefixes visits them.
//
// To add an attribute: a row in attributes, its reading and writing in attrs.go,
// and a field of core/ground/attr.Set.
package bgp

import (
	"encoding/binary"

	"golang.org/x/crypto/cryptobyte"

	"hellebore/core/ground/ip"
)

// Port is the TCP port of BGP.
const Port = 179

// Lengths of messages (RFC 4271 4.1).
const (
	HeaderLen = 19
	MaxLen    = 4096
)

// Type is what a message is.
type Type uint8

// The types of messages (RFC 4271 4.1, RFC 2918).
const (
	TypeOpen         Type = 1
	TypeUpdate       Type = 2
	TypeNotification Type = 3
	TypeKeepalive    Type = 4
	TypeRouteRefresh Type = 5
)

var typeNames = [...]string{1: "OPEN", "UPDATE", "NOTIFICATION", "KEEPALIVE", "ROUTE-REFRESH"}

func (t Type) String() string {
	if t >= 1 && int(t) < len(typeNames) {
		return typeNames[t]
	}
	return "unknown"
}

// minLen is the least length of each type of message (RFC 4271 6.1, RFC 2918 3).
var minLen = [...]int{TypeOpen: 29, TypeUpdate: 23, TypeNotification: 21, TypeKeepalive: 19, TypeRouteRefresh: 23}

// Split cuts the first message off a stream. n is its whole length, 0 if it is
// not all there yet. fault is the NOTIFICATION that a bad header earns (RFC 4271
// 6.1).
func Split(stream []byte) (t Type, body []byte, n int, fault *Notification) {
	if len(stream) < HeaderLen {
		return 0, nil, 0, nil
	}
	for _, b := range stream[:16] {
		if b != 0xff {
			return 0, nil, 0, &Notification{Code: MessageHeaderError, Subcode: NotSynchronized}
		}
	}
	length := int(binary.BigEndian.Uint16(stream[16:]))
	t = Type(stream[18])
	if int(t) >= len(minLen) || t == 0 {
		return 0, nil, 0, &Notification{Code: MessageHeaderError, Subcode: BadMessageType, Data: []byte{byte(t)}}
	}
	if length < minLen[t] || length > MaxLen || t == TypeKeepalive && length != HeaderLen ||
		t == TypeRouteRefresh && length != 23 {
		return 0, nil, 0, &Notification{Code: MessageHeaderError, Subcode: BadMessageLength, Data: stream[16:18]}
	}
	if len(stream) < length {
		return 0, nil, 0, nil
	}
	return t, stream[HeaderLen:length], length, nil
}

// begin appends a header; finish fills its length in.
func begin(b []byte, t Type) []byte {
	for range 16 {
		b = append(b, 0xff)
	}
	return append(b, 0, 0, byte(t))
}

func finish(b []byte, start int) []byte {
	binary.BigEndian.PutUint16(b[start+16:], uint16(len(b)-start))
	return b
}

// Capability is what a speaker says it can (RFC 5492).
type Capability struct {
	Code  uint8
	Value []byte
}

// Codes of capabilities.
const (
	CapMultiprotocol = 1  // RFC 4760
	CapRouteRefresh  = 2  // RFC 2918
	CapFourOctetAS   = 65 // RFC 6793
)

// CapabilityNames are the capabilities that a speaker knows, with the RFC of each.
var CapabilityNames = []struct {
	Code      uint8
	Name, RFC string
}{
	{CapMultiprotocol, "multiprotocol", "4760"},
	{CapRouteRefresh, "route refresh", "2918"},
	{CapFourOctetAS, "four-octet AS", "6793"},
}

// ASTrans replaces a four-octet AS number where there is no room for one (RFC 6793 9).
const ASTrans = 23456

// Open is an OPEN message (RFC 4271 4.2).
type Open struct {
	Version  uint8
	AS       uint16
	HoldTime uint16 // seconds
	ID       ip.Quad
	Caps     []Capability
}

// Capability is a capability by code, nil if it was not sent.
func (o *Open) Capability(code uint8) *Capability {
	for i := range o.Caps {
		if o.Caps[i].Code == code {
			return &o.Caps[i]
		}
	}
	return nil
}

// FullAS is the sender's AS number: that of its capability, if it has one.
func (o *Open) FullAS() uint32 {
	if c := o.Capability(CapFourOctetAS); c != nil && len(c.Value) == 4 {
		return binary.BigEndian.Uint32(c.Value)
	}
	return uint32(o.AS)
}

// Append appends the message.
func (o *Open) Append(b []byte) []byte {
	start := len(b)
	b = begin(b, TypeOpen)
	b = append(b, o.Version)
	b = binary.BigEndian.AppendUint16(b, o.AS)
	b = binary.BigEndian.AppendUint16(b, o.HoldTime)
	b = binary.BigEndian.AppendUint32(b, uint32(o.ID))
	var caps []byte
	for _, c := range o.Caps {
		caps = append(append(caps, c.Code, byte(len(c.Value))), c.Value...)
	}
	if len(caps) == 0 {
		return finish(append(b, 0), start)
	}
	b = append(b, byte(len(caps)+2), 2, byte(len(caps)))
	return finish(append(b, caps...), start)
}

// ReadOpen reads the body of an OPEN. fault is the NOTIFICATION that a malformed
// one earns (RFC 4271 6.2).
func ReadOpen(body []byte) (o Open, fault *Notification) {
	s := cryptobyte.String(body)
	var id uint32
	var params cryptobyte.String
	malformed := &Notification{Code: OpenError}
	if !s.ReadUint8(&o.Version) || !s.ReadUint16(&o.AS) || !s.ReadUint16(&o.HoldTime) || !s.ReadUint32(&id) {
		return o, malformed
	}
	o.ID = ip.Quad(id)
	if o.Version != 4 {
		return o, &Notification{Code: OpenError, Subcode: UnsupportedVersion, Data: []byte{0, 4}}
	}
	if o.HoldTime == 1 || o.HoldTime == 2 {
		return o, &Notification{Code: OpenError, Subcode: UnacceptableHoldTime}
	}
	if o.ID == 0 || ip.V4(o.ID).Multicast() {
		return o, &Notification{Code: OpenError, Subcode: BadBGPIdentifier}
	}
	if !s.ReadUint8LengthPrefixed(&params) || !s.Empty() {
		return o, malformed
	}
	for !params.Empty() {
		var kind uint8
		var value cryptobyte.String
		if !params.ReadUint8(&kind) || !params.ReadUint8LengthPrefixed(&value) {
			return o, malformed
		}
		if kind != 2 {
			return o, &Notification{Code: OpenError, Subcode: UnsupportedParameter}
		}
		for !value.Empty() {
			var c Capability
			var v cryptobyte.String
			if !value.ReadUint8(&c.Code) || !value.ReadUint8LengthPrefixed(&v) {
				return o, malformed
			}
			c.Value = v
			o.Caps = append(o.Caps, c)
		}
	}
	if o.FullAS() == 0 { // RFC 7607
		return o, &Notification{Code: OpenError, Subcode: BadPeerAS}
	}
	return o, nil
}

// Keepalive appends a KEEPALIVE (RFC 4271 4.4).
func Keepalive(b []byte) []byte { return finish(begin(b, TypeKeepalive), len(b)) }

// RouteRefresh appends a ROUTE-REFRESH for a family (RFC 2918 3).
func RouteRefresh(b []byte, f Family) []byte {
	start := len(b)
	return finish(f.Append(begin(b, TypeRouteRefresh)), start)
}

// AppendPrefix appends a prefix as it is in an UPDATE (RFC 4271 4.3).
func AppendPrefix(b []byte, p ip.Prefix) []byte {
	b = append(b, p.Len)
	q := p.Addr.Quad()
	for i := uint8(0); i < p.Len; i += 8 {
		b = append(b, byte(q>>(24-i)))
	}
	return b
}

// Prefixes visits the prefixes of a field of an UPDATE; ok is false if the field
// is malformed, in which case those before the fault were visited.
func Prefixes(field []byte, visit func(ip.Prefix)) (ok bool) {
	for len(field) > 0 {
		n := int(field[0])
		bytes := (n + 7) / 8
		if n > 32 || len(field) < 1+bytes {
			return false
		}
		var a uint32
		for i := range bytes {
			a |= uint32(field[1+i]) << (24 - 8*i)
		}
		visit(ip.V4Prefix(ip.Quad(a), uint8(n)))
		field = field[1+bytes:]
	}
	return true
}
