package network_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// passed has time pass in a world, by skipping and by going through it.
func passed(t *testing.T, w *network.World, until event.Time) (skipped, through *network.World) {
	t.Helper()
	skipped, through = w.Clone(), w.Clone()
	for skipped.SkipIdle(until) {
	}
	skipped.RunUntil(until, 1<<40)
	through.RunUntil(until, 1<<40)
	require.Equal(t, until, skipped.Now())
	return skipped, through
}

// alike holds two worlds against each other: tables, timers, ages, sequence numbers and notes.
func alike(t *testing.T, want, got *network.World, say string) {
	t.Helper()
	require.Empty(t, got.Check(), say)
	require.Equal(t, want.Notes(), got.Notes(), say)
	for i := want.FirstNote(); i < want.Notes(); i++ {
		require.Equal(t, want.NoteAt(i), got.NoteAt(i), say)
	}
	require.Equal(t, want.Digest(true), got.Digest(true), say)
	require.Equal(t, want.Calm().RestAfter(), got.Calm().RestAfter(), say)
	require.Equal(t, want.Calm().Settled(), got.Calm().Settled(), say)
}

// TestSkippingIsLikeGoingThrough has hours pass in the demo labs and in grids.
func TestSkippingIsLikeGoingThrough(t *testing.T) {
	texts := map[string]string{"grid": testlabs.Grid(4, 4), "wide grid": testlabs.Grid(7, 3)}
	for _, d := range demo.Labs() {
		texts[d.Slug] = d.Text
	}
	less := map[string]bool{}
	for name, text := range texts {
		r := rand.New(rand.NewPCG(18, uint64(len(name))))
		w := testlabs.Settled(t, text)
		for range 4 {
			skipped, through := passed(t, w, w.Now()+event.Time(r.Int64N(int64(3*3600*event.Second))))
			alike(t, through, skipped, name)
			less[name] = less[name] || skipped.Handled() < through.Handled()
			w = []*network.World{skipped, through}[r.IntN(2)]
		}
	}
	for _, name := range []string{"grid", "wide grid", "tarn-valley", "triangle-with-ospf"} {
		require.True(t, less[name], name)
	}
}

// TestSkippingInAnyNetwork does so in random networks, with all that may come between: faults, loss, segments, areas, keys, sessions,
// hosts, long links, odd timers; from random moments, settled or not; and has something happen after it.
func TestSkippingInAnyNetwork(t *testing.T) {
	rounds := 60
	if n, err := strconv.Atoi(os.Getenv("ORACLE")); err == nil {
		rounds = n
	}
	less := 0
	for round := range rounds {
		r := rand.New(rand.NewPCG(uint64(round), 1818))
		text := restless(r)
		for _, p := range labtext.Parse(text).Problems {
			require.NotEqual(t, labtext.Error, p.Severity, "%v\n%s", p, text)
		}
		h := testlabs.Acted(t, text)
		w := h.Head().Clone()
		do := func(w *network.World, action string) {
			a, err := history.ParseAction(action)
			require.NoError(t, err)
			if a.Perform(w, h.Lab()) == nil {
				w.Settle(300_000, nil)
			}
		}
		say := fmt.Sprintf("round %d", round)
		for range 3 {
			if r.IntN(2) == 0 {
				do(w, anyFault(r, w))
			}
			w.RunUntil(w.Now()+event.Time(r.Int64N(int64(100*event.Second))), 1<<40)
			skipped, through := passed(t, w, w.Now()+event.Time(r.Int64N(int64(4*3600*event.Second))))
			alike(t, through, skipped, say)
			if skipped.Handled() < through.Handled() {
				less++
			}
			fault := anyFault(r, w)
			do(skipped, fault)
			do(through, fault)
			alike(t, through, skipped, say+", then "+fault)
			w = []*network.World{skipped, through}[r.IntN(2)]
		}
	}
	t.Logf("%d of %d stretches were skipped", less, 3*rounds)
	require.Greater(t, less, 3*rounds/5)
}

func anyFault(r *rand.Rand, w *network.World) string {
	d := w.Devices()[r.IntN(len(w.Devices()))]
	port := d.Name()
	if n := len(d.Ports()); n > 0 {
		port += "." + d.Ports()[r.IntN(n)].Config.Name
	}
	return []string{"cut " + port, "mend " + port, "mend " + port, "mend " + port, "silence " + port, "silence " + port + " in", "disable " + d.Name(),
		"enable " + d.Name(), "restart ospf on " + d.Name(), "disable " + port, "enable " + port}[r.IntN(11)]
}

