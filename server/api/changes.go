package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/lab"
	"hellebore/core/questions/check"
	"hellebore/core/questions/sweep"
	"hellebore/core/questions/timeline"
	"hellebore/core/simulation/history"
)

// Previewed is what a change would do, and by what name it can be applied.
type Previewed struct {
	ID string `json:"id" doc:"for apply-preview"`
	lab.Preview
}

// registerChanges makes the operations of changing a text with confidence:
// preview, apply, revisions, checks.
func (h *handlers) registerChanges(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "preview", Method: http.MethodPost, Path: "/api/labs/{id}/preview",
		Summary: "What applying a text would do, found out on a copy of the network", MaxBodyBytes: maxBody,
		BodyReadTimeout: time.Minute},
		func(ctx context.Context, in *struct {
			LabPath
			Body struct {
				lab.Plan
				Base int `json:"base,omitempty" doc:"textSeq of the text it was made from"`
			}
		}) (*body[Previewed], error) {
			l, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			id, p, err := l.Preview(ctx, in.Body.Plan, in.Body.Base)
			if err != nil {
				return nil, problem(err)
			}
			return &body[Previewed]{Previewed{id, *p}}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "get-preview", Method: http.MethodGet,
		Path:    "/api/labs/{id}/previews/{preview}",
		Summary: "A preview that is kept"},
		func(ctx context.Context, in *struct {
			LabPath
			Preview string `path:"preview" maxLength:"40"`
		}) (*body[Previewed], error) {
			l, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			p, err := l.Previewed(in.Preview)
			if err != nil {
				return nil, problem(err)
			}
			return &body[Previewed]{Previewed{in.Preview, *p}}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "preview-failures", Method: http.MethodGet,
		Path:    "/api/labs/{id}/previews/{preview}/failures",
		Summary: "Which failures a previewed change makes worse, and which better, as far as a budget goes"},
		func(ctx context.Context, in *struct {
			LabPath
			Preview string `path:"preview" maxLength:"40"`
		}) (*body[sweep.Within], error) {
			open, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			p, err := open.Previewed(in.Preview)
			if err != nil {
				return nil, problem(err)
			}
			return with(ctx, h, in.ID, func(l *lab.Lab) (sweep.Within, error) { return l.PreviewFailures(p) })
		})

	huma.Register(api, huma.Operation{OperationID: "apply-preview", Method: http.MethodPost,
		Path:    "/api/labs/{id}/previews/{preview}/apply",
		Summary: "Apply exactly what was previewed; 409 with a new preview if the lab has moved on"},
		func(ctx context.Context, in *struct {
			LabPath
			Preview string `path:"preview" maxLength:"40"`
			Body    struct {
				Author  string `json:"author,omitempty" maxLength:"80"`
				Message string `json:"message,omitempty" maxLength:"400" doc:"why it is done"`
			}
		}) (*body[timeline.Action], error) {
			l, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			record, err := l.Apply(ctx, in.Preview, in.Body.Author, in.Body.Message)
			if err != nil {
				return nil, problem(err)
			}
			return with(ctx, h, in.ID, func(l *lab.Lab) (timeline.Action, error) {
				detail, err := l.Action(record.Seq)
				return detail.Action, err
			})
		})

	ask(h, api, "revisions", "All texts that were applied, oldest first",
		func(l *lab.Lab, _ *struct{ LabPath }) ([]lab.Revision, error) {
			return l.Revisions(), nil
		})
	ask(h, api, "revision-pair", "Two texts that were applied, and what is different by meaning",
		func(l *lab.Lab, in *struct {
			LabPath
			Before int `query:"before" required:"true" minimum:"1" doc:"the action that applied it"`
			After  int `query:"after" required:"true" minimum:"1"`
		}) (lab.RevisionPair, error) {
			return l.CompareRevisions(in.Before, in.After)
		})
	view(h, api, "checks", "How the checks of the text come out, with the evidence",
		func(l *lab.Lab, m history.Moment) []check.Result {
			results, _ := l.Checks(m)
			return results
		})
	ask(h, api, "brief", "The text for whoever opens the lab, with its tasks ticked off",
		func(l *lab.Lab, _ *struct{ LabPath }) (lab.Brief, error) {
			return l.Brief(), nil
		})
}
