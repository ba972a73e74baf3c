package bgp

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/protocols/tcp"
	wire "hellebore/core/protocols/wire/bgp"
)

func prefixOf(n int) ip.Prefix { return ip.V4Prefix(ip.Quad(0x0a000000+n<<8), 24) }

// announce is an UPDATE of the peer's.
func announce(edit func(*attr.Set), prefixes ...ip.Prefix) []byte {
	a := attr.Set{Path: attr.Path{}.Prepend(otherAS), NextHop: other}
	if edit != nil {
		edit(&a)
	}
	b, _ := wire.AppendUpdates(nil, nil, prefixes, &a, true)
	return b
}

func TestASessionComesUpAndIsKept(t *testing.T) { // RFC 4271 8.2.2
	r := newRig(t, peerOf(nil))
	require.Equal(t, Active, r.s.Peer(0).State)
	c := r.conn()
	types, _ := r.wrote(c)
	require.Equal(t, []wire.Type{wire.TypeOpen}, types)
	require.Equal(t, OpenSent, r.s.Peer(0).State)
	r.says(c, openFrom(otherAS, otherID))
	require.Equal(t, OpenConfirm, r.s.Peer(0).State)
	r.says(c, wire.Keepalive(nil))
	require.Equal(t, Established, r.s.Peer(0).State)
	r.wrote(c)
	r.run(31 * event.Second)
	types, _ = r.wrote(c)
	require.Equal(t, []wire.Type{wire.TypeKeepalive}, types, "a third of the hold time, less jitter (RFC 4271 10)")
	r.run(60 * event.Second)
	r.expectNotification(c, wire.HoldTimerExpired, 0)
	require.Equal(t, note.HoldTimeExpired, r.s.Peer(0).Last.Reason)
	require.Equal(t, Idle, r.s.Peer(0).State)
	r.run(31 * event.Second)
	require.Equal(t, Connect, r.s.Peer(0).State, "it is tried again")
}

func TestTheLowerHoldTimeCounts(t *testing.T) { // RFC 4271 4.2
	for name, c := range map[string]struct {
		ours time.Duration
		want event.Time
	}{"theirs": {180 * time.Second, 90 * event.Second}, "ours": {30 * time.Second, 30 * event.Second}, "none": {0, 0}} {
		t.Run(name, func(t *testing.T) {
			r := newRig(t, peerOf(func(p *config.Peer) { p.HoldTime = c.ours }))
			conn := r.conn()
			r.up(conn)
			require.Equal(t, c.want, r.s.Peer(0).HoldTime)
			if c.want == 0 {
				r.run(3600 * event.Second)
				require.Equal(t, Established, r.s.Peer(0).State, "a hold time of 0 is for ever")
			}
		})
	}
}

// TestMalformedMessagesEarnTheirNotification feeds a speaker what it cannot take,
// in each state.
func TestMalformedMessagesEarnTheirNotification(t *testing.T) {
	edited := func(b []byte, at int, v ...byte) []byte {
		b = append([]byte(nil), b...)
		copy(b[at:], v)
		return b
	}
	open := openFrom(otherAS, otherID)
	keepalive := wire.Keepalive(nil)
	update := announce(nil, prefixOf(1))
	for name, c := range map[string]struct {
		before        string // what the session is in: "", open or up
		message       []byte
		code, subcode uint8
	}{
		"a marker that is none":           {"", edited(open, 3, 0), wire.MessageHeaderError, wire.NotSynchronized},
		"a length below the least":        {"", edited(open, 16, 0, 18), wire.MessageHeaderError, wire.BadMessageLength},
		"a length above the most":         {"", edited(open, 16, 0x10, 1), wire.MessageHeaderError, wire.BadMessageLength},
		"an unknown type":                 {"", edited(open, 18, 9), wire.MessageHeaderError, wire.BadMessageType},
		"another version":                 {"", edited(open, 19, 3), wire.OpenError, wire.UnsupportedVersion},
		"another AS":                      {"", openFrom(64497, otherID), wire.OpenError, wire.BadPeerAS},
		"no identifier":                   {"", openFrom(otherAS, 0), wire.OpenError, wire.BadBGPIdentifier},
		"a hold time of two seconds":      {"", edited(open, 22, 0, 2), wire.OpenError, wire.UnacceptableHoldTime},
		"a parameter that is none":        {"", edited(open, 29, 1), wire.OpenError, wire.UnsupportedParameter},
		"parameters that overrun":         {"", edited(open, 30, 200), wire.OpenError, 0},
		"an UPDATE before the OPEN":       {"", update, wire.FSMError, 1},
		"a second OPEN":                   {"open", open, wire.FSMError, 2},
		"an OPEN when it is up":           {"up", open, wire.FSMError, 3},
		"a KEEPALIVE with a body":         {"up", edited(append(keepalive, 0), 16, 0, 20), wire.MessageHeaderError, wire.BadMessageLength},
		"withdrawn routes that overrun":   {"up", edited(update, 19, 0xff, 0xff), wire.UpdateError, wire.MalformedAttributes},
		"attributes that overrun":         {"up", edited(update, 21, 0xff, 0xff), wire.UpdateError, wire.MalformedAttributes},
		"a prefix longer than an address": {"up", edited(update, len(update)-4, 33), wire.UpdateError, wire.InvalidNetworkField},
	} {
		t.Run(name, func(t *testing.T) {
			r := newRig(t, peerOf(nil))
			conn := r.conn()
			if c.before != "" {
				r.says(conn, open)
			}
			if c.before == "up" {
				r.says(conn, keepalive)
			}
			r.says(conn, c.message)
			r.expectNotification(conn, c.code, c.subcode)
			require.NotEqual(t, Established, r.s.Peer(0).State)
		})
	}
}

