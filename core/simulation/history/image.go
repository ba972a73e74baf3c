package history

import (
	"hellebore/core/ground/image"
	"hellebore/core/ground/phrase"
	"hellebore/core/simulation/network"
)

// ImageRules are the rules for images of histories. A history that was made again of an image must be Resumed.
func ImageRules() []image.Rule { return network.ImageRules() }

// Resume makes a history of an image ready to go on, if it is what a journal begins with: the same actions, and each came to what
// the journal says. The head is held against its digest.
func (h *History) Resume(records []Record) error {
	if len(h.steps) == 0 || len(h.steps) > len(records) {
		return phrase.Errorf("the image has %d actions, the journal %d", len(h.steps), len(records))
	}
	for i, s := range h.steps {
		r := &records[i]
		came := r.Engine != Engine || s.Digest == r.Digest && s.Events == r.Events // another engine may have come to something else
		if s.Action != r.Action || s.Text != r.Text || s.ID != r.ID || !r.Done || !came {
			return phrase.Errorf("action %d is not that of the journal", r.Seq)
		}
		s.Signature = r.Signature
	}
	for w := range h.worlds() {
		w.JoinDevices()
	}
	if last := h.steps[len(h.steps)-1]; h.head.Digest(true) != last.Digest || h.head != last.After {
		return phrase.Errorf("the image does not come to the digest of action %d", last.Seq)
	}
	h.seen, h.guard = &seen{}, Alone{}
	return nil
}

// worlds are all worlds that the history holds; some are visited more than once.
func (h *History) worlds() func(func(*network.World) bool) {
	return func(visit func(*network.World) bool) {
		see := func(w *network.World) bool { return w == nil || visit(w) }
		for _, s := range h.steps {
			if !see(s.Before) || !see(s.Applied) || !see(s.After) {
				return
			}
			for _, w := range s.frames.worlds {
				if !see(w) {
					return
				}
			}
		}
		see(h.head)
	}
}
