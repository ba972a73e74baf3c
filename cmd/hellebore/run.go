package main

import (
	"bufio"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"os"
	"runtime/debug"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"hellebore/core/ground/event"
	"hellebore/core/lab"
	"hellebore/core/questions/check"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

func runCommand() *cobra.Command {
	var actions []string
	var pass time.Duration
	var asJSON, allRoutes bool
	var captures map[string]string
	var junit string
	c := &cobra.Command{
		Use:   "run LAB",
		Short: "Run a lab: build it, settle, do the actions in order, print the end state",
		Long:  "Builds a lab, runs it to settled, does the actions in order, and prints the end state.\n\nActions:\n" + actionForms(),
		Example: `  hellebore run triangle.lab --do "cut viaduct.e1" --do "mend viaduct.e1"
  hellebore run triangle.lab --do "silence viaduct.e2" --for 30s --json
  hellebore run triangle.lab --junit checks.xml`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if pass < 0 {
				return fmt.Errorf("--for %v is in the past; give a time above 0", pass)
			}
			// Large labs fill memory with what is not wanted any more: rather an eighth more time than half more memory.
			if os.Getenv("GOGC") == "" {
				debug.SetGCPercent(50)
			}
			wait := newPatience()
			l, err := wait.open(args[0], nil)
			if err != nil {
				return err
			}
			for _, s := range actions {
				a, err := actionOf(s)
				if err != nil {
					return err
				}
				if err := wait.do(l, a, event.FromDuration(pass)); err != nil {
					return fmt.Errorf("%s: %w", s, err)
				}
			}
			for port, file := range captures {
				if err := capture(l, port, file); err != nil {
					return err
				}
			}
			asked := l.Until(wait.stop)
			report := asked.Report
			counts, routes := l.RouteCounts()
			few := asJSON || allRoutes || routes <= mostRoutes
			if !few {
				report = asked.ReportWithoutRoutes
			}
			r := report()
			if asked.Stopped() {
				return errStopped
			}
			if junit != "" {
				if err := writeJUnit(junit, args[0], r.Checks); err != nil {
					return err
				}
			}
			if asJSON {
				e := json.NewEncoder(cmd.OutOrStdout())
				e.SetIndent("", "  ")
				if err := e.Encode(r); err != nil {
					return err
				}
			} else {
				if few {
					counts = nil
				}
				printReport(cmd.OutOrStdout(), l, r, counts)
			}
			switch {
			case r.Settled || pass != 0:
			case left(l):
				return errLeft
			default:
				return errUnsettled
			}
			if slices.ContainsFunc(r.Checks, func(c check.Result) bool { return !c.Passed }) {
				return errFailed
			}
			return nil
		},
	}
	c.Flags().StringArrayVar(&actions, "do", nil,
		"an action, for example \"cut viaduct.e1\" or \"apply FILE\"; can be repeated")
	c.Flags().DurationVar(&pass, "for", 0,
		"let this much virtual time pass after each action, instead of running to settled")
	c.Flags().StringToStringVar(&captures, "capture", nil,
		"write all packets of a port's link to a pcapng file: viaduct.e1=out.pcapng; can be repeated")
	c.Flags().StringVar(&junit, "junit", "", "write how the lab's checks came out to a JUnit XML file")
	c.Flags().BoolVar(&allRoutes, "routes", false,
		fmt.Sprintf("print all routes, also if there are more than %d", mostRoutes))
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON (docs/cli.md)")
	return c
}

// actionForms are the actions that --do takes, one per line.
func actionForms() string {
	var out strings.Builder
	for _, f := range append(slices.Clone(history.Forms),
		history.Form{Form: "apply FILE", Says: "applies another text"}) {
		fmt.Fprintf(&out, "  %-28s %s\n", f.Form, f.Says)
	}
	return out.String()
}

// writeJUnit writes how checks came out to a file.
func writeJUnit(name, lab string, results []check.Result) error {
	return writeFile("--junit", name, func(out io.Writer) error { return check.JUnit(out, lab, results) })
}

// capture writes what was sent on a port's link, from the beginning to now.
func capture(l *lab.Lab, port, name string) error {
	return writeFile("--capture "+port, name, func(out io.Writer) error {
		_, err := l.Capture(out, port, history.Moment{}, l.History().Now())
		return err
	})
}

// writeFile makes a file for a flag.
func writeFile(flag, name string, write func(io.Writer) error) error {
	file, err := os.Create(name)
	if err != nil {
		return fmt.Errorf("%s: %w", flag, err)
	}
	err = write(file)
	if closed := file.Close(); err == nil {
		err = closed
	}
	if err != nil {
		return fmt.Errorf("%s: %w", flag, err)
	}
	return nil
}

// actionOf reads an action; an apply takes the name of a file here.
func actionOf(s string) (history.Action, error) {
	if file, ok := strings.CutPrefix(s, "apply "); ok {
		text, err := parseLab(strings.TrimSpace(file))
		return history.Action{Kind: history.Apply, Text: text}, err
	}
	return history.ParseAction(s)
}

