package network_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/bgp"
	wire "hellebore/core/protocols/wire/bgp"
	"hellebore/core/simulation/network"
)

func TestTheInteriorCostIsTheOneOfNow(t *testing.T) { // RFC 4271 9.1.2.2 e
	w := build(t, corner(t, "bgp/igpcut"))
	settle(t, w)
	require.Equal(t, []string{"198.18.0.0/24 bgp 0 via 10.1.2.2 p2"}, lines(table(w, "r"), "198.18.0.0/24"))
	w.Cut(port(t, w, "m.p3"))
	settle(t, w)
	require.Equal(t, []string{"198.18.0.0/24 bgp 0 via 10.1.1.2 p1"}, lines(table(w, "r"), "198.18.0.0/24"), "11 against 5, behind the same first hop")

	w = build(t, corner(t, "bgp/igp"))
	settle(t, w)
	configure(t, w, corner(t, "bgp/igpc"))
	settle(t, w)
	fresh := build(t, corner(t, "bgp/igpc"))
	settle(t, fresh)
	require.Equal(t, table(fresh, "r"), table(w, "r"))
	require.Equal(t, []string{"198.18.0.0/24 bgp 0 via 10.1.1.2 p1"}, lines(table(w, "r"), "198.18.0.0/24"))
}

func TestARouteDoesNotResolveItsOwnNextHop(t *testing.T) { // RFC 4271 9.1.2.1
	w := build(t, corner(t, "bgp/flap"))
	require.Equal(t, network.Settled, w.Settle(50_000, nil))
	require.Empty(t, w.Check())
	require.Equal(t, []string{"0.0.0.0/0 bgp 0 via 10.1.2.2 c"}, lines(table(w, "a"), "0.0.0.0/0"))
}

func TestABGPRouteLeavesADeadPort(t *testing.T) { // RFC 4271 9.1.2.1
	for lab, c := range map[string]struct{ cut, before, after string }{
		"bgp/stale2": {"r.p3", "198.18.32.0/24 bgp 0 via 172.16.18.2 p3 via 172.16.19.2 p4", "198.18.32.0/24 bgp 0 via 172.16.12.1 p1 via 172.16.19.2 p4"}, // the default reaches the lost gateway
		"bgp/stale3": {"r.p1", "198.18.0.0/24 bgp 0 via 10.1.1.2 p1", "198.18.0.0/24 bgp 0 via 10.1.2.2 p2"},
	} {
		w := build(t, corner(t, lab))
		settle(t, w)
		require.Equal(t, []string{c.before}, lines(table(w, "r"), "198.18.0.0/24", "198.18.32.0/24"), lab)
		w.Cut(port(t, w, c.cut))
		settle(t, w)
		require.Equal(t, []string{c.after}, lines(table(w, "r"), "198.18.0.0/24", "198.18.32.0/24"), lab)
		w.Mend(port(t, w, c.cut))
		settle(t, w)
		require.Equal(t, []string{c.before}, lines(table(w, "r"), "198.18.0.0/24", "198.18.32.0/24"), lab)
	}
}

// attributes are what a router has received for a prefix from a peer.
func attributes(t *testing.T, w *network.World, router, peer, prefix string) *attr.Set {
	t.Helper()
	d := w.Find(router)
	i := peerNumber(t, d, peer)
	id, known := w.Shared().Prefixes.Find(ip.PrefixFrom(netip.MustParsePrefix(prefix)))
	if !known {
		return nil
	}
	row, _ := d.Main().BGP().In(i, id)
	return w.Attrs().Get(row.Raw)
}

func TestExportConditionsSeeTheRouteAsItIs(t *testing.T) { // RFC 9067 4
	w := build(t, corner(t, "bgp/exp"))
	settle(t, w)
	a := attributes(t, w, "b", "172.16.2.1", "198.18.0.0/24")
	require.Equal(t, []string{"64500:1", "64500:2", "64500:3", "64500:4", "64500:5", "64500:6", "64500:8", "64500:9"}, a.CommunityList())
	require.False(t, a.HasMED, "RFC 4271 5.1.4: another AS's MED goes no further")

	configure(t, w, strings.Replace(corner(t, "bgp/exp"), "where med = 50\n", "where med = 50\n    set med 7\n", 1))
	settle(t, w)
	require.Equal(t, uint32(7), attributes(t, w, "b", "172.16.2.1", "198.18.0.0/24").MED, "unless the policy sets it")
}

