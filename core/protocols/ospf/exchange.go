package ospf

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/protocols/lsdb"
	wire "hellebore/core/protocols/wire/ospf"
)

// startExchange brings a neighbour to ExStart (RFC 2328 10.3, AdjOK?): we claim
// to be master with a fresh sequence number, until the neighbour answers.
func (p *Process) startExchange(h Host, n uint32, why note.Code) {
	p.leaveExchange(h, n)
	nb := &p.nbrs[n]
	p.setState(h, n, ExStart, why)
	p.ddSeq++
	nb.ddSeq = uint32(store.Below(h.Rand(randDDSeq, uint64(p.ddSeq)), 1<<31)) + p.ddSeq
	nb.master, nb.more = true, true
	nb.lastFlags, nb.lastSeq = 0, 0
	p.sendDD(h, n, wire.FlagInit|wire.FlagMore|wire.FlagMaster, nil)
	p.armDD(h, n)
}

// leaveExchange drops all that an adjacency needs: lists and their timers.
func (p *Process) leaveExchange(h Host, n uint32) {
	nb := &p.nbrs[n]
	nb.dd.stop(h)
	nb.request.stop(h)
	nb.retransmit.stop(h)
	nb.requests, nb.retransmits, nb.asked = lsdb.List{}, lsdb.List{}, 0
	nb.summary, nb.lastDD = nil, nil
}

func (p *Process) armDD(h Host, n uint32) {
	nb := &p.nbrs[n]
	nb.dd.arm(h, h.Now()+event.FromDuration(p.ports[nb.port].RetransmitInterval), ddTimer, nb.port, n)
}

func (p *Process) retransmitDD(h Host, n uint32) {
	nb := &p.nbrs[n]
	nb.dd.again(h)
	p.send(h, nb.port, p.ports[nb.port].to(nb), slices.Clone(nb.lastDD), event.Pending)
	p.armDD(h, n)
}

func (p *Process) sendDD(h Host, n uint32, flags uint8, headers []byte) {
	nb := &p.nbrs[n]
	q := &p.ports[nb.port]
	b := wire.Begin(make([]byte, 0, 64+len(headers)), wire.TypeDD, p.routerID, q.Area)
	mtu := q.MTU
	if q.Virtual {
		mtu = 0 // RFC 2328 10.8
	}
	d := wire.DD{MTU: mtu, Options: p.options(q.Area), Flags: flags, Seq: nb.ddSeq, Headers: headers}
	b = d.Append(b)
	nb.lastDD = slices.Clone(b)
	p.send(h, nb.port, p.ports[nb.port].to(nb), b, event.Pending)
}

// describe sends the next part of the summary list (RFC 2328 10.8).
func (p *Process) describe(h Host, n uint32) {
	nb := &p.nbrs[n]
	q := &p.ports[nb.port]
	fit := (q.room() - 8) / wire.LSAHeaderLen
	var headers []byte
	for len(nb.summary) > 0 && fit > 0 {
		a := p.scope(p.scopeOf(q.Area, h.Pool().Key(nb.summary[0])))
		if e := a.db.Get(nb.summary[0]); e.Body != 0 {
			head := a.header(h, nb.summary[0], e)
			headers = head.Append(headers)
			fit--
		}
		nb.summary = nb.summary[1:]
	}
	flags := uint8(0)
	if nb.master {
		flags |= wire.FlagMaster
	}
	nb.more = len(nb.summary) > 0
	if nb.more {
		flags |= wire.FlagMore
	}
	p.sendDD(h, n, flags, headers)
	if nb.master {
		p.armDD(h, n)
	}
}

// to is where packets for one neighbour go (RFC 2328 8.1).
func (q *port) to(nb *neighbour) ip.Addr {
	if q.Broadcast {
		return nb.address
	}
	return wire.AllSPFRouters
}

// negotiated is NegotiationDone: the whole database is to be described.
func (p *Process) negotiated(h Host, n uint32) {
	nb := &p.nbrs[n]
	q := &p.ports[nb.port]
	nb.summary = p.areas[p.areaOf(q.Area)].sorted(h.Pool())
	if p.holds(asScope, q) {
		nb.summary = append(nb.summary, p.as.sorted(h.Pool())...)
	}
	nb.dd.answered()
	nb.dd.pause(h)
	p.setState(h, n, Exchange, note.None)
}

