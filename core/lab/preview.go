package lab

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/check"
	"hellebore/core/questions/compare"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Plan is a change that is to be made: a text, the order in which its parts take
// effect, and whether it is taken back automatically when it does harm.
type Plan struct {
	Text string `json:"text"`
	// Order names, stage after stage, the devices that get their new
	// configuration, or shared for what none of them has alone; empty: all at
	// once.
	Order [][]string `json:"order,omitempty" doc:"stages: devices, or shared; empty: all at once"`
	// Pause is the virtual time between two stages in seconds; 0: each runs to
	// rest.
	Pause   float64 `json:"pause,omitempty" minimum:"0" maximum:"86400" doc:"virtual seconds between two stages; 0: each runs to rest"`
	Guard   bool    `json:"guard,omitempty" doc:"take the change back by itself if a check fails that held, or a flow stays down that arrived"`
	Author  string  `json:"author,omitempty" maxLength:"80"`
	Message string  `json:"message,omitempty" maxLength:"400"`
}

// FlowEffect is what a change does to a flow.
type FlowEffect struct {
	Name    string           `json:"name"`
	Before  bool             `json:"before" doc:"it arrived"`
	After   bool             `json:"after" doc:"it arrives"`
	Out     float64          `json:"out" doc:"seconds for which it was out, all stages together"`
	Outages []traffic.Outage `json:"outages"`
	Looped  []traffic.Outage `json:"looped"`
}

// CheckEffect is a check before and after a change.
type CheckEffect struct {
	Name   string        `json:"name"`
	Before *bool         `json:"before,omitempty" doc:"it passed; absent if it was not there"`
	After  *check.Result `json:"after,omitempty" doc:"absent if the check is not there any more"`
}

// Preview is what a change would do, found out on a copy of the network.
type Preview struct {
	compare.Comparison
	Changes   []labtext.Change  `json:"changes" doc:"by meaning"`
	Actions   []timeline.Action `json:"actions" doc:"what would be done: a stage each, and the revert if the change is taken back"`
	Flows     []FlowEffect      `json:"flows" doc:"flows that break, move or are out for a time"`
	Checks    []CheckEffect     `json:"checks"`
	TakenBack string            `json:"takenBack,omitempty" doc:"why the change would be taken back automatically"`
	Settles   bool              `json:"settles"`

	plan   Plan
	base   position
	branch *history.History
	stages []string // what each step of the plan says of itself; a way back has no entry
}

// position is where a lab stood when a preview was made.
type position struct {
	steps   int
	now     event.Time
	handled uint64
}

func (l *Lab) position() position {
	w := l.history.Head()
	return position{len(l.history.Steps()), w.Now(), w.Handled()}
}

// Touched are the parts of a change that an order can name.
func (l *Lab) Touched(text string) []string { return labtext.Touched(l.Text(), text) }

// Preview finds out on a copy of the network what a change would do. stop, if
// not nil, is asked now and then whether to give up.
func (l *Lab) Preview(p Plan, stop func() bool) (*Preview, error) {
	r := labtext.Parse(p.Text)
	if !r.OK() {
		return nil, &history.TextError{Problems: r.Problems}
	}
	texts := []string{p.Text}
	if len(p.Order) > 1 {
		var err error
		if texts, err = labtext.Stages(l.Text(), p.Text, p.Order); err != nil {
			return nil, err
		}
	}
	out := &Preview{plan: p, base: l.position(), branch: l.history.Branch(), Changes: l.Differences(&r.Lab),
		Settles: true}
	was, ok := check.Run(l.history, stop)
	if !ok {
		return nil, errStopped
	}
	old := l.Text()
	for i, text := range texts {
		stage := ""
		if len(texts) > 1 {
			stage = phrase.Say("(stage %d of %d: %s)", i+1, len(texts), strings.Join(p.Order[i], ", "))
		}
		out.stages = append(out.stages, stage)
		var until event.Time
		if i < len(texts)-1 {
			until = event.Time(p.Pause * 1e9)
		}
		if err := out.step(text, history.Signature{}, until, stop); err != nil {
			return nil, err
		}
	}
	out.Sign(p.Author, p.Message)
	is, ok := check.Run(out.branch, stop)
	if !ok {
		return nil, errStopped
	}
	if p.Guard {
		if out.TakenBack = harm(l.history.Head(), out.branch.Head(), was, is); out.TakenBack != "" {
			if err := out.step(old, history.Signature{Message: out.TakenBack, Origin: history.Reverted}, 0,
				stop); err != nil {
				return nil, err
			}
			if is, ok = check.Run(out.branch, stop); !ok {
				return nil, errStopped
			}
		}
	}
	out.look(l, was, is, stop)
	if stop != nil && stop() {
		return nil, errStopped
	}
	return out, nil
}

var errStopped = fmt.Errorf("the preview was stopped")

// Sign says who makes the change and why: the last word counts, so it can be said
// after the preview was looked at.
func (p *Preview) Sign(author, message string) {
	for i, s := range p.Steps() {
		s.Author = author
		if i < len(p.stages) {
			s.Message = strings.TrimSpace(message + " " + p.stages[i])
		}
	}
}

