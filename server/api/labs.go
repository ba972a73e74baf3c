package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/ground/event"
	"hellebore/core/lab"
	"hellebore/core/questions/timeline"
	"hellebore/core/simulation/history"
	"hellebore/server/live"
	"hellebore/server/store"
)

// LabRow is a lab in the list.
type LabRow struct {
	ID      string    `json:"id"`
	Title   string    `json:"title"`
	Demo    bool      `json:"demo"`
	Lesson  int       `json:"lesson" doc:"place of a demo lab in the order in which one learns, from 1; 0 for other labs"`
	ForkOf  string    `json:"forkOf,omitempty"`
	Actions int       `json:"actions"`
	Created time.Time `json:"created"`
	Updated time.Time `json:"updated"`
	lab.Cover
}

func rowOf(l store.Lab, lesson int, c lab.Cover) LabRow {
	return LabRow{l.ID, l.Title, l.Demo != "", lesson, l.ForkOf, l.Actions, l.CreatedAt, l.UpdatedAt, c}
}

// NewLab is a lab that was just made.
type NewLab struct {
	ID    string `json:"id"`
	Title string `json:"title"`
}

// LabState is an open lab.
type LabState struct {
	ID      string            `json:"id"`
	Title   string            `json:"title"`
	Opened  string            `json:"opened" doc:"of which opening of the lab on the server this is"`
	After   int               `json:"after" doc:"the actions up to this one, and a text that one of them applied, are left out: they are as they were"`
	Text    string            `json:"text" doc:"the text in force"`
	TextSeq int               `json:"textSeq" doc:"the action that applied it; send it back as base of the next"`
	Now     float64           `json:"now" doc:"virtual time, seconds"`
	Actions []timeline.Action `json:"actions"`
	Moments []lab.NamedMoment `json:"moments" doc:"moments that have a name"`
	Checks  int               `json:"checks" doc:"how many the text has"`
	Brief   bool              `json:"brief" doc:"the text has one"`
}

// LabPath names a lab in the path of an operation.
type LabPath struct {
	ID string `path:"id" maxLength:"40"`
}

func (p LabPath) lab() string { return p.ID }

type body[T any] struct {
	Body T
}

