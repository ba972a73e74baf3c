package tables

import (
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/policy"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/relations"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// absence says what is worth knowing when there is no route: who has the
// network, and whether anybody announces it.
func absence(w *network.World, inst *device.Instance, p ip.Prefix) []string {
	d := inst.Device()
	out := Crossings(w, inst, p)
	near := networkOf(w, inst)
	for _, o := range w.Devices() {
		if o.Gone() || o == d {
			continue
		}
		for i := range o.Ports() {
			port := &o.Ports()[i]
			at := o.InstanceOf(uint32(i))
			if near != nil && !near[at] || port.Gone || !port.Config.Address.IsValid() || !ip.PrefixFrom(port.Config.Address).Covers(p) ||
				o.Kind() == config.Host {
				continue
			}
			name := facts.PortName(o, uint32(i))
			up, why := o.Up(uint32(i))
			switch {
			case !up:
				out = append(out, phrase.Say("%s has the network, but the port is down: %s", name, why.Info().Text))
			case at.OSPF().Running() && !port.Config.OSPF.On:
				out = append(out, phrase.Say("%s has the network and does not announce it: OSPF does not run on the port", name))
			case port.Config.OSPF.On && !at.OSPF().Running():
				out = append(out, phrase.Say("%s has the network and does not announce it: OSPF does not run on %s",
					name, at.Ref()))
			case !port.Config.OSPF.On:
				out = append(out, phrase.Say("%s has the network, and no routing protocol on %s announces it", name,
					at.Ref()))
			default:
				out = append(out, phrase.Say("%s announces the network; it does not get as far as %s", name, inst.Ref()))
			}
		}
	}
	out = append(out, stopped(w, near, p)...)
	out = append(out, kept(w, inst, p)...)
	out = append(out, paths.BGPSays(w, inst, p)...)
	if !inst.OSPF().Running() && inst.Config().BGP.AS == 0 && anyOSPF(w) {
		out = append(out, phrase.Say("OSPF does not run on %s", inst.Ref()))
	} else if inst.OSPF().Running() {
		full := 0
		for i := range d.Ports() {
			inst.OSPF().Neighbours(uint32(i), func(n ospf.NeighbourView) {
				if n.State == adjacency.Full {
					full++
				}
			})
		}
		if full == 0 {
			out = append(out, phrase.Say("%s has no neighbour in state Full", inst.Ref()))
		} else {
			out = append(out, phrase.Say("%s has %s in state Full", inst.Ref(), phrase.Plural(full, "neighbour")))
		}
	}
	return out
}

// networkOf are the instances of a network that nothing else joins; nil for all, where no
// router has several.
func networkOf(w *network.World, inst *device.Instance) map[*device.Instance]bool {
	if !w.SeveralInstances() {
		return nil
	}
	near := map[*device.Instance]bool{}
	w.Joined(inst, func(o *device.Instance) { near[o] = true })
	return near
}

// Crossings says where the prefix is in another instance of a router of the network,
// and why it does not cross.
func Crossings(w *network.World, inst *device.Instance, p ip.Prefix) []string {
	out := []string{}
	if !w.SeveralInstances() {
		return out
	}
	w.Joined(inst, func(to *device.Instance) {
		if _, _, has := to.Table().Lookup(w.Shared(), p.Addr); has {
			return
		}
		for _, from := range facts.Instances(to.Device()) {
			if id, _, has := from.Table().Lookup(w.Shared(), p.Addr); has && from != to {
				out = append(out, crossingWords(to, from, id, w.Shared().Prefixes.Prefix(id))...)
			}
		}
	})
	return out
}

// crossingWords says why an instance does not take a prefix that another one has.
func crossingWords(to, from *device.Instance, id uint32, p ip.Prefix) []string {
	var trace policy.Trace
	switch to.Takes(from, id, &trace) {
	case device.NoTake:
		return []string{phrase.Say("%v is in %s; %s takes nothing from there", p, from.Ref(), to.Ref())}
	case device.CameFrom:
		return []string{phrase.Say("%v is in %s, and %s", p, from.Ref(), cameWords(to, from, id))}
	case device.Refused:
		return []string{phrase.Say("%v is in %s; %s does not take it: %s", p, from.Ref(), to.Ref(), paths.TraceWords(trace).Says)}
	}
	return nil
}

// anyOSPF says whether OSPF runs anywhere: where it does not, nobody asks about it.
func anyOSPF(w *network.World) bool {
	return slices.ContainsFunc(w.Devices(), func(d *device.Device) bool {
		return !d.Gone() && slices.ContainsFunc(facts.Instances(d), func(i *device.Instance) bool { return i.OSPF().Running() })
	})
}

// stopped says where the LSA that announces a prefix stopped: at adjacencies that
// are not up, with one end that holds it and one that does not.
func stopped(w *network.World, near map[*device.Instance]bool, p ip.Prefix) []string {
	holds := map[string]bool{}
	for _, inst := range facts.AllInstances(w) {
		if near != nil && !near[inst] {
			continue
		}
		inst.OSPF().Database(inst, func(v ospf.LSAView) {
			if announces(w, v.Body, p) {
				holds[inst.Device().Name()] = true
			}
		})
	}
	var out []string
	if len(holds) == 0 {
		return out
	}
	for _, n := range relations.Adjacencies(w) {
		have, lack := n.A, n.B
		if holds[lack.Device] {
			have, lack = lack, have
		}
		if n.Up || !holds[have.Device] || holds[lack.Device] || w.Find(lack.Device) == nil ||
			w.Find(lack.Device).Kind() == config.Host {
			continue
		}
		why := ""
		if len(n.Reasons) > 0 {
			why = ": " + n.Reasons[0].Text
		}
		out = append(out, phrase.Say("the LSA got as far as %s and not to %s, since their adjacency is %s%s",
			have.Device, lack.Device, n.State, why))
	}
	return out
}

// announces says whether an LSA is one for a prefix.
func announces(w *network.World, b *ospf.Body, p ip.Prefix) bool {
	for _, id := range b.Prefixes() {
		if w.Shared().Prefixes.Prefix(id) == p {
			return true
		}
	}
	return false
}

// kept says what keeps a prefix from a router although somebody announces it:
// ranges that hide it, and stub areas.
func kept(w *network.World, inst *device.Instance, p ip.Prefix) []string {
	out := []string{}
	near := networkOf(w, inst)
	stub, kind := "", ""
	for _, a := range inst.OSPF().Areas() {
		if !facts.TakesNoExternals(inst, a) {
			stub = ""
			break
		}
		stub, kind = labtext.FormatArea(a), facts.AreaKind(inst, a)
	}
	for _, o := range facts.AllInstances(w) {
		if near != nil && !near[o] {
			continue
		}
		for _, a := range o.Config().OSPF.Areas {
			for _, r := range a.Ranges {
				switch {
				case !ip.PrefixFrom(r.Prefix).Covers(p):
				case r.Hidden:
					out = append(out, phrase.Say("the range %v of area %s on %s hides it from other areas", r.Prefix,
						labtext.FormatArea(a.ID), o.Ref()))
				case o != inst && insideOf(w, o, p, a.ID):
					out = append(out, phrase.Say("%s joins it into the range %v of area %s for other areas",
						o.Ref(), r.Prefix, labtext.FormatArea(a.ID)))
				}
			}
			out = append(out, joined(a.Summaries, p, o)...)
			if a.Closed() && a.NoSummary && stub == labtext.FormatArea(a.ID) && o != inst {
				out = append(out, phrase.Say("area %s is a %s without summaries, says %s: it takes no routes of other areas", stub, kind, o.Ref()))
			}
		}
		out = append(out, joined(o.Config().OSPF.Summaries, p, o)...)
		if stub == "" || o == inst {
			continue
		}
		o.OSPF().Database(o, func(v ospf.LSAView) {
			if v.AS && v.Header.Key.Router == o.OSPF().RouterID() &&
				ip.V4Prefix(v.Header.Key.ID, facts.MaskLen(v.Body.External.Mask)) == p {
				out = append(out, phrase.Say("%s announces it from outside, and area %s is a %s: it takes no external routes of other areas", o.Ref(), stub, kind))
			}
		})
	}
	return out
}

// insideOf says whether a router has a prefix inside an area.
func insideOf(w *network.World, inst *device.Instance, p ip.Prefix, area uint32) bool {
	id, ok := w.Shared().Prefixes.Find(p)
	if !ok {
		return false
	}
	r := inst.OSPF().Route(id)
	return r.Kind == ospf.IntraArea && r.Area == area
}

// joined says which summaries of external routes a prefix disappears in.
func joined(list []config.Summary, p ip.Prefix, on *device.Instance) []string {
	var out []string
	for _, s := range list {
		if x := ip.PrefixFrom(s.Prefix); !x.Covers(p) || x == p {
			continue
		}
		if s.Hidden {
			out = append(out, phrase.Say("the summary %v on %s hides it", s.Prefix, on.Ref()))
		} else {
			out = append(out, phrase.Say("%s joins it into the summary %v", on.Ref(), s.Prefix))
		}
	}
	return out
}
