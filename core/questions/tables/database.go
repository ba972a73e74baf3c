package tables

import (
	"cmp"
	"fmt"
	"slices"

	"hellebore/core/language/labtext"
	"hellebore/core/protocols/ospf"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Copy is an instance of an LSA that only some of an area's routers hold.
type Copy struct {
	Sequence string   `json:"sequence"`
	Checksum string   `json:"checksum"`
	Age      uint16   `json:"age" doc:"seconds"`
	Holders  []string `json:"holders"`
}

// LSA is an LSA of an area, once for all routers that hold it.
type LSA struct {
	Type     string        `json:"type"`
	Number   uint8         `json:"number" doc:"of the type (RFC 2328 A.4.1)"`
	ID       string        `json:"id" doc:"link state ID"`
	Router   string        `json:"router" doc:"advertising router, its router ID"`
	Device   string        `json:"device,omitempty" doc:"the device that has the router ID now"`
	Age      uint16        `json:"age" doc:"seconds, at the first router that holds it"`
	Sequence string        `json:"sequence"`
	Checksum string        `json:"checksum"`
	Length   uint16        `json:"length" doc:"bytes"`
	Options  string        `json:"options"`
	Says     string        `json:"says" doc:"its contents in a few words"`
	Fields   []facts.Field `json:"fields"`
	Prefixes []string      `json:"prefixes" doc:"the networks that it announces"`
	Missing  []string      `json:"missing" doc:"routers of the area that do not hold it"`
	Others   []Copy        `json:"others" doc:"other instances, and who holds them"`
}

// AreaDatabase is the link-state database of an area.
type AreaDatabase struct {
	Area    string   `json:"area" doc:"number of the area; empty for what belongs to none"`
	Of      string   `json:"of,omitempty" doc:"where several networks that nothing joins have OSPF: a router of this one"`
	Routers []string `json:"routers" doc:"devices that hold it"`
	Same    bool     `json:"same" doc:"all of them hold the same instances"`
	LSAs    []LSA    `json:"lsas"`
}

// Database is the Database view.
type Database struct {
	Areas []AreaDatabase `json:"areas"`
}

// instance distinguishes instances of an LSA.
type instance struct {
	seq int32
	sum uint16
}

// alikeDatabases are routers that hold the same instances: what one of them holds is looked at for all.
type alikeDatabases struct {
	first   *device.Instance
	numbers []int // of the routers, in their order
	routers []string
}

type heldLSA struct {
	view    ospf.LSAView
	holders []*alikeDatabases
	count   int // of routers
}

// DatabaseOf makes the Database view of a world.
func DatabaseOf(w *network.World) Database {
	type place struct {
		network int // of those that nothing joins
		as      bool
		area    uint32
	}
	type database struct {
		place
		digest uint64
	}
	var order []database
	groups := map[database]*alikeDatabases{}
	routers := map[place][]string{}
	networks := networksApart(w)
	for n, inst := range facts.AllInstances(w) {
		if !inst.OSPF().Running() {
			continue
		}
		network := networks[inst]
		all := true // every area is a stub
		for _, a := range inst.OSPF().Areas() {
			routers[place{network, false, a}] = append(routers[place{network, false, a}], inst.Ref())
			all = all && facts.TakesNoExternals(inst, a)
		}
		if !all {
			routers[place{network, true, 0}] = append(routers[place{network, true, 0}], inst.Ref())
		}
		inst.OSPF().Versions(inst, func(s ospf.Scope, digest uint64) {
			d := database{place{network, s.AS, s.Area}, digest}
			g := groups[d]
			if g == nil {
				g = &alikeDatabases{first: inst}
				groups[d] = g
				order = append(order, d)
			}
			g.numbers, g.routers = append(g.numbers, n), append(g.routers, inst.Ref())
		})
	}
	found := map[place]map[wire.Key]map[instance]*heldLSA{}
	for _, d := range order {
		g := groups[d]
		g.first.OSPF().LSAs(g.first, ospf.Scope{Area: d.area, AS: d.as}, func(v ospf.LSAView) {
			keys := found[d.place]
			if keys == nil {
				keys = map[wire.Key]map[instance]*heldLSA{}
				found[d.place] = keys
			}
			if keys[v.Header.Key] == nil {
				keys[v.Header.Key] = map[instance]*heldLSA{}
			}
			i := instance{v.Header.Seq, v.Header.Checksum}
			if keys[v.Header.Key][i] == nil {
				keys[v.Header.Key][i] = &heldLSA{view: v}
			}
			h := keys[v.Header.Key][i]
			h.holders = append(h.holders, g)
			h.count += len(g.routers)
		})
	}
	out := Database{Areas: []AreaDatabase{}}
	var places []place
	for at := range routers {
		places = append(places, at)
	}
	slices.SortFunc(places, func(a, b place) int {
		switch {
		case a.network != b.network:
			return cmp.Compare(a.network, b.network)
		case a.as == b.as:
			return cmp.Compare(a.area, b.area)
		case b.as:
			return -1
		}
		return 1
	})
	for _, at := range places {
		if at.as && len(found[at]) == 0 {
			continue
		}
		a := AreaDatabase{Area: labtext.FormatArea(at.area), Routers: routers[at], Same: true, LSAs: []LSA{}}
		if at.network > 0 {
			a.Of = routers[at][0]
		}
		first, _ := facts.InstanceNamed(w, routers[at][0])
		owners := facts.RouterIDs(w, first)
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

// lsaOf is an LSA with all its instances: the one that most routers hold is
// for it.
func lsaOf(owners facts.Routers, instances map[instance]*heldLSA, routers []string) LSA {
	var all []*heldLSA
	for _, h := range instances {
		all = append(all, h)
	}
	slices.SortFunc(all, func(a, b *heldLSA) int {
		return cmp.Or(-cmp.Compare(a.count, b.count), -a.view.Header.Version().Compare(b.view.Header.Version()))
	})
	v := all[0].view
	l := LSA{Type: wire.LSATypeName[v.Header.Key.Type], Number: v.Header.Key.Type, ID: v.Header.Key.ID.String(),
		Router: v.Header.Key.Router.String(),
		Age:    v.Header.Age, Sequence: facts.Sequence(v.Header.Seq),
		Checksum: fmt.Sprintf("%#04x", v.Header.Checksum),
		Length:   v.Header.Length, Options: facts.OptionWords(v.Header.Options), Missing: []string{}, Others: []Copy{}}
	if inst := owners[v.Header.Key.Router]; inst != nil {
		l.Device = inst.Ref()
	}
	l.Says, l.Fields, l.Prefixes = facts.LSAFields(owners, &v)
	if h := all[0].holders; len(all) == 1 && len(h) == 1 && slices.Equal(h[0].routers, routers) {
		return l
	}
	held := map[string]bool{}
	for i, h := range all {
		names := h.names()
		for _, name := range names {
			held[name] = true
		}
		if i > 0 {
			l.Others = append(l.Others,
				Copy{facts.Sequence(h.view.Header.Seq),
					fmt.Sprintf("%#04x", h.view.Header.Checksum),
					h.view.Header.Age, names})
		}
	}
	for _, r := range routers {
		if !held[r] {
			l.Missing = append(l.Missing, r)
		}
	}
	return l
}

// names are the routers that hold the instance, in the order of the text.
func (h *heldLSA) names() []string {
	type router struct {
		number int
		name   string
	}
	var all []router
	for _, g := range h.holders {
		for i, n := range g.numbers {
			all = append(all, router{n, g.routers[i]})
		}
	}
	slices.SortFunc(all, func(a, b router) int { return cmp.Compare(a.number, b.number) })
	names := make([]string, len(all))
	for i := range all {
		names[i] = all[i].name
	}
	return names
}

// networksApart numbers the networks that no link joins, from 0; where no router has
// several instances all are one.
func networksApart(w *network.World) map[*device.Instance]int {
	out := map[*device.Instance]int{}
	if !w.SeveralInstances() {
		return out
	}
	next := 0
	for _, inst := range facts.AllInstances(w) {
		if _, known := out[inst]; known {
			continue
		}
		w.Joined(inst, func(o *device.Instance) { out[o] = next })
		next++
	}
	return out
}
