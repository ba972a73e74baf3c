package device

import (
	"hellebore/core/ground/store"
	"hellebore/core/protocols/route"
)

// Parts are the digests of the parts of a state.
type Parts struct {
	Ports, Neighbours, Database, Routes, Paths store.Digest
}

// DigestParts folds the device's state in, part by part, without what passes:
// ages, sequence numbers and the phases of timers. prefixes are those of the tables
// (TablePrefixes), which the caller sorts once for both digests.
func (d *Device) DigestParts(parts *Parts, prefixes [][]uint32) {
	for _, g := range []*store.Digest{&parts.Ports, &parts.Neighbours, &parts.Database, &parts.Routes, &parts.Paths} {
		g.Bytes([]byte(d.config.Name))
	}
	d.digestPorts(&parts.Ports, false)
	for i := range d.instances {
		inst := &d.instances[i]
		inst.ospf.DigestPorts(&parts.Neighbours, false)
		inst.ospf.DigestDatabases(&parts.Database, inst, false)
		inst.digestTable(&parts.Routes, prefixes[i])
		inst.bgp.Digest(&parts.Paths, inst, prefixes[i], false)
	}
}

// Digest folds the device's state in; prefixes are those of the tables.
func (d *Device) Digest(g *store.Digest, full bool, prefixes [][]uint32) {
	g.Bytes([]byte(d.config.Name))
	g.Flag(d.gone)
	d.digestPorts(g, full)
	for i := range d.instances {
		inst := &d.instances[i]
		inst.digestTable(g, prefixes[i])
		inst.ospf.Digest(g, inst, full)
		inst.bgp.Digest(g, inst, prefixes[i], full)
	}
	if full {
		// Connections come and go; what they carry is in the tables.
		for i := range d.instances {
			d.instances[i].tcp.Digest(g)
		}
		g.Add(d.seq)
		for i := range d.arp {
			g.Add(uint64(d.arp[i].port), d.arp[i].addr.Hash(), uint64(d.arp[i].learned))
		}
	}
}

func (d *Device) digestPorts(g *store.Digest, full bool) {
	g.Flag(d.Enabled())
	for i := range d.ports {
		p := &d.ports[i]
		g.Bytes([]byte(p.Config.Name))
		g.Flag(p.Gone)
		g.Flag(p.up)
		g.Add(p.addr.Hash(), uint64(p.Why))
		if full {
			g.Add(uint64(p.Since))
		}
	}
}

// digestTable folds the routes in, sorted by prefix: numbers of prefixes differ
// between worlds.
func (inst *Instance) digestTable(g *store.Digest, prefixes []uint32) {
	shared := inst.Shared()
	for _, id := range prefixes {
		p := shared.Prefixes.Prefix(id)
		g.Add(p.Addr.Hash(), uint64(p.Len))
		for s := range route.Sources {
			r := inst.table.Route(s, id)
			if !r.Present {
				continue
			}
			g.Add(uint64(s), uint64(r.Metric), uint64(r.Preference), uint64(r.Kind))
			inst.digestHop(g, r.Hop)
		}
		inst.digestHop(g, inst.table.Next(id))
	}
}

func (inst *Instance) digestHop(g *store.Digest, h route.HopID) {
	set := inst.table.Set(h)
	g.Flag(set == route.Blackhole)
	for _, hop := range inst.Shared().Sets.Hops(set) {
		g.Add(uint64(hop.Port), hop.Gateway.Hash())
	}
}
