package bgp

import (
	"encoding/binary"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
)

func drawSet(t *rapid.T) attr.Set {
	as := rapid.Uint32Range(1, 1<<32-1)
	a := attr.Set{Origin: attr.Origin(rapid.IntRange(0, 2).Draw(t, "origin")), NextHop: ip.V4(ip.Quad(rapid.Uint32Range(1, 1<<32-1).Draw(t, "hop"))),
		HasLocalPref: true, LocalPref: rapid.Uint32().Draw(t, "pref"), Atomic: rapid.Bool().Draw(t, "atomic")}
	for range rapid.IntRange(0, 3).Draw(t, "segments") {
		a.Path = append(a.Path, attr.Segment{Kind: uint8(rapid.IntRange(1, 2).Draw(t, "kind")), AS: rapid.SliceOfN(as, 1, 6).Draw(t, "as")})
	}
	if rapid.Bool().Draw(t, "med") {
		a.HasMED, a.MED = true, rapid.Uint32().Draw(t, "medv")
	}
	if rapid.Bool().Draw(t, "agg") {
		a.HasAggregator, a.AggregatorAS, a.Aggregator = true, as.Draw(t, "aggas"), ip.Quad(rapid.Uint32().Draw(t, "agga"))
	}
	for _, c := range rapid.SliceOfN(rapid.Uint32(), 0, 80).Draw(t, "communities") {
		a.Communities = insert(a.Communities, c)
	}
	a.Extended = rapid.SliceOfN(rapid.Uint64(), 0, 3).Draw(t, "extended")
	if rapid.Bool().Draw(t, "large") {
		a.Large = []attr.Large{{Admin: 1, Data1: 2, Data2: rapid.Uint32().Draw(t, "largev")}}
	}
	if rapid.Bool().Draw(t, "reflected") {
		a.Originator = ip.Quad(rapid.Uint32Range(1, 9).Draw(t, "originator"))
		a.Clusters = rapid.SliceOfN(rapid.Map(rapid.Uint32(), func(n uint32) ip.Quad { return ip.Quad(n) }), 1, 4).Draw(t, "clusters")
	}
	if rapid.Bool().Draw(t, "unknown") {
		a.Unknown = []attr.Unknown{{Flags: 0xe0, Type: 99, Value: strings.Repeat("x", rapid.IntRange(0, 300).Draw(t, "value"))}}
	}
	return a
}

func drawPrefixes(t *rapid.T, label string, n int) []ip.Prefix {
	var out []ip.Prefix
	for range rapid.IntRange(0, n).Draw(t, label) {
		out = append(out, ip.V4Prefix(ip.Quad(rapid.Uint32().Draw(t, "addr")), uint8(rapid.IntRange(0, 32).Draw(t, "len"))))
	}
	return out
}

// TestUpdatesComeBack writes prefixes with attributes into UPDATEs and reads them
// back, with AS numbers of four octets and of two.
func TestUpdatesComeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := drawSet(t)
		four := rapid.Bool().Draw(t, "four")
		if !four { // what a two-octet path is put together from has no sets in front
			for i := range a.Path {
				a.Path[i].Kind = attr.ASSequence
			}
			a.Path = attr.Path{}.Prepend(flat(a.Path)...)
			if len(a.Path) > 0 && len(a.Path[0].AS) == 0 {
				a.Path = nil
			}
		}
		withdrawn, announced := drawPrefixes(t, "withdrawn", 900), drawPrefixes(t, "announced", 900)
		b, messages := AppendUpdates(nil, withdrawn, announced, &a, four)
		var gone, came []ip.Prefix
		for len(b) > 0 {
			kind, body, n, fault := Split(b)
			require.Nil(t, fault)
			require.Equal(t, TypeUpdate, kind)
			require.LessOrEqual(t, n, MaxLen)
			b = b[n:]
			messages--
			u, fault := ReadUpdate(body)
			require.Nil(t, fault)
			Prefixes(u.Withdrawn, func(p ip.Prefix) { gone = append(gone, p) })
			if len(u.Announced) == 0 {
				continue
			}
			got, bad := ReadAttributes(u.Attributes, Peer{FourOctet: four})
			require.Equal(t, Fault{}, bad)
			require.True(t, got.Equal(&a), "%+v\n%+v", a, got)
			Prefixes(u.Announced, func(p ip.Prefix) { came = append(came, p) })
		}
		require.Zero(t, messages)
		require.Equal(t, withdrawn, gone)
		require.Equal(t, announced, came)
	})
}

func flat(p attr.Path) (out []uint32) {
	p.Each(func(as uint32) { out = append(out, as) })
	return out
}

