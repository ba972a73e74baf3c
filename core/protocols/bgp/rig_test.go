package bgp

import (
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/tcp"
	wire "hellebore/core/protocols/wire/bgp"
)

// rig is one speaker, its peer played by the test: what the speaker writes is
// kept, and what the test says arrives.
type rig struct {
	t       *testing.T
	s       Speaker
	now     event.Time
	queue   event.Queue
	calm    event.Calm
	seq     uint64
	shared  route.Shared
	attrs   attr.Pool
	conns   map[uint32]*stream
	next    uint32
	routes  map[uint32]Route
	gates   []ip.Addr
	down    map[ip.Addr]bool
	linkOff bool
	notes   []note.Note
	full    bool // TCP has no room
}

type stream struct {
	in, out []byte
	gone    bool
}

var self, other = ip.V4(0xc0000201), ip.V4(0xc0000202) // 192.0.2.1 and .2

const (
	selfID   = ip.Quad(0x0aff0001)
	otherID  = ip.Quad(0x0aff0002)
	selfAS   = 64500
	otherAS  = 64496
	lastTime = 1 << 62
)

func peerOf(edit func(*config.Peer)) config.BGP {
	p := config.Peer{Address: netip.AddrFrom4([4]byte{192, 0, 2, 2}), AS: otherAS, HoldTime: config.DefaultHoldTime}
	if edit != nil {
		edit(&p)
	}
	return config.BGP{AS: selfAS, Multipath: 1, ConnectRetry: config.DefaultConnectRetry, Peers: []config.Peer{p}}
}

func newRig(t *testing.T, c config.BGP) *rig {
	r := &rig{t: t, conns: map[uint32]*stream{}, routes: map[uint32]Route{}, down: map[ip.Addr]bool{}, next: 1}
	r.s.Configure(r, c, policy.Compile(config.Policies{}), selfID)
	return r
}

func (r *rig) Now() event.Time                     { return r.now }
func (r *rig) Calm() *event.Calm                   { return &r.calm }
func (r *rig) Note(n note.Note)                    { r.notes = append(r.notes, n) }
func (r *rig) Attrs() *attr.Pool                   { return &r.attrs }
func (r *rig) Shared() *route.Shared               { return &r.shared }
func (r *rig) Rand(purpose, counter uint64) uint64 { return store.Keyed(1, 1, purpose, counter) }
func (r *rig) Schedule(e event.Event) {
	r.seq++
	e.Seq = r.seq
	r.queue.Push(e)
}
func (r *rig) OpenTCP(_, _ ip.Addr, _ tcp.Terms) uint32 {
	r.next++
	r.conns[r.next] = &stream{}
	return r.next
}
func (r *rig) WriteTCP(c uint32, b []byte) { r.conns[c].out = append(r.conns[c].out, b...) }
func (r *rig) ReadTCP(c uint32) []byte {
	b := r.conns[c].in
	r.conns[c].in = nil
	return b
}
func (r *rig) CloseTCP(c uint32) { r.conns[c].gone = true }
func (r *rig) AbortTCP(c uint32) { r.conns[c].gone = true }
func (r *rig) UnsentTCP(uint32) int {
	if r.full {
		return 1 << 20
	}
	return 0
}
func (r *rig) EndsTCP(uint32) (local, remote ip.Addr) { return self, other }
func (r *rig) SourceTo(ip.Addr) ip.Addr               { return self }
func (r *rig) PortAddress(string) ip.Addr             { return self }
func (r *rig) OnLink(ip.Addr) bool                    { return !r.linkOff }
func (r *rig) SameNetwork(a, b ip.Addr) bool          { return a.Quad()>>8 == b.Quad()>>8 }
func (r *rig) Local(a ip.Addr) bool                   { return a == self || a.Quad() == selfID }
func (r *rig) PutBGP(p uint32, b Route)               { b.Vias = slices.Clone(b.Vias); r.routes[p] = b }
func (r *rig) Gateway(a ip.Addr) uint32 {
	for i, g := range r.gates {
		if g == a {
			return uint32(i)
		}
	}
	r.gates = append(r.gates, a)
	return uint32(len(r.gates) - 1)
}
func (r *rig) InUse(uint32) (bool, bool)                                { return false, false }
func (r *rig) AnyInUse(*policy.Policy) bool                             { return false }
func (r *rig) Reach(g, _ uint32) (uint32, bool)                         { return 10, !r.down[r.gates[g]] }
func (r *rig) Interior(uint32) (s route.Source, x route.Route, ok bool) { return s, x, false }
func (r *rig) OriginName(route.Source, uint32) string                   { return "main" }
func (r *rig) SourceRouteType(route.Source, uint32, route.Route) string { return "local" }

// run lets time pass.
func (r *rig) run(d event.Time) {
	until := r.now + d
	for r.queue.Next() <= until {
		e := r.queue.Pop()
		r.now = e.At
		r.s.Timer(r, &e)
		r.settle()
	}
	r.now = until
}

func (r *rig) settle() {
	r.s.Decide(r)
	r.s.Send(r)
}

// conn is the speaker's own connection, opened by now.
func (r *rig) conn() uint32 {
	r.t.Helper()
	r.run(2 * event.Second)
	require.True(r.t, r.s.peers[0].conns[0].on, "the speaker has not opened a connection")
	c := r.s.peers[0].conns[0].conn
	r.s.TCPOpened(r, c)
	return c
}

// says has the peer send bytes.
func (r *rig) says(c uint32, b []byte) {
	r.conns[c].in = append(r.conns[c].in, b...)
	r.s.TCPArrived(r, c)
	r.settle()
}

func openFrom(as uint32, id ip.Quad) []byte {
	o := wire.Open{Version: 4, AS: uint16(as), HoldTime: 90, ID: id, Caps: []wire.Capability{
		{Code: wire.CapMultiprotocol, Value: []byte{0, 1, 0, 1}}, {Code: wire.CapRouteRefresh},
		{Code: wire.CapFourOctetAS, Value: []byte{0, 0, byte(as >> 8), byte(as)}}}}
	return o.Append(nil)
}

// up brings the session up on a connection.
func (r *rig) up(c uint32) {
	r.t.Helper()
	r.says(c, openFrom(otherAS, otherID))
	r.says(c, wire.Keepalive(nil))
	require.Equal(r.t, Established, r.s.Peer(0).State)
}

// wrote are the messages that the speaker wrote on a connection, and clears them.
func (r *rig) wrote(c uint32) (types []wire.Type, last []byte) {
	b := r.conns[c].out
	r.conns[c].out = nil
	for {
		t, body, n, fault := wire.Split(b)
		require.Nil(r.t, fault, "what the speaker writes is well-formed")
		if n == 0 {
			require.Empty(r.t, b)
			return types, last
		}
		types, last, b = append(types, t), body, b[n:]
	}
}

func (r *rig) expectNotification(c uint32, code, subcode uint8) {
	r.t.Helper()
	types, last := r.wrote(c)
	require.NotEmpty(r.t, types)
	require.Equal(r.t, wire.TypeNotification, types[len(types)-1])
	require.Equal(r.t, [2]uint8{code, subcode}, [2]uint8{last[0], last[1]}, wire.CodeWords(last[0], last[1]))
	require.True(r.t, r.conns[c].gone)
}
