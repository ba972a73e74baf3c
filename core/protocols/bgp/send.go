package bgp

import (
	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/bgp"
)

// What is sent (RFC 4271 9.2): a queue holds prefixes, never messages. When there
// is room to send, each is compared with what the peer has received, and the
// difference goes out: no old news wait anywhere.

// roomFor is how much may wait in TCP before no more UPDATEs are made.
const roomFor = 32 << 10

// chunk is how many prefixes are looked at before TCP's room is asked for again.
const chunk = 512

// queue puts a prefix among those to compare for a peer.
func (p *peer) queue(s *Speaker, prefix uint32) {
	if e := p.out.At(prefix); e != nil && e.queued {
		return
	}
	p.out.Edit(prefix).queued = true
	p.pending = append(p.pending, prefix)
	s.awaited(p.number)
}

// queueAll queues all of Loc-RIB for a peer; again has everything sent even if
// nothing changed.
func (p *peer) queueAll(s *Speaker, h Host, again bool) {
	if !p.up {
		return
	}
	s.loc.Each(func(prefix uint32, b *best) bool {
		if b.attr != 0 {
			p.queue(s, prefix)
			if again {
				p.out.Edit(prefix).again = true
			}
		}
		return true
	})
	p.out.Each(func(prefix uint32, e *sentEntry) bool {
		if e.sent != 0 {
			p.queue(s, prefix)
			if again {
				p.out.Edit(prefix).again = true
			}
		}
		return true
	})
	if p.config.Default {
		p.queue(s, h.Shared().Prefixes.ID(ip.Default))
	}
}

// sender groups the prefixes that are to be sent, by their numbers, by attributes, in
// the order of first sight.
type sender struct {
	withdrawn []uint32
	order     []attr.ID
	groups    map[attr.ID][]uint32
}

// send sends a peer what it does not know yet, as far as the window is open and
// MinRouteAdvertisementInterval lets it (RFC 4271 9.2.1.1).
func (p *peer) send(s *Speaker, h Host) {
	t := p.established()
	if t == nil {
		return
	}
	for len(p.pending) > 0 {
		if p.round == 0 {
			if p.interval.Running() {
				if !p.held {
					p.held = true
					h.Calm().Begin()
					h.Calm().Awaits(h, intervalTimer, uint32(p.number), 0)
				}
				return
			}
			p.round = len(p.pending)
		}
		if h.UnsentTCP(t.conn) > roomFor {
			return // TCP says when there is room again
		}
		n := min(p.round, chunk)
		sent := p.sendSome(s, h, p.pending[:n])
		p.pending = p.pending[n:]
		if p.round -= n; p.round == 0 && sent && p.config.Interval > 0 {
			wait := s.jitter(h, randInterval, p.config.Interval)
			p.interval.Set(h, h.Now()+wait, intervalTimer, event.Periodic, uint32(p.number), 0)
			h.Calm().Hold(h.Now() + wait)
		}
	}
	p.pending = nil
}

// sendChunk compares some prefixes with what the peer has received, and says
// whether anything was sent.
func (p *peer) sendSome(s *Speaker, h Host, prefixes []uint32) bool {
	t := p.established()
	var b sender
	dict := &h.Shared().Prefixes
	ex := exporter{s: s, h: h, p: p}
	for _, id := range prefixes {
		e := p.out.Edit(id)
		e.queued = false
		want, _ := ex.wanted(id)
		if want == e.sent && !(e.again && want != 0) {
			e.again = false
			continue
		}
		e.again = false
		switch {
		case want == 0:
			b.withdrawn = append(b.withdrawn, id)
			p.sent--
		default:
			if e.sent == 0 {
				p.sent++
			}
			if b.groups == nil {
				b.groups = map[attr.ID][]uint32{}
			}
			if _, known := b.groups[want]; !known {
				b.order = append(b.order, want)
			}
			b.groups[want] = append(b.groups[want], id)
		}
		e.sent = want
	}
	four := p.both(t, wire.CapFourOctetAS)
	var out []byte
	messages, announced := 0, 0
	var list []ip.Prefix
	prefixesOf := func(ids []uint32) []ip.Prefix {
		list = list[:0]
		for _, id := range ids {
			list = append(list, dict.Prefix(id))
		}
		return list
	}
	if len(b.withdrawn) > 0 {
		out, messages = wire.AppendUpdates(out, prefixesOf(b.withdrawn), nil, nil, four)
	}
	for _, id := range b.order {
		var n int
		out, n = wire.AppendUpdates(out, nil, prefixesOf(b.groups[id]), h.Attrs().Get(id), four)
		messages += n
		announced += len(b.groups[id])
	}
	if messages == 0 {
		return false
	}
	p.outCount[wire.TypeUpdate] += uint32(messages)
	s.sent += uint64(messages)
	h.Note(note.Note{Kind: note.UpdateSent, A: uint64(h.Shared().Addrs.ID(p.config.Address)), B: uint64(announced),
		C: uint64(len(b.withdrawn))})
	h.WriteTCP(t.conn, out)
	return true
}

