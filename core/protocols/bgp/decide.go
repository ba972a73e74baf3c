package bgp

import (
	"slices"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
)

// Route preferences of BGP's routes in the table; lower wins.
const (
	AggregatePreference = 5 // before what others announce of the prefix
	ExternalPreference  = 20
	InternalPreference  = 200
)

// Path is one path that takes part in a decision.
type Path struct {
	Peer     uint16 // number of the peer that it comes from
	external bool
	attr     attr.ID
	set      *attr.Set
	cost     uint32
	id       ip.Quad // originator, else the peer's router ID
}

// rule is one step of the decision (RFC 4271 9.1.2.2, RFC 4456 9): of two paths
// it says whether the first loses to the second by it.
type rule struct {
	code  note.Code
	worse func(s *Speaker, a, b *Path) bool
}

// rules are the steps in order. After the first equal number of them, paths are
// equal for sharing traffic.
var rules = [...]rule{
	{note.LowerLocalPref, func(_ *Speaker, a, b *Path) bool { return a.set.Preference() < b.set.Preference() }},
	{note.LongerASPath, func(_ *Speaker, a, b *Path) bool { return a.set.PathLen > b.set.PathLen }},
	{note.WorseOrigin, func(_ *Speaker, a, b *Path) bool { return a.set.Origin > b.set.Origin }},
	{note.HigherMED, func(s *Speaker, a, b *Path) bool {
		return (s.config.MEDAmongAll || a.set.FirstAS == b.set.FirstAS) && a.set.MED > b.set.MED
	}},
	{note.InternalLosesToExternal, func(_ *Speaker, a, b *Path) bool { return !a.external && b.external }},
	{note.HigherInteriorCost, func(_ *Speaker, a, b *Path) bool { return a.cost > b.cost }},
	{note.HigherRouterID, func(_ *Speaker, a, b *Path) bool { return a.id > b.id }},
	{note.LongerClusterList, func(_ *Speaker, a, b *Path) bool { return len(a.set.Clusters) > len(b.set.Clusters) }},
	{note.HigherPeerAddress, func(s *Speaker, a, b *Path) bool {
		return s.peers[a.Peer].config.Address.Compare(s.peers[b.Peer].config.Address) > 0
	}},
}

// equalSteps is how many rules paths must be equal by to share traffic.
const equalSteps = 6

// decideAll decides on all marked prefixes.
func (s *Speaker) decideAll(h Host) {
	// Aggregates follow from the other prefixes, so they come last; what they
	// bring in is decided on in the second round.
	for range 3 {
		if len(s.dirty) == 0 {
			return
		}
		list := s.dirty
		s.dirty = nil
		var buffer, room [16]Path
		for _, prefix := range list {
			s.marked.Set(prefix, false)
			s.decide(h, prefix, buffer[:0], room[:0])
		}
		s.aggregate(h, list)
	}
}

// candidates are the paths to a prefix that could be used; unusable is called with
// the peer of each that could not.
func (s *Speaker) candidates(h Host, prefix uint32, paths []Path, unusable func(i int)) []Path {
	pool := h.Attrs()
	for i := range s.peers {
		p := &s.peers[i]
		if !p.up {
			continue
		}
		e := p.in.At(prefix)
		if e == nil || e.eff == 0 {
			continue
		}
		cost, ok := h.Reach(s.gateway(h, e.eff, prefix), prefix)
		if !ok {
			unusable(i)
			continue
		}
		set := pool.Get(e.eff)
		x := Path{Peer: uint16(i), attr: e.eff, set: set, external: p.config.External, cost: cost,
			id: set.Originator}
		if x.id == 0 {
			x.id = p.established().open.ID
		}
		paths = append(paths, x)
	}
	return paths
}

// lose notes in a path's row at which step it lost, and to whom.
func (p *peer) lose(prefix uint32, step note.Code, to uint16) {
	if e := p.in.At(prefix); e.step != step || e.against != to {
		e := p.in.Edit(prefix)
		e.step, e.against = step, to
	}
}

