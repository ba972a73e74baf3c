package sweep_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/questions/testlabs"
	"hellebore/demo"
)

// TestTheMostSuspiciousPairs are some of all pairs, and do what they do in a sweep of all.
func TestTheMostSuspiciousPairs(t *testing.T) {
	s, err := sweep.New(testlabs.Acted(t, demo.Text("one-bridge")), nil)
	require.NoError(t, err)
	list := s.Failures([]failure.Kind{failure.Link, failure.Router})
	all := map[string]sweep.Impact{}
	var alone []sweep.Impact
	for i := range list {
		found, err := sweep.Branch(s, list, i, 2, nil)
		require.NoError(t, err)
		alone = append(alone, found[0])
		for _, r := range found {
			all[r.Title()] = r
		}
	}
	by := map[string]*sweep.Impact{}
	for i := range alone {
		by[alone[i].Name] = &alone[i]
	}
	n := len(list) * (len(list) - 1) / 2
	lost := func(budget int) (pairs, harm int) {
		seconds := s.Suspicious(list, alone, budget)
		for i := range list {
			found, err := sweep.Behind(s, list, i, seconds[i], nil)
			require.NoError(t, err)
			for _, r := range found {
				require.Equal(t, all[r.Title()], r)
				pairs++
				if by := by[r.Name]; r.Pairs.Lost > by.Pairs.Lost || r.FlowsLost() > by.FlowsLost() {
					harm++ // more than the second does alone
				}
			}
		}
		return pairs, harm
	}
	chosen, harm := lost(n / 4)
	require.LessOrEqual(t, chosen, n/4)
	require.Greater(t, chosen, n/8, "a pair is left out only if the first took the second with it")
	every, most := lost(n)
	require.Len(t, all, every+len(list))
	t.Logf("%d of %d pairs do more harm than the second alone; %d of the %d that are tried first", most, every, harm, chosen)
	require.Greater(t, harm*every, 2*most*chosen, "those that are tried first do harm twice as often as all")
}
