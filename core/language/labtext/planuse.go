package labtext

import (
	"encoding/binary"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/language/config"
)

// PlanUse is a plan for addresses, and how much of it is taken.
type PlanUse struct {
	For    string `json:"for" doc:"links, loopbacks or lans"`
	Prefix string `json:"prefix"`
	Scope  string `json:"scope,omitempty" doc:"area 1, as 64500; empty for all"`
	Length int    `json:"length" doc:"of each network that is taken from it"`
	Used   int    `json:"used" doc:"networks that ports have, wholly or in part"`
	Total  int    `json:"total"`
	Next   string `json:"next,omitempty" doc:"the network that is taken next; empty if none is free"`
	Given  bool   `json:"given" doc:"the text has the plan; else it is the one that a lab without a plan has"`
}

// PlansOf are the plans that new links, loopbacks and hosts' networks of a lab take their
// addresses from.
func PlansOf(lab *config.Lab) []PlanUse {
	out := []PlanUse{}
	var used []netip.Prefix
	for i := range lab.Devices {
		for _, p := range lab.Devices[i].Ports {
			if p.Address.IsValid() {
				used = append(used, p.Address.Masked())
			}
		}
	}
	add := func(p config.Plan, given bool) {
		x := PlanUse{For: p.What, Prefix: p.Prefix.String(), Length: p.Length, Total: 1 << (p.Length - p.Prefix.Bits()), Given: given}
		if p.InArea {
			x.Scope = "area " + FormatArea(p.Area)
		}
		if p.AS != 0 {
			x.Scope = strings.TrimSpace(fmt.Sprintf("%s as %d", x.Scope, p.AS))
		}
		x.Used = slotsTaken(p, used)
		s := &site{lab: &config.Lab{Plans: []config.Plan{{What: p.What, Prefix: p.Prefix, Length: p.Length}}}, used: slices.Clone(used)}
		if n, err := s.take(p.What, where{}); err == nil {
			x.Next = n.String()
		}
		out = append(out, x)
	}
	for _, p := range lab.Plans {
		add(p, true)
	}
	for _, p := range defaultPlans {
		if !slices.ContainsFunc(lab.Plans, func(o config.Plan) bool { return o.What == p.What }) {
			add(p, false)
		}
	}
	return out
}

// slotsTaken counts the networks of a plan that overlap with networks in use.
func slotsTaken(p config.Plan, used []netip.Prefix) int {
	type stretch struct{ from, to int } // networks of the plan, by number
	number := func(a netip.Addr) int {
		first, at := p.Prefix.Addr().As4(), a.As4()
		return int((binary.BigEndian.Uint32(at[:]) - binary.BigEndian.Uint32(first[:])) >> (32 - p.Length))
	}
	var taken []stretch
	for _, u := range used {
		switch {
		case !u.Overlaps(p.Prefix):
		case u.Bits() <= p.Prefix.Bits():
			return 1 << (p.Length - p.Prefix.Bits())
		default:
			taken = append(taken, stretch{number(u.Addr()), number(broadcast(u))})
		}
	}
	slices.SortFunc(taken, func(a, b stretch) int { return a.from - b.from })
	n, next := 0, 0
	for _, t := range taken {
		if from := max(t.from, next); t.to >= from {
			n += t.to - from + 1
			next = t.to + 1
		}
	}
	return n
}
