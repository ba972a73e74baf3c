package route

import (
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/store"
)

// gateway is an address that BGP's routes go through, resolved by the table
// itself (RFC 4271 9.1.2.1). Many routes share one: what changes on the path to it
// is found out once.
type gateway struct {
	addr ip.Addr
	set  SetID
	cost uint32
	// by are the prefixes of BGP's routes that it was resolved through, or that were
	// passed over: each has gateways of its own, which may come to be reached
	// otherwise. Replaced, never written.
	by []uint32
}

// Gateway is the number of an address, which is watched from then on.
func (t *Table) Gateway(shared *Shared, a ip.Addr) uint32 {
	h := store.Mix(11, a.Hash())
	if id, ok := t.byAddress.Find(h, func(id uint32) bool { return t.gateways[id].addr == a }); ok {
		return id
	}
	id := uint32(len(t.gateways))
	g := gateway{addr: a}
	g.set, g.cost, g.by = t.resolveGateway(shared, a, noPrefix)
	t.gateways = append(t.gateways, g)
	t.byAddress.Add(h, id, func(id uint32) uint64 { return store.Mix(11, t.gateways[id].addr.Hash()) })
	return id
}

// Reach is how a gateway is reached: by which hops, NoSet if not at all, and at
// what cost by the interior protocol.
func (t *Table) Reach(id uint32) (set SetID, cost uint32) {
	return t.gateways[id].set, t.gateways[id].cost
}

// ReachFor is Reach for a route of BGP to a prefix: what BGP has for that prefix now
// does not count, since a route may not resolve its own next hop (RFC 4271
// 9.1.2.1).
func (t *Table) ReachFor(shared *Shared, id, prefix uint32) (set SetID, cost uint32) {
	g := &t.gateways[id]
	if !slices.Contains(g.by, prefix) {
		return g.set, g.cost
	}
	set, cost, _ = t.resolveGateway(shared, g.addr, prefix)
	return set, cost
}

// Gateways is how many gateways are watched; GatewayAddress is one's address.
func (t *Table) Gateways() uint32                 { return uint32(len(t.gateways)) }
func (t *Table) GatewayAddress(id uint32) ip.Addr { return t.gateways[id].addr }

// noPrefix is a number that no prefix has.
const noPrefix = ^uint32(0)

// resolveGateway follows the longest match for an address, but never BGP's route
// for the prefix without. by is gateway.by.
func (t *Table) resolveGateway(shared *Shared, a ip.Addr, without uint32) (set SetID, cost uint32, by []uint32) {
	f := following{t: t, shared: shared, without: without}
	hops, cost := f.follow(a, nil)
	return shared.Sets.ID(hops), cost, f.by
}

// following is one resolution of a gateway.
type following struct {
	t       *Table
	shared  *Shared
	without uint32
	by      []uint32
}

// follow is the next hops to an address. A route of BGP leads on to its own
// gateways, but never back to one that is being resolved: such a route is passed
// over for that of another source, or for the next shorter prefix.
func (f *following) follow(a ip.Addr, on []ip.Addr) (hops []Hop, cost uint32) {
	t := f.t
	f.shared.Prefixes.Covering(a, func(id uint32) bool {
		best, ok := t.bestFor(id, f.without)
		if vias := t.Vias(t.sources[BGP].Get(id).Hop); vias != nil && id != f.without {
			if !slices.Contains(f.by, id) {
				f.by = append(f.by, id)
			}
			if ok && best == BGP {
				if hops, cost = f.through(vias, a, on); len(hops) > 0 {
					return false
				}
				best, ok = t.Interior(id)
			}
		}
		if !ok {
			return true
		}
		r := t.sources[best].Get(id)
		for _, x := range f.shared.Sets.Hops(t.Set(r.Hop)) {
			if !x.Gateway.IsValid() {
				x.Gateway = a
			}
			hops = append(hops, x)
		}
		cost = r.Metric + r.Metric2
		return false
	})
	return hops, cost
}

// through is the next hops to an address by a route of BGP with these gateways; none
// if it leads back to an address that is being resolved.
func (f *following) through(vias []ip.Addr, a ip.Addr, on []ip.Addr) (hops []Hop, cost uint32) {
	if slices.ContainsFunc(vias, func(via ip.Addr) bool { return via == a || slices.Contains(on, via) }) {
		return nil, 0
	}
	for _, via := range vias {
		more, c := f.follow(via, append(slices.Clip(on), a))
		hops = append(hops, more...)
		cost = c
	}
	return hops, cost
}

// bestFor is Best, without BGP's route for one prefix.
func (t *Table) bestFor(prefix, without uint32) (Source, bool) {
	if prefix == without {
		return t.Interior(prefix)
	}
	return t.Best(prefix)
}

// Recursive is the next hop that goes through gateways, which are watched from
// then on.
func (t *Table) Recursive(w Watcher, shared *Shared, vias []ip.Addr) HopID {
	known := t.hops.Len()
	h := t.recursive(vias, noPrefix)
	if t.hops.Len() != known {
		t.through = append(slices.Clip(t.through), h)
		t.resolve(w, h, t.setThrough(shared, vias))
	}
	return h
}

func (t *Table) setThrough(shared *Shared, vias []ip.Addr) SetID {
	var hops []Hop
	for _, v := range vias {
		hops = append(hops, shared.Sets.Hops(t.gateways[t.Gateway(shared, v)].set)...)
	}
	return shared.Sets.ID(hops)
}

// settleGateways resolves again what a change of forwarding may have moved.
func (t *Table) settleGateways(w Watcher, shared *Shared) {
	if len(t.moved) == 0 {
		return
	}
	stale := make([]bool, len(t.gateways))
	any := false
	slices.Sort(t.moved)
	for g := range t.gateways {
		stale[g] = len(t.gateways[g].by) > 0 || t.movedOnPath(shared, t.gateways[g].addr)
		any = any || stale[g]
	}
	t.moved = t.moved[:0:0]
	// One that is reached through another follows it, at most as often as there
	// are gateways.
	for round := 0; any && round <= len(t.gateways); round++ {
		any = false
		for g := range t.gateways {
			if stale[g] && t.moveGateway(w, shared, uint32(g)) {
				any = true
			}
		}
		for g := range t.gateways {
			stale[g] = any && len(t.gateways[g].by) > 0
		}
	}
}

// movedOnPath says whether a prefix that contains an address is among those that
// moved, which are sorted.
func (t *Table) movedOnPath(shared *Shared, a ip.Addr) (moved bool) {
	shared.Prefixes.Covering(a, func(id uint32) bool {
		_, moved = slices.BinarySearch(t.moved, id)
		return !moved
	})
	return moved
}

func (t *Table) moveGateway(w Watcher, shared *Shared, id uint32) bool {
	g := &t.gateways[id]
	set, cost, by := t.resolveGateway(shared, g.addr, noPrefix)
	same := set == g.set && cost == g.cost
	if same && slices.Equal(by, g.by) {
		return false
	}
	g.set, g.cost, g.by = set, cost, by
	if !same {
		for _, h := range t.through {
			if vias := t.Vias(h); slices.Contains(vias, g.addr) && t.resolve(w, h, t.setThrough(shared, vias)) {
				t.stale = true // statics may go through BGP's routes
			}
		}
	}
	w.GatewayChanged(id)
	return true // also if only its path is another: a gateway behind it may take another one now
}

// FindGateway is the number of an address that is watched already.
func (t *Table) FindGateway(a ip.Addr) (id uint32, ok bool) {
	return t.byAddress.Find(store.Mix(11, a.Hash()), func(id uint32) bool { return t.gateways[id].addr == a })
}