// elect is the decision: it takes the paths that lose by each step out, and says
// how many of those left at the end of the steps for sharing there were. lost is
// called for each path that loses. room is where those that are left are written.
func (s *Speaker) elect(paths, room []Path, lost func(loser, winner *Path, step note.Code)) (winner Path, equal []Path) {
	left := paths
	for n := range rules {
		if n == equalSteps && s.config.Multipath > 1 {
			equal = append([]Path(nil), left...)
		}
		if len(left) == 1 {
			break
		}
		left = eliminate(s, left, room, &rules[n], lost)
	}
	if equal == nil {
		equal = left
	}
	return left[0], equal
}

// eliminate takes out those that lose to any other path. With MED only paths from
// one neighbouring AS are comparable: losing to any one of them is enough, which
// makes the outcome the same in whatever order the paths came (RFC 4271 9.1.2.2 c).
func eliminate(s *Speaker, left, room []Path, r *rule, lost func(loser, winner *Path, step note.Code)) []Path {
	var beaten []bool
	var few [16]bool
	for a := range left {
		for b := range left {
			if a == b || !r.worse(s, &left[a], &left[b]) {
				continue
			}
			switch {
			case beaten != nil:
			case len(left) <= len(few):
				beaten = few[:len(left)]
			default:
				beaten = make([]bool, len(left))
			}
			beaten[a] = true
			if lost != nil {
				to := b
				for c := range left {
					if r.worse(s, &left[to], &left[c]) {
						to = c // the best of those that it loses to
					}
				}
				lost(&left[a], &left[to], r.code)
			}
			break
		}
	}
	if beaten == nil {
		return left
	}
	out := room[:0] // which may be left itself: it is read before it is written
	for a := range left {
		if !beaten[a] {
			out = append(out, left[a])
		}
	}
	return out
}

// decide chooses the best path to a prefix, and makes table and Adj-RIBs-Out
// follow (RFC 4271 9.1).
func (s *Speaker) decide(h Host, prefix uint32, paths, room []Path) {
	paths = s.candidates(h, prefix, paths, func(i int) { s.peers[i].lose(prefix, note.NextHopUnresolved, fromLocal) })
	own := s.local.Get(prefix)
	var winner Path
	var equal []Path
	if len(paths) > 0 {
		winner, equal = s.elect(paths, room, func(loser, winner *Path, step note.Code) {
			s.peers[int(loser.Peer)].lose(prefix, step, winner.Peer)
		})
		s.peers[int(winner.Peer)].lose(prefix, note.None, fromLocal)
	}
	now, r := best{}, Route{}
	// What we bring in ourselves is in the table already: the preference of its
	// source there decides between it and what was learned.
	learned := len(paths) > 0
	ownLost := false
	if learned && own.attr != 0 {
		ownLost = preference(&winner) < own.preference
		if !ownLost {
			for k := range paths {
				if paths[k].Peer == winner.Peer {
					s.peers[int(winner.Peer)].lose(prefix, note.LocalPathPreferred, fromLocal)
				}
			}
		}
	}
	if own.attr != 0 && own.lost != ownLost {
		s.local.Edit(prefix).lost = ownLost
	}
	switch {
	case own.attr != 0 && !ownLost:
		now = best{attr: own.attr, from: fromLocal, ways: 1}
		switch own.how {
		case aggregated:
			r = Route{Present: true, Blackhole: true, Preference: AggregatePreference}
		case fromFeed:
			r = Route{Present: true, Beyond: true, External: true, Preference: own.preference, PeerAS: h.Attrs().Get(own.attr).FirstAS}
		}
	case learned:
		now = best{attr: winner.attr, from: winner.Peer, ways: 1}
		r = Route{Present: true, Preference: preference(&winner), External: winner.external, MED: winner.set.MED,
			PeerAS: winner.set.FirstAS}
		r.Vias = append(s.vias[:0], winner.set.NextHop)
		for _, x := range s.sharing(winner, equal) {
			if hop := x.path.set.NextHop; x.why == note.None && !contains(r.Vias, hop) {
				r.Vias = append(r.Vias, hop)
			}
		}
		s.vias, now.ways = r.Vias, uint8(len(r.Vias))
	}
	before := s.loc.Get(prefix)
	h.PutBGP(prefix, r)
	out := s.bestOutside(now, paths)
	changed := out != s.outside.Get(prefix)
	if changed {
		s.outside.Set(prefix, out)
	}
	if before != now {
		s.loc.Set(prefix, now)
		changed = changed || before.attr != now.attr || before.from != now.from
	}
	if !changed {
		return
	}
	for i := range s.peers {
		if s.peers[i].up {
			s.peers[i].queue(s, prefix)
		}
	}
}

