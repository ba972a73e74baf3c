package api

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/ground/phrase"
	"hellebore/core/lab"
)

// waitedFor asks for the critical path of an action, or of a flow in it.
type waitedFor struct {
	LabPath
	Seq  int    `query:"seq" minimum:"1" required:"true"`
	Flow string `query:"flow" maxLength:"64" doc:"absent: the last change of forwarding of all"`
}

// registerWaited is what convergence waits for, and what would shorten that.
func (h *handlers) registerWaited(api huma.API) {
	ask(h, api, "critical-path", "What the convergence of an action waited for, link by link",
		func(l *lab.Lab, in *waitedFor) (out lab.Waited, err error) {
			out.Path, err = l.CriticalPath(in.Seq, in.Flow)
			return out, err
		})
	ask(h, api, "shortenings", "Edits that would shorten the critical path of an action, each tried on a copy of the lab",
		func(l *lab.Lab, in *waitedFor) ([]lab.Shortening, error) {
			return l.Shorten(in.Seq, in.Flow)
		})
	huma.Register(api, huma.Operation{OperationID: "export-critical-path", Method: http.MethodGet,
		Path:    "/api/labs/{id}/actions/{seq}/critical-path/{format}",
		Summary: "What the convergence of an action waited for, as a file"},
		func(ctx context.Context, in *struct {
			LabPath
			Seq    int    `path:"seq" minimum:"1"`
			Format string `path:"format" enum:"csv,md"`
			Flow   string `query:"flow" maxLength:"64"`
		}) (*File, error) {
			out, err := with(ctx, h, in.ID, func(l *lab.Lab) (lab.Waited, error) {
				p, err := l.CriticalPath(in.Seq, in.Flow)
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
