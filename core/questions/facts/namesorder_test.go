package facts_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/facts"
)

func TestNamesAreInTheOrderInWhichPeopleCount(t *testing.T) {
	want := []string{"", "a", "a-1", "a-10", "a01", "a1", "a2", "a2b9", "a2b10", "a10", "a10b", "b", "r9.e2", "r9.e10", "r10.e1", "r99999999999999999998", "r99999999999999999999"}
	r := rand.New(rand.NewPCG(18, 5))
	for range 100 {
		got := slices.Clone(want)
		r.Shuffle(len(got), func(i, j int) { got[i], got[j] = got[j], got[i] })
		slices.SortFunc(got, facts.CompareNames)
		require.Equal(t, want, got)
	}
	// An order: of any three names, and only equal ones are equal.
	name := func() string {
		b := make([]byte, r.IntN(5))
		for i := range b {
			b[i] = "a0129"[r.IntN(5)]
		}
		return string(b)
	}
	for range 20000 {
		x, y, z := name(), name(), name()
		xy, yz := facts.CompareNames(x, y), facts.CompareNames(y, z)
		require.Equal(t, -xy, facts.CompareNames(y, x))
		require.Equal(t, x == y, xy == 0, "%q %q", x, y)
		if xy < 0 && yz < 0 {
			require.Negative(t, facts.CompareNames(x, z), "%q %q %q", x, y, z)
		}
	}
}
