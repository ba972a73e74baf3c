package device_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// The junction runs OSPF with the depot in main, and serves the ferry and the mail by BGP,
// each in an instance of its own. Both partners use 10.80.0.0/16.
const junction = `
router junction
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port yard 10.0.1.1/30
    ospf area 0
  ospf
    inject taken through to-stations
  take ferry through from-ferry
  take mail through from-mail
  instance ferry
    port quay 10.70.0.1/30
    bgp
      as 64500
      peer 10.70.0.2
        as 64510
      inject taken through railway
    take main through railway
  instance mail
    port dock 10.70.0.1/30
    bgp
      as 64500
      peer 10.70.0.2
        as 64511
      inject taken through railway
    take main through railway

router depot
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 10.0.1.2/30
    ospf area 0

router ferryman
  loopback lo 10.72.4.1/22
  loopback shared 10.80.0.1/16
  loopback other 10.73.0.1/16
  port e1 10.70.0.2/30
  bgp
    as 64510
    peer 10.70.0.1
      as 64500
    inject connected

router postman
  loopback lo 10.74.0.1/16
  loopback shared 10.80.0.1/16
  port e1 10.70.0.2/30
  bgp
    as 64511
    peer 10.70.0.1
      as 64500
    inject connected

link junction.yard depot.e1
link junction.quay ferryman.e1
link junction.dock postman.e1

prefix-set ferry-routes
  10.72.0.0/16 length 16..24
prefix-set mail-routes
  10.74.0.0/16
prefix-set stations
  10.255.0.0/24 length 32
policy from-ferry
  statement chosen
    where prefix in ferry-routes
    set tag 72
    accept
policy from-mail
  statement chosen
    where prefix in mail-routes
    set tag 74
    accept
policy railway
  statement own
    where prefix in stations
    where instance main
    accept
policy to-stations
  statement any
    accept
`

func settled(t *testing.T, text string) *bench {
	t.Helper()
	r := labtext.Parse(text)
	require.True(t, r.OK(), r.Problems)
	b := &bench{World: network.New()}
	b.Configure(&r.Lab)
	b.Tracer = func(s device.Fate) { b.steps = append(b.steps, s) }
	require.Equal(t, network.Settled, b.Settle(1e6, nil))
	require.Empty(t, b.Check())
	return b
}

// uses is the source that an instance uses for a prefix, "" for none.
func (b *bench) uses(inst *device.Instance, prefix string) string {
	id, ok := b.Shared().Prefixes.Find(mustPrefix(prefix))
	if !ok {
		return ""
	}
	if s, ok := inst.Table().Best(id); ok {
		return s.String()
	}
	return ""
}

func mustPrefix(s string) ip.Prefix { return ip.PrefixFrom(netip.MustParsePrefix(s)) }
func mustAddr(s string) ip.Addr     { return ip.AddrFrom(netip.MustParseAddr(s)) }

func TestRoutesCrossByPolicy(t *testing.T) {
	b := settled(t, junction)
	j := b.Find("junction")
	main, ferry, mail := j.Main(), j.Instance("ferry"), j.Instance("mail")
	for _, c := range []struct {
		in     *device.Instance
		prefix string
		source string
	}{
		{ferry, "10.72.4.0/22", "bgp"}, {ferry, "10.80.0.0/16", "bgp"}, {mail, "10.80.0.0/16", "bgp"}, {mail, "10.74.0.0/16", "bgp"},
		{main, "10.72.4.0/22", "taken"}, {main, "10.74.0.0/16", "taken"},
		{main, "10.73.0.0/16", ""}, {main, "10.80.0.0/16", ""}, {main, "10.70.0.0/30", ""}, // not let through
		{ferry, "10.74.0.0/16", ""}, {mail, "10.72.4.0/22", ""}, // nothing of the other partner
		{ferry, "10.255.0.1/32", "taken"}, {ferry, "10.255.0.2/32", "taken"}, {ferry, "10.0.1.0/30", ""},
		{b.Find("depot").Main(), "10.72.4.0/22", "ospf"}, {b.Find("depot").Main(), "10.74.0.0/16", "ospf"},
		{b.Find("ferryman").Main(), "10.255.0.2/32", "bgp"}, {b.Find("ferryman").Main(), "10.74.0.0/16", ""},
	} {
		require.Equal(t, c.source, b.uses(c.in, c.prefix), "%s at %s", c.prefix, c.in.Ref())
	}
	id, _ := b.Shared().Prefixes.Find(mustPrefix("10.72.4.0/22"))
	taking := main.Taken(id)
	require.Equal(t, ferry.Number(), taking.From)
	require.Equal(t, ferry.Number(), taking.Origin)
	require.Equal(t, uint32(72), main.Table().Route(route.Taken, id).Tag)
	require.Equal(t, uint32(72), b.Find("depot").Main().Table().Route(route.OSPF, id).Tag, "tagged by partner")

	// Packets cross, and their answers cross back; an address of the junction in another
	// instance is reached as well.
	for _, c := range []struct{ from, src, to string }{
		{"depot", "10.255.0.2", "10.72.4.1"}, {"ferryman", "10.72.4.1", "10.255.0.2"}, {"ferryman", "10.72.4.1", "10.255.0.1"},
	} {
		b.steps = nil
		b.Find(c.from).Main().Echo(mustAddr(c.src), mustAddr(c.to), 64, 7, 1)
		b.RunUntil(b.Now()+10*event.Second, 1e6)
		var last device.Fate
		for _, s := range b.steps {
			if s.Protocol == inet.ProtoICMP {
				last = s
			}
		}
		require.Equal(t, device.Delivered, last.Action, "%s to %s: %+v", c.from, c.to, b.steps)
		require.Equal(t, uint8(inet.EchoReply), last.Type)
		require.Equal(t, c.from, b.Device(last.Device).Name())
	}
}

