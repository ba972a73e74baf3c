// Package paths is what BGP knows of prefixes: the paths received, which is best and
// why, what each peer is sent, and what policies make of a route.
package paths

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/fixes"
	"hellebore/core/questions/relations"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Attributes are the path attributes of BGP as views show them.
type Attributes struct {
	ASPath      string   `json:"asPath" doc:"nearest AS first; empty for a path of the own AS"`
	Length      int      `json:"length" doc:"of the AS path: a set counts as one"`
	NextHop     string   `json:"nextHop,omitempty" doc:"absent for a path of the router's own"`
	NextHopOf   string   `json:"nextHopOf,omitempty" doc:"the device that has the address"`
	LocalPref   *uint32  `json:"localPref,omitempty"`
	MED         *uint32  `json:"med,omitempty"`
	Origin      string   `json:"origin" enum:"igp,egp,incomplete"`
	Communities []string `json:"communities"`
	Originator  string   `json:"originator,omitempty" doc:"RFC 4456"`
	Clusters    []string `json:"clusters"`
	Aggregator  string   `json:"aggregator,omitempty"`
	Atomic      bool     `json:"atomic"`
	Unknown     []string `json:"unknown" doc:"attributes that are carried without being understood"`
}

// AttributesOf is a set of path attributes in words, as an instance sees it; nil if there
// is none of the number.
func AttributesOf(w *network.World, inst *device.Instance, id attr.ID) *Attributes {
	a := w.Attrs().Get(id)
	if a == nil {
		return nil
	}
	return setWords(w, inst, a)
}

func setWords(w *network.World, inst *device.Instance, a *attr.Set) *Attributes {
	out := &Attributes{ASPath: a.Path.String(), Length: a.Path.Len(), Origin: a.Origin.String(),
		Communities: a.CommunityList(), Atomic: a.Atomic,
		Clusters: []string{}, Unknown: []string{}}
	if a.NextHop.IsValid() {
		out.NextHop = ip.Addr(a.NextHop).String()
		if far := w.Holder(inst, ip.Addr(a.NextHop)); far != nil {
			out.NextHopOf = far.Ref()
		}
	}
	if a.HasLocalPref {
		v := a.LocalPref
		out.LocalPref = &v
	}
	if a.HasMED {
		v := a.MED
		out.MED = &v
	}
	if a.Originator != 0 {
		out.Originator = ip.V4(a.Originator).String()
	}
	for _, c := range a.Clusters {
		out.Clusters = append(out.Clusters, ip.V4(c).String())
	}
	if a.HasAggregator {
		out.Aggregator = fmt.Sprintf("AS %d, %v", a.AggregatorAS, ip.V4(a.Aggregator))
	}
	for _, u := range a.Unknown {
		out.Unknown = append(out.Unknown, phrase.Say("type %d, %x", u.Type, u.Value))
	}
	return out
}

// PolicyStep is what one statement of a policy did.
type PolicyStep struct {
	Statement  string       `json:"statement"`
	Matched    bool         `json:"matched"`
	Conditions []PolicyHeld `json:"conditions"`
	Actions    []string     `json:"actions"`
	Verdict    string       `json:"verdict" enum:"no verdict,accept,reject"`
}

// PolicyHeld is a condition, and whether it held.
type PolicyHeld struct {
	Condition string `json:"condition"`
	Policy    string `json:"policy,omitempty" doc:"the policy that the condition asks"`
	Holds     bool   `json:"holds"`
	Value     string `json:"value" doc:"what it looked at"`
}

// PolicyTrace is how a policy came to its verdict on one route.
type PolicyTrace struct {
	Policy   string       `json:"policy"`
	Own      bool         `json:"own,omitempty" doc:"the policy is the router's own"`
	Accepted bool         `json:"accepted"`
	AtEnd    bool         `json:"atEnd" doc:"no statement decided: its end did"`
	Steps    []PolicyStep `json:"steps"`
	Says     string       `json:"says" doc:"a sentence"`
}

// TraceWords is how a policy came to its verdict, in words; nil if none was asked.
func TraceWords(t policy.Trace) *PolicyTrace { return traceWords(t) }

