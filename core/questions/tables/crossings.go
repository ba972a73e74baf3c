package tables

import (
	"cmp"
	"slices"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/paths"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Take is what an instance takes of another one of its router.
type Take struct {
	Device  string      `json:"device"`
	From    string      `json:"from" doc:"the instance that the routes come from, main or by name"`
	To      string      `json:"to" doc:"the instance that takes them"`
	Policy  string      `json:"policy" doc:"or the prefix set"`
	Own     bool        `json:"own,omitempty" doc:"the policy is the router's own"`
	Routes  []TakeRoute `json:"routes" doc:"those that the other instance uses"`
	Crosses int         `json:"crosses" doc:"how many of them cross"`
}

// TakeRoute is a route that may cross.
type TakeRoute struct {
	Prefix  string             `json:"prefix"`
	Source  string             `json:"source" doc:"in the instance that it comes from; of a taken one, the instance in which it began"`
	Verdict string             `json:"verdict" enum:"crosses,refused,came from here,another route is used"`
	Why     string             `json:"why" doc:"a sentence"`
	Tag     uint32             `json:"tag" doc:"as it has crossed"`
	Trace   *paths.PolicyTrace `json:"trace,omitempty"`
}

// TakesOf are all takes of a world: what crosses between instances, and what does not.
func TakesOf(w *network.World) []Take {
	out := []Take{}
	for _, to := range facts.AllInstances(w) {
		for _, t := range to.Config().Takes {
			from := to.Device().Instance(t.From)
			if from == nil {
				continue
			}
			x := Take{Device: to.Device().Name(), From: cmp.Or(from.Name(), config.MainInstance), To: cmp.Or(to.Name(), config.MainInstance),
				Policy: t.Through, Routes: []TakeRoute{}}
			if p, ok := facts.PolicyOn(w, x.Device, t.Through); ok {
				x.Own = p.Own
			}
			for _, id := range from.Prefixes() {
				if s, used := from.Table().Best(id); used {
					r := takeRoute(w, to, from, id, s)
					if r.Verdict == "crosses" {
						x.Crosses++
					}
					x.Routes = append(x.Routes, r)
				}
			}
			out = append(out, x)
		}
	}
	return out
}

func takeRoute(w *network.World, to, from *device.Instance, id uint32, s route.Source) TakeRoute {
	out := TakeRoute{Prefix: w.Shared().Prefixes.Prefix(id).String(), Source: facts.SourceWords(from, s, id)}
	var trace policy.Trace
	verdict := to.Takes(from, id, &trace)
	out.Trace = paths.TraceWords(trace)
	says := ""
	if out.Trace != nil {
		says = out.Trace.Says
	}
	switch verdict {
	case device.Accepted:
		out.Verdict, out.Why = "crosses", says
		out.Tag = to.Table().Route(route.Taken, id).Tag
	case device.CameFrom:
		out.Verdict, out.Why = "came from here", cameWords(to, from, id)
	case device.Surpassed:
		own, _ := to.Table().Best(id)
		out.Verdict, out.Why = "another route is used", phrase.Say("it may cross, and %s uses its route from %s", to.Ref(), facts.SourceWords(to, own, id))
	default:
		out.Verdict, out.Why = "refused", says
	}
	return out
}

// cameWords says why a route that has been in an instance is not taken back there.
func cameWords(to, from *device.Instance, id uint32) string {
	if from.Taken(id).Origin == to.Number() {
		return phrase.Say("it began in %s: a route is not taken back", to.Ref())
	}
	return phrase.Say("it came through %s: a route is not taken back", to.Ref())
}

// crossings are the warnings about what an instance takes: nothing, or a prefix that
// several others have, of which it can use one.
func crossings(w *network.World, to *device.Instance, matched map[string]map[string]bool, asked map[string]int) (out []StateWarning) {
	type claim struct{ from []string }
	claims := map[uint32]*claim{}
	for _, t := range to.Config().Takes {
		from := to.Device().Instance(t.From)
		if from == nil {
			continue
		}
		offered, crossed := 0, 0
		for _, id := range from.Prefixes() {
			if _, used := from.Table().Best(id); !used {
				continue
			}
			var trace policy.Trace
			verdict := to.Takes(from, id, &trace)
			if verdict == device.CameFrom {
				continue
			}
			offered++
			seen(to, trace, matched, asked)
			if verdict == device.Accepted || verdict == device.Surpassed {
				crossed++
				if claims[id] == nil {
					claims[id] = &claim{}
				}
				claims[id].from = append(claims[id].from, from.Ref())
			}
		}
		if offered > 0 && crossed == 0 {
			out = append(out, StateWarning{Code: "takes-nothing", Weight: "warning", Device: to.Ref(),
				Place: to.Ref() + " take " + cmp.Or(t.From, config.MainInstance), Prefixes: []string{},
				Text: phrase.Say("%s takes none of the %s of %s: %s accepts none of them", to.Ref(), phrase.Plural(offered, "route"), from.Ref(), t.Through),
				Hint: phrase.Text("try it on the Policies page")})
		}
	}
	var twice []uint32
	names := map[string]bool{}
	for id, c := range claims {
		if own, _ := to.Table().Own(id); to.Table().Route(own, id).Present {
			c.from = append(c.from, to.Ref())
		}
		if len(c.from) > 1 {
			twice = append(twice, id)
			for _, n := range c.from {
				names[n] = true
			}
		}
	}
	if len(twice) > 0 {
		slices.SortFunc(twice, func(a, b uint32) int {
			return ip.Prefix.Compare(w.Shared().Prefixes.Prefix(a), w.Shared().Prefixes.Prefix(b))
		})
		var list []string
		for _, inst := range facts.Instances(to.Device()) {
			if names[inst.Ref()] {
				list = append(list, inst.Ref())
			}
		}
		x := StateWarning{Code: "meets-a-duplicate", Weight: "warning", Device: to.Ref(), Place: to.Ref(),
			Text: phrase.Say("%s of %s meet in %s: packets go to one of them alone", phrase.Plural(len(twice), "prefix"), strings.Join(list, phrase.Text(" and ")), to.Ref()),
			Hint: phrase.Text("have the policy of one take reject what the other instance has too")}
		x.names(w, twice)
		out = append(out, x)
	}
	return out
}

// seen counts which statements of a policy matched, by the policy's place.
func seen(inst *device.Instance, t policy.Trace, matched map[string]map[string]bool, asked map[string]int) {
	at := labtext.PolicyPlace(inst.Ref(), t.Own, t.Policy, "")
	asked[at]++
	if matched[at] == nil {
		matched[at] = map[string]bool{}
	}
	for _, x := range t.Steps {
		matched[at][x.Statement] = matched[at][x.Statement] || x.Matched
	}
}
