package lab

import (
	"bytes"
	"cmp"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/topology"
	"hellebore/demo"
)

// What an engineer asks of a lab beside its tables: packets, ladders, messages,
// trees, summaries.

func TestPacketsOfAnAction(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"), "cut viaduct.e1")
	from, err := l.ParseMoment("before-2")
	require.NoError(t, err)
	all, err := l.Packets("viaduct.e2", from, l.History().Now(), nil)
	require.NoError(t, err)
	require.Equal(t, []string{"viaduct.e2", "quarry.e1"}, all.Ports)
	total := 0
	for _, k := range all.Kinds {
		total += k.Count
	}
	require.Equal(t, total, len(all.Packets)+all.Omitted)

	updates, err := l.Packets("quarry.e1", from, l.History().Now(), []string{"Link State Update"})
	require.NoError(t, err)
	require.Equal(t, all.Kinds, updates.Kinds, "all are counted")
	require.NotEmpty(t, updates.Packets)
	p := updates.Packets[0]
	require.Equal(t, "viaduct.e2", p.From)
	require.Equal(t, []string{"quarry.e1"}, p.To)
	require.Equal(t, "router LSA of 10.255.0.1: to quarry; 3 stub networks", p.Says)
	var names []string
	for _, x := range p.Layers {
		names = append(names, x.Name)
		require.NotEmpty(t, x.Fields, x.Name)
	}
	require.Equal(t, []string{"Ethernet", "IPv4", "OSPF header", "Link State Update", "router LSA of 10.255.0.1"}, names)

	_, err = l.Packets("viaduct.lo", from, l.History().Now(), nil)
	require.EqualError(t, err, "viaduct.lo is not joined to anything")
	_, err = l.Packets("viaduct.e9", from, l.History().Now(), nil)
	require.EqualError(t, err, "viaduct has no port named e9")
	_, err = l.Packets("mill.e1", from, l.History().Now(), nil)
	require.EqualError(t, err, "there is no device named mill at that moment")
}

// TestEveryPacketIsReadToItsLastField has all packets of all demo labs decoded:
// none is unreadable, and none is left without a word.
func TestEveryPacketIsReadToItsLastField(t *testing.T) {
	kinds := map[string]bool{}
	for _, slug := range []string{"three-areas", "beyond-the-pass", "shared-cable", "guarded-line", "station-yard"} {
		l := open(t, demo.Text(slug))
		start, err := l.ParseMoment("0")
		require.NoError(t, err)
		for _, link := range l.Map(l.History().Now()).Links {
			name := link.Ends[0].Device
			if link.Ends[0].Port != "nic" {
				name += "." + link.Ends[0].Port
			}
			p, err := l.Packets(name, start, l.History().Now(), nil)
			require.NoError(t, err)
			for _, x := range p.Packets {
				kinds[x.Kind] = true
				require.NotEqual(t, "unreadable", x.Kind, "%s in %s", name, slug)
				require.NotContains(t, x.Says, "unreadable", "%s in %s", name, slug)
				require.NotEmpty(t, x.Says, "%s in %s: %s", name, slug, x.Kind)
				require.NotEmpty(t, x.To, "%s in %s: %s", name, slug, x.Kind)
				for _, y := range x.Layers {
					for _, f := range y.Fields {
						require.NotContains(t, f.Value, "unreadable", "%s in %s: %s", name, slug, y.Name)
					}
				}
			}
		}
	}
	for _, k := range []string{"Hello", "Database Description", "Link State Request", "Link State Update", "Link State Acknowledgment", "ARP request", "ARP reply"} {
		require.True(t, kinds[k], "no packet shows %s: %v", k, kinds)
	}
}

