package why

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Answer is a question answered.
type Answer struct {
	Question string       `json:"question" doc:"as it was understood"`
	Kind     Kind         `json:"kind" enum:"neighbour,route,sent,path,election,break"`
	Says     string       `json:"says" doc:"the answer in one sentence"`
	Codes    []string     `json:"codes" doc:"stable names of the reasons that it rests on"`
	Facts    []facts.Fact `json:"facts"`
}

func (a *Answer) fact(f facts.Fact) {
	if f.Text != "" {
		a.Facts = append(a.Facts, f)
	}
}

func (a *Answer) code(c string) {
	if c != "" {
		a.Codes = append(a.Codes, c)
	}
}

// Ask answers a question about a moment of a history. stop, if not nil, is asked
// now and then whether to give up, with history.ErrStopped.
func Ask(h *history.History, m history.Moment, q Question, stop func() bool) (Answer, error) {
	if q.Kind == Break {
		return breaks(h, m, q, stop)
	}
	return About(h.At(m), q)
}

// About answers a question about a world; what would break needs a history.
func About(w *network.World, q Question) (Answer, error) {
	a := Answer{Question: q.String(), Kind: q.Kind, Facts: []facts.Fact{}, Codes: []string{}}
	var err error
	switch q.Kind {
	case Neighbour:
		a.neighbour(w, q)
	case Route:
		a.route(w, q)
	case Election:
		a.election(w, q)
	case Sent:
		err = a.sent(w, q)
	case Path:
		err = a.path(w, q)
	default:
		err = phrase.Error("that is no question about one moment")
	}
	return a, err
}

// last is the latest note of a device that fits.
func last(w *network.World, dev uint32, fits func(note.Note) bool) (found note.Note, ok bool) {
	w.LatestNote(func(_ uint32, n note.Note) bool {
		if ok = n.Device == dev && fits(n); ok {
			found = n
		}
		return ok
	})
	return found, ok
}

// lasts are the latest notes of a device that fit, one for each reason that they
// give, the latest first; at most five.
func lasts(w *network.World, dev uint32, fits func(note.Note) bool) (out []note.Note) {
	seen := map[note.Code]bool{}
	w.LatestNote(func(_ uint32, n note.Note) bool {
		if n.Device == dev && !seen[n.Reason] && fits(n) {
			seen[n.Reason] = true
			out = append(out, n)
		}
		return len(out) == 5
	})
	return out
}

// event is a note as a fact: what happened, at the moment when it did.
func (a *Answer) event(w *network.World, n note.Note, view, who, to string) {
	at := event.Time(n.At)
	if n.Reason != note.None {
		a.code(n.Reason.String())
	}
	// What came over a port is proven by the packets there.
	if i, ok := n.Port.Number(); ok && (n.Kind == note.HelloRefused || n.Kind == note.LSADiscarded) {
		view, who, to = "packets", facts.PortName(w.Device(n.Device), i), ""
	}
	a.fact(facts.Fact{Text: phrase.Say("%s at %s: %s", w.Device(n.Device).Name(), facts.Seconds(at),
		facts.Words(w, n)), View: view, Who: who, To: to}.At(at))
}

func (a *Answer) neighbour(w *network.World, q Question) {
	port := labtext.ParseRef(q.Port)
	found := false
	for _, n := range relations.NeighboursOf(w) {
		if !concerns(n, q, port) {
			continue
		}
		state := phrase.Say("%s and %s: %s%s", n.A.Name(), n.B.Name(), map[string]string{"ospf": "OSPF ",
			"bgp": "BGP "}[n.Protocol], n.State)
		if found {
			a.Says += "; "
		}
		found = true
		a.Says += state
		if len(n.Reasons) > 0 && !n.Up {
			a.Says += phrase.Say(", since %s", n.Reasons[0].Text)
		}
		a.fact(facts.Fact{Text: phrase.Say("%s, since %.3f s", state, n.Since), View: "neighbours", Who: n.A.Device})
		for _, r := range n.Reasons {
			a.reason(n, r)
		}
		a.ports(w, n)
		a.lastState(w, n)
	}
	if !found {
		a.Says = phrase.Say("%s and %s are not connected: no link or segment joins them with OSPF on both, and neither has the other as a BGP peer", q.Device, q.Other)
		if q.Other == "" {
			a.Says = phrase.Say("%s has no neighbours and is meant to have none", q.Device)
		}
		for _, name := range []string{q.Device, q.Other} {
			a.fact(facts.Fact{Text: phrase.Say("the configuration of %s", name), View: "text", Place: name})
		}
	}
}

