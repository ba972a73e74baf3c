package e2e

import (
	"context"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// watchRest counts, in each page of a tab, the answers it waits for, and the frames since
// it last waited or changed.
const watchRest = `(() => {
	let waits = 0, quiet = 0;
	const fetched = window.fetch.bind(window);
	window.fetch = (...a) => {
		waits++; quiet = 0;
		const over = () => setTimeout(() => { waits--; quiet = 0; });
		const answer = fetched(...a);
		answer.then((r) => r.clone().text().then(over, over), over);
		return answer;
	};
	new MutationObserver(() => { quiet = 0; }).observe(document, { subtree: true, childList: true, attributes: true, characterData: true });
	const frame = () => { quiet = waits > 0 ? 0 : quiet + 1; requestAnimationFrame(frame); };
	requestAnimationFrame(frame);
	window.quietFrames = () => quiet;
})()`

// watched has the pages of a tab count their quiet frames.
func watched(t testing.TB, tab context.Context) {
	t.Helper()
	do(t, tab, func(ctx context.Context, target *chromedp.Target) (chromedp.Void, error) {
		_, err := cdp.Call(ctx, target, cdppage.AddScriptToEvaluateOnNewDocument, cdppage.AddScriptToEvaluateOnNewDocumentParams{Source: watchRest})
		return chromedp.Void{}, err
	})
}

// atRest waits until the page waits for no answer and has not changed for a dozen frames.
func atRest() step { return until(`window.quietFrames?.() >= 12`) }

// TestRestIsWaitedFor changes a page for longer than a slow machine needs for a frame.
func TestRestIsWaitedFor(t *testing.T) {
	s := start(t)
	tab := page(t)
	do(t, tab, chromedp.Navigate(s.url+"/"), atRest(), script(`(() => {
		window.changes = 0;
		const every = setInterval(() => { document.body.dataset.change = ++window.changes; if (window.changes === 30) clearInterval(every); }, 30);
	})()`), until(`window.changes > 0`), atRest())
	n, err := chromedp.Run(tab, chromedp.Evaluate[int](`window.changes`))
	require.NoError(t, err)
	require.Equal(t, 30, n)
}
