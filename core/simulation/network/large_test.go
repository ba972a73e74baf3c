package network_test

import (
	"fmt"
	"math/rand"
	"runtime"
	"strings"
	"testing"

	"hellebore/core/language/labtext"
	"hellebore/core/simulation/network"
)

// large is one area of 500 routers and 1,500 links: a ring, and chords at
// random.
func large() string {
	const routers, links = 500, 1500
	r := rand.New(rand.NewSource(1))
	ports := make([]int, routers)
	text := make([]strings.Builder, routers)
	for i := range routers {
		fmt.Fprintf(&text[i], "router r%d\n  loopback lo 10.255.%d.%d/32\n    ospf area 0 passive\n", i, i/250, i%250+1)
	}
	var joins strings.Builder
	port := func(i, net, host int) string {
		ports[i]++
		fmt.Fprintf(&text[i], "  port e%d 10.%d.%d.%d/30\n    ospf area 0\n      cost %d\n", ports[i], net/64/256, net/64%256, net%64*4+host, 1+r.Intn(40))
		return fmt.Sprintf("r%d.e%d", i, ports[i])
	}
	for n := range links {
		a, b := n, (n+1)%routers
		if n >= routers {
			a, b = r.Intn(routers), r.Intn(routers)
			for a == b {
				b = r.Intn(routers)
			}
		}
		fmt.Fprintf(&joins, "link %s %s\n", port(a, n, 1), port(b, n, 2))
	}
	var out strings.Builder
	for i := range text {
		out.WriteString(text[i].String())
	}
	return out.String() + joins.String()
}

func BenchmarkLargeAreaColdToSettled(b *testing.B) {
	r := labtext.Parse(large())
	b.ReportAllocs()
	var w *network.World
	for b.Loop() {
		w = network.New()
		w.Configure(&r.Lab)
		if w.Settle(1e9, nil) != network.Settled {
			b.Fatal("does not settle")
		}
	}
	// What the settled network holds.
	var m runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&m)
	b.ReportMetric(float64(m.HeapAlloc)/(1<<20), "MiB-held")
	runtime.KeepAlive(w)
}

// BenchmarkLargeArea is what is done to the settled network.
func BenchmarkLargeArea(b *testing.B) {
	w := build(b, large())
	if w.Settle(1e9, nil) != network.Settled {
		b.Fatal("does not settle")
	}
	d, p := port(b, w, "r250.e1")
	for name, do := range map[string]func(*network.World){
		"clone":   func(*network.World) {},
		"cut":     func(w *network.World) { w.Cut(d, p) },
		"silence": func(w *network.World) { w.Silence(d, p, network.Both) },
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				c := w.Clone()
				if name == "clone" {
					continue
				}
				do(c)
				if c.Settle(1e9, nil) != network.Settled {
					b.Fatal("does not settle")
				}
			}
		})
	}
}
