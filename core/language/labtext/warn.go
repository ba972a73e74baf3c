package labtext

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// warnings is what a careful colleague would say of a text that can be built.
func (b *builder) warnings() []Problem {
	w := &warner{builder: b, nodes: nodesOf(&b.result)}
	w.domains = domainsOf(&b.result, w.nodes)
	w.addresses()
	w.routerIDs()
	for i := range b.result.Links {
		w.link(&b.result.Links[i])
	}
	for i := range b.result.Segments {
		w.segment(&b.result.Segments[i])
	}
	for _, n := range w.nodes {
		w.device(n)
	}
	w.crossings()
	w.compatibility()
	w.templates()
	w.bgp()
	return w.found
}

type warner struct {
	*builder
	nodes   []*config.Device
	domains map[*config.Device]int
	found   []Problem
}

// at warns about something that has a place in the text.
func (w *warner) at(name, hint, format string, args ...any) {
	p := w.places[name]
	length := len(name)
	if i := strings.LastIndexByte(name, ' '); i >= 0 {
		length = len(name) - i - 1
	} else if _, port, ok := strings.Cut(name, "."); ok {
		length = len(port)
	}
	w.found = append(w.found,
		Problem{Severity: Warning, Line: max(1, p.Line), Column: max(1, p.Column), End: max(1, p.Column) + length,
			Message: phrase.Say(format, args...), Hint: phrase.Text(hint)})
}

// offer adds ways to mend what was warned of last.
func (w *warner) offer(ways ...string) {
	last := &w.found[len(w.found)-1]
	last.Edits = append(last.Edits, ways...)
}

// agree are the ways to have two ports say the same: the second what the first says, and
// the other way round. "" is no value that can be written.
func agree(statement string, a, b config.PortRef, x, y string) []string {
	var out []string
	if y != "" {
		out = append(out, fmt.Sprintf("%v %s %s", a, statement, y))
	}
	if x != "" {
		out = append(out, fmt.Sprintf("%v %s %s", b, statement, x))
	}
	return out
}

