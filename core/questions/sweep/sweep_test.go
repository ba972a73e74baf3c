package sweep_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/core/questions/check"
	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// byHand does what a failure does as a user would: an action after the other, on a branch.
func byHand(t *testing.T, h *history.History, f failure.Failure) (*history.History, *history.Step) {
	t.Helper()
	branch := h.Branch()
	require.Len(t, f.Actions, 1, "of several at once, there is nobody's hand")
	a, err := history.ParseAction(f.Actions[0])
	require.NoError(t, err)
	s, err := branch.Begin(a, 0)
	require.NoError(t, err, f.Name)
	require.NoError(t, branch.Run(s, nil))
	return branch, s
}

// equals holds what a sweep says of a failure against what views say of the action done by hand.
func equals(t *testing.T, h *history.History, r sweep.Impact) {
	t.Helper()
	branch, s := byHand(t, h, r.Failure)
	say := fmt.Sprintf("%s after %q", r.Name, r.After)
	flows := traffic.OutagesOf(s, true, nil)
	row := timeline.ActionOf(s, flows, nil)
	require.Equal(t, row.Outcome, r.Outcome, say)
	require.Equal(t, row.Convergence, r.Convergence, say)
	require.Equal(t, row.Routes, r.Routes, say)
	require.Equal(t, row.OutSince, r.FlowsLost(), say)
	byName := map[string]sweep.FlowImpact{}
	for _, f := range r.Flows {
		byName[f.Name] = f
	}
	for _, f := range flows {
		got, there := byName[f.Name]
		require.Equal(t, len(f.Outages) > 0 && !(f.Before && f.Still), there, "%s, flow %s", say, f.Name)
		out := 0.0
		for _, o := range f.Outages {
			if o.To != nil {
				out += *o.To - o.From
			} else {
				out += s.End.Seconds() - o.From
			}
		}
		if there {
			require.InDelta(t, out, got.Out, 1e-9, say)
			require.Equal(t, f.Still && !f.Before, got.Lost, say)
		}
	}
	was, _ := check.Run(h, nil)
	is, _ := check.Run(branch, nil)
	failed := []string{}
	for i, c := range was {
		if len(c.When) == 0 && c.Passed && !is[i].Passed {
			failed = append(failed, c.Name)
		}
	}
	require.Equal(t, failed, r.Checks, say)

	// Pairs, by the packets that the views follow, each pair for itself.
	pairs := traffic.PairsOf(s, true, nil)
	require.Equal(t, pairs.Of, r.Pairs.Of, say)
	require.Len(t, pairs.Loops, r.Pairs.Loops, say)
	lost, out, longest := 0, 0, 0.0
	alive := func(name string) bool { return branch.Head().Find(name).Enabled() || !h.Head().Find(name).Enabled() }
	for _, p := range pairs.Out {
		before := arrives(t, h.Head(), p.From, p.To)
		switch after := arrives(t, branch.Head(), p.From, p.To); {
		case before && !after:
			if alive(p.From) && alive(p.To) {
				lost++
			}
		case before && after:
			out++
			longest = max(longest, p.Seconds)
		}
	}
	require.Equal(t, lost, r.Pairs.Lost, say)
	require.Equal(t, out, r.Pairs.Out, say)
	require.InDelta(t, longest, r.Pairs.Longest, 1e-9, say)
}

func arrives(t *testing.T, w *network.World, from, to string) bool {
	t.Helper()
	p, err := traffic.FlowBetween(w, from, to)
	return err == nil && p.Arrives
}

// TestASweepIsLikeDoingEachFailureByHand sweeps the demo labs, and compares each failure, and some after another, with the action.
func TestASweepIsLikeDoingEachFailureByHand(t *testing.T) {
	r := rand.New(rand.NewPCG(19, 1))
	for _, d := range demo.Labs() {
		h := testlabs.Acted(t, d.Text)
		s, err := sweep.New(h, nil)
		if err != nil {
			require.ErrorContains(t, err, "not at rest", d.Slug)
			continue
		}
		all := s.Failures(failure.Kinds)
		tried := 0
		for _, f := range all {
			got, err := s.Try(f, nil)
			require.NoError(t, err, "%s: %s", d.Slug, f.Name)
			if len(f.Actions) == 1 && (tried < 12 || r.IntN(4) == 0) {
				equals(t, h, got)
				tried++
			}
		}
		require.NotZero(t, tried, d.Slug)
		// A second failure, when the first has come to rest.
		for range 4 {
			f := all[r.IntN(len(all))]
			next, first, err := s.Then(f, nil)
			require.NoError(t, err)
			again, err := s.Try(f, nil)
			require.NoError(t, err)
			require.Equal(t, again, first)
			if len(f.Actions) > 1 || first.Outcome != network.Settled.String() {
				continue
			}
			branch, _ := byHand(t, h, f)
			second := next.Failures(failure.Kinds)
			if len(second) == 0 {
				continue
			}
			g := second[r.IntN(len(second))]
			got, err := next.Try(g, nil)
			require.NoError(t, err)
			require.Equal(t, f.Name, got.After)
			if len(g.Actions) == 1 {
				equals(t, branch, got)
			}
		}
	}
}

