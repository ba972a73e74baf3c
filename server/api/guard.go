package api

import (
	"mime"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"
)

// policy is what the client's pages may load and who may frame them: themselves
// alone. Chakra UI writes its styles into the page.
const policy = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self' data:; worker-src 'self' blob:; " +
	"connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"

// guarded keeps pages of others out. The server has no users to distinguish: that a
// request comes from this machine is all it asks. So a page of another origin
// must not act (Origin, RFC 6454), nor read by giving its own name our address
// (Host).
func guarded(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", policy)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("X-Frame-Options", "DENY")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	if !loopback(c.Request.Host) {
		refuse(c, http.StatusForbidden,
			"this server answers to localhost and loopback addresses only, and was asked as "+c.Request.Host)
		return
	}
	if origin := c.GetHeader("Origin"); origin != "" {
		from, err := url.Parse(origin)
		if err != nil || from.Scheme != "http" || !strings.EqualFold(from.Host, c.Request.Host) {
			refuse(c, http.StatusForbidden, "a page of another origin may not use this server")
			return
		}
	}
	if site := c.GetHeader("Sec-Fetch-Site"); strings.HasPrefix(c.Request.URL.Path, "/api/") &&
		(site == "cross-site" || site == "same-site") {
		refuse(c, http.StatusForbidden, "a page of another origin may not use this server")
		return
	}
	if !typed(c.Request) {
		refuse(c, http.StatusUnsupportedMediaType,
			"the body must be application/json, or application/zip for a bundle, and say so in Content-Type")
		return
	}
	c.Next()
}

// loopback says whether a Host is a name of this machine for itself.
func loopback(host string) bool {
	name := host
	if h, _, err := net.SplitHostPort(host); err == nil {
		name = h
	}
	name = strings.TrimSuffix(strings.TrimPrefix(name, "["), "]")
	a, err := netip.ParseAddr(name)
	return strings.EqualFold(name, "localhost") || err == nil && a.IsLoopback()
}

// typed says whether a request that may change something has a type that a form
// of a foreign page cannot have.
func typed(r *http.Request) bool {
	switch r.Method {
	case http.MethodGet, http.MethodHead, http.MethodDelete, http.MethodOptions:
		return true
	}
	if r.ContentLength == 0 && r.Header.Get("Content-Type") == "" {
		return true
	}
	kind, _, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	return err == nil && (kind == "application/json" || kind == "application/zip" && r.URL.Path == "/api/bundles")
}
