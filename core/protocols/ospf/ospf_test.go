package ospf

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/graph/path"
	"gonum.org/v1/gonum/graph/simple"
	"pgregory.net/rapid"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	wire "hellebore/core/protocols/wire/ospf"
)

func TestTwoRoutersBecomeFull(t *testing.T) {
	r := pair(t)
	r.run(20 * event.Second)
	requireFull(t, r)
	var states []adjacency.State
	for _, n := range r.nodes[0].notes {
		if n.Kind == note.NeighbourState {
			states = append(states, adjacency.State(n.C))
		}
	}
	require.Equal(t, []adjacency.State{adjacency.Init, adjacency.ExStart, adjacency.Exchange, adjacency.Full}, states[:4], "RFC 2328 10.3, with nothing to load or after Loading")
}

func TestHelloDisagreements(t *testing.T) { // RFC 2328 8.2, 10.5
	at := func(q ip.Quad, n uint64) uint64 { return uint64(q)<<8 | n }
	for name, c := range map[string]struct {
		change       func(*PortConfig)
		want         note.Code
		mine, theirs uint64
	}{
		"area":           {func(p *PortConfig) { p.Area = 1 }, note.AreaDiffers, 0, 1},
		"hello interval": {func(p *PortConfig) { p.HelloInterval = 5 * time.Second }, note.HelloIntervalDiffers, 10e9, 5e9},
		"dead interval":  {func(p *PortConfig) { p.DeadInterval = 30 * time.Second }, note.DeadIntervalDiffers, 40e9, 30e9},
		"mask":           {func(p *PortConfig) { p.PrefixLen = 29 }, note.SubnetDiffers, at(0x0a000041, 30), at(0x0a000042, 29)},
		"subnet":         {func(p *PortConfig) { p.Address = ip.V4(0x0b000001) }, note.SubnetDiffers, at(0x0a000041, 30), at(0x0b000001, 30)},
	} {
		t.Run(name, func(t *testing.T) {
			r := newRig(t, 2)
			r.wire(0, 0, 1, 0)
			other := r.nodes[1].p.Port(0).PortConfig
			c.change(&other)
			r.nodes[1].p.SetPort(r.nodes[1], 0, other)
			r.start()
			r.run(60 * event.Second)
			require.Equal(t, adjacency.Down, r.nodes[0].state(0))
			got := r.nodes[0].p.Port(0).Refusal()
			require.Equal(t, c.want, got.Reason)
			if c.want == note.SubnetDiffers { // their numbers are those of addresses
				for _, v := range []*uint64{&got.Mine, &got.Theirs} {
					*v = at(r.shared.Addrs.Addr(uint32(*v>>8)).Quad(), *v&0xff)
				}
			}
			require.Equal(t, [2]uint64{c.mine, c.theirs}, [2]uint64{got.Mine, got.Theirs})
			require.Greater(t, got.Count, uint32(3), "repeats are counted, not noted")
			require.Equal(t, 1, r.nodes[0].count(note.HelloRefused, 0))
		})
	}
}

func TestSameRouterIDAndMTU(t *testing.T) {
	r := newRig(t, 2)
	r.wire(0, 0, 1, 0)
	r.nodes[0].p.Start(r.nodes[0], id(0))
	r.nodes[1].p.Start(r.nodes[1], id(0))
	r.run(30 * event.Second)
	require.Equal(t, note.SameRouterID, r.nodes[0].p.Port(0).Refusal().Reason)

	r = newRig(t, 2)
	r.wire(0, 0, 1, 0)
	c := r.nodes[0].p.Port(0).PortConfig
	c.MTU = 1400
	r.nodes[0].p.SetPort(r.nodes[0], 0, c)
	r.start()
	r.run(30 * event.Second)
	require.Less(t, r.nodes[0].state(0), adjacency.Full, "RFC 2328 10.6")
	require.Equal(t, note.MTUTooLarge, r.nodes[0].p.Port(0).Refusal().Reason)
	require.Equal(t, [2]uint64{1400, 1500}, [2]uint64{r.nodes[0].p.Port(0).Refusal().Mine, r.nodes[0].p.Port(0).Refusal().Theirs})
}

