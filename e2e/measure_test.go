package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// gridLab is a square of routers with OSPF on every link, and a flow across.
func gridLab(side int) string {
	var s strings.Builder
	s.WriteString("lab \"Grid\"\n\n")
	name := func(x, y int) string { return fmt.Sprintf("r%d", y*side+x) }
	subnet := func(n int) string { return fmt.Sprintf("10.%d.%d.%d", 64+n*4>>16, n*4>>8&255, n*4&255) }
	n := 0
	var links []string
	ports := map[string][]string{}
	join := func(a, b string) {
		base := strings.Split(subnet(n), ".")
		at := func(host string, k int) string {
			var last int
			_, _ = fmt.Sscan(base[3], &last)
			port := fmt.Sprintf("e%d", len(ports[host])+1)
			ports[host] = append(ports[host], fmt.Sprintf("  port %s %s.%s.%s.%d/30\n    ospf area 0\n", port, base[0], base[1], base[2], last+k))
			return host + "." + port
		}
		links = append(links, "link "+at(a, 1)+" "+at(b, 2)+"\n")
		n++
	}
	for y := range side {
		for x := range side {
			if x+1 < side {
				join(name(x, y), name(x+1, y))
			}
			if y+1 < side {
				join(name(x, y), name(x, y+1))
			}
		}
	}
	for y := range side {
		for x := range side {
			i := y*side + x
			fmt.Fprintf(&s, "router %s\n  loopback lo 10.255.%d.%d/32\n    ospf area 0 passive\n%s\n", name(x, y), i/250, i%250+1, strings.Join(ports[name(x, y)], ""))
		}
	}
	s.WriteString(strings.Join(links, ""))
	fmt.Fprintf(&s, "flow across %s -> %s\n", name(0, 0), name(side-1, side-1))
	return s.String()
}

// measured are the views as they are measured: what is opened beside a lab's address.
var measured = []string{"/map", "/map?to=%s", "/desk?who=%s", "/text", "/ports", "/neighbours", "/neighbours?who=%s", "/routes", "/paths", "/policies", "/database", "/messages",
	"/packets?who=%s", "/timeline", "/checks", "/routes?when=before-3..now"}

// TestEveryViewCanBeRead measures every view on a demo lab and on one of 500 routers, at
// two sizes of the window and in both themes: no text below 11 px, none cut off or
// overlapping, the main view at least 900 px wide, contrast (WCAG 2.2 AA, 1.4.3), no
// movement where it is to be reduced.
func TestEveryViewCanBeRead(t *testing.T) {
	measure, err := os.ReadFile("testdata/measure.js")
	require.NoError(t, err)
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	s := start(t)
	for _, l := range []struct {
		name, text, cut, prefix, port string
		colours                       bool // a larger lab has no other colours
	}{
		{"Valley line", demoText(t, "valley-line"), "viaduct.e1", "10.20.1.0/24", "viaduct.e2", true},
		{"500 devices", gridLab(23), "r0.e1", "10.255.0.1/32", "r0.e2", false},
	} {
		t.Run(l.name, func(t *testing.T) {
			t.Parallel() // beside each other: one waits for the browser, one for the server
			id := s.lab(t, l.text)
			// An action that moves nothing, last: the timeline of a cut takes its time on 500 devices.
			require.Equal(t, 200, s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "wait 1s"}, nil))
			tab := page(t)
			do(t, tab, media("light"))
			for _, path := range append([]string{""}, measured...) {
				if strings.Contains(path, "%s") {
					path = fmt.Sprintf(path, map[bool]string{true: l.prefix, false: l.port}[strings.Contains(path, "to=")])
				}
				if strings.Contains(path, "before-3") {
					require.Equal(t, 200, s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "cut " + l.cut}, nil))
				}
				open := func() {
					address := s.url + "/lab/" + id + path
					if path == "" {
						address = s.url + "/"
					}
					do(t, tab, chromedp.Navigate(address), chromedp.WaitVisible(chromedp.CSS("main")), until(`document.querySelector(".chakra-spinner") === null`))
					if strings.HasPrefix(path, "/map") {
						do(t, tab, mapReady())
					}
				}
				do(t, tab, chromedp.EmulateViewport(1280, 800))
				open()
				do(t, tab, chromedp.Sleep(250*time.Millisecond))
				sized(t, tab, measure, path+" at 1280x800")
				if l.colours {
					contrast(t, tab, axe, path)
				}
				do(t, tab, chromedp.EmulateViewport(1920, 1080))
				if path == "/map" { // it is fitted once
					open()
				}
				do(t, tab, chromedp.Sleep(400*time.Millisecond))
				sized(t, tab, measure, path+" at 1920x1080")
			}
		})
	}
}

