package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/questions/topology"
	"hellebore/server/store"
)

// Draft is a text that somebody is writing.
type Draft struct {
	Owner   string    `json:"owner" doc:"the browser that it is written in"`
	Text    string    `json:"text"`
	Base    int       `json:"base" doc:"textSeq of the text it was made from"`
	Author  string    `json:"author"`
	Updated time.Time `json:"updated"`
}

// DraftPath names somebody's draft of a lab.
type DraftPath struct {
	LabPath
	Owner string `path:"owner" maxLength:"40" pattern:"^[A-Za-z0-9-]+$" doc:"a name that a browser gives itself"`
}

// registerKept makes the operations on what is kept beside the journal: drafts
// and the names of moments.
func (h *handlers) registerKept(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "list-drafts", Method: http.MethodGet,
		Path: "/api/labs/{id}/drafts", Summary: "The drafts of a lab, the latest first"},
		func(ctx context.Context, in *LabPath) (*body[[]Draft], error) {
			drafts, err := h.labs.Drafts(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			out := []Draft{}
			for _, d := range drafts {
				out = append(out, Draft{d.Owner, d.Text, d.Base, d.Author, d.UpdatedAt})
			}
			return &body[[]Draft]{out}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "keep-draft", Method: http.MethodPut,
		Path: "/api/labs/{id}/drafts/{owner}", Summary: "Keep a draft",
		DefaultStatus: http.StatusNoContent, MaxBodyBytes: maxBody},
		func(ctx context.Context, in *struct {
			DraftPath
			Body struct {
				Text   string `json:"text"`
				Base   int    `json:"base"`
				Author string `json:"author,omitempty" maxLength:"80"`
			}
		}) (*struct{}, error) {
			return nil, problem(h.labs.KeepDraft(ctx,
				store.Draft{LabID: in.ID, Owner: in.Owner, Text: in.Body.Text, Base: in.Body.Base,
					Author: in.Body.Author}))
		})

	huma.Register(api, huma.Operation{OperationID: "drop-draft", Method: http.MethodDelete,
		Path: "/api/labs/{id}/drafts/{owner}", Summary: "Throw a draft away",
		DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *DraftPath) (*struct{}, error) {
			return nil, problem(h.labs.DropDraft(ctx, in.ID, in.Owner))
		})

	huma.Register(api, huma.Operation{OperationID: "move-cards", Method: http.MethodPut,
		Path: "/api/labs/{id}/places", Summary: "Put cards of the map in other places; none: lay the map out again",
		DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *struct {
			LabPath
			Body struct {
				Places map[string]topology.Position `json:"places" doc:"by device, or segment and its name"`
			}
		}) (*struct{}, error) {
			l, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			return nil, problem(l.Move(ctx, in.Body.Places))
		})

	huma.Register(api, huma.Operation{OperationID: "name-moment", Method: http.MethodPut,
		Path: "/api/labs/{id}/moments/{name}", Summary: "Give a moment a name",
		DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *struct {
			LabPath
			Name string `path:"name" maxLength:"40"`
			Body struct {
				At string `json:"at" doc:"a moment" maxLength:"40"`
			}
		}) (*struct{}, error) {
			l, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			return nil, problem(l.NameMoment(ctx, in.Name, in.Body.At))
		})

	huma.Register(api, huma.Operation{OperationID: "forget-moment", Method: http.MethodDelete,
		Path: "/api/labs/{id}/moments/{name}", Summary: "Take a moment's name away",
		DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *struct {
			LabPath
			Name string `path:"name" maxLength:"40"`
		}) (*struct{}, error) {
			l, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			return nil, problem(l.ForgetMoment(ctx, in.Name))
		})
}
