package ospf

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/wire/inet"
	wire "hellebore/core/protocols/wire/ospf"
)

// Key authenticates packets.
type Key struct {
	ID        uint8
	Algorithm wire.Algorithm
	Secret    string
	// When packets are sent with it and taken; an end of 0 is none (RFC 8177 2.1).
	Send, Accept Span
}

// Span is a stretch of time; Until 0 is without end.
type Span struct{ From, Until event.Time }

func (s Span) holds(t event.Time) bool { return t >= s.From && (s.Until == 0 || t < s.Until) }

// Chain is a list of keys (RFC 8177): packets are sent with the first whose time
// it is and taken with any, so that keys can be changed one end after the other.
type Chain struct {
	Keys []Key
}

func (c *Chain) equal(o *Chain) bool {
	return c == o || c != nil && o != nil && slices.Equal(c.Keys, o.Keys)
}

// sending is the key that packets are sent with: the first whose time it is, or
// else the one whose time ended last, which RFC 2328 D.3 has used on.
func (c *Chain) sending(now event.Time) *Key {
	last := &c.Keys[0]
	for i := range c.Keys {
		k := &c.Keys[i]
		if k.Send.holds(now) {
			return k
		}
		if k.Send.Until > last.Send.Until {
			last = k
		}
	}
	return last
}

// takes says whether packets with a key are taken now: in its time, and the one
// whose time ended last on and on (RFC 2328 D.3).
func (c *Chain) takes(k *Key, now event.Time) bool {
	if k.Accept.holds(now) {
		return true
	}
	for i := range c.Keys {
		if o := &c.Keys[i]; o.Accept.holds(now) || o.Accept.Until > k.Accept.Until {
			return false
		}
	}
	return now >= k.Accept.From
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
	n := int(c.MTU) - inet.HeaderLen - wire.HeaderLen
	if c.Keys != nil {
		longest := 0
		for _, k := range c.Keys.Keys {
			longest = max(longest, k.Algorithm.TrailerLen())
		}
		n -= longest
	}
	return n
}

// send completes a packet that wire.Begin began, authenticates it, and sends it.
// Sequence numbers are milliseconds of virtual time: they never go back, not
// even when the router starts anew.
func (p *Process) send(h Host, i uint32, dst ip.Addr, packet []byte, class event.Class) {
	if c := p.ports[i].Keys; c != nil {
		k := c.sending(h.Now())
		packet = wire.Sign(packet, k.Algorithm, k.ID, k.Secret, uint32(h.Now()/event.Millisecond))
	} else {
		wire.Finish(packet, 0)
	}
	if q := p.ports[i]; q.Virtual {
		h.SendFar(q.Address, q.Remote, packet, class)
		return
	}
	h.Send(i, dst, packet, class)
}

// authentic says whether a packet is what it claims to be (RFC 2328 D.5); if
// not, it is refused with which of type, key ID and key it is.
func (p *Process) authentic(h Host, i uint32, src ip.Addr, head *wire.Header) bool {
	q := p.ports[i]
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
		if !q.Keys.takes(key, h.Now()) {
			p.refuse(h, i, src, note.KeyNotInTime, uint64(key.ID), uint64(key.ID))
			return false
		}
		if !head.Verify(key.Algorithm, key.Secret) {
			p.refuse(h, i, src, note.KeyDiffers, uint64(key.ID), uint64(key.ID))
			return false
		}
		return head.AuType != wire.AuthCryptographic || p.fresh(h, i, src, head)
	}
	p.refuse(h, i, src, note.KeyIDDiffers, uint64(q.Keys.sending(h.Now()).ID), uint64(head.KeyID()))
	return false
}

// fresh says whether a packet's sequence number is not older than one that its
// sender used before (RFC 2328 D.5.3).
func (p *Process) fresh(h Host, i uint32, src ip.Addr, head *wire.Header) bool {
	n, known := p.find(p.ports[i], head.RouterID, src)
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
