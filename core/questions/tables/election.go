package tables

import (
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/ospf"
)

// candidate is a router on a segment that may be designated.
type candidate struct {
	address  ip.Quad
	id       ip.Quad
	priority uint8
}

// above says whether an election prefers c: the higher priority, then the higher router ID
// (RFC 2328 9.4).
func (c candidate) above(o candidate) bool {
	return c.priority > o.priority || c.priority == o.priority && c.id > o.id
}

// Standing is a router in the election of a segment, as one port of it sees that.
type Standing struct {
	Address  ip.Addr
	RouterID ip.Quad
	Priority uint8
	DR, BDR  bool
}

// Election is how a segment's DR and BDR came to be, as a port sees it.
type Election struct {
	DRWhy, BDRWhy string     // "" if there is none
	List          []Standing // all that the port knows, the best first; itself among them
}

// ElectionAt is the election that a port takes part in; ok is false if it takes part in
// none.
func ElectionAt(p *ospf.Process, i uint32) (e Election, ok bool) {
	v := p.Port(i)
	if !p.Running() || !v.On || !v.Broadcast || v.Passive || v.State < ospf.PortWaiting {
		return e, false
	}
	list := candidates(p, i)
	slices.SortStableFunc(list, func(a, b candidate) int {
		if a.above(b) {
			return -1
		}
		return 1
	})
	for _, c := range list {
		e.List = append(e.List, Standing{ip.V4(c.address), c.id, c.priority, c.address == v.DR, c.address == v.BDR})
	}
	e.DRWhy, e.BDRWhy = electionWords(p, i)
	return e, true
}

func candidates(p *ospf.Process, i uint32) []candidate {
	v := p.Port(i)
	list := []candidate{{v.Address.Quad(), p.RouterID(), v.Priority}}
	p.Neighbours(i, func(n ospf.NeighbourView) {
		if n.State >= adjacency.TwoWay {
			list = append(list, candidate{n.Address.Quad(), n.RouterID, n.Priority})
		}
	})
	return list
}

// electionWords say why a segment's DR and BDR are what they are, as a port sees it.
func electionWords(p *ospf.Process, i uint32) (dr, bdr string) {
	v := p.Port(i)
	list := candidates(p, i)
	if v.DR != 0 {
		dr = whyChosen(list, v.DR, 0)
	}
	if v.BDR != 0 {
		bdr = whyChosen(list, v.BDR, v.DR)
	}
	return dr, bdr
}

// whyChosen says why a router was chosen among those of a list, without the one that has
// another office.
func whyChosen(list []candidate, chosen, other ip.Quad) string {
	var it candidate
	var rest []candidate // those that it was chosen among
	for _, c := range list {
		switch {
		case c.address == chosen:
			it = c
		case c.address != other && c.priority > 0:
			rest = append(rest, c)
		}
	}
	switch {
	case it.address == 0:
		return phrase.Text("what the others on the segment say")
	case len(rest) == 0:
		return phrase.Text("no other router that may be it is there")
	}
	best := rest[0]
	for _, c := range rest[1:] {
		if c.above(best) {
			best = c
		}
	}
	switch {
	case best.above(it):
		return phrase.Text("it came first; a higher priority or router ID never pre-empts")
	case it.priority > best.priority:
		return phrase.Say("highest priority, %d", it.priority)
	}
	return phrase.Say("highest router ID of those with priority %d", it.priority)
}
