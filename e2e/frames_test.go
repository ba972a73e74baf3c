package e2e

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/performance"
	"github.com/chromedp/cdproto/tracing"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
)

// traced is an event of Chromium's trace; times are in microseconds.
type traced struct {
	Name string  `json:"name"`
	Ts   float64 `json:"ts"`
	Dur  float64 `json:"dur"`
	Tdur float64 `json:"tdur"` // CPU time of the thread: without what others take of a shared host
	Tid  int     `json:"tid"`
	Pid  int     `json:"pid"`
}

// trace has Chromium trace a page for a while.
func trace(t testing.TB, tab context.Context, while time.Duration) []traced {
	t.Helper()
	var lock sync.Mutex
	var out []traced
	done := make(chan struct{})
	require.NoError(t, chromedp.Listen(tab, func(ev any) {
		switch e := ev.(type) {
		case *tracing.EventDataCollected:
			lock.Lock()
			defer lock.Unlock()
			for _, v := range e.Value {
				var x traced
				if json.Unmarshal(v, &x) == nil {
					out = append(out, x)
				}
			}
		case *tracing.EventTracingComplete:
			close(done)
		}
	}))
	do(t, tab, func(ctx context.Context, target *chromedp.Target) (chromedp.Void, error) {
		_, err := cdp.Call(ctx, target, tracing.Start, tracing.StartParams{TraceConfig: &tracing.TraceConfig{IncludedCategories: []string{"devtools.timeline", "toplevel"}}})
		return chromedp.Void{}, err
	}, chromedp.Sleep(while), func(ctx context.Context, target *chromedp.Target) (chromedp.Void, error) {
		_, err := cdp.Call(ctx, target, tracing.End, cdp.Empty{})
		return chromedp.Void{}, err
	})
	select {
	case <-done:
	case <-time.After(30 * time.Second):
		t.Fatal("the trace does not end")
	}
	lock.Lock()
	defer lock.Unlock()
	return out
}

// share is the value below which so much of a list is.
func share(list []float64, of float64) float64 {
	if len(list) == 0 {
		return 0
	}
	slices.Sort(list)
	return list[min(len(list)-1, int(of*float64(len(list))))]
}

// BenchmarkFrames plays the cold start of 50 routers on the map, hundreds of packets at once, and reads from Chromium's trace
// what the page's thread does for each frame, and how far frames are apart.
func BenchmarkFrames(b *testing.B) {
	s := start(b)
	// Long links have more packets at once.
	long := regexp.MustCompile(`(?m)^link .*$`).ReplaceAllString(testlabs.Grid(10, 5), "$0 delay 200ms")
	id := s.lab(b, long)
	var stretch struct{ Flights []flight }
	s.call(b, "GET", "/api/labs/"+id+"/playback?from=0&to=1", nil, &stretch)
	most := mostAtOnce(stretch.Flights)
	var f frames
	for b.Loop() {
		tab, done := chromedp.NewContext(browser)
		do(b, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(), button("Play"), within("play", "Pause"),
			button("hello"), chromedp.Sleep(500*time.Millisecond))
		f.add(trace(b, tab, 4*time.Second))
		done()
	}
	b.ReportMetric(float64(most), "packets-at-once")
	f.report(b)
}

type flight struct{ At, Until float64 }

// mostAtOnce is how many flights there are at once at most.
func mostAtOnce(flights []flight) (most int) {
	for _, f := range flights {
		n := 0
		for _, o := range flights {
			if o.At <= f.At && f.At < o.Until {
				n++
			}
		}
		most = max(most, n)
	}
	return most
}

