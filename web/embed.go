// Package web is the web client, built by Vite into dist and embedded.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var files embed.FS

// Files are the built client's files.
func Files() fs.FS {
	dist, err := fs.Sub(files, "dist")
	if err != nil {
		panic(err) // dist is named in the embed line above
	}
	return dist
}
