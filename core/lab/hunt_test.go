package lab

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/questions/playback"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// carriers are three ASes in a full mesh, and a customer of all of them.
const carriers = `
lab "Three carriers"
  seed 5

router skylark
  port e1 192.0.2.5/30
  port e2 192.0.2.14/30
  port e3 192.0.2.18/30
  bgp as 64496
    peer 192.0.2.6 as 64497
    peer 192.0.2.13 as 64499
    peer 192.0.2.17 as 64500

router gannet
  port e1 192.0.2.6/30
  port e2 192.0.2.9/30
  port e3 192.0.2.22/30
  bgp as 64497
    peer 192.0.2.5 as 64496
    peer 192.0.2.10 as 64499
    peer 192.0.2.21 as 64500

router heron
  port e1 192.0.2.10/30
  port e2 192.0.2.13/30
  port e3 192.0.2.26/30
  bgp as 64499
    peer 192.0.2.9 as 64497
    peer 192.0.2.14 as 64496
    peer 192.0.2.25 as 64500

router halt
  port e1 192.0.2.17/30
  port e2 192.0.2.21/30
  port e3 192.0.2.25/30
  port lan 203.0.113.1/24
  bgp as 64500
    originate 203.0.113.0/24
    peer 192.0.2.18 as 64496
    peer 192.0.2.22 as 64497
    peer 192.0.2.26 as 64499

host desk 203.0.113.10/24 gateway 203.0.113.1
segment yard halt.lan desk
link skylark.e1 gannet.e1
link gannet.e2 heron.e1
link heron.e2 skylark.e2
link halt.e1 skylark.e3
link halt.e2 gannet.e3
link halt.e3 heron.e3
`

func words(r playback.HuntRouter) (out []string) {
	for _, c := range r.Bests {
		out = append(out, c.Words())
	}
	return out
}

// TestPathsAreHunted takes a prefix away of which three carriers in a full mesh tell each other: each tries the paths by
// the others, longer ones later, until none is left (RFC 4271 sends a withdrawal when the last one is gone).
func TestPathsAreHunted(t *testing.T) {
	l := open(t, carriers)
	do(t, l, "disable halt")
	step := l.History().Steps()[1]
	h, err := l.Hunt("203.0.113.0/24", step.Start.Seconds(), step.End.Seconds())
	require.NoError(t, err)
	require.Len(t, h.Routers, 4)
	for _, r := range h.Routers {
		said := words(r)
		if r.Router == "halt" {
			require.Equal(t, "its own path", said[0])
			continue
		}
		require.Equal(t, "64500 from halt", said[0], r.Router)
		require.Equal(t, "no path", said[len(said)-1], r.Router)
		require.Greater(t, len(said), 2, "%s tries a path by another carrier: %v", r.Router, said)
		for i := 1; i < len(r.Bests); i++ {
			require.Greater(t, r.Bests[i].At, step.Start.Seconds()-1e-9)
			require.GreaterOrEqual(t, r.Bests[i].At, r.Bests[i-1].At)
			if !r.Bests[i].None && !r.Bests[i-1].None {
				require.GreaterOrEqual(t, len(r.Bests[i].ASPath), len(r.Bests[i-1].ASPath), said)
			}
		}
	}
	for _, bad := range []string{"", "10.0.0.0", "10.0.0.0/99", "x"} {
		_, err = l.Hunt(bad, 0, 1)
		require.ErrorContains(t, err, "is no prefix")
	}
	_, err = l.Hunt("10.0.0.0/8", 5, 1)
	require.ErrorContains(t, err, "no stretch")
}

// TestHuntsAreWhatRoutersHad holds the best paths of random prefixes in random labs after random failures against the
// networks of random times.
func TestHuntsAreWhatRoutersHad(t *testing.T) {
	compared, changes := 0, 0
	for round := range oracleRuns(40) {
		r := rand.New(rand.NewPCG(uint64(round), 83))
		l := open(t, aLab(r, round))
		for range 2 {
			a, err := history.ParseAction(aFailure(r, l))
			require.NoError(t, err)
			_, _ = l.Do(a, 0)
		}
		w := l.History().Head()
		known := w.Shared().Prefixes.Len()
		if known == 0 {
			continue
		}
		for range 3 {
			prefix := w.Shared().Prefixes.Prefix(uint32(r.IntN(int(known))))
			from := event.Time(r.Int64N(int64(w.Now()) + 1))
			if steps := l.History().Steps(); r.IntN(2) == 0 { // where something happens
				from = steps[r.IntN(len(steps))].Start
			}
			to := min(w.Now(), from+event.Time(r.Int64N(int64(60*event.Second))))
			h, err := l.Hunt(prefix.String(), from.Seconds(), to.Seconds())
			require.NoError(t, err)
			had := map[string]playback.HuntRouter{}
			for _, x := range h.Routers {
				had[x.Router] = x
				changes += len(x.Bests) - 1
			}
			for range 4 {
				at := from + event.Time(r.Int64N(int64(to-from)+1))
				then := l.World(l.History().AtTime(at))
				for _, d := range then.Devices() {
					for i := range d.Instances() {
						inst := &d.Instances()[i]
						if d.Gone() || !inst.BGP().Running() {
							continue
						}
						want := bestOf(then, inst, prefix)
						got := "none"
						for _, c := range had[inst.Ref()].Bests {
							if event.FromSeconds(c.At) <= at {
								got = c.ASPath
								if c.None {
									got = "none"
								}
							}
						}
						require.Equal(t, want, got, fmt.Sprintf("round %d: %v on %s at %v of %v to %v", round, prefix, inst.Ref(), at, from, to))
						compared++
					}
				}
			}
		}
	}
	t.Log(compared, "compared,", changes, "changes")
	require.Greater(t, compared, 500)
	require.Greater(t, changes, 10)
}

func bestOf(w *network.World, inst *device.Instance, prefix ip.Prefix) string {
	id, known := w.Shared().Prefixes.Find(prefix)
	if !known {
		return "none"
	}
	a, _ := inst.BGP().BestAttributes(id)
	if set := w.Attrs().Get(a); set != nil {
		return set.Path.String()
	}
	return "none"
}
