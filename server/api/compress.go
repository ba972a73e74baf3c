package api

import (
	"net/http"
	"path"
	"strings"

	"github.com/gin-contrib/gzip"
	"github.com/gin-gonic/gin"
)

// compressed compresses answers for clients that take gzip (RFC 9110 8.4.1.3): fast rather than small, since the server
// has other work to do.
func compressed() gin.HandlerFunc {
	return gzip.Gzip(gzip.BestSpeed, gzip.WithCustomShouldCompressFn(worthCompressing))
}

// small are files that are compressed already.
var small = map[string]bool{".png": true, ".woff2": true}

// worthCompressing says whether the answer to a request is compressed. News of a lab is not: each line goes out at once;
// nor is a part of a file, whose place is counted in what is not compressed; the client's own files are already.
func worthCompressing(c *gin.Context) bool {
	r := c.Request
	return takesGzip(r) && !strings.HasSuffix(r.URL.Path, "/events") && !small[path.Ext(r.URL.Path)] &&
		!isAsset(strings.TrimPrefix(r.URL.Path, "/"))
}

// takesGzip says whether whoever asks gets a compressed answer.
func takesGzip(r *http.Request) bool {
	return r.Method != http.MethodHead && strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") && r.Header.Get("Range") == ""
}