func TestDeadIntervalAndOneWay(t *testing.T) {
	r := pair(t)
	r.run(20 * event.Second)
	r.lose = func(from, _ uint32, _ uint8) bool { return from == 0 }
	r.run(42 * event.Second)
	require.Equal(t, adjacency.Down, r.nodes[1].state(0), "no hello for a router dead interval")
	r.run(10 * event.Second)
	require.Equal(t, adjacency.Init, r.nodes[0].state(0), "1-WayReceived: the other end no longer lists us")
	r.lose = nil
	r.run(20 * event.Second)
	requireFull(t, r)
}

// TestExchangeSurvivesLoss loses packets of every type: retransmission brings
// both ends to Full with the same databases all the same.
func TestExchangeSurvivesLoss(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := newRig(nil, 3)
		r.wire(0, 0, 1, 0)
		r.wire(1, 1, 2, 0)
		seed := rapid.Uint64().Draw(t, "seed")
		n := uint64(0)
		r.lose = func(from, port uint32, typ uint8) bool {
			n++
			return typ != wire.TypeHello && store.Below(store.Keyed(seed, uint64(from), uint64(port), n), 100) < 25
		}
		r.start()
		r.run(300 * event.Second)
		for _, x := range r.nodes {
			require.Empty(t, x.p.Unfinished())
			for port := range x.wires {
				require.Equal(t, adjacency.Full, x.state(port))
			}
			for i := range r.nodes {
				mine, ok := x.lsa(id(i))
				require.True(t, ok)
				theirs, _ := r.nodes[i].lsa(id(i))
				require.Zero(t, mine.Version().Compare(theirs.Version()))
			}
		}
	})
}

func TestMinLSIntervalOriginatesWhatIsTrueThen(t *testing.T) { // RFC 2328 12.4
	r := pair(t)
	r.run(30 * event.Second)
	n := r.nodes[0]
	mark := len(n.notes)
	c := n.p.Port(0).PortConfig
	for _, cost := range []uint16{11, 12, 13, 14} {
		c.Cost = cost
		n.p.SetPort(n, 0, c)
		r.run(100 * event.Millisecond)
	}
	r.run(10 * event.Second)
	require.Equal(t, 2, n.count(note.LSAOriginated, mark), "the first at once, then one for all the others")
	var metric uint16
	r.nodes[1].p.Database(r.nodes[1], func(v LSAView) {
		if v.Header.Key.Router == id(0) {
			metric = v.Body.Router.Links[0].Metric
		}
	})
	require.Equal(t, uint16(14), metric)

	mark = len(n.notes)
	c.Cost = 20
	n.p.SetPort(n, 0, c)
	r.run(time100)
	c.Cost = 14
	n.p.SetPort(n, 0, c)
	c.Cost = 20
	n.p.SetPort(n, 0, c)
	r.run(10 * event.Second)
	require.Equal(t, 1, n.count(note.LSAOriginated, mark), "when MinLSInterval expires, nothing has changed any more")
}

const time100 = 100 * event.Millisecond

func TestRefreshRunsNoSPFAndIsJittered(t *testing.T) { // RFC 2328 12.4 (1)
	r := pair(t)
	r.run(30 * event.Second)
	var at []event.Time
	runs := r.nodes[0].p.Runs()
	for _, n := range r.nodes {
		n.notes = nil
	}
	r.run(1800 * event.Second)
	for _, n := range r.nodes {
		for _, x := range n.notes {
			if x.Kind == note.LSAOriginated {
				at = append(at, event.Time(x.At))
			}
		}
	}
	require.Len(t, at, 2, "each refreshed its LSA once")
	require.NotEqual(t, at[0], at[1])
	require.Equal(t, runs, r.nodes[0].p.Runs())
	requireFull(t, r)
}

