package fixes

import (
	"fmt"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Fixes of paths: A is the router and the peer that a path came from or goes to, B the
// router at the other end of that session.

func (c Case) mustView(e End) bgp.PeerView {
	v, _ := viewOf(e)
	return v
}

// policyName is a name for a policy towards or from a peer that none has.
func (c Case) policyName(direction string) string {
	name := direction + "-" + c.A.Device.Name()
	if c.B.Device != nil {
		name = direction + "-" + c.B.Device.Name()
	}
	return c.freePolicy(name)
}

// importPolicy names a policy that lets in what the peer sends.
func (c Case) importPolicy() []facts.Fix {
	name := c.policyName("from")
	return append(Edit(fmt.Sprintf("policy %s otherwise accept", name), fmt.Sprintf("%s import-policy %s", session(c.A), name)),
		Edit(c.A.ref()+" bgp external-policy optional")...)
}

// exportPolicy names a policy that sends the AS's own prefixes, or what internal peers
// sent, and nothing that another AS sent.
func (c Case) exportPolicy() []facts.Fix {
	name := c.policyName("to")
	return append(Edit(fmt.Sprintf("policy %s statement own where route-type local\n  accept", name),
		fmt.Sprintf("policy %s otherwise reject", name), fmt.Sprintf("%s export-policy %s", session(c.A), name)),
		Edit(c.A.ref()+" bgp external-policy optional")...)
}

// ownAS takes paths with our AS in them from the peer, and from each other within the
// AS.
func (c Case) ownAS() []facts.Fix {
	edits := []string{session(c.A) + " own-as-allowed 1"}
	as := c.A.in().Config().BGP.AS
	for _, d := range c.World.Devices() {
		g := &d.Config().BGP
		for i := range g.Peers {
			p := &g.Peers[i]
			if !d.Gone() && g.AS == as && p.AS == as && p.OwnAS == 0 {
				edits = append(edits, session(End{Device: d, Peer: ip.AddrFrom(p.Address)})+" own-as-allowed 1")
			}
		}
	}
	return Edit(edits...)
}

// pastLoopCheck sends a path with the peer's AS in it, and has the peer take it.
func (c Case) pastLoopCheck() []facts.Fix {
	send := session(c.A) + " loop-check off"
	out := Edit(send)
	if c.B.Device != nil && c.B.Has && c.B.peer() != nil && c.B.peer().OwnAS == 0 {
		out = append(out, Edit(send, session(c.B)+" own-as-allowed 1")...)
	}
	return out
}

// NoTransit keeps from a peer what a router has from another AS: a statement of its
// export policy rejects it before all others.
func NoTransit(w *network.World, inst *device.Instance, v bgp.PeerView, from uint32) []facts.Fix {
	set := fmt.Sprintf("from-as-%d", from)
	edits := []string{fmt.Sprintf("as-path-set %s path %d ...", set, from)}
	c := Case{World: w, A: Of(inst), B: Of(w.Holder(inst, v.Address))}
	c.A.Peer, c.A.Has = v.Address, true
	return Edit(append(edits, c.rejecting(c.A, "export-policy", v.Config.Export, c.policyName("to"), "no-transit", "as-path in "+set)...)...)
}

// nextHop has the router that sent the path give its own address, or brings the next
// hop's network into OSPF there.
func (c Case) nextHop() []facts.Fix {
	if c.B.Device == nil {
		return nil
	}
	var out []facts.Fix
	if c.B.Has && c.asOf(c.A) == c.asOf(c.B) {
		out = append(out, Edit(session(c.B)+" next-hop-self")...)
		for i := range c.B.Device.Ports() {
			p := &c.B.Device.Ports()[i]
			if p.Gone || p.Config.Loopback || p.Config.OSPF.On || !p.Config.Address.IsValid() || c.B.Device.InstanceOf(uint32(i)) != c.B.in() {
				continue
			}
			far := End{Device: c.B.Device, Port: p.Config.Name}
			out = append(out, Edit(fmt.Sprintf("%s ospf area %s passive", far.name(), area(c.areaOf(c.B))))...)
		}
	}
	if len(out) == 0 {
		return cannot("bring the next hop's network into the IGP")
	}
	return out
}

// areaOf is an area in which a router is.
func (c Case) areaOf(e End) uint32 {
	for i := range e.Device.Ports() {
		if p := &e.Device.Ports()[i]; !p.Gone && p.Config.OSPF.On && e.Device.InstanceOf(uint32(i)) == e.in() {
			return p.Config.OSPF.Area
		}
	}
	return 0
}

// betweenInternal makes the router reflect to the peer.
func (c Case) betweenInternal() []facts.Fix { return Edit(session(c.A) + " client on") }

func (c Case) tooLong() []facts.Fix {
	return cannot("shorten the AS path or remove communities in a policy: which of them nobody needs is not for a program to say")
}

func (c Case) multipathAny() []facts.Fix {
	return Edit(fmt.Sprintf("%s bgp multipath %d any-as", c.A.ref(), max(2, c.A.in().Config().BGP.Multipath)))
}

func (c Case) multipath() []facts.Fix {
	g := &c.A.in().Config().BGP
	words := ""
	if g.MultipathAny {
		words = " any-as"
	}
	if g.Multipath >= 16 {
		return cannot("multipath uses 16 paths at most")
	}
	return Edit(fmt.Sprintf("%s bgp multipath %d%s", c.A.ref(), g.Multipath+1, words))
}
