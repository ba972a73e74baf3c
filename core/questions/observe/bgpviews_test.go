package observe_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/protocols/wire/ip"
	"hellebore/core/questions/observe"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

func demoText(t *testing.T, slug string) string {
	t.Helper()
	for _, l := range demo.Labs() {
		if l.Slug == slug {
			return l.Text
		}
	}
	t.Fatal("no demo lab " + slug)
	return ""
}

// TestTheStoryOfAPrefix follows a path from its arrival through the import policy
// and the decision to what each peer is told.
func TestTheStoryOfAPrefix(t *testing.T) {
	w := settled(t, demoText(t, "two-carriers"))
	p := observe.PathsTo(w, netip.MustParsePrefix("198.51.100.0/25"), "quarry")
	require.Len(t, p.Routers, 1)
	r := p.Routers[0]
	require.Equal(t, "quarry uses the path from viaduct rather than that from gannet: local preference 200, not 80", r.Answer)
	require.Len(t, r.Paths, 2)
	best, other := r.Paths[0], r.Paths[1]
	require.True(t, best.Chosen)
	require.Equal(t, "10.255.0.1", best.After.NextHop)
	require.EqualValues(t, 10, *best.Cost)
	require.Equal(t, []string{"80", "200", "viaduct", "4271 9.1.1"}, []string{other.Mine, other.Theirs, other.Against, other.RFC})
	require.Nil(t, other.Received.LocalPref)
	require.EqualValues(t, 80, *other.After.LocalPref)
	require.Equal(t, "statement backup of from-gannet accepts it: set local-preference 80, community add 64500:1", other.Import.Says)
	sent := map[string]string{}
	for _, s := range r.Sent {
		sent[s.To] = s.Why
	}
	require.Equal(t, "statement allowed of to-gannet accepts it", sentTo(t, observe.PathsTo(w, netip.MustParsePrefix("203.0.113.0/24"), "quarry"), "gannet").Export.Says[:len("statement allowed of to-gannet accepts it")])
	require.Equal(t, "no statement of to-gannet decides, and its end rejects", sent["gannet"])
	require.Equal(t, "it was learned from that peer", sent["viaduct"])
	require.Contains(t, sent["summit"], "it has its own session for that")
	// A prefix that is not there, with those that are near.
	none := observe.PathsTo(w, netip.MustParsePrefix("198.51.100.0/24"), "")
	require.Empty(t, none.Routers)
	require.Equal(t, []string{"198.51.100.0/25"}, none.Near)
}

func sentTo(t *testing.T, p observe.PrefixPaths, to string) observe.SentRow {
	t.Helper()
	for _, s := range p.Routers[0].Sent {
		if s.To == to {
			return s
		}
	}
	t.Fatal("nothing about " + to)
	return observe.SentRow{}
}

// TestTheTablesOfASession: what came in and went out agrees with the other end,
// row by row.
func TestTheTablesOfASession(t *testing.T) {
	w := settled(t, demoText(t, "two-carriers"))
	table := func(device, peer string) observe.PathTable {
		out, err := observe.SessionTable(w, w.Find(device), ip.AddrFrom(netip.MustParseAddr(peer)))
		require.NoError(t, err)
		return out
	}
	here, there := table("viaduct", "192.0.2.2"), table("skylark", "192.0.2.1")
	require.Equal(t, "skylark", here.With)
	list := func(rows []observe.TableRow, stages ...string) (out []string) {
		for _, r := range rows {
			if len(stages) == 0 || strings.Contains(strings.Join(stages, " "), r.Stage) {
				out = append(out, r.Prefix+" "+r.Path.ASPath)
			}
		}
		return out
	}
	require.Equal(t, list(here.In), list(there.Out, "sent"))
	require.Equal(t, list(there.In), list(here.Out, "sent"))
	var held []string
	for _, r := range here.Out {
		if r.Stage == "withheld" {
			held = append(held, r.Prefix+" "+r.Code)
		}
	}
	require.Equal(t, []string{"198.51.100.0/25 from-that-peer"}, held)
	loc := observe.RouterTable(w, w.Find("viaduct"))
	require.Len(t, loc.In, 4)
	for _, r := range loc.In {
		require.Equal(t, "chosen", r.Stage)
		require.NotZero(t, r.SentTo)
	}
	_, err := observe.SessionTable(w, w.Find("viaduct"), 1)
	require.EqualError(t, err, "viaduct has no peer 0.0.0.1")
}

