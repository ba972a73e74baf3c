package fixes

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"time"

	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
)

// Fixes of ports and adjacencies.

func area(n uint32) string { return labtext.FormatArea(n) }

// join joins a port to one that has an address in its network and is joined to
// nothing, or else to any that is.
func (c Case) join() []facts.Fix {
	var out, others []facts.Fix
	own := c.A.config().Address
	for _, d := range c.World.Devices() {
		if d.Gone() || d == c.A.Device {
			continue
		}
		for i := range d.Ports() {
			p := &d.Ports()[i]
			if _, _, joined := c.World.MediumOf(d.ID(), uint32(i)); joined || p.Gone || p.Config.Loopback ||
				p.Config.Virtual != nil || p.Config.VLAN != 0 {
				continue
			}
			far := End{Device: d, Port: p.Config.Name}
			fix := Edit(fmt.Sprintf("link %s %s", c.A.name(), far.name()))
			if own.IsValid() && p.Config.Address.IsValid() && own.Masked() == p.Config.Address.Masked() {
				out = append(out, fix...)
			} else if len(others) < 3 {
				others = append(others, fix...)
			}
		}
	}
	for i := range c.World.Media() {
		m := &c.World.Media()[i]
		if m.Gone || m.Name == "" {
			continue
		}
		for _, e := range m.Ends {
			if a := c.World.Device(e.Device).Ports()[e.Port].Config.Address; own.IsValid() && a.IsValid() && a.Masked() == own.Masked() {
				out = append(out, Edit(fmt.Sprintf("join %s %s", c.A.name(), m.Name))...)
				break
			}
		}
	}
	if out = append(out, others...); len(out) == 0 {
		return cannot("no other port is free: add a port to a device first, and join the two by a link")
	}
	return out
}

func (c Case) mend() []facts.Fix { return act("mend %s", c.A.name()) }

// enablePort takes an action or the text back that disables a port.
func enablePort(e End) []facts.Fix {
	if e.Device == nil {
		return nil
	}
	if e.Device.Ports()[e.index()].Override == config.ForceDisabled {
		return act("enable %s", e.name())
	}
	return Edit("remove " + e.name() + " disabled")
}

func enableDevice(d *device.Device) []facts.Fix {
	switch {
	case d == nil:
		return nil
	case !d.Config().Disabled:
		return act("enable %s", d.Name())
	}
	return Edit("remove " + d.Name() + " disabled")
}

// bringUp mends what a port is down for.
func (c Case) bringUp() []facts.Fix {
	for _, e := range []End{c.A, c.B} {
		if e.Device == nil || e.Port == "" {
			continue
		}
		if up, why := e.Device.Up(e.index()); !up && why != note.PortIsDown {
			return For(Case{World: c.World, Code: why, A: e, B: c.B})
		}
	}
	return nil
}

// run has a protocol run where it does not: OSPF on a port, in the area of the other
// end; or BGP on a router.
func (c Case) run() []facts.Fix {
	if c.A.Peer.IsValid() {
		return c.refused()
	}
	in := uint32(0)
	if c.B.Device != nil && c.B.Port != "" && c.B.config().OSPF.On {
		in = c.B.config().OSPF.Area
	}
	return Edit(fmt.Sprintf("%s ospf area %s", c.A.name(), area(in)))
}

func (c Case) runAgain() []facts.Fix {
	d := c.A.Device
	switch {
	case c.A.Peer.IsValid():
		return Edit("remove " + d.Name() + " bgp disabled")
	case c.A.Port != "" && c.A.config().OSPF.Disabled:
		return Edit("remove " + ospfOf(c.A) + " disabled")
	}
	return Edit("remove " + d.Name() + " ospf disabled")
}

// routerID gives a router an ID that nobody has.
func (c Case) routerID(e End) []facts.Fix {
	if e.Device == nil {
		return nil
	}
	taken := c.addresses()
	base := netip.MustParseAddr("10.255.0.0")
	for _, inst := range facts.AllInstances(c.World) {
		if o := inst.OSPF(); o.Running() {
			id, err := netip.ParseAddr(o.RouterID().String())
			if taken[id] = true; err == nil && id.Compare(base) > 0 {
				base = id
			}
		}
	}
	for a := base.Next(); a.IsValid(); a = a.Next() {
		if !taken[a] {
			return Edit(fmt.Sprintf("%s router-id %v", e.ref(), a))
		}
	}
	return nil
}

