package main

import (
	"errors"
	"fmt"
	"io"
	"os"

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
