package ospf

import (
	"crypto/hmac"
	"crypto/md5" //nolint:gosec // RFC 2328 D.4.3 asks for it
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"crypto/subtle"
	"encoding/binary"
	"hash"
)

// Authentication types (RFC 2328 D).
const (
	AuthNone          = 0
	AuthSimple        = 1
	AuthCryptographic = 2
)

// AuthTypeName names the authentication types, by number.
var AuthTypeName = [...]string{"none", "simple password", "cryptographic"}

// Algorithm is how a key authenticates.
type Algorithm uint8

// The algorithms of keys: a password in clear (RFC 2328 D.4.2), keyed MD5
// (D.4.3), HMAC-SHA (RFC 5709).
const (
	Simple Algorithm = iota
	MD5
	SHA1
	SHA256
	SHA384
	SHA512
)

// AlgorithmNames are the algorithms as the lab language and RFC 8177 have them.
var AlgorithmNames = [...]string{"simple", "md5", "hmac-sha-1", "hmac-sha-256", "hmac-sha-384", "hmac-sha-512"}

func (a Algorithm) String() string { return AlgorithmNames[a] }

var digests = [...]func() hash.Hash{MD5: md5.New, SHA1: sha1.New, SHA256: sha256.New, SHA384: sha512.New384,
	SHA512: sha512.New}

// Type is the authentication type that the algorithm belongs to.
func (a Algorithm) Type() uint16 {
	if a == Simple {
		return AuthSimple
	}
	return AuthCryptographic
}

// TrailerLen is the length of what is appended to a packet.
func (a Algorithm) TrailerLen() int {
	if a == Simple {
		return 0
	}
	return digests[a]().Size()
}

// Sign completes a packet that Begin began, as Finish does, and authenticates it
// with a key: seq must not be less than in any packet before.
func Sign(p []byte, a Algorithm, id uint8, secret string, seq uint32) []byte {
	binary.BigEndian.PutUint16(p[2:], uint16(len(p)))
	binary.BigEndian.PutUint16(p[12:], 0)
	binary.BigEndian.PutUint16(p[14:], a.Type())
	if a == Simple {
		clear(p[16:HeaderLen])
		copy(p[16:HeaderLen], secret)
		binary.BigEndian.PutUint16(p[12:], checksum(p))
		return p
	}
	p[16], p[17], p[18], p[19] = 0, 0, id, byte(a.TrailerLen())
	binary.BigEndian.PutUint32(p[20:], seq)
	return append(p, digest(p, a, secret)...)
}

// digest is the trailer of a packet (RFC 2328 D.4.3, RFC 5709 3.3).
func digest(p []byte, a Algorithm, secret string) []byte {
	size := a.TrailerLen()
	if a == MD5 {
		key := make([]byte, size)
		copy(key, secret)
		h := md5.New()
		h.Write(p)
		h.Write(key)
		return h.Sum(nil)
	}
	key := []byte(secret)
	if len(key) > size { // RFC 5709 3.3 (1): longer ones are hashed
		h := digests[a]()
		h.Write(key)
		key = h.Sum(nil)
	}
	m := hmac.New(digests[a], key)
	m.Write(p)
	for range size / 4 { // Apad
		m.Write([]byte{0x87, 0x8f, 0xe1, 0xf3})
	}
	return m.Sum(nil)
}

// KeyID and Sequence are those of a packet with cryptographic authentication.
func (h *Header) KeyID() uint8     { return h.Raw[18] }
func (h *Header) Sequence() uint32 { return binary.BigEndian.Uint32(h.Raw[20:]) }

// Verify says whether a packet was made with a key. The algorithm's type must be
// that of the packet.
func (h *Header) Verify(a Algorithm, secret string) bool {
	if a == Simple {
		want := make([]byte, 8)
		copy(want, secret)
		return subtle.ConstantTimeCompare(want, h.Raw[16:HeaderLen]) == 1
	}
	return int(h.Raw[19]) == a.TrailerLen() && subtle.ConstantTimeCompare(digest(h.Raw, a, secret), h.Trailer) == 1
}
