package ospf

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	wire "hellebore/core/protocols/wire/ospf"
)

// startExchange brings a neighbour to ExStart (RFC 2328 10.3, AdjOK?): we claim
// to be master with a fresh sequence number, until the neighbour answers.
func (p *Process) startExchange(h Host, n uint32, why note.Code) {
	p.leaveExchange(h, n)
	nb := &p.nbrs[n]
	p.setState(h, n, adjacency.ExStart, why)
	p.ddSeq++
	nb.descriptions.Begin(uint32(store.Below(h.Rand(randDDSeq, uint64(p.ddSeq)), 1<<31)) + p.ddSeq)
	p.sendDD(h, n, wire.FlagInit|wire.FlagMore|wire.FlagMaster, nil)
	p.armDD(h, n)
}

// leaveExchange drops all that an adjacency needs: lists and their timers.
func (p *Process) leaveExchange(h Host, n uint32) {
	nb := &p.nbrs[n]
	nb.dd.Stop(h)
	nb.request.Stop(h)
	nb.retransmit.Stop(h)
	nb.requests, nb.retransmits = adjacency.Requests{}, lsdb.List{}
	nb.descriptions.Describe(nil)
	nb.lastDD = nil
}

func (p *Process) armDD(h Host, n uint32) {
	nb := &p.nbrs[n]
	nb.dd.Arm(h, h.Now()+event.FromDuration(p.ports[nb.port].RetransmitInterval), ddTimer, nb.port, n)
}

func (p *Process) retransmitDD(h Host, n uint32) {
	nb := &p.nbrs[n]
	nb.dd.Again(h)
	p.send(h, nb.port, p.ports[nb.port].to(nb), slices.Clone(nb.lastDD), event.Pending)
	p.armDD(h, n)
}

func (p *Process) sendDD(h Host, n uint32, flags uint8, headers []byte) {
	nb := &p.nbrs[n]
	q := p.ports[nb.port]
	b := wire.Begin(make([]byte, 0, 64+len(headers)), wire.TypeDD, p.routerID, q.Area)
	mtu := q.MTU
	if q.Virtual {
		mtu = 0 // RFC 2328 10.8
	}
	d := wire.DD{MTU: mtu, Options: p.options(q.Area), Flags: flags, Seq: nb.descriptions.Seq(), Headers: headers}
	b = d.Append(b)
	nb.lastDD = slices.Clone(b)
	p.send(h, nb.port, p.ports[nb.port].to(nb), b, event.Pending)
}

