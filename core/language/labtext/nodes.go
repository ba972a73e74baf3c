package labtext

import (
	"strings"

	"hellebore/core/language/config"
)

// What a warning says of routers it says of their routing instances, each as a router of
// its own: "junction/ferry" with the ports that are in it. A router with main alone is
// itself.

// nodesOf are the instances of all devices, main first.
func nodesOf(l *config.Lab) []*config.Device {
	var out []*config.Device
	for i := range l.Devices {
		d := &l.Devices[i]
		if len(d.Instances) == 0 {
			out = append(out, d)
			continue
		}
		for _, name := range d.InstanceNames() {
			n := &config.Device{Name: config.InstanceRef(d.Name, name), Kind: d.Kind, Disabled: d.Disabled, Routing: *d.Instance(name)}
			for _, p := range d.Ports {
				if p.Instance == name {
					p.Instance = ""
					n.Ports = append(n.Ports, p)
				}
			}
			out = append(out, n)
		}
	}
	return out
}

// refOf names a port of a node as the text does: by the device.
func refOf(n *config.Device, port string) config.PortRef {
	device, _, _ := strings.Cut(n.Name, "/")
	return config.PortRef{Device: device, Port: port}
}

// domainsOf are the networks that have addresses of their own: nodes are in one if links
// and segments lead from one to the other. Without instances all is one network.
func domainsOf(l *config.Lab, nodes []*config.Device) map[*config.Device]int {
	of := map[config.PortRef]int{} // the node of a port
	above := make([]int, len(nodes))
	several := false
	for i, n := range nodes {
		above[i] = i
		several = several || strings.Contains(n.Name, "/")
		for _, p := range n.Ports {
			of[refOf(n, p.Name)] = i
		}
	}
	var root func(i int) int
	root = func(i int) int {
		if above[i] != i {
			above[i] = root(above[i])
		}
		return above[i]
	}
	// A cable joins a port's network, and those of its sub-ports, to those at the other end.
	ends := func(r config.PortRef) []int {
		out := []int{}
		if i, ok := of[r]; ok {
			out = append(out, i)
		}
		if d := l.Device(r.Device); d != nil {
			for _, p := range d.Ports {
				if p.Parent == r.Port {
					out = append(out, of[config.PortRef{Device: d.Name, Port: p.Name}])
				}
			}
		}
		return out
	}
	tagOf := func(i int, r config.PortRef) map[uint16]bool {
		tags := map[uint16]bool{}
		for _, p := range nodes[i].Ports {
			if ref := refOf(nodes[i], p.Name); ref == r || p.Parent == r.Port && ref.Device == r.Device {
				tags[p.VLAN] = true
			}
		}
		return tags
	}
	join := func(x, y config.PortRef) {
		for _, i := range ends(x) {
			for _, j := range ends(y) {
				for tag := range tagOf(i, x) {
					if tagOf(j, y)[tag] {
						above[root(i)] = root(j)
					}
				}
			}
		}
	}
	for _, k := range l.Links {
		join(k.A, k.B)
	}
	for _, s := range l.Segments {
		for i := 1; i < len(s.Ports); i++ {
			join(s.Ports[0], s.Ports[i])
		}
	}
	out := make(map[*config.Device]int, len(nodes))
	for i, n := range nodes {
		if several {
			out[n] = root(i)
		} else {
			out[n] = 0
		}
	}
	return out
}
