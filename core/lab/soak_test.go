package lab

import (
	"runtime"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/note"
	"hellebore/core/questions/timeline"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// TestALongLabHoldsItsJournal cuts and mends for a long time: what is held grows by the journal and the log, and not by the worlds
// of old actions.
func TestALongLabHoldsItsJournal(t *testing.T) {
	l := open(t, demo.Text("tarn-valley"))
	held := func() uint64 {
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return m.HeapAlloc
	}
	pairs := func(n int) {
		for range n {
			for _, action := range []string{"cut viaduct.e1", "mend viaduct.e1"} {
				a, err := history.ParseAction(action)
				require.NoError(t, err)
				s, err := l.Do(a, 0)
				require.NoError(t, err)
				l.actionOf(s)
			}
		}
	}
	pairs(200)
	before := held()
	pairs(800)
	grown := float64(held()-before) / (1 << 10) / 800
	t.Logf("%.1f KiB a pair", grown)
	require.Less(t, grown, 16.0, "KiB a pair")
	// What was long ago is still there.
	m := l.Messages(l.history.Now(), timeline.MessagesAsk{})
	require.Greater(t, m.Found, 2*1000, "messages of each cut")
	second := l.history.Whole(2)
	require.Equal(t, note.PortDown, second.After.NoteAt(second.NotesBefore).Kind)
	runtime.KeepAlive(l)
}
