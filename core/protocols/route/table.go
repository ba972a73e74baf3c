package route

import (
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
)

// Source is where a route comes from.
type Source uint8

// The sources of routes, in order of their default preference.
const (
	Connected Source = iota
	Static
	OSPF
	BGP
	Taken   // from another instance of the router
	Sources // how many there are
)

func (s Source) String() string {
	return [...]string{"connected", "static", "ospf", "bgp", "taken"}[s]
}

// DefaultPreference is the route preference of each source; lower wins. BGP's
// depends on where it learned the route: this is that of external peers. A taken route
// has that of the route that it was.
var DefaultPreference = [Sources]uint8{Connected: 0, Static: 1, OSPF: 110, BGP: 20}

// HopID numbers an entry of a table's next-hop table; 0 is none.
type HopID uint32

// Route is one source's route for a prefix. The zero value is no route.
type Route struct {
	Hop        HopID
	Metric     uint32 // what the source compares first
	Metric2    uint32 // what it compares next: of an external route of type 2, the distance
	Tag        uint32 // RFC 2328 A.4.5; of BGP, the neighbouring AS
	Preference uint8  // between sources; lower is better
	Kind       uint8  // the source's own: intra-area, inter-area ...
	Present    bool
}

// entry is a row of the next-hop table. A FIB entry names it, so that a change
// of its resolution is one write, however many prefixes go that way.
type entry struct {
	set  SetID // the resolution
	vias store.Ref
	// group is the prefix of the static routes that the vias are of, which do not
	// resolve themselves; noPrefix for gateways, which are the same for all.
	group uint32
}

// Watcher receives what changes in forwarding.
type Watcher interface {
	// RouteChanged: packets for a prefix now follow another next hop.
	RouteChanged(prefix uint32, from, to HopID)
	// HopChanged: a next hop is resolved to another set.
	HopChanged(hop HopID, from, to SetID)
	// GatewayChanged: an address that routes go through is reached otherwise.
	GatewayChanged(gateway uint32)
	// InteriorChanged: another source than BGP has another route for a prefix.
	InteriorChanged(prefix uint32)
}

// Table is the routing table of one instance of a device. The zero value is
// empty.
type Table struct {
	sources [Sources]store.Paged[Route]
	fib     store.Paged[HopID]
	hops    store.Paged[entry]
	byHop   store.Index
	vias    [][]ip.Addr // of recursive hops
	statics []group
	stale   bool // forwarding changed since the statics were resolved
	// Addresses that BGP's routes go through.
	gateways  []gateway
	byAddress store.Index
	through   []HopID  // the recursive hops made of gateways
	moved     []uint32 // prefixes whose forwarding changed since the gateways were resolved
}

// Clone is an independent copy.
func (t *Table) Clone() Table {
	c := *t
	for i := range t.sources {
		c.sources[i] = t.sources[i].Clone()
	}
	c.fib = t.fib.Clone()
	c.hops = t.hops.Clone()
	c.byHop = t.byHop.Clone()
	c.vias = t.vias[:len(t.vias):len(t.vias)]
	c.gateways = slices.Clone(t.gateways)
	c.byAddress = t.byAddress.Clone()
	c.through = slices.Clip(t.through)
	c.moved = slices.Clone(t.moved)
	return c
}

// Route is a source's route for a prefix.
func (t *Table) Route(s Source, prefix uint32) Route { return t.sources[s].Get(prefix) }

// Has says whether any source has a route for a prefix.
func (t *Table) Has(prefix uint32) bool {
	for s := range Sources {
		if r := t.sources[s].At(prefix); r != nil && r.Present {
			return true
		}
	}
	return false
}

// Len is one more than the highest number of a prefix that the table may have a
// route for.
func (t *Table) Len() uint32 {
	var n uint32
	for i := range t.sources {
		n = max(n, t.sources[i].Len())
	}
	return n
}

// Best is the source whose route is used for a prefix, if any is.
func (t *Table) Best(prefix uint32) (s Source, ok bool) {
	var preference uint8
	for i := range Sources {
		r := t.sources[i].At(prefix)
		if r == nil || !r.Present || t.Set(r.Hop) == NoSet {
			continue
		}
		if !ok || r.Preference < preference {
			s, preference, ok = i, r.Preference, true
		}
	}
	return s, ok
}

// Next is the next hop that packets for exactly this prefix follow, 0 if none.
func (t *Table) Next(prefix uint32) HopID { return t.fib.Get(prefix) }

// EachUsed visits the prefixes that packets follow a route to, by their numbers.
func (t *Table) EachUsed(visit func(prefix uint32)) {
	t.fib.Each(func(prefix uint32, hop *HopID) bool {
		if *hop != 0 {
			visit(prefix)
		}
		return true
	})
}

// Set is what a next hop is resolved to.
func (t *Table) Set(h HopID) SetID { return t.hops.Get(uint32(h)).set }

// Vias are the addresses through which a recursive next hop goes, none for a
// direct one.
func (t *Table) Vias(h HopID) []ip.Addr {
	if v := t.hops.Get(uint32(h)).vias; v.IsValid() {
		return t.vias[v.Index()]
	}
	return nil
}

// Direct is the next hop for a set.
func (t *Table) Direct(set SetID) HopID {
	hash := store.Mix(5, uint64(set))
	same := func(id uint32) bool { e := t.hops.Get(id); return !e.vias.IsValid() && e.set == set }
	return t.hop(hash, same, entry{set: set})
}

