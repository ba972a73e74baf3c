package e2e

import (
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// stream reads a stream of server-sent events to its end: "event data" each.
func (s *server) stream(t *testing.T, path string) []string {
	t.Helper()
	answer, err := http.Get(s.url + path)
	require.NoError(t, err)
	defer func() { _ = answer.Body.Close() }()
	require.Equal(t, "text/event-stream", answer.Header.Get("Content-Type"))
	b, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	var out []string
	for event := range strings.SplitSeq(strings.TrimSpace(string(b)), "\n\n") {
		out = append(out, strings.NewReplacer("event: ", "", "\ndata: ", " ").Replace(event))
	}
	return out
}

// TestProbesAreStreams asks for probes without a browser: each reply is an
// event of its own, and what cannot be is said.
func TestProbesAreStreams(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("triangle-with-ospf"))
	probe := func(query ...string) []string {
		q := url.Values{}
		for i := 0; i < len(query); i += 2 {
			q.Set(query[i], query[i+1])
		}
		return s.stream(t, "/api/labs/"+id+"/probe?"+q.Encode())
	}
	events := probe("from", "kiosk", "to", "booth", "count", "3")
	require.Len(t, events, 4)
	for i, e := range events[:3] {
		require.True(t, strings.HasPrefix(e, "reply "), e)
		require.Contains(t, e, `"seq":`+string(rune('1'+i)))
		require.Contains(t, e, `"device":"booth"`)
	}
	require.Contains(t, events[3], `"summary":"all 3 answered"`)

	events = probe("from", "kiosk", "to", "booth", "trace", "true")
	require.Len(t, events, 5, "four hops, and the end")
	require.Contains(t, events[4], `"summary":"booth is 4 hops away"`)

	for want, query := range map[string][]string{
		`\"nowhere\" is neither an IPv4 address nor the name of a device`: {"from", "kiosk", "to", "nowhere"},
		`there is no device named mill`:                                   {"from", "mill", "to", "booth"},
		`there is no action 7 in this lab: it has 1`:                      {"from", "kiosk", "to", "booth", "at", "before-7"},
	} {
		events := probe(query...)
		require.Equal(t, []string{`refused {"detail":"` + want + `"}`}, events)
	}
	require.Equal(t, []string{`refused {"detail":"there is no such lab; it may have been deleted"}`}, s.stream(t, "/api/labs/nope/probe?from=a&to=b"))
}

// TestAProbeConnects opens a TCP connection to a service from the page, and sees
// one refused.
func TestAProbeConnects(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("three-areas"))
	require.Equal(t, 422, s.call(t, "GET", "/api/labs/"+id+"/probe?from=weaver&to=web&port=70000", nil, nil), "there is no such port")
	tab := page(t)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/map?who=weaver&to=198.51.100.10"), mapReady(), panel("p"),
		chromedp.SendKeys(chromedp.CSS(`input[list="probe-services"]`), "443"), button("Connect"), sees("web takes the connection on port 443 (cloth orders)"),
		chromedp.SendKeys(chromedp.CSS(`input[list="probe-services"]`), "1"), button("Connect"), sees("web answers, and nobody listens on its port 4431"))
}
