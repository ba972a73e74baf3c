package bgp

import (
	"slices"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
)

// What the speaker brings into BGP itself: prefixes that it originates, routes
// injected from other sources, and aggregates.

// Touch looks again at what we bring in for a prefix, since the table's other
// routes for it may have changed.
func (s *Speaker) Touch(h Host, prefix uint32) {
	if !s.running {
		return
	}
	old := s.local.Get(prefix)
	if old.how == aggregated {
		return
	}
	if s.config.InUseOnly {
		s.queueChosen(prefix)
	}
	now := s.ownPath(h, prefix)
	now.lost = old.lost
	if now.attr != 0 && (old != now || now.source == route.Taken) {
		// Export policies see its source, tag and instance as well, which may be others
		// while the path is the same to the decision.
		s.queueChosen(prefix)
	}
	if old == now {
		return
	}
	s.local.Set(prefix, now)
	s.mark(prefix)
}

// queueChosen looks again at what peers receive for a prefix: the table may use
// another route for it.
func (s *Speaker) queueChosen(prefix uint32) {
	if b := s.loc.At(prefix); b == nil || b.attr == 0 {
		return
	}
	for i := range s.peers {
		if s.peers[i].up {
			s.peers[i].queue(s, prefix)
		}
	}
}

// ownPath is the path that we bring in for a prefix: originated, if the table has
// exactly this prefix from another source than BGP, or else injected, or from a feed.
func (s *Speaker) ownPath(h Host, prefix uint32) local {
	if len(s.config.Originates) == 0 && len(s.config.Injects) == 0 {
		return s.fedPath(prefix)
	}
	source, r, ok := h.Interior(prefix)
	if !ok {
		return s.fedPath(prefix)
	}
	x := h.Shared().Prefixes.Prefix(prefix)
	for k, o := range s.config.Originates {
		if ip.PrefixFrom(o.Prefix) == x && s.met[k] {
			return s.bringIn(h, prefix, source, r, o.Policy, originated, attr.IGP)
		}
	}
	for k, in := range s.config.Injects {
		if in.Source == source.String() && s.met[len(s.config.Originates)+k] {
			if l := s.bringIn(h, prefix, source, r, in.Policy, injected, attr.Incomplete); l.attr != 0 {
				return l
			}
		}
	}
	return s.fedPath(prefix)
}

// holds says whether the table is as something asks that depends on it.
func (s *Speaker) holds(h Host, d config.Depends) bool {
	there := false
	switch {
	case !d.IsValid():
		return true
	case d.Name != "":
		p := s.book.Policy(d.Name)
		there = p != nil && h.AnyInUse(p)
	default:
		if id, known := h.Shared().Prefixes.Find(ip.PrefixFrom(d.Prefix)); known {
			there, _ = h.InUse(id)
		}
	}
	return there != d.Unless
}

// Depend looks again at what originations depend on, since the table changed.
func (s *Speaker) Depend(h Host) {
	if s.running {
		s.depend(h, true)
	}
}

// depend is Depend; look says that what changed is to be announced or withdrawn.
func (s *Speaker) depend(h Host, look bool) {
	if n := len(s.config.Originates) + len(s.config.Injects); len(s.met) != n {
		s.met = make([]bool, n)
	}
	for k, o := range s.config.Originates {
		if now := s.holds(h, o.Depends); s.met[k] != now {
			s.met[k] = now
			if look {
				s.Touch(h, h.Shared().Prefixes.ID(ip.PrefixFrom(o.Prefix)))
			}
		}
	}
	for k, in := range s.config.Injects {
		if now := s.holds(h, in.Depends); s.met[len(s.config.Originates)+k] != now {
			s.met[len(s.config.Originates)+k] = now
			for prefix := uint32(0); look && prefix < h.Shared().Prefixes.Len(); prefix++ {
				s.Touch(h, prefix)
			}
		}
	}
	for i := range s.peers {
		p := &s.peers[i]
		if !p.config.Default || p.gone {
			continue
		}
		if now := s.holds(h, p.config.DefaultWhen); p.defaultMet != now {
			p.defaultMet = now
			if p.up {
				p.queue(s, h.Shared().Prefixes.ID(ip.Default))
			}
		}
	}
}

// bringIn makes a path of a route of the table, through a policy if one is named.
func (s *Speaker) bringIn(h Host, prefix uint32, source route.Source, r route.Route, through string, how uint8,
	origin attr.Origin) local {
	q := s.bringInRoute(h, prefix, source, r, origin)
	if p := s.book.Policy(through); p != nil && !p.Run(&q, nil) {
		return local{}
	}
	if q.MetricSet {
		a := *q.Attrs
		a.MED, a.HasMED = q.Metric, true
		q.Attrs = &a
	}
	return local{attr: h.Attrs().ID(q.Attrs), tag: q.Tag, preference: r.Preference, how: how, source: source}
}

