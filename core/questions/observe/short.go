package observe

import (
	"cmp"
	"fmt"
	"net/netip"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/wire/ip"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// RouteWords is the route in use for a prefix in a few words: "ospf, cost 20, by
// 10.0.12.2 on e1".
func RouteWords(w *network.World, d *device.Device, id uint32) string {
	s, ok := d.Table().Best(id)
	if !ok {
		return ""
	}
	r := d.Table().Route(s, id)
	words := s.String()
	if r.Metric != 0 {
		words += fmt.Sprintf(", cost %d", r.Metric)
	}
	return words + ", " + byWords(hopWords(w, d, d.Table().Set(r.Hop)))
}

func byWords(hops string) string {
	if strings.HasPrefix(hops, "directly") || hops == "blackhole" {
		return hops
	}
	return "by " + hops
}

// SetWords is a set of path attributes in a few words.
func SetWords(w *network.World, id attr.ID) string {
	a := w.Attrs().Get(id)
	parts := []string{"AS path " + cmp.Or(a.Path.String(), "empty")}
	if a.HasLocalPref {
		parts = append(parts, fmt.Sprintf("local preference %d", a.LocalPref))
	}
	if a.HasMED {
		parts = append(parts, fmt.Sprintf("MED %d", a.MED))
	}
	if l := a.CommunityList(); len(l) > 0 {
		parts = append(parts, "communities "+strings.Join(l, " "))
	}
	return strings.Join(parts, ", ")
}

// NextHops are the next hops of the route in use for a prefix.
func NextHops(w *network.World, d *device.Device, id uint32) []NextHop {
	s, ok := d.Table().Best(id)
	if !ok {
		return nil
	}
	return hopsOf(w, d, d.Table().Set(d.Table().Route(s, id).Hop))
}

// SentWhy is why a peer is told of a prefix or is not, a sentence.
func SentWhy(w *network.World, d *device.Device, id uint32, v bgp.PeerView) string {
	return sentRow(w, d, id, v).Why
}

// PolicyTowards is what a policy makes of the route that a router has for a prefix
// when it is asked about a peer; nil if there is no such route or policy.
func PolicyTowards(w *network.World, d *device.Device, v bgp.PeerView, to netip.Prefix, name string) *PolicyTrace {
	id, known := w.Shared().Prefixes.Find(ip.PrefixFrom(to))
	pol := w.Book().Policy(name)
	if !known || pol == nil {
		return nil
	}
	r, ok := d.BGP().Offered(d, v.Number, id)
	if !ok {
		return nil
	}
	var t policy.Trace
	pol.Run(&r, &t)
	return traceWords(t)
}
