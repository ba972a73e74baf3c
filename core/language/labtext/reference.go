package labtext

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
)

// Reference writes the reference of the language, docs/language.md, from the
// grammar table.
func Reference() string {
	var b strings.Builder
	b.WriteString(`# The lab language

This page is generated from the grammar table (` + "`make docs`" + `); a test keeps it current.

A lab is one plain text. One fact stands on a line; indentation opens and closes blocks; ` + "`#`" + ` begins a comment.
A property stands behind the statement it belongs to, or below it, indented: it belongs to the nearest statement to
its left, or on the line above, that takes it. ` + "`hellebore fmt`" + ` writes the canonical form.

Addresses are written with their prefix length (` + "`192.0.2.1/24`" + `), prefixes without host bits (` + "`192.0.2.0/24`" + `), times
and rates with a unit (` + "`10s`, `200ms`, `100M`, `10G`" + `). A port is called ` + "`device.port`" + `, a host's only port like the host.

`)
	for _, in := range contexts() {
		title := "In " + string(in)
		if in == Top {
			title = "At the start of a line"
		}
		fmt.Fprintf(&b, "## %s\n\n| statement | what it says | default | range | a change | RFC |\n|---|---|---|---|---|---|\n", title)
		for _, r := range rowsIn(in) {
			fmt.Fprintf(&b, "| `%s` | %s | %s | %s | %s | %s |\n",
				strings.ReplaceAll(r.Usage(), "|", `\|`), r.Help, r.Default, r.bounds(), r.Effect, r.RFC)
		}
		b.WriteString("\n")
	}
	return b.String()
}

// bounds are the least and the largest value, "" if the statement has no number.
func (r *Row) bounds() (out string) {
	for _, a := range r.Args {
		switch {
		case a.Max == 0:
		case a.Kind == Rate:
			out = phrase.Say("%s to %s", FormatRate(a.Min), FormatRate(a.Max))
		case a.Kind == Seconds:
			out = phrase.Say("%s to %s", fmt.Sprintf("%ds", a.Min), fmt.Sprintf("%ds", a.Max))
		case a.Kind == Duration:
			out = phrase.Say("%s to %s", formatNanos(a.Min), formatNanos(a.Max))
		default:
			out = phrase.Say("%s to %s", fmt.Sprint(a.Min), fmt.Sprint(a.Max))
		}
	}
	return out
}

// contexts are all places where a statement may be, in the order of the
// grammar table: each behind the statement that opens it.
func contexts() []Context {
	out := []Context{Top}
	for i := range Grammar {
		if c := Grammar[i].Opens; c != "" && len(rowsIn(c)) > 0 && !slices.Contains(out, c) {
			out = append(out, c)
		}
	}
	return out
}

// WordHelp is what an editor shows when the cursor rests on a word at a place.
func WordHelp(word string) []Suggestion {
	var out []Suggestion
	for i := range Grammar {
		r := &Grammar[i]
		if r.Word != word {
			continue
		}
		help := phrase.Text(r.Help)
		if r.Default != "" {
			help += phrase.Say("; default: %s", phrase.Text(r.Default))
		}
		if r.RFC != "" {
			help += " (RFC " + r.RFC + ")"
		}
		out = append(out, Suggestion{r.Word, "word", r.Usage(), help})
	}
	return out
}
