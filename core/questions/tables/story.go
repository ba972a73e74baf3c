package tables

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/fixes"
	"hellebore/core/questions/paths"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

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
	Fixes      []facts.Fix `json:"fixes,omitempty" doc:"ways to bring the router a route, if it has none"`
}

// Explain says how a device came to its route for a prefix or an address.
func Explain(w *network.World, inst *device.Instance, to netip.Prefix) RouteStory {
	p := ip.PrefixFrom(to)
	out := RouteStory{Device: inst.Ref(), Prefix: p.String(), Candidates: []Candidate{}, Also: []string{}}
	shared := w.Shared()
	var winner *Candidate
	for _, c := range inst.Table().Candidates(shared, p) {
		x := Candidate{Route: routeOf(w, inst, c.Prefix, c.Source, c.Route), Won: c.Won, Code: c.Why.String()}
		prefix := shared.Prefixes.Prefix(c.Prefix)
		switch c.Why {
		case note.None:
			x.Code = ""
			x.Why = phrase.Text("it is the longest match")
		case note.LessSpecific:
			x.Why = phrase.Say("a longer prefix matches: /%d, not /%d", c.Theirs, c.Mine)
		case note.WorsePreference:
			x.Why = phrase.Say("another source is preferred: route preference %d, not %d", c.Theirs, c.Mine)
		case note.HopUnresolved:
			x.Why = unresolvedWhy(inst, c)
		}
		if c.Source == route.OSPF {
			x.CostSum = costSum(w, inst, c.Prefix)
		}
		out.Candidates = append(out.Candidates, x)
		if c.Won {
			winner = &out.Candidates[len(out.Candidates)-1]
		}
		if c.Source == route.OSPF && c.Route.Kind == ospf.IntraArea {
			out.Candidates = append(out.Candidates, otherPaths(w, inst, c.Prefix, prefix, c.Route)...)
		}
		if c.Source == route.Static {
			out.Candidates = append(out.Candidates, otherStatics(inst, c.Prefix, prefix, c.Route)...)
		}
	}
	// The winner is first, the others behind it in order of their prefixes.
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
		out.Answer = phrase.Say("%s has no route to %v", inst.Ref(), p)
		out.Also = absence(w, inst, p)
		if to, ok := addressIn(w, p); ok {
			out.Fixes = fixes.RouteTo(w, inst, to)
		}
		return out
	}
	// A shorter prefix has to do for a network that there is: why?
	if _, there := networksOf(w)[p]; there && winner.Prefix != p.String() {
		out.Also = append(out.Also, kept(w, inst, p)...)
	}
	reasons := []string{}
	sameLength := 0
	for _, c := range out.Candidates {
		if c.Prefix == winner.Prefix && c.Source != winner.Source {
			sameLength++
		}
	}
	if sameLength > 0 {
		reasons = append(reasons, phrase.Say("%s is preferred (%d)", winner.Source, winner.Preference))
	}
	out.Answer = phrase.Say("%s reaches %v %s", inst.Ref(), p, wayWords(winner))
	winner.Why = phrase.Text("longest match")
	for _, r := range reasons {
		winner.Why += ", " + r
	}
	switch {
	case winner.Kind == ospf.KindNames[ospf.Discard]:
		winner.Why += phrase.Text(", a range or summary of its own")
		out.Also = append(out.Also, dropped(w, inst, ip.PrefixFrom(netip.MustParsePrefix(winner.Prefix)))...)
	case winner.Source == "ospf":
		winner.Why += phrase.Text(", least cost")
	}
	if winner.Source == route.Taken.String() {
		out.Also = append(out.Also, takenSays(inst, shared, ip.PrefixFrom(netip.MustParsePrefix(winner.Prefix)))...)
	}
	if winner.Source == route.BGP.String() {
		out.Also = append(out.Also, paths.BGPSays(w, inst, ip.PrefixFrom(netip.MustParsePrefix(winner.Prefix)))...)
	}
	return out
}

func wayWords(c *Candidate) string {
	switch {
	case c.Blackhole:
		return phrase.Text("not at all: a blackhole route drops what goes there")
	case c.Beyond:
		return phrase.Text("beyond the lab: the router answers for the prefixes of its feeds")
	case len(c.NextHops) == 0:
		return phrase.Text("by nothing")
	case c.Source == "connected":
		return phrase.Say("directly on %s", c.NextHops[0].Port)
	}
	var s strings.Builder
	s.WriteString(phrase.Text("by "))
	for i, h := range c.NextHops {
		if i > 0 {
			s.WriteString(phrase.Text(" and "))
		}
		if h.To != "" {
			s.WriteString(h.To + ", ")
		}
		s.WriteString(phrase.Say("%s on %s", h.Via, h.Port))
	}
	return s.String() + ", " + costWords(c)
}

