package lab

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/sweep"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// TestAPreviewHoldsFailuresAgainstEachOther: what a draft makes better, worse and no different is what two sweeps say.
func TestAPreviewHoldsFailuresAgainstEachOther(t *testing.T) {
	third := rewritten{"  port e2 10.0.2.1/30\n    ospf area 0\n", "  port e2 10.0.2.1/30\n    ospf area 0\n  port e3 10.0.6.1/30\n    ospf area 0\n",
		"  port e2 10.0.5.2/30\n    ospf area 0\n", "  port e2 10.0.5.2/30\n    ospf area 0\n  port e3 10.0.6.2/30\n    ospf area 0\n",
		"link north.up", "link depot.e3 mine.e3\nlink north.up"}
	for _, c := range []struct {
		name   string
		change rewritten
		turns  map[string]string
	}{
		{"a third line", third, map[string]string{`risk group "the bridge"`: "better"}},
		{"a line less", rewritten{"link depot.e2 south.e1 delay 2ms\n", "", "links depot.e1 depot.e2", "links depot.e1"},
			map[string]string{"depot.e1 north.e1, cut": "worse", "depot.e2 south.e1, cut": "gone"}},
		{"a comment", rewritten{"# Depot", "# The depot"}, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			l := open(t, demo.Text("one-bridge"))
			text := l.Text()
			for i := 0; i < len(c.change); i += 2 {
				require.Contains(t, text, c.change[i])
				text = strings.ReplaceAll(text, c.change[i], c.change[i+1])
			}
			p, err := l.Preview(Plan{Text: text}, nil)
			require.NoError(t, err)
			got, err := l.PreviewFailures(p)
			require.NoError(t, err)
			require.Equal(t, got.Of, got.Tried, "a small lab fits the budget")
			turns := map[string]string{}
			for _, x := range got.Changes {
				turns[x.Title] = x.Turn
			}
			for title, turn := range c.turns {
				require.Equal(t, turn, turns[title], title)
			}
			if c.turns == nil {
				require.Empty(t, turns)
				require.Equal(t, got.Of, got.Same)
			}

			// The same by two sweeps.
			before, err := sweep.New(l.History(), nil)
			require.NoError(t, err)
			was := tryAll(t, before)
			_, err = l.Do(history.Action{Kind: history.Apply, Text: text}, 0)
			require.NoError(t, err)
			after, err := sweep.New(l.History(), nil)
			require.NoError(t, err)
			want := sweep.Hold(was, tryAll(t, after))
			require.Equal(t, want.String(), got.String())
			require.Len(t, got.Changes, len(want.Changes))
		})
	}
}

func tryAll(t *testing.T, s *sweep.Sweep) (out []sweep.Impact) {
	t.Helper()
	for _, f := range s.Failures(previewKinds) {
		r, err := s.Try(f, nil)
		require.NoError(t, err)
		out = append(out, r)
	}
	return out
}
