package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/simulation/history"
)

// TestTheCommandLineIsDocumented holds docs/cli.md against commands and actions.
func TestTheCommandLineIsDocumented(t *testing.T) {
	b, err := os.ReadFile("../../docs/cli.md")
	require.NoError(t, err)
	text := string(b)
	for _, c := range commands().Commands() {
		require.Contains(t, text, "`hellebore "+c.Name(), c.Name())
	}
	for _, f := range history.Forms {
		require.Contains(t, text, fmt.Sprintf("| `%s` | %s |\n", strings.ReplaceAll(f.Form, "|", "\\|"), f.Says))
		require.Contains(t, actionForms(), f.Form)
	}
}

// TestEditChangesAFile edits a lab by arguments and by what is typed.
func TestEditChangesAFile(t *testing.T) {
	file := filepath.Join(t.TempDir(), "mill.lab")
	require.NoError(t, os.WriteFile(file, []byte("router mill\n  port e1 10.0.0.1/30 # to the halt\n    ospf area 0\n"), 0o644))
	run := func(typed string, args ...string) (string, error) {
		root := commands()
		var out strings.Builder
		root.SetOut(&out)
		root.SetIn(strings.NewReader(typed))
		root.SetArgs(args)
		err := root.Execute()
		return out.String(), err
	}
	out, err := run("", "edit", "-l", file, "mill.e1 ospf cost 40", "add router halt")
	require.NoError(t, err)
	require.Equal(t, "router mill, line 4\n+       cost 40\n+ \n+ router halt\n", out)
	_, err = run("mill.e1 ospf\n  cost 50\n\n# and\nmill.e1 mtu 1400\n", "edit", "-w", file)
	require.NoError(t, err)
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, "router mill\n  port e1 10.0.0.1/30 mtu 1400 # to the halt\n    ospf area 0\n      cost 50\n", string(b))
	for edit, says := range map[string]string{"mil.e1 mtu 1": "did you mean mill?", "": "both the lab and the edits"} {
		args := []string{"edit", file, edit}
		if edit == "" {
			args = []string{"edit", "-"}
		}
		_, err = run("", args...)
		require.ErrorContains(t, err, says)
	}
}
