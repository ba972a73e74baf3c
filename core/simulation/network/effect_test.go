package network_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/note"
	"hellebore/core/language/labtext"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// effect is one statement of the grammar and a change of it in the triangle.
type effect struct {
	word   string
	in     labtext.Context
	lab    string    // the demo lab; the triangle unless said
	before [2]string // an edit made before the network starts; optional
	from   string
	to     string
	lsas   int    // router LSAs originated anew; -1: as many as a restart takes
	want   string // what devices note, "device kind" each, sorted; never more
}

// What an adjacency that goes and comes makes of the triangle.
const (
	lineFalls = "quarry neighbour-state, quarry route-changed, summit route-changed, viaduct neighbour-state, viaduct route-changed"
	portFalls = "quarry neighbour-state, quarry port-down, quarry route-changed, summit route-changed, " +
		"viaduct neighbour-state, viaduct port-down, viaduct route-changed"
	routerFalls = "quarry neighbour-state, quarry port-down, quarry route-changed, summit neighbour-state, summit port-down, " +
		"summit route-changed, viaduct neighbour-state, viaduct port-down, viaduct route-changed"
)

const (
	areas     = "three-areas"
	pass      = "beyond-the-pass"
	cable     = "shared-cable"
	toWest    = "      virtual-link 10.255.4.3\n" // on the saddle
	e2        = "port e2 10.0.13.1/30\n    ospf area 0"
	partners  = "ferry-and-mail"
	quay      = "    port quay 10.70.0.1/30\n"
	dock      = "    take main through to-mail\n"
	office    = "segment office summit.lan booth\n"
	lastLine  = "every 100ms\n"
	quarryTop = "router quarry\n"
)

var static = [2]string{quarryTop, quarryTop + "  static 10.99.0.0/16 via 10.0.13.1\n"}

