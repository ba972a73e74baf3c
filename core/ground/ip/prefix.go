package ip

import (
	"cmp"
	"math/bits"
	"net/netip"
)

// Prefix is an IP prefix; bits of Addr beyond Len are zero. The zero value is
// ::/0.
type Prefix struct {
	Addr Addr
	Len  uint8 // 0 to 32 or 128
}

// Default is 0.0.0.0/0, which contains every IPv4 address.
var Default = Prefix{Addr: Addr{lo: mapped}}

// PrefixFrom is the prefix that p, an address with a length, is in; the zero Prefix
// for none.
func PrefixFrom(p netip.Prefix) Prefix {
	switch {
	case !p.IsValid():
		return Prefix{}
	case p.Addr().Is4():
		return V4Prefix(QuadFrom(p.Addr()), uint8(p.Bits()))
	}
	return MakePrefix(V6(p.Addr().As16()), uint8(p.Bits()))
}

// V4Prefix is the prefix of length n, 0 to 32, that an IPv4 address is in.
func V4Prefix(q Quad, n uint8) Prefix {
	return Prefix{Addr{lo: mapped | uint64(q&Mask(n))}, n}
}

// MakePrefix is the prefix of length n that a is in: up to 32 for an IPv4 address,
// up to 128 for any other.
func MakePrefix(a Addr, n uint8) Prefix {
	if a.Is4() {
		return V4Prefix(Quad(a.lo), n)
	}
	return Prefix{a.masked(n), n}
}

// masked is a without the bits beyond the first n of its 128.
func (a Addr) masked(n uint8) Addr {
	if n <= 64 {
		return Addr{hi: a.hi &^ (^uint64(0) >> n)}
	}
	return Addr{a.hi, a.lo &^ (^uint64(0) >> (n - 64))}
}

// Mask is the IPv4 address mask of length n.
func Mask(n uint8) Quad { return Quad(^uint32(0) << (32 - n)) }

// MaskLen is the length of mask m, and whether its ones are contiguous.
func MaskLen(m Quad) (n uint8, ok bool) {
	n = uint8(bits.LeadingZeros32(^uint32(m)))
	return n, Mask(n) == m
}

// Is4 says whether p is an IPv4 prefix.
func (p Prefix) Is4() bool { return p.Addr.Is4() }

// Contains says whether a is in p.
func (p Prefix) Contains(a Addr) bool {
	hi, lo := a.hi^p.Addr.hi, a.lo^p.Addr.lo
	switch {
	case p.Is4():
		return hi == 0 && lo>>(32-p.Len) == 0
	case a.Is4():
		return false
	case p.Len <= 64:
		return hi>>(64-p.Len) == 0
	}
	return hi == 0 && lo>>(128-p.Len) == 0
}

// Covers says whether q is in p, or is p.
func (p Prefix) Covers(q Prefix) bool { return p.Len <= q.Len && p.Contains(q.Addr) }

// Join is the longest prefix that covers both, which must be of one family.
func (p Prefix) Join(q Prefix) Prefix {
	n := bits.LeadingZeros64(p.Addr.hi ^ q.Addr.hi)
	if n == 64 {
		n += bits.LeadingZeros64(p.Addr.lo ^ q.Addr.lo)
	}
	if p.Is4() {
		n -= 96
	}
	return MakePrefix(p.Addr, min(p.Len, q.Len, uint8(n)))
}

// Halves are the two prefixes that are one bit longer; p must not be of full length.
func (p Prefix) Halves() (low, high Prefix) {
	low = Prefix{p.Addr, p.Len + 1}
	at := p.Len // of the bit, in all 128
	if p.Is4() {
		at += 96
	}
	high = low
	if at < 64 {
		high.Addr.hi |= 1 << (63 - at)
	} else {
		high.Addr.lo |= 1 << (127 - at)
	}
	return low, high
}

// Compare orders prefixes by address, then by length.
func (p Prefix) Compare(q Prefix) int {
	return cmp.Or(p.Addr.Compare(q.Addr), cmp.Compare(p.Len, q.Len))
}

// Netip is the prefix as the standard library has it.
func (p Prefix) Netip() netip.Prefix {
	if !p.Addr.IsValid() {
		return netip.PrefixFrom(netip.IPv6Unspecified(), int(p.Len))
	}
	return netip.PrefixFrom(p.Addr.Netip(), int(p.Len))
}

// String is the CIDR form.
func (p Prefix) String() string { return p.Netip().String() }
