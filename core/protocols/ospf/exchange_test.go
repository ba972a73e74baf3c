package ospf

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/protocols/adjacency"
	wire "hellebore/core/protocols/wire/ospf"
)

// TestChangedOptionsBeginTheExchangeAnew is RFC 2328 10.6: in Exchange, a packet
// whose options are not those of the packets before is SeqNumberMismatch.
func TestChangedOptionsBeginTheExchangeAnew(t *testing.T) {
	for _, changed := range []bool{false, true} {
		r := pair(t)
		slave := r.nodes[0] // the lower router ID
		for slave.state(0) != adjacency.Exchange {
			require.Less(t, r.now, 60*event.Second)
			r.run(event.Millisecond)
		}
		nb := &slave.p.nbrs[0]
		d := wire.DD{MTU: 1500, Options: slave.p.options(0), Flags: wire.FlagMaster | wire.FlagMore, Seq: nb.descriptions.Seq() + 1}
		if changed {
			d.Options ^= 0x20
		}
		b := d.Append(wire.Begin(nil, wire.TypeDD, id(1), 0))
		wire.Finish(b, 0)
		slave.p.Receive(slave, 0, r.nodes[1].p.Port(0).Address, wire.AllSPFRouters, b)
		require.Equal(t, map[bool]adjacency.State{false: adjacency.Exchange, true: adjacency.ExStart}[changed], slave.state(0))
		r.run(60 * event.Second)
		requireFull(t, r)
	}
}

// farNode keeps what goes over virtual links.
type farNode struct {
	*node
	far [][]byte
}

func (n *farNode) SendFar(_, _ ip.Addr, packet []byte, _ event.Class) { n.far = append(n.far, packet) }

// TestAVirtualLinkSaysNoMTU is RFC 2328 10.8: Interface MTU is 0 in packets sent
// over virtual links.
func TestAVirtualLinkSaysNoMTU(t *testing.T) {
	n := &farNode{node: newRig(t, 1).nodes[0]}
	c := defaultPort(ip.V4(0x0a000001))
	c.Virtual, c.Remote, c.Peer = true, ip.V4(0x0a000002), id(1)
	n.p.running, n.p.routerID = true, id(0)
	n.p.ports = []*port{{PortConfig: c, firstNbr: 1}}
	n.p.nbrs = []neighbour{{id: id(1), address: c.Remote}}
	n.p.sendDD(n, 0, wire.FlagInit|wire.FlagMore|wire.FlagMaster, nil)
	require.Len(t, n.far, 1)
	head, fail := wire.Read(n.far[0])
	require.Equal(t, wire.OK, fail)
	d, ok := wire.ReadDD(head.Body)
	require.True(t, ok)
	require.Zero(t, d.MTU)
}

// TestOnlyDRAndBDRTakePacketsForAllDRouters is RFC 2328 8.1 and 8.2.
func TestOnlyDRAndBDRTakePacketsForAllDRouters(t *testing.T) {
	for state, takes := range map[PortState]bool{PortDROther: false, PortBackup: true, PortDR: true} {
		for dst, all := range map[ip.Addr]bool{wire.AllDRouters: false, wire.AllSPFRouters: true} {
			r := pair(t)
			r.run(30 * event.Second)
			n := r.nodes[0]
			n.p.ports[0].Broadcast, n.p.ports[0].state = true, state
			from := r.nodes[1].p.Port(0).Address
			n.p.Receive(n, 0, from, dst, oneUpdate(id(1), id(7), 1, 1, wire.RouterBody{}))
			_, there := n.lsa(id(7))
			require.Equal(t, takes || all, there, "%v, to %v", state, dst)
		}
	}
}
