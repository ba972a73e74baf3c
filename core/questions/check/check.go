// Package check looks whether what a lab's text expects holds, and gives the
// evidence either way.
package check

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/failure"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Outcome is how one expectation came out.
type Outcome struct {
	Expects string       `json:"expects" doc:"as it is written"`
	Passed  bool         `json:"passed"`
	Says    string       `json:"says" doc:"what was found, a sentence"`
	Facts   []facts.Fact `json:"facts"`
}

// Result is how a check came out.
type Result struct {
	Name     string    `json:"name"`
	Passed   bool      `json:"passed"`
	When     []string  `json:"when" doc:"what was done first, on a copy"`
	Error    string    `json:"error,omitempty" doc:"why it could not be tried"`
	Outcomes []Outcome `json:"outcomes"`
	Line     int       `json:"line,omitempty" doc:"of the text"`
	Task     bool      `json:"task,omitempty" doc:"a task of the brief is done when it passes"`
}

// Run looks at all checks of the lab as it is now in a history, which does not
// notice: what a check does first is done to a copy. stop, if not nil, is asked
// now and then whether to give up; then ok is false.
func Run(h *history.History, stop func() bool) (results []Result, ok bool) {
	results = []Result{}
	tried := map[string]*attempt{} // checks that begin alike share their copy
	for _, c := range h.Lab().Checks {
		if stop != nil && stop() {
			return results, false
		}
		key := strings.Join(c.When, "\n")
		a := tried[key]
		if a == nil {
			a = try(h, c.When, stop)
			tried[key] = a
		}
		if len(c.Fails) == 0 || a.err != nil {
			results = append(results, a.judge(c))
		} else {
			results = append(results, a.whatever(c))
		}
	}
	return results, stop == nil || !stop()
}

// Standing looks at the checks that do nothing first, as Run does.
func Standing(h *history.History, stop func() bool) (results []Result, ok bool) {
	results = []Result{}
	now := try(h, nil, stop)
	for _, c := range h.Lab().Checks {
		if stop != nil && stop() {
			return results, false
		}
		if len(c.When) == 0 && len(c.Fails) == 0 {
			results = append(results, now.judge(c))
		}
	}
	return results, stop == nil || !stop()
}

// attempt is a network after what a check does first.
type attempt struct {
	world *network.World
	from  int // steps of the history before the first action
	after *history.History
	err   error
	stop  func() bool
	// failure is what failed, of one of many.
	failure failure.Failure
	lost    map[string][]traffic.Outage
	fails   map[string][]*attempt // what a kind of failure comes to, of all that can fail
}

func try(h *history.History, when []string, stop func() bool) *attempt {
	a := &attempt{world: h.Head(), from: len(h.Steps()), after: h, stop: stop}
	if len(when) == 0 {
		return a
	}
	a.after = h.Branch()
	for _, s := range when {
		action, err := history.ParseAction(s)
		var step *history.Step
		if err == nil {
			step, err = a.after.Begin(action, 0)
		}
		if err == nil {
			err = a.after.Run(step, stop)
		}
		if err == nil && step.Outcome != network.Settled {
			err = phrase.Errorf("the network %s", step.Outcome)
		}
		if err != nil {
			a.err = fmt.Errorf("%s: %w", s, err)
			break
		}
	}
	a.world = a.after.Head()
	return a
}

func (a *attempt) judge(c config.Check) Result {
	r := Result{Name: c.Name, Passed: a.err == nil, When: append([]string{}, c.When...), Outcomes: []Outcome{}}
	if a.err != nil {
		r.Error = a.err.Error()
		return r
	}
	for _, e := range c.Expect {
		o := a.expect(e)
		o.Expects = e.Words
		if o.Facts == nil {
			o.Facts = []facts.Fact{}
		}
		r.Passed = r.Passed && o.Passed
		r.Outcomes = append(r.Outcomes, o)
	}
	return r
}

func (a *attempt) expect(e config.Expect) Outcome {
	switch e.Kind {
	case config.ExpectFlow:
		return a.flow(e)
	case config.ExpectReach, config.ExpectPath:
		return a.reach(e)
	case config.ExpectRoute:
		return a.route(e)
	case config.ExpectNeighbour:
		return a.neighbour(e)
	default:
		return a.sent(e)
	}
}

func wayWords(p traffic.Path) string {
	var names []string
	for _, h := range p.Hops {
		names = append(names, h.Device)
	}
	s := strings.Join(names, " - ")
	if !p.Arrives {
		s += ": " + p.Reason
	}
	return s
}

