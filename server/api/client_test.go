package api

import (
	"compress/gzip"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/require"
)

// TestTheClientsFilesAreSmall: a file whose name carries a hash goes out compressed to who takes that, the same each time, and
// may be kept; others are as they are.
func TestTheClientsFilesAreSmall(t *testing.T) {
	script := strings.Repeat("const a = 1;\n", 500)
	router := gin.New()
	router.Use(compressed())
	serveClient(router, fstest.MapFS{
		"index.html":           {Data: []byte("<p>the page</p>")},
		"assets/index-1a.js":   {Data: []byte(script)},
		"assets/tiny-1a.js":    {Data: []byte("1")},
		"assets/font-1a.woff2": {Data: []byte(script)},
	})
	get := func(path, encoding string) *httptest.ResponseRecorder {
		w := httptest.NewRecorder()
		r := httptest.NewRequest(http.MethodGet, path, nil)
		r.Header.Set("Accept-Encoding", encoding)
		router.ServeHTTP(w, r)
		require.Equal(t, http.StatusOK, w.Code, path)
		return w
	}
	for range 2 {
		w := get("/assets/index-1a.js", "gzip, br")
		require.Equal(t, "gzip", w.Header().Get("Content-Encoding"))
		require.Contains(t, w.Header().Get("Content-Type"), "javascript")
		require.Contains(t, w.Header().Get("Cache-Control"), "immutable")
		require.Less(t, w.Body.Len(), 200)
		r, err := gzip.NewReader(w.Body)
		require.NoError(t, err)
		b, err := io.ReadAll(r)
		require.NoError(t, err)
		require.Equal(t, script, string(b))
	}
	plain := get("/assets/index-1a.js", "identity")
	require.Empty(t, plain.Header().Get("Content-Encoding"))
	require.Equal(t, script, plain.Body.String())
	require.Equal(t, "Accept-Encoding", plain.Header().Get("Vary"))
	for _, path := range []string{"/assets/tiny-1a.js", "/assets/font-1a.woff2"} {
		require.Empty(t, get(path, "gzip").Header().Get("Content-Encoding"), path)
	}
	require.Equal(t, "<p>the page</p>", get("/lab/0123456789ab/map", "identity").Body.String())
}