func TestWhichPathsShareTheTraffic(t *testing.T) {
	ways := func(text, prefix string) []string { return lines(table(buildSettled(t, text), "x"), prefix) }
	lab := corner(t, "bgp/mp")
	require.Equal(t, []string{"198.18.0.0/24 bgp 0 via 172.16.1.2 p0 via 172.16.2.2 p1"}, ways(lab, "198.18.0.0/24"), "those of one neighbouring AS")
	w := buildSettled(t, lab)
	d := w.Find("x")
	id, _ := w.Shared().Prefixes.Find(ip.PrefixFrom(netip.MustParsePrefix("198.18.0.0/24")))
	require.Equal(t, map[int]note.Code{0: note.None, 1: note.None, 2: note.SharedByOneAS}, d.Main().BGP().Sharing(d.Main(), id))

	any := strings.Replace(lab, "multipath 4", "multipath 4 any-as", 1)
	require.Equal(t, []string{"198.18.0.0/24 bgp 0 via 172.16.1.2 p0 via 172.16.2.2 p1 via 172.16.3.2 p2"}, ways(any, "198.18.0.0/24"))
	// Of more than two, those with the lower BGP identifiers.
	two := strings.Replace(strings.Replace(lab, "multipath 4", "multipath 2 any-as", 1), "router-id 10.250.0.4", "router-id 10.250.0.0", 1)
	require.Equal(t, []string{"198.18.0.0/24 bgp 0 via 172.16.1.2 p0 via 172.16.3.2 p2"}, ways(two, "198.18.0.0/24"))
	w = buildSettled(t, two)
	d = w.Find("x")
	require.Equal(t, map[int]note.Code{0: note.None, 1: note.SharingIsFull, 2: note.None}, d.Main().BGP().Sharing(d.Main(), id))
}

func buildSettled(t *testing.T, text string) *network.World {
	t.Helper()
	w := build(t, text)
	settle(t, w)
	return w
}

func TestAnAggregateKeepsWhatAllPathsBeginWith(t *testing.T) { // RFC 4271 9.2.2.2, F.6
	w := buildSettled(t, corner(t, "bgp/agg"))
	require.Equal(t, "64500 64501 64503", attributes(t, w, "d", "172.16.2.1", "198.18.0.0/22").Path.String())
	// A third part with another end.
	more := strings.Replace(corner(t, "bgp/agg"), "  static 198.18.0.0/24 blackhole\n", "  static 198.18.0.0/24 blackhole\n  static 198.18.2.0/24 blackhole\n", 1)
	more = strings.Replace(more, "    originate 198.18.0.0/24\n", "    originate 198.18.0.0/24\n    originate 198.18.2.0/24 through longer\n", 1) + "policy longer\n  statement all\n    prepend 64510\n    accept\n"
	w = buildSettled(t, more)
	require.Equal(t, "64500 64501 64503 {64510}", attributes(t, w, "d", "172.16.2.1", "198.18.0.0/22").Path.String())
}

func TestTTLSecurityBeyondTheLink(t *testing.T) { // RFC 5082 3
	for _, lab := range []string{"bgp/gtsm", "bgp/ttl5"} {
		w := buildSettled(t, corner(t, lab))
		up := 0
		w.Find("a").Main().BGP().Peers(func(v bgp.PeerView) {
			require.Equal(t, bgp.Established, v.State, lab)
			up++
		})
		require.Equal(t, 1, up)
	}
	// From further away than it allows, they stay apart.
	w := build(t, strings.ReplaceAll(corner(t, "bgp/ttl5"), "ttl-security 2", "ttl-security 1"))
	settle(t, w)
	w.Find("a").Main().BGP().Peers(func(v bgp.PeerView) { require.NotEqual(t, bgp.Established, v.State) })
}

func TestAnOriginatedDefaultGoesThroughTheExportPolicy(t *testing.T) { // RFC 9067 4
	w := buildSettled(t, corner(t, "bgp/used"))
	require.Nil(t, attributes(t, w, "c", "172.16.2.1", "0.0.0.0/0"), "the policy rejects it")
	changed := strings.Replace(corner(t, "bgp/used"), "    where prefix in dflt\n    reject\n", "    where prefix in dflt\n    set med 5\n    add community 64500:1\n    accept\n", 1)
	configure(t, w, changed)
	settle(t, w)
	a := attributes(t, w, "c", "172.16.2.1", "0.0.0.0/0")
	require.Equal(t, uint32(5), a.MED)
	require.Equal(t, []string{"64500:1"}, a.CommunityList())
}