func (h *handlers) registerLabs(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "list-labs", Method: http.MethodGet, Path: "/api/labs",
		Summary: "All labs: those that somebody made, the latest first, then the demo labs in the order in which one learns"},
		func(ctx context.Context, _ *struct{}) (*body[[]LabRow], error) {
			labs, err := h.labs.List(ctx)
			if err != nil {
				return nil, problem(err)
			}
			rows := []LabRow{}
			for _, l := range labs {
				rows = append(rows, rowOf(l.Lab, l.Lesson, l.Cover))
			}
			return &body[[]LabRow]{rows}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "create-lab", Method: http.MethodPost, Path: "/api/labs",
		Summary:       "Make a lab from a text",
		DefaultStatus: http.StatusCreated, MaxBodyBytes: maxBody},
		func(ctx context.Context, in *body[struct {
			Text string `json:"text"`
		}]) (*body[NewLab], error) {
			l, err := h.labs.Create(ctx, in.Body.Text, "")
			if err != nil {
				return nil, problem(err)
			}
			return &body[NewLab]{NewLab{l.ID, l.Title}}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "delete-lab", Method: http.MethodDelete, Path: "/api/labs/{id}",
		Summary:       "Delete a lab and its journal",
		DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *LabPath) (*struct{}, error) {
			return nil, problem(h.labs.Delete(ctx, in.ID))
		})

	huma.Register(api, huma.Operation{OperationID: "reset-lab", Method: http.MethodPost, Path: "/api/labs/{id}/reset",
		Summary:       "Put a demo lab back to its original: its text, and nothing done to it",
		DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *LabPath) (*struct{}, error) {
			return nil, problem(h.labs.Reset(ctx, in.ID))
		})

	huma.Register(api, huma.Operation{OperationID: "get-lab", Method: http.MethodGet, Path: "/api/labs/{id}",
		Summary: "A lab: its text and its actions; to somebody who has it, only what is new"},
		func(ctx context.Context, in *struct {
			LabPath
			Opened string `query:"opened" maxLength:"40" doc:"of the answer that the client has"`
			After  int    `query:"after" minimum:"0" doc:"the client has the actions up to this one"`
		}) (*body[LabState], error) {
			open, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			return with(ctx, h, in.ID, func(l *lab.Lab) (LabState, error) {
				out := LabState{ID: in.ID, Title: l.Title(), Opened: open.Opened, TextSeq: live.LastApply(l),
					Now: float64(l.History().Head().Now()) / 1e9, Moments: l.Moments(),
					Checks: len(l.History().Lab().Checks), Brief: l.HasBrief()}
				if in.Opened == open.Opened && in.After <= len(l.History().Steps()) {
					out.After = in.After
				}
				if out.TextSeq > out.After {
					out.Text = l.Text()
				}
				out.Actions = l.TimelineAfter(out.After)
				return out, nil
			})
		})

	huma.Register(api, huma.Operation{OperationID: "fork-lab", Method: http.MethodPost, Path: "/api/labs/{id}/fork",
		Summary: "Make a lab that begins as this one was at a moment", DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *struct {
			LabPath
			Body struct {
				At string `json:"at" doc:"a moment"`
			}
		}) (*body[NewLab], error) {
			l, err := h.labs.Fork(ctx, in.ID, in.Body.At)
			if err != nil {
				return nil, problem(err)
			}
			return &body[NewLab]{NewLab{l.ID, l.Title}}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "act", Method: http.MethodPost, Path: "/api/labs/{id}/actions",
		Summary: "Do something to the lab: cut viaduct.e1, or apply a text", MaxBodyBytes: maxBody,
		BodyReadTimeout: time.Minute},
		func(ctx context.Context, in *struct {
			LabPath
			Body struct {
				Action  string  `json:"action" doc:"as it is typed; apply for a text" maxLength:"200"`
				Text    string  `json:"text,omitempty" doc:"of an apply"`
				Base    int     `json:"base,omitempty" doc:"of an apply: textSeq of the text it was made from"`
				Author  string  `json:"author,omitempty" maxLength:"80"`
				Message string  `json:"message,omitempty" maxLength:"400" doc:"why it is done"`
				ID      string  `json:"id,omitempty" maxLength:"40" pattern:"^[0-9a-f-]*$" doc:"identifies this order: sent again, it is not carried out again"`
				For     float64 `json:"for,omitempty" minimum:"0" maximum:"1000000" doc:"let this much virtual time pass, in seconds, instead of running to rest"`
			}
		}) (*body[timeline.Action], error) {
			a := history.Action{Kind: history.Apply, Text: in.Body.Text}
			if in.Body.Action != history.Apply.String() {
				var err error
				if a, err = history.ParseAction(in.Body.Action); err != nil {
					return nil, problem(err)
				}
			}
			l, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			record, err := l.Act(ctx,
				live.Order{Action: a, ID: in.Body.ID, For: event.Time(in.Body.For * 1e9), Base: in.Body.Base,
					Author: in.Body.Author, Message: in.Body.Message})
			if err != nil {
				return nil, problem(err)
			}
			return with(ctx, h, in.ID, func(l *lab.Lab) (timeline.Action, error) {
				detail, err := l.Action(record.Seq)
				return detail.Action, err
			})
		})

	huma.Register(api, huma.Operation{OperationID: "cancel", Method: http.MethodPost, Path: "/api/labs/{id}/cancel",
		Summary: "Stop what is running, if it still is: an action, a preview, or the opening of the lab"},
		func(_ context.Context, in *struct {
			LabPath
			Body struct {
				Work string `json:"work" maxLength:"40" doc:"of the news of its progress"`
			}
		}) (*body[struct {
			Stopped bool `json:"stopped"`
		}], error) {
			l, err := h.labs.Find(in.ID)
			if err != nil {
				return nil, problem(err)
			}
			out := &body[struct {
				Stopped bool `json:"stopped"`
			}]{}
			out.Body.Stopped = l.Cancel(in.Body.Work)
			return out, nil
		})
}

// with asks a lab as it is now for something. That takes none of the lab's time,
// and ends when the client is gone.
func with[T any](ctx context.Context, h *handlers, id string, ask func(*lab.Lab) (T, error)) (*body[T], error) {
	l, err := h.labs.Open(ctx, id)
	if err != nil {
		return nil, problem(err)
	}
	out := &body[T]{}
	if out.Body, err = ask(l.View(ctx)); err == nil {
		err = ctx.Err() // half of an answer is none
	}
	if err != nil {
		return nil, problem(err)
	}
	return out, nil
}
