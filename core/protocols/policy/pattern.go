package policy

import (
	"hellebore/core/ground/attr"
	"hellebore/core/language/config"
)

// fits says whether a pattern fits a path. It follows all its possible readings
// at once, so that no pattern takes longer than path times pattern.
func fits(p *config.Pattern, path attr.Path) bool {
	at := skip(p, 1) // bit n: the items before n are read
	step := func(as []uint32) {
		var next uint64
		for i := range p.Words {
			if at&(1<<i) == 0 || !p.Words[i].Fits(as) {
				continue
			}
			if p.Words[i].Many || p.Words[i].Again {
				next |= 1 << i // it may take one more
			}
			if !p.Words[i].Many {
				next |= 1 << (i + 1)
			}
		}
		at = skip(p, next)
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
	return at&(1<<len(p.Words)) != 0
}

// skip adds the places that are reached by reading nothing: behind a "...".
func skip(p *config.Pattern, at uint64) uint64 {
	for i := range p.Words {
		if at&(1<<i) != 0 && p.Words[i].Many {
			at |= 1 << (i + 1)
		}
	}
	return at
}
