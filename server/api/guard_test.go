package api

import (
	"context"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/require"

	"hellebore/core/questions/topology"
	"hellebore/core/simulation/history"
	"hellebore/server/live"
	"hellebore/server/store"
)

// journal is what these databases have of a database: the name leaves Journal free.
type journal live.Journal

// none is a database without a lab, and without an answer for what is asked else.
type none struct{ journal }

func (none) Labs(context.Context) ([]store.Lab, error)       { return []store.Lab{}, nil }
func (none) Applied(context.Context) (map[string]int, error) { return nil, nil }
func (none) Lab(context.Context, string) (store.Lab, error) {
	return store.Lab{}, store.ErrNotFound
}

// torn is a database whose labs have a journal that cannot be replayed.
type torn struct{ journal }

func (torn) Lab(context.Context, string) (store.Lab, error) { return store.Lab{}, nil }
func (torn) Journal(context.Context, string) ([]history.Record, error) {
	return []history.Record{{Seq: 1, Action: "apply", Text: "router mill\n"}, {Seq: 2, Action: "burn mill"}}, nil
}
func (torn) Places(context.Context, string) (map[string]topology.Position, error) { return nil, nil }

func (torn) Moments(context.Context, string) (map[string]history.Moment, error) {
	return map[string]history.Moment{"calm": {Step: 1}}, nil
}

type header map[string]string

func answer(t *testing.T, j live.Journal, method, path string, h header, content string) *httptest.ResponseRecorder {
	t.Helper()
	r := httptest.NewRequest(method, path, strings.NewReader(content))
	r.Host = "127.0.0.1:8440"
	for k, v := range h {
		if k == "Host" {
			r.Host = v
		}
		r.Header.Set(k, v)
	}
	w := httptest.NewRecorder()
	New(live.New(j), nil, fstest.MapFS{"index.html": {Data: []byte("<html>")}}).ServeHTTP(w, r)
	return w
}

func detail(t *testing.T, w *httptest.ResponseRecorder) string {
	t.Helper()
	require.Equal(t, "application/problem+json", w.Header().Get("Content-Type"))
	var p struct{ Detail string }
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &p), w.Body.String())
	require.NotEmpty(t, p.Detail)
	return p.Detail
}

func TestForeignPagesAreKeptOut(t *testing.T) {
	const list, format = "/api/labs", "/api/text/format"
	typed := header{"Content-Type": "application/json"}
	for name, c := range map[string]struct {
		method, path string
		header       header
		status       int
	}{
		"our own page":                      {"GET", list, header{"Origin": "http://127.0.0.1:8440"}, 200},
		"no page at all":                    {"GET", list, nil, 200},
		"localhost":                         {"GET", list, header{"Host": "localhost:8440"}, 200},
		"IPv6 loopback":                     {"GET", list, header{"Host": "[::1]:8440"}, 200},
		"a name that was bound to loopback": {"GET", list, header{"Host": "rebound.test:8440"}, 403},
		"a name that begins as ours":        {"GET", list, header{"Host": "127.0.0.1.rebound.test"}, 403},
		"another origin":                    {"GET", list, header{"Origin": "http://elsewhere.test"}, 403},
		"another port":                      {"GET", list, header{"Origin": "http://127.0.0.1:9999"}, 403},
		"an origin without a name":          {"GET", list, header{"Origin": "null"}, 403},
		"a script tag of another site":      {"GET", list, header{"Sec-Fetch-Site": "cross-site"}, 403},
		"a page of another is not shown":    {"GET", "/", header{"Host": "rebound.test"}, 403},
		"our own body":                      {"POST", format, typed, 200},
		"a form's body":                     {"POST", format, header{"Content-Type": "text/plain"}, 415},
		"a body without a type":             {"POST", format, nil, 415},
		"a bundle's type elsewhere":         {"POST", format, header{"Content-Type": "application/zip"}, 415},
	} {
		w := answer(t, none{}, c.method, c.path, c.header, map[bool]string{true: `{"text":"router a\n"}`}[c.method == "POST"])
		require.Equal(t, c.status, w.Code, name+": "+w.Body.String())
		if c.status >= 400 {
			detail(t, w)
		}
		require.Contains(t, w.Header().Get("Content-Security-Policy"), "frame-ancestors 'none'")
		require.Equal(t, "nosniff", w.Header().Get("X-Content-Type-Options"))
	}
}

func TestWhatIsNotThereSaysSo(t *testing.T) {
	for path, status := range map[string]int{
		"/api/nothing":                   404,
		"/api/labs/%00":                  404,
		"/api/labs/0123456789ab":         404,
		"/api/labs/0123456789ab/map":     404,
		"/api/labs/%2e%2e/journal":       404,
		"/api/labs/0123456789ab/unknown": 404,
	} {
		w := answer(t, none{}, "GET", path, nil, "")
		require.Equal(t, status, w.Code, path)
		detail(t, w)
	}
	w := answer(t, none{}, "DELETE", "/api/labs", nil, "")
	require.Equal(t, http.StatusMethodNotAllowed, w.Code)
	require.Contains(t, w.Header().Get("Allow"), "GET")
	detail(t, w)
}

func TestAPanicHasANumber(t *testing.T) {
	gin.SetMode(gin.ReleaseMode)
	router := gin.New()
	router.Use(recovered)
	router.GET("/", func(*gin.Context) { panic("a mistake") })
	w := httptest.NewRecorder()
	router.ServeHTTP(w, httptest.NewRequest("GET", "/", nil))
	require.Equal(t, 500, w.Code)
	require.Regexp(t, "under the number [0-9a-f]{8}$", detail(t, w))
}

func TestABrokenLabIsReadAsText(t *testing.T) {
	const lab = "/api/labs/0123456789ab"
	w := answer(t, torn{}, "GET", lab, nil, "")
	require.Equal(t, 500, w.Code)
	require.Contains(t, detail(t, w), "its texts are kept")
	require.Contains(t, w.Body.String(), `"location":"broken"`)
	w = answer(t, torn{}, "GET", lab+"/journal", nil, "")
	require.Equal(t, 200, w.Code)
	var entries []Entry
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &entries))
	require.Len(t, entries, 2)
	require.Equal(t, "router mill\n", entries[0].Text)
	w = answer(t, torn{}, "GET", lab+"/journal/bundle", nil, "")
	require.Equal(t, 200, w.Code)
	require.Equal(t, "application/zip", w.Header().Get("Content-Type"))
}