func TestMinLSArrivalDropsWithoutAcknowledging(t *testing.T) { // RFC 2328 13 (5)(a)
	r := pair(t)
	r.run(30 * event.Second)
	n := r.nodes[0]
	other := id(7)
	acks := func() int { return n.sent[wire.TypeAck] }
	give := func(seq int32) {
		n.p.Receive(n, 0, r.nodes[1].p.Port(0).Address, wire.AllSPFRouters, oneUpdate(id(1), other, seq, 1, wire.RouterBody{}))
	}
	give(5)
	r.run(600 * event.Millisecond)
	before, mark := acks(), len(n.notes)
	require.Positive(t, before)
	give(6)
	r.run(100 * event.Millisecond)
	head, _ := n.lsa(other)
	require.Equal(t, int32(5), head.Seq)
	require.Equal(t, note.TooSoon, n.notes[mark].Reason)
	r.run(600 * event.Millisecond)
	require.Equal(t, before, acks())
	give(6)
	head, _ = n.lsa(other)
	require.Equal(t, int32(6), head.Seq, "a second after the copy before it is taken")

	own, _ := n.lsa(id(0))
	require.NotZero(t, own.Seq)
}

func TestMaxAgeLeavesWhenAcknowledged(t *testing.T) { // RFC 2328 14
	r := newRig(t, 3)
	r.wire(0, 0, 1, 0)
	r.wire(1, 1, 2, 0)
	r.start()
	r.run(30 * event.Second)
	middle := r.nodes[1]
	other := id(9)
	middle.p.Receive(middle, 0, r.nodes[0].p.Port(0).Address, wire.AllSPFRouters, oneUpdate(id(0), other, 5, 1, wire.RouterBody{}))
	r.run(5 * event.Second)
	_, there := r.nodes[2].lsa(other)
	require.True(t, there)

	r.lose = func(from, _ uint32, typ uint8) bool {
		return from == 2 && (typ == wire.TypeAck || typ == wire.TypeUpdate)
	}
	middle.p.Receive(middle, 0, r.nodes[0].p.Port(0).Address, wire.AllSPFRouters, oneUpdate(id(0), other, 5, lsdb.MaxAge, wire.RouterBody{}))
	r.run(3 * event.Second)
	head, there := middle.lsa(other)
	require.True(t, there, "it is still on a retransmission list")
	require.Equal(t, uint16(lsdb.MaxAge), head.Age)
	r.lose = nil
	r.run(10 * event.Second)
	for _, n := range r.nodes[1:] {
		_, there = n.lsa(other)
		require.False(t, there)
	}

	mark := middle.sent[wire.TypeAck]
	middle.p.Receive(middle, 0, r.nodes[0].p.Port(0).Address, wire.AllSPFRouters, oneUpdate(id(0), other, 5, lsdb.MaxAge, wire.RouterBody{}))
	require.Equal(t, mark+1, middle.sent[wire.TypeAck], "13 (4): nobody holds it, so it is acknowledged and dropped")
}

