package tables

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/fixes"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// StateWarning is what a careful colleague would say on seeing the network run.
type StateWarning struct {
	Code     string      `json:"code" enum:"not-originated,drops-what-it-advertises,injects-all,transit,policy-between,policy-idle,statements-idle,not-in-text" doc:"stable name of the warning; policy-between: only a policy keeps the AS from being a transit"`
	Weight   string      `json:"weight" enum:"warning,notice" doc:"a notice is about something that is right as it is, but hangs by one thread"`
	Device   string      `json:"device"`
	Text     string      `json:"text" doc:"a sentence"`
	Hint     string      `json:"hint"`
	Prefixes []string    `json:"prefixes" doc:"those concerned, at most 50"`
	Count    int         `json:"count" doc:"how many are concerned"`
	Line     int         `json:"line,omitempty" doc:"of the text in force"`
	Fixes    []facts.Fix `json:"fixes,omitempty" doc:"ways to do what the hint says"`
	Place    string      `json:"-"`
}

// maxNamed bounds the prefixes that a warning names.
const maxNamed = 50

func (s *StateWarning) names(w *network.World, ids []uint32) {
	s.Count = len(ids)
	s.Prefixes = []string{}
	for _, id := range ids[:min(len(ids), maxNamed)] {
		s.Prefixes = append(s.Prefixes, w.Shared().Prefixes.Prefix(id).String())
	}
}

// StateWarnings are the warnings that need a running network: what is originated
// and not there, what is injected without a policy, policies that match nothing,
// and what passes, or would pass, from one carrier to another.
func StateWarnings(w *network.World) []StateWarning {
	out := []StateWarning{}
	matched := map[string]map[string]bool{} // policy to statements that matched
	asked := map[string]int{}
	for _, inst := range facts.AllInstances(w) {
		out = append(out, crossings(w, inst, matched, asked)...)
		if !inst.BGP().Running() {
			continue
		}
		ids := facts.InPrefixOrder(w, inst.BGP().Prefixes())
		out = append(out, NotOriginated(w, inst)...)
		out = append(out, unfiltered(w, inst, ids)...)
		out = append(out, transits(w, inst, ids)...)
		out = append(out, notInUse(w, inst, ids)...)
		trial(inst, ids, matched, asked)
	}
	out = append(out, idle(w, matched, asked)...)
	return append(out, unwritten(w)...)
}

// NotOriginated warns of prefixes that a router is to originate and that are not exactly
// in its table.
func NotOriginated(w *network.World, inst *device.Instance) (out []StateWarning) {
	for _, o := range inst.Config().BGP.Originates {
		p := ip.PrefixFrom(o.Prefix)
		if id, ok := w.Shared().Prefixes.Find(p); ok {
			if _, _, there := inst.Interior(id); there {
				continue
			}
		}
		var near []string
		for _, id := range inst.Prefixes() {
			x := w.Shared().Prefixes.Prefix(id)
			if _, _, there := inst.Interior(id); there && x.Len > 0 && (p.Covers(x) || x.Covers(p)) {
				near = append(near, x.String())
			}
		}
		s := StateWarning{Code: "not-originated", Weight: "warning", Device: inst.Ref(), Prefixes: []string{p.String()}, Count: 1,
			Place: fmt.Sprintf("%s originate %v", inst.Ref(), o.Prefix),
			Text: phrase.Say("%s originates %v, and its table has no route for exactly that: nothing is announced",
				inst.Ref(), p),
			Hint:  phrase.Say("add static %v blackhole, or originate a prefix that is there", p),
			Fixes: fixes.Edit(fmt.Sprintf("%s static %v blackhole", inst.Ref(), p))}
		if len(near) > 0 {
			s.Fixes = append(s.Fixes, fixes.Edit(fmt.Sprintf("rename %s bgp originate %v %s", inst.Ref(), p, near[0]))...)
			s.Hint = phrase.Say("the table has %s: originate what is there, or add static %v blackhole", phrase.List(near), p)
		}
		out = append(out, s)
	}
	return out
}