// TestPoliciesOnTheBench runs routes through a policy, and through a draft of it.
func TestPoliciesOnTheBench(t *testing.T) {
	text := demoText(t, "two-carriers")
	w := settled(t, text)
	b, err := observe.TryPolicy(w, observe.Trial{Policy: "from-tramway", Device: "summit", Peer: "10.64.0.2", Way: "in"})
	require.NoError(t, err)
	require.Equal(t, 2, b.Accepted)
	require.Equal(t, []string{"local preference 100 to 300"}, b.Rows[0].Changes)

	typed := []string{"203.0.113.0/24", "", "10.64.8.0/23 path 64510 64511 med 5", "198.51.100.0/24 path 64496 community 64500:1"}
	b, err = observe.TryPolicy(w, observe.Trial{Policy: "ours-and-customers", Routes: typed,
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

	b, err = observe.TryPolicy(w, observe.Trial{Policy: "to-gannet", Routes: typed[:1], Draft: "policy to-gannet\n  statement\n"})
	require.NoError(t, err)
	require.NotEmpty(t, b.Problems)
	for want, trial := range map[string]observe.Trial{
		"there is no policy named nothing":                 {Policy: "nothing"},
		"the draft has no policy named to-gannet":          {Policy: "to-gannet", Draft: "lab \"x\"\n"},
		"viaduct has no peer 10.1.1.1":                     {Policy: "to-gannet", Device: "viaduct", Peer: "10.1.1.1"},
		`"tea" is not the address of a peer`:               {Policy: "to-gannet", Device: "viaduct", Peer: "tea"},
		"there is no router named crane on which BGP runs": {Policy: "to-gannet", Device: "crane", Peer: "10.1.1.1"},
	} {
		_, err := observe.TryPolicy(w, trial)
		require.EqualError(t, err, want)
	}
}

func TestRoutesAsTheyAreTyped(t *testing.T) {
	r, err := observe.ParseRoute("203.0.113.0/24 path 64496 64500 med 5 local-preference 200 origin egp next-hop 192.0.2.1 tag 7 community no-export community 64500:1:2 source static")
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
		"203.0.113.0/24 source rip":   "source is connected, static, ospf or bgp",
		"203.0.113.0/24 colour green": `"colour" is unknown; known: path, med, local-preference, community, origin, next-hop, tag, metric, source`,
		"":                            `"" is not a prefix; write for example 203.0.113.0/24 path 64496 64500`,
	} {
		_, err := observe.ParseRoute(line)
		require.EqualError(t, err, want)
	}
}

// TestSessionsBetweenTheSameRouters: two sessions of one pair are two rows, each
// with its own two ends.
func TestSessionsBetweenTheSameRouters(t *testing.T) {
	text := "router a\n  loopback lo 10.255.0.1/32\n  port e1 10.0.1.1/30\n  static 10.255.0.2/32 via 10.0.1.2\n  bgp as 64500\n    peer 10.0.1.2 as 64500\n    peer 10.255.0.2 as 64500\n      local-address lo\n" +
		"router b\n  loopback lo 10.255.0.2/32\n  port e1 10.0.1.2/30\n  static 10.255.0.1/32 via 10.0.1.1\n  bgp as 64500\n    peer 10.0.1.1 as 64500\n    peer 10.255.0.1 as 64500\n      local-address lo\nlink a.e1 b.e1\n"
	var rows []string
	for _, n := range observe.NeighboursOf(settled(t, text)) {
		require.True(t, n.Up)
		require.NotEmpty(t, n.Session.A.TCP)
		require.Len(t, n.Session.A.Capabilities, 3)
		rows = append(rows, n.A.Address+" "+n.B.Address)
	}
	require.ElementsMatch(t, []string{"10.0.1.1 10.0.1.2", "10.255.0.1 10.255.0.2"}, rows)
}

// TestBGPOnTheWire: the packets of a link between two speakers, decoded.
func TestBGPOnTheWire(t *testing.T) {
	h := history.New()
	s, err := h.Begin(history.Action{Kind: history.Apply, Text: demoText(t, "planted-sessions")}, 0)
	require.NoError(t, err)
	require.NoError(t, h.Run(s, nil))
	w := h.Head()
	d := w.Find("viaduct")
	port, _ := d.Port("up")
	p, err := observe.PacketsOf(h, w, d.ID(), port, 0, w.Now(), nil, nil)
	require.NoError(t, err)
	says := map[string]string{}
	fields := map[string]string{}
	for _, x := range p.Packets {
		if x.Protocol != "BGP" {
			continue
		}
		if _, there := says[x.Kind]; !there {
			says[x.Kind] = x.Says
		}
		for _, l := range x.Layers {
			for _, f := range l.Fields {
				fields[l.Name+" "+f.Name] = f.Value
			}
		}
	}
	require.Contains(t, says["BGP OPEN"], "hold time 90 s")
	require.Equal(t, "keepalive", says["BGP KEEPALIVE"])
	require.Contains(t, says["BGP UPDATE"], "announces")
	require.Equal(t, "four-octet AS (65)", fields["BGP OPEN capability"])
	require.Contains(t, fields["BGP UPDATE NEXT_HOP"], "192.0.2.")
	// The one with the wrong AS number ends in a NOTIFICATION.
	d = w.Find("quarry")
	port, _ = d.Port("up")
	p, err = observe.PacketsOf(h, w, d.ID(), port, 0, w.Now(), []string{"BGP NOTIFICATION"}, nil)
	require.NoError(t, err)
	require.NotEmpty(t, p.Packets)
	require.Contains(t, p.Packets[0].Says, "OPEN message error: bad peer AS")
}

// TestTheMapShowsASes: each device in its AS, sessions with their kind, reflectors.
func TestTheMapShowsASes(t *testing.T) {
	m := observe.MapOf(settled(t, demoText(t, "two-reflectors")))
	as, reflectors := map[string]uint32{}, []string{}
	for _, d := range m.Devices {
		as[d.Name] = d.AS
		if d.Reflector {
			reflectors = append(reflectors, d.Name)
		}
	}
	require.Equal(t, []string{"summit", "tunnel"}, reflectors)
	require.Equal(t, []uint32{64500, 64500, 64496, 64496}, []uint32{as["depot"], as["shed"], as["skylark"], as["pier"]})
	external := 0
	for _, s := range m.Sessions {
		require.True(t, s.Up)
		if s.External {
			external++
			require.True(t, s.Linked)
		}
	}
	require.Equal(t, 2, external)
	require.Len(t, m.Sessions, 2+1+2*4)
	for _, f := range m.Flows {
		for _, hop := range f.Hops {
			require.NotZero(t, hop.AS, hop.Device)
		}
	}
}

func TestWhoUsesAPolicy(t *testing.T) {
	uses := map[string]int{}
	for _, p := range observe.PoliciesOf(settled(t, demoText(t, "two-carriers"))) {
		uses[p.Name] = len(p.Uses)
		require.NotEmpty(t, p.Statements)
	}
	require.Equal(t, 2, uses["ours-and-customers"], "two policies ask it")
	require.Equal(t, 1, uses["to-gannet"])
	require.Equal(t, 14, uses["everything"])
}
