// Package demo is the demo labs, embedded.
package demo

import (
	"embed"
	"io/fs"
	"strings"
)

//go:embed *.lab
var files embed.FS

// Lab is one demo lab.
type Lab struct {
	Slug string // file name without its ending; stable
	Text string
}

// order is that of the list of labs: what a new user should open comes first.
var order = []string{"first-triangle", "triangle-with-ospf", "tarn-valley", "planted-faults", "five-faults", "station-yard", "three-areas", "beyond-the-pass", "shared-cable", "guarded-line", "two-carriers", "planted-sessions", "two-reflectors", "two-islands", "valley-line"}

// Labs are all demo labs.
func Labs() []Lab {
	var out []Lab
	for _, slug := range order {
		b, err := files.ReadFile(slug + ".lab")
		if err != nil {
			panic("demo: " + slug + " is listed but not embedded")
		}
		out = append(out, Lab{slug, string(b)})
	}
	return out
}

// Unlisted are embedded labs that Labs leaves out; a test keeps it empty.
func Unlisted() []string {
	names, _ := fs.Glob(files, "*.lab")
	var out []string
	for _, n := range names {
		slug := strings.TrimSuffix(n, ".lab")
		listed := false
		for _, o := range order {
			listed = listed || o == slug
		}
		if !listed {
			out = append(out, slug)
		}
	}
	return out
}
