package fixes

import (
	"fmt"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
)

// Fixes of sessions.

// each sets a statement on one end, or on the other.
func (c Case) each(statement string) []facts.Fix {
	var out []facts.Fix
	for _, e := range []End{c.A, c.B} {
		if e.Has {
			out = append(out, Edit(session(e)+" "+statement)...)
		}
	}
	return out
}

func (c Case) enablePeer() []facts.Fix {
	p := c.A.peer()
	if p == nil {
		return nil
	}
	if !p.Disabled {
		return act("enable %v on %s", c.A.Peer, c.A.ref())
	}
	out := Edit("remove " + session(c.A) + " disabled")
	if p.Group != "" {
		out = append(out, Edit(fmt.Sprintf("remove %s bgp peer-group %s disabled", c.A.ref(), p.Group))...)
	}
	return out
}

// asOf is the AS that a device tells a peer.
func (c Case) asOf(e End) uint32 {
	g := &e.in().Config().BGP
	if p := e.peer(); p != nil && e.Has {
		return g.ASTowards(p)
	}
	return g.AS
}

// routeToPeer brings a route for the peer's address to both routers: by OSPF on the
// links between them that lack it, else by static routes.
func (c Case) routeToPeer() []facts.Fix {
	to := c.World.Holder(c.A.in(), c.A.Peer)
	if to == nil {
		return cannot("no router has the address %v: write the address of the other router", c.A.Peer)
	}
	path := c.hops(c.A.in(), to)
	if path == nil {
		return cannot("no links lead from %s to %s: join them first", c.A.ref(), to.Ref())
	}
	var mend, ospf, static []string
	for _, hop := range path {
		for _, e := range hop {
			if up, why := e.Device.Up(e.index()); !up {
				for _, f := range For(Case{World: c.World, Code: why, A: e}) {
					if f.Action != "" {
						return []facts.Fix{f}
					}
					mend = append(mend, f.Edits...)
				}
			}
		}
	}
	if len(mend) > 0 {
		return Edit(mend[0])
	}
	in := uint32(0)
	for _, hop := range path {
		for _, e := range hop {
			if e.config().OSPF.On {
				in = e.config().OSPF.Area
			}
		}
	}
	for _, hop := range path {
		for _, e := range hop {
			if o := e.config().OSPF; !o.On {
				ospf = append(ospf, fmt.Sprintf("%s ospf area %s", e.name(), area(in)))
			} else if o.Passive {
				ospf = append(ospf, fmt.Sprintf("remove %s ospf passive", e.name()))
			}
		}
	}
	for _, x := range []struct {
		in *device.Instance
		a  ip.Addr
	}{{to, c.A.Peer}, {c.A.in(), c.B.Peer}} {
		d := x.in.Device()
		for i := range d.Ports() {
			p := &d.Ports()[i]
			if !p.Gone && d.InstanceOf(uint32(i)) == x.in && x.a.IsValid() && p.Address() == x.a && !p.Config.OSPF.On && p.Config.Loopback {
				ospf = append(ospf, fmt.Sprintf("%s.%s ospf area %s passive", d.Name(), p.Config.Name, area(in)))
			}
		}
	}
	for _, hop := range path {
		if via := hop[1].config().Address; via.IsValid() && !hop[0].in().Owns(c.A.Peer) {
			static = append(static, fmt.Sprintf("%s static %v/32 via %v", hop[0].ref(), c.A.Peer, via.Addr()))
		}
		if back := hop[0].config().Address; back.IsValid() && c.B.Peer.IsValid() && !hop[1].in().Owns(c.B.Peer) {
			static = append(static, fmt.Sprintf("%s static %v/32 via %v", hop[1].ref(), c.B.Peer, back.Addr()))
		}
	}
	var out []facts.Fix
	if len(ospf) > 0 {
		out = append(out, Edit(ospf...)...)
	}
	if len(static) > 0 {
		out = append(out, Edit(static...)...)
	}
	return out
}

// peerNotOnLink writes the address of a router that is on a link and in the AS of the
// peer, or allows for the hops.
func (c Case) peerNotOnLink() []facts.Fix {
	p := c.A.peer()
	if p == nil {
		return nil
	}
	var out []facts.Fix
	for _, n := range c.neighbours(c.A.in()) {
		far := n[1].config().Address
		if n[1].in().Config().BGP.AS == p.AS && far.IsValid() && c.A.in().Config().BGP.Peer(far.Addr()) == nil {
			out = append(out, Edit(fmt.Sprintf("rename %s peer %v %v", c.A.ref(), c.A.Peer, far.Addr()))...)
		}
	}
	return append(out, Edit(session(c.A)+" multihop 2")...)
}

