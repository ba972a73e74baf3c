package history

import (
	"math/bits"
	"slices"

	"hellebore/core/simulation/network"
)

// The worlds of an action take memory for as long as the lab is open, and an old action is rarely asked for. So most of them
// fade: their worlds are let go of, and made again when somebody asks, from the nearest one that is still there.

const (
	// keepWhole is how many of the latest actions keep all their worlds.
	keepWhole = 24
	// pinEvery is of how many faded actions one keeps the world at its end: no more are done again at once. Of those that are
	// more than pinAge actions old it is twice as many, and again twice for each doubling of the age; but what is done again at
	// once has no more than about redoMost events.
	pinEvery = 16
	pinAge   = 64
	redoMost = 500_000
	// costly is how many events an action may take that fades: it is done again in less than half a second.
	costly = 50_000
	// keepAgain is how many actions that were done again are kept.
	keepAgain = 8
	// keepNotes is how many notes the present keeps at least, of whatever age.
	keepNotes = 1 << 15
)

// Fading is the action that Fade lets go of next; nil if there is none. What is to be kept of it is looked at before.
func (h *History) Fading() *Step {
	// More than one may have left the latest at once, and not long ago.
	last := len(h.steps) - 1 - keepWhole
	for i := max(0, last-keepWhole); i <= last; i++ {
		if s := h.steps[i]; s.Before != nil && s.Done && h.events(i) <= costly {
			return s
		}
	}
	return nil
}

// Lighten lets go of what is least missed of what the history holds, and says whether there was anything: keyframes of the oldest
// action that has some, then the worlds of the oldest that has them, at last the keyframes of the latest. before is given an action
// whose worlds go next. Whatever went is made again for whoever asks.
func (h *History) Lighten(before func(s *Step)) bool {
	for i, s := range h.steps {
		latest := i == len(h.steps)-1
		switch {
		case !s.Done || s.Before == nil || latest && s.frames.worlds == nil:
			continue
		case s.frames.worlds != nil:
			f := *s
			f.frames = keyframes{}
			h.put(&f)
		default:
			before(s)
			h.letGo(s)
		}
		return true
	}
	return false
}

// put replaces an action; readers that there are keep theirs.
func (h *History) put(s *Step) {
	h.steps = slices.Clone(h.steps)
	h.steps[s.Seq-1] = s
}

// events is how many events an action took.
func (h *History) events(i int) uint64 {
	if i == 0 {
		return h.steps[0].Events
	}
	return h.steps[i].Events - h.steps[i-1].Events
}

// Fade lets go of the worlds of an action that is no longer among the latest. Readers that there are keep theirs.
func (h *History) Fade() {
	if s := h.Fading(); s != nil {
		h.letGo(s)
	}
}

func (h *History) letGo(s *Step) {
	f := *s
	f.Before, f.Applied, f.frames = nil, nil, keyframes{}
	if f.Seq%pinEvery != 0 {
		f.After = nil
	} else {
		// Whoever asks for its notes has the action done again.
		f.After = f.After.Clone()
		f.After.ForgetNotes(f.After.Notes())
	}
	h.put(&f)
	h.thinPins()
}

// thinPins lets go of worlds at the ends of faded actions that are closer together than their age asks for.
func (h *History) thinPins() {
	since := uint64(0)
	for i, s := range h.steps {
		since += h.events(i)
		switch {
		case s.After == nil:
		case s.Before != nil || since > redoMost || s.Seq%(pinEvery<<bits.Len(uint((len(h.steps)-s.Seq)/pinAge))) == 0:
			since = 0
		default:
			f := *s
			f.After = nil
			h.steps[i] = &f
		}
	}
}

// oldestNote is the number of the first note that the present is to keep all from.
func (h *History) oldestNote() uint32 {
	if len(h.steps) <= keepWhole || h.head.Notes() < keepNotes {
		return 0
	}
	return min(h.steps[len(h.steps)-keepWhole].NotesBefore, h.head.Notes()-keepNotes)
}

// Whole is an action with all its worlds, from 1. One that has faded is done again; of one that runs, what there is. If it was
// stopped (Until), they are worlds of the right devices, and nothing is to be concluded from them.
func (h *History) Whole(seq int) *Step {
	s := h.steps[seq-1]
	if s.Before != nil || !s.Done {
		return s
	}
	h.guard.Lock()
	again := h.seen.step(seq)
	h.guard.Unlock()
	if again != nil {
		return again
	}
	again = s.redone(h.endOf(seq-1), h.stop)
	if h.stopped() {
		return again
	}
	h.guard.Lock()
	defer h.guard.Unlock()
	if other := h.seen.step(seq); other != nil {
		return other
	}
	h.seen.steps = append(h.seen.steps, again)
	if len(h.seen.steps) > keepAgain {
		h.seen.steps = h.seen.steps[1:]
	}
	return again
}

// endOf is the world at the end of an action; 0 is before the first.
func (h *History) endOf(seq int) *network.World {
	if seq == 0 {
		return network.New()
	}
	if w := h.steps[seq-1].After; w != nil {
		return w
	}
	return h.Whole(seq).After
}

// redone is a faded action done again, event by event, unless stop says to give up.
func (s *Step) redone(before *network.World, stop func() bool) *Step {
	x := *s
	x.Before = before
	w := before.Clone()
	if err := s.Parsed.Perform(w, s.Lab); err != nil {
		panic("an action that was done cannot be done again: " + err.Error())
	}
	x.Applied = keyframe(w)
	t := triesUntil(w, s.Until)
	for w.Handled() < s.Events && t.runsNext(w) {
		if w.Handled()%4096 == 0 && stop != nil && stop() {
			x.After, x.NotesAfter = w, w.Notes()
			return &x
		}
	}
	w.RunUntil(s.End, 0)
	w.BeginAction()
	x.After = keyframe(w)
	return &x
}
