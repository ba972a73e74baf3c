package lab

import (
	"cmp"
	"math"
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/critical"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Waited is the critical path of an action or a flow, if there is one.
type Waited struct {
	Path *critical.Chain `json:"path,omitempty" doc:"absent: no forwarding changed, or that of the flow only by the action itself"`
}

// CriticalPath is what the convergence of an action waited for, or what a flow or a pair of
// devices did; nil if nothing changed.
func (l *Lab) CriticalPath(seq int, about critical.About) (*critical.Chain, error) {
	s, err := l.step(seq)
	if err != nil {
		return nil, err
	}
	p, err := critical.Of(s, about, seq == len(l.history.Steps()), l.stop)
	if err != nil || p == nil {
		return nil, err
	}
	locate(p, l.textAt(seq))
	return p, nil
}

// CriticalPathWith is what an action would wait for if another text had been in force before it;
// of an apply, if that text had been applied.
func (l *Lab) CriticalPathWith(seq int, about critical.About, text string) (*critical.Chain, error) {
	s, err := l.step(seq)
	if err != nil {
		return nil, err
	}
	t, err := l.againWith(s, text)
	if err != nil {
		return nil, err
	}
	p, err := critical.Of(t, about, true, l.stop)
	if p != nil {
		locate(p, text)
	}
	return p, err
}

// locate fills in the lines of a path's settings.
func locate(p *critical.Chain, text string) {
	places := labtext.Parse(text).Places
	for i := range p.Links {
		p.Links[i].Line = places[p.Links[i].Place].Line
	}
}

// textAt is the text in force from an action on.
func (l *Lab) textAt(seq int) string {
	text := ""
	for _, s := range l.history.Steps()[:seq] {
		if s.Parsed.Kind == history.Apply {
			text = s.Parsed.Text
		}
	}
	return text
}

// Shortening is a remedy that was tried: the same action on a copy of the lab with the edits.
type Shortening struct {
	critical.Remedy
	Before  float64 `json:"before" doc:"seconds that it took"`
	After   float64 `json:"after" doc:"seconds that it takes with the edits"`
	Packets float64 `json:"packets" doc:"packets a second more, all links together, while nothing happens"`
	LSAs    int     `json:"lsas" doc:"LSAs more"`
}

// maxTried bounds the remedies that are tried.
const maxTried = 12

// Shorten tries what could shorten the critical path of an action, each on a copy:
// those that do come first.
func (l *Lab) Shorten(seq int, about critical.About) ([]Shortening, error) {
	s, err := l.step(seq)
	if err != nil {
		return nil, err
	}
	p, err := critical.Of(s, about, seq == len(l.history.Steps()), l.stop)
	if err != nil || p == nil {
		return []Shortening{}, err
	}
	out := []Shortening{}
	old := s.Before
	if s.Parsed.Kind == history.Apply {
		old = s.After
	}
	cost := costOf(s.After)
	flows := map[string]traffic.FlowOutages{}
	for _, f := range l.outagesOf(s) {
		flows[f.Name] = f
	}
	remedies := p.Remedies(old)
	for _, r := range remedies[:min(len(remedies), maxTried)] {
		if l.Stopped() {
			return nil, history.ErrStopped
		}
		x := Shortening{Remedy: r, Before: p.Took}
		t, err := l.again(s, r.Edits)
		if err != nil {
			continue // the text does not take the edit
		}
		took, err := critical.Took(t, about)
		if err != nil {
			continue // what it is about went with the edit
		}
		if r.Unsure && took >= p.Took || !asGood(traffic.OutagesOf(t, true, l.stop), flows) {
			continue
		}
		now := costOf(t.After)
		x.After, x.Packets, x.LSAs = took, now.packets-cost.packets, now.lsas-cost.lsas
		out = append(out, x)
	}
	slices.SortStableFunc(out, func(a, b Shortening) int { return cmp.Compare(a.After, b.After) })
	return out, nil
}

// asGood says whether flows arrive where they did before: a network that does not work converges at once.
func asGood(now []traffic.FlowOutages, before map[string]traffic.FlowOutages) bool {
	return !slices.ContainsFunc(now, func(f traffic.FlowOutages) bool {
		b, known := before[f.Name]
		return known && (f.Before && !b.Before || f.Still && !b.Still)
	})
}

// again does an action on a copy of the lab as it was before it, with edits of the text.
func (l *Lab) again(s *history.Step, edits []string) (*history.Step, error) {
	text := l.textAt(s.Seq)
	for _, line := range edits {
		e, err := labtext.ParseEdit(line)
		if err != nil {
			return nil, err
		}
		if text, err = labtext.EditText(text, e); err != nil {
			return nil, err
		}
	}
	return l.againWith(s, text)
}

// againWith does an action on a copy of the lab as it was before it, with another text.
func (l *Lab) againWith(s *history.Step, text string) (*history.Step, error) {
	b := l.history.BranchAt(l.history.BeforeStep(s.Seq))
	do := func(a history.Action, until event.Time) (*history.Step, error) {
		x, err := b.Begin(a, until)
		if err == nil {
			err = b.Run(x, l.stop)
		}
		return x, err
	}
	if s.Parsed.Kind == history.Apply {
		return do(history.Action{Kind: history.Apply, Text: text}, 0)
	}
	if _, err := do(history.Action{Kind: history.Apply, Text: text}, 0); err != nil {
		return nil, err
	}
	until := event.Time(0)
	if s.Until != 0 && s.Parsed.Kind != history.Wait {
		until = s.Until - s.Start
	}
	return do(s.Parsed, until)
}

// cost is what a network costs while nothing happens.
type cost struct {
	packets float64 // a second, on all links
	lsas    int
}

// atRest is how long the packets of a network at rest are counted.
const atRest = 60 * event.Second

func costOf(w *network.World) cost {
	c := w.Clone()
	n := 0
	c.OnFrame = func(event.Time, uint32, uint32, []byte) { n++ }
	c.RunUntil(c.Now()+atRest, math.MaxUint64)
	return cost{float64(n) / atRest.Seconds(), timeline.LSAs(w)}
}
