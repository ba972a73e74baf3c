// Package policy decides what becomes of a route that crosses a border: received
// from a peer, sent to one, or taken from another protocol (RFC 9067). A Book is
// the policies of a lab, compiled; running one changes nothing but the Route that
// it is given, and says on request how it came to its verdict.
package policy

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
)

// Route is a route on its way through a policy.
type Route struct {
	Prefix     ip.Prefix
	Attrs      *attr.Set // replaced by the actions, never written
	Source     string    // connected, static, ospf, bgp, taken
	Instance   string    // in which it began: main, or by name
	Type       string    // of BGP: internal, external, local; of OSPF: its kind
	Neighbour  ip.Addr   // it comes from, or goes to; 0 for none
	NeighbourA uint32    // its AS
	LocalAS    uint32    // of the router that runs the policy
	Tag        uint32    // of the table
	Metric     uint32
	Type1      bool // of an OSPF external route
	MetricSet  bool // an action set Metric
	MEDSet     bool // an action set the MED, or took it off
	// Interior is the interior cost of the path's next hop, for actions that use
	// it; Reached says whether it has one.
	Interior uint32
	Reached  bool
	// What actions said of the next hop: ours or the peer's, which the speaker has
	// to fill in, or the one that Attrs has now, which it must leave.
	Self, Peer, Fixed bool
	owned             bool // Attrs is this run's own
}

// edit is the attributes, for writing.
func (r *Route) edit() *attr.Set {
	if !r.owned {
		a := *r.Attrs
		r.Attrs, r.owned = &a, true
	}
	return r.Attrs
}

// StatementTrace is what one statement made of a route.
type StatementTrace struct {
	Statement  string
	Conditions []Held
	Matched    bool
	Actions    []string
	Verdict    config.Verdict
}

// Held is a condition and whether it held, with the value that it looked at.
type Held struct {
	Condition string
	Policy    string // of a condition that asks another policy
	Holds     bool
	Value     string
}

// Trace is how a policy came to its verdict; nil if nobody asks.
type Trace struct {
	Policy string
	Own    bool // of one router alone
	Steps  []StatementTrace
	Accept bool
	End    bool // no statement decided: the end did
}

// Policy is a compiled policy.
type Policy struct {
	Name       string
	config     *config.Policy
	statements []statement
	otherwise  config.Verdict
	exact      bool // it looks at the prefix, so that equal attributes do not mean equal verdicts
	interior   bool // an action uses the interior cost
}

type statement struct {
	name    string
	where   []condition
	actions []action
	verdict config.Verdict
}

type condition struct {
	words  string
	policy string // that it asks
	holds  func(r *Route) bool
	value  func(r *Route) string
}

type action struct {
	words string
	do    func(r *Route)
}

// Book is the policies of a lab, or of a router with policies of its own, by name.
type Book struct {
	source   config.Policies
	policies map[string]*Policy
	prefixes map[string]*prefixSet
}

// Compile makes a book of what a text says, which must have no errors.
func Compile(p config.Policies) *Book {
	b := &Book{source: p, policies: map[string]*Policy{}, prefixes: map[string]*prefixSet{}}
	sets := p.PrefixSets
	for i := range sets {
		b.prefixes[sets[i].Name] = compilePrefixes(sets[i].Members)
	}
	for i := range p.List {
		b.policies[p.List[i].Name] = &Policy{Name: p.List[i].Name, config: &p.List[i]}
	}
	for i := range p.List {
		b.compile(b.policies[p.List[i].Name])
	}
	// A prefix set, where a policy is named, means the policy that accepts its members.
	for i := range sets {
		name := sets[i].Name
		if b.policies[name] == nil {
			b.policies[name] = &Policy{Name: name, otherwise: config.Reject, exact: true, statements: []statement{{
				name: "members", verdict: config.Accept,
				where: []condition{b.condition(&config.Condition{What: "prefix", Set: name})},
			}}}
		}
	}
	return b
}

// Source is what the book was made of; for reading.
func (b *Book) Source() *config.Policies { return &b.source }

// Policy is a policy by name, nil if there is none.
func (b *Book) Policy(name string) *Policy {
	if b == nil || name == "" {
		return nil
	}
	return b.policies[name]
}

func (b *Book) compile(p *Policy) {
	p.otherwise = p.config.Otherwise
	if p.otherwise == config.NoVerdict {
		p.otherwise = config.Reject // RFC 9067 5: default-reject
	}
	for i := range p.config.Statements {
		c := &p.config.Statements[i]
		s := statement{name: c.Name, verdict: c.Verdict}
		for k := range c.Where {
			s.where = append(s.where, b.condition(&c.Where[k]))
			p.exact = p.exact || c.Where[k].What == "prefix" || c.Where[k].What == "policy"
		}
		for k := range c.Actions {
			p.interior = p.interior || c.Actions[k].Word == "igp" && c.Actions[k].What == "med"
			s.actions = append(s.actions, b.action(&c.Actions[k]))
		}
		p.statements = append(p.statements, s)
	}
}

// ByPrefix says whether the policy looks at prefixes: otherwise all routes with
// equal attributes fare alike.
func (p *Policy) ByPrefix() bool { return p.exact }

// UsesInterior says whether an action of the policy uses the interior cost, so that
// what it makes of a route changes with that.
func (p *Policy) UsesInterior() bool { return p != nil && p.interior }

