package lab

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/critical"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// TestAnOldActionAnswersAsANewOne asks about an action when it is new, and when its worlds have been let go of.
func TestAnOldActionAnswersAsANewOne(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"), "cut viaduct.e2", "mend viaduct.e2")
	see := func(l *Lab) []any {
		var out []any
		add := func(v any, err error) {
			require.NoError(t, err)
			out = append(out, v)
		}
		add(l.Action(2))
		add(l.ActionPart(2, 0, 0, "viaduct"))
		add(l.Pairs(2))
		add(l.CriticalPath(2, critical.About{}))
		add(l.Shorten(2, critical.About{}))
		m, err := l.ParseMoment("before-2")
		require.NoError(t, err)
		after, err := l.ParseMoment("after-2")
		require.NoError(t, err)
		out = append(out, l.Routes(m), l.Routes(after), l.Compare(m, after), l.Timeline()[:3])
		add(l.Packets("viaduct.e1", m, after, nil))
		return out
	}
	young := see(l)
	for range 40 {
		for _, action := range []string{"cut summit.e2", "mend summit.e2"} {
			a, err := history.ParseAction(action)
			require.NoError(t, err)
			_, err = l.Do(a, 0)
			require.NoError(t, err)
		}
	}
	require.Nil(t, l.History().Steps()[1].Before, "it has faded")
	require.Equal(t, young, see(l))
	again, err := Open(l.History().Records(), nil)
	require.NoError(t, err)
	require.Equal(t, young, see(again))
	require.Equal(t, l.Timeline(), again.Timeline())
	// A reader from before goes on with what it has, and one of now finds the same.
	require.Equal(t, young, see(l.Reader()))
}
