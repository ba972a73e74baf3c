package sweep_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/questions/testlabs"
	"hellebore/demo"
)

// TestThePartsOfAConvergence: a cut is noticed at once, a silent link when the dead interval is over (RFC 2328 10.5: 40 s less what
// had passed of a hello interval of 10 s), and forwarding changes last of all.
func TestThePartsOfAConvergence(t *testing.T) {
	for _, slug := range []string{"triangle-with-ospf", "three-areas", "one-bridge"} {
		s, err := sweep.New(testlabs.Acted(t, demo.Text(slug)), nil)
		require.NoError(t, err)
		for _, f := range s.Failures(failure.Kinds) {
			r, err := s.Try(f, nil)
			require.NoError(t, err)
			p := r.Parts
			require.Equal(t, r.Convergence, p.Forwarding, f.Name)
			for _, part := range []*float64{p.Flooding, p.SPF, p.Updates} {
				if part != nil {
					require.NotNil(t, p.Forwarding, f.Name)
					require.LessOrEqual(t, *part, *p.Forwarding, f.Name)
				}
			}
			switch {
			case f.Kind == failure.Link:
				require.NotNil(t, p.Noticed, f.Name)
				require.Zero(t, *p.Noticed, f.Name)
			case f.Kind == failure.Silence && slug != "one-bridge" && p.Noticed != nil && p.SPF != nil && p.Updates == nil:
				require.Greater(t, *p.Noticed, 29.9, f.Name)
				require.Less(t, *p.Noticed, 40.1, f.Name)
				require.GreaterOrEqual(t, *p.SPF, *p.Noticed, f.Name)
			}
		}
	}
}
