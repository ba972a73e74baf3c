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

// order is the one in which one learns.
var order = []string{"ten-minutes", "first-triangle", "triangle-with-ospf", "planted-faults", "five-faults", "station-yard", "three-areas", "beyond-the-pass", "shared-cable", "guarded-line", "two-carriers", "planted-sessions", "two-reflectors", "two-islands", "ferry-and-mail", "one-bridge", "tarn-valley", "valley-line"}

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

// Text is a demo lab's text.
func Text(slug string) string {
	for _, l := range Labs() {
		if l.Slug == slug {
			return l.Text
		}
	}
	panic("demo: there is no lab " + slug)
}
