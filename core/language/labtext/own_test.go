package labtext

import (
	"testing"

	"github.com/stretchr/testify/require"
)

const owned = `router mill
  port e1 192.0.2.1/30
  bgp as 64500
    peer 192.0.2.2 as 64501
      import-policy both
      export-policy only
  policy both
    statement a
      where prefix in ours
      accept
    statement b
      reject
  policy only
    statement a
      where prefix in ours
      accept
router halt
  port e1 192.0.2.2/30
  bgp as 64501
    peer 192.0.2.1 as 64500
      import-policy both
      export-policy both
link mill.e1 halt.e1
policy both
  statement a
    where prefix in ours
    accept
prefix-set ours
  10.2.0.0/16
`

// TestARoutersOwnPolicyHidesTheLabs: of two policies of one name the router has its own,
// and all others the lab's.
func TestARoutersOwnPolicyHidesTheLabs(t *testing.T) {
	l := Parse(owned).Lab
	require.Len(t, l.Policies.List, 1)
	mill, halt := l.Device("mill").Policies.Over(&l.Policies), l.Device("halt").Policies.Over(&l.Policies)
	require.Len(t, mill.Policy("both").Statements, 2)
	require.True(t, mill.Policy("both").Own)
	require.NotNil(t, mill.Policy("only"))
	require.Len(t, halt.Policy("both").Statements, 1)
	require.Nil(t, halt.Policy("only"))
	require.Len(t, mill.PrefixSets, 1, "a set that it does not hide is the lab's")
}

// TestOwnPoliciesInATemplate: each router that takes the template has them.
func TestOwnPoliciesInATemplate(t *testing.T) {
	r := Parse("template station\n  prefix-set ours\n    10.1.0.0/16\nrouter a like station\n  static 10.1.0.0/16 blackhole\n  ospf\n    inject static through ours\n  port e1 10.0.0.1/30\n    ospf area 0\nrouter b like station\n  prefix-set ours\n    10.2.0.0/16\nprefix-set ours\n  10.3.0.0/16\n")
	require.True(t, r.OK(), "%v", r.Problems)
	require.Equal(t, "10.1.0.0/16", r.Lab.Device("a").OSPF.Injects[0].Set[0].Prefix.String())
	require.Len(t, r.Lab.Device("b").Policies.PrefixSets[0].Members, 2, "what a router says goes with what its template says")
}

func TestEditsOfOwnPolicies(t *testing.T) {
	for _, c := range []struct{ edit, changes string }{
		{"mill policy both otherwise accept", "+    otherwise accept"},
		{"mill policy both statement b accept", "-      reject\n+      accept"},
		{"halt policy both statement z reject", "+  policy both\n+    statement z\n+      reject"},
		{"halt prefix-set ours 10.9.0.0/16", "+  prefix-set ours\n+    10.9.0.0/16"},
		{"move mill policy both statement b first", "-    statement b\n-      reject\n+    statement b\n+      reject"},
		{"remove mill policy both", "-  policy both\n-    statement a\n-      where prefix in ours\n-      accept\n-    statement b\n-      reject"},
		{"rename mill policy both statement b c", "-    statement b\n+    statement c"},
	} {
		after := edited(t, owned, c.edit)
		require.Equal(t, c.changes, changedLines(owned, after), c.edit)
		require.True(t, Parse(after).OK(), c.edit)
	}
	for edit, refusal := range map[string]string{
		"remove mill policy only": "policy only is used on line 6, by peer 192.0.2.2 of router mill: take export-policy only out there first",
		"remove policy both":      "policy both is used on line 21, by peer 192.0.2.1 of router halt: take import-policy both out there first",
	} {
		e, err := ParseEdit(edit)
		require.NoError(t, err)
		_, err = EditText(owned, e)
		require.EqualError(t, err, refusal)
	}
}

// TestNamesOfOwnPoliciesAreOne: a name that hides another one stays the same name when it is
// renamed; statements of the two policies are two.
func TestNamesOfOwnPoliciesAreOne(t *testing.T) {
	line, column := place(t, owned, "both", 1)
	text, n, err := Rename(owned, line, column, "each")
	require.NoError(t, err)
	require.Equal(t, 5, n)
	require.NotContains(t, text, "both")
	require.True(t, Parse(text).OK())
	line, column = place(t, owned, "statement a", 1)
	named, err := NameAt(owned, line, column+len("statement "))
	require.NoError(t, err)
	require.Len(t, named.Uses, 1)
	require.Equal(t, "mill both", named.In)
}

func TestOwnPoliciesAreOffered(t *testing.T) {
	labels := func(c Completion) (out []string) {
		for _, s := range c.Suggestions {
			out = append(out, s.Label)
		}
		return out
	}
	require.ElementsMatch(t, []string{"both", "only"}, labels(CompleteEdit(owned, "mill/192.0.2.2 import-policy ")))
	require.ElementsMatch(t, []string{"both"}, labels(CompleteEdit(owned, "halt/192.0.2.1 import-policy ")))
	require.ElementsMatch(t, []string{"both", "only"}, labels(Complete(owned, 5, len("      import-policy ")+1)))
}

func TestDifferencesNameTheRouterOfAPolicy(t *testing.T) {
	was, is := Parse(owned).Lab, Parse(edited(t, owned, "mill policy both statement b accept", "halt prefix-set ours 10.9.0.0/16")).Lab
	var out []string
	for _, c := range Differences(&was, &is) {
		out = append(out, c.String()+" ("+c.Effect+")")
	}
	require.Equal(t, []string{"halt prefix-set ours added (" + string(Live) + ")",
		"mill policy both statement b: 2: reject -> 2: accept (" + string(Reconsiders) + ")"}, out)
}
