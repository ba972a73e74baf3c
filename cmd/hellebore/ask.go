package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"hellebore/core/lab"
	"hellebore/core/questions/compare"
	"hellebore/core/questions/sweep"
	"hellebore/core/questions/why"
	"hellebore/core/simulation/history"
)

// openLab is a lab of a text file or a bundle (.zip), at rest after the actions.
func openLab(path string, actions []string) (*lab.Lab, error) {
	return newPatience().open(path, actions)
}

func (p *patience) open(path string, actions []string) (*lab.Lab, error) {
	l := lab.New()
	if strings.HasSuffix(path, ".zip") {
		data, err := os.ReadFile(path)
		if err != nil {
			return nil, err
		}
		u, err := lab.ReadBundle(data)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", path, err)
		}
		if l, err = lab.Open(u.Records, p.stop); errors.Is(err, history.ErrStopped) {
			return nil, errStopped
		} else if err != nil {
			return nil, fmt.Errorf("%s: %w", path, err)
		}
		for _, m := range u.Moments {
			if err := l.NameMoment(m.Name, history.Moment{Step: m.Step, At: lab.Nanoseconds(m.At)}); err != nil {
				return nil, err
			}
		}
	} else {
		text, err := parseLab(path)
		if err != nil {
			return nil, err
		}
		if err := p.do(l, history.Action{Kind: history.Apply, Text: text}, 0); err != nil {
			return nil, err
		}
	}
	for _, s := range actions {
		a, err := actionOf(s)
		if err != nil {
			return nil, err
		}
		if err := p.do(l, a, 0); err != nil {
			return nil, fmt.Errorf("%s: %w", s, err)
		}
	}
	return l, nil
}

// side is one side of a comparison: FILE, or FILE@MOMENT.
func side(argument string, actions []string) (*lab.Lab, history.Moment, error) {
	path, at, _ := strings.Cut(argument, "@")
	l, err := openLab(path, actions)
	if err != nil {
		return nil, history.Moment{}, err
	}
	m, err := l.ParseMoment(at)
	return l, m, err
}

func compareCommand() *cobra.Command {
	var actions []string
	var format string
	c := &cobra.Command{
		Use:   "compare A B",
		Short: "Say what is different between two labs, or two moments of one",
		Long: `Say what is different between two labs, each run to settled.

A and B are lab texts or bundles (.zip). FILE@MOMENT means a moment of it:
railway.zip@before-3, railway.zip@now. Actions given with --do are done to B.
The exit code is 1 if anything is different.`,
		Example: `  hellebore compare monday.lab tuesday.lab
  hellebore compare railway.lab railway.lab --do "cut viaduct.e1" --format md
  hellebore compare railway.zip@before-3 railway.zip@after-3 --format csv`,
		Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			a, before, err := side(args[0], nil)
			if err != nil {
				return err
			}
			b, after, err := side(args[1], actions)
			if err != nil {
				return err
			}
			diff := compare.Worlds(a.World(before), b.World(after), nil)
			if err := printComparison(cmd.OutOrStdout(), &diff, format, args[0]+" to "+args[1]); err != nil {
				return err
			}
			if !diff.Same {
				return errFailed
			}
			return nil
		},
	}
	c.Flags().StringArrayVar(&actions, "do", nil,
		"an action done to B, for example \"cut viaduct.e1\"; can be repeated")
	c.Flags().StringVar(&format, "format", "text", "text, md, csv or json")
	return c
}

func printComparison(out io.Writer, c *compare.Comparison, format, title string) error {
	switch format {
	case "csv":
		return c.CSV(out)
	case "md":
		return c.Markdown(out, title)
	case "json":
		return printJSON(out, c)
	case "text":
	default:
		return fmt.Errorf("--format %s is not known; write text, md, csv or json", format)
	}
	if c.Same {
		fmt.Fprintln(out, "nothing is different")
	}
	for _, s := range c.Summary {
		fmt.Fprintln(out, s)
	}
	for _, s := range c.Sections {
		if s.Total == 0 {
			continue
		}
		fmt.Fprintf(out, "\n%s: %d different, %s\n", s.Name, s.Total, s.Says)
		for _, r := range s.Rows {
			fmt.Fprintf(out, "  %-7s %s %s %s\n          before: %s\n          after:  %s\n", r.Kind, r.Device,
				r.Other, r.Subject, orDash(r.Before), orDash(r.After))
		}
	}
	return nil
}

