package sweep

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/questions/paths"
	"hellebore/core/simulation/network"
)

// BordersImpact is what changes at the borders of the AS with the most routers.
type BordersImpact struct {
	AS    uint32   `json:"as" doc:"0 if no AS has an external session"`
	Moved int      `json:"moved" doc:"prefixes that leave by another neighbour AS"`
	Gone  int      `json:"gone" doc:"prefixes that no neighbour AS offers any more"`
	Sent  int      `json:"sent" doc:"prefixes that a neighbour AS is sent and was not, each counted for each AS"`
	Says  []string `json:"says" doc:"some of them: those that are sent first"`
}

// maxBorderSays bounds the prefixes that are named.
const maxBorderSays = 5

// crossing is a prefix at the borders of an AS.
type crossing struct {
	leaves []uint32 // neighbour ASes by which it leaves: the best path of some router is theirs
	sent   []uint32 // that are sent it
}

// bordersOf are the prefixes that cross the borders of an AS, 0 for the one with the most routers, and their order.
func bordersOf(w *network.World, as uint32) (of uint32, by map[string]crossing, order []string) {
	b, err := paths.BordersOf(w, as)
	if err != nil {
		return as, nil, nil // it has no external session any more
	}
	by = map[string]crossing{}
	for _, row := range b.Rows {
		var x crossing
		for i, c := range row.Cells {
			if c.Received != nil && c.Received.State == "best" {
				x.leaves = append(x.leaves, b.Neighbours[i].AS)
			}
			if c.Sent != nil {
				x.sent = append(x.sent, b.Neighbours[i].AS)
			}
		}
		by[row.Prefix] = x
		order = append(order, row.Prefix)
	}
	return b.AS, by, order
}

// borders holds the borders after a failure against those before.
func (s *Sweep) borders(w *network.World) BordersImpact {
	out := BordersImpact{AS: s.as, Says: []string{}}
	if s.as == 0 {
		return out
	}
	_, after, order := bordersOf(w, s.as)
	var moved []string
	for _, prefix := range order {
		was, is := s.crossings[prefix], after[prefix]
		for _, as := range is.sent {
			if !slices.Contains(was.sent, as) {
				out.Sent++
				out.Says = append(out.Says, phrase.Say("%s is sent to AS %d", prefix, as))
			}
		}
		if len(was.leaves) > 0 && len(is.leaves) > 0 && !slices.Equal(was.leaves, is.leaves) {
			out.Moved++
			moved = append(moved, phrase.Say("%s leaves by %s, and left by %s", prefix, asWords(is.leaves), asWords(was.leaves)))
		}
	}
	for prefix, was := range s.crossings {
		if len(was.leaves) > 0 && len(after[prefix].leaves) == 0 {
			out.Gone++
		}
	}
	out.Says = append(out.Says, moved...)
	out.Says = out.Says[:min(len(out.Says), maxBorderSays)]
	return out
}

func asWords(list []uint32) string {
	var out []string
	for _, as := range list {
		out = append(out, fmt.Sprintf("AS %d", as))
	}
	return strings.Join(out, " ")
}
