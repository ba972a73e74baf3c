package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// TestFirstTriangle is a new user's first quarter of an hour: a flow that does
// not arrive, OSPF, neighbours, routes, a cut, the past, a silence, a probe.
func TestFirstTriangle(t *testing.T) {
	s := start(t, "--demo")
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url), sees("First triangle"), sees("Six planted faults"),
		chromedp.Click(chromedp.Search(`//a[normalize-space(.)="First triangle"]`)), mapReady(),
		sees("viaduct has no route to 10.20.2.10"))

	// OSPF on all ports, typed as one line below each port.
	var out []string
	for l := range strings.SplitSeq(demo.Text("first-triangle"), "\n") {
		out = append(out, l)
		switch word := strings.TrimSpace(l); {
		case strings.HasPrefix(word, "loopback"), strings.HasPrefix(word, "port lan"):
			out = append(out, "    ospf area 0 passive")
		case strings.HasPrefix(word, "port e"):
			out = append(out, "    ospf area 0")
		}
	}
	withOSPF := strings.Join(out, "\n")
	do(t, tab, key("t"), chromedp.WaitVisible(chromedp.CSS(".cm-content")),
		replaceText(strings.Replace(withOSPF, "ospf area 0", "opsf area 0", 1)),
		sees("unknown word \"opsf\""), sees("did you mean ospf?"),
		replaceText(withOSPF), sees("No errors"), sees("Applying changes"),
		button("Apply"), sees("Matches the running network"),
		key("m"), mapReady(), sees("kiosk reaches booth: kiosk, viaduct, quarry, summit, booth"))

	// The path moves when a cost is changed.
	cheaper := strings.Replace(withOSPF, "bandwidth 100M\n    ospf area 0", "bandwidth 100M\n    ospf area 0\n      cost 5", 2)
	do(t, tab, key("t"), chromedp.WaitVisible(chromedp.CSS(".cm-content")), replaceText(cheaper),
		sees("100 -> 5"), button("Apply"), sees("Matches the running network"),
		key("m"), mapReady(), sees("kiosk, viaduct, summit, booth"))
	do(t, tab, key("t"), chromedp.WaitVisible(chromedp.CSS(".cm-content")), replaceText(withOSPF), sees("Applying changes"), button("Apply"), sees("Matches the running network"))

	do(t, tab, key("n"), sees("OSPF adjacencies Full"), sees("10.255.0.1"),
		key("o"), sees("router ID 10.255.0.1 (address of lo)"), sees("10G over 100M"),
		key("r"), sees("10.20.2.0/24"),
		openRoute("10.20.2.0/24 at viaduct"),
		sees("longest match, least cost"), sees("it costs more: 110, not 30"))

	// A cut, by typing; then the past, and back.
	do(t, tab, key("m"), mapReady(), bar("cut viaduct.e2"), sees("cut, no carrier"), sees("kiosk, viaduct, summit, booth"),
		key("l"), sees("What it waited for"), sees("LSAs are flooded over"), sees("the SPF computation is held back"), sees("out from"),
		button("before"), sees("This is the past: before cut viaduct.e2"),
		key("m"), mapReady(), sees("kiosk, viaduct, quarry, summit, booth"), seesNot("cut, no carrier"),
		key("n"), sees("3\nOSPF adjacencies Full"), key("0"), sees("2\nOSPF adjacencies Full"), sees("the link has no carrier"),
		key("m"), mapReady(), bar("mend viaduct.e2"), seesNot("cut, no carrier"), sees("kiosk, viaduct, quarry, summit, booth"))

	// Silence: the dead interval decides. One direction only.
	do(t, tab, bar("silence viaduct.e2 out"), sees("packets from viaduct vanish"), key("l"), sees("silence viaduct.e2 out"),
		until(`(() => {
			const list = document.querySelector('[aria-label="Actions"]')?.getBoundingClientRect();
			const row = [...document.querySelectorAll('[aria-label="Actions"] tbody tr')].at(0)?.getBoundingClientRect();
			return !!list && !!row && row.top >= list.top && row.bottom <= list.bottom + 1;
		})()`),
		key("n"), sees("quarry sees Down, viaduct sees Init"), sees("packets from viaduct.e2 are lost on the link"),
		key("m"), mapReady(), bar("mend viaduct.e2"), seesNot("packets from viaduct vanish"))

	// Probe and trace.
	do(t, tab, panel("p"), chromedp.Click(chromedp.CSS(`input[list="probe-targets"]`)),
		chromedp.SetValue(chromedp.CSS(`aside select`), "kiosk"), button("Trace"), sees("4 hops away"), sees("10.0.13.2"))

	// What is typed wrong is said, and nothing happens.
	do(t, tab, bar("cut viaduct.e9"), sees("viaduct has no port named e9"))
}