func TestTheLadderOfAnAdjacency(t *testing.T) { // RFC 2328 10.3
	l := open(t, demo.Text("triangle-with-ospf"), "cut viaduct.e1", "mend viaduct.e1")
	now := l.History().Now()
	ladder, err := l.Ladder(now, "viaduct.e1", "summit.e1")
	require.NoError(t, err)
	for _, side := range []relations.LadderSide{ladder.A, ladder.B} {
		require.Equal(t, 1, side.Falls)
		require.Equal(t, "Init", side.Rungs[0].State, "what was before it fell is forgotten")
		require.Equal(t, "Full", side.Rungs[len(side.Rungs)-1].State)
		for i := range side.Rungs[1:] {
			a, b := side.Rungs[i], side.Rungs[i+1]
			require.InDelta(t, b.At-a.At, b.Took, 1e-9)
		}
	}
	cut, err := l.ParseMoment("after-2")
	require.NoError(t, err)
	ladder, err = l.Ladder(cut, "viaduct.e1", "summit.e1")
	require.NoError(t, err)
	require.Equal(t, []string{"Full", "Down"}, []string{ladder.A.Rungs[len(ladder.A.Rungs)-2].State, ladder.A.Rungs[len(ladder.A.Rungs)-1].State})
	require.Equal(t, "the port is down", ladder.A.Rungs[len(ladder.A.Rungs)-1].Because)
	_, err = l.Ladder(now, "viaduct.e1", "summit.e9")
	require.EqualError(t, err, "summit has no port named e9")
}

func TestMessagesAreThoseOfALog(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"), "cut viaduct.e1")
	before, err := l.ParseMoment("before-2")
	require.NoError(t, err)
	old, all := l.Messages(before, timeline.MessagesAsk{}), l.Messages(l.History().Now(), timeline.MessagesAsk{})
	var fresh []string
	for _, m := range all.Messages {
		if m.Number > old.Messages[0].Number {
			fresh = append(fresh, m.Weight+": "+m.Device+" "+m.Text)
		}
	}
	require.ElementsMatch(t, []string{
		"trouble: viaduct port e1 went down: the link has no carrier",
		"trouble: viaduct neighbour summit (10.255.0.2) on e1: Full to Down, the port is down",
		"trouble: summit port e1 went down: the link has no carrier",
		"trouble: summit neighbour viaduct (10.255.0.1) on e1: Full to Down, the port is down",
	}, fresh)
	require.Len(t, all.Messages, len(old.Messages)+len(fresh), "those of before keep their numbers")
	for i := range all.Messages[1:] {
		require.Greater(t, all.Messages[i].Number, all.Messages[i+1].Number, "newest first")
	}
}

// TestAPartOfTheMessagesIsThatOfAll asks for parts by all that they can be asked for by, and holds each against all messages.
func TestAPartOfTheMessagesIsThatOfAll(t *testing.T) {
	l := open(t, demo.Text("tarn-valley"), "cut viaduct.e1", "silence depot.e1", "reset all on viaduct")
	now := l.History().Now()
	all := l.Messages(now, timeline.MessagesAsk{})
	require.Equal(t, len(all.Messages), all.Found)
	require.Equal(t, all.Found, all.All)
	require.Equal(t, all.Found, all.Fresh)
	require.Equal(t, all.Messages[0].Number, all.Newest)
	r := rand.New(rand.NewPCG(18, 1))
	number := func() uint32 { return all.Messages[r.IntN(len(all.Messages))].Number + uint32(r.IntN(3)) - 1 }
	for range 300 {
		ask := timeline.MessagesAsk{Offset: r.IntN(30), Limit: r.IntN(40)}
		if r.IntN(2) == 0 {
			ask.Device = []string{"viaduct", "depot", "nobody"}[r.IntN(3)]
		}
		if r.IntN(2) == 0 {
			ask.Weight = []string{"trouble", "notice"}[r.IntN(2)]
		}
		if r.IntN(2) == 0 {
			ask.Find = []string{"FULL", "went down", "viaduct.e1", "otter", " "}[r.IntN(5)]
		}
		if r.IntN(2) == 0 {
			ask.After = number()
		}
		if r.IntN(2) == 0 {
			ask.Read, ask.Unread = number(), r.IntN(2) == 0
		}
		want := timeline.Messages{Messages: []timeline.Message{}, Offset: ask.Offset}
		for _, m := range all.Messages {
			if m.Number <= ask.After {
				continue
			}
			want.Newest = max(want.Newest, m.Number)
			if ask.Device != "" && m.Device != ask.Device {
				continue
			}
			want.All++
			if m.Number > ask.Read {
				want.Fresh++
			} else if ask.Unread {
				continue
			}
			if ask.Weight != "" && m.Weight != ask.Weight || !strings.Contains(strings.ToLower(m.Device+"."+m.Port+" "+m.Text), strings.ToLower(ask.Find)) {
				continue
			}
			if want.Found >= ask.Offset && (ask.Limit == 0 || len(want.Messages) < ask.Limit) {
				want.Messages = append(want.Messages, m)
			}
			want.Found++
		}
		require.Equal(t, want, l.Messages(now, ask), "%+v", ask)
	}
	var b bytes.Buffer
	require.NoError(t, timeline.WriteMessages(&b, l.Messages(now, timeline.MessagesAsk{Device: "viaduct", Weight: "trouble", Limit: 1})))
	require.Regexp(t, `^at,device,port,weight,message\n\d+\.\d{6},viaduct,\w*,trouble,.+\n$`, b.String())
}

