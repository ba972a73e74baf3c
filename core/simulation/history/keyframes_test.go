package history

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
)

// TestALongActionHasFewKeyframes runs a network for a while and looks, all along, at how many copies are kept and how far apart
// they are: what is run again to come to a moment stays a small part of what there was.
func TestALongActionHasFewKeyframes(t *testing.T) {
	h := New()
	act(t, h, triangle())
	w := h.Head().Clone()
	k := begun(w)
	k.apart = 50
	from := w.Work()
	for w.Now() < 3*3600*event.Second {
		w.RunUntil(w.Now()+event.Second, 1e9)
		k.pass(w)
		require.LessOrEqual(t, len(k.worlds), mostFrames)
		all := w.Work() - from
		last := from
		for _, f := range k.worlds {
			require.Less(t, last, f.Work())
			require.LessOrEqual(t, f.Work()-last, max(all/(mostFrames/4), 100), "after %d", all)
			last = f.Work()
		}
	}
	require.Greater(t, w.Work()-from, uint64(10_000))
	require.GreaterOrEqual(t, len(k.worlds), mostFrames/2)
}
