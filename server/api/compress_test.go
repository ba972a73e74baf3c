package api

import (
	"compress/gzip"
	"io"
	"net/http"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestAnswersAreCompressedForWhoTakesThat: the same bytes come out, and fewer go over the wire; refusals, parts and heads
// stay as they are.
func TestAnswersAreCompressedForWhoTakesThat(t *testing.T) {
	taking := header{"Accept-Encoding": "gzip, br"}
	for _, path := range []string{"/api/language", "/api/actions", "/api/openapi.json", "/"} {
		plain := answer(t, none{}, "GET", path, nil, "")
		require.Equal(t, http.StatusOK, plain.Code, path)
		require.Empty(t, plain.Header().Get("Content-Encoding"), path)
		packed := answer(t, none{}, "GET", path, taking, "")
		require.Equal(t, http.StatusOK, packed.Code, path)
		require.Equal(t, "gzip", packed.Header().Get("Content-Encoding"), path)
		require.Contains(t, packed.Header().Get("Vary"), "Accept-Encoding")
		require.Equal(t, plain.Header().Get("Content-Type"), packed.Header().Get("Content-Type"), path)
		size := packed.Body.Len()
		r, err := gzip.NewReader(packed.Body)
		require.NoError(t, err, path)
		body, err := io.ReadAll(r)
		require.NoError(t, err, path)
		require.Equal(t, plain.Body.String(), string(body), path)
		if plain.Body.Len() > 2000 {
			require.Less(t, size, plain.Body.Len()/2, path)
		}
	}
	for path, h := range map[string]header{"/api/labs/0123456789ab": taking, "/api/nothing": taking,
		"/": {"Accept-Encoding": "gzip", "Range": "bytes=0-2"}} {
		w := answer(t, none{}, "GET", path, h, "")
		require.Empty(t, w.Header().Get("Content-Encoding"), path)
		if w.Code >= 400 {
			detail(t, w)
		}
	}
	require.Empty(t, answer(t, none{}, "HEAD", "/api/labs", taking, "").Header().Get("Content-Encoding"))
	require.Empty(t, answer(t, none{}, "GET", "/api/labs/0123456789ab/events", taking, "").Header().Get("Content-Encoding"), "each line goes out at once")
}
