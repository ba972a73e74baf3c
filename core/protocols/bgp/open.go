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
func (s *Speaker) sendOpen(h Host, i, k int) {
	p := &s.peers[i]
	p.sentCap = []wire.Capability{{Code: wire.CapMultiprotocol, Value: []byte{0, 1, 0, 1}}}
	if !p.config.NoRefresh {
		p.sentCap = append(p.sentCap, wire.Capability{Code: wire.CapRouteRefresh})
	}
	local := s.localAS(p)
	as := uint16(wire.ASTrans)
	if local <= 0xffff {
		as = uint16(local)
	}
	if !p.config.TwoOctetAS {
		p.sentCap = append(p.sentCap, wire.Capability{Code: wire.CapFourOctetAS, Value: binary.BigEndian.AppendUint32(nil, local)})
	}
	o := wire.Open{Version: 4, AS: as, HoldTime: uint16(p.config.HoldTime.Seconds()), ID: s.id, Caps: p.sentCap}
	p.tries[k].stage = OpenSent
	s.write(h, i, k, wire.TypeOpen, o.Append(nil))
	p.hold.Set(h, h.Now()+openHold, holdTimer, event.Guard, uint32(i), 0)
	if p.phase < OpenSent {
		s.setState(h, i, OpenSent, note.None)
	}
}

// write sends a message and counts it.
func (s *Speaker) write(h Host, i, k int, t wire.Type, message []byte) {
	s.peers[i].outCount[t]++
	s.sent++
	h.WriteTCP(s.peers[i].tries[k].conn, message)
}

// capability says whether both ends sent a capability.
func (p *peer) both(t *try, code uint8) bool {
	return t.open != nil && t.open.Capability(code) != nil && slices.ContainsFunc(p.sentCap, func(c wire.Capability) bool { return c.Code == code })
}

// onOpen judges an OPEN (RFC 4271 6.2), and settles a collision (6.8).
func (s *Speaker) onOpen(h Host, i, k int, o wire.Open) {
	p := &s.peers[i]
	p.theirs = o.Caps
	switch {
	case o.FullAS() != p.config.AS:
		s.failTry(h, i, k, Ending{Reason: note.PeerASDiffers, Notify: true, Code: wire.OpenError, Subcode: wire.BadPeerAS,
			Mine: uint64(p.config.AS), Theirs: uint64(o.FullAS())})
		return
	case o.ID == s.id && !p.config.External: // RFC 6286 2.2
		s.failTry(h, i, k, Ending{Reason: note.SameRouterID, Notify: true, Code: wire.OpenError, Subcode: wire.BadBGPIdentifier, Mine: uint64(s.id), Theirs: uint64(o.ID)})
		return
	case !o.IPv4Unicast():
		s.failTry(h, i, k, Ending{Reason: note.NoCommonFamily, Notify: true, Code: wire.OpenError, Subcode: wire.UnsupportedCapability, Data: []byte{1, 4, 0, 1, 0, 1}})
		return
	}
	if other := &p.tries[1-k]; other.on && other.stage >= OpenConfirm {
		// The connection of the end with the higher identifier stays; with equal
		// identifiers, that of the higher AS (RFC 6286 2.3).
		ours := s.id > o.ID || s.id == o.ID && s.localAS(p) > p.config.AS
		loser := k
		if ours == !p.tries[k].taken {
			loser = 1 - k
		}
		s.failTry(h, i, loser, Ending{Reason: note.Collision, Notify: true, Code: wire.Cease, Subcode: wire.CollisionResolution})
		if loser == k {
			return
		}
	}
	t := &p.tries[k]
	t.open, t.stage = &o, OpenConfirm
	p.holding = min(event.FromDuration(p.config.HoldTime), event.Time(o.HoldTime)*event.Second)
	s.write(h, i, k, wire.TypeKeepalive, wire.Keepalive(nil))
	s.restartHold(h, i)
	s.setState(h, i, OpenConfirm, note.None)
}

func (s *Speaker) restartHold(h Host, i int) {
	p := &s.peers[i]
	if p.holding == 0 {
		p.hold.Stop(h, event.Guard)
		return
	}
	p.hold.Set(h, h.Now()+p.holding, holdTimer, event.Guard, uint32(i), 0)
	h.Calm().Refresh(&p.guard)
}

func (s *Speaker) sendKeepalive(h Host, i int) {
	p := &s.peers[i]
	if p.up == 0 || p.holding == 0 {
		return
	}
	s.write(h, i, int(p.up-1), wire.TypeKeepalive, wire.Keepalive(nil))
	p.keepalive.Set(h, h.Now()+s.jitter(h, randKeepalive, p.holding/3), keepaliveTimer, event.Periodic, uint32(i), 0)
}

// establish makes a session of a connection whose OPEN was confirmed.
func (s *Speaker) establish(h Host, i, k int) {
	p := &s.peers[i]
	if other := 1 - k; p.tries[other].on {
		s.failTry(h, i, other, Ending{Reason: note.Collision, Notify: p.tries[other].stage >= OpenSent, Code: wire.Cease, Subcode: wire.CollisionResolution})
	}
	p.tries[k].stage, p.up = Established, int8(k+1)
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
		p.keepalive.Set(h, h.Now()+s.jitter(h, randKeepalive, p.holding/3), keepaliveTimer, event.Periodic, uint32(i), 0)
	}
	s.setState(h, i, Established, note.None)
	s.queueAll(h, i, false)
}
