package network_test

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/ground/event"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// TestClonesAreIndependent acts on a world and on clones of it in turn, at
// random: each must be as a world to which only its own actions were done.
func TestClonesAreIndependent(t *testing.T) {
	for slug, ports := range map[string][]string{"triangle-with-ospf": {"viaduct.e1", "viaduct.e2", "summit.e2"}, "two-carriers": {"viaduct.up", "viaduct.e1", "summit.tram"}} {
		t.Run(slug, func(t *testing.T) { clonesAreIndependent(t, demo.Text(slug), ports) })
	}
}

func clonesAreIndependent(t *testing.T, text string, ports []string) {
	base := build(t, text)
	settle(t, base)
	type deed struct {
		what string
		port string
		wait event.Time
	}
	perform := func(w *network.World, d deed) {
		dev, p := port(t, w, d.port)
		switch d.what {
		case "cut":
			w.Cut(dev, p)
		case "silence":
			w.Silence(dev, p, network.Out)
		case "mend":
			w.Mend(dev, p)
		}
		w.RunUntil(w.Now()+d.wait, bound)
	}
	rapid.Check(t, func(r *rapid.T) {
		worlds := []*network.World{base.Clone()}
		lives := [][]deed{nil}
		for range rapid.IntRange(2, 12).Draw(r, "steps") {
			i := rapid.IntRange(0, len(worlds)-1).Draw(r, "world")
			if rapid.Bool().Draw(r, "clone") {
				worlds = append(worlds, worlds[i].Clone())
				lives = append(lives, append([]deed(nil), lives[i]...))
				continue
			}
			d := deed{rapid.SampledFrom([]string{"cut", "silence", "mend"}).Draw(r, "what"), rapid.SampledFrom(ports).Draw(r, "port"),
				event.Time(rapid.Int64Range(0, int64(60*event.Second)).Draw(r, "wait"))}
			perform(worlds[i], d)
			lives[i] = append(lives[i], d)
		}
		for i, w := range worlds {
			alone := base.Clone()
			for _, d := range lives[i] {
				perform(alone, d)
			}
			require.Equal(r, alone.Digest(true), w.Digest(true), "world %d", i)
		}
	})
}

// TestClonesRunSideBySide lets many clones run at once, which the race detector
// watches: they share pages, and nobody writes to a shared one.
func TestClonesRunSideBySide(t *testing.T) {
	clonesRunSideBySide(t, demo.Text("valley-line"), []string{"viaduct.e1", "tunnel.e1", "weir.e3", "bridge.e1"})
	clonesRunSideBySide(t, demo.Text("two-carriers"), []string{"viaduct.up", "viaduct.e1", "summit.tram", "harbour.e1"})
}

func clonesRunSideBySide(t *testing.T, text string, faults []string) {
	base := build(t, text)
	settle(t, base)
	want := map[string]uint64{}
	for _, f := range faults {
		want[f] = cutAndSettled(t, base.Clone(), f)
	}
	clones := make([]*network.World, 4*len(faults))
	for i := range clones {
		clones[i] = base.Clone()
	}
	got := make([]uint64, len(clones))
	var wg sync.WaitGroup
	for i, w := range clones {
		wg.Go(func() {
			got[i] = cutAndSettled(t, w, faults[i%len(faults)])
		})
	}
	wg.Wait()
	for i := range got {
		require.Equal(t, want[faults[i%len(faults)]], got[i], fmt.Sprintf("clone %d", i))
	}
}

func cutAndSettled(t *testing.T, w *network.World, ref string) uint64 {
	dev, p := port(t, w, ref)
	w.Cut(dev, p)
	w.Settle(bound, nil)
	return w.Digest(true)
}
