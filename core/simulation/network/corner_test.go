package network_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/protocols/ospf"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/simulation/network"
)

// corner is one of the labs of testdata that show a rule in a corner.
func corner(t testing.TB, name string) string {
	t.Helper()
	text, err := os.ReadFile(filepath.Join("testdata", filepath.FromSlash(name)+".lab"))
	require.NoError(t, err)
	return string(text)
}

func TestAnOwnLSAThatComesBackAtMaxAgeIsOutbid(t *testing.T) { // RFC 2328 13.4
	w := build(t, corner(t, "ospf/flush-war"))
	settle(t, w)
	require.Less(t, w.Handled(), uint64(20_000))

	w = build(t, corner(t, "ospf/flush-war-restart"))
	settle(t, w)
	id := w.Find("b1").ID()
	w.ForceDevice(id, config.ForceDisabled)
	settle(t, w)
	w.ForceDevice(id, config.ForceEnabled)
	before := w.Handled()
	require.Equal(t, network.Settled, w.Settle(200_000, nil))
	require.Empty(t, w.Check())
	require.Less(t, w.Handled()-before, uint64(100_000))
}

func TestAnExchangeThatCannotEndIsARetry(t *testing.T) { // RFC 2328 10.6, 10.8
	// The end with the smaller MTU never takes the other's description; that one
	// waits in Exchange. Whichever end is master, the lab settles.
	for _, lab := range []string{corner(t, "ospf/mtu-hang"),
		strings.NewReplacer("1.0.0.1", "1.0.0.2", "1.0.0.2", "1.0.0.1").Replace(corner(t, "ospf/mtu-hang"))} {
		w := build(t, lab)
		require.Equal(t, network.Settled, w.Settle(10_000, nil))
		require.Empty(t, w.Check())
		require.Equal(t, "ExStart", states(w, "small")["e1"])
		v := w.Find("small").Main().OSPF().Port(0)
		require.Equal(t, note.MTUTooLarge, v.Refusal().Reason)
		notes := w.Notes()
		w.RunUntil(w.Now()+600*event.Second, 100_000)
		require.Equal(t, notes, w.Notes(), "what is refused again is no news")

		// A network added behind the far end waits for an acknowledgment for ever.
		configure(t, w, lab+"\n")
		configure(t, w, strings.Replace(lab, "router small", "  loopback lo 10.9.9.9/32\n    ospf area 0 passive\nrouter small", 1))
		require.Equal(t, network.Settled, w.Settle(10_000, nil))
		require.Empty(t, w.Check())
	}
}

// lines keeps the lines of a table that begin with one of some prefixes.
func lines(table string, prefixes ...string) (kept []string) {
	for l := range strings.SplitSeq(table, "\n") {
		for _, p := range prefixes {
			if strings.HasPrefix(l, p+" ") {
				kept = append(kept, l)
			}
		}
	}
	return kept
}

