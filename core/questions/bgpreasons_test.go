package questions_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/tcp"
	bgpwire "hellebore/core/protocols/wire/bgp"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

const (
	millToFord = "    peer 192.0.2.2 as 64496\n"
	fordBGP    = "  bgp as 64496\n    originate 198.51.100.0/24\n    peer 192.0.2.1 as 64500\n      export-policy out\n"
	// shared has weir bring in the prefix as well.
	weirBGP    = "  bgp as 64497\n"
	sharedText = "  static 198.51.100.0/24 blackhole\n  bgp as 64497\n    originate 198.51.100.0/24\n"
)

// inner is one AS: mill with ford, weir and reed around it, of which ford and
// weir bring in the same prefix.
const inner = `router mill
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port e1 10.0.12.1/30
    ospf area 0
  port e2 10.0.13.1/30
    ospf area 0
  bgp as 64500
    peer 10.255.0.2 as 64500
      local-address lo
    peer 10.255.0.3 as 64500
      local-address lo
router ford
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 10.0.12.2/30
    ospf area 0
  static 198.51.100.0/24 blackhole
  bgp as 64500
    originate 198.51.100.0/24
    peer 10.255.0.1 as 64500
      local-address lo
router weir
  loopback lo 10.255.0.3/32
    ospf area 0 passive
  port e2 10.0.13.2/30
    ospf area 0
  static 198.51.100.0/24 blackhole
  bgp as 64500
    originate 198.51.100.0/24
    peer 10.255.0.1 as 64500
      local-address lo
link mill.e1 ford.e1
link mill.e2 weir.e2
`

// pathCodes are the reasons that the views show, those about paths included.
func pathCodes(w *network.World) map[string]bool {
	seen := codesIn(w)
	for id := range w.Shared().Prefixes.Len() {
		p := w.Shared().Prefixes.Prefix(id)
		for _, r := range paths.PathsTo(w, p.Netip(), "").Routers {
			for _, x := range r.Paths {
				seen[x.Code] = true
			}
			for _, x := range r.Sent {
				seen[x.Code] = true
			}
		}
	}
	return seen
}

func onPeer(router, peer string, what func(d *device.Device, s *bgp.Speaker, i int)) func(*network.World) {
	return func(w *network.World) {
		d := w.Find(router)
		d.Main().Peer(ip.AddrFrom(netip.MustParseAddr(peer)), func(s *bgp.Speaker, i int) bool { what(d, s, i); return true })
	}
}

// rawSpeaker has ford, which speaks no BGP itself, open a connection to mill and
// do something with it.
func rawSpeaker(do func(ford *device.Device, conn uint32)) func(*network.World) {
	return func(w *network.World) {
		ford := w.Find("ford")
		conn := ford.Main().OpenTCP(ip.V4(0xc0000202), ip.V4(0xc0000201), tcp.Terms{TTL: 1})
		w.RunUntil(w.Now()+100*event.Millisecond, 1e6)
		do(ford, conn)
		w.RunUntil(w.Now()+100*event.Millisecond, 1e6)
	}
}

func says(b []byte) func(ford *device.Device, conn uint32) {
	return func(ford *device.Device, conn uint32) { ford.Main().WriteTCP(conn, b) }
}

const heron = "key-chain heron\n  key 1 md5 \"grey-wing\"\n"

