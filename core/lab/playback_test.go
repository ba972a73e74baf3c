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
	"hellebore/core/language/config"
	"hellebore/core/questions/capture"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// TestWhatPlaysIsWhatHappened holds the packets of stretches of random labs after random
// failures against the capture: each frame that a port sent flies to each port that it is for,
// for the delay of what carries it, and no other does.
func TestWhatPlaysIsWhatHappened(t *testing.T) {
	flown, lost, flows := 0, 0, 0
	for round := range oracleRuns(40) {
		r := rand.New(rand.NewPCG(uint64(round), 73))
		l := open(t, aLab(r, round))
		for range 2 {
			a, err := history.ParseAction(aFailure(r, l))
			require.NoError(t, err)
			_, _ = l.Do(a, 0)
		}
		now := l.History().Head().Now()
		from := event.Time(r.Int64N(int64(now) + 1))
		if round%3 == 0 {
			from = l.History().Steps()[len(l.History().Steps())-1].Start
		}
		to := min(now, from+event.Time(r.Int64N(int64(30*event.Second))))
		s, err := l.Playback(from.Seconds(), to.Seconds(), r.IntN(2) == 0)
		require.NoError(t, err)
		to = event.FromSeconds(s.To)
		type sent struct {
			at   event.Time
			port string
			kind string
		}
		want, got := map[sent]bool{}, map[sent]bool{}
		w := l.History().Head()
		require.NoError(t, l.History().Frames(from, to, func(f history.Frame) {
			if _, _, joined := w.MediumOf(f.Device, f.Port); joined {
				want[sent{f.At, facts.PortName(w.Device(f.Device), f.Port), capture.KindOf(f.Bytes)}] = true
			}
		}, nil))
		said := fmt.Sprintf("round %d, %v to %v", round, from, to)
		last := 0.0
		for _, f := range s.Flights {
			require.GreaterOrEqual(t, f.At, last, said)
			last = f.At
			at, until := event.FromSeconds(f.At), event.FromSeconds(f.Until)
			require.True(t, at <= to && until >= from && until > at, "%s %+v", said, f)
			if f.Class == capture.Flow {
				flows++
			} else if at >= from {
				got[sent{at, f.From, f.Kind}] = true
			}
			flown++
			if f.Lost != "" {
				lost++
			}
		}
		require.Equal(t, want, got, said)
		for i := 1; i < len(s.Events); i++ {
			require.LessOrEqual(t, s.Events[i-1].At, s.Events[i].At)
		}
	}
	require.Greater(t, flown, 1000)
	require.NotZero(t, lost)
	require.NotZero(t, flows)
}

// TestThePacketsOfFlowsFareAsTheOutagesSay follows packets of the flows of random labs through random failures: each goes
// from port to port in the delays of what carries it, and is lost exactly in the outages of its flow.
func TestThePacketsOfFlowsFareAsTheOutagesSay(t *testing.T) {
	arrived, lost, looped := 0, 0, 0
	for round := range oracleRuns(60) {
		r := rand.New(rand.NewPCG(uint64(round), 79))
		l := open(t, aLab(r, round))
		for range 2 {
			a, err := history.ParseAction(aFailure(r, l))
			require.NoError(t, err)
			_, _ = l.Do(a, 0)
		}
		steps := l.History().Steps()
		for i, s := range steps {
			last := i == len(steps)-1
			outages := map[string]traffic.FlowOutages{}
			for _, f := range traffic.OutagesOf(s, last, nil) {
				outages[f.Name] = f
			}
			within := func(list []traffic.Outage, at event.Time) bool {
				return slices.ContainsFunc(list, func(o traffic.Outage) bool {
					return event.FromSeconds(o.From) <= at && (o.To == nil || at < event.FromSeconds(*o.To))
				})
			}
			seen := map[string]int{}
			traffic.Trips(s, last, true, s.Start, s.End, func(trip traffic.Trip) bool {
				said := fmt.Sprintf("round %d, action %d, %+v", round, i+1, trip)
				at, gone := trip.Sent, trip.Lost != ""
				for k, leg := range trip.Legs {
					require.Equal(t, at, leg.At, said)
					require.Greater(t, leg.Until, leg.At, said)
					at = leg.Until
					gone = gone || leg.Lost != ""
					require.True(t, leg.Lost == "" || k == len(trip.Legs)-1, said)
					require.Equal(t, k == len(trip.Legs)-1, leg.Ends, said)
				}
				f := outages[trip.Flow]
				require.Equal(t, within(f.Outages, trip.Sent), gone, said)
				switch {
				case gone:
					lost++
				case trip.Loops:
					looped++
					require.True(t, within(f.Looped, trip.Sent), said)
				default:
					arrived++
				}
				seen[trip.Flow]++
				return seen[trip.Flow] < 200
			}, nil)
			// Where fate changes, the first packet tells, whatever the interval.
			for name, f := range outages {
				for _, o := range f.Outages {
					at := event.FromSeconds(o.From)
					if at == s.Start-event.Second || at == s.Start {
						continue // it was out when the action began, or the flow began with it
					}
					found := false
					traffic.Trips(s, last, false, at, at, func(trip traffic.Trip) bool {
						found = found || trip.Flow == name && trip.Sent == at
						return true
					}, nil)
					require.True(t, found, "round %d: %s is out from %v", round, name, at)
				}
			}
		}
	}
	t.Log(arrived, "arrived,", lost, "were lost,", looped, "looped")
	require.Greater(t, arrived, 1000)
	require.Greater(t, lost, 100)
}