func concerns(n relations.Neighbour, q Question, port config.PortRef) bool {
	end := func(e facts.End, name string) bool { return e.Is(name) || e.Address == name }
	if q.Port != "" && q.Other == "" {
		return n.A.Device == port.Device && n.A.Port == port.Port || n.B.Device == port.Device && n.B.Port == port.Port
	}
	if q.Other == "" {
		return (n.A.Is(q.Device) || n.B.Is(q.Device)) && !n.Up
	}
	return end(n.A, q.Device) && end(n.B, q.Other) || end(n.B, q.Device) && end(n.A, q.Other)
}

// reason is one reason of a relation, with the lines that it rests on.
func (a *Answer) reason(n relations.Neighbour, r facts.Reason) {
	a.code(r.Code)
	text := r.Text
	if r.Mine != "" || r.Theirs != "" {
		text += fmt.Sprintf(" (%s: %s, %s: %s)", n.A.Name(), phrase.OrNone(r.Mine), n.B.Name(), phrase.OrNone(r.Theirs))
	}
	a.fact(facts.Fact{Text: phrase.Text(r.Source) + ": " + text, View: "neighbours", Who: n.A.Device})
	if r.Remedy != "" {
		a.fact(facts.Fact{Text: phrase.Say("fix: %s", r.Remedy), View: "text", Place: placeOf(n, n.A, n.B), Fixes: r.Fixes})
		if p := placeOf(n, n.B, n.A); p != "" {
			a.fact(facts.Fact{Text: phrase.Say("the other end, %s", n.B.Name()), View: "text", Place: p})
		}
	}
}

// valuesOf are the values that a path lost with and against, of which there may be
// one only.
func valuesOf(mine, theirs string) string {
	if mine == "" || theirs == "" {
		return " (" + mine + theirs + ")"
	}
	return phrase.Say(" (%s against %s)", mine, theirs)
}

// placeOf is where an end of a relation is in the text.
func placeOf(n relations.Neighbour, own, far facts.End) string {
	if own.Absent {
		return ""
	}
	if n.Protocol == "bgp" {
		if p, err := netip.ParseAddr(far.Address); err == nil {
			return labtext.PeerPlace(own.Name(), p)
		}
		return own.Name()
	}
	return config.PortRef{Device: own.Device, Port: own.Port}.String()
}

// lastState is the event by which the relation came to its state.
func (a *Answer) lastState(w *network.World, n relations.Neighbour) {
	for _, e := range []facts.End{n.A, n.B} {
		d := w.Find(e.Device)
		if d == nil {
			continue
		}
		kinds := []note.Kind{note.NeighbourState, note.HelloRefused, note.LSADiscarded, note.PacketDropped,
			note.PortDown}
		port, hasPort := d.Port(e.Port)
		if n.Protocol == "bgp" {
			kinds, hasPort = []note.Kind{note.SessionState, note.NotificationSent, note.NotificationReceivedFrom,
				note.ConnectionTurnedAway}, false
		}
		far := n.B
		if e.Device == n.B.Device {
			far = n.A
		}
		address, _ := netip.ParseAddr(far.Address)
		for _, kind := range kinds {
			for _, x := range lasts(w, d.ID(), func(x note.Note) bool {
				if x.Kind != kind {
					return false
				}
				if n.Protocol == "bgp" {
					return address.IsValid() && w.Shared().Addrs.Addr(uint32(x.A)) == ip.AddrFrom(address)
				}
				return hasPort && x.Port == note.PortOf(port)
			}) {
				a.event(w, x, "timeline", e.Device, "")
			}
		}
	}
}

