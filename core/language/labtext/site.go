package labtext

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// site is a lab that is built on: what is there already, and what edits have added to
// it, so that nothing is taken twice.
type site struct {
	lab    *config.Lab
	places map[string]config.Kind // names of devices, and of segments as segmentKind
	used   []netip.Prefix         // networks of all ports
	ports  map[string]map[string]bool
	joined map[string]bool // ports that are on a link or a segment
	edits  []string
}

// segmentKind is what a site calls a segment.
const segmentKind config.Kind = 255

func newSite(text string) (*site, error) {
	r := Parse(text)
	for _, p := range r.Problems {
		if p.Severity == Error {
			return nil, phrase.Errorf("mend line %d of the text first: %s", p.Line, p.Message)
		}
	}
	s := &site{lab: &r.Lab, places: map[string]config.Kind{}, ports: map[string]map[string]bool{}, joined: map[string]bool{}}
	for i := range r.Lab.Devices {
		d := &r.Lab.Devices[i]
		s.places[d.Name] = d.Kind
		s.ports[d.Name] = map[string]bool{}
		for _, p := range d.Ports {
			s.ports[d.Name][p.Name] = true
			if p.Address.IsValid() {
				s.used = append(s.used, p.Address.Masked())
			}
		}
	}
	for _, l := range r.Lab.Links {
		s.joined[l.A.String()], s.joined[l.B.String()] = true, true
	}
	for _, g := range r.Lab.Segments {
		s.places[g.Name] = segmentKind
		for _, p := range g.Ports {
			s.joined[p.String()] = true
		}
	}
	return s, nil
}

// say adds an edit.
func (s *site) say(format string, args ...any) {
	s.edits = append(s.edits, fmt.Sprintf(format, args...))
}

// Names of the demo scenario's kind.
var (
	routerNames = strings.Fields("viaduct summit quarry larches boathouse tunnel depot halt mill ford weir junction sidings " +
		"signalbox terminus cutting crossing turntable gorge pass orchard lamproom watertower foundry ferry pier lock chapel " +
		"moor brook copse gatehouse")
	hostNames = strings.Fields("kiosk booth clerk mason miner forester watchman porter guard pointsman tickets crane lathe " +
		"telegraph clock lamp")
	segmentNames = strings.Fields("yard platform goods concourse shed siding ramp wharf")
)

// free is a name that nothing has.
func (s *site) free(names []string, pattern string) string {
	for _, n := range names {
		if _, taken := s.places[n]; !taken {
			return n
		}
	}
	for i := 1; ; i++ {
		if n := fmt.Sprintf("%s%d", pattern, i); !s.has(n) {
			return n
		}
	}
}

func (s *site) has(name string) bool { _, taken := s.places[name]; return taken }

// nextPort is the first free name of a port.
func (s *site) nextPort(device, pattern string) string {
	for i := 1; ; i++ {
		name := fmt.Sprintf("%s%d", pattern, i)
		if pattern == "lan" && i == 1 {
			name = pattern
		}
		if !s.ports[device][name] {
			s.ports[device][name] = true
			return name
		}
	}
}

// defaultPlans are where addresses come from in a lab without a plan for them.
var defaultPlans = []config.Plan{
	{What: "links", Prefix: netip.MustParsePrefix("10.0.0.0/16"), Length: 30},
	{What: "loopbacks", Prefix: netip.MustParsePrefix("10.255.0.0/16"), Length: 32},
	{What: "lans", Prefix: netip.MustParsePrefix("10.20.0.0/16"), Length: 24},
}

// where narrows a plan down.
type where struct {
	area   uint32
	inArea bool
	as     uint32
}

