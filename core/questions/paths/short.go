package paths

import (
	"cmp"
	"fmt"
	"net/netip"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/policy"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// SetWords is a set of path attributes in a few words.
func SetWords(w *network.World, id attr.ID) string {
	a := w.Attrs().Get(id)
	parts := []string{phrase.Say("AS path %s", cmp.Or(a.Path.String(), phrase.Text("empty")))}
	if a.HasLocalPref {
		parts = append(parts, phrase.Say("local preference %d", a.LocalPref))
	}
	if a.HasMED {
		parts = append(parts, fmt.Sprintf("MED %d", a.MED))
	}
	if l := a.CommunityList(); len(l) > 0 {
		parts = append(parts, phrase.Say("communities %s", strings.Join(l, " ")))
	}
	return strings.Join(parts, ", ")
}

// SentTo is what a peer is sent for a prefix, and if nothing, why.
func SentTo(w *network.World, inst *device.Instance, id uint32, v bgp.PeerView) SentRow {
	return sentRow(w, inst, id, v)
}

// PolicyTowards is what a policy makes of the route that a router has for a prefix
// when it is asked about a peer; nil if there is no such route or policy.
func PolicyTowards(w *network.World, inst *device.Instance, v bgp.PeerView, to netip.Prefix, name string) *PolicyTrace {
	id, known := w.Shared().Prefixes.Find(ip.PrefixFrom(to))
	pol := inst.Device().Book().Policy(name)
	if !known || pol == nil {
		return nil
	}
	r, ok := inst.BGP().Offered(inst, v.Number, id)
	if !ok {
		return nil
	}
	var t policy.Trace
	pol.Run(&r, &t)
	return traceWords(t)
}
