package device

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/route"
)

// syncOSPF starts and stops the process, and gives it the ports.
func (inst *Instance) syncOSPF() {
	wanted := false
	for i := range inst.device.ports {
		p := &inst.device.ports[i]
		wanted = wanted || p.Config.OSPF.On && inst.has(p)
	}
	wanted = wanted && inst.device.Enabled() && !inst.config().OSPF.Disabled
	switch {
	case !wanted:
		inst.ospf.Stop(inst, note.ProtocolDisabled)
	case !inst.ospf.Running():
		if id := inst.routerID(); id != 0 {
			inst.ospf.Start(inst, id)
		}
	}
	inst.syncAreas()
	inst.ospf.SetMaxECMP(inst, inst.config().OSPF.MaxECMP)
	spf := &inst.config().OSPF.SPF
	inst.ospf.SetDelays(ospf.Delays{Initial: event.FromDuration(spf.Initial), Short: event.FromDuration(spf.Short), Long: event.FromDuration(spf.Long),
		Learn: event.FromDuration(spf.Learn), HoldDown: event.FromDuration(spf.HoldDown)})
	inst.ospf.SetRFC1583(inst, !inst.config().OSPF.Strict)
	for i := range inst.device.ports {
		if inst.has(&inst.device.ports[i]) || inst.ospf.Owns(uint32(i)) {
			inst.syncOSPFPort(uint32(i))
		}
	}
}

func (inst *Instance) syncOSPFPort(i uint32) {
	p := &inst.device.ports[i]
	o := &p.Config.OSPF
	if !o.On || o.Disabled || !inst.has(p) {
		inst.ospf.SetPort(inst, i, ospf.PortConfig{})
		return
	}
	c := ospf.PortConfig{
		On: true, Up: p.up, Loopback: p.Config.Loopback, Passive: o.Passive, OwnMask: o.OwnMask,
		Broadcast: !p.Config.Loopback && p.Config.Virtual == nil &&
			(o.Type == config.Broadcast || o.Type == config.AutoType && inst.device.ports[inst.device.Carries(i)].Shared),
		Priority: o.Priority, IgnoreMTU: o.IgnoreMTU, Keys: chainOf(o.Keys),
		Address: p.addr, PrefixLen: uint8(max(0, p.Config.Address.Bits())),
		Area: o.Area, Cost: inst.config().OSPF.CostOf(p.Config), MTU: p.Config.MTU,
		ExactHellos:   inst.device.env.ExactHellos(),
		HelloInterval: o.HelloInterval, DeadInterval: o.DeadInterval,
		RetransmitInterval: o.RetransmitInterval, TransmitDelay: o.TransmitDelay,
	}
	if v := p.Config.Virtual; v != nil {
		c.Virtual, c.Transit, c.Peer = true, v.Transit, ip.QuadFrom(v.Peer)
	}
	inst.ospf.SetPort(inst, i, c)
}

// routerID is the explicit router ID, else the highest loopback address, else
// the highest port address; 0 if there is none.
func (inst *Instance) routerID() ip.Quad {
	if id := ip.QuadFrom(inst.config().RouterID); id != 0 {
		return id
	}
	var loopback, any ip.Quad
	for i := range inst.device.ports {
		p := &inst.device.ports[i]
		if !inst.has(p) {
			continue
		}
		any = max(any, p.addr.Quad())
		if p.Config.Loopback {
			loopback = max(loopback, p.addr.Quad())
		}
	}
	if loopback != 0 {
		return loopback
	}
	return any
}

// RestartOSPF stops the OSPF process and starts it anew, and says whether it ran.
// Its router ID is chosen anew.
func (inst *Instance) RestartOSPF() bool {
	if !inst.ospf.Running() {
		return false
	}
	inst.ospf.Stop(inst, note.ProcessRestarted)
	inst.device.sync()
	return true
}

// PutRoute takes a route from OSPF.
func (inst *Instance) PutRoute(prefix uint32, o ospf.Route) {
	r := route.Route{}
	if o.Set != route.NoSet {
		r = route.Route{Hop: inst.table.Direct(o.Set), Metric: o.Cost, Metric2: o.Distance, Tag: o.Tag, Present: true,
			Preference: route.DefaultPreference[route.OSPF], Kind: o.Kind}
	}
	inst.table.Put(inst, route.OSPF, prefix, r)
}
