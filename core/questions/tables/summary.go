package tables

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/network"
)

// BitRow is a prefix written in bits.
type BitRow struct {
	Prefix string `json:"prefix"`
	Bits   string `json:"bits" doc:"32 characters, 0 or 1"`
	Length uint8  `json:"length" doc:"of the prefix: bits beyond are not its own"`
}

// Covered is a prefix that a summary would cover although it was not chosen.
type Covered struct {
	Prefix string `json:"prefix"`
	Where  string `json:"where" doc:"the area, or the router that has it"`
}

// Summary is a prefix that summarises several.
type Summary struct {
	Prefix string    `json:"prefix" doc:"the smallest that covers all"`
	Common uint8     `json:"common" doc:"leading bits that all share"`
	Rows   []BitRow  `json:"rows"`
	Also   []Covered `json:"also" doc:"networks of the lab that it covers too, and that were not chosen"`
	Gaps   []string  `json:"gaps" doc:"what it covers and nobody has, as prefixes; at most 32"`
	Free   float64   `json:"free" doc:"share of its addresses that nobody has, 0 to 1"`
	Lines  []string  `json:"lines" doc:"to paste, block by block"`
	On     []string  `json:"on" doc:"the routers that need them"`
	Has    []string  `json:"has" doc:"those of them that have it, or one that covers it, already"`
	Says   string    `json:"says"`
	// Fixes put the summary where it is missing.
	Fixes []facts.Fix `json:"fixes,omitempty"`
}

// SummaryOf is the smallest prefix that covers the chosen ones, or the networks
// of an area if none is chosen.
func SummaryOf(w *network.World, chosen []string, area string) (Summary, error) {
	out := Summary{Rows: []BitRow{}, Also: []Covered{}, Gaps: []string{}, Lines: []string{}, On: []string{}, Has: []string{}}
	where := networksOf(w)
	var list []ip.Prefix
	for _, s := range chosen {
		p, err := netip.ParsePrefix(s)
		if err != nil || !p.Addr().Is4() {
			return out, phrase.Errorf("%q is not a prefix; write for example 10.1.0.0/24", s)
		}
		list = append(list, ip.PrefixFrom(p))
	}
	if len(list) == 0 && area != "" {
		for p, at := range where {
			if at.kind == inArea && at.name == area {
				list = append(list, p)
			}
		}
		if len(list) == 0 {
			return out, phrase.Errorf("no network of the lab is in area %s", area)
		}
	}
	if len(list) == 0 {
		return out, phrase.Error("choose prefixes, or an area")
	}
	slices.SortFunc(list, ip.Prefix.Compare)
	list = slices.Compact(list)
	sum := covering(list)
	out.Prefix, out.Common = sum.String(), sum.Len
	for _, p := range list {
		out.Rows = append(out.Rows, BitRow{p.String(), fmt.Sprintf("%032b", uint32(p.Addr.Quad())), p.Len})
	}
	taken := slices.Clone(list)
	var also []ip.Prefix
	for p := range where {
		if sum.Covers(p) && !slices.ContainsFunc(list, func(q ip.Prefix) bool { return q.Covers(p) }) {
			also = append(also, p)
		}
	}
	slices.SortFunc(also, ip.Prefix.Compare)
	for _, p := range also {
		out.Also = append(out.Also, Covered{p.String(), where[p].String()})
	}
	taken = append(taken, also...)
	gaps, free := unused(sum, taken)
	for _, p := range gaps[:min(len(gaps), 32)] {
		out.Gaps = append(out.Gaps, p.String())
	}
	out.Free = float64(free) / float64(uint64(1)<<(32-sum.Len))
	out.toPaste(w, sum, list, where)
	return out, nil
}

// location is where a network of the lab comes from.
type location struct {
	kind locationKind
	name string // the area, or the router
}

type locationKind uint8

const (
	nowhere locationKind = iota
	inArea
	injectedBy
	connectedOn
	staticOn
)

func (l location) String() string {
	switch l.kind {
	case inArea:
		return phrase.Say("area %s", l.name)
	case injectedBy:
		return phrase.Say("injected by %s", l.name)
	case connectedOn:
		return phrase.Say("connected on %s", l.name)
	case staticOn:
		return phrase.Say("static on %s", l.name)
	}
	return phrase.Text("nowhere in the lab")
}

