// Package core_test keeps the house in order: who may import whom.
package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// wings are the parts of core/ from the ground up: a package imports from lower
// wings and from lower floors of its own.
var wings = []string{"core/ground", "core/language", "core/protocols", "core/simulation", "core/questions", "core/lab"}

// floors are the packages from the ground up; a package imports from floors below
// its own only. docs/architecture.md says what each is for.
var floors = [][]string{
	{"core/ground/note", "core/ground/event", "core/ground/store"},
	{"core/ground/attr"},
	{"core/language/config"},
	{"core/language/labtext"},
	{"core/protocols/wire/ip", "core/protocols/spf"},
	{"core/protocols/wire/ospf", "core/protocols/wire/tcp", "core/protocols/wire/bgp"},
	{"core/protocols/route"},
	{"core/protocols/policy", "core/protocols/tcp"},
	{"core/protocols/ospf", "core/protocols/bgp"},
	{"core/simulation/device"},
	{"core/simulation/network"},
	{"core/simulation/history"},
	{"core/questions/facts", "core/questions/interchange"},
	{"core/questions/traffic", "core/questions/capture"},
	{"core/questions/relations", "core/questions/timeline"},
	{"core/questions/paths"},
	{"core/questions/tables"},
	{"core/questions/topology"},
	{"core/questions/compare", "core/questions/check"},
	{"core/questions/why"},
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
		if d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git" || d.Name() == "e2e" || d.Name() == "testlabs") {
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
		if strings.HasPrefix(home, "core/language/labtext") {
			for _, i := range f.Imports {
				name, _ := strconv.Unquote(i.Path.Value)
				if strings.HasPrefix(name, "hellebore/") {
					require.Equal(t, "hellebore/core/language/config", name, "labtext knows config only")
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

func TestWingsStandInTheOrderOfTheFloors(t *testing.T) {
	last := 0
	for _, floor := range floors {
		for _, p := range floor {
			if !strings.HasPrefix(p, "core/") {
				continue
			}
			wing := slices.IndexFunc(wings, func(w string) bool { return p == w || strings.HasPrefix(p, w+"/") })
			require.GreaterOrEqual(t, wing, 0, "%s is in no wing", p)
			require.GreaterOrEqual(t, wing, last, "%s is above a package of a higher wing", p)
			last = wing
		}
	}
}