func printJSON(out io.Writer, v any) error {
	e := json.NewEncoder(out)
	e.SetIndent("", "  ")
	return e.Encode(v)
}

func whyCommand() *cobra.Command {
	var actions []string
	var asJSON bool
	c := &cobra.Command{
		Use:   "why LAB QUESTION",
		Short: "Answer a question about a lab, with the facts that prove it",
		Example: `  hellebore why railway.lab "why is viaduct - summit not up"
  hellebore why railway.lab "why is 203.0.113.0/24 not sent to skylark by viaduct" --do "cut viaduct.e1"
  hellebore why railway.lab "what breaks without viaduct.e1"`,
		Args: cobra.MinimumNArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := openLab(args[0], actions)
			if err != nil {
				return err
			}
			a, err := l.Why(l.History().Now(), strings.Join(args[1:], " "), why.Focus{})
			if err != nil {
				return err
			}
			out := cmd.OutOrStdout()
			if asJSON {
				return printJSON(out, a)
			}
			fmt.Fprintf(out, "%s\n\n%s\n\n", a.Question, a.Says)
			for _, f := range a.Facts {
				where := ""
				if f.Line > 0 {
					where = fmt.Sprintf(" (line %d)", f.Line)
				}
				fmt.Fprintf(out, "  - %s%s\n", f.Text, where)
			}
			return nil
		},
	}
	c.Flags().StringArrayVar(&actions, "do", nil, "an action that is done first; can be repeated")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON (docs/cli.md)")
	return c
}

// previewed is what the command prints as JSON.
type previewed struct {
	*lab.Preview
	Failures *sweep.Within `json:"failures,omitempty" doc:"which failures the change makes worse, and which better; absent if the network does not come to rest"`
}

func previewCommand() *cobra.Command {
	var plan lab.Plan
	var order []string
	var asJSON bool
	c := &cobra.Command{
		Use:   "preview LAB DRAFT",
		Short: "Say what applying a draft to a lab would do, outages included",
		Example: `  hellebore preview railway.lab draft.lab
  hellebore preview railway.lab draft.lab --order viaduct --order summit,quarry --pause 30 --guard`,
		Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := openLab(args[0], nil)
			if err != nil {
				return err
			}
			if plan.Text, err = parseLab(args[1]); err != nil {
				return err
			}
			for _, s := range order {
				plan.Order = append(plan.Order, strings.Split(s, ","))
			}
			p, err := l.Preview(plan, nil)
			if err != nil {
				return err
			}
			withFailures := previewed{Preview: p}
			if w, err := l.PreviewFailures(p); err == nil { // else it does not come to rest, which the preview says
				withFailures.Failures = &w
			}
			out := cmd.OutOrStdout()
			if asJSON {
				return printJSON(out, withFailures)
			}
			for _, c := range p.Changes {
				fmt.Fprintf(out, "%s (%s)\n", c, c.Effect)
			}
			fmt.Fprintln(out)
			if err := printComparison(out, &p.Comparison, "text", ""); err != nil {
				return err
			}
			for _, f := range p.Flows {
				fmt.Fprintf(out, "\nflow %s is out for %.3f s meanwhile\n", f.Name, f.Out)
			}
			if w := withFailures.Failures; w != nil && w.Of > 0 {
				fmt.Fprintf(out, "\n%s\n", w)
			}
			failed := false
			for _, c := range p.Checks {
				if c.After != nil {
					fmt.Fprintf(out, "check %q: %s\n", c.Name,
						map[bool]string{true: "passes", false: "fails"}[c.After.Passed])
					failed = failed || !c.After.Passed
				}
			}
			if p.TakenBack != "" {
				fmt.Fprintf(out, "it would be taken back: %s\n", p.TakenBack)
			}
			if failed || p.TakenBack != "" {
				return errFailed
			}
			return nil
		},
	}
	c.Flags().StringArrayVar(&order, "order", nil,
		"routers of one stage, with commas between them, or shared; one flag a stage")
	c.Flags().Float64Var(&plan.Pause, "pause", 0, "virtual seconds between two stages; 0 runs each to settled")
	c.Flags().BoolVar(&plan.Guard, "guard", false, "take the change back if a check fails or a flow stays down")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON (docs/cli.md)")
	return c
}
