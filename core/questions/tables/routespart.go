package tables

import (
	"cmp"
	"encoding/csv"
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// RoutesAsk is which part of the Routes view is asked for. The zero value asks for the first rows and columns of all.
type RoutesAsk struct {
	To     string // prefixes that contain this prefix or address, or are in it; "" for all
	Exact  bool   // this prefix only
	Source string // prefixes for which some column uses a route of this source; "" for any

	Device   string // columns of this router and its instances; "" for all
	Instance string // this column only
	Area     string // columns with a port in this OSPF area
	AS       uint32 // columns of this AS
	Role     string // a word of Roles

	// Grouped makes one row of prefixes for which all columns use equal routes; Of shows each of those that share this
	// prefix's row.
	Grouped bool
	Of      string

	Offset, Limit   int // of rows
	Column, Columns int // of columns: which have cells
}

// Roles are the roles by which columns are chosen.
var Roles = []string{"area-border", "as-boundary", "reflector"}

// Bounds of one part.
const (
	MaxRows  = 200
	MaxCells = 5000 // rows times columns: some 700 kB
)

// RoutesPart is a part of the Routes view.
type RoutesPart struct {
	Devices  []string       `json:"devices" doc:"the columns that were chosen, all of them: routers, and instances beside main: junction/ferry"`
	Prefixes int            `json:"prefixes" doc:"how many match"`
	Total    int            `json:"total" doc:"how many rows they make"`
	Routes   int            `json:"routes" doc:"routes that the columns use for them"`
	Sources  map[string]int `json:"sources" doc:"those routes by their source"`
	Offset   int            `json:"offset" doc:"the number of the first row here, from 0"`
	Column   int            `json:"column" doc:"the number of the first column with cells here, from 0"`
	Rows     []RouteRow     `json:"rows"`
}

// RoutesPartOf makes a part of the Routes view. Hosts are left out: they have a gateway.
func RoutesPartOf(w *network.World, ask RoutesAsk) (RoutesPart, error) {
	out := RoutesPart{Devices: []string{}, Sources: map[string]int{}, Rows: []RouteRow{}}
	columns := columnsOf(w, ask)
	for _, inst := range columns {
		out.Devices = append(out.Devices, inst.Ref())
	}
	ids, counts, err := rowsOf(w, columns, ask)
	if err != nil {
		return out, err
	}
	for s, n := range counts {
		if n > 0 {
			out.Sources[route.Source(s).String()] = n
			out.Routes += n
		}
	}
	out.Prefixes = len(ids)
	same := map[uint32]int{}
	if ask.Grouped || ask.Of != "" {
		ids, same, err = alike(w, columns, ids, ask.Of)
		if err != nil {
			return out, err
		}
	}
	out.Total = len(ids)
	out.Column = min(max(0, ask.Column), len(columns))
	shown := columns[out.Column:]
	if ask.Columns > 0 {
		shown = shown[:min(len(shown), ask.Columns)]
	}
	shown = shown[:min(len(shown), MaxCells)]
	limit := min(MaxRows, MaxCells/max(1, len(shown)))
	if ask.Limit > 0 {
		limit = min(limit, ask.Limit)
	}
	out.Offset = min(max(0, ask.Offset), len(ids))
	ids = ids[out.Offset:]
	ids = ids[:min(len(ids), limit)]
	owners := ownersOf(w)
	for _, id := range ids {
		row := RouteRow{Prefix: w.Shared().Prefixes.Prefix(id).String(), Owner: owners[id], Same: same[id], Cells: map[string]Cell{}}
		for _, inst := range shown {
			if s, ok := inst.Table().Best(id); ok {
				row.Cells[inst.Ref()] = cellOf(w, inst, id, s)
			}
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// RoutesCSV writes the routes that are asked for as comma-separated values (RFC 4180), one a line: all rows and columns.
func RoutesCSV(out io.Writer, w *network.World, ask RoutesAsk) error {
	columns := columnsOf(w, ask)
	ids, _, err := rowsOf(w, columns, ask)
	if err != nil {
		return err
	}
	c := csv.NewWriter(out)
	c.UseCRLF = true
	if err := c.Write([]string{"prefix", "router", "source", "kind", "cost", "cost 2", "tag", "preference", "next hops"}); err != nil {
		return err
	}
	for _, id := range ids {
		for _, inst := range columns {
			s, ok := inst.Table().Best(id)
			if !ok {
				continue
			}
			r := routeOf(w, inst, id, s, inst.Table().Route(s, id))
			var hops []string
			for _, h := range r.NextHops {
				hops = append(hops, strings.TrimSpace(h.Via+" "+h.Port))
			}
			if r.Blackhole {
				hops = []string{"blackhole"}
			}
			if r.Beyond {
				hops = []string{phrase.Text("beyond the lab")}
			}
			if err := c.Write([]string{r.Prefix, inst.Ref(), cmp.Or(r.Origin, r.Source), r.Kind, fmt.Sprint(r.Metric), fmt.Sprint(r.Metric2),
				fmt.Sprint(r.Tag), fmt.Sprint(r.Preference), strings.Join(hops, "; ")}); err != nil {
				return err
			}
		}
	}
	c.Flush()
	return c.Error()
}

// rowsOf are the prefixes that are asked for, in their order, and how many routes the columns use for those that match, by
// source.
func rowsOf(w *network.World, columns []*device.Instance, ask RoutesAsk) (ids []uint32, counts [route.Sources]int, err error) {
	wanted, err := matching(w, ask)
	if err != nil {
		return nil, counts, err
	}
	dict := &w.Shared().Prefixes
	used := make([]bool, dict.Len())
	for _, inst := range columns {
		t := inst.Table()
		t.EachUsed(func(id uint32) {
			if !wanted(id) {
				return
			}
			s, _ := t.Best(id)
			counts[s]++
			if ask.Source == "" || s.String() == ask.Source {
				used[id] = true
			}
		})
	}
	for id := range dict.Len() {
		if used[id] {
			ids = append(ids, id)
		}
	}
	slices.SortFunc(ids, func(a, b uint32) int { return dict.Prefix(a).Compare(dict.Prefix(b)) })
	return ids, counts, nil
}

// cellOf is what a router uses for a prefix.
func cellOf(w *network.World, inst *device.Instance, id uint32, s route.Source) Cell {
	r := routeOf(w, inst, id, s, inst.Table().Route(s, id))
	return Cell{r.Source, r.Kind, r.Origin, r.Metric, r.Metric2, r.Tag, r.Preference, r.Blackhole, r.Beyond, r.NextHops}
}

// matching says which prefixes are asked for, by their numbers.
func matching(w *network.World, ask RoutesAsk) (func(id uint32) bool, error) {
	dict := &w.Shared().Prefixes
	if ask.To == "" {
		return func(uint32) bool { return true }, nil
	}
	to, err := netip.ParsePrefix(ask.To)
	if err != nil {
		a, err := netip.ParseAddr(ask.To)
		if err != nil {
			return nil, phrase.Errorf("%q is neither a prefix nor an address", ask.To)
		}
		to = netip.PrefixFrom(a, a.BitLen())
	}
	p := ip.PrefixFrom(to.Masked())
	if ask.Exact {
		return func(id uint32) bool { return dict.Prefix(id) == p }, nil
	}
	return func(id uint32) bool {
		o := dict.Prefix(id)
		return o.Contains(p.Addr) && o.Len <= p.Len || p.Contains(o.Addr) && p.Len <= o.Len
	}, nil
}

// columnsOf are the routers that are asked for, in the order of the text.
func columnsOf(w *network.World, ask RoutesAsk) (out []*device.Instance) {
	for _, inst := range facts.AllInstances(w) {
		ref := inst.Ref()
		switch {
		case inst.Device().Kind() != config.Router,
			ask.Instance != "" && ref != ask.Instance,
			ask.Device != "" && ref != ask.Device && !strings.HasPrefix(ref, ask.Device+"/"),
			ask.Area != "" && !runsIn(inst, ask.Area),
			ask.AS != 0 && (inst.Config().BGP.AS != ask.AS),
			ask.Role != "" && !hasRole(inst, ask.Role):
			continue
		}
		out = append(out, inst)
	}
	return out
}

func runsIn(inst *device.Instance, area string) bool {
	return slices.ContainsFunc(inst.OSPF().Areas(), func(a uint32) bool { return labtext.FormatArea(a) == area })
}

func hasRole(inst *device.Instance, role string) bool {
	switch role {
	case "area-border":
		return inst.OSPF().AreaBorder()
	case "as-boundary":
		return inst.OSPF().ASBoundary()
	}
	return slices.ContainsFunc(inst.Config().BGP.Peers, func(p config.Peer) bool { return p.Client })
}

// ownersOf are ports whose networks prefixes are, the first of each.
func ownersOf(w *network.World) map[uint32]string {
	owners := map[uint32]string{}
	for _, d := range w.Devices() {
		if d.Gone() || d.Kind() != config.Router {
			continue
		}
		for i := range d.Ports() {
			p := &d.Ports()[i]
			if !p.Config.Address.IsValid() {
				continue
			}
			if id, ok := w.Shared().Prefixes.Find(ip.PrefixFrom(p.Config.Address)); ok && owners[id] == "" {
				owners[id] = facts.PortName(d, uint32(i))
			}
		}
	}
	return owners
}

// alike keeps the first of the prefixes for which all columns use equal routes, and counts the others. If of is a prefix, it
// keeps all that are alike with that one.
func alike(w *network.World, columns []*device.Instance, ids []uint32, of string) ([]uint32, map[uint32]int, error) {
	key := func(id uint32) uint64 {
		var d store.Digest
		for n, inst := range columns {
			t := inst.Table()
			s, ok := t.Best(id)
			if !ok {
				continue
			}
			r := t.Route(s, id)
			if s == route.Taken {
				d.Bytes([]byte(inst.OriginName(s, id)))
			}
			d.Add(uint64(n), uint64(s), uint64(t.Set(r.Hop)), uint64(r.Metric), uint64(r.Metric2), uint64(r.Tag),
				uint64(r.Kind)<<8|uint64(r.Preference))
		}
		return uint64(d)
	}
	if of != "" {
		p, err := netip.ParsePrefix(of)
		if err != nil {
			return nil, nil, phrase.Errorf("%q is not a prefix", of)
		}
		one, known := w.Shared().Prefixes.Find(ip.PrefixFrom(p))
		if !known {
			return nil, nil, nil
		}
		k := key(one)
		return slices.DeleteFunc(ids, func(id uint32) bool { return key(id) != k }), nil, nil
	}
	var firsts []uint32
	same := map[uint32]int{}
	known := map[uint64]uint32{}
	for _, id := range ids {
		k := key(id)
		if first, ok := known[k]; ok {
			same[first]++
			continue
		}
		known[k] = id
		firsts = append(firsts, id)
	}
	return firsts, same, nil
}
