package tables

import (
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
)

// DatabaseAsk is which LSAs are asked for: of one area. The zero value asks for all of the first.
type DatabaseAsk struct {
	Area   string // number of the area, "outside" for what belongs to none; "" or one that is not there for the first
	Of     string // where several networks that nothing joins have OSPF: a router of the one that is meant
	Type   string // only LSAs of this type
	Device string // only those that this device advertises
	To     string // only those that announce a network that has to do with this prefix or address
	Find   string // only those that have this in what they are, who advertises them, or what they say
	Offset int
	Limit  int // 0 for all
}

// outside is the name of what belongs to no area.
const outside = "outside"

// AreaOf is an area of the Database view without its LSAs.
type AreaOf struct {
	Area    string   `json:"area" doc:"number of the area; outside for what belongs to none"`
	Of      string   `json:"of,omitempty" doc:"where several networks that nothing joins have OSPF: a router of this one"`
	Routers []string `json:"routers" doc:"devices that hold it"`
	Same    bool     `json:"same" doc:"all of them hold the same instances"`
	LSAs    int      `json:"lsas"`
}

// DatabasePart is a part of an area's database, and which areas there are.
type DatabasePart struct {
	Areas  []AreaOf `json:"areas"`
	Shown  int      `json:"shown" doc:"place of the area among all whose LSAs these are"`
	Types  []string `json:"types" doc:"of the area's LSAs that were asked for, whatever their type"`
	LSAs   []LSA    `json:"lsas"`
	Offset int      `json:"offset" doc:"of the first of them, among those that were found"`
	Found  int      `json:"found" doc:"that are what was asked for"`
}

// Part is the part of the Database view that is asked for.
func (d Database) Part(ask DatabaseAsk) (DatabasePart, error) {
	out := DatabasePart{Areas: []AreaOf{}, Types: []string{}, LSAs: []LSA{}, Offset: ask.Offset}
	about, err := concerned(ask.To)
	if err != nil {
		return out, err
	}
	for i, a := range d.Areas {
		x := AreaOf{a.Area, a.Of, a.Routers, a.Same, len(a.LSAs)}
		if x.Area == "" {
			x.Area = outside
		}
		out.Areas = append(out.Areas, x)
		if x.Area == ask.Area && x.Of == ask.Of {
			out.Shown = i
		}
	}
	if len(d.Areas) == 0 {
		return out, nil
	}
	find := strings.ToLower(ask.Find)
	for _, l := range d.Areas[out.Shown].LSAs {
		text := strings.ToLower(l.Type + " " + l.ID + " " + l.Router + " " + l.Device + " " + l.Says)
		if ask.Device != "" && l.Device != ask.Device || !slices.ContainsFunc(l.Prefixes, about) && ask.To != "" || !strings.Contains(text, find) {
			continue
		}
		if !slices.Contains(out.Types, l.Type) {
			out.Types = append(out.Types, l.Type)
		}
		if ask.Type != "" && l.Type != ask.Type {
			continue
		}
		if out.Found >= ask.Offset && (ask.Limit == 0 || len(out.LSAs) < ask.Limit) {
			out.LSAs = append(out.LSAs, l)
		}
		out.Found++
	}
	return out, nil
}

// concerned says which prefixes have to do with a prefix or an address: they contain it, or are in it.
func concerned(to string) (func(prefix string) bool, error) {
	if to == "" {
		return func(string) bool { return true }, nil
	}
	p, err := netip.ParsePrefix(to)
	if err != nil {
		a, err := netip.ParseAddr(to)
		if err != nil {
			return nil, phrase.Errorf("%q is neither a prefix nor an address", to)
		}
		p = netip.PrefixFrom(a, a.BitLen())
	}
	return func(prefix string) bool {
		o, err := netip.ParsePrefix(prefix)
		return err == nil && o.Overlaps(p)
	}, nil
}
