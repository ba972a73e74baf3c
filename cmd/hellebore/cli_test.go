package main

import (
	"fmt"
	"os"
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
