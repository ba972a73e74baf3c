package device

import (
	"slices"

	"hellebore/core/protocols/route"
)

// Prefixes are the numbers of all prefixes that any source has a route for, in
// the order of the prefixes.
func (inst *Instance) Prefixes() []uint32 {
	shared := inst.Shared()
	var ids []uint32
	for id := range min(inst.table.Len(), shared.Prefixes.Len()) {
		for s := range route.Sources {
			if inst.table.Route(s, id).Present {
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

// TablePrefixes are the prefixes of the tables of all instances, by the instance's number.
func (d *Device) TablePrefixes() [][]uint32 {
	all := make([][]uint32, len(d.instances))
	for i := range d.instances {
		all[i] = d.instances[i].Prefixes()
	}
	return all
}