var effects = []effect{
	{word: "lab", in: labtext.Top, from: "Triangle with OSPF", to: "Three"},
	{word: "seed", in: labtext.LabBlock, from: "seed 7", to: "seed 8"},
	{word: "hello-jitter", in: labtext.LabBlock, from: "seed 7", to: "seed 7\n  hello-jitter off"},
	{word: "router", in: labtext.Top, from: lastLine, to: lastLine + "router halt\n  port e1 10.0.99.1/30\n"},
	{word: "router-id", in: labtext.RouterOf, from: "router viaduct\n", to: "router viaduct\n  router-id 10.255.0.9\n",
		lsas: -1, want: "quarry neighbour-state, summit neighbour-state, viaduct hello-refused, viaduct neighbour-state, viaduct route-changed, viaduct router-id"},
	{word: "loopback", in: labtext.RouterOf, from: quarryTop, to: quarryTop + "  loopback two 10.255.1.3/32\n", want: "quarry route-changed"},
	{word: "port", in: labtext.RouterOf, from: "port lan 10.20.2.1/24", to: "port lan 10.20.3.1/24", lsas: 1,
		want: "quarry route-changed, summit route-changed, viaduct route-changed"},
	{word: "bandwidth", in: labtext.PortOf, from: "10.0.12.1/30 bandwidth 100M", to: "10.0.12.1/30 bandwidth 90M",
		lsas: 1, want: "quarry route-changed"},
	{word: "mtu", in: labtext.PortOf, from: "port e2 10.0.13.1/30", to: "port e2 10.0.13.1/30 mtu 1400"},
	{word: "static", in: labtext.RouterOf, from: static[0], to: static[1], want: "quarry hop-changed, quarry route-changed"},
	{word: "via", in: labtext.StaticOf, before: static, from: "via 10.0.13.1", to: "via 10.0.23.1", want: "quarry hop-changed, quarry route-changed"},
	{word: "blackhole", in: labtext.StaticOf, before: static, from: "via 10.0.13.1", to: "blackhole", want: "quarry route-changed"},
	{word: "preference", in: labtext.StaticOf, before: [2]string{quarryTop, quarryTop + "  static 10.20.2.0/24 via 10.0.13.1\n"},
		from: "via 10.0.13.1", to: "via 10.0.13.1 preference 200", want: "quarry route-changed"},
	{word: "ospf", in: labtext.PortOf, from: e2, to: "port e2 10.0.13.1/30", lsas: -1, want: lineFalls},
	{word: "ospf", in: labtext.Loopback, from: "loopback lo 10.255.0.3/32\n    ospf area 0 passive", to: "loopback lo 10.255.0.3/32",
		lsas: 1, want: "summit route-changed, viaduct route-changed"},
	{word: "area", in: labtext.PortOSPF, from: e2, to: "port e2 10.0.13.1/30\n    ospf area 1", lsas: -1,
		want: "quarry hello-refused, " + strings.Replace(lineFalls, "viaduct neigh", "viaduct hello-refused, viaduct neigh", 1)},
	{word: "type", in: labtext.PortOSPF, from: e2, to: e2 + "\n      type point-to-point"},
	{word: "cost", in: labtext.PortOSPF, from: "10.0.12.1/30 bandwidth 100M\n    ospf area 0",
		to: "10.0.12.1/30 bandwidth 100M\n    ospf area 0\n      cost 101", lsas: 1, want: "quarry route-changed"},
	{word: "hello-interval", in: labtext.PortOSPF, from: e2, to: e2 + "\n      hello-interval 12s", lsas: -1,
		want: "quarry hello-refused, " + strings.Replace(lineFalls, "viaduct neigh", "viaduct hello-refused, viaduct neigh", 1)},
	{word: "dead-interval", in: labtext.PortOSPF, from: e2, to: e2 + "\n      dead-interval 50s", lsas: -1,
		want: "quarry hello-refused, " + strings.Replace(lineFalls, "viaduct neigh", "viaduct hello-refused, viaduct neigh", 1)},
	{word: "retransmit-interval", in: labtext.PortOSPF, from: e2, to: e2 + "\n      retransmit-interval 7s"},
	{word: "transmit-delay", in: labtext.PortOSPF, from: e2, to: e2 + "\n      transmit-delay 2s"},
	{word: "passive", in: labtext.PortOSPF, from: e2, to: e2 + " passive", lsas: -1, want: lineFalls},
	{word: "ospf", in: labtext.RouterOf, from: quarryTop, to: quarryTop + "  ospf\n"},
	{word: "reference-bandwidth", in: labtext.OSPFOf, from: quarryTop, to: quarryTop + "  ospf\n    reference-bandwidth 20G\n", lsas: 1},
	{word: "priority", in: labtext.PortOSPF, lab: "station-yard", from: "priority 10", to: "priority 30"},
	{word: "mtu-ignore", in: labtext.PortOSPF, from: e2, to: e2 + "\n      mtu-ignore"},
	{word: "area", in: labtext.OSPFOf, from: quarryTop, to: quarryTop + "  ospf\n    area 0\n"},
	{word: "stub", in: labtext.AreaOf, lab: areas, from: "    area 2\n      stub\n", to: "    area 2\n", lsas: -1,
		want: "boathouse route-changed, junction route-changed, lower hello-refused, lower neighbour-state, lower route-changed, mill route-changed, " +
			"mine hello-refused, mine neighbour-state, mine route-changed, upper route-changed"},
	{word: "no-summary", in: labtext.StubOf, lab: areas, from: "stub no-summary", to: "stub", lsas: -1, want: "mine route-changed"},
	{word: "default-cost", in: labtext.StubOf, lab: areas, from: "default-cost 5", to: "default-cost 6", lsas: 1},
	{word: "range", in: labtext.AreaOf, lab: areas, from: "    area 1\n      range 10.1.0.0/16\n    area 3\n", to: "    area 3\n", lsas: -1, want: "boathouse route-changed, junction route-changed, mill route-changed, upper route-changed"},
	{word: "cost", in: labtext.RangeOf, lab: areas, from: "range 10.1.0.0/16\n    area 2", to: "range 10.1.0.0/16\n        cost 99\n    area 2", lsas: -1, want: "boathouse route-changed, junction route-changed"},
	{word: "hidden", in: labtext.RangeOf, lab: areas, from: "range 10.1.0.0/16\n    area 2", to: "range 10.1.0.0/16 hidden\n    area 2", lsas: -1, want: "boathouse route-changed, junction route-changed"},
	{word: "inject", in: labtext.OSPFOf, lab: areas, from: "    inject static through outside type 1 metric 50\n", to: "", lsas: -1, want: "lower route-changed, mill route-changed, upper route-changed"},
	{word: "through", in: labtext.InjectOf, lab: areas, from: "inject static through outside", to: "inject static", lsas: 1, want: "lower route-changed, mill route-changed, upper route-changed"},
	{word: "originate", in: labtext.OSPFOf, lab: areas, from: "    originate default metric 10\n", to: "", lsas: -1, want: "lower route-changed, mill route-changed, upper route-changed"},
	{word: "always", in: labtext.OrigOf, lab: areas, from: "originate default metric 10", to: "originate default always metric 10"},
	{word: "metric", in: labtext.InjectOf, lab: areas, from: "metric 50", to: "metric 51", lsas: 1},
	{word: "metric", in: labtext.OrigOf, lab: areas, from: "default metric 10", to: "default metric 11", lsas: 1},
	{word: "type", in: labtext.InjectOf, lab: areas, from: "type 1 metric 50", to: "type 2 metric 50", lsas: 1},
	{word: "type", in: labtext.OrigOf, lab: areas, from: "default metric 10", to: "default metric 10 type 1", lsas: 1},
	{word: "tag", in: labtext.InjectOf, lab: areas, from: "type 1 metric 50", to: "type 1 metric 50 tag 7", lsas: 1},
	{word: "tag", in: labtext.OrigOf, lab: areas, from: "default metric 10", to: "default metric 10 tag 7", lsas: 1},
	{word: "nssa", in: labtext.AreaOf, lab: areas, from: "    area 3\n      nssa\n    inject", to: "    inject", lsas: -1, want: "boathouse hello-refused, boathouse neighbour-state, boathouse route-changed, junction route-changed, lower hello-refused, lower neighbour-state, lower route-changed, mill route-changed, upper hello-refused, upper neighbour-state, upper route-changed"},
	{word: "translate", in: labtext.NSSAOf, lab: areas, from: "area 3\n      nssa\n        summary 172.20.0.0/16\n\nrouter lower",
		to: "area 3\n      nssa\n        translate always\n        summary 172.20.0.0/16\n\nrouter lower", lsas: -1, want: "junction route-changed, lower route-changed, mill route-changed, upper route-changed"},
	{word: "no-summary", in: labtext.NSSAOf, lab: areas, from: "area 3\n      nssa\n        summary 172.20.0.0/16\n\nrouter mill",
		to: "area 3\n      nssa no-summary\n        summary 172.20.0.0/16\n\nrouter mill", lsas: -1, want: "boathouse route-changed"},
	{word: "default-cost", in: labtext.NSSAOf, lab: areas, from: "area 3\n      nssa\n        summary 172.20.0.0/16\n\nrouter mill",
		to: "area 3\n      nssa\n        default-cost 7\n        summary 172.20.0.0/16\n\nrouter mill", lsas: 1, want: "boathouse route-changed"},
	{word: "summary", in: labtext.NSSAOf, lab: areas, from: "        summary 172.20.0.0/16\n\nrouter mill", to: "\nrouter mill", lsas: -1, want: "junction route-changed, lower route-changed, mill route-changed, upper route-changed"},
	{word: "hidden", in: labtext.JoinOf, lab: areas, from: "        summary 172.20.0.0/16\n\nrouter mill", to: "        summary 172.20.0.0/16 hidden\n\nrouter mill", lsas: -1, want: "junction route-changed, mill route-changed, upper route-changed"},
	{word: "tag", in: labtext.JoinOf, lab: areas, from: "        summary 172.20.0.0/16\n\nrouter mill", to: "        summary 172.20.0.0/16 tag 9\n\nrouter mill", lsas: 1, want: ""},
	{word: "summary", in: labtext.OSPFOf, lab: areas, from: "    inject static type 1 metric 15 tag 3\n", to: "    inject static type 1 metric 15 tag 3\n    summary 172.20.0.0/22\n", lsas: -1, want: "boathouse route-changed, lower route-changed, upper route-changed"},
	{word: "max-ecmp", in: labtext.OSPFOf, lab: areas, from: "    originate default metric 10\n", to: "    originate default metric 10\n    max-ecmp 1\n", want: "junction route-changed"},
	{word: "rfc1583-compatibility", in: labtext.OSPFOf, lab: areas, from: "    originate default metric 10\n", to: "    originate default metric 10\n    rfc1583-compatibility off\n"},
	{word: "spf-initial-delay", in: labtext.OSPFOf, from: quarryTop, to: quarryTop + "  ospf\n    spf-initial-delay 10ms\n"},
	{word: "spf-short-delay", in: labtext.OSPFOf, from: quarryTop, to: quarryTop + "  ospf\n    spf-short-delay 20ms\n"},
	{word: "spf-long-delay", in: labtext.OSPFOf, from: quarryTop, to: quarryTop + "  ospf\n    spf-long-delay 1s\n"},
	{word: "spf-time-to-learn", in: labtext.OSPFOf, from: quarryTop, to: quarryTop + "  ospf\n    spf-time-to-learn 1s\n"},
	{word: "spf-hold-down", in: labtext.OSPFOf, from: quarryTop, to: quarryTop + "  ospf\n    spf-hold-down 5s\n"},
	{word: "virtual-link", in: labtext.AreaOf, lab: pass, from: "      virtual-link 10.255.4.3\n", to: "", lsas: -1, want: "saddle hello-refused, saddle neighbour-state, west neighbour-state"},
	{word: "hello-interval", in: labtext.VirtOf, lab: pass, from: toWest, to: toWest + "        hello-interval 12s\n", lsas: -1, want: "saddle hello-refused, saddle neighbour-state, west hello-refused, west neighbour-state"},
	{word: "dead-interval", in: labtext.VirtOf, lab: pass, from: toWest, to: toWest + "        dead-interval 50s\n", lsas: -1, want: "saddle hello-refused, saddle neighbour-state, west hello-refused, west neighbour-state"},
	{word: "retransmit-interval", in: labtext.VirtOf, lab: pass, from: toWest, to: toWest + "        retransmit-interval 7s\n"},
	{word: "transmit-delay", in: labtext.VirtOf, lab: pass, from: toWest, to: toWest + "        transmit-delay 2s\n"},
	{word: "keys", in: labtext.VirtOf, lab: pass, before: [2]string{"flow post", "key-chain gentian\n  key 1 md5 \"bell\"\n\nflow post"},
		from: toWest, to: toWest + "        keys gentian\n", lsas: -1, want: "saddle hello-refused, saddle neighbour-state, west hello-refused, west neighbour-state"},
	{word: "disabled", in: labtext.VirtOf, lab: pass, from: toWest, to: "      virtual-link 10.255.4.3 disabled\n", lsas: -1, want: "saddle hello-refused, saddle neighbour-state, west neighbour-state"},
	{word: "vlan", in: labtext.PortOf, lab: cable, from: "    vlan 20 10.0.20.2/30\n", to: "    vlan 21 10.0.20.2/30\n", lsas: -1, want: "cabin neighbour-state, cabin route-changed, halt neighbour-state, halt port-up, halt route-changed"},
	{word: "bandwidth", in: labtext.VLANOf, lab: cable, from: "vlan 7 10.7.0.3/24", to: "vlan 7 10.7.0.3/24 bandwidth 100M", lsas: 1, want: ""},
	{word: "mtu", in: labtext.VLANOf, lab: cable, from: "vlan 7 10.7.0.3/24", to: "vlan 7 10.7.0.3/24 mtu 1400"},
	{word: "ospf", in: labtext.VLANOf, lab: cable, from: "vlan 7 10.7.0.3/24\n      ospf area 0\n", to: "vlan 7 10.7.0.3/24\n", lsas: -1, want: "cabin neighbour-state, cabin port-role, cabin route-changed, halt neighbour-state, halt port-role, halt route-changed, weir neighbour-state, weir route-changed"},
	{word: "disabled", in: labtext.VLANOf, lab: cable, from: "vlan 7 10.7.0.3/24\n", to: "vlan 7 10.7.0.3/24 disabled\n", lsas: -1, want: "cabin neighbour-state, cabin port-role, cabin route-changed, halt neighbour-state, halt port-role, halt route-changed, weir neighbour-state, weir port-down, weir route-changed"},
	{word: "own-mask", in: labtext.PortOSPF, lab: cable, from: " own-mask", to: "", lsas: -1, want: "halt route-changed, weir route-changed"},
	{word: "prefix-set", in: labtext.Top, lab: areas, from: "prefix-set outside\n", to: "prefix-set spare\n  10.0.0.0/8\n\nprefix-set outside\n"},
	{word: "PREFIX", in: labtext.SetOf, lab: areas, from: "  198.51.100.0/24\n\nflow", to: "  203.0.113.0/24\n\nflow", lsas: -1, want: "lower route-changed, mill route-changed, upper route-changed"},
	{word: "length", in: labtext.MemberOf, lab: areas, from: "  198.51.100.0/24\n\nflow", to: "  198.51.100.0/24 length 25..32\n\nflow", lsas: -1, want: "lower route-changed, mill route-changed, upper route-changed"},
	{word: "keys", in: labtext.PortOSPF, lab: "guarded-line", from: "10.5.1.2/30\n    ospf area 0\n      keys larch", to: "10.5.1.2/30\n    ospf area 0", lsas: -1,
		want: "larches hello-refused, larches neighbour-state, larches route-changed, toll-gate hello-refused, toll-gate neighbour-state, toll-gate route-changed"},
	{word: "keys", in: labtext.AreaOf, lab: "guarded-line", from: "    area 0\n      keys oak\n\nrouter halt", to: "\nrouter halt", lsas: -1,
		want: "halt hello-refused, halt neighbour-state, halt route-changed, larches hello-refused, larches neighbour-state, larches route-changed"},
	{word: "key-chain", in: labtext.Top, from: "# The old", to: "key-chain spare\n  key 1 md5 \"x\"\n\n# The old"},
	{word: "key", in: labtext.ChainOf, lab: "guarded-line", from: "  key 2 hmac-sha-256 \"orange-tip\"\n", to: ""},
	{word: "send", in: labtext.KeyOf, lab: "guarded-line", from: `key 1 md5 "meadow-brown"`, to: `key 1 md5 "meadow-brown" send 0s..1h`},
	{word: "accept", in: labtext.KeyOf, lab: "guarded-line", from: `key 1 md5 "meadow-brown"`, to: `key 1 md5 "meadow-brown" accept 0s..2h`},
	{word: "host", in: labtext.Top, from: "host booth 10.20.2.10/24", to: "host booth 10.20.2.11/24"},
	{word: "gateway", in: labtext.HostOf, from: "gateway 10.20.2.1", to: "gateway 10.20.2.2", want: "booth hop-changed, booth route-changed"},
	{word: "service", in: labtext.HostOf, from: "gateway 10.20.2.1", to: "gateway 10.20.2.1\n  service 443"},
	{word: "disabled", in: labtext.RouterOf, from: "router quarry", to: "router quarry disabled", lsas: -1, want: routerFalls},
	{word: "disabled", in: labtext.HostOf, from: "gateway 10.20.2.1", to: "gateway 10.20.2.1 disabled", want: "booth port-down, booth route-changed"},
	{word: "disabled", in: labtext.PortOf, from: "port e2 10.0.13.1/30\n", to: "port e2 10.0.13.1/30 disabled\n", lsas: -1, want: portFalls},
	{word: "disabled", in: labtext.Loopback, from: "loopback lo 10.255.0.3/32\n", to: "loopback lo 10.255.0.3/32 disabled\n", lsas: 1, want: "quarry route-changed, summit route-changed, viaduct route-changed"},
	{word: "disabled", in: labtext.PortOSPF, from: e2, to: e2 + " disabled", lsas: -1, want: lineFalls},
	{word: "disabled", in: labtext.OSPFOf, from: quarryTop, to: quarryTop + "  ospf disabled\n", lsas: -1, want: strings.NewReplacer("quarry port-down, ", "", "summit port-down, ", "", "viaduct port-down, ", "").Replace(routerFalls)},
	{word: "link", in: labtext.Top, from: "link viaduct.e2 quarry.e1 delay 1ms\n", to: "", lsas: -1, want: portFalls},
	{word: "segment", in: labtext.Top, from: office, to: "", lsas: 1, want: "booth hop-changed, booth port-down, booth route-changed, quarry route-changed, summit port-down, summit route-changed, viaduct route-changed"},
	{word: "delay", in: labtext.LinkOf, from: "summit.e2 quarry.e2 delay 1ms", to: "summit.e2 quarry.e2 delay 3ms"},
	{word: "delay", in: labtext.SegOf, from: office, to: strings.TrimSuffix(office, "\n") + " delay 4ms\n"},
	{word: "loss", in: labtext.LinkOf, from: "summit.e2 quarry.e2 delay 1ms", to: "summit.e2 quarry.e2 delay 1ms loss 1%"},
	{word: "reorder", in: labtext.LinkOf, from: "summit.e2 quarry.e2 delay 1ms", to: "summit.e2 quarry.e2 delay 1ms reorder 1%"},
	{word: "duplicate", in: labtext.LinkOf, from: "summit.e2 quarry.e2 delay 1ms", to: "summit.e2 quarry.e2 delay 1ms duplicate 1%"},
	{word: "flow", in: labtext.Top, from: "flow tickets kiosk -> booth", to: "flow tickets booth -> kiosk"},
	{word: "instance", in: labtext.RouterOf, lab: partners, from: dock, to: dock + "  instance spare\n    port siding 10.9.0.1/30\n"},
	{word: "router-id", in: labtext.InstanceOf, lab: partners, from: "  instance ferry\n", to: "  instance ferry\n    router-id 10.255.9.9\n", lsas: -1, want: "courier route-changed, courier update-received, depot route-changed, junction notification-sent, junction route-changed, junction session-state, junction update-received, junction update-sent, steamer notification-received, steamer route-changed, steamer session-state, steamer update-received, steamer update-sent, summit route-changed"},
	{word: "loopback", in: labtext.InstanceOf, lab: partners, from: quay, to: quay + "    loopback own 10.70.9.1/32\n", want: "junction route-changed"},
	{word: "port", in: labtext.InstanceOf, lab: partners, from: quay, to: "    port quay 10.70.0.5/30\n", lsas: -1, want: "courier route-changed, courier update-received, depot route-changed, junction hop-changed, junction packet-dropped, junction route-changed, junction session-state, junction update-sent, steamer notification-sent, steamer route-changed, steamer session-state, summit route-changed"},
	{word: "static", in: labtext.InstanceOf, lab: partners, from: quay, to: quay + "    static 10.72.32.0/24 via 10.70.0.2\n", lsas: -1, want: "courier route-changed, courier update-received, depot route-changed, junction hop-changed, junction route-changed, junction update-sent, summit route-changed"},
	{word: "ospf", in: labtext.InstanceOf, lab: partners, from: quay, to: quay + "    ospf\n"},
	{word: "take", in: labtext.RouterOf, lab: partners, from: "  take mail through from-mail\n", to: "", lsas: -1, want: "depot route-changed, junction route-changed, summit route-changed"},
	{word: "take", in: labtext.InstanceOf, lab: partners, from: "    take main through to-mail\n", to: "", lsas: -1, want: "courier route-changed, courier update-received, junction route-changed, junction update-sent"},
	{word: "through", in: labtext.TakeOf, lab: partners, from: "take mail through from-mail", to: "take mail through mail-offers", lsas: -1, want: "depot route-changed, junction route-changed, summit route-changed"},
	{word: "bgp", in: labtext.InstanceOf, lab: partners, from: "    bgp as 64500\n      inject taken through to-mail\n", to: "    bgp as 64501\n      inject taken through to-mail\n", lsas: -1, want: "courier notification-received, courier notification-sent, courier route-changed, courier session-state, depot route-changed, junction notification-received, junction notification-sent, junction route-changed, junction session-state, summit route-changed"},
	{word: "instance", in: labtext.WhereOf, lab: partners, from: "    where instance mail\n", to: "    where instance ferry\n", lsas: -1, want: "depot route-changed, summit route-changed"},
	{word: "every", in: labtext.FlowOf, from: "every 100ms", to: "every 50ms"},
}

