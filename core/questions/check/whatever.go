package check

import (
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/failure"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// maxSaid bounds the failures that an outcome names.
const maxSaid = 3

// failed are the networks after each failure of a kind, alone.
func (a *attempt) failed(kind string) []*attempt {
	if all, done := a.fails[kind]; done {
		return all
	}
	all := []*attempt{}
	for _, f := range failure.Of(a.world, a.after.Lab(), []failure.Kind{failure.Kind(kind)}) {
		if a.stop != nil && a.stop() {
			break
		}
		x := &attempt{failure: f, from: len(a.after.Steps()), stop: a.stop}
		steps, err := f.Perform(a.world, a.after.Lab(), a.after.Text(), a.stop)
		var s *history.Step
		if err == nil {
			s = steps[len(steps)-1]
		}
		if err == nil && s.Outcome != network.Settled {
			err = phrase.Errorf("the network %s", s.Outcome)
		}
		if x.err = err; err == nil {
			x.world, x.after = s.After, a.after.Tried(s)
		}
		all = append(all, x)
	}
	if a.fails == nil {
		a.fails = map[string][]*attempt{}
	}
	a.fails[kind] = all
	return all
}

// whatever is a check of what holds after each failure: an expectation holds if it does after all of them.
func (a *attempt) whatever(c config.Check) Result {
	r := Result{Name: c.Name, Passed: true, When: append([]string{}, c.When...), Outcomes: []Outcome{}}
	var all []*attempt
	for _, f := range c.Fails {
		tried := 0
		for _, x := range a.failed(f.Kind) {
			if !slices.ContainsFunc(f.Except, x.failure.IsAt) {
				all = append(all, x)
				tried++
			}
		}
		r.When = append(r.When, failsWords(f, tried))
	}
	for _, x := range all {
		if x.err != nil {
			r.Passed, r.Error = false, phrase.Say("%s: %s", x.failure.Name, x.err.Error())
			return r
		}
	}
	for _, e := range c.Expect {
		o := Outcome{Expects: e.Words, Passed: true, Says: phrase.Say("it holds after each of %s", phrase.Plural(len(all), "failure")), Facts: []facts.Fact{}}
		var says []string
		broken := 0
		for _, x := range all {
			one := x.expect(e)
			if one.Passed {
				continue
			}
			if broken++; broken <= maxSaid {
				says = append(says, phrase.Say("after %s: %s", x.failure.Name, one.Says))
				o.Facts = append(o.Facts, facts.Fact{Text: phrase.Say("after %s: %s", x.failure.Name, one.Says), View: "map"})
			}
		}
		if broken > 0 {
			o.Passed, r.Passed = false, false
			o.Says = phrase.Say("it does not hold after %d of %s; %s", broken, phrase.Plural(len(all), "failure"), strings.Join(says, "; "))
			if broken > maxSaid {
				o.Says += phrase.Say("; and after %d more", broken-maxSaid)
			}
		}
		r.Outcomes = append(r.Outcomes, o)
	}
	return r
}

// failsWords says what is tried: "any link fails, except at viaduct (20 failures)".
func failsWords(f config.AnyFailure, tried int) string {
	what := phrase.Say("any %s fails", f.Kind)
	switch failure.Kind(f.Kind) {
	case failure.Silence:
		what = phrase.Text("any link goes silent")
	case failure.Group:
		what = phrase.Text("any risk group fails")
	}
	n := phrase.Plural(tried, "failure")
	if len(f.Except) == 0 {
		return phrase.Say("%s (%s)", what, n)
	}
	var names []string
	for _, r := range f.Except {
		names = append(names, labtext.AtWords(r))
	}
	return phrase.Say("%s, except at %s (%s)", what, phrase.List(names), n)
}