func TestRestartedRouterOutbidsItsOldLSA(t *testing.T) { // RFC 2328 13.4
	r := pair(t)
	r.run(30 * event.Second)
	n := r.nodes[0]
	c := n.p.Port(0).PortConfig
	for cost := range uint16(4) {
		c.Cost = 20 + cost
		n.p.SetPort(n, 0, c)
		r.run(10 * event.Second)
	}
	old, _ := r.nodes[1].lsa(id(0))
	n.p.Stop(n, note.None)
	n.p.SetPort(n, 0, c)
	n.p.Start(n, id(0))
	r.run(80 * event.Second)
	requireFull(t, r)
	now, _ := r.nodes[1].lsa(id(0))
	require.Greater(t, now.Seq, old.Seq)

	// One it does not originate any more, under its own name: flushed.
	stray := wire.Key{Type: wire.RouterLSA, ID: id(0) + 100, Router: id(0)}
	raw := (&wire.RouterBody{}).Append(nil)
	h := wire.LSAHeader{Options: wire.OptionE, Key: stray, Seq: 9, Length: uint16(wire.LSAHeaderLen + len(raw))}
	h.Checksum = wire.Fletcher(append(h.Append(nil), raw...))
	b := append(wire.Begin(nil, wire.TypeUpdate, id(1), 0), 0, 0, 0, 1)
	b = append(h.Append(b), raw...)
	wire.Finish(b, 0)
	n.p.Receive(n, 0, r.nodes[1].p.Port(0).Address, wire.AllSPFRouters, b)
	r.run(event.Millisecond)
	require.Equal(t, 1, n.count(note.LSAFlushed, 0))
}

func TestSequenceNumbersWrapByFlushing(t *testing.T) { // RFC 2328 12.1.6
	r := pair(t)
	r.run(30 * event.Second)
	n := r.nodes[0]
	n.p.Receive(n, 0, r.nodes[1].p.Port(0).Address, wire.AllSPFRouters, oneUpdate(id(1), id(0), lsdb.MaxSeq-1, 1, wire.RouterBody{}))
	r.run(60 * event.Second)
	c := n.p.Port(0).PortConfig
	c.Cost = 33
	n.p.SetPort(n, 0, c)
	r.run(60 * event.Second)
	head, there := r.nodes[1].lsa(id(0))
	require.True(t, there)
	require.Less(t, head.Seq, int32(0), "it began anew at InitialSequenceNumber")
	requireFull(t, r)
}

// TestSequenceNumbersWrapOfLSAsBesidesTheRouterLSA is RFC 2328 12.1.6: at the
// highest number the LSA is flushed, and begins anew when it is gone.
func TestSequenceNumbersWrapOfLSAsBesidesTheRouterLSA(t *testing.T) {
	r := pair(t)
	n := r.nodes[0]
	outside := External{Prefix: ip.V4Prefix(0xc6336400, 24), Metric: 7}
	n.p.SetExternals(n, []External{outside}, nil)
	r.run(30 * event.Second)
	key := wire.Key{Type: wire.ExternalLSA, ID: outside.Prefix.Addr.Quad(), Router: id(0)}
	held := func() (head wire.LSAHeader, metric uint32) {
		r.nodes[1].p.Database(r.nodes[1], func(v LSAView) {
			if v.Header.Key == key {
				head, metric = v.Header, v.Body.External.Metric
			}
		})
		return head, metric
	}
	// Somebody still has one of a life before, with the number before the last.
	body := wire.ExternalBody{Mask: ip.Mask(24), Type2: true, Metric: 9}
	n.p.Receive(n, 0, r.nodes[1].p.Port(0).Address, wire.AllSPFRouters, updateWith(id(1), key, lsdb.MaxSeq-1, 1, body.Append(nil)))
	r.run(30 * event.Second)
	head, metric := held()
	require.Equal(t, lsdb.MaxSeq, head.Seq, "the LSA is outbid with the last number there is")
	require.EqualValues(t, 7, metric)
	outside.Metric = 8
	n.p.SetExternals(n, []External{outside}, nil)
	r.run(60 * event.Second)
	head, metric = held()
	require.EqualValues(t, 8, metric)
	require.Less(t, head.Seq, int32(0), "it began anew at InitialSequenceNumber")
}

