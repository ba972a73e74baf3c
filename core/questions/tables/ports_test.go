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
	for _, p := range tables.PortsOf(w, tables.PortsAsk{}).Ports {
		if p.Device == device && p.Port == port {
			return p
		}
	}
	t.Fatalf("no row for %s.%s", device, port)
	return tables.Port{}
}

func process(t *testing.T, w *network.World, device string) tables.Process {
	t.Helper()
	for _, p := range tables.PortsOf(w, tables.PortsAsk{}).Processes {
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
	// A loopback that announces its network does so with the cost that is set on it.
	network := testlabs.Settled(t, strings.Replace(testlabs.Line, "loopback lo 10.255.0.1/32\n    ospf area 0 passive",
		"loopback lo 10.255.0.1/24\n    ospf area 0 passive\n      own-mask\n      cost 7", 1))
	lo := portRow(t, network, "mill", "lo").OSPF
	require.EqualValues(t, 7, lo.Cost)
	require.Equal(t, "set on the port", lo.CostFrom)
	host := portRow(t, slow, "mill", "lo").OSPF
	require.Zero(t, host.Cost)
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

// TestWhyARouterIsDesignated asks on a segment of three routers why the DR is the DR (RFC
// 2328 9.4): by priority, by router ID, and since a later one never pre-empts.
func TestWhyARouterIsDesignated(t *testing.T) {
	lab := func(mill, halt, weir string) string {
		var text strings.Builder
		for i, r := range []struct{ name, ospf string }{{"mill", mill}, {"halt", halt}, {"weir", weir}} {
			n := string(rune('1' + i))
			text.WriteString("router " + r.name + "\n  router-id 10.255.0." + n + "\n  port yard 10.0.9." + n + "/24\n    ospf area 0\n" + r.ospf)
		}
		return text.String() + "segment yard mill.yard halt.yard weir.yard\n"
	}
	for name, c := range map[string]struct{ text, dr, why, bdr, bwhy string }{
		"by router ID":  {lab("", "", ""), "weir", "highest router ID of those with priority 1", "halt", "highest router ID of those with priority 1"},
		"by priority":   {lab("      priority 9\n", "", ""), "mill", "highest priority, 9", "weir", "highest router ID of those with priority 1"},
		"the only ones": {lab("", "      priority 0\n", "      priority 0\n"), "mill", "no other router that may be it is there", "", ""},
	} {
		t.Run(name, func(t *testing.T) {
			w := testlabs.Settled(t, c.text)
			for _, device := range []string{"mill", "halt", "weir"} {
				o := portRow(t, w, device, "yard").OSPF
				require.Contains(t, o.DR, c.dr)
				require.Equal(t, c.why, o.DRWhy)
				require.Contains(t, o.BDR, c.bdr)
				require.Equal(t, c.bwhy, o.BDRWhy)
			}
		})
	}
	w := testlabs.Settled(t, strings.Replace(lab("", "", ""), "segment yard mill.yard halt.yard weir.yard", "segment yard mill.yard halt.yard", 1))
	testlabs.Reconfigure(t, w, lab("", "", ""))
	o := portRow(t, w, "mill", "yard").OSPF
	require.Contains(t, o.DR, "halt")
	require.Equal(t, "it came first; a higher priority or router ID never pre-empts", o.DRWhy)
}
