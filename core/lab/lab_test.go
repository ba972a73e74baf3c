package lab

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

func open(t testing.TB, text string, actions ...string) *Lab {
	t.Helper()
	l := New()
	_, err := l.Do(history.Action{Kind: history.Apply, Text: text}, 0)
	require.NoError(t, err)
	do(t, l, actions...)
	return l
}

func do(t testing.TB, l *Lab, actions ...string) {
	t.Helper()
	for _, s := range actions {
		a, err := history.ParseAction(s)
		require.NoError(t, err)
		step, err := l.Do(a, 0)
		require.NoError(t, err)
		require.Equal(t, network.Settled, step.Outcome)
	}
	require.Empty(t, l.History().Head().Check())
}

// TestCases runs the lab texts of testdata, and all demo labs: the actions are in the text as
// "#> cut a.e1", the expected tables beside it in a file of the same name.
func TestCases(t *testing.T) {
	files, err := filepath.Glob("testdata/*.lab")
	require.NoError(t, err)
	demos, err := filepath.Glob("../../demo/*.lab")
	require.NoError(t, err)
	require.NotEmpty(t, demos)
	for _, file := range append(files, demos...) {
		if strings.HasSuffix(file, "/dispute.lab") {
			continue // it does not settle, which is its point: TestADisputeDoesNotSettle
		}
		t.Run(strings.TrimSuffix(filepath.Base(file), ".lab"), func(t *testing.T) {
			b, err := os.ReadFile(file)
			require.NoError(t, err)
			var actions []string
			for line := range strings.SplitSeq(string(b), "\n") {
				if a, ok := strings.CutPrefix(line, "#> "); ok {
					actions = append(actions, a)
				}
			}
			got := printed(open(t, string(b), actions...))
			expected := filepath.Join("testdata", strings.TrimSuffix(filepath.Base(file), ".lab")+".expected")
			if os.Getenv("UPDATE") != "" {
				require.NoError(t, os.WriteFile(expected, []byte(got), 0o644))
			}
			want, err := os.ReadFile(expected)
			require.NoError(t, err)
			require.Equal(t, string(want), got)
		})
	}
}

