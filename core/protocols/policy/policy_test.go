package policy

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
)

// plainFits is the meaning of a pattern word by word, by trying all readings.
func plainFits(items []config.PatternWord, path [][]uint32) bool {
	if len(items) == 0 {
		return len(path) == 0
	}
	it := items[0]
	if it.Many {
		return plainFits(items[1:], path) || len(path) > 0 && plainFits(items, path[1:])
	}
	if len(path) == 0 || !it.Fits(path[0]) {
		return false
	}
	return plainFits(items[1:], path[1:]) || it.Again && plainFits(items, path[1:])
}

func TestPatternsAgainstAllReadings(t *testing.T) {
	word := rapid.SampledFrom([]string{"1", "2", "3", "*", "...", "1+", "*+", "2|3", "1..2", "2..3+"})
	rapid.Check(t, func(t *rapid.T) {
		text := strings.Join(rapid.SliceOfN(word, 1, 6).Draw(t, "pattern"), " ")
		p, err := config.ParsePattern(text)
		require.NoError(t, err)
		var path attr.Path
		var plain [][]uint32
		for range rapid.IntRange(0, 6).Draw(t, "length") {
			as := uint32(rapid.IntRange(1, 4).Draw(t, "as"))
			if rapid.IntRange(0, 6).Draw(t, "kind") == 0 {
				path = append(path, attr.Segment{Kind: attr.ASSet, AS: []uint32{as, as%4 + 1}})
				plain = append(plain, []uint32{as, as%4 + 1})
				continue
			}
			path = append(path, attr.Segment{Kind: attr.ASSequence, AS: []uint32{as}})
			plain = append(plain, []uint32{as})
		}
		require.Equal(t, plainFits(p.Words, plain), fits(p, path), "%s on %v", text, path)
	})
}

func TestPatterns(t *testing.T) {
	path := attr.Path{}.Prepend(64496, 64497, 64497, 64500)
	for pattern, want := range map[string]bool{
		"64496 ...": true, "... 64500": true, "... 64497 ...": true, "64496 64497+ 64500": true, "* * * *": true, "* * *": false,
		"64496..64499 ...": true, "64500 ...": false, "empty": false, "...": true, "64496 64497|64498 * 64500": true,
	} {
		p, err := config.ParsePattern(pattern)
		require.NoError(t, err, pattern)
		require.Equal(t, want, fits(p, path), pattern)
	}
	none, err := config.ParsePattern("empty")
	require.NoError(t, err)
	require.True(t, fits(none, nil))
	for pattern, want := range map[string]string{
		"":                       "the pattern is empty; write the word empty for a path without an AS",
		"64500-1":                `"64500-1" is not an AS number, a range such as 64496..64511, *, ... or empty`,
		"9..3":                   `"9..3" is not an AS number, a range such as 64496..64511, *, ... or empty`,
		"empty 1":                `"empty" is not an AS number, a range such as 64496..64511, *, ... or empty`,
		"+":                      `"" is not an AS number, a range such as 64496..64511, *, ... or empty`,
		strings.Repeat("1 ", 61): "the pattern has 61 words; the limit is 60",
	} {
		_, err := config.ParsePattern(pattern)
		require.EqualError(t, err, want)
	}
}

func FuzzPattern(f *testing.F) {
	for _, s := range []string{"64496 ...", "* 1..3|7+", "empty", "..."} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		p, err := config.ParsePattern(s)
		if err == nil {
			fits(p, attr.Path{}.Prepend(1, 2, 3))
		}
	})
}

