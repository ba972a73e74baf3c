package e2e

import (
	"context"
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// TestAccessibility runs an automatic check (WCAG 2.2 AA) over every view, in
// both colour schemes.
func TestAccessibility(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	s := start(t)
	id := s.lab(t, demo.Text("planted-faults"))
	require.Equal(t, 200, s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "cut depot.e7"}, nil))
	railway := s.lab(t, demo.Text("tarn-valley"))
	require.Equal(t, 200, s.call(t, "POST", "/api/labs/"+railway+"/actions", map[string]string{"action": "cut viaduct.up"}, nil))
	carriers := s.lab(t, demo.Text("planted-sessions"))
	for _, scheme := range []string{"light", "dark"} {
		tab := page(t)
		do(t, tab, chromedp.EmulateViewport(1280, 800), media(scheme))
		for _, path := range []string{"/", "/lab/" + id + "/map", "/lab/" + id + "/desk?who=depot.e7", "/lab/" + id + "/text", "/lab/" + id + "/ports",
			"/lab/" + id + "/neighbours", "/lab/" + id + "/routes", "/lab/" + id + "/database", "/lab/" + id + "/messages", "/lab/" + id + "/packets?who=depot.e7", "/lab/" + id + "/neighbours?who=depot.e7", "/lab/" + id + "/timeline", "/lab/" + carriers + "/map?to=203.0.113.0/24",
			"/lab/" + carriers + "/neighbours?who=quarry/192.0.2.6", "/lab/" + carriers + "/paths", "/lab/" + carriers + "/paths?to=198.51.100.0/24", "/lab/" + carriers + "/policies", "/lab/" + id + "/map?when=before-2&who=depot&to=10.1.1.0/30",
			"/lab/" + railway + "/checks", "/lab/" + railway + "/routes?when=before-2..now", "/lab/" + railway + "/timeline"} {
			do(t, tab, chromedp.Navigate(s.url+path), chromedp.WaitVisible(chromedp.CSS("main")), seesNot("reading the"))
			if strings.Contains(path, "/map") {
				do(t, tab, mapReady())
			}
			sound(t, tab, axe, path+", "+scheme)
		}
	}
}

// sound runs the check on the page as it is.
func sound(t *testing.T, tab context.Context, axe []byte, where string) {
	t.Helper()
	do(t, tab, script(string(axe)+";window.checked=undefined"))
	do(t, tab, script(`axe.run(document, {runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]}).then(r => { window.checked = JSON.stringify(
		r.violations.map(v => v.id + ": " + v.help + " at " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 120)).join(" | "))) }); 0`),
		until(`window.checked !== undefined`))
	found, err := chromedp.Run(tab, chromedp.Evaluate[string](`window.checked`))
	require.NoError(t, err)
	var violations []string
	require.NoError(t, json.Unmarshal([]byte(found), &violations))
	require.Empty(t, violations, where)
}

// TestAccessibilityOfBuilding runs the check over what opens while somebody builds and
// mends: problems, answers, chosen cards, a link's fields, a draft with its lines, a menu,
// what can be said once.
func TestAccessibilityOfBuilding(t *testing.T) {
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	s := start(t)
	id := s.lab(t, demo.Text("planted-faults"))
	for _, scheme := range []string{"light", "dark"} {
		tab := page(t)
		do(t, tab, chromedp.EmulateViewport(1280, 800), media(scheme), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(),
			key("i"), sees("problems"), bar("ping kiosk depot"), until(`document.querySelector("[data-testid=answers]") !== null`), key("1"))
		sound(t, tab, axe, "problems, answers and tools, "+scheme)
		do(t, tab, chromedp.KeyEvent("\u001b"), key("a", chromedp.KeyModifiers(chromedp.ModifierCtrl)), sees("cards chosen"), chromedp.Click(chromedp.CSS(`[data-testid="fixes"] button`)),
			until(`document.querySelector("[data-testid=draft-bar]") !== null`), chromedp.Click(chromedp.Search(`//*[@data-testid="draft-bar"]//button[starts-with(normalize-space(.), "Draft")]`)))
		sound(t, tab, axe, "chosen cards and a draft, "+scheme)
		do(t, tab, button("Discard draft"), key("e"), until(`document.querySelector('[aria-label="Explanation"]') !== null`), script(`document.querySelectorAll(".react-flow__edge-link")[0].dispatchEvent(new MouseEvent("click", {bubbles: true}))`),
			until(`document.querySelector("[data-testid=link-fields]") !== null`))
		sound(t, tab, axe, "a link's fields, "+scheme)
		do(t, tab, contextmenu(`document.querySelector("[data-device=depot]")`), until(`document.querySelector("[role=menu]") !== null`))
		sound(t, tab, axe, "a menu, "+scheme)
		do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/text"), inEditor(), choose("Outline"), until(`document.querySelector("[data-testid=alike]") !== null`))
		sound(t, tab, axe, "what can be said once, "+scheme)
	}
}
