package observe_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/questions/observe"
	"hellebore/core/simulation/network"
)

func portRow(t *testing.T, w *network.World, device, port string) observe.Port {
	t.Helper()
	for _, p := range observe.PortsOf(w).Ports {
		if p.Device == device && p.Port == port {
			return p
		}
	}
	t.Fatalf("no row for %s.%s", device, port)
	return observe.Port{}
}

func process(t *testing.T, w *network.World, device string) observe.Process {
	t.Helper()
	for _, p := range observe.PortsOf(w).Processes {
		if p.Device == device {
			return p
		}
	}
	t.Fatal("no process of " + device)
	return observe.Process{}
}

func TestPortsOfASoundNetwork(t *testing.T) {
	w := settled(t, line)
	p := portRow(t, w, "mill", "e1")
	require.True(t, p.Up)
	require.Nil(t, p.Why)
	require.Equal(t, []string{"halt.e1"}, p.JoinedTo)
	require.Equal(t, "1G", p.Bandwidth)
	require.NotNil(t, p.OSPF.NextHello)
	require.Equal(t, observe.PortOSPF{Area: "0", Type: "point-to-point", State: "Point-to-point", Cost: 10, CostFrom: "10G over 1G",
		HelloInterval: "10s", DeadInterval: "40s", RetransmitInterval: "5s", TransmitDelay: "1s", Authentication: "none",
		NextHello: p.OSPF.NextHello, Neighbours: []string{"halt Full"}}, *p.OSPF)

	lo := portRow(t, w, "mill", "lo")
	require.Equal(t, "loopback", lo.Kind)
	require.Equal(t, "Loopback", lo.OSPF.State)
	require.Nil(t, lo.OSPF.NextHello)
	require.Equal(t, "Passive", portRow(t, w, "mill", "lan").OSPF.State)
	host := portRow(t, w, "gate", "nic")
	require.Equal(t, "host", host.Kind)
	require.Nil(t, host.OSPF)
	require.Equal(t, []string{"mill.lan"}, host.JoinedTo)

	require.Equal(t, observe.Process{Device: "mill", Running: true, RouterID: "10.255.0.1", RouterIDFrom: "address of lo",
		Areas: []string{"0"}, Roles: []string{}, Ports: 3, Full: 1, LSAs: 2, SPFRuns: process(t, w, "mill").SPFRuns, ReferenceBandwidth: "10G"},
		process(t, w, "mill"))
}

func TestPortsSayWhereACostComesFrom(t *testing.T) {
	set := settled(t, strings.Replace(line, millPort, millPort+"      cost 7\n", 1))
	require.Equal(t, "set on the port", portRow(t, set, "mill", "e1").OSPF.CostFrom)
	slow := settled(t, strings.Replace(line, "10.0.12.1/30", "10.0.12.1/30 bandwidth 100M", 1))
	require.Equal(t, "10G over 100M", portRow(t, slow, "mill", "e1").OSPF.CostFrom)
	require.EqualValues(t, 100, portRow(t, slow, "mill", "e1").OSPF.Cost)
}

func TestAProcessSaysWhyItDoesNotRun(t *testing.T) {
	for text, why := range map[string]string{
		"router a\n  port e1 10.0.0.1/30\n":                                      "no port runs OSPF",
		"router a disabled\n  port e1 10.0.0.1/30\n    ospf area 0\n":            "the device is disabled",
		"router a\n  port e1 10.0.0.1/30\n    ospf area 0\n  ospf\n    disabled": "the OSPF process is disabled",
		"router a\n  port e1\n    ospf area 0\n":                                 "the router has no address to take a router ID from",
	} {
		require.Equal(t, why, process(t, settled(t, text), "a").WhyNot, text)
	}
	w := settled(t, "router a\n  router-id 10.9.9.9\n  port e1 10.0.0.1/30\n    ospf area 0\n")
	require.Equal(t, "configured", process(t, w, "a").RouterIDFrom)
	// The address that the router ID was taken from goes; the ID stays.
	w = settled(t, line)
	reconfigure(t, w, strings.Replace(line, "  loopback lo 10.255.0.1/32\n    ospf area 0 passive\n", "", 1))
	require.Equal(t, "chosen from the ports", process(t, w, "mill").RouterIDFrom)
	require.Equal(t, "10.255.0.1", process(t, w, "mill").RouterID)
}