// exporter finds what a peer is to receive for prefixes.
type exporter struct {
	s     *Speaker
	h     Host
	p     *peer
	trace *policy.Trace // filled by wanted, if not nil
	// The last rewriting, which is the same for equal attributes from one peer.
	from, to attr.ID
	fromPeer uint16
	why      note.Code
	// Room for the route that is looked at, and for what becomes of it.
	route policy.Route
	out   attr.Set
}

// wanted is what the peer is to receive for a prefix, 0 for nothing, and why
// nothing.
func (x *exporter) wanted(prefix uint32) (attr.ID, note.Code) {
	s, p := x.s, x.p
	dict := &x.h.Shared().Prefixes
	if p.config.Default && p.defaultMet && dict.Prefix(prefix).Len == 0 {
		return x.defaultRoute()
	}
	b, why := x.shown(prefix)
	if why != note.None {
		return 0, why
	}
	r := &x.route
	var id attr.ID
	*r, id = x.offer(prefix, b)
	if pol := s.book.Policy(p.config.Export); pol != nil {
		before := r.Attrs
		if !pol.Run(r, x.trace) {
			return 0, note.PolicyRejected
		}
		if r.Attrs != before || r.Self || r.Peer {
			id = 0
		}
	}
	if id == 0 || id != x.from || b.from != x.fromPeer {
		x.out = x.rewrite(r, b)
		x.from, x.fromPeer = id, b.from
		x.to, x.why = x.fitting(&x.out)
	}
	return x.to, x.why
}

// shown is the path that the export policy is asked about, or why there is none: the best one, or to an internal peer
// that does not receive it because it is internal, the best external one.
func (x *exporter) shown(prefix uint32) (best, note.Code) {
	s, p := x.s, x.p
	b := s.loc.Get(prefix)
	if b.attr == 0 {
		return b, note.NoBestPath
	}
	why := x.withheld(b, x.h.Attrs().Get(b.attr), x.h.Shared().Prefixes.Prefix(prefix))
	if (why == note.BetweenInternal || why == note.FromThatPeer) && !p.config.External {
		if o := s.outside.Get(prefix); o.attr != 0 {
			return o, x.withheld(o, x.h.Attrs().Get(o.attr), x.h.Shared().Prefixes.Prefix(prefix))
		}
	}
	return b, why
}

// offer is the route that the export policy is asked about: a path as it is
// in Loc-RIB. What sending changes by itself comes after the policy. id is its
// attributes' number.
func (x *exporter) offer(prefix uint32, b best) (r policy.Route, id attr.ID) {
	s, p := x.s, x.p
	a := x.h.Attrs().Get(b.attr)
	id = b.attr
	r = policy.Route{Prefix: x.h.Shared().Prefixes.Prefix(prefix), Attrs: a, Source: "bgp", Type: "local",
		Neighbour: p.config.Address, NeighbourA: p.config.AS, LocalAS: s.config.AS, Instance: x.h.OriginName(route.BGP, prefix)}
	if b.from == fromLocal {
		l := s.local.Get(prefix)
		r.Tag = l.tag
		if l.how != aggregated && l.how != fromFeed {
			r.Source, r.Instance = l.source.String(), x.h.OriginName(l.source, prefix)
		}
	} else if r.Type = "internal"; s.peers[b.from].config.External {
		r.Type = "external"
	}
	r.Metric = r.Attrs.MED
	if s.book.Policy(p.config.Export).UsesInterior() {
		if b.from != fromLocal {
			r.Interior, r.Reached = x.h.Reach(x.h.Gateway(a.NextHop), prefix)
		} else if _, own, ok := x.h.Interior(prefix); ok {
			r.Interior, r.Reached = own.Metric, true
		}
	}
	return r, id
}

