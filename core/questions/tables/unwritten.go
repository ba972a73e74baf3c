package tables

import (
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/fixes"
	"hellebore/core/simulation/network"
)

// unwritten is what actions did that the text does not say, and that a text could say:
// ports joined and parted, devices, ports and peers disabled and enabled. A fault on a
// link is none of it.
func unwritten(w *network.World) (out []StateWarning) {
	say := func(device, place, text string, edits ...string) {
		out = append(out, StateWarning{Code: "not-in-text", Weight: "notice", Device: device, Place: place, Text: text,
			Hint: phrase.Text("an action did it; write it into the text to keep it"), Prefixes: []string{}, Fixes: fixes.Edit(edits...)})
	}
	disabled := func(device, place string, is, says bool) {
		switch {
		case is && !says:
			say(device, place, phrase.Say("%s is disabled, and the text does not say so", place), place+" disabled")
		case says && !is:
			say(device, place, phrase.Say("%s is enabled, and the text says that it is disabled", place), "remove "+place+" disabled")
		}
	}
	for _, m := range w.Moves() {
		d := w.Device(m.Device)
		if d.Gone() {
			continue
		}
		port := facts.PortName(d, m.Port)
		var edits []string
		if m.Joined {
			edits = append(edits, "part "+port)
		}
		if m.To == "" {
			say(d.Name(), port, phrase.Say("%s is joined to nothing, and the text joins it", port), edits...)
			continue
		}
		say(d.Name(), port, phrase.Say("%s is on the segment %s, and the text does not say so", port, m.To),
			append(edits, "join "+port+" "+m.To)...)
	}
	for _, d := range w.Devices() {
		if d.Gone() {
			continue
		}
		says := d.Config().Disabled
		disabled(d.Name(), d.Name(), d.Override().Disabled(says), says)
		for i := range d.Ports() {
			if p := &d.Ports()[i]; !p.Gone {
				disabled(d.Name(), facts.PortName(d, uint32(i)), p.Override.Disabled(p.Config.Disabled), p.Config.Disabled)
			}
		}
		for _, inst := range facts.Instances(d) {
			if inst.BGP().Running() {
				inst.BGP().Peers(func(v bgp.PeerView) {
					disabled(d.Name(), inst.Ref()+"/"+v.Address.String(), v.Disabled, v.Config.Disabled)
				})
			}
		}
	}
	return out
}