// networksOf are the networks of the lab, and where each comes from.
func networksOf(w *network.World) map[ip.Prefix]location {
	out := map[ip.Prefix]location{}
	for _, d := range w.Devices() {
		if d.Gone() || d.Kind() == config.Host {
			continue
		}
		for i := range d.Ports() {
			p := &d.Ports()[i]
			if p.Gone || !p.Config.Address.IsValid() {
				continue
			}
			x := ip.PrefixFrom(p.Config.Address)
			if p.Config.OSPF.On {
				if p.Config.Loopback && !p.Config.OSPF.OwnMask {
					x = ip.MakePrefix(p.Address(), 32)
				}
				out[x] = location{inArea, labtext.FormatArea(p.Config.OSPF.Area)}
			} else if _, known := out[x]; !known {
				out[x] = location{connectedOn, d.Name()}
			}
		}
	}
	for _, d := range w.Devices() {
		for _, s := range d.Config().Statics {
			x := ip.PrefixFrom(s.Prefix)
			if _, known := out[x]; !known && x.Len > 0 && !d.Gone() {
				out[x] = location{staticOn, d.Name()}
			}
		}
	}
	// Whoever injects a network is where it comes from, for OSPF.
	for _, d := range w.Devices() {
		for _, i := range d.Config().OSPF.Injects {
			inject := func(x ip.Prefix) {
				if !d.Gone() && x.Len > 0 && out[x].kind != inArea &&
					(i.Through == "" || config.Matches(i.Set, x.Netip())) {
					out[x] = location{injectedBy, d.Name()}
				}
			}
			switch i.Source {
			case route.Static.String():
				for _, s := range d.Config().Statics {
					inject(ip.PrefixFrom(s.Prefix))
				}
			case route.Connected.String():
				for _, p := range d.Config().Ports {
					if p.Address.IsValid() {
						inject(ip.PrefixFrom(p.Address))
					}
				}
			}
		}
	}
	return out
}

// covering is the smallest prefix that covers all of a list.
func covering(list []ip.Prefix) ip.Prefix {
	sum := list[0]
	for _, p := range list[1:] {
		sum = sum.Join(p)
	}
	return sum
}

// unused cuts what a prefix covers and no other of a list does into prefixes, and
// counts its addresses.
func unused(p ip.Prefix, taken []ip.Prefix) (gaps []ip.Prefix, addresses uint64) {
	within := slices.DeleteFunc(slices.Clone(taken), func(q ip.Prefix) bool { return !p.Covers(q) && !q.Covers(p) })
	switch {
	case len(within) == 0:
		return []ip.Prefix{p}, uint64(1) << (32 - p.Len)
	case slices.ContainsFunc(within, func(q ip.Prefix) bool { return q.Covers(p) }):
		return nil, 0
	}
	low, high := p.Halves()
	for _, half := range []ip.Prefix{low, high} {
		g, n := unused(half, within)
		gaps, addresses = append(gaps, g...), addresses+n
	}
	return gaps, addresses
}

// toPaste writes the statement for the summary: a range on the border routers of
// the area that all chosen networks are in, or a summary on the router that
// injects them.
func (s *Summary) toPaste(w *network.World, sum ip.Prefix, list []ip.Prefix, where map[ip.Prefix]location) {
	places := map[location]bool{}
	for _, p := range list {
		places[where[p]] = true
	}
	if len(places) != 1 {
		var names []string
		for at := range places {
			names = append(names, at.String())
		}
		slices.Sort(names)
		s.Says = phrase.Say("the chosen networks are not in one place (%s): no one statement joins them", strings.Join(names,
			", "))
		return
	}
	var at location
	for at = range places {
	}
	area := at.name
	switch at.kind {
	case inArea:
	case nowhere, connectedOn, staticOn:
		s.Says = phrase.Say("the chosen networks are %s and are not announced by OSPF", at)
		return
	case injectedBy:
		s.Lines = []string{"  ospf", "    summary " + sum.String()}
		s.On = []string{at.name}
		s.Says = phrase.Text("on the router that injects them")
		s.missing(w, func(o *config.OSPF) bool {
			return slices.ContainsFunc(o.Summaries, func(x config.Summary) bool { return ip.PrefixFrom(x.Prefix).Covers(sum) })
		}, "ospf summary "+sum.String())
		return
	}
	s.Lines = []string{"  ospf", "    area " + area, "      range " + sum.String()}
	for _, inst := range facts.AllInstances(w) {
		if !inst.OSPF().AreaBorder() {
			continue
		}
		for _, id := range inst.OSPF().Areas() {
			if labtext.FormatArea(id) == area {
				s.On = append(s.On, inst.Ref())
			}
		}
	}
	s.Says = phrase.Say("on every border router of area %s", area)
	if len(s.On) == 0 {
		s.Says = phrase.Say("area %s has no border router: nobody advertises it into other areas", area)
	}
	s.missing(w, func(o *config.OSPF) bool {
		return slices.ContainsFunc(o.Areas, func(a config.Area) bool {
			return labtext.FormatArea(a.ID) == area &&
				slices.ContainsFunc(a.Ranges, func(x config.Range) bool { return ip.PrefixFrom(x.Prefix).Covers(sum) })
		})
	}, "ospf area "+area+" range "+sum.String())
}

// missing distinguishes the routers that have the summary from those that lack it, and
// has an edit for each of these.
func (s *Summary) missing(w *network.World, has func(*config.OSPF) bool, statement string) {
	var edits []string
	for _, name := range s.On {
		if inst, err := facts.InstanceNamed(w, name); err == nil && has(&inst.Config().OSPF) {
			s.Has = append(s.Has, name)
			continue
		}
		edits = append(edits, name+" "+statement)
	}
	if edits != nil {
		s.Fixes = []facts.Fix{{Edits: edits}}
	}
}
