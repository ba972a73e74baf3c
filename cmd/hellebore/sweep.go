package main

import (
	"fmt"
	"io"
	"os"
	"runtime"
	"slices"
	"sync"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"hellebore/core/ground/phrase"
	"hellebore/core/lab"
	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/simulation/history"
)

type sweepFlags struct {
	actions, own, kinds []string
	depth, top, workers int
	budget              int
	json                bool
	junit, draft        string
	format              string
}

func sweepCommand() *cobra.Command {
	var f sweepFlags
	c := &cobra.Command{
		Use:   "sweep LAB",
		Short: "Try all failures of a lab, alone or in pairs, and say what each does",
		Long: `Runs a lab to settled, and tries each failure on a copy of it: every link (its ends
lose carrier, or it is silent), router, port and segment, every BGP session, and
every risk group.
Prints the failures, the worst first.

With --depth 2 each failure is tried after each other one has come to rest; what is
said of a pair is what the second one adds.

With --draft the failures are tried before and after the draft is applied, and what
differs is said. The exit code is 1 if a check that passes now fails after a failure;
with --draft, if the draft makes a failure worse.`,
		Example: `  hellebore sweep railway.lab
  hellebore sweep railway.lab --kinds link,router --depth 2 --top 10
  hellebore sweep railway.lab --draft railway-new.lab
  hellebore sweep railway.lab --fail "cut viaduct.e1 and cut viaduct.e2" --junit out.xml`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error { return runSweep(cmd, args[0], &f) },
	}
	c.Flags().StringArrayVar(&f.actions, "do", nil, "an action done before the sweep, for example \"cut viaduct.e1\"; can be repeated")
	c.Flags().StringArrayVar(&f.own, "fail", nil, "a failure to try in place of all, actions that happen at once joined by \" and \"; can be repeated")
	c.Flags().StringSliceVar(&f.kinds, "kinds", nil, "of which failures: link, silence, router, port, segment, session, group, maintenance (drained first), one-way (packets of one end are lost); absent: of all but the last two")
	c.Flags().IntVar(&f.depth, "depth", 1, "how many failures there are at a time: 1, or 2")
	c.Flags().IntVar(&f.budget, "budget", 0, "with --depth 2, how many pairs are tried at most, the most suspicious ones: both failures displace much alone; 0 for all")
	c.Flags().IntVar(&f.top, "top", 20, "how many failures are printed, the worst ones; 0 for all")
	c.Flags().IntVar(&f.workers, "workers", runtime.NumCPU(), "how many failures are tried side by side")
	c.Flags().StringVar(&f.format, "format", "text", "text, md or csv")
	c.Flags().BoolVar(&f.json, "json", false, "print all results as JSON")
	c.Flags().StringVar(&f.draft, "draft", "", "a lab text that is applied to a copy: say which failures it makes worse, and which better")
	c.Flags().StringVar(&f.junit, "junit", "", "write a test case a failure to this file, as JUnit XML")
	return c
}

func runSweep(cmd *cobra.Command, path string, f *sweepFlags) error {
	collectLess()
	kinds, err := failure.ParseKinds(f.kinds)
	switch {
	case err != nil:
		return err
	case f.depth != 1 && f.depth != 2:
		return phrase.Errorf("a depth of %d cannot be tried: write 1 or 2", f.depth)
	case f.budget < 0 || f.budget > 0 && f.depth != 2:
		return phrase.Error("--budget is how many pairs are tried: write --depth 2, and a number above 0")
	case !slices.Contains([]string{"text", "md", "csv"}, f.format):
		return phrase.Errorf("--format %s is not known; write text, md or csv", f.format)
	case f.draft != "" && (f.format != "text" || f.junit != ""):
		return phrase.Error("--draft prints text, or JSON with --json: leave --format and --junit out")
	case f.workers < 1:
		return phrase.Errorf("%d workers try nothing: write 1 or more", f.workers)
	}
	p := newPatience()
	l, err := p.open(path, f.actions)
	if err != nil {
		return err
	}
	began := time.Now()
	results, err := p.sweep(l, kinds, f)
	if err != nil {
		return err
	}
	if f.draft != "" {
		return p.sweepDraft(cmd, l, results, kinds, f)
	}
	if f.junit != "" {
		if err := writeFile("--junit", f.junit, func(out io.Writer) error { return sweep.JUnit(out, l.Title(), results) }); err != nil {
			return err
		}
	}
	switch {
	case f.json:
		if err := printJSON(cmd.OutOrStdout(), sweep.Findings{Overview: sweep.Sum(results), Results: results}); err != nil {
			return err
		}
	case f.format == "csv":
		if err := sweep.CSV(cmd.OutOrStdout(), results); err != nil {
			return err
		}
	case f.format == "md":
		if err := sweep.Markdown(cmd.OutOrStdout(), l.Title(), results, f.top); err != nil {
			return err
		}
	default:
		printSweep(cmd.OutOrStdout(), results, f.top)
		fmt.Fprintf(cmd.ErrOrStderr(), "%s in %.2f s\n", phrase.Plural(len(results), "failure"), time.Since(began).Seconds())
	}
	for i := range results {
		if len(results[i].Checks) > 0 {
			return errFailed
		}
	}
	return nil
}

// sweepDraft tries the failures again once a draft is applied, and says what differs.
func (p *patience) sweepDraft(cmd *cobra.Command, l *lab.Lab, before []sweep.Impact, kinds []failure.Kind, f *sweepFlags) error {
	text, err := parseLab(f.draft)
	if err != nil {
		return err
	}
	if err := p.do(l, history.Action{Kind: history.Apply, Text: text}, 0); err != nil {
		return err
	}
	after, err := p.sweep(l, kinds, f)
	if err != nil {
		return err
	}
	against := sweep.Hold(before, after)
	if f.json {
		if err := printJSON(cmd.OutOrStdout(), against); err != nil {
			return err
		}
	} else {
		printAgainst(cmd.OutOrStdout(), against, f.top)
	}
	if against.Worse > 0 {
		return errFailed
	}
	return nil
}

