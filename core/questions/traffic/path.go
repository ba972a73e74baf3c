// Package traffic is what happens to packets: the path that they take, probes, and
// for an action who could not reach whom, from when to when, and why.
package traffic

import (
	"cmp"
	"net/netip"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/fixes"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// maxTTL is the TTL with which flows and probes set out.
const maxTTL = 64

// PathHop is what one device on the way does with the packet.
type PathHop struct {
	Device string `json:"device"`
	// Instance and Into are absent for main, and where nothing crosses.
	Instance string `json:"instance,omitempty" doc:"the routing instance whose table it is, beside main"`
	Into     string `json:"into,omitempty" doc:"the routing instance into which the packet crosses"`
	AS       uint32 `json:"as,omitempty" doc:"the AS that the device is in"`
	In       string `json:"in,omitempty" doc:"port it came in on"`
	Out      string `json:"out,omitempty" doc:"port it leaves by"`
	Via      string `json:"via,omitempty" doc:"next hop"`
	Prefix   string `json:"prefix,omitempty" doc:"the longest match"`
	Source   string `json:"source,omitempty"`
	Cost     uint32 `json:"cost,omitempty" doc:"of the route"`
	OutCost  uint16 `json:"outCost,omitempty" doc:"OSPF cost of the port it leaves by"`
	Ways     int    `json:"ways,omitempty" doc:"equal-cost paths there are"`
}

// End is where the path ends, if it does not arrive; nil else.
func (p *Path) End() *device.Instance { return p.at }

// Ref names the instance that does it: "junction/ferry", or "junction" for main.
func (h PathHop) Ref() string { return config.InstanceRef(h.Device, h.Instance) }

// Path is the way of packets from one device to another, at one moment.
type Path struct {
	From    string      `json:"from"`
	To      string      `json:"to"`
	Src     string      `json:"src,omitempty"`
	Dst     string      `json:"dst,omitempty"`
	Arrives bool        `json:"arrives"`
	Hops    []PathHop   `json:"hops"`
	Reason  string      `json:"reason,omitempty" doc:"why it does not arrive, a sentence"`
	Code    string      `json:"code,omitempty"`
	StopsAt string      `json:"stopsAt,omitempty" doc:"the device where it ends"`
	Port    string      `json:"port,omitempty" doc:"the port behind which it is lost, if it left the device"`
	Fixes   []facts.Fix `json:"fixes,omitempty" doc:"of a flow that does not arrive: what may mend it"`
	code    note.Code
	at      *device.Instance // where it ends, if it does not arrive
}

// Walk follows the forwarding tables from a device to an address, as packets
// sent now would go if nothing changed.
func Walk(w *network.World, from *device.Instance, dst ip.Addr) Path { return walk(w, from, dst, 32) }

// walk is Walk to a network: a device that has dst's network of the given
// length, or a shorter one, on a port of its own is the end of the way.
func walk(w *network.World, from *device.Instance, dst ip.Addr, length uint8) Path {
	out := Path{From: from.Ref(), Dst: dst.String(), Hops: []PathHop{}}
	src := from.SourceFor(dst)
	if src.IsValid() {
		out.Src = src.String()
	}
	inst, in := from, ""
	ases := facts.ASes(w)
	seen := map[*device.Instance]bool{}
	fail := func(code note.Code, at *device.Device, a, b string) Path {
		out.Reason, out.Code, out.StopsAt, out.code, out.at = facts.Sentence(code.Info().Text, a, b), code.String(), at.Name(), code, inst
		return out
	}
	for ttl := maxTTL; ; ttl-- {
		d := inst.Device()
		hop := PathHop{Device: d.Name(), Instance: inst.Name(), AS: ases[d], In: in}
		if !d.Enabled() {
			out.Hops = append(out.Hops, hop)
			return fail(note.DeviceDisabled, d, d.Name(), dst.String())
		}
		if inst.Answers(dst) {
			out.Hops = append(out.Hops, hop)
			out.Arrives = true
			return out
		}
		if inst != from && d.Kind() == config.Host {
			out.Hops = append(out.Hops, hop)
			return fail(note.NotForThisHost, d, d.Name(), dst.String())
		}
		if seen[inst] {
			out.Hops = append(out.Hops, hop)
			return fail(note.Loop, d, inst.Ref(), dst.String())
		}
		seen[inst] = true
		prefix, h, ok := inst.Table().Lookup(w.Shared(), dst)
		if !ok {
			out.Hops = append(out.Hops, hop)
			return fail(note.NoRoute, d, inst.Ref(), dst.String())
		}
		s, _ := inst.Table().Best(prefix)
		if s == route.Connected && w.Shared().Prefixes.Prefix(prefix).Len <= length && length < 32 {
			out.Hops = append(out.Hops, hop)
			out.Arrives = true
			return out
		}
		hop.Prefix, hop.Source = w.Shared().Prefixes.Prefix(prefix).String(), s.String()
		hop.Cost = inst.Table().Route(s, prefix).Metric
		set := inst.Table().Set(h)
		if set == route.Blackhole {
			out.Hops = append(out.Hops, hop)
			return fail(note.Blackholed, d, inst.Ref(), dst.String())
		}
		hops := w.Shared().Sets.Hops(set)
		way := route.Pick(hops, route.FlowHash(d.Salt(), src, dst, inet.ProtoICMP, 0))
		hop.Out, hop.Ways = d.Ports()[way.Port].Config.Name, len(hops)
		if way.Gateway.IsValid() {
			hop.Via = way.Gateway.String()
		}
		if v := inst.OSPF().Port(way.Port); v.On {
			hop.OutCost = v.Cost
		}
		over := d.InstanceOf(way.Port)
		if over != inst {
			hop.Into = cmp.Or(over.Name(), config.MainInstance)
		}
		out.Hops = append(out.Hops, hop)
		if over != inst && over.Answers(dst) {
			out.Hops = append(out.Hops, PathHop{Device: d.Name(), Instance: over.Name(), AS: ases[d]})
			out.Arrives = true
			return out
		}
		to := way.Gateway
		if !to.IsValid() {
			to = dst
		}
		next, port, why := across(w, d, way.Port, to)
		if why != note.None {
			out.Port = facts.PortName(d, way.Port)
			return fail(why, d, facts.PortName(d, way.Port), to.String())
		}
		inst, in = next.InstanceOf(port), next.Ports()[port].Config.Name
	}
}

// across is who gets a packet that leaves by a port for an address on it.
func across(w *network.World, d *device.Device, port uint32, to ip.Addr) (*device.Device, uint32, note.Code) {
	m, from, ok := w.MediumOf(d.ID(), port)
	if !ok {
		return nil, 0, note.NotJoined
	}
	for _, e := range w.Facing(d.ID(), port) {
		far := w.Device(e.Device)
		if far.Ports()[e.Port].Address() != to {
			continue
		}
		if ok, why := m.Passes(from, e.End); !ok {
			return nil, 0, why
		}
		if up, why := far.Up(e.Port); !up {
			return nil, 0, why
		}
		return far, e.Port, note.None
	}
	return nil, 0, note.NoAnswerToARP
}

// Flow is a flow of the lab and its way at one moment.
type Flow struct {
	Name string `json:"name"`
	Path
	Back Path `json:"back" doc:"the path of the answers"`
}

// FlowsOf walks all flows of the lab.
func FlowsOf(w *network.World) []Flow {
	out := []Flow{}
	for _, f := range w.Flows() {
		out = append(out, Flow{f.Name, flowPath(w, f.From, f.To), flowPath(w, f.To, f.From)})
	}
	return out
}

func flowPath(w *network.World, from, to string) Path {
	a, b := w.Find(from), w.Find(to)
	if a == nil || b == nil {
		return Path{From: from, To: to, Hops: []PathHop{}, Reason: phrase.Text("the device is not there")}
	}
	dst := ip.AddrFrom(b.Config().Address())
	if !dst.IsValid() {
		return Path{From: from, To: to, Hops: []PathHop{}, Reason: phrase.Say("%s has no address", to), StopsAt: from}
	}
	p := Walk(w, a.Main(), dst)
	p.To = to
	if p.code == note.NoRoute {
		p.Fixes = fixes.RouteTo(w, p.at, dst)
	} else if !p.Arrives {
		at := fixes.Of(p.at)
		at.Port = labtext.ParseRef(p.Port).Port
		p.Fixes = fixes.For(fixes.Case{World: w, Code: p.code, A: at})
	}
	return p
}

// FlowBetween is the way from a device, or one of its instances, to an address or a
// prefix given as text, or to a device by its name.
func FlowBetween(w *network.World, from, to string) (Path, error) {
	inst, err := facts.InstanceNamed(w, from)
	if err != nil {
		return Path{}, err
	}
	if p, err := netip.ParsePrefix(to); err == nil && p.Addr().Is4() {
		prefix := ip.PrefixFrom(p)
		out := walk(w, inst, prefix.Addr, prefix.Len)
		out.To = to
		return out, nil
	}
	dst, err := addressOf(w, to)
	if err != nil {
		return Path{}, err
	}
	p := Walk(w, inst, dst)
	p.To = to
	return p, nil
}
