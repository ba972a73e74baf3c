package api

import (
	"bytes"
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
)

// CaptureFile is a pcapng file to save.
type CaptureFile struct {
	Type        string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

func (h *handlers) registerCapture(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "capture", Method: http.MethodGet, Path: "/api/labs/{id}/capture",
		Summary: "The packets of a link or segment between two moments, as pcapng"},
		func(ctx context.Context, in *struct {
			LabPath
			Port string `query:"port" required:"true" maxLength:"130" doc:"any port on it: viaduct.e1"`
			From string `query:"from" maxLength:"40" doc:"a moment; absent: the beginning"`
			To   string `query:"to" maxLength:"40" doc:"a moment; absent: now"`
		}) (*CaptureFile, error) {
			l, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			var b bytes.Buffer
			x := l.View(ctx)
			if in.From == "" {
				in.From = "0"
			}
			from, err := x.ParseMoment(in.From)
			if err != nil {
				return nil, problem(err)
			}
			to, err := x.ParseMoment(in.To)
			if err != nil {
				return nil, problem(err)
			}
			if _, err = x.Capture(&b, in.Port, from, to); err != nil {
				return nil, problem(err)
			}
			return &CaptureFile{"application/vnd.tcpdump.pcap",
				fmt.Sprintf("attachment; filename=%q", in.Port+".pcapng"), b.Bytes()}, nil
		})
}