// The tables of these labs were written from the RFCs.
func TestTablesInCorners(t *testing.T) {
	for _, c := range []struct {
		name, lab string
		text      func(string) string // an edit of the lab
		cut       string
		want      map[string][]string // by router
	}{
		{name: "a range that covers nothing reachable is not active: the other border router's summary is used (2328 16.2 (3))",
			lab: "ospf/range-flow", cut: "q1.e1",
			want: map[string][]string{"q1": {"10.1.0.0/16 ospf 30 via 10.0.0.2 e0"}, "q2": {"10.1.0.0/16 ospf 0"}}},
		{name: "a range that is active drops what it covers and is not there (2328 11.1)",
			lab: "ospf/range-flow", want: map[string][]string{"q1": {"10.1.0.0/16 ospf 0"}, "q2": {"10.1.0.0/16 ospf 0"}}},
		{name: "a summary of an NSSA's routes drops what is not there, whatever the other translator announces (3101 3.2)",
			lab: "ospf/loop", want: map[string][]string{"q1": {"172.20.0.0/16 ospf 0"}, "q2": {"172.20.0.0/16 ospf 0"}}},
		{name: "a border router that is reached through the NSSA only does not count for the election (3101 3.1)",
			lab: "ospf/nssa-split", cut: "q1.e1",
			want: map[string][]string{"p": {"172.16.0.0/16 ospf 20 via 10.0.1.2 e1"}}},
		{name: "RFC1583Compatibility: the cheapest path to an AS boundary router (2328 16.4 (3))",
			lab: "ospf/pref", want: map[string][]string{"abr": {"172.16.0.0/16 ospf 20 via 10.0.0.2 e0"}}},
		{name: "without it, a path inside an area that is not the backbone (2328 16.4.1)",
			lab: "ospf/pref",
			text: func(s string) string {
				return strings.Replace(s, "router near", "  ospf\n    rfc1583-compatibility off\nrouter near", 1)
			},
			want: map[string][]string{"abr": {"172.16.0.0/16 ospf 20 via 10.1.0.2 e1"}}},
		{name: "without it, of type 1 too the path comes before the sum (2328 16.4 (6)(c))",
			lab: "ospf/pref",
			text: func(s string) string {
				return strings.Replace(strings.ReplaceAll(s, "type 2", "type 1"), "router near", "  ospf\n    rfc1583-compatibility off\nrouter near", 1)
			},
			want: map[string][]string{"abr": {"172.16.0.0/16 ospf 70 via 10.1.0.2 e1"}}},
		{name: "without it, the metric of type 2 still comes first (2328 16.4 (6)(b))",
			lab: "ospf/pref",
			text: func(s string) string {
				s = strings.Replace(s, "inject static type 2 metric 20", "inject static type 2 metric 19", 1)
				return strings.Replace(s, "router near", "  ospf\n    rfc1583-compatibility off\nrouter near", 1)
			},
			want: map[string][]string{"abr": {"172.16.0.0/16 ospf 19 via 10.0.0.2 e0"}}},
		{name: "of equal paths to an AS boundary router in several areas, that of the largest area (2328 16.4 (3))",
			lab: "ospf/pref",
			text: func(s string) string { // far and near are one router
				s = strings.Replace(s, "area 1 cost 50", "area 1 cost 10", 1)
				i, j := strings.Index(s, "router far"), strings.Index(s, "link ")
				s = s[:i] + s[j:]
				s = strings.Replace(s, "link abr.e1 far.e1", "link abr.e1 near.e1", 1)
				return strings.Replace(s, "  static", "  port e1 10.1.0.2/30\n    ospf area 1\n  static", 1)
			},
			want: map[string][]string{"abr": {"172.16.0.0/16 ospf 20 via 10.1.0.2 e1"}}},
		{name: "without RFC1583Compatibility, of the paths to one AS boundary router that inside the area that is not the backbone (2328 16.4 (3), 16.4.1)",
			lab: "ospf/pref",
			text: func(s string) string { // far and near are one router
				i, j := strings.Index(s, "router far"), strings.Index(s, "link ")
				s = s[:i] + s[j:]
				s = strings.Replace(s, "link abr.e1 far.e1", "link abr.e1 near.e1", 1)
				s = strings.Replace(s, "  static", "  port e1 10.1.0.2/30\n    ospf area 1\n  static", 1)
				return strings.Replace(s, "router near", "  ospf\n    rfc1583-compatibility off\nrouter near", 1)
			},
			want: map[string][]string{"abr": {"172.16.0.0/16 ospf 20 via 10.1.0.2 e1"}}},
		{name: "a path to an AS boundary router inside the area comes before one through others, by a virtual link too (2328 16.2 (7))",
			lab: "ospf/asbr-vl", want: map[string][]string{"b1": {"172.16.0.0/16 ospf 36 via 10.0.2.2 e2"}}},
		{name: "a router in two areas without the backbone passes nothing between them (3509 2.1)",
			lab: "ospf/ab", want: map[string][]string{"x": {"10.2.0.0/30"}, "z": {"10.1.0.0/30"}}},
		{name: "with the backbone it does (2328 12.4.3)",
			lab: "ospf/ab",
			text: func(s string) string {
				return strings.Replace(s, "router z", "  loopback lo 10.0.0.9/32\n    ospf area 0 passive\nrouter z", 1)
			},
			want: map[string][]string{"x": {"10.2.0.0/30 ospf 20 via 10.1.0.2 e1"}, "z": {"10.1.0.0/30 ospf 20 via 10.2.0.1 e2"}}},
	} {
		t.Run(c.name, func(t *testing.T) {
			text := corner(t, c.lab)
			if c.text != nil {
				changed := c.text(text)
				require.NotEqual(t, text, changed)
				text = changed
			}
			w := build(t, text)
			settle(t, w)
			if c.cut != "" {
				w.Cut(port(t, w, c.cut))
				settle(t, w)
			}
			for router, want := range c.want {
				var prefixes, present []string
				for _, l := range want {
					prefix, _, has := strings.Cut(l, " ")
					prefixes = append(prefixes, prefix)
					if has {
						present = append(present, l)
					}
				}
				require.Equal(t, present, lines(table(w, router), prefixes...), router)
			}
		})
	}
}

func TestALoopbackWithItsOwnMaskCostsWhatItSays(t *testing.T) { // RFC 2328 12.4.1
	text := "router a\n  loopback lo 10.5.0.1/24\n    ospf area 0 passive own-mask cost 7\n  port e 10.0.0.1/30\n    ospf area 0 cost 10\n" +
		"router b\n  port e 10.0.0.2/30\n    ospf area 0 cost 10\nlink a.e b.e\n"
	w := build(t, text)
	settle(t, w)
	require.Equal(t, []string{"10.5.0.0/24 ospf 17 via 10.0.0.1 e"}, lines(table(w, "b"), "10.5.0.0/24"))
	w = build(t, strings.Replace(text, " own-mask", "", 1))
	settle(t, w)
	require.Equal(t, []string{"10.5.0.1/32 ospf 10 via 10.0.0.1 e"}, lines(table(w, "b"), "10.5.0.1/32"))
}

