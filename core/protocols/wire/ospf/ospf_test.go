package ospf

import (
	"encoding/hex"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/ground/ip"
)

// fletcherSlow is RFC 905 annex B as it is written: the two sums over the whole,
// which must both be zero when the checksum is right.
func fletcherSlow(lsa []byte) (c0, c1 int) {
	for _, v := range lsa[2:] {
		c0 = (c0 + int(v)) % 255
		c1 = (c1 + c0) % 255
	}
	return c0, c1
}

func TestFletcherMakesBothSumsZero(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		lsa := rapid.SliceOfN(rapid.Byte(), LSAHeaderLen, 9000).Draw(t, "lsa")
		sum := Fletcher(lsa)
		lsa[16], lsa[17] = byte(sum>>8), byte(sum)
		c0, c1 := fletcherSlow(lsa)
		require.Zero(t, c0)
		require.Zero(t, c1)
		require.Equal(t, sum, Fletcher(lsa), "the field itself counts as zero")
	})
}

func TestHelloBytes(t *testing.T) {
	h := Hello{Mask: ip.Mask(30), Interval: 10, Options: OptionE, Priority: 1, DeadInterval: 40,
		Neighbours: []byte{10, 255, 0, 2}}
	b := Begin(nil, TypeHello, 0x0aff0001, 0)
	b = h.Append(b)
	Finish(b, 0)
	require.Equal(t, "020100300aff000100000000e59d"+"00000000000000000000"+
		"fffffffc000a02010000002800000000000000000aff0002", hex.EncodeToString(b))

	got, fail := Read(b)
	require.Equal(t, OK, fail)
	require.Equal(t, Header{Type: TypeHello, RouterID: 0x0aff0001, Body: b[HeaderLen:], Raw: b, Trailer: []byte{}}, got)
	back, ok := ReadHello(got.Body)
	require.True(t, ok)
	require.Equal(t, h, back)
	require.True(t, back.Lists(0x0aff0002))
	require.False(t, back.Lists(0x0aff0003))

	b[30]++
	_, fail = Read(b)
	require.Equal(t, BadChecksum, fail)
	b[0] = 3
	_, fail = Read(b)
	require.Equal(t, BadVersion, fail)
	_, fail = Read(b[:10])
	require.Equal(t, TooShort, fail)
}

func TestBodiesReadBackAsWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		addr := rapid.Custom(func(t *rapid.T) ip.Quad { return ip.Quad(rapid.Uint32().Draw(t, "addr")) })
		link := rapid.Custom(func(t *rapid.T) RouterLink {
			return RouterLink{addr.Draw(t, "id"), addr.Draw(t, "data"), rapid.Byte().Draw(t, "type"), rapid.Uint16().Draw(t, "metric")}
		})
		r := RouterBody{rapid.Byte().Draw(t, "flags"), rapid.SliceOfN(link, 0, 30).Draw(t, "links")}
		gotR, ok := ReadRouter(r.Append(nil))
		require.True(t, ok)
		require.Equal(t, r, gotR)

		n := NetworkBody{addr.Draw(t, "mask"), rapid.SliceOfN(addr, 0, 30).Draw(t, "routers")}
		gotN, ok := ReadNetwork(n.Append(nil))
		require.True(t, ok)
		require.Equal(t, n, gotN)

		d := DD{1500, OptionE, FlagInit | FlagMore, rapid.Uint32().Draw(t, "seq"), make([]byte, 2*LSAHeaderLen)}
		gotD, ok := ReadDD(d.Append(nil))
		require.True(t, ok)
		require.Equal(t, d, gotD)

		h := LSAHeader{17, OptionE, Key{RouterLSA, addr.Draw(t, "lsid"), addr.Draw(t, "router")}, 0x01020304, 9, 24}
		raw := append(h.Append(nil), 1, 2, 3, 4)
		gotH, gotRaw, ok := NextLSA(&raw)
		require.True(t, ok)
		require.Equal(t, h, gotH)
		require.Len(t, gotRaw, 24)
		require.Empty(t, raw)

		req := AppendRequest(nil, h.Key)
		gotK, ok := NextRequest(&req)
		require.True(t, ok)
		require.Equal(t, h.Key, gotK)
	})
}

// FuzzRead feeds arbitrary bytes to every reader; what can be read must be
// written back the same.
func FuzzRead(f *testing.F) {
	b := Begin(nil, TypeHello, 1, 0)
	b = (&Hello{Interval: 10}).Append(b)
	Finish(b, 0)
	f.Add(b)
	f.Add(Sign(Begin(nil, TypeHello, 1, 0), SHA256, 1, "secret", 1))
	f.Add((&SummaryBody{0xffffff00, 10}).Append(nil))
	f.Add((&ExternalBody{Mask: 0xffff0000, Type2: true, Metric: 20, Tag: 7}).Append(nil))
	f.Add((&RouterBody{Links: []RouterLink{{1, 2, 3, 4}}}).Append(nil))
	f.Fuzz(func(t *testing.T, b []byte) {
		if h, fail := Read(b); fail == OK {
			for a := Simple; a <= SHA512; a++ {
				if a.Type() == h.AuType {
					h.Verify(a, "secret")
				}
			}
			b = h.Body
		}
		if h, ok := ReadHello(b); ok {
			require.Equal(t, b, h.Append(nil))
		}
		if d, ok := ReadDD(b); ok {
			require.Equal(t, b, d.Append(nil))
		}
		if n, ok := ReadNetwork(b); ok {
			require.Equal(t, b, n.Append(nil))
		}
		if s, ok := ReadSummary(b); ok {
			again, ok := ReadSummary(s.Append(nil))
			require.True(t, ok)
			require.Equal(t, s, again)
		}
		if e, ok := ReadExternal(b); ok {
			again, ok := ReadExternal(e.Append(nil))
			require.True(t, ok)
			require.Equal(t, e, again)
		}
		if r, ok := ReadRouter(b); ok {
			require.LessOrEqual(t, len(r.Append(nil)), len(b))
		}
		for rest := b; ; {
			if _, ok := NextRequest(&rest); !ok {
				break
			}
		}
		if _, rest, ok := UpdateCount(b); ok {
			for {
				h, raw, ok := NextLSA(&rest)
				if !ok {
					break
				}
				require.Equal(t, raw[:LSAHeaderLen], h.Append(nil))
				Fletcher(raw)
			}
		}
	})
}
