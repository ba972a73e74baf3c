package tables_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/tables"
	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/network"
)

func portRow(t *testing.T, w *network.World, device, port string) tables.Port {
	t.Helper()
	for _, p := range tables.PortsOf(w).Ports {
		if p.Device == device && p.Port == port {
			return p
		}
	}
	t.Fatalf("no row for %s.%s", device, port)
	return tables.Port{}
}

func process(t *testing.T, w *network.World, device string) tables.Process {
	t.Helper()
	for _, p := range tables.PortsOf(w).Processes {
		if p.Device == device {
			return p
		}
	}
	t.Fatal("no process of " + device)
	return tables.Process{}
}

func TestPortsOfASoundNetwork(t *testing.T) {
	w := testlabs.Settled(t, testlabs.Line)
	p := portRow(t, w, "mill", "e1")
	require.True(t, p.Up)
	require.Nil(t, p.Why)
	require.Equal(t, []string{"halt.e1"}, p.JoinedTo)
	require.Equal(t, "1G", p.Bandwidth)
	require.NotNil(t, p.OSPF.NextHello)
	require.Equal(t, tables.PortOSPF{Area: "0", Type: "point-to-point", State: "Point-to-point", Cost: 10, CostFrom: "10G over 1G",
		HelloInterval: "10s", DeadInterval: "40s", RetransmitInterval: "5s", TransmitDelay: "1s", Authentication: "none",
		NextHello: p.OSPF.NextHello, Neighbours: []string{"halt Full"}}, *p.OSPF)

	lo := portRow(t, w, "mill", "lo")
	require.Equal(t, "loopback", lo.Kind)
	require.Equal(t, "Loopback", lo.OSPF.State)
	require.Nil(t, lo.OSPF.NextHello)
	require.Equal(t, "Passive", portRow(t, w, "mill", "lan").OSPF.State)
	host := portRow(t, w, "gate", "nic")
	require.Equal(t, "host", host.Kind)
	require.Nil(t, host.OSPF)
	require.Equal(t, []string{"mill.lan"}, host.JoinedTo)

	require.Equal(t, tables.Process{Device: "mill", Running: true, RouterID: "10.255.0.1", RouterIDFrom: "address of lo",
		Areas: []string{"0"}, Roles: []string{}, Ports: 3, Full: 1, LSAs: 2, SPFRuns: process(t, w, "mill").SPFRuns, ReferenceBandwidth: "10G"},
		process(t, w, "mill"))
}

func TestPortsSayWhereACostComesFrom(t *testing.T) {
	set := testlabs.Settled(t, strings.Replace(testlabs.Line, testlabs.MillPort, testlabs.MillPort+"      cost 7\n", 1))
	require.Equal(t, "set on the port", portRow(t, set, "mill", "e1").OSPF.CostFrom)
	slow := testlabs.Settled(t, strings.Replace(testlabs.Line, "10.0.12.1/30", "10.0.12.1/30 bandwidth 100M", 1))
	require.Equal(t, "10G over 100M", portRow(t, slow, "mill", "e1").OSPF.CostFrom)
	require.EqualValues(t, 100, portRow(t, slow, "mill", "e1").OSPF.Cost)
}

func TestAProcessSaysWhyItDoesNotRun(t *testing.T) {
	for text, why := range map[string]string{
		"router a\n  port e1 10.0.0.1/30\n":                                      "no port runs OSPF",
		"router a disabled\n  port e1 10.0.0.1/30\n    ospf area 0\n":            "the device is disabled",
		"router a\n  port e1 10.0.0.1/30\n    ospf area 0\n  ospf\n    disabled": "the OSPF process is disabled",
		"router a\n  port e1\n    ospf area 0\n":                                 "the router has no address to take a router ID from",
	} {
		require.Equal(t, why, process(t, testlabs.Settled(t, text), "a").WhyNot, text)
	}
	w := testlabs.Settled(t, "router a\n  router-id 10.9.9.9\n  port e1 10.0.0.1/30\n    ospf area 0\n")
	require.Equal(t, "configured", process(t, w, "a").RouterIDFrom)
	// The address that the router ID was taken from goes; the ID stays.
	w = testlabs.Settled(t, testlabs.Line)
	testlabs.Reconfigure(t, w, strings.Replace(testlabs.Line, "  loopback lo 10.255.0.1/32\n    ospf area 0 passive\n", "", 1))
	require.Equal(t, "chosen from the ports", process(t, w, "mill").RouterIDFrom)
	require.Equal(t, "10.255.0.1", process(t, w, "mill").RouterID)
}
