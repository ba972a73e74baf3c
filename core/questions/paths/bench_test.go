package paths_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/paths"
	"hellebore/core/questions/testlabs"
	"hellebore/demo"
)

// TestPoliciesOnTheBench runs routes through a policy, and through a draft of it.
func TestPoliciesOnTheBench(t *testing.T) {
	text := demo.Text("two-carriers")
	w := testlabs.Settled(t, text)
	b, err := paths.TryPolicy(w, paths.Trial{Policy: "from-tramway", Device: "summit", Peer: "10.64.0.2", Direction: "in"})
	require.NoError(t, err)
	require.Equal(t, 2, b.Accepted)
	require.Equal(t, []string{"local preference 100 to 300"}, b.Rows[0].Changes)

	typed := []string{"203.0.113.0/24", "", "10.64.8.0/23 path 64510 64511 med 5", "198.51.100.0/24 path 64496 community 64500:1"}
	b, err = paths.TryPolicy(w, paths.Trial{Policy: "ours-and-customers", Routes: typed,
		Draft: strings.Replace(text, "10.64.8.0/22 length 22..24", "10.64.8.0/22 length 24", 1)})
	require.NoError(t, err)
	var got []string
	for _, r := range b.Rows {
		got = append(got, r.Prefix+" "+r.Trace.Says)
	}
	require.Equal(t, []string{"203.0.113.0/24 statement own of ours-and-customers accepts it", "10.64.8.0/23 statement customers of ours-and-customers accepts it",
		"198.51.100.0/24 statement no-transit of ours-and-customers rejects it"}, got)
	require.Equal(t, 1, b.Differs)
	require.True(t, b.Rows[1].Differs)
	require.Empty(t, b.Unused)

	b, err = paths.TryPolicy(w, paths.Trial{Policy: "to-gannet", Routes: typed[:1], Draft: "policy to-gannet\n  statement\n"})
	require.NoError(t, err)
	require.NotEmpty(t, b.Problems)
	for want, trial := range map[string]paths.Trial{
		"there is no policy named nothing":                 {Policy: "nothing"},
		"the draft has no policy named to-gannet":          {Policy: "to-gannet", Draft: "lab \"x\"\n"},
		"viaduct has no peer 10.1.1.1":                     {Policy: "to-gannet", Device: "viaduct", Peer: "10.1.1.1"},
		`"tea" is not the address of a peer`:               {Policy: "to-gannet", Device: "viaduct", Peer: "tea"},
		"there is no router named crane on which BGP runs": {Policy: "to-gannet", Device: "crane", Peer: "10.1.1.1"},
	} {
		_, err := paths.TryPolicy(w, trial)
		require.EqualError(t, err, want)
	}
}

func TestRoutesAsTheyAreTyped(t *testing.T) {
	r, err := paths.ParseRoute("203.0.113.0/24 path 64496 64500 med 5 local-preference 200 origin egp next-hop 192.0.2.1 tag 7 community no-export community 64500:1:2 source static")
	require.NoError(t, err)
	require.Equal(t, "64496 64500", r.Attrs.Path.String())
	require.Equal(t, []string{"no-export", "64500:1:2"}, r.Attrs.CommunityList())
	require.Equal(t, []any{uint32(5), uint32(200), "egp", uint32(7), "static", "local"}, []any{r.Attrs.MED, r.Attrs.LocalPref, r.Attrs.Origin.String(), r.Tag, r.Source, r.Type})
	for line, want := range map[string]string{
		"tea":                         `"tea" is not a prefix; write for example 203.0.113.0/24 path 64496 64500`,
		"203.0.113.1/24":              `"203.0.113.1/24" is not a prefix; write for example 203.0.113.0/24 path 64496 64500`,
		"203.0.113.0/24 med":          "med needs a number",
		"203.0.113.0/24 med x":        `"x" is not a number for med`,
		"203.0.113.0/24 origin rip":   "origin is igp, egp or incomplete",
		"203.0.113.0/24 next-hop x":   "next-hop needs an address",
		"203.0.113.0/24 community":    "community needs a value, such as 64500:1",
		"203.0.113.0/24 community x":  `"x" is not a community`,
		"203.0.113.0/24 source rip":   "source is connected, static, ospf, bgp or taken",
		"203.0.113.0/24 colour green": `"colour" is unknown; known: path, med, local-preference, community, origin, next-hop, tag, metric, source, instance`,
		"":                            `"" is not a prefix; write for example 203.0.113.0/24 path 64496 64500`,
	} {
		_, err := paths.ParseRoute(line)
		require.EqualError(t, err, want)
	}
}

func TestWhoUsesAPolicy(t *testing.T) {
	uses := map[string]int{}
	for _, p := range paths.PoliciesOf(testlabs.Settled(t, demo.Text("two-carriers"))) {
		uses[p.Name] = len(p.Uses)
		require.NotEmpty(t, p.Statements)
	}
	require.Equal(t, 2, uses["ours-and-customers"], "two policies ask it")
	require.Equal(t, 1, uses["to-gannet"])
	require.Equal(t, 14, uses["everything"])
}
