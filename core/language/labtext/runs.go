package labtext

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

func wantRun() error {
	return phrase.Error("write run ospf area 0 on A, B, run bgp as 64500 on A, B [reflectors C], or run ebgp on A, B")
}

// run has routers run a protocol with each other.
func (s *site) run(statement string) error {
	head, list, ok := strings.Cut(statement, " on ")
	words := strings.Fields(head)
	if !ok || len(words) == 0 {
		return wantRun()
	}
	list, reflectors, _ := strings.Cut(list, " reflectors ")
	routers, err := s.routersOf(list)
	if err != nil {
		return err
	}
	switch {
	case words[0] == "ospf" && (len(words) == 1 || len(words) == 3 && words[1] == "area"):
		area := uint32(0)
		if len(words) == 3 {
			if area, err = parseArea(words[2]); err != nil {
				return phrase.Errorf("%q is not an area; write a number, or four numbers with dots", words[2])
			}
		}
		s.runOSPF(routers, area)
		return nil
	case words[0] == "bgp" && len(words) == 3 && words[1] == "as":
		as, err := strconv.ParseUint(words[2], 10, 32)
		if err != nil || as == 0 {
			return phrase.Errorf("%q is not an AS number", words[2])
		}
		var reflecting []*config.Device
		if reflectors != "" {
			if reflecting, err = s.routersOf(reflectors); err != nil {
				return err
			}
		}
		return s.runBGP(routers, uint32(as), reflecting)
	case words[0] == "ebgp" && len(words) == 1 && len(routers) == 2:
		return s.runExternal(routers[0], routers[1])
	}
	return wantRun()
}

// routersOf are the routers of a list with commas.
func (s *site) routersOf(list string) ([]*config.Device, error) {
	var out []*config.Device
	for name := range strings.SplitSeq(list, ",") {
		name = strings.TrimSpace(name)
		kind, err := s.place(name)
		if err != nil {
			return nil, err
		}
		if kind != config.Router {
			return nil, phrase.Errorf("%s is no router", name)
		}
		out = append(out, s.lab.Device(name))
	}
	return out, nil
}

// facing are the devices at the other ends of what a port is joined to.
func (s *site) facing(ref config.PortRef) []*config.Device {
	var out []*config.Device
	for _, l := range s.lab.Links {
		if l.A == ref {
			out = append(out, s.lab.Device(l.B.Device))
		}
		if l.B == ref {
			out = append(out, s.lab.Device(l.A.Device))
		}
	}
	for _, g := range s.lab.Segments {
		if slices.Contains(g.Ports, ref) {
			for _, p := range g.Ports {
				if p != ref {
					out = append(out, s.lab.Device(p.Device))
				}
			}
		}
	}
	return out
}

// runOSPF runs OSPF on all ports that face a router of the list; loopbacks and ports
// towards hosts are passive. Ports towards other routers, and other ASes, are left
// alone.
func (s *site) runOSPF(routers []*config.Device, area uint32) {
	for _, d := range routers {
		for i := range d.Ports {
			p := &d.Ports[i]
			if !p.Address.IsValid() || p.Virtual != nil || p.Instance != "" {
				continue
			}
			far := s.facing(config.PortRef{Device: d.Name, Port: portOf(p)})
			inside := slices.ContainsFunc(far, func(x *config.Device) bool {
				return x.Kind == config.Router && slices.Contains(routers, x)
			})
			outside := slices.ContainsFunc(far, func(x *config.Device) bool {
				return x.Kind == config.Router && !slices.Contains(routers, x)
			})
			at := fmt.Sprintf("%s.%s", d.Name, p.Name)
			switch {
			case inside:
				s.say("%s ospf area %s", at, FormatArea(area))
				if p.OSPF.Passive {
					s.say("remove %s ospf passive", at)
				}
			case p.Loopback, len(far) > 0 && !outside:
				s.say("%s ospf area %s passive", at, FormatArea(area))
			}
		}
	}
}

// portOf is the port that is on the cable.
func portOf(p *config.Port) string {
	if p.Parent != "" {
		return p.Parent
	}
	return p.Name
}

// runBGP makes routers one AS: internal sessions over loopbacks, between all or with
// reflectors, and next-hop-self on those at the border.
func (s *site) runBGP(routers []*config.Device, as uint32, reflectors []*config.Device) error {
	const group = "inside"
	loopback := map[string]netip.Addr{}
	for _, d := range routers {
		i := slices.IndexFunc(d.Ports, func(p config.Port) bool { return p.Loopback && p.Address.IsValid() && p.Instance == "" })
		name := "lo"
		if i >= 0 {
			name, loopback[d.Name] = d.Ports[i].Name, d.Ports[i].Address.Addr()
		} else {
			n, err := s.take("loopbacks", ofRouter(d))
			if err != nil {
				return err
			}
			loopback[d.Name] = n.Addr()
			s.say("router %s loopback lo %v", d.Name, n)
		}
		s.say("router %s bgp as %d", d.Name, as)
		s.say("router %s bgp peer-group %s\n  as %d\n  local-address %s", d.Name, group, as, name)
		if s.atBorder(d, routers, as) {
			s.say("router %s bgp peer-group %s next-hop-self", d.Name, group)
		}
	}
	for _, d := range routers {
		for _, o := range routers {
			reflects, reflected := slices.Contains(reflectors, d), slices.Contains(reflectors, o)
			if d == o || len(reflectors) > 0 && !reflects && !reflected {
				continue
			}
			client := ""
			if reflects && !reflected {
				client = " client"
			}
			s.say("router %s bgp peer %v group %s%s", d.Name, loopback[o.Name], group, client)
		}
	}
	return nil
}

// atBorder says whether a router faces one of another AS.
func (s *site) atBorder(d *config.Device, inside []*config.Device, as uint32) bool {
	for _, p := range d.Ports {
		if p.Instance != "" {
			continue
		}
		for _, far := range s.facing(config.PortRef{Device: d.Name, Port: p.Name}) {
			if far.Kind == config.Router && !slices.Contains(inside, far) && far.BGP.AS != as && far.BGP.AS != 0 {
				return true
			}
		}
	}
	return slices.ContainsFunc(d.BGP.Peers, func(p config.Peer) bool { return p.AS != as })
}

// runExternal has two routers of two ASes peer across the link between them.
func (s *site) runExternal(a, b *config.Device) error {
	for _, d := range []*config.Device{a, b} {
		if d.BGP.AS == 0 {
			return phrase.Errorf("%s is in no AS: write run bgp as NUMBER on %s first", d.Name, d.Name)
		}
	}
	if a.BGP.AS == b.BGP.AS {
		return phrase.Errorf("%s and %s are in the same AS, %d", a.Name, b.Name, a.BGP.AS)
	}
	for _, l := range s.lab.Links {
		x, y := l.A, l.B
		if x.Device == b.Name && y.Device == a.Name {
			x, y = y, x
		}
		if x.Device != a.Name || y.Device != b.Name {
			continue
		}
		p, q := a.Port(x.Port), b.Port(y.Port)
		if !p.Address.IsValid() || !q.Address.IsValid() {
			continue
		}
		s.say("router %s bgp peer %v as %d", a.Name, q.Address.Addr(), b.BGP.AS)
		s.say("router %s bgp peer %v as %d", b.Name, p.Address.Addr(), a.BGP.AS)
		return nil
	}
	return phrase.Errorf("no link with addresses joins %s and %s: connect them first", a.Name, b.Name)
}
