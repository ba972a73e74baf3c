package sweep

import (
	"io"
	"slices"
	"strconv"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/phrase"
	"hellebore/core/questions/check"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/failure"
	"hellebore/core/simulation/network"
)

// Title is what failed, and what had failed before it.
func (r *Impact) Title() string {
	if r.After == "" {
		return r.Name
	}
	return phrase.Say("%s, then %s", r.After, r.Name)
}

// Says is what the failure does, in a line: the worst first.
func (r *Impact) Says() string {
	var parts []string
	say := func(n int, format string, values ...any) {
		if n > 0 {
			parts = append(parts, phrase.Say(format, values...))
		}
	}
	if r.Outcome == notTried {
		return phrase.Say("not tried: %s", r.Problem)
	}
	if r.Outcome != network.Settled.String() {
		parts = append(parts, phrase.Say("the network %s", r.Outcome))
	}
	var lost, out []string
	for _, f := range r.Flows {
		switch {
		case f.Lost:
			lost = append(lost, f.Name)
		case f.Out > 0:
			out = append(out, phrase.Say("%s for %s", f.Name, facts.Seconds(event.FromSeconds(f.Out))))
		}
	}
	switch len(lost) {
	case 0:
	case 1:
		say(1, "flow %s is lost", lost[0])
	default:
		say(1, "flows %s are lost", phrase.List(lost))
	}
	for _, c := range r.Checks {
		say(1, "check %q fails", c)
	}
	say(len(r.CutOff), "%s cut off", phrase.List(r.CutOff))
	say(r.Pairs.Lost, "%s lost", phrase.Plural(r.Pairs.Lost, "pair"))
	say(len(r.DefaultOnly), "%s with a default route alone", phrase.List(r.DefaultOnly))
	if n := r.Borders.Sent; n > 0 {
		parts = append(parts, r.Borders.Says[0])
		say(n-1, "and %d more are sent where they were not", n-1)
	}
	say(r.Borders.Gone, "%s of other ASes gone", phrase.Plural(r.Borders.Gone, "prefix"))
	say(r.Borders.Moved, "%s moved to another AS", phrase.Plural(r.Borders.Moved, "prefix"))
	for _, l := range r.Overloaded {
		say(1, "%s carries %.0f%% of its bandwidth", l.Port, l.Percent)
	}
	say(len(out), "out: flow %s", strings.Join(out, ", "))
	say(r.Pairs.Out, "%s out for %s at most", phrase.Plural(r.Pairs.Out, "pair"), facts.Seconds(event.FromSeconds(r.Pairs.Longest)))
	say(r.Pairs.Loops, "%s for a time", phrase.Plural(r.Pairs.Loops, "loop"))
	if len(parts) == 0 {
		return phrase.Text("nobody notices it")
	}
	return strings.Join(parts, "; ")
}

// Harm is how bad a failure is, in a word.
type Harm string

// The harm that failures do, the worst first.
const (
	ForGood  Harm = "for good"   // something is lost for good by what did not fail, or the network does not settle
	ForATime Harm = "for a time" // something is out until the network has converged, or is not as it should be
	NoHarm   Harm = "none"
)

// Harm is how bad the failure is.
func (r *Impact) Harm() Harm {
	switch {
	case r.SinglePoint() || r.Outcome != network.Settled.String():
		return ForGood
	case r.Harmless():
		return NoHarm
	}
	return ForATime
}

// CriticalPlace is something on the map, and the worst that its failure alone does.
type CriticalPlace struct {
	Kind   failure.Kind `json:"kind" enum:"link,router,segment"`
	Name   string       `json:"name" doc:"what fails, in words"`
	Places []string     `json:"places" doc:"the device, or the ports"`
	Harm   Harm         `json:"harm" enum:"for good,for a time,none"`
	Says   string       `json:"says"`
}

