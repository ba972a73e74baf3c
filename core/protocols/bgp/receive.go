package bgp

import (
	"slices"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/bgp"
)

// TCPArrived reads what came on a connection: all whole messages in it.
func (s *Speaker) TCPArrived(h Host, conn uint32) {
	p, c := s.find(conn)
	if p == nil {
		return
	}
	data := h.ReadTCP(conn)
	if in := c.in; len(in) > 0 {
		data = append(slices.Clip(in), data...)
	}
	for {
		t, body, n, fault := wire.Split(data)
		if fault != nil {
			p.refuse(s, h, c, fault)
			return
		}
		if n == 0 {
			break
		}
		p.message(s, h, c, t, body)
		data = data[n:]
		// The message may have ended the session, or this connection of it.
		if !c.on || c.conn != conn {
			return
		}
	}
	c.in = slices.Clone(data)
}

// malformed answers what cannot be read with the NOTIFICATION that it earns.
func (p *peer) refuse(s *Speaker, h Host, c *connection, n *wire.Notification) {
	p.fail(s, h, c, Ending{Reason: note.MalformedMessage, Notify: true, Code: n.Code, Subcode: n.Subcode,
		Data: slices.Clone(n.Data), Theirs: uint64(n.Code)<<8 | uint64(n.Subcode)})
}

// fail ends the session if it is up on this connection, else just the connection.
func (p *peer) fail(s *Speaker, h Host, c *connection, e Ending) {
	if c.stage == Established {
		p.end(s, h, e)
		return
	}
	p.failConnection(s, h, c, e)
}

// message takes one message (RFC 4271 8.2.2).
func (p *peer) message(s *Speaker, h Host, c *connection, t wire.Type, body []byte) {
	p.inCount[t]++
	stage := c.stage
	switch t {
	case wire.TypeNotification:
		n := wire.ReadNotification(body)
		h.Note(note.Note{Kind: note.NotificationReceivedFrom, A: uint64(h.Shared().Addrs.ID(p.config.Address)),
			B: uint64(n.Code)<<8 | uint64(n.Subcode)})
		reason := note.NotificationReceived
		if n.Code == wire.Cease && n.Subcode == wire.CollisionResolution {
			reason = note.Collision
		}
		p.fail(s, h, c, Ending{Reason: reason, Received: true, Code: n.Code, Subcode: n.Subcode,
			Data: slices.Clone(n.Data), Text: n.ShutdownText()})
		return
	case wire.TypeOpen:
		if stage != OpenSent {
			break
		}
		o, fault := wire.ReadOpen(slices.Clone(body))
		if fault != nil {
			p.refuse(s, h, c, fault)
			return
		}
		p.onOpen(s, h, c, o)
		return
	case wire.TypeKeepalive:
		switch stage {
		case OpenConfirm:
			p.restartHold(h)
			p.establish(s, h, c)
			return
		case Established:
			p.restartHold(h)
			return
		}
	case wire.TypeUpdate:
		if stage == Established {
			p.restartHold(h)
			p.update(s, h, c, body)
			return
		}
	case wire.TypeRouteRefresh:
		if stage == Established {
			if f, ok := wire.ReadFamily(body); ok && f == wire.IPv4Unicast && p.both(c, wire.CapRouteRefresh) {
				p.queueAll(s, h, true)
			}
			return
		}
	}
	// RFC 6608: a message that has no place in this state.
	p.fail(s, h, c, Ending{Reason: note.UnexpectedMessage, Notify: true, Code: wire.FSMError, Subcode: max(1, uint8(stage)-uint8(OpenSent)+1), Theirs: uint64(t)})
}

