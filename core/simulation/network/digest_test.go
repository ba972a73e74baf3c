package network_test

import (
	"math/rand"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/simulation/network"
)

// TestDigestsOfAnotherKindMeanNothing reads what another engine recorded: it is not held against what comes out now.
func TestDigestsOfAnotherKindMeanNothing(t *testing.T) {
	s := network.State{Ports: 1<<63 | 7, Neighbours: 2, Database: 3, Routes: 4, Paths: 5}
	require.Equal(t, s, network.ParseState(s.String()))
	require.Zero(t, network.ParseState("8000000000000007 0000000000000002 0000000000000003 0000000000000004 0000000000000005"))
	require.Zero(t, network.ParseState("2000000000000007 0000000000000002 0000000000000003 0000000000000004 0000000000000005"))
	require.Zero(t, network.ParseState(""))
}

// TestADigestFollowsEveryChange does the same to two networks, and asks one of them for its digest after each event that is
// drawn, the other at the end only: what the one kept from before must not be missing what changed since.
func TestADigestFollowsEveryChange(t *testing.T) {
	for n := range oracleRuns(60) {
		text := ""
		if n%2 == 0 {
			text = randomAutonomousSystems(rand.New(rand.NewSource(int64(n))))
		} else {
			text = randomOSPF(rand.New(rand.NewSource(int64(n))))
		}
		run := func(ask bool) (uint64, network.State) {
			r := rand.New(rand.NewSource(int64(n)))
			w := build(t, text)
			for range 6 {
				for k := range 3 {
					w.RunUntil(w.Now()+event.Time(r.Int63n(int64(20*event.Second))), bound)
					if ask {
						w.Digest(true)
					}
					if ask && k == 2 {
						c := w.Clone()
						c.RunUntil(c.Now()+event.Second, bound) // another future that shares what was summed
						c.Digest(true)
					}
				}
				if media := w.Media(); len(media) > 0 {
					m := media[r.Intn(len(media))]
					e := m.Ends[r.Intn(len(m.Ends))]
					if m.Cut {
						w.Mend(e.Device, e.Port)
					} else {
						w.Cut(e.Device, e.Port)
					}
				}
			}
			return w.Digests(true)
		}
		digest, state := run(false)
		asked, parts := run(true)
		require.Equal(t, state, parts, "run %d\n%s", n, text)
		require.Equal(t, digest, asked, "run %d\n%s", n, text)
	}
}