// TestAllReasonsOfARow puts four disagreements on one link: what the devices
// observe comes first, what would be in the way next comes after, marked so.
func TestAllReasonsOfARow(t *testing.T) {
	text := strings.Replace(line, millPort, "port e1 10.0.12.1/29\n    ospf area 1\n      hello-interval 5s\n", 1)
	rows := observe.NeighboursOf(settled(t, text))
	require.Len(t, rows, 1)
	n := rows[0]
	require.False(t, n.Up)
	require.Equal(t, "halt", n.A.Device, "the ends stand in the order of their names")
	var got []string
	for _, r := range n.Reasons {
		got = append(got, strings.Join([]string{r.Source, r.Code, r.Mine, r.Theirs, r.By, r.Remedy}, "|"))
	}
	require.Equal(t, []string{
		"observed|area|0|1|halt.e1 and mill.e1|set area 1 on halt.e1, or area 0 on mill.e1",
		"foreseen|subnet|10.0.12.2/30|10.0.12.1/29||put both ports in one subnet",
		"foreseen|hello-interval|10s|5s||set hello-interval 5s on halt.e1",
		"foreseen|dead-interval|40s|20s||set dead-interval 20s on halt.e1",
	}, got)
	require.EqualValues(t, 5, n.Reasons[0].Count, "the hellos of both ends, refused until the lab settled")
}

func TestNeighboursThatAreUp(t *testing.T) {
	w := settled(t, line)
	n := observe.NeighboursOf(w)[0]
	require.True(t, n.Up)
	require.Empty(t, n.Reasons)
	require.Equal(t, "Full", n.A.State)
	require.Equal(t, "10.255.0.2", n.A.RouterID)
	require.Equal(t, "10.0.12.2/30", n.A.Address)
	require.Greater(t, *n.A.DeadIn, 0.0)
	require.LessOrEqual(t, *n.A.DeadIn, 40.0)
	require.Greater(t, n.Since, 0.0)
	// Ports that face nobody but hosts, or each other's passive side, make no row.
	quiet := settled(t, strings.NewReplacer(millPort, "port e1 10.0.12.1/30\n    ospf area 0 passive\n",
		haltPort, "port e1 10.0.12.2/30\n    ospf area 0 passive\n").Replace(line))
	require.Empty(t, observe.NeighboursOf(quiet))
}

func TestSilenceOneWayIsSaidOfTheRightEnd(t *testing.T) {
	w := settled(t, line)
	w.Silence(0, 1, network.Out)
	w.Settle(1e6, nil)
	n := observe.NeighboursOf(w)[0]
	var texts []string
	for _, r := range n.Reasons {
		texts = append(texts, r.Source+": "+r.Text)
	}
	require.Equal(t, []string{
		"observed: the other end is heard, but does not list us: it does not hear us",
		"observed: no hello is heard from the other end",
		"fault: packets from mill.e1 are lost on the link",
	}, texts)
	m := observe.MapOf(w)
	require.True(t, m.Links[0].Ends[0].Silent)
	require.False(t, m.Links[0].Ends[1].Silent)
}