// BenchmarkFlowFrames plays how 50 routers converge around one that fails, with all packets of 25 flows on their way.
func BenchmarkFlowFrames(b *testing.B) {
	s := start(b)
	var long strings.Builder
	long.WriteString(regexp.MustCompile(`(?m)^link .*$`).ReplaceAllString(testlabs.Grid(10, 5), "$0 delay 200ms"))
	for i := range 25 {
		long.WriteString(fmt.Sprintf("flow f%d r%d -> r%d every 100ms\n", i, i, 49-i))
	}
	id := s.lab(b, long.String())
	s.call(b, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "disable r33"}, nil)
	var actions struct{ Start, End float64 }
	s.call(b, "GET", "/api/labs/"+id+"/actions/2", nil, &actions)
	var stretch struct{ Flights []flight }
	s.call(b, "GET", fmt.Sprintf("/api/labs/%s/playback?from=%f&to=%f&all=true", id, actions.Start, actions.End), nil, &stretch)
	var f frames
	for b.Loop() {
		tab, done := chromedp.NewContext(browser)
		do(b, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(), button("Play"), within("play", "Pause"),
			script(`[...document.querySelectorAll("label")].find((l) => l.innerText.includes("all packets of flows")).click()`), chromedp.Sleep(time.Second))
		f.add(trace(b, tab, 4*time.Second))
		done()
	}
	b.ReportMetric(float64(mostAtOnce(stretch.Flights)), "packets-at-once")
	f.report(b)
}

// BenchmarkTimelineFrames looks closer and away again on the timeline of a cold start of 225 routers, with more than ten thousand
// events, as BenchmarkFrames plays.
func BenchmarkTimelineFrames(b *testing.B) {
	s := start(b)
	id := s.lab(b, testlabs.Grid(15, 15))
	var f frames
	for b.Loop() {
		tab, done := chromedp.NewContext(browser)
		do(b, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/timeline"), sees("first event"), until(`Number(document.querySelector('[data-testid="marks"]')?.dataset.drawn) > 1000`),
			chromedp.Sleep(time.Second), script(`(() => {
				const chart = document.querySelector('svg[aria-label^="Timeline of"]');
				let n = 0;
				const frame = () => requestAnimationFrame(frame);
				frame();
				setInterval(() => chart.dispatchEvent(new KeyboardEvent("keydown", { key: n++ % 20 < 10 ? "+" : "-", bubbles: true })), 100);
			})()`))
		f.add(trace(b, tab, 4*time.Second))
		done()
	}
	f.report(b)
}

// frames are what the page's thread does for each frame, all together and in one piece at most, in CPU time, and how far
// frames are apart, in milliseconds; and how many are drawn of those that are due. What is done in several pieces lets a frame come between them.
type frames struct {
	work, longest, apart []float64
	drawn, due           float64 // in the time that was looked at, at 60 a second
}

func (f *frames) add(events []traced) {
	const task = "ThreadControllerImpl::RunTask"
	var list []traced
	for _, e := range events {
		// Of the callbacks of one frame, the first counts.
		if e.Name == "FireAnimationFrame" {
			list = append(list, e)
		}
	}
	slices.SortFunc(list, func(x, y traced) int { return cmp.Compare(x.Ts, y.Ts) })
	list = slices.CompactFunc(list, func(x, y traced) bool { return math.Abs(x.Ts-y.Ts) < 4000 })
	if n := len(list) - 1; n > 0 {
		f.drawn, f.due = f.drawn+float64(n), f.due+(list[n].Ts-list[0].Ts)*60/1e6
	}
	for i, x := range list {
		// All that the page's thread does from one frame's call to the next one's.
		if i+1 == len(list) {
			break
		}
		next := list[i+1].Ts
		f.apart = append(f.apart, (next-x.Ts)/1000)
		busy, longest := 0.0, 0.0
		for _, e := range events {
			if e.Tid == x.Tid && e.Pid == x.Pid && e.Name == task && e.Ts+e.Dur > x.Ts && e.Ts < next {
				busy += e.Tdur * (min(e.Ts+e.Dur, next) - max(e.Ts, x.Ts)) / max(e.Dur, 1)
				longest = max(longest, e.Tdur)
			}
		}
		f.work, f.longest = append(f.work, busy/1000), append(f.longest, longest/1000)
	}
}

