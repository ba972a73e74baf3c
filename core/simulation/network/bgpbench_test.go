package network_test

import (
	"fmt"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/tcp"
	"hellebore/core/protocols/wire/bgp"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// feed plays BGP towards a router from a router that runs none itself: it opens
// the session, answers, and pours UPDATEs in as TCP has room.
type feed struct {
	w       *network.World
	from    *device.Device
	conn    uint32
	stream  []byte
	updates int
}

// fullTable is as many prefixes as said in UPDATEs of about six that share their
// attributes, as in tables of the Internet.
func fullTable(prefixes int, as uint32, hop ip.Addr) (stream []byte, updates int) {
	paths := []uint32{as, 0, 0, 0}
	list := make([]ip.Prefix, 0, 8)
	for n := 0; n < prefixes; {
		list = list[:0]
		size := 1 + (n*7)%11
		for ; size > 0 && n < prefixes; size-- {
			list = append(list, ip.V4Prefix(ip.Quad(0x0b000000+n<<8), 24))
			n++
		}
		paths[1], paths[2], paths[3] = 64502+uint32(n%9), 65536+uint32(n/64%5000), 65536+uint32(n/6%40000)
		a := attr.Set{Path: attr.Path{}.Prepend(paths...), NextHop: hop, Origin: attr.Origin(n % 2 * 2)}
		if n%3 == 0 {
			a.Communities = []uint32{uint32(as)<<16 | uint32(n%700)}
		}
		var m int
		stream, m = bgp.AppendUpdates(stream, nil, list, &a, true)
		updates += m
	}
	return stream, updates
}

const feedLab = `router taker
  loopback lo 10.255.0.1/32
  port e1 192.0.2.1/30
  port e2 192.0.2.5/30
  bgp as 64500
    peer 192.0.2.2 as 64496
      hold-time 0s
    peer 192.0.2.6 as 64497
      hold-time 0s
      max-prefixes 9000000
router feeder
  port e1 192.0.2.2/30
router second
  port e1 192.0.2.6/30
link taker.e1 feeder.e1 delay 1ms
link taker.e2 second.e1 delay 1ms
`

// open brings the session up.
func (f *feed) open(t testing.TB, as uint16, own, taker ip.Addr) {
	f.conn = f.from.Main().OpenTCP(own, taker, tcp.Terms{TTL: 1})
	f.w.RunUntil(f.w.Now()+100*event.Millisecond, 1e9)
	o := bgp.Open{Version: 4, AS: as, ID: own.Quad(), Caps: []bgp.Capability{{Code: bgp.CapFourOctetAS, Value: []byte{0, 0, byte(as >> 8), byte(as)}}}}
	f.from.Main().WriteTCP(f.conn, bgp.Keepalive(o.Append(nil)))
	f.w.RunUntil(f.w.Now()+100*event.Millisecond, 1e9)
}

// pour sends the whole stream.
func (f *feed) pour() {
	for len(f.stream) > 0 || f.from.Main().UnsentTCP(f.conn) > 0 {
		if room := 60<<10 - f.from.Main().UnsentTCP(f.conn); room > 20<<10 && len(f.stream) > 0 {
			n := min(room, len(f.stream))
			f.from.Main().WriteTCP(f.conn, f.stream[:n])
			f.stream = f.stream[n:]
		}
		f.w.RunUntil(f.w.Now()+event.Millisecond, 1e9)
	}
	f.w.RunUntil(f.w.Now()+event.Second, 1e9)
}

// fedWorld is a router with full tables of one session, or of two.
func fedWorld(t testing.TB, prefixes int, second bool) (w *network.World, first, other *feed) {
	w = build(t, feedLab)
	w.RunUntil(3*event.Second, 1e9)
	first = &feed{w: w, from: w.Find("feeder")}
	first.open(t, 64496, ip.V4(0xc0000202), ip.V4(0xc0000201))
	first.stream, first.updates = fullTable(prefixes, 64496, ip.V4(0xc0000202))
	first.pour()
	if second {
		other = &feed{w: w, from: w.Find("second")}
		other.open(t, 64497, ip.V4(0xc0000206), ip.V4(0xc0000205))
		other.stream, other.updates = fullTable(prefixes, 64497, ip.V4(0xc0000206))
		// Its paths are as good but for the identifier: the first one's stay the best.
		other.pour()
	}
	return w, first, other
}

func bgpRoutes(w *network.World, name string) (n int) {
	d := w.Find(name)
	for id := range w.Shared().Prefixes.Len() {
		if s, ok := d.Main().Table().Best(id); ok && s == route.BGP {
			n++
		}
	}
	return n
}

const million = 1_000_000

// BenchmarkFullTable takes a million prefixes from one session: TCP, messages,
// decision and forwarding, and the feeder's own work.
func BenchmarkFullTable(b *testing.B) {
	for b.Loop() {
		w, f, _ := fedWorld(b, million, false)
		require.Equal(b, million, bgpRoutes(w, "taker"))
		b.ReportMetric(float64(million)/float64(f.updates), "prefixes/UPDATE")
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		b.ReportMetric(float64(m.HeapInuse)/(1<<20), "MiB-live")
		b.ReportMetric(float64(m.Sys)/(1<<20), "MiB-sys")
		runtime.KeepAlive(w)
	}
}

// BenchmarkFullTableFallsAway takes the session of a million prefixes away from a
// router that has a second one with them.
func BenchmarkFullTableFallsAway(b *testing.B) {
	w, _, _ := fedWorld(b, million, true)
	b.ResetTimer()
	for b.Loop() {
		b.StopTimer()
		c := w.Clone()
		at, _ := c.Find("taker").Port("e1")
		b.StartTimer()
		c.Cut(c.Find("taker").ID(), at)
		c.RunUntil(c.Now()+event.Second, 1e9)
		b.StopTimer()
		require.Equal(b, million, bgpRoutes(c, "taker"))
		b.StartTimer()
	}
}

// BenchmarkFullTableClone copies that world.
func BenchmarkFullTableClone(b *testing.B) {
	w, _, _ := fedWorld(b, million, true)
	b.ResetTimer()
	for b.Loop() {
		w.Clone()
	}
}

// reflectedLab is two reflectors and their clients, each of which originates as
// many prefixes as said.
func reflectedLab(clients, each int) string {
	var b strings.Builder
	b.WriteString("lab \"Reflected\"\n")
	loop := func(i int) string { return fmt.Sprintf("10.255.%d.%d", i/250, i%250+1) }
	for r := range 2 {
		fmt.Fprintf(&b, "router rr%d\n  loopback lo %s/32\n    ospf area 0 passive\n", r, loop(r))
		for c := range clients {
			fmt.Fprintf(&b, "  port e%d 10.%d.%d.%d/30\n    ospf area 0\n", c, 1+r, c/60, c%60*4+1)
		}
		fmt.Fprintf(&b, "  bgp as 64500\n    peer %s as 64500\n      local-address lo\n", loop(1-r))
		for c := range clients {
			fmt.Fprintf(&b, "    peer %s as 64500\n      local-address lo\n      client\n", loop(2+c))
		}
	}
	for c := range clients {
		fmt.Fprintf(&b, "router c%d\n  loopback lo %s/32\n    ospf area 0 passive\n  port e0 10.1.%d.%d/30\n    ospf area 0\n  port e1 10.2.%d.%d/30\n    ospf area 0\n",
			c, loop(2+c), c/60, c%60*4+2, c/60, c%60*4+2)
		for p := range each {
			fmt.Fprintf(&b, "  static 11.%d.%d.0/24 blackhole\n", c, p)
		}
		b.WriteString("  bgp as 64500\n    inject static\n")
		for r := range 2 {
			fmt.Fprintf(&b, "    peer %s as 64500\n      local-address lo\n", loop(r))
		}
	}
	for c := range clients {
		fmt.Fprintf(&b, "link rr0.e%d c%d.e0\nlink rr1.e%d c%d.e1\n", c, c, c, c)
	}
	return b.String()
}

// BenchmarkReflectedCold brings 100 routers with two reflectors and 10,000
// prefixes from nothing to settled.
func BenchmarkReflectedCold(b *testing.B) {
	text := reflectedLab(98, 103)
	for b.Loop() {
		w := build(b, text)
		require.Equal(b, network.Settled, w.Settle(1e9, nil))
		require.Greater(b, bgpRoutes(w, "c0"), 9900)
		b.ReportMetric(float64(w.Handled()), "events")
		b.ReportMetric(w.Calm().LastChange().Seconds(), "virtual-s")
	}
}