func TestSPFDelayStates(t *testing.T) { // RFC 8405 section 5
	r := pair(t)
	r.run(30 * event.Second)
	n := r.nodes[0]
	n.notes = nil
	seq := int32(1)
	change := func() { // another LSA each time
		seq++
		n.p.Receive(n, 0, r.nodes[1].p.Port(0).Address, wire.AllSPFRouters, oneUpdate(id(1), ip.Quad(0x0b000000+seq), 1, 1, wire.RouterBody{}))
	}
	for _, wait := range []event.Time{0, 100 * event.Millisecond, 600 * event.Millisecond, 12 * event.Second, 11 * event.Second} {
		r.run(wait)
		change()
	}
	var states []uint64
	for _, x := range n.notes {
		if x.Kind == note.SPFScheduled {
			states = append(states, x.B)
		}
	}
	require.Equal(t, []uint64{Quiet, ShortWait, LongWait, Quiet, Quiet}, states)
}

// TestSPFDelaysAreThoseThatAreSet: RFC 8405 section 4 has five parameters; a shorter hold-down is quiet sooner, a longer time
// to learn stays in SHORT_WAIT.
func TestSPFDelaysAreThoseThatAreSet(t *testing.T) {
	r := pair(t)
	n := r.nodes[0]
	set := Delays{Initial: 7 * event.Millisecond, Short: 20 * event.Millisecond, Long: 900 * event.Millisecond, Learn: 2 * event.Second, HoldDown: 3 * event.Second}
	n.p.SetDelays(set)
	r.run(30 * event.Second)
	n.notes = nil
	seq := int32(1)
	change := func() {
		seq++
		n.p.Receive(n, 0, r.nodes[1].p.Port(0).Address, wire.AllSPFRouters, oneUpdate(id(1), ip.Quad(0x0b000000+seq), 1, 1, wire.RouterBody{}))
	}
	for _, wait := range []event.Time{0, 100 * event.Millisecond, 1200 * event.Millisecond, event.Second, 4 * event.Second} {
		r.run(wait)
		change()
	}
	var states []uint64
	var delays []event.Time
	for _, x := range n.notes {
		if x.Kind == note.SPFScheduled {
			states, delays = append(states, x.B), append(delays, event.Time(x.A))
		}
	}
	require.Equal(t, []uint64{Quiet, ShortWait, ShortWait, LongWait, Quiet}, states)
	require.Equal(t, []event.Time{set.Initial, set.Short, set.Short, set.Long, set.Initial}, delays)
}

