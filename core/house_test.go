// Package core_test keeps the house in order: who may import whom.
package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// floors are the packages from the ground up; one may import from floors below
// its own only. docs/architecture.md tells what each is for.
var floors = [][]string{
	{"core/note", "core/event", "core/store"},
	{"core/attr"},
	{"core/wire/ip", "core/config"},
	{"core/wire/ospf", "core/wire/tcp", "core/wire/bgp"},
	{"core/route"},
	{"core/policy", "core/tcp"},
	{"core/ospf", "core/bgp"},
	{"core/device"},
	{"core/network"},
	{"core/labtext"},
	{"core/history"},
	{"core/observe", "core/interchange"},
	{"core/compare", "core/check"},
	{"core/why"},
	{"core/lab"},
	{"server/cluster", "server/store", "demo", "web"},
	{"server/live"},
	{"server/api"},
	{"cmd/hellebore"},
}

// forbidden is what nothing in core may know.
var forbidden = []string{"net/http", "database/sql", "os", "io/fs", "sync", "sync/atomic", "context", "log/slog"}

func TestImportsPointDown(t *testing.T) {
	floor := map[string]int{}
	for n, packages := range floors {
		for _, p := range packages {
			floor[p] = n
		}
	}
	root := ".."
	seen := map[string]bool{}
	err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git" || d.Name() == "e2e") {
			return filepath.SkipDir
		}
		if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return nil
		}
		home, _ := filepath.Rel(root, filepath.Dir(path))
		own, known := floor[home]
		require.True(t, known, "%s has no floor: give it a line in this test and in docs/architecture.md", home)
		seen[home] = true
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		require.NoError(t, err)
		for _, i := range f.Imports {
			name, _ := strconv.Unquote(i.Path.Value)
			if strings.HasPrefix(home, "core/") {
				require.NotContains(t, forbidden, name, "%s imports %s", path, name)
			}
			if inside, ok := strings.CutPrefix(name, "hellebore/"); ok {
				require.Less(t, floor[inside], own, "%s imports %s, which is not below it", path, inside)
			}
		}
		if strings.HasPrefix(home, "core/labtext") {
			for _, i := range f.Imports {
				name, _ := strconv.Unquote(i.Path.Value)
				if strings.HasPrefix(name, "hellebore/") {
					require.Equal(t, "hellebore/core/config", name, "labtext knows config only")
				}
			}
		}
		return nil
	})
	require.NoError(t, err)
	for p := range floor {
		require.True(t, seen[p], "%s is on a floor but not in the house", p)
	}
}