// describe sends the next part of the summary list (RFC 2328 10.8).
func (p *Process) describe(h Host, n uint32) {
	nb := &p.nbrs[n]
	q := p.ports[nb.port]
	held := func(key uint32) *area { return p.scope(p.scopeOf(q.Area, h.Pool().Key(key))) }
	var headers []byte
	for _, key := range nb.descriptions.Next((q.room()-8)/wire.LSAHeaderLen,
		func(key uint32) bool { return held(key).db.At(key) != nil }) {
		a := held(key)
		head := a.header(h, key, a.db.Get(key))
		headers = head.Append(headers)
	}
	says := nb.descriptions.Sent()
	flags := uint8(0)
	if says.Master {
		flags |= wire.FlagMaster
	}
	if says.More {
		flags |= wire.FlagMore
	}
	p.sendDD(h, n, flags, headers)
	if says.Master {
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
	q := p.ports[nb.port]
	summary := p.areas[p.areaOf(q.Area)].sorted(h.Pool())
	if p.holds(asScope, q) {
		summary = append(summary, p.as.sorted(h.Pool())...)
	}
	nb.descriptions.Describe(summary)
	nb.dd.Answered()
	nb.dd.Pause(h)
	p.setState(h, n, adjacency.Exchange, note.None)
}

// receiveDD is RFC 2328 10.6.
func (p *Process) receiveDD(h Host, n uint32, body []byte) {
	nb := &p.nbrs[n]
	q := p.ports[nb.port]
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
	if nb.state == adjacency.Init {
		p.twoWay(h, n)
		nb = &p.nbrs[n]
	}
	says := adjacency.Description{Init: d.Flags&wire.FlagInit != 0, More: d.Flags&wire.FlagMore != 0,
		Master: d.Flags&wire.FlagMaster != 0, Options: uint32(d.Options), Seq: d.Seq}
	switch nb.descriptions.Receive(nb.state, says, len(d.Headers) == 0, nb.id, p.routerID) {
	case adjacency.Ignored:
		return
	case adjacency.Repeated:
		if !nb.descriptions.Master() && nb.lastDD != nil { // the master did not take our answer
			if nb.state == adjacency.Exchange {
				nb.dd.Again(h)
			}
			p.send(h, nb.port, p.ports[nb.port].to(nb), slices.Clone(nb.lastDD), event.Pending)
		}
		return
	case adjacency.Mismatch:
		p.startExchange(h, n, note.NoNeighbour) // SeqNumberMismatch
		return
	case adjacency.Negotiated:
		p.negotiated(h, n)
	case adjacency.Taken:
	}
	nb.dd.Answered()
	if !p.takeHeaders(h, n, d.Headers) {
		p.startExchange(h, n, note.UnknownLSA) // SeqNumberMismatch
		return
	}
	if nb.descriptions.Answer() {
		p.describe(h, n)
		if nb.descriptions.Master() {
			return // it is for the slave to say that it has it
		}
	}
	if nb.descriptions.Done() {
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
		if !wire.KnownType(head.Key.Type) || !p.takes(ai, p.ports[nb.port], head.Key.Type) {
			return false
		}
		a := p.scope(ai)
		id := h.Pool().KeyID(head.Key)
		if e := a.db.Get(id); e.Body != 0 {
			if e.Version(h.Now()).Compare(head.Version()) >= 0 {
				continue
			}
		}
		nb.requests.Want(id, head.Version())
	}
	if nb.requests.Asked() == 0 && nb.requests.Len() > 0 {
		p.sendRequest(h, n, false)
	}
	return true
}

func (p *Process) exchangeDone(h Host, n uint32) {
	nb := &p.nbrs[n]
	nb.dd.Stop(h)
	if nb.requests.Len() > 0 {
		p.setState(h, n, adjacency.Loading, note.None)
		return
	}
	p.setState(h, n, adjacency.Full, note.None)
}

// sendRequest asks for as much of the request list as fits a packet (RFC 2328
// 10.9); again repeats what was asked and not answered.
func (p *Process) sendRequest(h Host, n uint32, again bool) {
	nb := &p.nbrs[n]
	q := p.ports[nb.port]
	keys := nb.requests.Ask(q.room()/wire.RequestLen, again, h.Pool().order)
	if len(keys) == 0 {
		nb.request.Stop(h)
		return
	}
	b := wire.Begin(nil, wire.TypeRequest, p.routerID, q.Area)
	for _, key := range keys {
		b = wire.AppendRequest(b, h.Pool().Key(key))
	}
	p.send(h, nb.port, p.ports[nb.port].to(nb), b, event.Pending)
	nb.request.Arm(h, h.Now()+event.FromDuration(q.RetransmitInterval), requestTimer, nb.port, n)
}

// answered takes an LSA off the request list; when what was asked has come, the
// next part is asked for, and when all has come, loading is done.
func (p *Process) answered(h Host, n, id uint32) {
	nb := &p.nbrs[n]
	nb.request.Answered()
	nb.requests.Came(id)
	switch {
	case nb.requests.Len() == 0:
		nb.request.Stop(h)
		if nb.state == adjacency.Loading {
			p.setState(h, n, adjacency.Full, note.None) // LoadingDone
		}
	case nb.requests.Asked() == 0:
		p.sendRequest(h, n, false)
	}
}

// receiveRequest is RFC 2328 10.7.
func (p *Process) receiveRequest(h Host, n uint32, body []byte) {
	nb := &p.nbrs[n]
	if nb.state < adjacency.Exchange {
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
