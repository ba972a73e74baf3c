package ospf

import (
	"bytes"
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/route"
	"hellebore/core/protocols/spf"
	wire "hellebore/core/protocols/wire/ospf"
)

// Pool numbers the LSAs of a world: their keys, and their bodies, which are
// immutable and decoded once, however many databases hold them. Its numbers
// mean nothing outside their world. The zero value is ready for use.
type Pool struct {
	keys      store.Paged[wire.Key]
	keyIndex  store.Index
	bodies    store.Paged[*Body] // 0 is not used
	bodyIndex store.Index
	// announcers are the keys of LSAs that ever had a prefix as a network of
	// their own, by prefix; lists are replaced, never written.
	announcers store.Paged[[]uint32]
	scratch    *scratch `image:"-"` // of one SPF run at a time; never copied
	packet     []byte   // room for one packet at a time; nil while one is being made. Never copied
}

// Body is the decoded body of an LSA.
type Body struct {
	// Vertex is what shortest paths see of it. Its edges lead from a router LSA to routers
	// and networks, from a network LSA to routers; the network of any other LSA is a leaf.
	// A router is known by the key of its router LSA, a network by a key that names no
	// router (networkKey).
	spf.Vertex
	Key      uint32
	Options  uint8
	Raw      []byte
	Digest   uint64 // of key, options and Raw: the same in all worlds
	Router   wire.RouterBody
	Network  wire.NetworkBody
	Summary  wire.SummaryBody
	External wire.ExternalBody
}

// Prefixes are the numbers of the networks that the LSA announces.
func (b *Body) Prefixes() []uint32 { return appendLeaves(nil, b) }

// Clone is an independent copy.
func (p *Pool) Clone() *Pool {
	return &Pool{keys: p.keys.Clone(), keyIndex: p.keyIndex.Clone(), bodies: p.bodies.Clone(),
		bodyIndex: p.bodyIndex.Clone(), announcers: p.announcers.Clone()}
}

// networkKey names the network whose DR has an address.
func networkKey(dr ip.Quad) wire.Key { return wire.Key{Type: wire.NetworkLSA, ID: dr} }

func hashKey(k wire.Key) uint64 {
	return store.Mix(store.Mix(uint64(k.Type), uint64(k.ID)), uint64(k.Router))
}

// Key is the key with number id.
func (p *Pool) Key(id uint32) wire.Key { return p.keys.Get(id) }

// FindKey is a key's number, if it has one.
func (p *Pool) FindKey(k wire.Key) (id uint32, ok bool) {
	return p.keyIndex.Find(hashKey(k), func(id uint32) bool { return p.keys.Get(id) == k })
}

// order orders numbers of keys by the keys.
func (p *Pool) order(x, y uint32) int { return p.Key(x).Compare(p.Key(y)) }

// KeyID is a key's number; it gets one if it has none.
func (p *Pool) KeyID(k wire.Key) uint32 {
	if id, ok := p.FindKey(k); ok {
		return id
	}
	id := p.keys.Append(k)
	p.keyIndex.Add(hashKey(k), id, func(id uint32) uint64 { return hashKey(p.keys.Get(id)) })
	return id
}

// Body is the body with number id; the caller must not write to it.
func (p *Pool) Body(id uint32) *Body { return p.bodies.Get(id) }

func hashBody(key uint32, options uint8, raw []byte) uint64 {
	return store.Hash(store.Mix(uint64(key), uint64(options)), raw)
}

