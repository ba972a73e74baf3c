package device

import "slices"

// Prefixes are the numbers of all prefixes that any source has a route for, in
// the order of the prefixes.
func (inst *Instance) Prefixes() []uint32 {
	dict := &inst.Shared().Prefixes
	var ids []uint32
	for id := range min(inst.table.Len(), dict.Len()) {
		if inst.table.Has(id) {
			ids = append(ids, id)
		}
	}
	slices.SortFunc(ids, func(a, b uint32) int { return dict.Prefix(a).Compare(dict.Prefix(b)) })
	return ids
}

// TablePrefixes are Prefixes of all instances, by the instance's number. order is
// that of all prefixes of the world (route.Prefixes.Order), which whoever asks many
// devices finds once.
func (d *Device) TablePrefixes(order []uint32) [][]uint32 {
	all := make([][]uint32, len(d.instances))
	for i := range d.instances {
		for _, id := range order {
			if d.instances[i].table.Has(id) {
				all[i] = append(all[i], id)
			}
		}
	}
	return all
}
