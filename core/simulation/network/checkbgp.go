package network

import (
	"fmt"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/bgp"
	"hellebore/core/simulation/device"
)

// checkSessions holds the two ends of each BGP session against each other, and
// what each end sent against what it is to send.
func (w *World) checkSessions() string {
	for _, d := range w.devices {
		bad := ""
		d.Main().BGP().Peers(func(v bgp.PeerView) {
			if bad == "" && v.State == bgp.Established {
				bad = w.checkSession(d, v)
			}
		})
		if bad != "" {
			return d.Name() + ": " + bad
		}
	}
	return ""
}

// holder is the router that has an address on a port that is up.
func (w *World) holder(a ip.Addr) *device.Device {
	for _, d := range w.devices {
		if !d.Gone() && d.Main().Local(a) {
			return d
		}
	}
	return nil
}

func (w *World) checkSession(d *device.Device, v bgp.PeerView) string {
	far := w.holder(v.Address)
	if far == nil {
		return fmt.Sprintf("the session with %v is Established, and nobody has the address", v.Address)
	}
	back, ok := far.Main().BGP().Find(v.Local)
	if !ok || far.Main().BGP().Peer(back).State != bgp.Established {
		return fmt.Sprintf("the session with %v is Established, at %s it is not", v.Address, far.Name())
	}
	for id := range w.shared.Prefixes.Len() {
		p := w.shared.Prefixes.Prefix(id)
		sent := d.Main().BGP().Sent(v.Number, id)
		if want, _ := d.Main().BGP().Wanted(d.Main(), v.Number, id, nil); want != sent {
			return fmt.Sprintf("%v: Adj-RIB-Out for %v is not what Loc-RIB and export policy give", p, v.Address)
		}
		row, _ := far.Main().BGP().In(back, id)
		if sent != row.Raw {
			return fmt.Sprintf("%v: %s has not received what was sent", p, far.Name())
		}
	}
	return ""
}
