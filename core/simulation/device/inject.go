package device

import (
	"slices"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/ospf"
)

// syncAreas gives OSPF its areas and what to announce from outside.
func (inst *Instance) syncAreas() {
	var areas []ospf.AreaConfig
	for _, a := range inst.config().OSPF.Areas {
		c := ospf.AreaConfig{ID: a.ID, Stub: a.Stub, NSSA: a.NSSA, NoSummary: a.NoSummary, Translate: a.Translate,
			DefaultCost: a.DefaultCost,
			Joins:       joinsOf(a.Summaries)}
		for _, r := range a.Ranges {
			c.Ranges = append(c.Ranges, ospf.Range{Prefix: ip.PrefixFrom(r.Prefix), Cost: r.Cost, Hidden: r.Hidden})
		}
		areas = append(areas, c)
	}
	inst.ospf.SetAreas(inst, areas)
	inst.changed = true // the externals may be others now
}

// syncExternals makes of the table what OSPF announces from outside. A route is
// announced while it is the one in use; OSPF's own never are.
func (inst *Instance) syncExternals() {
	o := &inst.config().OSPF
	if len(o.Injects) == 0 && !o.Default.On {
		inst.ospf.SetExternals(inst, nil, nil)
		return
	}
	var list []ospf.External
	shared := inst.Shared()
	haveDefault := false
	for _, id := range inst.Prefixes() {
		source, ok := inst.table.Best(id)
		if !ok || source == route.OSPF {
			continue
		}
		p := shared.Prefixes.Prefix(id)
		if p.Len == 0 {
			haveDefault = true
			continue // announced by originate default alone
		}
		for i := range o.Injects {
			if e, ok := inst.injects(&o.Injects[i], source, id, p); ok {
				list = append(list, e)
				break
			}
		}
	}
	if o.Default.On && (o.Default.Always || haveDefault) {
		list = append(list, external(ip.Default, o.Default.External))
	}
	slices.SortFunc(list, func(a, b ospf.External) int { return a.Prefix.Compare(b.Prefix) })
	inst.ospf.SetExternals(inst, list, joinsOf(o.Summaries))
}

// joinsOf are summaries of external routes as OSPF takes them.
func joinsOf(list []config.Summary) []ospf.Join {
	var out []ospf.Join
	for _, s := range list {
		out = append(out, ospf.Join{Prefix: ip.PrefixFrom(s.Prefix), Hidden: s.Hidden, Tag: s.Tag})
	}
	return out
}

func external(p ip.Prefix, e config.External) ospf.External {
	return ospf.External{Prefix: p, Metric: e.Metric, Type1: e.Type1, Tag: e.Tag}
}

// injects is how an inject statement announces a route, if it takes it. Networks
// on which OSPF runs are announced by it as they are.
func (inst *Instance) injects(i *config.Inject, source route.Source, id uint32, p ip.Prefix) (e ospf.External, ok bool) {
	if i.Source != source.String() || i.Through != "" && !i.Policy && !config.Matches(i.Set, p.Netip()) {
		return e, false
	}
	if source == route.Connected {
		for k := range inst.device.ports {
			if q := &inst.device.ports[k]; q.up && q.prefix == id && q.addr.IsValid() && q.Config.OSPF.On && inst.has(q) {
				return e, false
			}
		}
	}
	e = external(p, i.External)
	if source == route.Taken && e.Tag == 0 {
		e.Tag = inst.table.Route(source, id).Tag // what the take said goes with the route
	}
	e.Forward = inst.forwardingAddress(id)
	if through := inst.device.book.Policy(i.Through); i.Policy && through != nil {
		r := inst.policyRoute(source, id, p)
		r.Metric, r.Type1 = e.Metric, e.Type1
		tag := r.Tag
		if !through.Run(&r, nil) {
			return e, false
		}
		e.Metric, e.Type1 = r.Metric, r.Type1
		if r.Tag != tag { // an action set it
			e.Tag = r.Tag
		}
	}
	return e, true
}

// forwardingAddress is where packets for a prefix go instead of to this router: its
// next hop, if that is on a segment on which OSPF has neighbours to be found (RFC
// 2328 12.4.4.1); 0 if it is not.
func (inst *Instance) forwardingAddress(id uint32) ip.Addr {
	hops := inst.Shared().Sets.Hops(inst.table.Set(inst.table.Next(id)))
	if len(hops) != 1 || !hops[0].Gateway.IsValid() {
		return ip.Addr{}
	}
	v := inst.ospf.Port(hops[0].Port)
	if !v.Broadcast || v.Passive || !ip.MakePrefix(v.Address, v.PrefixLen).Contains(hops[0].Gateway) {
		return ip.Addr{}
	}
	return hops[0].Gateway
}

// policyRoute is a route of the table as a policy is asked about it.
func (inst *Instance) policyRoute(source route.Source, id uint32, p ip.Prefix) policy.Route {
	r := inst.table.Route(source, id)
	out := policy.Route{Prefix: p, Attrs: &attr.Set{}, Source: source.String(), Type: inst.SourceRouteType(source, id, r),
		Tag: r.Tag, Metric: r.Metric, LocalAS: inst.config().BGP.AS, Instance: inst.OriginName(source, id)}
	if source == route.Taken {
		t := inst.taken.Get(id)
		out.Neighbour = t.Neighbour
		if t.Attrs != 0 {
			out.Attrs = inst.Attrs().Get(t.Attrs)
		}
	}
	if a, neighbour := inst.bgp.BestAttributes(id); a != 0 && source == route.BGP {
		out.Attrs, out.Neighbour = inst.Attrs().Get(a), neighbour
	}
	return out
}

// chainOf is a key chain as OSPF takes it; nil for none.
func chainOf(c *config.KeyChain) *ospf.Chain {
	if c == nil {
		return nil
	}
	out := &ospf.Chain{}
	for _, k := range c.Keys {
		out.Keys = append(out.Keys,
			ospf.Key{ID: k.ID, Algorithm: wire.Algorithm(slices.Index(wire.AlgorithmNames[:], k.Algorithm)),
				Secret: k.Secret, Send: spanOf(k.Send), Accept: spanOf(k.Accept)})
	}
	return out
}

func spanOf(s config.Span) ospf.Span {
	return ospf.Span{From: event.FromDuration(s.From), Until: event.FromDuration(s.Until)}
}
