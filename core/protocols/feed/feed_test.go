package feed

import (
	"math"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
)

// TestAFeedIsWhatItsWordsSay draws feeds and looks at each row: as many as asked for, each prefix once, within the feed's
// prefix and longer than it, with ASes of its range and without the speaker's own.
func TestAFeedIsWhatItsWordsSay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		within := netip.PrefixFrom(netip.MustParseAddr("10.0.0.0"), rapid.IntRange(1, 29).Draw(t, "length")).Masked()
		if within.Addr().IsUnspecified() {
			t.Skip("not a feed's")
		}
		first := rapid.Uint32Range(1, 4_000_000_000).Draw(t, "first")
		f := config.Feed{Seed: rapid.Uint64().Draw(t, "seed"), Within: within, FirstAS: first, LastAS: first + rapid.Uint32Range(0, 1000).Draw(t, "ases")}
		f.Count = int(rapid.Uint64Range(1, min(f.Most(), 3000)).Draw(t, "count"))
		own := first + rapid.Uint32Range(0, 2).Draw(t, "own")
		table := Make(f, own)
		require.Len(t, table.Rows, f.Count)
		seen := map[ip.Prefix]bool{}
		for _, r := range table.Rows {
			require.True(t, ip.PrefixFrom(within).Covers(r.Prefix), "%v", r.Prefix)
			require.Greater(t, int(r.Prefix.Len), within.Bits())
			require.Equal(t, ip.PrefixFrom(r.Prefix.Netip().Masked()), r.Prefix)
			require.False(t, seen[r.Prefix], "%v twice", r.Prefix)
			seen[r.Prefix] = true
			require.Less(t, int(r.Turn), Turns)
			require.Less(t, int(r.Set), len(table.Sets))
		}
		for _, s := range table.Sets {
			once := map[uint32]bool{}
			s.Path.Each(func(as uint32) {
				require.True(t, f.FirstAS <= as && as <= f.LastAS && as != own)
				require.False(t, once[as], "a loop in %v", s.Path)
				once[as] = true
			})
		}
		require.Equal(t, table, Make(f, own), "the same words")
	})
}

// TestTheDistributionsAreThoseOfTheDocument counts a large feed: docs/feeds.md says what should come.
func TestTheDistributionsAreThoseOfTheDocument(t *testing.T) {
	f := config.Feed{Count: 200_000, Seed: 7, Within: netip.MustParsePrefix("8.0.0.0/5"), FirstAS: 4_200_000_000, LastAS: 4_200_009_999}
	table := Make(f, 64500)
	lengths, hops, turns := map[uint8]int{}, map[int]int{}, 0
	for _, r := range table.Rows {
		lengths[r.Prefix.Len]++
		if r.Turn < 3*Turns/10 {
			turns++
		}
	}
	share := func(n int) float64 { return float64(n) / float64(f.Count) }
	require.InDelta(t, 0.64, share(lengths[24]), 0.03)
	require.InDelta(t, 0.10, share(lengths[23]), 0.01)
	require.InDelta(t, 0.118, share(lengths[22]), 0.01)
	require.InDelta(t, 0.01, share(lengths[16]), 0.005)
	require.Zero(t, lengths[25])
	require.InDelta(t, 0.3, share(turns), 0.01)
	for _, s := range table.Sets {
		n := 0
		s.Path.Each(func(uint32) { n++ })
		hops[n]++
	}
	require.InDelta(t, 9.8, float64(f.Count)/float64(len(table.Sets)), 1, "prefixes that share attributes")
	require.InDelta(t, 0.34, float64(hops[3])/float64(len(table.Sets)), 0.03)
	require.Less(t, math.Abs(float64(hops[1])/float64(len(table.Sets))-0.08), 0.02)
	// Half of it has nothing in common with another seed's but chance.
	f.Seed = 8
	other, same := map[ip.Prefix]bool{}, 0
	for _, r := range Make(f, 64500).Rows {
		other[r.Prefix] = true
	}
	for _, r := range table.Rows {
		if other[r.Prefix] {
			same++
		}
	}
	require.Less(t, share(same), 0.5)
}

// BenchmarkMake makes a feed of a hundred thousand prefixes.
func BenchmarkMake(b *testing.B) {
	f := config.Feed{Count: 100_000, Seed: 7, Within: netip.MustParsePrefix("10.0.0.0/8"), FirstAS: 64600, LastAS: 64999}
	for b.Loop() {
		Make(f, 64500)
	}
}