// chosen are the failures that are tried: those of one's own, or all of some kinds.
func chosen(s *sweep.Sweep, kinds []failure.Kind, lines []string) ([]failure.Failure, error) {
	if len(lines) == 0 {
		return s.Failures(kinds), nil
	}
	var out []failure.Failure
	for _, line := range lines {
		own, err := failure.OwnOf(line)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", line, err)
		}
		out = append(out, own)
	}
	return out, nil
}

// printAgainst prints what a draft makes of the failures.
func printAgainst(out io.Writer, a sweep.Against, top int) {
	fmt.Fprintln(out, a.String())
	shown := a.Changes
	if top > 0 {
		shown = shown[:min(top, len(shown))]
	}
	for _, c := range shown {
		fmt.Fprintf(out, "\n%s: %s\n", c.Turn, c.Title)
		for _, side := range []struct {
			word string
			r    *sweep.Impact
		}{{"before", c.Was}, {"after", c.Is}} {
			if side.r != nil {
				fmt.Fprintf(out, "  %-7s %s\n", side.word, side.r.Says())
			}
		}
	}
	if len(shown) < len(a.Changes) {
		fmt.Fprintf(out, "\n%s\n", phrase.Say("%d more; --top 0 prints all", len(a.Changes)-len(shown)))
	}
}

// sweep tries the failures of a lab, alone or in pairs: all pairs, or the most suspicious ones. The results are in order, the worst first.
func (p *patience) sweep(l *lab.Lab, kinds []failure.Kind, f *sweepFlags) ([]sweep.Impact, error) {
	s, err := sweep.New(l.History(), p.stop)
	if err != nil {
		return nil, err
	}
	failures, err := chosen(s, kinds, f.own)
	if err != nil {
		return nil, err
	}
	if f.budget == 0 {
		results, err := p.each(s, failures, f.workers, func(twin *sweep.Sweep, i int) ([]sweep.Impact, error) {
			return sweep.Branch(twin, failures, i, f.depth, p.stop)
		})
		sweep.Rank(results)
		return results, err
	}
	alone, err := p.each(s, failures, f.workers, func(twin *sweep.Sweep, i int) ([]sweep.Impact, error) {
		return sweep.Branch(twin, failures, i, 1, p.stop)
	})
	if err != nil {
		return nil, err
	}
	seconds := s.Suspicious(failures, alone, f.budget)
	pairs, err := p.each(s, failures, f.workers, func(twin *sweep.Sweep, i int) ([]sweep.Impact, error) {
		if len(seconds[i]) == 0 {
			return nil, nil
		}
		return sweep.Behind(twin, failures, i, seconds[i], p.stop)
	})
	results := append(alone, pairs...)
	sweep.Rank(results)
	return results, err
}

// each tries failures on as many copies as there are workers; results are in the order of the failures, whoever found them.
func (p *patience) each(s *sweep.Sweep, failures []failure.Failure, workers int, try func(twin *sweep.Sweep, i int) ([]sweep.Impact, error)) ([]sweep.Impact, error) {
	found := make([][]sweep.Impact, len(failures))
	errs := make([]error, len(failures))
	next := make(chan int)
	var all sync.WaitGroup
	for range min(workers, len(failures)) {
		twin := s.Twin()
		all.Go(func() {
			for i := range next {
				found[i], errs[i] = try(twin, i)
			}
		})
	}
	start, said := time.Now(), quietFor
	for i := range failures {
		if p.stop() {
			break
		}
		if took := time.Since(start); took > said {
			said = took + progressEvery
			left := took.Seconds() / float64(i) * float64(len(failures)-i)
			fmt.Fprintf(os.Stderr, "%d of %s tried, about %.0f s left; Ctrl-C stops it\n", i, phrase.Plural(len(failures), "failure"), left)
		}
		next <- i
	}
	close(next)
	all.Wait()
	if p.stop() {
		return nil, errStopped
	}
	out := []sweep.Impact{}
	for i := range failures {
		if errs[i] != nil {
			return nil, fmt.Errorf("%s: %w", failures[i].Name, errs[i])
		}
		out = append(out, found[i]...)
	}
	return out, nil
}

// printSweep prints the worst failures as a table, and what all of them come to.
func printSweep(out io.Writer, results []sweep.Impact, top int) {
	sum := sweep.Sum(results)
	fmt.Fprintln(out, sum.String())
	fmt.Fprintln(out)
	t := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	fmt.Fprintln(t, "failure\tconverged\tpairs lost\tpairs out\tlongest\twhat it does")
	shown := results
	if top > 0 {
		shown = results[:min(top, len(results))]
	}
	for i := range shown {
		r := &shown[i]
		converged, longest := "-", "-"
		if r.Convergence != nil {
			converged = fmt.Sprintf("%.3f s", *r.Convergence)
		}
		if r.Pairs.Longest > 0 {
			longest = fmt.Sprintf("%.3f s", r.Pairs.Longest)
		}
		fmt.Fprintf(t, "%s\t%s\t%d\t%d\t%s\t%s\n", r.Title(), converged, r.Pairs.Lost, r.Pairs.Out, longest, r.Says())
	}
	_ = t.Flush()
	if len(shown) < len(results) {
		fmt.Fprintf(out, "%s\n", phrase.Say("%d more; --top 0 prints all", len(results)-len(shown)))
	}
}
