package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	"hellebore/core/questions/traffic"
)

// ProbeQuery is what to send, from where, and at which moment.
type ProbeQuery struct {
	Moment
	From   string `query:"from" required:"true" maxLength:"129" doc:"the device that sends, or an instance of one: junction/ferry"`
	Source string `query:"source" maxLength:"64" doc:"one of its addresses; absent: the port's by which the packets leave"`
	To     string `query:"to" required:"true" maxLength:"64" doc:"an address, or the name of a device"`
	Count  int    `query:"count" minimum:"1" maximum:"100" default:"1" doc:"echo requests to send, one an interval"`
	Every  string `query:"every" maxLength:"20" doc:"the interval, by default 1s"`
	Port   int    `query:"port" minimum:"0" maximum:"65535" doc:"open TCP connections to this port instead"`
	Trace  bool   `query:"trace" doc:"send one request a TTL instead, from 1 up, until the destination answers"`
}

// ProbeReply is one request and what came of it.
type ProbeReply traffic.Reply

// ProbeEnd is what the probe came to.
type ProbeEnd traffic.ProbeResult

// ProbeRefused says why a probe cannot be.
type ProbeRefused struct {
	Detail string `json:"detail"`
}

// registerProbe makes the stream of a probe: each reply as it comes. The packets
// go through a copy of the network, so the lab is not kept waiting; whoever
// closes the connection ends the probe.
func (h *handlers) registerProbe(api huma.API) {
	sse.Register(api, huma.Operation{OperationID: "probe", Method: http.MethodGet, Path: "/api/labs/{id}/probe",
		Summary: "Send ICMP echo requests through a copy of the network at a moment; replies as server-sent events"},
		map[string]any{"reply": ProbeReply{}, "end": ProbeEnd{}, "refused": ProbeRefused{}},
		func(ctx context.Context, in *ProbeQuery, send sse.Sender) {
			r, err := h.probe(ctx, in, send)
			if err != nil {
				_ = send.Data(ProbeRefused{err.Error()})
				return
			}
			_ = send.Data(ProbeEnd(r))
		})
}

func (h *handlers) probe(ctx context.Context, in *ProbeQuery, send sse.Sender) (out traffic.ProbeResult, err error) {
	l, err := h.labs.Open(ctx, in.ID)
	if err != nil {
		return out, problem(err)
	}
	x := l.View(ctx)
	m, err := x.ParseMoment(in.At)
	if err != nil {
		return out, problem(err)
	}
	w := x.Fork(m)
	r := traffic.ProbeRequest{From: in.From, Source: in.Source, To: in.To, Count: in.Count, Every: in.Every,
		Trace: in.Trace, Port: uint16(in.Port)}
	return traffic.Probe(w, r, func(x traffic.Reply) bool {
		return send.Data(ProbeReply(x)) == nil && ctx.Err() == nil
	})
}
