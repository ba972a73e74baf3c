package network_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/store"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

const bound = 50_000_000

func build(t testing.TB, text string) *network.World {
	t.Helper()
	w := network.New()
	configure(t, w, text)
	return w
}

func configure(t testing.TB, w *network.World, text string) {
	t.Helper()
	r := labtext.Parse(text)
	require.True(t, r.OK(), "%v", r.Problems)
	w.Configure(&r.Lab)
}

// settle runs to rest, where all invariants must hold.
func settle(t testing.TB, w *network.World) {
	t.Helper()
	require.Equal(t, network.Settled, w.Settle(bound, nil))
	require.Empty(t, w.Check())
}

// table writes a router's routes, one per line: prefix, source, cost, next hops.
func table(w *network.World, name string) string {
	d := w.Find(name)
	var b strings.Builder
	for _, id := range d.Main().Prefixes() {
		s, ok := d.Main().Table().Best(id)
		if !ok {
			continue
		}
		r := d.Main().Table().Route(s, id)
		fmt.Fprintf(&b, "%v %v %d", w.Shared().Prefixes.Prefix(id), s, r.Metric)
		for _, h := range w.Shared().Sets.Hops(d.Main().Table().Set(r.Hop)) {
			via := ""
			if h.Gateway.IsValid() {
				via = " via " + h.Gateway.String()
			}
			fmt.Fprintf(&b, "%s %s", via, d.Ports()[h.Port].Config.Name)
		}
		b.WriteString("\n")
	}
	return b.String()
}

func port(t testing.TB, w *network.World, ref string) (dev, port uint32) {
	t.Helper()
	r := labtext.ParseRef(ref)
	d := w.Find(r.Device)
	i, ok := d.Port(r.Port)
	require.True(t, ok, ref)
	return d.ID(), i
}

func states(w *network.World, name string) map[string]string {
	d := w.Find(name)
	out := map[string]string{}
	for i := range d.Ports() {
		d.Main().OSPF().Neighbours(uint32(i), func(n ospf.NeighbourView) {
			out[d.Ports()[i].Config.Name] = n.State.String()
		})
	}
	return out
}

func TestTriangleConverges(t *testing.T) {
	w := build(t, demo.Text("triangle-with-ospf"))
	settle(t, w)
	require.Equal(t, map[string]string{"e1": "Full", "e2": "Full"}, states(w, "viaduct"))
	require.Equal(t, `10.0.12.0/30 connected 0 e1
10.0.13.0/30 connected 0 e2
10.0.23.0/30 ospf 20 via 10.0.13.2 e2
10.20.1.0/24 connected 0 lan
10.20.2.0/24 ospf 30 via 10.0.13.2 e2
10.255.0.1/32 connected 0 lo
10.255.0.2/32 ospf 20 via 10.0.13.2 e2
10.255.0.3/32 ospf 10 via 10.0.13.2 e2
`, table(w, "viaduct"))
}

func TestCutIsSeenAtOnceAndSilenceByTheDeadInterval(t *testing.T) {
	w := build(t, demo.Text("triangle-with-ospf"))
	settle(t, w)
	before := w.Digest(false)
	for _, c := range []struct {
		fault    func(dev, port uint32)
		from, to event.Time // of the last forwarding change
	}{
		{func(d, p uint32) { w.Cut(d, p) }, 0, 2 * event.Second},
		{func(d, p uint32) { w.Silence(d, p, network.Both) }, 30 * event.Second, 45 * event.Second},
		{func(d, p uint32) { w.Silence(d, p, network.Out) }, 30 * event.Second, 45 * event.Second},
		{func(d, p uint32) { w.Silence(d, p, network.In) }, 30 * event.Second, 45 * event.Second},
	} {
		start := w.Now()
		d, p := port(t, w, "viaduct.e2")
		c.fault(d, p)
		settle(t, w)
		took := w.LastForwarding() - start
		require.Greater(t, took, c.from)
		require.Less(t, took, c.to)
		require.Contains(t, table(w, "viaduct"), "10.20.2.0/24 ospf 110 via 10.0.12.2 e1\n")
		require.NotEqual(t, before, w.Digest(false))
		w.Mend(d, p)
		settle(t, w)
		require.Equal(t, before, w.Digest(false), "it all comes back")
	}
}

func TestCostMovesTheRouteWithoutDisturbingNeighbours(t *testing.T) {
	text := demo.Text("triangle-with-ospf")
	w := build(t, text)
	settle(t, w)
	notes := w.Notes()
	cheaper := strings.Replace(text, "  port e1 10.0.12.1/30 bandwidth 100M\n    ospf area 0\n", "  port e1 10.0.12.1/30 bandwidth 100M\n    ospf area 0\n      cost 5\n", 1)
	require.NotEqual(t, text, cheaper)
	r := labtext.Parse(cheaper)
	w.Configure(&r.Lab)
	settle(t, w)
	require.Contains(t, table(w, "viaduct"), "10.20.2.0/24 ospf 15 via 10.0.12.2 e1\n")
	originated := 0
	for i := notes; i < w.Notes(); i++ {
		switch n := w.NoteAt(i); n.Kind.String() {
		case "neighbour-state", "port-down":
			t.Fatalf("disturbed: %+v", n)
		case "lsa-originated":
			originated++
		}
	}
	require.Equal(t, 1, originated)
}