func (a *attempt) flow(e config.Expect) Outcome {
	flows := traffic.FlowsOf(a.world)
	i := slices.IndexFunc(flows, func(f traffic.Flow) bool { return f.Name == e.Name })
	if i < 0 {
		return Outcome{Says: phrase.Text("there is no such flow")}
	}
	f := flows[i]
	if e.Bound {
		return a.outage(e)
	}
	o := Outcome{Passed: f.Arrives && f.Back.Arrives, Says: phrase.Say("it arrives: %s", wayWords(f.Path))}
	switch {
	case !f.Arrives:
		o.Says = phrase.Say("it does not arrive: %s", wayWords(f.Path))
	case !f.Back.Arrives:
		o.Says = phrase.Say("its answers do not come back: %s", wayWords(f.Back))
	}
	o.Facts = []facts.Fact{{Text: wayWords(f.Path), View: "map", To: "flow " + f.Name}}
	return o
}

// outage adds up what a flow lost while the check's actions were done.
func (a *attempt) outage(e config.Expect) Outcome {
	if a.lost == nil {
		a.lost = map[string][]traffic.Outage{}
		steps := a.after.Steps()
		for _, s := range steps[a.from:] {
			for _, f := range traffic.OutagesOf(s, s.Seq == len(steps), a.stop) {
				a.lost[f.Name] = append(a.lost[f.Name], f.Outages...)
			}
		}
	}
	var total float64
	o := Outcome{}
	end := float64(a.world.Now()) / 1e9
	open, packets := "", 0
	for _, x := range a.lost[e.Name] {
		to := end
		if x.To != nil {
			to = *x.To
		} else {
			open = phrase.Text("; it is still out at the end")
		}
		total += to - x.From
		packets += x.Packets
		o.Facts = append(o.Facts,
			facts.Fact{Text: phrase.Say("out for %.3f s: %s", to-x.From, x.Cause), View: "timeline"})
	}
	bound := e.Outage.Seconds()
	o.Passed = open == "" && (total < bound || e.OrEqual && total <= bound+1e-9)
	lost := ""
	if open == "" {
		lost = ", " + phrase.Plural(packets, "packet")
	}
	o.Says = phrase.Say("it was out for %.3f s in all%s; the limit is %s%s", total, lost, labtext.FormatDuration(e.Outage), open)
	if total == 0 {
		o.Says = phrase.Text("nothing of it was lost")
	}
	return o
}

func (a *attempt) reach(e config.Expect) Outcome {
	p, err := traffic.FlowBetween(a.world, e.From, e.To)
	if err != nil {
		return Outcome{Says: err.Error()}
	}
	o := Outcome{Passed: p.Arrives != e.Not, Says: wayWords(p),
		Facts: []facts.Fact{{Text: wayWords(p), View: "routes", Who: p.StopsAt, To: p.Dst}}}
	if e.Kind != config.ExpectPath {
		return o
	}
	on := func(name string) bool {
		return slices.ContainsFunc(p.Hops, func(h traffic.PathHop) bool { return h.Device == name || h.Ref() == name })
	}
	for _, t := range e.Through {
		if !on(t) {
			o.Passed = false
			o.Says += phrase.Say("; not through %s", t)
		}
	}
	for _, t := range e.Avoiding {
		if on(t) {
			o.Passed = false
			o.Says += phrase.Say("; through %s", t)
		}
	}
	return o
}

func (a *attempt) route(e config.Expect) Outcome {
	inst, err := facts.InstanceNamed(a.world, e.From)
	if err != nil {
		return Outcome{Says: err.Error()}
	}
	fact := facts.Fact{View: "routes", Who: e.From, To: e.Prefix.String()}
	id, known := a.world.Shared().Prefixes.Find(ip.PrefixFrom(e.Prefix))
	s, has := inst.Table().Best(id)
	if !known || !has {
		fact.Text = tables.Explain(a.world, inst, e.Prefix).Answer
		return Outcome{Passed: e.Not, Says: phrase.Say("%s has no route for %s", e.From, e.Prefix.String()),
			Facts: []facts.Fact{fact}}
	}
	fact.Text = facts.RouteWords(a.world, inst, id)
	o := Outcome{Passed: !e.Not, Says: fact.Text, Facts: []facts.Fact{fact}}
	fail := func(format string, args ...any) {
		o.Passed = false
		o.Says += "; " + phrase.Say(format, args...)
	}
	if e.Source != "" && s.String() != e.Source {
		fail("its source is %s, not %s", s.String(), e.Source)
	}
	if e.Via != "" && !leadsTo(a.world, inst, id, e.Via) {
		fail("%s is no next hop of it", e.Via)
	}
	a.limits(e, inst, id, s, fail)
	return o
}