// TestEffectsOfChanges holds the grammar table's effects against what a change
// of each statement does to a running network: what it says, and no more.
func TestEffectsOfChanges(t *testing.T) {
	for _, c := range effects {
		t.Run(c.word+" in "+string(c.in), func(t *testing.T) {
			slug := c.lab
			if slug == "" {
				slug = "triangle-with-ospf"
			}
			text := demo.Text(slug)
			if c.before[0] != "" {
				text = strings.Replace(text, c.before[0], c.before[1], 1)
			}
			require.Contains(t, text, c.from)
			r := labtext.Parse(strings.Replace(text, c.from, c.to, 1))
			require.True(t, r.OK(), "%v", r.Problems)
			w := build(t, text)
			settle(t, w)
			mark := w.Notes()
			w.Configure(&r.Lab)
			settle(t, w)

			var seen []string
			originated := 0
			for i := mark; i < w.Notes(); i++ {
				n := w.NoteAt(i)
				switch n.Kind {
				case note.LSAOriginated:
					originated++
				case note.LSAReceived, note.LSAFlushed, note.LSADiscarded, note.SPFScheduled, note.SPFRun:
				default:
					seen = append(seen, w.Device(n.Device).Name()+" "+n.Kind.String())
				}
			}
			slices.Sort(seen)
			require.Equal(t, c.want, strings.Join(slices.Compact(seen), ", "))
			if c.lsas >= 0 {
				require.Equal(t, c.lsas, originated)
			}
		})
	}
}