// restless is a random network that has some of all that OSPF can have.
func restless(r *rand.Rand) string {
	n := 2 + r.IntN(7)
	var b strings.Builder
	chance := func(in int) bool { return r.IntN(in) == 0 }
	fmt.Fprintf(&b, "lab \"Restless\"\n  seed %d\n", r.IntN(1000))
	if chance(5) {
		b.WriteString("  hello-jitter off\n")
	}
	area := func(i int) int { return i * 3 / (2 * n) } // of the far third, another
	kind := r.IntN(4)                                  // of area 1
	keys, rare := chance(4), chance(3)
	ports := make([]string, n)
	var joints []string
	join := func(x, y int) {
		k := len(joints)
		a := max(area(x), area(y))
		if area(x) != area(y) && x != n*2/3-1 && y != n*2/3-1 && area(min(x, y)) == 0 {
			a = 0
		}
		timers := ""
		if rare && chance(2) {
			timers = []string{" hello-interval 1s", " hello-interval 4s dead-interval 12s", " retransmit-interval 1s", " transmit-delay 3s", " hello-interval 1000s dead-interval 4000s"}[r.IntN(5)]
		}
		for side, i := range []int{x, y} {
			line := fmt.Sprintf("  port e%d 10.%d.%d.%d/30\n    ospf area %d%s\n      cost %d\n", k, a, k, side+1, a, timers, 1+r.IntN(30))
			if keys {
				line += "      keys " + []string{"oak", "larch"}[k%2] + "\n"
			}
			ports[i] += line
		}
		extra := ""
		switch {
		case rare && chance(8):
			extra = " loss 1%"
		case rare && chance(12):
			extra = " duplicate 1%"
		}
		joints = append(joints, fmt.Sprintf("link r%d.e%d r%d.e%d delay %dms%s\n", x, k, y, k, 1+r.IntN([]int{3, 40, 400}[r.IntN(3)]), extra))
	}
	for i := 1; i < n; i++ {
		join(i, r.IntN(i))
	}
	for range r.IntN(n) {
		if x, y := r.IntN(n), r.IntN(n); x != y {
			join(x, y)
		}
	}
	for k, name := range []string{"yard", "hall"} {
		if !chance(3) {
			continue
		}
		line, most := "segment "+name, 1+r.IntN(n)
		tagged, own := chance(3), chance(3)
		for i := range most {
			if area(i) == 1 && i != n*2/3-1 {
				break
			}
			o := "    ospf area 0\n"
			if own {
				o += fmt.Sprintf("      priority %d\n", r.IntN(3))
			}
			if keys {
				o += "      keys " + []string{"larch", "oak"}[k] + "\n"
			}
			if i == 0 && chance(9) {
				o += "      hello-interval 7s\n"
			}
			ports[i] += fmt.Sprintf("  port %s 10.9.%d.%d/24\n%s", name, k, i+1, o)
			if tagged {
				ports[i] += fmt.Sprintf("    vlan %d 10.9.%d.%d/24\n  %s", 5+k, 10+k, i+1, strings.ReplaceAll(o, "\n", "\n  "))
				ports[i] = strings.TrimSuffix(ports[i], "  ")
			}
			line += fmt.Sprintf(" r%d.%s", i, name)
		}
		joints = append(joints, line+"\n")
	}
	session := chance(4)
	for i := range n {
		fmt.Fprintf(&b, "router r%d\n  loopback lo 10.255.0.%d/32\n    ospf area %d passive\n%s", i, i+1, area(i), ports[i])
		if chance(4) {
			fmt.Fprintf(&b, "  port h 10.200.%d.1/24\n    ospf area %d%s\nhost h%d 10.200.%d.2/24 gateway 10.200.%d.1\n", i, area(i), []string{"", " passive"}[r.IntN(2)], i, i, i)
			joints = append(joints, fmt.Sprintf("link r%d.h h%d\n", i, i))
			continue
		}
		if chance(5) {
			fmt.Fprintf(&b, "  static 10.%d.0.0/16 blackhole\n", 100+i)
		}
		if area(i) == 1 || i == n*2/3-1 || chance(4) {
			b.WriteString("  ospf\n    inject static\n")
			if kind > 0 && n > 2 {
				b.WriteString("    area 1\n      " + []string{"", "stub", "nssa", "range 10.1.0.0/16"}[kind] + "\n")
			}
		}
		if session && i < 2 {
			fmt.Fprintf(&b, "  bgp as 64500\n    peer 10.255.0.%d as 64500\n      local-address lo\n", 2-i)
		}
	}
	if keys {
		until := ""
		if rare {
			until = fmt.Sprintf("\n    send 0s..%ds", 600+r.IntN(20000))
		}
		b.WriteString("key-chain larch\n  key 1 md5 \"meadow-brown\"" + until + "\n  key 2 hmac-sha-256 \"orange-tip\"\nkey-chain oak\n  key 5 simple \"heath\"\n")
	}
	return b.String() + strings.Join(joints, "")
}

// BenchmarkIdleDay has a day pass in a grid of 500 routers that is at rest, and an hour by going through it.
func BenchmarkIdleDay(b *testing.B) {
	for name, text := range map[string]string{"500 routers on links": testlabs.Grid(25, 20), "100 routers on a segment": segmentLab(100)} {
		b.Run(name, func(b *testing.B) {
			w := testlabs.Acted(b, text).Head()
			var day, hour time.Duration
			for b.Loop() {
				x := w.Clone()
				began := time.Now()
				for x.SkipIdle(w.Now() + 24*3600*event.Second) {
				}
				x.RunUntil(w.Now()+24*3600*event.Second, 1<<40)
				day += time.Since(began)
				x = w.Clone()
				began = time.Now()
				x.RunUntil(w.Now()+3600*event.Second, 1<<40)
				hour += time.Since(began)
			}
			b.ReportMetric(day.Seconds()/float64(b.N), "s-day")
			b.ReportMetric(hour.Seconds()/float64(b.N), "s-hour-gone-through")
			b.ReportMetric(0, "ns/op")
		})
	}
}
