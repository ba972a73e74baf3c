package observe_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// settled is the world of a lab text, at rest.
func settled(t testing.TB, text string) *network.World {
	t.Helper()
	r := labtext.Parse(text)
	require.True(t, r.OK(), "%v", r.Problems)
	w := network.New()
	w.Configure(&r.Lab)
	require.Equal(t, network.Settled, w.Settle(1e6, nil))
	require.Empty(t, w.Check())
	return w
}

// acted is a history: the text applied, then the actions, each to settled.
func acted(t testing.TB, text string, actions ...string) *history.History {
	t.Helper()
	h := history.New()
	for i, s := range append([]string{text}, actions...) {
		a := history.Action{Kind: history.Apply, Text: s}
		if i > 0 {
			var err error
			a, err = history.ParseAction(s)
			require.NoError(t, err)
		}
		step, err := h.Begin(a, 0)
		require.NoError(t, err)
		require.NoError(t, h.Run(step, nil))
	}
	return h
}

// reconfigure applies another text to a world and lets it settle.
func reconfigure(t testing.TB, w *network.World, text string) {
	t.Helper()
	r := labtext.Parse(text)
	require.True(t, r.OK(), "%v", r.Problems)
	w.Configure(&r.Lab)
	require.Equal(t, network.Settled, w.Settle(1e6, nil))
	require.Empty(t, w.Check())
}
