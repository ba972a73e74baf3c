package sweep

import (
	"encoding/csv"
	"fmt"
	"io"
	"strconv"
	"strings"

	"hellebore/core/ground/phrase"
)

// columns are what a table of impacts has of each.
var columns = []struct {
	name string
	of   func(r *Impact) string
}{
	{"failure", (*Impact).Title},
	{"kind", func(r *Impact) string { return string(r.Kind) }},
	{"outcome", func(r *Impact) string { return r.Outcome }},
	{"converged s", func(r *Impact) string { return secondsIf(r.Convergence) }},
	{"noticed s", func(r *Impact) string { return secondsIf(r.Parts.Noticed) }},
	{"flooding s", func(r *Impact) string { return secondsIf(r.Parts.Flooding) }},
	{"spf s", func(r *Impact) string { return secondsIf(r.Parts.SPF) }},
	{"updates s", func(r *Impact) string { return secondsIf(r.Parts.Updates) }},
	{"flows lost", func(r *Impact) string { return strconv.Itoa(r.FlowsLost()) }},
	{"worst flow s", func(r *Impact) string { return seconds(r.WorstFlow()) }},
	{"checks failed", func(r *Impact) string { return strconv.Itoa(len(r.Checks)) }},
	{"pairs lost", func(r *Impact) string { return strconv.Itoa(r.Pairs.Lost) }},
	{"pairs out", func(r *Impact) string { return strconv.Itoa(r.Pairs.Out) }},
	{"longest pair s", func(r *Impact) string { return seconds(r.Pairs.Longest) }},
	{"loops", func(r *Impact) string { return strconv.Itoa(r.Pairs.Loops) }},
	{"sent anew", func(r *Impact) string { return strconv.Itoa(r.Borders.Sent) }},
	{"fullest %", func(r *Impact) string { return strconv.FormatFloat(r.Fullest, 'f', 0, 64) }},
	{"what it does", (*Impact).Says},
	{"by argument", func(r *Impact) string { return r.Argued }},
}

func seconds(s float64) string {
	if s == 0 {
		return ""
	}
	return strconv.FormatFloat(s, 'f', 3, 64)
}

func secondsIf(s *float64) string {
	if s == nil {
		return ""
	}
	return strconv.FormatFloat(*s, 'f', 3, 64)
}

// CSV writes a line an impact (RFC 4180).
func CSV(out io.Writer, results []Impact) error {
	w := csv.NewWriter(out)
	w.UseCRLF = true
	var heads []string
	for _, c := range columns {
		heads = append(heads, c.name)
	}
	if err := w.Write(heads); err != nil {
		return err
	}
	for i := range results {
		var row []string
		for _, c := range columns {
			row = append(row, c.of(&results[i]))
		}
		if err := w.Write(row); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// Markdown writes the summary under a title, the single points of failure, and a table of the worst impacts, top of them or all for 0.
func Markdown(out io.Writer, title string, results []Impact, top int) error {
	var b strings.Builder
	sum := Sum(results)
	fmt.Fprintf(&b, "# %s\n\n%s\n", title, sum.String())
	if len(sum.SinglePoints) > 0 {
		fmt.Fprintf(&b, "\n## %s\n\n", phrase.Text("Single points of failure"))
		for _, s := range sum.SinglePoints {
			fmt.Fprintf(&b, "- %s\n", s)
		}
	}
	cell := strings.NewReplacer("|", `\|`, "\n", " ").Replace
	fmt.Fprintf(&b, "\n## %s\n\n| failure | pairs lost | pairs out | what it does |\n|---|---|---|---|\n", phrase.Text("Failures, the worst first"))
	shown := results
	if top > 0 {
		shown = shown[:min(top, len(shown))]
	}
	for i := range shown {
		r := &shown[i]
		says := r.Says()
		if r.Argued != "" {
			says = phrase.Say("%s (by argument)", says)
		}
		fmt.Fprintf(&b, "| %s | %d | %d | %s |\n", cell(r.Title()), r.Pairs.Lost, r.Pairs.Out, cell(says))
	}
	if len(shown) < len(results) {
		fmt.Fprintf(&b, "\n%s\n", phrase.Say("and %d more", len(results)-len(shown)))
	}
	_, err := io.WriteString(out, b.String())
	return err
}
