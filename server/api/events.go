package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	"hellebore/server/live"
)

// Beat keeps the connection alive, so that both sides notice when it is not.
type Beat struct{}

// News is an event of a lab.
type News live.Event

func (h *handlers) registerEvents(api huma.API) {
	sse.Register(api, huma.Operation{OperationID: "watch-lab", Method: http.MethodGet, Path: "/api/labs/{id}/events",
		Summary: "News of a lab, as server-sent events; a client that reconnects asks for the views anew"},
		map[string]any{"news": News{}, "beat": Beat{}},
		func(ctx context.Context, in *LabPath, send sse.Sender) {
			l, err := h.labs.Find(in.ID) // also while it is being opened
			if err != nil {
				return // the client sees the same error on its other requests
			}
			news, done := l.Watch()
			defer done()
			if send.Data(Beat{}) != nil {
				return
			}
			beat := time.NewTicker(10 * time.Second)
			defer beat.Stop()
			for {
				select {
				case e := <-news:
					err = send.Data(News(e))
				case <-beat.C:
					err = send.Data(Beat{})
				case <-l.Closed():
					return
				case <-ctx.Done():
					return
				}
				if err != nil {
					return
				}
			}
		})
}
