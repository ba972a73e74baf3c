// Package ip codes what lies below the routing protocols: Ethernet frames, ARP
// (RFC 826), IPv4 (RFC 791) and ICMP (RFC 792), with the Internet checksum (RFC
// 1071). Reading goes through cryptobyte's cursor, so that a short packet is a
// false and never an index.
package ip

import (
	"encoding/binary"
	"fmt"
	"math/bits"
	"net/netip"
)

// Addr is an IPv4 address in host order: comparable, four bytes, no pointer, so
// that tables of a million of them cost the garbage collector nothing. 0 is no
// address.
type Addr uint32

// AddrFrom converts from the standard library's form; an invalid or non-IPv4
// address gives 0.
func AddrFrom(a netip.Addr) Addr {
	if !a.Is4() {
		return 0
	}
	b := a.As4()
	return Addr(b[0])<<24 | Addr(b[1])<<16 | Addr(b[2])<<8 | Addr(b[3])
}

// String is the dotted form.
func (a Addr) String() string {
	return netip.AddrFrom4([4]byte{byte(a >> 24), byte(a >> 16), byte(a >> 8), byte(a)}).String()
}

// Multicast says whether a is in 224.0.0.0/4.
func (a Addr) Multicast() bool { return a>>28 == 0xe }

// Prefix is an IPv4 prefix; bits of Addr beyond Len are zero.
type Prefix struct {
	Addr Addr
	Len  uint8 // 0 to 32
}

// PrefixFrom is the prefix that p, an address with a length, is in.
func PrefixFrom(p netip.Prefix) Prefix { return MakePrefix(AddrFrom(p.Addr()), uint8(p.Bits())) }

// MakePrefix is the prefix of length n that a is in.
func MakePrefix(a Addr, n uint8) Prefix { return Prefix{a & Mask(n), n} }

// Mask is the address mask of length n.
func Mask(n uint8) Addr { return Addr(^uint32(0) << (32 - n)) }

// MaskLen is the length of mask m, and whether its ones are contiguous.
func MaskLen(m Addr) (n uint8, ok bool) {
	n = uint8(bits.LeadingZeros32(^uint32(m)))
	return n, Mask(n) == m
}

// Contains says whether a is in p.
func (p Prefix) Contains(a Addr) bool { return a&Mask(p.Len) == p.Addr }

// Covers says whether q is in p, or is p.
func (p Prefix) Covers(q Prefix) bool { return p.Len <= q.Len && p.Contains(q.Addr) }

// Compare orders prefixes by address, then by length.
func (p Prefix) Compare(q Prefix) int {
	switch {
	case p.Addr < q.Addr:
		return -1
	case p.Addr > q.Addr:
		return 1
	}
	return int(p.Len) - int(q.Len)
}

// String is the CIDR form.
// Netip is the prefix as the standard library has it.
func (p Prefix) Netip() netip.Prefix {
	var b [4]byte
	binary.BigEndian.PutUint32(b[:], uint32(p.Addr))
	return netip.PrefixFrom(netip.AddrFrom4(b), int(p.Len))
}

func (p Prefix) String() string { return fmt.Sprintf("%v/%d", p.Addr, p.Len) }
