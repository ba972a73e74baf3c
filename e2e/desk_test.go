package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// TestTheDeskOfOneRouter has a router's text beside what it does: writes there, reads what
// its templates say, goes to the next by a key, sees two of them, and resets a session.
func TestTheDeskOfOneRouter(t *testing.T) {
	s := start(t)
	id := s.lab(t, demo.Text("tarn-valley"))
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/desk?who=viaduct"), inEditor(),
		until(`document.querySelector(".cm-content").innerText.startsWith("router viaduct like branch")`),
		// Its neighbours and sessions with their far ends, its table, its messages.
		sees("summit e1 Full"), sees("skylark"), sees("import from-skylark"), sees("OSPF in area 0"), sees("Routes"), sees("session with"))
	// What templates say is written out, each with the template.
	do(t, tab, choose("Written out"), until(`document.querySelector("[data-testid=written-out]")?.innerText.includes("peer-group inside")`),
		until(`document.querySelector("[data-testid=written-out]").innerText.includes("template station")`), choose("Text"), inEditor())
	// The port in detail; its cost is a field.
	do(t, tab, chromedp.Click(chromedp.Search(`//section[@aria-label="Ports"]//button[normalize-space(.)="e1"]`)), sees("dead interval"), sees("10G over 1G"),
		write("cost of viaduct.e1", "77"), chromedp.KeyEvent("\r"), until(`document.querySelector(".cm-content").innerText.includes("cost 77")`), sees("2 lines on viaduct"))
	// What is written in the block goes into the whole text.
	do(t, tab, atRest(), inEditor(), typeAtEnd("  port spare 10.9.0.1/30"), until(`document.querySelector("[data-testid=draft-bar]").innerText.includes("3 lines on viaduct")`))
	require.Eventually(t, func() bool {
		var drafts []struct{ Text string }
		s.call(t, "GET", "/api/labs/"+id+"/drafts", nil, &drafts)
		return len(drafts) == 1 && strings.Contains(drafts[0].Text, "  port spare 10.9.0.1/30") && strings.Contains(drafts[0].Text, "router summit like reflector")
	}, 10*time.Second, 50*time.Millisecond)
	do(t, tab, button("Discard draft"), chromedp.Click(chromedp.CSS("h1")))
	// The next router by a key, and another one beside it.
	do(t, tab, key("."), until(`document.querySelector("main h2").innerText === "summit"`), key(","), until(`document.querySelector("main h2").innerText === "viaduct"`),
		script(`(() => { const s = document.querySelector("main select"); s.value = "quarry"; s.dispatchEvent(new Event("change", {bubbles: true})) })()`),
		until(`document.querySelectorAll("main h2").length === 2 && document.querySelectorAll(".cm-content").length === 2`))
	do(t, tab, chromedp.Click(chromedp.Search(`//section[@aria-label="Desk of viaduct"]//tr[contains(., "skylark")]//button[normalize-space(.)="Reset"]`)), sees("reset 192.0.2.2 on viaduct"))
}
