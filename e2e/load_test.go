package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
)

// BenchmarkPageLoad is what a user waits for: from the address typed to a lab's
// map laid out, in a tab of its own.
func BenchmarkPageLoad(b *testing.B) {
	s := start(b)
	for _, slug := range []string{"first-triangle", "valley-line"} {
		id := s.lab(b, demoText(b, slug))
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