// address gives a port an address of the other end's network.
func (c Case) address() []facts.Fix {
	if c.B.Device == nil || c.B.Port == "" || !c.B.config().Address.IsValid() {
		return cannot("the other end has no address either: give both one of the same network")
	}
	if free, ok := c.freeIn(c.B.config().Address); ok {
		return Edit(fmt.Sprintf("%s %v", c.A.name(), free))
	}
	return cannot("no address of %v is free", c.B.config().Address.Masked())
}

// oddFirst are the two ends, each with the one whose value it is to have: first the one
// whose value is the rarer among the other ports of the two routers, else of all.
func (c Case) oddFirst(value func(*config.Port) string) [][2]End {
	count := func(v string, of ...*device.Device) (n int) {
		for _, d := range of {
			for i := range d.Ports() {
				p := &d.Ports()[i]
				own := d == c.A.Device && p.Config.Name == c.A.Port || d == c.B.Device && p.Config.Name == c.B.Port
				if !own && !p.Gone && !d.Gone() && p.Config.OSPF.On && value(p.Config) == v {
					n++
				}
			}
		}
		return n
	}
	x, y := value(c.A.config()), value(c.B.config())
	// How well each would fit on its own router with the other's value.
	a := count(y, c.A.Device) - count(x, c.A.Device)
	b := count(x, c.B.Device) - count(y, c.B.Device)
	if a == b {
		a, b = count(y, c.World.Devices()...), count(x, c.World.Devices()...)
	}
	if b > a {
		return [][2]End{{c.B, c.A}, {c.A, c.B}}
	}
	return [][2]End{{c.A, c.B}, {c.B, c.A}}
}

func (c Case) area() []facts.Fix {
	var out []facts.Fix
	for _, pair := range c.oddFirst(func(p *config.Port) string { return area(p.OSPF.Area) }) {
		out = append(out, Edit(fmt.Sprintf("%s ospf area %s", pair[0].name(), area(pair[1].config().OSPF.Area)))...)
	}
	return out
}

// subnet puts one end's address into the other's network.
func (c Case) subnet() []facts.Fix {
	var out []facts.Fix
	length := func(p *config.Port) string { return strconv.Itoa(p.Address.Bits()) }
	for _, pair := range c.oddFirst(length) {
		own, far := pair[0].config().Address, pair[1].config().Address
		if to := netip.PrefixFrom(own.Addr(), far.Bits()); far.Contains(own.Addr()) && own.Addr() != far.Addr() && to.Addr() != to.Masked().Addr() {
			out = append(out, Edit(fmt.Sprintf("%s %v", pair[0].name(), to))...)
		} else if free, ok := c.freeIn(far); ok {
			out = append(out, Edit(fmt.Sprintf("%s %v", pair[0].name(), free))...)
		}
	}
	return out
}

// hello gives one end the other's hello interval, and its dead interval where that
// would then be another one.
func (c Case) hello() []facts.Fix {
	var out []facts.Fix
	for _, pair := range c.oddFirst(func(p *config.Port) string { return p.OSPF.HelloInterval.String() }) {
		own, far := pair[0].config().OSPF, pair[1].config().OSPF
		edits := []string{fmt.Sprintf("%s hello-interval %s", ospfOf(pair[0]), labtext.FormatDuration(far.HelloInterval))}
		implied := own.DeadInterval == config.DeadFactor*own.HelloInterval
		if implied && far.DeadInterval != config.DeadFactor*far.HelloInterval || !implied && own.DeadInterval != far.DeadInterval {
			edits = append(edits, fmt.Sprintf("%s dead-interval %s", ospfOf(pair[0]), labtext.FormatDuration(far.DeadInterval)))
		}
		out = append(out, Edit(edits...)...)
	}
	return out
}

func (c Case) dead() []facts.Fix {
	var out []facts.Fix
	for _, pair := range c.oddFirst(func(p *config.Port) string { return p.OSPF.DeadInterval.String() }) {
		out = append(out, Edit(fmt.Sprintf("%s dead-interval %s", ospfOf(pair[0]), labtext.FormatDuration(pair[1].config().OSPF.DeadInterval)))...)
	}
	return out
}

// keys gives both ends one key chain.
func (c Case) keys() []facts.Fix {
	var out []facts.Fix
	for _, pair := range [][2]End{{c.B, c.A}, {c.A, c.B}} {
		own, far := pair[0].config().OSPF.Keys, pair[1].config().OSPF.Keys
		if far == nil || own != nil && own.Name == far.Name || !c.works(far) {
			continue
		}
		out = append(out, Edit(fmt.Sprintf("%s keys %s", ospfOf(pair[0]), far.Name))...)
	}
	for _, e := range []End{c.A, c.B} {
		if far := c.other(e).config().OSPF.Keys; far == nil && e.config().OSPF.Keys != nil {
			out = append(out, Edit(ospfOf(e)+" keys none")...)
		}
	}
	if len(out) == 0 {
		return cannot("both ends name the same key chain: let it have a key that is valid at this time")
	}
	return out
}

