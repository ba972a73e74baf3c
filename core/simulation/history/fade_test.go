package history

import (
	"math/rand"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
)

// TestWhatHasFadedComesBack does the same to two histories, one of which lets go of old actions: every moment, every world and
// every packet of it are as in the other.
func TestWhatHasFadedComesBack(t *testing.T) {
	whole, faded := New(), New()
	r := rand.New(rand.NewSource(18))
	cut := map[string]bool{}
	for n := range 90 {
		action := triangle()
		if n > 0 {
			port := []string{"viaduct.e1", "viaduct.e2", "summit.e2"}[r.Intn(3)]
			action = map[bool]string{false: "cut ", true: "mend "}[cut[port]] + port
			cut[port] = !cut[port]
			if r.Intn(6) == 0 {
				cut[port] = !cut[port]
				action = "wait 3s"
			}
		}
		act(t, whole, action)
		act(t, faded, action)
		faded.Fade()
	}
	worlds := func(h *History) (n int) {
		for _, s := range h.Steps() {
			if s.Applied != nil {
				n++
			}
			if s.After != nil {
				n++
			}
		}
		return n
	}
	require.Equal(t, 180, worlds(whole))
	require.Less(t, worlds(faded), 2*keepWhole+90/pinEvery+3)
	require.Nil(t, faded.Steps()[20].Before)

	for range 60 {
		m := whole.AtTime(event.Time(r.Int63n(int64(whole.Head().Now()))))
		require.Equal(t, whole.At(m).Digest(true), faded.At(m).Digest(true), "%v", m)
	}
	for _, seq := range r.Perm(90) {
		a, b := whole.Whole(seq+1), faded.Whole(seq+1)
		require.Equal(t, a.Record, b.Record)
		for i, w := range []struct {
			want, got interface{ Digest(bool) uint64 }
		}{{a.Before, b.Before}, {a.Applied, b.Applied}, {a.After, b.After}} {
			require.Equal(t, w.want.Digest(true), w.got.Digest(true), "action %d, world %d", seq+1, i)
		}
		require.Equal(t, a.Digest, b.After.Digest(true))
		require.Equal(t, []uint32{a.NotesBefore, a.NotesApplied, a.NotesAfter}, []uint32{b.NotesBefore, b.NotesApplied, b.After.Notes()})
		for i := a.NotesBefore; i < a.NotesAfter; i++ {
			require.Equal(t, a.After.NoteAt(i), b.After.NoteAt(i))
		}
	}
	from := whole.Steps()[10].Start
	until := whole.Steps()[20].End
	frames := func(h *History) (out []Frame) {
		require.NoError(t, h.Frames(from, until, func(f Frame) { out = append(out, f) }, nil))
		return out
	}
	require.NotEmpty(t, frames(whole))
	require.Equal(t, frames(whole), frames(faded))

	// A branch off the faded past, and a replay that fades as it goes.
	b := faded.BranchAt(faded.AfterStep(12))
	require.Equal(t, whole.Steps()[11].Digest, b.Head().Digest(true))
	act(t, b, "wait 1s")
	again, err := Replay(whole.Records(), nil, func(h *History) { h.Fade() })
	require.NoError(t, err)
	require.Equal(t, worlds(faded), worlds(again))
	for i, s := range again.Steps() {
		require.False(t, s.Diverged, "action %d", i+1)
	}
}

// TestAHistoryGetsLighterAndStaysTheSame lets go of all that can be, bit by bit: what is there then is what was there.
func TestAHistoryGetsLighterAndStaysTheSame(t *testing.T) {
	whole, light := New(), New()
	for _, action := range []string{triangle(), "cut viaduct.e1", "wait 2h", "mend viaduct.e1", "cut summit.e2"} {
		act(t, whole, action)
		act(t, light, action)
	}
	light.Steps()[4].frames.worlds = append(light.Steps()[4].frames.worlds, light.Head()) // as of a long action
	reader := light.Reader()
	var gone []int
	held := func(h *History) (n int) {
		for w := range h.worlds() {
			if w != nil {
				n++
			}
		}
		return n
	}
	for before := held(light); light.Lighten(func(s *Step) { gone = append(gone, s.Seq) }); before = held(light) {
		require.Less(t, held(light), before, "something went")
	}
	require.Equal(t, []int{1, 2, 3, 4}, gone, "the oldest first; the latest stays")
	require.Nil(t, light.Steps()[4].frames.worlds)
	require.NotNil(t, reader.Steps()[0].Before, "readers keep theirs")
	for seq := range 5 {
		require.Equal(t, whole.Whole(seq+1).Record, light.Whole(seq+1).Record)
	}
	for at := event.Time(0); at < whole.Head().Now(); at += 97 * event.Second {
		m := whole.AtTime(at)
		require.Equal(t, whole.At(m).Digest(true), light.At(m).Digest(true), "%v", m)
	}
}

// TestAWorldThatIsMadeAgainCanBeStopped has somebody lose interest while an action is done again: nothing of it is kept.
func TestAWorldThatIsMadeAgainCanBeStopped(t *testing.T) {
	h := New()
	act(t, h, strings.ReplaceAll(triangle(), " delay", " loss 0.0001% delay")) // or the wait would be skipped
	act(t, h, "wait 6h")
	act(t, h, "cut viaduct.e1")
	for h.Lighten(func(*Step) {}) {
	}
	want := h.Steps()[1].Events
	h.seen = &seen{}
	asked := 0
	hasty := h.Until(func() bool { asked++; return asked > 1 })
	require.Less(t, hasty.Whole(2).After.Handled(), want, "given up")
	require.Less(t, asked, 6)
	require.Equal(t, want, h.Whole(2).After.Handled())
	require.Equal(t, h.Steps()[1].Digest, h.Whole(2).After.Digest(true))
}