func TestTheShortestPathTreeOfARouter(t *testing.T) { // RFC 2328 16.1
	l := open(t, demo.Text("shared-cable"))
	now := l.History().Now()
	tree, err := l.Tree(now, "halt")
	require.NoError(t, err)
	steps := map[string]uint32{}
	for _, s := range tree.Steps {
		steps[strings.Join([]string{s.Area, s.From, s.To}, " ")] = s.Distance
	}
	require.Equal(t, map[string]uint32{
		"0 halt.e1.10 cabin.e1.10": 10,
		"0 cabin.yard.7 ":          20, // to the segment
		"0  weir.yard.7":           20, // from it on
		"1 halt.e1.20 cabin.e1.20": 10,
	}, steps, "the halt's own port on the segment costs 100")
	_, err = l.Tree(now, "nobody")
	require.EqualError(t, err, "there is no device named nobody")
}

// TestTheTreeHasNoLinkForAVirtualLink has a virtual link's way drawn where the
// packets go.
func TestTheTreeHasNoLinkForAVirtualLink(t *testing.T) {
	l := open(t, demo.Text("beyond-the-pass"))
	tree, err := l.Tree(l.History().Now(), "depot")
	require.NoError(t, err)
	for _, s := range tree.Steps {
		require.NotContains(t, s.From+s.To, "virtual")
		require.NotEqual(t, "saddle", s.Device, "the depot has no link of the backbone to it")
	}
}

func TestOnePrefixForSeveral(t *testing.T) {
	l := open(t, demo.Text("three-areas"))
	now := l.History().Now()
	s, err := l.Summary(now, []string{"10.1.2.0/30", "10.1.1.0/30", "10.1.1.0/30"}, "")
	require.NoError(t, err)
	require.Equal(t, "10.1.0.0/22", s.Prefix)
	require.Len(t, s.Rows, 2, "one chosen twice counts once")
	require.Equal(t, "00001010000000010000000100000000", s.Rows[0].Bits)
	require.EqualValues(t, 22, s.Common)
	require.Empty(t, s.Also)
	require.InDelta(t, 1-8.0/1024, s.Free, 1e-9)
	require.Equal(t, []string{"  ospf", "    area 1", "      range 10.1.0.0/22"}, s.Lines)
	require.Equal(t, []string{"upper", "lower"}, s.On)

	s, err = l.Summary(now, nil, "1")
	require.NoError(t, err)
	require.Equal(t, "10.1.0.0/16", s.Prefix, "all of area 1")

	s, err = l.Summary(now, []string{"172.20.1.0/24", "172.20.2.0/24"}, "")
	require.NoError(t, err)
	require.Equal(t, []string{"  ospf", "    summary 172.20.0.0/22"}, s.Lines)
	require.Equal(t, []string{"boathouse"}, s.On, "who injects them, not whose they are")
	s, err = l.Summary(now, []string{"172.20.1.0/24", "10.3.1.0/30"}, "")
	require.NoError(t, err)
	require.Equal(t, "the chosen networks are not in one place (area 3, injected by boathouse): no one statement joins them", s.Says)
	require.Empty(t, s.Lines)
	s, err = l.Summary(now, []string{"203.0.113.0/24"}, "")
	require.NoError(t, err)
	require.Equal(t, "the chosen networks are static on junction and are not announced by OSPF", s.Says)

	s, err = l.Summary(now, []string{"10.0.1.0/30", "10.0.3.0/30"}, "")
	require.NoError(t, err)
	require.Equal(t, []tables.Covered{{Prefix: "10.0.2.0/30", Where: "area 0"}}, s.Also)

	_, err = l.Summary(now, []string{"hill"}, "")
	require.EqualError(t, err, `"hill" is not a prefix; write for example 10.1.0.0/24`)
	_, err = l.Summary(now, nil, "9")
	require.EqualError(t, err, "no network of the lab is in area 9")
	_, err = l.Summary(now, nil, "")
	require.EqualError(t, err, "choose prefixes, or an area")
}

