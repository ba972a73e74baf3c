package labtext

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// edited makes edits in their written form.
func edited(t *testing.T, text string, lines ...string) string {
	t.Helper()
	edits, err := ParseEdits(strings.Join(lines, "\n"))
	require.NoError(t, err)
	out, err := EditText(text, edits...)
	require.NoError(t, err, "%v", lines)
	return out
}

// changedLines are the lines that are different, "-" before and "+" after.
func changedLines(before, after string) string {
	var removed, added []string
	for _, h := range Hunks(before, after) {
		for _, l := range h.Removed {
			removed = append(removed, "-"+l)
		}
		for _, l := range h.Added {
			added = append(added, "+"+l)
		}
	}
	return strings.Join(append(removed, added...), "\n")
}

func TestEditsWriteOneFact(t *testing.T) {
	for _, c := range []struct{ edit, changes string }{
		{"mill.e1 ospf cost 40", "-      cost 10\n+      cost 40"},
		{"mill.e1 cost 40", "-      cost 10\n+      cost 40"},
		{"mill.e1 ospf cost 10", ""},
		{"mill.e1, halt.e1 bandwidth 100M", "-  port e1 10.0.12.1/30 mtu 1400\n-  port e1 10.0.12.2/30\n+  port e1 10.0.12.1/30 mtu 1400 bandwidth 100M\n+  port e1 10.0.12.2/30 bandwidth 100M"},
		{"halt.e1 ospf type broadcast passive", "-    ospf area 0\n+    ospf area 0 passive\n+      type broadcast"},
		{"halt.e1 10.0.13.2/30", "-  port e1 10.0.12.2/30\n+  port e1 10.0.13.2/30"},
		{"halt port e1 10.0.13.2/30", "-  port e1 10.0.12.2/30\n+  port e1 10.0.13.2/30"},
		{"halt port e2", "+  port e2"},
		{"halt.lo ospf area 0 passive", "+    ospf area 0 passive"},
		{"mill peer 10.255.0.3 group inside", "+    peer 10.255.0.3 group inside"},
		{"mill/192.0.2.2 export-policy other", "+      export-policy other"},
		{"mill peer 192.0.2.2 as 64497", "-    peer 192.0.2.2 as 64496\n+    peer 192.0.2.2 as 64497"},
		{"mill bgp as 64501", "-  bgp as 64500\n+  bgp as 64501"},
		{"halt bgp as 64501", "+  bgp as 64501"},
		{"halt static 203.0.113.0/24 via 10.0.12.1", "+  static 203.0.113.0/24 via 10.0.12.1"},
		{"gate gateway 10.20.1.1", "-host gate 10.20.1.10/24\n+host gate 10.20.1.10/24 gateway 10.20.1.1"},
		{"gate 10.20.1.11/24", "-host gate 10.20.1.10/24\n+host gate 10.20.1.11/24"},
		{"link halt.e1 mill.e1 delay 5ms", "-link mill.e1 halt.e1\n+link mill.e1 halt.e1 delay 5ms"},
		{"flow coal every 1s", "-flow coal mill -> halt\n+flow coal mill -> halt every 1s"},
		{"prefix-set ours 198.51.100.0/24 length 25..26", "+  198.51.100.0/24 length 25..26"},
		{"policy taken statement ours set local-preference 200", "+    set local-preference 200"},
		{"policy taken otherwise accept", "+  otherwise accept"},
		{"policy taken statement ours reject", "-    accept\n+    reject"},
		{"router mill ospf area 1 stub", "+  ospf\n+    area 1\n+      stub"},
		{"add host booth 10.20.2.10/24", "+host booth 10.20.2.10/24"},
		{"add router depot", "+\n+router depot"},
		{"segment yard mill.e1 halt.e1", "+\n+segment yard mill.e1 halt.e1"},
		{"join gate yard", "+\n+segment yard gate"},
		{"lab \"Mill\"", "+\n+lab \"Mill\""},
		{"remove mill.e1 mtu", "-  port e1 10.0.12.1/30 mtu 1400\n+  port e1 10.0.12.1/30"},
		{"remove mill.e1 ospf cost", "-      cost 10"},
		{"remove mill.e1 ospf", "-    ospf area 0\n-      cost 10"},
		{"remove mill peer 192.0.2.2", "-    peer 192.0.2.2 as 64496"},
		{"remove mill/192.0.2.2", "-    peer 192.0.2.2 as 64496"},
		{"remove mill peer 10.255.0.2 import-policy", "-      import-policy taken"},
		{"remove link halt.e1 mill.e1", "-link mill.e1 halt.e1"},
		{"remove gate", "-host gate 10.20.1.10/24"},
		{"remove policy other statement all where policy taken", "-    where policy taken"},
		{"part mill.e1", "-link mill.e1 halt.e1"},
		{"move policy other before taken", ""},
	} {
		after := edited(t, editable, c.edit)
		if c.changes != "" || !strings.HasPrefix(c.edit, "move") {
			require.Equal(t, c.changes, changedLines(editable, after), "%s\n%s", c.edit, after)
		}
		if strings.HasPrefix(c.edit, "move") {
			require.Less(t, strings.Index(after, "policy other"), strings.Index(after, "\npolicy taken"))
		}
		again, err := ParseEdit(c.edit)
		require.NoError(t, err)
		if again.Do == ToSet {
			require.Equal(t, after, edited(t, after, c.edit), "said twice")
		}
	}
}

