package network_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/bgp"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// chain is far (AS 64496), west and core (AS 64500), east (AS 64501), in a row;
// lines may be put in place of the marks.
const chain = `router far
  port e1 192.0.2.2/30
  static 198.51.100.0/24 blackhole
  static 198.51.101.0/24 blackhole
  bgp as 64496
    originate 198.51.100.0/24
    originate 198.51.101.0/24
    peer 192.0.2.1 as 64500
      export-policy out
router west
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port e1 192.0.2.1/30
  port e2 10.0.12.1/30
    ospf area 0
  bgp as 64500
# WEST
    peer 10.255.0.2 as 64500
      local-address lo
      next-hop-self
    peer 192.0.2.2 as 64496
# WEST-FAR
router core
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 10.0.12.2/30
    ospf area 0
  port e2 192.0.2.5/30
  bgp as 64500
# CORE
    peer 10.255.0.1 as 64500
      local-address lo
    peer 192.0.2.6 as 64501
# CORE-EAST
router east
  port e1 192.0.2.6/30
  bgp as 64501
# EAST
    peer 192.0.2.5 as 64500
# EAST-CORE
link far.e1 west.e1
link west.e2 core.e1
link core.e2 east.e1
policy out
  statement all
# OUT
    accept
`

// chainOf puts lines in place of marks: a pair is a mark and its replacement,
// or any text and another.
func chainOf(pairs ...string) string {
	for i := 0; i < len(pairs); i += 2 {
		if strings.Contains(chain, "# "+pairs[i]+"\n") {
			pairs[i] = "# " + pairs[i] + "\n"
		}
	}
	return strings.NewReplacer(pairs...).Replace(chain)
}

// received writes what a router has received from a peer for a prefix.
func received(t *testing.T, w *network.World, router, peer, prefix string) string {
	t.Helper()
	d := w.Find(router)
	id, known := w.Shared().Prefixes.Find(ip.PrefixFrom(netip.MustParsePrefix(prefix)))
	if !known {
		return "nothing"
	}
	row, ok := d.Main().BGP().In(peerNumber(t, d, peer), id)
	if !ok {
		return "nothing"
	}
	a := w.Attrs().Get(row.Raw)
	s := fmt.Sprintf("path [%v] hop %v", a.Path, ip.Addr(a.NextHop))
	if a.HasMED {
		s += fmt.Sprintf(" med %d", a.MED)
	}
	if a.HasLocalPref {
		s += fmt.Sprintf(" pref %d", a.LocalPref)
	}
	if a.Origin != 0 {
		s += " " + a.Origin.String()
	}
	if list := a.CommunityList(); len(list) > 0 {
		s += " " + strings.Join(list, " ")
	}
	if a.HasAggregator {
		s += fmt.Sprintf(" aggregator %d", a.AggregatorAS)
	}
	if a.Atomic {
		s += " atomic"
	}
	return s
}

