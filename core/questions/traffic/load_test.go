package traffic_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/traffic"
)

const loaded = `router mill
  port e1 10.0.0.1/30 bandwidth 100M
    ospf area 0
  port e2 10.0.1.1/30 bandwidth 10M
    ospf area 0
      cost 500
  port lan 10.1.0.1/24
    ospf area 0 passive
router halt
  port e1 10.0.0.2/30 bandwidth 100M
    ospf area 0
  port e2 10.0.1.2/30 bandwidth 10M
    ospf area 0
      cost 500
  port lan 10.2.0.1/24
    ospf area 0 passive
host kiosk 10.1.0.9/24 gateway 10.1.0.1
host crane 10.2.0.9/24 gateway 10.2.0.1
link mill.e1 halt.e1
link mill.e2 halt.e2
link mill.lan kiosk
link halt.lan crane
flow tickets kiosk -> crane rate 12M
flow films kiosk -> crane rate 30M
flow answers crane -> kiosk rate 2M
flow chat kiosk -> crane
`

// TestLinksCarryTheFlowsThatPassThem: each direction of a link for itself, in percent of the port's bandwidth.
func TestLinksCarryTheFlowsThatPassThem(t *testing.T) {
	at := func(loads []traffic.Load, port string) traffic.Load {
		for _, l := range loads {
			if l.Port == port {
				return l
			}
		}
		return traffic.Load{}
	}
	all := traffic.LoadsOf(testlabs.Acted(t, loaded).Head())
	require.Equal(t, traffic.Load{Port: "mill.e1", Rate: 42_000_000, Percent: 42, Flows: []string{"tickets", "films"}}, all[0])
	require.Equal(t, traffic.Load{Port: "halt.e1", Rate: 2_000_000, Percent: 2, Flows: []string{"answers"}}, at(all, "halt.e1"))
	require.Zero(t, at(all, "mill.e2").Rate)
	require.InDelta(t, 4.2, at(all, "halt.lan").Percent, 1e-9)

	all = traffic.LoadsOf(testlabs.Acted(t, loaded, "cut mill.e1").Head())
	require.Equal(t, "mill.e2", all[0].Port)
	require.InDelta(t, 420, all[0].Percent, 1e-9)
	require.InDelta(t, 20, at(all, "halt.e2").Percent, 1e-9)

	all = traffic.LoadsOf(testlabs.Acted(t, loaded, "cut mill.e1", "cut mill.e2").Head())
	require.Zero(t, at(all, "mill.e2").Rate)
	require.Equal(t, uint64(42_000_000), at(all, "kiosk").Rate, "what is lost at mill got there")
	require.Empty(t, traffic.LoadsOf(testlabs.Acted(t, "router a\n").Head()))
}
