package compare

import (
	"cmp"
	"fmt"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/paths"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// exit is a change of the neighbouring AS by which an AS reaches a prefix.
type exit struct {
	as, from, to uint32
}

// speakers compares BGP's tables: what came in, what was chosen, what was sent.
func (c *comparer) speakers() {
	n := numbers(c.before, c.after)
	same := sameSets(c.before.Attrs(), c.after.Attrs())
	for _, p := range c.pairs {
		a, b := speakerOf(p.before), speakerOf(p.after)
		if a == nil && b == nil {
			continue
		}
		c.chosen(p, &n, a, b, same)
		was, is := peers(a), peers(b)
		for _, address := range is.order {
			c.session(p, &n, a, b, was.by[address], is.by[address], same)
		}
		for _, address := range was.order {
			if is.by[address] == nil {
				c.session(p, &n, a, b, was.by[address], nil, same)
			}
		}
	}
}

func speakerOf(inst *device.Instance) *bgp.Speaker {
	if inst == nil || !inst.BGP().Running() {
		return nil
	}
	return inst.BGP()
}

type peerList struct {
	order []ip.Addr
	by    map[ip.Addr]*bgp.PeerView
}

func peers(s *bgp.Speaker) peerList {
	out := peerList{by: map[ip.Addr]*bgp.PeerView{}}
	if s != nil {
		s.Peers(func(v bgp.PeerView) {
			out.order = append(out.order, v.Address)
			out.by[v.Address] = &v
		})
	}
	return out
}

// sameSets says of two attribute sets whether they say the same; what was found
// out once is remembered.
func sameSets(before, after *attr.Pool) func(a, b attr.ID) bool {
	known := map[[2]attr.ID]bool{}
	return func(a, b attr.ID) bool {
		if a == 0 || b == 0 {
			return a == b
		}
		if a == b && after.Shares(before, a) {
			return true
		}
		key := [2]attr.ID{a, b}
		if is, ok := known[key]; ok {
			return is
		}
		is := before.Get(a).Equal(after.Get(b))
		known[key] = is
		return is
	}
}

// chosen compares Loc-RIB.
func (c *comparer) chosen(p pair, n *numbering, a, b *bgp.Speaker, same func(a, b attr.ID) bool) {
	best := func(w *network.World, at *device.Instance, s *bgp.Speaker, id uint32) (set attr.ID, from string) {
		if s == nil || id == none {
			return 0, ""
		}
		set, peer, _ := s.Best(id)
		if set == 0 {
			return 0, ""
		}
		if from = phrase.Text("itself"); peer != bgp.Local {
			from = facts.PeerName(w, at, s.Peer(peer))
		}
		return set, from
	}
	var shared func(page uint32) bool
	if len(c.renamed) == 0 && a != nil && b != nil && c.samePeers(p, a, b) {
		shared = func(page uint32) bool {
			rows, same := b.SameBest(a, page)
			c.sections[Paths].Same += rows
			return same
		}
	}
	n.but(shared, func(old, now uint32) {
		x, from := best(c.before, p.before, a, old)
		y, to := best(c.after, p.after, b, now)
		if x == 0 && y == 0 {
			return
		}
		if same(x, y) && c.now(from) == to {
			c.sections[Paths].Same++
			return
		}
		r := Row{Section: Paths, Device: p.name, Other: cmp.Or(to, from)}
		full := c.full(Paths)
		if x != 0 {
			r.Subject = c.before.Shared().Prefixes.Prefix(old).String()
			if !full {
				r.Before = phrase.Say("from %s, %s", from, paths.SetWords(c.before, x))
			}
		}
		if y != 0 {
			r.Subject = c.after.Shared().Prefixes.Prefix(now).String()
			if !full {
				r.After = phrase.Say("from %s, %s", to, paths.SetWords(c.after, y))
			}
		}
		switch {
		case x == 0:
			r.Weight = Better
		case y == 0:
			r.Weight = Worse
		default:
			if c.now(from) != to {
				r.Kind = Moved
			}
			if !full {
				r.tellApart(c.restOfSets(x, y))
			}
			was, is := c.before.Attrs().Get(x).Path.First(), c.after.Attrs().Get(y).Path.First()
			if was != is {
				e := exit{b.AS(), was, is}
				if c.exits[e] == nil {
					c.exits[e] = map[string]bool{}
				}
				c.exits[e][r.Subject] = true
			}
		}
		c.add(r)
	})
}

// session compares what came in from a peer, and what it was sent.
func (c *comparer) session(p pair, n *numbering, a, b *bgp.Speaker, was, is *bgp.PeerView,
	same func(a, b attr.ID) bool) {
	v, w, at := is, c.after, p.after
	if v == nil {
		v, w, at = was, c.before, p.before
	}
	name, address, outside := facts.PeerName(w, at, *v), v.Address.String(), v.External
	var shared func(page uint32) bool
	if a != nil && b != nil && was != nil && is != nil && was.Number == is.Number {
		shared = func(page uint32) bool {
			in, out, same := b.SameSession(a, is.Number, page)
			c.sections[Received].Same += in
			c.sections[Sent].Same += out
			return same
		}
	}
	n.but(shared, func(old, now uint32) {
		var x, y bgp.Row
		var out, sent attr.ID
		subject := func() string {
			if now != none {
				return c.after.Shared().Prefixes.Prefix(now).String()
			}
			return c.before.Shared().Prefixes.Prefix(old).String()
		}
		if was != nil && a != nil && old != none {
			x, _ = a.In(was.Number, old)
			out = a.Sent(was.Number, old)
		}
		if is != nil && b != nil && now != none {
			y, _ = b.In(is.Number, now)
			sent = b.Sent(is.Number, now)
		}
		if x.Raw != 0 || y.Raw != 0 {
			if same(x.Raw, y.Raw) && same(x.Accepted, y.Accepted) && x.Why == y.Why {
				c.sections[Received].Same++
			} else if c.full(Received) {
				c.count(Received, p.name)
			} else {
				r := Row{Section: Received, Device: p.name, Other: name, Peer: address, Subject: subject(),
					Before: inWords(c.before, x), After: inWords(c.after, y)}
				if x.Raw != 0 && y.Raw != 0 {
					r.tellApart(c.restOfSets(cmp.Or(x.Accepted, x.Raw), cmp.Or(y.Accepted, y.Raw)))
					// A policy can hide what differs: then what was received says it.
					r.tellApart(c.restOfSets(x.Raw, y.Raw))
				}
				c.add(r)
			}
		}
		if out != 0 || sent != 0 {
			if same(out, sent) {
				c.sections[Sent].Same++
			} else if c.full(Sent) {
				c.count(Sent, p.name)
			} else {
				r := Row{Section: Sent, Device: p.name, Other: name, Peer: address, Subject: subject(), Outside: outside,
					Before: outWords(c.before, out), After: outWords(c.after, sent)}
				if out != 0 && sent != 0 {
					r.tellApart(c.restOfSets(out, sent))
				}
				c.add(r)
			}
		}
	})
}

// samePeers says whether two speakers have the same peers by the same numbers and names.
func (c *comparer) samePeers(p pair, a, b *bgp.Speaker) bool {
	was, is := peers(a), peers(b)
	if len(was.order) != len(is.order) {
		return false
	}
	for _, address := range is.order {
		old, now := was.by[address], is.by[address]
		if old == nil || old.Number != now.Number || facts.PeerName(c.before, p.before, *old) != facts.PeerName(c.after, p.after, *now) {
			return false
		}
	}
	return true
}

func inWords(w *network.World, r bgp.Row) string {
	switch {
	case r.Raw == 0:
		return ""
	case r.Accepted == 0:
		return phrase.Say("not accepted: %s; %s", r.Why.Info().Text, paths.SetWords(w, r.Raw))
	}
	return paths.SetWords(w, r.Accepted)
}

func outWords(w *network.World, id attr.ID) string {
	if id == 0 {
		return ""
	}
	return paths.SetWords(w, id)
}

// asNames are names for the ASes of a world: how a router describes its peer
// there, else the only router in it.
func asNames(w *network.World) map[uint32]string {
	out := map[uint32]string{}
	routers := map[uint32]int{}
	for _, inst := range facts.AllInstances(w) {
		if as := inst.Config().BGP.AS; as != 0 {
			routers[as]++
			out[as] = inst.Device().Name()
		}
	}
	for as, n := range routers {
		if n > 1 {
			delete(out, as)
		}
	}
	for _, inst := range facts.AllInstances(w) {
		g := &inst.Config().BGP
		for i := range g.Peers {
			if p := &g.Peers[i]; p.Description != "" && g.External(p) {
				out[p.AS] = p.Description
			}
		}
	}
	return out
}

func asName(names map[uint32]string, as uint32) string {
	if as == 0 {
		return phrase.Text("its own")
	}
	return cmp.Or(names[as], fmt.Sprintf("AS %d", as))
}