func (f *frames) report(b *testing.B) {
	b.ReportMetric(100*f.drawn/f.due, "%-of-frames-drawn")
	b.ReportMetric(share(f.work, 0.5), "ms-work-median")
	b.ReportMetric(share(f.work, 0.95), "ms-work-95%")
	b.ReportMetric(share(f.work, 0.99), "ms-work-99%")
	b.ReportMetric(share(f.longest, 0.5), "ms-longest-median")
	b.ReportMetric(share(f.longest, 0.95), "ms-longest-95%")
	b.ReportMetric(share(f.longest, 0.99), "ms-longest-99%")
	b.ReportMetric(share(f.apart, 0.5), "ms-apart-median")
	b.ReportMetric(share(f.apart, 0.95), "ms-apart-95%")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkLargeMap opens the map of 500 routers and 955 links, and zooms in and out of it: what the page's thread does until
// the map stands, and for each step.
func BenchmarkLargeMap(b *testing.B) {
	s := start(b)
	id := s.lab(b, testlabs.Grid(25, 20))
	const steps = 40
	var open, zoom float64
	for b.Loop() {
		tab, done := chromedp.NewContext(browser)
		busy, look := threadTime()
		// The lab is open before: what counts is the page.
		do(b, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/checks"), sees("Checks"), look,
			chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(), chromedp.Sleep(time.Second), look)
		open += *busy
		before := *busy
		do(b, tab, script(fmt.Sprintf(`(async () => {
			const pane = document.querySelector(".react-flow__pane");
			for (let i = 0; i < %d; i++) {
				pane.dispatchEvent(new WheelEvent("wheel", { deltaY: i %% 20 < 10 ? -80 : 80, bubbles: true, clientX: 600, clientY: 400 }));
				await new Promise((next) => requestAnimationFrame(next));
			}
			window.zoomed = true;
		})()`, steps)), until(`window.zoomed === true`), look)
		zoom += *busy - before
		done()
	}
	b.ReportMetric(1000*open/float64(b.N), "ms-open")
	b.ReportMetric(1000*zoom/float64(b.N)/steps, "ms-zoom-step")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkRoutesScroll scrolls through the routes of 500 routers, a column each and a prefix a line: what the page's thread does for
// each step of a wheel, 100 pixels, down and to the side.
func BenchmarkRoutesScroll(b *testing.B) {
	s := start(b)
	id := s.lab(b, testlabs.Grid(25, 20))
	const steps = 60
	scroll := func(way string, by int) string {
		return fmt.Sprintf(`window.scrolled = false; (async () => {
			const box = document.querySelector('[aria-label="Routes"]');
			for (let i = 0; i < %d; i++) {
				box.%s += %d;
				await new Promise((next) => requestAnimationFrame(next));
			}
			window.scrolled = true;
		})()`, steps, way, by)
	}
	var down, aside float64
	for b.Loop() {
		tab, done := chromedp.NewContext(browser)
		busy, look := threadTime()
		do(b, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/routes"), sees("prefixes"), button("Alike as one row"),
			until(`document.querySelectorAll('[role="rowheader"]').length > 5`), chromedp.Sleep(time.Second), look)
		before := *busy
		do(b, tab, script(scroll("scrollTop", 100)), until(`window.scrolled === true`), look)
		down += *busy - before
		before = *busy
		do(b, tab, script(scroll("scrollLeft", 100)), until(`window.scrolled === true`), look)
		aside += *busy - before
		done()
	}
	b.ReportMetric(1000*down/float64(b.N)/steps, "ms-down")
	b.ReportMetric(1000*aside/float64(b.N)/steps, "ms-aside")
	b.ReportMetric(0, "ns/op")
}

// threadTime is how long the page's thread has worked, in seconds, and the step that looks.
func threadTime() (*float64, func(ctx context.Context, target *chromedp.Target) (chromedp.Void, error)) {
	busy := new(float64)
	return busy, func(ctx context.Context, target *chromedp.Target) (chromedp.Void, error) {
		if _, err := cdp.Call(ctx, target, performance.Enable, performance.EnableParams{}); err != nil {
			return chromedp.Void{}, err
		}
		m, err := cdp.Call(ctx, target, performance.GetMetrics, cdp.Empty{})
		if err == nil {
			for _, x := range m.Metrics {
				if x.Name == "TaskDuration" {
					*busy = x.Value
				}
			}
		}
		return chromedp.Void{}, err
	}
}
