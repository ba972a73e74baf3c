package paths

import (
	"cmp"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/policy"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Trial is a policy and the routes that it is tried on.
type Trial struct {
	Policy    string   `json:"policy" doc:"its name" maxLength:"64"`
	Owner     string   `json:"owner,omitempty" doc:"the router whose own policy is meant; absent: the lab's" maxLength:"64"`
	Draft     string   `json:"draft,omitempty" doc:"a lab text: its policy is tried beside the one in force"`
	Routes    []string `json:"routes,omitempty" maxItems:"1000" doc:"routes as they are typed: a prefix, then path 64496 64500, med 5, local-preference 200, community 64500:1, origin egp, tag 7, next-hop 192.0.2.1"`
	Device    string   `json:"device,omitempty" maxLength:"129" doc:"of a session whose table is tried, or an instance that takes: junction/ferry"`
	Peer      string   `json:"peer,omitempty" maxLength:"64" doc:"of the session; of a take, the instance that routes come from"`
	Direction string   `json:"direction,omitempty" enum:"in,out,take" doc:"what the peer sent, what it would be sent, or what the instance would take"`
}

// Tried is what became of one route.
type Tried struct {
	Prefix  string       `json:"prefix"`
	Before  *Attributes  `json:"before" doc:"as the policy met it"`
	After   *Attributes  `json:"after,omitempty" doc:"as the policy left it; absent if it rejects it"`
	Changes []string     `json:"changes" doc:"what the policy changed"`
	Trace   *PolicyTrace `json:"trace"`
	Draft   *PolicyTrace `json:"draft,omitempty" doc:"the draft's verdict"`
	Differs bool         `json:"differs" doc:"the draft comes to another verdict, or leaves other attributes"`
	Left    *Attributes  `json:"left,omitempty" doc:"as the draft left it"`
}

// Bench is the outcome of a trial.
type Bench struct {
	Policy   string            `json:"policy"`
	Rows     []Tried           `json:"rows"`
	Accepted int               `json:"accepted"`
	Differs  int               `json:"differs" doc:"rows on which the draft differs"`
	Unused   []string          `json:"unused" doc:"statements that matched none of the routes"`
	Problems []labtext.Problem `json:"problems" doc:"of the draft"`
	Omitted  int               `json:"omitted" doc:"routes beyond the bound"`
}

// maxTried bounds the rows of a bench.
const maxTried = 2000

// TryPolicy runs routes through a policy, and through that of a draft.
func TryPolicy(w *network.World, t Trial) (Bench, error) {
	out := Bench{Policy: t.Policy, Rows: []Tried{}, Unused: []string{}, Problems: []labtext.Problem{}}
	p := bookFor(w, t).Policy(t.Policy)
	var draft *policy.Policy
	if t.Draft != "" {
		r := labtext.Parse(t.Draft)
		for _, x := range r.Problems {
			if x.Severity == labtext.Error {
				out.Problems = append(out.Problems, x)
			}
		}
		if r.OK() {
			draft = policy.Compile(draftPolicies(&r.Lab, t)).Policy(t.Policy)
			if draft == nil {
				return out, phrase.Errorf("the draft has no policy named %s", t.Policy)
			}
		}
	}
	if p == nil {
		if draft == nil {
			return out, phrase.Errorf("there is no policy named %s", t.Policy)
		}
		p, draft = draft, nil
	}
	at, routes, err := trialRoutes(w, t)
	if err != nil {
		return out, err
	}
	matched := map[string]bool{}
	for i, r := range routes {
		if i >= maxTried {
			out.Omitted = len(routes) - maxTried
			break
		}
		row := Tried{Prefix: r.Prefix.String(), Before: setWords(w, at, r.Attrs)}
		now, trace := r, policy.Trace{}
		accepted := p.Run(&now, &trace)
		row.Trace, row.Changes = traceWords(trace), changesOf(&r, &now)
		if accepted {
			out.Accepted++
			row.After = setWords(w, at, now.Attrs)
		}
		for _, s := range trace.Steps {
			matched[s.Statement] = matched[s.Statement] || s.Matched
		}
		if draft != nil {
			later, other := r, policy.Trace{}
			ok := draft.Run(&later, &other)
			row.Draft = traceWords(other)
			if ok {
				row.Left = setWords(w, at, later.Attrs)
			}
			row.Differs = ok != accepted || ok && !slices.Equal(changesOf(&r, &now), changesOf(&r, &later))
			if row.Differs {
				out.Differs++
			}
		}
		out.Rows = append(out.Rows, row)
	}
	for _, s := range p.Statements() {
		if !matched[s] {
			out.Unused = append(out.Unused, s)
		}
	}
	return out, nil
}

// bookFor is the policies among which a trial's policy is run: those of the router whose
// own it is, or of the one whose routes it is tried on; those of the lab where that router
// hides the policy.
func bookFor(w *network.World, t Trial) *policy.Book {
	name, _, _ := strings.Cut(cmp.Or(t.Owner, t.Device), "/")
	if d := w.Find(name); d != nil && (t.Owner != "" || d.Config().Policies.Policy(t.Policy) == nil) {
		return d.Book()
	}
	return w.Book()
}

// draftPolicies are the same of a draft.
func draftPolicies(l *config.Lab, t Trial) config.Policies {
	name, _, _ := strings.Cut(cmp.Or(t.Owner, t.Device), "/")
	if d := l.Device(name); d != nil && (t.Owner != "" || d.Policies.Policy(t.Policy) == nil) {
		return d.Policies.Over(&l.Policies)
	}
	return l.Policies
}

// changesOf writes what became of a route: "local preference 100 to 200".
func changesOf(a, b *policy.Route) []string {
	out := []string{}
	differ := func(what, x, y string) {
		if x != y {
			out = append(out, phrase.Say("%s %s to %s", what, phrase.OrNone(x), phrase.OrNone(y)))
		}
	}
	number := func(has bool, v uint32) string {
		if !has {
			return ""
		}
		return strconv.FormatUint(uint64(v), 10)
	}
	x, y := a.Attrs, b.Attrs
	differ(phrase.Text("local preference"), number(true, x.Preference()), number(true, y.Preference()))
	differ("MED", number(x.HasMED, x.MED), number(y.HasMED, y.MED))
	differ("AS path", x.Path.String(), y.Path.String())
	differ("origin", x.Origin.String(), y.Origin.String())
	differ("communities", strings.Join(x.CommunityList(), " "), strings.Join(y.CommunityList(), " "))
	differ(phrase.Text("next hop"), hopName(a), hopName(b))
	differ("metric", number(true, a.Metric), number(true, b.Metric))
	differ("tag", number(true, a.Tag), number(true, b.Tag))
	return out
}

func hopName(r *policy.Route) string {
	switch {
	case r.Self:
		return phrase.Text("our own")
	case r.Peer:
		return phrase.Text("the peer's")
	case !r.Attrs.NextHop.IsValid():
		return ""
	}
	return ip.Addr(r.Attrs.NextHop).String()
}

// trialRoutes are the routes of a trial: typed, or a session's.
func trialRoutes(w *network.World, t Trial) (*device.Instance, []policy.Route, error) {
	if t.Device == "" {
		var out []policy.Route
		for i, line := range t.Routes {
			if strings.TrimSpace(line) == "" {
				continue
			}
			r, err := ParseRoute(line)
			if err != nil {
				return nil, nil, phrase.Errorf("line %d: %w", i+1, err)
			}
			out = append(out, r)
		}
		return nil, out, nil
	}
	inst, err := facts.InstanceNamed(w, t.Device)
	if err != nil {
		return nil, nil, err
	}
	if t.Direction == "take" {
		from, err := facts.InstanceNamed(w, inst.Device().Name()+"/"+t.Peer)
		if err != nil {
			return nil, nil, err
		}
		return inst, takenRoutes(from), nil
	}
	if !inst.BGP().Running() {
		return nil, nil, phrase.Errorf("there is no router named %s on which BGP runs", t.Device)
	}
	a, err := netip.ParseAddr(t.Peer)
	if err != nil {
		return nil, nil, phrase.Errorf("%q is not the address of a peer", t.Peer)
	}
	i, ok := inst.BGP().Find(ip.AddrFrom(a))
	if !ok {
		return nil, nil, phrase.Errorf("%s has no peer %s", t.Device, t.Peer)
	}
	return inst, sessionRoutes(w, inst, i, t.Direction), nil
}

// takenRoutes are the routes of an instance as the policy of a take of another one is
// asked about them.
func takenRoutes(from *device.Instance) []policy.Route {
	var out []policy.Route
	for _, id := range from.Prefixes() {
		if r, ok := from.Crossing(id); ok {
			out = append(out, r)
		}
	}
	return out
}

func sessionRoutes(w *network.World, inst *device.Instance, i int, way string) []policy.Route {
	var out []policy.Route
	for _, id := range facts.InPrefixOrder(w, inst.BGP().Prefixes()) {
		var r policy.Route
		var ok bool
		if way == "out" {
			r, ok = inst.BGP().Offered(inst, i, id)
		} else {
			r, ok = inst.BGP().Asked(inst, i, id)
		}
		if ok {
			out = append(out, r)
		}
	}
	return out
}

// ParseRoute reads a route as it is typed: "203.0.113.0/24 path 64496 64500 med 5
// community 64500:1".
func ParseRoute(line string) (r policy.Route, err error) {
	words := append(strings.Fields(line), "")
	words = words[:max(1, len(words)-1)]
	p, err := netip.ParsePrefix(words[0])
	if err != nil || !p.Addr().Is4() || p.Masked() != p {
		return r, phrase.Errorf("%q is not a prefix; write for example 203.0.113.0/24 path 64496 64500", words[0])
	}
	a := &attr.Set{}
	r = policy.Route{Prefix: ip.PrefixFrom(p), Attrs: a, Source: "bgp", Type: "external"}
	words = words[1:]
	number := func(name string, bits int) (uint32, error) {
		if len(words) < 2 {
			return 0, phrase.Errorf("%s needs a number", name)
		}
		v, err := strconv.ParseUint(words[1], 10, bits)
		if err != nil {
			return 0, phrase.Errorf("%q is not a number for %s", words[1], name)
		}
		words = words[2:]
		return uint32(v), nil
	}
	for len(words) > 0 && err == nil {
		switch word := words[0]; word {
		case "path":
			words = words[1:]
			var list []uint32
			for len(words) > 0 {
				v, bad := strconv.ParseUint(words[0], 10, 32)
				if bad != nil {
					break
				}
				list, words = append(list, uint32(v)), words[1:]
			}
			a.Path = attr.Path{}.Prepend(list...)
		case "med":
			a.MED, err = number(word, 32)
			a.HasMED = true
			r.Metric = a.MED
		case "local-preference":
			a.LocalPref, err = number(word, 32)
			a.HasLocalPref = true
		case "tag":
			r.Tag, err = number(word, 32)
		case "metric":
			r.Metric, err = number(word, 32)
		case "origin":
			i := -1
			if len(words) > 1 {
				i = slices.Index(attr.OriginNames[:], words[1])
			}
			if i < 0 {
				return r, phrase.Error("origin is igp, egp or incomplete")
			}
			a.Origin, words = attr.Origin(i), words[2:]
		case "next-hop":
			var hop netip.Addr
			if len(words) > 1 {
				hop, err = netip.ParseAddr(words[1])
			}
			if err != nil || !hop.Is4() {
				return r, phrase.Error("next-hop needs an address")
			}
			a.NextHop, words = ip.AddrFrom(hop), words[2:]
		case "source":
			if len(words) < 2 || !slices.Contains([]string{"connected", "static", "ospf", "bgp", "taken"}, words[1]) {
				return r, phrase.Error("source is connected, static, ospf, bgp or taken")
			}
			r.Source, words = words[1], words[2:]
			if r.Source != "bgp" {
				r.Type = "local"
			}
		case "instance":
			if len(words) < 2 {
				return r, phrase.Error("instance needs a name")
			}
			r.Instance, words = words[1], words[2:]
		case "community":
			if len(words) < 2 {
				return r, phrase.Error("community needs a value, such as 64500:1")
			}
			c, l, large, ok := attr.ParseCommunity(words[1])
			if !ok {
				return r, phrase.Errorf("%q is not a community", words[1])
			}
			if large {
				a.Large = append(a.Large, l)
				slices.SortFunc(a.Large, attr.Large.Compare)
			} else {
				a.Communities = append(a.Communities, c)
				slices.Sort(a.Communities)
			}
			words = words[2:]
		default:
			return r, phrase.Errorf("%q is unknown; known: path, med, local-preference, community, origin, next-hop, tag, metric, source, instance", word)
		}
	}
	return r, err
}