// withheld is why a path is not shown to a peer, whatever the export policy.
func (x *exporter) withheld(b best, a *attr.Set, prefix ip.Prefix) note.Code {
	s, p := x.s, x.p
	internal := b.from != fromLocal && !s.peers[b.from].config.External
	switch {
	case int(b.from) == p.number:
		return note.FromThatPeer
	case a.Has(attr.NoAdvertise):
		return note.CommunityNoAdvertise
	case a.Has(attr.NoExport) && p.config.External, a.Has(attr.NoExportSubconfed) && p.config.External:
		return note.CommunityNoExport
	case internal && !p.config.External && !p.config.Client && !s.peers[b.from].config.Client:
		return note.BetweenInternal // RFC 4271 9.2, RFC 4456 6
	case !s.config.NoLoopCheck && !p.config.NoLoopCheck && p.config.External && a.Path.Count(p.config.AS) > 0:
		return note.PeerASInPath
	case s.config.NeedPolicy && p.config.External && p.config.Export == "":
		return note.NoExportPolicy // RFC 8212 3
	}
	if _, hidden := s.hiddenBy(prefix); hidden {
		return note.WithinAggregate
	}
	if s.config.InUseOnly && b.from != fromLocal {
		if id, known := x.h.Shared().Prefixes.Find(prefix); known {
			if _, used := x.h.InUse(id); !used {
				return note.NotInUse
			}
		}
	}
	return note.None
}

// rewrite is what sending itself changes: our AS, the next hop, and what stays
// within an AS (RFC 4271 5.1, RFC 4456 8).
func (x *exporter) rewrite(r *policy.Route, b best) attr.Set {
	s, p := x.s, x.p
	a := *r.Attrs
	own := b.from == fromLocal
	hop := a.NextHop
	self := p.established().local
	if p.config.External {
		a.HasLocalPref, a.LocalPref, a.Originator, a.Clusters = false, 0, 0, nil
		if !own && !r.MEDSet {
			a.MED, a.HasMED = 0, false // RFC 4271 5.1.4: another AS's MED goes no further
		}
		if p.config.RemovePrivate {
			a.Path = policy.WithoutPrivate(a.Path)
		}
		switch {
		case p.config.LocalAS == 0:
			a.Path = a.Path.Prepend(s.config.AS)
		case p.config.ReplaceOldAS: // RFC 7705 3.2
			a.Path = a.Path.Prepend(p.config.LocalAS)
		default:
			a.Path = a.Path.Prepend(p.config.LocalAS, s.config.AS)
		}
		// RFC 4271 5.1.3: a third party on the network that we share with the peer
		// stays the next hop.
		third := p.direct() && hop.IsValid() && hop != p.config.Address && x.h.SameNetwork(hop, p.config.Address)
		switch {
		case r.Fixed:
		case r.Self || p.config.NextHopSelf:
			a.NextHop = self
		case p.config.NextHopKept && hop.IsValid() || third:
		default:
			a.NextHop = self
		}
	} else {
		a.LocalPref, a.HasLocalPref = a.Preference(), true
		reflected := !own && !s.peers[b.from].config.External
		if !r.Fixed && (r.Self || !hop.IsValid() || p.config.NextHopSelf && !reflected) {
			a.NextHop = self
		}
		if reflected {
			if a.Originator == 0 {
				if t := s.peers[b.from].established(); t != nil {
					a.Originator = t.open.ID
				}
			}
			a.Clusters = append([]ip.Quad{s.cluster()}, a.Clusters...)
		}
	}
	if r.Peer {
		a.NextHop = p.config.Address
	}
	return a
}

// defaultRoute is the default route that the peer is sent on request, as the export
// policy leaves it; 0 and why if that rejects it.
func (x *exporter) defaultRoute() (attr.ID, note.Code) {
	r := x.ownDefault()
	if pol := x.s.book.Policy(x.p.config.Export); pol != nil && !pol.Run(&r, x.trace) {
		return 0, note.PolicyRejected
	}
	out := x.rewrite(&r, best{from: fromLocal})
	return x.fitting(&out)
}

// fitting is attributes that go to the peer, 0 if no UPDATE has room for them: then
// the path must not be advertised (RFC 4271 9.2).
func (x *exporter) fitting(a *attr.Set) (attr.ID, note.Code) {
	if !wire.Fits(a, x.p.both(x.p.established(), wire.CapFourOctetAS)) {
		return 0, note.UpdateTooLong
	}
	return x.h.Attrs().ID(a), note.None
}

// ownDefault is the default route that the export policy is asked about.
func (x *exporter) ownDefault() policy.Route {
	p := x.p
	return policy.Route{Prefix: ip.Default, Attrs: &attr.Set{Origin: attr.IGP}, Source: "bgp", Type: "local", Neighbour: p.config.Address,
		NeighbourA: p.config.AS, LocalAS: x.s.config.AS}
}
