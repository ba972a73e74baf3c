package interchange_test

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/gopacket/gopacket/pcapgo"
	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/store"
	bgpwire "hellebore/core/protocols/wire/bgp"
	"hellebore/core/protocols/wire/inet"
	wire "hellebore/core/protocols/wire/ospf"
	tcpwire "hellebore/core/protocols/wire/tcp"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/interchange"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// analysed are the fields that an independent analyser is asked for, in the order
// in which ours are in a line.
var analysed = []string{"vlan.id", "ip.src", "ip.dst", "ospf.msg", "ospf.srcrouter", "ospf.area_id", "ospf.auth.type",
	"ospf.hello.hello_interval", "ospf.hello.router_priority", "ospf.hello.router_dead_interval", "ospf.hello.designated_router",
	"ospf.hello.active_neighbor", "ospf.db.interface_mtu", "ospf.db.dd_sequence", "ospf.ls.number_of_lsas",
	"ospf.lsa.age", "ospf.lsa", "ospf.lsa.id", "ospf.advrouter", "ospf.lsa.seqnum", "ospf.lsa.chksum", "ospf.lsa.length",
	"ospf.link_state_id", "ospf.lsa.router.linktype", "ospf.lsa.router.linkid", "ospf.lsa.router.linkdata", "ospf.lsa.router.metric0",
	"ospf.lsa.network.attchrtr", "ospf.lsa.asext.fwdaddr", "ospf.lsa.asext.extrttag",
	"tcp.srcport", "tcp.dstport", "tcp.seq_raw", "tcp.ack_raw", "tcp.window_size_value", "tcp.options.mss_val", "tcp.options.md5.digest",
	"bgp.type", "bgp.length", "bgp.open.myas", "bgp.open.holdtime", "bgp.open.identifier", "bgp.cap.type", "bgp.cap.4as", "bgp.notify.major_error",
	"bgp.update.path_attribute.origin", "bgp.update.path_attribute.as_path_segment.as4", "bgp.update.path_attribute.next_hop",
	"bgp.update.path_attribute.multi_exit_disc", "bgp.update.path_attribute.local_pref", "bgp.update.path_attribute.community_as",
	"bgp.update.path_attribute.community_value", "bgp.update.path_attribute.originator_id", "bgp.prefix_length"}

