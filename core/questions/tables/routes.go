package tables

import (
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
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
	out.Blackhole = set == route.Blackhole
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

// RouteRow is a prefix across all routers.
type RouteRow struct {
	Prefix string          `json:"prefix"`
	Owner  string          `json:"owner,omitempty" doc:"a port whose network it is"`
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
	var routers []*device.Instance
	for _, inst := range facts.AllInstances(w) {
		if inst.Device().Kind() == config.Router {
			routers = append(routers, inst)
			out.Devices = append(out.Devices, inst.Ref())
		}
	}
	owners := map[uint32]string{}
	var ids []uint32
	for _, inst := range routers {
		ids = append(ids, inst.Prefixes()...)
		d := inst.Device()
		for i := range d.Ports() {
			p := &d.Ports()[i]
			if id, ok := w.Shared().Prefixes.Find(ip.PrefixFrom(p.Config.Address)); ok &&
				p.Config.Address.IsValid() && owners[id] == "" {
				owners[id] = facts.PortName(d, uint32(i))
			}
		}
	}
	slices.SortFunc(ids, func(a, b uint32) int {
		return w.Shared().Prefixes.Prefix(a).Compare(w.Shared().Prefixes.Prefix(b))
	})
	for _, id := range slices.Compact(ids) {
		row := RouteRow{Prefix: w.Shared().Prefixes.Prefix(id).String(), Owner: owners[id], Cells: map[string]Cell{}}
		used := false
		for _, inst := range routers {
			if s, ok := inst.Table().Best(id); ok {
				used = true
				r := routeOf(w, inst, id, s, inst.Table().Route(s, id))
				row.Cells[inst.Ref()] = Cell{r.Source, r.Kind, r.Origin, r.Metric, r.Metric2, r.Tag, r.Preference, r.Blackhole,
					r.NextHops}
			}
		}
		if used {
			out.Rows = append(out.Rows, row)
		}
	}
	return out
}