// TestTheMeasureSees puts on a page what must not be there.
func TestTheMeasureSees(t *testing.T) {
	measure, err := os.ReadFile("testdata/measure.js")
	require.NoError(t, err)
	s := start(t)
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/"), chromedp.WaitVisible(chromedp.CSS("main")), chromedp.Sleep(300*time.Millisecond),
		script(`document.body.insertAdjacentHTML("beforeend", '<div style="position:fixed;z-index:9;left:40px;top:40px;width:300px;height:200px;background:white">'
			+ '<p style="position:absolute;left:9px;top:9px;font-size:9px">too small</p>'
			+ '<p style="position:absolute;left:9px;top:50px;font-size:14px">one above</p><p style="position:absolute;left:29px;top:53px;font-size:14px">the other</p>'
			+ '<div style="position:absolute;left:9px;top:120px;width:60px;overflow:hidden;white-space:nowrap;font-size:14px">far too long for it</div></div>')`))
	raw, err := chromedp.Run(tab, chromedp.Evaluate[string](string(measure)))
	require.NoError(t, err)
	for _, what := range []string{`too small\" is 9.0 px`, `one above\" and \"the other\" overlap`, `far too long for it\" is cut off`} {
		require.Contains(t, raw, what)
	}
}

// TestTwiceTheSize zooms to 200 % (WCAG 2.2, 1.4.4): all views can be reached, the bar can
// be typed into, and what is shown keeps a place of its own.
func TestTwiceTheSize(t *testing.T) {
	s := start(t)
	id := s.lab(t, demoText(t, "tarn-valley"))
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(640, 400, chromedp.EmulateScale(2)))
	for _, path := range append([]string{""}, measured...) {
		address := s.url + "/lab/" + id + strings.ReplaceAll(strings.ReplaceAll(path, "to=%s", "to=203.0.113.0/24"), "%s", "viaduct.e1")
		if path == "" {
			address = s.url + "/"
		}
		if strings.Contains(path, "before-3") {
			continue // one action only
		}
		do(t, tab, chromedp.Navigate(address), chromedp.WaitVisible(chromedp.CSS("main")), seesNot("reading the"), chromedp.Sleep(150*time.Millisecond))
		raw, err := chromedp.Run(tab, chromedp.Evaluate[string](`(() => {
			const main = document.querySelector("main").getBoundingClientRect();
			const bar = document.querySelector('input[role="combobox"]')?.getBoundingClientRect();
			const nav = document.querySelector('nav[aria-label="Views"]');
			const out = [];
			if (document.documentElement.scrollWidth > innerWidth) out.push("the page is wider than the window");
			if (main.width < 400 || (nav && main.height < 150)) out.push("the view has " + main.width + "x" + main.height);
			if (nav && !bar) out.push("there is no bar");
			if (bar && (bar.width < 100 || bar.right > innerWidth)) out.push("the bar is " + bar.width + " wide");
			if (nav && nav.scrollHeight > nav.clientHeight + 1 && getComputedStyle(nav).overflowY !== "auto") out.push("the list of views is cut off");
			for (const b of document.querySelectorAll("header button")) if (b.getBoundingClientRect().right > innerWidth) out.push(b.innerText + " is out of the window");
			return out.join("; ");
		})()`))
		require.NoError(t, err)
		require.Empty(t, raw, path)
	}
}

// sized measures the texts of a page.
func sized(t *testing.T, tab context.Context, measure []byte, where string) {
	t.Helper()
	began := time.Now()
	raw, err := chromedp.Run(tab, chromedp.Evaluate[string](string(measure)))
	t.Log(where, time.Since(began))
	require.NoError(t, err)
	var found []string
	require.NoError(t, json.Unmarshal([]byte(raw), &found))
	if len(found) > 12 {
		found = append(found[:12], fmt.Sprintf("and %d more", len(found)-12))
	}
	if len(found) > 0 {
		t.Errorf("%s:\n  %s", where, strings.Join(found, "\n  "))
	}
}

// contrast checks the colours of a page in both themes.
func contrast(t *testing.T, tab context.Context, axe []byte, where string) {
	t.Helper()
	do(t, tab, script(string(axe)))
	for _, theme := range []string{"light", "dark"} {
		do(t, tab, script(`document.documentElement.className = "`+theme+`"; window.checked = undefined;
			setTimeout(() => axe.run(document, {runOnly: {type: "rule", values: ["color-contrast"]}}).then((r) => { window.checked = JSON.stringify(
				r.violations.flatMap((v) => v.nodes.map((n) => n.html.slice(0, 90) + ": " + (n.any[0]?.message ?? "")))) }), 300); 0`), until(`window.checked !== undefined`))
		raw, err := chromedp.Run(tab, chromedp.Evaluate[string](`window.checked`))
		require.NoError(t, err)
		var faint []string
		require.NoError(t, json.Unmarshal([]byte(raw), &faint))
		if len(faint) > 0 {
			t.Errorf("%s, %s: contrast: %s", where, theme, strings.Join(faint[:min(len(faint), 5)], "\n  "))
		}
	}
	do(t, tab, script(`document.documentElement.className = "light"; 0`))
}
