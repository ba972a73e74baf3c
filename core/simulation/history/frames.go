package history

import (
	"hellebore/core/ground/event"
	"hellebore/core/simulation/network"
)

// Frame is an Ethernet frame as a port put it on what it is joined to.
type Frame struct {
	At           event.Time
	Device, Port uint32
	Bytes        []byte // immutable
}

// Frames shows every frame that was sent from one virtual time to another, both included,
// as Again does.
func (h *History) Frames(from, to event.Time, see func(Frame), stop func() bool) error {
	return h.Again(from, to, func(w *network.World) {
		w.OnFrame = func(at event.Time, device, port uint32, frame []byte) {
			if at >= from && at <= to {
				see(Frame{at, device, port, frame})
			}
		}
	}, stop)
}

// Again runs the lab's past again, from one virtual time to another, both included. begin is
// given each world that runs, one for each action, to watch it; it may begin earlier. What runs
// is a copy: history itself does not notice. stop, if not nil, is asked now and then whether
// to give up, with ErrStopped.
func (h *History) Again(from, to event.Time, begin func(w *network.World), stop func() bool) error {
	for _, s := range h.steps {
		if !s.Done || s.End < from || s.Start > to {
			continue
		}
		if stop != nil && stop() {
			return ErrStopped
		}
		s = h.Whole(s.Seq)
		w := s.Before.Clone()
		if from > s.Start {
			w = h.seek(Moment{s.Seq, from - 1}).Clone()
		}
		w.KeepNotes()
		begin(w)
		if from <= s.Start {
			if err := s.Parsed.Perform(w, s.Lab); err != nil {
				return err
			}
		}
		for !w.RunUntil(min(to, s.End), frameWork) {
			if stop != nil && stop() {
				return ErrStopped
			}
		}
	}
	return nil
}
