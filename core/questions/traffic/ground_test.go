package traffic

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/ip"
	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// TestWhatIsKnownOfANetworkChangesNoAnswer follows all pairs through random steps that begin on networks in which something failed
// already, with a ground and without.
func TestWhatIsKnownOfANetworkChangesNoAnswer(t *testing.T) {
	texts := []string{testlabs.Grid(5, 4)}
	for n := range 24 {
		texts = append(texts, meshed(rand.New(rand.NewPCG(uint64(n), 6))))
	}
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
			ground, large := GroundOf(h.Head()), GroundOf(h.Head())
			large.words = 0 // as of a network that is too large for the paths of pairs
			for range 5 {   // several steps from the same network
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
				want := followed(s)
				require.Equal(t, said(want), said(LostOf(s, nil, nil)), "lab %d, %v, without a ground", n, actions)
				require.Equal(t, said(want), said(LostOf(s, ground, nil)), "lab %d, %v", n, actions)
				require.Equal(t, said(want), said(LostOf(s, large, nil)), "lab %d, %v, without paths", n, actions)
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

// TestARouterThatComesLaterIsOutForATime adds a router to a network: until it has routes, what it sends is lost. What is sent to it was
// lost before it was there.
func TestARouterThatComesLaterIsOutForATime(t *testing.T) {
	text := meshed(rand.New(rand.NewPCG(3, 6)))
	h := testlabs.Acted(t, text)
	ground := GroundOf(h.Head())
	port := "  port late 10.200.0.2/30\n    ospf area 0\n"
	text = strings.Replace(text, "    ospf area 0 passive\n", "    ospf area 0 passive\n"+port, 1)
	s, err := h.Begin(history.Action{Kind: history.Apply, Text: text + "router last\n  loopback lo 10.255.1.1/32\n    ospf area 0 passive\n" +
		"  port e0 10.200.0.1/30\n    ospf area 0\nlink last.e0 r0.late\n"}, 0)
	require.NoError(t, err)
	require.NoError(t, h.Run(s, nil))
	want := followed(s)
	others := len(want.Ends) - 1
	require.Equal(t, []int{others, others}, []int{want.Out, want.Repaired})
	require.Equal(t, said(want), said(LostOf(s, nil, nil)))
	require.Equal(t, said(want), said(LostOf(s, ground, nil)))
}

// followed is what LostOf says, from the packets of each pair, followed to their end.
func followed(s *history.Step) Lost {
	l := Lost{Ends: ends(s), Loops: len(PairsOf(s, true, nil).Loops)}
	f := toward(s, ip.Addr{})
	for _, to := range l.Ends {
		f.another(ip.AddrFrom(to.Config().Address()))
		for _, from := range l.Ends {
			if from == to {
				continue
			}
			if l.Of++; from.Enabled() && to.Enabled() {
				lost := slices.DeleteFunc(f.all(from.ID(), true), func(p part) bool { return p.ok })
				l.add(s, from, to, lost)
			}
		}
	}
	l.Longest = l.longest.Seconds()
	return l
}

// meshed is a ring, a line or a grid of routers with a loopback each, whose links cost and take as long as it comes: some have equal
// paths everywhere, in some each router turns back to the one before it, and some links take hardly any time, or more than a second.
func meshed(r *rand.Rand) string {
	var b, links strings.Builder
	wide, high := 2+r.IntN(6), 1+r.IntN(4)
	n := wide * high
	ports := make([]string, n)
	costs, delays, slow := 1+r.IntN(3), r.IntN(4), r.IntN(4) == 0
	k := 0
	join := func(x, y int) {
		for side, i := range []int{x, y} {
			ports[i] += fmt.Sprintf("  port e%d 10.%d.%d.%d/30\n    ospf area 0\n      cost %d\n", k, 64+k/60, k%60*4, side+1, 1+r.IntN(costs))
		}
		delay := 1 + r.IntN(1+4000*delays)
		if slow && r.IntN(6) == 0 {
			delay = 200_000 + r.IntN(1_200_000) // packets are under way for longer than what is looked at before the action
		}
		fmt.Fprintf(&links, "link r%d.e%d r%d.e%d delay %dus\n", x, k, y, k, delay)
		k++
	}
	for i := range n {
		if i%wide > 0 {
			join(i-1, i)
		}
		if i >= wide {
			join(i-wide, i)
		}
	}
	if r.IntN(2) == 0 && n > 2 {
		join(n-1, 0)
	}
	for i := range n {
		fmt.Fprintf(&b, "router r%d\n  loopback lo 10.255.0.%d/32\n    ospf area 0 passive\n%s", i, i+1, ports[i])
	}
	return "lab \"Mesh\"\n" + b.String() + links.String()
}

// said is what is lost, by names.
func said(l Lost) (out []string) {
	for _, p := range l.ForGood {
		out = append(out, fmt.Sprint(p.From.Name(), " ", p.To.Name(), " ", p.At, " ", p.Cause))
	}
	return append(out, fmt.Sprint(l.Of, l.Repaired, l.Out, l.Longest, l.Loops))
}
