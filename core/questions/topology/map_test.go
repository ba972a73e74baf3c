package topology_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/topology"
	"hellebore/core/questions/traffic"
	"hellebore/demo"
)

// TestTheMapShowsASes: each device in its AS, sessions with their kind, reflectors.
func TestTheMapShowsASes(t *testing.T) {
	m := topology.MapOf(testlabs.Settled(t, demo.Text("two-reflectors")))
	as, reflectors := map[string]uint32{}, []string{}
	for _, d := range m.Devices {
		as[d.Name] = d.AS
		if d.Reflector {
			reflectors = append(reflectors, d.Name)
		}
	}
	require.Equal(t, []string{"summit", "tunnel"}, reflectors)
	require.Equal(t, []uint32{64500, 64500, 64496, 64496}, []uint32{as["depot"], as["shed"], as["skylark"], as["pier"]})
	external := 0
	for _, s := range m.Sessions {
		require.True(t, s.Up)
		if s.External {
			external++
			require.True(t, s.Linked)
		}
	}
	require.Equal(t, 2, external)
	require.Len(t, m.Sessions, 2+1+2*4)
	for _, f := range m.Flows {
		for _, hop := range f.Hops {
			require.NotZero(t, hop.AS, hop.Device)
		}
	}
}

func TestMapOfANetwork(t *testing.T) {
	w := testlabs.Settled(t, testlabs.Line)
	m := topology.MapOf(w)
	require.Equal(t, topology.MapDevice{Name: "mill", Kind: "router", Address: "10.255.0.1", RouterID: "10.255.0.1",
		Areas: []string{"0"}, Roles: []string{}, Addresses: []string{"10.255.0.1", "10.0.12.1", "10.20.1.1"}, Enabled: true, Services: []string{}}, m.Devices[0])
	require.Equal(t, topology.MapEnd{Device: "mill", Port: "e1", Address: "10.0.12.1/30", Cost: 10, Area: "0", Up: true, State: "Full", Tags: []string{}}, m.Links[0].Ends[0])
	require.Equal(t, "mill.e1 halt.e1", m.Links[0].ID)
	require.Equal(t, "segment yard", m.Links[1].ID)
	require.Equal(t, "1ms", m.Links[1].Delay)
	f := m.Flows[0]
	require.True(t, f.Arrives)
	require.True(t, f.Back.Arrives)
	require.Equal(t, traffic.PathHop{Device: "mill", In: "lan", Out: "e1", Via: "10.0.12.2", Prefix: "10.20.2.0/24",
		Source: "ospf", Cost: 20, OutCost: 10, Ways: 1}, f.Hops[1])

	w.Cut(0, 1)
	w.Settle(1e6, nil)
	m = topology.MapOf(w)
	require.True(t, m.Links[0].Cut)
	require.Equal(t, "the link has no carrier", m.Links[0].Ends[1].Why)
	require.Equal(t, "mill", m.Flows[0].StopsAt)
}
