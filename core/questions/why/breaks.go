package why

import (
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/compare"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
)

// breaks takes a link or a device away on a copy, and says what that does.
func breaks(h *history.History, m history.Moment, q Question, stop func() bool) (Answer, error) {
	a := Answer{Question: q.String(), Kind: q.Kind, Facts: []facts.Fact{}, Codes: []string{}}
	action := history.Action{Kind: history.Disable, Target: config.PortRef{Device: q.Device}}
	if q.Port != "" {
		action = history.Action{Kind: history.Cut, Target: labtext.ParseRef(q.Port)}
	}
	b := h.BranchAt(m)
	s, err := b.Begin(action, 0)
	if err != nil {
		return a, err
	}
	if err := b.Run(s, stop); err != nil {
		return a, err
	}
	pairs := traffic.PairsOf(s, true, stop)
	c := compare.Worlds(s.Before, s.After, stop)
	outages := traffic.OutagesOf(s, true, stop)
	if stop != nil && stop() {
		return a, history.ErrStopped
	}
	for _, f := range outages {
		for _, o := range f.Outages {
			words := phrase.Text("for good")
			if o.To != nil {
				words = phrase.Say("for %.3f s", *o.To-o.From)
			}
			a.fact(facts.Fact{Text: phrase.Say("flow %s is out %s: %s", f.Name, words, o.Cause), View: "map",
				To: "flow " + f.Name})
		}
	}
	for _, r := range c.Section(compare.Neighbours).Rows {
		if r.Weight == compare.Worse {
			a.fact(facts.Fact{Text: phrase.Say("%s: %s to %s", r.Subject, r.Before, phrase.OrNone(r.After)), View: "neighbours",
				Who: r.Device})
		}
	}
	for _, line := range c.Summary {
		a.fact(facts.Fact{Text: line, View: "map"})
	}
	gone, healed := 0, 0.0
	for _, p := range pairs.Out {
		if p.Outages[len(p.Outages)-1].To == nil {
			gone++
		} else {
			healed = max(healed, p.Seconds)
		}
	}
	what := []string{}
	if gone > 0 {
		what = append(what, phrase.Say("%d of %d pairs of hosts and loopbacks could not reach each other any more",
			gone, pairs.Of))
	}
	if n := pairs.Total - gone; n > 0 {
		what = append(what, phrase.Say("%d pairs would be out for at most %.3f s", n, healed))
	}
	if len(what) == 0 {
		what = append(what, phrase.Text("nothing would be lost between hosts and loopbacks"))
	}
	a.Says = phrase.Say("after %s %s", action, strings.Join(what, ", "))
	return a, nil
}