func traceWords(t policy.Trace) *PolicyTrace {
	if t.Policy == "" {
		return nil
	}
	out := &PolicyTrace{Policy: t.Policy, Own: t.Own, Accepted: t.Accept, AtEnd: t.End, Steps: []PolicyStep{}}
	var did []string
	last := ""
	for _, s := range t.Steps {
		x := PolicyStep{Statement: s.Statement, Matched: s.Matched, Conditions: []PolicyHeld{},
			Actions: append([]string{}, s.Actions...), Verdict: s.Verdict.String()}
		for _, c := range s.Conditions {
			x.Conditions = append(x.Conditions, PolicyHeld{c.Condition, c.Policy, c.Holds, c.Value})
		}
		if s.Matched {
			last = s.Statement
			did = append(did, s.Actions...)
		}
		out.Steps = append(out.Steps, x)
	}
	verb := phrase.Text(map[bool]string{true: "accepts", false: "rejects"}[t.Accept])
	switch {
	case t.End:
		out.Says = phrase.Say("no statement of %s decides, and its end %s", t.Policy, verb)
	default:
		out.Says = phrase.Say("statement %s of %s %s it", last, t.Policy, verb)
	}
	if len(did) > 0 {
		out.Says += ": " + strings.Join(did, ", ")
	}
	return out
}

// PathRow is one path to a prefix at a router, from its arrival to the decision.
type PathRow struct {
	From     string       `json:"from" doc:"the device that sent it, or how the router brought it in itself"`
	Peer     string       `json:"peer,omitempty" doc:"address of the session; absent for the router's own"`
	Kind     string       `json:"kind" enum:"external,internal,own"`
	Received *Attributes  `json:"received,omitempty" doc:"as it came in"`
	After    *Attributes  `json:"after,omitempty" doc:"as the import policy left it; absent if it was not accepted"`
	Import   *PolicyTrace `json:"import,omitempty" doc:"absent if there is no import policy"`
	Accepted bool         `json:"accepted"`
	Chosen   bool         `json:"chosen"`
	Shares   bool         `json:"shares" doc:"it shares the traffic with the best path"`
	Code     string       `json:"code,omitempty" doc:"why it is not accepted, or not chosen"`
	What     string       `json:"what,omitempty" doc:"the step of the decision, a few words"`
	Why      string       `json:"why" doc:"a sentence"`
	Mine     string       `json:"mine,omitempty" doc:"the value with which it lost"`
	Theirs   string       `json:"theirs,omitempty" doc:"the value it lost against"`
	Against  string       `json:"against,omitempty" doc:"whose path it lost to"`
	RFC      string       `json:"rfc,omitempty"`
	Remedy   string       `json:"remedy,omitempty" doc:"what would have it accepted or used"`
	Fixes    []facts.Fix  `json:"fixes,omitempty" doc:"ways to do what the remedy says"`
	Cost     *uint32      `json:"cost,omitempty" doc:"interior cost of its next hop"`
}

// SentRow is what one peer was sent for a prefix.
type SentRow struct {
	To     string       `json:"to" doc:"the device"`
	Peer   string       `json:"peer"`
	Kind   string       `json:"kind" enum:"external,internal"`
	Sent   *Attributes  `json:"sent,omitempty"`
	Code   string       `json:"code,omitempty" doc:"why nothing was sent"`
	Why    string       `json:"why" doc:"a sentence"`
	Remedy string       `json:"remedy,omitempty"`
	Fixes  []facts.Fix  `json:"fixes,omitempty" doc:"ways to do what the remedy says"`
	Export *PolicyTrace `json:"export,omitempty"`
	Up     bool         `json:"up"`
}

// RouterPaths is the story of a prefix at one router.
type RouterPaths struct {
	Device  string    `json:"device"`
	AS      uint32    `json:"as"`
	Answer  string    `json:"answer" doc:"a sentence: which path, and why"`
	Because string    `json:"because" doc:"why the path is best, a few words; why none is, if there is none"`
	Uses    string    `json:"uses,omitempty" doc:"the source that the table uses, if it is not BGP"`
	Paths   []PathRow `json:"paths"`
	Sent    []SentRow `json:"sent"`
	Missing []string  `json:"missing" doc:"peers that have the prefix and did not send it, with why"`
}

