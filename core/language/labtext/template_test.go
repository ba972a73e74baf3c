package labtext

import (
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/language/config"
)

// labOf is the lab of a text without errors.
func labOf(t require.TestingT, text string) config.Lab {
	r := Parse(text)
	require.True(t, r.OK(), "%s\n%v", text, r.Problems)
	return r.Lab
}

// TestWhatIsSaidOnce reads texts with templates and defaults, and the same network
// written out.
func TestWhatIsSaidOnce(t *testing.T) {
	const halt = "router halt\n  port e1 10.0.1.2/30\n    ospf area 0\nlink mill.e1 halt.e1\n"
	for name, c := range map[string]struct{ once, out string }{
		"a port": {"template trunk\n  bandwidth 10G\n  ospf area 0\n    hello-interval 1s\n    dead-interval 4s\nrouter mill\n  port e1 10.0.1.1/30 like trunk\n" + halt,
			"router mill\n  port e1 10.0.1.1/30 bandwidth 10G\n    ospf area 0\n      hello-interval 1s\n      dead-interval 4s\n" + halt},
		"its own word over all": {"template trunk\n  mtu 9000\n  ospf area 1\n    cost 5\n    priority 7\nrouter mill\n  port e1 10.0.1.1/30 like trunk\n    ospf area 0\n      cost 9\n" + halt,
			"router mill\n  port e1 10.0.1.1/30 mtu 9000\n    ospf area 0\n      cost 9\n      priority 7\n" + halt},
		"later ones win": {"template a\n  mtu 9000\n  bandwidth 1M\ntemplate b\n  mtu 1400\nrouter mill\n  port e1 10.0.1.1/30 like a b\n    ospf area 0\n" + halt,
			"router mill\n  port e1 10.0.1.1/30 mtu 1400 bandwidth 1M\n    ospf area 0\n" + halt},
		"on the line of its name": {"template a mtu 9000 bandwidth 1M # slow\nrouter mill\n  port e1 10.0.1.1/30 like a ospf area 0\n" + halt,
			"router mill\n  port e1 10.0.1.1/30 mtu 9000 bandwidth 1M\n    ospf area 0\n" + halt},
		"behind what takes it": {"router mill\n  port e1 10.0.1.1/30 like a ospf area 0\n" + halt + "template a\n  mtu 9000\n",
			"router mill\n  port e1 10.0.1.1/30 mtu 9000\n    ospf area 0\n" + halt},
		"a template of templates": {"template a\n  mtu 9000\ntemplate b like a\n  bandwidth 1M\nrouter mill\n  port e1 10.0.1.1/30 like b ospf area 0\n" + halt,
			"router mill\n  port e1 10.0.1.1/30 mtu 9000 bandwidth 1M\n    ospf area 0\n" + halt},
		"a router, whose port has its address": {"template station\n  port e1\n    ospf area 0\n  bgp as 64500\n    peer-group inside\n      as 64500\n    peer 10.0.1.2 group inside\nrouter mill like station\n  port e1 10.0.1.1/30\n" + halt,
			"router mill\n  port e1 10.0.1.1/30\n    ospf area 0\n  bgp as 64500\n    peer-group inside\n      as 64500\n    peer 10.0.1.2 group inside\n" + halt},
		"an area, a peer and a host": {"template quiet\n  stub no-summary\ntemplate carrier\n  as 64496\n  hold-time 30s\ntemplate desk\n  service 80\nrouter mill\n  port e1 10.0.1.1/30\n    ospf area 0\n  ospf\n    area 1 like quiet\n  bgp as 64500\n    peer 10.0.1.2 like carrier\nhost booth 10.9.0.2/24 like desk\n" + halt,
			"router mill\n  port e1 10.0.1.1/30\n    ospf area 0\n  ospf\n    area 1\n      stub no-summary\n  bgp as 64500\n    peer 10.0.1.2 as 64496\n      hold-time 30s\nhost booth 10.9.0.2/24\n  service 80\n" + halt},
		"one for a port and a loopback": {"template quiet\n  ospf area 0 passive\nrouter mill\n  loopback lo 10.255.0.1/32 like quiet\n  port e1 10.0.1.1/30 like quiet\n    ospf\n      passive off\n" + halt,
			"router mill\n  loopback lo 10.255.0.1/32\n    ospf area 0 passive\n  port e1 10.0.1.1/30\n    ospf area 0\n" + halt},
		"defaults": {"defaults\n  reference-bandwidth 100G\n  hello-interval 2s\n  rfc1583-compatibility off\n  mtu 1400\n  external-policy required\n  hold-time 30s\nrouter mill\n  port e1 10.0.1.1/30\n    mtu 9000\n    ospf area 0\n  bgp as 64500\n    peer 10.0.1.2 as 64500\n" + halt,
			"router mill\n  port e1 10.0.1.1/30\n    mtu 9000\n    ospf area 0\n      hello-interval 2s\n  ospf\n    reference-bandwidth 100G\n    rfc1583-compatibility off\n  bgp as 64500\n    external-policy required\n    peer 10.0.1.2 as 64500\n      hold-time 30s\nrouter halt\n  port e1 10.0.1.2/30\n    mtu 1400\n    ospf area 0\n      hello-interval 2s\n  ospf\n    reference-bandwidth 100G\n    rfc1583-compatibility off\nlink mill.e1 halt.e1\n"},
		"a template over defaults, a group over both": {"defaults\n  hold-time 30s\n  hello-interval 2s\ntemplate a\n  ospf\n    hello-interval 3s\nrouter mill\n  port e1 10.0.1.1/30 like a\n    ospf area 0\n  bgp as 64500\n    peer-group g\n      as 64500\n      hold-time 60s\n    peer 10.0.1.2 group g\nrouter halt\n  port e1 10.0.1.2/30\n    ospf area 0\nlink mill.e1 halt.e1\n",
			"router mill\n  port e1 10.0.1.1/30\n    ospf area 0\n      hello-interval 3s\n  bgp as 64500\n    peer-group g\n      as 64500\n      hold-time 60s\n    peer 10.0.1.2 group g\nrouter halt\n  port e1 10.0.1.2/30\n    ospf area 0\n      hello-interval 2s\nlink mill.e1 halt.e1\n"},
		"a sub-port has its port's bandwidth, not the default": {"defaults\n  bandwidth 1M\nrouter mill\n  port e1 bandwidth 10G\n    vlan 5 10.0.5.1/30\n",
			"router mill\n  port e1 bandwidth 10G\n    vlan 5 10.0.5.1/30\n"},
	} {
		t.Run(name, func(t *testing.T) {
			require.Equal(t, labOf(t, c.out), labOf(t, c.once))
			formatted, ok := Format(c.once)
			require.True(t, ok)
			require.Equal(t, labOf(t, c.out), labOf(t, formatted), formatted)
			again, _ := Format(formatted)
			require.Equal(t, formatted, again)
		})
	}
}

