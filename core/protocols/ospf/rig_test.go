package ospf

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/ospf"
)

// rig drives processes without a network: what one sends out of port i arrives
// at the other end of the wire that is plugged there, a millisecond later,
// unless lose says otherwise.
type rig struct {
	t      testing.TB
	now    event.Time
	queue  event.Queue
	calm   event.Calm
	pool   Pool
	shared route.Shared
	nodes  []*node
	lose   func(from, port uint32, typ uint8) bool
}

type node struct {
	*rig
	id     uint32
	p      Process
	wires  map[uint32][2]uint32 // port -> node, port
	notes  []note.Note
	routes map[uint32]uint32 // prefix -> cost
	sent   map[uint8]int     // packets by type
	seq    uint64
}

const packetArrives event.Kind = 1

func newRig(t testing.TB, n int) *rig {
	r := &rig{t: t}
	for i := range n {
		r.nodes = append(r.nodes, &node{rig: r, id: uint32(i), wires: map[uint32][2]uint32{}, routes: map[uint32]uint32{}, sent: map[uint8]int{}})
	}
	return r
}

func id(n int) ip.Quad { return ip.Quad(0x0aff0001 + n) }

// defaultPort is a port as the language's defaults make it.
func defaultPort(addr ip.Addr) PortConfig {
	return PortConfig{On: true, Up: true, Address: addr, PrefixLen: 30, Cost: 10, MTU: 1500, HelloInterval: 10 * time.Second,
		DeadInterval: 40 * time.Second, RetransmitInterval: 5 * time.Second, TransmitDelay: time.Second}
}

// wire plugs port pa of a and port pb of b together, with addresses of a subnet
// of their own.
func (r *rig) wire(a, pa, b, pb int) {
	net := ip.Quad(0x0a000000 + 4*(256*a+16*b+pa))
	r.nodes[a].wires[uint32(pa)] = [2]uint32{uint32(b), uint32(pb)}
	r.nodes[b].wires[uint32(pb)] = [2]uint32{uint32(a), uint32(pa)}
	r.nodes[a].p.SetPort(r.nodes[a], uint32(pa), defaultPort(ip.V4(net+1)))
	r.nodes[b].p.SetPort(r.nodes[b], uint32(pb), defaultPort(ip.V4(net+2)))
}

func (r *rig) start() {
	for i, n := range r.nodes {
		n.p.Start(n, id(i))
	}
}

// pair is two routers joined by one wire, started.
func pair(t testing.TB) *rig {
	r := newRig(t, 2)
	r.wire(0, 0, 1, 0)
	r.start()
	return r
}

func (r *rig) run(d event.Time) {
	until := r.now + d
	for r.queue.Next() <= until {
		e := r.queue.Pop()
		r.now = e.At
		n := r.nodes[e.Dest]
		if e.Kind == packetArrives {
			if e.Class == event.Pending {
				r.calm.End()
			}
			far := r.nodes[e.Source]
			n.p.Receive(n, e.A, far.p.Port(e.B).Address, wire.AllSPFRouters, e.Frame)
			continue
		}
		n.p.Timer(n, &e)
	}
	r.now = until
}

func (n *node) Now() event.Time   { return n.now }
func (n *node) Calm() *event.Calm { return &n.calm }
func (n *node) Schedule(e event.Event) {
	n.seq++
	e.Dest, e.Source, e.Seq = n.id, n.id, n.seq
	n.queue.Push(e)
}

func (n *node) Send(port uint32, _ ip.Addr, packet []byte, class event.Class) {
	n.sent[packet[1]]++
	to, plugged := n.wires[port]
	if !plugged || n.lose != nil && n.lose(n.id, port, packet[1]) {
		return
	}
	if class == event.Pending {
		n.calm.Begin()
	}
	n.seq++
	n.queue.Push(event.Event{At: n.now + event.Millisecond, Dest: to[0], Source: n.id, Seq: n.seq, Kind: packetArrives,
		Class: class, A: to[1], B: port, Frame: packet})
}

// SendFar is for virtual links, which no rig has.
func (n *node) SendFar(_, _ ip.Addr, _ []byte, _ event.Class) {
	n.t.Fatal("a packet for a virtual link")
}

func (n *node) Note(x note.Note)              { x.At = int64(n.now); n.notes = append(n.notes, x) }
func (n *node) Rand(purpose, c uint64) uint64 { return store.Keyed(1, uint64(n.id), purpose, c) }
func (n *node) Pool() *Pool                   { return &n.pool }
func (n *node) Shared() *route.Shared         { return &n.shared }
func (n *node) PutRoute(p uint32, r Route) {
	if r.Set == route.NoSet {
		delete(n.routes, p)
		return
	}
	n.routes[p] = r.Cost
}

func (n *node) state(port uint32) adjacency.State {
	s := adjacency.Down
	n.p.Neighbours(port, func(v NeighbourView) { s = v.State })
	return s
}

// count is how many notes of a kind there are since the mark.
func (n *node) count(kind note.Kind, since int) int {
	c := 0
	for _, x := range n.notes[since:] {
		if x.Kind == kind {
			c++
		}
	}
	return c
}

// lsa is a router's router LSA as a node holds it.
func (n *node) lsa(router ip.Quad) (head wire.LSAHeader, ok bool) {
	n.p.Database(n, func(v LSAView) {
		if v.Header.Key.Router == router {
			head, ok = v.Header, true
		}
	})
	return head, ok
}

// oneUpdate is a Link State Update with one router LSA, as somebody else made it.
func oneUpdate(from ip.Quad, router ip.Quad, seq int32, age uint16, body wire.RouterBody) []byte {
	return updateWith(from, wire.Key{Type: wire.RouterLSA, ID: router, Router: router}, seq, age, body.Append(nil))
}

// updateWith is a Link State Update with one LSA.
func updateWith(from ip.Quad, key wire.Key, seq int32, age uint16, raw []byte) []byte {
	h := wire.LSAHeader{Age: age, Options: wire.OptionE, Key: key, Seq: seq, Length: uint16(wire.LSAHeaderLen + len(raw))}
	h.Checksum = wire.Fletcher(append(h.Append(nil), raw...))
	b := wire.Begin(nil, wire.TypeUpdate, from, 0)
	b = append(b, 0, 0, 0, 1)
	b = h.Append(b)
	b = append(b, raw...)
	wire.Finish(b, 0)
	return b
}

func requireFull(t *testing.T, r *rig) {
	t.Helper()
	for _, n := range r.nodes {
		for port := range n.wires {
			require.Equal(t, adjacency.Full, n.state(port))
		}
	}
	require.True(t, slices.ContainsFunc(r.nodes, func(n *node) bool { return n.p.Unfinished() == "" }))
}
