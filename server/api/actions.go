package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/ground/phrase"
	"hellebore/core/simulation/history"
)

// ActionForm is one way to write an action.
type ActionForm struct {
	Word    string `json:"word" doc:"the form's first word"`
	Form    string `json:"form" doc:"words, alternatives joined by |, and in capitals what is named: PORT, DEVICE, ROUTER, PEER, SEGMENT, TIME" example:"silence PORT out|in"`
	Says    string `json:"says" doc:"what it does"`
	Example string `json:"example"`
}

// registerActions says what actions there are. How they are carried out is in labs.go.
func (h *handlers) registerActions(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "action-forms", Method: http.MethodGet, Path: "/api/actions",
		Summary: "All actions that can be typed, and what each does"},
		func(context.Context, *struct{}) (*body[[]ActionForm], error) {
			out := make([]ActionForm, 0, len(history.Forms))
			for _, f := range history.Forms {
				out = append(out, ActionForm{f.Kind.String(), f.Form, phrase.Text(f.Says), f.Example})
			}
			return &body[[]ActionForm]{out}, nil
		})
}
