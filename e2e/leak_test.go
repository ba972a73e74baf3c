package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// TestALeakIsClosedByPointing sees that two routers send one carrier what the other one
// sent, filters it on the first, previews and applies that, does the same on the second,
// and undoes it: nothing is typed.
func TestALeakIsClosedByPointing(t *testing.T) {
	text := strings.NewReplacer("      export-policy to-gannet\n", "", "      export-policy to-skylark\n", "", "local-preference 80", "local-preference 200").Replace(demo.Text("tarn-valley"))
	require.NotEqual(t, demo.Text("tarn-valley"), text)
	s := start(t)
	id := s.lab(t, text)
	tab := page(t)
	c := &clicks{t: t, tab: tab}
	fix := func(router string) string {
		return `//*[@data-testid="problem"][contains(., "transit") and contains(., "` + router + `")]//*[@data-testid="fixes"]//button`
	}
	sent := func() bool {
		var warnings []struct{ Text, Weight string }
		s.call(t, "GET", "/api/labs/"+id+"/warnings", nil, &warnings)
		for _, w := range warnings {
			if w.Weight == "warning" && strings.Contains(w.Text, "transit") {
				return true
			}
		}
		return false
	}
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/paths"), sees("Problems"))
	require.True(t, sent())
	c.press(`//button[starts-with(normalize-space(.), "Problems")]`)
	do(t, tab, sees("is a transit between AS 64496 and AS 64497"))
	for _, router := range []string{"quarry", "viaduct"} {
		c.press(fix(router))
		do(t, tab, until(`document.querySelector('[data-testid="draft-bar"]')?.innerText.includes("`+router+`")`))
		c.press(`//*[@data-testid="draft-bar"]//button[normalize-space(.)="Preview"]`)
		do(t, tab, sees("withdraws"))
		c.press(`//*[@data-testid="draft-bar"]//button[normalize-space(.)="Apply"]`)
		do(t, tab, until(`document.querySelector('[data-testid="draft-bar"]') === null`))
	}
	do(t, tab, seesNot("is a transit between"))
	require.False(t, sent(), "nothing leaks any more")
	require.LessOrEqual(t, c.n, 7)

	// Both filters are taken back, a key each; the text is what it was, byte for byte.
	do(t, tab, key("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)), until(`document.querySelector('[data-testid="draft-bar"]') !== null`),
		key("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	// It asks once more, since that would let the prefixes out again.
	do(t, tab, until(`(() => { const bar = document.querySelector('[data-testid="draft-bar"]')?.innerText ?? ""; return bar.includes("2 devices") && bar.includes("fails") })()`))
	c.press(`//*[@data-testid="draft-bar"]//button[normalize-space(.)="Apply"]`)
	c.press(`//*[@data-testid="draft-bar"]//button[normalize-space(.)="Apply all the same"]`)
	do(t, tab, until(`document.querySelector('[data-testid="draft-bar"]') === null`))
	var lab struct{ Text string }
	s.call(t, "GET", "/api/labs/"+id, nil, &lab)
	require.Equal(t, text, lab.Text)
}
