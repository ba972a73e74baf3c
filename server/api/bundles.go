package api

import (
	"bytes"
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/lab"
)

// maxBundle is the largest bundle that is taken, in bytes.
const maxBundle = 32 << 20

// Entry is an action as the journal has it.
type Entry struct {
	Seq     int    `json:"seq"`
	Action  string `json:"action"`
	Text    string `json:"text,omitempty" doc:"of an apply"`
	Author  string `json:"author,omitempty"`
	Message string `json:"message,omitempty"`
	Made    int64  `json:"made" doc:"when, in milliseconds since 1970 (UTC)"`
	Origin  string `json:"origin,omitempty" enum:"reverted" doc:"reverted: the lab took the change before it back, since it did harm"`
}

func (h *handlers) registerBundles(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "export-bundle", Method: http.MethodGet,
		Path:    "/api/labs/{id}/bundle",
		Summary: "The lab with its journal as a zip archive, to be replayed elsewhere"},
		func(ctx context.Context, in *LabPath) (*File, error) {
			out, err := with(ctx, h, in.ID, func(l *lab.Lab) ([]byte, error) {
				var b bytes.Buffer
				err := l.Bundle(&b)
				return b.Bytes(), err
			})
			if err != nil {
				return nil, err
			}
			return file("application/zip", "lab-"+in.ID+".zip", out.Body), nil
		})

	huma.Register(api, huma.Operation{OperationID: "get-journal", Method: http.MethodGet,
		Path:    "/api/labs/{id}/journal",
		Summary: "The journal as it is kept, also of a lab that cannot be replayed"},
		func(ctx context.Context, in *LabPath) (*body[[]Entry], error) {
			records, _, err := h.labs.Journal(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			out := []Entry{}
			for _, r := range records {
				out = append(out, Entry{r.Seq, r.Action, r.Text, r.Author, r.Message, r.Made, string(r.Origin)})
			}
			return &body[[]Entry]{out}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "export-journal", Method: http.MethodGet,
		Path:    "/api/labs/{id}/journal/bundle",
		Summary: "The journal as it is kept, as a bundle"},
		func(ctx context.Context, in *LabPath) (*File, error) {
			records, moments, err := h.labs.Journal(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			places, err := h.labs.Places(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			text, named := "", []lab.NamedMoment{}
			for _, r := range records {
				if r.Text != "" {
					text = r.Text
				}
			}
			for name, m := range moments {
				named = append(named, lab.NamedMoment{Name: name, At: float64(m.At) / 1e9, Step: m.Step})
			}
			var b bytes.Buffer
			if err := lab.WriteBundle(&b, text, lab.Unpacked{Records: records, Moments: named, Places: places}); err != nil {
				return nil, err
			}
			return file("application/zip", "lab-"+in.ID+".zip", b.Bytes()), nil
		})

	huma.Register(api, huma.Operation{OperationID: "import-bundle", Method: http.MethodPost, Path: "/api/bundles",
		Summary: "Make a lab of a bundle", DefaultStatus: http.StatusCreated, MaxBodyBytes: maxBundle,
		BodyReadTimeout: time.Minute},
		func(ctx context.Context, in *struct {
			RawBody []byte `contentType:"application/zip"`
		}) (*body[NewLab], error) {
			row, err := h.labs.Import(ctx, in.RawBody)
			if err != nil {
				return nil, problem(err)
			}
			return &body[NewLab]{NewLab{row.ID, row.Title}}, nil
		})
}