func (s *Speaker) bringInRoute(h Host, prefix uint32, source route.Source, r route.Route,
	origin attr.Origin) policy.Route {
	return policy.Route{Prefix: h.Shared().Prefixes.Prefix(prefix), Attrs: &attr.Set{Origin: origin}, Source: source.String(),
		Type: h.SourceRouteType(source, prefix, r), Instance: h.OriginName(source, prefix),
		LocalAS: s.config.AS, Tag: r.Tag, Metric: r.Metric, Interior: r.Metric, Reached: true}
}

// aggregate is one configured aggregate and what is known of it.
type aggregate struct {
	config.Aggregate
	prefix ip.Prefix
	active bool
}

func (s *Speaker) syncAggregates() {
	var now []aggregate
	for _, a := range s.config.Aggregates {
		x := aggregate{Aggregate: a, prefix: ip.PrefixFrom(a.Prefix)}
		for _, o := range s.joined {
			if o.prefix == x.prefix {
				x.active = o.active
			}
		}
		now = append(now, x)
	}
	// Aggregates that are no more go as those without details do.
	for _, o := range s.joined {
		if o.active && !slices.ContainsFunc(now, func(n aggregate) bool { return n.prefix == o.prefix }) {
			o.Aggregate = config.Aggregate{}
			now = append(now, o)
		}
	}
	s.joined = now
}

// aggregate works out again the aggregates that cover one of these prefixes (RFC
// 4271 9.2.2.2).
func (s *Speaker) aggregate(h Host, changed []uint32) {
	if len(s.joined) == 0 {
		return
	}
	dict := &h.Shared().Prefixes
	for k := range s.joined {
		a := &s.joined[k]
		touched := slices.ContainsFunc(changed,
			func(id uint32) bool { p := dict.Prefix(id); return a.prefix.Covers(p) && p != a.prefix })
		if !touched && !(a.active && !a.Prefix.IsValid()) {
			continue
		}
		id := dict.ID(a.prefix)
		now := local{}
		if a.Prefix.IsValid() {
			now = s.join(h, a)
		}
		wasActive := a.active
		a.active = now.attr != 0
		old := s.local.Get(id)
		if old.how == aggregated || now.attr != 0 {
			now.lost = old.lost
			if old != now {
				s.local.Set(id, now)
				s.mark(id)
			}
			if now.attr == 0 {
				*s.local.Edit(id) = local{}
				s.Touch(h, id)
			}
		}
		if a.Alone && wasActive != a.active {
			s.requeueWithin(h, a.prefix)
		}
	}
	s.joined = slices.DeleteFunc(slices.Clone(s.joined), func(a aggregate) bool { return !a.Prefix.IsValid() })
}

// join makes an aggregate of what Loc-RIB has within its prefix; none if there is
// nothing.
func (s *Speaker) join(h Host, a *aggregate) local {
	dict := &h.Shared().Prefixes
	out := attr.Set{Origin: attr.IGP, HasAggregator: true, AggregatorAS: s.config.AS, Aggregator: s.id}
	var paths []attr.Path
	found := false
	s.loc.Each(func(id uint32, b *best) bool {
		if b.attr == 0 {
			return true
		}
		x := dict.Prefix(id)
		if !a.prefix.Covers(x) || x == a.prefix {
			return true
		}
		if b.from == fromLocal && s.local.Get(id).how == aggregated {
			return true
		}
		set := h.Attrs().Get(b.attr)
		if p := s.book.Policy(a.Policy); p != nil {
			r := policy.Route{Prefix: x, Attrs: set, Source: "bgp", Instance: h.OriginName(route.BGP, id), LocalAS: s.config.AS}
			if !p.Run(&r, nil) {
				return true
			}
		}
		found = true
		out.Origin = max(out.Origin, set.Origin)
		out.Atomic = out.Atomic || !a.ASSet && set.PathLen > 0 || set.Atomic
		if a.ASSet {
			paths = append(paths, set.Path)
			for _, c := range set.Communities {
				if !slices.Contains(out.Communities, c) {
					out.Communities = append(out.Communities, c)
				}
			}
		}
		return true
	})
	if !found {
		return local{}
	}
	slices.Sort(out.Communities)
	if len(paths) > 0 {
		out.Path = attr.Aggregate(paths)
	}
	return local{attr: h.Attrs().ID(&out), preference: AggregatePreference, how: aggregated}
}

// hiddenBy is the aggregate that is sent instead of a prefix, if one is.
func (s *Speaker) hiddenBy(x ip.Prefix) (ip.Prefix, bool) {
	for k := range s.joined {
		if a := &s.joined[k]; a.active && a.Alone && a.prefix.Covers(x) && a.prefix != x {
			return a.prefix, true
		}
	}
	return ip.Prefix{}, false
}

// requeueWithin looks again at what is sent of the prefixes within one.
func (s *Speaker) requeueWithin(h Host, x ip.Prefix) {
	dict := &h.Shared().Prefixes
	s.loc.Each(func(id uint32, b *best) bool {
		if x.Covers(dict.Prefix(id)) {
			for i := range s.peers {
				if s.peers[i].up {
					s.peers[i].queue(s, id)
				}
			}
		}
		return true
	})
}
