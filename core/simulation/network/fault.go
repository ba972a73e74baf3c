package network

import "hellebore/core/language/config"

// Direction is which packets a silence swallows, seen from the named port.
type Direction uint8

// The directions of a silence.
const (
	Both Direction = iota
	Out
	In
)

func (d Direction) String() string { return [...]string{"both ways", "out", "in"}[d] }

// Cut takes the carrier from a port's link, at both ends at once; on a segment,
// from this port alone. It says whether that changed anything.
func (w *World) Cut(dev, port uint32) bool {
	m, i, ok := w.MediumOf(dev, port)
	if !ok || m.Cut || m.Ends[i].Cut {
		return false
	}
	if m.Kind == Link {
		m.Cut = true
	} else {
		m.Ends[i].Cut = true
	}
	w.carriers(m)
	w.calm.Disturb(w.now)
	return true
}

// Silence lets packets vanish while the carrier stays: what is in flight dies
// as well.
func (w *World) Silence(dev, port uint32, dir Direction) bool {
	m, i, ok := w.MediumOf(dev, port)
	if !ok {
		return false
	}
	e := &m.Ends[i]
	changed := false
	if dir != In && !e.SilentOut {
		e.SilentOut, changed = true, true
		e.genOut++
	}
	if dir != Out && !e.SilentIn {
		e.SilentIn, changed = true, true
		e.genIn++
	}
	if changed {
		w.calm.Disturb(w.now)
	}
	return changed
}

// Mend takes all faults off a port's link; on a segment, off this port's end.
func (w *World) Mend(dev, port uint32) bool {
	m, i, ok := w.MediumOf(dev, port)
	if !ok {
		return false
	}
	changed := m.Cut
	m.Cut = false
	for k := range m.Ends {
		if k != i && m.Kind == Segment {
			continue
		}
		e := &m.Ends[k]
		changed = changed || e.Cut || e.SilentIn || e.SilentOut
		e.Cut, e.SilentIn, e.SilentOut = false, false, false
	}
	if changed {
		w.carriers(m)
		w.calm.Disturb(w.now)
	}
	return changed
}

// ForcePort disables or enables a port, whatever its configuration says.
func (w *World) ForcePort(dev, port uint32, o config.Override) {
	w.devices[dev].ForcePort(port, o)
	if m, _, ok := w.MediumOf(dev, port); ok {
		w.carriers(m)
	}
	w.calm.Disturb(w.now)
}

// ForceDevice disables or enables a device, whatever its configuration says.
func (w *World) ForceDevice(dev uint32, o config.Override) {
	w.devices[dev].Force(o)
	for i := range w.media {
		if !w.media[i].Gone {
			w.carriers(&w.media[i])
		}
	}
	w.calm.Disturb(w.now)
}