// TestEveryStatementHasItsEffectShown makes a new statement bring its case.
func TestEveryStatementHasItsEffectShown(t *testing.T) {
	for _, row := range labtext.Grammar {
		if row.Effect == labtext.Nothing {
			continue // TestChecksAndBriefsChangeNothing
		}
		if row.Effect == labtext.AsTaken {
			continue // TestWhatIsSaidOnceHasItsEffect
		}
		for _, in := range row.In {
			if in == labtext.DefaultsOf {
				continue // the same statement where it counts
			}
			require.True(t, slices.ContainsFunc(effects, func(c effect) bool { return c.word == row.Word && c.in == in }) ||
				slices.ContainsFunc(bgpEffects, func(c bgpEffect) bool { return c.word == row.Word && c.in == in }),
				"no case changes %s in %s", row.Word, in)
		}
	}
}

// TestChecksAndBriefsChangeNothing adds everything that can be expected to a lab:
// no event is handled, and the world is as it was, to its last counter.
func TestChecksAndBriefsChangeNothing(t *testing.T) {
	const lab = "router mill\n  port e1 10.0.12.1/30\n    ospf area 0\n  port s\nrouter halt\n  port e1 10.0.12.2/30\n    ospf area 0\nlink mill.e1 halt.e1\nsegment yard mill.s\nflow f mill -> halt\n"
	const more = `flow g mill -> halt rate 5M
risk-group "duct"
  links mill.e1
  segments yard
  devices halt
check "c"
  when silence mill.e1 out
  whenever link fails except halt
  expect flow f outage < 1s
  expect reach mill -> halt
  expect no-reach mill -> halt
  expect path mill -> halt through halt avoiding mill
  expect route mill 10.0.12.0/30 source connected via halt metric < 2 local-preference > 1 as-path-length = 1 community 64500:1
  expect no-route mill 10.0.0.0/8
  expect neighbour mill halt up
  expect sent mill halt 10.0.0.0/8
  expect not-sent mill 192.0.2.1 10.0.0.0/8
brief
  text "background"
  task "do"
    check "c"
    act cut
    look map
  question "why?"
    answer "so"
plan links 10.9.0.0/16 length 30 area 0 as 64500
`
	placed := strings.Replace(lab, "router mill\n", "router mill at 40 -5\n", 1)
	placed = "lab \"T\"\n  about \"two halts\"\n  difficulty hard\n" + placed
	before := labtext.Parse(lab)
	after := labtext.Parse(placed + more)
	require.True(t, after.OK(), "%v", after.Problems)
	w := network.New()
	w.Configure(&before.Lab)
	require.Equal(t, network.Settled, w.Settle(1e6, nil))
	digest := w.Digest(true)
	w.Configure(&after.Lab)
	require.Equal(t, digest, w.Digest(true))
	words := map[string]bool{}
	for s := range strings.FieldsSeq(placed + more) {
		words[s] = true
	}
	for _, row := range labtext.Grammar {
		if row.Effect == labtext.Nothing {
			require.True(t, words[row.Word], row.Word)
		}
	}
}