func TestWhatIsNoLongerLetThroughGoes(t *testing.T) {
	b := settled(t, junction)
	change := func(old, now string) {
		t.Helper()
		text := strings.Replace(junction, old, now, 1)
		require.NotEqual(t, junction, text)
		r := labtext.Parse(text)
		require.True(t, r.OK(), r.Problems)
		b.Configure(&r.Lab)
		require.Equal(t, network.Settled, b.Settle(1e6, nil))
		require.Empty(t, b.Check())
		// As if it had always been so.
		fresh := settled(t, text)
		for _, d := range fresh.Devices() {
			for i := range d.Instances() {
				inst := &d.Instances()[i]
				for id := range fresh.Shared().Prefixes.Len() {
					p := fresh.Shared().Prefixes.Prefix(id).String()
					require.Equal(t, fresh.uses(inst, p), b.uses(b.Find(d.Name()).Instance(inst.Name()), p), "%s at %s", p, inst.Ref())
				}
			}
		}
	}
	depot := b.Find("depot").Main()
	change("  take ferry through from-ferry\n", "")
	require.Empty(t, b.uses(depot, "10.72.4.0/22"))
	change("  10.74.0.0/16\n", "  10.75.0.0/16\n") // the policy is another one
	require.Equal(t, "ospf", b.uses(depot, "10.72.4.0/22"))
	require.Empty(t, b.uses(depot, "10.74.0.0/16"))
	change("  loopback lo 10.74.0.1/16\n", "")
	require.Empty(t, b.uses(depot, "10.74.0.0/16"))
	change("    take main through railway\n", "")
	require.Empty(t, b.uses(b.Find("ferryman").Main(), "10.255.0.2/32"))
}

// A route whose attributes change crosses by what they are now, though its next hop stays.
func TestCrossingsFollowAttributes(t *testing.T) {
	text := strings.Replace(junction, "  statement chosen\n    where prefix in ferry-routes\n", "  statement chosen\n    where prefix in ferry-routes community in good\n", 1) +
		"community-set good\n  community 64510:1\npolicy marked\n  statement all\n    add community 64510:1\n    accept\n"
	marked := strings.Replace(text, "    peer 10.70.0.1\n      as 64500\n", "    peer 10.70.0.1\n      as 64500\n      export-policy marked\n", 1)
	require.NotEqual(t, text, marked)
	b := settled(t, text)
	depot := b.Find("depot").Main()
	require.Empty(t, b.uses(depot, "10.72.4.0/22"))
	for _, c := range []struct{ text, source string }{{marked, "ospf"}, {text, ""}} {
		r := labtext.Parse(c.text)
		require.True(t, r.OK(), r.Problems)
		b.Configure(&r.Lab)
		require.Equal(t, network.Settled, b.Settle(1e6, nil))
		require.Equal(t, c.source, b.uses(depot, "10.72.4.0/22"))
	}
}

// Where three instances take all from each other, nothing goes round: what is withdrawn
// where it began is gone everywhere.
func TestRoutesDoNotGoRound(t *testing.T) {
	const ring = `
router hub
  loopback lo 10.1.0.1/32
  take a through any
  take b through any
  instance a
    loopback la 10.2.0.1/32
    take b through any
    take main through any
  instance b
    loopback lb 10.3.0.1/32
    take main through any
    take a through any
  STATIC
policy any
  otherwise accept
`
	b := settled(t, strings.Replace(ring, "STATIC", "static 10.9.0.0/16 blackhole", 1))
	hub := b.Find("hub")
	for i := range hub.Instances() {
		for _, p := range []string{"10.1.0.1/32", "10.2.0.1/32", "10.3.0.1/32", "10.9.0.0/16"} {
			require.NotEmpty(t, b.uses(&hub.Instances()[i], p), "%s in %d", p, i)
		}
	}
	id, _ := b.Shared().Prefixes.Find(mustPrefix("10.9.0.0/16"))
	for _, name := range []string{"a", "b"} {
		taking := hub.Instance(name).Taken(id)
		require.Equal(t, uint16(device.Main), taking.From, "the shortest way: %s", name)
		require.Equal(t, uint16(1), taking.Passed)
	}
	require.False(t, hub.Main().Taken(id).There, "it does not come back")

	r := labtext.Parse(strings.Replace(ring, "STATIC", "", 1))
	b.Configure(&r.Lab)
	b.Settle(1e6, nil)
	for i := range hub.Instances() {
		require.Empty(t, b.uses(&hub.Instances()[i], "10.9.0.0/16"))
	}
}
