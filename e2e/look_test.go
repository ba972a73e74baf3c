package e2e

import (
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

func TestLook(t *testing.T) {
	dir := os.Getenv("LOOK")
	if dir == "" {
		t.Skip()
	}
	s := start(t)
	tab := page(t)
	text := demoText(t, "tarn-valley")
	id := s.lab(t, text)
	shot := func(name string) {
		time.Sleep(900 * time.Millisecond)
		b, err := chromedp.Run(tab, chromedp.CaptureScreenshot())
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(dir+"/"+name+".png", b, 0o644))
	}
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(), sees("Tasks"))
	shot("1-brief")
	leaked := strings.Replace(text, "  10.64.8.0/22\n", "  10.64.8.0/21 length 21..24\n", 1)
	leaked = strings.Replace(leaked, "    where policy ours-and-customers\n    prepend", "    prepend", 1)
	do(t, tab, key("t"), chromedp.WaitVisible(chromedp.CSS(".cm-content")), replaceText(leaked))
	shot("1b")
	do(t, tab, sees("Applying changes"), button("Preview"), sees("gannet is told"))
	shot("2-preview")
	do(t, tab, button("Outline"), sees("router viaduct"))
	shot("3-outline")
	do(t, tab, button("Preview"), button("Apply"), sees("As it runs"), button("Revisions"), sees("in force"))
	shot("4-revisions")
	do(t, tab, key("k"), sees("no carrier hears"))
	shot("5-checks")
	do(t, tab, key("r"), bar("before-2..now"), sees("Only what is different"), sees("unchanged"))
	shot("6-compare-routes")
	do(t, tab, key("w"), sees("Advertisements"))
	shot("7-compare-paths")
	do(t, tab, bar("now"), key("y"), sees("Why?"), bar("quarry 198.51.100.0/24"), sees("who") )
	shot("8-why-offers")
}