// TestWhatIsSaidOnceHasItsEffect changes a statement of a template and of the defaults:
// what it does is what the statement does at each place that takes it.
func TestWhatIsSaidOnceHasItsEffect(t *testing.T) {
	text := demo.Text("triangle-with-ospf")
	for name, c := range map[string]struct{ before, after string }{
		"template": {"template trunk\n  ospf\n    cost 10\n" + strings.Replace(text, e2[:strings.Index(e2, "\n")], e2[:strings.Index(e2, "\n")]+" like trunk", 1), ""},
		"defaults": {"defaults\n  reference-bandwidth 10G\n" + text, ""},
	} {
		t.Run(name, func(t *testing.T) {
			c.after = strings.NewReplacer("cost 10\n", "cost 12\n", "bandwidth 10G\n", "bandwidth 100G\n").Replace(c.before)
			r := labtext.Parse(c.after)
			require.True(t, r.OK(), "%v", r.Problems)
			w := build(t, c.before)
			settle(t, w)
			mark := w.Notes()
			w.Configure(&r.Lab)
			settle(t, w)
			routers := map[string]bool{}
			for i := mark; i < w.Notes(); i++ {
				if n := w.NoteAt(i); n.Kind == note.LSAOriginated {
					routers[w.Device(n.Device).Name()] = true
				}
			}
			require.Len(t, routers, map[string]int{"template": 1, "defaults": 3}[name])
		})
	}
}