func (t *Table) hop(hash uint64, same func(uint32) bool, e entry) HopID {
	if id, ok := t.byHop.Find(hash, same); ok {
		return HopID(id)
	}
	if t.hops.Len() == 0 {
		t.hops.Set(0, entry{})
	}
	id := t.hops.Append(e)
	t.byHop.Add(hash, id, func(id uint32) uint64 {
		e := t.hops.Get(id)
		if e.vias.IsValid() {
			return hashVias(t.vias[e.vias.Index()], e.group)
		}
		return store.Mix(5, uint64(e.set))
	})
	return HopID(id)
}

// Put gives a source's route for a prefix, or takes it away (the zero Route),
// and selects anew. Settle must follow before the table is used.
func (t *Table) Put(w Watcher, s Source, prefix uint32, r Route) {
	old := t.sources[s].Get(prefix)
	if old == r {
		return
	}
	t.sources[s].Set(prefix, r)
	if s != BGP {
		w.InteriorChanged(prefix)
	}
	if old.Metric != r.Metric || old.Metric2 != r.Metric2 {
		t.moves(prefix) // the same hop may cost otherwise
	}
	if s != BGP && t.sources[BGP].Get(prefix).Present {
		t.moves(prefix) // BGP's own gateways may be reached by it, although BGP's route is the better one
		t.stale = true
	}
	t.choose(w, prefix)
}

// moves notes that gateways which are reached by a prefix may be reached
// otherwise.
func (t *Table) moves(prefix uint32) {
	if len(t.gateways) > 0 {
		t.moved = append(t.moved, prefix)
	}
}

// Interior is the best route for a prefix that is not BGP's.
func (t *Table) Interior(prefix uint32) (s Source, ok bool) { return t.bestBut(BGP, prefix) }

// Own is the best route for a prefix that was not taken from another instance.
func (t *Table) Own(prefix uint32) (s Source, ok bool) { return t.bestBut(Taken, prefix) }

// bestBut is the best source for a prefix beside one.
func (t *Table) bestBut(not Source, prefix uint32) (s Source, ok bool) {
	var preference uint8
	for i := range Sources {
		r := t.sources[i].At(prefix)
		if i == not || r == nil || !r.Present || t.Set(r.Hop) == NoSet {
			continue
		}
		if !ok || r.Preference < preference {
			s, preference, ok = i, r.Preference, true
		}
	}
	return s, ok
}

// choose puts the best route of a prefix into the FIB.
func (t *Table) choose(w Watcher, prefix uint32) {
	var to HopID
	if s, ok := t.Best(prefix); ok {
		to = t.sources[s].Get(prefix).Hop
	}
	from := t.fib.Get(prefix)
	if from == to {
		return
	}
	t.fib.Set(prefix, to)
	t.stale = true
	t.moves(prefix)
	w.RouteChanged(prefix, from, to)
}

// Lookup is the longest match for a: the prefix that decides and its next hop.
func (t *Table) Lookup(shared *Shared, a ip.Addr) (prefix uint32, hop HopID, ok bool) {
	shared.Prefixes.Covering(a, func(id uint32) bool {
		if h := t.fib.Get(id); h != 0 {
			prefix, hop, ok = id, h, true
		}
		return !ok
	})
	return prefix, hop, ok
}

// Pick is the hop of a set that a flow with this hash takes (RFC 2992's modulo
// by flow: all packets of a flow take one path).
func Pick(hops []Hop, hash uint64) Hop { return hops[Index(hops, hash)] }

// Index is which of equal hops that is.
func Index(hops []Hop, hash uint64) int {
	if len(hops) == 1 {
		return 0
	}
	return int(store.Below(hash, uint64(len(hops))))
}

// FlowHash is the hash by which a device spreads flows over equal paths. Each
// device has its own salt, or a second tier would never spread what the first
// has sorted.
func FlowHash(salt uint64, src, dst ip.Addr, protocol uint8, ports uint32) uint64 {
	return store.Mix(store.Mix(store.Mix(salt, src.Hash()<<32|dst.Hash()), uint64(protocol)<<32|uint64(ports)), 0)
}

// Candidate is one route that could have been used for an address.
type Candidate struct {
	Prefix uint32 // number
	Source Source
	Route  Route
	Won    bool
	Why    note.Code // why not, if it did not win
	Mine   uint64    // the value with which it lost
	Theirs uint64    // the value it lost against
}

// Candidates are all routes that cover a prefix, longest first, each with why it
// won or lost for packets to that prefix.
func (t *Table) Candidates(shared *Shared, p ip.Prefix) []Candidate {
	var out []Candidate
	winner := -1
	shared.Prefixes.Covering(p.Addr, func(id uint32) bool {
		if shared.Prefixes.Prefix(id).Len > p.Len {
			return true
		}
		best, found := t.Best(id)
		for s := range Sources {
			r := t.sources[s].Get(id)
			if !r.Present {
				continue
			}
			c := Candidate{Prefix: id, Source: s, Route: r}
			switch {
			case t.Set(r.Hop) == NoSet:
				c.Why = note.HopUnresolved
			case found && s != best:
				c.Why = note.WorsePreference
				c.Mine, c.Theirs = uint64(r.Preference), uint64(t.sources[best].Get(id).Preference)
			case winner >= 0:
				c.Why = note.LessSpecific
				c.Mine = uint64(shared.Prefixes.Prefix(id).Len)
				c.Theirs = uint64(shared.Prefixes.Prefix(out[winner].Prefix).Len)
			default:
				c.Won = true
				winner = len(out)
			}
			out = append(out, c)
		}
		return true
	})
	return out
}
