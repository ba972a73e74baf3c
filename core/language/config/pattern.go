package config

import (
	"slices"
	"strconv"
	"strings"

	"hellebore/core/ground/phrase"
)

// Pattern is a small form over AS paths, which it has to fit from end to end. Its
// words, from the nearest AS on:
//
//	64496          this AS
//	64496..64511   any AS in this range
//	64496|64500    any of these
//	*              any one AS
//	...            any number of ASes, also none
//	64496+         this once or more often; + may follow any word but ...
//	empty          no AS at all; nothing else beside it
//
// So "64496 ..." is what AS 64496 sends, "... 64500" what AS 64500 originates,
// "... 64501 ..." what goes through AS 64501. A set within a path fits a word if
// one of its members does.
type Pattern struct {
	Words []PatternWord
}

// PatternWord is a word of a pattern.
type PatternWord struct {
	Ranges [][2]uint32 // of AS numbers; none for any AS
	Many   bool        // ...: any number of ASes, also none
	Again  bool        // +: once or more often
}

// maxItems bounds a pattern, whose states are the bits of a word.
const maxItems = 60

// ParsePattern reads a pattern. The error says what is wrong and what may be
// there.
func ParsePattern(s string) (*Pattern, error) {
	p := &Pattern{}
	words := strings.Fields(s)
	if len(words) == 0 {
		return nil, phrase.Error("the pattern is empty; write the word empty for a path without an AS")
	}
	if len(words) > maxItems {
		return nil, phrase.Errorf("the pattern has %d words; the limit is %d", len(words), maxItems)
	}
	for _, w := range words {
		var it PatternWord
		switch {
		case w == "empty" && len(words) == 1:
			return p, nil
		case w == "...":
			it.Many = true
		default:
			if rest, ok := strings.CutSuffix(w, "+"); ok {
				it.Again, w = true, rest
			}
			if w == "*" {
				break
			}
			for alternative := range strings.SplitSeq(w, "|") {
				low, high, both := strings.Cut(alternative, "..")
				if !both {
					high = low
				}
				l, err1 := strconv.ParseUint(low, 10, 32)
				h, err2 := strconv.ParseUint(high, 10, 32)
				if err1 != nil || err2 != nil || l > h {
					return nil, phrase.Errorf("%q is not an AS number, a range such as 64496..64511, *, ... or empty",
						alternative)
				}
				it.Ranges = append(it.Ranges, [2]uint32{uint32(l), uint32(h)})
			}
		}
		p.Words = append(p.Words, it)
	}
	return p, nil
}

// Fits says whether the word fits an AS, or one of the members of a set.
func (w *PatternWord) Fits(as []uint32) bool {
	if len(w.Ranges) == 0 {
		return true
	}
	return slices.ContainsFunc(as, func(a uint32) bool {
		return slices.ContainsFunc(w.Ranges, func(r [2]uint32) bool { return a >= r[0] && a <= r[1] })
	})
}
