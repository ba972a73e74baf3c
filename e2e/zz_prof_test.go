package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/profiler"
	"github.com/chromedp/chromedp"

	"hellebore/core/questions/testlabs"
)

func TestZZProf(t *testing.T) {
	if os.Getenv("PROF") == "" {
		t.Skip()
	}
	s := start(t)
	var long strings.Builder
	long.WriteString(regexp.MustCompile(`(?m)^link .*$`).ReplaceAllString(testlabs.Grid(10, 5), "$0 delay 200ms"))
	for i := range 25 {
		long.WriteString(fmt.Sprintf("flow f%d r%d -> r%d every 100ms\n", i, i, 49-i))
	}
	id := s.lab(t, long.String())
	s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "disable r33"}, nil)
	tab, done := chromedp.NewContext(browser)
	defer done()
	var prof *profiler.Profile
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(), button("Play"), within("play", "Pause"),
		script(`[...document.querySelectorAll("label")].find((l) => l.innerText.includes("all packets of flows")).click()`), chromedp.Sleep(time.Second),
		func(ctx context.Context, target *chromedp.Target) (chromedp.Void, error) {
			cdp.Call(ctx, target, profiler.Enable, cdp.Empty{})
			cdp.Call(ctx, target, profiler.SetSamplingInterval, profiler.SetSamplingIntervalParams{Interval: 200})
			_, err := cdp.Call(ctx, target, profiler.Start, cdp.Empty{})
			return chromedp.Void{}, err
		}, chromedp.Sleep(6*time.Second), func(ctx context.Context, target *chromedp.Target) (chromedp.Void, error) {
			p, err := cdp.Call(ctx, target, profiler.Stop, cdp.Empty{})
			if err == nil {
				prof = p.Profile
			}
			return chromedp.Void{}, err
		})
	raw, _ := json.Marshal(prof)
	os.WriteFile("/tmp/w/prof.json", raw, 0o644)
}
