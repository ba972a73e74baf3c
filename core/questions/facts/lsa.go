package facts

import (
	"fmt"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/ospf"
	wire "hellebore/core/protocols/wire/ospf"
)

// Field is one field of an LSA, decoded.
type Field struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// OptionWords says what the options of an LSA mean (RFC 2328 A.2, RFC 3101 2.1).
func OptionWords(o uint8) string {
	switch {
	case o&wire.OptionE != 0:
		return phrase.Text("E: takes external routes")
	case o&wire.OptionP != 0:
		return phrase.Text("P: to be translated")
	}
	return phrase.Text("none")
}

// LSAFields writes an LSA's body out to its last field.
func LSAFields(owners Routers, v *ospf.LSAView) (says string, fields []Field, prefixes []string) {
	add := func(name, format string, args ...any) {
		fields = append(fields, Field{phrase.Text(name), phrase.Say(format, args...)})
	}
	named := func(id ip.Quad) string {
		if inst := owners[id]; inst != nil {
			return fmt.Sprintf("%s (%v)", inst.Ref(), id)
		}
		return id.String()
	}
	network := func(mask ip.Quad) string {
		n, _ := ip.MaskLen(mask)
		p := ip.V4Prefix(v.Header.Key.ID, n).String()
		prefixes = append(prefixes, p)
		return p
	}
	prefixes, fields = []string{}, []Field{}
	switch b := v.Body; v.Header.Key.Type {
	case wire.RouterLSA:
		var roles []string
		if b.Router.Flags&wire.FlagB != 0 {
			roles = append(roles, phrase.Text("area border router"))
		}
		if b.Router.Flags&wire.FlagE != 0 {
			roles = append(roles, phrase.Text("AS boundary router"))
		}
		if b.Router.Flags&wire.FlagV != 0 {
			roles = append(roles, phrase.Text("end of a virtual link"))
		}
		if b.Router.Flags&wire.FlagN != 0 {
			roles = append(roles, phrase.Text("always translates"))
		}
		if len(roles) == 0 {
			roles = []string{phrase.Text("neither area border nor AS boundary router")}
		}
		add("flags", "%s", strings.Join(roles, ", "))
		near := []string{}
		for _, l := range b.Router.Links {
			switch l.Type {
			case wire.LinkPointToPoint:
				add("link to a router", "%s, by %v, metric %d", named(l.ID), l.Data, l.Metric)
				near = append(near, owners.Name(l.ID))
			case wire.LinkVirtual:
				add("virtual link", "to %s, by %v, metric %d", named(l.ID), l.Data, l.Metric)
				near = append(near, owners.Name(l.ID)+" (virtual)")
			case wire.LinkTransit:
				add("link to a segment", "DR %v, by %v, metric %d", l.ID, l.Data, l.Metric)
				near = append(near, phrase.Say("segment of %s", l.ID.String()))
			case wire.LinkStub:
				n, _ := ip.MaskLen(l.Data)
				p := ip.V4Prefix(l.ID, n).String()
				prefixes = append(prefixes, p)
				add("stub network", "%s, metric %d", p, l.Metric)
			default:
				add("link", "type %d, ID %v, data %v, metric %d", l.Type, l.ID, l.Data, l.Metric)
			}
		}
		says = fmt.Sprintf("%s, %s", phrase.Plural(len(near), "link"), phrase.Plural(len(prefixes), "stub network"))
		if len(near) > 0 {
			says = "to " + strings.Join(near, ", ") + "; " + phrase.Plural(len(prefixes), "stub network")
		}
	case wire.NetworkLSA:
		p := network(b.Network.Mask)
		add("network", "%s", p)
		var names []string
		for _, r := range b.Network.Routers {
			add("attached router", "%s", named(r))
			names = append(names, owners.Name(r))
		}
		says = phrase.Say("%s with %s", p, strings.Join(names, ", "))
	case wire.SummaryLSA:
		p := network(b.Summary.Mask)
		add("network", "%s", p)
		add("metric", "%d", b.Summary.Metric)
		says = phrase.Say("%s, metric %d", p, b.Summary.Metric)
	case wire.ASBRSummaryLSA:
		add("AS boundary router", "%s", named(v.Header.Key.ID))
		add("metric", "%d", b.Summary.Metric)
		says = phrase.Say("%s, metric %d", owners.Name(v.Header.Key.ID), b.Summary.Metric)
	case wire.ExternalLSA, wire.NSSALSA:
		p := network(b.External.Mask)
		kind := 1
		if b.External.Type2 {
			kind = 2
		}
		add("network", "%s", p)
		add("metric", "%d, type %d", b.External.Metric, kind)
		add("forwarding address", "%s", forwardWords(b.External.Forward))
		add("tag", "%d", b.External.Tag)
		says = phrase.Say("%s, metric %d type %d", p, b.External.Metric, kind)
	}
	return says, fields, prefixes
}

func forwardWords(a ip.Addr) string {
	if !a.IsValid() {
		return phrase.Text("none: to the router itself")
	}
	return a.String()
}

// MaskLen is the prefix length of a mask; 0 if it is not contiguous.
func MaskLen(m ip.Quad) uint8 { n, _ := ip.MaskLen(m); return n }
