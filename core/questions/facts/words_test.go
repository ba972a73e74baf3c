package facts_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/testlabs"
)

// TestEveryNoteHasItsWords reads all notes of a life full of events.
func TestEveryNoteHasItsWords(t *testing.T) {
	h := testlabs.Acted(t, testlabs.Line, "cut mill.e1", "mend mill.e1", "silence mill.e1", "mend mill.e1", "disable halt", "enable halt")
	w := h.Head()
	kinds := map[note.Kind]bool{}
	for i := range w.Notes() {
		n := w.NoteAt(i)
		kinds[n.Kind] = true
		words := facts.Words(w, n)
		require.NotEmpty(t, words)
		require.NotContains(t, words, "{")
		require.NotContains(t, words, "%!")
	}
	require.Greater(t, len(kinds), 8)
	require.Equal(t, "port e1 went down: the link has no carrier",
		facts.Words(w, note.Note{Kind: note.PortDown, Port: note.PortOf(1), Reason: note.LinkCut}))
	require.Equal(t, "e1 refuses packets from 10.0.12.2: the hello intervals differ (10s here, 5s there)",
		facts.Words(w, note.Note{Kind: note.HelloRefused, Port: note.PortOf(1), A: uint64(w.Shared().Addrs.ID(ip.V4(0x0a000c02))), Reason: note.HelloIntervalDiffers,
			B: uint64(10 * event.Second), C: uint64(5 * event.Second)}))
}
