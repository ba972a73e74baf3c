package api

import (
	"bytes"
	"compress/gzip"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"
)

// serveClient serves the web client's files; every other path is a page of the
// client, which finds out from the address which.
func serveClient(router *gin.Engine, client fs.FS) {
	files := http.FileServerFS(client)
	var assets packed
	router.NoRoute(func(c *gin.Context) {
		name := strings.TrimPrefix(c.Request.URL.Path, "/")
		if strings.HasPrefix(name, "api/") {
			refuse(c, http.StatusNotFound, "there is no such operation")
			return
		}
		if f, err := fs.Stat(client, name); err == nil && !f.IsDir() {
			if isAsset(name) {
				c.Header("Cache-Control", "public, max-age=31536000, immutable")
				c.Header("Vary", "Accept-Encoding")
				if takesGzip(c.Request) {
					if b, ok := assets.file(client, name); ok {
						c.Header("Content-Encoding", "gzip")
						c.Data(http.StatusOK, mime.TypeByExtension(path.Ext(name)), b)
						return
					}
				}
			}
			files.ServeHTTP(c.Writer, c.Request)
			return
		}
		page, err := fs.ReadFile(client, "index.html")
		if err != nil {
			c.String(http.StatusNotFound, "The web client is not built into this binary; run make build.")
			return
		}
		c.Data(http.StatusOK, "text/html; charset=utf-8", page)
	})
}

// isAsset says whether a file of the client has a hash in its name, and never changes.
func isAsset(name string) bool { return strings.HasPrefix(name, "assets/") }

// packed are the client's files, each compressed once, as small as can be.
type packed struct{ files sync.Map } // of []byte by name; nil for one that does not get smaller

func (p *packed) file(client fs.FS, name string) (b []byte, ok bool) {
	if small[path.Ext(name)] {
		return nil, false
	}
	if known, found := p.files.Load(name); found {
		b = known.([]byte)
		return b, b != nil
	}
	raw, err := fs.ReadFile(client, name)
	if err != nil {
		return nil, false
	}
	var out bytes.Buffer
	w, _ := gzip.NewWriterLevel(&out, gzip.BestCompression) // the level is one of those that there are
	_, _ = w.Write(raw)                                     // a buffer takes everything
	_ = w.Close()
	if b = out.Bytes(); len(b) >= len(raw) {
		b = nil
	}
	p.files.Store(name, b)
	return b, b != nil
}
