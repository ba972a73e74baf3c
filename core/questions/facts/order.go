package facts

import (
	"slices"

	"hellebore/core/simulation/network"
)

// InPrefixOrder are the numbers below n in the order of their prefixes.
func InPrefixOrder(w *network.World, n uint32) []uint32 {
	ids := make([]uint32, min(n, w.Shared().Prefixes.Len()))
	for i := range ids {
		ids[i] = uint32(i)
	}
	slices.SortFunc(ids, func(a, b uint32) int {
		return w.Shared().Prefixes.Prefix(a).Compare(w.Shared().Prefixes.Prefix(b))
	})
	return ids
}
