package bgp

import (
	"encoding/binary"
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	wire "hellebore/core/protocols/wire/bgp"
)

// From a connection to a session that is up: OPEN, its judgement, KEEPALIVE.

// sendOpen sends the OPEN on a connection that has just come about.
func (p *peer) sendOpen(s *Speaker, h Host, c *connection) {
	p.sentCap = nil
	for _, f := range wire.Families {
		p.sentCap = append(p.sentCap, f.Capability())
	}
	if !p.config.NoRefresh {
		p.sentCap = append(p.sentCap, wire.Capability{Code: wire.CapRouteRefresh})
	}
	local := s.localAS(p)
	as := uint16(wire.ASTrans)
	if local <= 0xffff {
		as = uint16(local)
	}
	if !p.config.TwoOctetAS {
		p.sentCap = append(p.sentCap,
			wire.Capability{Code: wire.CapFourOctetAS, Value: binary.BigEndian.AppendUint32(nil, local)})
	}
	o := wire.Open{Version: 4, AS: as, HoldTime: uint16(p.config.HoldTime.Seconds()), ID: s.id, Caps: p.sentCap}
	c.stage = OpenSent
	p.write(s, h, c, wire.TypeOpen, o.Append(nil))
	p.hold.Set(h, h.Now()+openHold, holdTimer, event.Guard, uint32(p.number), 0)
	if p.phase < OpenSent {
		p.setState(h, OpenSent, note.None)
	}
}

// write sends a message and counts it.
func (p *peer) write(s *Speaker, h Host, c *connection, t wire.Type, message []byte) {
	p.outCount[t]++
	s.sent++
	h.WriteTCP(c.conn, message)
}

// capability says whether both ends sent a capability.
func (p *peer) both(t *connection, code uint8) bool {
	return t.open != nil && t.open.Capability(code) != nil &&
		slices.ContainsFunc(p.sentCap, func(c wire.Capability) bool { return c.Code == code })
}

// onOpen judges an OPEN (RFC 4271 6.2), and settles a collision (6.8).
func (p *peer) onOpen(s *Speaker, h Host, c *connection, o wire.Open) {
	p.theirs = o.Caps
	switch {
	case o.FullAS() != p.config.AS:
		p.failConnection(s, h, c,
			Ending{Reason: note.PeerASDiffers, Notify: true, Code: wire.OpenError, Subcode: wire.BadPeerAS,
				Mine: uint64(p.config.AS), Theirs: uint64(o.FullAS())})
		return
	case o.ID == s.id && !p.config.External: // RFC 6286 2.2
		p.failConnection(s, h, c,
			Ending{Reason: note.SameRouterID, Notify: true, Code: wire.OpenError, Subcode: wire.BadBGPIdentifier,
				Mine: uint64(s.id), Theirs: uint64(o.ID)})
		return
	case !o.Takes(wire.IPv4Unicast):
		p.failConnection(s, h, c,
			Ending{Reason: note.NoCommonFamily, Notify: true, Code: wire.OpenError, Subcode: wire.UnsupportedCapability,
				Data: wire.IPv4Unicast.Append([]byte{wire.CapMultiprotocol, 4})}) // RFC 5492 3: the capability that is missing
		return
	}
	if other := p.other(c); other.on && other.stage >= OpenConfirm {
		// The connection of the end with the higher identifier stays; with equal
		// identifiers, that of the higher AS (RFC 6286 2.3).
		oursStays := s.id > o.ID || s.id == o.ID && s.localAS(p) > p.config.AS
		loser := c
		if oursStays == !c.taken {
			loser = other
		}
		p.failConnection(s, h, loser,
			Ending{Reason: note.Collision, Notify: true, Code: wire.Cease, Subcode: wire.CollisionResolution})
		if loser == c {
			return
		}
	}
	c.open, c.stage = &o, OpenConfirm
	p.holding = min(event.FromDuration(p.config.HoldTime), event.Time(o.HoldTime)*event.Second)
	p.write(s, h, c, wire.TypeKeepalive, wire.Keepalive(nil))
	p.restartHold(h)
	p.setState(h, OpenConfirm, note.None)
}

func (p *peer) restartHold(h Host) {
	if p.holding == 0 {
		p.hold.Stop(h, event.Guard)
		return
	}
	p.hold.Set(h, h.Now()+p.holding, holdTimer, event.Guard, uint32(p.number), 0)
	h.Calm().Refresh(&p.guard)
}

func (p *peer) sendKeepalive(s *Speaker, h Host) {
	if !p.up || p.holding == 0 {
		return
	}
	p.write(s, h, p.established(), wire.TypeKeepalive, wire.Keepalive(nil))
	p.keepalive.Set(h, h.Now()+s.jitter(h, randKeepalive, p.holding/3), keepaliveTimer, event.Periodic,
		uint32(p.number), 0)
}

// establish makes a session of a connection whose OPEN was confirmed.
func (p *peer) establish(s *Speaker, h Host, c *connection) {
	if other := p.other(c); other.on {
		p.failConnection(s, h, other,
			Ending{Reason: note.Collision, Notify: other.stage >= OpenSent, Code: wire.Cease,
				Subcode: wire.CollisionResolution})
	}
	c.stage, p.up = Established, true
	p.ups++
	p.blocked = note.None
	p.retry.Stop(h, event.Retry)
	if p.trying {
		p.trying = false
		h.Calm().Stop(&p.watch)
	}
	if p.holding > 0 {
		p.guarded = true
		h.Calm().Start(&p.guard)
		p.keepalive.Set(h, h.Now()+s.jitter(h, randKeepalive, p.holding/3), keepaliveTimer, event.Periodic,
			uint32(p.number), 0)
	}
	p.setState(h, Established, note.None)
	p.queueAll(s, h, false)
}