// receiveDD is RFC 2328 10.6.
func (p *Process) receiveDD(h Host, n uint32, body []byte) {
	nb := &p.nbrs[n]
	q := &p.ports[nb.port]
	d, ok := wire.ReadDD(body)
	if !ok {
		p.refuse(h, nb.port, nb.address, note.Malformed, 0, 0)
		return
	}
	if d.MTU > q.MTU && !q.IgnoreMTU {
		p.refuse(h, nb.port, nb.address, note.MTUTooLarge, uint64(q.MTU), uint64(d.MTU))
		return
	}
	p.forgetRefusal(h, nb.port, nb.address, note.MTUTooLarge)
	if nb.state == Init {
		p.twoWay(h, n)
		nb = &p.nbrs[n]
	}
	repeated := nb.lastFlags == d.Flags|0x80 && nb.lastSeq == d.Seq && nb.options == d.Options
	switch nb.state {
	case ExStart:
		const initial = wire.FlagInit | wire.FlagMore | wire.FlagMaster
		switch {
		case d.Flags == initial && len(d.Headers) == 0 && nb.id > p.routerID:
			nb.master, nb.ddSeq = false, d.Seq
		case d.Flags&(wire.FlagInit|wire.FlagMaster) == 0 && d.Seq == nb.ddSeq && nb.id < p.routerID:
			nb.master = true
		default:
			return
		}
		nb.options = d.Options
		p.negotiated(h, n)
	case Exchange:
		if repeated {
			if !nb.master { // the master did not take our answer
				nb.dd.again(h)
				p.send(h, nb.port, p.ports[nb.port].to(nb), slices.Clone(nb.lastDD), event.Pending)
			}
			return
		}
		inSequence := d.Seq == nb.ddSeq
		if !nb.master {
			inSequence = d.Seq == nb.ddSeq+1
		}
		if (d.Flags&wire.FlagMaster != 0) == nb.master || d.Flags&wire.FlagInit != 0 ||
			d.Options != nb.options || !inSequence {
			p.startExchange(h, n, note.NoNeighbour) // SeqNumberMismatch
			return
		}
	case Loading, Full:
		if repeated {
			if !nb.master && nb.lastDD != nil {
				p.send(h, nb.port, p.ports[nb.port].to(nb), slices.Clone(nb.lastDD), event.Pending)
			}
			return
		}
		p.startExchange(h, n, note.NoNeighbour) // SeqNumberMismatch
		return
	default:
		return
	}
	nb.lastFlags, nb.lastSeq = d.Flags|0x80, d.Seq
	nb.dd.answered()
	if !p.takeHeaders(h, n, d.Headers) {
		p.startExchange(h, n, note.UnknownLSA) // SeqNumberMismatch
		return
	}
	done := false
	if nb.master {
		nb.ddSeq++
		if done = d.Flags&wire.FlagMore == 0 && !nb.more; !done {
			p.describe(h, n)
		}
	} else {
		nb.ddSeq = d.Seq
		p.describe(h, n)
		done = d.Flags&wire.FlagMore == 0 && !nb.more
	}
	if done {
		p.exchangeDone(h, n)
	}
}

// takeHeaders asks for what the neighbour has and we have not, or have older.
func (p *Process) takeHeaders(h Host, n uint32, headers []byte) bool {
	nb := &p.nbrs[n]
	areaID := p.ports[nb.port].Area
	for len(headers) >= wire.LSAHeaderLen {
		head, _ := wire.ReadLSAHeader(headers)
		headers = headers[wire.LSAHeaderLen:]
		ai := p.scopeOf(areaID, head.Key)
		if !wire.KnownType(head.Key.Type) || !p.takes(ai, &p.ports[nb.port], head.Key.Type) {
			return false
		}
		a := p.scope(ai)
		id := h.Pool().KeyID(head.Key)
		if e := a.db.Get(id); e.Body != 0 {
			if e.Version(h.Now()).Compare(head.Version()) >= 0 {
				continue
			}
		}
		nb.requests.Put(id, lsdb.StampOf(head.Version()))
	}
	if nb.asked == 0 && nb.requests.Len() > 0 {
		p.sendRequest(h, n, false)
	}
	return true
}

func (p *Process) exchangeDone(h Host, n uint32) {
	nb := &p.nbrs[n]
	nb.dd.stop(h)
	if nb.requests.Len() > 0 {
		p.setState(h, n, Loading, note.None)
		return
	}
	p.setState(h, n, Full, note.None)
}

// sendRequest asks for as much of the request list as fits a packet (RFC 2328
// 10.9); again repeats what was asked and not answered.
func (p *Process) sendRequest(h Host, n uint32, again bool) {
	nb := &p.nbrs[n]
	q := &p.ports[nb.port]
	fit := q.room() / wire.RequestLen
	b := wire.Begin(nil, wire.TypeRequest, p.routerID, q.Area)
	nb.asked = 0
	for _, id := range nb.requests.Sorted(h.Pool().order) {
		s, _ := nb.requests.Get(id)
		if again && !s.Asked {
			continue
		}
		if nb.asked == fit {
			break
		}
		s.Asked = true
		nb.requests.Put(id, s)
		nb.asked++
		b = wire.AppendRequest(b, h.Pool().Key(id))
	}
	if nb.asked == 0 {
		nb.request.stop(h)
		return
	}
	p.send(h, nb.port, p.ports[nb.port].to(nb), b, event.Pending)
	nb.request.arm(h, h.Now()+event.FromDuration(q.RetransmitInterval), requestTimer, nb.port, n)
}

// answered takes an LSA off the request list; when what was asked has come, the
// next part is asked for, and when all has come, loading is done.
func (p *Process) answered(h Host, n, id uint32) {
	nb := &p.nbrs[n]
	nb.request.answered()
	if s, _ := nb.requests.Get(id); s.Asked {
		nb.asked--
	}
	nb.requests.Remove(id)
	switch {
	case nb.requests.Len() == 0:
		nb.request.stop(h)
		if nb.state == Loading {
			p.setState(h, n, Full, note.None) // LoadingDone
		}
	case nb.asked == 0:
		p.sendRequest(h, n, false)
	}
}

// receiveRequest is RFC 2328 10.7.
func (p *Process) receiveRequest(h Host, n uint32, body []byte) {
	nb := &p.nbrs[n]
	if nb.state < Exchange {
		return
	}
	u := p.newUpdate(nb.port, p.ports[nb.port].to(nb))
	for len(body) > 0 {
		key, ok := wire.NextRequest(&body)
		if !ok {
			p.refuse(h, nb.port, nb.address, note.Malformed, 0, 0)
			return
		}
		id, known := h.Pool().FindKey(key)
		a := p.scope(p.scopeOf(p.ports[nb.port].Area, key))
		e := a.db.Get(id)
		if !known || e.Body == 0 {
			u.send(h)
			p.startExchange(h, n, note.UnknownLSA) // BadLSReq
			return
		}
		u.add(h, a, id, e)
	}
	u.send(h)
}
