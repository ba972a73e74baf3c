package device

import "hellebore/core/language/config"

// MoveToInstance puts ports of the device into an instance of their own and says
// its number.
func (d *Device) MoveToInstance(ports ...string) uint16 {
	n := uint16(len(d.instances))
	d.instances = append(d.instances, Instance{number: n, device: d})
	for _, name := range ports {
		i, _ := d.Port(name)
		d.ForcePort(i, config.ForceDisabled)
		d.ports[i].instance = n
		d.ForcePort(i, config.AsConfigured)
	}
	return n
}
