package lab

import (
	"slices"

	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/check"
	"hellebore/core/questions/compare"
	"hellebore/core/questions/traffic"
	"hellebore/core/questions/why"
	"hellebore/core/simulation/history"
)

// Why answers a question as it is typed; the focus gives what it leaves out.
func (l *Lab) Why(m history.Moment, question string, focus why.Focus) (why.Answer, error) {
	q, err := why.Parse(l.World(m), question, focus)
	if err != nil {
		return why.Answer{}, err
	}
	a, err := why.Ask(l.history, m, q, l.stop)
	if err != nil {
		return a, err
	}
	places := labtext.Parse(l.Text()).Places
	for i := range a.Facts {
		a.Facts[i].Line = places[a.Facts[i].Place].Line
	}
	return a, nil
}

// Compare says what is different between two moments.
func (l *Lab) Compare(before, after history.Moment) compare.Comparison {
	return compare.Worlds(l.World(before), l.World(after), l.stop)
}

// Checks are how the checks of the text come out at a moment; ok is false if that
// was stopped.
func (l *Lab) Checks(m history.Moment) (results []check.Result, ok bool) {
	present := m == l.history.Now()
	if present {
		l.found.mu.Lock()
		known, at := l.found.checked, l.found.checkedAt
		l.found.mu.Unlock()
		if known != nil && at == l.position() {
			return known, true
		}
	}
	h := l.history
	if !present {
		h = h.BranchAt(m)
	}
	results, ok = check.Run(h, l.stop)
	places := labtext.Parse(h.Text()).Places
	for i := range results {
		results[i].Line = places["check "+results[i].Name].Line
		results[i].Task = slices.ContainsFunc(h.Lab().Brief.Tasks, func(t config.Task) bool {
			return slices.Contains(t.Checks, results[i].Name)
		})
	}
	if ok && present {
		l.found.mu.Lock()
		l.found.checked, l.found.checkedAt = results, l.position()
		l.found.mu.Unlock()
	}
	return results, ok
}

// Pairs is what an action did between all hosts and loopbacks.
func (l *Lab) Pairs(seq int) (traffic.Pairs, error) {
	s, err := l.step(seq)
	if err != nil {
		return traffic.Pairs{}, err
	}
	key := outageKey{s.Seq, s.Seq == len(l.history.Steps())}
	p := once(l, l.found.pairs, key, func() traffic.Pairs { return traffic.PairsOf(s, key.last, l.stop) })
	if l.Stopped() {
		return p, history.ErrStopped
	}
	return p, nil
}
