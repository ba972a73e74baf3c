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

	"hellebore/demo"
)

// TestAreasAndSegments walks through what OSPF does beyond one line of routers:
// kinds of routes, the database, roles on a segment, keys.
func TestAreasAndSegments(t *testing.T) {
	s := start(t)
	areas := s.lab(t, demo.Text("three-areas"))
	tab := page(t)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+areas+"/map"), mapReady(),
		until(`document.querySelector("[data-device][title*='AS boundary router']") !== null`), sees("weaver reaches web"),
		key("r"), sees("external 2"), sees("inter-area"), sees("range"),
		key("d"), sees("3 routers hold the same"), chromedp.Click(chromedp.Search(`//button[contains(., "Outside")]`)), sees("198.51.100.0/24, metric 50 type 1"),
		chromedp.Click(chromedp.Search(`//button[normalize-space(.)="AS external" and @aria-expanded]`)), sees("forwarding address"),
		key("o"), sees("area border router"), sees("AS boundary router"))
	// Why is a route of outside not in the stub area?
	do(t, tab, bar("mine 198.51.100.0/24"), key("m"), mapReady(), sees("How does mine reach 198.51.100.0/24?"), sees("mine reaches 198.51.100.0/24"), sees("0.0.0.0/0"))

	yard := s.lab(t, demo.Text("station-yard"))
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+yard+"/neighbours"), sees("at 2-Way, as they should"), sees("DR, priority 20"),
		sees("both are neither DR nor BDR of the segment"),
		bar("cut signal-box.yard"), sees("the link has no carrier"), sees("DR, priority 10"),
		bar("mend signal-box.yard"), sees("DR Other, priority 20"))

	guarded := s.lab(t, demo.Text("guarded-line"))
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+guarded+"/ports"), sees("larch (key 1 md5, key 2 hmac-sha-256), set on the port"),
		sees("oak (key 5 hmac-sha-512), set on area 0"), seesNot("orange-tip"))
}

// TestProof walks through what proves that a network does what it should: packets,
// ladders, messages, shortest paths, summaries.
func TestProof(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("three-areas"))
	tab := page(t)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/map?who=lower"), mapReady(),
		key("h"), sees("lower reaches 5 routers"), sees("costs 10"), key("h"), seesNot("lower reaches"),
		// What the cut made a router say, and that it is not new twice.
		key("g"), button("New"), sees("None like that"), bar("cut lower.e3"),
		sees("neighbour mill (10.1.255.1) on e3: Full to Down, the port is down"), button("All seen"), sees("None like that"),
		// The way back, seen on the link, and as states.
		bar("mend lower.e3"), bar("lower.e3"), key("x"), sees("Database Description"),
		chromedp.Click(chromedp.CSS(`button[data-kind="Database Description"]`)), sees("I: the first"), sees("interface MTU"),
		key("n"), sees("came down from Full 1 time"), sees("ExStart"),
		bar("all"), key("r"), mark("10.1.1.0/30"), mark("10.1.2.0/30"), sees("10.1.0.0/22 covers 2 chosen prefixes"), sees("range 10.1.0.0/22"),
		key("l"), sees("routes in all tables"))
}

// TestPortsJoinAndPart moves a port from its segment and back by the bar, and
// writes a series out in the editor.
func TestPortsJoinAndPart(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("station-yard"))
	tab := page(t)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/neighbours"), sees("DR, priority 20"),
		bar("part signal-box.yard"), sees("DR, priority 10"), seesNot("priority 20"),
		bar("join signal-box.yard yard"), sees("DR Other, priority 20"),
		key("t"), typeAtEnd("\nrouter hub\n  port e[1..3] 10.9.[1..3].1/30"), sees("is a series"), chromedp.KeyEvent("e", chromedp.KeyModifiers(chromedp.ModifierCtrl)),
		sees("port e3 10.9.3.1/30"), sees("No errors"))
}

// TestCaptures downloads the packets of a link, from the server and by the
// command line: both are the same file format, and not empty.
func TestCaptures(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("triangle-with-ospf"))
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
	out, err := exec.Command(binary, "run", labFile(t, "triangle-with-ospf"), "--capture", "viaduct.e2="+file).CombinedOutput()
	require.NoError(t, err, string(out))
	written, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, b, written, "the same packets at the same times")
	out, err = exec.Command(binary, "run", labFile(t, "triangle-with-ospf"), "--capture", "mill.e2="+file).CombinedOutput()
	require.Error(t, err)
	require.Contains(t, string(out), "--capture mill.e2: there is no device named mill at that moment")
}
