package lab

import (
	"slices"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
)

// previewWork is what trying failures for a preview may cost (network.World.Work): a second or two of a person's time.
const previewWork = 1_500_000

// previewKinds are the failures that are tried for a preview. Silent links take their time to be noticed, and end up where cut ones do.
var previewKinds = []failure.Kind{failure.Group, failure.Link, failure.Segment, failure.Router, failure.Session}

// PreviewFailures is which failures a previewed change makes worse, and which better: those of what it touches are tried first, the
// others as far as a budget goes.
func (l *Lab) PreviewFailures(p *Preview) (out sweep.Within, err error) {
	if !l.Holds(p) {
		return out, phrase.Errorf("the lab has moved on since the preview was made: preview it again")
	}
	branch := p.branch.Reader()
	if !l.history.Head().Calm().Settled() || !branch.Head().Calm().Settled() {
		return out, phrase.Error("the network is not at rest before or after the change: its failures say nothing")
	}
	before, err := sweep.New(l.history, l.stop)
	if err != nil {
		return out, err
	}
	after, err := sweep.New(branch, l.stop)
	if err != nil {
		return out, err
	}
	touched := l.Touched(p.plan.Text)
	first := func(f *failure.Failure) bool {
		return slices.ContainsFunc(touched, func(d string) bool { return f.IsAt(config.PortRef{Device: d}) })
	}
	return sweep.Between(before, after, previewKinds, first, previewWork, l.stop), nil
}
