package compare

import (
	"encoding/csv"
	"fmt"
	"io"
	"strings"

	"hellebore/core/ground/phrase"
)

// CSV writes all rows as comma-separated values (RFC 4180).
func (c *Comparison) CSV(out io.Writer) error {
	w := csv.NewWriter(out)
	w.UseCRLF = true
	if err := w.Write([]string{"section", "kind", "device", "other", "subject", "before", "after"}); err != nil {
		return err
	}
	for _, s := range c.Sections {
		for _, r := range s.Rows {
			if err := w.Write([]string{r.Section, string(r.Kind), r.Device, r.Other, r.Subject, r.Before,
				r.After}); err != nil {
				return err
			}
		}
	}
	w.Flush()
	return w.Error()
}

var titles = map[string]string{Flows: "Flows", Neighbours: "Neighbours", Sent: "Advertisements", Routes: "Routes",
	Paths:    "Chosen paths",
	Received: "Received paths", Database: "Database", Ports: "Ports"}

// Markdown writes the summary and a table a section, under a title.
func (c *Comparison) Markdown(out io.Writer, title string) error {
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\n\n", title)
	if c.Same {
		b.WriteString(phrase.Text("Nothing is different.\n"))
	}
	for _, s := range c.Summary {
		fmt.Fprintf(&b, "- %s\n", s)
	}
	cell := strings.NewReplacer("|", `\|`, "\n", " ").Replace
	for _, s := range c.Sections {
		if s.Total == 0 {
			continue
		}
		fmt.Fprintf(&b, "\n## %s\n\n| what | device | other | subject | before | after |\n|---|---|---|---|---|---|\n", titles[s.Name])
		for _, r := range s.Rows {
			fmt.Fprintf(&b, "| %s | %s | %s | %s | %s | %s |\n", string(r.Kind), cell(r.Device), cell(r.Other),
				cell(r.Subject), cell(r.Before), cell(r.After))
		}
		if s.Total > len(s.Rows) {
			fmt.Fprintf(&b, "\nand %d more\n", s.Total-len(s.Rows))
		}
		fmt.Fprintf(&b, "\n%s\n", s.Says)
	}
	_, err := io.WriteString(out, b.String())
	return err
}