func TestHellosHaveJitterUnlessTheLabSaysOtherwise(t *testing.T) { // RFC 2328 4.4
	gaps := func(lab string) map[event.Time]bool {
		w := build(t, lab+"router a\n  port e 10.0.0.1/30\n    ospf area 0\nrouter b\n  port e 10.0.0.2/30\n    ospf area 0\nlink a.e b.e\n")
		seen := map[event.Time]bool{}
		var last event.Time
		w.OnFrame = func(at event.Time, dev, _ uint32, frame []byte) {
			if dev != 0 || len(frame) < 40 || frame[23] != 89 || frame[35] != 1 { // OSPF hellos of a
				return
			}
			if last != 0 {
				seen[at-last] = true
			}
			last = at
		}
		w.RunUntil(400*event.Second, 1<<20)
		return seen
	}
	exact := gaps("lab \"x\"\n  hello-jitter off\n")
	require.Equal(t, map[event.Time]bool{10 * event.Second: true}, exact)
	early := gaps("")
	require.Greater(t, len(early), 30)
	for gap := range early {
		require.Greater(t, gap, 9*event.Second)
		require.LessOrEqual(t, gap, 10*event.Second)
	}
}

func TestASilentDRCostsItsDeadIntervalAndNoRetransmission(t *testing.T) { // RFC 2328 13.3 (3)
	lab, joins := "lab \"segment\"\n  hello-jitter off\n", "segment s"
	for i := 1; i <= 5; i++ {
		lab += fmt.Sprintf("router r%d\n  loopback lo 10.255.0.%d/32\n    ospf area 0 passive\n  port p 10.0.0.%d/24\n    ospf area 0 priority %d\n", i, i, i, 10-i)
		joins += fmt.Sprintf(" r%d.p", i)
	}
	w := build(t, lab+joins+"\n")
	settle(t, w)
	require.Equal(t, "DR", w.Find("r1").Main().OSPF().Port(1).State.String())
	start := w.Now()
	dev, p := port(t, w, "r1.p")
	w.Silence(dev, p, network.Both)
	settle(t, w)
	require.Less(t, w.LastForwarding()-start, 41*event.Second)
}

func TestAGatewayOnTheSegmentIsTheForwardingAddress(t *testing.T) { // RFC 2328 12.4.4.1
	const lab = `router asbr
  router-id 10.250.0.1
  port s 10.0.0.1/24
    ospf area 0 cost 10
  static 172.16.0.0/16 via 10.0.0.9
  ospf
    inject static metric 20
router in
  router-id 10.250.0.2
  port s 10.0.0.2/24
    ospf area 0 cost 10
  port e 10.0.1.1/30
    ospf area 0 cost 10
router far
  router-id 10.250.0.3
  port e 10.0.1.2/30
    ospf area 0 cost 10
router gate
  port s 10.0.0.9/24
  static 172.16.0.0/16 blackhole
segment s asbr.s in.s gate.s
link in.e far.e
`
	w := build(t, lab)
	settle(t, w)
	require.Equal(t, []string{"172.16.0.0/16 ospf 20 via 10.0.0.9 s"}, lines(table(w, "in"), "172.16.0.0/16"), "straight to the gateway")
	require.Equal(t, []string{"172.16.0.0/16 ospf 20 via 10.0.1.1 e"}, lines(table(w, "far"), "172.16.0.0/16"))
	for name, change := range map[string][2]string{
		"a blackhole has none":            {"static 172.16.0.0/16 via 10.0.0.9", "static 172.16.0.0/16 blackhole"},
		"a passive port has no neighbour": {"port s 10.0.0.1/24\n    ospf area 0 cost 10\n", "port s 10.0.0.1/24\n    ospf area 0 cost 10 passive\n  port x 10.0.7.1/24\n    ospf area 0 cost 10\n"},
		"nor does a point-to-point link":  {"port s 10.0.0.1/24\n    ospf area 0 cost 10\n", "port s 10.0.0.1/24\n    ospf area 0 cost 10\n      type point-to-point\n"},
	} {
		changed := strings.Replace(lab, change[0], change[1], 1)
		require.NotEqual(t, lab, changed, name)
		configure(t, w, changed)
		require.Equal(t, network.Settled, w.Settle(bound, nil))
		d := w.Find("asbr")
		d.Main().OSPF().Database(d.Main(), func(v ospf.LSAView) {
			if v.Header.Key.Type == wire.ExternalLSA {
				require.Zero(t, v.Body.External.Forward, name)
			}
		})
	}
	configure(t, w, strings.Replace(lab, "via 10.0.0.9", "via 10.0.0.2", 1))
	settle(t, w)
	require.NotContains(t, table(w, "in"), "172.16.0.0/16", "what is forwarded to oneself is no route")
}