// PrefixPaths is the story of a prefix through the ASes.
type PrefixPaths struct {
	Prefix  string        `json:"prefix"`
	Routers []RouterPaths `json:"routers"`
	Near    []string      `json:"near" doc:"if BGP has not this prefix: those it has that cover it or are within it"`
}

// PathsTo is the story of a prefix, at all routers or at one.
func PathsTo(w *network.World, to netip.Prefix, who string) PrefixPaths {
	p := ip.PrefixFrom(to)
	out := PrefixPaths{Prefix: p.String(), Routers: []RouterPaths{}, Near: []string{}}
	id, known := w.Shared().Prefixes.Find(p)
	for _, inst := range facts.AllInstances(w) {
		if !inst.BGP().Running() || who != "" && inst.Ref() != who && inst.Device().Name() != who {
			continue
		}
		if known {
			if r := routerPaths(w, inst, id); len(r.Paths) > 0 || who != "" {
				out.Routers = append(out.Routers, r)
			}
		}
	}
	if len(out.Routers) == 0 {
		out.Near = nearPrefixes(w, p)
	}
	return out
}

// nearPrefixes are the prefixes that BGP has which cover p or are within it.
func nearPrefixes(w *network.World, p ip.Prefix) []string {
	found := map[ip.Prefix]bool{}
	for _, inst := range facts.AllInstances(w) {
		for id := range inst.BGP().Prefixes() {
			if a, _, _ := inst.BGP().Best(id); a != 0 {
				if x := w.Shared().Prefixes.Prefix(id); x.Covers(p) || p.Covers(x) {
					found[x] = true
				}
			}
		}
	}
	list := make([]ip.Prefix, 0, len(found))
	for x := range found {
		list = append(list, x)
	}
	slices.SortFunc(list, ip.Prefix.Compare)
	out := []string{}
	for _, x := range list[:min(len(list), 50)] {
		out = append(out, x.String())
	}
	return out
}

// BGPSays is what BGP on a router has to say of a prefix that its table lacks, or
// has from it.
func BGPSays(w *network.World, inst *device.Instance, p ip.Prefix) []string {
	id, known := w.Shared().Prefixes.Find(p)
	if !known || !inst.BGP().Running() {
		return nil
	}
	r := routerPaths(w, inst, id)
	if len(r.Paths) == 0 && len(r.Missing) == 0 {
		return nil
	}
	return append([]string{"BGP: " + r.Answer}, r.Missing...)
}

func kindWord(external bool) string {
	if external {
		return "external"
	}
	return "internal"
}

func routerPaths(w *network.World, inst *device.Instance, id uint32) RouterPaths {
	s := inst.BGP()
	out := RouterPaths{Device: inst.Ref(), AS: s.AS(), Paths: []PathRow{}, Sent: []SentRow{}, Missing: []string{}}
	best, from, _ := s.Best(id)
	if own, how, _, lost := s.OwnPath(id); own != 0 {
		x := PathRow{From: phrase.Text(how), Kind: "own", After: AttributesOf(w, inst, own), Accepted: true,
			Chosen: from == bgp.Local && best != 0}
		x.Why = phrase.Say("it is brought in here: %s", phrase.Text(how))
		if lost {
			x.Code, x.What = note.WorsePreference.String(), note.WorsePreference.Info().What
			x.Why = phrase.Text("a learned path is preferred to the source that it was taken from")
		}
		out.Paths = append(out.Paths, x)
	}
	s.Peers(func(v bgp.PeerView) {
		if row, ok := s.In(v.Number, id); ok {
			out.Paths = append(out.Paths, pathRow(w, inst, id, v, row, from == v.Number && best != 0))
		} else if m := missing(w, inst, id, v); m != "" {
			out.Missing = append(out.Missing, m)
		}
		out.Sent = append(out.Sent, sentRow(w, inst, id, v))
	})
	slices.SortStableFunc(out.Paths, func(a, b PathRow) int {
		rank := func(p PathRow) int {
			switch {
			case p.Chosen:
				return 0
			case p.Accepted:
				return 1
			}
			return 2
		}
		return rank(a) - rank(b)
	})
	if used, ok := inst.Table().Best(id); ok && used != route.BGP && from != bgp.Local && best != 0 {
		out.Uses = used.String()
	}
	shareWords(w, inst, id, &out)
	out.Answer, out.Because = pathAnswer(out), because(out.Paths)
	return out
}

