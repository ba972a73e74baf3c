// Package core_test keeps the house in order: who may import whom.
package core_test

import (
	"fmt"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"regexp"
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
	{"core/ground/phrase"},
	{"core/ground/note", "core/ground/event", "core/ground/store", "core/ground/image"},
	{"core/ground/ip"},
	{"core/ground/attr"},
	{"core/language/config"},
	{"core/language/labtext"},
	{"core/protocols/wire/inet", "core/protocols/spf", "core/protocols/lsdb"},
	{"core/protocols/adjacency", "core/protocols/wire/ospf", "core/protocols/wire/tcp", "core/protocols/wire/bgp"},
	{"core/protocols/route", "core/protocols/feed"},
	{"core/protocols/policy", "core/protocols/tcp"},
	{"core/protocols/ospf", "core/protocols/bgp"},
	{"core/simulation/device"},
	{"core/simulation/network"},
	{"core/simulation/history"},
	{"core/questions/facts", "core/questions/interchange"},
	{"core/questions/fixes", "core/questions/capture", "core/questions/failure"},
	{"core/questions/traffic"},
	{"core/questions/relations", "core/questions/critical", "core/questions/playback"},
	{"core/questions/timeline"},
	{"core/questions/paths"},
	{"core/questions/tables"},
	{"core/questions/topology"},
	{"core/questions/compare", "core/questions/check"},
	{"core/questions/why", "core/questions/sweep"},
	{"core/lab"},
	{"server/cluster", "server/store", "demo", "web"},
	{"server/live"},
	{"server/sweeps"},
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
					require.Contains(t, []string{"hellebore/core/language/config", "hellebore/core/ground/phrase"}, name,
						"labtext knows config only, and how to say what is wrong")
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

// TestThePictureOfTheHouse draws docs/house.svg from the floors; PICTURE=1 writes it.
func TestThePictureOfTheHouse(t *testing.T) {
	got := picture()
	const file = "../docs/house.svg"
	if os.Getenv("PICTURE") != "" {
		require.NoError(t, os.WriteFile(file, []byte(got), 0o600))
	}
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, string(b), got, "run make docs")
}

// picture is the house as SVG: a row per floor, wings and server in frames.
func picture() string {
	const width, row, pad, left = 760, 34, 8, 150
	wingOf := func(p string) string {
		for _, w := range wings {
			if p == w || strings.HasPrefix(p, w+"/") {
				return w
			}
		}
		return "program"
	}
	var out strings.Builder
	y := 40
	wing, top := "", 0
	frame := func() {
		if wing != "" {
			fmt.Fprintf(&out, "<rect class=\"wing\" x=\"8\" y=\"%d\" width=\"%d\" height=\"%d\" rx=\"6\"/><text class=\"wing\" x=\"20\" y=\"%d\">%s</text>\n",
				top-4, width-16, y-top+2, top+18, wing)
		}
	}
	for _, floor := range slices.Backward(floors) {
		if w := wingOf(floor[0]); w != wing {
			frame()
			if wing != "" {
				y += 12
			}
			wing, top = w, y
		}
		each := (width - left - 16) / len(floor)
		for k, p := range floor {
			name := strings.TrimPrefix(strings.TrimPrefix(p, wing), "/")
			if name == "" {
				name = p
			}
			fmt.Fprintf(&out, "<rect class=\"room\" x=\"%d\" y=\"%d\" width=\"%d\" height=\"%d\" rx=\"4\"/><text x=\"%d\" y=\"%d\">%s</text>\n",
				left+k*each, y, each-pad, row-pad, left+k*each+(each-pad)/2, y+18, name)
		}
		y += row
	}
	frame()
	return fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" width="%d" role="img" aria-label="The packages of Hellebore, floor by floor">
<style>text{font:12px sans-serif;text-anchor:middle;fill:#333}text.wing{font-weight:bold;text-anchor:start}.room{fill:#fff;stroke:#888}.wing{fill:none;stroke:#bbb}text.wing{stroke:none;fill:#333}</style>
<rect width="100%%" height="100%%" fill="#f7f5f2"/>
<text x="%d" y="24">a package imports only from lower floors</text>
%s</svg>
`, width, y+10, width, width/2, out.String())
}

// TestThePacketsLifeNamesFunctionsThatExist reads docs/packet.md.
func TestThePacketsLifeNamesFunctionsThatExist(t *testing.T) {
	b, err := os.ReadFile("../docs/packet.md")
	require.NoError(t, err)
	dirs := map[string]string{}
	for _, floor := range floors {
		for _, p := range floor {
			if name := path.Base(p); dirs[name] == "" || !strings.Contains(p, "wire/") {
				dirs[name] = p
			}
		}
	}
	names := regexp.MustCompile("`([a-z]+)\\.([A-Za-z.]+)`").FindAllStringSubmatch(string(b), -1)
	require.Greater(t, len(names), 30)
	for _, n := range names {
		dir, ok := dirs[n[1]]
		require.True(t, ok, "there is no package %s", n[1])
		owner, name, member := strings.Cut(n[2], ".")
		want := regexp.MustCompile(`(?m)^func ` + owner + `\(`)
		if member { // a method, or a field
			want = regexp.MustCompile(`(?m)^func \(\w+ \*?` + owner + `\) ` + name + `\(|^\t` + name + ` +func`)
		}
		files, err := filepath.Glob("../" + dir + "/*.go")
		require.NoError(t, err)
		require.True(t, slices.ContainsFunc(files, func(f string) bool {
			b, err := os.ReadFile(f)
			require.NoError(t, err)
			return want.Match(b)
		}), "%s has no %s", dir, n[2])
	}
}

// TestNoWallClock looks for the time of day in core: only virtual time counts there.
func TestNoWallClock(t *testing.T) {
	clock := regexp.MustCompile(`\btime\.(Now|Since|Until|Sleep|After|AfterFunc|Tick|NewTimer|NewTicker)\(`)
	require.NoError(t, filepath.WalkDir(".", func(file string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") {
			return err
		}
		b, err := os.ReadFile(file)
		require.NoError(t, err)
		require.Empty(t, clock.FindString(string(b)), file)
		return nil
	}))
}
