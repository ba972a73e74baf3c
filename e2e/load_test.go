package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// BenchmarkPageLoad is what a user waits for: from the address typed to a lab's
// map laid out, in a tab of its own.
func BenchmarkPageLoad(b *testing.B) {
	s := start(b)
	for _, slug := range []string{"first-triangle", "valley-line"} {
		id := s.lab(b, demo.Text(slug))
		b.Run(slug, func(b *testing.B) {
			for b.Loop() {
				// The tab goes before the next one comes: each holds a
				// connection, and a browser opens six at most.
				tab, done := chromedp.NewContext(browser)
				do(b, tab, chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady())
				done()
			}
		})
	}
}

// BenchmarkGesture measures in the page, from the click of a fix to the lines that it
// changes, and to its effect, on the largest demo lab.
func BenchmarkGesture(b *testing.B) {
	s := start(b)
	text := strings.Replace(demo.Text("valley-line"), "    ospf area 0\n", "    ospf area 7\n", 1)
	id := s.lab(b, text)
	tab := page(b)
	do(b, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/neighbours"), sees("not up"), chromedp.Sleep(time.Second))
	const measure = `(async () => {
		const bar = () => document.querySelector('[data-testid="draft-bar"]')?.innerText ?? '';
		const until = async (is) => { while (!is()) await new Promise((r) => setTimeout(r, 2)); return performance.now(); };
		const start = performance.now();
		document.querySelector('[data-testid="fixes"] button').click();
		const lines = await until(() => / lines? on /.test(bar()));
		const effect = await until(() => /comes? up/.test(bar()));
		[...document.querySelectorAll('button')].find((x) => x.innerText === 'Discard draft').click();
		await until(() => bar() === '');
		return [lines - start, effect - start].join(' ');
	})()`
	var lines, effect float64
	n := 0
	for b.Loop() {
		took, err := chromedp.Run(tab, chromedp.Evaluate[string](measure, func(p *runtime.EvaluateParams) { p.AwaitPromise = new(true) }))
		require.NoError(b, err)
		var l, e float64
		_, err = fmt.Sscan(took, &l, &e)
		require.NoError(b, err)
		lines, effect, n = lines+l, effect+e, n+1
		do(b, tab, chromedp.Sleep(300*time.Millisecond))
	}
	b.ReportMetric(lines/float64(n), "ms-to-lines")
	b.ReportMetric(effect/float64(n), "ms-to-effect")
}
