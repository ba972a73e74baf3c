package e2e

import (
	"cmp"
	"fmt"
	"math"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"hellebore/core/questions/testlabs"
)

func TestZZSlow(t *testing.T) {
	if os.Getenv("PROF") == "" {
		t.Skip()
	}
	s := start(t)
	if os.Getenv("COLD") != "" {
		cold(t, s)
		return
	}
	var long strings.Builder
	long.WriteString(regexp.MustCompile(`(?m)^link .*$`).ReplaceAllString(testlabs.Grid(10, 5), "$0 delay 200ms"))
	for i := range 25 {
		long.WriteString(fmt.Sprintf("flow f%d r%d -> r%d every 100ms\n", i, i, 49-i))
	}
	id := s.lab(t, long.String())
	s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]string{"action": "disable r33"}, nil)
	tab, done := chromedp.NewContext(browser)
	defer done()
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(), button("Play"), within("play", "Pause"),
		script(`[...document.querySelectorAll("label")].find((l) => l.innerText.includes("all packets of flows")).click()`), chromedp.Sleep(time.Second))
	events := trace(t, tab, 6*time.Second)
	slowOf(events)
}

func cold(t *testing.T, s *server) {
	id := s.lab(t, regexp.MustCompile(`(?m)^link .*$`).ReplaceAllString(testlabs.Grid(10, 5), "$0 delay 200ms"))
	tab, done := chromedp.NewContext(browser)
	defer done()
	do(t, tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.url+"/lab/"+id+"/map"), mapReady(), button("Play"), within("play", "Pause"),
		button("hello"), chromedp.Sleep(500*time.Millisecond))
	slowOf(trace(t, tab, 6*time.Second))
}

func slowOf(events []traced) {
	const task = "ThreadControllerImpl::RunTask"
	var list []traced
	for _, e := range events {
		if e.Name == "FireAnimationFrame" {
			list = append(list, e)
		}
	}
	slices.SortFunc(list, func(x, y traced) int { return cmp.Compare(x.Ts, y.Ts) })
	list = slices.CompactFunc(list, func(x, y traced) bool { return math.Abs(x.Ts-y.Ts) < 4000 })
	n := 0
	sum := map[string]float64{}
	all := map[string]float64{}
	for i, x := range list {
		if i+1 == len(list) {
			break
		}
		next := list[i+1].Ts
		busy := 0.0
		names := map[string]float64{}
		var tasks []string
		for _, e := range events {
			if e.Tid == x.Tid && e.Pid == x.Pid && e.Ts+e.Dur > x.Ts && e.Ts < next {
				if e.Name == task {
					busy += e.Tdur * (min(e.Ts+e.Dur, next) - max(e.Ts, x.Ts)) / max(e.Dur, 1)
					if e.Tdur > 700 {
						tasks = append(tasks, fmt.Sprintf("%.1f", e.Tdur/1000))
					}
				}
				names[e.Name] += e.Tdur / 1000
			}
		}
		for k, v := range names {
			all[k] += v
		}
		if busy > 11000 {
			n++
			fmt.Printf("%.1f apart %.1f tasks %v timer %.1f xhr %.1f func %.1f anim %.1f style %.1f layout %.1f paint %.1f prepaint %.1f commit %.1f gc %.1f\n", busy/1000, (next-x.Ts)/1000, tasks, names["TimerFire"], names["ResourceReceivedData"], names["FunctionCall"], names["FireAnimationFrame"], names["UpdateLayoutTree"], names["Layout"], names["Paint"], names["PrePaint"], names["Commit"], names["MinorGC"]+names["MajorGC"])
			for k, v := range names {
				sum[k] += v
			}
		}
	}
	fmt.Println(n, "slow of", len(list))
	type kv struct {
		k string
		v float64
	}
	var o []kv
	for k, v := range sum {
		o = append(o, kv{k, v / float64(n)})
	}
	slices.SortFunc(o, func(a, b kv) int { return cmp.Compare(b.v, a.v) })
	for _, x := range o[:min(28, len(o))] {
		fmt.Printf("%7.2f %7.2f %s\n", x.v, all[x.k]/float64(len(list)), x.k)
	}
}