// left says whether the last action let time pass and was given up while it did: nothing has changed for the second half of
// that time, but for refreshes, of which one may be on its way.
func left(l *lab.Lab) bool {
	steps := l.History().Steps()
	last := steps[len(steps)-1]
	changed := l.History().Head().Calm().LastChange()
	return last.Until != 0 && last.Outcome == network.Unfinished && changed < last.Start+(last.End-last.Start)/2
}

// mostRoutes is how many routes are printed without being asked for.
const mostRoutes = 2000

// printReport writes the end state as tables; of many routes only how many there are, unless all are wanted.
func printReport(out io.Writer, l *lab.Lab, r lab.Report, counts map[string]map[string]int) {
	buffered := bufio.NewWriterSize(out, 1<<16)
	t := tabwriter.NewWriter(buffered, 2, 8, 2, ' ', 0)
	defer func() { _, _ = t.Flush(), buffered.Flush() }()
	state := "settled"
	switch {
	case r.Settled:
	case left(l):
		state = "left"
	default:
		state = "does not settle so far"
	}
	fmt.Fprintf(t, "%s at %.3f s\n", state, r.Time)
	for i, a := range l.Timeline() {
		fmt.Fprintf(t, "%.3f s\t%s\t%s\n", a.Start, a.Action, a.Summary)
		if p := r.Actions[i].Path; p != nil {
			fmt.Fprintf(t, "\t\t%s\n", p.Says)
		}
	}
	if len(r.Neighbours) > 0 {
		fmt.Fprintf(t, "\nneighbours\n")
	}
	for _, n := range r.Neighbours {
		fmt.Fprintf(t, "%s\t%s\t%s\n", endWords(n.A), endWords(n.B), n.State)
		for _, x := range n.Reasons {
			values := ""
			if x.Mine != "" || x.Theirs != "" {
				values = fmt.Sprintf(" (%s, %s)", orDash(x.Mine), orDash(x.Theirs))
			}
			fmt.Fprintf(t, "  %s: %s%s\n", x.Source, x.Text, values)
		}
	}
	var names []string
	for n := range r.Devices {
		names = append(names, n)
	}
	slices.Sort(names)
	if counts != nil {
		printCounts(t, counts)
		_ = t.Flush()
	}
	for _, name := range names {
		fmt.Fprintf(t, "\nroutes of %s\n", name)
		for _, x := range r.Devices[name].Routes {
			var ways []string
			for _, h := range x.NextHops {
				if h.Via == "" {
					ways = append(ways, "directly on "+h.Port)
				} else {
					ways = append(ways, fmt.Sprintf("%s on %s", h.Via, h.Port))
				}
			}
			if x.Blackhole {
				ways = []string{"blackhole"}
			}
			fmt.Fprintf(t, "%s\t%s\tcost %d\t%s\n", x.Prefix, cmp.Or(x.Origin, x.Source), x.Metric, strings.Join(ways, ", "))
		}
		_ = t.Flush()
	}
	for i, f := range r.Flows {
		if i == 0 {
			fmt.Fprintf(t, "\nflows\n")
		}
		verdict := "arrives: " + strings.Join(f.Path, ", ")
		if !f.Arrives {
			verdict = "does not arrive: " + f.Reason
		}
		fmt.Fprintf(t, "%s\t%s to %s\t%s\n", f.Name, f.From, f.To, verdict)
		for _, o := range f.Outages {
			to, took := "still out", ""
			if o.To != nil {
				to, took = fmt.Sprintf("%.6f s", *o.To), fmt.Sprintf(" (%.6f s)", *o.To-o.From)
			}
			fmt.Fprintf(t, "  out from %.6f s to %s%s: %s\n", o.From, to, took, o.Cause)
		}
	}
	for i, c := range r.Checks {
		if i == 0 {
			fmt.Fprintf(t, "\nchecks\n")
		}
		fmt.Fprintf(t, "%s: %s\n", c.Name, map[bool]string{true: "passes", false: "fails"}[c.Passed])
		if !c.Passed {
			for line := range strings.SplitSeq(strings.TrimSpace(check.Words(c)), "\n") {
				fmt.Fprintf(t, "  %s\n", line)
			}
		}
	}
}

// printCounts says how many routes each router has, by source.
func printCounts(t io.Writer, counts map[string]map[string]int) {
	fmt.Fprintf(t, "\nroutes\n")
	all := 0
	for _, name := range slices.Sorted(maps.Keys(counts)) {
		var words []string
		for _, s := range slices.Sorted(maps.Keys(counts[name])) {
			words = append(words, fmt.Sprintf("%d %s", counts[name][s], s))
			all += counts[name][s]
		}
		fmt.Fprintf(t, "%s\t%s\n", name, strings.Join(words, ", "))
	}
	fmt.Fprintf(t, "%d in all: write --routes to print them\n", all)
}

func endWords(e facts.End) string {
	if e.Absent {
		return e.Name()
	}
	return e.Device + "." + e.Port
}

func orDash(s string) string {
	if s == "" {
		return "-"
	}
	return s
}