// notInUse warns of paths that are advertised although the table drops packets for
// the prefix, by a blackhole route that is preferred to BGP's.
func notInUse(w *network.World, inst *device.Instance, ids []uint32) (out []StateWarning) {
	s := inst.BGP()
	bySource := map[string][]uint32{}
	for _, id := range ids {
		a, from, _ := s.Best(id)
		source, there := inst.Table().Best(id)
		if a == 0 || from == bgp.Local || !there || source == route.BGP ||
			inst.Table().Set(inst.Table().Next(id)) != route.Blackhole {
			continue
		}
		sent := false
		s.Peers(func(v bgp.PeerView) { sent = sent || s.Sent(v.Number, id) != 0 })
		if sent {
			bySource[source.String()] = append(bySource[source.String()], id)
		}
	}
	for _, source := range slices.Sorted(maps.Keys(bySource)) {
		list := bySource[source]
		x := StateWarning{Code: "drops-what-it-advertises", Weight: "warning", Device: inst.Ref(), Place: inst.Ref() + " bgp",
			Text:  phrase.Say("%s advertises %s that it learned by BGP, and drops the packets: its table uses a %s blackhole route", inst.Ref(), phrase.Plural(len(list), "prefix"), source),
			Hint:  phrase.Text("take the other route out, or set in-use-only in bgp"),
			Fixes: fixes.Edit(inst.Ref() + " bgp in-use-only on")}
		x.names(w, list)
		out = append(out, x)
	}
	return out
}

// unfiltered warns of injections without a policy, with what they bring in.
func unfiltered(w *network.World, inst *device.Instance, ids []uint32) (out []StateWarning) {
	for _, i := range inst.Config().BGP.Injects {
		if i.Policy != "" {
			continue
		}
		var brought []uint32
		for _, id := range ids {
			if a, how, _, _ := inst.BGP().OwnPath(id); a != 0 && how == "injected" && inst.BGP().OwnSource(id) == i.Source {
				brought = append(brought, id)
			}
		}
		if len(brought) == 0 {
			continue
		}
		s := StateWarning{Code: "injects-all", Weight: "warning", Device: inst.Ref(), Place: fmt.Sprintf("%s inject %s", inst.Ref(), i.Source),
			Text: phrase.Say("%s injects %s into BGP without a policy", inst.Ref(),
				phrase.Plural(len(brought), phrase.Say("%s route", i.Source))),
			Hint: phrase.Text("add through and a policy or a prefix set")}
		s.names(w, brought)
		out = append(out, s)
	}
	return out
}

// joinedOutside says whether two ASes have to do with each other without ours:
// who carries traffic between them is a transit.
func joinedOutside(w *network.World, own, a, b uint32) bool {
	seen := map[uint32]bool{a: true, own: true}
	queue := []uint32{a}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		for _, inst := range facts.AllInstances(w) {
			g := &inst.Config().BGP
			if g.AS != at {
				continue
			}
			for i := range g.Peers {
				next := g.Peers[i].AS
				if next == b {
					return true
				}
				if !seen[next] && w.Holder(inst, ip.AddrFrom(g.Peers[i].Address)) != nil {
					seen[next] = true
					queue = append(queue, next)
				}
			}
		}
	}
	return false
}

