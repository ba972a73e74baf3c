package config

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestRenamedDevices(t *testing.T) {
	addr := func(s string) []Port { return []Port{{Name: "e1", Address: netip.MustParsePrefix(s)}} }
	mill := Device{Name: "mill", Ports: addr("10.0.0.1/30")}
	halt := Device{Name: "halt", Ports: addr("10.0.0.2/30")}
	as := func(d Device, name string) Device { d.Name = name; return d }
	for name, c := range map[string]struct {
		before, after []Device
		want          map[string]string
	}{
		"nothing changed":         {[]Device{mill, halt}, []Device{halt, mill}, map[string]string{}},
		"one renamed":             {[]Device{mill, halt}, []Device{as(mill, "tunnel"), halt}, map[string]string{"tunnel": "mill"}},
		"two renamed":             {[]Device{mill, halt}, []Device{as(mill, "a"), as(halt, "b")}, map[string]string{"a": "mill", "b": "halt"}},
		"names exchanged":         {[]Device{mill, halt}, []Device{as(mill, "halt"), as(halt, "mill")}, map[string]string{}},
		"renamed and changed":     {[]Device{mill}, []Device{{Name: "tunnel", Ports: addr("10.0.0.9/30")}}, map[string]string{}},
		"two could be meant":      {[]Device{mill, as(mill, "twin")}, []Device{as(mill, "new")}, map[string]string{}},
		"one became two":          {[]Device{mill}, []Device{as(mill, "a"), as(mill, "b")}, map[string]string{}},
		"a router became a host":  {[]Device{mill}, []Device{{Name: "tunnel", Kind: Host, Ports: mill.Ports}}, map[string]string{}},
		"one went, another stays": {[]Device{mill, halt}, []Device{halt}, map[string]string{}},
	} {
		got := RenamedDevices(c.before, c.after)
		require.Len(t, got, len(c.want), name)
		for now, old := range c.want {
			require.Equal(t, old, got[now], name)
		}
	}
}

func TestRenamedPorts(t *testing.T) {
	e1 := Port{Name: "e1", Address: netip.MustParsePrefix("10.0.0.1/30")}
	up := e1
	up.Name = "up"
	require.Equal(t, map[string]string{"up": "e1"}, RenamedPorts([]Port{e1}, []Port{up}))
	up.MTU = 1400
	require.Empty(t, RenamedPorts([]Port{e1}, []Port{up}))
}

func TestRenameReachesEveryPlaceOfANameAndNoOther(t *testing.T) {
	l := Lab{
		Devices:  []Device{{Name: "mill"}, {Name: "halt"}},
		Links:    []Link{{A: PortRef{"mill", "e1"}, B: PortRef{"halt", "mill"}}},
		Segments: []Segment{{Name: "mill", Ports: []PortRef{{"halt", "e2"}, {"mill", "e2"}}}},
		Flows:    []Flow{{Name: "mill", From: "mill", To: "halt"}},
	}
	was := l.Links[0]
	require.Equal(t, Lab{
		Devices:  []Device{{Name: "tunnel"}, {Name: "halt"}},
		Links:    []Link{{A: PortRef{"tunnel", "e1"}, B: PortRef{"halt", "mill"}}},
		Segments: []Segment{{Name: "mill", Ports: []PortRef{{"halt", "e2"}, {"tunnel", "e2"}}}},
		Flows:    []Flow{{Name: "mill", From: "tunnel", To: "halt"}},
	}, l.Rename(map[string]string{"tunnel": "mill"}))
	require.Equal(t, was, l.Links[0], "the lab itself stays as it is")
}
