package observe

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"hellebore/core/language/labtext"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/wire/ip"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Field is one field of an LSA, decoded.
type Field struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Copy is an instance of an LSA that only some of an area's routers hold.
type Copy struct {
	Sequence string   `json:"sequence"`
	Checksum string   `json:"checksum"`
	Age      uint16   `json:"age" doc:"seconds"`
	Holders  []string `json:"holders"`
}

// LSA is an LSA of an area, once for all routers that hold it.
type LSA struct {
	Type     string   `json:"type"`
	Number   uint8    `json:"number" doc:"of the type (RFC 2328 A.4.1)"`
	ID       string   `json:"id" doc:"link state ID"`
	Router   string   `json:"router" doc:"advertising router, its router ID"`
	Device   string   `json:"device,omitempty" doc:"the device that has the router ID now"`
	Age      uint16   `json:"age" doc:"seconds, at the first router that holds it"`
	Sequence string   `json:"sequence"`
	Checksum string   `json:"checksum"`
	Length   uint16   `json:"length" doc:"bytes"`
	Options  string   `json:"options"`
	Says     string   `json:"says" doc:"its contents in a few words"`
	Fields   []Field  `json:"fields"`
	Prefixes []string `json:"prefixes" doc:"the networks that it announces"`
	Missing  []string `json:"missing" doc:"routers of the area that do not hold it"`
	Others   []Copy   `json:"others" doc:"other instances, and who holds them"`
}

// AreaDatabase is the link-state database of an area.
type AreaDatabase struct {
	Area    string   `json:"area" doc:"number of the area; empty for what belongs to none"`
	Routers []string `json:"routers" doc:"devices that hold it"`
	Same    bool     `json:"same" doc:"all of them hold the same instances"`
	LSAs    []LSA    `json:"lsas"`
}

// Database is the Database view.
type Database struct {
	Areas []AreaDatabase `json:"areas"`
}

// instance tells instances of an LSA apart.
type instance struct {
	seq int32
	sum uint16
}

type heldLSA struct {
	view    ospf.LSAView
	holders []string
}

// DatabaseOf makes the Database view of a world.
func DatabaseOf(w *network.World) Database {
	type place struct {
		as   bool
		area uint32
	}
	found := map[place]map[wire.Key]map[instance]*heldLSA{}
	routers := map[place][]string{}
	for _, d := range w.Devices() {
		if d.Gone() || !d.OSPF().Running() {
			continue
		}
		all := true // every area is a stub
		for _, a := range d.OSPF().Areas() {
			routers[place{area: a}] = append(routers[place{area: a}], d.Name())
			all = all && isClosed(d, a)
		}
		if !all {
			routers[place{as: true}] = append(routers[place{as: true}], d.Name())
		}
		d.OSPF().Database(d, func(v ospf.LSAView) {
			at := place{v.AS, v.Area}
			if v.AS {
				at.area = 0
			}
			keys := found[at]
			if keys == nil {
				keys = map[wire.Key]map[instance]*heldLSA{}
				found[at] = keys
			}
			if keys[v.Header.Key] == nil {
				keys[v.Header.Key] = map[instance]*heldLSA{}
			}
			i := instance{v.Header.Seq, v.Header.Checksum}
			if keys[v.Header.Key][i] == nil {
				keys[v.Header.Key][i] = &heldLSA{view: v}
			}
			h := keys[v.Header.Key][i]
			h.holders = append(h.holders, d.Name())
		})
	}
	owners := routerIDs(w)
	out := Database{Areas: []AreaDatabase{}}
	var places []place
	for at := range routers {
		places = append(places, at)
	}
	slices.SortFunc(places, func(a, b place) int {
		if a.as != b.as {
			if b.as {
				return -1
			}
			return 1
		}
		return cmp.Compare(a.area, b.area)
	})
	for _, at := range places {
		if at.as && len(found[at]) == 0 {
			continue
		}
		a := AreaDatabase{Area: labtext.FormatArea(at.area), Routers: routers[at], Same: true, LSAs: []LSA{}}
		if at.as {
			a.Area = ""
		}
		var keys []wire.Key
		for k := range found[at] {
			keys = append(keys, k)
		}
		slices.SortFunc(keys, wire.Key.Compare)
		for _, k := range keys {
			l := lsaOf(owners, found[at][k], routers[at])
			a.Same = a.Same && len(l.Missing) == 0 && len(l.Others) == 0
			a.LSAs = append(a.LSAs, l)
		}
		out.Areas = append(out.Areas, a)
	}
	return out
}

// routerIDs are the names of the devices by their router IDs.
func routerIDs(w *network.World) map[ip.Addr]*device.Device {
	owners := map[ip.Addr]*device.Device{}
	for _, d := range w.Devices() {
		if !d.Gone() && d.OSPF().Running() {
			owners[d.OSPF().RouterID()] = d
		}
	}
	return owners
}