// shareWords marks the paths that share the traffic, and says of those which are as
// good as the best why they do not.
func shareWords(w *network.World, inst *device.Instance, id uint32, out *RouterPaths) {
	sharing := inst.BGP().Sharing(inst, id)
	if len(sharing) < 2 {
		return
	}
	inst.BGP().Peers(func(v bgp.PeerView) {
		why, asGood := sharing[v.Number]
		i := slices.IndexFunc(out.Paths, func(x PathRow) bool { return x.Peer == v.Address.String() })
		if !asGood || i < 0 {
			return
		}
		x := &out.Paths[i]
		x.Shares = why == note.None
		switch {
		case x.Chosen && x.Shares:
		case x.Shares:
			x.Code, x.What, x.RFC, x.Mine, x.Theirs, x.Fixes = "", "", "", "", "", nil
			x.Why = phrase.Text("it shares the traffic with the best path")
		default:
			info := why.Info()
			x.Code, x.What, x.Why, x.RFC, x.Mine, x.Theirs = why.String(), info.What, info.Text, info.RFC, "", ""
			x.Fixes = fixes.For(fixes.Case{World: w, Code: why, A: ofPeer(inst, v)})
			x.Against = ""
		}
	})
}

func pathAnswer(r RouterPaths) string {
	if len(r.Paths) == 0 {
		return phrase.Say("%s has no path to it", r.Device)
	}
	first := r.Paths[0]
	if !first.Chosen {
		return phrase.Say("%s uses none of its %s: %s", r.Device, phrase.Plural(len(r.Paths), "path"), first.Why)
	}
	s := phrase.Say("%s uses the path from %s", r.Device, first.From)
	var sharers []string
	for _, p := range r.Paths {
		if p.Shares {
			sharers = append(sharers, p.From)
		}
	}
	if len(sharers) > 1 {
		s = phrase.Say("%s shares the traffic between the paths from %s and %s", r.Device,
			strings.Join(sharers[:len(sharers)-1], ", "), sharers[len(sharers)-1])
	}
	if first.Kind == "own" {
		s = phrase.Say("%s has the prefix itself (%s)", r.Device, first.From)
	}
	if r.Uses != "" {
		s += phrase.Say("; packets follow %s all the same, which the table prefers", r.Uses)
	}
	// The step at which the last of the others lost is what decided.
	for _, p := range r.Paths[1:] {
		if p.Accepted && p.Against == first.From && p.What != "" {
			return phrase.Say("%s rather than that from %s: %s %s, not %s", s, p.From, p.What, p.Theirs, p.Mine)
		}
	}
	if len(r.Paths) == 1 {
		s += phrase.Text(", the only one")
	}
	return s
}

// because says in a few words why the first path is best. The step at which the last of
// the others lost is what decided.
func because(list []PathRow) string {
	if len(list) == 0 {
		return phrase.Text("no path")
	}
	first := list[0]
	switch {
	case !first.Chosen && first.Accepted:
		return phrase.Say("not usable: %s", first.Why)
	case !first.Chosen:
		return phrase.Say("not accepted: %s", first.Why)
	case first.Kind == "own":
		return first.From
	}
	for _, p := range list[1:] {
		if p.Accepted && p.Against == first.From && p.What != "" {
			return phrase.Say("%s %s, not %s", p.What, p.Theirs, p.Mine)
		}
	}
	for _, p := range list[1:] {
		if p.Accepted {
			return p.Why
		}
	}
	return phrase.Text("the only one accepted")
}