func TestEveryDemoLabRunsTheSameTwice(t *testing.T) {
	for _, l := range demo.Labs() {
		run := func() (uint64, store.Digest) {
			w := build(t, l.Text)
			var packets store.Digest
			w.OnFrame = func(at event.Time, device, port uint32, frame []byte) {
				packets.Add(uint64(at), uint64(device), uint64(port))
				packets.Bytes(frame)
			}
			settle(t, w)
			d := w.Devices()[0]
			w.Cut(d.ID(), 1)
			settle(t, w)
			return w.Digest(true), packets
		}
		full, packets := run()
		again, packetsAgain := run()
		require.Equal(t, full, again, l.Slug)
		require.Equal(t, packets, packetsAgain, l.Slug)
	}
}

func TestCloneIsIndependent(t *testing.T) {
	w := build(t, demo.Text("valley-line"))
	settle(t, w)
	before := w.Digest(true)
	c := w.Clone()
	require.Equal(t, before, c.Digest(true))
	d, p := port(t, c, "viaduct.e1")
	c.Cut(d, p)
	settle(t, c)
	require.NotEqual(t, before, c.Digest(false))
	require.Equal(t, before, w.Digest(true), "the original has not moved")
	w.Cut(d, p)
	settle(t, w)
	require.Equal(t, c.Digest(true), w.Digest(true), "both come to the same")
}

func TestPacketInFlightDiesWithItsLink(t *testing.T) {
	w := build(t, demo.Text("triangle-with-ospf"))
	settle(t, w)
	w.Find("kiosk").Main().Echo(ip.Addr{}, ip.V4(0x0a14020a), 64, 1, 1)
	w.RunUntil(w.Now()+5*event.Millisecond+500*event.Microsecond, bound)
	d, p := port(t, w, "quarry.e2")
	arrived := false
	w.Cut(d, p)
	c := w.Clone()
	c.OnFrame = func(_ event.Time, device, _ uint32, frame []byte) {
		f, _ := inet.ReadFrame(frame)
		pk, ok := inet.ReadPacket(f.Payload)
		arrived = arrived || ok && pk.Protocol == inet.ProtoICMP && device == c.Find("booth").ID()
	}
	c.RunUntil(c.Now()+20*event.Millisecond, bound)
	require.False(t, arrived)
}

// grid is n by n routers, each joined to its right and lower neighbour.
func grid(n int) string {
	var b strings.Builder
	net := 0
	ports := make([][]string, n*n)
	var links []string
	join := func(x, y int) {
		net++
		a, c := fmt.Sprintf("e%d", len(ports[x])/2+1), fmt.Sprintf("e%d", len(ports[y])/2+1)
		ports[x] = append(ports[x], fmt.Sprintf("  port %s 10.%d.%d.1/30", a, net/250, net%250), "    ospf area 0")
		ports[y] = append(ports[y], fmt.Sprintf("  port %s 10.%d.%d.2/30", c, net/250, net%250), "    ospf area 0")
		links = append(links, fmt.Sprintf("link r%d.%s r%d.%s", x, a, y, c))
	}
	for y := range n {
		for x := range n {
			if x+1 < n {
				join(y*n+x, y*n+x+1)
			}
			if y+1 < n {
				join(y*n+x, (y+1)*n+x)
			}
		}
	}
	for i := range ports {
		fmt.Fprintf(&b, "router r%d\n  loopback lo 10.255.%d.%d/32\n    ospf area 0 passive\n%s\n", i, i/250, i%250, strings.Join(ports[i], "\n"))
	}
	b.WriteString(strings.Join(links, "\n") + "\n")
	return b.String()
}

func TestGridHasOneDatabaseAndNoStaleRoutes(t *testing.T) {
	w := build(t, grid(5))
	settle(t, w)
	for _, d := range w.Devices() {
		n := 0
		for _, id := range d.Main().Prefixes() {
			if s, ok := d.Main().Table().Best(id); ok && s == route.OSPF {
				n++
			}
		}
		own := len(d.Ports())
		require.Equal(t, 40+25-own, n, d.Name())
	}
}

func BenchmarkGridColdToSettled(b *testing.B) {
	r := labtext.Parse(grid(10))
	for b.Loop() {
		w := network.New()
		w.Configure(&r.Lab)
		if w.Settle(bound, nil) != network.Settled {
			b.Fatal("does not settle")
		}
	}
}

func BenchmarkGridCutToSettled(b *testing.B) {
	w := build(b, grid(10))
	settle(b, w)
	d, p := port(b, w, "r44.e2")
	for b.Loop() {
		b.StopTimer()
		c := w.Clone()
		b.StartTimer()
		c.Cut(d, p)
		if c.Settle(bound, nil) != network.Settled {
			b.Fatal("does not settle")
		}
	}
}

func BenchmarkGridClone(b *testing.B) {
	w := build(b, grid(10))
	settle(b, w)
	for b.Loop() {
		w.Clone()
	}
}

func BenchmarkTriangleWithDeadInterval(b *testing.B) {
	r := labtext.Parse(demo.Text("triangle-with-ospf"))
	for b.Loop() {
		w := network.New()
		w.Configure(&r.Lab)
		w.Settle(bound, nil)
		d, p := port(b, w, "viaduct.e2")
		w.Silence(d, p, network.Both)
		if w.Settle(bound, nil) != network.Settled {
			b.Fatal("does not settle")
		}
	}
}

// TestAnEventIsNotPutOnTheHeap: a world that nobody watches handles millions of events, and
// none may cost an allocation for being watchable.
func TestAnEventIsNotPutOnTheHeap(t *testing.T) {
	w := build(t, "router a\n  port e1 10.0.0.1/30\n")
	settle(t, w)
	pushed := testing.AllocsPerRun(1000, func() { w.Push(event.Event{At: event.Never - 1}) })
	require.Less(t, pushed, 0.5, "the queue grows now and then")
}
