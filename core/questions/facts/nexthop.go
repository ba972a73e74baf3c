package facts

import (
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/route"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// hopWords writes a set of next hops: "10.0.13.2 on e2".
func hopWords(w *network.World, d *device.Device, set route.SetID) string {
	switch set {
	case route.NoSet:
		return phrase.Text("nothing")
	case route.Blackhole:
		return "blackhole"
	case route.Beyond:
		return phrase.Text("beyond the lab")
	}
	var parts []string
	for _, h := range w.Shared().Sets.Hops(set) {
		name := d.Ports()[h.Port].Config.Name
		if !h.Gateway.IsValid() {
			parts = append(parts, phrase.Say("directly on %s", name))
		} else {
			parts = append(parts, phrase.Say("%v on %s", h.Gateway, name))
		}
	}
	return strings.Join(parts, phrase.Text(" and "))
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
				n.To = o.Ref()
			}
		}
		out = append(out, n)
	}
	return out
}

// RouteWords is the route in use for a prefix in a few words: "ospf, cost 20, by
// 10.0.12.2 on e1".
func RouteWords(w *network.World, inst *device.Instance, id uint32) string {
	d := inst.Device()
	s, ok := inst.Table().Best(id)
	if !ok {
		return ""
	}
	r := inst.Table().Route(s, id)
	words := SourceWords(inst, s, id)
	if r.Metric != 0 {
		words += phrase.Say(", cost %d", r.Metric)
	}
	set := inst.Table().Set(r.Hop)
	hops := hopWords(w, d, set)
	if set == route.Blackhole || set == route.Beyond || direct(w, set) {
		return words + ", " + hops
	}
	return words + ", " + phrase.Say("by %s", hops)
}

// direct says whether the destination is on the first port of a set itself.
func direct(w *network.World, set route.SetID) bool {
	list := w.Shared().Sets.Hops(set)
	return len(list) > 0 && !list[0].Gateway.IsValid()
}

// NextHops are the next hops of the route in use for a prefix.
func NextHops(w *network.World, inst *device.Instance, id uint32) []NextHop {
	d := inst.Device()
	s, ok := inst.Table().Best(id)
	if !ok {
		return nil
	}
	return HopsOf(w, d, inst.Table().Set(inst.Table().Route(s, id).Hop))
}