func leadsTo(w *network.World, inst *device.Instance, id uint32, name string) bool {
	for _, n := range facts.NextHops(w, inst, id) {
		if device, _, _ := strings.Cut(n.To, "/"); n.To == name || device == name {
			return true
		}
	}
	return false
}

func (a *attempt) limits(e config.Expect, inst *device.Instance, id uint32, s route.Source, fail func(string, ...any)) {
	best, _, _ := inst.BGP().Best(id)
	set := a.world.Attrs().Get(best)
	for _, l := range e.Limits {
		value := uint64(0)
		switch {
		case l.What == "metric":
			value = uint64(inst.Table().Route(s, id).Metric)
		case set == nil:
			fail("BGP has chosen no path for it, so it has no %s", l.What)
			continue
		case l.What == "local-preference":
			value = uint64(set.Preference())
		default:
			value = uint64(set.Path.Len())
		}
		if !holds(value, l.Compare, l.Value) {
			fail("its %s is %d, not %s %d", l.What, value, l.Compare, l.Value)
		}
	}
	for _, c := range e.Communities {
		if set == nil || !slices.Contains(set.CommunityList(), c) {
			fail("it does not carry the community %s", c)
		}
	}
}

func holds(a uint64, compare string, b uint64) bool {
	switch compare {
	case "<":
		return a < b
	case "<=":
		return a <= b
	case "=":
		return a == b
	case ">=":
		return a >= b
	}
	return a > b
}

// protocolOf says whose states the names are that only one protocol has.
var protocolOf = map[string]string{"Full": "ospf", "2-Way": "ospf", "Init": "ospf", "ExStart": "ospf",
	"Exchange": "ospf", "Loading": "ospf", "Down": "ospf",
	"Established": "bgp", "Idle": "bgp", "Connect": "bgp", "Active": "bgp"}

func (a *attempt) neighbour(e config.Expect) Outcome {
	o := Outcome{Passed: true}
	var said []string
	for _, n := range relations.Between(a.world, e.From, e.To) {
		if of := protocolOf[e.State]; of != "" && of != n.Protocol {
			continue
		}
		words := n.Protocol + " " + n.State
		if len(n.Reasons) > 0 {
			words += ": " + n.Reasons[0].Text
		}
		said = append(said, words)
		switch e.State {
		case "up":
			o.Passed = o.Passed && n.Up
		case "down":
			o.Passed = o.Passed && !n.Up
		default:
			o.Passed = o.Passed && n.State == e.State
		}
		f := facts.Fact{Text: words, View: "neighbours", Who: e.From}
		if !n.Up && len(n.Reasons) > 0 {
			f.Fixes = n.Reasons[0].Fixes
		}
		o.Facts = append(o.Facts, f)
	}
	if said == nil {
		return Outcome{Passed: e.State == "down", Says: phrase.Say("%s and %s are no neighbours", e.From, e.To)}
	}
	o.Says = strings.Join(said, "; ")
	return o
}

func (a *attempt) sent(e config.Expect) Outcome {
	inst, err := facts.InstanceNamed(a.world, e.From)
	if err != nil {
		return Outcome{Says: err.Error()}
	}
	if !inst.BGP().Running() {
		return Outcome{Says: phrase.Say("BGP does not run on %s", e.From)}
	}
	found, passed := false, true
	var said []string
	id, known := a.world.Shared().Prefixes.Find(ip.PrefixFrom(e.Prefix))
	fact := facts.Fact{View: "paths", Who: e.From, To: e.Prefix.String()}
	inst.BGP().Peers(func(v bgp.PeerView) {
		if v.Address.String() != e.To && facts.PeerName(a.world, inst, v) != e.To {
			return
		}
		found = true
		sent := known && inst.BGP().Sent(v.Number, id) != 0
		passed = passed && sent != e.Not
		if sent {
			said = append(said, phrase.Say("sent to %s: %s", v.Address.String(), paths.SetWords(a.world, inst.BGP().Sent(v.Number, id))))
			return
		}
		why := phrase.Text("the prefix is not known")
		if known {
			row := paths.SentTo(a.world, inst, id, v)
			why = row.Why
			fact.Fixes = append(fact.Fixes, row.Fixes...)
		}
		said = append(said, phrase.Say("not sent to %s: %s", v.Address.String(), why))
	})
	if !found {
		return Outcome{Says: phrase.Say("%s has no peer %s", e.From, e.To)}
	}
	fact.Text = strings.Join(said, "; ")
	return Outcome{Passed: passed, Says: fact.Text, Facts: []facts.Fact{fact}}
}

// Of picks a result by name; nil if there is none.
func Of(results []Result, name string) *Result {
	for i := range results {
		if results[i].Name == name {
			return &results[i]
		}
	}
	return nil
}
