package e2e

import (
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// TestAreasAndSegments walks through what OSPF does beyond one line of routers:
// kinds of routes, the database, roles on a segment, keys.
func TestAreasAndSegments(t *testing.T) {
	s := start(t)
	areas := s.lab(t, demoText(t, "three-areas"))
	tab := page(t)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+areas+"/map"), mapReady(), sees("AS boundary"), sees("border"), sees("weaver reaches web"),
		key("r"), sees("external 2"), sees("inter-area"), sees("range"),
		key("d"), sees("3 routers hold the same"), chromedp.Click(chromedp.Search(`//button[contains(., "Outside")]`)), sees("198.51.100.0/24, metric 50 type 1"),
		chromedp.Click(chromedp.Search(`//button[normalize-space(.)="AS external" and @aria-expanded]`)), sees("forwarding address"),
		key("o"), sees("area border router"), sees("AS boundary router"))
	// Why is a route of outside not in the stub area?
	do(t, tab, bar("mine 198.51.100.0/24"), key("m"), mapReady(), sees("How does mine reach 198.51.100.0/24?"), sees("mine reaches 198.51.100.0/24"), sees("0.0.0.0/0"))

	yard := s.lab(t, demoText(t, "station-yard"))
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+yard+"/neighbours"), sees("at 2-Way, as they should"), sees("DR, priority 20"),
		sees("both are neither DR nor BDR of the segment"),
		bar("cut signal-box.yard"), sees("the link has no carrier"), sees("DR, priority 10"),
		bar("mend signal-box.yard"), sees("DR Other, priority 20"))

	guarded := s.lab(t, demoText(t, "guarded-line"))
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+guarded+"/ports"), sees("larch (key 1 md5, key 2 hmac-sha-256), set on the port"),
		sees("oak (key 5 hmac-sha-512), set on area 0"), seesNot("orange-tip"))
}

// TestCaptures downloads the packets of a link, from the server and by the
// command line: both are the same file format, and not empty.
func TestCaptures(t *testing.T) {
	s := start(t)
	id := s.lab(t, demoText(t, "triangle-with-ospf"))
	answer, err := http.Get(s.url + "/api/labs/" + id + "/capture?port=viaduct.e2&from=before-1&to=after-1")
	require.NoError(t, err)
	defer func() { _ = answer.Body.Close() }()
	b, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	require.Equal(t, 200, answer.StatusCode)
	require.Equal(t, `attachment; filename="viaduct.e2.pcapng"`, answer.Header.Get("Content-Disposition"))
	require.Equal(t, []byte{0x0a, 0x0d, 0x0d, 0x0a}, b[:4], "a section header block")
	var p struct{ Detail string }
	require.Equal(t, 422, s.call(t, "GET", "/api/labs/"+id+"/capture?port=viaduct.e9", nil, &p))
	require.Equal(t, "viaduct has no port named e9", p.Detail)

	file := filepath.Join(t.TempDir(), "out.pcapng")
	out, err := exec.Command(binary, "run", "../demo/triangle-with-ospf.lab", "--capture", "viaduct.e2="+file).CombinedOutput()
	require.NoError(t, err, string(out))
	written, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, b, written, "the same packets at the same times")
	out, err = exec.Command(binary, "run", "../demo/triangle-with-ospf.lab", "--capture", "mill.e2="+file).CombinedOutput()
	require.Error(t, err)
	require.Contains(t, string(out), "--capture mill.e2: there is no device named mill at that moment")
}