// update takes an UPDATE into Adj-RIB-In (RFC 4271 9, RFC 7606).
func (p *peer) update(s *Speaker, h Host, c *connection, body []byte) {
	u, fault := wire.ReadUpdate(body)
	if fault != nil {
		p.refuse(s, h, c, fault)
		return
	}
	announced, withdrawn := 0, 0
	dict := &h.Shared().Prefixes
	wire.Prefixes(u.Withdrawn, func(x ip.Prefix) {
		withdrawn++
		if id, ok := dict.Find(x); ok {
			p.withdraw(s, id)
		}
	})
	if len(u.Announced) > 0 {
		set, bad := wire.ReadAttributes(u.Attributes,
			wire.Peer{FourOctet: p.both(c, wire.CapFourOctetAS), External: p.config.External})
		if bad.Verdict == wire.Fine && p.config.External && set.Path.First() != p.config.AS {
			bad = wire.Fault{Verdict: wire.TreatedAsWithdraw, Type: 2} // RFC 4271 6.3, RFC 7606 7.2
		}
		if bad.Verdict != wire.Fine {
			p.faults++
			h.Note(note.Note{Kind: note.AttributeFault, A: uint64(h.Shared().Addrs.ID(p.config.Address)),
				B: uint64(bad.Type), C: uint64(bad.Verdict)})
		}
		if bad.Verdict == wire.TreatedAsWithdraw {
			wire.Prefixes(u.Announced, func(x ip.Prefix) {
				withdrawn++
				if id, ok := dict.Find(x); ok {
					p.withdraw(s, id)
				}
			})
		} else {
			im := p.importer(s, h, h.Attrs().ID(&set))
			wire.Prefixes(u.Announced, func(x ip.Prefix) {
				announced++
				id := dict.ID(x)
				p.store(s, id, im.row(id, x))
			})
		}
	}
	h.Note(note.Note{Kind: note.UpdateReceived, A: uint64(h.Shared().Addrs.ID(p.config.Address)), B: uint64(announced),
		C: uint64(withdrawn)})
	if p.config.MaxPrefixes > 0 && p.received > p.config.MaxPrefixes {
		p.limited = true
		p.end(s, h, Ending{Reason: note.PrefixLimit, Notify: true, Code: wire.Cease, Subcode: wire.MaximumPrefixes,
			Mine: uint64(p.config.MaxPrefixes), Theirs: uint64(p.received)})
	}
}

// store puts a row into Adj-RIB-In.
func (p *peer) store(s *Speaker, prefix uint32, e entry) {
	row := p.in.Edit(prefix)
	if row.raw == e.raw && row.eff == e.eff && row.why == e.why {
		return
	}
	if row.raw == 0 {
		p.received++
	}
	if row.eff != 0 {
		p.accepted--
	}
	if e.eff != 0 {
		p.accepted++
	}
	if row.eff != e.eff {
		s.mark(prefix)
	}
	*row = e
}

func (p *peer) withdraw(s *Speaker, prefix uint32) {
	if e := p.in.At(prefix); e == nil || e.raw == 0 {
		return
	}
	row := p.in.Edit(prefix)
	p.received--
	if row.eff != 0 {
		p.accepted--
		s.mark(prefix)
	}
	*row = entry{}
}

// importer makes rows of Adj-RIB-In of one set of attributes: what does not
// depend on the prefix is found out once.
type importer struct {
	s      *Speaker
	h      Host
	p      *peer
	raw    attr.ID
	base   attr.ID // what the policy begins with
	set    *attr.Set
	why    note.Code // not accepted, whatever the prefix
	policy *policy.Policy
	done   bool // the policy's verdict holds for all prefixes
	same   entry
}

func (p *peer) importer(s *Speaker, h Host, raw attr.ID) importer {
	im := importer{s: s, h: h, p: p, raw: raw, base: raw, set: h.Attrs().Get(raw)}
	im.policy = s.book.Policy(p.config.Import)
	im.why = s.unacceptable(h, p, im.set)
	if set, changed := p.prepended(im.set); changed && im.why == note.None {
		im.base = h.Attrs().ID(set)
		im.set = h.Attrs().Get(im.base)
	}
	return im
}

// prepended is what a peer sent with the AS before it in which the peer sees us
// (RFC 7705 3.1).
func (p *peer) prepended(a *attr.Set) (with *attr.Set, changed bool) {
	if p.config.LocalAS == 0 || p.config.NoPrependIn {
		return a, false
	}
	out := *a
	out.Path = a.Path.Prepend(p.config.LocalAS)
	return &out, true
}