// lsaOf is an LSA with all its instances: the one that most routers hold stands
// for it.
func lsaOf(owners map[ip.Addr]*device.Device, instances map[instance]*heldLSA, routers []string) LSA {
	var all []*heldLSA
	for _, h := range instances {
		all = append(all, h)
	}
	slices.SortFunc(all, func(a, b *heldLSA) int {
		return cmp.Or(-cmp.Compare(len(a.holders), len(b.holders)), -a.view.Header.Compare(&b.view.Header))
	})
	v := all[0].view
	l := LSA{Type: wire.LSATypeName[v.Header.Key.Type], Number: v.Header.Key.Type, ID: v.Header.Key.ID.String(), Router: v.Header.Key.Router.String(),
		Age: v.Header.Age, Sequence: formatValue("sequence", uint64(uint32(v.Header.Seq))), Checksum: fmt.Sprintf("%#04x", v.Header.Checksum),
		Length: v.Header.Length, Options: optionWords(v.Header.Options), Missing: []string{}, Others: []Copy{}}
	if d := owners[v.Header.Key.Router]; d != nil {
		l.Device = d.Name()
	}
	l.Says, l.Fields, l.Prefixes = decode(owners, &v)
	held := map[string]bool{}
	for i, h := range all {
		for _, name := range h.holders {
			held[name] = true
		}
		if i > 0 {
			l.Others = append(l.Others, Copy{formatValue("sequence", uint64(uint32(h.view.Header.Seq))), fmt.Sprintf("%#04x", h.view.Header.Checksum),
				h.view.Header.Age, h.holders})
		}
	}
	for _, r := range routers {
		if !held[r] {
			l.Missing = append(l.Missing, r)
		}
	}
	return l
}

func optionWords(o uint8) string {
	switch {
	case o&wire.OptionE != 0:
		return "E: takes external routes"
	case o&wire.OptionP != 0:
		return "P: to be translated"
	}
	return "none"
}

// decode writes an LSA's body out to its last field.
func decode(owners map[ip.Addr]*device.Device, v *ospf.LSAView) (says string, fields []Field, prefixes []string) {
	add := func(name, format string, args ...any) {
		fields = append(fields, Field{name, fmt.Sprintf(format, args...)})
	}
	named := func(id ip.Addr) string {
		if d := owners[id]; d != nil {
			return fmt.Sprintf("%s (%v)", d.Name(), id)
		}
		return id.String()
	}
	network := func(mask ip.Addr) string {
		n, _ := ip.MaskLen(mask)
		p := ip.MakePrefix(v.Header.Key.ID, n).String()
		prefixes = append(prefixes, p)
		return p
	}
	prefixes, fields = []string{}, []Field{}
	switch b := v.Body; v.Header.Key.Type {
	case wire.RouterLSA:
		var roles []string
		if b.Router.Flags&wire.FlagB != 0 {
			roles = append(roles, "area border router")
		}
		if b.Router.Flags&wire.FlagE != 0 {
			roles = append(roles, "AS boundary router")
		}
		if b.Router.Flags&wire.FlagV != 0 {
			roles = append(roles, "end of a virtual link")
		}
		if b.Router.Flags&wire.FlagN != 0 {
			roles = append(roles, "always translates")
		}
		if len(roles) == 0 {
			roles = []string{"neither area border nor AS boundary router"}
		}
		add("flags", "%s", strings.Join(roles, ", "))
		near := []string{}
		for _, l := range b.Router.Links {
			switch l.Type {
			case wire.LinkPointToPoint:
				add("link to a router", "%s, by %v, metric %d", named(l.ID), l.Data, l.Metric)
				near = append(near, nameOr(owners, l.ID))
			case wire.LinkVirtual:
				add("virtual link", "to %s, by %v, metric %d", named(l.ID), l.Data, l.Metric)
				near = append(near, nameOr(owners, l.ID)+" (virtual)")
			case wire.LinkTransit:
				add("link to a segment", "DR %v, by %v, metric %d", l.ID, l.Data, l.Metric)
				near = append(near, "segment of "+l.ID.String())
			case wire.LinkStub:
				n, _ := ip.MaskLen(l.Data)
				p := ip.MakePrefix(l.ID, n).String()
				prefixes = append(prefixes, p)
				add("stub network", "%s, metric %d", p, l.Metric)
			default:
				add("link", "type %d, ID %v, data %v, metric %d", l.Type, l.ID, l.Data, l.Metric)
			}
		}
		says = fmt.Sprintf("%s, %s", plural(len(near), "link"), plural(len(prefixes), "stub network"))
		if len(near) > 0 {
			says = "to " + strings.Join(near, ", ") + "; " + plural(len(prefixes), "stub network")
		}
	case wire.NetworkLSA:
		p := network(b.Network.Mask)
		add("network", "%s", p)
		var names []string
		for _, r := range b.Network.Routers {
			add("attached router", "%s", named(r))
			names = append(names, nameOr(owners, r))
		}
		says = p + " with " + strings.Join(names, ", ")
	case wire.SummaryLSA:
		p := network(b.Summary.Mask)
		add("network", "%s", p)
		add("metric", "%d", b.Summary.Metric)
		says = fmt.Sprintf("%s, metric %d", p, b.Summary.Metric)
	case wire.ASBRSummaryLSA:
		add("AS boundary router", "%s", named(v.Header.Key.ID))
		add("metric", "%d", b.Summary.Metric)
		says = fmt.Sprintf("%s, metric %d", nameOr(owners, v.Header.Key.ID), b.Summary.Metric)
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
		says = fmt.Sprintf("%s, metric %d type %d", p, b.External.Metric, kind)
	}
	return says, fields, prefixes
}

func forwardWords(a ip.Addr) string {
	if a == 0 {
		return "none: to the router itself"
	}
	return a.String()
}

func nameOr(owners map[ip.Addr]*device.Device, id ip.Addr) string {
	if d := owners[id]; d != nil {
		return d.Name()
	}
	return id.String()
}