// bestOutside is the best of the external paths while an internal one is best, if internal peers are to receive it
// (draft-ietf-idr-best-external section 2); else the zero best.
func (s *Speaker) bestOutside(now best, paths []Path) best {
	if !s.config.BestExternal || now.attr == 0 || now.from == fromLocal || s.peers[now.from].config.External {
		return best{}
	}
	var external []Path
	for i := range paths {
		if paths[i].external {
			external = append(external, paths[i])
		}
	}
	if len(external) == 0 {
		return best{}
	}
	winner, _ := s.elect(external, nil, nil)
	return best{attr: winner.attr, from: winner.Peer, ways: 1}
}

func preference(p *Path) uint8 {
	if p.external {
		return ExternalPreference
	}
	return InternalPreference
}

// sharer is a path that is as good as the best one up to the interior cost, and why it
// does not share the traffic; None if it does.
type sharer struct {
	path Path
	why  note.Code
}

// sharing are the paths beside the winner that are as good up to the interior cost. Of
// more than multipath allows, those that the next steps of the decision prefer share
// the traffic.
func (s *Speaker) sharing(winner Path, equal []Path) (out []sharer) {
	if s.config.Multipath < 2 {
		return nil
	}
	order := slices.Clone(equal)
	slices.SortStableFunc(order, func(a, b Path) int {
		for n := equalSteps; n < len(rules); n++ {
			switch {
			case rules[n].worse(s, &a, &b):
				return 1
			case rules[n].worse(s, &b, &a):
				return -1
			}
		}
		return 0
	})
	hops := []ip.Addr{winner.set.NextHop}
	for k := range order {
		p := &order[k]
		hop := p.set.NextHop
		switch {
		case p.Peer == winner.Peer:
		case !s.config.MultipathAny && p.set.FirstAS != winner.set.FirstAS:
			out = append(out, sharer{*p, note.SharedByOneAS})
		case contains(hops, hop):
			out = append(out, sharer{*p, note.None})
		case len(hops) >= s.config.Multipath:
			out = append(out, sharer{*p, note.SharingIsFull})
		default:
			hops = append(hops, hop)
			out = append(out, sharer{*p, note.None})
		}
	}
	return out
}

// Sharing says of the paths to a prefix that are as good as the best up to the
// interior cost whether they share the traffic (None) or why not, by peer; nil
// without multipath, or if none of them is used.
func (s *Speaker) Sharing(h Host, prefix uint32) map[int]note.Code {
	if b := s.loc.Get(prefix); s.config.Multipath < 2 || b.attr == 0 || b.from == fromLocal {
		return nil
	}
	paths := s.candidates(h, prefix, nil, func(int) {})
	if len(paths) == 0 {
		return nil
	}
	out := map[int]note.Code{}
	winner, equal := s.elect(paths, nil, nil)
	out[int(winner.Peer)] = note.None
	for _, x := range s.sharing(winner, equal) {
		out[int(x.path.Peer)] = x.why
	}
	return out
}

func contains(list []ip.Addr, a ip.Addr) bool {
	return slices.Contains(list, a)
}
