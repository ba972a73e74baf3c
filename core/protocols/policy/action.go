package policy

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
)

// Private says whether an AS number is for private use (RFC 6996 5).
func Private(as uint32) bool {
	return as >= 64512 && as <= 65534 || as >= 4200000000 && as <= 4294967294
}

func (b *Book) action(c *config.Action) action {
	v := c.Value
	set := func(name string, do func(*Route)) action {
		return action{fmt.Sprintf("set %s %d", name, v), do}
	}
	switch c.What {
	case "local-preference":
		return action{adjusting(c), func(r *Route) {
			a := r.edit()
			a.LocalPref, a.HasLocalPref = adjusted(c, a.Preference()), true
		}}
	case "med":
		return action{adjusting(c), func(r *Route) {
			r.MEDSet = true
			if c.Word == "igp" {
				if r.Reached {
					a := r.edit()
					a.MED, a.HasMED = r.Interior, true
				}
				return
			}
			a := r.edit()
			a.MED, a.HasMED = adjusted(c, a.MED), true
		}}
	case "no-med":
		return action{"remove med", func(r *Route) { r.MEDSet = true; a := r.edit(); a.MED, a.HasMED = 0, false }}
	case "metric":
		return set(c.What, func(r *Route) { r.Metric, r.MetricSet = v, true })
	case "metric-type":
		return set(c.What, func(r *Route) { r.Type1 = v == 1 })
	case "tag":
		return set(c.What, func(r *Route) { r.Tag = v })
	case "origin":
		o := attr.Origin(slices.Index(attr.OriginNames[:], c.Word))
		return action{"set origin " + c.Word, func(r *Route) { r.edit().Origin = o }}
	case "next-hop":
		switch c.Word {
		case "self":
			return action{"set next-hop self", func(r *Route) { r.Self, r.Peer, r.Fixed = true, false, false }}
		case "peer":
			return action{"set next-hop peer", func(r *Route) { r.Self, r.Peer, r.Fixed = false, true, false }}
		}
		a := ip.AddrFrom(c.Address)
		return action{"set next-hop " + c.Address.String(),
			func(r *Route) { r.Self, r.Peer, r.Fixed = false, false, true; r.edit().NextHop = a }}
	case "prepend":
		return action{"prepend " + numbers(c.Path),
			func(r *Route) { a := r.edit(); a.Path = a.Path.Prepend(c.Path...) }}
	case "replace-as-path":
		path := attr.Path{}.Prepend(c.Path...)
		return action{strings.TrimSpace("replace-as-path " + numbers(c.Path)), func(r *Route) { r.edit().Path = path }}
	case "replace-as":
		words := "replace-as peer"
		if c.Word != "peer" {
			words = fmt.Sprintf("replace-as %d", v)
		}
		return action{words, func(r *Route) {
			from := v
			if c.Word == "peer" {
				from = r.NeighbourA
			}
			a := r.edit()
			a.Path = a.Path.Map(func(as uint32) (uint32, bool) {
				if as == from {
					return r.LocalAS, true
				}
				return as, true
			})
		}}
	case "remove-private-as":
		return action{c.What, func(r *Route) { a := r.edit(); a.Path = WithoutPrivate(a.Path) }}
	case "community-add":
		standard, large := parseCommunities(c.Words)
		return action{"community add " + strings.Join(c.Words, " "), func(r *Route) {
			a := r.edit()
			a.Communities, a.Large = union(a.Communities, standard), unionLarge(a.Large, large)
		}}
	case "community-set":
		standard, large := parseCommunities(c.Words)
		return action{strings.TrimSpace("community replace " + strings.Join(c.Words, " ")), func(r *Route) {
			a := r.edit()
			a.Communities, a.Large = standard, large
		}}
	case "community-remove":
		match := b.communities(c.Set)
		words := "community remove in " + c.Set
		if c.Set == "" {
			match = compileCommunities(c.Words)
			words = "community remove " + strings.Join(c.Words, " ")
		}
		return action{words, func(r *Route) {
			a := r.edit()
			a.Communities = slices.DeleteFunc(slices.Clone(a.Communities), match.standard)
			a.Large = slices.DeleteFunc(slices.Clone(a.Large), match.large)
		}}
	}
	return action{c.What, func(*Route) {}}
}

// adjusting is an action that sets or changes a number, in words.
func adjusting(c *config.Action) string {
	if c.Word == "igp" {
		return "set " + c.What + " igp"
	}
	return fmt.Sprintf("set %s %s%d", c.What, c.Word, c.Value)
}

// adjusted is the number that such an action makes of the one that was there,
// within the range of 32 bits.
func adjusted(c *config.Action, was uint32) uint32 {
	switch c.Word {
	case "+":
		return uint32(min(uint64(was)+uint64(c.Value), math.MaxUint32))
	case "-":
		return was - min(was, c.Value)
	}
	return c.Value
}

// WithoutPrivate is a path without AS numbers for private use.
func WithoutPrivate(p attr.Path) attr.Path {
	return p.Map(func(as uint32) (uint32, bool) { return as, !Private(as) })
}

func numbers(list []uint32) string {
	var words []string
	for _, n := range list {
		words = append(words, fmt.Sprint(n))
	}
	return strings.Join(words, " ")
}

func parseCommunities(words []string) (standard []uint32, large []attr.Large) {
	for _, w := range words {
		c, l, isLarge, ok := attr.ParseCommunity(w)
		switch {
		case ok && isLarge:
			large = unionLarge(large, []attr.Large{l})
		case ok:
			standard = union(standard, []uint32{c})
		}
	}
	return standard, large
}

func union(a, b []uint32) []uint32 {
	out := append(slices.Clone(a), b...)
	slices.Sort(out)
	return slices.Compact(out)
}

func unionLarge(a, b []attr.Large) []attr.Large {
	out := append(slices.Clone(a), b...)
	slices.SortFunc(out, attr.Large.Compare)
	return slices.Compact(out)
}
