package check_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/check"
	"hellebore/core/questions/testlabs"
)

const pair = `router mill
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port e1 10.0.0.1/30
    ospf area 0
  port e2 10.0.1.1/30
    ospf area 0
  port lan 10.1.0.1/24
    ospf area 0 passive
router halt
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 10.0.0.2/30
    ospf area 0
  port e2 10.0.1.2/30
    ospf area 0
  port lan 10.2.0.1/24
    ospf area 0 passive
host kiosk 10.1.0.9/24 gateway 10.1.0.1
host crane 10.2.0.9/24 gateway 10.2.0.1
link mill.e1 halt.e1
link mill.e2 halt.e2
link mill.lan kiosk
link halt.lan crane
flow tickets kiosk -> crane
risk-group "duct"
  links mill.e1 mill.e2
`

// TestAnExpectationHoldsWhateverFails: between the routers each link has another beside it, but a silence takes the dead interval, a host
// has one link, and both links are in one duct.
func TestAnExpectationHoldsWhateverFails(t *testing.T) {
	result := func(lines string) check.Result {
		t.Helper()
		h := testlabs.Acted(t, pair+"check \"c\"\n"+lines)
		steps := len(h.Steps())
		results, ok := check.Run(h, nil)
		require.True(t, ok)
		require.Len(t, h.Steps(), steps, "the history does not notice")
		require.Len(t, results, 1)
		return results[0]
	}
	r := result("  whenever link fails except kiosk crane\n  expect flow tickets outage < 1s\n  expect reach mill -> halt\n")
	require.True(t, r.Passed, "%+v", r)
	require.Equal(t, []string{"any link fails, except at kiosk and crane (2 failures)"}, r.When)
	require.Equal(t, "it holds after each of 2 failures", r.Outcomes[1].Says)

	r = result("  whenever link fails\n  expect flow tickets outage < 1s\n  expect reach mill -> halt\n")
	require.False(t, r.Passed)
	require.False(t, r.Outcomes[0].Passed)
	require.Contains(t, r.Outcomes[0].Says, "it does not hold after 2 of 4 failures; after mill.lan kiosk, cut: ")
	require.Contains(t, r.Outcomes[0].Says, "still out at the end")
	require.True(t, r.Outcomes[1].Passed)

	r = result("  whenever silence fails except mill.lan halt.lan\n  expect flow tickets outage < 1s\n")
	require.False(t, r.Passed)
	require.Contains(t, r.Outcomes[0].Says, "after mill.e")
	require.Equal(t, []string{"any link goes silent, except at mill.lan and halt.lan (2 failures)"}, r.When)
	require.True(t, result("  whenever silence fails except mill.lan halt.lan\n  expect flow tickets outage < 60s\n").Passed)

	r = result("  whenever group fails\n  expect no-reach mill -> halt\n")
	require.True(t, r.Passed, "%+v", r)
	require.Equal(t, []string{"any risk group fails (1 failure)"}, r.When)
	require.True(t, result("  whenever group fails except halt\n  expect reach mill -> halt\n").Passed, "no group is left")

	// After something was done first, and of several kinds.
	r = result("  when cut mill.e1\n  whenever link fails except kiosk crane\n  whenever router fails except mill halt\n  expect reach mill -> halt\n")
	require.False(t, r.Passed)
	require.Equal(t, []string{"cut mill.e1", "any link fails, except at kiosk and crane (1 failure)", "any router fails, except at mill and halt (0 failures)"}, r.When)
}
