package ospf

import (
	"hellebore/core/event"
	"hellebore/core/note"
	"hellebore/core/wire/ip"
	wire "hellebore/core/wire/ospf"
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
		at = max(at, a.originated+minLSInterval)
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
	if old.dying {
		return // sweep asks again when it is gone
	}
	body, any := p.routerBody(a.id)
	if !any {
		a.outbid = false
		p.flush(h, ai, key)
		return
	}
	raw := body.Append(nil)
	id, _ := h.Pool().intern(h.Shared(), key, wire.OptionE, raw)
	if old.body == id && !a.outbid {
		return
	}
	if old.body != 0 && old.seq == wire.MaxSeq {
		p.flush(h, ai, key) // RFC 2328 12.1.6
		return
	}
	a.outbid = false
	seq := wire.InitialSeq
	if old.body != 0 {
		seq = old.seq + 1
	}
	now := h.Now()
	head := wire.LSAHeader{Options: wire.OptionE, Key: p.routerKey(), Seq: seq, Length: uint16(wire.LSAHeaderLen + len(raw))}
	sum := wire.Fletcher(append(head.Append(nil), raw...))
	a.originated = now
	h.Calm().Hold(now + minLSInterval)
	h.Note(note.Note{Kind: note.LSAOriginated, Port: note.NoPort, A: uint64(key), B: uint64(uint32(seq))})
	p.install(h, ai, key, entry{birth: now, arrived: now, body: id, seq: seq, sum: sum})
	p.flood(h, ai, key, noNeighbour)
}

// ownCameBack deals with an LSA of ours that is more recent than what we had:
// it is outbid, or flushed if we no longer originate it (RFC 2328 13.4).
func (p *Process) ownCameBack(h Host, ai int, key uint32) {
	if h.Pool().Key(key) == p.routerKey() {
		p.areas[ai].outbid = true
		p.wantOriginate(h, ai, 0)
		return
	}
	p.flush(h, ai, key)
}

// routerBody describes this router's links in an area (RFC 2328 12.4.1.1 and
// 12.4.1.4); any is false if it has none.
func (p *Process) routerBody(areaID uint32) (body wire.RouterBody, any bool) {
	for i := range p.ports {
		q := &p.ports[i]
		if !q.running() || q.Area != areaID {
			continue
		}
		any = true
		if q.Loopback {
			body.Links = append(body.Links, wire.RouterLink{ID: q.Address, Data: ip.Mask(32), Type: wire.LinkStub})
			continue
		}
		for n := q.firstNbr; n != 0; n = p.nbrs[n-1].next {
			if nb := &p.nbrs[n-1]; nb.state == Full {
				body.Links = append(body.Links, wire.RouterLink{ID: nb.id, Data: q.Address, Type: wire.LinkPointToPoint, Metric: q.Cost})
			}
		}
		// RFC 2328 12.4.1.1 option 2: the link's subnet as a stub.
		net := ip.MakePrefix(q.Address, q.PrefixLen)
		body.Links = append(body.Links, wire.RouterLink{ID: net.Addr, Data: ip.Mask(net.Len), Type: wire.LinkStub, Metric: q.Cost})
	}
	return body, any
}
