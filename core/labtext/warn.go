package labtext

import (
	"fmt"
	"net/netip"

	"hellebore/core/config"
)

// warnings is what a careful colleague would say of a text that can be built.
func (b *builder) warnings() []Problem {
	w := &warner{builder: b}
	w.addresses()
	w.routerIDs()
	for i := range b.result.Links {
		w.link(&b.result.Links[i])
	}
	for i := range b.result.Devices {
		w.device(&b.result.Devices[i])
	}
	return w.found
}

type warner struct {
	*builder
	found []Problem
}

// at warns about something that has a place in the text.
func (w *warner) at(name, hint, format string, args ...any) {
	p := w.places[name]
	length := len(name)
	for i := range name {
		if name[i] == '.' {
			length = len(name) - i - 1
		}
	}
	w.found = append(w.found, Problem{Warning, max(1, p.Line), max(1, p.Column), max(1, p.Column) + length, fmt.Sprintf(format, args...), hint})
}

func (w *warner) addresses() {
	first := map[netip.Addr]string{}
	for i := range w.result.Devices {
		d := &w.result.Devices[i]
		for j := range d.Ports {
			p := &d.Ports[j]
			if !p.Address.IsValid() {
				continue
			}
			name := config.PortRef{Device: d.Name, Port: p.Name}.String()
			a := p.Address.Addr()
			if other, twice := first[a]; twice {
				w.at(name, "give one of them another address", "%v is also the address of %s", a, other)
				continue
			}
			first[a] = name
			if n := p.Address.Bits(); n < 31 {
				switch a {
				case p.Address.Masked().Addr():
					w.at(name, "choose another address in it", "%v is the address of the network itself", a)
				case lastOf(p.Address):
					w.at(name, "choose another address in it", "%v is the broadcast address of %v", a, p.Address.Masked())
				}
			}
		}
	}
}

func lastOf(p netip.Prefix) netip.Addr {
	b := p.Masked().Addr().As4()
	for i := p.Bits(); i < 32; i++ {
		b[i/8] |= 0x80 >> (i % 8)
	}
	return netip.AddrFrom4(b)
}

func (w *warner) routerIDs() {
	first := map[netip.Addr]string{}
	for _, d := range w.result.Devices {
		if !d.RouterID.IsValid() {
			continue
		}
		if other, twice := first[d.RouterID]; twice {
			w.at(d.Name, "give one of them another router-id", "router ID %v is also that of %s", d.RouterID, other)
			continue
		}
		first[d.RouterID] = d.Name
	}
}

// link compares the two ends of a link.
func (w *warner) link(l *config.Link) {
	da, db := w.result.Device(l.A.Device), w.result.Device(l.B.Device)
	a, b := da.Port(l.A.Port), db.Port(l.B.Port)
	name := l.A.String()
	if da.Kind == config.Host {
		name = da.Name
	}
	differ := func(what string, x, y any, hint string) {
		w.at(name, hint, "%s differs: %v on %v, %v on %v", what, x, l.A, y, l.B)
	}
	if a.Address.IsValid() && b.Address.IsValid() && a.Address.Masked() != b.Address.Masked() {
		differ("the subnet", a.Address, b.Address, "put both ends in one subnet")
	}
	if a.MTU != b.MTU {
		differ("the MTU", a.MTU, b.MTU, "use the same mtu on both ends")
	}
	x, y := a.OSPF, b.OSPF
	if da.Kind == config.Host || db.Kind == config.Host {
		for _, e := range []struct {
			o   config.PortOSPF
			ref config.PortRef
		}{{x, l.A}, {y, l.B}} {
			if e.o.On && !e.o.Passive {
				w.at(e.ref.String(), "make the port passive", "%v sends hellos to a host", e.ref)
			}
		}
		return
	}
	if x.On != y.On {
		on, off := l.A, l.B
		if y.On {
			on, off = off, on
		}
		o := da.Port(l.A.Port).OSPF
		if y.On {
			o = y
		}
		if !o.Passive {
			w.at(on.String(), fmt.Sprintf("add ospf area %s to %v, or make %v passive", FormatArea(o.Area), off, on), "OSPF runs on %v but not on %v, the other end of its link", on, off)
		}
		return
	}
	if !x.On {
		return
	}
	if x.Area != y.Area {
		differ("the area", FormatArea(x.Area), FormatArea(y.Area), "put both ends in one area")
	}
	if x.Passive != y.Passive {
		passive, other := l.A, l.B
		if y.Passive {
			passive, other = other, passive
		}
		w.at(passive.String(), "take passive off it", "%v is passive but faces a router: %v waits for its hellos", passive, other)
	}
	if x.HelloInterval != y.HelloInterval {
		differ("the hello interval", FormatDuration(x.HelloInterval), FormatDuration(y.HelloInterval), "use the same hello-interval on both ends")
	}
	if x.DeadInterval != y.DeadInterval {
		differ("the dead interval", FormatDuration(x.DeadInterval), FormatDuration(y.DeadInterval), "use the same dead-interval on both ends")
	}
}

func (w *warner) device(d *config.Device) {
	areas := map[uint32]bool{}
	runs, addressed := false, d.RouterID.IsValid()
	for i := range d.Ports {
		p := &d.Ports[i]
		name := config.PortRef{Device: d.Name, Port: p.Name}.String()
		addressed = addressed || p.Address.IsValid()
		if !p.OSPF.On {
			continue
		}
		runs = true
		areas[p.OSPF.Area] = true
		if !p.Address.IsValid() {
			w.at(name, "give it an address", "OSPF on %s does nothing: the port has no address", name)
		}
		if p.OSPF.DeadInterval <= p.OSPF.HelloInterval {
			w.at(name, "make it several hello intervals", "the dead interval is not longer than the hello interval: the neighbour will be given up between two hellos")
		}
	}
	if runs && !addressed {
		w.at(d.Name, "set router-id", "%s has no address to take a router ID from: OSPF will not start", d.Name)
	}
	if len(areas) > 1 {
		w.at(d.Name, "put its ports in one area", "%s has ports in %d areas: this version routes within each, not between them", d.Name, len(areas))
	}
}
