package facts

import (
	"fmt"
	"strings"

	"hellebore/core/protocols/route"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// hopWords writes a set of next hops: "10.0.13.2 on e2".
func hopWords(w *network.World, d *device.Device, set route.SetID) string {
	switch set {
	case route.NoSet:
		return "nothing"
	case route.Blackhole:
		return "blackhole"
	}
	var parts []string
	for _, h := range w.Shared().Sets.Hops(set) {
		name := d.Ports()[h.Port].Config.Name
		if !h.Gateway.IsValid() {
			parts = append(parts, "directly on "+name)
		} else {
			parts = append(parts, fmt.Sprintf("%v on %s", h.Gateway, name))
		}
	}
	return strings.Join(parts, " and ")
}

// NextHop is one next hop of a route.
type NextHop struct {
	Via  string `json:"via,omitempty" doc:"address of the next router; absent if the destination is on the port itself"`
	Port string `json:"port"`
	To   string `json:"to,omitempty" doc:"the device that has the address"`
}

// HopsOf are the next hops of a set, with the devices that have their addresses.
func HopsOf(w *network.World, d *device.Device, set route.SetID) []NextHop {
	out := []NextHop{}
	for _, h := range w.Shared().Sets.Hops(set) {
		n := NextHop{Port: d.Ports()[h.Port].Config.Name}
		if h.Gateway.IsValid() {
			n.Via = h.Gateway.String()
			if o := GatewayOwner(w, d, h.Port, h.Gateway); o != nil {
				n.To = o.Name()
			}
		}
		out = append(out, n)
	}
	return out
}

// RouteWords is the route in use for a prefix in a few words: "ospf, cost 20, by
// 10.0.12.2 on e1".
func RouteWords(w *network.World, d *device.Device, id uint32) string {
	s, ok := d.Main().Table().Best(id)
	if !ok {
		return ""
	}
	r := d.Main().Table().Route(s, id)
	words := s.String()
	if r.Metric != 0 {
		words += fmt.Sprintf(", cost %d", r.Metric)
	}
	return words + ", " + byWords(hopWords(w, d, d.Main().Table().Set(r.Hop)))
}

func byWords(hops string) string {
	if strings.HasPrefix(hops, "directly") || hops == "blackhole" {
		return hops
	}
	return "by " + hops
}

// NextHops are the next hops of the route in use for a prefix.
func NextHops(w *network.World, d *device.Device, id uint32) []NextHop {
	s, ok := d.Main().Table().Best(id)
	if !ok {
		return nil
	}
	return HopsOf(w, d, d.Main().Table().Set(d.Main().Table().Route(s, id).Hop))
}
