package config

import (
	"net/netip"
	"strings"

	"hellebore/core/ground/attr"
)

// Policies are the policies of a lab and the sets that they name (RFC 9067). They
// are once for the whole lab.
type Policies struct {
	List        []Policy
	PathSets    []PathSet
	Communities []CommunitySet
	Tags        []TagSet
	Neighbours  []NeighbourSet
}

// Policy is statements in order.
type Policy struct {
	Name       string
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