// TestADeviceGoesWithItsLinks takes a router out: what cannot be without it goes with it.
func TestADeviceGoesWithItsLinks(t *testing.T) {
	text := editable + "segment yard gate halt.e2 mill.e2\n"
	text = edited(t, text, "halt port e2", "mill port e2")
	after := edited(t, text, "remove halt")
	r := Parse(after)
	require.True(t, r.OK(), "%v", r.Problems)
	require.Empty(t, r.Lab.Links)
	require.Empty(t, r.Lab.Flows)
	require.Empty(t, r.Lab.Checks)
	require.Len(t, r.Lab.Segments[0].Ports, 2)
	require.Contains(t, after, "# the mill\n")
	after = edited(t, text, "remove halt.e2", "remove mill.e2", "remove gate")
	require.NotContains(t, after, "segment")
	require.Contains(t, after, "check \"coal arrives\"")
}

func TestEditsThatCannotBeMade(t *testing.T) {
	for edit, says := range map[string]string{
		"":                              "write what to change, for example viaduct.e1 ospf cost 40",
		"mil.e1 ospf cost 40":           "there is no router or host named mil; did you mean mill?",
		"rooter depot":                  "there is no router or host named rooter; did you mean router?",
		"mill.e7 ospf cost 40":          "mill has no port e7; it has lo, e1",
		"mill.e1 ospf cots 40":          `unknown word "cots" in ospf on a port; did you mean cost?`,
		"mill.e1 colour red":            "colour does not belong in mill.e1; known there:",
		"mill.e1 ospf cost many":        `"many" is not a whole number; from 1 to 65535`,
		"halt peer 10.0.0.1 as 5":       "peer belongs into bgp of halt: write halt bgp ... peer",
		"mill/192.0.2.9 client":         "mill has no peer 192.0.2.9; it has 10.255.0.2, 192.0.2.2",
		"halt/192.0.2.9 client":         "halt has no peers",
		"flow ore every 1s":             "flow ore is new, and needs its from; write flow NAME DEVICE -> DEVICE",
		"add router mill":               "router mill is there already, on line 2",
		"remove mill.e1 ospf passive":   "port e1 10.0.12.1/30 has no ospf passive",
		"remove policy taken":           "policy taken is used on line 12, by peer 10.255.0.2 of router mill: take import-policy taken out there first",
		"remove prefix-set ours":        "prefix-set ours is used on line 26",
		"remove mill peer-group inside": "peer-group inside is used on line 11",
		"remove mill.lo":                "loopback lo 10.255.0.1/32 is used on line 10, by peer-group inside of router mill: take local-address lo out there first",
		"rename mill halt":              "there is another device named halt",
		"rename mill.e1 9lives":         "is not a name",
		"rename mill.e1 ospf x":         "ospf has no name",
		"join mill.e1 yard":             "mill.e1 is on link mill.e1 halt.e1 already: part it first",
		"join mill.lo yard":             "mill.lo is no port that can be joined",
		"part gate":                     "gate is on no segment and no link",
		"join mill.e1":                  "write join DEVICE.PORT SEGMENT",
		"move policy taken beside it":   "write where to: first, last, before NAME or after NAME",
		"move policy taken before it":   "there is no it beside policy taken; there:",
		"mill.e1":                       "write what to set on mill.e1, for example mill.e1 disabled",
		"remove":                        "write what to remove",
	} {
		e, err := ParseEdit(edit)
		if err == nil {
			_, err = EditText(editable, e)
		}
		require.ErrorContains(t, err, says, edit)
	}
	_, err := EditText(editable, Edit{Targets: []string{"mill"}, Statement: "port e9"}, Edit{Targets: []string{"mill.e9"}, Statement: "mtu 1"})
	require.ErrorContains(t, err, "mill.e9 mtu 1: 1 is out of range")
}