func TestMapOfANetwork(t *testing.T) {
	w := settled(t, line)
	m := observe.MapOf(w)
	require.Equal(t, observe.MapDevice{Name: "mill", Kind: "router", Address: "10.255.0.1", RouterID: "10.255.0.1",
		Areas: []string{"0"}, Roles: []string{}, Addresses: []string{"10.255.0.1", "10.0.12.1", "10.20.1.1"}, Enabled: true, Services: []string{}}, m.Devices[0])
	require.Equal(t, observe.MapEnd{Device: "mill", Port: "e1", Address: "10.0.12.1/30", Cost: 10, Area: "0", Up: true, State: "Full", Tags: []string{}}, m.Links[0].Ends[0])
	require.Equal(t, "mill.e1 halt.e1", m.Links[0].ID)
	require.Equal(t, "segment yard", m.Links[1].ID)
	require.Equal(t, "1ms", m.Links[1].Delay)
	f := m.Flows[0]
	require.True(t, f.Arrives)
	require.True(t, f.Back.Arrives)
	require.Equal(t, observe.PathHop{Device: "mill", In: "lan", Out: "e1", Via: "10.0.12.2", Prefix: "10.20.2.0/24",
		Source: "ospf", Cost: 20, OutCost: 10, Ways: 1}, f.Hops[1])

	cut(w)
	w.Settle(1e6, nil)
	m = observe.MapOf(w)
	require.True(t, m.Links[0].Cut)
	require.Equal(t, "the link has no carrier", m.Links[0].Ends[1].Why)
	require.Equal(t, "mill", m.Flows[0].StopsAt)
}

func TestPathsToPrefixesAndAddresses(t *testing.T) {
	w := settled(t, line)
	for to, want := range map[string]string{
		"desk":         "gate mill halt desk",
		"10.20.2.0/24": "gate mill halt",
		"10.255.0.2":   "gate mill halt",
		"10.0.12.0/30": "gate mill",
	} {
		p, err := observe.FlowBetween(w, "gate", to)
		require.NoError(t, err)
		require.True(t, p.Arrives, "%s: %s", to, p.Reason)
		var way []string
		for _, h := range p.Hops {
			way = append(way, h.Device)
		}
		require.Equal(t, want, strings.Join(way, " "), to)
	}
	for ask, want := range map[[2]string]string{
		{"tower", "desk"}:  "there is no device named tower",
		{"gate", "tower"}:  `"tower" is neither an IPv4 address nor the name of a device`,
		{"gate", "fe80::"}: `"fe80::" is neither an IPv4 address nor the name of a device`,
	} {
		_, err := observe.FlowBetween(w, ask[0], ask[1])
		require.EqualError(t, err, want)
	}
}

func TestRoutesAcrossRouters(t *testing.T) {
	w := settled(t, line)
	r := observe.RouteTable(w)
	require.Equal(t, []string{"mill", "halt"}, r.Devices, "hosts have no column")
	rows := map[string]observe.RouteRow{}
	for _, row := range r.Rows {
		rows[row.Prefix] = row
	}
	require.Equal(t, "mill.lan", rows["10.20.1.0/24"].Owner)
	require.Equal(t, "connected", rows["10.20.1.0/24"].Cells["mill"].Source)
	require.Equal(t, observe.Cell{Source: "ospf", Kind: "intra-area", Metric: 20, Preference: 110,
		NextHops: []observe.NextHop{{Via: "10.0.12.1", Port: "e1", To: "mill"}}}, rows["10.20.1.0/24"].Cells["halt"])
}

