package timeline_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/timeline"
)

// grid is a lab of so many routers in a square, in area 0.
func grid(side int) string {
	var b strings.Builder
	b.WriteString("lab \"Grid\"\n\n")
	ports := map[string]string{}
	link := 0
	var links []string
	join := func(a, c string) {
		link++
		ends := [2]string{a, c}
		for i, r := range ends {
			n := strings.Count(ports[r], "port ") + 1
			ports[r] += fmt.Sprintf("  port e%d 10.%d.%d.%d/30\n    ospf area 0\n", n, 64+link/64, link%64*4, i+1)
			ends[i] = fmt.Sprintf("%s.e%d", r, n)
		}
		links = append(links, fmt.Sprintf("link %s %s", ends[0], ends[1]))
	}
	for i := range side * side {
		if i%side > 0 {
			join(fmt.Sprintf("r%d", i-1), fmt.Sprintf("r%d", i))
		}
		if i >= side {
			join(fmt.Sprintf("r%d", i-side), fmt.Sprintf("r%d", i))
		}
	}
	for i := range side * side {
		fmt.Fprintf(&b, "router r%d\n  router-id 10.0.%d.%d\n%s\n", i, i/250, i%250+1, ports[fmt.Sprintf("r%d", i)])
	}
	return b.String() + strings.Join(links, "\n") + "\n"
}

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
	s := testlabs.Acted(t, grid(15)).Steps()[0]
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
