package main

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/sweep"
	"hellebore/core/questions/testlabs"
)

func swept(t *testing.T, args ...string) (string, error) {
	t.Helper()
	root := commands()
	var out bytes.Buffer
	root.SetOut(&out)
	root.SetErr(&bytes.Buffer{})
	root.SetArgs(append([]string{"sweep"}, args...))
	err := root.Execute()
	return out.String(), err
}

// TestASweepOnTheCommandLine tries all failures of a lab: what it says is the same whoever tries them, and a check that fails is
// one of the pipeline.
func TestASweepOnTheCommandLine(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "line.lab")
	require.NoError(t, os.WriteFile(file, []byte(testlabs.Rail), 0o600))
	var before string
	for _, workers := range []string{"1", "2", "5"} {
		out, err := swept(t, file, "--json", "--workers", workers)
		if err != nil {
			require.ErrorIs(t, err, errFailed)
		}
		var got sweep.Findings
		require.NoError(t, json.Unmarshal([]byte(out), &got))
		require.Equal(t, got.Failures, len(got.Results))
		require.Positive(t, got.Failures)
		require.True(t, before == "" || before == out, "with %s workers it is the same", workers)
		before = out
	}

	ring := "router a\n  loopback lo 10.255.0.1/32\n    ospf area 0 passive\n  port e1 10.0.0.1/30\n    ospf area 0\n  port e2 10.0.1.1/30\n    ospf area 0\n" +
		"router b\n  loopback lo 10.255.0.2/32\n    ospf area 0 passive\n  port e1 10.0.0.2/30\n    ospf area 0\n  port e2 10.0.1.2/30\n    ospf area 0\n" +
		"link a.e1 b.e1\nlink a.e2 b.e2\ncheck \"b is there\"\n  expect reach a -> b\n"
	require.NoError(t, os.WriteFile(file, []byte(ring), 0o600))
	out, err := swept(t, file, "--kinds", "link")
	require.NoError(t, err, "each link has another beside it")
	require.Contains(t, out, "2 failures: 0 lose something for good, ")
	require.NotContains(t, out, "more; --top 0")

	// Two at a time are too many.
	junit := filepath.Join(dir, "out.xml")
	out, err = swept(t, file, "--kinds", "link", "--depth", "2", "--junit", junit, "--top", "1")
	require.ErrorIs(t, err, errFailed)
	require.Contains(t, out, "a.e1 b.e1, cut, then a.e2 b.e2, cut")
	require.Contains(t, out, `check "b is there" fails`)
	require.Contains(t, out, "2 more; --top 0 prints all")
	var suite struct {
		Tests    int `xml:"tests,attr"`
		Failures int `xml:"failures,attr"`
	}
	b, err := os.ReadFile(junit)
	require.NoError(t, err)
	require.NoError(t, xml.Unmarshal(b, &suite))
	require.Equal(t, 3, suite.Tests)
	require.Equal(t, 1, suite.Failures)

	// At once, in a list of one's own.
	out, err = swept(t, file, "--fail", "cut a.e1 and cut a.e2", "--fail", "disable b")
	require.ErrorIs(t, err, errFailed)
	require.Contains(t, out, "2 failures: 1 lose")

	// As a table for other programs, and as a page.
	out, err = swept(t, file, "--kinds", "link,router", "--format", "csv", "--depth", "2")
	require.ErrorIs(t, err, errFailed)
	rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	require.NoError(t, err)
	require.Equal(t, "failure", rows[0][0])
	require.Len(t, rows, 1+2+2+1+4+1, "two links, two routers, and their pairs")
	out, err = swept(t, file, "--kinds", "link", "--format", "md", "--depth", "2", "--top", "2")
	require.ErrorIs(t, err, errFailed)
	require.NotContains(t, out, "Single points of failure", "it takes both links")
	require.Contains(t, out, "| a.e1 b.e1, cut, then a.e2 b.e2, cut |")
	require.Contains(t, out, "| 2 | 0 |")
	require.Contains(t, out, "\nand 1 more\n")

	// A draft that takes one of the two links out makes the failure of the other one worse; the way back makes it better.
	draft := filepath.Join(dir, "draft.lab")
	require.NoError(t, os.WriteFile(draft, []byte(strings.Replace(ring, "link a.e2 b.e2\n", "", 1)), 0o600))
	out, err = swept(t, file, "--kinds", "link", "--draft", draft)
	require.ErrorIs(t, err, errFailed)
	require.Contains(t, out, "the change makes 1 failure worse and 0 better; 0 stay as they are")
	require.Contains(t, out, "worse: a.e1 b.e1, cut")
	require.Contains(t, out, "gone: a.e2 b.e2, cut")
	out, err = swept(t, draft, "--kinds", "link", "--draft", file)
	require.NoError(t, err)
	require.Contains(t, out, "better: a.e1 b.e1, cut")
	out, err = swept(t, draft, "--kinds", "link", "--draft", file, "--json")
	require.NoError(t, err)
	var against sweep.Against
	require.NoError(t, json.Unmarshal([]byte(out), &against))
	require.Equal(t, 1, against.Better)

	for says, args := range map[string][]string{
		`"duct" is no kind of failure; known: link, silence`: {file, "--kinds", "duct"},
		"a depth of 3 cannot be tried: write 1 or 2":         {file, "--depth", "3"},
		"--format html is not known; write text, md or csv":  {file, "--format", "html"},
		"leave --format and --junit out":                     {file, "--draft", draft, "--junit", junit},
		"0 workers try nothing":                              {file, "--workers", "0"},
		`"sever" is not an action`:                           {file, "--fail", "sever a.e1"},
		"there is no device named z":                         {file, "--fail", "cut z.e1"},
		"no such file":                                       {filepath.Join(dir, "none.lab")},
		"--junit":                                            {file, "--junit", filepath.Join(dir, "no", "out.xml")},
	} {
		_, err := swept(t, args...)
		require.ErrorContains(t, err, says)
	}
}