// TestPrefixSetsAgainstList holds the set against its list, searched from end to
// end.
func TestPrefixSetsAgainstList(t *testing.T) {
	address := rapid.Map(rapid.IntRange(0, 255), func(n int) ip.Quad { return ip.Quad(n) << 24 })
	rapid.Check(t, func(t *rapid.T) {
		var list []config.Member
		for range rapid.IntRange(0, 12).Draw(t, "members") {
			n := uint8(rapid.IntRange(0, 8).Draw(t, "len"))
			low := n + uint8(rapid.IntRange(0, 3).Draw(t, "low"))
			list = append(list, config.Member{Prefix: ip.V4Prefix(address.Draw(t, "member"), n).Netip(), Min: low, Max: low + uint8(rapid.IntRange(0, 3).Draw(t, "high"))})
		}
		s := compilePrefixes(list)
		for range 30 {
			p := ip.V4Prefix(address.Draw(t, "prefix"), uint8(rapid.IntRange(0, 12).Draw(t, "plen")))
			require.Equal(t, config.Matches(list, p.Netip()), s.has(p), "%v in %v", p, list)
		}
	})
}

// accept makes a policy of one statement.
func accept(s config.Statement) *Policy {
	s.Name, s.Verdict = "it", config.Accept
	p := config.Policies{List: []config.Policy{{Name: "p", Statements: []config.Statement{s}}, {Name: "yes", Otherwise: config.Accept}, {Name: "no"}},
		PrefixSets:  []config.PrefixSet{{Name: "s", Members: []config.Member{{Prefix: netip.MustParsePrefix("192.0.2.0/24"), Min: 24, Max: 32}}}},
		PathSets:    []config.PathSet{{Name: "s", Patterns: []string{"64496 ..."}}},
		Communities: []config.CommunitySet{{Name: "s", Members: []string{"64500:*", "64500:1:*", "no-export"}}},
		Tags:        []config.TagSet{{Name: "s", Tags: []uint32{7}}},
		Neighbours:  []config.NeighbourSet{{Name: "s", Addresses: []netip.Addr{netip.MustParseAddr("192.0.2.2")}}}}
	return Compile(p).Policy("p")
}

func route() *Route {
	return &Route{Prefix: ip.MakePrefix(ip.V4(0xc0000200), 24), Source: "bgp", Type: "external", Neighbour: ip.V4(0xc0000202), NeighbourA: 64496, LocalAS: 64500, Tag: 7, Metric: 4,
		Attrs: &attr.Set{Path: attr.Path{}.Prepend(64496, 64512, 64497), NextHop: ip.V4(0xc0000203), MED: 4, HasMED: true, Communities: []uint32{64500<<16 | 3}, Large: []attr.Large{{Admin: 64500, Data1: 1, Data2: 9}}}}
}

// TestConditions shows each condition holding and not.
func TestConditions(t *testing.T) {
	for _, c := range []struct {
		holds, not config.Condition
	}{
		{config.Condition{What: "prefix", Set: "s"}, config.Condition{What: "prefix", Set: "none"}},
		{config.Condition{What: "next-hop", Set: "s"}, config.Condition{What: "next-hop", Set: "none"}},
		{config.Condition{What: "as-path", Set: "s"}, config.Condition{What: "as-path", Set: "none"}},
		{config.Condition{What: "community", Set: "s"}, config.Condition{What: "community", Set: "none"}},
		{config.Condition{What: "neighbour", Set: "s"}, config.Condition{What: "neighbour", Set: "none"}},
		{config.Condition{What: "tag", Set: "s"}, config.Condition{What: "tag", Compare: "=", Value: 8}},
		{config.Condition{What: "source", Word: "bgp"}, config.Condition{What: "source", Word: "ospf"}},
		{config.Condition{What: "route-type", Word: "external"}, config.Condition{What: "route-type", Word: "internal"}},
		{config.Condition{What: "origin", Word: "igp"}, config.Condition{What: "origin", Word: "egp"}},
		{config.Condition{What: "med", Compare: "<", Value: 5}, config.Condition{What: "med", Compare: "<", Value: 4}},
		{config.Condition{What: "med", Compare: "<=", Value: 4}, config.Condition{What: "med", Compare: "<=", Value: 3}},
		{config.Condition{What: "local-preference", Compare: "=", Value: 100}, config.Condition{What: "local-preference", Compare: ">", Value: 100}},
		{config.Condition{What: "metric", Compare: ">=", Value: 4}, config.Condition{What: "metric", Compare: ">=", Value: 5}},
		{config.Condition{What: "as-path-length", Compare: "=", Value: 3}, config.Condition{What: "as-path-length", Compare: "=", Value: 2}},
		{config.Condition{What: "policy", Set: "yes"}, config.Condition{What: "policy", Set: "no"}},
	} {
		require.True(t, accept(config.Statement{Where: []config.Condition{c.holds}}).Run(route(), nil), "%+v", c.holds)
		var trace Trace
		require.False(t, accept(config.Statement{Where: []config.Condition{c.not}}).Run(route(), &trace), "%+v", c.not)
		require.True(t, trace.End)
		require.False(t, trace.Steps[0].Matched)
		require.NotEmpty(t, trace.Steps[0].Conditions[0].Condition)
		require.NotEmpty(t, trace.Steps[0].Conditions[0].Value)
	}
}

