package store

import (
	"maps"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// TestPagedAgainstMap writes at random to an array and its clones, each held
// against a plain map.
func TestPagedAgainstMap(t *testing.T) {
	type pair struct {
		paged Paged[int]
		plain map[uint32]int
	}
	hash := func(seed uint64) func(uint32, *int) uint64 {
		return func(i uint32, v *int) uint64 {
			if *v == 0 {
				return 0
			}
			return Mix(Mix(seed, uint64(i)), uint64(*v))
		}
	}
	sums := [Sums]func(uint32, *int) uint64{hash(1), hash(2), hash(3)}
	rapid.Check(t, func(t *rapid.T) {
		worlds := []*pair{{plain: map[uint32]int{}}}
		for range rapid.IntRange(1, 150).Draw(t, "steps") {
			w := worlds[rapid.IntRange(0, len(worlds)-1).Draw(t, "world")]
			if rapid.IntRange(0, 9).Draw(t, "clone") == 0 && len(worlds) < 6 {
				worlds = append(worlds, &pair{w.paged.Clone(), maps.Clone(w.plain)})
				continue
			}
			if rapid.IntRange(0, 4).Draw(t, "sum") == 0 {
				which := rapid.IntRange(0, Sums-1).Draw(t, "which")
				want := uint64(0)
				for i, v := range w.plain {
					want += sums[which](i, &v)
				}
				require.Equal(t, want, w.paged.Sum(which, sums[which]))
				continue
			}
			i := uint32(rapid.IntRange(0, 5*pageSize).Draw(t, "i"))
			v := rapid.Int().Draw(t, "v")
			w.paged.Set(i, v)
			w.plain[i] = v
		}
		for _, w := range worlds {
			seen := map[uint32]int{}
			w.paged.Each(func(i uint32, v *int) bool {
				if *v != 0 {
					seen[i] = *v
				}
				require.Equal(t, *v, w.paged.Get(i))
				return true
			})
			maps.DeleteFunc(w.plain, func(_ uint32, v int) bool { return v == 0 })
			require.Equal(t, w.plain, seen)
		}
	})
}

// TestASumCostsWhatChanged counts the elements that a sum looks at.
func TestASumCostsWhatChanged(t *testing.T) {
	var p Paged[int]
	for i := range uint32(100 * pageSize) {
		p.Set(i, int(i))
	}
	looked := 0
	sum := func(p *Paged[int]) uint64 {
		return p.Sum(0, func(i uint32, v *int) uint64 { looked++; return Mix(uint64(i), uint64(*v)) })
	}
	first := sum(&p)
	require.Equal(t, 100*pageSize, looked)
	looked = 0
	c := p.Clone()
	require.Equal(t, first, sum(&c), "a copy has what the original has")
	require.Zero(t, looked)
	c.Set(3, 7)
	*c.Edit(5 * pageSize) = 8
	require.NotEqual(t, first, sum(&c))
	require.Equal(t, 2*pageSize, looked)
	looked = 0
	require.Equal(t, first, sum(&p), "and keeps its own")
	require.Zero(t, looked)
}

func TestIndexAgainstMap(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var values Paged[uint64]
		var x Index
		plain := map[uint64]uint32{}
		hash := func(v uint64) uint64 { return Mix(0, v%7) } // collisions on purpose
		intern := func(v uint64) uint32 {
			if id, ok := x.Find(hash(v), func(id uint32) bool { return values.Get(id) == v }); ok {
				return id
			}
			id := values.Append(v)
			x.Add(hash(v), id, func(id uint32) uint64 { return hash(values.Get(id)) })
			return id
		}
		for _, v := range rapid.SliceOfN(rapid.Uint64Range(0, 400), 0, 300).Draw(t, "values") {
			id := intern(v)
			if want, ok := plain[v]; ok {
				require.Equal(t, want, id)
			}
			plain[v] = id
		}
		require.Equal(t, len(plain), int(values.Len()))
	})
}

func TestKeyedIsAFunctionOfItsKey(t *testing.T) {
	seen := map[uint64]bool{}
	for device := range uint64(20) {
		for counter := range uint64(200) {
			r := Keyed(7, device, 1, counter)
			require.Equal(t, r, Keyed(7, device, 1, counter))
			require.False(t, seen[r])
			seen[r] = true
			require.Less(t, Below(r, 10), uint64(10))
		}
	}
	var buckets [10]int
	for i := range uint64(10000) {
		buckets[Below(Keyed(1, 2, 3, i), 10)]++
	}
	for _, n := range buckets {
		require.InDelta(t, 1000, n, 150)
	}
}
