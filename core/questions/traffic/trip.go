package traffic

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
)

// Leg is the part of a packet's path from one port to the next.
type Leg struct {
	At, Until event.Time // when it leaves and when it arrives, or would have
	From, To  string     // ports
	Lost      string     // why it does not arrive
	Around    bool       // it goes to where it has been before
	Ends      bool       // the device that it arrives at is the last one
}

// Trip is one packet of a flow, from its sender to where it arrives or is lost.
type Trip struct {
	Flow string
	Sent event.Time
	Legs []Leg
	// Of a packet that is lost on a device: where, when and why.
	At    string
	When  event.Time
	Lost  string
	Loops bool // it passes a device twice
}

// Trips follows packets of all flows that are sent in a part of a step's time, those of each flow in order of time: the
// first one that takes another path than the one before it, or is lost where that was not; with all, also one every
// interval of the flow, counted from the beginning of the lab. visit is given each, and says whether to go on with that flow.
func Trips(s *history.Step, last, all bool, from, to event.Time, visit func(t Trip) bool, stop func() bool) {
	f := toward(s, ip.Addr{})
	for _, flow := range s.After.Flows() {
		a, b := s.After.Find(flow.From), s.After.Find(flow.To)
		if a == nil || b == nil || stop != nil && stop() {
			continue
		}
		f.another(ip.AddrFrom(b.Config().Address()))
		for _, at := range sendTimes(f.all(a.ID(), last), event.FromDuration(flow.Every), all, from, to) {
			if !visit(f.trip(flow.Name, a.ID(), at)) {
				break
			}
		}
	}
}

// mostTimes bounds the packets of a flow that are followed at once.
const mostTimes = 10_000

// sendTimes are when packets are sent that are followed, in order.
func sendTimes(parts []part, every event.Time, all bool, from, to event.Time) (out []event.Time) {
	from = max(from, 0) // nothing was sent before the lab began
	for i, p := range parts {
		// What becomes of packets is the same in a part: the first one tells.
		if i > 0 && !p.sameAs(&parts[i-1]) && p.lo >= from && p.lo <= to {
			out = append(out, p.lo)
		}
		if !all || every <= 0 {
			continue
		}
		first := (max(p.lo, from) + every - 1) / every * every
		for at := first; at < p.hi && at <= to && len(out) < mostTimes; at += every {
			if n := len(out); n == 0 || out[n-1] != at {
				out = append(out, at)
			}
		}
	}
	return out
}

// sameAs says whether the same becomes of the packets of two parts.
func (p *part) sameAs(o *part) bool {
	return p.ok == o.ok && p.looped == o.looped && p.cause == o.cause && p.device == o.device && slices.Equal(p.way, o.way)
}

// trip follows one packet, sent at a time that the step decides.
func (f *follower) trip(flow string, from uint32, at event.Time) Trip {
	t := Trip{Flow: flow, Sent: at}
	f.trace, f.parts = &t, nil
	f.follow(node{from, device.Main}, at, at+1, 0, maxTTL)
	f.trace = nil
	t.When = at
	n := len(t.Legs)
	if n > 0 {
		t.Legs[n-1].Ends = true
		t.When = t.Legs[n-1].Until
	}
	if p := f.parts[0]; !p.ok && (n == 0 || t.Legs[n-1].Lost == "") {
		t.At, t.Lost = p.device, p.cause
	}
	return t
}

// leg writes down that the traced packet leaves by a port.
func (f *follower) leg(x *crossing, sent event.Time, seen []node) {
	if !x.joined {
		return // nobody in particular would have got it
	}
	l := Leg{At: sent, Until: sent + x.delay, From: f.name(x.out), To: f.name(x.far)}
	if x.why != note.None {
		l.Lost = facts.Sentence(x.why.Info().Text, l.From, f.dst.String())
	} else {
		l.Around = slices.Contains(seen, node{x.device, x.inst})
		f.trace.Loops = f.trace.Loops || l.Around
	}
	f.trace.Legs = append(f.trace.Legs, l)
}