// pathRow is the story of what one peer sent.
func pathRow(w *network.World, inst *device.Instance, id uint32, v bgp.PeerView, row bgp.Row, chosen bool) PathRow {
	s := inst.BGP()
	x := PathRow{From: facts.PeerName(w, inst, v), Peer: v.Address.String(), Kind: kindWord(v.External),
		Received: AttributesOf(w, inst, row.Raw),
		After:    AttributesOf(w, inst, row.Accepted), Accepted: row.Accepted != 0, Chosen: chosen}
	var t policy.Trace
	s.Imported(inst, v.Number, id, &t)
	x.Import = traceWords(t)
	code := row.Step
	if row.Accepted == 0 {
		code = row.Why
	} else if cost, ok := wayOf(w, inst, row.Accepted); ok {
		x.Cost = &cost
	}
	if chosen {
		x.Why = phrase.Text("it is the best")
		return x
	}
	if code == note.None {
		return x
	}
	info := code.Info()
	x.Code, x.What, x.Why, x.RFC = code.String(), info.What, info.Text, info.RFC
	x.Remedy, x.Fixes = remedyOf(inst, x.From, info), fixesOf(w, inst, v, code)
	raw := w.Attrs().Get(row.Raw)
	switch code {
	case note.OwnASInPath:
		x.Mine = raw.Path.String()
		x.Theirs = fmt.Sprintf("AS %d", s.AS())
	case note.NextHopUnresolved, note.NextHopIsLocal, note.NextHopNotOnLink:
		x.Mine = ip.Addr(raw.NextHop).String()
		if row.Accepted != 0 {
			x.Mine = ip.Addr(w.Attrs().Get(row.Accepted).NextHop).String()
		}
	case note.LocalPathPreferred:
		own, how, preference, _ := s.OwnPath(id)
		x.Against = phrase.Text(how)
		if own != 0 {
			x.Mine, x.Theirs = strconv.Itoa(int(s.PreferenceOf(v.Number))), strconv.Itoa(int(preference))
		}
	case note.PolicyRejected:
		if x.Import != nil {
			x.Why = x.Import.Says
		}
	default:
		if row.Against != bgp.Local {
			winner := s.Peer(row.Against)
			other, _ := s.In(row.Against, id)
			x.Against = facts.PeerName(w, inst, winner)
			x.Mine, x.Theirs = stepValues(w, inst, code, v, row.Accepted), stepValues(w, inst, code, winner, other.Accepted)
		}
	}
	return x
}

// fixesOf are the ways to do what a reason's remedy says, of a path that came from or
// goes to a peer.
func fixesOf(w *network.World, inst *device.Instance, v bgp.PeerView, code note.Code) []facts.Fix {
	far := w.Holder(inst, v.Address)
	c := fixes.Case{World: w, Code: code, A: ofPeer(inst, v), B: fixes.Of(far)}
	if far != nil {
		if back, ok := relations.BackOf(inst, v, far); ok {
			c.B.Peer, c.B.Has = back.Address, true
		}
	}
	return fixes.For(c)
}

// ofPeer is a router's end of a session, for fixes.
func ofPeer(inst *device.Instance, v bgp.PeerView) fixes.End {
	e := fixes.Of(inst)
	e.Peer, e.Has = v.Address, true
	return e
}

// remedyOf is the remedy of a reason at a router, about a peer of it.
func remedyOf(inst *device.Instance, peer string, info note.Info) string {
	return facts.Sentence(info.Remedy, inst.Ref(), peer)
}

// wayOf is the interior cost of a path's next hop.
func wayOf(w *network.World, inst *device.Instance, a attr.ID) (uint32, bool) {
	g, ok := inst.Table().FindGateway(ip.Addr(w.Attrs().Get(a).NextHop))
	if !ok {
		return 0, false
	}
	set, cost := inst.Table().Reach(g)
	return cost, set != route.NoSet
}

// stepValues is what a step of the decision compares.
func stepValues(w *network.World, inst *device.Instance, code note.Code, v bgp.PeerView, id attr.ID) string {
	a := w.Attrs().Get(id)
	if a == nil {
		return ""
	}
	switch code {
	case note.LowerLocalPref:
		return strconv.FormatUint(uint64(a.Preference()), 10)
	case note.LongerASPath:
		return strconv.Itoa(a.PathLen)
	case note.WorseOrigin:
		return a.Origin.String()
	case note.HigherMED:
		return strconv.FormatUint(uint64(a.MED), 10)
	case note.InternalLosesToExternal:
		return kindWord(v.External)
	case note.HigherInteriorCost:
		cost, _ := wayOf(w, inst, id)
		return strconv.FormatUint(uint64(cost), 10)
	case note.HigherRouterID:
		if a.Originator != 0 {
			return ip.V4(a.Originator).String()
		}
		return v.PeerID.String()
	case note.LongerClusterList:
		return strconv.Itoa(len(a.Clusters))
	case note.HigherPeerAddress:
		return v.Address.String()
	}
	return ""
}

