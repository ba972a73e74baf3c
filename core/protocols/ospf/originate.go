package ospf

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	wire "hellebore/core/protocols/wire/ospf"
)

// routerKey is the key of this router's own router LSA.
func (p *Process) routerKey() wire.Key {
	return wire.Key{Type: wire.RouterLSA, ID: p.routerID, Router: p.routerID}
}

// goodNews is how long an addition waits for others before it is announced. A
// loss, or a change that somebody asked for, is announced at once; a port that
// came up will have its neighbour in a moment, and one LSA then says both
// without MinLSInterval between them. RFC 2328 12.4 sets no time.
const goodNews = event.Second

// wantOriginate makes the router LSA of an area be what is true, after the
// given time or when MinLSInterval allows (RFC 2328 12.4).
func (p *Process) wantOriginate(h Host, ai int, after event.Time) {
	if !p.running {
		return
	}
	a := &p.areas[ai]
	// Never quite at once: one event may change several ports.
	at := h.Now() + max(after, event.Microsecond)
	if a.originated != 0 {
		at = max(at, a.originated+lsdb.MinLSInterval)
	}
	if !a.originate.Running() || at < a.originate.Deadline() {
		a.originate.Set(h, at, originateTimer, event.Pending, uint32(ai), 0)
	}
}

// originateRouter originates the area's router LSA as things are now (RFC 2328
// 12.4.1). The same contents again are originated only when they must outbid a
// copy or are due for a refresh; with no port left in the area, the LSA is
// flushed.
func (p *Process) originateRouter(h Host, ai int) {
	a := &p.areas[ai]
	key := h.Pool().KeyID(p.routerKey())
	old := a.db.Get(key)
	if old.Dying && old.Seq == lsdb.MaxSeq {
		return // RFC 2328 12.1.6: sweep asks again when it is gone
	}
	body, any := p.routerBody(a.id)
	if !any {
		a.outbid = false
		p.giveUp(h, ai, key)
		return
	}
	raw := body.Append(nil)
	id, _ := h.Pool().intern(h.Shared(), key, p.options(a.id), raw)
	if old.Body == id && !old.Dying && !a.outbid {
		return
	}
	if old.Body != 0 && old.Seq == lsdb.MaxSeq {
		p.flush(h, ai, key) // RFC 2328 12.1.6
		return
	}
	a.outbid = false
	a.originated = h.Now()
	p.originate(h, ai, key, id, old)
}

// originate puts a new instance of an own LSA into a database and floods it. old
// is the instance before.
func (p *Process) originate(h Host, ai int, key, body uint32, old lsdb.Instance) {
	seq := lsdb.InitialSeq
	if old.Body != 0 {
		seq = old.Seq + 1
	}
	now := h.Now()
	sum := p.checksum(h, key, body, seq)
	h.Calm().Hold(now + lsdb.MinLSInterval)
	h.Note(note.Note{Kind: note.LSAOriginated, A: uint64(key), B: uint64(uint32(seq))})
	p.install(h, ai, key, lsdb.Instance{Birth: now, Arrived: now, Body: body, Seq: seq, Sum: sum})
	p.flood(h, ai, key, noNeighbour)
}

// checksum is that of an LSA with a sequence number (RFC 2328 12.1.7).
func (p *Process) checksum(h Host, key, body uint32, seq int32) uint16 {
	b := h.Pool().Body(body)
	head := wire.LSAHeader{Options: b.Options, Key: h.Pool().Key(key), Seq: seq, Length: uint16(wire.LSAHeaderLen + len(b.Raw))}
	return wire.Fletcher(append(head.Append(nil), b.Raw...))
}

// wish is an LSA that this router should have in a database now.
type wish struct {
	key     wire.Key
	options uint8
	raw     []byte
}

// wantSync makes the own LSAs other than router LSAs be what is true, after the
// given time.
func (p *Process) wantSync(h Host, after event.Time) {
	if !p.running {
		return
	}
	at := h.Now() + max(after, event.Microsecond)
	if !p.sync.Running() || at < p.sync.Deadline() {
		p.sync.Set(h, at, syncTimer, event.Pending, 0, 0)
	}
}

// syncOwn originates the own LSAs that should be there and are not, or are there
// with other contents, and flushes those that should not. What MinLSInterval
// holds back is looked at again when it may go: as things are then.
func (p *Process) syncOwn(h Host) {
	pool, now := h.Pool(), h.Now()
	next := event.Never
	for ai := range p.areas {
		switch a := &p.areas[ai]; {
		case a.translatesUntil == 0:
		case now >= a.translatesUntil:
			a.translates, a.translatesUntil = false, 0
			p.scheduleSPF(h) // what it dropped as a translator is not dropped any more
		default:
			next = min(next, a.translatesUntil)
		}
	}
	for ai := asScope; ai < len(p.areas); ai++ {
		a := p.scope(ai)
		wishes := p.wishes(h, ai)
		wanted := make(map[uint32]bool, len(wishes))
		for _, w := range wishes {
			key := pool.KeyID(w.key)
			wanted[key] = true
			body, _ := pool.intern(h.Shared(), key, w.options, w.raw)
			old := a.db.Get(key)
			switch {
			case old.Dying && old.Seq == lsdb.MaxSeq:
				// RFC 2328 12.1.6: sweep asks again when it is gone.
			case old.Body == body && !old.Dying && !old.Outbid:
			case old.Body != 0 && !old.Flooded && now < old.Arrived+lsdb.MinLSInterval:
				next = min(next, old.Arrived+lsdb.MinLSInterval)
			case old.Body != 0 && old.Seq == lsdb.MaxSeq:
				p.flush(h, ai, key) // RFC 2328 12.1.6
			default:
				p.originate(h, ai, key, body, old)
			}
		}
		for _, key := range a.own(pool, p.routerID) {
			if pool.Key(key) != p.routerKey() && !wanted[key] {
				p.giveUp(h, ai, key)
			}
		}
	}
	if next != event.Never && (!p.sync.Running() || next < p.sync.Deadline()) {
		p.sync.Set(h, next, syncTimer, event.Pending, 0, 0)
	}
}

