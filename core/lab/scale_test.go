package lab

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/timeline"
	"hellebore/core/simulation/history"
)

// TestViewsCostWhatTheyShow counts what views allocate for each row that they show, in a network of 50 routers and in one of
// 400: a view that looks at everything for every row allocates more.
func TestViewsCostWhatTheyShow(t *testing.T) {
	opened := func(wide, high int) *Lab {
		l := New()
		_, err := l.Do(history.Action{Kind: history.Apply, Text: testlabs.Grid(wide, high)}, 0)
		require.NoError(t, err)
		return l
	}
	few, many := opened(10, 5), opened(25, 16)
	for name, view := range map[string]func(l *Lab) int{
		"ports":      func(l *Lab) int { return len(l.Ports(l.History().Now(), tables.PortsAsk{}).Ports) },
		"neighbours": func(l *Lab) int { return len(l.Neighbours(l.History().Now(), relations.Ask{}).Neighbours) },
		"map":        func(l *Lab) int { m := l.Map(l.History().Now()); return len(m.Devices) + len(m.Links) },
		"messages":   func(l *Lab) int { return len(l.Messages(l.History().Now(), timeline.MessagesAsk{}).Messages) },
		"names":      func(l *Lab) int { return len(l.Names(l.History().Now()).Prefixes) },
		"database": func(l *Lab) (n int) {
			for _, a := range l.Database(l.History().Now()).Areas {
				n += len(a.LSAs)
			}
			return n
		},
		"routes": func(l *Lab) (n int) {
			part, err := tables.RoutesPartOf(l.World(l.History().Now()), tables.RoutesAsk{Limit: 50, Columns: 25})
			require.NoError(t, err)
			for _, r := range part.Rows {
				n += len(r.Cells)
			}
			return n
		},
		"timeline": func(l *Lab) int {
			a, err := l.ActionPart(1, 0, 0, "")
			require.NoError(t, err)
			return len(a.Rows)
		},
	} {
		rows := func(l *Lab) float64 { return testing.AllocsPerRun(1, func() { view(l) }) / float64(view(l)) }
		a, b := rows(few), rows(many)
		t.Logf("%s: %.1f allocations a row with 50 routers, %.1f with 400", name, a, b)
		require.Less(t, b, 1.3*a+0.5, name)
	}
}