// TestCrowdedLines edits statements that share a line with others.
func TestCrowdedLines(t *testing.T) {
	const text = "router mill\n  port e1 10.0.12.1/30 mtu 1400 ospf area 0 cost 10 # slow\nrouter halt\n  port e1\nlink mill.e1 halt.e1"
	for edit, line := range map[string]string{
		"mill.e1 ospf cost 400":          "  port e1 10.0.12.1/30 mtu 1400 ospf area 0 cost 400 # slow\n",
		"mill.e1 passive":                "  port e1 10.0.12.1/30 mtu 1400 ospf area 0 passive cost 10 # slow\n",
		"mill.e1 bandwidth 10M":          "  port e1 10.0.12.1/30 mtu 1400 bandwidth 10M ospf area 0 cost 10 # slow\n",
		"remove mill.e1 mtu":             "  port e1 10.0.12.1/30 ospf area 0 cost 10 # slow\n",
		"remove mill.e1 ospf":            "  port e1 10.0.12.1/30 mtu 1400 # slow\n",
		"mill.e1 hello-interval 5s":      "  port e1 10.0.12.1/30 mtu 1400 ospf area 0 cost 10 # slow\n    hello-interval 5s\n",
		"link mill.e1 halt.e1 delay 3ms": "link mill.e1 halt.e1 delay 3ms",
		"add router depot":               "  port e1\n\nrouter depot\nlink",
	} {
		require.Contains(t, edited(t, text, edit), line, edit)
	}
}

func TestRenamesAndMoves(t *testing.T) {
	require.Contains(t, edited(t, editable, "rename mill.e1 mill.up"), "link mill.up halt.e1")
	require.Contains(t, edited(t, editable, "rename mill bridge"), "flow coal bridge -> halt")
	require.Contains(t, edited(t, editable, "rename check \"coal arrives\" \"it burns\""), "    check \"it burns\"")
	require.Contains(t, edited(t, editable, "rename mill peer-group inside core"), "peer 10.255.0.2 group core")
	require.Contains(t, edited(t, editable, "rename policy taken statement ours own"), "statement own")

	const policy = "policy p\n  statement a\n    reject\n  # the second\n  statement b\n    accept\n  statement c\n    accept\n  otherwise accept\n"
	order := func(text string) string {
		var out []string
		for _, n := range Outline(text)[0].Parts {
			out = append(out, n.Name)
		}
		return strings.Join(out, "")
	}
	for place, want := range map[string]string{"first": "bac", "last": "acb", "before a": "bac", "after c": "acb", "before c": "abc"} {
		after := edited(t, policy, "move policy p statement b "+place)
		require.Equal(t, want, order(after), place)
		require.Contains(t, after, "  # the second\n  statement b\n    accept\n", place)
		require.True(t, strings.HasSuffix(after, "  otherwise accept\n"), after)
	}
}

// TestATakeGoesAsAWhole removes what crosses by the words that it was written with: a
// take without its policy would say nothing.
func TestATakeGoesAsAWhole(t *testing.T) {
	text := "router mill\n  take ferry through some\n  instance ferry\n    port quay 10.70.0.1/30\n    take main through some\nprefix-set some\n  10.0.0.0/8\n"
	for edit, gone := range map[string]string{
		"remove mill take ferry through some":                      "  take ferry through some\n",
		"remove mill take ferry":                                   "  take ferry through some\n",
		"remove router mill instance ferry take main through some": "    take main through some\n",
		"remove mill/ferry take main through some":                 "    take main through some\n",
	} {
		require.Equal(t, strings.Replace(text, gone, "", 1), edited(t, text, edit), edit)
	}
}

func TestHunksSayWhereLinesChanged(t *testing.T) {
	after := edited(t, editable, "mill.e1 ospf cost 5", "remove flow coal", "add router depot")
	require.Equal(t, []Hunk{
		{Line: 6, Block: "router mill", Removed: []string{"      cost 10"}, Added: []string{"      cost 5"}},
		{Line: 20, Block: "router depot", Removed: []string{}, Added: []string{"", "router depot"}},
		{Line: 34, Block: "flow coal", Removed: []string{"flow coal mill -> halt", "check \"coal arrives\"", "  when cut mill.e1", "  expect flow coal", "  expect path mill -> halt through halt"}, Added: []string{}},
		{Line: 36, Block: "brief", Removed: []string{"    check \"coal arrives\""}, Added: []string{}},
	}, Hunks(editable, after))
	require.Empty(t, Hunks(after, after))
}

