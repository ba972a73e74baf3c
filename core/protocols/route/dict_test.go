package route

import (
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/ground/ip"
)

// drawNear is an address near others, of either family.
func drawNear(t *rapid.T, label string) netip.Addr {
	var b [16]byte
	for i := range b {
		b[i] = rapid.SampledFrom([]byte{0, 0, 0, 1, 0x80}).Draw(t, label)
	}
	if rapid.Bool().Draw(t, label+" is IPv4") {
		b[12] = 10
		return netip.AddrFrom4([4]byte(b[12:]))
	}
	b[0] = 0x20
	return netip.AddrFrom16(b)
}

// TestCoveringOfBothFamilies: one table holds prefixes of both families, and an
// address finds those of its own that contain it, longest first.
func TestCoveringOfBothFamilies(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var d Prefixes
		var all []netip.Prefix
		for range rapid.IntRange(0, 30).Draw(t, "prefixes") {
			a := drawNear(t, "prefix")
			p := netip.PrefixFrom(a, rapid.IntRange(0, a.BitLen()).Draw(t, "length")).Masked()
			all = append(all, p)
			require.Equal(t, p, d.Prefix(d.ID(ip.PrefixFrom(p))).Netip())
		}
		a := drawNear(t, "address")
		var got, want []netip.Prefix
		d.Covering(ip.AddrFrom(a), func(id uint32) bool { got = append(got, d.Prefix(id).Netip()); return true })
		for _, p := range all {
			if p.Contains(a) && !slices.Contains(want, p) {
				want = append(want, p)
			}
		}
		slices.SortFunc(want, func(p, q netip.Prefix) int { return q.Bits() - p.Bits() })
		require.Equal(t, want, got)
	})
}

func TestAddressesAreNumbered(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var d Addrs
		require.Zero(t, d.ID(ip.Addr{}))
		numbers := map[ip.Addr]uint32{}
		for range rapid.IntRange(1, 40).Draw(t, "addresses") {
			a := ip.AddrFrom(drawNear(t, "address"))
			id := d.ID(a)
			require.NotZero(t, id)
			require.Equal(t, a, d.Addr(id))
			if before, known := numbers[a]; known {
				require.Equal(t, before, id)
			}
			numbers[a] = id
		}
		c := d.clone()
		other := ip.V4(0x01020304)
		require.Equal(t, other, c.Addr(c.ID(other)))
		for a, id := range numbers {
			require.Equal(t, id, c.ID(a))
			require.Equal(t, a, d.Addr(id), "a copy that goes on changes nothing here")
		}
	})
}
