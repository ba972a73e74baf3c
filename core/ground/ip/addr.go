// Package ip is addresses and prefixes of IP, as protocols and tables hold them:
// comparable values without pointers, so that a million of them cost the garbage
// collector nothing.
package ip

import (
	"encoding/binary"
	"net/netip"

	"hellebore/core/ground/store"
)

// Quad is 32 bits that are written as four octets in decimal (RFC 6991's
// dotted-quad): a router ID, a link state ID, a mask, an IPv4 address as a packet
// has it.
type Quad uint32

// String is the dotted form.
func (q Quad) String() string {
	var b [4]byte
	binary.BigEndian.PutUint32(b[:], uint32(q))
	return netip.AddrFrom4(b).String()
}

// QuadFrom is the 32 bits of an IPv4 address; an invalid address, or one of
// another family, gives 0.
func QuadFrom(a netip.Addr) Quad {
	if !a.Is4() {
		return 0
	}
	b := a.As4()
	return Quad(binary.BigEndian.Uint32(b[:]))
}

// Addr is an IP address of either family. The zero value is no address.
type Addr struct {
	hi, lo uint64 // an IPv4 address is mapped into IPv6 (RFC 4291 2.5.5.2)
}

// mapped is what the low half of an IPv4 address begins with.
const mapped = 0xffff << 32

// V4 is an IPv4 address; 0.0.0.0, by which packets say that there is none (RFC
// 1122 3.2.1.3), gives the zero Addr.
func V4(q Quad) Addr {
	if q == 0 {
		return Addr{}
	}
	return Addr{lo: mapped | uint64(q)}
}

// V6 is an IPv6 address, in network order; the unspecified one (RFC 4291 2.5.2)
// gives the zero Addr.
func V6(b [16]byte) Addr {
	return Addr{binary.BigEndian.Uint64(b[:8]), binary.BigEndian.Uint64(b[8:])}
}

// AddrFrom converts from the standard library's form. An invalid address gives the
// zero Addr, as does the unspecified one of either family.
func AddrFrom(a netip.Addr) Addr {
	switch {
	case a.Is4():
		return V4(QuadFrom(a))
	case a.Is6():
		return V6(a.As16())
	}
	return Addr{}
}

// IsValid says whether a is an address at all.
func (a Addr) IsValid() bool { return a != Addr{} }

// Is4 says whether a is an IPv4 address.
func (a Addr) Is4() bool { return a.hi == 0 && a.lo>>32 == mapped>>32 }

// Quad is the 32 bits of an IPv4 address; 0 for any other, and for none.
func (a Addr) Quad() Quad {
	if !a.Is4() {
		return 0
	}
	return Quad(a.lo)
}

// Multicast says whether a is a multicast address: of 224.0.0.0/4 or ff00::/8.
func (a Addr) Multicast() bool {
	if a.Is4() {
		return a.lo>>28&0xf == 0xe
	}
	return a.hi>>56 == 0xff
}

// Hash folds a into 64 bits, the same in every world. It differs for all IPv4
// addresses.
func (a Addr) Hash() uint64 {
	if a.hi == 0 && a.lo>>32 == mapped>>32 || a == (Addr{}) {
		return a.lo & 0xffffffff
	}
	return store.Mix(store.Mix(6, a.hi), a.lo)
}

// Compare orders addresses: none, then IPv6 below the mapped range, then IPv4, then
// the rest of IPv6.
func (a Addr) Compare(b Addr) int {
	switch {
	case a.hi < b.hi || a.hi == b.hi && a.lo < b.lo:
		return -1
	case a == b:
		return 0
	}
	return 1
}

// Higher is the one of two addresses that Compare puts later.
func Higher(a, b Addr) Addr {
	if a.Compare(b) < 0 {
		return b
	}
	return a
}

// Netip is a as the standard library has it; the zero netip.Addr for none.
func (a Addr) Netip() netip.Addr {
	if !a.IsValid() {
		return netip.Addr{}
	}
	var b [16]byte
	binary.BigEndian.PutUint64(b[:8], a.hi)
	binary.BigEndian.PutUint64(b[8:], a.lo)
	if a.Is4() {
		return netip.AddrFrom4([4]byte(b[12:]))
	}
	return netip.AddrFrom16(b)
}

// String is the usual form; 0.0.0.0 for none.
func (a Addr) String() string {
	if !a.IsValid() {
		return Quad(0).String()
	}
	return a.Netip().String()
}
