package lab

import (
	"strings"

	"hellebore/core/questions/check"
)

// Brief is the text for whoever opens the lab.
type Brief struct {
	Text      []string        `json:"text" doc:"paragraphs"`
	Tasks     []BriefTask     `json:"tasks"`
	Questions []BriefQuestion `json:"questions"`
}

// BriefTask is something to be done.
type BriefTask struct {
	Text   string         `json:"text"`
	Done   bool           `json:"done" doc:"all its checks hold and all its actions were done; its reader's part is not in it"`
	Checks []check.Result `json:"checks"`
	Acts   []TaskAct      `json:"acts" doc:"actions that it asks for"`
	Looks  []string       `json:"looks" doc:"views and panels that its reader has to open"`
}

// TaskAct is an action that a task asks for.
type TaskAct struct {
	Verb string `json:"verb"`
	Done bool   `json:"done" doc:"the journal has one"`
}

// BriefQuestion is a question for the reader.
type BriefQuestion struct {
	Text   string `json:"text"`
	Answer string `json:"answer,omitempty"`
}

// HasBrief says whether the text has a brief.
func (l *Lab) HasBrief() bool {
	b := &l.history.Lab().Brief
	return len(b.Text)+len(b.Tasks)+len(b.Questions) > 0
}

// Brief is the brief of the text in force, its tasks ticked off by their checks.
func (l *Lab) Brief() Brief {
	b := &l.history.Lab().Brief
	out := Brief{Text: append([]string{}, b.Text...), Tasks: []BriefTask{}, Questions: []BriefQuestion{}}
	results, _ := l.Checks(l.history.Now())
	for _, t := range b.Tasks {
		x := BriefTask{Text: t.Text, Done: len(t.Checks)+len(t.Acts)+len(t.Looks) > 0, Checks: []check.Result{},
			Acts: []TaskAct{}, Looks: append([]string{}, t.Looks...)}
		for _, name := range t.Checks {
			if r := check.Of(results, name); r != nil {
				x.Checks = append(x.Checks, *r)
				x.Done = x.Done && r.Passed
			}
		}
		for _, verb := range t.Acts {
			done := l.done(verb)
			x.Acts = append(x.Acts, TaskAct{verb, done})
			x.Done = x.Done && done
		}
		out.Tasks = append(out.Tasks, x)
	}
	for _, q := range b.Questions {
		out.Questions = append(out.Questions, BriefQuestion{q.Text, q.Answer})
	}
	return out
}

// done says whether the journal has an action of a verb. The first action of a lab
// applies the text that it was made with: no reader did that.
func (l *Lab) done(verb string) bool {
	for i, s := range l.history.Steps() {
		word, _, _ := strings.Cut(s.Action, " ")
		if i > 0 && word == verb {
			return true
		}
	}
	return false
}
