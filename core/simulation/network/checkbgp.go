package network

import (
	"fmt"

	"hellebore/core/protocols/bgp"
	"hellebore/core/simulation/device"
)

// checkSessions holds the two ends of each BGP session against each other, and
// what each end sent against what it is to send.
func (w *World) checkSessions() string {
	for _, d := range w.devices {
		for i := range d.Instances() {
			inst := &d.Instances()[i]
			bad := ""
			inst.BGP().Peers(func(v bgp.PeerView) {
				if bad == "" && v.State == bgp.Established {
					bad = w.checkSession(inst, v)
				}
			})
			if bad != "" {
				return inst.Ref() + ": " + bad
			}
		}
	}
	return ""
}

func (w *World) checkSession(inst *device.Instance, v bgp.PeerView) string {
	far := w.nearest(inst, func(o *device.Instance) bool { return o.Local(v.Address) })
	if far == nil {
		return fmt.Sprintf("the session with %v is Established, and nobody has the address", v.Address)
	}
	back, ok := far.BGP().Find(v.Local)
	if !ok || far.BGP().Peer(back).State != bgp.Established {
		return fmt.Sprintf("the session with %v is Established, at %s it is not", v.Address, far.Ref())
	}
	for id := range w.shared.Prefixes.Len() {
		p := w.shared.Prefixes.Prefix(id)
		sent := inst.BGP().Sent(v.Number, id)
		if want, _ := inst.BGP().Wanted(inst, v.Number, id, nil); want != sent {
			return fmt.Sprintf("%v: Adj-RIB-Out for %v is not what Loc-RIB and export policy give", p, v.Address)
		}
		row, _ := far.BGP().In(back, id)
		if sent != row.Raw {
			return fmt.Sprintf("%v: %s has not received what was sent", p, far.Ref())
		}
	}
	return ""
}
