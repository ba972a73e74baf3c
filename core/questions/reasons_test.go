package questions_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/lsdb"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/network"
)

// tagged is the line with a tag on its cable.
var tagged = strings.NewReplacer("port e1 10.0.12.1/30\n    ospf area 0", "port e1\n    vlan 5 10.0.12.1/30\n      ospf area 0",
	"port e1 10.0.12.2/30\n    ospf area 0", "port e1\n    vlan 5 10.0.12.2/30\n      ospf area 0").Replace(testlabs.Line)

// virtual is the line with its link in area 1, and a virtual link through it.
var virtual = strings.NewReplacer("port e1 10.0.12.1/30\n    ospf area 0", "port e1 10.0.12.1/30\n    ospf area 1",
	"port e1 10.0.12.2/30\n    ospf area 0", "port e1 10.0.12.2/30\n    ospf area 1",
	"router mill\n", "router mill\n  ospf\n    area 1\n      virtual-link 10.255.0.2\n",
	"router halt\n", "router halt\n  ospf\n    area 1\n      virtual-link 10.255.0.1\n").Replace(testlabs.Line)

// codesIn are the reasons that the views of a world show, of routes those of its
// first router.
func codesIn(w *network.World) map[string]bool {
	seen := map[string]bool{}
	for i := range w.Notes() {
		seen[w.NoteAt(i).Reason.String()] = true
	}
	for _, p := range tables.PortsOf(w, tables.PortsAsk{}).Ports {
		if p.Why != nil {
			seen[p.Why.Code] = true
		}
	}
	for _, n := range relations.NeighboursOf(w) {
		for _, r := range n.Reasons {
			code, _, _ := strings.Cut(r.Code, "-mill")
			code, _, _ = strings.Cut(code, "-halt")
			seen[code] = true
		}
	}
	for _, f := range traffic.FlowsOf(w) {
		seen[f.Code] = true
	}
	for _, row := range tables.RouteTable(w).Rows {
		for _, c := range tables.Explain(w, w.Device(0).Main(), netip.MustParsePrefix(row.Prefix)).Candidates {
			seen[c.Code] = true
		}
	}
	for _, c := range tables.Explain(w, w.Device(0).Main(), netip.MustParsePrefix("10.20.2.10/32")).Candidates {
		seen[c.Code] = true
	}
	return seen
}

// lsa sends an LSA from mill to halt, in an update of its own.
func lsa(head wire.LSAHeader, body []byte, spoil byte) func(*network.World) {
	return packet(wire.TypeUpdate, func(b []byte) []byte {
		head.Length = uint16(wire.LSAHeaderLen + len(body))
		raw := append(head.Append(nil), body...)
		sum := wire.Fletcher(raw)
		raw[16], raw[17] = byte(sum>>8), byte(sum)^spoil
		return append(append(b, 0, 0, 0, 1), raw...)
	})
}

// areaSent is the area in which packets are sent.
var areaSent uint32

// inArea does something with packets of an area.
func inArea(area uint32, do func(*network.World)) func(*network.World) {
	return func(w *network.World) {
		areaSent = area
		defer func() { areaSent = 0 }()
		do(w)
	}
}

// packet sends an OSPF packet from mill to halt.
func packet(kind uint8, body func([]byte) []byte) func(*network.World) {
	return func(w *network.World) {
		b := body(wire.Begin(nil, kind, 0x0aff0001, areaSent))
		wire.Finish(b, 0)
		w.Find("mill").Main().Send(1, wire.AllSPFRouters, b, event.Pending)
	}
}

// raw is packet without a word of it being right but the header's length.
func raw(change func(b []byte)) func(*network.World) {
	return func(w *network.World) {
		b := wire.Begin(nil, wire.TypeHello, 0x0aff0001, 0)
		wire.Finish(b, 0)
		change(b)
		w.Find("mill").Main().Send(1, wire.AllSPFRouters, b, event.Pending)
	}
}