// TestTemplatesThatCannotBe reads texts whose templates are wrong: each says where and
// what to write.
func TestTemplatesThatCannotBe(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		line int
		want string
	}{
		"no such template":         {"template trunk\n  mtu 9000\nrouter mill\n  port e1 like trunc\n", 4, `there is no template named trunc; did you mean trunk?`},
		"no template at all":       {"router mill\n  port e1 like trunk\n", 2, "there is no template named trunk; write template trunk, with what it says below it"},
		"takes itself":             {"template a like b\ntemplate b like a\nrouter mill\n  port e1 like a\n", 2, "the template a takes itself"},
		"not of that place":        {"template a\n  port e9 10.9.9.9/24\nrouter mill\n  port e1 like a\n", 2, `unknown word "port" in port`},
		"an address nobody gives":  {"template a\n  loopback lo\n    ospf area 0\nrouter mill like a\n", 4, "router mill takes a template whose loopback lo has no address; write loopback lo with its address below router mill, or in the template"},
		"twice":                    {"template a mtu 9000\ntemplate a mtu 1400\nrouter mill\n  port e1 like a\n", 2, "there is another template named a, on line 1"},
		"a router's name":          {"template mill mtu 9000\nrouter mill\n  port e1 like mill\n", 1, "a router or host is named mill as well"},
		"a statement's name":       {"template ospf mtu 9000\n", 1, "ospf is a statement, and no name for a template"},
		"an error in it, once":     {"template a\n  mtu 90000\nrouter mill\n  port e1 like a\n  port e2 like a\n", 2, "90000"},
		"an error, once, by value": {"template a\n  keys nothing\nrouter mill\n  port e1\n    ospf area 0\n  ospf\n    area 0 like a\n    area 1 like a\n", 2, "nothing"},
		"what nobody takes":        {"template a\n  mtu 9000\n  banner 1\n", 3, "banner"},
	} {
		t.Run(name, func(t *testing.T) {
			r := Parse(c.text)
			require.False(t, r.OK())
			require.Len(t, r.Problems, 1, "%v", r.Problems)
			require.Equal(t, c.line, r.Problems[0].Line, "%v", r.Problems)
			require.Contains(t, r.Problems[0].String(), c.want)
		})
	}
	r := Parse("template a\n  mtu 9000\nrouter mill\n  port e1\n")
	require.True(t, r.OK())
	require.Contains(t, r.Problems[0].String(), "nothing takes the template a")
}