// TestWhatIsSentToWhom shows the rules of RFC 4271 5.1 and 9.2, and the tricks, by
// what arrives at the other end.
func TestWhatIsSentToWhom(t *testing.T) {
	const p = "198.51.100.0/24"
	line := func(s string) string { return "    " + s + "\n" }
	under := func(s string) string { return "      " + s + "\n" }
	for name, c := range map[string]struct {
		text                 string
		router, peer, prefix string
		want                 string
	}{
		"an external peer gets our AS and our address, and no local preference": {chainOf(), "west", "192.0.2.2", p, "path [64496] hop 192.0.2.2"},
		"an internal one gets the path as it is, with a local preference":       {chainOf(), "core", "10.255.0.1", p, "path [64496] hop 10.255.0.1 pref 100"},
		"without next-hop-self the next hop stays":                              {chainOf("      next-hop-self\n", ""), "core", "10.255.0.1", p, "path [64496] hop 192.0.2.2 pref 100"},
		"MED goes to the next AS":                                               {chainOf("OUT", "    set med 7\n"), "west", "192.0.2.2", p, "path [64496] hop 192.0.2.2 med 7"},
		"and within it":                                                         {chainOf("OUT", "    set med 7\n"), "core", "10.255.0.1", p, "path [64496] hop 10.255.0.1 med 7 pref 100"},
		"but no further":                                                        {chainOf("OUT", "    set med 7\n"), "east", "192.0.2.5", p, "path [64500 64496] hop 192.0.2.5"},
		"prepending comes before the AS that sending adds":                      {chainOf("OUT", "    prepend 64496 times 2\n"), "west", "192.0.2.2", p, "path [64496 64496 64496] hop 192.0.2.2"},
		"no-export stays within the AS":                                         {chainOf("OUT", "    add community no-export\n"), "core", "10.255.0.1", p, "path [64496] hop 10.255.0.1 pref 100 no-export"},
		"and does not leave it":                                                 {chainOf("OUT", "    add community no-export\n"), "east", "192.0.2.5", p, "nothing"},
		"no-advertise goes nowhere":                                             {chainOf("OUT", "    add community no-advertise\n"), "core", "10.255.0.1", p, "nothing"},
		"a peer whose AS is in the path is spared it":                           {chainOf("OUT", "    replace as-path 64501\n"), "east", "192.0.2.5", p, "nothing"},
		"unless the check is off":                                               {chainOf("OUT", "    replace as-path 64501\n", "CORE-EAST", under("loop-check off")), "east", "192.0.2.5", p, "path [64500 64496 64501] hop 192.0.2.5"},
		"an aggregate beside its details":                                       {chainOf("CORE", line("aggregate 198.51.100.0/23")), "east", "192.0.2.5", p, "path [64500 64496] hop 192.0.2.5"},
		"is atomic, and names its maker":                                        {chainOf("CORE", line("aggregate 198.51.100.0/23")), "east", "192.0.2.5", "198.51.100.0/23", "path [64500] hop 192.0.2.5 aggregator 64500 atomic"},
		"alone its details are not sent":                                        {chainOf("CORE", line("aggregate 198.51.100.0/23 alone")), "east", "192.0.2.5", p, "nothing"},
		"with the ASes as a set":                                                {chainOf("CORE", line("aggregate 198.51.100.0/23 as-set")), "east", "192.0.2.5", "198.51.100.0/23", "path [64500 64496] hop 192.0.2.5 aggregator 64500"},
		"through a policy that takes none it is not there":                      {chainOf("CORE", line("aggregate 198.51.100.0/23 through nothing")) + "policy nothing\n  otherwise reject\n", "east", "192.0.2.5", "198.51.100.0/23", "nothing"},
		"a default route on request":                                            {chainOf("CORE-EAST", under("originate default")), "east", "192.0.2.5", "0.0.0.0/0", "path [64500] hop 192.0.2.5"},
		"private AS numbers taken out":                                          {chainOf("OUT", "    prepend 64513 64512\n", "CORE-EAST", under("remove-private-as")), "east", "192.0.2.5", p, "path [64500 64496] hop 192.0.2.5"},
		"our AS in place of the peer's":                                         {chainOf("CORE-EAST", under("export-policy ours")) + "policy ours\n  statement all\n    replace as 64496\n    accept\n", "east", "192.0.2.5", p, "path [64500 64500] hop 192.0.2.5"},
		"a next hop passed on unchanged":                                        {chainOf("CORE-EAST", under("next-hop-unchanged")), "east", "192.0.2.5", p, "path [64500 64496] hop 10.255.0.1"},
		"injected from OSPF, its origin is incomplete": {chainOf("CORE", line("inject ospf through loops")) + "prefix-set loops\n  10.255.0.0/24 length 32\n",
			"east", "192.0.2.5", "10.255.0.1/32", "path [64500] hop 192.0.2.5 incomplete"},
		"a policy gives what is injected its MED": {chainOf("CORE", line("inject ospf through loops")) + "policy loops\n  statement ospf\n    where route-type intra-area\n    set metric 33\n    accept\n",
			"east", "192.0.2.5", "10.255.0.1/32", "path [64500] hop 192.0.2.5 med 33 incomplete"},
		"what is not exactly in the table is not originated": {chainOf("WEST", line("originate 203.0.113.0/24")), "core", "10.255.0.1", "203.0.113.0/24", "nothing"},
	} {
		t.Run(name, func(t *testing.T) {
			w := build(t, c.text)
			settle(t, w)
			require.Equal(t, c.want, received(t, w, c.router, c.peer, c.prefix))
		})
	}
}

