package tcp

import (
	"time"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	wire "hellebore/core/protocols/wire/tcp"
)

// write is a segment's bytes, signed if the terms have keys.
func (t *Terms) write(now event.Time, g *wire.Segment, src, dst ip.Addr) []byte {
	if t.Keys == nil {
		return g.Append(nil, src, dst)
	}
	return g.AppendSigned(nil, src, dst, t.Keys.Sending(time.Duration(now)).Secret)
}

// refuses says why a segment that was read from b is not taken, if it is not.
// RFC 2385 has no key ID: all keys whose time it is are tried.
func (t *Terms) refuses(now event.Time, g *wire.Segment, b []byte, src, dst ip.Addr, ttl uint8) note.Code {
	switch {
	case ttl < t.Least:
		return note.TTLTooLow
	case t.Keys == nil && g.Digest != nil:
		return note.SignatureUnexpected
	case t.Keys == nil:
		return note.None
	case g.Digest == nil:
		return note.SignatureMissing
	}
	for _, k := range t.Keys.Taken(time.Duration(now)) {
		if g.SignedWith(b, src, dst, k.Secret) {
			return note.None
		}
	}
	return note.SignatureDiffers
}

// mss is how much data a segment takes (RFC 2385 4.3: less with a signature).
func (c *conn) mss() uint32 {
	n := uint32(min(c.offer, c.peerMSS))
	if c.terms.Keys != nil {
		n -= min(wire.SignatureLen, n-1)
	}
	return n
}