// TestTemplatesAreBounded writes texts that would say a thousand times a thousand
// things: they are refused, or read, in a moment.
func TestTemplatesAreBounded(t *testing.T) {
	var wide, deep strings.Builder
	wide.WriteString("template big\n")
	for i := range 3000 {
		wide.WriteString("  port e" + strconv.Itoa(i) + "\n    ospf area 0\n")
	}
	for i := range 3000 {
		wide.WriteString("router r" + strconv.Itoa(i) + " like big\n")
	}
	deep.WriteString("template t0 mtu 9000\n")
	for i := range 5000 {
		deep.WriteString("template t" + strconv.Itoa(i+1) + " like t" + strconv.Itoa(i) + " t" + strconv.Itoa(i) + "\n")
	}
	deep.WriteString("router mill\n  port e1 like t5000\n")
	r := Parse(wide.String())
	require.False(t, r.OK())
	require.Contains(t, r.Problems[0].Message, "1000000 statements")
	require.Equal(t, uint16(9000), labOf(t, deep.String()).Devices[0].Ports[0].MTU)
	for _, word := range []string{" like t", " port e1", " disabled"} {
		r = Parse("router mill" + strings.Repeat(word, 400_000))
		require.True(t, slices.ContainsFunc(r.Problems, func(p Problem) bool { return p.Message == "more than 500 statements are on one line" }), word)
	}
	var half strings.Builder
	for i := range 200_000 {
		half.WriteString("host h" + strconv.Itoa(i) + " 10.0.0.1/24\n")
	}
	require.False(t, Parse(half.String()+strings.Repeat("defaults\n", 100_000)).OK())
}

// TestEditsOfTemplates changes templates, and what takes them, by edits.
func TestEditsOfTemplates(t *testing.T) {
	const text = "# ring\ntemplate trunk\n  ospf area 0\n    cost 5 # all\nrouter mill\n  loopback lo 10.255.0.1/32\n  port e1 10.0.1.1/30 like trunk\n  port e2 10.0.2.1/30\n"
	for _, c := range []struct{ edit, want string }{
		{"trunk ospf cost 7", strings.Replace(text, "cost 5", "cost 7", 1)},
		{"template trunk ospf cost 7", strings.Replace(text, "cost 5", "cost 7", 1)},
		{"trunk bandwidth 10G", strings.Replace(text, "template trunk\n", "template trunk bandwidth 10G\n", 1)},
		{"mill.e2 like trunk", strings.Replace(text, "10.0.2.1/30", "10.0.2.1/30 like trunk", 1)},
		{"remove mill.e1 like", strings.Replace(text, " like trunk", "", 1)},
		{"remove trunk ospf cost", strings.Replace(text, "\n    cost 5 # all", "", 1)},
		{"rename trunk ring", strings.ReplaceAll(text, "trunk", "ring")},
		{"template edge bandwidth 1M", strings.Replace(text, "router mill", "\ntemplate edge bandwidth 1M\nrouter mill", 1)},
		{"mill.e1 ospf cost 9", strings.Replace(text, " like trunk\n", " like trunk\n    ospf\n      cost 9\n", 1)},
	} {
		t.Run(c.edit, func(t *testing.T) {
			edits, err := ParseEdits(c.edit)
			require.NoError(t, err)
			after, err := EditText(text, edits...)
			require.NoError(t, err)
			require.Equal(t, c.want, after)
		})
	}
	quiet := "template quiet\n  ospf area 0 passive\nrouter mill\n  port e1 10.0.1.1/30 like quiet\n"
	for edit, want := range map[string]string{"remove mill.e1 ospf passive": "passive off", "mill.e1 cost 9": "cost 9"} {
		edits, err := ParseEdits(edit)
		require.NoError(t, err)
		after, err := EditText(quiet, edits...)
		require.NoError(t, err)
		require.Contains(t, after, "like quiet\n    ospf")
		require.Contains(t, after, want)
		again, err := EditText(after, edits...)
		require.NoError(t, err)
		require.Equal(t, after, again)
	}
	// What only a template says of a router becomes the router's own where it is changed.
	whole := "template station\n  port e9 10.9.0.1/24\n    vlan 5 10.9.5.1/24\n  bgp as 64500\n    peer 10.9.0.2 as 64496\nrouter mill like station\n"
	for edit, want := range map[string]string{"mill.e9 mtu 1400": "  port e9 10.9.0.1/24 mtu 1400\n", "mill.e9.5 mtu 1400": "  port e9 10.9.0.1/24\n    vlan 5 10.9.5.1/24 mtu 1400\n",
		"mill/10.9.0.2 hold-time 30s": "  bgp\n    peer 10.9.0.2\n      hold-time 30s\n"} {
		edits, err := ParseEdits(edit)
		require.NoError(t, err)
		after, err := EditText(whole, edits...)
		require.NoError(t, err)
		require.Equal(t, whole+want, after)
		was, now := labOf(t, whole), labOf(t, after)
		require.Len(t, Differences(&was, &now), 1)
	}
	gone, err := ParseEdits("remove mill.e9")
	require.NoError(t, err)
	_, err = EditText(whole, gone...)
	require.ErrorContains(t, err, "mill has no port e9 10.9.0.1/24 of its own: template station says it, on line 2")
	edits, err := ParseEdits("remove template trunk")
	require.NoError(t, err)
	_, err = EditText(text, edits...)
	require.ErrorContains(t, err, "used on line 7")
	edits, err = ParseEdits("remove mill.e1 ospf cost")
	require.NoError(t, err)
	_, err = EditText(text, edits...)
	require.ErrorContains(t, err, "template trunk says it, on line 4")
}