// TestActions shows what each action makes of a route, and that the set it came
// with is not written.
func TestActions(t *testing.T) {
	for name, c := range map[string]struct {
		do   config.Action
		want func(r *Route) any
		is   any
	}{
		"local preference":  {config.Action{What: "local-preference", Value: 200}, func(r *Route) any { return r.Attrs.Preference() }, uint32(200)},
		"MED":               {config.Action{What: "med", Value: 9}, func(r *Route) any { return r.Attrs.MED }, uint32(9)},
		"no MED":            {config.Action{What: "no-med"}, func(r *Route) any { return r.Attrs.HasMED }, false},
		"origin":            {config.Action{What: "origin", Word: "incomplete"}, func(r *Route) any { return r.Attrs.Origin }, attr.Incomplete},
		"next hop":          {config.Action{What: "next-hop", Address: netip.MustParseAddr("192.0.2.9")}, func(r *Route) any { return r.Fixed && r.Attrs.NextHop == ip.V4(0xc0000209) }, true},
		"next hop self":     {config.Action{What: "next-hop", Word: "self"}, func(r *Route) any { return r.Self }, true},
		"next hop peer":     {config.Action{What: "next-hop", Word: "peer"}, func(r *Route) any { return r.Peer }, true},
		"metric":            {config.Action{What: "metric", Value: 30}, func(r *Route) any { return r.Metric }, uint32(30)},
		"metric type":       {config.Action{What: "metric-type", Value: 1}, func(r *Route) any { return r.Type1 }, true},
		"tag":               {config.Action{What: "tag", Value: 5}, func(r *Route) any { return r.Tag }, uint32(5)},
		"prepend":           {config.Action{What: "prepend", Path: []uint32{64500, 64500}}, func(r *Route) any { return r.Attrs.Path.String() }, "64500 64500 64496 64512 64497"},
		"another path":      {config.Action{What: "replace-as-path", Path: []uint32{64501}}, func(r *Route) any { return r.Attrs.Path.String() }, "64501"},
		"the peer's AS":     {config.Action{What: "replace-as", Word: "peer"}, func(r *Route) any { return r.Attrs.Path.String() }, "64500 64512 64497"},
		"another AS":        {config.Action{What: "replace-as", Value: 64497}, func(r *Route) any { return r.Attrs.Path.String() }, "64496 64512 64500"},
		"private AS":        {config.Action{What: "remove-private-as"}, func(r *Route) any { return r.Attrs.Path.String() }, "64496 64497"},
		"more communities":  {config.Action{What: "community-add", Words: []string{"no-export", "64500:1:2"}}, func(r *Route) any { return fmt.Sprint(r.Attrs.CommunityList()) }, "[64500:3 no-export 64500:1:2 64500:1:9]"},
		"fewer communities": {config.Action{What: "community-remove", Words: []string{"64500:3"}}, func(r *Route) any { return fmt.Sprint(r.Attrs.CommunityList()) }, "[64500:1:9]"},
		"none of a set":     {config.Action{What: "community-remove", Set: "s"}, func(r *Route) any { return fmt.Sprint(r.Attrs.CommunityList()) }, "[]"},
		"others in place":   {config.Action{What: "community-set", Words: []string{"64500:8"}}, func(r *Route) any { return fmt.Sprint(r.Attrs.CommunityList()) }, "[64500:8]"},
	} {
		t.Run(name, func(t *testing.T) {
			r := route()
			original := r.Attrs
			before := *original
			before.Communities, before.Large = slices.Clone(original.Communities), slices.Clone(original.Large)
			require.True(t, accept(config.Statement{Actions: []config.Action{c.do}}).Run(r, nil))
			require.Equal(t, c.is, c.want(r))
			require.True(t, original.Equal(&before), "the set that came in is written")
		})
	}
}

