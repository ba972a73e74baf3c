package lab

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/questions/critical"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// aFailure is something that breaks, or is mended, in a lab.
func aFailure(r *rand.Rand, l *Lab) string {
	devices := l.History().Lab().Devices
	d := devices[r.IntN(len(devices))]
	var ports []string
	for _, p := range d.Ports {
		if !p.Loopback && p.Virtual == nil {
			ports = append(ports, d.Name+"."+p.Name)
		}
	}
	port := "nothing"
	if len(ports) > 0 {
		port = ports[r.IntN(len(ports))]
	}
	switch r.IntN(9) {
	case 0, 1:
		return "cut " + port
	case 2, 3:
		return "silence " + port + []string{"", " in", " out"}[r.IntN(3)]
	case 4:
		return "disable " + d.Name
	case 5:
		return "restart " + []string{"ospf", "bgp"}[r.IntN(2)] + " on " + d.Name
	case 6:
		return "reset all on " + d.Name
	case 7:
		return "disable " + port
	}
	return "mend " + port
}

// aLab is a random lab, or every second time a demo.
func aLab(r *rand.Rand, round int) string {
	if demos := demo.Labs(); round%2 == 0 {
		return demos[round/2%len(demos)].Text
	}
	return testlabs.Random(r)
}

// happens is what a note must say at the end of a wait, by the kind of the link.
var happens = map[string][]note.Kind{
	"dead-interval": {note.NeighbourState}, "hold-time": {note.SessionState}, "spf-delay": {note.SPFRun},
	"min-advertisement-interval": {note.UpdateSent}, "update": {note.UpdateReceived},
}

// TestCriticalPathsAddUp breaks random things in random labs and demos, with OSPF, BGP and
// both: the links of each path follow each other without a gap, add up to the convergence of
// the action to the nanosecond, and what they say happened is in the notes of the action.
func TestCriticalPathsAddUp(t *testing.T) {
	paths, kinds := 0, map[string]int{}
	for round := range oracleRuns(100) {
		r := rand.New(rand.NewPCG(uint64(round), 71))
		text := aLab(r, round)
		l := open(t, text)
		for range 3 {
			typed := aFailure(r, l)
			a, err := history.ParseAction(typed)
			require.NoError(t, err)
			if _, err := l.Do(a, 0); err != nil {
				continue
			}
		}
		for _, s := range l.History().Steps() {
			p, err := l.CriticalPath(s.Seq, critical.About{})
			require.NoError(t, err)
			said := fmt.Sprintf("round %d, %s\n%s", round, s.Record.Action, text)
			convergence := l.actionOf(s).Convergence
			if convergence == nil || *convergence == 0 {
				continue
			}
			require.NotNil(t, p, said)
			require.Equal(t, *convergence, p.Took, said)
			require.NotEmpty(t, p.Links, said)
			at := event.Time(0)
			for i, x := range p.Links {
				if x.Kind == "flooding" && i+1 < len(p.Links) && p.Links[i+1].Kind == "spf-delay" {
					require.True(t, noted(s, x, []note.Kind{note.LSAReceived}), "%+v %s", x, said)
				}
				require.Equal(t, at, event.FromSeconds(x.From), said)
				at = event.FromSeconds(x.From) + event.FromSeconds(x.Took)
				require.Positive(t, x.Took, said)
				kinds[x.Kind]++
				if want := happens[x.Kind]; want != nil {
					require.True(t, noted(s, x, want), "%+v %s", x, said)
				}
			}
			require.Equal(t, event.FromSeconds(p.Took), at, said)
			paths++
			for _, f := range s.After.Flows() {
				p, err := l.CriticalPath(s.Seq, critical.About{Flow: f.Name})
				require.NoError(t, err)
				if p == nil {
					continue
				}
				sum := 0.0
				for _, x := range p.Links {
					sum += x.Took
				}
				require.InDelta(t, p.Took, sum, 1e-8, said)
				require.LessOrEqual(t, p.Took, *convergence+1e-9, said)
			}
		}
	}
	require.Greater(t, paths, oracleRuns(100))
	for _, kind := range []string{"dead-interval", "hold-time", "spf-delay", "min-advertisement-interval", "flooding", "update", "origination", "connect-retry"} {
		require.NotZero(t, kinds[kind], "%s in %v", kind, kinds)
	}
}

// noted says whether the notes of an action have one of some kinds where a link ended, when
// it did.
func noted(s *history.Step, x critical.Wait, kinds []note.Kind) bool {
	at := s.Start + event.FromSeconds(x.From) + event.FromSeconds(x.Took)
	device, _, _ := strings.Cut(x.Device, "/")
	for i := s.NotesBefore; i < s.NotesAfter; i++ {
		n := s.After.NoteAt(i)
		if math.Abs(float64(n.At-int64(at))) > 2 || s.After.Device(n.Device).Name() != device {
			continue
		}
		if slices.Contains(kinds, n.Kind) {
			return true
		}
	}
	return false
}