// TestAThirdPartyStaysTheNextHop: on a segment that all three share, the router in
// the middle names the one that it received (RFC 4271 5.1.3).
func TestAThirdPartyStaysTheNextHop(t *testing.T) {
	var text strings.Builder
	for i, x := range []string{"a", "b", "c"} {
		text.WriteString(fmt.Sprintf("router %s\n  port e1 192.0.2.%d/24\n  static 198.51.10%d.0/24 blackhole\n  bgp as %d\n    originate 198.51.10%d.0/24\n", x, i+1, i, 64496+i, i))
		for k := range 3 {
			if k != i && (k == 1 || i == 1) {
				text.WriteString(fmt.Sprintf("    peer 192.0.2.%d as %d\n", k+1, 64496+k))
			}
		}
	}
	w := build(t, text.String()+"segment wire a.e1 b.e1 c.e1\n")
	settle(t, w)
	require.Equal(t, "path [64497 64496] hop 192.0.2.1", received(t, w, "c", "192.0.2.2", "198.51.100.0/24"))
	w = build(t, strings.Replace(text.String(), "    peer 192.0.2.3 as 64498\n", "    peer 192.0.2.3 as 64498\n      next-hop-self\n", 1)+"segment wire a.e1 b.e1 c.e1\n")
	settle(t, w)
	require.Equal(t, "path [64497 64496] hop 192.0.2.2", received(t, w, "c", "192.0.2.2", "198.51.100.0/24"))
}

// TestFourOctetNumbersCrossATwoOctetSpeaker: their way through a peer that does
// not know them leaves them whole (RFC 6793 4.2).
func TestFourOctetNumbersCrossATwoOctetSpeaker(t *testing.T) {
	text := strings.NewReplacer("64496", "65550").Replace(chainOf("WEST-FAR", "      four-octet-as off\n", "CORE-EAST", "      four-octet-as off\n"))
	w := build(t, text)
	settle(t, w)
	require.Equal(t, "path [65550] hop 192.0.2.2", received(t, w, "west", "192.0.2.2", "198.51.100.0/24"))
	require.Equal(t, "path [64500 65550] hop 192.0.2.5", received(t, w, "east", "192.0.2.5", "198.51.100.0/24"))
}

// TestASiteTakesItsOwnAS: allowed once, refused otherwise (RFC 4271 9.1.2).
func TestASiteTakesItsOwnAS(t *testing.T) {
	w := build(t, demo.Text("two-islands"))
	settle(t, w)
	has := func(name, prefix string) bool {
		id, ok := w.Shared().Prefixes.Find(ip.PrefixFrom(netip.MustParsePrefix(prefix)))
		require.True(t, ok)
		a, _, _ := w.Find(name).Main().BGP().Best(id)
		return a != 0
	}
	require.True(t, has("depot", "10.64.1.0/24"), "it takes its own AS once")
	require.True(t, has("boathouse", "10.64.1.0/24"), "its own AS was replaced")
	require.False(t, has("larches", "10.64.2.0/24"))
}

// TestPathsThatShareTraffic: with multipath, two sessions with one AS make two ways.
func TestPathsThatShareTraffic(t *testing.T) {
	text := "router a\n  port e1 192.0.2.1/30\n  port e2 192.0.2.5/30\n  bgp as 64500\nMULTI    peer 192.0.2.2 as 64496\n    peer 192.0.2.6 as 64496\n" +
		"router b\n  port e1 192.0.2.2/30\n  port e2 192.0.2.6/30\n  static 198.51.100.0/24 blackhole\n  bgp as 64496\n    originate 198.51.100.0/24\n    peer 192.0.2.1 as 64500\n    peer 192.0.2.5 as 64500\n" +
		"link a.e1 b.e1\nlink a.e2 b.e2\n"
	for multi, want := range map[string]int{"": 1, "    multipath 2\n": 2} {
		w := build(t, strings.Replace(text, "MULTI", multi, 1))
		settle(t, w)
		_, hop, ok := w.Find("a").Main().Table().Lookup(w.Shared(), ip.V4(0xc6336401))
		require.True(t, ok)
		require.Len(t, w.Shared().Sets.Hops(w.Find("a").Main().Table().Set(hop)), want)
	}
}