// TestAPacketIsLostWhereItsLinkBreaks: a silent link loses what is sent, a cut one what is on
// its way.
func TestAPacketIsLostWhereItsLinkBreaks(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"))
	do(t, l, "silence viaduct.e1")
	start := l.History().Steps()[1].Start.Seconds()
	s, err := l.Playback(start, start+12, false)
	require.NoError(t, err)
	silent := 0
	for _, f := range s.Flights {
		if f.From == "viaduct.e1" {
			require.Equal(t, capture.Hello, f.Class)
			require.NotEmpty(t, f.Lost)
			silent++
		} else if f.From != "summit.e1" && f.To != "viaduct.e1" {
			require.Empty(t, f.Lost, "%+v", f)
		}
	}
	require.NotZero(t, silent)
	var words []string
	s, err = l.Playback(start, l.History().Head().Now().Seconds(), false)
	require.NoError(t, err)
	for _, e := range s.Events {
		words = append(words, e.Word)
	}
	require.Subset(t, words, []string{"neighbour lost", "LSA originated", "SPF"})
	for _, r := range [][2]float64{{5, 2}, {-1, 2}, {math.NaN(), 2}, {2, math.NaN()}, {1e300, 1e300}} {
		_, err = l.Playback(r[0], r[1], false)
		require.ErrorContains(t, err, "is no stretch of it", r)
		require.Less(t, len(err.Error()), 100, "a number stays short")
	}
}

// TestALongStretchComesInParts: what is beyond the bound comes with the next question, and
// nothing twice or never.
func TestALongStretchComesInParts(t *testing.T) {
	for _, all := range []bool{false, true} {
		l := open(t, demo.Text("valley-line"))
		do(t, l, "disable larches", map[bool]string{false: "wait 3000s", true: "wait 30s"}[all])
		end := l.History().Head().Now().Seconds()
		from, parts, whole := 0.0, 0, map[string]int{}
		sent, flown, flowed := 0, 0, 0
		for from <= end {
			s, err := l.Playback(from, end, all)
			require.NoError(t, err)
			for _, f := range s.Flights {
				if f.At < from {
					continue // it was on its way, and came with the part before
				}
				whole[fmt.Sprint(f)]++
				if f.Class == capture.Flow {
					flowed++
				} else {
					flown++
				}
			}
			parts++
			if !s.More {
				break
			}
			require.Greater(t, s.To, from)
			from = s.To + 1e-9
		}
		require.Greater(t, parts, 1)
		w := l.History().Head()
		require.NoError(t, l.History().Frames(0, w.Now(), func(f history.Frame) {
			if _, _, joined := w.MediumOf(f.Device, f.Port); joined {
				sent++
			}
		}, nil))
		require.Equal(t, sent, flown, "each link has two ends")
		legs := 0
		for i, s := range l.History().Steps() {
			traffic.Trips(s, i == len(l.History().Steps())-1, all, 0, w.Now(), func(trip traffic.Trip) bool {
				for _, leg := range trip.Legs {
					if leg.At <= w.Now() {
						legs++
					}
				}
				return true
			}, nil)
		}
		require.Equal(t, legs, flowed)
		for f, n := range whole {
			require.True(t, n == 1 || !strings.Contains(f, " flow "), f)
		}
		if all {
			require.Greater(t, flowed, 5000)
		}
	}
}

// TestAnLSAIsFollowedFromRouterToRouter: each packet says what it brings, so that an LSA
// reaches all routers in the stretch of its flooding, each over a link from one that has it.
func TestAnLSAIsFollowedFromRouterToRouter(t *testing.T) {
	l := open(t, demo.Text("valley-line"))
	do(t, l, "cut larches.e1")
	step := l.History().Steps()[1]
	s, err := l.Playback(step.Start.Seconds(), step.End.Seconds(), false)
	require.NoError(t, err)
	of := ""
	for _, f := range s.Flights {
		for _, c := range f.Carries {
			if of == "" && c.Of[:len("router LSA")] == "router LSA" {
				of = c.Of
			}
		}
	}
	require.NotEmpty(t, of)
	deviceOf := func(port string) string { d, _, _ := strings.Cut(port, "."); return d }
	has := map[string]bool{}
	for _, f := range s.Flights {
		for _, c := range f.Carries {
			if c.Of != of || f.Lost != "" {
				continue
			}
			if len(has) == 0 {
				has[deviceOf(f.From)] = true
			}
			require.True(t, has[deviceOf(f.From)], "%s sends what it does not have: %+v", f.From, f)
			has[deviceOf(f.To)] = true
		}
	}
	routers := 0
	for _, d := range l.History().Lab().Devices {
		if d.Kind == config.Router {
			routers++
		}
	}
	require.Greater(t, len(has), routers/2)
}

func TestAPrefixIsFollowedFromPeerToPeer(t *testing.T) {
	l := open(t, demo.Text("two-carriers"))
	do(t, l, "cut viaduct.up")
	step := l.History().Steps()[1]
	s, err := l.Playback(step.Start.Seconds(), step.End.Seconds(), false)
	require.NoError(t, err)
	says, changes := map[string]bool{}, 0
	for _, f := range s.Flights {
		for _, c := range f.Carries {
			if c.Of == "198.51.100.0/25" {
				says[c.Says] = true
			}
		}
	}
	for _, e := range s.Events {
		if e.About == "198.51.100.0/25" {
			changes++
		}
	}
	require.True(t, says["announced"] && says["withdrawn"], "%v", says)
	require.Greater(t, changes, 3)
}
