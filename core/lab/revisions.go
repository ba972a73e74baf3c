package lab

import (
	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/simulation/history"
)

// Revision is a text that was applied.
type Revision struct {
	Seq     int              `json:"seq" doc:"of the action that applied it"`
	Author  string           `json:"author"`
	Message string           `json:"message"`
	Origin  history.Origin   `json:"origin,omitempty" enum:"reverted" doc:"reverted: the lab took the change before it back, since it did harm"`
	Made    int64            `json:"made" doc:"unix milliseconds by the clock on the wall; 0 if unknown"`
	At      float64          `json:"at" doc:"virtual time, seconds"`
	Current bool             `json:"current" doc:"it is the text in force"`
	Changes []labtext.Change `json:"changes" doc:"from the revision before it, by meaning; at most 200"`
	Total   int              `json:"total" doc:"changes there are"`
}

// Revisions are all texts that were applied, oldest first.
func (l *Lab) Revisions() []Revision {
	out := []Revision{}
	var before *history.Step
	for _, s := range l.history.Steps() {
		if s.Parsed.Kind != history.Apply {
			continue
		}
		r := Revision{Seq: s.Seq, Author: s.Author, Message: s.Message, Origin: s.Origin, Made: s.Made,
			At: float64(s.Start) / 1e9, Changes: []labtext.Change{}}
		if before != nil {
			changes := labtext.Differences(before.Lab, s.Lab)
			r.Total = len(changes)
			r.Changes = append(r.Changes, changes[:min(len(changes), 200)]...)
		}
		before = s
		out = append(out, r)
	}
	if len(out) > 0 {
		out[len(out)-1].Current = true
	}
	return out
}

// RevisionPair is two texts, and what is different by meaning.
type RevisionPair struct {
	Before  string           `json:"before" doc:"the text"`
	After   string           `json:"after"`
	Changes []labtext.Change `json:"changes"`
}

// CompareRevisions compares the texts that two actions applied; 0 means the
// text before any.
func (l *Lab) CompareRevisions(before, after int) (RevisionPair, error) {
	a, err := l.revision(before)
	if err != nil {
		return RevisionPair{}, err
	}
	b, err := l.revision(after)
	if err != nil {
		return RevisionPair{}, err
	}
	out := RevisionPair{a.Text, b.Text, labtext.Differences(a.Lab, b.Lab)}
	if out.Changes == nil {
		out.Changes = []labtext.Change{}
	}
	return out, nil
}

func (l *Lab) revision(seq int) (*history.Step, error) {
	s, err := l.step(seq)
	if err == nil && s.Parsed.Kind != history.Apply {
		err = phrase.Errorf("action %d is no revision: it did not apply a text", seq)
	}
	return s, err
}
