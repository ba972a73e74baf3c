package traffic

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// TestWhatIsSteadyArrives follows all pairs through random actions: packets that are said to arrive whatever happens do, none of
// them twice anywhere, and no loop is missed.
func TestWhatIsSteadyArrives(t *testing.T) {
	texts := []string{testlabs.Grid(5, 4)}
	for _, l := range demo.Labs() {
		texts = append(texts, l.Text)
	}
	certain, unsure, lost, loops := 0, 0, 0, 0
	for n, text := range texts {
		r := rand.New(rand.NewPCG(uint64(n), 18))
		h := testlabs.Acted(t, text)
		for range 12 {
			a, err := history.ParseAction(anAction(r, h.Lab()))
			require.NoError(t, err)
			s, err := h.Begin(a, 0)
			if err != nil {
				continue
			}
			require.NoError(t, h.Run(s, nil))
			calm := quietOf(s)
			var sure *steady
			found, plain := map[circled]*circling{}, map[circled]*circling{}
			for _, to := range ends(s) {
				dst := ip.AddrFrom(to.Config().Address())
				sure = calm.toward(dst, sure)
				f, short := toward(s, dst), toward(s, dst)
				short.calm = sure
				for _, from := range ends(s) {
					parts := f.all(from.ID(), true)
					require.Equal(t, outagesIn(parts), outagesIn(short.all(from.ID(), true)), "lab %d, %s: %s to %s", n, a, from.Name(), to.Name())
					well := !slices.ContainsFunc(parts, func(p part) bool { return !p.ok || p.looped })
					if sure.arrive(node{from.ID(), device.Main}) {
						certain++
						require.True(t, well, "lab %d, %s: %s to %s: %+v", n, a, from.Name(), to.Name(), parts)
					} else if well {
						unsure++
					} else {
						lost++
					}
				}
				short.loops(to.Name(), sure.doubtful(), found)
				blind := calm.toward(dst, nil)
				for i := range blind.known {
					blind.known[i] = unsteady
				}
				f.calm = blind
				f.loops(to.Name(), blind.doubtful(), plain)
			}
			require.Equal(t, plain, found, "lab %d, %s", n, a)
			loops += len(found)
		}
	}
	t.Logf("%d pairs are sure to arrive, %d arrive, %d do not; %d loops", certain, unsure, lost, loops)
	require.Greater(t, certain, 4*unsure)
	require.Greater(t, lost, 100)
	require.Greater(t, loops, 5)
}

// outagesIn are the stretches of send time in which packets are lost, or loop and arrive.
func outagesIn(parts []part) (out []part) {
	for _, p := range parts {
		p.way = nil
		switch n := len(out); {
		case p.ok && !p.looped:
		case n > 0 && out[n-1].hi == p.lo && out[n-1].cause == p.cause && out[n-1].ok == p.ok:
			out[n-1].hi = p.hi
		default:
			out = append(out, p)
		}
	}
	return out
}

// anAction is a fault, a mending, or a change of something, at random.
func anAction(r *rand.Rand, lab *config.Lab) string {
	d := lab.Devices[r.IntN(len(lab.Devices))]
	port := fmt.Sprintf("%s.%s", d.Name, d.Ports[r.IntN(len(d.Ports))].Name)
	return []string{"cut " + port, "mend " + port, "silence " + port, "disable " + d.Name, "enable " + d.Name, "disable " + port, "enable " + port,
		"cut " + port, "silence " + port, "restart ospf on " + d.Name, "cut " + port, "mend " + port}[r.IntN(12)]
}
