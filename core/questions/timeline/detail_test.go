package timeline_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/timeline"
)

func counted(d timeline.ActionDetail) (marks, events int) {
	for _, r := range d.Rows {
		for _, e := range r.Events {
			marks, events = marks+1, events+e.Count
		}
	}
	return marks, events
}

// TestManyEventsShareMarksAndNoneIsLost has a cold start with more events than are drawn at once: the marks stand for all
// of them, windows cut them into parts that have all of them, and a narrow one shows each by itself.
func TestManyEventsShareMarksAndNoneIsLost(t *testing.T) {
	s := testlabs.Acted(t, testlabs.Grid(15, 15)).Steps()[0]
	whole := timeline.DetailOf(s, nil, nil, timeline.All(s))
	marks, events := counted(whole)
	require.Positive(t, whole.Merged, "the lab is large enough for the test")
	require.LessOrEqual(t, marks, 10_000)
	require.Greater(t, events, 10_000)

	random := rand.New(rand.NewPCG(1, 1))
	sum, from := 0, s.Start
	for from <= s.End {
		to := min(s.End, from+event.Time(random.Int64N(int64(s.End-s.Start)/6+1)))
		d := timeline.DetailOf(s, nil, nil, timeline.Window{From: from, To: to})
		for _, r := range d.Rows {
			for _, e := range r.Events {
				end := e.At
				if e.Until != nil {
					end = *e.Until
				}
				require.True(t, e.At <= to.Seconds() && end >= from.Seconds(), "%v", e)
				// A bar over the edge is in both parts.
				if e.At >= from.Seconds() || from == s.Start {
					sum += e.Count
				}
			}
		}
		from = to + 1
	}
	require.Equal(t, events, sum)

	settled := timeline.DetailOf(s, nil, nil, timeline.Window{From: s.Settled, To: s.Settled})
	require.NotEmpty(t, settled.Rows)
	require.Zero(t, settled.Merged)

	// What is looked for is counted, whatever shares a mark.
	found := timeline.DetailOf(s, nil, nil, timeline.Window{From: s.Start, To: s.End, Find: "R112 to FULL"})
	require.Equal(t, 8, found.Found, "four neighbours reach Full on r112, and r112 on each of them")
}

func TestWordsOfOneAndOfMany(t *testing.T) {
	s := testlabs.Acted(t, testlabs.Line, "cut mill.e1").Steps()[1]
	var all []string
	for _, r := range timeline.DetailOf(s, nil, nil, timeline.All(s)).Rows {
		for _, e := range r.Events {
			all = append(all, e.Text)
		}
	}
	says := strings.Join(all, "\n")
	require.NotContains(t, says, "1 routes")
	require.NotContains(t, says, "vertexes")
	require.Contains(t, says, "looking at 1 vertex of the shortest-path tree; 3 routes changed")
}
