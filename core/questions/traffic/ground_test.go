package traffic

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// TestWhatIsKnownOfANetworkChangesNoAnswer follows all pairs through random steps that begin on networks in which something failed
// already, with a ground and without.
func TestWhatIsKnownOfANetworkChangesNoAnswer(t *testing.T) {
	texts := []string{testlabs.Grid(5, 4)}
	for _, l := range demo.Labs() {
		texts = append(texts, l.Text)
	}
	for n := range 20 {
		texts = append(texts, testlabs.Random(rand.New(rand.NewPCG(uint64(n), 5))))
	}
	lost, out, used := 0, 0, 0
	for n, text := range texts {
		r := rand.New(rand.NewPCG(uint64(n), 19))
		h := testlabs.Acted(t, text)
		for range 6 {
			ground := GroundOf(h.Head())
			for range 5 { // several steps from the same network
				var actions []history.Action
				for range 1 + r.IntN(2) {
					a, err := history.ParseAction(anAction(r, h.Lab()))
					require.NoError(t, err)
					actions = append(actions, a)
				}
				s, err := history.Try(h.Head(), h.Lab(), actions, nil)
				if err != nil {
					continue
				}
				want := LostOf(s, nil, nil)
				require.Equal(t, said(want), said(LostOf(s, ground, nil)), "lab %d, %v", n, actions)
				lost, out = lost+len(want.ForGood), out+want.Out
				used++
			}
			a, err := history.ParseAction(anAction(r, h.Lab()))
			require.NoError(t, err)
			s, err := h.Begin(a, 0)
			if err != nil {
				continue
			}
			require.NoError(t, h.Run(s, nil))
		}
	}
	t.Logf("%d steps, %d pairs lost for good, %d for a time", used, lost, out)
	require.Greater(t, used, 500)
	require.Greater(t, lost, 1000)
	require.Greater(t, out, 1000)
}

// said is what is lost, by names.
func said(l Lost) (out []string) {
	for _, p := range l.ForGood {
		out = append(out, fmt.Sprint(p.From.Name(), " ", p.To.Name(), " ", p.At, " ", p.Cause))
	}
	return append(out, fmt.Sprint(l.Of, l.Repaired, l.Out, l.Longest, l.Loops))
}
