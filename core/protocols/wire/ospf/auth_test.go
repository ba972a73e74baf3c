package ospf

import (
	"crypto/hmac"
	"crypto/md5"
	"crypto/sha256"
	"testing"

	"github.com/stretchr/testify/require"
)

func signed(a Algorithm, id uint8, secret string, seq uint32) []byte {
	return Sign(append(Begin(nil, TypeHello, 0x0a000001, 0), 1, 2, 3, 4), a, id, secret, seq)
}

func TestSignedPacketsVerify(t *testing.T) {
	for a := Simple; a <= SHA512; a++ {
		b := signed(a, 7, "brimston", 42)
		require.Len(t, b, HeaderLen+4+a.TrailerLen(), "%v: the trailer is not part of the length", a)
		h, fail := Read(b)
		require.Equal(t, OK, fail, "%v", a)
		require.Equal(t, a.Type(), h.AuType)
		require.Equal(t, []byte{1, 2, 3, 4}, h.Body)
		require.True(t, h.Verify(a, "brimston"), "%v", a)
		require.False(t, h.Verify(a, "brimstor"), "%v", a)
		if a != Simple {
			require.EqualValues(t, 7, h.KeyID())
			require.EqualValues(t, 42, h.Sequence())
			for other := MD5; other <= SHA512; other++ {
				require.Equal(t, other == a, h.Verify(other, "brimston"), "%v by %v", a, other)
			}
		}
		for i := range b {
			c := append([]byte(nil), b...)
			c[i] ^= 0x10
			if h, fail := Read(c); fail == OK && h.AuType == a.Type() {
				require.False(t, h.Verify(a, "brimston") && len(h.Raw) == HeaderLen+4, "%v: byte %d can be changed", a, i)
			}
		}
	}
}

// TestDigests holds the trailers against the definitions, written out.
func TestDigests(t *testing.T) {
	b := signed(MD5, 1, "leaf", 9)
	packet := b[:HeaderLen+4]
	sum := md5.Sum(append(append([]byte(nil), packet...), 'l', 'e', 'a', 'f', 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0)) // RFC 2328 D.4.3
	require.Equal(t, sum[:], b[HeaderLen+4:])

	b = signed(SHA256, 1, "leaf", 9)
	m := hmac.New(sha256.New, []byte("leaf")) // RFC 5709 3.3
	m.Write(b[:HeaderLen+4])
	for range 8 {
		m.Write([]byte{0x87, 0x8F, 0xE1, 0xF3})
	}
	require.Equal(t, m.Sum(nil), b[HeaderLen+4:])
}

func TestASimplePasswordIsNotInTheChecksum(t *testing.T) { // RFC 2328 D.4.2
	a, b := signed(Simple, 1, "one", 0), signed(Simple, 1, "two", 0)
	require.Equal(t, a[12:14], b[12:14])
}
