package api

import (
	"bytes"
	"context"
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/simulation/history"
	"hellebore/server/store"
	"hellebore/server/sweeps"
)

// SweepRow is a sweep in the list of a lab's sweeps.
type SweepRow struct {
	ID      string     `json:"id"`
	Actions int        `json:"actions" doc:"the network is that after so many actions of the lab"`
	Draft   bool       `json:"draft" doc:"of a draft that was applied to it first"`
	Kinds   []string   `json:"kinds" doc:"of which failures; none: of all"`
	Own     []string   `json:"own" doc:"failures of one's own instead"`
	Depth   int        `json:"depth"`
	Budget  int        `json:"budget" doc:"with a depth of 2, how many pairs are tried, the most suspicious ones; 0 for all"`
	State   string     `json:"state" enum:"preparing,running,stopped,done,failed"`
	Error   string     `json:"error" doc:"why it failed"`
	Total   int        `json:"total" doc:"failures to try, and pairs of them, at most; 0 as long as that is not known"`
	Tried   int        `json:"tried"`
	Left    *float64   `json:"left" doc:"seconds until it has ended, about; null if nobody knows"`
	Created time.Time  `json:"created"`
	Ended   *time.Time `json:"ended"`
}

func sweepRow(w *store.Sweep) SweepRow {
	r := SweepRow{ID: w.ID, Actions: w.Actions, Draft: w.Name != "", Kinds: []string{}, Own: []string{}, Depth: w.Depth, Budget: w.Budget, State: string(w.State), Error: w.Error,
		Total: w.Expected, Tried: w.Found, Created: w.CreatedAt, Ended: w.EndedAt}
	_ = json.Unmarshal([]byte(w.Kinds), &r.Kinds) // written by Begin
	_ = json.Unmarshal([]byte(w.Own), &r.Own)
	if left, ok := sweeps.Left(w, time.Now()); ok {
		s := left.Seconds()
		r.Left = &s
	}
	return r
}

// Swept is a failure and what it does.
type Swept struct {
	Title string     `json:"title"`
	Harm  sweep.Harm `json:"harm" enum:"for good,for a time,none"`
	Says  string     `json:"says" doc:"what it does, in a line"`
	sweep.Impact
}

// SweepFound is what a sweep has found so far.
type SweepFound struct {
	Sweep     SweepRow              `json:"sweep"`
	Overview  sweep.Overview        `json:"overview"`
	Says      string                `json:"says" doc:"the overview in a sentence"`
	Flows     []string              `json:"flows" doc:"all flows, as the text has them"`
	Untouched []string              `json:"untouched" doc:"flows that no failure touches"`
	Places    []sweep.CriticalPlace `json:"places" doc:"how critical things on the map are"`
	Found     int                   `json:"found" doc:"failures that were asked for"`
	Offset    int                   `json:"offset" doc:"of the first that follows"`
	Failures  []Swept               `json:"failures" doc:"some of them, the worst first"`
}

// SweepPath names a sweep of a lab.
type SweepPath struct {
	LabPath
	Sweep string `path:"sweep" maxLength:"40"`
}

// SweepChosen says which failures are asked for.
type SweepChosen struct {
	SweepPath
	At   string `query:"at" maxLength:"129" doc:"failures of this device or port, or of something at it"`
	Kind string `query:"kind" maxLength:"20" doc:"failures of this kind"`
	Harm string `query:"harm" enum:"for good,for a time,none" doc:"failures that do this harm"`
	Flow string `query:"flow" maxLength:"64" doc:"failures that touch this flow"`
	Find string `query:"find" maxLength:"80" doc:"failures of which name or effects contain this"`
}

func (c *SweepChosen) keeps(r *sweep.Impact) bool {
	if c.Kind != "" && string(r.Kind) != c.Kind || c.Harm != "" && string(r.Harm()) != c.Harm {
		return false
	}
	if c.Flow != "" && !slices.ContainsFunc(r.Flows, func(f sweep.FlowImpact) bool { return f.Name == c.Flow }) {
		return false
	}
	if c.At != "" {
		device, port, _ := strings.Cut(c.At, ".")
		if !r.IsAt(config.PortRef{Device: device, Port: port}) {
			return false
		}
	}
	find := strings.ToLower(c.Find)
	return find == "" || strings.Contains(strings.ToLower(r.Title()), find) || strings.Contains(strings.ToLower(r.Says()), find)
}

