// Package sweep tries failures on copies of a network at rest, each by itself or after another one, and says what each would do:
// flows, checks and pairs that end up worse, for how long others are out, and how the network comes to rest.
package sweep

import (
	"cmp"
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/check"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/failure"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Impact is what a failure does to a network at rest.
type Impact struct {
	failure.Failure
	After       string        `json:"after,omitempty" doc:"what failed before it, and came to rest; what that did is not counted here"`
	Outcome     string        `json:"outcome" enum:"settled,does not settle,does not settle so far,not tried"`
	Problem     string        `json:"problem,omitempty" doc:"why it was not tried"`
	Argued      string        `json:"argued,omitempty" doc:"why it need not be tried: what the result follows from"`
	Convergence *float64      `json:"convergence" doc:"seconds until the last change of forwarding on any router; null if there was none"`
	Parts       Parts         `json:"parts"`
	Routes      int           `json:"routes" doc:"routes that changed, counted on each router"`
	Flows       []FlowImpact  `json:"flows" doc:"flows that are out for a time or for good, or arrive again"`
	Checks      []string      `json:"checks" doc:"checks that passed before and fail after it"`
	Pairs       PairsImpact   `json:"pairs"`
	CutOff      []string      `json:"cutOff" doc:"devices that no other reaches any more, of those that did not fail"`
	DefaultOnly []string      `json:"defaultOnly" doc:"routers that are left with a default route alone"`
	Borders     BordersImpact `json:"borders"`
	// Overloaded and Fullest are about flows that say their rate.
	Overloaded []traffic.Load `json:"overloaded" doc:"ports that carry more than their bandwidth, and did not before"`
	Fullest    float64        `json:"fullest" doc:"percent of its bandwidth that the fullest port carries"`

	work uint64 // what it took (network.World.Work)
}

// FlowImpact is what becomes of a flow.
type FlowImpact struct {
	Name     string  `json:"name"`
	Lost     bool    `json:"lost" doc:"it arrived before and does not at the end"`
	Repaired bool    `json:"repaired,omitempty" doc:"it did not arrive before and does at the end"`
	Out      float64 `json:"out" doc:"seconds for which it was out; of one that is lost, until the network came to rest"`
	Cause    string  `json:"cause" doc:"where and why packets are lost"`
}

// PairsImpact is what becomes of the pairs of hosts and loopbacks that did not fail.
type PairsImpact struct {
	Of       int      `json:"of" doc:"pairs there are"`
	Lost     int      `json:"lost" doc:"that arrived before and do not at the end"`
	Repaired int      `json:"repaired,omitempty"`
	Out      int      `json:"out" doc:"that are out for a time"`
	Longest  float64  `json:"longest" doc:"seconds of the longest outage of those"`
	Loops    int      `json:"loops" doc:"forwarding loops that were there for a time"`
	Examples []string `json:"examples" doc:"some of those that are lost"`
}

// maxExamples bounds the pairs that are named.
const maxExamples = 5

// SinglePoint says whether the failure takes something for good from what did not fail.
func (r *Impact) SinglePoint() bool { return r.Pairs.Lost > 0 || r.FlowsLost() > 0 }

// NotTried is the result of a failure that could not be tried.
func NotTried(f failure.Failure, why string) Impact {
	return Impact{Failure: f, Outcome: notTried, Problem: why, Flows: []FlowImpact{}, Checks: []string{}, Pairs: PairsImpact{Examples: []string{}},
		CutOff: []string{}, DefaultOnly: []string{}, Borders: BordersImpact{Says: []string{}}, Overloaded: []traffic.Load{}}
}

const notTried = "not tried"

// FlowsLost is how many flows are lost for good.
func (r *Impact) FlowsLost() (n int) {
	for _, f := range r.Flows {
		if f.Lost {
			n++
		}
	}
	return n
}

// WorstFlow is for how long a flow that arrives again was out, in seconds.
func (r *Impact) WorstFlow() (worst float64) {
	for _, f := range r.Flows {
		if !f.Lost {
			worst = max(worst, f.Out)
		}
	}
	return worst
}

// Harmless says whether nobody notices the failure.
func (r *Impact) Harmless() bool {
	return r.Outcome == network.Settled.String() && len(r.Flows) == 0 && len(r.Checks) == 0 && r.Pairs.Lost == 0 && r.Pairs.Out == 0 &&
		r.Pairs.Loops == 0 && len(r.DefaultOnly) == 0 && len(r.Overloaded) == 0 && r.Borders.Sent == 0 && r.Borders.Gone == 0
}

// Compare puts the worse result first.
func (r *Impact) Compare(o *Impact) int {
	settled := func(r *Impact) int {
		if r.Outcome == network.Settled.String() {
			return 1
		}
		return 0
	}
	return cmp.Or(cmp.Compare(settled(r), settled(o)), cmp.Compare(o.FlowsLost(), r.FlowsLost()), cmp.Compare(len(o.Checks), len(r.Checks)),
		cmp.Compare(o.Pairs.Lost, r.Pairs.Lost), cmp.Compare(o.Borders.Sent, r.Borders.Sent), cmp.Compare(len(o.Overloaded), len(r.Overloaded)), cmp.Compare(o.WorstFlow(), r.WorstFlow()), cmp.Compare(o.Pairs.Longest, r.Pairs.Longest),
		cmp.Compare(o.Pairs.Out, r.Pairs.Out), cmp.Compare(o.Routes, r.Routes))
}

// Rank puts results in order, the worst first.
func Rank(all []Impact) {
	slices.SortStableFunc(all, func(a, b Impact) int { return a.Compare(&b) })
}

// Sweep is a network at rest, on copies of which failures are tried. It may be used by one goroutine; Twin makes one for another.
type Sweep struct {
	history  *history.History
	base     *network.World
	lab      *config.Lab
	first    string          // what failed already
	passed   map[string]bool // checks that pass before
	defaults map[string]bool // routers that have a default route alone before
	full     map[string]bool // ports that are overloaded before

	as        uint32              // the one with the most routers, of those with neighbour ASes
	crossings map[string]crossing // its borders before, by prefix

	ground *traffic.Ground   // of base; nil if that is too large
	by     map[uint32][]bool // by device, the ports that routes leave by, as far as it was asked
	calm   *Impact           // of a failure of nothing, once it was asked
	done   map[string]Impact // by name, what others are the same as
}

// New is for failures of the network as it is now in a history. stop, if not nil, is asked now and then whether to give up; what comes
// back then is to be thrown away.
func New(h *history.History, stop func() bool) (*Sweep, error) {
	w := h.Head()
	if !w.Calm().Settled() {
		return nil, phrase.Error("the network is not at rest: write settle, then sweep")
	}
	return of(h, w, stop), nil
}

func of(h *history.History, w *network.World, stop func() bool) *Sweep {
	s := &Sweep{history: h, base: w, lab: h.Lab(), passed: map[string]bool{}, defaults: map[string]bool{}, full: map[string]bool{},
		by: map[uint32][]bool{}, done: map[string]Impact{}}
	results, _ := check.Standing(h, stop)
	for _, r := range results {
		s.passed[r.Name] = r.Passed
	}
	for _, name := range defaultOnly(w) {
		s.defaults[name] = true
	}
	for _, l := range traffic.LoadsOf(w) {
		s.full[l.Port] = l.Percent > 100
	}
	s.as, s.crossings, _ = bordersOf(w, 0)
	s.ground = traffic.GroundOf(w)
	return s
}

// Twin is the same sweep on a copy, for another goroutine.
func (s *Sweep) Twin() *Sweep {
	twin := *s
	twin.base = s.base.Clone()
	twin.ground, twin.by = traffic.GroundOf(twin.base), map[uint32][]bool{}
	twin.done = map[string]Impact{}
	return &twin
}

// Failures are all failures that the network can have, of some kinds.
func (s *Sweep) Failures(kinds []failure.Kind) []failure.Failure {
	list := failure.Of(s.base, s.lab, kinds)
	s.findSame(list)
	return list
}

// Try is what a failure does. The error says what it refers to that is not there.
func (s *Sweep) Try(f failure.Failure, stop func() bool) (Impact, error) {
	if r, ok := s.argue(&f, stop); ok {
		return r, nil
	}
	steps, err := f.Perform(s.base, s.lab, s.history.Text(), stop)
	if err != nil {
		return Impact{}, err
	}
	return s.judge(f, steps, stop), nil
}

// Then is the sweep of what fails after a failure, when the network has come to rest.
func (s *Sweep) Then(f failure.Failure, stop func() bool) (*Sweep, Impact, error) {
	next, steps, err := s.after(f, stop)
	if err != nil {
		return nil, Impact{}, err
	}
	if r, ok := s.argue(&f, stop); ok {
		return next, r, nil
	}
	return next, s.judge(f, steps, stop), nil
}

func (s *Sweep) after(f failure.Failure, stop func() bool) (*Sweep, []*history.Step, error) {
	steps, err := f.Perform(s.base, s.lab, s.history.Text(), stop)
	if err != nil {
		return nil, nil, err
	}
	step := steps[len(steps)-1]
	next := of(s.history.Tried(step), step.After, stop)
	next.first = f.Name
	return next, steps, nil
}

// failed are the devices that a failure switched off.
func (s *Sweep) failed(step *history.Step) (out []string) {
	for _, d := range step.After.Devices() {
		if before := step.Before.Device(d.ID()); before.Enabled() && !d.Enabled() {
			out = append(out, d.Name())
		}
	}
	return out
}

func (s *Sweep) judge(f failure.Failure, steps []*history.Step, stop func() bool) Impact {
	step := steps[len(steps)-1]
	outages := traffic.OutagesOf(step, true, stop)
	r := Impact{Failure: f, After: s.first, Outcome: step.Outcome.String(), Parts: partsOf(step),
		Flows: []FlowImpact{}, Checks: []string{}, CutOff: []string{}, DefaultOnly: []string{}, Overloaded: []traffic.Load{}}
	r.Convergence, r.Routes, _ = timeline.ForwardingOf(step)
	for _, x := range steps {
		r.work += x.After.Work() - x.Before.Work()
	}
	for _, o := range outages {
		if x, ok := flowImpact(o, step); ok {
			r.Flows = append(r.Flows, x)
		}
	}
	if len(steps) > 1 {
		r.drained(steps[0], stop)
	}
	results, _ := check.Standing(s.history.Tried(step), stop)
	for _, c := range results {
		if s.passed[c.Name] && !c.Passed {
			r.Checks = append(r.Checks, c.Name)
		}
	}
	failed := s.failed(step)
	r.pairs(traffic.LostOf(step, s.ground, stop), failed)
	if len(steps) > 1 {
		lost := traffic.LostOf(steps[0], s.ground, stop)
		r.Pairs.Out, r.Pairs.Loops = r.Pairs.Out+lost.Out, r.Pairs.Loops+lost.Loops
		r.Pairs.Longest = max(r.Pairs.Longest, lost.Longest)
	}
	for _, name := range defaultOnly(step.After) {
		if !s.defaults[name] && !slices.Contains(failed, name) {
			r.DefaultOnly = append(r.DefaultOnly, name)
		}
	}
	r.Borders = s.borders(step.After)
	for i, l := range traffic.LoadsOf(step.After) {
		if i == 0 {
			r.Fullest = l.Percent
		}
		if l.Percent > 100 && !s.full[l.Port] {
			r.Overloaded = append(r.Overloaded, l)
		}
	}
	return r
}

// drained adds what the drain did to flows: those that it lost for a time, too, are out.
func (r *Impact) drained(step *history.Step, stop func() bool) {
	for _, o := range traffic.OutagesOf(step, false, stop) {
		x, ok := flowImpact(o, step)
		if !ok {
			continue
		}
		i := slices.IndexFunc(r.Flows, func(f FlowImpact) bool { return f.Name == x.Name })
		if i < 0 {
			r.Flows = append(r.Flows, x)
			continue
		}
		r.Flows[i].Out += x.Out
	}
}

func flowImpact(o traffic.FlowOutages, step *history.Step) (FlowImpact, bool) {
	x := FlowImpact{Name: o.Name, Lost: o.Still && !o.Before, Repaired: o.Before && !o.Still}
	if o.Before && o.Still || len(o.Outages) == 0 {
		return x, false
	}
	for _, out := range o.Outages {
		to := step.End.Seconds()
		if out.To != nil {
			to = *out.To
		}
		x.Out += to - out.From
		x.Cause = out.Cause
	}
	return x, true
}

// pairs counts the pairs whose ends did not fail themselves, and finds who is cut off.
func (r *Impact) pairs(lost traffic.Lost, failed []string) {
	r.Pairs = PairsImpact{Of: lost.Of, Repaired: lost.Repaired, Out: lost.Out, Longest: lost.Longest, Loops: lost.Loops, Examples: []string{}}
	sent, got := map[string]int{}, map[string]int{}
	for _, p := range lost.ForGood {
		from, to := p.From.Name(), p.To.Name()
		if slices.Contains(failed, from) || slices.Contains(failed, to) {
			continue
		}
		if r.Pairs.Lost++; len(r.Pairs.Examples) < maxExamples {
			r.Pairs.Examples = append(r.Pairs.Examples, phrase.Say("%s to %s: %s", from, to, p.Cause))
		}
		sent[from]++
		got[to]++
	}
	// Who lost as many as there are others, in both directions, is alone.
	others := -1
	for _, d := range lost.Ends {
		if d.Enabled() {
			others++
		}
	}
	for _, name := range sortedKeys(sent) {
		if others > 0 && sent[name] == others && got[name] == others {
			r.CutOff = append(r.CutOff, name)
		}
	}
}

func sortedKeys(of map[string]int) []string {
	out := []string{}
	for name := range of {
		out = append(out, name)
	}
	slices.SortFunc(out, facts.CompareNames)
	return out
}

// defaultOnly are the routers that have learned or were given a default route, and no other.
func defaultOnly(w *network.World) (out []string) {
	dict := &w.Shared().Prefixes
	all, known := dict.Find(ip.Default)
	if !known {
		return nil
	}
	for _, inst := range facts.AllInstances(w) {
		d := inst.Device()
		if s, ok := inst.Table().Best(all); !ok || s == route.Connected || d.Kind() != config.Router || !d.Enabled() {
			continue
		}
		others := false
		inst.Table().EachUsed(func(id uint32) {
			switch s, ok := inst.Table().Best(id); {
			case ok && s != route.Connected && id != all:
				others = true
			}
		})
		if !others {
			out = append(out, inst.Ref())
		}
	}
	return out
}

// Branch tries failure i of a list, and with a depth of 2 those after it in the list once it has come to rest: pairs share their first
// failure. What cannot fail any more, since the first one took it, is left out.
func Branch(s *Sweep, list []failure.Failure, i, depth int, stop func() bool) ([]Impact, error) {
	if depth == 1 {
		r, err := s.once(list, i, stop)
		return []Impact{r}, err
	}
	next, r, err := s.Then(list[i], stop)
	if err != nil {
		return nil, err
	}
	return append([]Impact{r}, next.each(list[i+1:], stop)...), nil
}

// Behind tries some of a list, by their numbers, after failure i of it has come to rest.
func Behind(s *Sweep, list []failure.Failure, i int, seconds []int, stop func() bool) ([]Impact, error) {
	next, _, err := s.after(list[i], stop)
	if err != nil {
		return nil, err
	}
	var those []failure.Failure
	for _, j := range seconds {
		those = append(those, list[j])
	}
	return next.each(those, stop), nil
}

// each tries the failures that can still happen.
func (s *Sweep) each(list []failure.Failure, stop func() bool) []Impact {
	out := []Impact{}
	for _, f := range list {
		if stop != nil && stop() {
			break
		}
		if r, err := s.Try(f, stop); err == nil {
			out = append(out, r)
		}
	}
	return out
}
