package e2e

import (
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// clicks counts what a hand does.
type clicks struct {
	t   *testing.T
	tab context.Context
	n   int
}

// press clicks what an XPath finds, once it is there.
func (c *clicks) press(xpath string) {
	c.t.Helper()
	c.n++
	do(c.t, c.tab, until(fmt.Sprintf(`document.evaluate(%s, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE, null).singleNodeValue !== null`, quoted(xpath))),
		chromedp.Click(chromedp.Search(xpath)))
}

// count is how many elements a selector finds.
func (c *clicks) count(css string) int {
	n, err := chromedp.Run(c.tab, chromedp.Evaluate[int](fmt.Sprintf("document.querySelectorAll(%q).length", css)))
	require.NoError(c.t, err)
	return n
}

// looked waits until the list of problems is of the lab and the draft as they are.
func (c *clicks) looked() {
	c.t.Helper()
	idle := until(`(() => {
		const panel = document.querySelector('[aria-label="Problems"]');
		return panel?.getAttribute("aria-busy") === "false" && /problem/i.test(panel.querySelector("h2")?.innerText ?? "");
	})()`)
	// Twice, with the news of an action or an edit between them.
	do(c.t, c.tab, idle, atRest(), idle)
}

// mendAll opens Problems and takes the first fix of each, then applies, until nothing is
// left to fix.
func (c *clicks) mendAll() {
	c.t.Helper()
	c.press(`//button[starts-with(normalize-space(.), "Problems")]`)
	for range 4 {
		c.looked()
		if c.count(`[data-testid="problem"] [data-testid="fixes"]`) == 0 {
			return
		}
		for range 20 {
			// What a fix makes of the text is known a moment later: problems that are gone by then are not fixed.
			c.looked()
			pressed, err := chromedp.Run(c.tab, chromedp.Evaluate[bool](`(() => {
				const open = [...document.querySelectorAll('[data-testid="problem"] [data-testid="fixes"]')].find((f) => !f.innerText.includes("in the draft"));
				open?.querySelector("button").click();
				return open !== undefined;
			})()`))
			require.NoError(c.t, err)
			if !pressed {
				break
			}
			c.n++
		}
		c.press(`//*[@data-testid="draft-bar"]//button[normalize-space(.)="Apply"]`)
		do(c.t, c.tab, until(`document.querySelector('[data-testid="draft-bar"]') === null`))
	}
	c.t.Fatal("fixes are left after four rounds")
}

// TestPlantedFaultsAreMendedByPointing finds and mends all faults of the labs with planted
// ones, without a word typed and without the text.
func TestPlantedFaultsAreMendedByPointing(t *testing.T) {
	s := start(t)
	for lab, most := range map[string]int{"five-faults": 7, "planted-faults": 12, "planted-sessions": 6} {
		id := s.lab(t, demo.Text(lab))
		tab := page(t)
		do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/neighbours"), sees("not up"))
		c := &clicks{t: t, tab: tab}
		c.mendAll()
		var relations struct{ Neighbours []struct{ Up bool } }
		s.call(t, "GET", "/api/labs/"+id+"/neighbours", nil, &relations)
		require.NotEmpty(t, relations.Neighbours)
		for _, n := range relations.Neighbours {
			require.True(t, n.Up, lab)
		}
		var drawn struct{ Flows []struct{ Arrives bool } }
		s.call(t, "GET", "/api/labs/"+id+"/map", nil, &drawn)
		for _, f := range drawn.Flows {
			require.True(t, f.Arrives, lab)
		}
		t.Logf("%s: %d clicks", lab, c.n)
		require.LessOrEqual(t, c.n, most, lab)
	}
}
