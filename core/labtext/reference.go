package labtext

import (
	"fmt"
	"strings"
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
	contexts := []struct {
		in    Context
		title string
	}{
		{Top, "At the start of a line"}, {LabBlock, "In `lab`"}, {RouterOf, "In `router`"}, {Loopback, "In `loopback`"},
		{PortOf, "In `port`"}, {PortOSPF, "In `ospf` on a port or loopback"}, {OSPFOf, "In `ospf` of a router"},
		{AreaOf, "In `area` of a router's `ospf`"}, {StubOf, "In `stub`"}, {RangeOf, "In `range`"}, {InjectOf, "In `inject`"}, {OrigOf, "In `originate default`"},
		{ChainOf, "In `key-chain`"}, {SetOf, "In `prefix-set`"}, {MemberOf, "Behind a prefix of a set"},
		{StaticOf, "In `static`"}, {HostOf, "In `host`"}, {LinkOf, "In `link`"}, {SegOf, "In `segment`"}, {FlowOf, "In `flow`"},
	}
	for _, c := range contexts {
		fmt.Fprintf(&b, "## %s\n\n| statement | what it says | default | range | a change | RFC |\n|---|---|---|---|---|---|\n", c.title)
		for _, r := range rowsIn(c.in) {
			bounds := ""
			for _, a := range r.Args {
				if a.Max == 0 {
					continue
				}
				switch a.Kind {
				case Rate:
					bounds = FormatRate(a.Min) + " to " + FormatRate(a.Max)
				case Seconds:
					bounds = fmt.Sprintf("%ds to %ds", a.Min, a.Max)
				case Duration:
					bounds = formatNanos(a.Min) + " to " + formatNanos(a.Max)
				default:
					bounds = fmt.Sprintf("%d to %d", a.Min, a.Max)
				}
			}
			fmt.Fprintf(&b, "| `%s` | %s | %s | %s | %s | %s |\n",
				strings.ReplaceAll(r.Usage(), "|", `\|`), r.Help, r.Default, bounds, r.Effect, r.RFC)
		}
		b.WriteString("\n")
	}
	return b.String()
}

// WordHelp is what an editor shows when the cursor rests on a word at a place.
func WordHelp(word string) []Suggestion {
	var out []Suggestion
	for i := range Grammar {
		r := &Grammar[i]
		if r.Word != word {
			continue
		}
		help := r.Help
		if r.Default != "" {
			help += "; default: " + r.Default
		}
		if r.RFC != "" {
			help += " (RFC " + r.RFC + ")"
		}
		out = append(out, Suggestion{r.Word, "word", r.Usage(), help})
	}
	return out
}
