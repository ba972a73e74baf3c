package facts

import (
	"cmp"

	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
	"hellebore/core/protocols/bgp"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Routers are the instances that run OSPF, by their router IDs.
type Routers map[ip.Quad]*device.Instance

// RouterIDs are the routers that an instance may hear of: those of its network. Of nil,
// all.
func RouterIDs(w *network.World, from *device.Instance) Routers {
	owners := Routers{}
	if from != nil && w.SeveralInstances() {
		w.Around(from, func(inst *device.Instance) bool {
			if id := inst.OSPF().RouterID(); inst.OSPF().Running() && owners[id] == nil {
				owners[id] = inst
			}
			return false
		})
		return owners
	}
	for _, inst := range AllInstances(w) {
		if inst.OSPF().Running() {
			owners[inst.OSPF().RouterID()] = inst
		}
	}
	return owners
}

// RouterNames are the RouterIDs of the instances of a world that does not change meanwhile, each found once.
type RouterNames struct {
	w     *network.World
	known map[*device.Instance]Routers
}

// NamesOfRouters are those of a world.
func NamesOfRouters(w *network.World) *RouterNames {
	return &RouterNames{w: w, known: map[*device.Instance]Routers{}}
}

// Of are the routers that an instance may hear of.
func (x *RouterNames) Of(inst *device.Instance) Routers {
	if !x.w.SeveralInstances() {
		inst = nil // all hear of the same
	}
	r, ok := x.known[inst]
	if !ok {
		r = RouterIDs(x.w, inst)
		x.known[inst] = r
	}
	return r
}

// Name is the name of the router with a router ID, else the ID.
func (r Routers) Name(id ip.Quad) string {
	if inst := r[id]; inst != nil {
		return inst.Ref()
	}
	return id.String()
}

// PortName is a port's name: "viaduct.e1", or a host's.
func PortName(d *device.Device, port uint32) string {
	return config.PortRef{Device: d.Name(), Port: d.Ports()[port].Config.Name}.String()
}

// PeerName is what a peer of an instance is called: who has its address, else its
// description, else the address.
func PeerName(w *network.World, inst *device.Instance, v bgp.PeerView) string {
	if far := w.Holder(inst, v.Address); far != nil {
		return far.Ref()
	}
	return cmp.Or(v.Config.Description, v.Address.String())
}

// AddressWords names a router by its address on a segment, as an instance sees it:
// "depot 10.2.0.2".
func AddressWords(w *network.World, inst *device.Instance, a ip.Addr) string {
	if !a.IsValid() {
		return ""
	}
	if far := w.Holder(inst, a); far != nil {
		return far.Ref() + " " + a.String()
	}
	return a.String()
}

// GatewayOwner is the instance that has a gateway's address: one that the port is
// joined to, or else any.
func GatewayOwner(w *network.World, d *device.Device, port uint32, gateway ip.Addr) *device.Instance {
	for _, s := range w.Facing(d.ID(), port) {
		if o := w.Device(s.Device); o.Ports()[s.Port].Address() == gateway {
			return o.InstanceOf(s.Port)
		}
	}
	return w.Holder(d.InstanceOf(port), gateway)
}

// PeersOf are a router's peers; those of a speaker that does not run are made of
// the configuration.
func PeersOf(inst *device.Instance) []bgp.PeerView {
	var out []bgp.PeerView
	if inst.BGP().Running() {
		inst.BGP().Peers(func(v bgp.PeerView) { out = append(out, v) })
		return out
	}
	g := &inst.Config().BGP
	for i := range g.Peers {
		out = append(out, bgp.PeerView{Number: -1 - i, Config: g.Peers[i], Address: ip.AddrFrom(g.Peers[i].Address),
			External: g.External(&g.Peers[i])})
	}
	return out
}
