package config

import "reflect"

// A rename keeps identity: a device, or a port of a device, that is gone under
// its old name and there under a new one, the same in all else, is the same.
// Where several could be meant, none is.

// RenamedDevices finds the devices of after that are devices of before under
// another name: new name to old name.
func RenamedDevices(before, after []Device) map[string]string {
	same := func(a, b Device) bool {
		b.Name = a.Name
		return reflect.DeepEqual(a, b)
	}
	return renamed(before, after, func(d Device) string { return d.Name }, same)
}

// RenamedPorts finds the ports of after that are ports of before under another
// name: new name to old name.
func RenamedPorts(before, after []Port) map[string]string {
	same := func(a, b Port) bool {
		b.Name = a.Name
		return reflect.DeepEqual(a, b) // key chains are equal by their contents
	}
	return renamed(before, after, func(p Port) string { return p.Name }, same)
}

func renamed[T any](before, after []T, name func(T) string, same func(a, b T) bool) map[string]string {
	gone := without(before, after, name)
	if len(gone) == 0 {
		return nil
	}
	came := without(after, before, name)
	out := map[string]string{}
	for _, c := range came {
		old, n := "", 0
		for _, g := range gone {
			if same(g, c) {
				old = name(g)
				n++
			}
		}
		twins := 0
		for _, other := range came {
			if same(c, other) {
				twins++
			}
		}
		if n == 1 && twins == 1 {
			out[name(c)] = old
		}
	}
	return out
}

// without are the items of list whose names are not in other.
func without[T any](list, other []T, name func(T) string) []T {
	known := make(map[string]bool, len(other))
	for _, o := range other {
		known[name(o)] = true
	}
	var out []T
	for _, x := range list {
		if !known[name(x)] {
			out = append(out, x)
		}
	}
	return out
}

// Rename gives devices of the lab other names, wherever they are named; names
// maps new names to old ones.
func (l *Lab) Rename(names map[string]string) Lab {
	out := *l
	to := make(map[string]string, len(names))
	for now, old := range names {
		to[old] = now
	}
	name := func(s string) string {
		if n, ok := to[s]; ok {
			return n
		}
		return s
	}
	out.Devices = append([]Device(nil), l.Devices...)
	for i := range out.Devices {
		out.Devices[i].Name = name(out.Devices[i].Name)
	}
	out.Links = append([]Link(nil), l.Links...)
	for i := range out.Links {
		k := &out.Links[i]
		k.A.Device, k.B.Device = name(k.A.Device), name(k.B.Device)
	}
	out.Segments = append([]Segment(nil), l.Segments...)
	for i := range out.Segments {
		s := &out.Segments[i]
		s.Ports = append([]PortRef(nil), s.Ports...)
		for k := range s.Ports {
			s.Ports[k].Device = name(s.Ports[k].Device)
		}
	}
	out.Flows = append([]Flow(nil), l.Flows...)
	for i := range out.Flows {
		out.Flows[i].From, out.Flows[i].To = name(out.Flows[i].From), name(out.Flows[i].To)
	}
	out.RiskGroups = append([]RiskGroup(nil), l.RiskGroups...)
	for i := range out.RiskGroups {
		g := &out.RiskGroups[i]
		g.Links = append([]PortRef(nil), g.Links...)
		for k := range g.Links {
			g.Links[k].Device = name(g.Links[k].Device)
		}
		g.Devices = append([]string(nil), g.Devices...)
		for k := range g.Devices {
			g.Devices[k] = name(g.Devices[k])
		}
	}
	return out
}
