package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// hand counts what a hand does on the map: a key, a click, a drag.
type hand struct {
	t   *testing.T
	tab context.Context
	n   int
}

func (h *hand) does(s ...step) {
	h.t.Helper()
	h.n++
	do(h.t, h.tab, s...)
}

// cards waits until so many cards are drawn.
func cards(n int) step {
	return until(fmt.Sprintf(`document.querySelectorAll("[data-device]").length === %d`, n))
}

// middle is where an element is on the screen.
func (h *hand) middle(css string) (x, y float64) {
	h.t.Helper()
	do(h.t, h.tab, chromedp.WaitReady(chromedp.CSS(css)))
	raw, err := chromedp.Run(h.tab, chromedp.Evaluate[string](fmt.Sprintf(`(() => { const r = document.querySelector(%s).getBoundingClientRect(); return JSON.stringify([r.x + r.width / 2, r.y + r.height / 2]) })()`, quoted(css))))
	require.NoError(h.t, err)
	var at [2]float64
	require.NoError(h.t, json.Unmarshal([]byte(raw), &at))
	return at[0], at[1]
}

// join points at a card, and drags from its dot to another card.
func (h *hand) join(a, b string) {
	h.t.Helper()
	u, v := h.middle(fmt.Sprintf(`[data-device=%q]`, a))
	do(h.t, h.tab, chromedp.MouseEvent("mouseMoved", u, v))
	x, y := h.middle(fmt.Sprintf(`.react-flow__node[data-id=%q] .join-dot`, a))
	p, q := h.middle(fmt.Sprintf(`[data-device=%q]`, b))
	move := func(x, y float64) step { return chromedp.MouseEvent("mouseMoved", x, y, chromedp.ButtonLeft) }
	before, err := chromedp.Run(h.tab, chromedp.Evaluate[int](`document.querySelectorAll(".react-flow__edge").length`))
	require.NoError(h.t, err)
	h.does(chromedp.MouseEvent("mouseMoved", x, y), chromedp.MouseEvent("mousePressed", x, y, chromedp.ButtonLeft, chromedp.ClickCount(1)),
		move((x+p)/2, (y+q)/2), move(p-3, q-3), move(p, q), chromedp.MouseEvent("mouseReleased", p, q, chromedp.ButtonLeft, chromedp.ClickCount(1)),
		until(fmt.Sprintf(`document.querySelectorAll(".react-flow__edge").length > %d`, before)))
}

// TestANetworkIsBuiltOnTheMap builds three routers, two hosts and OSPF on the map alone,
// from an empty lab to an answered ping, and undoes a gesture.
func TestANetworkIsBuiltOnTheMap(t *testing.T) {
	s := start(t)
	id := s.lab(t, "lab \"New\"\n")
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), sees("Press 1 and click"), mapReady())
	h := &hand{t: t, tab: tab}
	h.does(key("1"))
	for i, at := range [][2]float64{{400, 260}, {760, 260}, {580, 420}} {
		h.does(chromedp.MouseClickXY(at[0], at[1]), cards(i+1))
	}
	h.does(key("2"))
	for i, at := range [][2]float64{{250, 420}, {890, 420}} {
		h.does(chromedp.MouseClickXY(at[0], at[1]), cards(i+4))
	}
	h.does(chromedp.KeyEvent("\u001b"))
	h.join("viaduct", "summit")
	h.join("summit", "quarry")
	h.join("quarry", "viaduct")
	h.join("kiosk", "viaduct")
	h.join("booth", "summit")
	h.does(key("a", chromedp.KeyModifiers(chromedp.ModifierCtrl)), sees("5 cards chosen"))
	h.does(button("Run OSPF"), until(`document.querySelectorAll(".react-flow__edge").length === 5`))
	// A lab under construction applies as one goes: there is nothing to apply.
	do(t, tab, seesNot("Discard draft"), until(`document.body.innerText.includes("area 0")`))
	h.does(panel("p"))
	h.does(chromedp.Click(chromedp.CSS(`[aria-label="Probe"] button[type="submit"]`)), sees("all 5 answered"))
	require.LessOrEqual(t, h.n, 17)
	t.Logf("%d gestures", h.n)
	// The last gesture that changed the lab is undone.
	do(t, tab, key("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)), until(`!document.body.innerText.includes("area 0")`))
	var lab struct{ Text string }
	s.call(t, "GET", "/api/labs/"+id, nil, &lab)
	require.NotContains(t, lab.Text, "ospf")
	require.Contains(t, lab.Text, "link summit.lan booth\n")
}

// TestADraftIsDrawnAsOne adds to a network that runs: nothing happens to it until the
// draft is applied, and a card is moved without an action.
func TestADraftIsDrawnAsOne(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("triangle-with-ospf"))
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(), atRest())
	h := &hand{t: t, tab: tab}
	n, err := chromedp.Run(tab, chromedp.Evaluate[int](`document.querySelectorAll("[data-device]").length`))
	require.NoError(t, err)
	h.does(key("1"))
	h.does(chromedp.MouseClickXY(230, 170), cards(n+1), sees("Draft: "))
	h.does(chromedp.KeyEvent("\u001b"))
	h.join("larches", "viaduct")
	do(t, tab, until(`document.querySelectorAll('[data-draft="link"]').length === 1`), sees("1 neighbour relation comes up"))
	var lab struct {
		Actions []struct{ Action string }
	}
	s.call(t, "GET", "/api/labs/"+id, nil, &lab)
	require.Len(t, lab.Actions, 1)
	h.does(chromedp.Click(chromedp.Search(`//*[@data-testid="draft-bar"]//button[normalize-space(.)="Apply"]`)), seesNot("Discard draft"),
		until(`document.querySelectorAll('[data-draft="link"]').length === 0`))
	x, y := h.middle(`[data-device="larches"]`)
	h.does(chromedp.MouseEvent("mouseMoved", x-20, y), chromedp.MouseEvent("mousePressed", x-20, y, chromedp.ButtonLeft, chromedp.ClickCount(1)),
		chromedp.MouseEvent("mouseMoved", x+30, y-30, chromedp.ButtonLeft), chromedp.MouseEvent("mouseMoved", x+60, y-60, chromedp.ButtonLeft),
		chromedp.MouseEvent("mouseReleased", x+60, y-60, chromedp.ButtonLeft, chromedp.ClickCount(1)), atRest())
	s.call(t, "GET", "/api/labs/"+id, nil, &lab)
	require.Len(t, lab.Actions, 2, "a moved card is no action")
	var drawn struct {
		Places map[string]struct{ X, Y int }
	}
	s.call(t, "GET", "/api/labs/"+id+"/map", nil, &drawn)
	at := drawn.Places["larches"]
	do(t, tab, chromedp.Reload(), mapReady())
	s.call(t, "GET", "/api/labs/"+id+"/map", nil, &drawn)
	require.Equal(t, at, drawn.Places["larches"])
}

