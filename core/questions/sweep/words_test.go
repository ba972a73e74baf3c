package sweep_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/questions/testlabs"
	"hellebore/demo"
)

// TestHowCriticalThingsAre: each link, router and segment once, by the worst that its own failure does.
func TestHowCriticalThingsAre(t *testing.T) {
	for _, slug := range []string{"station-yard", "one-bridge"} {
		h := testlabs.Acted(t, demo.Text(slug))
		s, err := sweep.New(h, nil)
		require.NoError(t, err)
		var all []sweep.Impact
		kinds := append([]failure.Kind{failure.OneWay}, failure.Kinds...)
		worst := map[string]sweep.Harm{}
		for _, f := range s.Failures(kinds) {
			r, err := s.Try(f, nil)
			require.NoError(t, err)
			all = append(all, r)
			if r.SinglePoint() && f.Kind != failure.Port && f.Kind != failure.Session && f.Kind != failure.Group && f.Kind != failure.OneWay {
				worst[f.Places[0]] = sweep.ForGood
			}
		}
		sweep.Rank(all)
		places := sweep.Places(all)
		count := map[failure.Kind]int{}
		for _, p := range places {
			count[p.Kind]++
			if p.Kind != failure.Router || worst[p.Places[0]] == sweep.ForGood {
				require.Equal(t, worst[p.Places[0]] == sweep.ForGood, p.Harm == sweep.ForGood, "%s: %s", slug, p.Name)
			}
		}
		for _, k := range []failure.Kind{failure.Link, failure.Router, failure.Segment} {
			require.Equal(t, len(s.Failures([]failure.Kind{k})), count[k], "%s: %s", slug, k)
		}
		require.Empty(t, sweep.Untouched(nil, all))
		require.Contains(t, sweep.Untouched([]string{"no such flow"}, all), "no such flow")
	}
}

// TestAPairIsNoSinglePointOfFailure: in a ring each link may fail, and two may not.
func TestAPairIsNoSinglePointOfFailure(t *testing.T) {
	s, err := sweep.New(testlabs.Acted(t, ringLab(4, true)), nil)
	require.NoError(t, err)
	list := s.Failures([]failure.Kind{failure.Link})
	var all []sweep.Impact
	for i := range list {
		found, err := sweep.Branch(s, list, i, 2, nil)
		require.NoError(t, err)
		all = append(all, found...)
	}
	sum := sweep.Sum(all)
	require.Equal(t, 10, sum.Failures, "four links, and six pairs of them")
	require.Equal(t, 6, sum.ForGood)
	require.Empty(t, sum.SinglePoints)
}