// found is what a sweep has found that was asked for, the worst first.
func (h *handlers) found(ctx context.Context, c *SweepChosen) (w store.Sweep, all, chosen []sweep.Impact, err error) {
	w, all, err = h.sweeps.Found(ctx, c.ID, c.Sweep)
	if err != nil {
		return w, nil, nil, problem(err)
	}
	for i := range all {
		if c.keeps(&all[i]) {
			chosen = append(chosen, all[i])
		}
	}
	return w, all, chosen, nil
}

// flowsOf are the flows of the text that a sweep is of.
func (h *handlers) flowsOf(ctx context.Context, w *store.Sweep) ([]string, error) {
	text := w.Text
	if text == "" {
		l, err := h.labs.Open(ctx, w.LabID)
		if err != nil {
			return nil, problem(err)
		}
		steps := l.View(ctx).History().Steps()
		if w.Actions > len(steps) {
			return []string{}, nil
		}
		return flowNames(steps[w.Actions-1].Lab), nil
	}
	r := labtext.Parse(text)
	return flowNames(&r.Lab), nil
}

func flowNames(l *config.Lab) []string {
	out := []string{}
	for _, f := range l.Flows {
		out = append(out, f.Name)
	}
	return out
}

// registerSweeps makes the operations of trying all failures.
func (h *handlers) registerSweeps(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "begin-sweep", Method: http.MethodPost, Path: "/api/labs/{id}/sweeps",
		Summary: "Try all failures of the network as it is now, or with a draft applied", DefaultStatus: http.StatusCreated, MaxBodyBytes: maxBody},
		func(ctx context.Context, in *struct {
			LabPath
			Body struct {
				Text   string   `json:"text,omitempty" doc:"a draft that is applied to a copy first"`
				Kinds  []string `json:"kinds,omitempty" doc:"of which failures; absent: of all but maintenance and one-way"`
				Own    []string `json:"own,omitempty" maxItems:"200" doc:"failures of one's own instead: actions that happen at once joined by and"`
				Depth  int      `json:"depth,omitempty" minimum:"1" maximum:"2" doc:"how many failures at a time; absent: 1"`
				Budget int      `json:"budget,omitempty" minimum:"0" doc:"with a depth of 2, how many pairs are tried, the most suspicious ones; absent: all"`
			}
		}) (*body[SweepRow], error) {
			l, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			x := l.View(ctx)
			if !x.History().Head().Calm().Settled() {
				return nil, huma.Error422UnprocessableEntity(phrase.Text("the network is not at rest: settle it, then sweep"))
			}
			if len(x.History().Steps()) == 0 {
				return nil, huma.Error422UnprocessableEntity(phrase.Text("the lab is empty: nothing can fail"))
			}
			o := sweeps.Order{Lab: in.ID, Actions: len(x.History().Steps()), Kinds: in.Body.Kinds, Own: in.Body.Own, Depth: max(in.Body.Depth, 1), Budget: in.Body.Budget}
			if in.Body.Text != "" && labtext.Normal(in.Body.Text) != x.Text() {
				o.Text, o.Name = in.Body.Text, "draft"
			}
			w, err := h.sweeps.Begin(ctx, o)
			if err != nil {
				return nil, problem(err)
			}
			return &body[SweepRow]{sweepRow(&w)}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "list-sweeps", Method: http.MethodGet, Path: "/api/labs/{id}/sweeps",
		Summary: "The sweeps of a lab, the newest first"},
		func(ctx context.Context, in *LabPath) (*body[[]SweepRow], error) {
			all, err := h.sweeps.List(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			out := []SweepRow{}
			for i := range all {
				out = append(out, sweepRow(&all[i]))
			}
			return &body[[]SweepRow]{out}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "get-sweep", Method: http.MethodGet, Path: "/api/labs/{id}/sweeps/{sweep}",
		Summary: "What a sweep has found so far"},
		func(ctx context.Context, in *struct {
			SweepChosen
			Offset int `query:"offset" minimum:"0"`
			Limit  int `query:"limit" minimum:"0" maximum:"500" doc:"failures at most"`
		}) (*body[SweepFound], error) {
			w, all, chosen, err := h.found(ctx, &in.SweepChosen)
			if err != nil {
				return nil, err
			}
			flows, err := h.flowsOf(ctx, &w)
			if err != nil {
				return nil, err
			}
			sum := sweep.Sum(all)
			out := SweepFound{Sweep: sweepRow(&w), Overview: sum, Says: sum.String(), Flows: flows, Untouched: sweep.Untouched(flows, all), Places: sweep.Places(all),
				Found: len(chosen), Offset: in.Offset, Failures: []Swept{}}
			for i := min(in.Offset, len(chosen)); i < min(in.Offset+in.Limit, len(chosen)); i++ {
				r := &chosen[i]
				out.Failures = append(out.Failures, Swept{r.Title(), r.Harm(), r.Says(), *r})
			}
			return &body[SweepFound]{out}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "hold-sweeps", Method: http.MethodGet, Path: "/api/labs/{id}/sweeps/{sweep}/against/{other}",
		Summary: "Two sweeps held against each other: which failures become worse, which better"},
		func(ctx context.Context, in *struct {
			SweepPath
			Other string `path:"other" maxLength:"40" doc:"the sweep from before"`
		}) (*body[sweep.Against], error) {
			_, before, err := h.sweeps.Found(ctx, in.ID, in.Other)
			if err != nil {
				return nil, problem(err)
			}
			_, after, err := h.sweeps.Found(ctx, in.ID, in.Sweep)
			if err != nil {
				return nil, problem(err)
			}
			return &body[sweep.Against]{sweep.Hold(before, after)}, nil
		})

	do := func(name, path, summary string, do func(ctx context.Context, lab, id string) error) {
		huma.Register(api, huma.Operation{OperationID: name, Method: http.MethodPost, Path: "/api/labs/{id}/sweeps/{sweep}/" + path,
			Summary: summary, DefaultStatus: http.StatusNoContent},
			func(ctx context.Context, in *SweepPath) (*struct{}, error) {
				return nil, problem(do(ctx, in.ID, in.Sweep))
			})
	}
	do("stop-sweep", "stop", "Stop a sweep; what it found stays", func(ctx context.Context, lab, id string) error { return h.sweeps.StopSweep(ctx, lab, id) })
	do("go-on-sweep", "go-on", "Have a sweep that was stopped go on", func(ctx context.Context, lab, id string) error { return h.sweeps.GoOn(ctx, lab, id) })

	huma.Register(api, huma.Operation{OperationID: "delete-sweep", Method: http.MethodDelete, Path: "/api/labs/{id}/sweeps/{sweep}",
		Summary: "Delete a sweep and what it found", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *SweepPath) (*struct{}, error) {
			return nil, problem(h.sweeps.Delete(ctx, in.ID, in.Sweep))
		})

	huma.Register(api, huma.Operation{OperationID: "open-failure", Method: http.MethodPost, Path: "/api/labs/{id}/sweeps/{sweep}/open",
		Summary: "Make a lab in which a failure of a sweep happens, to look into it", DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *struct {
			SweepPath
			Body struct {
				Name  string `json:"name" maxLength:"400" doc:"what fails"`
				After string `json:"after,omitempty" maxLength:"400" doc:"what failed before it"`
			}
		}) (*body[NewLab], error) {
			w, all, err := h.sweeps.Found(ctx, in.ID, in.Sweep)
			if err != nil {
				return nil, problem(err)
			}
			var failures [][]history.Action
			text := w.Text
			for _, name := range []string{in.Body.After, in.Body.Name} {
				if name == "" {
					continue
				}
				i := slices.IndexFunc(all, func(r sweep.Impact) bool { return r.Name == name })
				if i < 0 {
					return nil, huma.Error404NotFound(phrase.Say("the sweep has no failure %s", name))
				}
				actions, drained, err := h.doing(ctx, &w, text, &all[i].Failure)
				if err != nil {
					return nil, problem(err)
				}
				failures, text = append(failures, actions), drained
			}
			l, err := h.labs.ForkDoing(ctx, in.ID, w.Actions, text, failures)
			if err != nil {
				return nil, problem(err)
			}
			return &body[NewLab]{NewLab{l.ID, l.Title}}, nil
		})

	huma.Register(api, huma.Operation{OperationID: "export-sweep", Method: http.MethodGet, Path: "/api/labs/{id}/sweeps/{sweep}/export/{format}",
		Summary: "What a sweep has found, as a file"},
		func(ctx context.Context, in *struct {
			SweepChosen
			Format string `path:"format" enum:"json,csv,md,junit"`
		}) (*File, error) {
			_, _, chosen, err := h.found(ctx, &in.SweepChosen)
			if err != nil {
				return nil, err
			}
			l, err := h.labs.Open(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			title := l.View(ctx).Title()
			var b bytes.Buffer
			kind, ending := "", in.Format
			switch in.Format {
			case "json":
				kind = "application/json"
				err = json.NewEncoder(&b).Encode(sweep.Findings{Overview: sweep.Sum(chosen), Results: append([]sweep.Impact{}, chosen...)})
			case "csv":
				kind = "text/csv; charset=utf-8"
				err = sweep.CSV(&b, chosen)
			case "md":
				kind = "text/markdown; charset=utf-8"
				err = sweep.Markdown(&b, title, chosen, 0)
			default:
				kind, ending = "application/xml", "xml"
				err = sweep.JUnit(&b, title, chosen)
			}
			if err != nil {
				return nil, problem(err)
			}
			return file(kind, "sweep."+ending, b.Bytes()), nil
		})

	h.registerAbout(api)
}