// giveUp flushes an own LSA that is not wanted any more, or lets go of it if it is
// on its way out already.
func (p *Process) giveUp(h Host, ai int, key uint32) {
	if e := p.scope(ai).db.Get(key); e.Dying && e.Outbid {
		p.scope(ai).db.Outbid(key, false)
		p.sweepScope(h, ai)
		return
	}
	p.flush(h, ai, key)
}

// wishes are the LSAs other than the router LSA that this router should have in
// an area's database now.
func (p *Process) wishes(h Host, ai int) []wish {
	if ai == asScope {
		return p.externalWishes(h)
	}
	id := p.areas[ai].id
	list := p.networkWishes(&p.areas[ai], nil)
	if !slices.Contains(p.active(), id) {
		return list
	}
	if p.joins() {
		list = p.summaryWishes(h, id, list)
	}
	if c := p.areaConfig(id); c.NSSA {
		list = p.nssaWishes(&c, list)
	}
	return list
}

// networkWishes are the network LSAs of the segments that this router is DR of
// and has a neighbour on (RFC 2328 12.4.2).
func (p *Process) networkWishes(a *area, list []wish) []wish {
	for i := range p.ports {
		q := p.ports[i]
		if q.Area != a.id || q.state != PortDR || !p.transit(q) {
			continue
		}
		body := wire.NetworkBody{Mask: ip.Mask(q.PrefixLen), Routers: []ip.Quad{p.routerID}}
		for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
			if nb := &p.nbrs[n.Index()]; nb.state == adjacency.Full {
				body.Routers = append(body.Routers, nb.id)
			}
		}
		slices.Sort(body.Routers)
		list = append(list, wish{wire.Key{Type: wire.NetworkLSA, ID: q.Address.Quad(), Router: p.routerID}, p.options(a.id),
			body.Append(nil)})
	}
	return list
}

// ownCameBack deals with an LSA of ours that is more recent than what we had, as
// one at MaxAge is too: it is outbid, or flushed if we should not have it (RFC
// 2328 13.4).
func (p *Process) ownCameBack(h Host, ai int, key uint32) {
	p.scope(ai).db.Outbid(key, true)
	if h.Pool().Key(key) == p.routerKey() {
		p.areas[ai].outbid = true
		p.wantOriginate(h, ai, 0)
		return
	}
	p.wantSync(h, 0)
}

// routerBody describes this router's links in an area (RFC 2328 12.4.1.1,
// 12.4.1.2 and 12.4.1.4); any is false if it has none.
func (p *Process) routerBody(areaID uint32) (body wire.RouterBody, any bool) {
	if p.AreaBorder() {
		body.Flags |= wire.FlagB
	}
	c := p.areaConfig(areaID)
	if p.ASBoundary() && !c.Stub {
		body.Flags |= wire.FlagE
	}
	if p.endsVirtual(areaID) {
		body.Flags |= wire.FlagV
	}
	if p.AreaBorder() && c.NSSA && c.Translate {
		body.Flags |= wire.FlagN
	}
	for i := range p.ports {
		q := p.ports[i]
		if !q.running() || q.Area != areaID {
			continue
		}
		any = true
		if q.Virtual {
			for n := q.firstNbr; n.IsValid(); n = p.nbrs[n.Index()].next {
				if nb := &p.nbrs[n.Index()]; nb.state == adjacency.Full {
					body.Links = append(body.Links,
						wire.RouterLink{ID: nb.id, Data: q.Address.Quad(), Type: wire.LinkVirtual, Metric: q.Cost})
				}
			}
			continue
		}
		if q.Loopback && !q.OwnMask {
			body.Links = append(body.Links, wire.RouterLink{ID: q.Address.Quad(), Data: ip.Mask(32), Type: wire.LinkStub})
			continue
		}
		if p.transit(q) {
			body.Links = append(body.Links,
				wire.RouterLink{ID: q.dr, Data: q.Address.Quad(), Type: wire.LinkTransit, Metric: q.Cost})
			continue
		}
		for n := q.firstNbr; n.IsValid() && !q.Broadcast; n = p.nbrs[n.Index()].next {
			if nb := &p.nbrs[n.Index()]; nb.state == adjacency.Full {
				body.Links = append(body.Links,
					wire.RouterLink{ID: nb.id, Data: q.Address.Quad(), Type: wire.LinkPointToPoint, Metric: q.Cost})
			}
		}
		// RFC 2328 12.4.1.1 option 2: the link's subnet as a stub.
		net := ip.MakePrefix(q.Address, q.PrefixLen)
		body.Links = append(body.Links, wire.RouterLink{ID: net.Addr.Quad(), Data: ip.Mask(net.Len), Type: wire.LinkStub, Metric: q.Cost})
	}
	return body, any
}