// TestSweepsOfAnyNetwork sweeps random networks, some of them with faults already: OSPF, segments, instances with partners, sessions,
// risk groups. Each failure, and some after another one, is like doing it by hand, to the digest of the world.
func TestSweepsOfAnyNetwork(t *testing.T) {
	rounds := 25
	if n, err := strconv.Atoi(os.Getenv("ORACLE")); err == nil {
		rounds = n
	}
	tried, kinds := 0, map[failure.Kind]int{}
	for round := range rounds {
		r := rand.New(rand.NewPCG(uint64(round), 1919))
		text := testlabs.Random(r) + groups(r)
		h := testlabs.Acted(t, text)
		for range r.IntN(3) { // what is broken already
			all := failure.Of(h.Head(), h.Lab(), failure.Kinds)
			h, _ = byHand(t, h, single(r, all))
		}
		s, err := sweep.New(h, nil)
		if err != nil {
			require.ErrorContains(t, err, "not at rest")
			continue
		}
		all := s.Failures(failure.Kinds)
		for range 8 {
			f := single(r, all)
			got, err := s.Try(f, nil)
			require.NoError(t, err, "round %d: %s\n%s", round, f.Name, text)
			equals(t, h, got)
			branch, _ := byHand(t, h, f)
			steps, err := f.Perform(h.Head(), h.Lab(), h.Text(), nil)
			require.NoError(t, err)
			require.Len(t, steps, 1)
			step := steps[0]
			require.Equal(t, branch.Head().Digest(true), step.After.Digest(true), "round %d: %s", round, f.Name)
			require.Empty(t, step.After.Check())
			tried++
			kinds[f.Kind]++
		}
		first := single(r, all)
		next, one, err := s.Then(first, nil)
		require.NoError(t, err)
		if one.Outcome != network.Settled.String() {
			continue
		}
		branch, _ := byHand(t, h, first)
		if second := next.Failures(failure.Kinds); len(second) > 0 {
			got, err := next.Try(single(r, second), nil)
			require.NoError(t, err)
			equals(t, branch, got)
		}
	}
	t.Logf("%d failures: %v", tried, kinds)
	for _, k := range failure.Kinds {
		require.True(t, k == failure.Segment || kinds[k] > 0, "a %s was tried; a segment takes several hands", k)
	}
}

// single is a random failure that one action does.
func single(r *rand.Rand, all []failure.Failure) failure.Failure {
	for {
		if f := all[r.IntN(len(all))]; len(f.Actions) == 1 {
			return f
		}
	}
}

// groups are random risk groups of a random network.
func groups(r *rand.Rand) string {
	var b strings.Builder
	for k := range 1 + r.IntN(3) {
		fmt.Fprintf(&b, "risk-group \"g%d\"\n  devices r%d\n", k, r.IntN(3))
		if r.IntN(2) == 0 {
			fmt.Fprintf(&b, "  links r%d.e%d\n", 1, 0)
		}
	}
	return b.String()
}

