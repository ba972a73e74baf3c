package traffic

import (
	"fmt"

	"hellebore/core/ground/event"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/protocols/tcp"
	"hellebore/core/protocols/wire/inet"
	wire "hellebore/core/protocols/wire/tcp"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
)

// connect opens a TCP connection to a port, sees who answers, and closes it.
func (p *prober) connect(seq int, port uint16, timeout event.Time) Reply {
	w := p.w
	start := w.Now()
	r := Reply{Seq: seq, TTL: maxTTL, SentAt: start.Seconds(), Steps: []ProbeStep{}}
	var last device.Fate
	var local uint16
	w.Tracer = func(s device.Fate) {
		if s.Protocol != inet.ProtoTCP || s.ID != port && s.Seq != port {
			return
		}
		if mine := s.Src == p.src && s.Dst == p.dst; !mine && (s.Src != p.dst || s.Dst != p.src) {
			return
		}
		last = s
		r.Steps = append(r.Steps, p.words(s, start))
		if s.Action == device.Dropped {
			r.Reason = p.dropWords(s)
		}
	}
	id := p.inst.Connect(p.src, p.dst, port)
	local = p.inst.TCP().View(id).LocalPort
	over := func() bool {
		v := p.inst.TCP().View(id)
		return v.LocalPort != local || v.State == tcp.Established || v.State == tcp.StateClosed
	}
	for !over() && w.Now() < start+timeout {
		if !w.RunNext(start + timeout) {
			break
		}
	}
	w.Tracer = nil
	v := p.inst.TCP().View(id)
	name := p.dst.String()
	if o := w.Holder(p.inst, p.dst); o != nil {
		name = o.Device().Name()
	}
	rtt := (w.Now() - start).Seconds()
	switch {
	case v.State == tcp.Established:
		r.OK, r.RTT, r.By, r.Device, r.Reason = true, &rtt, p.dst.String(), name, ""
		r.Answer = phrase.Say("%s takes the connection on port %d%s", name, port, serviceWords(p, port))
		p.inst.Disconnect(id)
	case v.State == tcp.StateClosed && v.Why == tcp.Refused:
		r.RTT, r.By, r.Device = &rtt, p.dst.String(), name
		r.Answer = "refused"
		r.Reason = phrase.Say("%s answers, and nobody listens on its port %d", name, port)
	default:
		if r.Reason == "" {
			r.Reason = p.lostWords(last)
		}
		p.inst.Disconnect(id)
	}
	return r
}

// serviceWords is the name of the service on a port, in brackets, if it has one.
func serviceWords(p *prober, port uint16) string {
	if o := p.w.Holder(p.inst, p.dst); o != nil {
		for _, s := range o.Device().Config().Services {
			if s.Port == port && s.Name != "" {
				return " (" + s.Name + ")"
			}
		}
	}
	return ""
}

// packetWords names the packet of a step.
func packetWords(s device.Fate) string {
	if s.Protocol == inet.ProtoTCP {
		g := wire.Segment{Flags: s.Type}
		return "TCP " + g.Words()
	}
	return facts.ICMPWords(s.Type, s.Code)
}

// Services are the names of a host's services, for the map: "443 tickets".
func Services(d *device.Device) []string {
	out := []string{}
	if d.Kind() == config.Host {
		for _, s := range d.Config().Services {
			word := fmt.Sprint(s.Port)
			if s.Name != "" {
				word += " " + s.Name
			}
			out = append(out, word)
		}
	}
	return out
}
