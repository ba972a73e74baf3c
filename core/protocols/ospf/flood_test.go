package ospf

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/protocols/lsdb"
	wire "hellebore/core/protocols/wire/ospf"
)

// costOf gives the port of a node another cost, so that it originates its router LSA.
func (n *node) costOf(port uint32, cost uint16) {
	c := n.p.Port(port).PortConfig
	c.Cost = cost
	n.p.SetPort(n, port, c)
}

// TestAnLSAIsSentOnceAndAcknowledgedOnce is RFC 2328 13.5, table 19: what is
// flooded on is acknowledged with a delay, before anything is sent again.
func TestAnLSAIsSentOnceAndAcknowledgedOnce(t *testing.T) {
	r := pair(t)
	r.run(60 * event.Second)
	a, b := r.nodes[0], r.nodes[1]
	updates, acks := a.sent[wire.TypeUpdate], b.sent[wire.TypeAck]
	a.costOf(0, 77)
	r.run(AckDelay - event.Millisecond)
	require.Equal(t, updates+1, a.sent[wire.TypeUpdate])
	require.Equal(t, acks, b.sent[wire.TypeAck], "it waits for others to acknowledge")
	r.run(30 * event.Second)
	require.Equal(t, updates+1, a.sent[wire.TypeUpdate])
	require.Equal(t, acks+1, b.sent[wire.TypeAck])
}

// TestWhatIsNotAcknowledgedIsSentAgain is RFC 2328 13.6, and of what the other end
// has already 13 (7): it is acknowledged at once.
func TestWhatIsNotAcknowledgedIsSentAgain(t *testing.T) {
	for _, lost := range []uint8{wire.TypeUpdate, wire.TypeAck} {
		r := pair(t)
		r.run(60 * event.Second)
		a, b := r.nodes[0], r.nodes[1]
		before, _ := b.lsa(id(0))
		updates, acks := a.sent[wire.TypeUpdate], b.sent[wire.TypeAck]
		n := 0
		r.lose = func(_, _ uint32, typ uint8) bool {
			if typ == lost {
				n++
			}
			return typ == lost && n == 1
		}
		a.costOf(0, 77)
		r.run(5*event.Second - event.Millisecond)
		require.Equal(t, updates+1, a.sent[wire.TypeUpdate])
		r.run(30 * event.Second)
		require.Equal(t, updates+2, a.sent[wire.TypeUpdate], "once more after RxmtInterval")
		after, _ := b.lsa(id(0))
		require.Equal(t, before.Seq+1, after.Seq)
		require.Equal(t, acks+map[uint8]int{wire.TypeUpdate: 1, wire.TypeAck: 2}[lost], b.sent[wire.TypeAck])
		require.Empty(t, a.p.Unfinished())
	}
}

// TestAnOlderCopyIsAnsweredWithTheNewer is RFC 2328 13 (8): once in MinLSArrival.
func TestAnOlderCopyIsAnsweredWithTheNewer(t *testing.T) {
	r := pair(t)
	r.run(60 * event.Second)
	a, b := r.nodes[0], r.nodes[1]
	held, _ := a.lsa(id(1))
	from := b.p.Port(0).Address
	old := func() {
		a.p.Receive(a, 0, from, wire.AllSPFRouters, oneUpdate(id(1), id(1), held.Seq-1, 1, wire.RouterBody{}))
	}
	updates, acks := a.sent[wire.TypeUpdate], a.sent[wire.TypeAck]
	old()
	old()
	require.Equal(t, updates+1, a.sent[wire.TypeUpdate], "the newer one, and not again at once")
	require.Equal(t, acks, a.sent[wire.TypeAck], "no acknowledgment")
	r.run(2 * lsdb.MinLSArrival)
	old()
	require.Equal(t, updates+2, a.sent[wire.TypeUpdate])
}

// TestWhoDoesNotSayThatItIsDRPassesNothingOn is RFC 2328 13.3 (3) and (4), in the
// moment after an election that not all routers have heard of: an LSA on a segment
// is left to DR and BDR only if they say in their hellos that they are.
func TestWhoDoesNotSayThatItIsDRPassesNothingOn(t *testing.T) {
	const dr, bdr, rest, old = ip.Quad(0x0a000001), ip.Quad(0x0a000002), ip.Quad(0x0a000003), ip.Quad(0x0a000009)
	for _, c := range []struct {
		state     PortState
		from      ip.Quad
		drSays    ip.Quad // who is DR, in the hellos of the new DR
		bdrSays   ip.Quad // who is BDR, in those of the new BDR
		passed    bool
		statement string
	}{
		{PortDROther, dr, dr, bdr, true, "the DR has flooded it"},
		{PortDROther, dr, old, bdr, false, "it does not know yet that it is DR"},
		{PortDROther, bdr, dr, bdr, true, "the BDR has flooded it"},
		{PortDROther, bdr, dr, old, false, "it does not know yet that it is BDR"},
		{PortDROther, rest, dr, bdr, false, "from another router it reached DR and BDR only"},
		{PortBackup, rest, dr, bdr, true, "the DR floods it"},
		{PortBackup, rest, old, bdr, false, "the DR does not know yet that it is"},
	} {
		var p Process
		q := &port{PortConfig: PortConfig{On: true, Up: true, Broadcast: true, Address: ip.V4(0x0a000008)}, state: c.state, dr: dr, bdr: bdr, firstNbr: 1}
		p.nbrs = []neighbour{{address: ip.V4(dr), dr: c.drSays, next: 2}, {address: ip.V4(bdr), bdr: c.bdrSays, next: 3}, {address: ip.V4(rest)}}
		for n := range p.nbrs {
			if p.nbrs[n].asDR() == c.from {
				require.Equal(t, c.passed, p.passedOn(q, &p.nbrs[n]), c.statement)
			}
		}
	}
}
