package tables_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/tables"
	"hellebore/core/questions/testlabs"
	"hellebore/demo"
)

// TestNamesAreThePrefixesOfTheRoutes: what can be completed is what the Routes view shows, in every demo.
func TestNamesAreThePrefixesOfTheRoutes(t *testing.T) {
	for _, l := range demo.Labs() {
		w := testlabs.Settled(t, l.Text)
		want := []string{}
		for _, r := range tables.RouteTable(w).Rows {
			want = append(want, r.Prefix)
		}
		names := tables.NamesOf(w)
		require.Equal(t, want, names.Prefixes, l.Text[:40])
		require.Zero(t, names.Omitted)
	}
}