// TestSessionsOfAllKinds: which come up, over what, and which cannot.
func TestSessionsOfAllKinds(t *testing.T) {
	state := func(w *network.World, router, peer string) bgp.State {
		d := w.Find(router)
		return d.Main().BGP().Peer(peerNumber(t, d, peer)).State
	}
	// Two external peers with a router between them that speaks no BGP.
	apart := "router a\n  port e1 10.0.1.1/30\n  static 10.0.2.0/30 via 10.0.1.2\n  bgp as 64500\n    peer 10.0.2.2 as 64496\nA" +
		"router m\n  port e1 10.0.1.2/30\n  port e2 10.0.2.1/30\n" +
		"router b\n  port e1 10.0.2.2/30\n  static 10.0.1.0/30 via 10.0.2.1\n  bgp as 64496\n    peer 10.0.1.1 as 64500\nB" +
		"link a.e1 m.e1\nlink m.e2 b.e1\n"
	for name, c := range map[string]struct {
		a, b string
		want bgp.State
	}{
		"an external peer has to be on a network of ours": {"", "", bgp.Active},
		"with multihop it may be further away":            {"      multihop 2\n", "      multihop 2\n", bgp.Established},
		"one hop is not enough":                           {"      multihop 1\n", "      multihop 1\n", bgp.Connect},
		"one end is not enough":                           {"      multihop 2\n", "", bgp.Active},
	} {
		t.Run(name, func(t *testing.T) {
			w := build(t, strings.NewReplacer("\nA", "\n"+c.a, "\nB", "\n"+c.b).Replace(apart))
			settle(t, w)
			got := state(w, "a", "10.0.2.2")
			if c.want == bgp.Established {
				require.Equal(t, c.want, got)
				return
			}
			require.Less(t, got, bgp.OpenSent)
		})
	}
	t.Run("TTL security on both ends", func(t *testing.T) { // RFC 5082
		w := build(t, chainOf("WEST-FAR", "      ttl-security 1\n", "      export-policy out\n", "      export-policy out\n      ttl-security 1\n"))
		settle(t, w)
		require.Equal(t, bgp.Established, state(w, "west", "192.0.2.2"))
	})
	t.Run("a session to a loopback waits for the IGP and moves with it", func(t *testing.T) {
		w := build(t, demo.Text("two-carriers"))
		settle(t, w)
		d := w.Find("viaduct")
		i, _ := d.Port("e2")
		before := d.Main().BGP().Peer(peerNumber(t, d, "10.255.0.3"))
		w.Cut(d.ID(), i)
		settle(t, w)
		now := d.Main().BGP().Peer(peerNumber(t, d, "10.255.0.3"))
		require.Equal(t, bgp.Established, now.State)
		require.Equal(t, before.Ups, now.Ups, "the session stays up: packets take the other way")
	})
	t.Run("carrier loss ends a direct session at once, silence by the hold time", func(t *testing.T) {
		took := func(fail func(w *network.World, dev, port uint32)) event.Time {
			w := build(t, demo.Text("two-carriers"))
			settle(t, w)
			d := w.Find("viaduct")
			i, _ := d.Port("up")
			start, mark := w.Now(), w.Notes()
			fail(w, d.ID(), i)
			settle(t, w)
			for k := mark; k < w.Notes(); k++ {
				if n := w.NoteAt(k); n.Kind == note.SessionState && n.Device == d.ID() && n.B == uint64(bgp.Established) {
					return event.Time(n.At) - start
				}
			}
			t.Fatal("the session stays up")
			return 0
		}
		require.Zero(t, took(func(w *network.World, dev, port uint32) { w.Cut(dev, port) }))
		silent := took(func(w *network.World, dev, port uint32) { w.Silence(dev, port, network.Both) })
		require.Greater(t, silent, 50*event.Second)
		require.LessOrEqual(t, silent, 90*event.Second)
	})
}