// step applies a text on the copy.
func (p *Preview) step(text string, signature history.Signature, until event.Time, stop func() bool) error {
	s, err := p.branch.Begin(history.Action{Kind: history.Apply, Text: text}, until)
	if err != nil {
		return err
	}
	s.Signature = signature
	s.Author = p.plan.Author
	if err := p.branch.Run(s, stop); err != nil {
		return err
	}
	if s.Outcome == network.Stopped {
		return errStopped
	}
	p.Settles = p.Settles && s.Outcome == network.Settled
	return nil
}

// harm says what a change broke, "" if nothing.
func harm(before, after *network.World, was, is []check.Result) string {
	arrived := map[string]bool{}
	for _, f := range traffic.FlowsOf(before) {
		arrived[f.Name] = f.Arrives && f.Back.Arrives
	}
	for _, f := range traffic.FlowsOf(after) {
		if arrived[f.Name] && !f.Arrives {
			return phrase.Say("flow %s no longer arrives: %s", f.Name, f.Reason)
		}
		if arrived[f.Name] && !f.Back.Arrives {
			return phrase.Say("answers of flow %s no longer come back: %s", f.Name, f.Back.Reason)
		}
	}
	for _, r := range is {
		if old := check.Of(was, r.Name); !r.Passed && (old == nil || old.Passed) {
			return phrase.Say("check %q fails", r.Name)
		}
	}
	return ""
}

// look fills in what is to be seen of the change: before it, against after it.
func (p *Preview) look(l *Lab, was, is []check.Result, stop func() bool) {
	p.Comparison = compare.Worlds(l.history.Head(), p.branch.Head(), stop)
	copied := New()
	copied.stop = stop
	copied.history = p.branch
	p.Actions, p.Flows, p.Checks = []timeline.Action{}, []FlowEffect{}, []CheckEffect{}
	if p.Changes == nil {
		p.Changes = []labtext.Change{}
	}
	effects := map[string]*FlowEffect{}
	var names []string
	effect := func(name string) *FlowEffect {
		if effects[name] == nil {
			effects[name] = &FlowEffect{Name: name, Outages: []traffic.Outage{}, Looped: []traffic.Outage{}}
			names = append(names, name)
		}
		return effects[name]
	}
	for _, f := range traffic.FlowsOf(l.history.Head()) {
		effect(f.Name).Before = f.Arrives && f.Back.Arrives
	}
	for _, f := range traffic.FlowsOf(p.branch.Head()) {
		effect(f.Name).After = f.Arrives && f.Back.Arrives
	}
	end := float64(p.branch.Head().Now()) / 1e9
	for _, s := range p.branch.Steps()[p.base.steps:] {
		p.Actions = append(p.Actions, copied.actionOf(s))
		for _, f := range copied.outagesOf(s) {
			e := effect(f.Name)
			e.Outages = append(e.Outages, f.Outages...)
			e.Looped = append(e.Looped, f.Looped...)
			for _, o := range f.Outages {
				to := end
				if o.To != nil {
					to = *o.To
				}
				e.Out += to - o.From
			}
		}
	}
	moved := p.Section(compare.Flows).Rows
	for _, name := range names {
		if e := effects[name]; e.Out > 0 || len(e.Looped) > 0 ||
			slices.ContainsFunc(moved, func(r compare.Row) bool { return r.Subject == name }) {
			p.Flows = append(p.Flows, *e)
		}
	}
	for i := range is {
		c := CheckEffect{Name: is[i].Name, After: &is[i]}
		if old := check.Of(was, is[i].Name); old != nil {
			c.Before = &old.Passed
		}
		p.Checks = append(p.Checks, c)
	}
	for i := range was {
		if check.Of(is, was[i].Name) == nil {
			p.Checks = append(p.Checks, CheckEffect{Name: was[i].Name, Before: &was[i].Passed})
		}
	}
}

// Plan is the change that was previewed.
func (p *Preview) Plan() Plan { return p.plan }

// Steps are what applying the preview would do.
func (p *Preview) Steps() []*history.Step { return p.branch.Steps()[p.base.steps:] }

// Digest is the settled state that the preview came to.
func (p *Preview) Digest() uint64 { return p.branch.Head().Digest(true) }

// Holds says whether the lab still is where it was when the preview was made.
func (l *Lab) Holds(p *Preview) bool { return l.position() == p.base }

// Since are the actions that were done after a preview was made.
func (l *Lab) Since(p *Preview) []string {
	out := []string{}
	for _, s := range l.history.Steps()[min(p.base.steps, len(l.history.Steps())):] {
		out = append(out, s.Record.Action)
	}
	return out
}

// Adopt makes what was previewed the lab's present. The caller has written its
// steps to the journal. It is an error if the lab has moved on since.
func (l *Lab) Adopt(p *Preview) error {
	if !l.Holds(p) {
		return phrase.Errorf("the lab has moved on since the preview was made: %s", strings.Join(l.Since(p), ", "))
	}
	l.history = p.branch // which has the lab's lock
	return nil
}
