package ospf

import (
	"slices"

	"hellebore/core/event"
	"hellebore/core/note"
	"hellebore/core/wire/ip"
	wire "hellebore/core/wire/ospf"
)

// Key authenticates packets.
type Key struct {
	ID        uint8
	Algorithm wire.Algorithm
	Secret    string
}

// Chain is a list of keys (RFC 8177): packets are sent with the first and taken
// with any, so that keys can be changed one end after the other.
type Chain struct {
	Keys []Key
}

func (c *Chain) equal(o *Chain) bool {
	return c == o || c != nil && o != nil && slices.Equal(c.Keys, o.Keys)
}

// authType is the authentication type of what a port sends.
func (c *PortConfig) authType() uint16 {
	if c.Keys == nil {
		return wire.AuthNone
	}
	return c.Keys.Keys[0].Algorithm.Type()
}

// room is what a packet on a port may hold beside its IP header, its OSPF header
// and its trailer.
func (c *PortConfig) room() int {
	n := int(c.MTU) - ip.HeaderLen - wire.HeaderLen
	if c.Keys != nil {
		n -= c.Keys.Keys[0].Algorithm.TrailerLen()
	}
	return n
}

// send completes a packet that wire.Begin began, authenticates it, and sends it.
// Sequence numbers are milliseconds of virtual time: they never go back, not
// even when the router starts anew.
func (p *Process) send(h Host, i uint32, dst ip.Addr, packet []byte, class event.Class) {
	if c := p.ports[i].Keys; c != nil {
		k := &c.Keys[0]
		packet = wire.Sign(packet, k.Algorithm, k.ID, k.Secret, uint32(h.Now()/event.Millisecond))
	} else {
		wire.Finish(packet, 0)
	}
	if q := &p.ports[i]; q.Virtual {
		h.SendFar(q.Address, q.Remote, packet, class)
		return
	}
	h.Send(i, dst, packet, class)
}

// authentic says whether a packet is what it claims to be (RFC 2328 D.5); if
// not, it is refused with which of type, key ID and key it is.
func (p *Process) authentic(h Host, i uint32, src ip.Addr, head *wire.Header) bool {
	q := &p.ports[i]
	if mine := q.authType(); head.AuType != mine {
		p.refuse(h, i, src, note.AuthenticationDiffers, uint64(mine), uint64(head.AuType))
		return false
	}
	if q.Keys == nil {
		return true
	}
	for k := range q.Keys.Keys {
		key := &q.Keys.Keys[k]
		if head.AuType == wire.AuthCryptographic && key.ID != head.KeyID() {
			continue
		}
		if !head.Verify(key.Algorithm, key.Secret) {
			p.refuse(h, i, src, note.KeyDiffers, uint64(key.ID), uint64(key.ID))
			return false
		}
		return head.AuType != wire.AuthCryptographic || p.fresh(h, i, src, head)
	}
	p.refuse(h, i, src, note.KeyIDDiffers, uint64(q.Keys.Keys[0].ID), uint64(head.KeyID()))
	return false
}

// fresh says whether a packet's sequence number is not older than one that its
// sender used before (RFC 2328 D.5.3).
func (p *Process) fresh(h Host, i uint32, src ip.Addr, head *wire.Header) bool {
	n, known := p.find(&p.ports[i], head.RouterID, src)
	if !known {
		return true
	}
	nb := &p.nbrs[n]
	if head.Sequence() < nb.cryptoSeq {
		p.refuse(h, i, src, note.ReplayedPacket, uint64(nb.cryptoSeq), uint64(head.Sequence()))
		return false
	}
	nb.cryptoSeq = head.Sequence()
	return true
}
