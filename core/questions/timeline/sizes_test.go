package timeline

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/ospf"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// TestSizesAreWhatIsThere counts routes and LSAs one by one, also where databases are not the same yet.
func TestSizesAreWhatIsThere(t *testing.T) {
	uneven := 0
	for _, slug := range []string{"tarn-valley", "three-areas", "two-islands", "shared-cable", "beyond-the-pass", "two-carriers"} {
		r := labtext.Parse(demo.Text(slug))
		require.True(t, r.OK())
		w := network.New()
		w.Configure(&r.Lab)
		for range 40 {
			routes, lsas := plainSizes(w)
			got, announced := sizes(w)
			require.Equal(t, []int{routes, lsas}, []int{got, announced}, "%s at %v", slug, w.Now())
			require.Equal(t, lsas, LSAs(w))
			if lsas > 0 && !w.Calm().Settled() {
				uneven++
			}
			w.RunUntil(w.Now()+event.Second/2, 1<<30)
		}
		w.Settle(1<<30, nil)
		routes, lsas := plainSizes(w)
		got, announced := sizes(w)
		require.Equal(t, []int{routes, lsas}, []int{got, announced}, slug)
		require.NotZero(t, routes)
	}
	require.Greater(t, uneven, 20)
}

func plainSizes(w *network.World) (routes, lsas int) {
	type place struct {
		scope ospf.Scope
		key   wire.Key
	}
	seen := map[place]bool{}
	for _, inst := range facts.AllInstances(w) {
		if inst.Device().Kind() != config.Router {
			continue
		}
		for _, id := range inst.Prefixes() {
			if _, ok := inst.Table().Best(id); ok {
				routes++
			}
		}
		inst.OSPF().Database(inst, func(v ospf.LSAView) {
			at := place{ospf.Scope{Area: v.Area, AS: v.AS}, v.Header.Key}
			if v.AS {
				at.scope.Area = 0
			}
			seen[at] = true
		})
	}
	return routes, len(seen)
}
