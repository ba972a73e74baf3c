package observe

import (
	"fmt"
	"net/netip"
	"slices"

	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/wire/ip"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// NextHop is one way on.
type NextHop struct {
	Via  string `json:"via,omitempty" doc:"address of the next router; absent if the destination is on the port itself"`
	Port string `json:"port"`
	To   string `json:"to,omitempty" doc:"the device that has the address"`
}

// Route is a route in use, or a candidate.
type Route struct {
	Prefix     string    `json:"prefix"`
	Source     string    `json:"source" enum:"connected,static,ospf,bgp"`
	Kind       string    `json:"kind,omitempty" doc:"the source's own kind: intra-area ..."`
	Preference uint8     `json:"preference"`
	Metric     uint32    `json:"metric" doc:"the cost that the source compares first"`
	Metric2    uint32    `json:"metric2"`
	Tag        uint32    `json:"tag"`
	Blackhole  bool      `json:"blackhole"`
	NextHops   []NextHop `json:"nextHops"`
}

func routeOf(w *network.World, d *device.Device, id uint32, s route.Source, r route.Route) Route {
	out := Route{Prefix: w.Shared().Prefixes.Prefix(id).String(), Source: s.String(), Preference: r.Preference,
		Metric: r.Metric, Metric2: r.Metric2, Tag: r.Tag}
	switch s {
	case route.OSPF:
		out.Kind = ospf.KindNames[r.Kind]
	case route.BGP:
		out.Kind = bgp.KindNames[r.Kind]
	}
	set := d.Table().Set(r.Hop)
	out.Blackhole = set == route.Blackhole
	out.NextHops = hopsOf(w, d, set)
	return out
}

func hopsOf(w *network.World, d *device.Device, set route.SetID) []NextHop {
	out := []NextHop{}
	for _, h := range w.Shared().Sets.Hops(set) {
		n := NextHop{Port: d.Ports()[h.Port].Config.Name}
		if h.Gateway != 0 {
			n.Via = h.Gateway.String()
			if o := gatewayOwner(w, d, h.Port, h.Gateway); o != nil {
				n.To = o.Name()
			}
		}
		out = append(out, n)
	}
	return out
}

// RoutesOf are the routes in use at a device, by prefix.
func RoutesOf(w *network.World, d *device.Device) []Route {
	out := []Route{}
	for _, id := range d.Prefixes() {
		if s, ok := d.Table().Best(id); ok {
			out = append(out, routeOf(w, d, id, s, d.Table().Route(s, id)))
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
	Source     string    `json:"source"`
	Kind       string    `json:"kind,omitempty"`
	Metric     uint32    `json:"metric"`
	Metric2    uint32    `json:"metric2" doc:"the cost of the path to the origin of an external route of type 2"`
	Tag        uint32    `json:"tag"`
	Preference uint8     `json:"preference"`
	Blackhole  bool      `json:"blackhole,omitempty"`
	NextHops   []NextHop `json:"nextHops"`
}

// Routes is the Routes view.
type Routes struct {
	Devices []string   `json:"devices"`
	Rows    []RouteRow `json:"rows"`
}

// RouteTable makes the Routes view. Hosts are left out: they have a gateway.
func RouteTable(w *network.World) Routes {
	out := Routes{Devices: []string{}, Rows: []RouteRow{}}
	var routers []*device.Device
	for _, d := range w.Devices() {
		if !d.Gone() && d.Kind() == config.Router {
			routers = append(routers, d)
			out.Devices = append(out.Devices, d.Name())
		}
	}
	owners := map[uint32]string{}
	var ids []uint32
	for _, d := range routers {
		ids = append(ids, d.Prefixes()...)
		for i := range d.Ports() {
			p := &d.Ports()[i]
			if id, ok := w.Shared().Prefixes.Find(ip.PrefixFrom(p.Config.Address)); ok && p.Config.Address.IsValid() && owners[id] == "" {
				owners[id] = ref(d, uint32(i))
			}
		}
	}
	slices.SortFunc(ids, func(a, b uint32) int {
		return w.Shared().Prefixes.Prefix(a).Compare(w.Shared().Prefixes.Prefix(b))
	})
	for _, id := range slices.Compact(ids) {
		row := RouteRow{Prefix: w.Shared().Prefixes.Prefix(id).String(), Owner: owners[id], Cells: map[string]Cell{}}
		used := false
		for _, d := range routers {
			if s, ok := d.Table().Best(id); ok {
				used = true
				r := routeOf(w, d, id, s, d.Table().Route(s, id))
				row.Cells[d.Name()] = Cell{r.Source, r.Kind, r.Metric, r.Metric2, r.Tag, r.Preference, r.Blackhole, r.NextHops}
			}
		}
		if used {
			out.Rows = append(out.Rows, row)
		}
	}
	return out
}

// Candidate is a route that could have been used, and what became of it.
type Candidate struct {
	Route
	Won     bool     `json:"won"`
	Why     string   `json:"why" doc:"why it won or lost, a sentence"`
	Code    string   `json:"code,omitempty"`
	CostSum []string `json:"costSum,omitempty" doc:"what the cost is made of"`
}

// RouteStory is how a router came to its route for a prefix.
type RouteStory struct {
	Device     string      `json:"device"`
	Prefix     string      `json:"prefix"`
	Answer     string      `json:"answer" doc:"a sentence"`
	Candidates []Candidate `json:"candidates"`
	Also       []string    `json:"also" doc:"what is worth knowing of an absent route"`
}

// Explain tells how a device came to its route for a prefix or an address.
func Explain(w *network.World, d *device.Device, to netip.Prefix) RouteStory {
	p := ip.PrefixFrom(to)
	out := RouteStory{Device: d.Name(), Prefix: p.String(), Candidates: []Candidate{}, Also: []string{}}
	shared := w.Shared()
	var winner *Candidate
	for _, c := range d.Table().Candidates(shared, p) {
		x := Candidate{Route: routeOf(w, d, c.Prefix, c.Source, c.Route), Won: c.Won, Code: c.Why.String()}
		prefix := shared.Prefixes.Prefix(c.Prefix)
		switch c.Why {
		case note.None:
			x.Code = ""
			x.Why = "it is the longest match"
		case note.LessSpecific:
			x.Why = fmt.Sprintf("a longer prefix matches: /%d, not /%d", c.Theirs, c.Mine)
		case note.WorsePreference:
			x.Why = fmt.Sprintf("another source is preferred: route preference %d, not %d", c.Theirs, c.Mine)
		case note.HopUnresolved:
			x.Why = unresolvedWhy(d, c)
		}
		if c.Source == route.OSPF {
			x.CostSum = costSum(w, d, c.Prefix)
		}
		out.Candidates = append(out.Candidates, x)
		if c.Won {
			winner = &out.Candidates[len(out.Candidates)-1]
		}
		if c.Source == route.OSPF && c.Route.Kind == ospf.IntraArea {
			out.Candidates = append(out.Candidates, otherWays(w, d, c.Prefix, prefix, c.Route)...)
		}
		if c.Source == route.Static {
			out.Candidates = append(out.Candidates, otherStatics(d, c.Prefix, prefix, c.Route)...)
		}
	}
	// The winner stands first, the others behind it in order of their prefixes.
	slices.SortStableFunc(out.Candidates, func(a, b Candidate) int {
		switch {
		case a.Won == b.Won:
			return 0
		case a.Won:
			return -1
		}
		return 1
	})
	if winner != nil {
		winner = &out.Candidates[0]
	}
	if winner == nil {
		out.Answer = fmt.Sprintf("%s has no route to %v", d.Name(), p)
		out.Also = absence(w, d, p)
		return out
	}
	// A shorter prefix has to do for a network that there is: why?
	if _, there := networksOf(w)[p]; there && winner.Prefix != p.String() {
		out.Also = append(out.Also, kept(w, d, p)...)
	}
	reasons := []string{}
	sameLength := 0
	for _, c := range out.Candidates {
		if c.Prefix == winner.Prefix && c.Source != winner.Source {
			sameLength++
		}
	}
	if sameLength > 0 {
		reasons = append(reasons, fmt.Sprintf("%s is preferred (%d)", winner.Source, winner.Preference))
	}
	out.Answer = fmt.Sprintf("%s reaches %v %s", d.Name(), p, wayWords(winner))
	winner.Why = "longest match"
	for _, r := range reasons {
		winner.Why += ", " + r
	}
	switch {
	case winner.Kind == ospf.KindNames[ospf.Discard]:
		winner.Why += ", a range or summary of its own"
		out.Also = append(out.Also, dropped(w, d, ip.PrefixFrom(netip.MustParsePrefix(winner.Prefix)))...)
	case winner.Source == "ospf":
		winner.Why += ", least cost"
	}
	if winner.Source == route.BGP.String() {
		out.Also = append(out.Also, bgpSays(w, d, ip.PrefixFrom(netip.MustParsePrefix(winner.Prefix)))...)
	}
	return out
}

func wayWords(c *Candidate) string {
	switch {
	case c.Blackhole:
		return "not at all: a blackhole route drops what goes there"
	case len(c.NextHops) == 0:
		return "by nothing"
	case c.Source == "connected":
		return "directly on " + c.NextHops[0].Port
	}
	s := "by "
	for i, h := range c.NextHops {
		if i > 0 {
			s += " and "
		}
		if h.To != "" {
			s += h.To + ", "
		}
		s += h.Via + " on " + h.Port
	}
	return s + ", " + costWords(c)
}

// costWords says what a route costs, in full: of an external route of type 2
// both numbers.
func costWords(c *Candidate) string {
	if c.Source == route.BGP.String() {
		return "BGP, " + c.Kind
	}
	switch c.Kind {
	case "", ospf.KindNames[ospf.IntraArea]:
		return fmt.Sprintf("%s, cost %d", c.Source, c.Metric)
	case ospf.KindNames[ospf.External2]:
		return fmt.Sprintf("%s %s, metric %d outside and %d to get there", c.Source, c.Kind, c.Metric, c.Metric2)
	}
	return fmt.Sprintf("%s %s, cost %d", c.Source, c.Kind, c.Metric)
}

func unresolvedWhy(d *device.Device, c route.Candidate) string {
	for _, v := range d.Table().Vias(c.Route.Hop) {
		return fmt.Sprintf("its next hop %v cannot be resolved: no other route leads there", v)
	}
	return note.HopUnresolved.Info().Text
}

// costSum follows the route from router to router and writes down the cost of
// each port on the way; nil if they do not add up to the route's cost, as while
// the network is converging.
func costSum(w *network.World, d *device.Device, id uint32) []string {
	want, ok := d.OSPF().Cost(id)
	if !ok {
		return nil
	}
	var parts []string
	sum := uint32(0)
	for range 64 {
		s, ok := d.Table().Best(id)
		if !ok {
			return nil
		}
		hops := w.Shared().Sets.Hops(d.Table().Set(d.Table().Route(s, id).Hop))
		if len(hops) == 0 {
			return nil
		}
		v := d.OSPF().Port(hops[0].Port)
		cost := uint32(v.Cost)
		if v.Loopback {
			cost = 0
		}
		sum += cost
		parts = append(parts, fmt.Sprintf("%d %s", cost, ref(d, hops[0].Port)))
		if hops[0].Gateway == 0 {
			break
		}
		if d = gatewayOwner(w, d, hops[0].Port, hops[0].Gateway); d == nil {
			return nil
		}
	}
	if sum != want {
		return nil
	}
	return parts
}

// otherWays are the ways through other neighbours, that cost more.
func otherWays(w *network.World, d *device.Device, id uint32, p ip.Prefix, best route.Route) []Candidate {
	var out []Candidate
	used := w.Shared().Sets.Hops(d.Table().Set(best.Hop))
	for i := range d.Ports() {
		d.OSPF().Neighbours(uint32(i), func(n ospf.NeighbourView) {
			if n.State != ospf.Full || slices.Contains(used, route.Hop{Port: uint32(i), Gateway: n.Address}) {
				return
			}
			far := gatewayOwner(w, d, uint32(i), n.Address)
			if far == nil {
				return
			}
			rest, ok := costFrom(w, far, id)
			if !ok {
				return
			}
			own := uint32(d.OSPF().Port(uint32(i)).Cost)
			c := Candidate{Route: Route{Prefix: p.String(), Source: route.OSPF.String(), Kind: ospf.KindNames[best.Kind], Preference: best.Preference,
				Metric: own + rest, NextHops: []NextHop{{n.Address.String(), d.Ports()[i].Config.Name, far.Name()}}}}
			c.Code = note.HigherCost.String()
			c.Why = fmt.Sprintf("it costs more: %d, not %d", c.Metric, best.Metric)
			c.CostSum = []string{fmt.Sprintf("%d %s", own, ref(d, uint32(i))), fmt.Sprintf("%d from %s on", rest, far.Name())}
			out = append(out, c)
		})
	}
	slices.SortStableFunc(out, func(a, b Candidate) int { return int(a.Metric) - int(b.Metric) })
	return out
}

// costFrom is what a prefix costs from a router: by OSPF, or as its own network.
func costFrom(w *network.World, d *device.Device, id uint32) (uint32, bool) {
	if cost, ok := d.OSPF().Cost(id); ok {
		return cost, true
	}
	r := d.Table().Route(route.Connected, id)
	if !r.Present {
		return 0, false
	}
	for _, h := range w.Shared().Sets.Hops(d.Table().Set(r.Hop)) {
		if v := d.OSPF().Port(h.Port); v.On {
			if v.Loopback {
				return 0, true
			}
			return uint32(v.Cost), true
		}
	}
	return 0, false
}

// otherStatics are the static routes of a prefix behind the one in use.
func otherStatics(d *device.Device, id uint32, p ip.Prefix, best route.Route) []Candidate {
	var out []Candidate
	for _, s := range d.Table().Statics(id) {
		if s.Preference == best.Preference {
			continue
		}
		c := Candidate{Route: Route{Prefix: p.String(), Source: route.Static.String(), Preference: s.Preference, Blackhole: s.Via == 0, NextHops: []NextHop{}}}
		if s.Via != 0 {
			c.NextHops = []NextHop{{Via: s.Via.String()}}
		}
		c.Code = note.WorsePreference.String()
		c.Why = fmt.Sprintf("another static route is preferred: route preference %d, not %d", best.Preference, s.Preference)
		if s.Preference < best.Preference {
			c.Code = note.HopUnresolved.String()
			c.Why = "its next hop cannot be resolved"
		}
		out = append(out, c)
	}
	return out
}

// dropped says why a router drops what a range or summary of its own covers and is
// not there, and whose announcements of the same prefix it passes over for it.
func dropped(w *network.World, d *device.Device, p ip.Prefix) []string {
	out := []string{}
	for _, a := range d.Config().OSPF.Areas {
		for _, r := range a.Ranges {
			if ip.PrefixFrom(r.Prefix) == p {
				out = append(out, fmt.Sprintf("%s has the range %v of area %s, and reaches networks in it: what else it covers is dropped (RFC 2328 11.1)", d.Name(), p, labtext.FormatArea(a.ID)))
			}
		}
		for _, s := range a.Summaries {
			if ip.PrefixFrom(s.Prefix) == p {
				out = append(out, fmt.Sprintf("%s translates routes of area %s that its summary %v covers: what else it covers is dropped (RFC 3101 3.2)", d.Name(), labtext.FormatArea(a.ID), p))
			}
		}
	}
	for _, s := range d.Config().OSPF.Summaries {
		if ip.PrefixFrom(s.Prefix) == p {
			out = append(out, fmt.Sprintf("%s injects routes that its summary %v covers: what else it covers is dropped (RFC 3101 3.2)", d.Name(), p))
		}
	}
	byID := routerIDs(w)
	d.OSPF().Database(d, func(v ospf.LSAView) {
		k := v.Header.Key
		if k.Router == d.OSPF().RouterID() || v.Header.Age >= wire.MaxAge {
			return
		}
		var mask ip.Addr
		switch k.Type {
		case wire.SummaryLSA:
			mask = v.Body.Summary.Mask
		case wire.ExternalLSA:
			mask = v.Body.External.Mask
		default:
			return
		}
		if n, ok := ip.MaskLen(mask); !ok || ip.MakePrefix(k.ID, n) != p {
			return
		}
		name := k.Router.String()
		if o := byID[k.Router]; o != nil {
			name = o.Name()
		}
		if says := fmt.Sprintf("%s announces %v too: it is ignored while %s has the range or summary itself (RFC 2328 16.2 (3))", name, p, d.Name()); !slices.Contains(out, says) {
			out = append(out, says)
		}
	})
	return out
}

// absence says what is worth knowing when there is no route: who has the
// network, and whether anybody announces it.
func absence(w *network.World, d *device.Device, p ip.Prefix) []string {
	out := []string{}
	for _, o := range w.Devices() {
		if o.Gone() || o == d {
			continue
		}
		for i := range o.Ports() {
			port := &o.Ports()[i]
			if port.Gone || !port.Config.Address.IsValid() || !ip.PrefixFrom(port.Config.Address).Covers(p) || o.Kind() == config.Host {
				continue
			}
			name := ref(o, uint32(i))
			up, why := o.Up(uint32(i))
			switch {
			case !up:
				out = append(out, fmt.Sprintf("%s has the network, but the port is down: %s", name, why.Info().Text))
			case o.OSPF().Running() && !port.Config.OSPF.On:
				out = append(out, fmt.Sprintf("%s has the network and does not announce it: OSPF does not run on the port", name))
			case port.Config.OSPF.On && !o.OSPF().Running():
				out = append(out, fmt.Sprintf("%s has the network and does not announce it: OSPF does not run on %s", name, o.Name()))
			case !port.Config.OSPF.On:
				out = append(out, fmt.Sprintf("%s has the network, and no routing protocol on %s announces it", name, o.Name()))
			default:
				out = append(out, fmt.Sprintf("%s announces the network; it does not get as far as %s", name, d.Name()))
			}
		}
	}
	out = append(out, stopped(w, p)...)
	out = append(out, kept(w, d, p)...)
	out = append(out, bgpSays(w, d, p)...)
	if !d.OSPF().Running() && d.Config().BGP.AS == 0 {
		out = append(out, "OSPF does not run on "+d.Name())
	} else if d.OSPF().Running() {
		full := 0
		for i := range d.Ports() {
			d.OSPF().Neighbours(uint32(i), func(n ospf.NeighbourView) {
				if n.State == ospf.Full {
					full++
				}
			})
		}
		if full == 0 {
			out = append(out, d.Name()+" has no neighbour in state Full")
		} else {
			out = append(out, d.Name()+" has "+plural(full, "neighbour")+" in state Full")
		}
	}
	return out
}

// stopped says where the LSA that announces a prefix stopped: at adjacencies that
// are not up, with one end that holds it and one that does not.
func stopped(w *network.World, p ip.Prefix) []string {
	holds := map[string]bool{}
	for _, d := range w.Devices() {
		if d.Gone() {
			continue
		}
		d.OSPF().Database(d, func(v ospf.LSAView) {
			if announces(w, v.Body, p) {
				holds[d.Name()] = true
			}
		})
	}
	var out []string
	if len(holds) == 0 {
		return out
	}
	for _, n := range adjacencies(w) {
		have, lack := n.A, n.B
		if holds[lack.Device] {
			have, lack = lack, have
		}
		if n.Up || !holds[have.Device] || holds[lack.Device] || w.Find(lack.Device) == nil || w.Find(lack.Device).Kind() == config.Host {
			continue
		}
		why := ""
		if len(n.Reasons) > 0 {
			why = ": " + n.Reasons[0].Text
		}
		out = append(out, fmt.Sprintf("the LSA got as far as %s and not to %s, since their adjacency is %s%s", have.Device, lack.Device, n.State, why))
	}
	return out
}

// announces says whether an LSA is one for a prefix.
func announces(w *network.World, b *ospf.Body, p ip.Prefix) bool {
	for _, id := range b.Prefixes() {
		if w.Shared().Prefixes.Prefix(id) == p {
			return true
		}
	}
	return false
}

// kept says what keeps a prefix from a router although somebody announces it:
// ranges that hide it, and stub areas.
func kept(w *network.World, d *device.Device, p ip.Prefix) []string {
	out := []string{}
	stub, kind := "", ""
	for _, a := range d.OSPF().Areas() {
		if !isClosed(d, a) {
			stub = ""
			break
		}
		stub, kind = labtext.FormatArea(a), areaKind(d, a)
	}
	for _, o := range w.Devices() {
		if o.Gone() {
			continue
		}
		for _, a := range o.Config().OSPF.Areas {
			for _, r := range a.Ranges {
				switch {
				case !ip.PrefixFrom(r.Prefix).Covers(p):
				case r.Hidden:
					out = append(out, fmt.Sprintf("the range %v of area %s on %s hides it from other areas", r.Prefix, labtext.FormatArea(a.ID), o.Name()))
				case o != d && insideOf(w, o, p, a.ID):
					out = append(out, fmt.Sprintf("%s joins it into the range %v of area %s for other areas", o.Name(), r.Prefix, labtext.FormatArea(a.ID)))
				}
			}
			out = append(out, joined(a.Summaries, p, o)...)
			if a.Closed() && a.NoSummary && stub == labtext.FormatArea(a.ID) && o != d {
				out = append(out, fmt.Sprintf("area %s is a %s without summaries, says %s: it takes no routes of other areas", stub, kind, o.Name()))
			}
		}
		out = append(out, joined(o.Config().OSPF.Summaries, p, o)...)
		if stub == "" || o == d {
			continue
		}
		o.OSPF().Database(o, func(v ospf.LSAView) {
			if v.AS && v.Header.Key.Router == o.OSPF().RouterID() && ip.MakePrefix(v.Header.Key.ID, maskLen(v.Body.External.Mask)) == p {
				out = append(out, fmt.Sprintf("%s announces it from outside, and area %s is a %s: it takes no external routes of other areas", o.Name(), stub, kind))
			}
		})
	}
	return out
}

// insideOf says whether a router has a prefix inside an area.
func insideOf(w *network.World, d *device.Device, p ip.Prefix, area uint32) bool {
	id, ok := w.Shared().Prefixes.Find(p)
	if !ok {
		return false
	}
	r := d.OSPF().Route(id)
	return r.Kind == ospf.IntraArea && r.Area == area
}

// joined says which summaries of external routes a prefix disappears in.
func joined(list []config.Summary, p ip.Prefix, on *device.Device) []string {
	var out []string
	for _, s := range list {
		if x := ip.PrefixFrom(s.Prefix); !x.Covers(p) || x == p {
			continue
		}
		if s.Hidden {
			out = append(out, fmt.Sprintf("the summary %v on %s hides it", s.Prefix, on.Name()))
		} else {
			out = append(out, fmt.Sprintf("%s joins it into the summary %v", on.Name(), s.Prefix))
		}
	}
	return out
}

func maskLen(m ip.Addr) uint8 { n, _ := ip.MaskLen(m); return n }