func (w *warner) addresses() {
	type owned struct {
		domain  int
		address netip.Addr
	}
	first := map[owned]string{}
	for _, d := range w.nodes {
		for j := range d.Ports {
			p := &d.Ports[j]
			if !p.Address.IsValid() {
				continue
			}
			name := refOf(d, p.Name).String()
			a := p.Address.Addr()
			key := owned{w.domains[d], a}
			if other, twice := first[key]; twice {
				w.at(name, "give one of them another address", "%v is also the address of %s", a, other)
				continue
			}
			first[key] = name
			if n := p.Address.Bits(); n < 31 {
				switch a {
				case p.Address.Masked().Addr():
					w.at(name, "choose another address in it", "%v is the address of the network itself", a)
				case lastOf(p.Address):
					w.at(name, "choose another address in it", "%v is the broadcast address of %v", a,
						p.Address.Masked())
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
	type owned struct {
		domain int
		id     netip.Addr
	}
	first := map[owned]string{}
	for _, d := range w.nodes {
		if !d.RouterID.IsValid() {
			continue
		}
		key := owned{w.domains[d], d.RouterID}
		if other, twice := first[key]; twice {
			w.at(d.Name, "give one of them another router-id", "router ID %v is also that of %s", d.RouterID, other)
			continue
		}
		first[key] = d.Name
	}
}

// link compares the two ends of a link.
func (w *warner) link(l *config.Link) {
	da, db := w.find(l.A.Device), w.find(l.B.Device)
	a, b := da.Port(l.A.Port), db.Port(l.B.Port)
	name := l.A.String()
	w.tags(l)
	if da.Kind == config.Host {
		name = da.Name
	}
	differ := func(what string, x, y any, hint string) {
		w.at(name, hint, "%s differs: %v on %v, %v on %v", phrase.Text(what), x, l.A, y, l.B)
	}
	if a.Address.IsValid() && b.Address.IsValid() && a.Address.Masked() != b.Address.Masked() {
		differ("the subnet", a.Address, b.Address, "put both ends in one subnet")
	}
	if a.MTU != b.MTU {
		differ("the MTU", a.MTU, b.MTU, "use the same mtu on both ends")
		if da.Kind == config.Router && db.Kind == config.Router {
			w.offer(agree("mtu", l.A, l.B, strconv.Itoa(int(a.MTU)), strconv.Itoa(int(b.MTU)))...)
		}
	}
	x, y := a.OSPF, b.OSPF
	if da.Kind == config.Host || db.Kind == config.Host {
		for _, e := range []struct {
			o   config.PortOSPF
			ref config.PortRef
		}{{x, l.A}, {y, l.B}} {
			if e.o.On && !e.o.Passive {
				w.at(e.ref.String(), "make the port passive", "%v sends hellos to a host", e.ref)
				w.offer(e.ref.String() + " ospf passive")
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
			w.at(on.String(), phrase.Say("add ospf area %s to %v, or make %v passive", FormatArea(o.Area), off, on),
				"OSPF runs on %v but not on %v, the other end of its link", on, off)
			w.offer(fmt.Sprintf("%v ospf area %s", off, FormatArea(o.Area)), fmt.Sprintf("%v ospf passive", on))
		}
		return
	}
	if !x.On {
		return
	}
	w.ospfDiffers(l.A, l.B)
	if x.Passive != y.Passive {
		passive, other := l.A, l.B
		if y.Passive {
			passive, other = other, passive
		}
		w.at(passive.String(), "take passive off it", "%v is passive but faces a router: %v waits for its hellos",
			passive, other)
		w.offer(fmt.Sprintf("remove %v ospf passive", passive))
	}
}

// tags compares the sub-ports at the two ends of a link.
func (w *warner) tags(l *config.Link) {
	for _, way := range [][2]config.PortRef{{l.A, l.B}, {l.B, l.A}} {
		here, there := w.find(way[0].Device), w.find(way[1].Device)
		for i := range here.Ports {
			p := &here.Ports[i]
			if p.VLAN == 0 || p.Parent != way[0].Port {
				continue
			}
			own := config.PortRef{Device: here.Name, Port: p.Name}
			k := slices.IndexFunc(there.Ports,
				func(q config.Port) bool { return q.Parent == way[1].Port && q.VLAN == p.VLAN })
			switch {
			case k < 0:
				w.at(own.String(), phrase.Say("add vlan %d to %v", p.VLAN, way[1]),
					"%v, the other end of the link, has no vlan %d", way[1], p.VLAN)
				w.offer(fmt.Sprintf("%v vlan %d", way[1], p.VLAN))
			case way[0] == l.A && p.OSPF.On && there.Ports[k].OSPF.On:
				w.ospfDiffers(own, config.PortRef{Device: there.Name, Port: there.Ports[k].Name})
			}
		}
	}
}

// ospfDiffers compares what OSPF on two ports must agree on.
func (w *warner) ospfDiffers(one, other config.PortRef) {
	da, db := w.find(one.Device), w.find(other.Device)
	x, y := da.Port(one.Port).OSPF, db.Port(other.Port).OSPF
	here, there := da.Instance(da.Port(one.Port).Instance), db.Instance(db.Port(other.Port).Instance)
	differ := func(what, statement, a, b, hint string) {
		if a != b {
			w.at(one.String(), hint, "%s differs: %v on %v, %v on %v", phrase.Text(what), a, one, b, other)
			written := func(v string) string { return strings.TrimPrefix(v, typed(config.AutoType).String()) }
			w.offer(agree("ospf "+statement, one, other, written(a), written(b))...)
		}
	}
	differ("the area", "area", FormatArea(x.Area), FormatArea(y.Area), "put both ends in one area")
	differ("the hello interval", "hello-interval", FormatDuration(x.HelloInterval), FormatDuration(y.HelloInterval),
		"use the same hello-interval on both ends")
	differ("the dead interval", "dead-interval", FormatDuration(x.DeadInterval), FormatDuration(y.DeadInterval),
		"use the same dead-interval on both ends")
	if authWords(x.Keys) != authWords(y.Keys) {
		w.at(one.String(), "use the same key chain on both ends", "authentication differs: %s on %v, %s on %v",
			ChainWords(x.Keys), one, ChainWords(y.Keys), other)
		w.offer(agree("ospf keys", other, one, chainName(y.Keys), chainName(x.Keys))...)
	}
	differ("the type", "type", typed(x.Type).String(), typed(y.Type).String(), "use the same type on both ends")
	if x.Area == y.Area {
		near, far := here.OSPF.Area(x.Area), there.OSPF.Area(x.Area)
		if a, b := near.KindWords(), far.KindWords(); a != b {
			w.at(one.String(), "say the same of the area on both routers", "area %s differs: %s on %v, %s on %v",
				FormatArea(x.Area), a, one, b, other)
		}
	}
}

// segment compares the ports on a segment with the first of them that speaks
// OSPF, or has an address.
func (w *warner) segment(s *config.Segment) {
	var first, speaks *config.PortRef
	for i := range s.Ports {
		r := &s.Ports[i]
		p := w.find(r.Device).Port(r.Port)
		if p.Address.IsValid() {
			if first == nil {
				first = r
			} else if q := w.find(first.Device).Port(first.Port); q.Address.Masked() != p.Address.Masked() {
				w.at(r.String(), "put all ports of the segment in one subnet",
					"the subnet differs on segment %s: %v on %v, %v on %v", s.Name, p.Address, r, q.Address, first)
			}
		}
		if !p.OSPF.On || p.OSPF.Passive {
			continue
		}
		if speaks == nil {
			speaks = r
			continue
		}
		w.ospfDiffers(*speaks, *r)
	}
}

func (w *warner) device(d *config.Device) {
	areas := map[uint32]bool{}
	runs, addressed := false, d.RouterID.IsValid()
	for i := range d.Ports {
		p := &d.Ports[i]
		name := refOf(d, p.Name).String()
		addressed = addressed || p.Address.IsValid()
		if !p.OSPF.On {
			continue
		}
		runs = true
		areas[p.OSPF.Area] = true
		if p.Loopback && !p.OSPF.OwnMask && p.OSPF.Cost != 0 {
			w.at(name, "take the cost out, or add own-mask",
				"the cost of %s has no effect: a host route of a loopback costs 0 (RFC 2328 12.4.1)", name)
			w.offer("remove "+name+" ospf cost", name+" ospf own-mask")
		}
		if !p.Address.IsValid() {
			w.at(name, "give it an address", "OSPF on %s does nothing: the port has no address", name)
		}
		if p.OSPF.DeadInterval <= p.OSPF.HelloInterval {
			w.at(name, "make it several hello intervals",
				"the dead interval is not longer than the hello interval: the neighbour will be given up between two hellos")
			w.offer(fmt.Sprintf("%s ospf dead-interval %s", name, FormatDuration(min(config.DeadFactor*p.OSPF.HelloInterval, 65535*time.Second))))
		}
	}
	if runs && !addressed {
		w.at(d.Name, "set router-id", "%s has no address to take a router ID from: OSPF will not start", d.Name)
	}
	w.areas(d, areas)
}

// areaList writes areas in words: "1 and 2".
func areaList(running map[uint32]bool) string {
	var ids []uint32
	for id := range running {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	var words []string
	for _, id := range ids {
		words = append(words, FormatArea(id))
	}
	return phrase.Say("%s and %s", strings.Join(words[:len(words)-1], ", "), words[len(words)-1])
}

// compatibility warns of routers of one network that prefer external paths by
// different rules: their packets may loop (RFC 2328 C.1).
func (w *warner) compatibility() {
	var on, off *config.Device
	for _, d := range w.nodes {
		switch runs := slices.ContainsFunc(d.Ports, func(p config.Port) bool { return p.OSPF.On }); {
		case !runs:
		case d.OSPF.Strict && off == nil:
			off = d
		case !d.OSPF.Strict && on == nil:
			on = d
		}
	}
	if on != nil && off != nil {
		w.at(off.Name, "set the same on all routers",
			"rfc1583-compatibility is off on %s and on on %s: they may prefer different paths to AS boundary routers, and packets may loop", off.Name, on.Name)
		var same []string
		for _, d := range w.nodes {
			if d.OSPF.Strict {
				same = append(same, d.Name)
			}
		}
		w.offer(strings.Join(same, ", ") + " ospf rfc1583-compatibility on")
	}
}

// areas warns about what a router's text says of areas.
func (w *warner) areas(d *config.Device, running map[uint32]bool) {
	virtual := slices.ContainsFunc(d.OSPF.Areas, func(a config.Area) bool { return len(a.Virtual) > 0 })
	if len(running) > 1 && !running[0] && !virtual {
		w.at(d.Name, "give it a port in area 0, or a virtual link",
			"%s joins areas %s but not the backbone: it is no area border router, and passes no routes between them",
			d.Name, areaList(running))
	}
	for _, a := range d.OSPF.Areas {
		w.virtual(d, &a)
		if !running[a.ID] {
			w.at(d.Name, "put a port in it, or take the block out", "%s speaks of area %s and has no port in it",
				d.Name, FormatArea(a.ID))
			w.offer(fmt.Sprintf("remove %s ospf area %s", d.Name, FormatArea(a.ID)))
		}
		for _, r := range a.Ranges {
			if where, ok := w.covered(d, r.Prefix, a.ID); !ok {
				hint := "take it out"
				if where != "" {
					hint = phrase.Say("probably area %s was meant, whose networks it covers", where)
				}
				w.at(rangeName(d.Name, a.ID, r.Prefix), hint,
					"the range %v of area %s on %s covers no network of that area", r.Prefix, FormatArea(a.ID), d.Name)
				gone := fmt.Sprintf("remove %s ospf area %s range %v", d.Name, FormatArea(a.ID), r.Prefix)
				if where != "" {
					w.offer(fmt.Sprintf("%s\n%s ospf area %s range %v", gone, d.Name, where, r.Prefix))
				}
				w.offer(gone)
			}
		}
	}
}

// virtual warns about virtual links that the other end does not know.
func (w *warner) virtual(d *config.Device, a *config.Area) {
	for _, v := range a.Virtual {
		i := slices.IndexFunc(w.nodes,
			func(o *config.Device) bool { return w.domains[o] == w.domains[d] && o.IdentifiedBy("", v.Peer) })
		if i < 0 {
			w.at(d.Name, "write the router ID of the other end",
				"%s has a virtual link to %v, which is no router's ID", d.Name, v.Peer)
			continue
		}
		far := w.nodes[i]
		back := far.OSPF.Area(a.ID)
		if !slices.ContainsFunc(back.Virtual, func(o config.VirtualLink) bool { return d.IdentifiedBy("", o.Peer) }) {
			w.at(d.Name, phrase.Say("add virtual-link to area %s on %s", FormatArea(a.ID), far.Name),
				"%s has a virtual link to %s, which has none back", d.Name, far.Name)
			if d.RouterID.IsValid() {
				w.offer(fmt.Sprintf("%s ospf area %s virtual-link %v", far.Name, FormatArea(a.ID), d.RouterID))
			}
		}
	}
}

// covered says whether a prefix covers a network of an area that a router is in, and if
// not, of which other area it covers one.
func (w *warner) covered(d *config.Device, x netip.Prefix, area uint32) (other string, ok bool) {
	for _, o := range w.nodes {
		if w.domains[o] != w.domains[d] {
			continue
		}
		for _, p := range o.Ports {
			if !p.OSPF.On || !p.Address.IsValid() || !x.Contains(p.Address.Addr()) || p.Address.Bits() < x.Bits() {
				continue
			}
			if p.OSPF.Area == area {
				return "", true
			}
			other = FormatArea(p.OSPF.Area)
		}
	}
	return other, false
}

// chainName is the name of a key chain, none for no chain.
func chainName(k *config.KeyChain) string {
	if k == nil {
		return none
	}
	return k.Name
}

// templates warns about those that nothing takes.
func (w *warner) templates() {
	for _, n := range w.root.Children {
		if n.held != nil && !n.held.taken {
			name := n.Args[0].Text
			w.at("template "+name, phrase.Say("write like %s where it is to hold, or remove it", name), "nothing takes the template %s", name)
			w.offer("remove " + name)
		}
	}
}
