package network_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/note"
	"hellebore/core/language/labtext"
)

// threeInARow is far (AS 64496), west and core (AS 64500), east (AS 64501).
const threeInARow = `router far
  port e1 192.0.2.2/30
  static 198.51.100.0/24 blackhole
  static 198.51.101.0/24 blackhole tag
  bgp as 64496
    originate 198.51.100.0/24
    inject static through some
    peer 192.0.2.1 as 64500
      min-advertisement-interval 0s
router west
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port e1 192.0.2.1/30
  port e2 10.0.12.1/30
    ospf area 0
  ospf
    inject bgp through to-ospf
  bgp as 64500
    peer-group inside
      as 64500
      local-address lo
      next-hop-self
    aggregate 198.51.0.0/16
    peer 10.255.0.2 group inside
      min-advertisement-interval 0s
    peer 192.0.2.2 as 64496
      import-policy from-far
      min-advertisement-interval 0s
router core
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 10.0.12.2/30
    ospf area 0
  port e2 192.0.2.5/30
  bgp as 64500
    peer 10.255.0.1 as 64500
      local-address lo
      min-advertisement-interval 0s
    peer 192.0.2.6 as 64501
      export-policy to-east
      min-advertisement-interval 0s
router east
  port e1 192.0.2.6/30
  bgp as 64501
    peer 192.0.2.5 as 64500
link far.e1 west.e1
link west.e2 core.e1
link core.e2 east.e1
prefix-set some
  198.51.0.0/16 length 24
tag-set marks
  tag 7
neighbour-set theirs
  neighbour 192.0.2.2
as-path-set direct
  path 64496
community-set marked
  community 64500:1
policy to-ospf
  statement no
    where tag in marks
    set metric 7
    set metric-type 1
    set tag 9
    accept
policy from-far
  statement first
    where prefix in some
    set local-preference 100
  statement second
    where neighbour in theirs
    where as-path in direct
    add community 64500:1
    accept
policy to-east
  statement all
    where community in marked
    where next-hop in hops
    where source bgp
    where route-type internal
    where origin igp
    where med = 0
    where local-preference = 100
    where metric = 0
    where as-path-length = 1
    prepend 64500
    set med 5
    set origin igp
    set next-hop self
    remove community 64500:2
    remove med
    remove private-as
    replace as 64499
    replace community 64500:9
    accept
  otherwise reject
prefix-set hops
  10.255.0.0/24 length 32
key-chain heron
  key 1 md5 "grey-wing"
`

const (
	allOfWest = "west 10.255.0.2, west 192.0.2.2, core 10.255.0.1, far 192.0.2.1"
	westCore  = "core 10.255.0.1, west 10.255.0.2"
	westFar   = "far 192.0.2.1, west 192.0.2.2"
	inGroup   = "      as 64500\n      local-address lo\n      next-hop-self\n"
	ofFar     = "    peer 192.0.2.2 as 64496\n"
	ofCore    = "    peer 10.255.0.2 group inside\n"
	westBGP   = "  bgp as 64500\n    peer-group inside\n"
	toEast    = "policy to-east\n  statement all\n"
)

// bgpEffect is one statement and a change of it: the sessions that fall are
// "router peer", at both ends.
type bgpEffect struct {
	word     string
	in       labtext.Context
	from, to string
	falls    string
	routes   string // routers whose routes change
}

func after(line, added string) [2]string { return [2]string{line, line + added} }