// ours writes a frame's fields as the analyser would.
func ours(b []byte) string {
	f, _ := inet.ReadFrame(b)
	v := map[string][]string{}
	put := func(field, format string, args ...any) { v[field] = append(v[field], fmt.Sprintf(format, args...)) }
	if f.VLAN != 0 {
		put("vlan.id", "%d", f.VLAN)
	}
	p, ok := inet.ReadPacket(f.Payload)
	if !ok || f.Type != inet.TypeIPv4 {
		return line(v)
	}
	put("ip.src", "%v", p.Src)
	put("ip.dst", "%v", p.Dst)
	if p.Protocol == inet.ProtoTCP {
		segmentFields(&p, put)
		return line(v)
	}
	head, fail := wire.Read(p.Payload)
	if p.Protocol != inet.ProtoOSPF || fail != wire.OK {
		return line(v)
	}
	put("ospf.msg", "%d", head.Type)
	put("ospf.srcrouter", "%v", head.RouterID)
	put("ospf.area_id", "%v", ip.Quad(head.Area))
	put("ospf.auth.type", "%d", head.AuType)
	header := func(h wire.LSAHeader) {
		put("ospf.lsa.age", "%d", h.Age)
		put("ospf.lsa", "%d", h.Key.Type)
		put("ospf.lsa.id", "%v", h.Key.ID)
		put("ospf.advrouter", "%v", h.Key.Router)
		put("ospf.lsa.seqnum", "0x%08x", uint32(h.Seq))
		put("ospf.lsa.chksum", "0x%04x", h.Checksum)
		put("ospf.lsa.length", "%d", h.Length)
	}
	headers := func(b []byte) {
		for len(b) >= wire.LSAHeaderLen {
			h, _ := wire.ReadLSAHeader(b)
			header(h)
			b = b[wire.LSAHeaderLen:]
		}
	}
	switch head.Type {
	case wire.TypeHello:
		h, _ := wire.ReadHello(head.Body)
		put("ospf.hello.hello_interval", "%d", h.Interval)
		put("ospf.hello.router_priority", "%d", h.Priority)
		put("ospf.hello.router_dead_interval", "%d", h.DeadInterval)
		put("ospf.hello.designated_router", "%v", h.DR)
		for n := h.Neighbours; len(n) >= 4; n = n[4:] {
			put("ospf.hello.active_neighbor", "%d.%d.%d.%d", n[0], n[1], n[2], n[3])
		}
	case wire.TypeDD:
		d, _ := wire.ReadDD(head.Body)
		put("ospf.db.interface_mtu", "%d", d.MTU)
		put("ospf.db.dd_sequence", "%d", d.Seq)
		headers(d.Headers)
	case wire.TypeUpdate:
		n, list, _ := wire.UpdateCount(head.Body)
		put("ospf.ls.number_of_lsas", "%d", n)
		for range n {
			h, raw, ok := wire.NextLSA(&list)
			if !ok {
				break
			}
			header(h)
			body := raw[wire.LSAHeaderLen:]
			switch h.Key.Type {
			case wire.RouterLSA:
				r, _ := wire.ReadRouter(body)
				for _, l := range r.Links {
					put("ospf.lsa.router.linktype", "%d", l.Type)
					put("ospf.lsa.router.linkid", "%v", l.ID)
					put("ospf.lsa.router.linkdata", "%v", l.Data)
					put("ospf.lsa.router.metric0", "%d", l.Metric)
				}
			case wire.NetworkLSA:
				n, _ := wire.ReadNetwork(body)
				for _, r := range n.Routers {
					put("ospf.lsa.network.attchrtr", "%v", r)
				}
			case wire.ExternalLSA, wire.NSSALSA:
				e, _ := wire.ReadExternal(body)
				put("ospf.lsa.asext.fwdaddr", "%v", e.Forward)
				put("ospf.lsa.asext.extrttag", "%d", e.Tag)
			}
		}
	case wire.TypeRequest:
		for list := head.Body; len(list) > 0; {
			k, ok := wire.NextRequest(&list)
			if !ok {
				break
			}
			put("ospf.lsa", "%d", k.Type)
			put("ospf.link_state_id", "%v", k.ID)
			put("ospf.advrouter", "%v", k.Router)
		}
	case wire.TypeAck:
		headers(head.Body)
	}
	return line(v)
}

// segmentFields are the fields of a segment and of the BGP messages that are
// whole in it.
func segmentFields(p *inet.Packet, put func(field, format string, args ...any)) {
	g, _ := tcpwire.Read(p.Payload, p.Src, p.Dst)
	put("tcp.srcport", "%d", g.SrcPort)
	put("tcp.dstport", "%d", g.DstPort)
	put("tcp.seq_raw", "%d", g.Seq)
	put("tcp.ack_raw", "%d", g.Ack)
	put("tcp.window_size_value", "%d", g.Window)
	if g.Digest != nil {
		put("tcp.options.md5.digest", "%x", g.Digest)
	}
	if g.MSS != 0 {
		put("tcp.options.mss_val", "%d", g.MSS)
	}
	if g.SrcPort != bgpwire.Port && g.DstPort != bgpwire.Port {
		return
	}
	for b := g.Payload; len(b) > 0; {
		t, body, n, _ := bgpwire.Split(b)
		if n == 0 {
			return
		}
		b = b[n:]
		put("bgp.type", "%d", t)
		put("bgp.length", "%d", n)
		switch t {
		case bgpwire.TypeOpen:
			o, _ := bgpwire.ReadOpen(body)
			put("bgp.open.myas", "%d", o.AS)
			put("bgp.open.holdtime", "%d", o.HoldTime)
			put("bgp.open.identifier", "%v", o.ID)
			for _, c := range o.Caps {
				put("bgp.cap.type", "%d", c.Code)
				if c.Code == bgpwire.CapFourOctetAS {
					put("bgp.cap.4as", "%d", o.FullAS())
				}
			}
		case bgpwire.TypeNotification:
			put("bgp.notify.major_error", "%d", bgpwire.ReadNotification(body).Code)
		case bgpwire.TypeUpdate:
			u, _ := bgpwire.ReadUpdate(body)
			bgpwire.Prefixes(u.Withdrawn, func(x ip.Prefix) { put("bgp.prefix_length", "%d", x.Len) })
			if len(u.Announced) > 0 {
				a, _ := bgpwire.ReadAttributes(u.Attributes, bgpwire.Peer{FourOctet: true})
				put("bgp.update.path_attribute.origin", "%d", a.Origin)
				a.Path.Each(func(as uint32) { put("bgp.update.path_attribute.as_path_segment.as4", "%d", as) })
				put("bgp.update.path_attribute.next_hop", "%v", ip.Addr(a.NextHop))
				if a.HasMED {
					put("bgp.update.path_attribute.multi_exit_disc", "%d", a.MED)
				}
				if a.HasLocalPref {
					put("bgp.update.path_attribute.local_pref", "%d", a.LocalPref)
				}
				for _, c := range a.Communities {
					put("bgp.update.path_attribute.community_as", "%d", c>>16)
					put("bgp.update.path_attribute.community_value", "%d", c&0xffff)
				}
				if a.Originator != 0 {
					put("bgp.update.path_attribute.originator_id", "%v", ip.V4(a.Originator))
				}
			}
			bgpwire.Prefixes(u.Announced, func(x ip.Prefix) { put("bgp.prefix_length", "%d", x.Len) })
		}
	}
}

