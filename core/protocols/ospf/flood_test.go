package ospf

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
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
	r.run(ackDelay - event.Millisecond)
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
	r.run(2 * minLSArrival)
	old()
	require.Equal(t, updates+2, a.sent[wire.TypeUpdate])
}