// TestTheSameIdentifierInsideAnASIsRefused is RFC 6286 2.1 and 2.2; other ASes may
// use it.
func TestTheSameIdentifierInsideAnASIsRefused(t *testing.T) {
	r := newRig(t, peerOf(func(p *config.Peer) { p.AS = selfAS }))
	conn := r.conn()
	r.says(conn, openFrom(selfAS, selfID))
	r.expectNotification(conn, wire.OpenError, wire.BadBGPIdentifier)

	r = newRig(t, peerOf(nil))
	conn = r.conn()
	r.says(conn, openFrom(otherAS, selfID))
	r.says(conn, wire.Keepalive(nil))
	require.Equal(t, Established, r.s.Peer(0).State)
}

// TestMalformedAttributesAreTakenGently: the session stays, the prefixes go (RFC
// 7606 2).
func TestMalformedAttributesAreTakenGently(t *testing.T) {
	raw := func(attrs []byte) []byte {
		body := append([]byte{0, 0, byte(len(attrs) >> 8), byte(len(attrs))}, attrs...)
		body = wire.AppendPrefix(body, prefixOf(1))
		m := append([]byte(nil), wire.Keepalive(nil)[:16]...)
		n := len(body) + wire.HeaderLen
		return append(append(m, byte(n>>8), byte(n), byte(wire.TypeUpdate)), body...)
	}
	origin := []byte{0x40, 1, 1, 0}
	path := []byte{0x40, 2, 6, 2, 1, 0, 0, 0xfb, 0xf0}
	hop := []byte{0x40, 3, 4, 192, 0, 2, 2}
	join := func(parts ...[]byte) (out []byte) {
		for _, p := range parts {
			out = append(out, p...)
		}
		return out
	}
	for name, c := range map[string]struct {
		attrs []byte
		taken bool
		kept  int // unknown attributes that are carried on
	}{
		"all well":                             {join(origin, path, hop), true, 0},
		"no ORIGIN":                            {join(path, hop), false, 0},
		"no AS_PATH":                           {join(origin, hop), false, 0},
		"no NEXT_HOP":                          {join(origin, path), false, 0},
		"an ORIGIN of 7":                       {join([]byte{0x40, 1, 1, 7}, path, hop), false, 0},
		"a NEXT_HOP of three bytes":            {join(origin, path, []byte{0x40, 3, 3, 192, 0, 2}), false, 0},
		"an empty segment":                     {join(origin, []byte{0x40, 2, 2, 2, 0}, hop), false, 0},
		"AS 0 in the path":                     {join(origin, []byte{0x40, 2, 6, 2, 1, 0, 0, 0, 0}, hop), false, 0},
		"a path that begins with another AS":   {join(origin, []byte{0x40, 2, 6, 2, 1, 0, 0, 0xfb, 0xf1}, hop), false, 0},
		"flags that do not fit":                {join([]byte{0xc0, 1, 1, 0}, path, hop), false, 0},
		"an unknown well-known attribute":      {join(origin, path, hop, []byte{0x40, 99, 0}), false, 0},
		"an unknown transitive attribute":      {join(origin, path, hop, []byte{0xc0, 99, 1, 5}), true, 1},
		"an unknown attribute, not transitive": {join(origin, path, hop, []byte{0x80, 99, 1, 5}), true, 0},
		"an AGGREGATOR of one byte":            {join(origin, path, hop, []byte{0xc0, 7, 1, 0}), true, 0},
		"an attribute twice":                   {join(origin, path, hop, []byte{0x40, 1, 1, 2}), true, 0},
		"communities of three bytes":           {join(origin, path, hop, []byte{0xc0, 8, 3, 0, 0, 0}), false, 0},
		"a last attribute that overruns":       {join(origin, path, hop, []byte{0xc0, 8, 9, 0}), false, 0},
	} {
		t.Run(name, func(t *testing.T) {
			r := newRig(t, peerOf(nil))
			conn := r.conn()
			r.up(conn)
			r.says(conn, announce(nil, prefixOf(1)))
			r.says(conn, raw(c.attrs))
			require.Equal(t, Established, r.s.Peer(0).State)
			row, ok := r.s.In(0, r.shared.Prefixes.ID(prefixOf(1)))
			require.Equal(t, c.taken, ok, "it stands in Adj-RIB-In")
			if ok {
				a := r.attrs.Get(row.Raw)
				require.Len(t, a.Unknown, c.kept)
				require.Equal(t, attr.IGP, a.Origin)
				for _, u := range a.Unknown {
					require.NotZero(t, u.Flags&0x20, "the partial bit is set (RFC 4271 5)")
				}
			}
		})
	}
}

