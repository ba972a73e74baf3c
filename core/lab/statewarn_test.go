package lab

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestWarningsOfTheDemoLabs: what the running network shows of those with faults
// in them, and nothing of those without.
func TestWarningsOfTheDemoLabs(t *testing.T) {
	texts := func(slug string) (out []string) {
		l := open(t, demoText(t, slug))
		for _, w := range l.StateWarnings(l.History().Now()) {
			out = append(out, w.Weight+": "+w.Text)
			require.NotZero(t, w.Line, w.Text)
		}
		return out
	}
	require.Empty(t, texts("two-reflectors"))
	require.Empty(t, texts("two-islands"))
	require.Equal(t, []string{"notice: only the export policy to-gannet keeps quarry from sending AS 64497 what it has from AS 64496"}, texts("two-carriers"))
	require.Equal(t, []string{
		"warning: quarry originates 10.20.0.0/16, and its table has no route for exactly that: nothing is announced",
		"warning: quarry injects 4 connected routes into BGP without a policy"}, texts("planted-sessions"))
}
