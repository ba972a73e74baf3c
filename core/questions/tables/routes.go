package tables

import (
	"slices"

	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Route is a route in use, or a candidate.
type Route struct {
	Prefix     string          `json:"prefix"`
	Source     string          `json:"source" enum:"connected,static,ospf,bgp,taken"`
	Kind       string          `json:"kind,omitempty" doc:"the source's own kind: intra-area ..."`
	Origin     string          `json:"origin,omitempty" doc:"of a taken route: the instance in which it began"`
	Preference uint8           `json:"preference"`
	Metric     uint32          `json:"metric" doc:"the cost that the source compares first"`
	Metric2    uint32          `json:"metric2"`
	Tag        uint32          `json:"tag"`
	Blackhole  bool            `json:"blackhole"`
	Beyond     bool            `json:"beyond,omitempty" doc:"what goes there leaves the lab: a prefix of a feed"`
	NextHops   []facts.NextHop `json:"nextHops"`
}

func routeOf(w *network.World, inst *device.Instance, id uint32, s route.Source, r route.Route) Route {
	d := inst.Device()
	out := Route{Prefix: w.Shared().Prefixes.Prefix(id).String(), Source: s.String(), Preference: r.Preference,
		Metric: r.Metric, Metric2: r.Metric2, Tag: r.Tag}
	switch s {
	case route.OSPF:
		out.Kind = ospf.KindNames[r.Kind]
	case route.BGP:
		out.Kind = bgp.KindNames[r.Kind]
	case route.Taken:
		out.Origin = inst.OriginName(s, id)
	}
	set := inst.Table().Set(r.Hop)
	out.Blackhole, out.Beyond = set == route.Blackhole, set == route.Beyond
	out.NextHops = facts.HopsOf(w, d, set)
	return out
}

// RoutesOf are the routes in use at a device, by prefix.
func RoutesOf(w *network.World, inst *device.Instance) []Route {
	out := []Route{}
	for _, id := range inst.Prefixes() {
		if s, ok := inst.Table().Best(id); ok {
			out = append(out, routeOf(w, inst, id, s, inst.Table().Route(s, id)))
		}
	}
	return out
}

// CountRoutes is how many routes in use a device has of each source, by its word.
func CountRoutes(inst *device.Instance) map[string]int {
	out := map[string]int{}
	t := inst.Table()
	t.EachUsed(func(prefix uint32) {
		if s, ok := t.Best(prefix); ok {
			out[s.String()]++
		}
	})
	return out
}

// RouteRow is a prefix across all routers.
type RouteRow struct {
	Prefix string          `json:"prefix"`
	Owner  string          `json:"owner,omitempty" doc:"a port whose network it is"`
	Same   int             `json:"same,omitempty" doc:"how many more prefixes all columns treat alike"`
	Cells  map[string]Cell `json:"cells" doc:"by device; absent where there is no route"`
}

// Cell is a router's route for a prefix.
type Cell struct {
	Source     string          `json:"source"`
	Kind       string          `json:"kind,omitempty"`
	Origin     string          `json:"origin,omitempty" doc:"of a taken route: the instance in which it began"`
	Metric     uint32          `json:"metric"`
	Metric2    uint32          `json:"metric2" doc:"the cost of the path to the origin of an external route of type 2"`
	Tag        uint32          `json:"tag"`
	Preference uint8           `json:"preference"`
	Blackhole  bool            `json:"blackhole,omitempty"`
	Beyond     bool            `json:"beyond,omitempty" doc:"what goes there leaves the lab: a prefix of a feed"`
	NextHops   []facts.NextHop `json:"nextHops"`
}

// Routes is the Routes view: a column for each router, and for each of its instances.
type Routes struct {
	Devices []string   `json:"devices" doc:"routers, and instances beside main: junction/ferry"`
	Rows    []RouteRow `json:"rows"`
}

// RouteTable makes the Routes view. Hosts are left out: they have a gateway.
func RouteTable(w *network.World) Routes {
	out := Routes{Devices: []string{}, Rows: []RouteRow{}}
	routers := columnsOf(w, RoutesAsk{})
	dict := &w.Shared().Prefixes
	used := make([]bool, dict.Len())
	for _, inst := range routers {
		out.Devices = append(out.Devices, inst.Ref())
		inst.Table().EachUsed(func(id uint32) { used[id] = true })
	}
	var ids []uint32
	for id := range dict.Len() {
		if used[id] {
			ids = append(ids, id)
		}
	}
	slices.SortFunc(ids, func(a, b uint32) int { return dict.Prefix(a).Compare(dict.Prefix(b)) })
	owners := ownersOf(w)
	for _, id := range ids {
		row := RouteRow{Prefix: dict.Prefix(id).String(), Owner: owners[id], Cells: map[string]Cell{}}
		for _, inst := range routers {
			if s, ok := inst.Table().Best(id); ok {
				row.Cells[inst.Ref()] = cellOf(w, inst, id, s)
			}
		}
		out.Rows = append(out.Rows, row)
	}
	return out
}
