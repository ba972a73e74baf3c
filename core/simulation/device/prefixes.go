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
