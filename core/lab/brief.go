package lab

import "hellebore/core/questions/check"

// Brief is the text for whoever opens the lab.
type Brief struct {
	Text      []string        `json:"text" doc:"paragraphs"`
	Tasks     []BriefTask     `json:"tasks"`
	Questions []BriefQuestion `json:"questions"`
}

// BriefTask is something to be done.
type BriefTask struct {
	Text   string         `json:"text"`
	Done   bool           `json:"done" doc:"all its checks hold; false if it has none"`
	Checks []check.Result `json:"checks"`
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
		x := BriefTask{Text: t.Text, Done: len(t.Checks) > 0, Checks: []check.Result{}}
		for _, name := range t.Checks {
			if r := check.Of(results, name); r != nil {
				x.Checks = append(x.Checks, *r)
				x.Done = x.Done && r.Passed
			}
		}
		out.Tasks = append(out.Tasks, x)
	}
	for _, q := range b.Questions {
		out.Questions = append(out.Questions, BriefQuestion{q.Text, q.Answer})
	}
	return out
}
