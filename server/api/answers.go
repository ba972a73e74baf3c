package api

import (
	"context"
	"encoding/json"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/lab"
	"hellebore/server/store"
)

// KeptAnswer is a question that was typed, with the moment that it was asked of, and its answer.
type KeptAnswer struct {
	Moment string   `json:"moment" maxLength:"200" doc:"in words"`
	When   string   `json:"when" maxLength:"100" doc:"as it was asked for: now, before-2 ..."`
	Said   lab.Said `json:"said"`
	Error  string   `json:"error,omitempty" maxLength:"2000" doc:"why there is no answer"`
}

// registerAnswers makes the operations on the record of what was asked of a lab.
func (h *handlers) registerAnswers(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "list-answers", Method: http.MethodGet,
		Path: "/api/labs/{id}/answers", Summary: "What was asked of a lab, and answered, the newest first"},
		func(ctx context.Context, in *LabPath) (*body[[]KeptAnswer], error) {
			kept, err := h.labs.Answers(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			out := []KeptAnswer{}
			for _, k := range kept {
				a := KeptAnswer{Moment: k.Moment, When: k.At, Error: k.Error}
				if json.Unmarshal([]byte(k.Said), &a.Said) == nil {
					out = append(out, a)
				}
			}
			return &body[[]KeptAnswer]{out}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "keep-answer", Method: http.MethodPost,
		Path: "/api/labs/{id}/answers", Summary: "Keep an answer with the lab",
		DefaultStatus: http.StatusNoContent, MaxBodyBytes: maxBody},
		func(ctx context.Context, in *struct {
			LabPath
			Body KeptAnswer
		}) (*struct{}, error) {
			said, err := json.Marshal(in.Body.Said)
			if err != nil {
				return nil, problem(err)
			}
			return nil, problem(h.labs.KeepAnswer(ctx, store.Answer{LabID: in.ID, Moment: in.Body.Moment, At: in.Body.When,
				Said: string(said), Error: in.Body.Error}))
		})

	huma.Register(api, huma.Operation{OperationID: "forget-answers", Method: http.MethodDelete,
		Path: "/api/labs/{id}/answers", Summary: "Forget the answers of a lab",
		DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *LabPath) (*struct{}, error) {
			return nil, problem(h.labs.ForgetAnswers(ctx, in.ID))
		})
}
