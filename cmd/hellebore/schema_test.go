package main

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/danielgtaylor/huma/v2"
	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/demo"
)

func TestTheSchemaIsCurrent(t *testing.T) {
	doc, _ := schema()
	var out bytes.Buffer
	require.NoError(t, printJSON(&out, doc))
	b, err := os.ReadFile("../../docs/cli.schema.json")
	require.NoError(t, err)
	require.Equal(t, string(b), out.String(), "run make docs")
}

// TestWhatIsPrintedIsAsTheSchemaSays runs the commands on every demo lab.
func TestWhatIsPrintedIsAsTheSchemaSays(t *testing.T) {
	_, defs := schema()
	valid := func(command string, args ...string) {
		t.Helper()
		root := commands()
		var out, errs bytes.Buffer
		root.SetArgs(append([]string{command}, args...))
		root.SetOut(&out)
		root.SetErr(&errs)
		err := root.Execute()
		if err != nil {
			require.ErrorIs(t, err, errFailed, "%v: %s", args, errs.String())
		}
		var v any
		require.NoError(t, json.Unmarshal(out.Bytes(), &v), "%s %v: %s", command, args, errs.String())
		for _, p := range printed {
			if p.command != command {
				continue
			}
			var res huma.ValidateResult
			path := huma.NewPathBuffer([]byte{}, 0)
			huma.Validate(defs, defs.Schema(p.value, true, ""), path, huma.ModeReadFromServer, v, &res)
			require.Empty(t, res.Errors, "%s %v", command, args)
		}
	}
	dir := t.TempDir()
	for _, l := range demo.Labs() {
		file := filepath.Join(dir, l.Slug+".lab")
		require.NoError(t, os.WriteFile(file, []byte(l.Text), 0o600))
		changed := filepath.Join(dir, "changed.lab")
		require.NoError(t, os.WriteFile(changed, []byte(l.Text+"\nrouter anew\n  loopback lo 198.18.255.1/32\n"), 0o600))
		valid("run", file, "--json", "--do", "wait 60s")
		valid("compare", file, changed, "--format", "json")
		valid("preview", file, changed, "--json")
		devices := labtext.Parse(l.Text).Lab.Devices
		valid("sweep", file, "--json")
		valid("why", file, "why from "+devices[0].Name+" to "+devices[len(devices)-1].Name, "--json")
	}
}
