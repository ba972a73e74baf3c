package main

import (
	"reflect"

	"github.com/danielgtaylor/huma/v2"
	"github.com/spf13/cobra"

	"hellebore/core/lab"
	"hellebore/core/questions/compare"
	"hellebore/core/questions/sweep"
	"hellebore/core/questions/why"
)

// printed are the commands that print JSON, and what they print.
var printed = []struct {
	command string
	value   reflect.Type
}{
	{"run", reflect.TypeFor[lab.Report]()},
	{"preview", reflect.TypeFor[previewed]()},
	{"compare", reflect.TypeFor[compare.Comparison]()},
	{"why", reflect.TypeFor[why.Answer]()},
	{"sweep", reflect.TypeFor[sweep.Findings]()},
	{"sweep-draft", reflect.TypeFor[sweep.Against]()},
}

// schema is a JSON Schema of what the commands print: a definition for each
// command, by its name, and those that they share.
func schema() (doc map[string]any, defs huma.Registry) {
	defs = huma.NewMapRegistry("#/$defs/", huma.DefaultSchemaNamer)
	all := map[string]any{}
	for _, p := range printed {
		all[p.command] = defs.Schema(p.value, true, p.command)
	}
	for name, s := range defs.Map() {
		all[name] = s
	}
	return map[string]any{
		"$schema": "https://json-schema.org/draft/2020-12/schema",
		"title":   "What the commands of hellebore print as JSON",
		"$comment": "The definitions run, preview, compare, why, sweep and sweep-draft are those of the commands; " +
			"new members may come, none goes. Times are seconds of virtual time unless they say otherwise.",
		"$defs": all,
	}, defs
}

func schemaCommand() *cobra.Command {
	return &cobra.Command{Use: "schema", Short: "Print a JSON Schema of what the commands print as JSON",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			doc, _ := schema()
			return printJSON(cmd.OutOrStdout(), doc)
		}}
}