func TestAnActionCountsRoutesAndLSAs(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"), "disable quarry", "enable quarry")
	a := l.Timeline()
	require.Equal(t, timeline.Counts{Before: 0, After: a[1].Tables.Before}, a[0].Tables)
	require.Equal(t, 3, a[0].LSAs.After)
	require.Less(t, a[1].Tables.After, a[1].Tables.Before)
	require.Equal(t, a[1].Tables.Before, a[2].Tables.After)
}

// TestTheMapShowsWhatNoCableDoes has virtual links and sub-ports on the map.
func TestTheMapShowsWhatNoCableDoes(t *testing.T) {
	pass := open(t, demo.Text("beyond-the-pass"))
	m := pass.Map(pass.History().Now())
	require.Equal(t, []topology.MapVirtual{
		{A: "east", B: "saddle", Port: "virtual-link 10.255.4.4", Area: "1", Up: true, State: "Full"},
		{A: "saddle", B: "west", Port: "virtual-link 10.255.4.3", Area: "1", Up: true, State: "Full"},
	}, m.Virtual)
	var ends []tables.Port
	for _, p := range pass.Ports(pass.History().Now(), tables.PortsAsk{}).Ports {
		if p.Kind == "virtual link" && p.Device == "saddle" {
			ends = append(ends, p)
		}
	}
	require.Len(t, ends, 2)
	require.Equal(t, []string{"west"}, ends[1].JoinedTo)
	require.Equal(t, "10.1.2.2", ends[1].Address)
	require.True(t, ends[1].Up)
	require.Equal(t, "Point-to-point", ends[1].OSPF.State)
	require.EqualValues(t, 40, ends[1].OSPF.Cost)
	require.Equal(t, "of the path through area 1", ends[1].OSPF.CostFrom)
	require.Empty(t, ends[1].Bandwidth)
	do(t, pass, "cut west.e2")
	for _, p := range pass.Ports(pass.History().Now(), tables.PortsAsk{}).Ports {
		if p.Port == ends[1].Port && p.Device == "saddle" {
			require.Equal(t, "Down", p.OSPF.State)
			require.Equal(t, "no-transit", p.Why.Code)
		}
	}

	cable := open(t, demo.Text("shared-cable"))
	end := cable.Map(cable.History().Now()).Links[0].Ends[0]
	require.Equal(t, []string{"e1.10 10.0.10.1/30", "e1.20 10.0.20.1/30"}, end.Tags)
	require.EqualValues(t, 10, end.Cost)
	require.Equal(t, "Full", end.State)
}

// TestWhereAPrefixDisappears asks for prefixes that are joined or hidden on the
// way.
func TestWhereAPrefixDisappears(t *testing.T) {
	l := open(t, demo.Text("three-areas"))
	why := func(device, prefix string) []string {
		s, err := l.Explain(l.History().Now(), device, prefix)
		require.NoError(t, err)
		return s.Also
	}
	require.Contains(t, why("junction", "10.1.9.0/24"), "upper joins it into the range 10.1.0.0/16 of area 1 for other areas")
	require.Contains(t, why("junction", "172.20.1.0/24"), "lower joins it into the summary 172.20.0.0/16")
	require.Contains(t, l.Ports(l.History().Now(), tables.PortsAsk{}).Processes[2].Roles, "translator of area 3")
}

