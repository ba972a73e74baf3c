package history

import (
	"slices"

	"hellebore/core/language/config"
	"hellebore/core/simulation/network"
)

// Try has actions take effect at once on a copy of a world that is at rest, and runs the copy to rest. The step is good to look into as
// that of an action, but is in no journal: it has no number, no digest and no moments between. The error is that of the first action
// that refers to something that is not there. stop is that of Run.
func Try(base *network.World, lab *config.Lab, actions []Action, stop func() bool) (*Step, error) {
	s := &Step{Lab: lab, Before: base}
	s.Start, s.Engine = base.Now(), Engine
	w := base.Clone()
	for i, a := range actions {
		if i == 0 {
			s.Parsed, s.Action = a, a.String()
		}
		if err := a.Perform(w, lab); err != nil {
			return nil, err
		}
	}
	s.NotesBefore, s.NotesApplied = base.Notes(), w.Notes()
	s.Applied = w.Clone()
	from, most := w.Work(), maxWork(w)
	var churn network.Churn
	for {
		if s.Outcome = w.Settle(frameWork, stop); s.Outcome != network.Unfinished {
			break
		}
		if stop != nil && stop() {
			s.Outcome = network.Stopped
			break
		}
		if churn.Recurs(w, s.NotesApplied) {
			s.Outcome = network.Unsettled
			break
		}
		if w.Work()-from >= most || w.Now()-s.Start >= MaxTime {
			break
		}
	}
	s.Done, s.End, s.Settled = true, w.Now(), max(s.Start, w.Calm().LastChange())
	s.Events, s.NotesAfter, s.Lost = w.Handled(), w.Notes(), w.LostNotes()-base.LostNotes()
	w.BeginAction()
	s.After = w
	return s, nil
}

// Tried is a reader's history that ends with a step that was tried, for questions about it.
func (h *History) Tried(s *Step) *History {
	r := *h
	s.Seq = len(h.steps) + 1
	r.steps = append(slices.Clip(h.steps), s)
	r.head, r.seen = s.After, &seen{}
	return &r
}
