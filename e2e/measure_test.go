package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
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

// TestEveryViewCanBeRead measures every view on a demo lab and on one of 529 routers, at
// two sizes of the window and in both themes: no text below 11 px, none cut off or
// overlapping, the main view at least 900 px wide, contrast (WCAG 2.2 AA, 1.4.3), no
// movement where it is to be reduced.
func TestEveryViewCanBeRead(t *testing.T) {
	t.Parallel()
	s := start(t)
	for _, l := range []struct{ name, text, cut, prefix, port string }{
		{"Valley line", demo.Text("valley-line"), "viaduct.e1", "10.20.1.0/24", "viaduct.e2"},
		{"529 routers", gridLab(23), "r0.e1", "10.255.0.1/32", "r0.e2"},
	} {
		t.Run(l.name, func(t *testing.T) {
			t.Parallel() // beside each other: one waits for the browser, one for the server
			id := s.lab(t, l.text)
			tab := page(t)
			for _, path := range append([]string{""}, measured...) {
				if strings.Contains(path, "%s") {
					path = fmt.Sprintf(path, map[bool]string{true: l.prefix, false: l.port}[strings.Contains(path, "to=")])
				}
				if strings.Contains(path, "before-2") {
					require.Equal(t, 200, s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "cut " + l.cut}, nil))
				}
				address := s.url + "/lab/" + id + path
				if path == "" {
					address = s.url + "/"
				}
				do(t, tab, chromedp.EmulateViewport(1280, 800))
				arrive(t, tab, address)
				measure(t, tab, path+" at 1280x800")
				do(t, tab, chromedp.EmulateViewport(1920, 1080))
				if path == "/map" { // it is fitted once
					arrive(t, tab, address)
				}
				do(t, tab, atRest())
				measure(t, tab, path+" at 1920x1080")
			}
		})
	}
}

// TestTheMapsOfAllDemosCanBeRead measures the map of each demo lab: with all that is up,
// with a device disabled, and with links cut.
func TestTheMapsOfAllDemosCanBeRead(t *testing.T) {
	t.Parallel()
	s := start(t)
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800))
	for _, d := range demo.Labs() {
		id := s.lab(t, d.Text)
		arrive(t, tab, s.url+"/lab/"+id+"/map")
		measure(t, tab, d.Slug)
		var now struct {
			Devices []struct{ Name string }
			Links   []struct {
				Ends []struct{ Device, Port string }
			}
		}
		s.call(t, "GET", "/api/labs/"+id+"/map?at=now", nil, &now)
		first := now.Devices[0].Name
		require.Equal(t, 200, s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "disable " + first}, nil))
		for _, l := range now.Links[:min(3, len(now.Links))] {
			require.Equal(t, 200, s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "cut " + l.Ends[0].Device + "." + l.Ends[0].Port}, nil))
		}
		arrive(t, tab, s.url+"/lab/"+id+"/map")
		measure(t, tab, d.Slug+" without "+first+", links cut")
	}
}

// arrive opens a page and waits until it is all there.
func arrive(t *testing.T, tab context.Context, address string) {
	t.Helper()
	do(t, tab, chromedp.Navigate(address), chromedp.WaitVisible(chromedp.CSS("main")), until(`document.querySelector(".chakra-spinner") === null`))
	if strings.Contains(address, "/map") {
		do(t, tab, mapReady())
	}
	do(t, tab, atRest())
}

// measure measures the texts of a page, in both themes.
func measure(t *testing.T, tab context.Context, where string) {
	t.Helper()
	script, err := os.ReadFile("testdata/measure.js")
	require.NoError(t, err)
	for _, theme := range []string{"dark", "light"} {
		raw, err := chromedp.Run(tab, chromedp.Evaluate[string](`document.documentElement.className = "`+theme+`"; `+string(script)))
		require.NoError(t, err)
		var found []string
		require.NoError(t, json.Unmarshal([]byte(raw), &found))
		if len(found) > 12 {
			found = append(found[:12], fmt.Sprintf("and %d more", len(found)-12))
		}
		if len(found) > 0 {
			t.Errorf("%s, %s:\n  %s", where, theme, strings.Join(found, "\n  "))
		}
	}
}

// TestTheMeasureSees puts on a page what must not be there.
func TestTheMeasureSees(t *testing.T) {
	script, err := os.ReadFile("testdata/measure.js")
	require.NoError(t, err)
	s := start(t)
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/"), chromedp.WaitVisible(chromedp.CSS("main")), atRest())
	_, err = chromedp.Run(tab, chromedp.Evaluate[any](`document.body.insertAdjacentHTML("beforeend", '<div style="position:fixed;z-index:9;left:40px;top:40px;width:300px;height:200px;background:white;color:black">'
			+ '<p style="position:absolute;left:9px;top:9px;font-size:9px">too small</p><p style="position:absolute;left:99px;top:9px;font-size:13px;color:#999">too faint</p>'
			+ '<p style="position:absolute;left:9px;top:50px;font-size:14px">one above</p><p style="position:absolute;left:29px;top:53px;font-size:14px">the other</p>'
			+ '<div style="position:absolute;left:9px;top:120px;width:60px;overflow:hidden;white-space:nowrap;font-size:14px">far too long for it</div>'
			+ '<svg style="position:absolute;left:150px;top:50px" width="140" height="90"><rect width="140" height="90" fill="#333"/><text x="9" y="40" font-size="13" fill="black">on a bar</text><text x="9" y="70" font-size="13" fill="white">told apart</text></svg>'
			+ '<div class="react-flow__viewport" style="position:absolute;left:9px;top:150px;width:200px;height:40px"><div class="react-flow__node react-flow__node-device" style="position:absolute;width:90px;height:30px;white-space:nowrap;background:#eee">a name too long for it</div>'
			+ '<p style="position:absolute;left:60px;top:9px;font-size:13px;white-space:nowrap">a cost</p></div></div>'); 0`))
	require.NoError(t, err)
	raw, err := chromedp.Run(tab, chromedp.Evaluate[string](string(script)))
	require.NoError(t, err)
	var found []string
	require.NoError(t, json.Unmarshal([]byte(raw), &found))
	require.False(t, slices.ContainsFunc(found, func(f string) bool { return strings.Contains(f, "told apart") }), found)
	for _, what := range []string{`"too small" is 9.0 px`, `"too faint" has a contrast of 2.85`, `"one above" and "the other" overlap`, `"on a bar" has a contrast of 1.66`, `"far too long for it" is cut off`, `"a cost" and the card at`, `"a name too long for it" is wider than its card`} {
		require.True(t, slices.ContainsFunc(found, func(f string) bool { return strings.HasPrefix(f, what) }), "%s: %v", what, found)
	}
}

// TestTwiceTheSize zooms to 200 % (WCAG 2.2, 1.4.4): all views can be reached, the bar can
// be typed into, and what is shown keeps a place of its own.
func TestTwiceTheSize(t *testing.T) {
	t.Parallel()
	s := start(t)
	id := s.lab(t, demo.Text("tarn-valley"))
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
		do(t, tab, chromedp.Navigate(address), chromedp.WaitVisible(chromedp.CSS("main")), seesNot("reading the"), atRest())
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