// TestStatementsInOrder: without a verdict the next one goes on with what was
// changed; the end rejects unless it says otherwise (RFC 9067 5).
func TestStatementsInOrder(t *testing.T) {
	set := func(v uint32) []config.Action { return []config.Action{{What: "med", Value: v}} }
	p := config.Policies{List: []config.Policy{{Name: "p", Statements: []config.Statement{
		{Name: "first", Actions: set(50)},
		{Name: "second", Where: []config.Condition{{What: "med", Compare: "=", Value: 50}}, Actions: set(60)},
		{Name: "third", Where: []config.Condition{{What: "med", Compare: "=", Value: 4}}, Verdict: config.Accept},
	}}, {Name: "q", Otherwise: config.Accept}}}
	b := Compile(p)
	r := route()
	var trace Trace
	require.False(t, b.Policy("p").Run(r, &trace))
	require.True(t, trace.End)
	require.Equal(t, []bool{true, true, false}, []bool{trace.Steps[0].Matched, trace.Steps[1].Matched, trace.Steps[2].Matched})
	require.EqualValues(t, 60, r.Attrs.MED)
	require.True(t, b.Policy("q").Run(route(), nil))
	require.Nil(t, b.Policy("none"))
}

// TestARejectionEndsThePolicy is RFC 9067 5: the statements after it are not asked.
func TestARejectionEndsThePolicy(t *testing.T) {
	p := Compile(config.Policies{List: []config.Policy{{Name: "p", Statements: []config.Statement{
		{Name: "no", Where: []config.Condition{{What: "med", Compare: "=", Value: 4}}, Verdict: config.Reject},
		{Name: "all", Verdict: config.Accept},
	}}}}).Policy("p")
	r := route()
	four := *r.Attrs
	four.MED, four.HasMED = 4, true
	r.Attrs = &four
	require.False(t, p.Run(r, nil))
	five := four
	five.MED = 5
	r.Attrs = &five
	require.True(t, p.Run(r, nil))
}

// BenchmarkPrefixSet runs a route through a policy with prefix sets of 10 and of
// 1,000 entries.
func BenchmarkPrefixSet(b *testing.B) {
	for _, n := range []int{10, 1000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			var members []config.Member
			for i := range n {
				p := ip.V4Prefix(ip.Quad(0x0a000000+i<<12), uint8(20+i%5))
				members = append(members, config.Member{Prefix: p.Netip(), Min: p.Len, Max: 32})
			}
			book := Compile(config.Policies{List: []config.Policy{{Name: "p", Statements: []config.Statement{
				{Name: "s", Where: []config.Condition{{What: "prefix", Set: "s"}}, Verdict: config.Accept}}}}, PrefixSets: []config.PrefixSet{{Name: "s", Members: members}}})
			p := book.Policy("p")
			a := &attr.Set{}
			i := 0
			for b.Loop() {
				i++
				r := Route{Prefix: ip.V4Prefix(ip.Quad(0x0a000000+(i%4000)<<10), 24), Attrs: a}
				p.Run(&r, nil)
			}
		})
	}
}