// costWords says what a route costs, in full: of an external route of type 2
// both numbers.
func costWords(c *Candidate) string {
	switch c.Source {
	case route.BGP.String():
		return "BGP, " + c.Kind
	case route.Taken.String():
		return phrase.Say("taken from %s, cost %d", c.Origin, c.Metric)
	}
	switch c.Kind {
	case "", ospf.KindNames[ospf.IntraArea]:
		return phrase.Say("%s, cost %d", c.Source, c.Metric)
	case ospf.KindNames[ospf.External2]:
		return phrase.Say("%s %s, metric %d outside and %d to get there", c.Source, c.Kind, c.Metric, c.Metric2)
	}
	return phrase.Say("%s %s, cost %d", c.Source, c.Kind, c.Metric)
}

// takenSays says where a taken route began, and which policies let it cross.
func takenSays(inst *device.Instance, shared *route.Shared, p ip.Prefix) []string {
	var out []string
	id, _ := shared.Prefixes.Find(p)
	for at := inst; at.Taken(id).There; {
		from := &at.Device().Instances()[at.Taken(id).From]
		var trace policy.Trace
		at.Takes(from, id, &trace)
		says := ""
		if words := paths.TraceWords(trace); words != nil {
			says = ": " + words.Says
		}
		out = append(out, phrase.Say("%s takes it from %s%s", at.Ref(), from.Ref(), says))
		at = from
	}
	return out
}

func unresolvedWhy(inst *device.Instance, c route.Candidate) string {
	for _, v := range inst.Table().Vias(c.Route.Hop) {
		return phrase.Say("its next hop %v cannot be resolved: no other route leads there", v)
	}
	return note.HopUnresolved.Info().Text
}

// costSum follows the route from router to router and writes down the cost of
// each port on the way; nil if they do not add up to the route's cost, as while
// the network is converging.
func costSum(w *network.World, inst *device.Instance, id uint32) []string {
	want, ok := inst.OSPF().Cost(id)
	if !ok {
		return nil
	}
	var parts []string
	sum := uint32(0)
	for range 64 {
		s, ok := inst.Table().Best(id)
		if !ok {
			return nil
		}
		hops := w.Shared().Sets.Hops(inst.Table().Set(inst.Table().Route(s, id).Hop))
		if len(hops) == 0 {
			return nil
		}
		v := inst.OSPF().Port(hops[0].Port)
		cost := uint32(v.Cost)
		if v.Loopback {
			cost = 0
		}
		sum += cost
		parts = append(parts, fmt.Sprintf("%d %s", cost, facts.PortName(inst.Device(), hops[0].Port)))
		if !hops[0].Gateway.IsValid() {
			break
		}
		if inst = facts.GatewayOwner(w, inst.Device(), hops[0].Port, hops[0].Gateway); inst == nil {
			return nil
		}
	}
	if sum != want {
		return nil
	}
	return parts
}

// otherPaths are the paths through other neighbours, that cost more.
func otherPaths(w *network.World, inst *device.Instance, id uint32, p ip.Prefix, best route.Route) []Candidate {
	d := inst.Device()
	var out []Candidate
	used := w.Shared().Sets.Hops(inst.Table().Set(best.Hop))
	for i := range d.Ports() {
		inst.OSPF().Neighbours(uint32(i), func(n ospf.NeighbourView) {
			if n.State != adjacency.Full || slices.Contains(used, route.Hop{Port: uint32(i), Gateway: n.Address}) {
				return
			}
			far := facts.GatewayOwner(w, d, uint32(i), n.Address)
			if far == nil {
				return
			}
			rest, ok := costFrom(w, far, id)
			if !ok {
				return
			}
			own := uint32(inst.OSPF().Port(uint32(i)).Cost)
			c := Candidate{Route: Route{Prefix: p.String(), Source: route.OSPF.String(),
				Kind: ospf.KindNames[best.Kind], Preference: best.Preference,
				Metric: own + rest, NextHops: []facts.NextHop{{Via: n.Address.String(),
					Port: d.Ports()[i].Config.Name, To: far.Ref()}}}}
			c.Code = note.HigherCost.String()
			c.Why = phrase.Say("it costs more: %d, not %d", c.Metric, best.Metric)
			c.CostSum = []string{fmt.Sprintf("%d %s", own, facts.PortName(d, uint32(i))),
				phrase.Say("%d from %s on", rest, far.Ref())}
			out = append(out, c)
		})
	}
	slices.SortStableFunc(out, func(a, b Candidate) int { return int(a.Metric) - int(b.Metric) })
	return out
}