// TestPartsOfPortsAndNeighbours asks for some of each, and holds them against all.
func TestPartsOfPortsAndNeighbours(t *testing.T) {
	l := open(t, demo.Text("tarn-valley"), "cut viaduct.e1", "silence depot.e1")
	now := l.History().Now()
	ports, some := l.Ports(now, tables.PortsAsk{}), l.Ports(now, tables.PortsAsk{Devices: []string{"viaduct", "harbour", "nobody"}})
	var wantPorts []tables.Port
	for _, p := range ports.Ports {
		if p.Device == "viaduct" || p.Device == "harbour" {
			wantPorts = append(wantPorts, p)
		}
	}
	require.Equal(t, wantPorts, some.Ports)
	require.NotEmpty(t, some.Processes)
	require.Empty(t, l.Ports(now, tables.PortsAsk{Devices: []string{"nobody"}}).Ports)

	r := rand.New(rand.NewPCG(18, 2))
	one := func(is bool) int { return map[bool]int{true: 1}[is] }
	for range 200 {
		ask := tables.PortsAsk{Offset: r.IntN(8), Limit: r.IntN(8)}
		ask.Devices = [][]string{nil, {"viaduct"}, {"nobody", "depot"}}[r.IntN(3)]
		ask.Only = []string{"", "ospf", "down"}[r.IntN(3)]
		ask.Sort = []string{"", "name", "down"}[r.IntN(3)]
		ask.Find = []string{"", "", "viaduct.E", "10.0.1", "otter"}[r.IntN(5)]
		owners := []string{}
		want := tables.Ports{Ports: []tables.Port{}, Offset: ask.Offset}
		var matching []tables.Port
		for _, p := range ports.Ports {
			if ask.Devices != nil && !slices.Contains(ask.Devices, p.Device) {
				continue
			}
			want.All, want.Up, want.OSPF = want.All+1, want.Up+one(p.Up), want.OSPF+one(p.OSPF != nil)
			text := strings.ToLower(fmt.Sprint(p.Device, ".", p.Port, " ", p.Address, " ", strings.Join(p.JoinedTo, " ")))
			if ask.Only == "ospf" && p.OSPF == nil || ask.Only == "down" && p.Up || !strings.Contains(text, strings.ToLower(ask.Find)) {
				continue
			}
			matching = append(matching, p)
			if !slices.Contains(owners, p.Owner()) {
				owners = append(owners, p.Owner())
			}
		}
		want.Found, want.Matching = len(owners), len(matching)
		downOf := func(owner string) (n int) {
			for _, p := range matching {
				n += one(p.Owner() == owner && !p.Up)
			}
			return n
		}
		switch ask.Sort {
		case "name":
			slices.Sort(owners)
		case "down":
			slices.SortStableFunc(owners, func(x, y string) int { return downOf(y) - downOf(x) })
		}
		seen := owners[min(ask.Offset, len(owners)):]
		if ask.Limit > 0 {
			seen = seen[:min(ask.Limit, len(seen))]
		}
		for _, owner := range seen {
			for _, p := range matching {
				if p.Owner() == owner {
					want.Ports = append(want.Ports, p)
				}
			}
		}
		got := l.Ports(now, ask)
		for _, p := range got.Processes {
			require.True(t, slices.Contains(seen, p.Device) || ask.Offset+ask.Limit == 0 && ask.Only+ask.Find == "")
		}
		got.Processes = nil
		require.Equal(t, want, got, "%+v", ask)
	}

	all := l.Neighbours(now, relations.Ask{}).Neighbours
	for range 300 {
		ask := relations.Ask{Wrong: r.IntN(4) == 0, Down: r.IntN(4) == 0, Offset: r.IntN(12), Limit: r.IntN(12)}
		ask.Devices = [][]string{nil, {"viaduct"}, {"nobody", "depot"}, {"viaduct", "skylark"}}[r.IntN(4)]
		ask.Protocol = []string{"", "ospf", "bgp"}[r.IntN(3)]
		ask.Find = []string{"", "", "VIADUCT.E1", "192.0.2", "full", "otter"}[r.IntN(6)]
		ask.Sort = []string{"", "since", "name"}[r.IntN(3)]
		want := relations.Neighbours{Neighbours: []relations.Neighbour{}, Offset: ask.Offset}
		for _, n := range all {
			if ask.Devices != nil && !slices.Contains(ask.Devices, n.A.Device) && !slices.Contains(ask.Devices, n.B.Device) {
				continue
			}
			bgp := n.Protocol == "bgp"
			want.Sessions, want.Established = want.Sessions+one(bgp), want.Established+one(bgp && n.Up)
			want.Adjacencies, want.Full = want.Adjacencies+one(!bgp), want.Full+one(n.State == "Full")
			want.TwoWay, want.Down = want.TwoWay+one(!bgp && n.Up && n.State == "2-Way"), want.Down+one(!n.Up)
			text := strings.ToLower(fmt.Sprint(n.A.Device, ".", n.A.Port, " ", n.A.Address, " ", n.A.RouterID, " ", n.B.Device, ".", n.B.Port, " ", n.B.Address, " ", n.B.RouterID, " ", n.State))
			if ask.Wrong && n.Up && len(n.Reasons) == 0 || ask.Down && n.Up || ask.Protocol != "" && n.Protocol != ask.Protocol ||
				!strings.Contains(text, strings.ToLower(ask.Find)) {
				continue
			}
			want.Neighbours = append(want.Neighbours, n)
		}
		want.Found = len(want.Neighbours)
		slices.SortStableFunc(want.Neighbours, func(a, b relations.Neighbour) int {
			switch ask.Sort {
			case "since":
				return cmp.Compare(b.Since, a.Since)
			case "name":
				return cmp.Or(cmp.Compare(a.A.Device, b.A.Device), cmp.Compare(a.B.Device, b.B.Device))
			}
			return 0
		})
		want.Neighbours = want.Neighbours[min(ask.Offset, want.Found):]
		if ask.Limit > 0 {
			want.Neighbours = want.Neighbours[:min(ask.Limit, len(want.Neighbours))]
		}
		require.Equal(t, want, l.Neighbours(now, ask), "%+v", ask)
	}
}

