package sweep_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

func railway() string { return demo.Text("tarn-valley") }

// looped is a grid whose routers have a loopback each.
func looped(wide, high int) string {
	var b strings.Builder
	for line := range strings.Lines(testlabs.Grid(wide, high)) {
		b.WriteString(line)
		if id, is := strings.CutPrefix(strings.TrimSpace(line), "router-id "); is {
			fmt.Fprintf(&b, "  loopback lo %s/32\n    ospf area 0 passive\n", id)
		}
	}
	return b.String()
}

// BenchmarkSweep tries all failures of links and routers, one after another on one core, with all flows and all pairs, against a copy,
// the fault and the way to rest alone.
func BenchmarkSweep(b *testing.B) {
	for name, text := range map[string]string{"railway": railway(), "200 routers": looped(20, 10)} {
		b.Run(name, func(b *testing.B) {
			h := testlabs.Acted(b, text)
			var all, bare time.Duration
			failures := 0
			for b.Loop() {
				began := time.Now()
				s, err := sweep.New(h, nil)
				require.NoError(b, err)
				list := s.Failures([]failure.Kind{failure.Link, failure.Router})
				all += time.Since(began)
				for _, f := range list { // by turns, so that both have the same machine
					began := time.Now()
					_, err := s.Try(f, nil)
					require.NoError(b, err)
					all += time.Since(began)
					began = time.Now()
					a, err := history.ParseAction(f.Actions[0])
					require.NoError(b, err)
					w := h.Head().Clone()
					require.NoError(b, a.Perform(w, h.Lab()))
					w.Settle(1<<40, nil)
					bare += time.Since(began)
				}
				failures = len(list)
			}
			b.ReportMetric(float64(failures), "failures")
			b.ReportMetric(all.Seconds()/float64(b.N), "s-sweep")
			b.ReportMetric(bare.Seconds()/float64(b.N), "s-bare")
			b.ReportMetric(all.Seconds()/bare.Seconds(), "times-bare")
			b.ReportMetric(0, "ns/op")
		})
	}
}
