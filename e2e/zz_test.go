package e2e

import (
	"context"
	"os"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

const walkURL = "http://127.0.0.1:8600"

func pic(t *testing.T, name string) step {
	return func(ctx context.Context, tab *chromedp.Target) (chromedp.Void, error) {
		png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		require.NoError(t, err)
		return chromedp.Void{}, os.WriteFile("/tmp/w/pic-"+name+".png", png, 0o644)
	}
}

func TestWalk(t *testing.T) {
	tab := page(t)
	nap := chromedp.Sleep(1200 * time.Millisecond)
	go1 := func(path, name string, extra ...step) {
		do(t, tab, chromedp.Navigate(walkURL+path), chromedp.WaitVisible(chromedp.CSS("main")), nap)
		do(t, tab, extra...)
		do(t, tab, pic(t, name))
	}
	do(t, tab, chromedp.EmulateViewport(1280, 800), media("light"))
	go1("/", "labs")
	go1("/lab/8b2b86c126e0/map", "valley")
	go1("/lab/8b2b86c126e0/checks", "valley-checks")
	go1("/lab/f8607a34298a/neighbours", "faults-neigh")
	go1("/lab/63b164c27ed8/timeline", "tarn-timeline")
}
