package sweep

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/failure"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Some failures need not be tried: what they do follows from what the network is like, since nothing depends on what fails. The
// premises are stronger than they need to be: what they do not cover is tried.

// findSame has failures name the one before them in a list that does the same: a risk group of one link is that link. Those that fail at
// the same places, in whatever order, are compared by the state in which they leave the network, from which all else follows.
func (s *Sweep) findSame(list []failure.Failure) {
	at := map[string][]int{}
	for i := range list {
		if f := &list[i]; len(f.Drain) == 0 && len(f.Places) > 0 {
			places := strings.Join(slices.Compact(slices.Sorted(slices.Values(f.Places))), " ")
			at[places] = append(at[places], i)
		}
	}
	for _, same := range at {
		if len(same) == 1 || !slices.ContainsFunc(same, func(i int) bool { return list[i].Kind == failure.Group }) {
			continue // the other kinds differ
		}
		first := map[uint64]string{}
		for _, i := range same {
			digest, ok := s.digestWith(&list[i])
			if name, known := first[digest]; ok && known {
				list[i].Same = name
			} else if ok {
				first[digest] = list[i].Name
			}
		}
	}
}

// digestWith is the state of the network at the moment of a failure.
func (s *Sweep) digestWith(f *failure.Failure) (digest uint64, ok bool) {
	w := s.base.Clone()
	for _, typed := range f.Actions {
		a, err := history.ParseAction(typed)
		if err != nil || a.Perform(w, s.lab) != nil {
			return 0, false
		}
	}
	return w.Digest(true), true
}

// once is what failure i of a list does. One that does the same as an earlier one is not tried again.
func (s *Sweep) once(list []failure.Failure, i int, stop func() bool) (Impact, error) {
	f := list[i]
	name := cmp.Or(f.Same, f.Name)
	k := slices.IndexFunc(list, func(o failure.Failure) bool { return o.Name == name })
	again := f.Same != "" || slices.ContainsFunc(list[i:], func(o failure.Failure) bool { return o.Same == name })
	if !again || k < 0 {
		return s.Try(f, stop)
	}
	r, known := s.done[name]
	if !known {
		var err error
		if r, err = s.Try(list[k], stop); err != nil {
			return r, err
		}
		if stop == nil || !stop() {
			s.done[name] = r
		}
	}
	r = r.clone()
	if r.Failure = f; f.Same != "" {
		r.work = 0
		r.Argued = phrase.Say("the network is in the same state as after %q", f.Same)
	}
	return r, nil
}

// argue is what a failure does, if that follows from the network; Argued says what from.
func (s *Sweep) argue(f *failure.Failure, stop func() bool) (Impact, bool) {
	if len(f.Drain) > 0 {
		return Impact{}, false
	}
	r := Impact{}
	switch f.Kind {
	case failure.Link, failure.Silence, failure.Port, failure.Segment, failure.OneWay:
		if !s.idle(f, &r) {
			return r, false
		}
		r.Argued = phrase.Text("nothing is forwarded over it, and no OSPF neighbour, session or LSA depends on it")
	case failure.Session:
		if !s.empty(f) {
			return r, false
		}
		r.Parts.Noticed = new(float64)
		r.Argued = phrase.Text("the session carries no prefix in either direction")
	default:
		return r, false
	}
	calm := s.whenNothingFails(stop)
	calm.Failure, calm.Argued, calm.Parts, calm.Convergence, calm.Routes = *f, r.Argued, r.Parts, r.Convergence, r.Routes
	return calm, true
}

// whenNothingFails is the result of a failure of nothing.
func (s *Sweep) whenNothingFails(stop func() bool) Impact {
	if s.calm == nil {
		w, now := s.base, s.base.Now()
		step := &history.Step{Lab: s.lab, Before: w, Applied: w, After: w, NotesBefore: w.Notes(), NotesApplied: w.Notes(), NotesAfter: w.Notes()}
		step.Start, step.Settled, step.End, step.Done, step.Outcome, step.Engine = now, now, now, true, network.Settled, history.Engine
		r := s.judge(failure.Failure{}, []*history.Step{step}, stop)
		if stop != nil && stop() {
			return r
		}
		s.calm = &r
	}
	return s.calm.clone()
}

// clone is a copy that shares nothing that anybody writes to.
func (r *Impact) clone() Impact {
	c := *r
	c.Flows, c.Checks, c.CutOff, c.DefaultOnly = slices.Clone(r.Flows), slices.Clone(r.Checks), slices.Clone(r.CutOff), slices.Clone(r.DefaultOnly)
	c.Overloaded, c.Pairs.Examples, c.Borders.Says = slices.Clone(r.Overloaded), slices.Clone(r.Pairs.Examples), slices.Clone(r.Borders.Says)
	return c
}

// idle says whether nothing depends on the ports of a failure; what happens to the ports themselves is put into r.
func (s *Sweep) idle(f *failure.Failure, r *Impact) bool {
	for _, typed := range f.Actions {
		a, err := history.ParseAction(typed)
		if err != nil || a.Kind != history.Cut && a.Kind != history.Silence {
			return false
		}
		d := s.base.Find(a.Target.Device)
		if d == nil {
			return false
		}
		port, ok := d.Port(a.Target.Port)
		if !ok {
			return false
		}
		m, end, ok := s.base.MediumOf(d.ID(), port)
		if !ok {
			return false
		}
		for k, e := range m.Ends {
			cut := a.Kind == history.Cut && (m.Kind == network.Link || k == end) // the other ports of a segment keep carrier
			if !s.idlePort(s.base.Device(e.Device), e.Port, cut, r) {
				return false
			}
		}
	}
	return true
}

