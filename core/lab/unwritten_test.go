package lab

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/core/questions/tables"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// TestWhatTheTextDoesNotSay does what a text could say by actions: each is named with
// the edit that writes it, and once that is applied, nothing is left and nothing moves.
func TestWhatTheTextDoesNotSay(t *testing.T) {
	unsaid := func(l *Lab) (out []tables.StateWarning) {
		for _, s := range l.StateWarnings(l.History().Now()) {
			if s.Code == "not-in-text" {
				out = append(out, s)
			}
		}
		return out
	}
	for _, c := range []struct {
		slug  string
		does  []string
		edits []string
	}{
		{"station-yard", []string{"part depot.yard"}, []string{"part depot.yard"}},
		{"station-yard", []string{"part foreman", "join foreman workshop-floor"}, []string{"part foreman", "join foreman workshop-floor"}},
		{"station-yard", []string{"disable depot"}, []string{"depot disabled"}},
		{"station-yard", []string{"disable depot.yard"}, []string{"depot.yard disabled"}},
		{"two-carriers", []string{"disable 192.0.2.2 on viaduct"}, []string{"viaduct/192.0.2.2 disabled"}},
		{"station-yard", []string{"disable depot", "enable depot", "part depot.yard", "join depot.yard yard"}, nil},
		{"station-yard", []string{"cut foreman", "mend foreman"}, nil},
	} {
		l := open(t, demo.Text(c.slug))
		require.Empty(t, unsaid(l), c.slug)
		for _, does := range c.does {
			a, err := history.ParseAction(does)
			require.NoError(t, err)
			_, err = l.Do(a, 0)
			require.NoError(t, err, does)
		}
		found := unsaid(l)
		if c.edits == nil {
			require.Empty(t, found, "%v", c.does)
			continue
		}
		require.Len(t, found, 1, "%v", c.does)
		require.Equal(t, c.edits, found[0].Fixes[0].Edits)
		text := l.Text()
		for _, e := range found[0].Fixes[0].Edits {
			list, err := labtext.ParseEdits(e)
			require.NoError(t, err)
			text, err = labtext.EditText(text, list...)
			require.NoError(t, err)
		}
		before := l.History().Head().ForwardingChanges()
		_, err := l.Do(history.Action{Kind: history.Apply, Text: text}, 0)
		require.NoError(t, err)
		require.Empty(t, unsaid(l), "%v", c.does)
		require.Equal(t, before, l.History().Head().ForwardingChanges(), "%v: the text says what is there", c.does)
	}
	l := open(t, "router mill\n  disabled\n  port e1 10.0.12.1/30\n    disabled\n")
	for _, does := range []string{"enable mill", "enable mill.e1"} {
		a, _ := history.ParseAction(does)
		_, err := l.Do(a, 0)
		require.NoError(t, err)
	}
	found := unsaid(l)
	require.Len(t, found, 2)
	require.Equal(t, []string{"remove mill disabled"}, found[0].Fixes[0].Edits)
	require.Equal(t, []string{"remove mill.e1 disabled"}, found[1].Fixes[0].Edits)
}