// works says whether what is signed with a key chain now is taken by the same chain.
func (c Case) works(k *config.KeyChain) bool {
	now := time.Duration(c.World.Now())
	sent := k.Sending(now).ID
	return slices.ContainsFunc(k.Keys, func(x config.Key) bool { return x.ID == sent && x.Accept.Holds(now) })
}

// other is the end that e is not.
func (c Case) other(e End) End {
	if e == c.A {
		return c.B
	}
	return c.A
}

func (c Case) mtu() []facts.Fix {
	small, large := c.A, c.B
	if small.config().MTU > large.config().MTU {
		small, large = large, small
	}
	return append(append(Edit(fmt.Sprintf("%s mtu %d", small.name(), large.config().MTU)),
		Edit(fmt.Sprintf("%s mtu %d", large.name(), small.config().MTU))...),
		Edit(ospfOf(small)+" mtu-ignore")...)
}

// towardsHost makes the router's port passive.
func (c Case) towardsHost() []facts.Fix {
	for _, e := range []End{c.A, c.B} {
		if e.Device != nil && e.Device.Kind() == config.Router && e.Port != "" {
			return Edit(e.name() + " ospf passive")
		}
	}
	return cannot("a host runs no routing protocol: write the address of a router")
}

func (c Case) portType() []facts.Fix {
	word := func(e End) string {
		if e.in().OSPF().Port(e.index()).Broadcast {
			return "broadcast"
		}
		return "point-to-point"
	}
	return append(Edit(fmt.Sprintf("%s ospf type %s", c.A.name(), word(c.B))),
		Edit(fmt.Sprintf("%s ospf type %s", c.B.name(), word(c.A)))...)
}

// areaKind has one router take the area for what the other does.
func (c Case) areaKind() []facts.Fix {
	in := c.A.config().OSPF.Area
	var out []facts.Fix
	for _, pair := range [][2]End{{c.A, c.B}, {c.B, c.A}} {
		own, far := facts.AreaKind(pair[0].in(), in), facts.AreaKind(pair[1].in(), in)
		at := fmt.Sprintf("%s ospf area %s", pair[0].ref(), area(in))
		var edits []string
		if own == "stub" || own == "nssa" {
			edits = append(edits, "remove "+at+" "+own)
		}
		if far == "stub" || far == "nssa" {
			edits = append(edits, at+" "+far)
		}
		out = append(out, Edit(edits...)...)
	}
	return out
}

// transit mends what keeps a transit area apart: a cut link, a disabled port.
func (c Case) transit() []facts.Fix {
	v := c.A.config().Virtual
	if v == nil {
		return nil
	}
	for _, d := range c.World.Devices() {
		for i := range d.Ports() {
			p := &d.Ports()[i]
			if d.Gone() || p.Gone || !p.Config.OSPF.On || p.Config.OSPF.Area != v.Transit || p.Config.Virtual != nil {
				continue
			}
			if up, why := d.Up(uint32(i)); !up {
				return For(Case{World: c.World, Code: why, A: End{Device: d, Port: p.Config.Name}, B: c.B})
			}
		}
	}
	return cannot("join both routers to area %s, and check that the other one has the router ID %v", area(v.Transit), v.Peer)
}

// virtual writes the other end of a virtual link.
func (c Case) virtual() []facts.Fix {
	v := c.A.config().Virtual
	if v == nil || c.B.Device == nil {
		return nil
	}
	return Edit(fmt.Sprintf("%s ospf area %s virtual-link %v", c.B.ref(), area(v.Transit), c.A.in().OSPF().RouterID()))
}

// tag gives both ends one tag.
func (c Case) tag() []facts.Fix {
	var out []facts.Fix
	for _, pair := range [][2]End{{c.B, c.A}, {c.A, c.B}} {
		own, far := pair[0].config(), pair[1].config()
		switch {
		case own.VLAN != 0 && far.VLAN != 0:
			out = append(out, Edit(fmt.Sprintf("rename %s %d", pair[0].name(), far.VLAN))...)
		case far.VLAN != 0:
			if free, ok := c.freeIn(far.Address); ok {
				out = append(out, Edit(fmt.Sprintf("%s vlan %d %v ospf area %s", pair[0].name(), far.VLAN, free, area(far.OSPF.Area)))...)
			}
		}
	}
	return out
}
