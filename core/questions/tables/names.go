package tables

import (
	"slices"

	"hellebore/core/language/config"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/network"
)

// Names are what can be named in a network and is in no other list: for completion.
type Names struct {
	Prefixes []string `json:"prefixes" doc:"those that some router has a route for, in order; at most 20000"`
	Omitted  int      `json:"omitted" doc:"prefixes beyond that"`
	Groups   []string `json:"groups" doc:"risk groups of the text in force"`
}

// maxNames bounds the prefixes of Names.
const maxNames = 20_000

// NamesOf are the names of a network.
func NamesOf(w *network.World) Names {
	out := Names{Prefixes: []string{}, Groups: []string{}}
	all := &w.Shared().Prefixes
	used := make([]bool, all.Len())
	var ids []uint32
	for _, inst := range facts.AllInstances(w) {
		if inst.Device().Kind() != config.Router {
			continue
		}
		inst.Table().EachUsed(func(id uint32) {
			if !used[id] {
				used[id] = true
				ids = append(ids, id)
			}
		})
	}
	slices.SortFunc(ids, func(a, b uint32) int { return all.Prefix(a).Compare(all.Prefix(b)) })
	out.Omitted = max(0, len(ids)-maxNames)
	for _, id := range ids[:len(ids)-out.Omitted] {
		out.Prefixes = append(out.Prefixes, all.Prefix(id).String())
	}
	return out
}
