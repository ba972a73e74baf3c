package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
)

// BenchmarkTyping types into a text of 20,000 lines: from each key to when it is painted, as the browser measures it (in steps of
// 8 ms), and what is sent meanwhile.
func BenchmarkTyping(b *testing.B) {
	s := start(b)
	var text strings.Builder
	text.WriteString(testlabs.Grid(8, 8))
	for n := strings.Count(text.String(), "\n"); n < 20_000; n++ {
		fmt.Fprintf(&text, "# line %d of what is known of router r%d and its neighbours\n", n, n%64)
	}
	id := s.lab(b, text.String())
	var took []float64
	var sent float64
	for b.Loop() {
		tab, done := chromedp.NewContext(browser)
		do(b, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/text"), until(`!!document.querySelector(".cm-content")`), chromedp.Sleep(2*time.Second),
			script(`(() => {
				window.took = [];
				window.sent = 0;
				const plain = window.fetch;
				window.fetch = async (r, ...more) => {
					if (r instanceof Request && r.method === "POST") window.sent += (await r.clone().arrayBuffer()).byteLength;
					return plain(r, ...more);
				};
				new PerformanceObserver((l) => l.getEntries().filter((e) => e.name === "keydown").forEach((e) => window.took.push(e.duration)))
					.observe({ type: "event", durationThreshold: 16 });
				document.querySelector(".cm-content").focus();
			})()`))
		const keys = "# a remark that somebody writes with ten fingers"
		for _, key := range keys {
			do(b, tab, chromedp.KeyEvent(string(key)), chromedp.Sleep(60*time.Millisecond))
		}
		do(b, tab, chromedp.Sleep(time.Second))
		slow, err := chromedp.Run(tab, chromedp.Evaluate[[]float64](`window.took`))
		require.NoError(b, err)
		all, err := chromedp.Run(tab, chromedp.Evaluate[float64](`window.sent`))
		require.NoError(b, err)
		sent += all
		took = append(took, slow...)
		for range len(keys) - len(slow) { // those below what the browser tells
			took = append(took, 8)
		}
		done()
	}
	b.ReportMetric(share(took, 0.5), "ms-key-median")
	b.ReportMetric(share(took, 0.95), "ms-key-95%")
	b.ReportMetric(sent/float64(text.Len()*b.N), "texts-sent")
	b.ReportMetric(0, "ns/op")
}