func TestWhatIsAnnouncedDependsOnARoute(t *testing.T) {
	lab := strings.Replace(corner(t, "bgp/used"), "      originate default\n      export-policy none4\n", "      originate default when 198.18.0.0/25\n", 1)
	lab = strings.Replace(lab, "    originate 198.18.8.0/24\n", "    originate 198.18.8.0/24 unless wanted\n", 1)
	lab += "prefix-set wanted\n  198.18.0.0/24 length 25..25\n"
	has := func(w *network.World) (dflt, backup bool) {
		return attributes(t, w, "c", "172.16.2.1", "0.0.0.0/0") != nil, attributes(t, w, "c", "172.16.2.1", "198.18.8.0/24") != nil
	}
	w := buildSettled(t, lab)
	dflt, backup := has(w)
	require.False(t, dflt, "the route is not there")
	require.True(t, backup)
	// The other AS brings it.
	configure(t, w, strings.Replace(lab, "  static 198.18.0.0/24 blackhole\n  bgp as 64501\n", "  static 198.18.0.0/24 blackhole\n  static 198.18.0.0/25 blackhole\n  bgp as 64501\n    originate 198.18.0.0/25\n", 1))
	settle(t, w)
	dflt, backup = has(w)
	require.True(t, dflt)
	require.False(t, backup)
	w.Cut(port(t, w, "a.e"))
	settle(t, w)
	dflt, backup = has(w)
	require.False(t, dflt, "it is lost with the session")
	require.True(t, backup)
}

func TestOnlyWhatIsInUseIsAnnouncedOnRequest(t *testing.T) { // RFC 4271 9.1.3
	w := buildSettled(t, corner(t, "bgp/used"))
	require.NotNil(t, attributes(t, w, "c", "172.16.2.1", "198.18.0.0/24"))
	configure(t, w, strings.Replace(corner(t, "bgp/used"), "bgp as 64500\n", "bgp as 64500\n    in-use-only\n", 1))
	settle(t, w)
	require.Nil(t, attributes(t, w, "c", "172.16.2.1", "198.18.0.0/24"), "the table uses the static route")
	require.NotNil(t, attributes(t, w, "c", "172.16.2.1", "198.18.8.0/24"))
	configure(t, w, strings.Replace(strings.Replace(corner(t, "bgp/used"), "bgp as 64500\n", "bgp as 64500\n    in-use-only\n", 1), "  static 198.18.0.0/24 blackhole\n  static 198.18.8.0/24", "  static 198.18.8.0/24", 1))
	settle(t, w)
	require.NotNil(t, attributes(t, w, "c", "172.16.2.1", "198.18.0.0/24"), "and then does not any more")
}

func TestAPeerSeesAnotherLocalAS(t *testing.T) { // RFC 7705 3
	const lab = `router far
  router-id 10.250.0.1
  port e 172.16.1.1/30
  static 198.18.0.0/24 blackhole
  bgp as 64501
    originate 198.18.0.0/24
    peer 172.16.1.2 as 64499
router new
  router-id 10.250.0.2
  port e 172.16.1.2/30
  port f 172.16.2.1/30
  static 198.18.9.0/24 blackhole
  bgp as 64500
    originate 198.18.9.0/24
    peer 172.16.1.1 as 64501
      local-as 64499
    peer 172.16.2.2 as 64502
router other
  router-id 10.250.0.3
  port f 172.16.2.2/30
  bgp as 64502
    peer 172.16.2.1 as 64500
link far.e new.e
link new.f other.f
`
	for name, c := range map[string]struct{ add, far, other string }{
		"before the own AS, both ways": {"", "64499 64500", "64500 64499 64501"},
		"not before what comes in":     {"      no-prepend-inbound\n", "64499 64500", "64500 64501"},
		"instead of the own AS":        {"      replace-old-as\n", "64499", "64500 64499 64501"},
	} {
		w := buildSettled(t, strings.Replace(lab, "      local-as 64499\n", "      local-as 64499\n"+c.add, 1))
		require.Equal(t, c.far, attributes(t, w, "far", "172.16.1.2", "198.18.9.0/24").Path.String(), name)
		require.Equal(t, c.other, attributes(t, w, "other", "172.16.2.1", "198.18.0.0/24").Path.String(), name)
	}
}

