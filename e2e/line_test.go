package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// TestANetworkIsTyped builds three routers, two hosts and OSPF by the line alone, from an
// empty lab to an answered ping; the answers are kept.
func TestANetworkIsTyped(t *testing.T) {
	s := start(t)
	id := s.lab(t, "lab \"New\"\n")
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/neighbours"), sees("Apply as you go"))
	lines := []string{"new ring 3", "new host", "new host", "connect viaduct kiosk", "connect booth summit", "run ospf area 0 on viaduct, summit, quarry"}
	for _, l := range lines {
		do(t, tab, bar(l), until(`document.querySelector('input[role="combobox"]').value === ""`))
	}
	do(t, tab, sees("OSPF adjacencies Full"), bar("ping kiosk booth"), within("answers", "all 5 answered"))
	require.LessOrEqual(t, len(lines)+1, 7)

	// What is not well is answered with what mends it, at the moment that is in focus.
	do(t, tab, bar("viaduct.e1 ospf area 7"), sees("area 0 and 7"), until(`document.querySelector('input[role="combobox"]').value === ""`), bar("neighbours viaduct"), within("answers", "viaduct has 2 neighbours, 1 up"), within("answers", "Fix"),
		bar("trace kiosk nobody"), within("answers", "neither an IPv4 address nor the name of a device"),
		bar("viaduct.e1 ospf cots 5"), sees("did you mean cost?"), chromedp.KeyEvent("\u001b"),
		bar("announce 10.0.0.0/8"), sees(`nothing here is called "announce"`), chromedp.KeyEvent("\u001b"))
	text, err := chromedp.Run(tab, chromedp.Evaluate[string](`document.querySelector("[data-testid=answers]").innerText`))
	require.NoError(t, err)
	require.Less(t, strings.Index(text, "trace kiosk nobody"), strings.Index(text, "ping kiosk booth"), "the newest first")
	do(t, tab, chromedp.Reload(), sees("Apply as you go"), atRest(), key("q"), within("answers", "all 5 answered"))

	// They are kept with the lab: a colleague reads them too.
	other := stranger(t)
	do(t, other, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(), key("q"), within("answers", "all 5 answered"))

	// A statement is completed where it belongs, with its help.
	do(t, tab, script(`document.activeElement?.blur?.(); dispatchEvent(new KeyboardEvent("keydown", { key: "/" }))`), paste("viaduct.e1 ospf hel"),
		until(`document.querySelector('[role="option"]')?.innerText.startsWith("hello-interval") === true`))
}
