package e2e

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// shot is one picture: what is opened, and what is done before.
type shot struct {
	name    string
	lab     string // slug of a demo lab
	demos   bool   // the list of labs instead
	acts    []string
	path    string
	width   int64
	height  int64
	dark    bool
	prepare []step
}

var shots = []shot{
	{name: "map-cut", lab: "triangle-with-ospf", acts: []string{"cut viaduct.e2"}, path: "/map?who=viaduct&to=10.20.2.0/24"},
	{name: "neighbours", lab: "planted-faults", path: "/neighbours"},
	{name: "ports", lab: "triangle-with-ospf", path: "/ports?who=viaduct"},
	{name: "routes", lab: "triangle-with-ospf", acts: []string{"cut viaduct.e2", "mend viaduct.e2"}, path: "/routes", prepare: []step{
		openRoute("10.20.2.0/24 at viaduct"), sees("longest match")}},
	{name: "timeline", lab: "triangle-with-ospf", acts: []string{"cut viaduct.e2", "mend viaduct.e2", "silence viaduct.e2"}, path: "/timeline"},
	{name: "failures", lab: "one-bridge", path: "/failures", prepare: []step{button("Try all failures"), sees("37 failures tried")}},
	{name: "map-areas", lab: "three-areas", path: "/map", prepare: []step{
		chromedp.Sleep(500 * time.Millisecond), key("1"), chromedp.MouseClickXY(230, 330), sees("Draft: "), chromedp.KeyEvent("\u001b"), sees("on some router")}},
	{name: "desk", lab: "tarn-valley", path: "/desk?who=depot.e1"},
	{name: "labs", demos: true},
	{name: "paths", lab: "two-carriers", path: "/paths?to=198.51.100.0/25"},
	{name: "policies", lab: "two-carriers", path: "/policies", prepare: []step{
		chromedp.SetValue(chromedp.CSS(`label select`), "ours-and-customers"), sees("by own")}},
	{name: "database", lab: "three-areas", path: "/database", prepare: []step{
		chromedp.Click(chromedp.Search(`//button[normalize-space(.)="summary" and @aria-expanded]`)), sees("routes by it")}},
	{name: "packets", lab: "three-areas", acts: []string{"cut upper.e4"}, path: "/packets?who=lower.e5", prepare: []step{
		chromedp.Click(chromedp.CSS(`button[data-kind="Link State Update"]`)), sees("number of LSAs")}},
	{name: "messages", lab: "three-areas", acts: []string{"cut upper.e4", "mend upper.e4"}, path: "/messages"},
	{name: "preview", lab: "tarn-valley", path: "/text", prepare: []step{
		chromedp.Sleep(300 * time.Millisecond), replaceText(leaking()), sees("Applying changes"), button("Preview"), sees("quarry sends gannet")}},
	{name: "compare", lab: "tarn-valley", acts: []string{"cut viaduct.up"}, path: "/map?when=before-2..now", prepare: []step{mapReady(), sees("how many flows take a link")}},
	{name: "why", lab: "tarn-valley", path: "/paths?who=quarry&to=198.51.100.0/24", prepare: []step{
		panel("y"), button("why is 198.51.100.0/24 sent to gannet by quarry, or not"), sees("is not sent to gannet")}},
	{name: "checks", lab: "tarn-valley", path: "/checks", prepare: []step{sees("no carrier receives what the other sent")}},
	{name: "valley-line", lab: "valley-line", acts: []string{"cut viaduct.e1"}, path: "/map", width: 1920, height: 1080, dark: true, prepare: []step{
		button("Play"), button("Pause"), script(`(() => {
			const s = document.querySelector('[aria-label="Follow an LSA, a prefix or a flow"]');
			s.value = [...s.options].find((o) => o.value.startsWith("router LSA")).value;
			s.dispatchEvent(new Event("change", { bubbles: true }));
		})()`), within("spread", "first"), script(`document.querySelectorAll('[data-testid="spread"] button')[14].click()`), chromedp.Sleep(time.Second)}},
}

// leaking is the railway's text with a policy that sends Gannet what Skylark sent.
func leaking() string {
	b, err := os.ReadFile("../demo/tarn-valley.lab")
	if err != nil {
		panic(err)
	}
	return strings.Replace(string(b), "    where policy ours-and-customers\n    prepend", "    prepend", 1)
}

// mark ticks a row of Routes.
func mark(prefix string) step {
	return chromedp.Click(chromedp.CSS(`input[aria-label="mark ` + prefix + `"]`))
}

// media prefers a colour scheme.
func media(scheme string) step {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		_, err := cdp.Call(ctx, t, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
			Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}}})
		return chromedp.Void{}, err
	}
}

// TestScreenshots makes the pictures of docs/screenshots, when SCREENSHOTS
// names the folder to put them in.
func TestScreenshots(t *testing.T) {
	folder := os.Getenv("SCREENSHOTS")
	if folder == "" {
		t.Skip("SCREENSHOTS names no folder")
	}
	s := start(t, "--demo")
	for _, x := range shots {
		if only := os.Getenv("SHOT"); only != "" && only != x.name {
			continue
		}
		t.Run(x.name, func(t *testing.T) {
			address := s.url + "/"
			id := ""
			if !x.demos {
				id = s.lab(t, demo.Text(x.lab))
				address = s.url + "/lab/" + id + x.path
			}
			for _, a := range x.acts {
				require.Equal(t, 200, s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": a}, nil))
			}
			if x.width == 0 {
				x.width, x.height = 1280, 800
			}
			tab := page(t)
			scheme := "light"
			if x.dark {
				scheme = "dark"
			}
			do(t, tab, chromedp.EmulateViewport(x.width, x.height), media(scheme),
				chromedp.Navigate(address), chromedp.WaitVisible(chromedp.CSS("main")), chromedp.Sleep(900*time.Millisecond))
			if strings.HasPrefix(x.path, "/map") {
				do(t, tab, mapReady())
			}
			do(t, tab, x.prepare...)
			do(t, tab, chromedp.Sleep(500*time.Millisecond))
			png, err := chromedp.Run(tab, chromedp.CaptureScreenshot())
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(filepath.Join(folder, x.name+".png"), png, 0o644))
		})
	}
}

// maps are the demo labs whose maps the guide shows.
var maps = []string{"triangle-with-ospf", "three-areas", "guarded-line", "two-carriers", "two-reflectors", "two-islands", "ferry-and-mail"}

// TestMaps exports maps as SVG, as the button on the map does. MAPS names the folder to put
// them in.
func TestMaps(t *testing.T) {
	folder := os.Getenv("MAPS")
	if folder == "" {
		t.Skip("MAPS names no folder")
	}
	s := start(t)
	tab := page(t)
	for _, slug := range maps {
		do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+s.lab(t, demo.Text(slug))+"/map"), mapReady(),
			chromedp.Sleep(300*time.Millisecond),
			script(`URL.createObjectURL = (b) => { b.text().then((text) => { window.exported = text }); return "" }; HTMLAnchorElement.prototype.click = () => undefined`),
			button("SVG"), until(`window.exported?.startsWith("<svg") === true`))
		svg, err := chromedp.Run(tab, chromedp.Evaluate[string](`window.exported`))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(folder, slug+".svg"), []byte(svg), 0o644))
	}
}
