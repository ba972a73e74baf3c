package network

import (
	"cmp"
	"fmt"
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/route"
	"hellebore/core/simulation/device"
)

// Check walks the whole world for broken invariants and describes the first one
// it finds; "" means that all hold. Tests call it after every settled state.
func (w *World) Check() string {
	if s := w.checkAccount(); s != "" {
		return s
	}
	for _, d := range w.devices {
		for i := range d.Instances() {
			if s := w.checkTable(d, d.Instances()[i].Table()); s != "" {
				return d.Name() + ": " + s
			}
		}
	}
	if !w.calm.Settled() {
		return ""
	}
	for _, d := range w.devices {
		for i := range d.Instances() {
			inst := &d.Instances()[i]
			if s := cmp.Or(inst.OSPF().Unfinished(), inst.OSPF().Outdated(inst)); s != "" {
				return d.Name() + ": " + s
			}
		}
	}
	if s := cmp.Or(w.checkAdjacencies(), w.checkSessions(), w.checkCrossings()); s != "" {
		return s
	}
	return w.checkLoops()
}

// checkLoops follows the routes that OSPF gave to every network, by all their
// ways: none may come back to where it was.
func (w *World) checkLoops() string {
	const (
		open = 1 + iota
		done
	)
	state := map[*device.Instance]uint8{}
	var follow func(inst *device.Instance, to ip.Addr) string
	follow = func(inst *device.Instance, to ip.Addr) string {
		switch state[inst] {
		case done:
			return ""
		case open:
			return inst.Ref()
		}
		state[inst] = open
		if id, hop, ok := inst.Table().Lookup(w.shared, to); ok && !inst.Local(to) {
			if source, _ := inst.Table().Best(id); source == route.OSPF {
				for _, h := range w.shared.Sets.Hops(inst.Table().Set(hop)) {
					for _, e := range w.Facing(inst.Device().ID(), h.Port) {
						if next := w.devices[e.Device]; next.Ports()[e.Port].Address() == h.Gateway {
							if s := follow(next.InstanceOf(e.Port), to); s != "" {
								return inst.Ref() + ", " + s
							}
						}
					}
				}
			}
		}
		state[inst] = done
		return ""
	}
	discards := func(d *device.Device, id uint32) bool {
		return slices.ContainsFunc(d.Instances(), func(inst device.Instance) bool { return inst.OSPF().Route(id).Kind == ospf.Discard })
	}
	for id := range w.shared.Prefixes.Len() {
		// A range's own number need not be a network: what a range covers and is
		// not there may go round between border routers, some of which have it.
		if slices.ContainsFunc(w.devices, func(d *device.Device) bool { return discards(d, id) }) {
			continue
		}
		clear(state)
		p := w.shared.Prefixes.Prefix(id)
		for _, d := range w.devices {
			for i := range d.Instances() {
				if s := follow(&d.Instances()[i], p.Addr); s != "" {
					return fmt.Sprintf("packets for %v loop: %s", p, s)
				}
			}
		}
	}
	return ""
}

// checkAccount recounts what Calm counts.
func (w *World) checkAccount() string {
	pending, watched := 0, 0
	early := false
	w.queue.Each(func(e *event.Event) {
		if e.Kind == device.FrameArrives && e.Class == event.Pending {
			pending++
		}
		early = early || e.At < w.now
	})
	for _, d := range w.devices {
		p, n := d.Account()
		pending += p
		watched += n
	}
	switch {
	case early:
		return "an event waits in the past"
	case pending != w.calm.Pending():
		return fmt.Sprintf("%d things are pending, the account says %d", pending, w.calm.Pending())
	case watched != w.calm.Watched():
		return fmt.Sprintf("%d guards and retries are in force, the account says %d", watched, w.calm.Watched())
	}
	return ""
}

// checkTable holds the FIB against the sources' routes, and next hops against
// ports.
func (w *World) checkTable(d *device.Device, t *route.Table) string {
	for id := range t.Len() {
		best, ok := t.Best(id)
		want := route.HopID(0)
		if ok {
			want = t.Route(best, id).Hop
		}
		p := w.shared.Prefixes.Prefix(id)
		if t.Next(id) != want {
			return fmt.Sprintf("%v: the FIB does not have the best route", p)
		}
		for _, h := range w.shared.Sets.Hops(t.Set(want)) {
			if up, _ := d.Up(h.Port); !up && best == route.Connected {
				return fmt.Sprintf("%v leaves by a port that is down", p)
			}
		}
	}
	return ""
}

// checkAdjacencies holds the two ends of each adjacency, and the databases of
// the routers it joins, against each other.
func (w *World) checkAdjacencies() string {
	for _, d := range w.devices {
		var bad string
		for i := range d.Ports() {
			inst := d.InstanceOf(uint32(i))
			inst.OSPF().Neighbours(uint32(i), func(n ospf.NeighbourView) {
				if n.State != adjacency.Full || bad != "" {
					return
				}
				far, at := w.farEnd(d.ID(), uint32(i), n.Address)
				if far == nil || at.OSPF().RouterID() != n.RouterID {
					bad = fmt.Sprintf("Full with %v, which is not at the other end", n.RouterID)
					return
				}
				v := inst.OSPF().Port(uint32(i))
				area := inst.Config().OSPF.Area(v.Area)
				as := !area.Closed() && !v.Virtual
				if a, b := databaseOf(inst, v.Area, as), databaseOf(at, v.Area, as); a != b {
					bad = fmt.Sprintf("its database differs from that of %s:\n%s\n%s", far.Name(), a, b)
				}
			})
		}
		if bad != "" {
			return d.Name() + ": " + bad
		}
	}
	return ""
}

// farEnd is the device that has an address on what a port is joined to, and the
// instance that the address is in; nil if there is none.
func (w *World) farEnd(dev, port uint32, address ip.Addr) (*device.Device, *device.Instance) {
	inst := w.devices[dev].InstanceOf(port)
	if v := inst.OSPF().Port(port); v.Virtual {
		if far := w.nearest(inst, func(o *device.Instance) bool { return o.OSPF().RouterID() == v.Peer }); far != nil {
			return far.Device(), far
		}
		return nil, nil
	}
	for _, e := range w.Facing(dev, port) {
		if d := w.devices[e.Device]; d.Ports()[e.Port].Address() == address {
			return d, d.InstanceOf(e.Port)
		}
	}
	return nil, nil
}

// databaseOf writes an instance's database of an area out, without ages, and with
// what belongs to no area if as says so.
func databaseOf(inst *device.Instance, area uint32, as bool) string {
	out := ""
	inst.OSPF().Database(inst, func(l ospf.LSAView) {
		if (l.AS && as || !l.AS && l.Area == area) && l.Header.Age < lsdb.MaxAge {
			out += fmt.Sprintf("%v %x %x\n", l.Header.Key, l.Header.Seq, l.Header.Checksum)
		}
	})
	return out
}
