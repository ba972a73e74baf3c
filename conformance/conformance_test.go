// Package conformance_test proves the tables in docs/conformance: each row has a
// mutation beside the table that takes its rule out, and a test that fails then.
//
// A mutation reads
//
//	row 12.1.6
//	in core/protocols/ospf/flood.go
//	- the lines that obey the rule, as they are
//	+ what is in their place
//	by ./core/simulation/network TestSequenceNumbersWrapByFlushing
//
// where several "in" blocks may be in one. A row is named by its first cell, or
// by "first cell / first words of the second" if that is not enough.
package conformance_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

const root = ".."

// row is one of a table of docs/conformance.
type row struct{ section, what string }

func (r row) is(name string) bool {
	section, what, more := strings.Cut(name, " / ")
	return r.section == section && (!more || strings.HasPrefix(r.what, what))
}

// patch replaces text that occurs once in a file.
type patch struct{ file, old, new string }

// mutation takes the rule of a row out of the code.
type mutation struct {
	row     string
	patches []patch
	pkg     string
	test    string // for -run
}

var tables = []string{"ospf", "bgp", "tcp"}

func rowsOf(t *testing.T, table string) (rows []row) {
	b, err := os.ReadFile(filepath.Join(root, "docs", "conformance", table+".md"))
	require.NoError(t, err)
	_, text, _ := strings.Cut(string(b), "| section |")
	for i, line := range strings.Split(text, "\n") {
		if i < 2 {
			continue // the head
		}
		cells := strings.Split(line, " | ")
		if len(cells) < 3 {
			break
		}
		rows = append(rows, row{strings.TrimPrefix(cells[0], "| "), cells[1]})
	}
	require.NotEmpty(t, rows)
	return rows
}

func mutationsOf(t *testing.T, table string) (list []mutation) {
	b, err := os.ReadFile(filepath.Join(root, "docs", "conformance", "mutations", table+".txt"))
	require.NoError(t, err)
	for block := range strings.SplitSeq(strings.TrimSpace(string(b)), "\n\n") {
		var m mutation
		for line := range strings.SplitSeq(block, "\n") {
			word, rest, _ := strings.Cut(line, " ")
			if word == "row" || word == "in" || word == "by" {
				require.NotEmpty(t, rest, "%s: %q", table, line)
			}
			last := len(m.patches) - 1
			switch word {
			case "row":
				m.row = rest
			case "in":
				m.patches = append(m.patches, patch{file: rest})
			case "-":
				m.patches[last].old += rest + "\n"
			case "+":
				m.patches[last].new += rest + "\n"
			case "by":
				m.pkg, m.test, _ = strings.Cut(rest, " ")
			default:
				require.True(t, strings.HasPrefix(line, "#"), "%s: what is %q?", table, line)
			}
		}
		if m.row != "" {
			list = append(list, m)
		}
	}
	return list
}

// mutated is the text of a file with the patch.
func (p patch) mutated(t *testing.T) string {
	b, err := os.ReadFile(filepath.Join(root, p.file))
	require.NoError(t, err)
	require.Equal(t, 1, strings.Count(string(b), p.old), "%s has not exactly once:\n%s", p.file, p.old)
	return strings.Replace(string(b), p.old, p.new, 1)
}

// TestEachRowHasAMutation also finds mutations whose code or test is gone.
func TestEachRowHasAMutation(t *testing.T) {
	for _, table := range tables {
		rows, list := rowsOf(t, table), mutationsOf(t, table)
		for _, r := range rows {
			found := false
			for _, m := range list {
				found = found || r.is(m.row)
			}
			require.True(t, found, "%s.md: no mutation takes out %q (%s)", table, r.section, r.what)
		}
		for _, m := range list {
			named := 0
			for _, r := range rows {
				if r.is(m.row) {
					named++
				}
			}
			require.Equal(t, 1, named, "%s.txt: rows named %q", table, m.row)
			for _, p := range m.patches {
				require.NotEqual(t, p.old, p.new)
				p.mutated(t)
			}
			require.NotEmpty(t, m.patches, m.row)
			name, _, _ := strings.Cut(strings.Trim(m.test, "^$"), "/")
			files, _ := filepath.Glob(filepath.Join(root, m.pkg, "*_test.go"))
			there := false
			for _, f := range files {
				b, err := os.ReadFile(f)
				require.NoError(t, err)
				there = there || regexp.MustCompile(`(?m)^func `+name+`\w*\(`).Match(b)
			}
			require.True(t, there, "%s.txt, %s: no test %s in %s", table, m.row, name, m.pkg)
		}
	}
}

// TestMutations runs for `make mutate`: with each rule taken out, its test fails.
// MUTATE is a regular expression of the rows to try, "." for all.
func TestMutations(t *testing.T) {
	only := os.Getenv("MUTATE")
	if only == "" {
		t.Skip("make mutate runs this")
	}
	chosen := regexp.MustCompile(only)
	for _, table := range tables {
		for _, m := range mutationsOf(t, table) {
			name := table + " " + m.row
			if !chosen.MatchString(name) {
				continue
			}
			t.Run(name, func(t *testing.T) {
				overlay := struct{ Replace map[string]string }{map[string]string{}}
				texts := map[string]string{}
				for _, p := range m.patches {
					abs, err := filepath.Abs(filepath.Join(root, p.file))
					require.NoError(t, err)
					if texts[abs] == "" {
						texts[abs] = p.mutated(t)
					} else {
						require.Equal(t, 1, strings.Count(texts[abs], p.old))
						texts[abs] = strings.Replace(texts[abs], p.old, p.new, 1)
					}
				}
				dir := t.TempDir()
				for abs, text := range texts {
					file := filepath.Join(dir, filepath.Base(abs))
					require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
					overlay.Replace[abs] = file
				}
				b, err := json.Marshal(overlay)
				require.NoError(t, err)
				list := filepath.Join(dir, "overlay.json")
				require.NoError(t, os.WriteFile(list, b, 0o600))
				build := exec.Command("go", "test", "-overlay", list, "-count=1", "-run", "^$", m.pkg)
				build.Dir = root
				out, err := build.CombinedOutput()
				require.NoError(t, err, "the mutation does not compile:\n%s", out)
				run := exec.Command("go", "test", "-overlay", list, "-count=1", "-timeout", "2m", "-run", m.test, m.pkg)
				run.Dir = root
				out, err = run.CombinedOutput()
				require.Error(t, err, "no test notices that the rule is gone:\n%s", out)
				require.Contains(t, string(out), "FAIL")
			})
		}
	}
}
