package device_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// The junction serves two networks that use the same addresses: those of ports a
// and b, and those of c and d.
const twoNetworks = `
router junction
  port a 10.1.0.1/24
    ospf area 0
  port b 10.2.0.1/24
    ospf area 0
  port c 10.1.0.1/24
    ospf area 0
  port d 10.3.0.1/24
    ospf area 0
router west
  port e 10.1.0.2/24
    ospf area 0
  loopback lo 10.9.0.1/32
    ospf area 0
router east
  port e 10.1.0.2/24
    ospf area 0
  loopback lo 10.9.0.2/32
    ospf area 0
host kiosk 10.1.0.10/24 gateway 10.1.0.1
host booth 10.2.0.10/24 gateway 10.2.0.1
host stall 10.1.0.10/24 gateway 10.1.0.1
host crane 10.3.0.10/24 gateway 10.3.0.1
segment left junction.a west.e kiosk
link junction.b booth
segment right junction.c east.e stall
link junction.d crane
`

func newTwoNetworks(t *testing.T) (*bench, *device.Device, uint16) {
	r := labtext.Parse(twoNetworks)
	require.True(t, r.OK(), r.Problems)
	b := &bench{World: network.New()}
	b.Configure(&r.Lab)
	b.Tracer = func(s device.Fate) { b.steps = append(b.steps, s) }
	junction := b.Find("junction")
	n := junction.MoveToInstance("c", "d")
	require.Equal(t, network.Settled, b.Settle(1e6, nil))
	require.Empty(t, b.Check())
	return b, junction, n
}

func TestInstancesUseTheSameAddresses(t *testing.T) {
	b, _, _ := newTwoNetworks(t)
	for from, to := range map[string]string{"kiosk": "booth", "stall": "crane", "booth": "kiosk", "crane": "stall"} {
		last := b.echo(from, ip.AddrFrom(b.Find(to).Config().Address()), 64)
		require.Equal(t, device.Delivered, last.Action, from)
		require.Equal(t, uint8(inet.EchoReply), last.Type)
		require.Equal(t, from, b.Device(last.Device).Name())
		reached := false
		for _, s := range b.steps {
			reached = reached || b.Device(s.Device).Name() == to && s.Action == device.Delivered
		}
		require.True(t, reached, "%s answers", to)
	}
	for from, to := range map[string]string{"stall": "booth", "kiosk": "crane"} {
		b.echo(from, ip.AddrFrom(b.Find(to).Config().Address()), 64)
		why := note.None
		for _, s := range b.steps {
			if s.Action == device.Dropped {
				why = s.Reason
			}
		}
		require.Equal(t, note.NoRoute, why, "from %s nothing crosses to %s", from, to)
	}
}

func TestInstancesRunTheirOwnOSPF(t *testing.T) {
	b, junction, n := newTwoNetworks(t)
	other := &junction.Instances()[n]
	for inst, far := range map[*device.Instance]string{junction.Main(): "west", other: "east"} {
		var full []ip.Quad
		for i := range junction.Ports() {
			inst.OSPF().Neighbours(uint32(i), func(v ospf.NeighbourView) {
				require.Equal(t, adjacency.Full, v.State)
				full = append(full, v.RouterID)
			})
		}
		require.Equal(t, []ip.Quad{b.Find(far).Main().OSPF().RouterID()}, full)
		require.NotEqual(t, junction.Main().Local(ip.V4(0x0a030001)), other.Local(ip.V4(0x0a030001)))
	}
	_, _, hears := b.Find("east").Main().Table().Lookup(b.Shared(), ip.V4(0x0a03000a))
	require.True(t, hears)
	_, _, hears = b.Find("east").Main().Table().Lookup(b.Shared(), ip.V4(0x0a02000a))
	require.False(t, hears)

	// A copy goes on as the original does: timers find their instance.
	c := b.Clone()
	for _, w := range []*network.World{b.World, c} {
		w.ForceDevice(w.Find("east").ID(), config.ForceDisabled)
		w.RunUntil(w.Now()+100*event.Second, 1e6)
	}
	require.Equal(t, b.Digest(true), c.Digest(true))
	for i := range junction.Ports() {
		other.OSPF().Neighbours(uint32(i), func(ospf.NeighbourView) { t.Error("the dead interval is over") })
	}
	_, _, hears = other.Table().Lookup(b.Shared(), ip.V4(0x0a090002))
	require.False(t, hears)
	var lost []note.Note
	for i := range b.Notes() {
		if x := b.NoteAt(i); x.Device == junction.ID() && x.Reason == note.DeadIntervalExpired {
			lost = append(lost, x)
		}
	}
	require.Len(t, lost, 1)
	require.Equal(t, n, lost[0].Instance)
}