// TestOfTwoConnectionsOneStays is RFC 4271 6.8: that of the higher identifier.
func TestOfTwoConnectionsOneStays(t *testing.T) {
	for name, c := range map[string]struct {
		id   ip.Quad
		ours bool
	}{"theirs is higher": {otherID, false}, "ours is higher": {0x0a000009, true}} {
		t.Run(name, func(t *testing.T) {
			r := newRig(t, peerOf(nil))
			mine := r.conn()
			_, ok := r.s.Accepts(r, other, self)
			require.True(t, ok)
			theirs := r.OpenTCP(ip.Addr{}, ip.Addr{}, tcp.Terms{})
			r.s.Taken(r, theirs)
			r.says(mine, openFrom(otherAS, c.id))
			r.says(theirs, openFrom(otherAS, c.id))
			stays, goes := theirs, mine
			if c.ours {
				stays, goes = mine, theirs
			}
			r.expectNotification(goes, wire.Cease, wire.CollisionResolution)
			r.says(stays, wire.Keepalive(nil))
			require.Equal(t, Established, r.s.Peer(0).State)
			require.Equal(t, c.ours, r.s.Peer(0).Opened)
			_, ok = r.s.Accepts(r, other, self)
			require.False(t, ok, "a session that is up takes no second connection")
		})
	}
}

func TestWhoIsNoPeerIsTurnedAway(t *testing.T) {
	r := newRig(t, peerOf(nil))
	for range 3 {
		_, ok := r.s.Accepts(r, ip.V4(other.Quad()+5), self)
		require.False(t, ok)
	}
	require.Equal(t, []Stranger{{From: ip.V4(other.Quad() + 5), To: self, Count: 3, Reason: note.PeerUnknown}}, r.s.Strangers())
}

// TestNewsWaitForTheInterval: at its end the difference goes out, and nothing that
// was overtaken meanwhile (RFC 4271 9.2.1.1).
func TestNewsWaitForTheInterval(t *testing.T) {
	r := newRig(t, peerOf(nil))
	second := r.s.config.Peers[0]
	second.Address, second.AS = second.Address.Next(), 64497
	c := peerOf(nil)
	c.Peers = append(c.Peers, second)
	r.s.Configure(r, c, r.s.book, selfID)
	conn := r.conn()
	r.up(conn)
	far := r.s.peers[1].conns[0].conn
	r.s.TCPOpened(r, far)
	r.says(far, openFrom(64497, otherID+1))
	r.says(far, wire.Keepalive(nil))
	r.wrote(far)

	r.says(conn, announce(nil, prefixOf(1), prefixOf(2)))
	types, _ := r.wrote(far)
	require.Equal(t, []wire.Type{wire.TypeUpdate}, types, "the first news go at once")
	r.says(conn, announce(func(a *attr.Set) { a.Origin = attr.Incomplete }, prefixOf(1)))
	r.says(conn, announce(nil, prefixOf(3)))
	gone, _ := wire.AppendUpdates(nil, []ip.Prefix{prefixOf(3)}, nil, nil, true)
	r.says(conn, gone)
	types, _ = r.wrote(far)
	require.Empty(t, types)
	require.False(t, r.calm.Settled(), "something is pending")
	r.run(25 * event.Second) // keepalives of the peer's do not come: less than the hold time
	r.run(6 * event.Second)
	types, last := r.wrote(far)
	updates := 0
	for _, x := range types {
		if x == wire.TypeUpdate {
			updates++
		}
	}
	require.Equal(t, 1, updates, "what came and went in between was never said")
	if types[len(types)-1] == wire.TypeUpdate {
		u, fault := wire.ReadUpdate(last)
		require.Nil(t, fault)
		n := 0
		wire.Prefixes(u.Announced, func(p ip.Prefix) { n++; require.Equal(t, prefixOf(1), p) })
		require.Equal(t, 1, n)
	}
}