func (a *Answer) route(w *network.World, q Question) {
	if q.Device != "" {
		if inst, err := facts.InstanceNamed(w, q.Device); err == nil {
			a.routeAt(w, inst, q.Prefix)
		}
		return
	}
	var has, lacks []*device.Instance
	for _, inst := range facts.AllInstances(w) {
		if inst.Device().Kind() != config.Router {
			continue
		}
		if _, _, ok := inst.Table().Lookup(w.Shared(), ip.AddrFrom(q.Prefix.Addr())); ok {
			has = append(has, inst)
		} else {
			lacks = append(lacks, inst)
		}
	}
	a.Says = phrase.Say("%d routers have a route to %v, %d have none", len(has), q.Prefix, len(lacks))
	if len(lacks) > 0 {
		a.notOriginated(w, q.Prefix)
	}
	for _, inst := range append(lacks[:min(len(lacks), 6)], has[:min(len(has), 6)]...) {
		story := tables.Explain(w, inst, q.Prefix)
		a.fact(facts.Fact{Text: story.Answer, View: "routes", Who: inst.Ref(), To: q.Prefix.String()})
		for _, says := range tables.Crossings(w, inst, ip.PrefixFrom(q.Prefix)) {
			a.fact(facts.Fact{Text: says, View: "routes", Who: inst.Ref(), To: q.Prefix.String()})
		}
	}
}

// notOriginated says which routers are to originate a prefix, or one of which it is a
// part, and have no route for exactly that.
func (a *Answer) notOriginated(w *network.World, p netip.Prefix) {
	for _, inst := range facts.AllInstances(w) {
		if !inst.BGP().Running() {
			continue
		}
		for _, s := range tables.NotOriginated(w, inst) {
			if o, err := netip.ParsePrefix(s.Prefixes[0]); err != nil || !o.Overlaps(p) {
				continue
			}
			a.code(s.Code)
			a.fact(facts.Fact{Text: s.Text, View: "text", Place: s.Place})
			a.fact(facts.Fact{Text: phrase.Say("fix: %s", s.Hint), View: "text", Place: s.Place, Fixes: s.Fixes})
		}
	}
}

func (a *Answer) routeAt(w *network.World, inst *device.Instance, p netip.Prefix) {
	d := inst.Device()
	story := tables.Explain(w, inst, p)
	a.Says = story.Answer
	for _, c := range story.Candidates {
		words := phrase.Say("%s from %s", c.Prefix, cmp.Or(c.Origin, c.Source))
		if c.Kind != "" {
			words += ", " + c.Kind
		}
		verdict := phrase.Text("lost: ")
		if c.Won {
			verdict = phrase.Text("won: ")
		}
		a.code(c.Code)
		f := facts.Fact{Text: words + ", " + verdict + c.Why, View: "routes", Who: inst.Ref(), To: c.Prefix}
		if c.Source == route.Static.String() {
			f.Place = inst.Ref()
		}
		a.fact(f)
		for _, s := range c.CostSum {
			a.fact(facts.Fact{Text: phrase.Say("cost: %s", s), View: "database", Who: inst.Ref()})
		}
	}
	if len(story.Candidates) == 0 {
		a.notOriginated(w, p)
	}
	for _, s := range story.Also {
		a.fact(facts.Fact{Text: s, View: "routes", Who: inst.Ref(), To: p.String()})
	}
	for _, r := range paths.PathsTo(w, p, inst.Ref()).Routers {
		if r.Device == inst.Ref() {
			a.paths(r, p)
		}
	}
	if id, ok := w.Shared().Prefixes.Find(ip.PrefixFrom(p)); ok {
		if n, ok := last(w, d.ID(),
			func(n note.Note) bool {
				return n.Kind == note.RouteChanged && n.Instance == inst.Number() && uint32(n.A) == id
			}); ok {
			a.event(w, n, "timeline", inst.Ref(), p.String())
			at := n.At
			if n, ok := last(w, d.ID(), func(n note.Note) bool {
				return n.At <= at && (n.Kind == note.SPFRun || n.Kind == note.UpdateReceived ||
					n.Kind == note.PortUp || n.Kind == note.PortDown)
			}); ok && w.LostNotes() == 0 {
				a.event(w, n, "timeline", inst.Ref(), "")
			} else if w.LostNotes() > 0 {
				a.fact(facts.Fact{Text: phrase.Say("what this followed from may not be kept: there were too many events, %d are missing", w.LostNotes())})
			}
		} else if first := w.FirstNote(); first > 0 && first < w.Notes() {
			a.fact(facts.Fact{Text: phrase.Say("the route to %s changed last before %s, or never: older changes are not kept", p,
				facts.Seconds(event.Time(w.NoteAt(first).At)))})
		}
	}
}

