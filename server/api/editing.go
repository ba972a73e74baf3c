package api

import (
	"context"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/language/labtext"
)

type spot struct {
	Text   string `json:"text"`
	Line   int    `json:"line" minimum:"1"`
	Column int    `json:"column" minimum:"1"`
}

// edit registers an operation on a text alone.
func edit[In, Out any](api huma.API, name, summary string, do func(In) (Out, error)) {
	huma.Register(api, huma.Operation{OperationID: name, Method: http.MethodPost, Path: "/api/text/" + name,
		Summary: summary, MaxBodyBytes: maxBody},
		func(_ context.Context, in *body[In]) (*body[Out], error) {
			out, err := do(in.Body)
			if err != nil {
				return nil, problem(err)
			}
			return &body[Out]{out}, nil
		})
}

// Renamed is a text in which something has another name.
type Renamed struct {
	Text   string `json:"text"`
	Places int    `json:"places" doc:"how many changed"`
}

// Edited is a text after edits, and the lines that they changed.
type Edited struct {
	Text  string         `json:"text"`
	Lines []labtext.Hunk `json:"lines"`
}

// registerEditing makes the operations for people who type: they change a draft,
// never a lab.
func (h *handlers) registerEditing(api huma.API) {
	edit(api, "outline", "The blocks of a text",
		func(in text) ([]labtext.Block, error) { return labtext.Outline(in.Text), nil })
	edit(api, "complete-edit", "How an edit can go on", func(in struct {
		Text string `json:"text"`
		Edit string `json:"edit" maxLength:"4000" doc:"what is written of it so far"`
	}) (labtext.Completion, error) {
		return labtext.CompleteEdit(in.Text, in.Edit), nil
	})
	edit(api, "sketch", "What a text would draw on the map",
		func(in text) (labtext.Sketch, error) { return labtext.SketchOf(in.Text), nil })
	edit(api, "uses", "What is named at a place, and wherever it is named", func(in spot) (labtext.Named, error) {
		return labtext.NameAt(in.Text, in.Line, in.Column)
	})
	edit(api, "hover", "What is known of the word at a place",
		func(in spot) (labtext.Hover, error) { return labtext.HoverAt(in.Text, in.Line, in.Column), nil })
	edit(api, "in-force", "What counts at a router, host, port, session or template, and where it is said", func(in struct {
		Text  string `json:"text"`
		Place string `json:"place" maxLength:"200" doc:"viaduct, viaduct.e1, viaduct/192.0.2.2"`
	}) ([]labtext.InForce, error) {
		return labtext.WhatHolds(in.Text, in.Place)
	})
	edit(api, "alike", "What several places of a text say alike",
		func(in text) ([]labtext.Common, error) { return labtext.Alike(in.Text), nil })
	edit(api, "pull", "Write what several places say alike into a template that they take", func(in struct {
		Text       string `json:"text"`
		In         string `json:"in" maxLength:"40" doc:"what the places are, as alike says it"`
		Statements string `json:"statements" maxLength:"100000" doc:"what they have in common, as alike says it"`
		Name       string `json:"name" maxLength:"60" doc:"of the template"`
	}) (text, error) {
		out, err := labtext.Pull(in.Text, labtext.Context(in.In), in.Statements, in.Name)
		return text{out}, err
	})
	edit(api, "plans", "Where new addresses come from, and how much of it is taken",
		func(in text) ([]labtext.PlanUse, error) { return labtext.PlansOf(&labtext.Parse(in.Text).Lab), nil })
	edit(api, "rename", "Give what is named at a place another name, wherever it is named", func(in struct {
		Text   string `json:"text"`
		Line   int    `json:"line" minimum:"1"`
		Column int    `json:"column" minimum:"1"`
		To     string `json:"to" maxLength:"200"`
	}) (Renamed, error) {
		text, n, err := labtext.Rename(in.Text, in.Line, in.Column, in.To)
		return Renamed{text, n}, err
	})
	edit(api, "edit", "Make edits of a text, all or none", func(in struct {
		Text    string   `json:"text"`
		Against *string  `json:"against,omitempty" doc:"the text that the lines are compared with; absent: the one that is edited"`
		Edits   []string `json:"edits" minItems:"1" maxItems:"5000" doc:"each as it is typed: viaduct.e1 ospf cost 40; what belongs to a statement may be below it, indented"`
	}) (Edited, error) {
		edits, err := labtext.ParseEdits(strings.Join(in.Edits, "\n"))
		if err != nil {
			return Edited{}, err
		}
		text, err := labtext.EditText(in.Text, edits...)
		if err != nil {
			return Edited{}, err
		}
		before := in.Text
		if in.Against != nil {
			before = *in.Against
		}
		return Edited{text, labtext.Hunks(labtext.Normal(before), text)}, nil
	})
	edit(api, "must-differ", "Names and addresses that a copy of a router needs others for", func(in struct {
		Text   string `json:"text"`
		Router string `json:"router" maxLength:"64"`
	}) ([]labtext.Differing, error) {
		return labtext.MustDiffer(in.Text, in.Router)
	})
	edit(api, "copy-router", "Write a copy of a router's block behind it", func(in struct {
		Text   string            `json:"text"`
		Router string            `json:"router" maxLength:"64"`
		Values map[string]string `json:"values" doc:"new values by the old ones"`
	}) (text, error) {
		out, err := labtext.CopyRouter(in.Text, in.Router, in.Values)
		return text{out}, err
	})
}