// transits warns of prefixes that pass from one carrier to another through us, and
// notes those that only an export policy holds back. To be a transit is a
// carrier's business: an AS of which the lab shows one router only is taken for
// one, and left in peace.
func transits(w *network.World, inst *device.Instance, ids []uint32) (out []StateWarning) {
	s := inst.BGP()
	inside := false
	s.Peers(func(v bgp.PeerView) { inside = inside || !v.External })
	if !inside {
		return nil
	}
	own := s.AS()
	joined := map[[2]uint32]bool{}
	carriers := func(a, b uint32) bool {
		key := [2]uint32{a, b}
		v, known := joined[key]
		if !known {
			v = joinedOutside(w, own, a, b)
			joined[key] = v
		}
		return v
	}
	s.Peers(func(v bgp.PeerView) {
		if !v.External || v.State != bgp.Established {
			return
		}
		type pair struct {
			from uint32
			held bool
		}
		found := map[pair][]uint32{}
		for _, id := range ids {
			a, from, _ := s.Best(id)
			if a == 0 || from == bgp.Local {
				continue
			}
			first := w.Attrs().Get(a).FirstAS
			if first == 0 || first == v.Config.AS || !carriers(first, v.Config.AS) {
				continue
			}
			if s.Sent(v.Number, id) != 0 {
				found[pair{first, false}] = append(found[pair{first, false}], id)
			} else if _, why := s.Wanted(inst, v.Number, id, nil); why == note.PolicyRejected {
				found[pair{first, true}] = append(found[pair{first, true}], id)
			}
		}
		var pairs []pair
		for p := range found {
			pairs = append(pairs, p)
		}
		slices.SortFunc(pairs, func(a, b pair) int { return int(int64(a.from) - int64(b.from)) })
		for _, p := range pairs {
			x := StateWarning{Code: "transit", Weight: "warning", Device: inst.Ref(),
				Place: fmt.Sprintf("%s peer %v", inst.Ref(), v.Address),
				Text:  phrase.Say("AS %d is a transit between AS %d and AS %d: %s sends what it has from the one to the other", own, p.from, v.Config.AS, inst.Ref()),
				Hint:  phrase.Text("let the export policy pass only your own prefixes and those of your customers"),
				Fixes: fixes.NoTransit(w, inst, v, p.from)}
			if p.held {
				x.Code, x.Weight, x.Fixes = "policy-between", "notice", nil
				x.Text = phrase.Say("only the export policy %s keeps %s from sending AS %d what it has from AS %d",
					v.Config.Export, inst.Ref(), v.Config.AS, p.from)
				x.Hint = phrase.Text("a community set where they come in, and rejected where they would go out, is a second line")
			}
			x.names(w, found[p])
			out = append(out, x)
		}
	})
	return out
}

// trial runs all routes of a router's sessions through their policies, to see
// which statements match anything.
func trial(inst *device.Instance, ids []uint32, matched map[string]map[string]bool, asked map[string]int) {
	s := inst.BGP()
	see := func(p *policy.Policy, r policy.Route) {
		if p == nil {
			return
		}
		var t policy.Trace
		p.Run(&r, &t)
		seen(inst, t, matched, asked)
	}
	const enough = 2000 // routes of one session are a fair sample
	s.Peers(func(v bgp.PeerView) {
		if v.State != bgp.Established {
			return
		}
		for _, id := range ids[:min(len(ids), enough)] {
			if r, ok := s.Asked(inst, v.Number, id); ok {
				see(s.Book().Policy(v.Config.Import), r)
			}
			if r, ok := s.Offered(inst, v.Number, id); ok {
				see(s.Book().Policy(v.Config.Export), r)
			}
		}
	})
}

// idle warns of statements of policies in use that match none of the routes they
// are asked about.
func idle(w *network.World, matched map[string]map[string]bool, asked map[string]int) (out []StateWarning) {
	for _, p := range facts.Policies(w) {
		at := p.Place()
		if asked[at] == 0 {
			continue
		}
		var none []string
		for _, s := range p.Statements {
			if !matched[at][s.Name] && s.Verdict != config.Reject {
				none = append(none, s.Name)
			}
		}
		switch {
		case len(none) == 0:
		case len(none) == len(p.Statements):
			out = append(out, StateWarning{Code: "policy-idle", Weight: "warning",
				Text: phrase.Say("%s matches none of the %d routes that it is asked about", p.Words(), asked[at]),
				Hint: phrase.Text("try it on the Policies page"), Prefixes: []string{}, Place: at})
		default:
			out = append(out, StateWarning{Code: "statements-idle", Weight: "notice",
				Text: phrase.Say("%s: %s matches no route", p.Words(), strings.Join(none, ", ")),
				Hint: phrase.Text("try it on the Policies page"), Prefixes: []string{},
				Place: at + " statement " + none[0]})
		}
	}
	return out
}