// paths are the BGP paths to a prefix at a router, as facts.
func (a *Answer) paths(r paths.RouterPaths, p netip.Prefix) {
	for _, x := range r.Paths {
		words := phrase.Say("the path from %s", x.From)
		if x.After != nil && x.After.ASPath != "" {
			words += phrase.Say(", AS path %s", x.After.ASPath)
		}
		values := ""
		if x.Mine != "" || x.Theirs != "" {
			values = valuesOf(x.Mine, x.Theirs)
		}
		a.code(x.Code)
		a.fact(facts.Fact{Text: "BGP: " + words + ": " + x.Why + values, View: "paths", Who: r.Device, To: p.String()})
		a.policy(r.Device, x.Import, nil)
		if peer, err := netip.ParseAddr(x.Peer); err == nil && x.Remedy != "" {
			a.fact(facts.Fact{Text: phrase.Say("fix: %s", x.Remedy), View: "text", Place: labtext.PeerPlace(r.Device, peer), Fixes: x.Fixes})
		}
	}
	for _, m := range r.Missing {
		a.fact(facts.Fact{Text: "BGP: " + m, View: "paths", Who: r.Device, To: p.String()})
	}
}

// policy is what a policy did on a device, with the line of the statement that decided. asked,
// if not nil, is what a policy that a condition names did.
func (a *Answer) policy(device string, t *paths.PolicyTrace, asked func(name string) *paths.PolicyTrace) {
	if t == nil {
		return
	}
	place := labtext.PolicyPlace(device, t.Own, t.Policy, "")
	for _, s := range t.Steps {
		if s.Matched {
			place = labtext.PolicyPlace(device, t.Own, t.Policy, s.Statement)
		}
	}
	a.fact(facts.Fact{Text: t.Says, View: "policies", Place: place})
	for _, s := range t.Steps {
		for _, c := range s.Conditions {
			if !c.Holds {
				a.fact(facts.Fact{Text: phrase.Say("statement %s does not apply: it asks for %s, and the route has %s", s.Statement, c.Condition, phrase.OrNone(c.Value)), View: "policies", Place: labtext.PolicyPlace(device, t.Own, t.Policy, s.Statement)})
				if c.Policy != "" && asked != nil {
					a.policy(device, asked(c.Policy), nil)
				}
			}
		}
	}
}

func (a *Answer) sent(w *network.World, q Question) error {
	inst, err := facts.InstanceNamed(w, q.Device)
	if err != nil {
		return err
	}
	among := []*device.Instance{inst}
	if inst.Name() == "" { // a device alone is any of its instances
		among = facts.Instances(inst.Device())
	}
	if !slices.ContainsFunc(among, func(i *device.Instance) bool { return i.BGP().Running() }) {
		a.Says = phrase.Say("BGP does not run on %s", q.Device)
		a.fact(facts.Fact{Text: a.Says, View: "text", Place: q.Device})
		return nil
	}
	var peer *bgp.PeerView
	for _, i := range among {
		i.BGP().Peers(func(v bgp.PeerView) {
			if peer == nil && (v.Address.String() == q.Other || facts.PeerName(w, i, v) == q.Other) {
				peer, inst = &v, i
			}
		})
	}
	q.Device = inst.Ref()
	if peer == nil {
		a.Says = phrase.Say("%s has no peer %s", q.Device, q.Other)
		a.fact(facts.Fact{Text: phrase.Say("the peers of %s", q.Device), View: "neighbours", Who: q.Device, Place: q.Device})
		return nil
	}
	stories := slices.DeleteFunc(paths.PathsTo(w, q.Prefix, q.Device).Routers,
		func(r paths.RouterPaths) bool { return r.Device != q.Device })
	if len(stories) == 0 {
		a.Says = phrase.Say("%s has no path to %v, so there is nothing to send", q.Device, q.Prefix)
		a.notOriginated(w, q.Prefix)
		a.routeAt(w, inst, q.Prefix)
		return nil
	}
	r := stories[0]
	for _, s := range r.Sent {
		if s.Peer != peer.Address.String() {
			continue
		}
		verb := phrase.Text("is not sent to")
		if s.Sent != nil {
			verb = phrase.Text("is sent to")
		}
		a.Says = phrase.Say("%v %s %s by %s: %s", q.Prefix, verb, s.To, q.Device, s.Why)
		a.code(s.Code)
		a.fact(facts.Fact{Text: phrase.Say("what %s sends %s for %v", q.Device, s.To, q.Prefix), View: "paths",
			Who: q.Device + "/" + s.Peer, To: q.Prefix.String()})
		a.policy(q.Device, s.Export, func(name string) *paths.PolicyTrace {
			return paths.PolicyTowards(w, inst, *peer, q.Prefix,
				name)
		})
		if s.Remedy != "" {
			p, _ := netip.ParseAddr(s.Peer)
			a.fact(facts.Fact{Text: phrase.Say("fix: %s", s.Remedy), View: "text", Place: labtext.PeerPlace(q.Device, p), Fixes: s.Fixes})
		}
	}
	a.fact(facts.Fact{Text: r.Answer, View: "paths", Who: q.Device, To: q.Prefix.String()})
	return nil
}

