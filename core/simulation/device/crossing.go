package device

import (
	"cmp"
	"slices"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
)

// Routes cross from instance to instance of one device where a take says so. The rules:
//
//   - What crosses is the route that the other instance uses, if the policy of the take
//     accepts it. It keeps preference, metric and tag, unless the policy sets them, and its
//     next hop: packets leave by the ports of the instance that it comes from.
//   - A route may go on to a third instance. It never comes back to one that it passed:
//     each instance settles on its route before it passes it on, the best first (by
//     preference, then by how many instances it passed, then by the number of the instance
//     where it began and of the one that it comes from).
//   - Each prefix is worked out anew from the routes that did not cross, so that nothing
//     holds itself up after its origin is gone.

// Taking is where a taken route comes from. The zero value is none.
type Taking struct {
	From, Origin uint16 // instances: that it was taken from, and in which it began
	Passed       uint16 // how many instances it passed
	There        bool
	Source       route.Source // that it has where it began
	Attrs        attr.ID      // of BGP there; 0 for none
	Neighbour    ip.Addr      // of BGP there
}

// Taken is where the taken route for a prefix comes from; There is false for none.
func (inst *Instance) Taken(prefix uint32) Taking { return inst.taken.Get(prefix) }

// OriginName is the name of the instance in which a route for a prefix began.
func (inst *Instance) OriginName(source route.Source, prefix uint32) string {
	from := inst
	if source == route.Taken {
		from = &inst.device.instances[inst.taken.Get(prefix).Origin]
	}
	return cmp.Or(from.name, config.MainInstance)
}

// syncTakes looks whether any instance takes routes of another, or has.
func (d *Device) syncTakes() {
	d.crosses = false
	for i := range d.instances {
		d.crosses = d.crosses || len(d.instances[i].config().Takes) > 0 || d.instances[i].taken.Len() > 0
	}
}

// crosses notes that a route of the instance may be another one, or its next hop resolved
// otherwise: the table says so of statics, and the speaker puts BGP's routes again.
func (inst *Instance) crosses(prefix uint32) {
	if inst.device.crosses {
		inst.device.crossing = append(inst.device.crossing, prefix)
	}
}

// crossAll works all crossings out anew, since the takes or what they go through may be
// others.
func (d *Device) crossAll() {
	if d.syncTakes(); !d.crosses {
		d.crossing = nil
		return
	}
	for i := range d.instances {
		inst := &d.instances[i]
		for id := range inst.table.Len() {
			if inst.table.Has(id) {
				d.crossing = append(d.crossing, id)
			}
		}
	}
	d.cross()
}

// crossings bounds how often one event lets instances answer each other. What is left
// goes on in an event of its own.
const crossings = 16

// cross brings taken routes in line with what they are taken from.
func (d *Device) cross() {
	if len(d.crossing) == 0 {
		return
	}
	for range crossings {
		list := d.crossing
		d.crossing = nil
		slices.Sort(list)
		for _, id := range slices.Compact(list) {
			d.crossPrefix(id)
		}
		for i := range d.instances {
			d.instances[i].settleAlone()
		}
		if len(d.crossing) == 0 {
			return
		}
	}
	if !d.crossesAgain {
		d.crossesAgain = true
		d.Calm().Begin()
		d.Schedule(event.Event{At: d.Now() + event.Millisecond, Kind: crossAgain, Class: event.Pending})
	}
}

// candidate is a route that an instance may use for a prefix.
type candidate struct {
	inst   uint16
	route  route.Route
	set    route.SetID
	taking Taking // There is false for the instance's own
}

func (c *candidate) before(o *candidate) int {
	return cmp.Or(cmp.Compare(c.route.Preference, o.route.Preference), cmp.Compare(c.taking.Passed, o.taking.Passed),
		cmp.Compare(c.taking.Origin, o.taking.Origin), cmp.Compare(c.taking.From, o.taking.From), cmp.Compare(c.inst, o.inst))
}

// crossPrefix works out which instances take a route for a prefix, and from whom.
func (d *Device) crossPrefix(id uint32) {
	var open []candidate
	for i := range d.instances {
		inst := &d.instances[i]
		if s, ok := inst.table.Own(id); ok {
			r := inst.table.Route(s, id)
			open = append(open, candidate{inst: uint16(i), route: r, set: inst.table.Set(r.Hop)})
		}
	}
	settled := make(map[uint16]*candidate, len(open))
	for len(open) > 0 {
		best := 0
		for i := range open {
			if open[i].before(&open[best]) < 0 {
				best = i
			}
		}
		c := open[best]
		open = slices.Delete(open, best, best+1)
		if settled[c.inst] != nil {
			continue
		}
		settled[c.inst] = &c
		from := &d.instances[c.inst]
		for i := range d.instances {
			if to := uint16(i); settled[to] == nil {
				if next, ok := from.passOn(&c, id, &d.instances[i], nil); ok {
					open = append(open, next)
				}
			}
		}
	}
	for i := range d.instances {
		inst := &d.instances[i]
		if c := settled[uint16(i)]; c != nil && c.taking.There {
			c.route.Hop = inst.table.Direct(c.set)
			if inst.taken.Get(id) != c.taking {
				inst.taken.Set(id, c.taking)
				inst.InteriorChanged(id) // policies may see another route
				inst.changed = true
			}
			inst.table.Put(inst, route.Taken, id, c.route)
		} else if inst.taken.Get(id).There {
			inst.taken.Set(id, Taking{})
			inst.table.Put(inst, route.Taken, id, route.Route{})
		}
	}
}

