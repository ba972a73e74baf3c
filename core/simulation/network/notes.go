package network

import (
	"math"

	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
)

// MaxNotes bounds the notes of the work of protocols (note.Kind.Bounded) that a
// world keeps of one action; later ones are only counted.
const MaxNotes = 1 << 20

// notes are the notes of a world, numbered from 0 in order of time. Old ones can be let go of: those that last
// (note.Kind.Lasts) stay, with their numbers.
type notes struct {
	recent store.Paged[note.Note]
	base   uint32 // number of the first recent one
	old    store.Paged[numbered]
	made   uint64 // kept or not
	room   int    // bounded ones that the action may still make
	lost   uint64 // those beyond that
}

type numbered struct {
	number uint32
	note   note.Note
}

func (n *notes) clone() notes {
	c := *n
	c.recent, c.old = n.recent.Clone(), n.old.Clone()
	return c
}

// BeginAction makes room for the notes of another action.
func (w *World) BeginAction() { w.notes.room = MaxNotes }

// KeepNotes keeps all notes from now on: for a copy that does a part of the past again, to be looked at.
func (w *World) KeepNotes() { w.notes.room = math.MaxInt }

// Note keeps a note.
func (w *World) Note(n note.Note) {
	x := &w.notes
	x.made++
	if n.Kind.Bounded() {
		if x.room == 0 {
			x.lost++
			return
		}
		x.room--
	}
	x.recent.Append(n)
}

// Notes is one more than the number of the latest note. From FirstNote on all are there that were kept, and NoteAt is one of
// them; of those before, only the ones that last. LostNotes is how many were not kept when they were made.
func (w *World) Notes() uint32             { return w.notes.base + w.notes.recent.Len() }
func (w *World) FirstNote() uint32         { return w.notes.base }
func (w *World) NoteAt(i uint32) note.Note { return w.notes.recent.Get(i - w.notes.base) }
func (w *World) LostNotes() uint64         { return w.notes.lost }

// EachNote visits all notes that there are, with their numbers, the oldest first.
func (w *World) EachNote(visit func(i uint32, n note.Note)) {
	x := &w.notes
	for i := range x.old.Len() {
		visit(x.old.Get(i).number, x.old.Get(i).note)
	}
	for i := range x.recent.Len() {
		visit(x.base+i, x.recent.Get(i))
	}
}

// LatestNote visits all notes that there are, the latest first, until visit says true.
func (w *World) LatestNote(visit func(i uint32, n note.Note) (enough bool)) {
	x := &w.notes
	for i := x.recent.Len(); i > 0; i-- {
		if visit(x.base+i-1, x.recent.Get(i-1)) {
			return
		}
	}
	for i := x.old.Len(); i > 0; i-- {
		if visit(x.old.Get(i-1).number, x.old.Get(i-1).note) {
			return
		}
	}
}

// ForgetNotes lets go of the notes before one but for those that last. What is copied of the world before keeps them.
func (w *World) ForgetNotes(before uint32) {
	x := &w.notes
	if before <= x.base {
		return
	}
	x.recent.DropBefore(before-x.base, func(n note.Note) {
		if n.Kind.Lasts() {
			x.old.Append(numbered{x.base, n})
		}
		x.base++
	})
}

// Follows says whether the world may have become what another one is: the latest note of this one that both have is the same.
func (w *World) Follows(before *World) bool {
	if before.now > w.now || before.Notes() > w.Notes() || before.Notes() == 0 {
		return false
	}
	same := false
	before.LatestNote(func(i uint32, n note.Note) bool {
		other, there := w.numbered(i)
		same = there && other == n
		return there
	})
	return same
}

// numbered is the note of a number, if it is still there.
func (w *World) numbered(i uint32) (n note.Note, ok bool) {
	x := &w.notes
	if i >= x.base {
		return w.NoteAt(i), i < w.Notes()
	}
	low, high := uint32(0), x.old.Len()
	for low < high {
		if at := (low + high) / 2; x.old.Get(at).number < i {
			low = at + 1
		} else {
			high = at
		}
	}
	f := x.old.Get(low)
	return f.note, low < x.old.Len() && f.number == i
}
