package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/lab"
	"hellebore/core/questions/capture"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
)

// Moment is the lab and the moment that a view is asked for.
type Moment struct {
	LabPath
	At string `query:"at" maxLength:"40" doc:"a moment: now, before-3, after-3 (the third action), or seconds of virtual time"`
}

// view registers an operation that shows a lab at a moment.
func view[T any](h *handlers, api huma.API, name, summary string, show func(*lab.Lab, history.Moment) T) {
	huma.Register(api, huma.Operation{OperationID: "get-" + name, Method: http.MethodGet,
		Path: "/api/labs/{id}/" + name, Summary: summary},
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

// ask registers an operation that answers a question about a lab.
func ask[In interface{ lab() string }, T any](h *handlers, api huma.API, name, summary string,
	answer func(*lab.Lab, *In) (T, error)) {
	huma.Register(api, huma.Operation{OperationID: "get-" + name, Method: http.MethodGet,
		Path: "/api/labs/{id}/" + name, Summary: summary},
		func(ctx context.Context, in *In) (*body[T], error) {
			return with(ctx, h, (*in).lab(), func(l *lab.Lab) (T, error) { return answer(l, in) })
		})
}

func (h *handlers) registerViews(api huma.API) {
	view(h, api, "map", "Devices, what joins them, and the paths of the flows", (*lab.Lab).Map)
	ask(h, api, "ports", "Ports and processes", func(l *lab.Lab, in *struct {
		Moment
		Devices []string `query:"device" maxItems:"200" doc:"of these devices; absent: of all"`
		Only    string   `query:"only" enum:"ospf,down" doc:"only those with OSPF, or those that are not up"`
		Find    string   `query:"find" maxLength:"200" doc:"only those that have this in their name, their address, or what they are joined to"`
		Sort    string   `query:"sort" enum:"name,down" doc:"owners by name, or those with the most ports that are not up first; absent: as in the text"`
		Offset  int      `query:"offset" minimum:"0" doc:"owners to pass over: routing instances and hosts"`
		Limit   int      `query:"limit" minimum:"0" doc:"owners; absent: all"`
	}) (tables.Ports, error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return tables.Ports{}, err
		}
		return l.Ports(m, tables.PortsAsk{Devices: in.Devices, Only: in.Only, Find: in.Find, Sort: in.Sort, Offset: in.Offset, Limit: in.Limit}), nil
	})
	ask(h, api, "neighbours", "Adjacencies and sessions, both ends a row", func(l *lab.Lab, in *struct {
		Moment
		Devices  []string `query:"device" maxItems:"200" doc:"those with an end on one of these devices; absent: all"`
		Wrong    bool     `query:"wrong" doc:"only those that are not up, or have something to say"`
		Down     bool     `query:"down" doc:"only those that are not up"`
		Protocol string   `query:"protocol" enum:"ospf,bgp"`
		Find     string   `query:"find" maxLength:"200" doc:"only those that have this in a name, an address or their state"`
		Sort     string   `query:"sort" enum:"since,name" doc:"the latest change first, or by name; absent: what is not up first"`
		Offset   int      `query:"offset" minimum:"0"`
		Limit    int      `query:"limit" minimum:"0" doc:"absent: all"`
	}) (relations.Neighbours, error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return relations.Neighbours{}, err
		}
		return l.Neighbours(m, relations.Ask{Devices: in.Devices, Wrong: in.Wrong, Down: in.Down, Protocol: in.Protocol, Find: in.Find,
			Sort: in.Sort, Offset: in.Offset, Limit: in.Limit}), nil
	})
	ask(h, api, "database", "An area's link-state database, decoded, and who holds other copies", func(l *lab.Lab, in *struct {
		Moment
		Area   string `query:"area" maxLength:"15" doc:"number of the area, outside for what belongs to none; absent or not there: the first"`
		Of     string `query:"of" maxLength:"129" doc:"where several networks that nothing joins have OSPF: a router of the one that is meant"`
		Type   string `query:"type" maxLength:"40" doc:"only LSAs of this type"`
		Device string `query:"device" maxLength:"129" doc:"only those that this device advertises"`
		To     string `query:"to" maxLength:"64" doc:"only those that announce a network that has to do with this prefix or address"`
		Find   string `query:"find" maxLength:"200" doc:"only those that have this in what they are, who advertises them, or what they say"`
		Offset int    `query:"offset" minimum:"0"`
		Limit  int    `query:"limit" minimum:"0" doc:"absent: all"`
	}) (tables.DatabasePart, error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return tables.DatabasePart{}, err
		}
		return l.Database(m).Part(tables.DatabaseAsk{Area: in.Area, Of: in.Of, Type: in.Type, Device: in.Device, To: in.To, Find: in.Find,
			Offset: in.Offset, Limit: in.Limit})
	})
	h.registerMessages(api)
	view(h, api, "names", "What can be named: for completion", (*lab.Lab).Names)
	h.registerRoutes(api)

	huma.Register(api, huma.Operation{OperationID: "explain-route", Method: http.MethodGet,
		Path:    "/api/labs/{id}/explain",
		Summary: "How a router came to its route"},
		func(ctx context.Context, in *struct {
			Moment
			Device string `query:"device" required:"true" maxLength:"129"`
			To     string `query:"to" required:"true" maxLength:"64" doc:"a prefix or an address"`
		}) (*body[tables.RouteStory], error) {
			return with(ctx, h, in.ID, func(l *lab.Lab) (out tables.RouteStory, err error) {
				m, err := l.ParseMoment(in.At)
				if err != nil {
					return out, err
				}
				return l.Explain(m, in.Device, in.To)
			})
		})

	ask(h, api, "tree", "The shortest-path tree of a router", func(l *lab.Lab, in *struct {
		Moment
		Device string `query:"device" required:"true" maxLength:"129"`
	}) (tables.Tree, error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return tables.Tree{}, err
		}
		return l.Tree(m, in.Device)
	})
	ask(h, api, "ladder", "How an adjacency came to its state, as each end saw it", func(l *lab.Lab, in *struct {
		Moment
		A string `query:"a" required:"true" maxLength:"130" doc:"a port: viaduct.e1"`
		B string `query:"b" required:"true" maxLength:"130"`
	}) (relations.Ladder, error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return relations.Ladder{}, err
		}
		return l.Ladder(m, in.A, in.B)
	})
	ask(h, api, "summary", "The smallest prefix that covers several, and what else it covers",
		func(l *lab.Lab, in *struct {
			Moment
			Prefixes []string `query:"prefixes" maxItems:"200" doc:"absent: the networks of the area"`
			Area     string   `query:"area" maxLength:"15"`
		}) (tables.Summary, error) {
			m, err := l.ParseMoment(in.At)
			if err != nil {
				return tables.Summary{}, err
			}
			return l.Summary(m, in.Prefixes, in.Area)
		})
	ask(h, api, "packets", "The packets of a link or segment between two moments, decoded",
		func(l *lab.Lab, in *struct {
			LabPath
			Port  string   `query:"port" required:"true" maxLength:"130" doc:"any port on it: viaduct.e1"`
			From  string   `query:"from" maxLength:"40" doc:"a moment; absent: the beginning"`
			To    string   `query:"to" maxLength:"40" doc:"a moment; absent: now"`
			Kinds []string `query:"kinds" maxItems:"20" doc:"absent: all"`
		}) (capture.Packets, error) {
			if in.From == "" {
				in.From = "0"
			}
			from, err := l.ParseMoment(in.From)
			if err != nil {
				return capture.Packets{}, err
			}
			to, err := l.ParseMoment(in.To)
			if err != nil {
				return capture.Packets{}, err
			}
			return l.Packets(in.Port, from, to, in.Kinds)
		})

	huma.Register(api, huma.Operation{OperationID: "get-path", Method: http.MethodGet, Path: "/api/labs/{id}/path",
		Summary: "The path from a device to an address or another device, by the tables"},
		func(ctx context.Context, in *struct {
			Moment
			From string `query:"from" required:"true" maxLength:"129"`
			To   string `query:"to" required:"true" maxLength:"64"`
		}) (*body[traffic.Path], error) {
			return with(ctx, h, in.ID, func(l *lab.Lab) (out traffic.Path, err error) {
				m, err := l.ParseMoment(in.At)
				if err != nil {
					return out, err
				}
				return l.Path(m, in.From, in.To)
			})
		})

	huma.Register(api, huma.Operation{OperationID: "get-action", Method: http.MethodGet,
		Path:    "/api/labs/{id}/actions/{seq}",
		Summary: "One action in full: events, convergence, outages"},
		func(ctx context.Context, in *struct {
			LabPath
			Seq  int     `path:"seq" minimum:"1"`
			From float64 `query:"from" doc:"its events from this time on, in seconds since the lab began"`
			To   float64 `query:"to" doc:"its events up to this time; 0 is its end"`
			Find string  `query:"find" maxLength:"200" doc:"words that an event or its device has: events that match are counted, and share no mark with others"`
		}) (*body[timeline.ActionDetail], error) {
			return with(ctx, h, in.ID, func(l *lab.Lab) (timeline.ActionDetail, error) {
				return l.ActionPart(in.Seq, in.From, in.To, in.Find)
			})
		})
}
