package lab

import (
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
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
