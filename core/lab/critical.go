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

// CriticalPath is what the convergence of an action waited for, or if a flow is named, what
// that flow waited for; nil if nothing changed.
func (l *Lab) CriticalPath(seq int, flow string) (*critical.Chain, error) {
	s, err := l.step(seq)
	if err != nil {
		return nil, err
	}
	p, err := l.criticalPath(s, flow, seq == len(l.history.Steps()))
	if err != nil || p == nil {
		return nil, err
	}
	places := labtext.Parse(l.textAt(seq)).Places
	for i := range p.Links {
		p.Links[i].Line = places[p.Links[i].Place].Line
	}
	return p, nil
}

func (l *Lab) criticalPath(s *history.Step, flow string, last bool) (*critical.Chain, error) {
	if flow != "" {
		return critical.OfFlow(s, flow, last, l.stop)
	}
	return critical.Of(s, l.stop)
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

// Shorten tries what could shorten the critical path of an action or a flow, each on a copy:
// those that do come first.
func (l *Lab) Shorten(seq int, flow string) ([]Shortening, error) {
	s, err := l.step(seq)
	if err != nil {
		return nil, err
	}
	p, err := l.criticalPath(s, flow, seq == len(l.history.Steps()))
	if err != nil || p == nil {
		return []Shortening{}, err
	}
	out := []Shortening{}
	old := s.Before
	if s.Parsed.Kind == history.Apply {
		old = s.After
	}
	cost := costOf(s.After)
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
		took, ok := took(t, flow)
		if !ok {
			continue
		}
		now := costOf(t.After)
		x.After, x.Packets, x.LSAs = took, now.packets-cost.packets, now.lsas-cost.lsas
		out = append(out, x)
	}
	slices.SortStableFunc(out, func(a, b Shortening) int { return cmp.Compare(a.After, b.After) })
	return out, nil
}

// again does an action on a copy of the lab as it was before it, with edits of the text.
func (l *Lab) again(s *history.Step, edits []string) (*history.Step, error) {
	b := l.history.BranchAt(l.history.BeforeStep(s.Seq))
	text := b.Text()
	if s.Parsed.Kind == history.Apply {
		text = s.Parsed.Text
	}
	for _, line := range edits {
		e, err := labtext.ParseEdit(line)
		if err != nil {
			return nil, err
		}
		if text, err = labtext.EditText(text, e); err != nil {
			return nil, err
		}
	}
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

// took is how long an action took, or a flow in it; ok is false if that cannot be said.
func took(s *history.Step, flow string) (seconds float64, ok bool) {
	if flow != "" {
		turn, err := traffic.TurnOf(s, flow, true)
		if err != nil {
			return 0, false
		}
		if turn == nil {
			return 0, true
		}
		return (turn.At - s.Start).Seconds(), true
	}
	if s.After.ForwardingChanges() == s.Before.ForwardingChanges() {
		return 0, true
	}
	return (s.After.LastForwarding() - s.Start).Seconds(), true
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