func echo(from, to string, ttl uint8, times int) func(*network.World) {
	return func(w *network.World) {
		for i := range times {
			w.Find(from).Main().Echo(ip.Addr{}, ip.AddrFrom(netip.MustParseAddr(to)), ttl, 0, uint16(i))
		}
	}
}

func cut(w *network.World) { w.Cut(0, 1) }

var stub = (&wire.RouterBody{}).Append(nil)

// TestEachReasonIsGiven shows for every reason of the table a lab that gives
// it, and that the same lab without what was done to it does not.
func TestEachReasonIsGiven(t *testing.T) {
	own := wire.Key{Type: wire.RouterLSA, ID: 0x0aff0001, Router: 0x0aff0001}
	other := wire.Key{Type: wire.RouterLSA, ID: 0x0aff0009, Router: 0x0aff0009}
	edit := func(pairs ...string) string { return strings.NewReplacer(pairs...).Replace(testlabs.Line) }
	cases := map[note.Code]struct {
		text string
		do   func(*network.World)
	}{
		note.NotJoined:         {text: edit("link mill.e1 halt.e1\n", "")},
		note.LinkCut:           {do: cut},
		note.PortDisabled:      {text: edit("10.0.12.1/30\n", "10.0.12.1/30 disabled\n")},
		note.DeviceDisabled:    {text: edit("router halt", "router halt disabled")},
		note.FarPortDisabled:   {text: edit("10.0.12.1/30\n", "10.0.12.1/30 disabled\n")},
		note.FarDeviceDisabled: {text: edit("router halt", "router halt disabled")},

		note.PortIsDown:            {do: cut},
		note.ProtocolAbsent:        {text: edit(testlabs.MillPort, "port e1 10.0.12.1/30\n")},
		note.ProtocolDisabled:      {text: edit(testlabs.MillPort, "port e1 10.0.12.1/30\n    ospf area 0 disabled\n")},
		note.NoRouterID:            {text: "router a\n  port e1\n    ospf area 0\nrouter b\n  port e1 10.0.0.1/30\n    ospf area 0\nlink a.e1 b.e1\n"},
		note.NoAddress:             {text: edit(testlabs.MillPort, "port e1\n    ospf area 0\n")},
		note.PassivePort:           {text: edit(testlabs.MillPort, "port e1 10.0.12.1/30\n    ospf area 0 passive\n")},
		note.AreaDiffers:           {text: edit(testlabs.MillPort, "port e1 10.0.12.1/30\n    ospf area 1\n")},
		note.SubnetDiffers:         {text: edit("10.0.12.1/30", "10.0.12.1/29")},
		note.HelloIntervalDiffers:  {text: edit(testlabs.MillPort, testlabs.MillPort+"      hello-interval 5s\n      dead-interval 40s\n")},
		note.DeadIntervalDiffers:   {text: edit(testlabs.MillPort, testlabs.MillPort+"      dead-interval 30s\n")},
		note.AuthenticationDiffers: {text: edit(testlabs.MillPort, testlabs.MillPort+"      keys larch\n") + "key-chain larch\n  key 1 md5 \"leaf\"\n"},
		note.SameRouterID:          {text: edit("router halt\n", "router halt\n  router-id 10.255.0.1\n")},
		note.MTUTooLarge:           {text: edit("10.0.12.1/30", "10.0.12.1/30 mtu 1400")},
		note.LinkSilenced:          {do: func(w *network.World) { w.Silence(0, 1, network.Both) }},
		note.NothingHeard:          {do: func(w *network.World) { w.Silence(0, 1, network.Both) }},
		note.NotListed:             {do: func(w *network.World) { w.Silence(0, 1, network.In) }},
		note.StillForming:          {text: edit("10.0.12.1/30", "10.0.12.1/30 mtu 1400")},
		note.DeadIntervalExpired: {do: func(w *network.World) {
			w.Silence(0, 1, network.Out)
		}},
		note.FarEndNotAPort: {text: "router a\n  port e1 10.0.0.1/24\n    ospf area 0\nhost b 10.0.0.2/24\nlink a.e1 b\n"},

		note.TypeDiffers: {text: edit(testlabs.MillPort, testlabs.MillPort+"      type broadcast\n")},
		note.RouterIDChanged: {text: testlabs.Yard, do: func(w *network.World) {
			b := wire.Begin(nil, wire.TypeHello, 0x09090909, 0)
			h := wire.Hello{Mask: ip.Mask(24), Interval: 10, DeadInterval: 40, Options: wire.OptionE, Priority: 1}
			b = h.Append(b)
			wire.Finish(b, 0)
			w.Find("mill").Main().Send(0, wire.AllSPFRouters, b, event.Pending)
		}},
		note.NoAdjacencyNeeded: {text: testlabs.Yard},
		note.StubFlagDiffers:   {text: strings.NewReplacer("area 0", "area 1", "router mill\n", "router mill\n  ospf\n    area 1\n      stub\n").Replace(testlabs.Line)},

		note.KeyIDDiffers: {text: edit(testlabs.MillPort, testlabs.MillPort+"      keys larch\n", testlabs.HaltPort, testlabs.HaltPort+"      keys oak\n") +
			"key-chain larch\n  key 1 md5 \"leaf\"\nkey-chain oak\n  key 2 md5 \"leaf\"\n"},
		note.KeyDiffers: {text: edit(testlabs.MillPort, testlabs.MillPort+"      keys larch\n", testlabs.HaltPort, testlabs.HaltPort+"      keys oak\n") +
			"key-chain larch\n  key 1 md5 \"leaf\"\nkey-chain oak\n  key 1 md5 \"needle\"\n"},
		note.KeyNotInTime: {text: edit(testlabs.MillPort, testlabs.MillPort+"      keys larch\n", testlabs.HaltPort, testlabs.HaltPort+"      keys oak\n") +
			"key-chain larch\n  key 1 md5 \"leaf\"\nkey-chain oak\n  key 1 md5 \"leaf\" accept 1h..\n"},
		note.ProcessRestarted: {do: func(w *network.World) { w.Find("mill").Main().RestartOSPF() }},
		note.ReplayedPacket: {text: edit(testlabs.MillPort, testlabs.MillPort+"      keys larch\n", testlabs.HaltPort, testlabs.HaltPort+"      keys larch\n") +
			"key-chain larch\n  key 1 hmac-sha-256 \"leaf\"\n", do: func(w *network.World) {
			b := wire.Sign(wire.Begin(nil, wire.TypeHello, 0x0aff0001, 0), wire.SHA256, 1, "leaf", 7)
			w.Find("mill").Main().Send(1, wire.AllSPFRouters, b, event.Pending)
		}},

		note.NoTransitPath:     {text: virtual, do: cut},
		note.VirtualUnanswered: {text: strings.Replace(virtual, "      virtual-link 10.255.0.2\n", "", 1)},
		note.TagDiffers:        {text: strings.Replace(tagged, "vlan 5 10.0.12.2/30", "vlan 6 10.0.12.2/30", 1)},

		note.Malformed:     {do: raw(func(b []byte) { b[0] = 3 })},
		note.BadChecksum:   {do: raw(func(b []byte) { b[12] ^= 1 })},
		note.UnknownLSA:    {do: lsa(wire.LSAHeader{Key: wire.Key{Type: 9, ID: 1, Router: 2}, Seq: 1}, stub, 0)},
		note.TooSoon:       {do: twice(lsa(wire.LSAHeader{Key: other, Seq: 1}, stub, 0), lsa(wire.LSAHeader{Key: other, Seq: 2}, stub, 0))},
		note.OlderThanOurs: {do: lsa(wire.LSAHeader{Key: own, Seq: lsdb.InitialSeq - 1}, stub, 0)},
		note.NoNeighbour: {do: func(w *network.World) {
			b := wire.Begin(nil, wire.TypeDD, 0x01010101, 0)
			wire.Finish(b, 0)
			w.Find("mill").Main().Send(1, wire.AllSPFRouters, b, event.Pending)
		}},

		note.StubTakesNoExternal: {text: strings.NewReplacer("area 0", "area 1", "router mill\n", "router mill\n  ospf\n    area 1\n      stub\n",
			"router halt\n", "router halt\n  ospf\n    area 1\n      stub\n").Replace(testlabs.Line),
			do: inArea(1, lsa(wire.LSAHeader{Key: wire.Key{Type: wire.ExternalLSA, ID: 0x0a0a0000, Router: 0x0aff0001}, Seq: 1},
				(&wire.ExternalBody{Mask: ip.Mask(16)}).Append(nil), 0))},

		note.NoRoute:        {text: edit(testlabs.HaltPort, "port e1 10.0.12.2/30\n")},
		note.Blackholed:     {text: edit("router mill\n", "router mill\n  static 10.20.2.0/25 blackhole\n")},
		note.TTLExpired:     {do: echo("gate", "10.20.2.10", 1, 1)},
		note.NoAnswerToARP:  {do: echo("gate", "10.20.1.77", 64, 1)},
		note.NotForThisHost: {text: edit("gateway 10.20.1.1", "gateway 10.20.1.11") + "host porter 10.20.1.11/24\nsegment yard2 porter\n", do: nil},
		note.Loop: {text: edit("router mill\n", "router mill\n  static 10.20.2.0/25 via 10.0.12.2\n",
			"router halt\n", "router halt\n  static 10.20.2.0/25 via 10.0.12.1\n")},
		note.QueuedTooLong: {do: echo("gate", "10.20.1.77", 64, 20)},

		note.LessSpecific:    {text: edit("router mill\n", "router mill\n  static 10.20.2.0/25 blackhole\n")},
		note.WorsePreference: {text: edit("router mill\n", "router mill\n  static 10.20.2.0/24 blackhole\n")},
		note.HigherCost: {text: edit("link mill.e1 halt.e1\n", "link mill.e1 halt.e1\nlink mill.e2 halt.e2\n",
			testlabs.MillPort, testlabs.MillPort+"  port e2 10.0.13.1/30\n    ospf area 0\n      cost 50\n",
			testlabs.HaltPort, testlabs.HaltPort+"  port e2 10.0.13.2/30\n    ospf area 0\n      cost 50\n")},
		note.HopUnresolved: {text: edit("router mill\n", "router mill\n  static 10.20.2.0/24 via 10.77.0.1\n")},
	}
	// On a segment, packets for a gateway that is a host end there.
	c := cases[note.NotForThisHost]
	c.text = strings.Replace(c.text, "segment yard mill.lan gate", "segment yard mill.lan gate porter", 1)
	c.text = strings.Replace(c.text, "segment yard2 porter\n", "", 1)
	cases[note.NotForThisHost] = c

	sound := codesIn(testlabs.Settled(t, testlabs.Line))
	for _, well := range []string{tagged, virtual} {
		for _, code := range []note.Code{note.NoTransitPath, note.VirtualUnanswered, note.TagDiffers} {
			require.False(t, codesIn(testlabs.Settled(t, well))[code.String()], "%s in\n%s", code, well)
		}
	}
	for code := note.Code(1); code < note.PeerDisabled; code++ { // the others: TestEachBGPReasonIsGiven
		t.Run(code.String(), func(t *testing.T) {
			c, ok := cases[code]
			require.True(t, ok, "no lab gives this reason")
			require.False(t, sound[code.String()], "the sound network gives it too")
			text := c.text
			if text == "" {
				text = testlabs.Line
			}
			w := testlabs.Settled(t, text)
			if c.do != nil {
				c.do(w)
				require.Equal(t, network.Settled, w.Settle(1e6, nil))
			}
			require.True(t, codesIn(w)[code.String()], "the lab does not give it")
			require.True(t, answered(t, w)[code.String()], "no question brings it up")
			firstFixMends(t, w, text, c.do, code)
		})
	}
}

// twice does one thing, and the other before a second has passed.
func twice(first, second func(*network.World)) func(*network.World) {
	return func(w *network.World) {
		first(w)
		w.RunUntil(w.Now()+500*event.Millisecond, 1e6)
		second(w)
	}
}
