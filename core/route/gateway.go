package route

import (
	"slices"

	"hellebore/core/store"
	"hellebore/core/wire/ip"
)

// gateway is an address that BGP's routes go through, resolved by the table
// itself (RFC 4271 9.1.2.1). Many routes share one: what changes on the way to it
// is found out once.
type gateway struct {
	addr ip.Addr
	set  SetID
	cost uint32
	deep bool // it is reached by a route of BGP, which has a gateway of its own
}

// Gateway is the number of an address, which is watched from then on.
func (t *Table) Gateway(shared *Shared, a ip.Addr) uint32 {
	h := store.Mix(11, uint64(a))
	if id, ok := t.byAddress.Find(h, func(id uint32) bool { return t.gateways[id].addr == a }); ok {
		return id
	}
	id := uint32(len(t.gateways))
	g := gateway{addr: a}
	g.set, g.cost, g.deep = t.resolveGateway(shared, a, nil)
	t.gateways = append(t.gateways, g)
	t.byAddress.Add(h, id, func(id uint32) uint64 { return store.Mix(11, uint64(t.gateways[id].addr)) })
	return id
}

// Way is how a gateway is reached: by which hops, NoSet if not at all, and at
// what cost by the interior protocol.
func (t *Table) Way(id uint32) (set SetID, cost uint32) {
	return t.gateways[id].set, t.gateways[id].cost
}

// Gateways is how many gateways are watched; GatewayAddress is one's address.
func (t *Table) Gateways() uint32                 { return uint32(len(t.gateways)) }
func (t *Table) GatewayAddress(id uint32) ip.Addr { return t.gateways[id].addr }

// resolveGateway follows the longest match for an address. A route of BGP leads on
// to its own gateway, but never back to one that is being resolved: such a route
// is passed over for the next shorter one.
func (t *Table) resolveGateway(shared *Shared, a ip.Addr, on []ip.Addr) (set SetID, cost uint32, deep bool) {
	var hops []Hop
	shared.Prefixes.Covering(a, func(id uint32) bool {
		h := t.fib.Get(id)
		if h == 0 {
			return true
		}
		best, ok := t.Best(id)
		if !ok {
			return true
		}
		r := t.sources[best].Get(id)
		if best != BGP {
			for _, x := range shared.Sets.Hops(t.Set(h)) {
				if x.Gateway == 0 {
					x.Gateway = a
				}
				hops = append(hops, x)
			}
			cost = r.Metric + r.Metric2
			return false
		}
		deep = true
		for _, via := range t.Vias(r.Hop) {
			if via == a || slices.Contains(on, via) {
				return true
			}
			s, c, _ := t.resolveGateway(shared, via, append(slices.Clip(on), a))
			hops = append(hops, shared.Sets.Hops(s)...)
			cost = c
		}
		return len(hops) == 0
	})
	return shared.Sets.ID(hops), cost, deep
}

// Recursive is the next hop that goes through gateways, which are watched from
// then on.
func (t *Table) Recursive(w Watcher, shared *Shared, vias []ip.Addr) HopID {
	known := t.hops.Len()
	h := t.recursive(vias, true)
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
	for _, id := range t.moved {
		p := shared.Prefixes.Prefix(id)
		for g := range t.gateways {
			if !stale[g] && p.Contains(t.gateways[g].addr) {
				stale[g], any = true, true
			}
		}
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
			stale[g] = any && t.gateways[g].deep
		}
	}
}

func (t *Table) moveGateway(w Watcher, shared *Shared, id uint32) bool {
	g := &t.gateways[id]
	set, cost, deep := t.resolveGateway(shared, g.addr, nil)
	if set == g.set && cost == g.cost {
		g.deep = deep
		return false
	}
	g.set, g.cost, g.deep = set, cost, deep
	for _, h := range t.through {
		if vias := t.Vias(h); slices.Contains(vias, g.addr) {
			t.resolve(w, h, t.setThrough(shared, vias))
		}
	}
	w.GatewayChanged(id)
	return true
}

// FindGateway is the number of an address that is watched already.
func (t *Table) FindGateway(a ip.Addr) (id uint32, ok bool) {
	return t.byAddress.Find(store.Mix(11, uint64(a)), func(id uint32) bool { return t.gateways[id].addr == a })
}
