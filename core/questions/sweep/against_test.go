package sweep

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/failure"
)

// TestAHelloThatComesLaterIsNotWorse: a silent link is out until the dead timer ends, which is up to a hello interval more or less.
func TestAHelloThatComesLaterIsNotWorse(t *testing.T) {
	out := func(seconds float64) []Impact {
		r := NotTried(failure.Failure{Name: "a"}, "")
		r.Outcome = "settled"
		r.Flows = []FlowImpact{{Name: "tickets", Out: seconds}}
		return []Impact{r}
	}
	for _, c := range []struct {
		was, is float64
		turn    string
	}{
		{30.2, 39.9, ""}, {39.9, 30.2, ""}, {0.050, 0.058, ""}, {0.001, 0.008, ""},
		{0.05, 39, "worse"}, {39, 0.05, "better"}, {30, 61, "worse"}, {0.02, 0.2, "worse"},
	} {
		a := Hold(out(c.was), out(c.is))
		if c.turn == "" {
			require.Equal(t, 1, a.Same, "%v %v", c.was, c.is)
			continue
		}
		require.Len(t, a.Changes, 1)
		require.Equal(t, c.turn, a.Changes[0].Turn)
	}
}
