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

func (h *handlers) registerBundles(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "export-bundle", Method: http.MethodGet, Path: "/api/labs/{id}/bundle",
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

	huma.Register(api, huma.Operation{OperationID: "import-bundle", Method: http.MethodPost, Path: "/api/bundles",
		Summary: "Make a lab of a bundle", DefaultStatus: http.StatusCreated, MaxBodyBytes: maxBundle, BodyReadTimeout: time.Minute},
		func(ctx context.Context, in *struct {
			RawBody []byte `contentType:"application/zip"`
		}) (*body[LabRow], error) {
			row, err := h.labs.Import(ctx, in.RawBody)
			if err != nil {
				return nil, problem(err)
			}
			return &body[LabRow]{rowOf(row)}, nil
		})
}