// sentRow is what a peer was sent for a prefix, and if nothing, why.
func sentRow(w *network.World, inst *device.Instance, id uint32, v bgp.PeerView) SentRow {
	x := SentRow{To: facts.PeerName(w, inst, v), Peer: v.Address.String(), Kind: kindWord(v.External),
		Up: v.State == bgp.Established}
	if !x.Up {
		x.Code, x.Why = "session-down", phrase.Say("the session is not up: %s", v.State.String())
		return x
	}
	var t policy.Trace
	want, why := inst.BGP().Wanted(inst, v.Number, id, &t)
	x.Export = traceWords(t)
	sent := inst.BGP().Sent(v.Number, id)
	x.Sent = AttributesOf(w, inst, sent)
	switch {
	case want != sent:
		x.Code, x.Why = "waiting", phrase.Text("it waits for the advertisement interval")
	case sent != 0:
		x.Why = "sent"
		if x.Export != nil {
			x.Why = phrase.Say("sent: %s", x.Export.Says)
		}
		if _, best, ok := inst.BGP().ShownFrom(inst, v.Number, id); ok && !best {
			x.Why = phrase.Say("%s; it is the best external path (best-external), as the best one comes from an internal peer", x.Why)
		}
	default:
		info := why.Info()
		x.Code, x.Why = why.String(), info.Text
		x.Remedy, x.Fixes = remedyOf(inst, x.To, info), fixesOf(w, inst, v, why)
		if why == note.PeerASInPath {
			x.Why = phrase.Say("AS %d, the peer's, is in the path: the peer would refuse it", v.Config.AS)
		}
		if why == note.PolicyRejected && x.Export != nil {
			x.Why = x.Export.Says
		}
		if why == note.BetweenInternal {
			if hole := meshHole(w, inst, id, v); hole == "" {
				x.Why = phrase.Say("%s; it has its own session for that", info.Text)
				x.Remedy, x.Fixes = "", nil
			} else {
				x.Why = info.Text + "; " + hole
			}
		}
	}
	return x
}

// meshHole says that a peer has no session with the router that the best path
// came from; "" if it has.
func meshHole(w *network.World, inst *device.Instance, id uint32, v bgp.PeerView) string {
	_, from, _ := inst.BGP().Best(id)
	if from == bgp.Local {
		return ""
	}
	source, target := w.Holder(inst, inst.BGP().Peer(from).Address), w.Holder(inst, v.Address)
	if source == nil || target == nil {
		return ""
	}
	has := false
	target.BGP().Peers(func(x bgp.PeerView) { has = has || source.Owns(x.Address) })
	if has {
		return ""
	}
	return phrase.Say("and %s has no session with %s, which sent it: an iBGP session is missing", target.Ref(),
		source.Ref())
}

// missing says why a peer that has the prefix did not send it, "" if it has not.
func missing(w *network.World, inst *device.Instance, id uint32, v bgp.PeerView) string {
	far := w.Holder(inst, v.Address)
	if far == nil || far == inst || !far.BGP().Running() {
		return ""
	}
	if a, _, _ := far.BGP().Best(id); a == 0 {
		why := ""
		far.BGP().Peers(func(x bgp.PeerView) {
			if row, ok := far.BGP().In(x.Number, id); ok && !inst.Owns(x.Address) {
				p := pathRow(w, far, id, x, row, false)
				why = phrase.Say("%s has a path from %s and does not use it: %s %s", far.Ref(), p.From, p.Why, p.Mine)
			}
		})
		return strings.TrimSpace(why)
	}
	back, ok := relations.BackOf(inst, v, far)
	if !ok {
		return phrase.Say("%s has it, and has no such peer as %s", far.Ref(), inst.Ref())
	}
	x := sentRow(w, far, id, back)
	own := x.Code == note.FromThatPeer.String() || x.Code == note.BetweenInternal.String() && x.Remedy == ""
	if x.Sent != nil || own { // there is nothing amiss
		return ""
	}
	return phrase.Say("%s has it and does not send it: %s", far.Ref(), x.Why)
}