// TestStoriesOfRoutes asks why of routes that are there and of some that are
// not.
func TestStoriesOfRoutes(t *testing.T) {
	statics := strings.Replace(line, "router mill\n", "router mill\n  static 10.20.2.0/24 via 10.0.12.2 preference 150\n"+
		"  static 10.30.0.0/16 blackhole\n  static 10.40.0.0/16 via 10.77.0.1\n  static 10.50.0.0/16 via 10.255.0.2\n"+
		"  static 10.50.0.0/16 via 10.0.12.2 preference 9\n", 1)
	for name, c := range map[string]struct {
		text, prefix, answer string
		also                 []string
		why                  []string
	}{
		"two sources": {text: statics, prefix: "10.20.2.0/24",
			answer: "mill reaches 10.20.2.0/24 by halt, 10.0.12.2 on e1, ospf, cost 20",
			why:    []string{"longest match, ospf is preferred (110), least cost", "another source is preferred: route preference 110, not 150"}},
		"a blackhole": {text: statics, prefix: "10.30.0.0/16",
			answer: "mill reaches 10.30.0.0/16 not at all: a blackhole route drops what goes there", why: []string{"longest match"}},
		"an unresolved next hop": {text: statics, prefix: "10.40.0.0/16", answer: "mill has no route to 10.40.0.0/16",
			why:  []string{"its next hop 10.77.0.1 cannot be resolved: no other route leads there"},
			also: []string{"mill has 1 neighbour in state Full"}},
		"a recursive next hop and a floating route behind it": {text: statics, prefix: "10.50.0.0/16",
			answer: "mill reaches 10.50.0.0/16 by halt, 10.0.12.2 on e1, static, cost 0",
			why:    []string{"longest match", "another static route is preferred: route preference 1, not 9"}},
		"on a port": {text: line, prefix: "10.20.1.0/24", answer: "mill reaches 10.20.1.0/24 directly on lan", why: []string{"longest match"}},
		"a network that nobody announces": {text: strings.Replace(line, "port lan 10.20.2.1/24\n    ospf area 0 passive\n", "port lan 10.20.2.1/24\n", 1),
			prefix: "10.20.2.0/24", answer: "mill has no route to 10.20.2.0/24",
			also: []string{"halt.lan has the network and does not announce it: OSPF does not run on the port", "mill has 1 neighbour in state Full"}},
		"a network behind a port that is down": {text: strings.Replace(line, "port lan 10.20.2.1/24\n", "port lan 10.20.2.1/24 disabled\n", 1),
			prefix: "10.20.2.0/24", answer: "mill has no route to 10.20.2.0/24",
			also: []string{"halt.lan has the network, but the port is down: the port is disabled", "mill has 1 neighbour in state Full"}},
		"an adjacency that stops it": {text: strings.Replace(line, millPort, "port e1 10.0.12.1/30\n    ospf area 1\n", 1), prefix: "10.20.2.0/24",
			answer: "mill has no route to 10.20.2.0/24",
			also: []string{"halt.lan announces the network; it does not get as far as mill", "mill has no neighbour in state Full",
				"the LSA got as far as halt and not to mill, since their adjacency is Down: the two ports are in different areas"}},
		"no neighbour": {text: strings.Replace(line, "link mill.e1 halt.e1\n", "", 1), prefix: "10.20.2.0/24",
			answer: "mill has no route to 10.20.2.0/24",
			also:   []string{"halt.lan announces the network; it does not get as far as mill", "mill has no neighbour in state Full"}},
	} {
		t.Run(name, func(t *testing.T) {
			w := settled(t, c.text)
			s := observe.Explain(w, w.Find("mill"), netip.MustParsePrefix(c.prefix))
			require.Equal(t, c.answer, s.Answer)
			var why []string
			for _, x := range s.Candidates {
				why = append(why, x.Why)
			}
			require.Equal(t, c.why, why)
			require.ElementsMatch(t, c.also, s.Also)
		})
	}
}

// TestEveryNoteHasItsWords reads all notes of a life full of events.
func TestEveryNoteHasItsWords(t *testing.T) {
	h := acted(t, line, "cut mill.e1", "mend mill.e1", "silence mill.e1", "mend mill.e1", "disable halt", "enable halt")
	w := h.Head()
	kinds := map[note.Kind]bool{}
	for i := range w.Notes() {
		n := w.NoteAt(i)
		kinds[n.Kind] = true
		words := observe.Words(w, n)
		require.NotEmpty(t, words)
		require.NotContains(t, words, "{")
		require.NotContains(t, words, "%!")
	}
	require.Greater(t, len(kinds), 8)
	require.Equal(t, "port e1 went down: the link has no carrier",
		observe.Words(w, note.Note{Kind: note.PortDown, Port: 1, Reason: note.LinkCut}))
	require.Equal(t, "e1 refuses packets from 10.0.12.2: the hello intervals differ (10s here, 5s there)",
		observe.Words(w, note.Note{Kind: note.HelloRefused, Port: 1, A: 0x0a000c02, Reason: note.HelloIntervalDiffers,
			B: uint64(10 * event.Second), C: uint64(5 * event.Second)}))
}

