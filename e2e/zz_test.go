package e2e

import (
	"context"
	"os"
	"os/exec"
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

func sh(t *testing.T, line string) {
	out, err := exec.Command("bash", "-c", line).CombinedOutput()
	t.Logf("%s: %s %v", line, out, err)
}

func TestWalk2(t *testing.T) {
	tab := page(t)
	do(t, tab, chromedp.EmulateViewport(1280, 800), media("dark"), chromedp.Navigate(walkURL+"/lab/793149eca13a/neighbours"), chromedp.WaitVisible(chromedp.CSS("main")), chromedp.Sleep(9*time.Second), pic(t, "stopped2"))
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
	go1("/lab/63b164c27ed8/timeline", "tarn-timeline")
	big, err := os.ReadFile("/tmp/w/g900.lab")
	require.NoError(t, err)
	s := &server{url: walkURL}
	id := s.lab(t, "lab \"Big\"\n  seed 1\n")
	go1("/lab/"+id+"/text", "empty-text")
	go1("/lab/"+id+"/map", "empty-map")
	go func() {
		s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]any{"action": "apply", "text": string(big), "base": 1}, nil)
	}()
	time.Sleep(4 * time.Second)
	do(t, tab, pic(t, "busy"))
	do(t, tab, button("Stop it"), chromedp.Sleep(3*time.Second), pic(t, "stopped"))
	do(t, tab, chromedp.Navigate(walkURL+"/lab/8b2b86c126e0/map"), mapReady(), nap)
	sh(t, "pkill -9 -f 'hellebore serve --demo --port 8600'; pkill -9 -f 'postgres -D /var/lib/hellebore'; sleep 2; ps aux | grep -c '[p]ostgres -D /var/lib'")
	do(t, tab, chromedp.Sleep(time.Second), pic(t, "gone"))
	sh(t, "cd /tmp/w/walk; (setsid ./bin/hellebore serve --demo --port 8600 > /tmp/w/walk.log 2>&1 &); sleep 8; tail -3 /tmp/w/walk.log")
	do(t, tab, chromedp.Sleep(2*time.Second), pic(t, "back"))
	do(t, tab, media("dark"), nap, pic(t, "back-dark"))
}