func TestActionsThatAdjustAndFollowTheIGP(t *testing.T) { // RFC 4271 5.1.4, 5.1.5
	lab := corner(t, "bgp/igpcut") + `policy out
  statement all
    set med igp
    accept
policy in
  statement x
    where next-hop in of-x
    set local-preference -10
    accept
  otherwise accept
prefix-set of-x
  10.255.0.2/32
`
	lab = strings.Replace(lab, "    peer 10.255.0.2 as 64500\n      local-address lo\n", "    peer 10.255.0.2 as 64500\n      local-address lo\n      import-policy in\n    peer 172.16.9.2 as 64501\n      export-policy out\n", 1)
	lab = strings.Replace(lab, "router x\n", "  port q 172.16.9.1/30\nrouter x\n", 1)
	lab += "router z\n  router-id 10.250.0.9\n  port q 172.16.9.2/30\n  bgp as 64501\n    peer 172.16.9.1 as 64500\nlink r.q z.q\n"
	w := buildSettled(t, lab)
	require.Equal(t, uint32(2), attributes(t, w, "z", "172.16.9.1", "198.18.0.0/24").MED, "the interior cost to y")
	w.Cut(port(t, w, "m.p3"))
	settle(t, w)
	require.Equal(t, uint32(11), attributes(t, w, "z", "172.16.9.1", "198.18.0.0/24").MED, "x is less preferred, whatever it costs")
}

// A path whose attributes no UPDATE has room for is not advertised, and what the peer
// had of it before is withdrawn (RFC 4271 9.2).
func TestAPathTooLongForAnUpdateIsWithdrawn(t *testing.T) {
	lab := func(ases int) string {
		return `lab "Long"
router crane
  loopback lo 10.255.0.1/32
  port e1 192.0.2.1/30
  static 198.51.100.0/24 blackhole
  bgp as 64500
    originate 198.51.100.0/24
    peer 192.0.2.2 as 64501
      export-policy long
router winch
  loopback lo 10.255.0.2/32
  port e1 192.0.2.2/30
  bgp as 64501
    peer 192.0.2.1 as 64500
link crane.e1 winch.e1
policy long
  statement all
    prepend` + strings.Repeat(" 64510", ases) + `
    accept
`
	}
	p := netip.MustParsePrefix("198.51.100.0/24")
	w := buildSettled(t, lab(900))
	require.True(t, inTable(w, w.Find("winch"), p), "900 AS numbers take some 3,600 octets")
	configure(t, w, lab(1100))
	settle(t, w)
	require.False(t, inTable(w, w.Find("winch"), p))
	configure(t, w, lab(900))
	settle(t, w)
	require.True(t, inTable(w, w.Find("winch"), p))
}

// An aggregate of our own is preferred to the same prefix from elsewhere: it is
// announced while there is a part of it, and ASes that all join the same prefix do
// not take turns.
func TestAnAggregateIsPreferredToWhatOthersAnnounce(t *testing.T) {
	var text strings.Builder
	names := []string{"crane", "winch", "derrick"}
	text.WriteString("lab \"Three aggregates\"\n")
	for i, name := range names {
		next, last := (i+1)%3, (i+2)%3
		fmt.Fprintf(&text, "router %s\n  loopback lo 10.255.0.%d/32\n  port e1 192.0.2.%d/30\n  port e2 192.0.2.%d/30\n  static 198.18.%d.0/24 blackhole\n", name, i+1, i*4+1, last*4+2, i)
		fmt.Fprintf(&text, "  bgp as %d\n    originate 198.18.%d.0/24\n    aggregate 198.18.0.0/22\n", 64500+i, i)
		fmt.Fprintf(&text, "    peer 192.0.2.%d as %d\n    peer 192.0.2.%d as %d\n", i*4+2, 64500+next, last*4+1, 64500+last)
	}
	for i, name := range names {
		fmt.Fprintf(&text, "link %s.e1 %s.e2\n", name, names[(i+1)%3])
	}
	w := buildSettled(t, text.String())
	id, known := w.Shared().Prefixes.Find(ip.PrefixFrom(netip.MustParsePrefix("198.18.0.0/22")))
	require.True(t, known)
	for _, name := range names {
		d := w.Find(name)
		_, from, _ := d.Main().BGP().Best(id)
		require.Equal(t, bgp.Local, from, name)
		source, _ := d.Main().Table().Best(id)
		require.Equal(t, uint8(bgp.AggregatePreference), d.Main().Table().Route(source, id).Preference, "the same in the table")
	}
}