func TestEachBGPReasonIsGiven(t *testing.T) {
	edit := func(pairs ...string) string { return strings.NewReplacer(pairs...).Replace(testlabs.Rail) }
	within := func(pairs ...string) string { return strings.NewReplacer(pairs...).Replace(inner) }
	silent := edit(fordBGP, "")
	toMill := func(action string) string { return edit("  statement all\n", "  statement all\n    "+action+"\n") }
	shared := func(pairs ...string) string {
		return strings.NewReplacer(append(pairs, weirBGP, sharedText)...).Replace(testlabs.Rail)
	}
	link := func(w *network.World, silence bool) {
		i, _ := w.Find("mill").Port("x1")
		if silence {
			w.Silence(w.Find("mill").ID(), i, network.Both)
		} else {
			w.Cut(w.Find("mill").ID(), i)
		}
	}
	ring := func(pairs ...string) string { return strings.NewReplacer(pairs...).Replace(ringOfReflectors) }
	cases := map[note.Code]struct {
		text string
		do   func(*network.World)
	}{
		note.PeerDisabled: {text: edit(millToFord, millToFord+"      disabled\n")},
		note.PeerRemoved: {do: func(w *network.World) {
			r := labtext.Parse(edit(millToFord, ""))
			w.Configure(&r.Lab)
		}},
		note.SessionReset:         {do: onPeer("mill", "192.0.2.2", func(d *device.Device, s *bgp.Speaker, i int) { s.Reset(d.Main(), i, "") })},
		note.NoRouteToPeer:        {text: edit("port e1 10.0.12.1/30\n    ospf area 0\n", "port e1 10.0.12.1/30\n")},
		note.PeerNotOnLink:        {text: edit(millToFord, "    peer 192.0.2.9 as 64496\n")},
		note.PeerLinkDown:         {do: func(w *network.World) { link(w, false) }},
		note.NoLocalAddress:       {text: edit("loopback lo 10.255.0.1/32\n", "loopback lo 10.255.0.1/32 disabled\n")},
		note.PeerIsLocal:          {text: edit(millToFord, millToFord+"    peer 10.0.12.1 as 64500\n")},
		note.PeerUnknown:          {text: edit(millToFord, "")},
		note.WrongLocalAddress:    {text: edit("    peer 10.255.0.2 as 64500\n", "    peer 10.0.12.2 as 64500\n")},
		note.PeerASDiffers:        {text: edit(millToFord, "    peer 192.0.2.2 as 64499\n")},
		note.BothPassive:          {text: edit(millToFord, millToFord+"      passive\n", "    peer 192.0.2.1 as 64500\n", "    peer 192.0.2.1 as 64500\n      passive\n")},
		note.TTLTooLow:            {text: edit(millToFord, millToFord+"      ttl-security 1\n")},
		note.SignatureMissing:     {text: edit(millToFord, millToFord+"      keys heron\n") + heron},
		note.SignatureUnexpected:  {text: edit(millToFord, millToFord+"      keys heron\n") + heron},
		note.SignatureDiffers:     {text: edit(millToFord, millToFord+"      keys heron\n", "    peer 192.0.2.1 as 64500\n", "    peer 192.0.2.1 as 64500\n      keys egret\n") + heron + "key-chain egret\n  key 1 md5 \"white-wing\"\n"},
		note.ConnectionUnanswered: {do: func(w *network.World) { link(w, true) }},
		note.ConnectionRefused:    {text: silent},
		note.ConnectionReset:      {text: silent, do: rawSpeaker(func(ford *device.Device, conn uint32) { ford.Main().AbortTCP(conn) })},
		note.ConnectionClosed:     {text: silent, do: rawSpeaker(func(ford *device.Device, conn uint32) { ford.Main().CloseTCP(conn) })},
		note.ConnectionLost: {text: edit(millToFord, millToFord+"      hold-time 0s\n"), do: func(w *network.World) {
			link(w, true)
			onPeer("mill", "192.0.2.2", func(d *device.Device, s *bgp.Speaker, i int) { s.AskAgain(d.Main(), i) })(w)
		}},
		note.Collision:            {text: edit("link mill.x1 ford.x1\n", "link mill.x1 ford.x1 delay 5s\n")},
		note.HoldTimeExpired:      {do: func(w *network.World) { link(w, true) }},
		note.NotificationReceived: {text: edit(millToFord, "    peer 192.0.2.2 as 64499\n")},
		note.MalformedMessage:     {text: silent, do: rawSpeaker(says(make([]byte, 40)))},
		note.UnexpectedMessage:    {text: silent, do: rawSpeaker(says(bgpwire.Keepalive(nil)))},
		note.NoCommonFamily: {text: silent, do: rawSpeaker(says((&bgpwire.Open{Version: 4, AS: 64496, HoldTime: 90, ID: 0xc0000202,
			Caps: []bgpwire.Capability{{Code: bgpwire.CapMultiprotocol, Value: []byte{0, 2, 0, 1}}}}).Append(nil)))},
		note.PrefixLimit: {text: edit(millToFord, millToFord+"      max-prefixes 1\n", fordBGP, "  static 198.51.101.0/24 blackhole\n"+fordBGP+"    originate 198.51.101.0/24\n")},

		note.OwnASInPath:      {text: strings.Replace(toMill("replace as-path 64500"), "export-policy out", "export-policy out\n      loop-check off", 1)},
		note.NextHopIsLocal:   {text: toMill("set next-hop peer")},
		note.NextHopNotOnLink: {text: toMill("set next-hop 203.0.113.9")},
		note.NoImportPolicy:   {text: edit("    peer 10.255.0.2 as 64500\n", "    external-policy required\n    peer 10.255.0.2 as 64500\n")},
		note.NoExportPolicy:   {text: edit("    peer 10.255.0.1 as 64500\n", "    external-policy required\n    peer 10.255.0.1 as 64500\n")},
		note.PolicyRejected:   {text: edit(millToFord, millToFord+"      import-policy nothing\n") + "policy nothing\n  otherwise reject\n"},
		note.OwnOriginator:    {text: ring()},
		note.OwnCluster: {text: ring("      import-policy nothing\n", "", "  bgp as 64500\n    peer 10.255.0.1 as 64500\n      client",
			"  bgp as 64500\n    cluster-id 10.0.0.9\n    peer 10.255.0.1 as 64500\n      client")},

		note.NextHopUnresolved:       {text: edit("      next-hop-self\n    peer 192.0.2.2", "    peer 192.0.2.2")},
		note.LocalPathPreferred:      {text: edit("  bgp as 64500\n    peer 10.255.0.2", "  static 198.51.100.0/24 blackhole\n  bgp as 64500\n    originate 198.51.100.0/24\n    peer 10.255.0.2")},
		note.LowerLocalPref:          {text: shared("    peer 192.0.2.6 as 64497\n", "    peer 192.0.2.6 as 64497\n      import-policy high\n") + "policy high\n  statement all\n    set local-preference 200\n    accept\n"},
		note.LongerASPath:            {text: strings.Replace(shared(), "  statement all\n", "  statement all\n    prepend 64496\n", 1)},
		note.WorseOrigin:             {text: strings.Replace(shared(), "  statement all\n", "  statement all\n    set origin egp\n", 1)},
		note.HigherMED:               {text: strings.Replace(shared("  bgp as 64500\n    peer 10.255.0.2", "  bgp as 64500\n    med-among all\n    peer 10.255.0.2"), "  statement all\n", "  statement all\n    set med 5\n", 1)},
		note.InternalLosesToExternal: {text: shared()},
		note.HigherInteriorCost:      {text: within("port e2 10.0.13.1/30\n    ospf area 0\n", "port e2 10.0.13.1/30\n    ospf area 0\n      cost 99\n")},
		note.HigherRouterID:          {text: inner},
		note.LongerClusterList:       {text: ring("      import-policy nothing\n", "")},
		note.HigherPeerAddress: {text: within("    peer 10.255.0.3 as 64500\n      local-address lo\nrouter ford", "    peer 10.255.0.3 as 64500\n      local-address lo\n    peer 10.0.12.2 as 64500\nrouter ford",
			"    originate 198.51.100.0/24\n    peer 10.255.0.1 as 64500\n      local-address lo\nrouter weir", "    originate 198.51.100.0/24\n    peer 10.255.0.1 as 64500\n      local-address lo\n      export-policy one\n    peer 10.0.12.1 as 64500\n      export-policy one\nrouter weir",
			"    originate 198.51.100.0/24\n    peer 10.255.0.1 as 64500\n      local-address lo\nlink", "    peer 10.255.0.1 as 64500\n      local-address lo\nlink") +
			"policy one\n  statement all\n    set next-hop 10.255.0.2\n    accept\n"},

		note.NoBestPath:           {text: edit("      next-hop-self\n    peer 192.0.2.2", "    peer 192.0.2.2")},
		note.CommunityNoAdvertise: {text: toMill("add community no-advertise")},
		note.CommunityNoExport:    {text: toMill("add community no-export")},
		note.BetweenInternal:      {text: inner},
		note.PeerASInPath:         {text: toMill("replace as-path 64497")},
		note.WithinAggregate:      {text: edit("  bgp as 64500\n    peer 10.255.0.2", "  bgp as 64500\n    aggregate 198.51.0.0/16 alone\n    peer 10.255.0.2")},
		note.FromThatPeer:         {text: testlabs.Rail},
		note.UpdateTooLong:        {text: toMill("prepend" + strings.Repeat(" 64510", 1100))},
		note.NotInUse:             {text: edit("  port x1 192.0.2.5/30\n  bgp as 64500\n", "  port x1 192.0.2.5/30\n  static 198.51.100.0/24 blackhole\n  bgp as 64500\n    in-use-only\n")},
		note.PeerCaptured:         {text: edit(fordBGP, "  static 10.255.0.2/32 blackhole\n"+strings.Replace(fordBGP, "    originate", "    originate 10.255.0.2/32\n    originate", 1))},
		note.TTLTooShort:          {text: testlabs.Corner(t, "bgp/ttl1")},
		note.SharedByOneAS:        {text: testlabs.Corner(t, "bgp/mp")},
		note.SharingIsFull:        {text: strings.Replace(testlabs.Corner(t, "bgp/mp"), "multipath 4", "multipath 2 any-as", 1)},
	}
	sound := pathCodes(testlabs.Settled(t, testlabs.Rail))
	for code := note.PeerDisabled; int(code) < len(note.Reasons); code++ {
		t.Run(code.String(), func(t *testing.T) {
			c, ok := cases[code]
			require.True(t, ok, "no lab gives this reason")
			if code != note.FromThatPeer {
				require.False(t, sound[code.String()], "the sound network gives it too")
			}
			text := c.text
			if text == "" {
				text = testlabs.Rail
			}
			w := testlabs.Settled(t, text)
			if c.do != nil {
				c.do(w)
				if !pathCodes(w)[code.String()] { // what attempts come to is overwritten by later ones
					require.Equal(t, network.Settled, w.Settle(1e6, nil))
				}
			}
			require.True(t, pathCodes(w)[code.String()], "the lab does not give it")
			require.True(t, answered(t, w)[code.String()], "no question brings it up")
			firstFixMends(t, w, text, c.do, code)
		})
	}
}

// ringOfReflectors is mill, a client of both ford and weir, which reflect to each
// other. Weir takes nothing from mill itself, so it hears mill's path from ford.
const ringOfReflectors = `router mill
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port e1 10.0.12.1/30
    ospf area 0
  port e2 10.0.13.1/30
    ospf area 0
  static 198.51.100.0/24 blackhole
  bgp as 64500
    originate 198.51.100.0/24
    peer 10.255.0.2 as 64500
      local-address lo
    peer 10.255.0.3 as 64500
      local-address lo
router ford
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 10.0.12.2/30
    ospf area 0
  bgp as 64500
    peer 10.255.0.1 as 64500
      client
      local-address lo
    peer 10.255.0.3 as 64500
      local-address lo
router weir
  loopback lo 10.255.0.3/32
    ospf area 0 passive
  port e2 10.0.13.2/30
    ospf area 0
  bgp as 64500
    peer 10.255.0.1 as 64500
      client
      local-address lo
      import-policy nothing
    peer 10.255.0.2 as 64500
      local-address lo
link mill.e1 ford.e1
link mill.e2 weir.e2
policy nothing
  otherwise reject
`
