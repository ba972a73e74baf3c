package e2e

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

func TestTiming(t *testing.T) {
	s := start(t)
	id := s.lab(t, demoText(t, "triangle-with-ospf"))
	for range 3 {
		t0 := time.Now()
		tab := page(t)
		do(t, tab, chromedp.EmulateViewport(1280, 800))
		t.Log("tab", time.Since(t0))
		do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/map"))
		t.Log("navigate", time.Since(t0))
		do(t, tab, chromedp.WaitVisible(chromedp.CSS("main")))
		t.Log("main", time.Since(t0))
		do(t, tab, mapReady())
		t.Log("map", time.Since(t0))
		_, err := chromedp.Run(tab, chromedp.CaptureScreenshot())
		t.Log("shot", time.Since(t0), err)
	}
}
