// Package testlabs has labs and settled worlds for the tests of the rooms of questions.
package testlabs

import (
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Settled is the world of a lab text, at rest.
func Settled(t testing.TB, text string) *network.World {
	t.Helper()
	r := labtext.Parse(text)
	require.True(t, r.OK(), "%v", r.Problems)
	w := network.New()
	w.Configure(&r.Lab)
	require.Equal(t, network.Settled, w.Settle(1e6, nil))
	require.Empty(t, w.Check())
	return w
}

// Acted is a history: the text applied, then the actions, each to settled.
func Acted(t testing.TB, text string, actions ...string) *history.History {
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

// Reconfigure applies another text to a world and lets it settle.
func Reconfigure(t testing.TB, w *network.World, text string) {
	t.Helper()
	r := labtext.Parse(text)
	require.True(t, r.OK(), "%v", r.Problems)
	w.Configure(&r.Lab)
	require.Equal(t, network.Settled, w.Settle(1e6, nil))
	require.Empty(t, w.Check())
}

// Corner is one of the labs that show a rule in a corner.
func Corner(t *testing.T, name string) string {
	t.Helper()
	_, here, _, _ := runtime.Caller(0)
	text, err := os.ReadFile(filepath.Join(filepath.Dir(here), "..", "..", "simulation", "network", "testdata",
		filepath.FromSlash(name)+".lab"))
	require.NoError(t, err)
	return string(text)
}
