package questions_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/config"
	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/why"
	"hellebore/core/simulation/network"
)

// answered are the reasons that answers name when everything is asked that can be
// typed about a network: each relation, each route, each way, each prefix for each
// peer.
func answered(t *testing.T, w *network.World) map[string]bool {
	t.Helper()
	seen := map[string]bool{}
	ask := func(format string, args ...any) {
		text := fmt.Sprintf(format, args...)
		q, err := why.Parse(w, text, why.Focus{})
		require.NoError(t, err, text)
		a, err := why.About(w, q)
		require.NoError(t, err, text)
		require.NotEmpty(t, a.Says, text)
		for _, c := range a.Codes {
			code, _, _ := strings.Cut(c, "-mill") // a fault's code names the device that it is at
			code, _, _ = strings.Cut(code, "-halt")
			seen[code] = true
		}
	}
	for _, n := range relations.NeighboursOf(w) {
		switch {
		case n.Protocol == "bgp":
			ask("why is the session %s/%s not up?", n.A.Device, n.B.Address)
			if !n.B.Absent {
				ask("why is the session %s/%s not up?", n.B.Device, n.A.Address)
			}
		case n.B.Absent:
			ask("why is %s.%s not up?", n.A.Device, n.A.Port)
		default:
			ask("why is %s - %s not up?", n.A.Device, n.B.Device)
		}
	}
	var prefixes []string
	for id := range w.Shared().Prefixes.Len() {
		prefixes = append(prefixes, w.Shared().Prefixes.Prefix(id).String())
	}
	for _, d := range w.Devices() {
		if d.Gone() {
			continue
		}
		for _, p := range prefixes {
			if d.Kind() == config.Router {
				ask("why %s on %s", p, d.Name())
			}
			d.Main().BGP().Peers(func(v bgp.PeerView) { ask("why is %s not sent to %s/%s", p, d.Name(), v.Address) })
		}
		for _, to := range w.Devices() {
			if to != d && !to.Gone() && to.Config().Address().IsValid() {
				ask("why does traffic from %s to %s go this way", d.Name(), to.Name())
			}
		}
		if d.Kind() == config.Host {
			ask("why do packets from %s to 10.20.1.77 go this way", d.Name())
		}
	}
	return seen
}
