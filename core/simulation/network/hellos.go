package network

import (
	"cmp"
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/ospf"
	"hellebore/core/simulation/device"
)

// Where flooding has no model, hellos alone are passed over: those that neighbours have been hearing and will go on to hear. All
// else is carried out as ever, in the same order.

// idleBatch is how many events are handled at a time while hellos are passed over.
const idleBatch = 500_000

// speaker is a port that says hello.
type speaker struct {
	inst   *device.Instance
	port   uint32
	medium *Medium // nil if it is joined to nothing
	delay  event.Time
	hears  []*speaker // who hears it
	heard  []*speaker // whom it hears
	quiet  bool       // its hellos change nothing but timers, and those that it hears neither
}

type place struct{ device, port uint32 }

func (s *speaker) place() place { return place{s.inst.Device().ID(), s.port} }

// speakers are all ports that say hello, in the order of devices.
func (w *World) speakers(until event.Time) []*speaker {
	var all []*speaker
	at := map[place]*speaker{}
	for _, d := range w.devices {
		if d.Gone() || !d.Enabled() {
			continue
		}
		for n := range d.Instances() {
			inst := &d.Instances()[n]
			for i := range d.Ports() {
				if d.InstanceOf(uint32(i)) != inst || !inst.OSPF().Running() || !inst.OSPF().Talks(uint32(i)) {
					continue
				}
				s := &speaker{inst: inst, port: uint32(i)}
				if m, _, ok := w.MediumOf(d.ID(), s.port); ok {
					s.medium, s.delay = m, m.Delay
				}
				all = append(all, s)
				at[s.place()] = s
			}
		}
	}
	for _, s := range all {
		if s.medium == nil {
			continue
		}
		_, from, _ := w.MediumOf(s.inst.Device().ID(), s.port)
		for _, f := range w.Facing(s.inst.Device().ID(), s.port) {
			if r := at[place{f.Device, f.Port}]; r != nil {
				if ok, _ := s.medium.Passes(from, f.End); ok {
					s.hears, r.heard = append(s.hears, r), append(r.heard, s)
				}
			}
		}
	}
	loud := map[*Medium]bool{}
	for _, s := range all {
		if !s.atRest(w.now, until) && s.medium != nil {
			loud[s.medium] = true
		}
	}
	for _, s := range all {
		s.quiet = !loud[s.medium] && s.atRest(w.now, until)
	}
	return all
}

// atRest says whether the port's neighbours are those that it hears, and nothing is about to change that.
func (s *speaker) atRest(now, until event.Time) bool {
	o := s.inst.OSPF()
	if m := s.medium; m != nil && (m.Gone || m.Loss != 0 || m.Reorder != 0 || m.Duplicate != 0) {
		return false
	}
	if !o.HellosAtRest(s.port, now, until) || 3*event.FromDuration(o.Port(s.port).HelloInterval) > idleLeast {
		return false
	}
	all := true
	known := map[ip.Quad]bool{}
	o.Neighbours(s.port, func(v ospf.NeighbourView) {
		known[v.RouterID] = true
		all = all && (v.State == adjacency.Full || v.State == adjacency.TwoWay)
	})
	for _, r := range s.heard {
		all = all && known[r.inst.OSPF().RouterID()]
	}
	return all && len(known) == len(s.heard)
}

// pass brings the quiet ports to where their hellos are at a time. Those that are on their way then are sent.
func pass(w *World, all []*speaker, end event.Time) {
	type late struct {
		at event.Time
		*speaker
	}
	var sent []late
	for _, s := range all {
		if !s.quiet {
			continue
		}
		o := s.inst.OSPF()
		if s.medium == nil {
			o.SkipHellos(s.inst, s.port, end)
			continue
		}
		if last, any := o.SkipHellos(s.inst, s.port, end-s.delay); any {
			for _, r := range s.hears {
				r.inst.OSPF().Heard(r.port, o.RouterID(), last, last+s.delay)
			}
		}
		if at := o.Port(s.port).NextHello; at <= end {
			sent = append(sent, late{at, s})
		}
	}
	slices.SortFunc(sent, func(a, b late) int {
		return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.inst.Device().ID(), b.inst.Device().ID()), cmp.Compare(a.port, b.port))
	})
	for _, x := range sent {
		for x.at <= end { // a long link has several
			w.now = x.at
			x.inst.OSPF().SayHello(x.inst, x.port)
			x.at = x.inst.OSPF().Port(x.port).NextHello
		}
	}
	w.now = end
}

// passHellos goes through what is left when hellos are passed over, until a time or for a batch of events; more says that there is
// more to pass over.
func (w *World) passHellos(until event.Time) (more bool) {
	end := until - event.Second
	for range 3 {
		if end-w.now < idleLeast {
			return false
		}
		before := w.Clone()
		at, ok := w.withoutHellos(end)
		if ok {
			return w.now > before.now && until-w.now >= idleLeast
		}
		// Something changes then: until shortly before, nothing did.
		*w = *before
		w.JoinDevices()
		end = at - event.Second
	}
	return false
}

// withoutHellos runs to a time, or for a batch of events, without the hellos that change nothing; false, and when, if something
// changed meanwhile: a hello says so then.
func (w *World) withoutHellos(end event.Time) (at event.Time, ok bool) {
	all := w.speakers(end)
	quiet := map[place]bool{}
	hellos := int64(0)
	for _, s := range all {
		if s.quiet {
			quiet[s.place()] = true
			hellos += int64((end - w.now) / event.FromDuration(s.inst.OSPF().Port(s.port).HelloInterval))
		}
	}
	if hellos == 0 || hellos > idleHellos {
		return w.now, true
	}
	w.queue.Filter(func(e *event.Event) bool {
		if e.Kind == device.FrameArrives {
			vlan, hello := device.CarriesHello(e.Frame)
			port, known := w.devices[e.Dest].Tagged(e.A, vlan)
			return !hello || !known || !quiet[place{e.Dest, port}]
		}
		return !ospf.OfHellos(e.Kind) || !quiet[place{e.Dest, e.A}]
	})
	for _, s := range all {
		if s.quiet {
			s.inst.OSPF().SuspendHellos(s.port)
		}
	}
	changed, handled := w.calm.LastChange(), w.handled
	for w.queue.Next() <= end {
		if w.handled-handled == idleBatch {
			end = w.now
			break
		}
		if w.step(); w.calm.LastChange() != changed {
			return w.now, false
		}
	}
	pass(w, all, end)
	for _, s := range all {
		if s.quiet {
			s.inst.OSPF().ResumeHellos(s.inst, s.port)
		}
	}
	return end, true
}
