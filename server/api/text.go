package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/ground/phrase"
	"hellebore/core/lab"
	"hellebore/core/language/labtext"
)

// maxBody leaves room for the largest text as JSON, so that one that is a
// little too large gets the language's own answer.
const maxBody = 3 * labtext.MaxSize

type text struct {
	Text string `json:"text"`
}

// Checked is what a text is worth.
type Checked struct {
	OK       bool                     `json:"ok" doc:"it has no errors and can be applied"`
	Problems []labtext.Problem        `json:"problems"`
	Changes  []labtext.Change         `json:"changes" doc:"from the text in force, by meaning"`
	Lines    []labtext.Hunk           `json:"lines" doc:"in which it is different from the text in force"`
	Places   map[string]labtext.Place `json:"places" doc:"where devices, ports and flows are"`
	Touched  []string                 `json:"touched" doc:"devices that the change touches, and shared: what the order of a staged change can name"`
}

// Completed is how a text may go on.
type Completed struct {
	labtext.Completion
	Key string `json:"key,omitempty" doc:"under which the server knows the text, if it was sent whole"`
}

// Language is the lab language for those who look something up.
type Language struct {
	Statements []labtext.Statement `json:"statements"`
	Examples   string              `json:"examples" doc:"the lab that the examples are from"`
}

func (h *handlers) registerText(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "check-text", Method: http.MethodPost, Path: "/api/labs/{id}/check",
		Summary: "Check a text, and compare it with the one in force", MaxBodyBytes: maxBody},
		func(ctx context.Context, in *struct {
			LabPath
			Body text
		}) (*body[Checked], error) {
			r := labtext.Parse(in.Body.Text)
			out := Checked{OK: r.OK(), Problems: r.Problems, Changes: []labtext.Change{}, Places: r.Places,
				Touched: []string{}}
			if out.Problems == nil {
				out.Problems = []labtext.Problem{}
			}
			if out.Places == nil {
				out.Places = map[string]labtext.Place{}
			}
			return with(ctx, h, in.ID, func(l *lab.Lab) (Checked, error) {
				out.Lines = labtext.Hunks(l.Text(), labtext.Normal(in.Body.Text))
				if !out.OK {
					return out, nil
				}
				if c := l.Differences(&r.Lab); c != nil {
					out.Changes = c
				}
				out.Touched = l.Touched(in.Body.Text)
				return out, nil
			})
		})

	huma.Register(api, huma.Operation{OperationID: "format-text", Method: http.MethodPost, Path: "/api/text/format",
		Summary: "Write a text in its canonical form", MaxBodyBytes: maxBody},
		func(_ context.Context, in *body[text]) (*body[text], error) {
			formatted, ok := labtext.Format(in.Body.Text)
			if !ok {
				return nil, huma.Error422UnprocessableEntity(phrase.Text("a text with unknown statements is not formatted; mend the errors first"))
			}
			return &body[text]{text{formatted}}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "complete-text", Method: http.MethodPost, Path: "/api/text/complete",
		Summary: "What can be written at a place of a text", MaxBodyBytes: maxBody},
		func(_ context.Context, in *body[struct {
			TextOrEdit
			Line   int `json:"line" minimum:"1"`
			Column int `json:"column" minimum:"1"`
		}]) (*body[Completed], error) {
			text, key, err := h.known.whole(in.Body.TextOrEdit)
			if err != nil {
				return nil, err
			}
			return &body[Completed]{Completed{labtext.Complete(text, in.Body.Line, in.Body.Column), key}}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "language", Method: http.MethodGet, Path: "/api/language",
		Summary: "All statements of the lab language, with examples from one lab that has them all"},
		func(context.Context, *struct{}) (*body[Language], error) {
			return &body[Language]{Language{labtext.Statements(), labtext.Examples}}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "word-help", Method: http.MethodGet, Path: "/api/text/words/{word}",
		Summary: "What a word of the language means"},
		func(_ context.Context, in *struct {
			Word string `path:"word" maxLength:"60"`
		}) (*body[[]labtext.Suggestion], error) {
			help := labtext.WordHelp(in.Word)
			if help == nil {
				help = []labtext.Suggestion{}
			}
			return &body[[]labtext.Suggestion]{help}, nil
		})
}