// TestASweepKnowsWhatNobodyCanDoWithout: in a line all is a single point of failure, in a ring nothing between routers is.
func TestASweepKnowsWhatNobodyCanDoWithout(t *testing.T) {
	for name, want := range map[string]bool{"line": true, "ring": false} {
		h := testlabs.Acted(t, ringLab(6, name == "ring"))
		s, err := sweep.New(h, nil)
		require.NoError(t, err)
		for _, f := range s.Failures([]failure.Kind{failure.Link, failure.Silence}) {
			r, err := s.Try(f, nil)
			require.NoError(t, err)
			require.Equal(t, want, r.SinglePoint(), "%s: %+v", name, r)
			require.Equal(t, !want, r.Pairs.Lost == 0)
			require.Positive(t, r.Pairs.Out+r.Pairs.Lost)
		}
	}
	// The end of a line is cut off with its link, and the rest keeps together.
	s, err := sweep.New(testlabs.Acted(t, ringLab(6, false)), nil)
	require.NoError(t, err)
	r, err := s.Try(s.Failures([]failure.Kind{failure.Link})[0], nil)
	require.NoError(t, err)
	require.Equal(t, []string{"r0"}, r.CutOff)
	require.Equal(t, 10, r.Pairs.Lost)
	// A router that fails takes its own pairs with it; only the others count.
	middle, err := s.Try(failure.Failure{Kind: failure.Router, Name: "router r1", Actions: []string{"disable r1"}}, nil)
	require.NoError(t, err)
	require.Equal(t, 8, middle.Pairs.Lost, "r0 and the four behind r1, both ways")
	require.Equal(t, []string{"r0"}, middle.CutOff)
	end, err := s.Try(failure.Failure{Kind: failure.Router, Name: "router r5", Actions: []string{"disable r5"}}, nil)
	require.NoError(t, err)
	require.False(t, end.SinglePoint(), "nobody else misses anything")
}

// ringLab is routers in a ring or a line, each with a loopback.
func ringLab(n int, ring bool) string {
	var b, links strings.Builder
	b.WriteString("lab \"Round\"\n")
	for i := range n {
		fmt.Fprintf(&b, "router r%d\n  loopback lo 10.255.0.%d/32\n    ospf area 0 passive\n", i, i+1)
		for side, k := range []int{(i + n - 1) % n, i} { // links before and after
			if !ring && k == n-1 {
				continue
			}
			fmt.Fprintf(&b, "  port e%d 10.0.%d.%d/30\n    ospf area 0\n", side, k, 2-side)
		}
		if ring || i < n-1 {
			fmt.Fprintf(&links, "link r%d.e1 r%d.e0\n", i, (i+1)%n)
		}
	}
	return b.String() + links.String()
}

// TestARiskGroupFailsAtOnce: each of two links alone is missed for a time; the duct that both run through is a single point of failure.
func TestARiskGroupFailsAtOnce(t *testing.T) {
	h := testlabs.Acted(t, ringLab(4, true)+"risk-group \"both ways\"\n  links r0.e0 r0.e1\nrisk-group \"rack\"\n  devices r2\n")
	s, err := sweep.New(h, nil)
	require.NoError(t, err)
	groups := s.Failures([]failure.Kind{failure.Group})
	require.Len(t, groups, 2)
	both, err := s.Try(groups[0], nil)
	require.NoError(t, err)
	equals(t, h, both)
	require.Equal(t, `risk group "both ways"`, both.Title())
	require.Equal(t, []string{"r0"}, both.CutOff)
	require.Equal(t, 6, both.Pairs.Lost)
	rack, err := s.Try(groups[1], nil)
	require.NoError(t, err)
	equals(t, h, rack)
	alone, err := s.Try(failure.Failure{Kind: failure.Router, Name: "router r2", Actions: []string{"disable r2"}}, nil)
	require.NoError(t, err)
	rack.Failure = alone.Failure
	require.Equal(t, alone, rack, "a group of one router is that router")
}

// TestARouterLeftWithADefaultRouteIsNamed: what it can still do depends on the default alone.
func TestARouterLeftWithADefaultRouteIsNamed(t *testing.T) {
	text := strings.Replace(ringLab(3, false), "router r0\n", "router r0\n  static 0.0.0.0/0 blackhole\n", 1)
	s, err := sweep.New(testlabs.Acted(t, text), nil)
	require.NoError(t, err)
	links := s.Failures([]failure.Kind{failure.Link})
	r, err := s.Try(links[0], nil)
	require.NoError(t, err)
	require.Equal(t, []string{"r0"}, r.DefaultOnly)
	require.Contains(t, r.Says(), "r0 with a default route alone")
	r, err = s.Try(links[1], nil)
	require.NoError(t, err)
	require.Empty(t, r.DefaultOnly, "it still has a route to r1")
	next, _, err := s.Then(links[0], nil)
	require.NoError(t, err)
	r, err = next.Try(links[1], nil)
	require.NoError(t, err)
	require.Empty(t, r.DefaultOnly, "it was so before")
}