func line(v map[string][]string) string {
	out := make([]string, len(analysed))
	for i, f := range analysed {
		out[i] = strings.Join(v[f], ",")
	}
	return strings.Join(out, "\t")
}

// TestTheAnalyserReadsWhatWeRead compares, packet by packet, the fields that an
// independent analyser decodes with those that we do.
func TestTheAnalyserReadsWhatWeRead(t *testing.T) {
	for _, l := range demo.Labs() {
		t.Run(l.Slug, func(t *testing.T) {
			h := played(t, l.Text)
			w := h.Head()
			var all bytes.Buffer
			var want []string
			for i := range w.Media() {
				m := &w.Media()[i]
				_, err := interchange.Pcapng(&all, h, w, m.Ends[0].Device, m.Ends[0].Port, history.Moment{}, h.Now(), nil)
				require.NoError(t, err)
				require.NoError(t, h.Frames(0, h.Now().At, func(f history.Frame) {
					if onMedium(m, f) {
						want = append(want, ours(f.Bytes))
					}
				}, nil))
			}
			if len(want) == 0 {
				return // nobody has said anything yet
			}
			file := filepath.Join(t.TempDir(), "all.pcapng")
			require.NoError(t, os.WriteFile(file, all.Bytes(), 0o600))
			args := []string{"-o", "tcp.desegment_tcp_streams:FALSE", "-o", "tcp.analyze_sequence_numbers:FALSE", "-T", "fields"}
			for _, f := range analysed {
				args = append(args, "-e", f)
			}
			got := strings.Split(strings.TrimRight(tshark(t, file, args...), "\n"), "\n")
			require.Len(t, got, len(want))
			for i := range want {
				require.Equal(t, want[i], got[i], "packet %d", i)
			}
		})
	}
}

func onMedium(m *network.Medium, f history.Frame) bool {
	for _, e := range m.Ends {
		if e.Device == f.Device && e.Port == f.Port {
			return true
		}
	}
	return false
}

