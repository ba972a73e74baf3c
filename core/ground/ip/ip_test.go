package ip

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// drawAddr is any address, often near another: of a few bits, or of one octet.
func drawAddr(t *rapid.T, label string) netip.Addr {
	var b [16]byte
	for range rapid.IntRange(0, 16).Draw(t, label+" octets") {
		b[rapid.IntRange(0, 15).Draw(t, label+" at")] = rapid.SampledFrom([]byte{0, 1, 0x80, 0xfe, 0xff}).Draw(t, label)
	}
	if rapid.Bool().Draw(t, label+" is IPv4") {
		return netip.AddrFrom4([4]byte(b[12:]))
	}
	return netip.AddrFrom16(b)
}

// plain is false for what has no form of its own here: the unspecified addresses,
// and IPv4 mapped into IPv6.
func plain(a netip.Addr) bool { return !a.IsUnspecified() && !a.Is4In6() }

// TestPrefixesAreThoseOfTheStandardLibrary holds all of prefixes against netip.
func TestPrefixesAreThoseOfTheStandardLibrary(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b := drawAddr(t, "a"), drawAddr(t, "b")
		n := rapid.IntRange(0, a.BitLen()).Draw(t, "length")
		m := rapid.IntRange(0, b.BitLen()).Draw(t, "other length")
		p, q := netip.PrefixFrom(a, n).Masked(), netip.PrefixFrom(b, m).Masked()
		x, y := PrefixFrom(netip.PrefixFrom(a, n)), PrefixFrom(netip.PrefixFrom(b, m))
		if a.Is4() || plain(a) && !p.Addr().Is4In6() {
			require.Equal(t, p.String(), x.String())
			require.Equal(t, p, x.Netip())
			require.Equal(t, a.Is4(), x.Is4())
		}
		if plain(a) && plain(b) && !p.Addr().Is4In6() && !q.Addr().Is4In6() {
			require.Equal(t, p.Contains(b), x.Contains(AddrFrom(b)), "%v contains %v", p, b)
			covers := a.Is4() == b.Is4() && n <= m && p.Contains(q.Addr())
			require.Equal(t, covers, x.Covers(y), "%v covers %v", p, q)
			require.Equal(t, p == q, x == y)
			require.Equal(t, x == y, x.Compare(y) == 0)
		}
		require.Equal(t, -x.Compare(y), y.Compare(x))
	})
}

// TestJoinsAndHalves: a join covers both and no half of it does; halves cover
// nothing in common and together all of what they are of.
func TestJoinsAndHalves(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b := drawAddr(t, "a"), drawAddr(t, "b")
		if a.Is4() != b.Is4() || a.Is4In6() || b.Is4In6() {
			return
		}
		p := PrefixFrom(netip.PrefixFrom(a, rapid.IntRange(0, a.BitLen()).Draw(t, "length")))
		q := PrefixFrom(netip.PrefixFrom(b, rapid.IntRange(0, b.BitLen()).Draw(t, "other length")))
		if a.Is6() && (p.Is4() || q.Is4()) {
			return
		}
		join := p.Join(q)
		require.Equal(t, join, q.Join(p))
		require.True(t, join.Covers(p) && join.Covers(q), "%v of %v and %v", join, p, q)
		if int(join.Len) == a.BitLen() {
			return
		}
		low, high := join.Halves()
		require.Equal(t, join, low.Join(high))
		require.False(t, low.Covers(high) || high.Covers(low) || high.Compare(low) <= 0)
		for _, half := range []Prefix{low, high} {
			require.True(t, join.Covers(half))
			require.False(t, half.Covers(p) && half.Covers(q), "%v covers %v and %v", half, p, q)
			if p.Len > join.Len {
				require.True(t, low.Covers(p) != high.Covers(p))
			}
		}
	})
}

func TestAddressesAreThoseOfTheStandardLibrary(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b := drawAddr(t, "a"), drawAddr(t, "b")
		x, y := AddrFrom(a), AddrFrom(b)
		require.Equal(t, !a.IsUnspecified(), x.IsValid())
		require.Equal(t, -x.Compare(y), y.Compare(x))
		if !plain(a) || !plain(b) {
			return
		}
		require.Equal(t, a, x.Netip())
		require.Equal(t, a.String(), x.String())
		require.Equal(t, a.Is4(), x.Is4())
		require.Equal(t, a.IsMulticast(), x.Multicast(), "%v", a)
		require.Equal(t, a == b, x == y)
		if a.Is4() == b.Is4() {
			require.Equal(t, a.Compare(b), x.Compare(y))
		}
		if a.Is4() {
			require.Equal(t, V4(x.Quad()), x)
			require.Equal(t, uint64(x.Quad()), x.Hash())
			require.Equal(t, a.String(), x.Quad().String())
		} else {
			require.Zero(t, x.Quad())
		}
	})
}

func TestWhatIsNoAddress(t *testing.T) {
	for _, none := range []Addr{{}, V4(0), V6([16]byte{}), AddrFrom(netip.Addr{}), AddrFrom(netip.IPv4Unspecified())} {
		require.False(t, none.IsValid())
		require.Equal(t, "0.0.0.0", none.String())
		require.Zero(t, none.Hash())
		require.False(t, none.Multicast())
	}
	require.Equal(t, Prefix{}, PrefixFrom(netip.Prefix{}))
}

func TestMasks(t *testing.T) {
	for n := range uint8(33) {
		got, ok := MaskLen(Mask(n))
		require.True(t, ok)
		require.Equal(t, n, got)
	}
	_, ok := MaskLen(0xff00ff00)
	require.False(t, ok)
	require.Equal(t, "0.0.0.0/0", Default.String())
	require.Equal(t, Default, V4Prefix(0x0a000001, 0))
	require.True(t, Default.Covers(V4Prefix(0x0a000000, 8)))
	require.False(t, Default.Contains(AddrFrom(netip.MustParseAddr("2001:db8::1"))))
}
