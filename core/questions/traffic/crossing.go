package traffic

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/network"
)

// crossing is who gets a packet that leaves by a port, or why nobody does.
type crossing struct {
	device   uint32
	in       uint32 // by which of its ports
	inst     uint16 // that the port is in
	delay    event.Time
	joint    store.Ref // the medium
	from, to int       // its ends
	out, far plug      // the ports that it leaves by, and that it gets to or would
	joined   bool      // there is one that it would get to: not so on a segment on which nobody gets it
	why      note.Code
}

// plug is a port of a device, by their numbers.
type plug struct{ device, port uint32 }

// name is what a port is called.
func (f *follower) name(p plug) string {
	return facts.PortName(f.step.After.Device(p.device), p.port)
}

// cross finds where packets get that leave by a port for an address.
func cross(w *network.World, dev, port uint32, to ip.Addr) crossing {
	x := crossing{out: plug{dev, port}}
	if int(dev) >= len(w.Devices()) || int(port) >= len(w.Device(dev).Ports()) {
		x.why = note.NotJoined
		return x
	}
	d := w.Device(dev)
	m, from, ok := w.MediumOf(dev, port)
	if !ok {
		x.why = note.NotJoined
		return x
	}
	x.from = from
	if m.Kind != network.Segment && len(m.Ends) == 2 {
		far := m.Ends[1-from]
		x.far, x.joined = plug{far.Device, far.Port}, true
	}
	x.delay, x.joint = m.Delay, d.Ports()[d.Carries(port)].Joint
	if up, why := d.Up(port); !up {
		x.why = why
		return x
	}
	next, in, why := across(w, d, port, to)
	if why != note.None {
		x.why = why
		return x
	}
	x.far, x.joined = plug{next.ID(), in}, true
	x.device, x.in, x.inst = next.ID(), in, next.InstanceOf(in).Number()
	_, x.to, _ = w.MediumOf(x.device, in)
	return x
}

// passes are where packets get that leave a device by a port for an address, before the action and after it; alike says that the action
// makes no difference there, not even to packets in flight.
type passes struct {
	port          uint32
	to            ip.Addr
	before, after crossing
	alike         bool
}

// passes are where packets get over a hop of a device.
func (f *follower) passes(dev uint32, way route.Hop) *passes {
	to := way.Gateway
	if !to.IsValid() {
		to = f.dst
	}
	for _, x := range f.over[dev] {
		if x.port == way.Port && x.to == to {
			return x
		}
	}
	x := &passes{port: way.Port, to: to}
	if f.ground == nil || int(dev) >= len(f.step.Before.Devices()) {
		x.before, x.after = cross(f.step.Before, dev, way.Port, to), cross(f.step.Applied, dev, way.Port, to)
	} else if x.before = f.ground.crossing(dev, way.Port, to); f.leaves(&x.before) {
		x.after = x.before
	} else {
		x.after = cross(f.step.Applied, dev, way.Port, to)
	}
	x.alike = x.before == x.after && (x.before.why != note.None || f.caught(&x.before, &x.after) == note.None)
	f.over[dev] = append(f.over[dev], x)
	return x
}

// leaves says whether the action leaves a crossing alone: a link between devices that stay as they were.
func (f *follower) leaves(x *crossing) bool {
	if x.why != note.None || !f.same.has(x.out.device) || !f.same.has(x.device) {
		return false
	}
	was, is := &f.step.Before.Media()[x.joint.Index()], &f.step.Applied.Media()[x.joint.Index()]
	return was.Kind == network.Link && sameMedium(was, is)
}

// caught is why packets that the action meets in flight are lost; None if they
// arrive all the same.
func (f *follower) caught(before, after *crossing) note.Code {
	was, is := &f.step.Before.Media()[before.joint.Index()], &f.step.Applied.Media()[before.joint.Index()]
	if is.Gone || before.to >= len(is.Ends) || was.Flight(before.from, before.to) != is.Flight(before.from, before.to) {
		if after.why == note.None {
			return note.NotJoined
		}
		return after.why
	}
	_, why := f.step.Applied.Device(before.device).Up(before.in)
	return why
}
