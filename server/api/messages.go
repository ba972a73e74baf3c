package api

import (
	"bytes"
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/lab"
	"hellebore/core/questions/timeline"
)

// MessagesChosen is which messages are asked for.
type MessagesChosen struct {
	Device string `query:"device" maxLength:"129" doc:"only those of this device"`
	Weight string `query:"weight" enum:"trouble,notice" doc:"only those of this weight"`
	Find   string `query:"find" maxLength:"200" doc:"only those that have this in their words, their device or port"`
	After  uint32 `query:"after" doc:"only those with a greater number"`
	Read   uint32 `query:"read" doc:"those up to this number were seen"`
	Unread bool   `query:"unread" doc:"only those that were not seen"`
}

func (c *MessagesChosen) ask() timeline.MessagesAsk {
	return timeline.MessagesAsk{Device: c.Device, Weight: c.Weight, Find: c.Find, After: c.After, Read: c.Read, Unread: c.Unread}
}

func (h *handlers) registerMessages(api huma.API) {
	ask(h, api, "messages", "What routers would write to their logs, newest first", func(l *lab.Lab, in *struct {
		Moment
		MessagesChosen
		Offset int `query:"offset" minimum:"0"`
		Limit  int `query:"limit" minimum:"1" maximum:"500" default:"60"`
	}) (timeline.Messages, error) {
		m, err := l.ParseMoment(in.At)
		if err != nil {
			return timeline.Messages{}, err
		}
		what := in.ask()
		what.Offset, what.Limit = in.Offset, in.Limit
		return l.Messages(m, what), nil
	})
	huma.Register(api, huma.Operation{OperationID: "export-messages", Method: http.MethodGet, Path: "/api/labs/{id}/messages/csv",
		Summary: "What routers would write to their logs as a file, one message a line"},
		func(ctx context.Context, in *struct {
			Moment
			MessagesChosen
		}) (*File, error) {
			b, err := with(ctx, h, in.ID, func(l *lab.Lab) ([]byte, error) {
				m, err := l.ParseMoment(in.At)
				if err != nil {
					return nil, err
				}
				var b bytes.Buffer
				err = timeline.WriteMessages(&b, l.Messages(m, in.ask()))
				return b.Bytes(), err
			})
			if err != nil {
				return nil, err
			}
			return file("text/csv; charset=utf-8", "messages.csv", b.Body), nil
		})
}