// TestAFailureOverloadsWhatIsLeft: where flows say their rate, links that are too narrow for what is left to them are named.
func TestAFailureOverloadsWhatIsLeft(t *testing.T) {
	text := ringLab(4, true) + "flow tickets r0 -> r1 rate 700M\nflow films r0 -> r1 rate 500M\nflow trams r3 -> r2 rate 400M\n"
	s, err := sweep.New(testlabs.Acted(t, text), nil)
	require.NoError(t, err)
	by := map[string]sweep.Impact{}
	for _, f := range s.Failures([]failure.Kind{failure.Link}) {
		r, err := s.Try(f, nil)
		require.NoError(t, err)
		by[f.Name] = r
	}
	// r0 to r1 is too much for its link before already; the long way round is shared with the trams.
	r := by["r0.e1 r1.e0, cut"]
	require.Len(t, r.Overloaded, 3)
	require.Equal(t, "r3.e0", r.Overloaded[0].Port)
	require.InDelta(t, 160, r.Overloaded[0].Percent, 1e-9)
	require.InDelta(t, 160, r.Fullest, 1e-9)
	require.Contains(t, r.Says(), "r3.e0 carries 160% of its bandwidth")
	require.Equal(t, []string{"tickets", "films", "trams"}, r.Overloaded[0].Flows)
	r = by["r3.e1 r0.e0, cut"]
	require.Empty(t, r.Overloaded, "what was too full stays so")
	require.InDelta(t, 120, r.Fullest, 1e-9)
}

// bordered is an AS between two carriers, without filters. Both carry the harbour's prefix; the first has the shorter path.
const bordered = `router mill
  port e1 192.0.2.1/30
  port e2 192.0.2.5/30
  bgp as 64500
    peer 192.0.2.2 as 64496
      import-policy all
      export-policy all
    peer 192.0.2.6 as 64497
      import-policy all
      export-policy all
router skylark
  port e1 192.0.2.2/30
  port e2 192.0.2.9/30
  bgp as 64496
    peer 192.0.2.1 as 64500
      import-policy all
      export-policy all
    peer 192.0.2.10 as 64498
      import-policy all
      export-policy all
router gannet
  port e1 192.0.2.6/30
  port e2 192.0.2.13/30
  bgp as 64497
    peer 192.0.2.5 as 64500
      import-policy all
      export-policy longer
    peer 192.0.2.14 as 64498
      import-policy all
      export-policy all
router harbour
  port e1 192.0.2.10/30
  port e2 192.0.2.14/30
  static 203.0.113.0/24 blackhole
  bgp as 64498
    inject static
    peer 192.0.2.9 as 64496
      import-policy all
      export-policy all
    peer 192.0.2.13 as 64497
      import-policy all
      export-policy all
policy all
  otherwise accept
policy longer
  statement all
    prepend 64497 times 2
    accept
link mill.e1 skylark.e1
link mill.e2 gannet.e1
link skylark.e2 harbour.e1
link gannet.e2 harbour.e2
`

// TestAFailureMovesPrefixesAtTheBorder: prefixes that leave by another AS are counted, and those that a failure sends where nobody
// meant them to go are named.
func TestAFailureMovesPrefixesAtTheBorder(t *testing.T) {
	h := testlabs.Acted(t, strings.Replace(bordered, "router mill\n", "router mill\n  loopback lo 10.255.0.1/32\n", 1)+"router weir\n  loopback lo 10.255.0.2/32\n  bgp as 64500\n")
	s, err := sweep.New(h, nil)
	require.NoError(t, err)
	try := func(action string) sweep.Impact {
		f, err := failure.OwnOf(action)
		require.NoError(t, err)
		r, err := s.Try(f, nil)
		require.NoError(t, err)
		require.Equal(t, uint32(64500), r.Borders.AS)
		return r
	}
	r := try("cut skylark.e2")
	require.Equal(t, 1, r.Borders.Sent)
	require.Equal(t, 1, r.Borders.Moved)
	require.Equal(t, []string{"203.0.113.0/24 is sent to AS 64496", "203.0.113.0/24 leaves by AS 64497, and left by AS 64496"}, r.Borders.Says)
	require.Contains(t, r.Says(), "203.0.113.0/24 is sent to AS 64496; 1 prefix moved to another AS")
	r = try("cut mill.e1")
	require.Zero(t, r.Borders.Sent)
	require.Equal(t, 1, r.Borders.Moved)
	r = try("cut mill.e1 and cut mill.e2")
	require.Equal(t, 1, r.Borders.Gone)
	r = try("cut gannet.e2")
	require.Zero(t, r.Borders.Sent+r.Borders.Moved+r.Borders.Gone)
}

