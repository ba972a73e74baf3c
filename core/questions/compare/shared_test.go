package compare_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/compare"
	"hellebore/core/questions/testlabs"
	"hellebore/demo"
)

// TestWhatWorldsShareIsTheSame compares a moment with one that came of it, which share what did not change, and with the same
// moment of another run, which shares nothing: the two say the same.
func TestWhatWorldsShareIsTheSame(t *testing.T) {
	rows := 0
	for text, actions := range map[string][]string{
		demo.Text("two-carriers"):                    {"cut viaduct.e1", "disable quarry", "mend viaduct.e1"},
		demo.Text("tarn-valley"):                     {"cut viaduct.e1", "restart bgp on viaduct"},
		testlabs.Fed("feed 700 within 10.64.0.0/10"): {"withdraw 10% on carrier", "cut carrier.e1", "mend carrier.e1", "advertise all on carrier"},
	} {
		one, other := testlabs.Acted(t, text, actions...), testlabs.Acted(t, text, actions...)
		for i, s := range one.Steps() {
			for k := i; k < len(one.Steps()); k++ {
				after := one.Steps()[k].After
				shared, apart := compare.Worlds(s.Before, after, nil), compare.Worlds(other.Steps()[i].Before, after, nil)
				require.Equal(t, apart, shared, "%d to %d", i+1, k+1)
				for _, x := range shared.Sections {
					rows += x.Total
				}
			}
		}
	}
	require.Greater(t, rows, 5000)
}
