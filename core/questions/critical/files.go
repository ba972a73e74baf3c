package critical

import (
	"encoding/csv"
	"strconv"
	"strings"

	"hellebore/core/ground/phrase"
)

// Markdown writes the path for people.
func (p *Chain) Markdown() string {
	var b strings.Builder
	say := func(format string, args ...any) { b.WriteString(phrase.Say(format, args...)) }
	say("## What it waited for\n\n%s.\n\n| from | took | where | what was waited for | by | then |\n|---|---|---|---|---|---|\n", p.Says)
	for _, l := range p.Links {
		say("| %.6f s | %.6f s | %s | %s | %s | %s |\n", l.From, l.Took, l.Device, l.Says, l.cause(), strings.Join(l.Then, "; "))
	}
	return b.String()
}

// CSV writes the path as a table (RFC 4180).
func (p *Chain) CSV() string {
	var b strings.Builder
	w := csv.NewWriter(&b)
	w.UseCRLF = true
	rows := [][]string{{"from", "took", "kind", "where", "what was waited for", "by", "then"}}
	for _, l := range p.Links {
		rows = append(rows, []string{strconv.FormatFloat(l.From, 'f', 9, 64), strconv.FormatFloat(l.Took, 'f', 9, 64), l.Kind, l.Device,
			l.Says, l.cause(), strings.Join(l.Then, "; ")})
	}
	_ = w.WriteAll(rows) // a strings.Builder takes everything
	return b.String()
}

// cause is what makes a wait that long.
func (l *Wait) cause() string {
	switch {
	case l.Setting != "":
		return l.Setting
	case l.RFC != "":
		return "RFC " + l.RFC
	}
	return ""
}