func TestTooManyPrefixesEndTheSession(t *testing.T) { // RFC 4486 4
	r := newRig(t, peerOf(func(p *config.Peer) { p.MaxPrefixes = 2 }))
	conn := r.conn()
	r.up(conn)
	r.says(conn, announce(nil, prefixOf(1), prefixOf(2)))
	require.Equal(t, Established, r.s.Peer(0).State)
	r.says(conn, announce(nil, prefixOf(3)))
	r.expectNotification(conn, wire.Cease, wire.MaximumPrefixes)
	r.run(600 * event.Second)
	require.Equal(t, Idle, r.s.Peer(0).State, "it stays down")
	r.s.Reset(r, 0, "")
	r.run(2 * event.Second)
	require.Equal(t, Connect, r.s.Peer(0).State, "until it is reset")
}

func TestAShutdownSaysWhy(t *testing.T) { // RFC 9003
	r := newRig(t, peerOf(nil))
	conn := r.conn()
	r.up(conn)
	c := peerOf(func(p *config.Peer) { p.Disabled, p.Shutdown = true, "track works until six" })
	r.wrote(conn)
	r.s.Configure(r, c, r.s.book, selfID)
	_, last := r.wrote(conn)
	n := wire.ReadNotification(last)
	require.Equal(t, `cease: administrative shutdown, "track works until six"`, n.Words())
}

func TestARefreshSendsAllAgain(t *testing.T) { // RFC 2918
	r := newRig(t, peerOf(func(p *config.Peer) { p.IntervalSet = true }))
	c := peerOf(func(p *config.Peer) { p.IntervalSet = true })
	second := c.Peers[0]
	second.Address, second.AS = second.Address.Next(), 64497
	c.Peers = append(c.Peers, second)
	r.s.Configure(r, c, r.s.book, selfID)
	conn := r.conn()
	r.up(conn)
	far := r.s.peers[1].conns[0].conn
	r.s.TCPOpened(r, far)
	r.says(far, openFrom(64497, otherID+1))
	r.says(far, wire.Keepalive(nil))
	r.says(conn, announce(nil, prefixOf(1), prefixOf(2)))
	r.wrote(far)
	r.says(far, wire.RouteRefresh(nil, wire.IPv4Unicast))
	types, last := r.wrote(far)
	require.Equal(t, []wire.Type{wire.TypeUpdate}, types)
	u, _ := wire.ReadUpdate(last)
	n := 0
	wire.Prefixes(u.Announced, func(ip.Prefix) { n++ })
	require.Equal(t, 2, n, "both prefixes share a message")
	require.True(t, r.s.AskAgain(r, 1))
	types, _ = r.wrote(far)
	require.Equal(t, []wire.Type{wire.TypeRouteRefresh}, types)
}

// TestNothingIsWrittenWithoutRoom: prefixes wait, not messages.
func TestNothingIsWrittenWithoutRoom(t *testing.T) {
	r := newRig(t, peerOf(nil))
	second := r.s.config.Peers[0]
	second.Address, second.AS = second.Address.Next(), 64497
	c := peerOf(nil)
	c.Peers = append(c.Peers, second)
	r.s.Configure(r, c, r.s.book, selfID)
	conn := r.conn()
	r.up(conn)
	far := r.s.peers[1].conns[0].conn
	r.s.TCPOpened(r, far)
	r.says(far, openFrom(64497, otherID+1))
	r.says(far, wire.Keepalive(nil))
	r.wrote(far)
	r.full = true
	r.says(conn, announce(nil, prefixOf(1)))
	types, _ := r.wrote(far)
	require.Empty(t, types)
	r.says(conn, announce(func(a *attr.Set) { a.Origin = attr.EGP }, prefixOf(1)))
	r.full = false
	r.settle()
	types, _ = r.wrote(far)
	require.Len(t, types, 1)
	require.EqualValues(t, 1, r.s.Peer(1).Sent)
}

func TestALinkThatFallsEndsADirectSession(t *testing.T) {
	r := newRig(t, peerOf(nil))
	conn := r.conn()
	r.up(conn)
	r.says(conn, announce(nil, prefixOf(1)))
	id := r.shared.Prefixes.ID(prefixOf(1))
	require.True(t, r.routes[id].Present)
	r.linkOff = true
	r.s.LinksChanged(r)
	r.settle()
	require.Equal(t, note.PeerLinkDown, r.s.Peer(0).Last.Reason)
	require.False(t, r.routes[id].Present)
	r.linkOff = false
	r.s.LinksChanged(r)
	r.run(2 * event.Second)
	require.Equal(t, Connect, r.s.Peer(0).State, "it is tried as soon as the link is back")
}
