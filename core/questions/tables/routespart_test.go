package tables_test

import (
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/tables"
	"hellebore/core/questions/testlabs"
	"hellebore/demo"
)

// TestAPartOfTheRoutesIsOfTheWhole holds parts of the Routes view, asked for at random, against all routes, filtered by hand.
func TestAPartOfTheRoutesIsOfTheWhole(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 18))
	joined, empty := 0, 0
	for _, slug := range []string{"tarn-valley", "valley-line", "two-islands", "beyond-the-pass", "two-carriers", "three-areas"} {
		w := testlabs.Settled(t, demo.Text(slug))
		all := tables.RouteTable(w)
		for range 200 {
			ask := tables.RoutesAsk{Offset: r.IntN(12) - 1, Limit: r.IntN(30), Column: r.IntN(5) - 1, Columns: r.IntN(6)}
			one := func(list ...string) string { return list[r.IntN(len(list))] }
			ask.Source = one("", "", "ospf", "bgp", "static", "connected", "taken", "nothing")
			row := all.Rows[r.IntN(len(all.Rows))]
			ask.To = one("", "", row.Prefix, "10.0.0.0/8", "0.0.0.0/0", "10.20.1.7", "203.0.113.77")
			ask.Exact = ask.To != "" && r.IntN(3) == 0
			column := all.Devices[r.IntN(len(all.Devices))]
			switch r.IntN(4) {
			case 0:
				ask.Device, _, _ = strings.Cut(column, "/")
			case 1:
				ask.Instance = column
			}
			ask.Grouped = r.IntN(2) == 0
			part, err := tables.RoutesPartOf(w, ask)
			require.NoError(t, err)

			devices := slices.DeleteFunc(slices.Clone(all.Devices), func(d string) bool {
				return ask.Instance != "" && d != ask.Instance || ask.Device != "" && d != ask.Device && !strings.HasPrefix(d, ask.Device+"/")
			})
			require.Equal(t, devices, part.Devices)
			var rows []tables.RouteRow
			routes, sources := 0, map[string]int{}
			for _, row := range all.Rows {
				if !plainlyMatches(row.Prefix, ask.To, ask.Exact) {
					continue
				}
				hit := false
				for _, d := range devices {
					if c, ok := row.Cells[d]; ok {
						routes++
						sources[c.Source]++
						hit = hit || ask.Source == "" || c.Source == ask.Source
					}
				}
				if hit {
					rows = append(rows, row)
				}
			}
			require.Equal(t, []int{len(rows), routes}, []int{part.Prefixes, part.Routes}, "%s %+v", slug, ask)
			require.Equal(t, sources, part.Sources)
			if ask.Grouped {
				rows = plainGroups(rows, devices)
			}
			require.Equal(t, len(rows), part.Total)
			from := min(max(ask.Offset, 0), len(rows))
			rows = rows[from:]
			if ask.Limit > 0 {
				rows = rows[:min(len(rows), ask.Limit)]
			}
			first := min(max(ask.Column, 0), len(devices))
			shown := devices[first:]
			if ask.Columns > 0 {
				shown = shown[:min(len(shown), ask.Columns)]
			}
			require.Equal(t, []int{from, first}, []int{part.Offset, part.Column})
			require.Len(t, part.Rows, len(rows))
			if len(rows) == 0 {
				empty++
			}
			for i, want := range rows {
				got := part.Rows[i]
				require.Equal(t, []any{want.Prefix, want.Owner, want.Same}, []any{got.Prefix, got.Owner, got.Same})
				cells := map[string]tables.Cell{}
				for _, d := range shown {
					if c, ok := want.Cells[d]; ok {
						cells[d] = c
					}
				}
				require.Equal(t, cells, got.Cells)
				if got.Same > 0 {
					joined++
					of, err := tables.RoutesPartOf(w, tables.RoutesAsk{To: ask.To, Exact: ask.Exact, Source: ask.Source, Device: ask.Device, Instance: ask.Instance, Of: got.Prefix})
					require.NoError(t, err)
					require.Equal(t, got.Same+1, of.Total)
					require.Equal(t, got.Prefix, of.Rows[0].Prefix)
				}
			}
		}
	}
	require.Greater(t, joined, 50)
	require.Greater(t, empty, 50)
	_, err := tables.RoutesPartOf(testlabs.Settled(t, demo.Text("two-islands")), tables.RoutesAsk{To: "viaduct"})
	require.EqualError(t, err, `"viaduct" is neither a prefix nor an address`)
}

// TestColumnsAreChosenByWhatRoutersAre: by area, AS and role.
func TestColumnsAreChosenByWhatRoutersAre(t *testing.T) {
	columns := func(slug string, ask tables.RoutesAsk) []string {
		part, err := tables.RoutesPartOf(testlabs.Settled(t, demo.Text(slug)), ask)
		require.NoError(t, err)
		return part.Devices
	}
	require.Equal(t, []string{"viaduct", "quarry", "summit"}, columns("two-carriers", tables.RoutesAsk{AS: 64500}))
	require.Equal(t, []string{"tramway"}, columns("two-carriers", tables.RoutesAsk{AS: 64510}))
	require.Equal(t, []string{"viaduct", "quarry", "summit"}, columns("two-carriers", tables.RoutesAsk{Area: "0"}))
	require.Empty(t, columns("two-carriers", tables.RoutesAsk{Role: "area-border"}))
	borders, ones := columns("three-areas", tables.RoutesAsk{Role: "area-border"}), columns("three-areas", tables.RoutesAsk{Area: "1"})
	require.NotEmpty(t, borders)
	require.Less(t, len(ones), 8)
	for _, b := range borders {
		require.Contains(t, columns("three-areas", tables.RoutesAsk{Area: "0"}), b)
	}
	require.Len(t, columns("two-reflectors", tables.RoutesAsk{Role: "reflector"}), 2)
}

func plainlyMatches(prefix, to string, exact bool) bool {
	if to == "" || exact {
		return to == "" || prefix == to
	}
	p := netip.MustParsePrefix(prefix)
	if a, err := netip.ParseAddr(to); err == nil {
		return p.Contains(a)
	}
	return p.Overlaps(netip.MustParsePrefix(to))
}

// plainGroups joins rows whose cells are all equal.
func plainGroups(rows []tables.RouteRow, devices []string) (out []tables.RouteRow) {
	for _, row := range rows {
		i := slices.IndexFunc(out, func(o tables.RouteRow) bool {
			return !slices.ContainsFunc(devices, func(d string) bool {
				a, has := row.Cells[d]
				b, had := o.Cells[d]
				return has != had || has && !equalCells(a, b)
			})
		})
		if i < 0 {
			out = append(out, row)
		} else {
			out[i].Same++
		}
	}
	return out
}

func equalCells(a, b tables.Cell) bool {
	hops := slices.Equal(a.NextHops, b.NextHops)
	a.NextHops, b.NextHops = nil, nil
	return hops && a.Source == b.Source && a.Kind == b.Kind && a.Origin == b.Origin && a.Metric == b.Metric && a.Metric2 == b.Metric2 &&
		a.Tag == b.Tag && a.Preference == b.Preference && a.Blackhole == b.Blackhole
}