// TestWhatAPathWaitedForShortensIt tries the remedies of paths of random failures of which
// one wait is most: it gets shorter without that.
func TestWhatAPathWaitedForShortensIt(t *testing.T) {
	tried, longer := 0, 0
	for round := range oracleRuns(60) {
		r := rand.New(rand.NewPCG(uint64(round), 72))
		text := aLab(r, round)
		l := open(t, text)
		a, err := history.ParseAction(aFailure(r, l))
		require.NoError(t, err)
		s, err := l.Do(a, 0)
		if err != nil || s.Outcome != network.Settled {
			continue
		}
		p, err := l.CriticalPath(s.Seq, critical.About{})
		require.NoError(t, err)
		if p == nil {
			continue
		}
		remedies := p.Remedies(s.Before)
		most := 0.0
		for _, x := range p.Links {
			if x.Setting != "" {
				most = max(most, x.Took)
			}
		}
		if len(remedies) == 0 || most < p.Took/2 || most < 0.02 {
			continue
		}
		list, err := l.Shorten(s.Seq, critical.About{})
		require.NoError(t, err)
		require.NotEmpty(t, list, "round %d, %s: %v", round, a, remedies)
		tried++
		for _, x := range list {
			require.Equal(t, p.Took, x.Before)
		}
		if list[0].After >= p.Took {
			longer++
			t.Logf("round %d, %s: %s %+v", round, a, p.Says, list)
		}
	}
	require.Greater(t, tried, oracleRuns(60)/10)
	require.LessOrEqual(t, longer, tried/10) // where paths are hunted, another wait may take its place
}

// TestWhatWouldShortenAnSPFDelay: where the SPF computation is what is waited for, a shorter delay everywhere is tried, and
// takes less (RFC 8405 7 wants the same delays on all routers).
func TestWhatWouldShortenAnSPFDelay(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"))
	do(t, l, "cut viaduct.e2")
	p, err := l.CriticalPath(2, critical.About{})
	require.NoError(t, err)
	last := p.Links[len(p.Links)-1]
	require.Equal(t, "spf-delay", last.Kind)
	require.Regexp(t, `^[a-z]+ ospf spf-initial-delay 50ms$`, last.Setting)
	require.NotZero(t, last.Line)
	list, err := l.Shorten(2, critical.About{})
	require.NoError(t, err)
	require.Equal(t, []string{"defaults spf-initial-delay 10ms", "defaults spf-short-delay 20ms"}, list[0].Edits)
	require.Less(t, list[0].After, p.Took-0.015)
	require.Zero(t, list[0].Packets)

	// A router that says otherwise is named.
	own := strings.Replace(demo.Text("triangle-with-ospf"), "router quarry\n", "router quarry\n  ospf\n    spf-initial-delay 80ms\n", 1)
	l = open(t, own)
	do(t, l, "cut viaduct.e2")
	list, err = l.Shorten(2, critical.About{})
	require.NoError(t, err)
	require.Len(t, list[0].Edits, 2)
	require.Equal(t, "defaults spf-short-delay 20ms", list[0].Edits[1])
	require.ElementsMatch(t, []string{"quarry", "summit", "viaduct"}, strings.Split(strings.TrimSuffix(list[0].Edits[0], " ospf spf-initial-delay 10ms"), ", "))
}

// TestWhatIsBrokenIsNoShorterWay has edits that would make a flow not arrive at all: a network that does not work
// converges at once, and is not offered.
func TestWhatIsBrokenIsNoShorterWay(t *testing.T) {
	for _, action := range []string{"cut viaduct.up", "silence viaduct.up", "disable viaduct"} {
		l := open(t, demo.Text("two-carriers"))
		do(t, l, action)
		list, err := l.Shorten(2, critical.About{})
		require.NoError(t, err)
		for _, x := range list {
			s, err := l.step(2)
			require.NoError(t, err)
			again, err := l.again(s, x.Edits)
			require.NoError(t, err)
			for _, f := range traffic.OutagesOf(again, true, nil) {
				require.False(t, f.Before, "%s: %v: %s", action, x.Edits, f.Name)
			}
		}
	}
}

// TestABackupThatIsAnnouncedIsThereInTime: the carrier that is preferred fails, and the other border router has a path that
// nobody inside knows. The remedy has it announced before (draft-ietf-idr-best-external), and the flow is out for less.
func TestABackupThatIsAnnouncedIsThereInTime(t *testing.T) {
	text := strings.ReplaceAll(demo.Text("two-carriers"), "      local-address lo\n", "      local-address lo\n      min-advertisement-interval 5s\n")
	l := open(t, text)
	do(t, l, "cut viaduct.up")
	list, err := l.Shorten(2, critical.About{Flow: "timetable"})
	require.NoError(t, err)
	i := slices.IndexFunc(list, func(s Shortening) bool { return slices.Contains(s.Edits, "quarry bgp best-external on") })
	require.GreaterOrEqual(t, i, 0, "%+v", list)
	require.Less(t, list[i].After, list[i].Before)
}