// localAddress gives the port that local-address names an address, or takes the name
// away.
func (c Case) localAddress() []facts.Fix {
	p := c.A.peer()
	if p == nil || p.Local == "" {
		return nil
	}
	port := End{Device: c.A.Device, Port: p.Local}
	var out []facts.Fix
	if i, ok := port.Device.Port(p.Local); ok {
		if up, why := port.Device.Up(i); !up {
			out = append(out, For(Case{World: c.World, Code: why, A: port})...)
		}
	}
	for i := range c.A.Device.Ports() {
		if q := &c.A.Device.Ports()[i]; !q.Gone && q.Config.Loopback && q.Config.Name != p.Local && q.Config.Address.IsValid() {
			out = append(out, Edit(fmt.Sprintf("%s local-address %s", session(c.A), q.Config.Name))...)
		}
	}
	return append(out, Edit(session(c.A)+" local-address none")...)
}

// peerIsLocal writes the address of the other end of the link instead, or takes the
// peer out.
func (c Case) peerIsLocal() []facts.Fix {
	var out []facts.Fix
	for _, n := range c.neighbours(c.A.in()) {
		own, far := n[0].config().Address, n[1].config().Address
		if own.IsValid() && own.Addr() == netipOf(c.A.Peer) && far.IsValid() && n[1].Device.Kind() == config.Router &&
			c.A.in().Config().BGP.Peer(far.Addr()) == nil {
			out = append(out, Edit(fmt.Sprintf("rename %s peer %v %v", c.A.ref(), c.A.Peer, far.Addr()))...)
		}
	}
	return append(out, Edit("remove "+session(c.A))...)
}

// peerUnknown adds the peer, or gives the session the address that is expected.
func (c Case) peerUnknown() []facts.Fix {
	if c.B.Device == nil || !c.A.Peer.IsValid() {
		return nil
	}
	if c.A.Has { // B comes from another address than A expects
		return c.fromExpected(c.B, c.A)
	}
	return c.refused()
}

// fromExpected has one end come from the address that the other has as its peer, or
// the other expect the one that it comes from.
func (c Case) fromExpected(comes, expects End) []facts.Fix {
	var out []facts.Fix
	for i := range comes.Device.Ports() {
		if p := &comes.Device.Ports()[i]; !p.Gone && p.Config.Address.IsValid() && p.Address() == expects.Peer && comes.Has {
			out = append(out, Edit(fmt.Sprintf("%s local-address %s", session(comes), p.Config.Name))...)
		}
	}
	if v, ok := viewOf(comes); ok {
		from := v.Local
		if q := comes.Device.Config().Port(v.Config.Local); !from.IsValid() && q != nil {
			from = ip.AddrFrom(q.Address.Addr())
		}
		if !from.IsValid() {
			from = comes.in().SourceTo(comes.Peer)
		}
		if from.IsValid() && from != expects.Peer && expects.in().Config().BGP.Peer(netipOf(from)) == nil {
			out = append(out, Edit(fmt.Sprintf("rename %s peer %v %v", expects.ref(), expects.Peer, from))...)
		}
	}
	return out
}

// wrongAddress has both ends name the same two addresses: B sends to another one than
// A's local-address names.
func (c Case) wrongAddress() []facts.Fix {
	p := c.A.peer()
	if p == nil || c.B.Device == nil {
		return nil
	}
	local := c.A.Device.Config().Port(p.Local)
	var out []facts.Fix
	if local != nil && local.Address.IsValid() && c.B.Has && c.B.in().Config().BGP.Peer(local.Address.Addr()) == nil {
		out = append(out, Edit(fmt.Sprintf("rename %s peer %v %v", c.B.ref(), c.B.Peer, local.Address.Addr()))...)
	}
	return append(append(out, c.fromExpected(c.A, c.B)...), Edit(session(c.A)+" local-address none")...)
}

func (c Case) peerAS() []facts.Fix {
	var out []facts.Fix
	for _, pair := range [][2]End{{c.A, c.B}, {c.B, c.A}} {
		if p := pair[0].peer(); p != nil && pair[1].Device != nil {
			if as := c.asOf(pair[1]); as != 0 && as != p.AS {
				out = append(out, Edit(fmt.Sprintf("%s as %d", session(pair[0]), as))...)
			}
		}
	}
	return out
}

// ttlSecurity has both ends say how far they are apart, or neither.
func (c Case) ttlSecurity() []facts.Fix {
	needed := c.distance()
	out := c.both(fmt.Sprintf("ttl-security %d", needed))
	return append(out, c.both("ttl-security off")...)
}

func (c Case) multihop() []facts.Fix { return c.both(fmt.Sprintf("multihop %d", c.distance())) }

// both sets a statement on both ends in one fix.
func (c Case) both(statement string) []facts.Fix {
	var edits []string
	for _, e := range []End{c.A, c.B} {
		if e.Device != nil && e.Has {
			edits = append(edits, session(e)+" "+statement)
		}
	}
	return Edit(edits...)
}

// distance is how many hops the two ends are apart.
func (c Case) distance() int {
	if c.B.Device == nil {
		return 1
	}
	return max(1, len(c.hops(c.A.in(), c.B.in())))
}

