package network_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/protocols/wire/inet"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/demo"
)

// fallen counts the changes of neighbours' states since a mark.
func fallen(t *testing.T, text string, steps ...string) int {
	t.Helper()
	w := build(t, text)
	settle(t, w)
	mark := w.Notes()
	for _, s := range steps {
		reconfigured(t, w, s)
		w.RunUntil(w.Now()+60*event.Second, bound)
	}
	settle(t, w)
	n := 0
	for i := mark; i < w.Notes(); i++ {
		if w.NoteAt(i).Kind == note.NeighbourState {
			n++
		}
	}
	return n
}

// TestKeysAreChangedWithoutLosingTheNeighbour gives a link a new key, one end
// after the other, as RFC 8177 2.2 describes: first both take it, then one sends
// it, then the other, then the old one goes.
func TestKeysAreChangedWithoutLosingTheNeighbour(t *testing.T) {
	text := demo.Text("guarded-line") // larch: key 1 md5, key 2 hmac-sha-256
	larch := "key-chain larch\n  key 1 md5 \"meadow-brown\"\n  key 2 hmac-sha-256 \"orange-tip\"\n"
	turned := "key-chain turned\n  key 2 hmac-sha-256 \"orange-tip\"\n  key 1 md5 \"meadow-brown\"\n"
	alone := "key-chain larch\n  key 2 hmac-sha-256 \"orange-tip\"\n"
	require.Contains(t, text, larch)
	at := func(s, port string) string {
		return strings.Replace(s, port+"\n    ospf area 0\n      keys larch", port+"\n    ospf area 0\n      keys turned", 1)
	}
	with := strings.Replace(text, larch, larch+turned, 1)
	one := at(with, "port e1 10.5.1.1/30")
	both := at(one, "port e1 10.5.1.2/30")
	last := strings.Replace(text, larch, alone, 1)
	require.Zero(t, fallen(t, text, with, one, both, last))

	// The wrong order costs the adjacency.
	require.NotZero(t, fallen(t, text, strings.Replace(text, "\n      keys larch", "\n      keys none", 1)))
}

// TestARestartedRouterIsHeard stops a router and starts it again: its sequence
// numbers come from virtual time, so its neighbours do not take its packets for
// old ones.
func TestARestartedRouterIsHeard(t *testing.T) {
	w := build(t, demo.Text("guarded-line"))
	settle(t, w)
	before := table(w, "toll-gate")
	box := w.Find("larches").ID()
	w.ForceDevice(box, config.ForceDisabled)
	w.RunUntil(w.Now()+2*event.Second, bound)
	w.ForceDevice(box, config.ForceEnabled)
	settle(t, w)
	require.Equal(t, before, table(w, "toll-gate"))
	require.Equal(t, map[string]string{"e1": "Full", "e2": "Full"}, states(w, "larches"))
}

// TestKeysChangeByTheClock has all routers change their key at one time, and take
// both for a while: nobody loses a neighbour, and none of the old key is sent
// after that.
func TestKeysChangeByTheClock(t *testing.T) { // RFC 8177 2.1, RFC 2328 D.3
	text := strings.Replace(demo.Text("guarded-line"), "  key 1 md5 \"meadow-brown\"\n  key 2 hmac-sha-256 \"orange-tip\"",
		"  key 1 md5 \"meadow-brown\" send 0s..5m accept 0s..6m\n  key 2 hmac-sha-256 \"orange-tip\" send 5m.. accept 4m..", 1)
	require.NotEqual(t, demo.Text("guarded-line"), text)
	w := build(t, text)
	settle(t, w)
	mark := w.Notes()
	ids := map[uint8]int{}
	w.OnFrame = func(at event.Time, _, _ uint32, f []byte) {
		if p, ok := inet.ReadPacket(f[inet.FrameHeader:]); ok && p.Protocol == inet.ProtoOSPF && at > 5*60*event.Second {
			if h, fail := wire.Read(p.Payload); fail == wire.OK && h.AuType == wire.AuthCryptographic {
				ids[h.KeyID()]++
			}
		}
	}
	w.RunUntil(10*60*event.Second, bound)
	for i := mark; i < w.Notes(); i++ {
		require.NotEqual(t, note.NeighbourState, w.NoteAt(i).Kind)
	}
	require.Positive(t, ids[2])
	require.Zero(t, ids[1])

	// With no key whose time it is, the last one goes on.
	last := build(t, strings.Replace(text, "send 5m.. accept 4m..", "send 5m..6m accept 4m..7m", 1))
	settle(t, last)
	last.RunUntil(20*60*event.Second, bound)
	require.Equal(t, map[string]string{"e1": "Full", "e2": "Full"}, states(last, "larches"))
}