// intern numbers a body; ok is false if it cannot be read. raw is copied.
func (p *Pool) intern(shared *route.Shared, key uint32, options uint8, raw []byte) (id uint32, ok bool) {
	hash := hashBody(key, options, raw)
	id, ok = p.bodyIndex.Find(hash, func(id uint32) bool {
		b := p.bodies.Get(id)
		return b.Key == key && b.Options == options && bytes.Equal(b.Raw, raw)
	})
	if ok {
		return id, true
	}
	b := &Body{Key: key, Options: options, Raw: slices.Clone(raw)}
	b.Digest = store.Hash(store.Mix(hashKey(p.Key(key)), uint64(options)), raw)
	switch p.Key(key).Type {
	case wire.RouterLSA:
		if b.Router, ok = wire.ReadRouter(b.Raw); !ok {
			return 0, false
		}
		for _, l := range b.Router.Links {
			switch l.Type {
			case wire.LinkPointToPoint, wire.LinkVirtual:
				b.Edges = append(b.Edges,
					spf.Edge{To: p.KeyID(wire.Key{Type: wire.RouterLSA, ID: l.ID, Router: l.ID}),
						Data: uint32(l.Data), Metric: uint32(l.Metric)})
			case wire.LinkTransit:
				b.Edges = append(b.Edges,
					spf.Edge{To: p.KeyID(networkKey(l.ID)), Data: uint32(l.Data), Metric: uint32(l.Metric)})
			case wire.LinkStub:
				if n, contiguous := ip.MaskLen(l.Data); contiguous {
					b.Leaves = append(b.Leaves,
						spf.Leaf{Prefix: shared.Prefixes.ID(ip.V4Prefix(l.ID, n)), Metric: uint32(l.Metric)})
				}
			}
		}
	case wire.NetworkLSA:
		if b.Network, ok = wire.ReadNetwork(b.Raw); !ok {
			return 0, false
		}
		b.IsNetwork = true
		p.KeyID(networkKey(p.Key(key).ID)) // the vertex, also before a router lists it
		for _, r := range b.Network.Routers {
			b.Edges = append(b.Edges, spf.Edge{To: p.KeyID(wire.Key{Type: wire.RouterLSA, ID: r, Router: r})})
		}
		if n, contiguous := ip.MaskLen(b.Network.Mask); contiguous {
			b.Leaves = append(b.Leaves,
				spf.Leaf{Prefix: shared.Prefixes.ID(ip.V4Prefix(p.Key(key).ID, n)), Metric: 0})
		}
	case wire.SummaryLSA, wire.ASBRSummaryLSA:
		if b.Summary, ok = wire.ReadSummary(b.Raw); !ok {
			return 0, false
		}
		if n, contiguous := ip.MaskLen(b.Summary.Mask); contiguous && p.Key(key).Type == wire.SummaryLSA {
			b.Leaves = append(b.Leaves,
				spf.Leaf{Prefix: shared.Prefixes.ID(ip.V4Prefix(p.Key(key).ID, n)), Metric: b.Summary.Metric})
		}
	case wire.ExternalLSA, wire.NSSALSA:
		if b.External, ok = wire.ReadExternal(b.Raw); !ok {
			return 0, false
		}
		if n, contiguous := ip.MaskLen(b.External.Mask); contiguous {
			b.Leaves = append(b.Leaves,
				spf.Leaf{Prefix: shared.Prefixes.ID(ip.V4Prefix(p.Key(key).ID, n)), Metric: b.External.Metric})
		}
	default:
		return 0, false
	}
	if p.bodies.Len() == 0 {
		p.bodies.Set(0, nil)
	}
	if t := p.Key(key).Type; t == wire.RouterLSA || t == wire.NetworkLSA {
		for _, l := range b.Leaves {
			if list := p.announcers.Get(l.Prefix); !slices.Contains(list, key) {
				p.announcers.Set(l.Prefix, append(slices.Clip(list), key))
			}
		}
	}
	id = p.bodies.Append(b)
	p.bodyIndex.Add(hash, id, func(id uint32) uint64 {
		b := p.bodies.Get(id)
		return hashBody(b.Key, b.Options, b.Raw)
	})
	return id, true
}

// area is one area's database and what is originated into it.
type area struct {
	id         uint32
	db         lsdb.Database
	originate  event.Timer // MinLSInterval holds an origination back
	originated event.Time  // of the router LSA, 0 if never
	outbid     bool        // the next origination must have a new sequence number
	crossed    bool        // by virtual links in use, as of the last run
	tree       *areaTree   // of the last run
	changed    []changed   // since the last run
	full       bool        // the next run makes the tree anew

	// Of an NSSA (RFC 3101 3.1).
	translates      bool
	translatesUntil event.Time // another was elected; 0 if none was
}

// areaOf is the index of an area, which begins to exist by it.
func (p *Process) areaOf(id uint32) int {
	for i := range p.areas {
		if p.areas[i].id == id {
			return i
		}
	}
	p.areas = append(p.areas, area{id: id})
	return len(p.areas) - 1
}

// asScope means the database that belongs to no area, where an area's index
// is asked for.
const asScope = -1

// scope is a database by its area's index.
func (p *Process) scope(ai int) *area {
	if ai == asScope {
		return &p.as
	}
	return &p.areas[ai]
}

// scopeOf is the index of the database that an LSA belongs to which is sent or
// received in an area.
func (p *Process) scopeOf(areaID uint32, k wire.Key) int {
	if k.Type == wire.ExternalLSA {
		return asScope
	}
	return p.areaOf(areaID)
}

// holds says whether what is in a database is flooded out of a port: AS external
// LSAs are not in stub areas (RFC 2328 3.6), nor by virtual links (13.3).
func (p *Process) holds(ai int, q *port) bool {
	if ai == asScope {
		c := p.areaConfig(q.Area)
		return !c.closed() && !q.Virtual
	}
	return p.areas[ai].id == q.Area
}