var bgpEffects = func() []bgpEffect {
	var out []bgpEffect
	change := func(word string, in labtext.Context, edit [2]string, falls string, routes ...string) {
		out = append(out, bgpEffect{word, in, edit[0], edit[1], falls, strings.Join(routes, " ")})
	}
	everywhere := []string{"core", "east", "far", "west"}
	of := func(from, to string) [2]string { return [2]string{from, to} }
	change("bgp", labtext.RouterOf, of("  bgp as 64501\n    peer 192.0.2.5 as 64500\n", ""), "core 192.0.2.6, east 192.0.2.5", "east")
	change("as", labtext.BGPOf, of("bgp as 64501", "bgp as 64502"), "core 192.0.2.6, east 192.0.2.5", "east")
	change("cluster-id", labtext.BGPOf, after("  bgp as 64501\n", "    cluster-id 10.0.0.9\n"), "core 192.0.2.6, east 192.0.2.5", "east")
	change("originate", labtext.BGPOf, of("    originate 198.51.100.0/24\n", ""), "", "east")
	change("inject", labtext.BGPOf, of("    inject static through some\n", ""), "", "core", "west")
	change("through", labtext.BringOf, of("inject static through some", "inject static"), "")
	change("aggregate", labtext.BGPOf, of("    aggregate 198.51.0.0/16\n", ""), "", "core", "far", "west")
	change("when", labtext.BringOf, of("originate 198.51.100.0/24", "originate 198.51.100.0/24 when 203.0.113.128/25"), "", "east")
	change("unless", labtext.BringOf, of("originate 198.51.100.0/24", "originate 198.51.100.0/24 unless 198.51.100.0/24"), "", "east")
	change("when", labtext.DefaultOf, after(ofFar, "      originate default when 203.0.113.128/25\n"), "")
	change("unless", labtext.DefaultOf, after(ofFar, "      originate default unless 203.0.113.128/25\n"), "", "far")
	change("in-use-only", labtext.BGPOf, after(westBGP[:len("  bgp as 64500\n")], "    in-use-only\n"), "")
	change("best-external", labtext.BGPOf, after(westBGP[:len("  bgp as 64500\n")], "    best-external\n"), "")
	change("through", labtext.Aggregate, of("aggregate 198.51.0.0/16", "aggregate 198.51.0.0/16 through hops"), "", "core", "far", "west")
	change("alone", labtext.Aggregate, of("aggregate 198.51.0.0/16", "aggregate 198.51.0.0/16 alone"), "", "core", "east")
	change("as-set", labtext.Aggregate, of("aggregate 198.51.0.0/16", "aggregate 198.51.0.0/16 as-set"), "", "far")
	change("med-among", labtext.BGPOf, after(westBGP[:len("  bgp as 64500\n")], "    med-among all\n"), "")
	change("multipath", labtext.BGPOf, after(westBGP[:len("  bgp as 64500\n")], "    multipath 4\n"), "")
	change("external-policy", labtext.BGPOf, after("  bgp as 64501\n", "    external-policy required\n"), "", "east")
	change("loop-check", labtext.BGPOf, after("  bgp as 64501\n", "    loop-check off\n"), "")
	change("connect-retry", labtext.BGPOf, after("  bgp as 64501\n", "    connect-retry 10s\n"), "")
	change("disabled", labtext.BGPOf, of("  bgp as 64501\n", "  bgp as 64501 disabled\n"), "core 192.0.2.6, east 192.0.2.5", "east")
	change("feed", labtext.BGPOf, after("  bgp as 64501\n", "    feed 20 within 10.200.0.0/16\n"), "", "core", "east")
	change("within", labtext.FeedOf, after("  bgp as 64501\n", "    feed 20 within 10.200.0.0/16\n"), "", "core", "east")
	change("seed", labtext.FeedOf, after("  bgp as 64501\n", "    feed 20 within 10.200.0.0/16 seed 2\n"), "", "core", "east")
	change("as-range", labtext.FeedOf, after("  bgp as 64501\n", "    feed 20 within 10.200.0.0/16 as-range 64600\n"), "", "core", "east")
	change("peer-group", labtext.BGPOf, after(westBGP[:len("  bgp as 64500\n")], "    peer-group spare\n"), "")
	change("peer", labtext.BGPOf, after("  bgp as 64501\n", "    peer 192.0.2.9 as 64503\n"), "")
	change("group", labtext.PeerOf, of(ofCore, "    peer 10.255.0.2\n"+inGroup), "")
	for in, at := range map[labtext.Context]struct{ line, falls string }{labtext.PeerOf: {ofFar, westFar}, labtext.GroupOf: {"    peer-group inside\n", westCore}} {
		resets := func(word, line string) {
			change(word, in, after(at.line, "      "+line+"\n"), at.falls, routesOf(at.falls)...)
		}
		live := func(word, line string, routes ...string) {
			change(word, in, after(at.line, "      "+line+"\n"), "", routes...)
		}
		live("description", `description "somebody"`)
		live("shutdown-message", `shutdown-message "later"`)
		live("max-prefixes", "max-prefixes 100")
		live("next-hop-unchanged", "next-hop-unchanged")
		live("remove-private-as", "remove-private-as")
		live("own-as-allowed", "own-as-allowed 1")
		live("loop-check", "loop-check off")
		if in == labtext.PeerOf {
			resets("local-as", "local-as 64510")
		} else {
			live("local-as", "local-as off")
		}
		live("no-prepend-inbound", "no-prepend-inbound")
		live("replace-old-as", "replace-old-as")
		resets("passive", "passive")
		resets("hold-time", "hold-time 30s")
		resets("ttl-security", "ttl-security 200")
		resets("keys", "keys heron")
		resets("four-octet-as", "four-octet-as off")
		resets("route-refresh", "route-refresh off")
		resets("disabled", "disabled")
		if in == labtext.PeerOf {
			resets("local-address", "local-address e1")
			resets("multihop", "multihop 3")
			live("originate", "originate default", "far")
		} else {
			resets("multihop", "multihop 3")
			live("originate", "originate default", "core")
		}
	}
	change("as", labtext.PeerOf, of("    peer 192.0.2.5 as 64500", "    peer 192.0.2.5 as 64499"), "core 192.0.2.6, east 192.0.2.5", "east")
	change("as", labtext.GroupOf, of(inGroup, strings.Replace(inGroup, "as 64500", "as 64499", 1)), westCore, "core")
	change("local-address", labtext.GroupOf, of(inGroup, strings.Replace(inGroup, "local-address lo", "local-address e2", 1)), westCore, "core")
	change("min-advertisement-interval", labtext.PeerOf, of("    peer 192.0.2.5 as 64500\n", "    peer 192.0.2.5 as 64500\n      min-advertisement-interval 1s\n"), "")
	change("min-advertisement-interval", labtext.GroupOf, of(inGroup, inGroup+"      min-advertisement-interval 1s\n"), "")
	change("next-hop-self", labtext.GroupOf, of(inGroup, strings.Replace(inGroup, "      next-hop-self\n", "", 1)), "", "core", "east")
	change("next-hop-self", labtext.PeerOf, after(ofCore, "      next-hop-self off\n"), "", "core", "east")
	change("client", labtext.GroupOf, of(inGroup, inGroup+"      client\n"), "")
	change("client", labtext.PeerOf, after(ofCore, "      client\n"), "")
	change("import-policy", labtext.PeerOf, of("      import-policy from-far\n", ""), "", "east")
	change("import-policy", labtext.GroupOf, of(inGroup, inGroup+"      import-policy to-ospf\n"), "")
	change("export-policy", labtext.PeerOf, of("      export-policy to-east\n", ""), "", "east")
	change("export-policy", labtext.GroupOf, of(inGroup, inGroup+"      export-policy to-ospf\n"), "", "core", "east")
	change("inject", labtext.OSPFOf, of("    inject bgp through to-ospf\n", ""), "")

	change("policy", labtext.Top, of("policy to-ospf\n", "policy spare\n  statement one\n    accept\npolicy to-ospf\n"), "")
	change("statement", labtext.PolicyOf, of(toEast, "policy to-east\n  statement none\n    reject\n  statement all\n"), "", "east")
	change("otherwise", labtext.PolicyOf, of("  otherwise reject\n", "  otherwise accept\n"), "", "east")
	condition := func(word, from, to string) { change(word, labtext.WhereOf, of(from, to), "", "east") }
	change("where", labtext.StatementOf, of("    where source bgp\n", ""), "")
	change("prefix", labtext.WhereOf, of("    where prefix in some\n", "    where prefix in hops\n"), "")
	change("as-path", labtext.WhereOf, of("    where as-path in direct\n", "    where as-path in none-of-them\n"), "", everywhere...)
	condition("community", "    where community in marked\n", "    where community in unmarked\n")
	change("neighbour", labtext.WhereOf, of("    where neighbour in theirs\n", "    where neighbour in nobody\n"), "", everywhere...)
	condition("next-hop", "    where next-hop in hops\n", "    where next-hop in some\n")
	change("tag", labtext.WhereOf, of("    where tag in marks\n", "    where tag = 8\n"), "")
	condition("source", "    where source bgp\n", "    where source static\n")
	condition("route-type", "    where route-type internal\n", "    where route-type local\n")
	condition("origin", "    where origin igp\n", "    where origin egp\n")
	condition("med", "    where med = 0\n", "    where med > 0\n")
	condition("local-preference", "    where local-preference = 100\n", "    where local-preference > 100\n")
	condition("metric", "    where metric = 0\n", "    where metric > 0\n")
	condition("as-path-length", "    where as-path-length = 1\n", "    where as-path-length > 1\n")
	condition("policy", "    where source bgp\n", "    where policy to-ospf\n")
	action := func(word string, in labtext.Context, from, to string) { change(word, in, of(from, to), "") }
	change("accept", labtext.StatementOf, of("    replace community 64500:9\n    accept\n", "    replace community 64500:9\n"), "", "east")
	change("reject", labtext.StatementOf, of("    replace community 64500:9\n    accept\n", "    replace community 64500:9\n    reject\n"), "", "east")
	change("prepend", labtext.StatementOf, of("    prepend 64500\n", ""), "")
	action("times", labtext.PrependOf, "    prepend 64500\n", "    prepend 64500 times 2\n")
	action("set", labtext.StatementOf, "    set med 5\n", "")
	change("local-preference", labtext.ActionSet, of("set local-preference 100", "set local-preference 101"), "", "east")
	action("med", labtext.ActionSet, "    set med 5\n", "    set med 6\n")
	action("metric", labtext.ActionSet, "set metric 7", "set metric 8")
	action("metric-type", labtext.ActionSet, "set metric-type 1", "set metric-type 2")
	action("tag", labtext.ActionSet, "set tag 9", "set tag 10")
	action("origin", labtext.ActionSet, "    set origin igp\n", "    set origin egp\n")
	action("next-hop", labtext.ActionSet, "    set next-hop self\n", "    set next-hop 192.0.2.5\n")
	change("add", labtext.StatementOf, of("    add community 64500:1\n", ""), "", "east")
	change("community", labtext.ActionAdd, of("    add community 64500:1\n", "    add community 64500:2\n"), "", "east")
	action("remove", labtext.StatementOf, "    remove community 64500:2\n", "")
	action("community", labtext.ActionTake, "    remove community 64500:2\n", "    remove community in marked\n")
	change("med", labtext.ActionTake, of("    remove med\n", ""), "")
	action("private-as", labtext.ActionTake, "    remove private-as\n", "")
	action("replace", labtext.StatementOf, "    replace community 64500:9\n", "")
	change("as-path", labtext.ActionSwap, of("    replace as 64499\n", "    replace as-path 64496 64499\n"), "")
	action("as", labtext.ActionSwap, "    replace as 64499\n", "    replace as peer\n")
	action("community", labtext.ActionSwap, "    replace community 64500:9\n", "    replace community 64500:8\n")
	change("as-path-set", labtext.Top, of("as-path-set direct\n", "as-path-set spare\n  path 64496 ...\nas-path-set direct\n"), "")
	change("path", labtext.PathSetOf, of("  path 64496\n", "  path 64497\n"), "", everywhere...)
	change("community-set", labtext.Top, of("community-set marked\n", "community-set spare\n  community no-export\ncommunity-set marked\n"), "")
	change("community", labtext.CommSetOf, of("  community 64500:1\npolicy", "  community 64500:2\npolicy"), "", "east")
	change("tag-set", labtext.Top, of("tag-set marks\n", "tag-set spare\n  tag 8\ntag-set marks\n"), "")
	change("tag", labtext.TagSetOf, of("  tag 7\n", "  tag 8\n"), "")
	change("neighbour-set", labtext.Top, of("neighbour-set theirs\n", "neighbour-set spare\n  neighbour 192.0.2.9\nneighbour-set theirs\n"), "")
	change("neighbour", labtext.NbrSetOf, of("  neighbour 192.0.2.2\n", "  neighbour 192.0.2.9\n"), "", everywhere...)
	// A router's own hide the lab's: what changes is what the router does with the name.
	change("policy", labtext.RouterOf, after("router core\n", "  policy to-east\n    otherwise reject\n"), "", "east")
	change("prefix-set", labtext.RouterOf, after("router core\n", "  prefix-set hops\n    10.9.0.0/24 length 32\n"), "", "east")
	change("community-set", labtext.RouterOf, after("router core\n", "  community-set marked\n    community 64500:7\n"), "", "east")
	change("tag-set", labtext.RouterOf, after("router west\n", "  tag-set marks\n    tag 8\n"), "")
	change("as-path-set", labtext.RouterOf, after("router west\n", "  as-path-set direct\n    path 64497\n"), "", everywhere...)
	change("neighbour-set", labtext.RouterOf, after("router west\n", "  neighbour-set theirs\n    neighbour 192.0.2.9\n"), "", everywhere...)
	return out
}()

