package network_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/device"
	"hellebore/core/event"
	"hellebore/core/network"
	"hellebore/core/note"
)

// corner is one of the labs of testdata that show a rule in a corner.
func corner(t testing.TB, name string) string {
	t.Helper()
	text, err := os.ReadFile(filepath.Join("testdata", filepath.FromSlash(name)+".lab"))
	require.NoError(t, err)
	return string(text)
}

func TestAnOwnLSAThatComesBackAtMaxAgeIsOutbid(t *testing.T) { // RFC 2328 13.4
	w := build(t, corner(t, "ospf/flush-war"))
	settle(t, w)
	require.Less(t, w.Handled(), uint64(20_000))

	w = build(t, corner(t, "ospf/flush-war-restart"))
	settle(t, w)
	id := w.Find("b1").ID()
	w.ForceDevice(id, device.ForceDisabled)
	settle(t, w)
	w.ForceDevice(id, device.ForceEnabled)
	before := w.Handled()
	require.Equal(t, network.Settled, w.Settle(200_000, nil))
	require.Empty(t, w.Check())
	require.Less(t, w.Handled()-before, uint64(100_000))
}

func TestAnExchangeThatCannotEndIsARetry(t *testing.T) { // RFC 2328 10.6, 10.8
	// The end with the smaller MTU never takes the other's description; that one
	// waits in Exchange. Whichever end is master, the lab settles.
	for _, lab := range []string{corner(t, "ospf/mtu-hang"),
		strings.NewReplacer("1.0.0.1", "1.0.0.2", "1.0.0.2", "1.0.0.1").Replace(corner(t, "ospf/mtu-hang"))} {
		w := build(t, lab)
		require.Equal(t, network.Settled, w.Settle(10_000, nil))
		require.Empty(t, w.Check())
		require.Equal(t, "ExStart", states(w, "small")["e1"])
		v := w.Find("small").OSPF().Port(0)
		require.Equal(t, note.MTUTooLarge, v.Refusal().Reason)
		notes := w.Notes()
		w.RunUntil(w.Now()+600*event.Second, 100_000)
		require.Equal(t, notes, w.Notes(), "what is refused again is no news")

		// A network added behind the far end waits for an acknowledgment for ever.
		configure(t, w, lab+"\n")
		configure(t, w, strings.Replace(lab, "router small", "  loopback lo 10.9.9.9/32\n    ospf area 0 passive\nrouter small", 1))
		require.Equal(t, network.Settled, w.Settle(10_000, nil))
		require.Empty(t, w.Check())
	}
}
