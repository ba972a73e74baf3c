package api

import (
	"bytes"
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/lab"
	"hellebore/core/questions/tables"
)

// RoutesChosen says which routes are asked for.
type RoutesChosen struct {
	Moment
	To       string `query:"to" maxLength:"64" doc:"prefixes that contain this prefix or address, or are in it"`
	Exact    bool   `query:"exact" doc:"this prefix only"`
	Source   string `query:"source" enum:"connected,static,ospf,bgp,taken" doc:"prefixes for which some column uses a route of this source"`
	Device   string `query:"device" maxLength:"64" doc:"columns of this router and its instances"`
	Instance string `query:"instance" maxLength:"129" doc:"this column only"`
	Area     string `query:"area" maxLength:"15" doc:"columns in this OSPF area"`
	AS       uint32 `query:"as" doc:"columns of this AS"`
	Role     string `query:"role" enum:"area-border,as-boundary,reflector" doc:"columns of routers with this role"`
}

// RoutesWindow is a part of what was chosen.
type RoutesWindow struct {
	RoutesChosen
	Grouped bool   `query:"grouped" doc:"prefixes that all columns treat alike are one row"`
	Of      string `query:"of" maxLength:"64" doc:"the prefixes that are one row with this one"`
	Offset  int    `query:"offset" minimum:"0" doc:"the first row"`
	Limit   int    `query:"limit" minimum:"0" maximum:"200" doc:"rows at most; fewer come if there are many columns"`
	Column  int    `query:"column" minimum:"0" doc:"the first column with cells"`
	Columns int    `query:"columns" minimum:"0" maximum:"5000" doc:"columns with cells, at most"`
}

func (c *RoutesChosen) ask() tables.RoutesAsk {
	return tables.RoutesAsk{To: c.To, Exact: c.Exact, Source: c.Source, Device: c.Device, Instance: c.Instance, Area: c.Area, AS: c.AS, Role: c.Role}
}

func (h *handlers) registerRoutes(api huma.API) {
	ask(h, api, "routes", "Prefixes across routers: a part of them", func(l *lab.Lab, in *RoutesWindow) (out tables.RoutesPart, err error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return out, err
		}
		a := in.ask()
		a.Grouped, a.Of, a.Offset, a.Limit, a.Column, a.Columns = in.Grouped, in.Of, in.Offset, in.Limit, in.Column, in.Columns
		return tables.RoutesPartOf(l.World(m), a)
	})
	huma.Register(api, huma.Operation{OperationID: "export-routes", Method: http.MethodGet, Path: "/api/labs/{id}/routes/csv",
		Summary: "The routes that are chosen, as a file, one a line"},
		func(ctx context.Context, in *RoutesChosen) (*File, error) {
			b, err := with(ctx, h, in.ID, func(l *lab.Lab) (out []byte, err error) {
				m, err := l.ParseMoment(in.At)
				if err != nil {
					return nil, err
				}
				var b bytes.Buffer
				err = tables.RoutesCSV(&b, l.World(m), in.ask())
				return b.Bytes(), err
			})
			if err != nil {
				return nil, err
			}
			return file("text/csv; charset=utf-8", "routes.csv", b.Body), nil
		})
}
