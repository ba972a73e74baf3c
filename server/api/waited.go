package api

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/ground/phrase"
	"hellebore/core/lab"
	"hellebore/core/questions/critical"
	"hellebore/core/questions/playback"
)

// waitedFor asks for the critical path of an action, or of a flow in it.
type waitedFor struct {
	LabPath
	Seq int `query:"seq" minimum:"1" required:"true"`
	Towards
}

// Towards is what a critical path leads to.
type Towards struct {
	Flow string `query:"flow" maxLength:"64" doc:"what mended this flow, or broke it; absent: the last change of forwarding of all"`
	From string `query:"from" maxLength:"64" doc:"instead of a flow: a device"`
	To   string `query:"to" maxLength:"64" doc:"and the one that it sends to"`
}

func (t *Towards) about() critical.About { return critical.About{Flow: t.Flow, From: t.From, To: t.To} }

// registerWaited is convergence as it plays, what it waits for, and what would shorten that.
func (h *handlers) registerWaited(api huma.API) {
	ask(h, api, "playback", "What happens from one time to another: packets on their way, and what devices do",
		func(l *lab.Lab, in *struct {
			LabPath
			From float64 `query:"from" minimum:"0" required:"true" doc:"seconds since the lab began"`
			To   float64 `query:"to" minimum:"0" required:"true"`
			All  bool    `query:"all" doc:"all packets of the flows, not only the first ones that take another path or are lost"`
		}) (playback.Stretch, error) {
			return l.Playback(in.From, in.To, in.All)
		})
	ask(h, api, "hunt", "How the routers that run BGP chose among the paths of a prefix, from one time to another",
		func(l *lab.Lab, in *struct {
			LabPath
			From   float64 `query:"from" minimum:"0" required:"true" doc:"seconds since the lab began"`
			To     float64 `query:"to" minimum:"0" required:"true"`
			Prefix string  `query:"prefix" required:"true" example:"10.64.12.0/22"`
		}) (playback.Hunt, error) {
			return l.Hunt(in.Prefix, in.From, in.To)
		})
	ask(h, api, "critical-path", "What the convergence of an action waited for, link by link",
		func(l *lab.Lab, in *waitedFor) (out lab.Waited, err error) {
			out.Path, err = l.CriticalPath(in.Seq, in.about())
			return out, err
		})
	huma.Register(api, huma.Operation{OperationID: "try-critical-path", Method: http.MethodPost, Path: "/api/labs/{id}/critical-path",
		Summary: "What an action would wait for with another text", MaxBodyBytes: maxBody},
		func(ctx context.Context, in *struct {
			LabPath
			Body struct {
				Seq  int    `json:"seq" minimum:"1"`
				Text string `json:"text"`
				Flow string `json:"flow,omitempty" maxLength:"64"`
				From string `json:"from,omitempty" maxLength:"64"`
				To   string `json:"to,omitempty" maxLength:"64"`
			}
		}) (*body[lab.Waited], error) {
			b := &in.Body
			return with(ctx, h, in.ID, func(l *lab.Lab) (out lab.Waited, err error) {
				out.Path, err = l.CriticalPathWith(b.Seq, critical.About{Flow: b.Flow, From: b.From, To: b.To}, b.Text)
				return out, err
			})
		})
	ask(h, api, "shortenings", "Edits that would shorten the critical path of an action, each tried on a copy of the lab",
		func(l *lab.Lab, in *waitedFor) ([]lab.Shortening, error) {
			return l.Shorten(in.Seq, in.about())
		})
	huma.Register(api, huma.Operation{OperationID: "export-critical-path", Method: http.MethodGet,
		Path:    "/api/labs/{id}/actions/{seq}/critical-path/{format}",
		Summary: "What the convergence of an action waited for, as a file"},
		func(ctx context.Context, in *struct {
			LabPath
			Seq    int    `path:"seq" minimum:"1"`
			Format string `path:"format" enum:"csv,md"`
			Towards
		}) (*File, error) {
			out, err := with(ctx, h, in.ID, func(l *lab.Lab) (lab.Waited, error) {
				p, err := l.CriticalPath(in.Seq, in.about())
				return lab.Waited{Path: p}, err
			})
			if err != nil {
				return nil, err
			}
			p := out.Body.Path
			if p == nil {
				return nil, huma.Error422UnprocessableEntity(phrase.Text("no forwarding changed after this action"))
			}
			name := fmt.Sprintf("critical-path-%d.%s", in.Seq, in.Format)
			if in.Format == "md" {
				return file("text/markdown; charset=utf-8", name, []byte(p.Markdown())), nil
			}
			return file("text/csv; charset=utf-8", name, []byte(p.CSV())), nil
		})
}