// doing are the actions of a failure, and the text with its drain, if it has one.
func (h *handlers) doing(ctx context.Context, w *store.Sweep, text string, f *failure.Failure) ([]history.Action, string, error) {
	var actions []history.Action
	for _, typed := range f.Actions {
		a, err := history.ParseAction(typed)
		if err != nil {
			return nil, "", err
		}
		actions = append(actions, a)
	}
	if len(f.Drain) == 0 {
		return actions, text, nil
	}
	if text == "" {
		l, err := h.labs.Open(ctx, w.LabID)
		if err != nil {
			return nil, "", err
		}
		text = l.View(ctx).Text()
	}
	edits, err := labtext.ParseEdits(strings.Join(f.Drain, "\n"))
	if err != nil {
		return nil, "", err
	}
	text, err = labtext.EditText(text, edits...)
	return actions, text, err
}

// Worker is a process that tries failures of sweeps.
type Worker struct {
	ID       string    `json:"id"`
	Host     string    `json:"host"`
	Engine   string    `json:"engine"`
	Slots    int       `json:"slots" doc:"failures that it tries side by side"`
	Busy     int       `json:"busy" doc:"shards that it is at work with"`
	Shards   int64     `json:"shards" doc:"that it has done"`
	Failures int64     `json:"failures" doc:"that it has tried"`
	Rate     float64   `json:"rate" doc:"failures a second of work"`
	Says     string    `json:"says" doc:"what somebody should know of it"`
	Began    time.Time `json:"began"`
}