// TestTheAnalyserFollowsTCP has an independent analyser follow connections that
// open, are refused, and close: it finds no wrong checksum, nothing lost and
// nothing out of order.
func TestTheAnalyserFollowsTCP(t *testing.T) {
	h := played(t, demo.Text("triangle-with-ospf")+"host door 10.20.9.10/24 gateway 10.20.9.1\n  service 80\n  service 443 \"tickets\"\n"+
		"router porch\n  port lan 10.20.9.1/24\n  port e1 10.20.8.1/24\nhost bell 10.20.8.10/24 gateway 10.20.8.1\n"+
		"segment door-step porch.lan door\nsegment bell-wire porch.e1 bell\n")
	w := h.Fork(h.Now())
	file := filepath.Join(t.TempDir(), "tcp.pcapng")
	out, err := os.Create(file)
	require.NoError(t, err)
	ng, err := pcapgo.NewNgWriter(out, layers.LinkTypeEthernet)
	require.NoError(t, err)
	bell, door := w.Find("bell"), w.Find("door")
	segments := 0
	w.OnFrame = func(at event.Time, dev, _ uint32, f []byte) {
		if p, ok := inet.ReadPacket(f[inet.FrameHeader:]); ok && p.Protocol == inet.ProtoTCP && (dev == bell.ID() || dev == door.ID()) {
			segments++
			require.NoError(t, ng.WritePacket(gopacket.CaptureInfo{Timestamp: time.Unix(0, int64(at)), CaptureLength: len(f), Length: len(f)}, f))
		}
	}
	for _, port := range []uint16{80, 443, 81} {
		id := bell.Main().Connect(ip.Addr{}, door.Ports()[0].Address(), port)
		w.RunUntil(w.Now()+5*event.Second, 1e6)
		bell.Main().Disconnect(id)
		w.RunUntil(w.Now()+5*event.Second, 1e6)
	}
	require.NoError(t, ng.Flush())
	require.NoError(t, out.Close())
	require.Equal(t, 2*6+2, segments, "two connections of six segments, and a refusal of two")
	require.Empty(t, tshark(t, file, "-o", "tcp.check_checksum:TRUE", "-Y", "tcp.checksum.status == 0 or tcp.analysis.flags or _ws.malformed"))
	require.Len(t, strings.Split(strings.TrimSpace(tshark(t, file, "-Y", "tcp.flags.reset == 1")), "\n"), 1)
}

// TestTheAnalyserFollowsBGP has an independent analyser follow all BGP connections
// of all demo labs, each packet as its maker sent it: no segment is malformed,
// lost, sent again or out of order, and no message is.
func TestTheAnalyserFollowsBGP(t *testing.T) {
	followed := 0
	for _, l := range demo.Labs() {
		h := played(t, l.Text)
		w := h.Head()
		// One file for all, but where the same addresses are used twice: there one for each link.
		files := map[store.Ref]*bytes.Buffer{}
		writers := map[store.Ref]*pcapgo.NgWriter{}
		count := 0
		// Until the link is cut: what is lost then is sent again, as it should be.
		require.NoError(t, h.Frames(0, h.Steps()[0].After.Now(), func(f history.Frame) {
			frame, _ := inet.ReadFrame(f.Bytes)
			p, ok := inet.ReadPacket(frame.Payload)
			if !ok || p.Protocol != inet.ProtoTCP || !slices.ContainsFunc(facts.Instances(w.Device(f.Device)), func(i *device.Instance) bool { return i.Local(p.Src) }) {
				return
			}
			count++
			link := store.Ref(0)
			if w.SeveralInstances() {
				link = w.Device(f.Device).Ports()[f.Port].Joint
			}
			if files[link] == nil {
				files[link] = &bytes.Buffer{}
				ng, err := pcapgo.NewNgWriter(files[link], layers.LinkTypeEthernet)
				require.NoError(t, err)
				writers[link] = ng
			}
			require.NoError(t, writers[link].WritePacket(gopacket.CaptureInfo{Timestamp: time.Unix(0, int64(f.At)), CaptureLength: len(f.Bytes), Length: len(f.Bytes)}, f.Bytes))
		}, nil))
		if count == 0 {
			continue
		}
		followed++
		for link, out := range files {
			require.NoError(t, writers[link].Flush())
			file := filepath.Join(t.TempDir(), "bgp.pcapng")
			require.NoError(t, os.WriteFile(file, out.Bytes(), 0o600))
			require.Empty(t, tshark(t, file, "-o", "tcp.check_checksum:TRUE",
				"-Y", "tcp.checksum.status == 0 or (tcp.analysis.flags and not tcp.flags.reset == 1) or _ws.malformed or (_ws.expert.severity >= 6291456 and not tcp.flags.reset == 1)"), l.Slug)
		}
	}
	require.NotZero(t, followed)
}
