package timeline

import (
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/questions/critical"
	"hellebore/core/questions/traffic"
)

// Convergence is the report of an action: how long it took, what of that each
// step took, and who was out.
type Convergence struct {
	Action ActionDetail    `json:"action"`
	Pairs  traffic.Pairs   `json:"pairs"`
	Path   *critical.Chain `json:"path,omitempty" doc:"what it waited for"`
}

// Markdown writes the report for people.
func (c *Convergence) Markdown() string {
	var b strings.Builder
	say := func(format string, args ...any) { b.WriteString(phrase.Say(format, args...)) }
	a := &c.Action
	say("# %s\n\nAction %d, at %.3f s: %s.\n", a.Action.Action, a.Seq, a.Start, a.Summary)
	for _, x := range a.Changes {
		say("- %s\n", x)
	}
	if c.Path != nil {
		b.WriteString("\n" + c.Path.Markdown())
	}
	say("\n## Flows\n\n")
	if len(a.Flows) == 0 {
		say("The lab has none.\n")
	}
	for _, f := range a.Flows {
		if len(f.Outages) == 0 {
			say("- %s (%s to %s): nothing lost\n", f.Name, f.From, f.To)
		}
		for i, o := range f.Outages {
			say("- %s (%s to %s): %s\n", f.Name, f.From, f.To, outageWords(o, a.Start, f.Before && i == 0))
		}
		for _, o := range f.Looped {
			say("- %s (%s to %s) went round before it arrived: %s\n", f.Name, f.From, f.To, outageWords(o, a.Start, false))
		}
	}
	say("\n## All hosts and loopbacks\n\n%d of %d pairs were out for a time; the longest for %.6f s.\n",
		c.Pairs.Total, c.Pairs.Of, c.Pairs.Longest)
	if len(c.Pairs.Out) > 0 {
		say("\n| from | to | out | where |\n|---|---|---|---|\n")
	}
	for _, p := range c.Pairs.Out[:min(len(c.Pairs.Out), 200)] {
		say("| %s | %s | %.6f s | %s |\n", p.From, p.To, p.Seconds, strings.Join(p.Where, ", "))
	}
	if len(c.Pairs.Loops) > 0 {
		say("\n## Loops\n\n")
	}
	for _, l := range c.Pairs.Loops {
		until := phrase.Text("to the end")
		if l.Until != nil {
			until = phrase.Say("for %.6f s", *l.Until-l.From)
		}
		say("- %s, %.6f s after the action, %s, for packets to %s: %s\n", strings.Join(l.Devices, " - "),
			l.From-a.Start, until, strings.Join(l.Toward, ", "), l.Why)
	}
	return b.String()
}

// outageWords says when an outage was, in time since the action; already, that it began
// before it.
func outageWords(o traffic.Outage, start float64, already bool) string {
	switch {
	case already && o.To == nil:
		return phrase.Say("out before the action, and to the end: %s", o.Cause)
	case already:
		return phrase.Say("out before the action, to %.6f s: %s", *o.To-start, o.Cause)
	}
	if o.To == nil {
		return phrase.Say("out from %.6f s on, to the end: %s", o.From-start, o.Cause)
	}
	return phrase.Say("out from %.6f s to %.6f s (%.6f s, %s): %s", o.From-start, *o.To-start, *o.To-o.From,
		phrase.Plural(o.Packets, "packet"), o.Cause)
}