// costFrom is what a prefix costs from a router: by OSPF, or as its own network.
func costFrom(w *network.World, inst *device.Instance, id uint32) (uint32, bool) {
	if cost, ok := inst.OSPF().Cost(id); ok {
		return cost, true
	}
	r := inst.Table().Route(route.Connected, id)
	if !r.Present {
		return 0, false
	}
	for _, h := range w.Shared().Sets.Hops(inst.Table().Set(r.Hop)) {
		if v := inst.OSPF().Port(h.Port); v.On {
			if v.Loopback {
				return 0, true
			}
			return uint32(v.Cost), true
		}
	}
	return 0, false
}

// otherStatics are the static routes of a prefix behind the one in use.
func otherStatics(inst *device.Instance, id uint32, p ip.Prefix, best route.Route) []Candidate {
	var out []Candidate
	for _, s := range inst.Table().Statics(id) {
		if s.Preference == best.Preference {
			continue
		}
		c := Candidate{Route: Route{Prefix: p.String(), Source: route.Static.String(), Preference: s.Preference,
			Blackhole: !s.Via.IsValid(), NextHops: []facts.NextHop{}}}
		if s.Via.IsValid() {
			c.NextHops = []facts.NextHop{{Via: s.Via.String()}}
		}
		c.Code = note.WorsePreference.String()
		c.Why = phrase.Say("another static route is preferred: route preference %d, not %d", best.Preference,
			s.Preference)
		if s.Preference < best.Preference {
			c.Code = note.HopUnresolved.String()
			c.Why = phrase.Text("its next hop cannot be resolved")
		}
		out = append(out, c)
	}
	return out
}

// dropped says why a router drops what a range or summary of its own covers and is
// not there, and whose announcements of the same prefix it passes over for it.
func dropped(w *network.World, inst *device.Instance, p ip.Prefix) []string {
	out := []string{}
	for _, a := range inst.Config().OSPF.Areas {
		for _, r := range a.Ranges {
			if ip.PrefixFrom(r.Prefix) == p {
				out = append(out, phrase.Say("%s has the range %v of area %s, and reaches networks in it: what else it covers is dropped (RFC 2328 11.1)", inst.Ref(), p, labtext.FormatArea(a.ID)))
			}
		}
		for _, s := range a.Summaries {
			if ip.PrefixFrom(s.Prefix) == p {
				out = append(out, phrase.Say("%s translates routes of area %s that its summary %v covers: what else it covers is dropped (RFC 3101 3.2)", inst.Ref(), labtext.FormatArea(a.ID), p))
			}
		}
	}
	for _, s := range inst.Config().OSPF.Summaries {
		if ip.PrefixFrom(s.Prefix) == p {
			out = append(out, phrase.Say("%s injects routes that its summary %v covers: what else it covers is dropped (RFC 3101 3.2)", inst.Ref(), p))
		}
	}
	byID := facts.RouterIDs(w, inst)
	inst.OSPF().Database(inst, func(v ospf.LSAView) {
		k := v.Header.Key
		if k.Router == inst.OSPF().RouterID() || v.Header.Age >= lsdb.MaxAge {
			return
		}
		var mask ip.Quad
		switch k.Type {
		case wire.SummaryLSA:
			mask = v.Body.Summary.Mask
		case wire.ExternalLSA:
			mask = v.Body.External.Mask
		default:
			return
		}
		if n, ok := ip.MaskLen(mask); !ok || ip.V4Prefix(k.ID, n) != p {
			return
		}
		name := byID.Name(k.Router)
		if says := phrase.Say("%s announces %v too: it is ignored while %s has the range or summary itself (RFC 2328 16.2 (3))", name, p, inst.Ref()); !slices.Contains(out, says) {
			out = append(out, says)
		}
	})
	return out
}

// addressIn is an address within a prefix that a port has.
func addressIn(w *network.World, p ip.Prefix) (a ip.Addr, ok bool) {
	for _, d := range w.Devices() {
		for i := range d.Ports() {
			port := &d.Ports()[i]
			if a := port.Config.Address; !d.Gone() && !port.Gone && a.IsValid() && p.Covers(ip.PrefixFrom(netip.PrefixFrom(a.Addr(), 32))) {
				return ip.AddrFrom(a.Addr()), true
			}
		}
	}
	return a, false
}