// passOn is the route for a prefix as another instance takes it, if it does.
func (inst *Instance) passOn(c *candidate, id uint32, to *Instance, trace *policy.Trace) (candidate, bool) {
	t := to.takeFrom(inst.name)
	if t == nil || to == inst {
		return candidate{}, false
	}
	through := inst.device.book.Policy(t.Through)
	if through == nil {
		return candidate{}, false
	}
	r := inst.crossingRoute(c, id)
	if !through.Run(&r, trace) {
		return candidate{}, false
	}
	out := *c
	out.inst = to.number
	if !c.taking.There {
		source, _ := inst.table.Own(id)
		out.taking = Taking{Origin: inst.number, Source: source, There: true}
		if source == route.BGP {
			out.taking.Attrs, out.taking.Neighbour = inst.bgp.BestAttributes(id)
		}
	}
	out.taking.From = inst.number
	out.taking.Passed++
	out.route.Tag = r.Tag
	if r.MetricSet {
		out.route.Metric = r.Metric
	}
	return out, true
}

// Crossing is the route that this instance uses for a prefix, as the policies of those
// that take from it are asked about it.
func (inst *Instance) Crossing(id uint32) (policy.Route, bool) {
	c, ok := inst.inUse(id)
	if !ok {
		return policy.Route{}, false
	}
	return inst.crossingRoute(&c, id), true
}

// inUse is the route that the instance uses, as it is passed on.
func (inst *Instance) inUse(id uint32) (candidate, bool) {
	s, ok := inst.table.Best(id)
	if !ok {
		return candidate{}, false
	}
	r := inst.table.Route(s, id)
	c := candidate{inst: inst.number, route: r, set: inst.table.Set(r.Hop)}
	if s == route.Taken {
		c.taking = inst.taken.Get(id)
	}
	return c, true
}

// TakeVerdict is what becomes of a route of another instance in this one.
type TakeVerdict uint8

// The verdicts.
const (
	NoTake    TakeVerdict = iota // nothing is taken from there
	NotThere                     // there is no such route there
	CameFrom                     // it began in this instance, or passed it
	Refused                      // the policy rejects it
	Accepted                     // it crosses
	Surpassed                    // it may cross, and another route is used
)

// Takes says what becomes of the route that another instance uses for a prefix. trace, if
// not nil, is how the policy of the take came to its verdict.
func (inst *Instance) Takes(from *Instance, id uint32, trace *policy.Trace) TakeVerdict {
	t := inst.takeFrom(from.name)
	if t == nil {
		return NoTake
	}
	c, ok := from.inUse(id)
	if !ok {
		return NotThere
	}
	for at := c.taking; at.There; at = inst.device.instances[at.From].taken.Get(id) {
		if at.Origin == inst.number || at.From == inst.number {
			return CameFrom
		}
	}
	if _, ok := from.passOn(&c, id, inst, trace); !ok {
		return Refused
	}
	if s, _ := inst.table.Best(id); s == route.Taken && inst.taken.Get(id).From == from.number {
		return Accepted
	}
	return Surpassed
}

// takeFrom is what the instance takes from another one, nil for nothing.
func (inst *Instance) takeFrom(name string) *config.Take {
	takes := inst.config().Takes
	for i := range takes {
		if takes[i].From == name {
			return &takes[i]
		}
	}
	return nil
}

// TakesFrom says whether the instance takes routes of another one.
func (inst *Instance) TakesFrom(o *Instance) bool {
	return o != inst && !o.gone && inst.takeFrom(o.name) != nil
}

// crossingRoute is a route that this instance uses, as the policy of a take is asked about
// it.
func (inst *Instance) crossingRoute(c *candidate, id uint32) policy.Route {
	p := inst.Shared().Prefixes.Prefix(id)
	if !c.taking.There {
		source, _ := inst.table.Own(id)
		return inst.policyRoute(source, id, p)
	}
	// The route has crossed already: its table may not have it yet.
	out := policy.Route{Prefix: p, Attrs: &attr.Set{}, Source: route.Taken.String(), Tag: c.route.Tag, Metric: c.route.Metric,
		LocalAS: inst.config().BGP.AS, Neighbour: c.taking.Neighbour,
		Instance: cmp.Or(inst.device.instances[c.taking.Origin].name, config.MainInstance),
		Type:     typeWords(c.taking.Source, c.route)}
	if c.taking.Attrs != 0 {
		out.Attrs = inst.Attrs().Get(c.taking.Attrs)
	}
	return out
}
