package lab

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/questions/why"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// BenchmarkPreviewRailway previews a change of a policy on the railway with its two
// carriers: tried, compared, its flows followed, its checks run before and after.
func BenchmarkPreviewRailway(b *testing.B) {
	text := demo.Text("tarn-valley")
	benchPreview(b, text, strings.Replace(text, "prefix-set tramway-prefixes\n  10.64.8.0/22\n", "prefix-set tramway-prefixes\n  10.64.8.0/21 length 22\n", 1))
}

// BenchmarkPreviewRailwayCost changes the cost of a link instead.
func BenchmarkPreviewRailwayCost(b *testing.B) {
	text := demo.Text("tarn-valley")
	benchPreview(b, text, strings.Replace(text, "  port e1 10.0.1.1/30 like rail\n", "  port e1 10.0.1.1/30 like rail\n    ospf\n      cost 77\n", 1))
}

// BenchmarkPreview200Routers changes the cost of a link in a grid of 200 routers.
func BenchmarkPreview200Routers(b *testing.B) {
	text := gridText(20, 10)
	benchPreview(b, text, strings.Replace(text, "cost 10", "cost 77", 1))
}

func benchPreview(b *testing.B, text, draft string) {
	require.NotEqual(b, text, draft)
	l := open(b, text)
	b.ResetTimer()
	for b.Loop() {
		p, err := l.Preview(Plan{Text: draft}, nil)
		require.NoError(b, err)
		require.False(b, p.Same)
	}
}

// gridText is routers in a grid with OSPF on all links.
func gridText(wide, high int) string {
	var b strings.Builder
	ports := map[int][]string{}
	var links []string
	join := func(x, y int) {
		k := len(links)
		for side, r := range []int{x, y} {
			ports[r] = append(ports[r], fmt.Sprintf("  port e%d 10.%d.0.%d/30\n    ospf area 0\n      cost 10\n", k, k/60, k%60*4+side+1))
		}
		links = append(links, fmt.Sprintf("link r%d.e%d r%d.e%d\n", x, k, y, k))
	}
	for i := range wide * high {
		if (i+1)%wide != 0 {
			join(i, i+1)
		}
		if i+wide < wide*high {
			join(i, i+wide)
		}
	}
	for i := range wide * high {
		fmt.Fprintf(&b, "router r%d\n  loopback lo 10.255.%d.%d/32\n    ospf area 0 passive\n%s", i, i/250, i%250+1, strings.Join(ports[i], ""))
	}
	fmt.Fprintf(&b, "%sflow across r0 -> r%d\n", strings.Join(links, ""), wide*high-1)
	return b.String()
}

// BenchmarkSeekAnHour goes to moments all over an hour of virtual time of the
// railway in which links fail and come back.
func BenchmarkSeekAnHour(b *testing.B) {
	l := open(b, demo.Text("tarn-valley"))
	for _, s := range []string{"cut viaduct.e1", "wait 600s", "mend viaduct.e1", "wait 900s", "silence halt.e1", "wait 900s", "mend halt.e1", "wait 1200s"} {
		a, err := history.ParseAction(s)
		require.NoError(b, err)
		_, err = l.Do(a, 0)
		require.NoError(b, err)
	}
	end := l.History().Head().Now()
	require.Greater(b, end, 3600*event.Second)
	n := uint64(0)
	b.ResetTimer()
	for b.Loop() {
		n++
		at := event.Time(n * 2_654_435_761 * 1e6 % uint64(end))
		w := l.World(l.History().AtTime(at))
		require.Equal(b, at, w.Now())
	}
}

// BenchmarkPairs follows the packets between all loopbacks of a grid through a cut at its edge and in its middle; and in the same run
// the cut itself: a copy of the world, the fault, and the time to rest.
func BenchmarkPairs(b *testing.B) {
	for _, x := range []struct {
		name       string
		wide, high int
		cut        string
	}{{"200 edge", 20, 10, "cut r0.e0"}, {"200 middle", 20, 10, "cut r105.e205"}, {"500 middle", 25, 20, "cut r260.e510"}} {
		b.Run(x.name, func(b *testing.B) {
			l := open(b, gridText(x.wide, x.high))
			a, err := history.ParseAction(x.cut)
			require.NoError(b, err)
			s, err := l.Do(a, 0)
			require.NoError(b, err)
			var settles, pairs time.Duration
			for b.Loop() {
				began := time.Now()
				w := s.Before.Clone()
				require.NoError(b, a.Perform(w, s.Lab))
				require.Equal(b, network.Settled, w.Settle(history.MaxWork, nil))
				settles += time.Since(began)
				delete(l.found.pairs, outageKey{2, true})
				began = time.Now()
				p, err := l.Pairs(2)
				require.NoError(b, err)
				pairs += time.Since(began)
				require.Equal(b, x.wide*x.high*(x.wide*x.high-1), p.Of)
			}
			b.ReportMetric(float64(pairs.Microseconds())/float64(b.N)/1000, "ms-pairs")
			b.ReportMetric(float64(pairs)/float64(settles), "settles")
			b.ReportMetric(0, "ns/op")
		})
	}
}

// BenchmarkWhyBreaks asks what would break without a link of the railway.
func BenchmarkWhyBreaks(b *testing.B) {
	l := open(b, demo.Text("tarn-valley"))
	b.ResetTimer()
	for b.Loop() {
		_, err := l.Why(l.History().Now(), "what breaks without viaduct.up", why.Focus{})
		require.NoError(b, err)
	}
}
