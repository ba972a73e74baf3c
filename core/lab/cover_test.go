package lab

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/demo"
)

func TestACoverSaysWhatATextIsAbout(t *testing.T) {
	for slug, want := range map[string][]Topic{
		"first-triangle":  {},
		"station-yard":    {TopicOSPF, TopicElection},
		"three-areas":     {TopicOSPF, TopicAreas, TopicSummaries, TopicStub, TopicInjection},
		"beyond-the-pass": {TopicOSPF, TopicAreas, TopicVirtual},
		"guarded-line":    {TopicOSPF, TopicAuthentication},
		"two-islands":     {TopicAuthentication, TopicEBGP, TopicPolicies},
	} {
		require.Equal(t, want, CoverOf(demo.Text(slug)).Topics, slug)
	}
}

// TestEveryDemoHasACoverAndTasks: whoever opens the list has to see where to begin.
func TestEveryDemoHasACoverAndTasks(t *testing.T) {
	for _, d := range demo.Labs() {
		c := CoverOf(d.Text)
		require.NotEmpty(t, c.About, d.Slug)
		require.Less(t, len(c.About), 160, d.Slug)
		require.NotEmpty(t, c.Difficulty, d.Slug)
		require.NotZero(t, c.Tasks, d.Slug)
		require.NotNil(t, c.SmallMap, d.Slug)
		for _, e := range c.SmallMap.Edges {
			require.Less(t, max(e[0], e[1]), len(c.SmallMap.Nodes))
		}
	}
}

func TestACoverOfATextWithMistakes(t *testing.T) {
	c := CoverOf("lab \"x\"\n  about \"half\"\nrouter a\n  port e1 10.0.0.1/30\nlink a.e1 nowhere.e1\nrouter b b\n")
	require.Equal(t, "half", c.About)
	require.NotNil(t, c.SmallMap)
	require.Empty(t, CoverOf("").Topics)
	require.Nil(t, CoverOf("").SmallMap)
	var large strings.Builder
	for i := range 61 {
		fmt.Fprintf(&large, "router r%d\n", i)
	}
	require.Nil(t, CoverOf(large.String()).SmallMap)
	require.Equal(t, 61, CoverOf(large.String()).Routers)
}

// TestTasksAreTickedOffByActions: the first text is not the reader's doing.
func TestTasksAreTickedOffByActions(t *testing.T) {
	text, _, _ := strings.Cut(demo.Text("triangle-with-ospf"), "\nbrief\n")
	l := open(t, text+`
brief
  task "Cut a link, then change the text"
    act cut
    act apply
  task "Look at the timeline"
    look timeline
  task "Think"
`)
	n := len(l.Brief().Tasks)
	require.Equal(t, []TaskAct{{"cut", false}, {"apply", false}}, l.Brief().Tasks[n-3].Acts)
	require.False(t, l.Brief().Tasks[n-3].Done)
	require.True(t, l.Brief().Tasks[n-2].Done, "only its reader's part is left")
	require.Equal(t, []string{"timeline"}, l.Brief().Tasks[n-2].Looks)
	require.False(t, l.Brief().Tasks[n-1].Done, "nothing says when it is done")
	do(t, l, "cut viaduct.e2")
	require.Equal(t, []TaskAct{{"cut", true}, {"apply", false}}, l.Brief().Tasks[n-3].Acts)
	apply(t, l, l.Text()+"\n# more\n", "", "")
	require.True(t, l.Brief().Tasks[n-3].Done)
}

// TestTheExamplesRun: what the reference shows settles, and what it expects holds.
func TestTheExamplesRun(t *testing.T) {
	l := open(t, labtext.Examples)
	results, ok := l.Checks(l.History().Now())
	require.True(t, ok)
	require.NotEmpty(t, results)
	for _, r := range results {
		require.True(t, r.Passed, "%s: %+v", r.Name, r.Outcomes)
	}
}
