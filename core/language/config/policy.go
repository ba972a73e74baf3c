package config

import (
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/attr"
)

// Policies are policies and the sets that they name (RFC 9067): those of the whole lab,
// or those of one router alone, which hide the lab's of the same kind and name there.
// Names are unique within a kind.
type Policies struct {
	List        []Policy
	PrefixSets  []PrefixSet
	PathSets    []PathSet
	Communities []CommunitySet
	Tags        []TagSet
	Neighbours  []NeighbourSet
}

// Empty says whether there are none.
func (p *Policies) Empty() bool {
	return len(p.List)+len(p.PrefixSets)+len(p.PathSets)+len(p.Communities)+len(p.Tags)+len(p.Neighbours) == 0
}

// Over are the policies and sets that a router has: its own, and those of the lab that
// its own do not hide. A hidden one's place is that of what hides it.
func (p *Policies) Over(lab *Policies) Policies {
	if p.Empty() {
		return *lab
	}
	return Policies{
		List:        over(p.List, lab.List, func(x Policy) string { return x.Name }),
		PrefixSets:  over(p.PrefixSets, lab.PrefixSets, func(x PrefixSet) string { return x.Name }),
		PathSets:    over(p.PathSets, lab.PathSets, func(x PathSet) string { return x.Name }),
		Communities: over(p.Communities, lab.Communities, func(x CommunitySet) string { return x.Name }),
		Tags:        over(p.Tags, lab.Tags, func(x TagSet) string { return x.Name }),
		Neighbours:  over(p.Neighbours, lab.Neighbours, func(x NeighbourSet) string { return x.Name }),
	}
}

func over[T any](own, lab []T, name func(T) string) []T {
	out := slices.Clone(lab)
	for _, x := range own {
		if i := slices.IndexFunc(lab, func(o T) bool { return name(o) == name(x) }); i >= 0 {
			out[i] = x
		} else {
			out = append(out, x)
		}
	}
	return out
}

// Policy is a policy by name, nil if there is none.
func (p *Policies) Policy(name string) *Policy {
	for i := range p.List {
		if p.List[i].Name == name {
			return &p.List[i]
		}
	}
	return nil
}

// Policy is statements in order.
type Policy struct {
	Name       string
	Own        bool // of one router alone
	Statements []Statement
	Otherwise  Verdict // of the end
}

// Verdict is what a statement comes to.
type Verdict uint8

// The verdicts.
const (
	NoVerdict Verdict = iota // the next statement goes on
	Accept
	Reject
)

func (v Verdict) String() string { return [...]string{"no verdict", "accept", "reject"}[v] }

// Statement is conditions that must all hold, and the actions then taken.
type Statement struct {
	Name    string
	Where   []Condition
	Actions []Action
	Verdict Verdict
}

// Condition is one where line.
type Condition struct {
	What    string // prefix, as-path, community, tag, neighbour, next-hop, source, route-type, origin, med, local-preference, as-path-length, policy
	Set     string // its name, or the policy's
	Word    string // of source, route-type and origin
	Compare string // <, <=, =, >=, >
	Value   uint32
}

// Action is one thing that a statement does to a route.
type Action struct {
	What    string // local-preference, med, no-med, origin, next-hop, metric, metric-type, tag, prepend, replace-as-path, replace-as, remove-private-as, community-add, -remove, -set
	Value   uint32
	Word    string     // of origin; of next-hop: self, peer; of replace-as: peer; of local-preference and med: + and - change it by Value, igp
	Address netip.Addr // of next-hop
	Path    []uint32   // of prepend and replace-as-path
	Words   []string   // communities, as written
	Set     string     // of community-remove
}

// PathSet is patterns over AS paths; a path is in it if one of them fits.
type PathSet struct {
	Name     string
	Patterns []string
}

// CommunitySet is communities: AS:VALUE, A:B:C or a name; * is any
// number.
type CommunitySet struct {
	Name    string
	Members []string
}

// TagSet is tags of routes.
type TagSet struct {
	Name string
	Tags []uint32
}

// NeighbourSet is addresses.
type NeighbourSet struct {
	Name      string
	Addresses []netip.Addr
}

// IsCommunity says whether a word is a community: AS:VALUE, A:B:C for a large one,
// or a well-known name.
func IsCommunity(s string) bool { _, _, _, ok := attr.ParseCommunity(s); return ok }

// WildCommunity says whether a word is a community in which * may be any
// number.
func WildCommunity(s string) bool {
	if _, _, _, ok := attr.ParseCommunity(strings.ReplaceAll(s, "*", "0")); !ok {
		return false
	}
	for p := range strings.SplitSeq(s, ":") {
		if strings.Contains(p, "*") && p != "*" {
			return false
		}
	}
	return true
}