// TestDraggingShowsThePast drags along the timeline of a silence.
func TestDraggingShowsThePast(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("triangle-with-ospf"))
	require.Equal(t, 200, s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "silence viaduct.e2"}, nil))
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(),
		chromedp.WaitVisible(chromedp.CSS(`svg[aria-label^="Timeline of silence"]`)),
		// Between the silence and the dead interval's end: the flow is lost.
		drag(0.15, 0.3), sees("This is the past"), until(`/[?&]when=\d/.test(location.search)`),
		sees("packets are lost on the link"),
		key("0"), seesNot("This is the past"), sees("kiosk, viaduct, summit, booth"))

	// Before and after on one map: the path of before is a line on each link that it took, and each card says how its table changed.
	var c struct {
		Sections []struct {
			Name string
			Rows []struct{ Device string }
		}
	}
	s.call(t, "GET", "/api/labs/"+id+"/comparison?before=before-2&after=now", nil, &c)
	tables := map[string]bool{}
	for _, part := range c.Sections {
		for _, r := range part.Rows {
			if part.Name == "routes" {
				tables[r.Device] = true
			}
		}
	}
	require.NotEmpty(t, tables)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/map?when=before-2..now"), mapReady(),
		sees("before: kiosk, viaduct, quarry, summit, booth"), sees("after: kiosk, viaduct, summit, booth"),
		until(fmt.Sprintf(`document.querySelectorAll("[data-tables]").length === %d`, len(tables))),
		until(`document.querySelectorAll('[data-testid="before"]').length === 6`), // a segment is crossed by two lines
		button("As rows"), sees("flow tickets"))

	// All flows that moved, together.
	valley := s.lab(t, demo.Text("valley-line"))
	s.call(t, "POST", "/api/labs/"+valley+"/actions", map[string]string{"action": "disable viaduct"}, nil)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+valley+"/map?when=before-2..now"), mapReady(),
		sees("All 2 that moved"), sees("2 flows no longer arrive"), sees("halt has no route to 10.20.1.10"), sees("the device is disabled"),
		button("time"), sees("after: the same path"), seesNot("2 flows no longer arrive"))

	// What it waited for, on the map.
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(), button("what it waited for"),
		until(`[...document.querySelectorAll("[data-waits]")].some((n) => n.innerText.includes("no hello is heard"))`),
		until(`document.querySelector('[data-testid="waited-for"]').innerText.includes("no hello is heard")`),
		button("what it waited for"), until(`document.querySelector("[data-waits]") === null`))
}

// drag moves the pointer along the timeline, from one share of its width to
// another.
func drag(from, to float64) step {
	return script(fmt.Sprintf(`(() => {
		const svg = document.querySelector('svg[aria-label^="Timeline of"]');
		const box = svg.getBoundingClientRect();
		const at = (x) => ({ bubbles: true, pointerId: 1, clientX: box.left + 116 + x * (box.width - 136), clientY: box.top + 30 });
		svg.setPointerCapture = () => {}; svg.hasPointerCapture = () => true;
		svg.dispatchEvent(new PointerEvent('pointerdown', at(%g)));
		svg.dispatchEvent(new PointerEvent('pointermove', at(%g)));
	})()`, from, to))
}

// TestTwoBrowsers applies from two pages at once: the second is shown the
// difference and loses nothing.
func TestTwoBrowsers(t *testing.T) {
	s := start(t)
	text := untasked(t, "first-triangle")
	id := s.lab(t, text)
	first, second := page(t), stranger(t)
	do(t, first, chromedp.Navigate(s.url+"/lab/"+id+"/text"), chromedp.WaitVisible(chromedp.CSS(".cm-content")), replaceText(text+"\nrouter mill\n"), sees("mill"))
	do(t, second, chromedp.Navigate(s.url+"/lab/"+id+"/text"), chromedp.WaitVisible(chromedp.CSS(".cm-content")), sees("Matches the running network"))
	do(t, first, sees("Applying changes"), button("Apply"), sees("Matches the running network"))
	do(t, second, sees("mill"), sees("Matches the running network")) // untouched, so it follows

	do(t, second, replaceText(text+"\nrouter weir\n"), sees("Applying changes"))
	do(t, first, replaceText(text+"\nrouter kiln\n"), sees("Applying changes"), button("Apply"), sees("Matches the running network"))
	do(t, second, button("Apply"), sees("somebody has applied another since"), sees("Apply mine over it"), sees("kiln"),
		button("Apply mine over it"), sees("Matches the running network"), seesNot("somebody has applied"))
	do(t, first, sees("weir"))
}