func (a *Answer) path(w *network.World, q Question) error {
	p, err := traffic.FlowBetween(w, q.Device, q.Other)
	if err != nil {
		return err
	}
	var names []string
	for i, h := range p.Hops {
		names = append(names, h.Ref())
		if h.Out == "" {
			continue
		}
		words := phrase.Say("%s sends it out of %s", h.Ref(), h.Out)
		if i+1 < len(p.Hops) {
			words += phrase.Say(" to %s", p.Hops[i+1].Ref())
		}
		words += phrase.Say(": %s is the longest match, from %s", h.Prefix, h.Source)
		if h.Into != "" {
			words += phrase.Say(", across into instance %s", h.Into)
		}
		if h.Cost > 0 {
			words += phrase.Say(", cost %d", h.Cost)
		}
		if h.Ways > 1 {
			words += phrase.Say("; one of %d equal-cost paths, picked by a hash of the flow", h.Ways)
		}
		a.fact(facts.Fact{Text: words, View: "routes", Who: h.Ref(), To: h.Prefix})
		if inst, err := facts.InstanceNamed(w, h.Ref()); err == nil && inst.Device().Kind() == config.Router {
			prefix, _ := netip.ParsePrefix(h.Prefix)
			for _, c := range tables.Explain(w, inst, prefix).Candidates {
				if !c.Won && c.Prefix == h.Prefix {
					a.code(c.Code)
					a.fact(facts.Fact{Text: phrase.Say("%s does not use its route from %s: %s", h.Ref(), cmp.Or(c.Origin, c.Source),
						c.Why), View: "routes", Who: h.Ref(), To: h.Prefix})
				}
			}
		}
	}
	a.Says = strings.Join(names, " - ")
	a.dropped(w, p)
	if !p.Arrives {
		a.Says += phrase.Say(": it does not arrive: %s", p.Reason)
		a.code(p.Code)
		a.fact(facts.Fact{Text: p.Reason, View: "routes", Who: p.StopsAt, To: p.Dst})
		if at := p.End(); at != nil {
			if dst, err := netip.ParseAddr(p.Dst); err == nil {
				for _, s := range tables.Explain(w, at, netip.PrefixFrom(dst, 32)).Also {
					a.fact(facts.Fact{Text: s, View: "routes", Who: p.StopsAt, To: p.Dst})
				}
			}
		}
	}
	return nil
}

// dropped are the last packets for the destination that devices dropped.
func (a *Answer) dropped(w *network.World, p traffic.Path) {
	dst, err := netip.ParseAddr(p.Dst)
	if err != nil {
		return
	}
	for _, h := range p.Hops {
		d := w.Find(h.Device)
		for _, n := range lasts(w, d.ID(),
			func(n note.Note) bool {
				return n.Kind == note.PacketDropped && w.Shared().Addrs.Addr(uint32(n.A)) == ip.AddrFrom(dst)
			}) {
			a.event(w, n, "timeline", h.Device, p.Dst)
		}
	}
}

// ports are the ends of a relation that are down, with why.
func (a *Answer) ports(w *network.World, n relations.Neighbour) {
	for _, e := range []facts.End{n.A, n.B} {
		d := w.Find(e.Device)
		if d == nil {
			continue
		}
		if i, ok := d.Port(e.Port); ok {
			if up, why := d.Up(i); !up {
				name := config.PortRef{Device: e.Device, Port: e.Port}.String()
				a.code(why.String())
				a.fact(facts.Fact{Text: phrase.Say("%s is down: %s", name, why.Info().Text), View: "ports", Who: name, Place: name})
			}
		}
	}
}