// take takes the next free network of the plan that fits best: one for the area or the
// AS before one for all.
func (s *site) take(what string, w where) (netip.Prefix, error) {
	plans := slices.Clone(s.lab.Plans)
	plans = slices.DeleteFunc(plans, func(p config.Plan) bool {
		return p.What != what || p.InArea && (!w.inArea || p.Area != w.area) || p.AS != 0 && p.AS != w.as
	})
	rank := func(p config.Plan) int {
		n := 0
		if p.InArea {
			n--
		}
		if p.AS != 0 {
			n--
		}
		return n
	}
	slices.SortStableFunc(plans, func(a, b config.Plan) int { return rank(a) - rank(b) })
	if len(plans) == 0 {
		for _, p := range defaultPlans {
			if p.What == what {
				plans = append(plans, p)
			}
		}
	}
	for _, p := range plans {
		for a := p.Prefix.Addr(); a.IsValid() && p.Prefix.Contains(a); {
			n := netip.PrefixFrom(a, p.Length)
			zero := what == "loopbacks" && a == p.Prefix.Addr() && p.Prefix.Bits() < 32
			if !zero && !slices.ContainsFunc(s.used, n.Overlaps) {
				s.used = append(s.used, n)
				return n, nil
			}
			a = broadcast(n).Next()
		}
	}
	return netip.Prefix{}, phrase.Errorf("the plan for %s has no free network in %v: add one, for example plan %s 10.128.0.0/16", what, plans[0].Prefix, what)
}

// host is the n-th address of a network, with its length.
func nth(n netip.Prefix, i int) netip.Prefix {
	a := n.Addr()
	for range i {
		a = a.Next()
	}
	return netip.PrefixFrom(a, n.Bits())
}

// freeIn is the first address of a network that no port has.
func (s *site) freeIn(n netip.Prefix, taken map[netip.Addr]bool) (netip.Prefix, error) {
	for i := 1; ; i++ {
		a := nth(n.Masked(), i)
		if !n.Contains(a.Addr()) || n.Bits() < 31 && a.Addr() == broadcast(n.Masked()) {
			return netip.Prefix{}, phrase.Errorf("no address of %v is free", n.Masked())
		}
		if !taken[a.Addr()] {
			return a, nil
		}
	}
}

func (s *site) addresses() map[netip.Addr]bool {
	taken := map[netip.Addr]bool{}
	for _, d := range s.lab.Devices {
		for _, p := range d.Ports {
			taken[p.Address.Addr()] = true
		}
	}
	return taken
}

// areasOf are the areas that a router's ports are in.
func areasOf(d *config.Device) []uint32 {
	in := map[uint32]bool{}
	for _, p := range d.Ports {
		if p.OSPF.On && p.Instance == "" {
			in[p.OSPF.Area] = true
		}
	}
	return slices.Sorted(maps.Keys(in))
}

// agreed is the area of a new link between two routers: the one that both are in; none
// where one runs no OSPF, they share no area, or are in two ASes.
func agreed(a, b *config.Device) where {
	w := where{as: a.BGP.AS}
	if a.BGP.AS != b.BGP.AS {
		w.as = 0
		if a.BGP.AS != 0 && b.BGP.AS != 0 {
			return w
		}
	}
	for _, x := range areasOf(a) {
		if slices.Contains(areasOf(b), x) && !w.inArea {
			w.area, w.inArea = x, true
		}
	}
	return w
}

// ofRouter is what a plan knows of something on one router.
func ofRouter(d *config.Device) where {
	w := where{as: d.BGP.AS}
	if in := areasOf(d); len(in) > 0 {
		w.area, w.inArea = in[0], true
	}
	return w
}

// place finds what is to be connected.
func (s *site) place(name string) (config.Kind, error) {
	if kind, ok := s.places[name]; ok {
		return kind, nil
	}
	known := slices.Sorted(maps.Keys(s.places))
	if near := nearest(name, known); near != "" {
		return 0, phrase.Errorf("there is no router, host or segment named %s; did you mean %s?", name, near)
	}
	return 0, phrase.Errorf("there is no router, host or segment named %s", name)
}