// TestOneStatementOnMany writes a statement on several routers or ports at once.
func TestOneStatementOnMany(t *testing.T) {
	for _, c := range []struct {
		targets, statement, has, gone string
	}{
		{"mill, halt", "static 203.0.113.0/24 blackhole", "  static 203.0.113.0/24 blackhole", ""},
		{"mill.e1, halt.e1", "bandwidth 100M", " bandwidth 100M", ""},
		{"mill.e1, halt.e1", "mtu 1500", " mtu 1500", "mtu 1400"},
		{"mill.e1,halt.e1", "cost 33", "      cost 33", "cost 10"},
		{"mill.e1", "ospf area 7", "    ospf area 7", "ospf area 0\n      cost"},
		{"mill, halt", "ospf\n  area 0\n    keys k", "  ospf\n    area 0\n      keys k", ""},
		{"halt", "router-id 10.255.0.9", "  router-id 10.255.0.9", "router-id 10.255.0.2"},
	} {
		text := edited(t, editable, c.targets+" "+c.statement)
		require.Equal(t, strings.Count(c.targets, ",")+1, strings.Count(text, c.has+"\n"), text)
		if c.gone != "" {
			require.NotContains(t, text, c.gone)
		}
		for _, p := range Parse(text).Problems {
			if p.Severity == Error {
				require.Equal(t, "there is no key chain named k", p.Message)
			}
		}
	}
}

func BenchmarkEdit(b *testing.B) {
	for _, l := range demo.Labs() {
		if l.Slug != "valley-line" {
			continue
		}
		root, _ := parse(l.Text)
		edit, err := ParseEdit(root.Children[5].Args[0].Text + " ospf reference-bandwidth 40G")
		require.NoError(b, err)
		for b.Loop() {
			after, err := EditText(l.Text, edit)
			if err != nil {
				b.Fatal(err)
			}
			Hunks(l.Text, after)
		}
	}
}

// TestEditsAreCompletedByPlace asks how edits go on.
func TestEditsAreCompletedByPlace(t *testing.T) {
	for edit, c := range map[string]struct{ has, hasNot []string }{
		"":                              {[]string{"mill", "mill.e1", "mill/192.0.2.2", "remove", "connect", "router", "link"}, []string{"cost"}},
		"mi":                            {[]string{"mill", "mill.e1"}, []string{"halt"}},
		"mill.e1 ":                      {[]string{"ospf", "cost", "mtu", "passive"}, []string{"router-id", "peer"}},
		"mill.e1 ospf ":                 {[]string{"cost", "hello-interval"}, []string{"mtu"}},
		"mill.e1 c":                     {[]string{"cost"}, []string{"mtu"}},
		"mill.e1 ospf type ":            {[]string{"point-to-point", "broadcast"}, nil},
		"mill ":                         {[]string{"router-id", "port", "bgp", "peer"}, []string{"mtu"}},
		"mill/192.0.2.2 im":             {[]string{"import-policy"}, []string{"export-policy"}},
		"mill/192.0.2.2 import-policy ": {[]string{"taken", "other"}, nil},
		"remove mi":                     {[]string{"mill", "mill.e1"}, nil},
		"mill.e1, ":                     {[]string{"halt.e1"}, nil},
		"mill.e1, halt.e1 ":             {[]string{"ospf", "mtu"}, nil},
		"new ":                          {[]string{"router", "ring"}, []string{"mill"}},
		"connect mill ":                 {[]string{"halt", "gate"}, []string{"router"}},
		"run ":                          {[]string{"ospf", "bgp", "ebgp"}, nil},
		"policy taken ":                 {[]string{"statement", "otherwise"}, nil},
		"nobody ":                       {nil, []string{"port"}},
	} {
		var got []string
		for _, s := range CompleteEdit(editable, edit).Suggestions {
			got = append(got, s.Label)
		}
		for _, w := range c.has {
			require.Contains(t, got, w, "%q", edit)
		}
		for _, w := range c.hasNot {
			require.NotContains(t, got, w, "%q", edit)
		}
	}
	require.Equal(t, 9, CompleteEdit(editable, "mill.e1 os").From)
}
