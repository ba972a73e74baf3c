package policy

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"hellebore/core/attr"
)

// Pattern is a small form over AS paths, which it has to fit from end to end. Its
// words, from the nearest AS on:
//
//	64496          this AS
//	64496..64511   any AS in this range
//	64496|64500    any of these
//	*              any one AS
//	...            any number of ASes, also none
//	64496+         this once or more often; + stands behind any word but ...
//	empty          no AS at all; stands alone
//
// So "64496 ..." is what AS 64496 sends, "... 64500" what AS 64500 originates,
// "... 64501 ..." what goes through AS 64501. A set within a path fits a word if
// one of its members does.
type Pattern struct {
	items []item
}

type item struct {
	ranges [][2]uint32 // empty: any AS
	many   bool        // ...: also none
	again  bool        // +
}

// maxItems bounds a pattern, whose states are the bits of a word.
const maxItems = 60

// ParsePattern reads a pattern. The error says what is wrong and what may stand
// there.
func ParsePattern(s string) (*Pattern, error) {
	p := &Pattern{}
	words := strings.Fields(s)
	if len(words) == 0 {
		return nil, fmt.Errorf("the pattern is empty; write the word empty for a path without an AS")
	}
	if len(words) > maxItems {
		return nil, fmt.Errorf("the pattern has %d words; the limit is %d", len(words), maxItems)
	}
	for _, w := range words {
		var it item
		switch {
		case w == "empty" && len(words) == 1:
			return p, nil
		case w == "...":
			it.many = true
		default:
			if rest, ok := strings.CutSuffix(w, "+"); ok {
				it.again, w = true, rest
			}
			if w == "*" {
				break
			}
			for _, alternative := range strings.Split(w, "|") {
				low, high, both := strings.Cut(alternative, "..")
				if !both {
					high = low
				}
				l, err1 := strconv.ParseUint(low, 10, 32)
				h, err2 := strconv.ParseUint(high, 10, 32)
				if err1 != nil || err2 != nil || l > h {
					return nil, fmt.Errorf("%q is not an AS number, a range such as 64496..64511, *, ... or empty", alternative)
				}
				it.ranges = append(it.ranges, [2]uint32{uint32(l), uint32(h)})
			}
		}
		p.items = append(p.items, it)
	}
	return p, nil
}

func (i *item) fits(as []uint32) bool {
	if len(i.ranges) == 0 {
		return true
	}
	return slices.ContainsFunc(as, func(a uint32) bool {
		return slices.ContainsFunc(i.ranges, func(r [2]uint32) bool { return a >= r[0] && a <= r[1] })
	})
}

// Fits says whether the pattern fits a path. It follows all its possible readings
// at once, so that no pattern takes longer than path times pattern.
func (p *Pattern) Fits(path attr.Path) bool {
	at := p.skip(1) // bit n: the items before n are read
	step := func(as []uint32) {
		var next uint64
		for i := range p.items {
			if at&(1<<i) == 0 || !p.items[i].fits(as) {
				continue
			}
			if p.items[i].many || p.items[i].again {
				next |= 1 << i // it may take one more
			}
			if !p.items[i].many {
				next |= 1 << (i + 1)
			}
		}
		at = p.skip(next)
	}
	for _, s := range path {
		if s.Kind == attr.ASSet {
			step(s.AS)
			continue
		}
		for i := range s.AS {
			step(s.AS[i : i+1])
		}
	}
	return at&(1<<len(p.items)) != 0
}

// skip adds the places that are reached by reading nothing: behind a "...".
func (p *Pattern) skip(at uint64) uint64 {
	for i := range p.items {
		if at&(1<<i) != 0 && p.items[i].many {
			at |= 1 << (i + 1)
		}
	}
	return at
}
