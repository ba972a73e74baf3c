package fixes

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/language/config"
	"hellebore/core/questions/facts"
)

// rejecting has what a session's policy decides on begin with a statement that rejects.
// verb is the session's statement that names the policy, current the one that it names
// now, "" for none, and fresh the name of a policy that none has yet.
func (c Case) rejecting(e End, verb, current, fresh, statement, where string) []string {
	p, known := facts.PolicyOn(c.World, e.ref(), current)
	if known {
		name := free(statement, func(name string) bool {
			return slices.ContainsFunc(p.Statements, func(s config.Statement) bool { return s.Name == name })
		})
		return []string{fmt.Sprintf("%s statement %s where %s\n  reject", p.Place(), name, where),
			fmt.Sprintf("move %s statement %s first", p.Place(), name)}
	}
	return []string{fmt.Sprintf("policy %s statement %s where %s\n  reject", fresh, statement, where),
		fmt.Sprintf("policy %s otherwise accept", fresh), fmt.Sprintf("%s %s %s", session(e), verb, fresh)}
}

// free is a name, or the first with a number behind it that is not taken.
func free(name string, taken func(string) bool) string {
	out := name
	for n := 2; taken(out); n++ {
		out = fmt.Sprintf("%s-%d", name, n)
	}
	return out
}

// freePolicy is a name for a policy that none has.
func (c Case) freePolicy(name string) string {
	name = strings.NewReplacer("/", "-").Replace(name)
	return free(name, func(name string) bool {
		return slices.ContainsFunc(facts.Policies(c.World), func(p facts.Policy) bool { return p.Name == name })
	})
}
