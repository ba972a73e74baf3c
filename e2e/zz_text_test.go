package e2e

import (
	"fmt"
	"os"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

func TestZZText(t *testing.T) {
	if os.Getenv("PROF") == "" {
		t.Skip()
	}
	s := start(t)
	b, _ := os.ReadFile("/tmp/w/l20k.lab")
	began := time.Now()
	id := s.lab(t, string(b))
	fmt.Println("lab", time.Since(began))
	tab, done := chromedp.NewContext(browser)
	defer done()
	began = time.Now()
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/text"), until(`!!document.querySelector(".cm-content")`))
	fmt.Println("open", time.Since(began))
	do(t, tab, chromedp.Sleep(2*time.Second), script(`(() => {
		window.took = []; window.reqs = [];
		const of = window.fetch;
		window.fetch = async (...a) => { const r = a[0]; const t0 = performance.now(); let n = 0; if (r instanceof Request && r.method !== "GET") { n = (await r.clone().arrayBuffer()).byteLength; } const x = await of(...a); window.reqs.push([Math.round(t0), (r.url ?? r).replace(/.*\/api/, ""), n, Math.round(performance.now() - t0)].join(" ")); return x; };
		new PerformanceObserver((l) => { for (const e of l.getEntries()) if (e.name === "keydown") window.took.push(Math.round(e.duration)); }).observe({ type: "event", durationThreshold: 16, buffered: false });
		window.longs = [];
		new PerformanceObserver((l) => { for (const e of l.getEntries()) window.longs.push(Math.round(e.startTime) + ":" + Math.round(e.duration)); }).observe({ type: "longtask" });
		document.querySelector(".cm-content").focus();
	})()`))
	do(t, tab, script(`document.querySelector(".cm-content").focus()`), chromedp.Sleep(500*time.Millisecond))
	for i := range 40 {
		do(t, tab, chromedp.KeyEvent(string("# a comment that is typed by someone with ten fingers"[i%50])), chromedp.Sleep(80*time.Millisecond))
	}
	do(t, tab, chromedp.Sleep(3*time.Second))
	out, _ := chromedp.Run(tab, chromedp.Evaluate[string](`JSON.stringify({ took: window.took, longs: window.longs, reqs: window.reqs }, null, 1)`))
	fmt.Println(out)
}
