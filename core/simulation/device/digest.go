package device

import "hellebore/core/ground/store"

// Parts are the digests of the parts of a state, without what passes.
type Parts struct {
	Ports, Neighbours, Database, Routes, Paths store.Digest
}

// Digest folds the device's state in, part by part; and what passes of it: ages, sequence numbers and the phases of timers.
func (d *Device) Digest(parts *Parts, passing *store.Digest) {
	passing.Flag(d.gone)
	if d.gone {
		passing.Bytes([]byte(d.config.Name))
		return
	}
	for _, g := range []*store.Digest{&parts.Ports, &parts.Neighbours, &parts.Database, &parts.Routes, &parts.Paths} {
		g.Bytes([]byte(d.config.Name))
	}
	d.digestPorts(&parts.Ports, passing)
	for i := range d.instances {
		inst := &d.instances[i]
		inst.ospf.DigestPorts(&parts.Neighbours, passing)
		inst.ospf.DigestDatabases(&parts.Database, passing, inst)
		parts.Routes.Add(inst.table.Digest(inst.Shared()))
		inst.bgp.Digest(&parts.Paths, passing, inst)
		inst.tcp.Digest(passing) // connections come and go; what they carry is in the tables
	}
	for i := range d.arp {
		passing.Add(uint64(d.arp[i].port), d.arp[i].addr.Hash(), uint64(d.arp[i].learned))
	}
}

func (d *Device) digestPorts(g, passing *store.Digest) {
	g.Flag(d.Enabled())
	for i := range d.ports {
		p := &d.ports[i]
		g.Bytes([]byte(p.Config.Name))
		g.Flag(p.Gone)
		g.Flag(p.up)
		g.Add(p.addr.Hash(), uint64(p.Why))
		passing.Add(uint64(p.Since))
	}
}