// Run runs a route through the policy, and says whether it is accepted. trace,
// if not nil, is filled.
func (p *Policy) Run(r *Route, trace *Trace) bool {
	if trace != nil {
		trace.Policy, trace.Own = p.Name, p.config != nil && p.config.Own
	}
	for i := range p.statements {
		s := &p.statements[i]
		var step *StatementTrace
		if trace != nil {
			trace.Steps = append(trace.Steps, StatementTrace{Statement: s.name})
			step = &trace.Steps[len(trace.Steps)-1]
		}
		if !s.matches(r, step) {
			continue
		}
		for k := range s.actions {
			s.actions[k].do(r)
			if step != nil {
				step.Actions = append(step.Actions, s.actions[k].words)
			}
		}
		if step != nil {
			step.Matched, step.Verdict = true, s.verdict
		}
		if s.verdict != config.NoVerdict {
			if trace != nil {
				trace.Accept = s.verdict == config.Accept
			}
			return s.verdict == config.Accept
		}
	}
	if trace != nil {
		trace.End, trace.Accept = true, p.otherwise == config.Accept
	}
	return p.otherwise == config.Accept
}

func (s *statement) matches(r *Route, step *StatementTrace) bool {
	all := true
	for i := range s.where {
		c := &s.where[i]
		ok := c.holds(r)
		if step == nil {
			if !ok {
				return false
			}
			continue
		}
		step.Conditions = append(step.Conditions, Held{c.words, c.policy, ok, c.value(r)})
		all = all && ok
	}
	return all
}

func compares(how string, a, b uint32) bool {
	switch how {
	case "<":
		return a < b
	case "<=":
		return a <= b
	case ">":
		return a > b
	case ">=":
		return a >= b
	}
	return a == b
}

// number is a condition that compares a number.
func number(c *config.Condition, of func(r *Route) uint32) condition {
	how, value := c.Compare, c.Value
	return condition{
		words: fmt.Sprintf("%s %s %d", c.What, how, value),
		holds: func(r *Route) bool { return compares(how, of(r), value) },
		value: func(r *Route) string { return fmt.Sprint(of(r)) },
	}
}

// word is a condition that compares a word.
func word(c *config.Condition, of func(r *Route) string) condition {
	want := c.Word
	return condition{words: c.What + " " + want, holds: func(r *Route) bool { return of(r) == want }, value: of}
}

func (b *Book) condition(c *config.Condition) condition {
	in := condition{words: c.What + " in " + c.Set}
	switch c.What {
	case "prefix":
		set := b.prefixes[c.Set]
		in.holds = func(r *Route) bool { return set.has(r.Prefix) }
		in.value = func(r *Route) string { return r.Prefix.String() }
	case "next-hop":
		set := b.prefixes[c.Set]
		in.holds = func(r *Route) bool { return set.has(ip.MakePrefix(ip.Addr(r.Attrs.NextHop), 32)) }
		in.value = func(r *Route) string { return ip.Addr(r.Attrs.NextHop).String() }
	case "as-path":
		var patterns []*config.Pattern
		for _, s := range b.source.PathSets {
			if s.Name == c.Set {
				for _, p := range s.Patterns {
					if compiled, err := config.ParsePattern(p); err == nil {
						patterns = append(patterns, compiled)
					}
				}
			}
		}
		in.holds = func(r *Route) bool {
			return slices.ContainsFunc(patterns, func(p *config.Pattern) bool { return fits(p, r.Attrs.Path) })
		}
		in.value = func(r *Route) string { return pathWords(r.Attrs.Path) }
	case "community":
		match := b.communities(c.Set)
		in.holds = func(r *Route) bool { return match.any(r.Attrs) }
		in.value = func(r *Route) string {
			if list := r.Attrs.CommunityList(); len(list) > 0 {
				return strings.Join(list, " ")
			}
			return "none"
		}
	case "tag":
		if c.Set == "" {
			return number(c, func(r *Route) uint32 { return r.Tag })
		}
		tags := map[uint32]bool{}
		for _, s := range b.source.Tags {
			if s.Name == c.Set {
				for _, t := range s.Tags {
					tags[t] = true
				}
			}
		}
		in.holds = func(r *Route) bool { return tags[r.Tag] }
		in.value = func(r *Route) string { return fmt.Sprint(r.Tag) }
	case "neighbour":
		addresses := map[ip.Addr]bool{}
		for _, s := range b.source.Neighbours {
			if s.Name == c.Set {
				for _, a := range s.Addresses {
					addresses[ip.AddrFrom(a)] = true
				}
			}
		}
		in.holds = func(r *Route) bool { return addresses[r.Neighbour] }
		in.value = func(r *Route) string { return r.Neighbour.String() }
	case "policy":
		other := b.policies[c.Set]
		in.words, in.policy = "policy "+c.Set, c.Set
		in.holds = func(r *Route) bool { copied := *r; copied.owned = false; return other.Run(&copied, nil) }
		in.value = func(r *Route) string {
			copied := *r
			copied.owned = false
			if other.Run(&copied, nil) {
				return "accepted"
			}
			return "rejected"
		}
	case "source":
		return word(c, func(r *Route) string { return r.Source })
	case "instance":
		return word(c, func(r *Route) string { return r.Instance })
	case "route-type":
		return word(c, func(r *Route) string { return r.Type })
	case "origin":
		return word(c, func(r *Route) string { return r.Attrs.Origin.String() })
	case "med":
		return number(c, func(r *Route) uint32 { return r.Attrs.MED })
	case "metric":
		return number(c, func(r *Route) uint32 { return r.Metric })
	case "local-preference":
		return number(c, func(r *Route) uint32 { return r.Attrs.Preference() })
	case "as-path-length":
		return number(c, func(r *Route) uint32 { return uint32(r.Attrs.Path.Len()) })
	}
	return in
}

func pathWords(p attr.Path) string {
	if len(p) == 0 {
		return "empty"
	}
	return p.String()
}

// Statements are the names of the policy's statements, in order.
func (p *Policy) Statements() []string {
	out := make([]string, 0, len(p.statements))
	for i := range p.statements {
		out = append(out, p.statements[i].name)
	}
	return out
}