// TestKilledServer kills the server in the middle of an action: a new one
// carries it to its end, with the same moments and the same digests as a lab
// that was left alone.
func TestKilledServer(t *testing.T) {
	partners := demo.Text("ferry-and-mail")
	owned := strings.Replace(partners, "router junction\n", "router junction\n  policy to-ferry\n    otherwise reject\n", 1)
	require.NotEqual(t, partners, owned)
	for slug, actions := range map[string][]map[string]string{
		"valley-line": {{"action": "cut viaduct.e1"}, {"action": "silence larches.e1 out"}, {"action": "mend viaduct.e1"}},
		"ferry-and-mail": {{"action": "reset 10.70.0.2 on junction/ferry"}, {"action": "apply", "text": owned},
			{"action": "restart bgp on junction/mail"}},
	} {
		t.Run(slug, func(t *testing.T) { killed(t, demo.Text(slug), actions) })
	}
}

// killed does actions in two labs, kills the server in each action of the second one, and
// compares.
func killed(t *testing.T, text string, actions []map[string]string) {
	type action struct {
		Seq                 int
		Action, Outcome     string
		Start, Settled, End float64
	}
	type state struct {
		Now     float64
		Actions []action
	}
	s := start(t)
	calm, killed := s.lab(t, text), s.lab(t, text)
	for _, a := range actions {
		require.Equal(t, 200, s.call(t, "POST", "/api/labs/"+calm+"/actions", a, nil))
	}
	var want state
	require.Equal(t, 200, s.call(t, "GET", "/api/labs/"+calm, nil, &want))

	for _, a := range actions {
		// The action is sent, and the server is killed as soon as the journal
		// has it, wherever it is then.
		s.call(t, "GET", "/api/labs/"+killed, nil, nil)
		before := journalled(t, killed)
		body, err := json.Marshal(a)
		require.NoError(t, err)
		go func() {
			if r, err := http.Post(s.url+"/api/labs/"+killed+"/actions", "application/json", bytes.NewReader(body)); err == nil {
				_ = r.Body.Close()
			}
		}()
		require.Eventually(t, func() bool { return journalled(t, killed) > before }, patience, 1e6)
		s.kill()
		s = start(t)
	}
	var got state
	require.Equal(t, 200, s.call(t, "GET", "/api/labs/"+killed, nil, &got))
	require.Equal(t, want, got)
	require.Equal(t, digests(t, calm), digests(t, killed))
	require.Len(t, digests(t, killed), len(actions)+1)

	// And the page of the killed one shows it.
	tab := page(t)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+killed+"/timeline"), sees(actions[0]["action"]), sees(actions[2]["action"]))
	s.kill()
	do(t, tab, sees("The connection to the server is lost"))
}

func TestBadRequests(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("triangle-with-ospf"))
	type problem struct {
		Status int
		Detail string
		Errors []struct{ Message string }
	}
	for _, c := range []struct {
		method, path string
		body         any
		status       int
		detail       string
	}{
		{"GET", "/api/labs/nope", nil, 404, "there is no such lab; it may have been deleted"},
		{"GET", "/api/labs/" + id + "/map?at=after-7", nil, 422, "there is no action 7 in this lab: it has 1"},
		{"GET", "/api/labs/" + id + "/map?at=99999", nil, 422, "the moment 99999 s is not in this lab's time"},
		{"GET", "/api/labs/" + id + "/explain?device=mill&to=10.0.0.0/8", nil, 422, "there is no device named mill"},
		{"POST", "/api/labs/" + id + "/actions", map[string]string{"action": "cut mill.e1"}, 422, "there is no device named mill"},
		{"POST", "/api/labs/" + id + "/actions", map[string]string{"action": "cut quarry.e9"}, 422, "quarry has no port named e9"},
		{"POST", "/api/labs/" + id + "/actions", map[string]string{"action": "apply", "text": "router\n"}, 422, "the text has an error, nothing was applied"},
		{"POST", "/api/labs/" + id + "/actions", map[string]string{"action": "apply", "text": strings.Repeat("#", 4<<20+1)}, 422, "the text has an error, nothing was applied"},
		{"GET", "/api/labs/" + id + "/probe?from=kiosk", nil, 422, "validation failed"},
		{"GET", "/api/nothing", nil, 404, "there is no such operation"},
	} {
		var p problem
		require.Equal(t, c.status, s.call(t, c.method, c.path, c.body, &p), c.path)
		require.Contains(t, p.Detail, c.detail)
	}
	var p problem
	s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "apply", "text": "router\n"}, &p)
	require.Equal(t, "1:1: router needs its name; write router NAME", p.Errors[0].Message)
	s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "apply", "text": strings.Repeat("#", 4<<20+1)}, &p)
	require.Contains(t, p.Errors[0].Message, "the limit is 4 MiB")
}