// idlePort says so of a port, which may lose carrier, and of its sub-ports.
func (s *Sweep) idlePort(d *device.Device, port uint32, cut bool, r *Impact) bool {
	for i := range d.Ports() {
		p := &d.Ports()[i]
		if d.Carries(uint32(i)) != port || p.Gone {
			continue
		}
		if p.Config.OSPF.On || s.forwardsBy(d)[i] {
			return false
		}
		up, _ := d.Up(uint32(i))
		if up && cut {
			r.Parts.Noticed = new(float64)
		}
		if !p.Config.Address.IsValid() {
			continue
		}
		on := p.Config.Address.Masked()
		if s.wanted(on) || d.InstanceOf(uint32(i)).Config().BGP.AS != 0 && speaksBy(d.InstanceOf(uint32(i)), p, on) {
			return false
		}
		if cut && up {
			if !onlyConnected(d, uint32(i)) {
				return false
			}
			r.Routes++
			r.Convergence, r.Parts.Forwarding = new(float64), new(float64)
		}
	}
	return true
}

// forwardsBy says of each port of a device whether a route of any of its instances, used or not, leaves by it, but for the network on it.
func (s *Sweep) forwardsBy(d *device.Device) []bool {
	if by, known := s.by[d.ID()]; known {
		return by
	}
	by := make([]bool, len(d.Ports()))
	for k := range d.Instances() {
		t := d.Instances()[k].Table()
		for id := range t.Len() {
			for source := range route.Sources {
				if x := t.Route(source, id); x.Present && source != route.Connected {
					for _, h := range s.base.Shared().Sets.Hops(t.Set(x.Hop)) {
						if int(h.Port) < len(by) {
							by[h.Port] = true
						}
					}
				}
			}
		}
	}
	s.by[d.ID()] = by
	return by
}

// wanted says whether a flow, a pair or a check may send packets to a network, or ask about it.
func (s *Sweep) wanted(on netip.Prefix) bool {
	for _, d := range s.base.Devices() {
		if a := d.Config().Address(); !d.Gone() && a.IsValid() && on.Contains(a) {
			return true
		}
	}
	return slices.ContainsFunc(s.lab.Checks, func(c config.Check) bool {
		return slices.ContainsFunc(c.Expect, func(e config.Expect) bool { return e.Prefix.IsValid() && e.Prefix.Overlaps(on) })
	})
}

// speaksBy says whether a session, up or not, has an end at a port or at its network.
func speaksBy(inst *device.Instance, p *device.Port, on netip.Prefix) (found bool) {
	inst.BGP().Peers(func(v bgp.PeerView) {
		found = found || on.Contains(v.Config.Address) || v.Config.Local == p.Config.Name
	})
	return found
}

// onlyConnected says whether the route to the network on a port is used there and by nobody else: no other port or source has one, and
// no protocol or instance takes it. A router with BGP may decide by it how to reach a next hop, so of those nothing is said.
func onlyConnected(d *device.Device, port uint32) bool {
	inst, p := d.InstanceOf(port), &d.Ports()[port]
	c := inst.Config()
	if len(d.Instances()) > 1 || c.BGP.AS != 0 ||
		slices.ContainsFunc(c.OSPF.Injects, func(i config.Inject) bool { return i.Source == route.Connected.String() }) {
		return false
	}
	on := p.Config.Address.Masked()
	for i := range d.Ports() {
		if o := &d.Ports()[i]; uint32(i) != port && !o.Gone && o.Config.Address.IsValid() && o.Config.Address.Overlaps(on) {
			return false
		}
	}
	id, known := inst.Shared().Prefixes.Find(ip.PrefixFrom(on))
	if !known {
		return false
	}
	for source := range route.Sources {
		if inst.Table().Route(source, id).Present != (source == route.Connected) {
			return false
		}
	}
	best, ok := inst.Table().Best(id)
	return ok && best == route.Connected
}

// empty says whether a session carries nothing, and no check asks about sessions. One of its ends knows: what it sent, the other received.
func (s *Sweep) empty(f *failure.Failure) bool {
	for _, c := range s.lab.Checks {
		if slices.ContainsFunc(c.Expect, func(e config.Expect) bool {
			return e.Kind == config.ExpectNeighbour || e.Kind == config.ExpectSent
		}) {
			return false
		}
	}
	if len(f.Actions) != 1 {
		return false
	}
	a, err := history.ParseAction(f.Actions[0])
	if err != nil || a.Kind != history.Disable || a.Peer == "" {
		return false
	}
	one, err := facts.InstanceNamed(s.base, config.InstanceRef(a.Target.Device, a.Instance))
	if err != nil {
		return false
	}
	nothing := false
	one.BGP().Peers(func(v bgp.PeerView) {
		nothing = nothing || v.Address.String() == a.Peer && v.State == bgp.Established && v.Received == 0 && v.Sent == 0 && v.Waiting == 0
	})
	return nothing
}
