package lab

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/core/questions/compare"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// anyFault is an action that something in the lab can bear, or not.
func anyFault(r *rand.Rand, l *Lab) string {
	links := l.Map(l.History().Now()).Links
	link := links[r.IntN(len(links))]
	end := link.Ends[r.IntN(len(link.Ends))]
	port := end.Device
	if end.Port != "nic" {
		port += "." + end.Port
	}
	all := []string{"cut " + port, "mend " + port, "silence " + port, "disable " + port, "enable " + port,
		"disable " + end.Device, "enable " + end.Device, "reset all on " + end.Device, "restart ospf on " + end.Device}
	return all[r.IntN(len(all))]
}

// TestNoRowReadsAlikeBeforeAndAfter compares the network before and after many
// actions: what differs is to be seen in the words.
func TestNoRowReadsAlikeBeforeAndAfter(t *testing.T) {
	kinds := map[string]int{}
	for _, slug := range []string{"three-areas", "beyond-the-pass", "two-carriers", "two-reflectors", "two-islands", "tarn-valley", "shared-cable", "guarded-line"} {
		l := open(t, demo.Text(slug))
		r := rand.New(rand.NewPCG(7, uint64(len(slug))))
		for range 25 {
			action := anyFault(r, l)
			a, err := history.ParseAction(action)
			require.NoError(t, err)
			before := l.History().Now()
			if _, err := l.Do(a, 0); err != nil {
				continue
			}
			for _, s := range l.Compare(before, l.History().Now()).Sections {
				for _, row := range s.Rows {
					kinds[s.Name]++
					require.NotEqual(t, row.Before, row.After, "%s, %s: %v", slug, action, row)
				}
			}
		}
	}
	for _, name := range []string{compare.Flows, compare.Neighbours, compare.Sent, compare.Routes, compare.Paths, compare.Received, compare.Database, compare.Ports} {
		require.Positive(t, kinds[name], name)
	}
}

// TestASummaryTakesNothingAway writes the range of an area on its border routers: the
// routes that it replaces are not lost, and come back when it goes.
func TestASummaryTakesNothingAway(t *testing.T) {
	l := open(t, demo.Text("three-areas"))
	start := l.History().Now()
	sum, err := l.Summary(start, nil, "3")
	require.NoError(t, err)
	require.NotEmpty(t, sum.On)
	require.Empty(t, sum.Has)
	require.Len(t, sum.Fixes, 1)
	text := l.Text()
	for _, e := range sum.Fixes[0].Edits {
		edits, err := labtext.ParseEdits(e)
		require.NoError(t, err)
		text, err = labtext.EditText(text, edits...)
		require.NoError(t, err)
	}
	junction := func() int {
		w := l.World(l.History().Now())
		d, n := w.Find("junction"), 0
		for id := range w.Shared().Prefixes.Len() {
			if _, ok := d.Main().Table().Best(id); ok {
				n++
			}
		}
		return n
	}
	was := junction()
	_, err = l.Do(history.Action{Kind: history.Apply, Text: text}, 0)
	require.NoError(t, err)
	c := l.Compare(start, l.History().Now())
	within := 0
	for _, row := range c.Section(compare.Routes).Rows {
		require.NotEqual(t, compare.Worse, row.Weight, "%v", row)
		if row.Cause == compare.Summarised {
			within++
			require.Equal(t, "within "+sum.Prefix, row.After)
		}
	}
	require.Positive(t, within, "%v %v", c.Summary, c.Section(compare.Routes).Rows)
	require.Contains(t, c.Summary, sum.Prefix+" replaces more specific routes on some router")
	require.NotContains(t, strings.Join(c.Summary, "\n"), "lost")
	require.Less(t, junction(), was)
	require.Contains(t, strings.Join(c.Summary, "\n"), fmt.Sprintf("table of junction %d -> %d", was, junction()))
	again, err := l.Summary(l.History().Now(), nil, "3")
	require.NoError(t, err)
	require.Equal(t, again.On, again.Has, "a range that is there is said")
	require.Empty(t, again.Fixes)

	back := l.Compare(l.History().Now(), start)
	for _, row := range back.Section(compare.Routes).Rows {
		require.True(t, row.Cause == compare.Summarised || row.Weight != compare.Better, "%v", row)
	}
	require.Contains(t, back.Summary, "more specific routes replace "+sum.Prefix+" on some router")
}