func TestTimelineOfAnAction(t *testing.T) {
	h := acted(t, line, "silence mill.e1", "mend mill.e1")
	s := h.Steps()[1]
	flows := observe.OutagesOf(s, false, nil)
	require.Len(t, flows[0].Outages, 1)
	o := flows[0].Outages[0]
	require.InDelta(t, float64(s.Start)/1e9, o.From, 0.003)
	require.Contains(t, o.Cause, "packets are lost on the link")
	require.Equal(t, []string{"packets are lost on the link", "mill has no route to 10.20.2.10"}, o.Causes)

	a := observe.DetailOf(s, flows, nil)
	require.Equal(t, "settled", a.Outcome)
	require.Equal(t, 2, a.Routers)
	require.Contains(t, a.Summary, "1 flow out for a time")
	sum := 0.0
	for i, name := range []string{"detection", "flooding", "shortest paths", "installation"} {
		require.Equal(t, name, a.Phases[i].Name)
		sum += a.Phases[i].Took
	}
	require.InDelta(t, *a.Convergence, sum, 1e-9)
	require.Greater(t, a.Phases[0].Took, 29.0, "the dead interval decides")

	idle := acted(t, line, "wait 60s").Steps()[1]
	quiet := observe.ActionOf(idle, observe.OutagesOf(idle, true, nil), nil)
	require.Nil(t, quiet.Convergence)
	require.Equal(t, "no forwarding change", quiet.Summary)
}

func TestProbeRequestsThatCannotBe(t *testing.T) {
	w := settled(t, line)
	for want, r := range map[string]observe.ProbeRequest{
		"there is no device named tower":                              {From: "tower", To: "desk"},
		`"desk7" is neither an IPv4 address nor the name of a device`: {From: "gate", To: "desk7"},
		"10.0.12.2 is not an address of mill":                         {From: "mill", Source: "10.0.12.2", To: "desk"},
		`"soon" is not an interval; write for example 1s or 200ms`:    {From: "gate", To: "desk", Every: "soon"},
		"the interval 90s is out of range: from 1ms to 60s":           {From: "gate", To: "desk", Every: "90s"},
	} {
		_, err := observe.Probe(w.Clone(), r, nil)
		require.EqualError(t, err, want)
	}
}

func TestAProbeIsShownAsItGoesAndCanBeStopped(t *testing.T) {
	w := settled(t, line)
	before := w.Digest(true)
	var seen []int
	r, err := observe.Probe(w.Clone(), observe.ProbeRequest{From: "gate", To: "desk", Count: 50}, func(x observe.Reply) bool {
		seen = append(seen, x.Seq)
		return x.Seq < 3
	})
	require.NoError(t, err)
	require.Equal(t, []int{1, 2, 3}, seen)
	require.Equal(t, "all 3 answered", r.Summary)
	require.Equal(t, before, w.Digest(true), "the lab itself does not notice")

	r, err = observe.Probe(w.Clone(), observe.ProbeRequest{From: "gate", To: "desk", Trace: true}, func(observe.Reply) bool { return false })
	require.NoError(t, err)
	require.Equal(t, 1, r.Sent)
	require.Equal(t, "stopped after 1 hop", r.Summary)
}

// A router may be called as an absent end is shown.
func TestARouterCalledNobody(t *testing.T) {
	const text = "router nobody\n  port e1 10.0.0.1/30\n    ospf area 0\n  port none 10.9.0.1/30\nrouter mill\n  port e1 10.0.0.5/30\n    ospf area 0\n  bgp as 64500\n    peer 10.9.9.9 as 64501\n"
	for _, n := range observe.NeighboursOf(settled(t, text)) {
		require.True(t, n.B.Absent)
		require.Equal(t, "nobody", n.B.Name())
		require.Empty(t, n.B.Device+n.B.Port)
		require.False(t, n.A.Absent)
	}
}
