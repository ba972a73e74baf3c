package history

import (
	"slices"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/simulation/network"
)

// toGroup has a risk group fail, or ends its faults.
func (a Action) toGroup(w *network.World, lab *config.Lab) error {
	i := slices.IndexFunc(lab.RiskGroups, func(g config.RiskGroup) bool { return g.Name == a.Group })
	if i < 0 {
		return phrase.Errorf("there is no risk group named %q", a.Group)
	}
	g := &lab.RiskGroups[i]
	changed := false
	at := func(device, port uint32) {
		if a.Kind == Fail {
			changed = w.Cut(device, port) || changed
		} else {
			changed = w.Mend(device, port) || changed
		}
	}
	for _, r := range g.Links {
		if d := w.Find(r.Device); d != nil {
			if port, ok := d.Port(r.Port); ok {
				at(d.ID(), port)
			}
		}
	}
	for _, name := range g.Segments {
		if m := w.Segment(name); m != nil {
			for _, e := range m.Ends {
				if !e.Parted {
					at(e.Device, e.Port)
				}
			}
		}
	}
	for _, name := range g.Devices {
		switch d := w.Find(name); {
		case d == nil:
		case a.Kind == Fail && d.Enabled():
			w.ForceDevice(d.ID(), config.ForceDisabled)
			changed = true
		case a.Kind == Mend && d.Override() == config.ForceDisabled:
			w.ForceDevice(d.ID(), config.AsConfigured)
			changed = true
		}
	}
	switch {
	case changed:
		return nil
	case a.Kind == Fail:
		return phrase.Errorf("all of the risk group %q has failed already", a.Group)
	}
	return phrase.Errorf("nothing in the risk group %q has a fault", a.Group)
}
