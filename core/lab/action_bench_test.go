package lab

import (
	"bytes"
	"strconv"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/require"

	"hellebore/core/language/config"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/timeline"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// BenchmarkAction cuts a link and mends it, as a lab does it: digests, journal record and timeline row included; and in the same
// run the least that it takes: a copy of the world, the fault, and the time to rest.
func BenchmarkAction(b *testing.B) {
	for _, x := range []struct {
		routers   int
		text, cut string
	}{{14, demo.Text("tarn-valley"), "viaduct.e1"}, {200, testlabs.Grid(20, 10), "r105.e1"}, {500, testlabs.Grid(25, 20), "r260.e1"}} {
		b.Run(strconv.Itoa(x.routers), func(b *testing.B) {
			l := open(b, x.text)
			cut, err := history.ParseAction("cut " + x.cut)
			require.NoError(b, err)
			mend, err := history.ParseAction("mend " + x.cut)
			require.NoError(b, err)
			var bare, whole time.Duration
			for b.Loop() {
				for _, a := range []history.Action{cut, mend} {
					began := time.Now()
					w := l.History().Head().Clone()
					require.NoError(b, a.Perform(w, l.History().Lab()))
					require.Equal(b, network.Settled, w.Settle(history.MaxWork, nil))
					bare += time.Since(began)
					began = time.Now()
					s, err := l.Do(a, 0)
					require.NoError(b, err)
					l.actionOf(s)
					whole += time.Since(began)
				}
			}
			b.ReportMetric(float64(bare.Microseconds())/float64(2*b.N)/1000, "ms-bare")
			b.ReportMetric(float64(whole.Microseconds())/float64(2*b.N)/1000, "ms-action")
			b.ReportMetric(float64(whole)/float64(bare), "times")
			b.ReportMetric(0, "ns/op")
		})
	}
}

// BenchmarkViews asks for views of a grid after a cut, at three sizes: how a view's time grows with what it shows is what counts.
func BenchmarkViews(b *testing.B) {
	for _, size := range [][2]int{{10, 5}, {20, 10}, {25, 20}} {
		b.Run(strconv.Itoa(size[0]*size[1]), func(b *testing.B) {
			l := New()
			_, err := l.Do(history.Action{Kind: history.Apply, Text: testlabs.Grid(size[0], size[1])}, 0)
			require.NoError(b, err)
			cut, err := history.ParseAction("cut r" + strconv.Itoa(size[0]+3) + ".e1")
			require.NoError(b, err)
			_, err = l.Do(cut, 0)
			require.NoError(b, err)
			m := l.History().Now()
			took := map[string]time.Duration{}
			for b.Loop() {
				for name, view := range map[string]func() any{
					"map":        func() any { return l.Map(m) },
					"ports":      func() any { return l.Ports(m, tables.PortsAsk{}) },
					"neighbours": func() any { return l.Neighbours(m, relations.Ask{}) },
					"names":      func() any { return l.Names(m) },
					"database":   func() any { return l.Database(m) },
					"messages":   func() any { return l.Messages(m, timeline.MessagesAsk{}) },
					"compare":    func() any { return l.Compare(l.History().BeforeStep(2), m) },
					"routes": func() any {
						part, err := tables.RoutesPartOf(l.World(m), tables.RoutesAsk{Grouped: true, Limit: 50, Columns: 25})
						require.NoError(b, err)
						return part
					},
				} {
					began := time.Now()
					view()
					took[name] += time.Since(began)
				}
			}
			for name, t := range took {
				b.ReportMetric(float64(t.Microseconds())/1000/float64(b.N), "ms-"+name)
			}
			b.ReportMetric(0, "ns/op")
		})
	}
}

// BenchmarkReopen opens a lab of 200 routers and 500 actions by a replay and from its image, and says what the image has and what
// actions hold: the first 40, with the network itself, are not counted.
func BenchmarkReopen(b *testing.B) {
	l := open(b, testlabs.Grid(20, 10))
	held := uint64(0)
	for n := range 250 {
		for _, kind := range []history.Kind{history.Cut, history.Mend} {
			_, err := l.Do(history.Action{Kind: kind, Target: config.PortRef{Device: "r105", Port: "e1"}}, 0)
			require.NoError(b, err)
		}
		if n == 19 {
			held = Weigh(l)
		}
	}
	grown := Weigh(l) - held
	records := l.History().Records()
	var image bytes.Buffer
	var replay, write, read time.Duration
	for b.Loop() {
		began := time.Now()
		_, err := Open(records, nil)
		require.NoError(b, err)
		replay += time.Since(began)

		image.Reset()
		began = time.Now()
		z, err := zstd.NewWriter(&image, zstd.WithEncoderConcurrency(1))
		require.NoError(b, err)
		require.NoError(b, l.Reader().WriteImage(z))
		require.NoError(b, z.Close())
		write += time.Since(began)

		began = time.Now()
		unpacked, err := zstd.NewReader(bytes.NewReader(image.Bytes()), zstd.WithDecoderConcurrency(1))
		require.NoError(b, err)
		x, err := Resume(unpacked, records, nil)
		require.NoError(b, err)
		read += time.Since(began)
		require.Equal(b, l.History().Head().Digest(true), x.History().Head().Digest(true))
	}
	n := float64(b.N)
	b.ReportMetric(replay.Seconds()/n, "s-replay")
	b.ReportMetric(write.Seconds()/n, "s-write")
	b.ReportMetric(read.Seconds()/n, "s-resume")
	b.ReportMetric(float64(image.Len())/(1<<20), "MiB-image")
	b.ReportMetric(float64(grown)/460/(1<<10), "KiB/action")
	b.ReportMetric(0, "ns/op")
}
