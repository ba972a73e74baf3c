package facts

import (
	"cmp"

	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
	"hellebore/core/protocols/bgp"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// RouterIDs are the names of the devices by their router IDs.
func RouterIDs(w *network.World) map[ip.Quad]*device.Device {
	owners := map[ip.Quad]*device.Device{}
	for _, d := range w.Devices() {
		if !d.Gone() && d.Main().OSPF().Running() {
			owners[d.Main().OSPF().RouterID()] = d
		}
	}
	return owners
}

// RouterName is the name of the router with a router ID, else the ID.
func RouterName(owners map[ip.Quad]*device.Device, id ip.Quad) string {
	if d := owners[id]; d != nil {
		return d.Name()
	}
	return id.String()
}

// PortName is a port's name: "viaduct.e1", or a host's.
func PortName(d *device.Device, port uint32) string {
	return config.PortRef{Device: d.Name(), Port: d.Ports()[port].Config.Name}.String()
}

// PeerName is what a peer is called: the device that has its address, else its
// description, else the address.
func PeerName(w *network.World, v bgp.PeerView) string {
	if d := w.Owner(v.Address); d != nil {
		return d.Name()
	}
	return cmp.Or(v.Config.Description, v.Address.String())
}

// AddressWords names a router by its address on a segment: "depot 10.2.0.2".
func AddressWords(w *network.World, a ip.Addr) string {
	if !a.IsValid() {
		return ""
	}
	if d := w.Owner(a); d != nil {
		return d.Name() + " " + a.String()
	}
	return a.String()
}

// GatewayOwner is the device that has a gateway's address: one that the port is
// joined to, or else any.
func GatewayOwner(w *network.World, d *device.Device, port uint32, gateway ip.Addr) *device.Device {
	for _, s := range w.Facing(d.ID(), port) {
		if o := w.Device(s.Device); o.Ports()[s.Port].Address() == gateway {
			return o
		}
	}
	return w.Owner(gateway)
}

// PeersOf are a router's peers; those of a speaker that does not run are made of
// the configuration.
func PeersOf(d *device.Device) []bgp.PeerView {
	var out []bgp.PeerView
	if d.Main().BGP().Running() {
		d.Main().BGP().Peers(func(v bgp.PeerView) { out = append(out, v) })
		return out
	}
	g := &d.Config().BGP
	for i := range g.Peers {
		out = append(out, bgp.PeerView{Number: -1 - i, Config: g.Peers[i], Address: ip.AddrFrom(g.Peers[i].Address),
			External: g.External(&g.Peers[i])})
	}
	return out
}