// TestAPolicyIsChangedWithoutAReset: what was received counts anew, by whichever
// policy (RFC 2918 1).
func TestAPolicyIsChangedWithoutAReset(t *testing.T) {
	text := chainOf("WEST-FAR", "      import-policy in\n") + "policy in\n  statement all\n    set local-preference 150\n    accept\n"
	w := build(t, text)
	settle(t, w)
	require.Equal(t, "path [64496] hop 10.255.0.1 pref 150", received(t, w, "core", "10.255.0.1", "198.51.100.0/24"))
	configure(t, w, strings.Replace(text, "set local-preference 150", "set local-preference 250", 1))
	settle(t, w)
	require.Equal(t, "path [64496] hop 10.255.0.1 pref 250", received(t, w, "core", "10.255.0.1", "198.51.100.0/24"))
	configure(t, w, strings.Replace(text, "    set local-preference 150\n    accept\n", "    reject\n", 1))
	settle(t, w)
	require.Equal(t, "nothing", received(t, w, "core", "10.255.0.1", "198.51.100.0/24"))
	configure(t, w, text)
	settle(t, w)
	require.Equal(t, "path [64496] hop 10.255.0.1 pref 150", received(t, w, "core", "10.255.0.1", "198.51.100.0/24"))
	w.Find("west").Main().BGP().Peers(func(v bgp.PeerView) { require.EqualValues(t, 1, v.Ups) })
}

// TestRoutesComeBackByInjection: a prefix that goes from BGP into OSPF with a tag is
// kept from coming back by it, and the source that the table prefers is used.
func TestRoutesComeBackByInjection(t *testing.T) {
	text := chainOf("      next-hop-self\n", "") +
		"policy tagged\n  statement in\n    set tag 7\n    set metric 44\n    set metric-type 1\n    accept\npolicy untagged\n  statement no\n    where tag = 7\n    reject\n  statement rest\n    where source ospf\n    accept\n"
	text = strings.Replace(text, "router west\n", "router west\n  ospf\n    inject bgp through tagged\n", 1)
	text = strings.Replace(text, "    peer 10.255.0.1 as 64500\n", "    inject ospf through untagged\n    peer 10.255.0.1 as 64500\n", 1)
	w := build(t, text)
	settle(t, w)
	core := w.Find("core")
	id, _ := w.Shared().Prefixes.Find(ip.PrefixFrom(netip.MustParsePrefix("198.51.100.0/24")))
	s, ok := core.Main().Table().Best(id)
	require.True(t, ok)
	require.Equal(t, "ospf", s.String(), "OSPF's external route is preferred to the internal path, whose next hop nobody knows")
	r := core.Main().Table().Route(s, id)
	require.EqualValues(t, []uint32{54, 7}, []uint32{r.Metric, r.Tag})
	own, _, _, _ := core.Main().BGP().OwnPath(id)
	require.Zero(t, own, "the tag keeps it out of BGP")
	lo, _ := w.Shared().Prefixes.Find(ip.PrefixFrom(netip.MustParsePrefix("10.255.0.1/32")))
	own, _, _, _ = core.Main().BGP().OwnPath(lo)
	require.NotZero(t, own)
}

// TestOnlyTheSourceThatIsNamedIsInjected has routes of two sources in the table.
func TestOnlyTheSourceThatIsNamedIsInjected(t *testing.T) {
	w := build(t, `router mill
  loopback lo 198.51.100.1/32
  port e1 192.0.2.1/30
  static 203.0.113.0/24 blackhole
  bgp as 64500
    inject static
    peer 192.0.2.2 as 64501
router halt
  port e1 192.0.2.2/30
  bgp as 64501
    peer 192.0.2.1 as 64500
link mill.e1 halt.e1
`)
	settle(t, w)
	require.NotEmpty(t, routeTo(w, "halt", "203.0.113.0/24"))
	require.Empty(t, routeTo(w, "halt", "198.51.100.1/32"))
}