// takes says whether an LSA of a type is one for a port: NSSA LSAs are for NSSAs
// alone (RFC 3101 2.2).
func (p *Process) takes(ai int, q *port, typ uint8) bool {
	return p.holds(ai, q) && (typ != wire.NSSALSA || p.areaConfig(q.Area).NSSA)
}

// header is an entry's LSA header as of now.
func (a *area) header(h Host, key uint32, e lsdb.Instance) wire.LSAHeader {
	body := h.Pool().Body(e.Body)
	return wire.LSAHeader{
		Age: e.Age(h.Now()), Options: body.Options, Key: h.Pool().Key(key),
		Seq: e.Seq, Checksum: e.Sum, Length: uint16(wire.LSAHeaderLen + len(body.Raw)),
	}
}

// sorted is the numbers of all keys in the database, in the order of the keys
// themselves.
func (a *area) sorted(pool *Pool) []uint32 {
	return a.db.Keys(pool.order, func(uint32, *lsdb.Instance) bool { return true })
}

// install puts an instance into the database (RFC 2328 13.2). Other contents
// than before are a disturbance and call for shortest paths; a refresh is
// neither.
func (p *Process) install(h Host, ai int, key uint32, e lsdb.Instance) {
	a := p.scope(ai)
	old := a.db.Put(key, e)
	for i := range p.nbrs {
		if nb := &p.nbrs[i]; nb.retransmits.Len() > 0 && p.holds(ai, p.ports[nb.port]) {
			p.acked(h, uint32(i), key)
		}
	}
	if old.Body != e.Body || old.Dying != e.Dying {
		h.Calm().Disturb(h.Now())
		p.changedLSA(h, ai, key, old)
		p.igpEvent(h)
	}
	p.watchAge(h, key, e)
}

// forgetNSSA drops the NSSA LSAs of an area that is no NSSA any more.
func (p *Process) forgetNSSA(h Host, ai int) {
	a := &p.areas[ai]
	for _, key := range a.sorted(h.Pool()) {
		if h.Pool().Key(key).Type == wire.NSSALSA {
			a.db.Remove(key)
		}
	}
}

// own is the numbers of this router's own LSAs that are not on their way out, or
// wait for what is to become of them, in the order of their keys.
func (a *area) own(pool *Pool, router ip.Quad) []uint32 {
	return a.db.Keys(pool.order,
		func(key uint32, e *lsdb.Instance) bool {
			return (!e.Dying || e.Outbid) && pool.Key(key).Router == router
		})
}

// own says whether an LSA is one that this router originates or once did.
func (p *Process) own(k wire.Key) bool { return k.Router == p.routerID }

// watchAge makes the age timer fire no later than this entry needs it.
func (p *Process) watchAge(h Host, key uint32, e lsdb.Instance) {
	if e.Dying {
		return
	}
	at := p.dueAt(h, key, e)
	if !p.age.Running() || at < p.age.Deadline() {
		p.age.Set(h, at, ageTimer, event.Periodic, 0, 0)
	}
}

// dueAt is when an entry has to be looked at: an own LSA when it is refreshed,
// with up to a tenth of LSRefreshTime taken off, or all would go at once; any
// other when it reaches MaxAge.
func (p *Process) dueAt(h Host, key uint32, e lsdb.Instance) event.Time {
	if p.own(h.Pool().Key(key)) {
		k := h.Pool().Key(key)
		early := store.Below(h.Rand(randRefresh, hashKey(k)^uint64(uint32(e.Seq))),
			lsdb.LSRefreshTime/10*uint64(event.Second))
		return e.Birth + lsdb.LSRefreshTime*event.Second - event.Time(early)
	}
	return e.Birth + lsdb.MaxAge*event.Second
}

// aged refreshes own LSAs that are due and flushes those that reached MaxAge
// (RFC 2328 12.4, 14). One timer a process serves all LSAs.
func (p *Process) aged(h Host) {
	now := h.Now()
	next := event.Never
	for ai := asScope; ai < len(p.areas); ai++ {
		a := p.scope(ai)
		var due []uint32
		for _, id := range a.sorted(h.Pool()) {
			e := a.db.Get(id)
			if e.Dying {
				continue
			}
			if at := p.dueAt(h, id, e); at <= now {
				due = append(due, id)
			} else {
				next = min(next, at)
			}
		}
		for _, id := range due {
			if key := h.Pool().Key(id); p.own(key) && key.Type == wire.RouterLSA {
				a.outbid = true
				p.originateRouter(h, ai)
				continue
			}
			if p.own(h.Pool().Key(id)) {
				a.db.Outbid(id, true) // refreshed, or flushed if not wanted
				p.wantSync(h, 0)
				continue
			}
			p.flush(h, ai, id)
		}
	}
	if next != event.Never && (!p.age.Running() || next < p.age.Deadline()) {
		p.age.Set(h, next, ageTimer, event.Periodic, 0, 0)
	}
}

