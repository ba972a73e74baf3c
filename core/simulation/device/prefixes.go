package device

import (
	"slices"

	"hellebore/core/protocols/route"
)

// Prefixes are the numbers of all prefixes that any source has a route for, in
// the order of the prefixes.
func (d *Device) Prefixes() []uint32 {
	shared := d.env.Shared()
	var ids []uint32
	for id := range min(d.table.Len(), shared.Prefixes.Len()) {
		for s := range route.Sources {
			if d.table.Route(s, id).Present {
				ids = append(ids, id)
				break
			}
		}
	}
	slices.SortFunc(ids, func(a, b uint32) int {
		return shared.Prefixes.Prefix(a).Compare(shared.Prefixes.Prefix(b))
	})
	return ids
}
