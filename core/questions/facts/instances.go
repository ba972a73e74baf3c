package facts

import (
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/protocols/route"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// InstanceNamed is the instance that is named: "junction/ferry", or "junction" for main.
func InstanceNamed(w *network.World, name string) (*device.Instance, error) {
	dev, instance, _ := strings.Cut(name, "/")
	d := w.Find(dev)
	if d == nil {
		return nil, phrase.Errorf("there is no device named %s", dev)
	}
	if instance == config.MainInstance {
		instance = ""
	}
	if inst := d.Instance(instance); inst != nil {
		return inst, nil
	}
	known := []string{config.MainInstance}
	for _, inst := range Instances(d)[1:] {
		known = append(known, inst.Name())
	}
	return nil, phrase.Errorf("%s has no instance named %s; it has %s", dev, instance, phrase.List(known))
}

// Instances are the instances of a device that are there, main first, then in the order of
// the text.
func Instances(d *device.Device) []*device.Instance {
	out := []*device.Instance{d.Main()}
	for _, c := range d.Config().Instances {
		if inst := d.Instance(c.Name); inst != nil {
			out = append(out, inst)
		}
	}
	return out
}

// AllInstances are those of all devices that are there.
func AllInstances(w *network.World) []*device.Instance {
	var out []*device.Instance
	for _, d := range w.Devices() {
		if !d.Gone() {
			out = append(out, Instances(d)...)
		}
	}
	return out
}

// SourceWords is where a route of an instance comes from: its source, or the instance in
// which a taken one began.
func SourceWords(inst *device.Instance, s route.Source, prefix uint32) string {
	if s != route.Taken {
		return s.String()
	}
	return inst.OriginName(s, prefix)
}

// TakesFrom are the instances of the same device that take from one.
func TakesFrom(inst *device.Instance) []*device.Instance {
	var out []*device.Instance
	for _, o := range Instances(inst.Device()) {
		if slices.ContainsFunc(o.Config().Takes, func(t config.Take) bool { return t.From == inst.Name() }) {
			out = append(out, o)
		}
	}
	return out
}