// TestTwoSweepsAreHeldAgainstEachOther closes a line to a ring, and opens it again.
func TestTwoSweepsAreHeldAgainstEachOther(t *testing.T) {
	swept := func(ring bool) (out []sweep.Impact) {
		s, err := sweep.New(testlabs.Acted(t, ringLab(4, ring)), nil)
		require.NoError(t, err)
		for _, f := range s.Failures([]failure.Kind{failure.Link}) {
			r, err := s.Try(f, nil)
			require.NoError(t, err)
			out = append(out, r)
		}
		sweep.Rank(out)
		return out
	}
	line, ring := swept(false), swept(true)
	turns := func(a sweep.Against) map[string]int {
		by := map[string]int{}
		for _, c := range a.Changes {
			by[c.Turn]++
			require.Equal(t, c.Turn == "new", c.Was == nil)
			require.Equal(t, c.Turn == "gone", c.Is == nil)
		}
		return by
	}
	closed := sweep.Hold(line, ring)
	require.Equal(t, map[string]int{"better": 3, "new": 1}, turns(closed))
	require.Equal(t, "the change makes 0 failures worse and 3 better; 0 stay as they are", closed.String())
	opened := sweep.Hold(ring, line)
	require.Equal(t, map[string]int{"worse": 3, "gone": 1}, turns(opened))
	require.Equal(t, "worse", opened.Changes[0].Turn, "the worst first")
	same := sweep.Hold(ring, ring)
	require.Equal(t, 4, same.Same)
	require.Empty(t, same.Changes)
}

// TestWhatIsDrainedFirstIsNotMissed: a link that is cut loses packets until the routers know; one that is drained first does not.
func TestWhatIsDrainedFirstIsNotMissed(t *testing.T) {
	h := testlabs.Acted(t, ringLab(5, true)+"flow tickets r0 -> r1\n")
	s, err := sweep.New(h, nil)
	require.NoError(t, err)
	all := s.Failures([]failure.Kind{failure.Maintenance})
	require.Len(t, all, 10, "five links and five routers")
	cut, err := s.Try(s.Failures([]failure.Kind{failure.Link})[0], nil)
	require.NoError(t, err)
	require.Positive(t, cut.WorstFlow())
	drained, err := s.Try(all[0], nil)
	require.NoError(t, err)
	require.Equal(t, "r0.e1 r1.e0, drained, then cut", drained.Name)
	require.Equal(t, []string{"r0.e1 ospf cost 65535", "r1.e0 ospf cost 65535"}, drained.Drain)
	require.Less(t, drained.WorstFlow(), cut.WorstFlow())
	require.Zero(t, drained.Pairs.Lost)

	// By hand: the text with those costs, then the cut.
	edits, err := labtext.ParseEdits(strings.Join(drained.Drain, "\n"))
	require.NoError(t, err)
	text, err := labtext.EditText(h.Text(), edits...)
	require.NoError(t, err)
	branch := h.Branch()
	b, err := branch.Begin(history.Action{Kind: history.Apply, Text: text}, 0)
	require.NoError(t, err)
	require.NoError(t, branch.Run(b, nil))
	branch, _ = byHand(t, branch, drained.Failure)
	steps, err := drained.Perform(h.Head(), h.Lab(), h.Text(), nil)
	require.NoError(t, err)
	require.Len(t, steps, 2)
	require.Equal(t, branch.Head().Digest(true), steps[1].After.Digest(true))
	for _, f := range all {
		r, err := s.Try(f, nil)
		require.NoError(t, err)
		require.Zero(t, r.Pairs.Lost, f.Name)
	}
}

// TestWhoIsCutOffIsFoundAfterAFirstFailure: routers that are off already, or have no loopback, are nobody to be cut off from.
func TestWhoIsCutOffIsFoundAfterAFirstFailure(t *testing.T) {
	h := testlabs.Acted(t, ringLab(5, false)+"router bare\nrisk-group \"end\"\n  links r0.e1\n  devices bare\n")
	s, err := sweep.New(h, nil)
	require.NoError(t, err)
	group, err := s.Try(s.Failures([]failure.Kind{failure.Group})[0], nil)
	require.NoError(t, err)
	require.Equal(t, []string{"r0"}, group.CutOff)
	off, err := failure.OwnOf("disable r4")
	require.NoError(t, err)
	next, _, err := s.Then(off, nil)
	require.NoError(t, err)
	second, err := next.Try(next.Failures([]failure.Kind{failure.Link})[0], nil)
	require.NoError(t, err)
	require.Equal(t, []string{"r0"}, second.CutOff)
}