// printed is what a user would check: routes, neighbours, flows.
func printed(l *Lab) string {
	r := l.Report()
	var b strings.Builder
	var names []string
	for n := range r.Devices {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, n := range names {
		fmt.Fprintf(&b, "%s\n", n)
		for _, x := range r.Devices[n].Routes {
			fmt.Fprintf(&b, "  %s %s %d", x.Prefix, x.Source, x.Metric)
			for _, h := range x.NextHops {
				fmt.Fprintf(&b, " %s", strings.TrimSpace(h.Via+" "+h.Port))
			}
			if x.Blackhole {
				b.WriteString(" blackhole")
			}
			b.WriteString("\n")
		}
	}
	for _, n := range r.Neighbours {
		fmt.Fprintf(&b, "%s.%s %s.%s %s\n", n.A.Device, n.A.Port, n.B.Device, n.B.Port, n.State)
		for _, x := range n.Reasons {
			fmt.Fprintf(&b, "  %s: %s [%s] [%s] %s\n", x.Source, x.What, x.Mine, x.Theirs, x.Remedy)
		}
	}
	for _, f := range r.Flows {
		fmt.Fprintf(&b, "flow %s %s %s\n", f.Name, strings.Join(f.Path, " "), f.Reason)
	}
	return b.String()
}

func TestFirstTriangleSaysWhereItBreaks(t *testing.T) {
	l := open(t, demo.Text("first-triangle"))
	f := l.Map(l.History().Now()).Flows[0]
	require.False(t, f.Arrives)
	require.Equal(t, "viaduct", f.StopsAt)
	require.Equal(t, "viaduct has no route to 10.20.2.10", f.Reason)
}

// TestOutagesAgreeWithPackets holds the computed outages against real packets:
// one every 3 ms through the whole of an action.
func TestOutagesAgreeWithPackets(t *testing.T) {
	for _, c := range []struct {
		lab, before, action string
	}{
		{"triangle-with-ospf", "", "cut viaduct.e2"},
		{"triangle-with-ospf", "", "silence viaduct.e2 out"},
		{"triangle-with-ospf", "silence viaduct.e2", "mend viaduct.e2"},
		{"triangle-with-ospf", "", "disable quarry"},
		{"valley-line", "", "cut tunnel.e1"},
		{"valley-line", "", "cut viaduct.e1"},
		{"valley-line", "cut viaduct.e1", "mend viaduct.e1"},
		{"valley-line", "", "silence viaduct.e1 out"},
		{"two-carriers", "", "cut viaduct.up"},
		{"two-carriers", "cut viaduct.up", "mend viaduct.up"},
		{"two-carriers", "", "cut summit.e1"},
		{"ferry-and-mail", "", "cut depot.e1"},
		{"ferry-and-mail", "", "cut junction.quay"},
		{"ferry-and-mail", "cut junction.quay", "mend junction.quay"},
		{"ferry-and-mail", "", "silence junction.quay out"},
	} {
		t.Run(c.lab+" "+c.action, func(t *testing.T) {
			l := open(t, demo.Text(c.lab))
			if c.before != "" {
				do(t, l, c.before)
			}
			do(t, l, "wait 30s")
			a, err := history.ParseAction(c.action)
			require.NoError(t, err)
			agrees(t, l, a)
		})
	}
}

// TestOutagesAgreeWithPacketsAnywhere does the same with random failures of random
// labs.
func TestOutagesAgreeWithPacketsAnywhere(t *testing.T) {
	for i := range oracleRuns(48) {
		r := rand.New(rand.NewPCG(uint64(i), 9))
		l := open(t, testlabs.Random(r), "wait 30s")
		links := l.Map(l.History().Now()).Links
		end := links[r.IntN(len(links))].Ends[r.IntN(2)]
		action := []string{"cut ", "silence ", "disable "}[r.IntN(3)] + end.Device + "." + end.Port
		if r.IntN(3) == 0 {
			action = "disable " + end.Device
		}
		t.Run(fmt.Sprint(i, " ", action), func(t *testing.T) {
			a, err := history.ParseAction(action)
			require.NoError(t, err)
			agrees(t, l, a)
		})
	}
}

// agrees does an action and compares the first flow's outages with what becomes of
// real packets.
func agrees(t *testing.T, l *Lab, a history.Action) {
	t.Helper()
	step, err := l.Do(a, 0)
	require.NoError(t, err)
	flow := traffic.OutagesOf(step, true, nil)[0]

	// The packets go through a world of their own, from shortly before.
	const lead = 10*event.Second + 15*event.Millisecond
	world := l.History().Fork(l.History().AtTime(step.Start - lead))
	var sent []event.Time
	arrived := map[int]bool{}
	from, to := world.Find(flow.From), world.Find(flow.To)
	dst := ip.AddrFrom(to.Config().Address())
	world.Tracer = func(s device.Fate) {
		if s.Action == device.Delivered && s.Device == to.ID() && s.Type == inet.EchoRequest && s.ID == 0 {
			arrived[int(s.Seq)] = true
		}
	}
	send := func() {
		sent = append(sent, world.Now())
		from.Main().Echo(ip.Addr{}, dst, 64, 0, uint16(len(sent)-1))
	}
	for _, d := range world.Devices() { // so that ARP is resolved everywhere
		for i := range d.Ports() {
			for _, e := range world.Facing(d.ID(), uint32(i)) {
				d.Main().Echo(ip.Addr{}, world.Device(e.Device).Ports()[e.Port].Address(), 64, 1, 0)
			}
		}
	}
	for range 2 {
		send()
		world.RunUntil(world.Now()+5*event.Second, 1e9)
	}
	for range 5 {
		send()
		world.RunUntil(world.Now()+3*event.Millisecond, 1e9)
	}
	require.Equal(t, step.Start, world.Now())
	perform(t, world, a.String())
	for world.Now() < step.Start+min(step.Settled-step.Start+event.Second, 60*event.Second) {
		send()
		world.RunUntil(world.Now()+3*event.Millisecond, 1e9)
	}
	world.RunUntil(world.Now()+event.Second, 1e9)
	// Each packet is lost if it was sent in an outage, and else arrives.
	for i, at := range sent {
		if at < step.Start-15*event.Millisecond {
			continue
		}
		lost := slices.ContainsFunc(flow.Outages, func(o traffic.Outage) bool {
			return at >= Nanoseconds(o.From) && (o.To == nil || at < Nanoseconds(*o.To))
		})
		require.Equal(t, !lost, arrived[i], "the packet sent at %v, %v after the action: %+v", at, at-step.Start, flow.Outages)
	}
}

func perform(t *testing.T, w *network.World, action string) {
	a, err := history.ParseAction(action)
	require.NoError(t, err)
	d := w.Find(a.Target.Device)
	if a.Target.Port == "" {
		w.ForceDevice(d.ID(), config.ForceDisabled)
		return
	}
	p, _ := d.Port(a.Target.Port)
	switch a.Kind {
	case history.Cut:
		w.Cut(d.ID(), p)
	case history.Silence:
		w.Silence(d.ID(), p, a.Direction)
	case history.Mend:
		w.Mend(d.ID(), p)
	case history.Disable:
		w.ForcePort(d.ID(), p, config.ForceDisabled)
	}
}

func TestProbeAndTrace(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"))
	now := l.History().Now()
	probe := func(m history.Moment, r traffic.ProbeRequest) (traffic.ProbeResult, error) {
		return traffic.Probe(l.Fork(m), r, nil)
	}
	p, err := probe(now, traffic.ProbeRequest{From: "kiosk", To: "booth", Count: 3})
	require.NoError(t, err)
	require.Equal(t, "all 3 answered", p.Summary)
	require.Equal(t, "booth", p.Replies[0].Device)
	require.InDelta(t, 0.008, *p.Replies[1].RTT, 1e-9, "four links of 1 ms, there and back")

	tr, err := probe(now, traffic.ProbeRequest{From: "kiosk", To: "10.20.2.10", Trace: true})
	require.NoError(t, err)
	var by []string
	for _, r := range tr.Replies {
		by = append(by, r.Device+" "+r.By)
	}
	require.Equal(t, []string{"viaduct 10.20.1.1", "quarry 10.0.13.2", "summit 10.0.23.1", "booth 10.20.2.10"}, by)

	for _, c := range []struct{ action, from, to, want string }{
		{"", "kiosk", "10.9.9.9", "none of 2 answered: viaduct has no route to 10.9.9.9"},
		{"", "kiosk", "10.20.2.77", "none of 2 answered: nobody answers for 10.20.2.77 on summit.lan"},
		{"", "viaduct", "10.20.1.10", "all 2 answered"},
		{"silence viaduct.e2 out", "", "", ""},
	} {
		if c.action != "" {
			a, _ := history.ParseAction(c.action)
			_, err := l.Do(a, event.Second)
			require.NoError(t, err)
			p, err := probe(l.History().Now(), traffic.ProbeRequest{From: "kiosk", To: "booth", Count: 1})
			require.NoError(t, err)
			require.Equal(t, "none of 1 answered: nobody answers for 10.0.13.2 on viaduct.e2: packets are lost on the link", p.Summary)
			continue
		}
		p, err := probe(now, traffic.ProbeRequest{From: c.from, To: c.to, Count: 2})
		require.NoError(t, err)
		require.Equal(t, c.want, p.Summary)
	}
	_, err = probe(now, traffic.ProbeRequest{From: "kiosk", Source: "10.1.1.1", To: "booth"})
	require.EqualError(t, err, "10.1.1.1 is not an address of kiosk")
	p, err = probe(now, traffic.ProbeRequest{From: "viaduct", Source: "10.255.0.1", To: "10.255.0.2", Count: 1})
	require.NoError(t, err)
	require.Equal(t, 1, p.Answered)
}

func TestRouteStory(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"))
	s, err := l.Explain(l.History().Now(), "viaduct", "10.20.2.0/24")
	require.NoError(t, err)
	require.Equal(t, "viaduct reaches 10.20.2.0/24 by quarry, 10.0.13.2 on e2, ospf, cost 30", s.Answer)
	require.Equal(t, []string{"10 viaduct.e2", "10 quarry.e2", "10 summit.lan"}, s.Candidates[0].CostSum)
	require.Equal(t, "longest match, least cost", s.Candidates[0].Why)
	require.Equal(t, "it costs more: 110, not 30", s.Candidates[1].Why)
	s, err = l.Explain(l.History().Now(), "viaduct", "10.99.0.1")
	require.NoError(t, err)
	require.Equal(t, "viaduct has no route to 10.99.0.1/32", s.Answer)
}

func TestMoments(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"), "cut viaduct.e2")
	for spec, arrivesBy := range map[string]string{"before-2": "quarry", "after-2": "summit", "now": "summit"} {
		m, err := l.ParseMoment(spec)
		require.NoError(t, err)
		require.Equal(t, arrivesBy, l.Map(m).Flows[0].Hops[2].Device, spec)
	}
	for spec, want := range map[string]string{
		"after-9":  "there is no action 9 in this lab: it has 2",
		"tomorrow": `"tomorrow" is not a moment; write now, before-3, after-3, seconds, or the name of a moment`,
	} {
		_, err := l.ParseMoment(spec)
		require.EqualError(t, err, want)
	}
	_, err := l.ParseMoment("99999")
	require.ErrorContains(t, err, "is not in this lab's time")
}

func TestTimelineOfACut(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"), "cut viaduct.e2")
	a, err := l.Action(2)
	require.NoError(t, err)
	require.NotNil(t, a.Convergence)
	require.Equal(t, 1, a.Out)
	require.Len(t, a.Flows[0].Outages, 1)
	o := a.Flows[0].Outages[0]
	require.InDelta(t, a.Start-0.002, o.From, 2e-9, "what was still on the link died with it")
	lanes := map[string]bool{}
	for _, r := range a.Rows {
		for _, e := range r.Events {
			lanes[e.Lane] = true
			require.NotContains(t, e.Text, "{")
		}
	}
	require.Equal(t, map[string]bool{"detection": true, "adjacency": true, "flooding": true, "spf": true, "forwarding": true}, lanes)
	_, err = json.Marshal(l.Report())
	require.NoError(t, err)
}

// TestAnActionSaysWhatBecomesOfFlows parts a host from the network, does something
// else, and mends it: what is out since, as before, and repaired is told apart.
func TestAnActionSaysWhatBecomesOfFlows(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"))
	host := l.History().Lab().Flows[0].From
	do(t, l, "cut "+host, "wait 30s", "mend "+host, "cut viaduct.e2")
	var got []string
	for _, a := range l.Timeline()[1:] {
		_, flows, _ := strings.Cut(a.Summary, "; ")
		got = append(got, flows)
		require.Equal(t, len(l.History().Lab().Flows), 1, "the demo has one flow")
	}
	require.Equal(t, []string{"1 flow out since", "1 flow out as before", "1 flow repaired", "1 flow out for a time"}, got)
	d, err := l.Action(3)
	require.NoError(t, err)
	require.True(t, d.Flows[0].Before && d.Flows[0].Still)
	d, err = l.Action(4)
	require.NoError(t, err)
	require.Contains(t, (&timeline.Convergence{Action: d}).Markdown(), "out before the action, to")
}