// sign gives both ends one key chain, or neither.
func (c Case) sign() []facts.Fix {
	var out []facts.Fix
	for _, pair := range [][2]End{{c.B, c.A}, {c.A, c.B}} {
		own, far := pair[0].peer(), pair[1].peer()
		if own != nil && far != nil && far.Keys != nil && (own.Keys == nil || own.Keys.Name != far.Keys.Name) {
			out = append(out, Edit(fmt.Sprintf("%s keys %s", session(pair[0]), far.Keys.Name))...)
		}
	}
	if len(out) == 0 {
		return cannot("both ends name the same key chain: let it have an md5 key that is valid at this time")
	}
	return append(out, c.both("keys none")...)
}

// unanswered mends what is silent or cut on the path to the peer.
func (c Case) unanswered() []facts.Fix {
	to := c.World.Holder(c.A.in(), c.A.Peer)
	if to == nil {
		return cannot("no router has the address %v: write the address of the other router", c.A.Peer)
	}
	for _, hop := range c.hops(c.A.in(), to) {
		if m, end, ok := c.World.MediumOf(hop[0].Device.ID(), hop[0].index()); ok {
			for other := range m.Ends {
				out, _ := m.Passes(end, other)
				back, _ := m.Passes(other, end)
				if other != end && (!out || !back) {
					return act("mend %s", hop[0].name())
				}
			}
		}
	}
	return cannot("check the path from %s to %v and back, and what drops packets on it", c.A.ref(), c.A.Peer)
}

// refused has the end that does not answer speak BGP with the other one.
func (c Case) refused() []facts.Fix {
	lacks, has := c.A, c.B
	if lacks.Has && lacks.in().Config().BGP.AS != 0 {
		lacks, has = c.B, c.A
	}
	if lacks.Device == nil || lacks.Device.Kind() == config.Host || has.Device == nil {
		return cannot("write the address of a router")
	}
	at := has.Peer // what the other end has as its peer is this end's address
	own := lacks.Peer
	if !own.IsValid() {
		own = has.in().SourceTo(at)
	}
	expects := uint32(0)
	if p := has.peer(); p != nil {
		expects = p.AS
	}
	var edits []string
	as := lacks.in().Config().BGP.AS
	if as == 0 {
		if as = expects; as == 0 {
			return nil
		}
		edits = append(edits, fmt.Sprintf("%s bgp as %d", lacks.ref(), as))
	}
	if lacks.in().Config().BGP.Peer(netipOf(own)) == nil {
		edits = append(edits, fmt.Sprintf("%s bgp peer %v as %d", lacks.ref(), own, c.asOf(has)))
		if port := loopbackWith(lacks.in(), at); port != "" {
			edits[len(edits)-1] += " local-address " + port
		}
	}
	if len(edits) == 0 {
		return cannot("%s has the peer %v: check the address that it is reached by", lacks.ref(), own)
	}
	return Edit(edits...)
}

// loopbackWith is the loopback that has an address, "" if none has.
func loopbackWith(inst *device.Instance, a ip.Addr) string {
	d := inst.Device()
	for i := range d.Ports() {
		if p := &d.Ports()[i]; !p.Gone && d.InstanceOf(uint32(i)) == inst && p.Config.Loopback && p.Address() == a {
			return p.Config.Name
		}
	}
	return ""
}

// prefixLimit raises the limit above what is sent, and has the session come up again.
func (c Case) prefixLimit() []facts.Fix {
	v, ok := viewOf(c.A)
	if !ok {
		return nil
	}
	again := fmt.Sprintf("reset %v on %s", c.A.Peer, c.A.ref())
	most := max(2*uint64(v.Last.Mine), v.Last.Theirs+v.Last.Theirs/4+1)
	return []facts.Fix{{Edits: []string{fmt.Sprintf("%s max-prefixes %d", session(c.A), most)}, Action: again},
		{Edits: []string{session(c.A) + " max-prefixes off"}, Action: again}}
}

// captured keeps the route out that takes the session's packets elsewhere.
func (c Case) captured() []facts.Fix {
	t := c.A.in().Table()
	id, _, ok := t.Lookup(c.World.Shared(), c.A.Peer)
	if !ok {
		return nil
	}
	p := c.World.Shared().Prefixes.Prefix(id)
	g := c.A.in().BGP()
	_, from, _ := g.Best(id)
	for _, v := range facts.PeersOf(c.A.in()) {
		if v.Number == from {
			return c.keepOut(End{Device: c.A.Device, Instance: c.A.in().Name(), Peer: v.Address, Has: true}, p)
		}
	}
	return nil
}

// keepOut rejects a prefix that a peer sends.
func (c Case) keepOut(e End, p ip.Prefix) []facts.Fix {
	set := "not-from-" + strings.NewReplacer(".", "-", "/", "-").Replace(facts.PeerName(c.World, e.in(), c.mustView(e)))
	edits := []string{fmt.Sprintf("prefix-set %s %v", set, p)}
	fresh := c.freePolicy("from-" + strings.TrimPrefix(set, "not-from-"))
	return Edit(append(edits, c.rejecting(e, "import-policy", e.peer().Import, fresh, "captured", "prefix in "+set)...)...)
}
