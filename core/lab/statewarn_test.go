package lab

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/demo"
)

// TestWarningsOfTheDemoLabs: what the running network shows of those with faults
// in them, and nothing of those without.
func TestWarningsOfTheDemoLabs(t *testing.T) {
	texts := func(slug string) (out []string) {
		l := open(t, demo.Text(slug))
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

// TestFixesOfWhatARunningNetworkShows makes the first fix that is offered for each
// warning: it is gone then.
func TestFixesOfWhatARunningNetworkShows(t *testing.T) {
	leak := strings.Replace(demo.Text("tarn-valley"), "    where policy ours-and-customers\n    prepend", "    prepend", 1)
	leakWithout := strings.Replace(demo.Text("tarn-valley"), "      export-policy to-gannet\n", "", 1)
	mended := 0
	for _, text := range []string{demo.Text("planted-sessions"), leak, leakWithout} {
		l := open(t, text)
		for _, w := range l.StateWarnings(l.History().Now()) {
			if len(w.Fixes) == 0 {
				continue
			}
			mended++
			var edits []labtext.Edit
			for _, e := range w.Fixes[0].Edits {
				x, err := labtext.ParseEdit(e)
				require.NoError(t, err, e)
				edits = append(edits, x)
			}
			after, err := labtext.EditText(text, edits...)
			require.NoError(t, err)
			p, err := l.Preview(Plan{Text: after}, nil)
			require.NoError(t, err, after)
			for _, c := range p.Checks {
				if c.Before != nil && *c.Before {
					require.True(t, c.After.Passed, c.Name)
				}
			}
			x := open(t, after)
			for _, still := range x.StateWarnings(x.History().Now()) {
				require.NotEqual(t, w.Text, still.Text, w.Fixes[0].Edits)
			}
		}
	}
	require.GreaterOrEqual(t, mended, 3)
}
