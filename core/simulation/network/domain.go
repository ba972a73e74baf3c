package network

import (
	"hellebore/core/ground/ip"
	"hellebore/core/simulation/device"
)

// Instances may use the same addresses where nothing joins them. Who has an address
// depends then on who asks: it is looked for among what links and segments lead to.

// holders is who has which address, as the text says: those of an address in the order of devices and instances. It is
// replaced, never written, so clones share it.
type holders struct {
	of      map[ip.Addr][]holder
	several bool // some device has another instance than main
}

type holder struct {
	device   uint32
	instance int
}

// findHolders is made anew with each text: nothing else moves an address.
func (w *World) findHolders() *holders {
	h := &holders{of: map[ip.Addr][]holder{}}
	for i, d := range w.devices {
		if d.Gone() {
			continue
		}
		h.several = h.several || len(d.Instances()) > 1
		for n := range d.Instances() {
			for a := range d.Instances()[n].Addresses() {
				h.of[a] = append(h.of[a], holder{uint32(i), n})
			}
		}
	}
	return h
}

// SeveralInstances says whether any device has another instance than main.
func (w *World) SeveralInstances() bool { return w.holders != nil && w.holders.several }

// Around visits the instances that links, segments and takes lead to from one, itself
// first and the nearest next, until visit says stop. Whether a link is up does not matter.
func (w *World) Around(from *device.Instance, visit func(inst *device.Instance) (stop bool)) {
	w.around(from, true, visit)
}

// Joined visits the instances that links and segments lead to from one, itself first.
func (w *World) Joined(from *device.Instance, visit func(inst *device.Instance)) {
	w.around(from, false, func(inst *device.Instance) bool { visit(inst); return false })
}

func (w *World) around(from *device.Instance, takes bool, visit func(inst *device.Instance) (stop bool)) {
	seen := map[*device.Instance]bool{from: true}
	queue := []*device.Instance{from}
	add := func(next *device.Instance) {
		if !seen[next] {
			seen[next] = true
			queue = append(queue, next)
		}
	}
	for len(queue) > 0 {
		inst := queue[0]
		queue = queue[1:]
		if visit(inst) {
			return
		}
		d := inst.Device()
		for i := range d.Ports() {
			if p := &d.Ports()[i]; p.Gone || d.InstanceOf(uint32(i)) != inst {
				continue
			}
			for _, e := range w.Facing(d.ID(), uint32(i)) {
				if far := w.devices[e.Device]; !far.Gone() {
					add(far.InstanceOf(e.Port))
				}
			}
		}
		for i := range d.Instances() {
			if o := &d.Instances()[i]; takes && (o.TakesFrom(inst) || inst.TakesFrom(o)) {
				add(o)
			}
		}
	}
}

// Holder is the instance that has an address, up or not, as seen from another one; nil if
// none has. Where no device has several instances, every address is everybody's, and so
// it is for whoever asks from nowhere.
func (w *World) Holder(from *device.Instance, a ip.Addr) *device.Instance {
	if w.holders == nil || len(w.holders.of[a]) == 0 {
		return nil
	}
	if from == nil || !w.holders.several {
		h := w.holders.of[a][0]
		return &w.devices[h.device].Instances()[h.instance]
	}
	return w.nearest(from, func(inst *device.Instance) bool { return inst.Owns(a) })
}

// nearest is the first instance around one of which something holds; nil if none is.
func (w *World) nearest(from *device.Instance, has func(*device.Instance) bool) (found *device.Instance) {
	w.Around(from, func(inst *device.Instance) bool {
		if has(inst) {
			found = inst
		}
		return found != nil
	})
	return found
}
