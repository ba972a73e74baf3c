package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/lab"
	"hellebore/core/questions/compare"
	"hellebore/core/questions/critical"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/traffic"
	"hellebore/core/questions/why"
)

// File is a file to save.
type File struct {
	Type        string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

func file(kind, name string, data []byte) *File {
	return &File{kind, fmt.Sprintf("attachment; filename=%q", name), data}
}

// PairOfMoments is the lab and the two moments that are compared.
type PairOfMoments struct {
	LabPath
	Before string `query:"before" required:"true" maxLength:"40" doc:"a moment"`
	After  string `query:"after" required:"true" maxLength:"40" doc:"a moment"`
}

func (p *PairOfMoments) compare(l *lab.Lab) (compare.Comparison, error) {
	before, err := l.ParseMoment(p.Before)
	if err != nil {
		return compare.Comparison{}, err
	}
	after, err := l.ParseMoment(p.After)
	if err != nil {
		return compare.Comparison{}, err
	}
	return l.Compare(before, after), nil
}

// registerQuestions makes the operations that answer questions: why, what is
// different, who was out.
func (h *handlers) registerQuestions(api huma.API) {
	ask(h, api, "why", "A question answered in a chain of facts", func(l *lab.Lab, in *struct {
		Moment
		Question string `query:"question" maxLength:"400" doc:"as it is typed"`
		Who      string `query:"who" maxLength:"130" doc:"the focus: fills in what the question leaves out"`
		To       string `query:"to" maxLength:"130"`
	}) (why.Answer, error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return why.Answer{}, err
		}
		return l.Why(m, in.Question, why.Focus{Who: in.Who, To: in.To})
	})
	ask(h, api, "say", "A question that is typed as one line, answered there and then", func(l *lab.Lab, in *struct {
		Moment
		Line string `query:"line" required:"true" maxLength:"400" doc:"as it is typed: ping kiosk booth"`
		Who  string `query:"who" maxLength:"130" doc:"the focus: fills in what the question leaves out"`
		To   string `query:"to" maxLength:"130"`
	}) (lab.Said, error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return lab.Said{}, err
		}
		return l.Say(m, in.Line, why.Focus{Who: in.Who, To: in.To})
	})
	ask(h, api, "comparison", "What is different between two moments",
		func(l *lab.Lab, in *PairOfMoments) (compare.Comparison, error) {
			return in.compare(l)
		})
	ask(h, api, "pairs", "What an action did between all hosts and loopbacks, and the loops that there were",
		func(l *lab.Lab, in *struct {
			LabPath
			Seq int `query:"seq" minimum:"1" required:"true"`
		}) (traffic.Pairs, error) {
			return l.Pairs(in.Seq)
		})

	huma.Register(api, huma.Operation{OperationID: "export-comparison", Method: http.MethodGet,
		Path:    "/api/labs/{id}/comparison/{format}",
		Summary: "What is different between two moments, as a file"},
		func(ctx context.Context, in *struct {
			PairOfMoments
			Format string `path:"format" enum:"json,md,csv"`
		}) (*File, error) {
			c, err := with(ctx, h, in.ID, in.compare)
			if err != nil {
				return nil, err
			}
			var b bytes.Buffer
			name := in.Before + "-to-" + in.After + "." + in.Format
			switch in.Format {
			case "csv":
				err = c.Body.CSV(&b)
				return file("text/csv; charset=utf-8", name, b.Bytes()), err
			case "md":
				err = c.Body.Markdown(&b, in.Before+" to "+in.After)
				return file("text/markdown; charset=utf-8", name, b.Bytes()), err
			}
			out, err := json.MarshalIndent(c.Body, "", "  ")
			return file("application/json", name, out), err
		})

	huma.Register(api, huma.Operation{OperationID: "export-convergence", Method: http.MethodGet,
		Path:    "/api/labs/{id}/actions/{seq}/report/{format}",
		Summary: "The convergence of an action as a file: phases, outages, loops"},
		func(ctx context.Context, in *struct {
			LabPath
			Seq    int    `path:"seq" minimum:"1"`
			Format string `path:"format" enum:"json,md"`
		}) (*File, error) {
			c, err := with(ctx, h, in.ID, func(l *lab.Lab) (out timeline.Convergence, err error) {
				if out.Action, err = l.Action(in.Seq); err == nil {
					out.Pairs, err = l.Pairs(in.Seq)
				}
				if err == nil {
					out.Path, err = l.CriticalPath(in.Seq, critical.About{})
				}
				return out, err
			})
			if err != nil {
				return nil, err
			}
			name := fmt.Sprintf("action-%d.%s", in.Seq, in.Format)
			if in.Format == "md" {
				return file("text/markdown; charset=utf-8", name, []byte(c.Body.Markdown())), nil
			}
			out, err := json.MarshalIndent(c.Body, "", "  ")
			return file("application/json", name, out), err
		})
}