// TestSPFAgainstLibrary computes random networks twice: by the process from
// LSAs, and by a library's Dijkstra on the same graph.
func TestSPFAgainstLibrary(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		size := rapid.IntRange(2, 30).Draw(t, "routers")
		g := simple.NewWeightedDirectedGraph(0, math.Inf(1))
		for i := range size {
			g.AddNode(simple.Node(i))
		}
		r := newRig(nil, 1)
		n := r.nodes[0]
		n.p.running, n.p.routerID = true, id(0)
		n.p.areaOf(0)
		bodies := make([]wire.RouterBody, size)
		joined := map[[2]int]bool{}
		for i := range size {
			bodies[i].Links = []wire.RouterLink{{ID: id(i), Data: ip.Mask(32), Type: wire.LinkStub}}
		}
		for k := range rapid.IntRange(0, 3*size).Draw(t, "links") {
			a, b := rapid.IntRange(0, size-1).Draw(t, "a"), rapid.IntRange(0, size-1).Draw(t, "b")
			if a == b || joined[[2]int{min(a, b), max(a, b)}] {
				continue
			}
			joined[[2]int{min(a, b), max(a, b)}] = true
			ab, ba := uint16(rapid.IntRange(1, 20).Draw(t, "cost")), uint16(rapid.IntRange(1, 20).Draw(t, "back"))
			oneWay := rapid.IntRange(0, 9).Draw(t, "one way") == 0
			addr := ip.Quad(0x0a000000 + 4*k)
			bodies[a].Links = append(bodies[a].Links, wire.RouterLink{ID: id(b), Data: addr + 1, Type: wire.LinkPointToPoint, Metric: ab})
			if oneWay {
				continue // only one end lists the link: it must not count
			}
			bodies[b].Links = append(bodies[b].Links, wire.RouterLink{ID: id(a), Data: addr + 2, Type: wire.LinkPointToPoint, Metric: ba})
			g.SetWeightedEdge(simple.WeightedEdge{F: simple.Node(a), T: simple.Node(b), W: float64(ab)})
			g.SetWeightedEdge(simple.WeightedEdge{F: simple.Node(b), T: simple.Node(a), W: float64(ba)})
			for _, end := range [][2]int{{a, b}, {b, a}} {
				if end[0] != 0 {
					continue
				}
				mine, theirs := addr+1, addr+2
				if a != 0 {
					mine, theirs = theirs, mine
				}
				c := defaultPort(ip.V4(mine))
				n.p.ports = append(n.p.ports, &port{PortConfig: c, firstNbr: store.RefTo(uint32(len(n.p.nbrs)))})
				n.p.nbrs = append(n.p.nbrs, neighbour{port: uint32(len(n.p.ports) - 1), id: id(end[1]), address: ip.V4(theirs), state: adjacency.Full})
			}
		}
		for i := range bodies {
			key := r.pool.KeyID(wire.Key{Type: wire.RouterLSA, ID: id(i), Router: id(i)})
			body, ok := r.pool.intern(&r.shared, key, 0, bodies[i].Append(nil))
			require.True(t, ok)
			n.p.areas[0].db.Put(key, lsdb.Instance{Body: body, Seq: 1})
		}
		n.p.runSPF(n)
		want := path.DijkstraFrom(simple.Node(0), g)
		for i := 1; i < size; i++ {
			prefix, ok := r.shared.Prefixes.Find(ip.MakePrefix(ip.V4(id(i)), 32))
			require.True(t, ok)
			cost, reached := n.routes[prefix]
			weight := want.WeightTo(int64(i))
			require.Equal(t, !math.IsInf(weight, 1), reached, "router %d", i)
			if reached {
				require.Equal(t, uint32(weight), cost, "router %d", i)
				checkHops(t, r, n, g, prefix, i, weight)
			}
		}
	})
}

// checkHops holds the next hops of a route against the graph: exactly the
// neighbours from which the rest of the way adds up to the least cost.
func checkHops(t *rapid.T, r *rig, n *node, g *simple.WeightedDirectedGraph, prefix uint32, to int, least float64) {
	got := map[ip.Quad]bool{}
	for _, h := range r.shared.Sets.Hops(n.p.routes.Get(prefix).Set) {
		got[h.Gateway.Quad()] = true
	}
	want := map[ip.Quad]bool{}
	for _, nb := range n.p.nbrs {
		via := int64(nb.id - id(0))
		w, _ := g.Weight(0, via)
		if w+path.DijkstraFrom(simple.Node(via), g).WeightTo(int64(to)) == least {
			want[nb.address.Quad()] = true
		}
	}
	require.Equal(t, want, got)
}

// FuzzReceive feeds a router arbitrary bytes on a port: it keeps running.
func FuzzReceive(f *testing.F) {
	f.Add(uint8(wire.TypeUpdate), oneUpdate(id(1), id(5), 3, 1, wire.RouterBody{})[wire.HeaderLen:])
	f.Add(uint8(wire.TypeDD), (&wire.DD{Flags: 7}).Append(nil))
	f.Fuzz(func(t *testing.T, typ uint8, body []byte) {
		r := pair(t)
		r.run(15 * event.Second)
		b := append(wire.Begin(nil, typ, id(1), 0), body...)
		if len(b) > 60000 {
			return
		}
		wire.Finish(b, 0)
		n := r.nodes[0]
		n.p.Receive(n, 0, r.nodes[1].p.Port(0).Address, wire.AllSPFRouters, b)
		r.run(100 * event.Second)
		require.Equal(t, adjacency.Full, n.state(0))
	})
}
