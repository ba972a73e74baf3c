package questions

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/note"
	"hellebore/core/questions/compare"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/why"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// TestViewsKnowWhatLasts asks worlds that have let go of their notes: what is made of notes that last is as it was, and what is
// not says so.
func TestViewsKnowWhatLasts(t *testing.T) {
	ladders, messages := 0, 0
	for _, demo := range demo.Labs() {
		h := testlabs.Acted(t, demo.Text)
		whole := h.Head()
		w := whole.Clone()
		w.ForgetNotes(w.Notes())
		require.Less(t, w.Notes()-w.FirstNote(), uint32(64), demo.Slug)
		require.Equal(t, whole.Notes(), w.Notes())
		require.Equal(t, whole.Digest(true), w.Digest(true))
		require.Equal(t, timeline.MessagesOf(whole, timeline.MessagesAsk{}, nil), timeline.MessagesOf(w, timeline.MessagesAsk{}, nil), demo.Slug)
		messages += len(timeline.MessagesOf(w, timeline.MessagesAsk{}, nil).Messages)
		rows := relations.NeighboursOf(whole)
		require.Equal(t, rows, relations.NeighboursOf(w), demo.Slug)
		for _, n := range rows {
			if n.Protocol != "ospf" || n.A.Absent || n.B.Absent {
				continue
			}
			a, err := relations.LadderOf(whole, n.A.Device+"."+n.A.Port, n.B.Device+"."+n.B.Port)
			if err != nil {
				continue
			}
			b, err := relations.LadderOf(w, n.A.Device+"."+n.A.Port, n.B.Device+"."+n.B.Port)
			require.NoError(t, err)
			require.Equal(t, a, b)
			ladders++
		}
		require.True(t, w.Follows(whole) && whole.Follows(w))
		require.False(t, w.Follows(testlabs.Settled(t, testlabs.Grid(2, 2))), demo.Slug)
		require.True(t, compare.Worlds(whole, w, nil).Same, demo.Slug)
		// Every kind that a message is made of lasts.
		w.EachNote(func(_ uint32, n note.Note) {
			if n.Kind.Lasts() {
				require.False(t, n.Kind.Bounded())
			}
		})
	}
	require.Greater(t, ladders, 50)
	require.Greater(t, messages, 500)
}

// TestAnOldCauseIsNotMadeUp asks why a route is as it is, of a world that has let go of the change: it says so.
func TestAnOldCauseIsNotMadeUp(t *testing.T) {
	whole := testlabs.Settled(t, testlabs.Grid(3, 3))
	w := whole.Clone()
	w.ForgetNotes(w.Notes())
	q, err := why.Parse(w, "why 10.64.40.0/30 on r0", why.Focus{})
	require.NoError(t, err)
	texts := func(w *network.World) (all string) {
		a, err := why.About(w, q)
		require.NoError(t, err)
		for _, f := range a.Facts {
			all += f.Text + "\n"
		}
		return all
	}
	require.Contains(t, texts(whole), "r0 at ")
	require.NotContains(t, texts(whole), "not kept")
	require.Contains(t, texts(w), "the route to 10.64.40.0/30 changed last before")
}
