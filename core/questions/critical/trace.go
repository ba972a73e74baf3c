package critical

import (
	"slices"
	"sort"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// occurrence is an event that was handled, and the one that it follows from.
type occurrence struct {
	event event.Event
	cause int32 // index of the occurrence it follows from; before for what was on its way when the action began
	notes uint32
}

// before is the cause of what was on its way already when the action began.
const before = int32(-1)

// timer is a timer of an instance, by the event that ends it.
type timer struct {
	device   uint32
	instance uint16
	kind     event.Kind
	a, b     uint32
}

// trace is all events of an action with what they follow from. The first occurrence is the
// action itself.
type trace struct {
	step   *history.Step
	w      *network.World
	list   []occurrence
	queued map[[2]uint64]int32 // by source and counter, what put an event into the queue
	set    map[timer]int32     // what set a timer last, or was the first to wait for it
}

// tracing does an action again, on a copy of the world before it, up to a time. stop, if
// not nil, is asked now and then whether to give up.
func tracing(s *history.Step, until event.Time, stop func() bool) (*trace, error) {
	t := &trace{step: s, w: s.Before.Clone(), queued: map[[2]uint64]int32{}, set: map[timer]int32{}}
	t.w.KeepNotes()
	t.list = []occurrence{{event: event.Event{At: s.Start}, cause: before, notes: t.w.Notes()}}
	t.w.Watch = t
	t.w.Calm().Observe(t)
	if err := s.Parsed.Perform(t.w, s.Lab); err != nil {
		return nil, err
	}
	for n := 1; t.w.RunNext(until); n++ {
		if n%4096 == 0 && stop != nil && stop() {
			return nil, history.ErrStopped
		}
	}
	return t, nil
}

func (t *trace) current() int32 { return int32(len(t.list) - 1) }

// Queued and Handled make a trace a network.Watcher.
func (t *trace) Queued(e event.Event) { t.queued[[2]uint64{uint64(e.Source), e.Seq}] = t.current() }

func (t *trace) Handled(e event.Event) {
	key := [2]uint64{uint64(e.Source), e.Seq}
	cause, known := t.queued[key]
	if !known {
		cause = before
	}
	delete(t.queued, key)
	if e.Kind != device.FrameArrives {
		// A timer that was set anew while its event waited comes from what set it last.
		if by, set := t.set[timer{e.Dest, e.Instance, e.Kind, e.A, e.B}]; set {
			cause = by
		} else if known && device.WaitOf(e.Kind) != note.DecideWait && t.list[cause].event.Kind == e.Kind {
			cause = before // it came too early and was queued again: the action did not set it
		}
	}
	t.list = append(t.list, occurrence{event: e, cause: cause, notes: t.w.Notes()})
}

// TimerSet makes a trace an event.Observer.
func (t *trace) TimerSet(by event.Scheduler, kind event.Kind, a, b uint32) {
	switch x := by.(type) {
	case *device.Instance:
		t.set[timer{x.Device().ID(), x.Number(), kind, a, b}] = t.current()
	case *device.Device:
		t.set[timer{x.ID(), 0, kind, a, b}] = t.current()
	}
}

// notesOf are the notes that an occurrence made, by number.
func (t *trace) notesOf(i int32) (from, to uint32) {
	to = t.w.Notes()
	if int(i)+1 < len(t.list) {
		to = t.list[i+1].notes
	}
	return t.list[i].notes, to
}

// last is the occurrence that made the last note of those that a question is about.
func (t *trace) last(about func(n note.Note) bool) (at int32, n note.Note, ok bool) {
	for k := t.w.Notes(); k > t.list[0].notes; k-- {
		if n := t.w.NoteAt(k - 1); about(n) {
			i := sort.Search(len(t.list), func(i int) bool { return t.list[i].notes > k-1 })
			return int32(i - 1), n, true
		}
	}
	return 0, n, false
}

// chain are the occurrences from the action to one of them, oldest first, the action not
// included. early says that the first of them was on its way before the action.
func (t *trace) chain(to int32) (list []int32, early bool) {
	for i := to; i != 0; i = t.list[i].cause {
		if i == before {
			early = true
			break
		}
		list = append(list, i)
	}
	slices.Reverse(list)
	return list, early
}