// Places is how critical links, routers and segments are, of results that are in order. A link or a segment that is silent counts as such.
func Places(results []Impact) []CriticalPlace {
	out := []CriticalPlace{}
	there := map[string]bool{}
	for i := range results {
		r := &results[i]
		kind := r.Kind
		if kind == failure.Silence {
			if kind = failure.Link; len(r.Actions) > 1 { // a port of a link silences it, a segment has all its ports silent
				kind = failure.Segment
			}
		}
		key := string(kind) + strings.Join(r.Places, " ")
		if r.After != "" || kind != failure.Link && kind != failure.Router && kind != failure.Segment || there[key] {
			continue
		}
		there[key] = true
		out = append(out, CriticalPlace{kind, r.Name, r.Places, r.Harm(), r.Says()})
	}
	return out
}

// Untouched are those of some flows that no failure touches.
func Untouched(flows []string, results []Impact) []string {
	touched := map[string]bool{}
	for i := range results {
		for _, f := range results[i].Flows {
			touched[f.Name] = true
		}
	}
	out := []string{}
	for _, name := range flows {
		if !touched[name] {
			out = append(out, name)
		}
	}
	return out
}

// Findings is all that a sweep found, the worst first.
type Findings struct {
	Overview
	Results []Impact `json:"results"`
}

// Overview is what many failures come to.
type Overview struct {
	Failures     int      `json:"failures"`
	ForGood      int      `json:"forGood" doc:"failures, and pairs of them, that take something for good from what did not fail"`
	SinglePoints []string `json:"singlePoints" doc:"failures that do so alone, the worst first"`
	Harmful      int      `json:"harmful" doc:"failures after which a flow or a pair is out for a time, or worse"`
	Harmless     int      `json:"harmless" doc:"failures that nobody notices"`
	Argued       int      `json:"argued" doc:"failures whose result follows from the network, so that they were not tried"`
	Checks       []string `json:"checks" doc:"checks that fail after some failure"`
}

// Sum is a summary of results that are in order.
func Sum(results []Impact) Overview {
	s := Overview{Failures: len(results), SinglePoints: []string{}, Checks: []string{}}
	for i := range results {
		r := &results[i]
		if r.Argued != "" {
			s.Argued++
		}
		switch {
		case r.SinglePoint():
			s.ForGood++
			if r.After == "" {
				s.SinglePoints = append(s.SinglePoints, r.Name)
			}
		case r.Harmless():
			s.Harmless++
		default:
			s.Harmful++
		}
		for _, c := range r.Checks {
			if !slices.Contains(s.Checks, c) {
				s.Checks = append(s.Checks, c)
			}
		}
	}
	return s
}

// String is the summary in a sentence.
func (s Overview) String() string {
	out := phrase.Say("%s: %d lose something for good, %d do harm for a time, %d are not noticed", phrase.Plural(s.Failures, "failure"),
		s.ForGood, s.Harmful, s.Harmless)
	if s.Argued > 0 {
		out += phrase.Say("; %d by argument", s.Argued)
	}
	if len(s.Checks) > 0 {
		out += phrase.Say("; after some of them a check fails: %s", quoted(s.Checks))
	}
	return out
}

func quoted(names []string) string {
	var out []string
	for _, n := range names {
		out = append(out, strconv.Quote(n))
	}
	return phrase.List(out)
}

// JUnit writes results as JUnit XML: a test case a failure, which fails if a check does.
func JUnit(out io.Writer, lab string, results []Impact) error {
	cases := []check.Result{}
	for i := range results {
		r := &results[i]
		c := check.Result{Name: r.Title(), Passed: len(r.Checks) == 0, When: r.Actions}
		c.Outcomes = []check.Outcome{{Expects: phrase.Text("no check fails"), Passed: c.Passed, Says: r.Says(), Facts: []facts.Fact{}}}
		cases = append(cases, c)
	}
	return check.JUnit(out, lab, cases)
}