// TestTemplatesSayTheSame writes demo labs' ports and peers with templates made of any
// of their statements, and reads the same network.
func TestTemplatesSayTheSame(t *testing.T) {
	files, err := filepath.Glob("../../../demo/*.lab")
	require.NoError(t, err)
	var texts []string
	for _, f := range files {
		b, err := os.ReadFile(f)
		require.NoError(t, err)
		texts = append(texts, string(b))
	}
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.SampledFrom(texts).Draw(t, "lab")
		before := labOf(t, text)
		pulls := Alike(text)
		if len(pulls) == 0 {
			t.Skip()
		}
		c := rapid.SampledFrom(pulls).Draw(t, "pull")
		after, err := Pull(text, c.In, c.Statements, "common")
		require.NoError(t, err)
		require.Empty(t, Differences(&before, new(labOf(t, after))), after)
		require.Less(t, strings.Count(after, "\n"), strings.Count(text, "\n"), after)
	})
}

// TestAPortOfATemplateIsNotRenamedInHalf refuses to rename a port that a router and its
// template both say something of.
func TestAPortOfATemplateIsNotRenamedInHalf(t *testing.T) {
	const text = "template station\n  loopback lo\n    ospf area 0\nrouter mill like station\n  loopback lo 10.255.0.1/32\n  port e1 10.0.0.1/30\nrouter halt\n  loopback lo 10.255.0.2/32\n"
	for edit, want := range map[string]string{"rename mill.lo me": "also said by template station", "rename station.lo me": "also said by router mill"} {
		edits, err := ParseEdits(edit)
		require.NoError(t, err)
		_, err = EditText(text, edits...)
		require.ErrorContains(t, err, want)
	}
	for _, edit := range []string{"rename halt.lo me", "rename mill.e1 up"} {
		edits, err := ParseEdits(edit)
		require.NoError(t, err)
		_, err = EditText(text, edits...)
		require.NoError(t, err)
	}
}

// TestWhatHoldsSaysWhere asks what counts at a place: each statement with its source.
func TestWhatHoldsSaysWhere(t *testing.T) {
	const text = "defaults\n  hello-interval 2s\ntemplate trunk\n  ospf area 0\n    cost 5\nrouter mill\n  port e1 10.0.1.1/30 mtu 9000 like trunk\n    ospf\n      priority 7\n"
	holds, err := WhatHolds(text, "mill.e1")
	require.NoError(t, err)
	require.Equal(t, []InForce{{"mtu 9000", 0, 7, ""}, {"ospf", 0, 8, ""}, {"hello-interval 2s", 1, 2, "defaults"},
		{"area 0", 1, 4, "template trunk"}, {"cost 5", 1, 5, "template trunk"}, {"priority 7", 1, 9, ""}}, holds)
	_, err = WhatHolds(text, "mill.e9")
	require.ErrorContains(t, err, "mill has no port e9")

	h := HoverAt(text, 7, 38) // trunk, behind like
	require.Equal(t, "template trunk", h.Place)
	require.Equal(t, []InForce{{"ospf area 0", 0, 4, ""}, {"cost 5", 1, 5, ""}}, h.Holds)
	h = HoverAt(text, 7, 4)
	require.Equal(t, "port e1 10.0.1.1/30", h.Place)
	require.NotEmpty(t, h.Help)
	require.Len(t, h.Holds, 6)
	require.Empty(t, HoverAt(text, 99, 1).Holds)
}
