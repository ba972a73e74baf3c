package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/history"
	"hellebore/core/lab"
	"hellebore/core/observe"
)

// Moment is the lab and the moment that a view is asked for.
type Moment struct {
	LabPath
	At string `query:"at" maxLength:"40" doc:"a moment: now, before-3, after-3 (the third action), or seconds of virtual time"`
}

// view registers an operation that shows a lab at a moment.
func view[T any](h *handlers, api huma.API, name, summary string, show func(*lab.Lab, history.Moment) T) {
	huma.Register(api, huma.Operation{OperationID: "get-" + name, Method: http.MethodGet, Path: "/api/labs/{id}/" + name, Summary: summary},
		func(ctx context.Context, in *Moment) (*body[T], error) {
			return with(ctx, h, in.ID, func(l *lab.Lab) (out T, err error) {
				m, err := l.ParseMoment(in.At)
				if err != nil {
					return out, err
				}
				return show(l, m), nil
			})
		})
}

func (h *handlers) registerViews(api huma.API) {
	view(h, api, "map", "Devices, what joins them, and the ways of the flows", (*lab.Lab).Map)
	view(h, api, "ports", "All ports and processes", (*lab.Lab).Ports)
	view(h, api, "neighbours", "All adjacencies, both ends a row", (*lab.Lab).Neighbours)
	view(h, api, "database", "Each area's link-state database once, decoded, and who holds other copies", (*lab.Lab).Database)
	view(h, api, "routes", "All prefixes across all routers", (*lab.Lab).Routes)

	huma.Register(api, huma.Operation{OperationID: "explain-route", Method: http.MethodGet, Path: "/api/labs/{id}/explain",
		Summary: "How a router came to its route"},
		func(ctx context.Context, in *struct {
			Moment
			Device string `query:"device" required:"true" maxLength:"64"`
			To     string `query:"to" required:"true" maxLength:"64" doc:"a prefix or an address"`
		}) (*body[observe.RouteStory], error) {
			return with(ctx, h, in.ID, func(l *lab.Lab) (out observe.RouteStory, err error) {
				m, err := l.ParseMoment(in.At)
				if err != nil {
					return out, err
				}
				return l.Explain(m, in.Device, in.To)
			})
		})

	huma.Register(api, huma.Operation{OperationID: "get-path", Method: http.MethodGet, Path: "/api/labs/{id}/path",
		Summary: "The way from a device to an address or another device, by the tables"},
		func(ctx context.Context, in *struct {
			Moment
			From string `query:"from" required:"true" maxLength:"64"`
			To   string `query:"to" required:"true" maxLength:"64"`
		}) (*body[observe.Path], error) {
			return with(ctx, h, in.ID, func(l *lab.Lab) (out observe.Path, err error) {
				m, err := l.ParseMoment(in.At)
				if err != nil {
					return out, err
				}
				return l.Path(m, in.From, in.To)
			})
		})

	huma.Register(api, huma.Operation{OperationID: "get-action", Method: http.MethodGet, Path: "/api/labs/{id}/actions/{seq}",
		Summary: "One action in full: events, convergence, outages"},
		func(ctx context.Context, in *struct {
			LabPath
			Seq int `path:"seq" minimum:"1"`
		}) (*body[observe.ActionDetail], error) {
			return with(ctx, h, in.ID, func(l *lab.Lab) (observe.ActionDetail, error) { return l.Action(in.Seq) })
		})
}
