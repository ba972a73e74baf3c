package traffic_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// TestFlowsThatDoNotArriveAreMended applies what is offered for a flow, again and
// again: it arrives.
func TestFlowsThatDoNotArriveAreMended(t *testing.T) {
	edit := func(pairs ...string) string { return strings.NewReplacer(pairs...).Replace(testlabs.Line) }
	for name, c := range map[string]struct {
		text  string
		do    func(*network.World)
		steps int
	}{
		"its network is announced by nobody": {text: edit("port lan 10.20.2.1/24\n    ospf area 0 passive", "port lan 10.20.2.1/24"), steps: 1},
		"OSPF runs on one end only":          {text: edit(testlabs.HaltPort, "port e1 10.0.12.2/30\n"), steps: 1},
		"two areas":                          {text: edit(testlabs.HaltPort, "port e1 10.0.12.2/30\n    ospf area 3\n"), steps: 1},
		"a passive port":                     {text: edit(testlabs.HaltPort, "port e1 10.0.12.2/30\n    ospf area 0 passive\n"), steps: 1},
		"a disabled port and no network": {text: edit(testlabs.HaltPort, "port e1 10.0.12.2/30 disabled\n    ospf area 0\n",
			"port lan 10.20.2.1/24\n    ospf area 0 passive", "port lan 10.20.2.1/24"), steps: 2},
		"a router that is off": {text: edit("router halt", "router halt disabled"), steps: 1},
		"a cut link":           {text: testlabs.Line, do: func(w *network.World) { w.Cut(0, 1) }, steps: 1},
	} {
		text := c.text
		w := testlabs.Settled(t, text)
		if c.do != nil {
			c.do(w)
			require.Equal(t, network.Settled, w.Settle(1e6, nil))
		}
		for range c.steps {
			f := traffic.FlowsOf(w)[0]
			if f.Arrives {
				f.Path = f.Back
			}
			require.False(t, f.Arrives, name)
			require.NotEmpty(t, f.Fixes, "%s: %s", name, f.Reason)
			fix := f.Fixes[0]
			if fix.Action != "" {
				a, err := history.ParseAction(fix.Action)
				require.NoError(t, err)
				require.NoError(t, a.Perform(w, nil))
			}
			for _, s := range fix.Edits {
				e, err := labtext.ParseEdit(s)
				require.NoError(t, err)
				text, err = labtext.EditText(text, e)
				require.NoError(t, err)
			}
			r := labtext.Parse(text)
			require.True(t, r.OK(), "%v", r.Problems)
			w.Configure(&r.Lab)
			require.Equal(t, network.Settled, w.Settle(4e6, nil))
		}
		f := traffic.FlowsOf(w)[0]
		require.True(t, f.Arrives && f.Back.Arrives, "%s: %s %s", name, f.Reason, f.Back.Reason)
	}
}
