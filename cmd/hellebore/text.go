package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"hellebore/core/language/labtext"
)

// readLab reads a file, or standard input for "-".
func readLab(path string) (string, error) {
	file := os.Stdin
	if path != "-" {
		f, err := os.Open(path)
		var at *os.PathError
		if errors.As(err, &at) {
			return "", fmt.Errorf("%s: %w", path, at.Err)
		} else if err != nil {
			return "", err
		}
		defer func() { _ = f.Close() }()
		file = f
	}
	// UTF-16 takes two bytes where UTF-8 may take one.
	b, err := io.ReadAll(io.LimitReader(file, 2*labtext.MaxSize+2))
	if err != nil {
		return "", fmt.Errorf("%s: %w", path, err)
	}
	text, err := labtext.Read(b)
	if err != nil {
		return "", fmt.Errorf("%s: %w", path, err)
	}
	return text, nil
}

// parseLab reads and checks a lab; its errors go to standard error.
func parseLab(path string) (string, error) {
	text, err := readLab(path)
	if err != nil {
		return "", err
	}
	r := labtext.Parse(text)
	if r.OK() {
		return text, nil
	}
	n := 0
	for _, p := range r.Problems {
		if p.Severity == labtext.Error {
			n++
			fmt.Fprintf(os.Stderr, "%s:%v\n", path, p)
		}
	}
	if n == 1 {
		return "", fmt.Errorf("%s has 1 error", path)
	}
	return "", fmt.Errorf("%s has %d errors", path, n)
}

func checkCommand() *cobra.Command {
	return &cobra.Command{Use: "check LAB", Short: "Print the errors and warnings of a lab text",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			text, err := readLab(args[0])
			if err != nil {
				return err
			}
			r := labtext.Parse(text)
			for _, p := range r.Problems {
				line, column, rest := p.Line, p.Column, p.Message
				if p.Hint != "" {
					rest += "; " + p.Hint
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%s:%d:%d: %s: %s\n", args[0], line, column, p.Severity, rest)
			}
			if !r.OK() {
				return fmt.Errorf("%s cannot be applied", args[0])
			}
			return nil
		}}
}

func formatCommand() *cobra.Command {
	var write bool
	c := &cobra.Command{Use: "fmt LAB", Short: "Write a lab text in its canonical form", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			text, err := readLab(args[0])
			if err != nil {
				return err
			}
			formatted, ok := labtext.Format(text)
			if !ok {
				_, err := parseLab(args[0])
				return err
			}
			if write && args[0] != "-" {
				return os.WriteFile(args[0], []byte(formatted), 0o644)
			}
			fmt.Fprint(cmd.OutOrStdout(), formatted)
			return nil
		}}
	c.Flags().BoolVarP(&write, "write", "w", false, "write to the file instead of standard output")
	return c
}

func editCommand() *cobra.Command {
	var write, lines bool
	c := &cobra.Command{Use: "edit LAB [EDIT ...]", Short: "Change a lab text by edits",
		Long: `Change a lab text by edits, each one statement or one verb:

  viaduct.e1 ospf cost 40
  summit.up, quarry.up bandwidth 100M
  add router halt
  remove viaduct.e1 ospf passive
  rename viaduct.e1 up
  move policy to-skylark statement own before rest
  join viaduct.lan yard
  part viaduct.lan
  new router
  connect viaduct summit
  run ospf area 0 on viaduct, summit

Without edits, they are read from standard input, one a line; what belongs to a
statement can follow below it, indented. Comments, order and layout of all else stay.`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			edits := strings.Join(args[1:], "\n")
			if len(args) == 1 {
				if args[0] == "-" {
					return fmt.Errorf("both the lab and the edits would be read from standard input: name a file, or write the edits as arguments")
				}
				b, err := io.ReadAll(io.LimitReader(cmd.InOrStdin(), labtext.MaxSize))
				if err != nil {
					return err
				}
				edits = string(b)
			}
			before, err := readLab(args[0])
			if err != nil {
				return err
			}
			list, err := labtext.ParseEdits(edits)
			if err != nil {
				return err
			}
			after, err := labtext.EditText(before, list...)
			if err != nil {
				return err
			}
			if lines {
				for _, h := range labtext.Hunks(before, after) {
					fmt.Fprintf(cmd.OutOrStdout(), "%s, line %d\n", h.Block, h.Line)
					for _, l := range h.Removed {
						fmt.Fprintf(cmd.OutOrStdout(), "- %s\n", l)
					}
					for _, l := range h.Added {
						fmt.Fprintf(cmd.OutOrStdout(), "+ %s\n", l)
					}
				}
			}
			if write && args[0] != "-" {
				return os.WriteFile(args[0], []byte(after), 0o644)
			}
			if !lines {
				fmt.Fprint(cmd.OutOrStdout(), after)
			}
			return nil
		}}
	c.Flags().BoolVarP(&write, "write", "w", false, "write to the file instead of standard output")
	c.Flags().BoolVarP(&lines, "lines", "l", false, "print the changed lines instead of the text")
	return c
}
