package network_test

import (
	"fmt"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/protocols/wire/ospf"
	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/network"
)

// segmentLab is routers on one segment, each with a loopback.
func segmentLab(routers int) string {
	var b, ends strings.Builder
	b.WriteString("lab \"Segment\"\n")
	for i := range routers {
		fmt.Fprintf(&b, "router r%d\n  loopback lo 10.255.%d.%d/32\n    ospf area 0 passive\n  port e1 10.200.%d.%d/16\n    ospf area 0\n", i, i/250, i%250+1, i/250, i%250+1)
		fmt.Fprintf(&ends, " r%d.e1", i)
	}
	return b.String() + "segment lan" + ends.String() + "\n"
}

// meshLab is a full mesh of internal sessions over two hubs that all speakers are linked to, one prefix from each speaker.
func meshLab(speakers int) string {
	var b, links strings.Builder
	b.WriteString("lab \"Mesh\"\n")
	loop := func(i int) string { return fmt.Sprintf("10.255.%d.%d", i/250, i%250+1) }
	for h := range 2 {
		fmt.Fprintf(&b, "router hub%d\n  router-id 10.254.0.%d\n", h, h+1)
		for i := range speakers {
			fmt.Fprintf(&b, "  port e%d 10.%d.%d.%d/30\n    ospf area 0\n", i, 1+h, i/64, i%64*4+1)
			fmt.Fprintf(&links, "link hub%d.e%d r%d.e%d\n", h, i, i, h)
		}
	}
	for i := range speakers {
		fmt.Fprintf(&b, "router r%d\n  loopback lo %s/32\n    ospf area 0 passive\n  port e0 10.1.%d.%d/30\n    ospf area 0\n  port e1 10.2.%d.%d/30\n    ospf area 0\n",
			i, loop(i), i/64, i%64*4+2, i/64, i%64*4+2)
		fmt.Fprintf(&b, "  static 11.%d.%d.0/24 blackhole\n  bgp as 64500\n    inject static\n    peer-group all\n      as 64500\n      local-address lo\n", i/250, i%250)
		for j := range speakers {
			if j != i {
				fmt.Fprintf(&b, "    peer %s group all\n", loop(j))
			}
		}
	}
	return b.String() + links.String()
}

// feedsLab is two carriers that feed a ring of routers with two reflectors, as many prefixes each as said.
func feedsLab(prefixes, routers int) string {
	var b, links strings.Builder
	b.WriteString("lab \"Feeds\"\n")
	for c := range 2 {
		fmt.Fprintf(&b, "router carrier%d\n  port e1 192.0.2.%d/30\n  bgp as %d\n    feed %d seed 7 within 10.0.0.0/8 as-range 64600..64999\n    peer 192.0.2.%d as 64500\n",
			c, 4*c+1, 64510+c, prefixes, 4*c+2)
		fmt.Fprintf(&links, "link carrier%d.e1 r%d.e3\n", c, c)
	}
	for i := range routers {
		before := (i + routers - 1) % routers
		fmt.Fprintf(&b, "router r%d\n  loopback lo 172.31.0.%d/32\n    ospf area 0 passive\n  port e1 172.16.%d.1/30\n    ospf area 0\n  port e2 172.16.%d.2/30\n    ospf area 0\n", i, i+1, i, before)
		if i < 2 {
			fmt.Fprintf(&b, "  port e3 192.0.2.%d/30\n    ospf area 0 passive\n", 4*i+2)
		}
		b.WriteString("  bgp as 64500\n")
		if i < 2 {
			fmt.Fprintf(&b, "    peer 192.0.2.%d as %d\n", 4*i+1, 64510+i)
		}
		for j := range routers {
			if j == i || i >= 2 && j >= 2 {
				continue
			}
			fmt.Fprintf(&b, "    peer 172.31.0.%d as 64500\n      local-address lo\n", j+1)
			if j >= 2 {
				b.WriteString("      client\n")
			}
		}
		fmt.Fprintf(&links, "link r%d.e1 r%d.e2\n", i, (i+1)%routers)
	}
	return b.String() + links.String()
}

// lsasIn is how many LSAs are in an OSPF update that a frame carries; 0 for other frames.
func lsasIn(frame []byte) uint32 {
	f, ok := inet.ReadFrame(frame)
	if !ok || f.Type != inet.TypeIPv4 {
		return 0
	}
	p, ok := inet.ReadPacket(f.Payload)
	if !ok || p.Protocol != inet.ProtoOSPF {
		return 0
	}
	h, _ := ospf.Read(p.Payload)
	if h.Type != ospf.TypeUpdate {
		return 0
	}
	n, _, _ := ospf.UpdateCount(h.Body)
	return n
}

// BenchmarkScale brings networks from cold to settled, each kind at three sizes: how time, events and what is held grow with the
// size is what counts.
func BenchmarkScale(b *testing.B) {
	for _, kind := range []struct {
		name  string
		lab   func(size int) string
		sizes [3]int
	}{
		{"grid", func(n int) string { return testlabs.Grid(n/20, 20) }, [3]int{240, 500, 1000}},
		{"segment", segmentLab, [3]int{50, 100, 200}},
		{"mesh", meshLab, [3]int{25, 50, 100}},
		{"clients", func(n int) string { return reflectedLab(n, 10) }, [3]int{50, 100, 200}},
		{"feeds", func(n int) string { return feedsLab(n, 12) }, [3]int{25_000, 50_000, 100_000}},
	} {
		for _, size := range kind.sizes {
			b.Run(fmt.Sprint(kind.name, "/", size), func(b *testing.B) {
				r := labtext.Parse(kind.lab(size))
				require.True(b, r.OK(), "%v", r.Problems)
				var w *network.World
				for b.Loop() {
					w = network.New()
					began := time.Now()
					w.Configure(&r.Lab)
					require.Equal(b, network.Settled, w.Settle(1e9, nil))
					took := time.Since(began)
					b.ReportMetric(float64(took.Microseconds())/float64(w.Handled()), "us/event")
				}
				b.ReportMetric(float64(w.Handled()), "events")
				lsas := uint64(0)
				counted := network.New()
				counted.OnFrame = func(_ event.Time, _, _ uint32, frame []byte) { lsas += uint64(lsasIn(frame)) }
				counted.Configure(&r.Lab)
				counted.Settle(1e9, nil)
				b.ReportMetric(float64(lsas), "LSAs-sent")
				var m runtime.MemStats
				runtime.GC()
				runtime.ReadMemStats(&m)
				b.ReportMetric(float64(m.HeapAlloc)/(1<<20), "MiB-held")
				runtime.KeepAlive(w)
			})
		}
	}
}