// flush ages an LSA to MaxAge and floods it (RFC 2328 14.1).
func (p *Process) flush(h Host, ai int, key uint32) {
	e := p.scope(ai).db.Get(key)
	if e.Body == 0 || e.Dying {
		return
	}
	e.Dying, e.Outbid, e.Arrived, e.Flooded = true, false, h.Now(), false
	h.Note(note.Note{Kind: note.LSAFlushed, A: uint64(key)})
	p.install(h, ai, key, e)
	p.flood(h, ai, key, noNeighbour)
	p.sweepScope(h, ai)
}

// sweep is sweepScope for all that is flooded in an area.
func (p *Process) sweep(h Host, areaID uint32) {
	if p.flooding {
		p.sweepDue = true
		return
	}
	p.sweepScope(h, p.areaOf(areaID))
	p.sweepScope(h, asScope)
}

// sweepScope removes LSAs at MaxAge that are off all retransmission lists, while no
// neighbour is in Exchange or Loading (RFC 2328 14).
func (p *Process) sweepScope(h Host, ai int) {
	a := p.scope(ai)
	if !a.db.Dying() {
		return
	}
	for i := range p.nbrs {
		nb := &p.nbrs[i]
		if (nb.state == adjacency.Exchange || nb.state == adjacency.Loading) && p.holds(ai, p.ports[nb.port]) {
			return
		}
	}
	again := false
	a.db.Sweep(func(key uint32, e *lsdb.Instance) bool {
		if e.Outbid && e.Seq != lsdb.MaxSeq {
			return true // its next instance must be newer than this one
		}
		return slices.ContainsFunc(p.nbrs,
			func(nb neighbour) bool { return nb.retransmits.Has(key) && p.holds(ai, p.ports[nb.port]) })
	}, func(key uint32, e lsdb.Instance) {
		again = again || p.own(h.Pool().Key(key))
		if e.Seq == lsdb.MaxSeq {
			// RFC 2328 12.1.6: after the flush the sequence begins anew.
			a.originated = 0
		}
	})
	if again {
		if ai != asScope {
			p.wantOriginate(h, ai, 0)
		}
		p.wantSync(h, 0)
	}
}

// LSAView is an LSA as a view sees it.
type LSAView struct {
	Area    uint32
	AS      bool // it belongs to no area
	Header  wire.LSAHeader
	Body    *Body
	Arrived event.Time
}

// Scope is a database of the process: that of an area, or of what belongs to no area.
type Scope struct {
	Area uint32 // 0 for what belongs to none
	AS   bool   // that
}

// Scopes visits the databases of the process. Those with the same digest hold the same LSAs, but for sequence numbers and ages;
// each visits the numbers of their keys.
func (p *Process) Scopes(h Host, visit func(s Scope, digest uint64, each func(key func(id uint32)))) {
	for ai := asScope; ai < len(p.areas); ai++ {
		a := p.scope(ai)
		s := p.scopeAt(ai)
		contents, _ := a.db.Sums(func(e *lsdb.Instance) uint64 { return h.Pool().Body(e.Body).Digest })
		visit(s, contents, func(key func(id uint32)) {
			a.db.Each(func(id uint32, _ *lsdb.Instance) bool { key(id); return true })
		})
	}
}

// Versions visits the databases of the process, with a digest of which instances of LSAs they hold, whatever their age.
func (p *Process) Versions(h Host, visit func(s Scope, digest uint64)) {
	for ai := asScope; ai < len(p.areas); ai++ {
		a := p.scope(ai)
		visit(p.scopeAt(ai), a.db.Versions(func(e *lsdb.Instance) uint64 { return h.Pool().Body(e.Body).Digest }))
	}
}

func (p *Process) scopeAt(ai int) Scope {
	if ai == asScope {
		return Scope{AS: true}
	}
	return Scope{Area: p.areas[ai].id}
}

// Database visits the LSAs of all areas, sorted by key in each, then those that
// belong to no area.
func (p *Process) Database(h Host, visit func(LSAView)) {
	for ai := range len(p.areas) {
		p.LSAs(h, p.scopeAt(ai), visit)
	}
	p.LSAs(h, Scope{AS: true}, visit)
}

// LSAs visits those of one database, sorted by key.
func (p *Process) LSAs(h Host, s Scope, visit func(LSAView)) {
	for ai := asScope; ai < len(p.areas); ai++ {
		if p.scopeAt(ai) != s {
			continue
		}
		a := p.scope(ai)
		for _, id := range a.sorted(h.Pool()) {
			e := a.db.Get(id)
			visit(LSAView{a.id, ai == asScope, a.header(h, id, e), h.Pool().Body(e.Body), e.Arrived})
		}
	}
}
