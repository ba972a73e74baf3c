package capture

import (
	"fmt"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	bgpwire "hellebore/core/protocols/wire/bgp"
	"hellebore/core/protocols/wire/tcp"
)

// bgpKind names what of BGP begins in a segment: "BGP UPDATE", "BGP, continued" for
// the rest of a message that began in another; "" if it is none of BGP's.
func bgpKind(g *tcp.Segment) string {
	if g.SrcPort != bgpwire.Port && g.DstPort != bgpwire.Port || len(g.Payload) == 0 {
		return ""
	}
	if len(g.Payload) >= bgpwire.HeaderLen {
		marker := true
		for _, b := range g.Payload[:16] {
			marker = marker && b == 0xff
		}
		if marker {
			return "BGP " + bgpwire.Type(g.Payload[18]).String()
		}
	}
	return "BGP, continued"
}

// bgp reads the messages of a segment that are whole in it.
func (r *reader) bgp(b []byte) string {
	var says []string
	for len(b) > 0 {
		t, body, n, fault := bgpwire.Split(b)
		if fault != nil || n == 0 {
			r.layer("BGP, part of a message", "4271 4.1")
			r.field("bytes", "%d", len(b))
			says = append(says, phrase.Text("part of a message"))
			break
		}
		r.layer("BGP "+t.String(), map[bgpwire.Type]string{bgpwire.TypeOpen: "4271 4.2", bgpwire.TypeUpdate: "4271 4.3",
			bgpwire.TypeNotification: "4271 4.5", bgpwire.TypeKeepalive: "4271 4.4",
			bgpwire.TypeRouteRefresh: "2918 3"}[t])
		r.field("length", "%d bytes", n)
		says = append(says, r.bgpMessage(t, body))
		b = b[n:]
	}
	if len(says) > 3 {
		says = append(says[:3], phrase.Say("and %s more", phrase.Plural(len(says)-3, "message")))
	}
	return strings.Join(says, "; ")
}

func (r *reader) bgpMessage(t bgpwire.Type, body []byte) string {
	switch t {
	case bgpwire.TypeOpen:
		o, fault := bgpwire.ReadOpen(body)
		if fault != nil {
			return phrase.Say("an OPEN that earns: %s", fault.Words())
		}
		r.field("version", "%d", o.Version)
		r.field("my autonomous system", "%d", o.AS)
		r.field("hold time", "%d s", o.HoldTime)
		r.field("BGP identifier", "%s", r.named(o.ID))
		for _, c := range o.Caps {
			r.field("capability", "%s", capabilityWords(c))
		}
		return phrase.Say("AS %d, hold time %d s, identifier %v", o.FullAS(), o.HoldTime, o.ID)
	case bgpwire.TypeKeepalive:
		return "keepalive"
	case bgpwire.TypeNotification:
		n := bgpwire.ReadNotification(body)
		r.field("error code", "%d, subcode %d", n.Code, n.Subcode)
		r.field("meaning", "%s", n.Words())
		return n.Words()
	case bgpwire.TypeRouteRefresh:
		if f, ok := bgpwire.ReadFamily(body); ok {
			r.field("address family", "%v", f)
		}
		return phrase.Text("asks for everything again")
	}
	return r.bgpUpdate(body)
}

func capabilityWords(c bgpwire.Capability) string {
	for _, k := range bgpwire.CapabilityNames {
		if k.Code == c.Code {
			return fmt.Sprintf("%s (%d)", k.Name, c.Code)
		}
	}
	return phrase.Say("code %d", c.Code)
}

func (r *reader) bgpUpdate(body []byte) string {
	u, fault := bgpwire.ReadUpdate(body)
	if fault != nil {
		return phrase.Say("an UPDATE that earns: %s", fault.Words())
	}
	list := func(field []byte) (out []string) {
		bgpwire.Prefixes(field, func(p ip.Prefix) { out = append(out, p.String()) })
		return out
	}
	withdrawn, announced := list(u.Withdrawn), list(u.Announced)
	var says []string
	if len(withdrawn) > 0 {
		r.field("withdrawn routes", "%s", strings.Join(withdrawn, ", "))
		says = append(says, phrase.Say("withdraws %s", few(withdrawn)))
	}
	if len(announced) > 0 {
		// Whether AS numbers have four octets was agreed in the OPENs; a path that
		// does not come out even with four has two.
		a, bad := bgpwire.ReadAttributes(u.Attributes, bgpwire.Peer{FourOctet: true, External: false})
		if bad.Verdict == bgpwire.TreatedAsWithdraw && bad.Type == 2 {
			a, _ = bgpwire.ReadAttributes(u.Attributes, bgpwire.Peer{FourOctet: false, External: false})
		}
		r.attributes(&a)
		r.field("network layer reachability", "%s", strings.Join(announced, ", "))
		path := a.Path.String()
		if path == "" {
			path = phrase.Text("none")
		}
		says = append(says, phrase.Say("announces %s, path %s", few(announced), path))
	}
	if len(says) == 0 {
		return phrase.Text("nothing")
	}
	return strings.Join(says, ", ")
}

func few(list []string) string {
	if len(list) > 3 {
		return strings.Join(list[:3], ", ") + phrase.Say(" and %d more", len(list)-3)
	}
	return strings.Join(list, ", ")
}

func (r *reader) attributes(a *attr.Set) {
	r.field("ORIGIN", "%s", a.Origin)
	r.field("AS_PATH", "%s", a.Path)
	r.field("NEXT_HOP", "%s", r.holder(ip.Addr(a.NextHop)))
	if a.HasMED {
		r.field("MULTI_EXIT_DISC", "%d", a.MED)
	}
	if a.HasLocalPref {
		r.field("LOCAL_PREF", "%d", a.LocalPref)
	}
	if a.Atomic {
		r.field("ATOMIC_AGGREGATE", "present")
	}
	if a.HasAggregator {
		r.field("AGGREGATOR", "AS %d, %v", a.AggregatorAS, ip.V4(a.Aggregator))
	}
	if list := a.CommunityList(); len(list) > 0 {
		r.field("communities", "%s", strings.Join(list, " "))
	}
	if a.Originator != 0 {
		r.field("ORIGINATOR_ID", "%s", r.named(ip.V4(a.Originator).Quad()))
	}
	for _, c := range a.Clusters {
		r.field("CLUSTER_LIST", "%v", ip.V4(c))
	}
	for _, u := range a.Unknown {
		r.field("unknown attribute", "type %d, %x", u.Type, u.Value)
	}
}
