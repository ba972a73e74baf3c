package api

import (
	"bytes"
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/lab"
	"hellebore/core/questions/paths"
)

// registerPaths is what BGP has to show: the story of a prefix, the tables of
// sessions and routers, and the bench on which policies are tried.
// TableChosen is a table, and what is looked for in it.
type TableChosen struct {
	Device string `query:"device" required:"true" maxLength:"129"`
	Peer   string `query:"peer" maxLength:"15" doc:"address of a session's peer; absent: the router's Loc-RIB"`
	Way    string `query:"way" enum:"in,out" default:"in" doc:"of a session: what came in, or what went out"`
	Find   string `query:"find" maxLength:"200" doc:"only rows that have this in their prefix, path, next hop, communities or reason"`
}

func (h *handlers) registerPaths(api huma.API) {
	view(h, api, "warnings", "What a careful colleague would say on seeing the network run", (*lab.Lab).StateWarnings)
	view(h, api, "policies", "The policies of the lab, and who uses them", (*lab.Lab).Policies)
	view(h, api, "takes", "What crosses between the routing instances of routers, and what does not", (*lab.Lab).Takes)
	ask(h, api, "paths", "The story of a prefix: each path from its arrival to the decision, and what was sent to whom", func(l *lab.Lab, in *struct {
		Moment
		To     string `query:"to" required:"true" maxLength:"64" doc:"a prefix or an address"`
		Device string `query:"device" maxLength:"129" doc:"absent: all routers that have a path"`
	}) (paths.PrefixPaths, error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return paths.PrefixPaths{}, err
		}
		return l.Paths(m, in.To, in.Device)
	})
	ask(h, api, "path-table", "The tables of a session, or the Loc-RIB of a router", func(l *lab.Lab, in *struct {
		Moment
		TableChosen
		By     string `query:"by" maxLength:"20" doc:"what rows are grouped by: next hop, next-hop router, neighbouring AS, origin AS, outcome"`
		Offset int    `query:"offset" minimum:"0" doc:"of the first line, headings of groups included"`
		Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"60" doc:"lines"`
	}) (paths.TablePart, error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return paths.TablePart{}, err
		}
		return l.PathTable(m, in.Device, in.Peer, paths.TableAsk{Way: in.Way, Find: in.Find, By: in.By, Offset: in.Offset, Limit: in.Limit})
	})
	huma.Register(api, huma.Operation{OperationID: "export-path-table", Method: http.MethodGet, Path: "/api/labs/{id}/path-table/csv",
		Summary: "A session's table or a Loc-RIB as a file, one prefix a line"},
		func(ctx context.Context, in *struct {
			Moment
			TableChosen
		}) (*File, error) {
			b, err := with(ctx, h, in.ID, func(l *lab.Lab) ([]byte, error) {
				m, err := l.ParseMoment(in.At)
				if err != nil {
					return nil, err
				}
				var b bytes.Buffer
				err = l.PathTableCSV(&b, m, in.Device, in.Peer, paths.TableAsk{Way: in.Way, Find: in.Find})
				return b.Bytes(), err
			})
			if err != nil {
				return nil, err
			}
			return file("text/csv; charset=utf-8", "paths.csv", b.Body), nil
		})
	ask(h, api, "borders", "What an AS and its neighbour ASes send each other, prefix by prefix", func(l *lab.Lab, in *struct {
		Moment
		AS uint32 `query:"as" doc:"absent: the AS with the most routers"`
	}) (paths.Borders, error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return paths.Borders{}, err
		}
		return paths.BordersOf(l.World(m), in.AS)
	})
	huma.Register(api, huma.Operation{OperationID: "try-policy", Method: http.MethodPost, Path: "/api/labs/{id}/bench",
		Summary: "Run routes through a policy, and through that of a draft", MaxBodyBytes: maxBody},
		func(ctx context.Context, in *struct {
			Moment
			Body paths.Trial
		}) (*body[paths.Bench], error) {
			return with(ctx, h, in.ID, func(l *lab.Lab) (out paths.Bench, err error) {
				m, err := l.ParseMoment(in.At)
				if err != nil {
					return out, err
				}
				return l.TryPolicy(m, in.Body)
			})
		})
}
