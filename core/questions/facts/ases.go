package facts

import (
	"hellebore/core/language/config"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// ASes says in which AS each device is: a router that speaks BGP in its own, any
// other in that of the routers that OSPF joins it to, a host in that of its
// neighbours. Whoever is between two ASes, or far from all, is in none.
func ASes(w *network.World) map[*device.Device]uint32 {
	out := map[*device.Device]uint32{}
	var queue []*device.Device
	for _, d := range w.Devices() {
		if as := asOf(d); as != 0 && !d.Gone() {
			out[d] = as
			queue = append(queue, d)
		}
	}
	if len(queue) == 0 {
		return out
	}
	torn := map[*device.Device]bool{}
	for len(queue) > 0 {
		d := queue[0]
		queue = queue[1:]
		for i := range d.Ports() {
			if d.Ports()[i].Gone {
				continue
			}
			for _, e := range w.Facing(d.ID(), uint32(i)) {
				far := w.Device(e.Device)
				joined := far.Kind() == config.Host ||
					d.Kind() == config.Router && d.Ports()[i].Config.OSPF.On && far.Ports()[e.Port].Config.OSPF.On
				if far.Gone() || asOf(far) != 0 || !joined {
					continue
				}
				switch as, known := out[far]; {
				case !known && !torn[far]:
					out[far] = out[d]
					queue = append(queue, far)
				case known && as != out[d]:
					torn[far] = true
					delete(out, far)
				}
			}
		}
	}
	return out
}

// asOf is the AS that a router is in: that of main, else of its first instance that speaks
// BGP.
func asOf(d *device.Device) uint32 {
	for _, inst := range Instances(d) {
		if as := inst.Config().BGP.AS; as != 0 {
			return as
		}
	}
	return 0
}