// holding does something while a key is down, as soon as the page has taken notice of it.
func holding(k string, s step) step {
	press := func(t input.DispatchKeyEventType) step {
		return func(ctx context.Context, target *chromedp.Target) (chromedp.Void, error) {
			_, err := cdp.Call(ctx, target, input.DispatchKeyEvent, input.DispatchKeyEventParams{Type: t, Key: k, Code: k + "Left"})
			return chromedp.Void{}, err
		}
	}
	noticed := chromedp.Steps(script(`window.noticed = false; requestAnimationFrame(() => requestAnimationFrame(() => { window.noticed = true; })); 0`), until(`window.noticed`))
	return chromedp.Steps(press(input.DispatchKeyEventTypeRawKeyDown), noticed, s, press(input.DispatchKeyEventTypeKeyUp))
}

// TestANetworkIsBuiltWithoutAMouse adds three routers and a host with keys, chooses and
// connects them from the tab order, runs OSPF on them, and pings: no pointer is used.
func TestANetworkIsBuiltWithoutAMouse(t *testing.T) {
	s := start(t)
	id := s.lab(t, "lab \"New\"\n")
	tab := page(t)
	h := &hand{t: t, tab: tab}
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), sees("Press 1 and click"), mapReady())
	h.does(key("1"))
	for i := range 3 {
		h.does(chromedp.KeyEvent("\r"), cards(i+1))
	}
	h.does(key("2"))
	h.does(chromedp.KeyEvent("\r"), cards(4))
	h.does(chromedp.KeyEvent("\u001b"))
	// tabTo presses Tab until what has the focus has a name; the presses are not counted.
	tabTo := func(is string) {
		t.Helper()
		for range 150 {
			found, err := chromedp.Run(tab, chromedp.Evaluate[bool](`(() => { const e = document.activeElement; return `+is+` })()`))
			require.NoError(t, err)
			if found {
				return
			}
			do(t, tab, chromedp.KeyEvent("\t"))
		}
		t.Fatal("Tab does not get to " + is)
	}
	card := func(name string) string {
		return `e.classList.contains("react-flow__node") && e.dataset.id === "` + name + `"`
	}
	named := func(text string) string { return `e.tagName === "BUTTON" && e.innerText.trim() === "` + text + `"` }
	connect := func(a, b string, edges int) {
		t.Helper()
		tabTo(card(a))
		h.does(chromedp.KeyEvent("\r"), sees("1 card chosen"))
		tabTo(card(b))
		h.does(holding("Shift", chromedp.KeyEvent("\r")), sees("2 cards chosen"))
		tabTo(named("Connect them"))
		h.does(chromedp.KeyEvent("\r"), until(fmt.Sprintf(`document.querySelectorAll(".react-flow__edge-link").length === %d`, edges)))
		tabTo(named("none"))
		h.does(chromedp.KeyEvent("\r"))
	}
	connect("viaduct", "summit", 1)
	connect("summit", "quarry", 2)
	connect("quarry", "kiosk", 3)
	h.does(key("a", chromedp.KeyModifiers(chromedp.ModifierCtrl)), sees("4 cards chosen"))
	tabTo(named("Run OSPF"))
	h.does(chromedp.KeyEvent("\r"))
	do(t, tab, until(`fetch("/api/labs/`+id+`/neighbours").then((r) => r.json()).then((n) => { window.full = n.neighbours.filter((x) => x.up).length }), window.full === 2`))
	h.does(bar("ping viaduct kiosk"), within("answers", "all 5 answered"))
	require.LessOrEqual(t, h.n, 32)
}