// unacceptable is why paths with these attributes are not even shown to the
// import policy.
func (s *Speaker) unacceptable(h Host, p *peer, a *attr.Set) note.Code {
	hop := a.NextHop
	switch {
	case a.Path.Count(s.config.AS) > int(p.config.OwnAS),
		p.config.LocalAS != 0 && a.Path.Count(p.config.LocalAS) > int(p.config.OwnAS):
		return note.OwnASInPath // RFC 4271 9.1.2
	case a.Originator == s.id && a.Originator != 0:
		return note.OwnOriginator // RFC 4456 8
	case slices.Contains(a.Clusters, s.cluster()):
		return note.OwnCluster // RFC 4456 8
	case h.Local(hop):
		return note.NextHopIsLocal // RFC 4271 5.1.3
	case p.direct() && hop != p.config.Address && !h.SameNetwork(hop, p.config.Address):
		return note.NextHopNotOnLink // RFC 4271 6.3
	case s.config.NeedPolicy && p.config.External && p.config.Import == "":
		return note.NoImportPolicy // RFC 8212 3
	}
	return note.None
}

// cluster is the cluster ID of a reflector (RFC 4456 7).
func (s *Speaker) cluster() ip.Quad {
	if c := ip.QuadFrom(s.config.ClusterID); c != 0 {
		return c
	}
	return s.id
}

// Asked is the route that an import policy is asked about.
func (s *Speaker) asked(h Host, p *peer, prefix ip.Prefix, a *attr.Set) policy.Route {
	r := policy.Route{Prefix: prefix, Attrs: a, Source: "bgp", Type: "internal", Neighbour: p.config.Address,
		NeighbourA: p.config.AS, LocalAS: s.config.AS, Metric: a.MED, Instance: h.OriginName(route.BGP, 0)}
	if p.config.External {
		r.Type = "external"
	}
	if s.book.Policy(p.config.Import).UsesInterior() {
		r.Interior, r.Reached = h.Reach(h.Gateway(a.NextHop), h.Shared().Prefixes.ID(prefix))
	}
	return r
}

// row is the row of one prefix.
func (im *importer) row(id uint32, prefix ip.Prefix) entry {
	e := entry{raw: im.raw, why: im.why}
	switch {
	case im.why != note.None:
		return e
	case im.policy == nil:
		e.eff = im.base
		return e
	case im.done:
		return im.same
	}
	r := im.s.asked(im.h, im.p, prefix, im.set)
	if !im.policy.Run(&r, nil) {
		e.why = note.PolicyRejected
	} else {
		e.eff = im.base
		if r.Self || r.Peer {
			a := *r.Attrs
			a.NextHop = im.p.config.Address // on import, both ways of saying it mean whom it came from
			r.Attrs = &a
		}
		if r.Attrs != im.set {
			e.eff = im.h.Attrs().ID(r.Attrs)
		}
	}
	if !im.policy.ByPrefix() {
		im.done, im.same = true, e
	}
	return e
}

// Reimport runs the import policy on what a peer sent, as it was received.
func (s *Speaker) Reimport(h Host, i int) {
	p := &s.peers[i]
	if !p.up {
		return
	}
	var last importer
	p.in.Each(func(prefix uint32, e *entry) bool {
		if e.raw == 0 {
			return true
		}
		if last.raw != e.raw {
			last = p.importer(s, h, e.raw)
		}
		p.store(s, prefix, last.row(prefix, h.Shared().Prefixes.Prefix(prefix)))
		return true
	})
}

// AskAgain asks a peer to send all it has (RFC 2918); a peer that cannot is taken
// by what is stored of it. It says whether there is a session.
func (s *Speaker) AskAgain(h Host, i int) bool {
	p := &s.peers[i]
	t := p.established()
	if t == nil {
		return false
	}
	if p.both(t, wire.CapRouteRefresh) {
		p.write(s, h, p.established(), wire.TypeRouteRefresh, wire.RouteRefresh(nil, wire.IPv4Unicast))
	} else {
		s.Reimport(h, i)
	}
	return true
}

// SendAgain sends a peer all there is for it once more.
func (s *Speaker) SendAgain(h Host, i int) bool {
	if !s.peers[i].up {
		return false
	}
	s.peers[i].queueAll(s, h, true)
	return true
}

// Find is the number of the peer with an address.
func (s *Speaker) Find(a ip.Addr) (i int, ok bool) {
	i = slices.IndexFunc(s.peers, func(p peer) bool { return p.config.Address == a && !p.gone })
	return i, i >= 0
}
