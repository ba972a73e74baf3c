package network

import (
	"hellebore/core/ground/image"
	"hellebore/core/language/config"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/policy"
)

// ImageRules are the rules for images of worlds. A world that was made again of an image must JoinDevices before it is used.
func ImageRules() []image.Rule {
	return append(ospf.Landmarks(), image.As(
		func(b *policy.Book) config.Policies { return *b.Source() },
		func(p config.Policies) policy.Book { return *policy.Compile(p) }))
}

// JoinDevices has the devices of a world that was made again of an image act in it.
func (w *World) JoinDevices() {
	for _, d := range w.devices {
		d.JoinWorld(w)
	}
}
