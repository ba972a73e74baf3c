package lab

import (
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/config"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/traffic"
	"hellebore/core/questions/why"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// bare is a lab of what nothing is joined to, with names that other things have.
const bare = `router bare
router nobody
  loopback lo 10.255.0.1/32
router now
  port e1 10.0.0.1/30
  port e2 10.0.1.1/24
    ospf area 0
  bgp as 64500
    peer 10.0.0.2 as 64501
host left 192.0.2.1/24
host right 10.0.1.9/24
segment s now.e2
flow away now -> right
flow f left -> right
`

// anyAction is an action of any word, with names that there are and names that
// there are not, and numbers at the end of what they can be.
func anyAction(r *rand.Rand, l *Lab) string {
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	devices := []string{"nobody", "0", "all", "é", "r1/missing", "/", "lo", "", ".", "a.b", "missing", strings.Repeat("x", 300)}
	ports := []string{"", "e0", "e1", "lo", "s", "host", "missing", "."}
	peers := []string{"all", "10.0.0.2", "0.0.0.0", "255.255.255.255", "::1", "peer", "10.0.0.2/32"}
	for _, d := range l.History().Lab().Devices {
		devices = append(devices, d.Name, d.Name)
		for _, p := range d.Ports {
			ports = append(ports, p.Name)
		}
		for _, name := range d.InstanceNames() {
			for _, p := range d.Instance(name).BGP.Peers {
				peers = append(peers, p.Address.String())
			}
			if name != "" {
				devices = append(devices, config.InstanceRef(d.Name, name), config.InstanceRef(d.Name, name))
			}
		}
	}
	segments := []string{"", "empty", "s", "yard", "missing"}
	for _, s := range l.History().Lab().Segments {
		segments = append(segments, s.Name)
	}
	device := pick(devices...)
	port := device
	if r.IntN(4) > 0 {
		port += "." + pick(ports...)
	}
	words := pick("apply", "cut", "silence", "mend", "disable", "enable", "wait", "restart", "join", "part", "reset", "resend", "settle", "", "burn", "Cut")
	switch r.IntN(8) {
	case 0:
		return words + " " + pick("0s", "1ns", "30s", "1s", "-1s", "1e9h", "2562047h47m16s", "876000h", "1", "99999999999999999999s", "1h1h")
	case 1:
		return words + " " + port + " " + pick(segments...)
	case 2:
		return words + " " + pick("from ", "to ", "") + pick(peers...) + " on " + device
	case 3:
		return words + " " + pick("ospf", "bgp", "rip") + " on " + device
	case 4:
		return words + " " + port + " " + pick("in", "out", "both", "up")
	case 5:
		return words
	}
	return words + " " + port
}

// everyView asks a lab for all there is to see at a moment.
func everyView(l *Lab, m history.Moment) {
	l.Map(m)
	l.Ports(m, tables.PortsAsk{})
	l.Neighbours(m, relations.Ask{})
	l.Database(m)
	l.Routes(m)
	l.Messages(m, timeline.MessagesAsk{})
	l.Policies(m)
	l.StateWarnings(m)
	l.Checks(m)
	l.Brief()
	l.Timeline()
	l.Report()
	l.Revisions()
	l.Compare(history.Moment{}, m)
	_, _ = l.Summary(m, nil, "0")
	w := l.World(m)
	names := []string{"missing"}
	for _, d := range w.Devices() {
		for _, inst := range d.Instances() {
			names = append(names, inst.Ref())
		}
	}
	for i, d := range names {
		other := names[(i+1)%len(names)]
		_, _ = l.Explain(m, d, "10.0.1.0/24")
		_, _ = l.Path(m, d, other)
		_, _ = l.Tree(m, d)
		_, _ = l.Paths(m, "10.0.1.0/24", d)
		_, _ = l.PathTable(m, d, "", paths.TableAsk{Find: "a", By: "outcome", Limit: 10})
		for _, port := range []string{"e0", "e1", "s", "missing"} {
			_, _ = l.Ladder(m, d+"."+port, other+".e0")
		}
		for _, q := range []string{"why no neighbour " + d + " " + other, "why no route on " + d + " to 10.0.1.0/24", "what breaks without " + d} {
			_, _ = l.Why(m, q, why.Focus{Who: d, To: other})
		}
	}
	for seq := range len(l.History().Steps()) + 2 {
		_, _ = l.Action(seq)
		_, _ = l.Pairs(seq)
	}
	_, _ = traffic.Probe(l.Fork(m), traffic.ProbeRequest{From: names[len(names)-1], To: names[1%len(names)], Count: 1}, func(traffic.Reply) bool { return true })
	_ = l.Bundle(io.Discard)
}

// TestAnyActionHasAnAnswer does anything to all kinds of labs, and looks at
// everything after it: each action is done or refused with a sentence.
func TestAnyActionHasAnAnswer(t *testing.T) {
	texts := []string{"", "\n", bare}
	for _, d := range demo.Labs() {
		texts = append(texts, d.Text)
	}
	for round := range oracleRuns(60) {
		r := rand.New(rand.NewPCG(uint64(round), 23))
		text := testlabs.Random(r)
		if round%2 == 0 {
			text = texts[round/2%len(texts)]
		}
		l := New()
		done := []string{}
		tell := func(say string, args ...any) string {
			return fmt.Sprintf("round %d, after %q: ", round, done) + fmt.Sprintf(say, args...)
		}
		_, err := l.Do(history.Action{Kind: history.Apply, Text: text}, 0)
		require.NoError(t, err)
		asked := 0
		for range 12 {
			typed := anyAction(r, l)
			done = append(done, typed)
			a, err := history.ParseAction(typed)
			var s *history.Step
			if err == nil {
				s, err = l.Begin(a, 0)
			}
			if err != nil {
				require.NotEmpty(t, err.Error(), tell("a refusal says why"))
				continue
			}
			begin := 0
			require.NoError(t, l.Run(s, func() bool { begin++; return begin > 2 }), tell("what was begun can be done"))
			if asked < 2 && r.IntN(2) == 0 {
				asked++
				require.NotPanics(t, func() { everyView(l, l.History().Now()) }, tell("every view"))
			}
		}
		now := l.History().Now()
		past, err := l.ParseMoment(fmt.Sprint(float64(r.Int64N(int64(now.At)+1)) / 1e9))
		require.NoError(t, err)
		require.NotPanics(t, func() { everyView(l, past) }, tell("every view of the past"))
		again, err := Open(l.History().Records(), nil)
		require.NoError(t, err, tell("it replays"))
		for _, s := range again.History().Steps() {
			require.False(t, s.Diverged, tell("%s replays to the same", s.Record.Action))
		}
	}
}

// TestReadersLookWhileTheLabGoesOn has several goroutines look at everything while
// the lab is acted on: the race detector must be silent, and what readers see is
// what was there when they were made.
func TestReadersLookWhileTheLabGoesOn(t *testing.T) {
	l := open(t, demo.Text("two-carriers"))
	l.Share(&sync.Mutex{})
	var wait sync.WaitGroup
	for _, typed := range []string{"cut viaduct.up", "wait 40s", "mend viaduct.up", "reset all on viaduct"} {
		reader := l.Reader()
		digest := reader.History().Head().Digest(true)
		moment := reader.History().Now()
		for range 2 {
			wait.Go(func() {
				everyView(reader, moment)
				if moment.At > 0 {
					everyView(reader, reader.History().AtTime(moment.At/2))
				}
				require.Equal(t, digest, reader.History().Head().Digest(true))
			})
		}
		do(t, l, typed)
		require.NotEqual(t, digest, l.History().Head().Digest(true))
	}
	wait.Wait()
}

// TestAStoppedViewIsNotKept asks for what takes long, gives up at once, and asks
// again.
func TestAStoppedViewIsNotKept(t *testing.T) {
	l := open(t, demo.Text("tarn-valley"))
	names := l.History().Lab().Devices
	do(t, l, "disable "+names[0].Name)
	now := func() bool { return true }
	stopped := l.Reader().Until(now)
	_, err := stopped.Pairs(2)
	require.ErrorIs(t, err, history.ErrStopped)
	_, err = stopped.Why(l.History().Now(), "what breaks without "+names[1].Name, why.Focus{})
	require.ErrorIs(t, err, history.ErrStopped)
	_, ok := stopped.Checks(l.History().Now())
	require.False(t, ok)
	stopped.Timeline()
	p, err := l.Pairs(2)
	require.NoError(t, err)
	require.NotZero(t, p.Of)
	require.Len(t, l.Timeline(), 2)
	port := names[1].Name + "." + firstPort(names[1])
	_, err = stopped.Packets(port, history.Moment{}, l.History().Now(), nil)
	require.ErrorIs(t, err, history.ErrStopped)
}

func firstPort(d config.Device) string {
	for _, p := range d.Ports {
		if !p.Loopback {
			return p.Name
		}
	}
	return ""
}
