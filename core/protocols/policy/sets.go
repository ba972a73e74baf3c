package policy

import (
	"slices"
	"strconv"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
)

// prefixSet finds the members that a prefix is within by one look for each length
// of member in use: its cost grows with the lengths, of which there are 33, and
// not with the members.
type prefixSet struct {
	lengths []uint8 // of the members, shortest first
	members map[ip.Prefix][]span
}

// span is the lengths that a member lets through.
type span struct{ low, high uint8 }

func compilePrefixes(list []config.Member) *prefixSet {
	s := &prefixSet{members: make(map[ip.Prefix][]span, len(list))}
	for _, m := range list {
		p := ip.PrefixFrom(m.Prefix)
		if !slices.Contains(s.lengths, p.Len) {
			s.lengths = append(s.lengths, p.Len)
		}
		s.members[p] = append(s.members[p], span{m.Min, m.Max})
	}
	slices.Sort(s.lengths)
	return s
}

func (s *prefixSet) has(p ip.Prefix) bool {
	if s == nil {
		return false
	}
	for _, n := range s.lengths {
		if n > p.Len {
			return false
		}
		for _, m := range s.members[ip.MakePrefix(p.Addr, n)] {
			if p.Len >= m.low && p.Len <= m.high {
				return true
			}
		}
	}
	return false
}

// communitySet is what communities a set means. Wild members are AS:* and
// the like.
type communitySet struct {
	members []string // parts separated by :, * for any
	exact   map[uint32]bool
	larges  map[attr.Large]bool
	wild    [][]string
}

func (b *Book) communities(name string) *communitySet {
	for _, s := range b.source.Communities {
		if s.Name == name {
			return compileCommunities(s.Members)
		}
	}
	return compileCommunities(nil)
}

func compileCommunities(members []string) *communitySet {
	s := &communitySet{members: members, exact: map[uint32]bool{}, larges: map[attr.Large]bool{}}
	for _, m := range members {
		c, l, large, ok := attr.ParseCommunity(m)
		switch {
		case !ok:
			s.wild = append(s.wild, strings.Split(m, ":"))
		case large:
			s.larges[l] = true
		default:
			s.exact[c] = true
		}
	}
	return s
}

func (s *communitySet) standard(c uint32) bool {
	return s.exact[c] || s.fits(c>>16, c&0xffff)
}

func (s *communitySet) large(l attr.Large) bool {
	return s.larges[l] || s.fits(l.Admin, l.Data1, l.Data2)
}

func (s *communitySet) fits(parts ...uint32) bool {
	return slices.ContainsFunc(s.wild, func(w []string) bool {
		if len(w) != len(parts) {
			return false
		}
		for i := range w {
			if w[i] != "*" && w[i] != strconv.FormatUint(uint64(parts[i]), 10) {
				return false
			}
		}
		return true
	})
}

func (s *communitySet) any(a *attr.Set) bool {
	return slices.ContainsFunc(a.Communities, s.standard) || slices.ContainsFunc(a.Large, s.large)
}