func TestOpensComeBack(t *testing.T) {
	o := Open{Version: 4, AS: ASTrans, HoldTime: 90, ID: 0x0a000001, Caps: []Capability{{CapMultiprotocol, []byte{0, 1, 0, 1}},
		{CapRouteRefresh, []byte{}}, {CapFourOctetAS, binary.BigEndian.AppendUint32(nil, 65551)}}}
	_, body, n, fault := Split(o.Append(nil))
	require.Nil(t, fault)
	require.NotZero(t, n)
	got, fault := ReadOpen(body)
	require.Nil(t, fault)
	require.Equal(t, o.ID, got.ID)
	require.EqualValues(t, 65551, got.FullAS())
	require.True(t, got.Takes(IPv4Unicast))
	require.NotNil(t, got.Capability(CapRouteRefresh))
	require.Nil(t, got.Capability(77))
	require.EqualValues(t, ASTrans, (&Open{AS: ASTrans}).FullAS())
}

func TestNotificationsInWords(t *testing.T) {
	for want, n := range map[string]Notification{
		"OPEN message error: bad peer AS":               {Code: OpenError, Subcode: BadPeerAS},
		"hold timer expired":                            {Code: HoldTimerExpired},
		`cease: administrative shutdown, "back at six"`: {Code: Cease, Subcode: AdministrativeStop, Data: ShutdownData("back at six")},
		"cease: administrative reset":                   {Code: Cease, Subcode: AdministrativeReset, Data: []byte{9, 'x'}},
		"code 42, subcode 3":                            {Code: 42, Subcode: 3},
		"cease, subcode 99":                             {Code: Cease, Subcode: 99},
	} {
		_, body, _, fault := Split(n.Append(nil))
		require.Nil(t, fault)
		got := ReadNotification(body)
		require.Equal(t, want, got.Words())
	}
	require.Len(t, ShutdownData(strings.Repeat("é", 200)), 255, "cut between two characters (RFC 9003 2)")
}

// TestReadingPrefixesAllocatesNothing counts what an UPDATE of many prefixes costs.
func TestReadingPrefixesAllocatesNothing(t *testing.T) {
	var list []ip.Prefix
	for i := range 700 {
		list = append(list, ip.V4Prefix(ip.Quad(0x0a000000+i<<8), 24))
	}
	b, messages := AppendUpdates(nil, nil, list, &attr.Set{NextHop: ip.V4(1)}, true)
	require.Equal(t, 1, messages)
	sum := ip.Quad(0)
	visit := func(p ip.Prefix) { sum += p.Addr.Quad() }
	require.Zero(t, testing.AllocsPerRun(100, func() {
		_, body, _, _ := Split(b)
		u, _ := ReadUpdate(body)
		Prefixes(u.Announced, visit)
	}))
}

func FuzzRead(f *testing.F) {
	a := attr.Set{Path: attr.Path{}.Prepend(64496, 65551), NextHop: ip.V4(1), Communities: []uint32{1}, HasMED: true}
	update, _ := AppendUpdates(nil, []ip.Prefix{ip.V4Prefix(0x0a000000, 8)}, []ip.Prefix{ip.V4Prefix(0x0b000000, 9)}, &a, true)
	f.Add(update)
	f.Add((&Open{Version: 4, AS: 1, ID: 1, Caps: []Capability{{1, []byte{0, 1, 0, 1}}}}).Append(nil))
	f.Add((&Notification{Code: Cease, Subcode: 2, Data: ShutdownData("x")}).Append(nil))
	f.Add(Keepalive(nil))
	f.Add(RouteRefresh(nil, IPv4Unicast))
	f.Fuzz(func(t *testing.T, b []byte) {
		kind, body, n, fault := Split(b)
		if fault != nil || n == 0 {
			return
		}
		require.LessOrEqual(t, n, len(b))
		switch kind {
		case TypeOpen:
			if o, fault := ReadOpen(body); fault == nil {
				o.FullAS()
				o.Append(nil)
			}
		case TypeUpdate:
			u, fault := ReadUpdate(body)
			if fault != nil {
				return
			}
			for _, from := range []Peer{{true, true}, {false, false}, {true, false}} {
				got, bad := ReadAttributes(u.Attributes, from)
				if bad.Verdict != Fine {
					continue
				}
				// What was read well can be written, and read the same.
				again, bad := ReadAttributes(AppendAttributes(nil, &got, true), Peer{true, from.External})
				if bad.Verdict == Fine {
					require.True(t, got.Equal(&again) || len(got.Unknown) > 0)
				}
			}
		case TypeNotification:
			n := ReadNotification(body)
			n.Words()
		}
	})
}

func BenchmarkReadUpdate(b *testing.B) {
	var list []ip.Prefix
	for i := range 6 {
		list = append(list, ip.V4Prefix(ip.Quad(0x0a000000+i<<8), 24))
	}
	m, _ := AppendUpdates(nil, nil, list, &attr.Set{NextHop: ip.V4(1), Path: attr.Path{}.Prepend(64496, 64497, 64498, 65551)}, true)
	b.ReportAllocs()
	for b.Loop() {
		_, body, _, _ := Split(m)
		u, _ := ReadUpdate(body)
		ReadAttributes(u.Attributes, Peer{FourOctet: true, External: true})
		Prefixes(u.Announced, func(ip.Prefix) {})
	}
}