// TestAnExportPolicyFollowsTheTag: a route that keeps its path attributes, but not its tag or
// source, is offered to peers again.
func TestAnExportPolicyFollowsTheTag(t *testing.T) {
	text := `
router a
  port e1 10.0.1.1/30
    ospf area 0
  static 10.9.0.0/16 blackhole
  ospf
    inject static tag 5
router b
  port e1 10.0.1.2/30
    ospf area 0
  port e2 192.0.2.1/30
  bgp as 64500
    inject ospf
    peer 192.0.2.2 as 64501
      export-policy fives
router c
  port e1 192.0.2.2/30
  bgp as 64501
    peer 192.0.2.1 as 64500
      import-policy all
link a.e1 b.e1
link b.e2 c.e1
policy fives
  statement a
    where tag = 5
    accept
policy all
  otherwise accept
`
	w := build(t, text)
	settle(t, w)
	require.Contains(t, table(w, "c"), "10.9.0.0/16 bgp")
	configure(t, w, strings.Replace(text, "tag 5", "tag 6", 1))
	settle(t, w)
	require.NotContains(t, table(w, "c"), "10.9.0.0/16")
	configure(t, w, text)
	settle(t, w)
	require.Contains(t, table(w, "c"), "10.9.0.0/16 bgp")
	// Another source of the same prefix, without a tag.
	configure(t, w, strings.Replace(text, "  bgp as 64500\n    inject ospf\n", "  static 10.9.0.0/16 blackhole\n  bgp as 64500\n    inject ospf\n    inject static\n", 1))
	settle(t, w)
	require.NotContains(t, table(w, "c"), "10.9.0.0/16")
}

func TestTheBestExternalPathIsAnnouncedInside(t *testing.T) { // draft-ietf-idr-best-external 2
	// a and b are at the border of AS 64500, c is inside; the carriers x and y both announce 198.18.0.0/24, and a's is preferred.
	carrier := func(name string, n int) string {
		return fmt.Sprintf("router %s\n  router-id 10.250.0.%d\n  port e 172.16.%d.1/30\n  static 198.18.0.0/24 blackhole\n  bgp as 6450%d\n    originate 198.18.0.0/24\n    peer 172.16.%d.2 as 64500\n", name, n, n, n, n)
	}
	lab := carrier("x", 1) + carrier("y", 2) + `router a
  router-id 10.250.0.3
  port e 172.16.1.2/30
  port i 10.0.0.1/29
  bgp as 64500
    peer 172.16.1.1 as 64501
      import-policy better
    peer 10.0.0.2 as 64500
      next-hop-self
    peer 10.0.0.3 as 64500
      next-hop-self
router b
  router-id 10.250.0.4
  port e 172.16.2.2/30
  port i 10.0.0.2/29
  bgp as 64500
    peer 172.16.2.1 as 64502
    peer 10.0.0.1 as 64500
      next-hop-self
    peer 10.0.0.3 as 64500
      next-hop-self
router c
  router-id 10.250.0.5
  port i 10.0.0.3/29
  bgp as 64500
    peer 10.0.0.1 as 64500
    peer 10.0.0.2 as 64500
policy better
  statement all
    set local-preference 200
    accept
link x.e a.e
link y.e b.e
segment inside a.i b.i c.i
`
	with := strings.Replace(lab, "    peer 172.16.2.1 as 64502\n", "    best-external\n    peer 172.16.2.1 as 64502\n", 1)
	fromB := func(w *network.World, at string) *attr.Set { return attributes(t, w, at, "10.0.0.2", "198.18.0.0/24") }

	w := buildSettled(t, lab)
	require.Nil(t, fromB(w, "c"), "RFC 4271 9.2: what is best at b came from inside")
	configure(t, w, with)
	settle(t, w)
	for _, at := range []string{"a", "c"} {
		require.Equal(t, []string{"64502"}, inSequence(fromB(w, at).Path), at)
		require.Equal(t, uint32(100), fromB(w, at).LocalPref, at)
	}
	require.Equal(t, []string{"64500", "64501"}, inSequence(attributes(t, w, "y", "172.16.2.2", "198.18.0.0/24").Path), "outside, the best path is announced")

	// It follows what comes from outside, although the best path stays.
	w.Cut(port(t, w, "b.e"))
	settle(t, w)
	require.Nil(t, fromB(w, "c"))
	w.Mend(port(t, w, "b.e"))
	settle(t, w)
	require.NotNil(t, fromB(w, "c"))

	// When the best path fails, c has the other one already.
	sent := func() bgp.PeerView { return w.Find("b").Main().BGP().Peer(peerNumber(t, w.Find("b"), "10.0.0.3")) }
	before := sent().Out
	w.Cut(port(t, w, "a.e"))
	settle(t, w)
	require.Equal(t, []string{"198.18.0.0/24 bgp 0 via 10.0.0.2 i"}, lines(table(w, "c"), "198.18.0.0/24"))
	require.Equal(t, before[wire.TypeUpdate], sent().Out[wire.TypeUpdate], "and b sends no UPDATE for that")
	w.Mend(port(t, w, "a.e"))
	settle(t, w)

	configure(t, w, lab)
	settle(t, w)
	require.Nil(t, fromB(w, "c"), "and off again")
	require.Empty(t, w.Check())
}