// routesOf are the routers that lose routes while a session of the case is away.
func routesOf(falls string) []string {
	if falls == westFar {
		return []string{"core", "east", "far", "west"}
	}
	return []string{"core", "east"}
}

// TestEffectsOfBGPChanges holds the effects that the grammar table names against
// what changes do: which sessions fall, and that no others do.
func TestEffectsOfBGPChanges(t *testing.T) {
	extra := "as-path-set none-of-them\n  path empty\ncommunity-set unmarked\n  community 64500:77\nneighbour-set nobody\n  neighbour 192.0.2.99\n"
	base := strings.Replace(threeInARow, " blackhole tag", " blackhole", 1) + extra
	for _, c := range bgpEffects {
		t.Run(c.word+" in "+string(c.in), func(t *testing.T) {
			require.Contains(t, base, c.from)
			r := labtext.Parse(strings.Replace(base, c.from, c.to, 1))
			require.True(t, r.OK(), "%v", r.Problems)
			w := build(t, base)
			settle(t, w)
			mark := w.Notes()
			w.Configure(&r.Lab)
			settle(t, w)
			var fell, moved []string
			for i := mark; i < w.Notes(); i++ {
				n := w.NoteAt(i)
				name := w.Device(n.Device).Name()
				switch {
				case n.Kind == note.SessionState && n.B == uint64(5):
					fell = append(fell, name+" "+w.Shared().Addrs.Addr(uint32(n.A)).String())
				case n.Kind == note.RouteChanged:
					moved = append(moved, name)
				}
			}
			slices.Sort(fell)
			slices.Sort(moved)
			require.Equal(t, c.falls, strings.Join(slices.Compact(fell), ", "), "sessions that fall")
			if c.falls == "" {
				require.Equal(t, c.routes, strings.Join(slices.Compact(moved), " "), "routers whose routes change")
			}
		})
	}
}
