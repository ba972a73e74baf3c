package fixes

import (
	"cmp"
	"fmt"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// RouteTo brings a router a route to an address that it has none for, along the
// shortest path of links: the address's network goes into OSPF where it is, OSPF runs on
// both ends of each link, in one area, and what is down comes up.
func RouteTo(w *network.World, from *device.Instance, to ip.Addr) []facts.Fix {
	c := Case{World: w, A: Of(from)}
	target := w.Holder(from, to)
	if target == nil {
		return cannot("no device has the address %v", to)
	}
	path := c.hops(from, target)
	if path == nil {
		if across := c.across(from, target); across != nil {
			return across
		}
		return cannot("no links lead from %s to %s: join them first", from.Ref(), target.Ref())
	}
	var announce, run []string
	var mend []facts.Fix
	for _, hop := range path {
		for _, e := range hop {
			if up, why := e.Device.Up(e.index()); !up {
				mend = append(mend, For(Case{World: w, Code: why, A: e})...)
			}
		}
		near, far := hop[0].config().OSPF, hop[1].config().OSPF
		if hop[1].Device.Kind() == config.Host {
			if in, runs := c.areaIn(hop[0].in()); !near.On && runs {
				announce = append(announce, fmt.Sprintf("%s ospf area %s passive", hop[0].name(), area(in)))
			}
			continue
		}
		in, _ := c.areaIn(hop[0].in())
		for _, e := range []struct {
			own, far config.PortOSPF
			end      End
		}{{near, far, hop[0]}, {far, near, hop[1]}} {
			switch {
			case !e.own.On && e.far.On:
				run = append(run, fmt.Sprintf("%s ospf area %s", e.end.name(), area(e.far.Area)))
			case !e.own.On:
				run = append(run, fmt.Sprintf("%s ospf area %s", e.end.name(), area(in)))
			case e.own.Passive:
				run = append(run, fmt.Sprintf("remove %s ospf passive", e.end.name()))
			}
		}
		if near.On && far.On && near.Area != far.Area {
			mend = append(mend, For(Case{World: w, Code: note.AreaDiffers, A: hop[1], B: hop[0]})...)
		}
	}
	if last := path[len(path)-1][1]; last.Device.Kind() == config.Router { // the address is the router's own
		for i := range last.Device.Ports() {
			p := &last.Device.Ports()[i]
			if in, runs := c.areaIn(last.in()); last.Device.InstanceOf(uint32(i)) == target && !p.Gone && p.Address() == to && !p.Config.OSPF.On && runs {
				announce = append(announce, fmt.Sprintf("%s ospf area %s passive", End{Device: last.Device, Port: p.Config.Name}.name(), area(in)))
			}
		}
	}
	var out []facts.Fix
	for _, edits := range [][]string{announce, run} {
		if len(edits) > 0 {
			out = append(out, Edit(edits...)...)
		}
	}
	return append(out, mend...)
}

// across is what lets routes of the instance towards an address cross to another one.
func (c Case) across(from, target *device.Instance) []facts.Fix {
	for _, o := range facts.Instances(from.Device()) {
		if o == from || o != target && c.hops(o, target) == nil {
			continue
		}
		if from.TakesFrom(o) {
			return cannot("%s takes from %s: have the policy of the take accept the route", from.Ref(), o.Ref())
		}
		return cannot("the address is in another instance: add take %s through POLICY to %s", cmp.Or(o.Name(), config.MainInstance), from.Ref())
	}
	return nil
}

// areaIn is the area that a router's ports are in, the backbone rather than another;
// runs is false if OSPF runs on none.
func (c Case) areaIn(inst *device.Instance) (in uint32, runs bool) {
	d := inst.Device()
	for i := range d.Ports() {
		if p := &d.Ports()[i]; d.InstanceOf(uint32(i)) == inst && !p.Gone && p.Config.OSPF.On && p.Config.Virtual == nil {
			if !runs || p.Config.OSPF.Area == 0 {
				in = p.Config.OSPF.Area
			}
			runs = true
		}
	}
	return in, runs
}