// RunningSweep is a sweep that has not ended, of any lab.
type RunningSweep struct {
	Lab   string `json:"lab"`
	Title string `json:"title" doc:"of the lab"`
	SweepRow
}

// Trouble is a shard that failed, and is tried again.
type Trouble struct {
	Job     int64     `json:"job"`
	Attempt int       `json:"attempt"`
	Error   string    `json:"error"`
	At      time.Time `json:"at"`
}

// AboutServer is how this server is doing.
type AboutServer struct {
	Version string         `json:"version"`
	Engine  string         `json:"engine"`
	Workers []Worker       `json:"workers" doc:"of sweeps: the server's own, and others"`
	Running []RunningSweep `json:"running"`
	Queued  int            `json:"queued" doc:"shards that wait"`
	Failed  []Trouble      `json:"failed" doc:"shards that failed lately, the newest first"`
}

func (h *handlers) registerAbout(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "about-server", Method: http.MethodGet, Path: "/api/about",
		Summary: "Versions, workers, and the sweeps that they work on"},
		func(ctx context.Context, _ *struct{}) (*body[AboutServer], error) {
			a, err := h.sweeps.About(ctx)
			if err != nil {
				return nil, problem(err)
			}
			out := AboutServer{Version: Version, Engine: history.Engine, Workers: []Worker{}, Running: []RunningSweep{}, Failed: []Trouble{}, Queued: a.Queued}
			for _, w := range a.Workers {
				row := Worker{ID: w.ID, Host: w.Host, Engine: w.Engine, Slots: w.Slots, Busy: len(w.Busy), Shards: w.Shards, Failures: w.Failures, Says: w.Says, Began: w.BeganAt}
				if w.Nanoseconds > 0 {
					row.Rate = float64(w.Failures) / (float64(w.Nanoseconds) / 1e9)
				}
				out.Workers = append(out.Workers, row)
			}
			for i := range a.Running {
				w := &a.Running[i]
				title := ""
				if l, err := h.labs.Row(ctx, w.LabID); err == nil {
					title = l.Title
				}
				out.Running = append(out.Running, RunningSweep{w.LabID, title, sweepRow(w)})
			}
			for _, t := range a.Failed {
				out.Failed = append(out.Failed, Trouble(t))
			}
			return &body[AboutServer]{out}, nil
		})
}
