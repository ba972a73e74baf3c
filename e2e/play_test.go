package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// drawn is a packet as the map shows it.
type drawn struct {
	From, To, Class string
	Share           float64
}

// moment is the virtual time in the page's address.
func moment(t *testing.T, tab context.Context) float64 {
	t.Helper()
	address, err := chromedp.Run(tab, chromedp.Evaluate[string](`location.search`))
	require.NoError(t, err)
	q, err := url.ParseQuery(address[1:])
	require.NoError(t, err)
	at, err := strconv.ParseFloat(q.Get("when"), 64)
	require.NoError(t, err, address)
	return at
}

// TestTimePlays plays a failure on the map: it runs, stands still, goes on step by step and
// back, and what is drawn is what was on its way then.
func TestTimePlays(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("triangle-with-ospf"))
	s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "cut viaduct.e2"}, nil)
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), until(`document.body.dataset.map === "ready"`), button("Play"),
		within("play", "Pause"), until(`Number(new URLSearchParams(location.search).get("when")) > 11.001`), key(" "), within("play", "Play"))
	stands := moment(t, tab)
	do(t, tab, chromedp.Sleep(400*time.Millisecond))
	require.Equal(t, stands, moment(t, tab), "time stands still")

	// Step by step, packet after packet, and what is drawn each time.
	do(t, tab, script(`(() => {
		const s = document.querySelector('[aria-label="Step to the next"]');
		s.value = "packet";
		s.dispatchEvent(new Event("change", { bubbles: true }));
	})()`))
	seen := 0
	for range 4 {
		do(t, tab, key(">"))
		do(t, tab, atRest())
		at := moment(t, tab)
		require.Greater(t, at, stands)
		stands = at
		text, err := chromedp.Run(tab, chromedp.Evaluate[string](`document.querySelector('[data-testid="flights"]').dataset.drawn`))
		require.NoError(t, err)
		var got []drawn
		require.NoError(t, json.Unmarshal([]byte(text), &got), text)
		var want struct {
			Flights []struct {
				From, To, Class, Lost string
				At, Until             float64
			}
		}
		s.call(t, "GET", fmt.Sprintf("/api/labs/%s/playback?from=%.9f&to=%.9f", id, at, at), nil, &want)
		flying := map[string]float64{}
		for _, f := range want.Flights {
			if f.Class != "hello" && f.At <= at && at < f.Until {
				flying[f.From+" "+f.To+" "+f.Class] = (at - f.At) / (f.Until - f.At)
			}
		}
		require.Len(t, got, len(flying), "%s at %.9f: %v", text, at, want.Flights)
		for _, d := range got {
			share, there := flying[d.From+" "+d.To+" "+d.Class]
			require.True(t, there, "%+v", d)
			require.Less(t, math.Abs(share-d.Share), 1e-3)
			seen++
		}
	}
	require.NotZero(t, seen)
	do(t, tab, key("<"), atRest())
	require.Less(t, moment(t, tab), stands, "and back")

	// Of the flow, the packet that the cut catches on its way is drawn and lost, and the first one that takes the other path arrives.
	var all struct {
		Flights []struct {
			Class, Kind, Lost string
			At                float64
		}
	}
	s.call(t, "GET", fmt.Sprintf("/api/labs/%s/playback?from=%.9f&to=%.9f", id, 11.0, stands+0.2), nil, &all)
	lost := 0.0
	for _, f := range all.Flights {
		if f.Class == "flow" && f.Lost != "" {
			require.Equal(t, "tickets", f.Kind)
			lost = f.At
		}
	}
	require.NotZero(t, lost)

	// An LSA is followed from router to router.
	do(t, tab, script(`(() => {
		const s = document.querySelector('[aria-label="Follow an LSA, a prefix or a flow"]');
		s.value = "router LSA of 10.255.0.1";
		s.dispatchEvent(new Event("change", { bubbles: true }));
	})()`), within("spread", "originated router LSA of 10.255.0.1"), within("spread", "viaduct to summit"), within("spread", "first"), within("spread", "reaches 2 devices"))

	// What plays is saved as a file that plays by itself, without the server.
	do(t, tab, script(`(() => {
		URL.createObjectURL = (b) => { b.text().then((t) => (window.saved = t)); return "blob:"; };
		HTMLAnchorElement.prototype.click = () => {};
	})()`), button("HTML"), until(`typeof window.saved === "string"`))
	html, err := chromedp.Run(tab, chromedp.Evaluate[string](`window.saved`))
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "playback.html")
	require.NoError(t, os.WriteFile(file, []byte(html), 0o644))
	alone := page(t)
	do(t, alone, chromedp.Navigate("file://"+file), until(`document.getElementById("play").textContent === "Play"`), script(`for (let i = 0; i < 20 && !(Number(document.getElementById("over").dataset.flying) > 0); i++) document.getElementById("on").click()`),
		until(`Number(document.getElementById("over").dataset.flying) > 0`), until(`document.getElementById("log").innerText.includes("Link State Update")`),
		script(`document.getElementById("play").click()`), until(`Number(document.getElementById("at").value) === Number(document.getElementById("at").max)`))

	// The stretch is longer or shorter, by any two moments.
	do(t, tab, script(`(() => {
		const to = document.querySelector('[data-testid="play"] [aria-label="To"]');
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(to, "now");
		to.dispatchEvent(new Event("input", { bubbles: true }));
	})()`), script(`document.querySelector('[data-testid="play"] [aria-label="To"]').dispatchEvent(new KeyboardEvent("keydown", { key: "Enter", bubbles: true }))`),
		until(fmt.Sprintf(`Number(document.querySelector('[aria-label="Moment"]').max) > %f`, stands+1)), within("play", "Pause"), key(" "), within("play", "Play"))
	stands = moment(t, tab) + 1e-9

	// Another view follows the same moment; closing leaves it there.
	do(t, tab, key("r"), until(`location.pathname.endsWith("/routes")`), within("play", "Close"), button("Close"), until(`document.querySelector('[data-testid="play"]') === null`))
	require.Less(t, moment(t, tab), stands)

	// A prefix that is followed: which paths each router chose, one after the other.
	carriers := s.lab(t, demo.Text("two-carriers"))
	s.call(t, "POST", "/api/labs/"+carriers+"/actions", map[string]string{"action": "cut viaduct.up"}, nil)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+carriers+"/map"), mapReady(), button("Play"), within("play", "Pause"), key(" "), script(`(() => {
		const s = document.querySelector('[aria-label="Follow an LSA, a prefix or a flow"]');
		s.value = "203.0.113.0/24";
		s.dispatchEvent(new Event("change", { bubbles: true }));
	})()`), button("best paths, router by router"), until(`(() => {
		const skylark = [...document.querySelectorAll('[data-testid="hunt"] > div')].find((d) => d.innerText.startsWith("skylark"))?.innerText ?? "";
		return skylark.includes("64500 from viaduct") && skylark.includes("64498 64497 64500 64500 64500 64500 from harbour");
	})()`), button("by time"), within("spread", "best path: 64498"), button("Close"))

	// What is compared plays from the one moment to the other.
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/map?when=before-2..after-2"), mapReady(), button("Play"), within("play", "Pause"), seesNot("Stop comparing"),
		until(`document.querySelector('[data-testid="play"] [aria-label="From"]').value.startsWith("11")`), button("Close"))
}

// TestTimePlaysWithoutMovement: who wants no movement gets the same as steps, and a list that
// says what happens.
func TestTimePlaysWithoutMovement(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("triangle-with-ospf"))
	s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "cut viaduct.e2"}, nil)
	tab := page(t)
	still := func(ctx context.Context, target *chromedp.Target) (chromedp.Void, error) {
		_, err := cdp.Call(ctx, target, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{{Name: "prefers-reduced-motion", Value: "reduce"}}})
		return chromedp.Void{}, err
	}
	do(t, tab, still, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), until(`document.body.dataset.map === "ready"`), key(" "), within("play", "Pause"),
		within("play", "shortest paths due"), until(`document.querySelector('[role="log"]').getAttribute("aria-live") === "polite"`))
	first := moment(t, tab)
	do(t, tab, until(fmt.Sprintf(`Number(new URLSearchParams(location.search).get("when")) > %.9f`, first)))
}