// TestAPartOfADatabaseIsThatOfAll asks for LSAs by all that they can be asked for by.
func TestAPartOfADatabaseIsThatOfAll(t *testing.T) {
	l := open(t, demo.Text("three-areas"))
	all := l.Database(l.History().Now())
	require.Greater(t, len(all.Areas), 3)
	r := rand.New(rand.NewPCG(18, 3))
	filled := 0
	for range 400 {
		ask := tables.DatabaseAsk{Offset: r.IntN(4), Limit: r.IntN(6)}
		ask.Area = []string{"", "0", "1", "3", "outside", "77"}[r.IntN(6)]
		ask.Type = []string{"", "router", "summary", "AS external"}[r.IntN(4)]
		ask.Device = []string{"", "", "upper", "nobody"}[r.IntN(4)]
		ask.To = []string{"", "", "10.1.0.0/16", "203.0.113.7", "0.0.0.0/0"}[r.IntN(5)]
		ask.Find = []string{"", "", "UPPER", "10.255.3.1", "otter"}[r.IntN(5)]
		at := 0
		for i, a := range all.Areas {
			if a.Area == ask.Area && ask.Area != "" || a.Area == "" && ask.Area == "outside" {
				at = i
			}
		}
		var want []tables.LSA
		types := map[string]bool{}
		for _, x := range all.Areas[at].LSAs {
			announced := ask.To == ""
			for _, p := range x.Prefixes {
				to, err := netip.ParsePrefix(ask.To)
				if err != nil && ask.To != "" {
					to = netip.PrefixFrom(netip.MustParseAddr(ask.To), 32)
				}
				announced = announced || netip.MustParsePrefix(p).Overlaps(to)
			}
			text := strings.ToLower(fmt.Sprint(x.Type, " ", x.ID, " ", x.Router, " ", x.Device, " ", x.Says))
			if !announced || ask.Device != "" && x.Device != ask.Device || !strings.Contains(text, strings.ToLower(ask.Find)) {
				continue
			}
			types[x.Type] = true
			if ask.Type == "" || x.Type == ask.Type {
				want = append(want, x)
			}
		}
		got, err := all.Part(ask)
		require.NoError(t, err)
		require.Equal(t, len(want), got.Found, "%+v", ask)
		require.Equal(t, at, got.Shown)
		require.Len(t, got.Types, len(types))
		require.Len(t, got.Areas, len(all.Areas))
		want = want[min(ask.Offset, len(want)):]
		if ask.Limit > 0 {
			want = want[:min(ask.Limit, len(want))]
		}
		require.Equal(t, append([]tables.LSA{}, want...), got.LSAs, "%+v", ask)
		filled += min(1, len(got.LSAs))
	}
	require.Greater(t, filled, 60)
	_, err := all.Part(tables.DatabaseAsk{To: "halt"})
	require.EqualError(t, err, `"halt" is neither a prefix nor an address`)
	none, err := tables.Database{}.Part(tables.DatabaseAsk{})
	require.NoError(t, err)
	require.Empty(t, none.Areas)
}
