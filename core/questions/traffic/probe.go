package traffic

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// ProbeRequest is what to send, and how.
type ProbeRequest struct {
	From   string // the device that sends, or an instance of it: junction/ferry
	Source string // one of its addresses; "": the port's by which the packets leave
	To     string // an address, or the name of a device
	Count  int    // echo requests to send, one an interval; at least one is sent
	Every  string // the interval; "": 1s
	Trace  bool   // send one request a TTL instead, from 1 up, until the destination answers
	Port   uint16 // open TCP connections to this port instead; 0: do not
}

// Reply is one echo request and what came of it.
type Reply struct {
	Seq    int         `json:"seq"`
	TTL    int         `json:"ttl"`
	SentAt float64     `json:"sentAt" doc:"seconds since the lab began"`
	OK     bool        `json:"ok" doc:"an echo reply came back, or the connection was taken"`
	RTT    *float64    `json:"rtt,omitempty" doc:"seconds from request to answer"`
	By     string      `json:"by,omitempty" doc:"address that answered"`
	Device string      `json:"device,omitempty" doc:"the device that has it"`
	AS     uint32      `json:"as,omitempty" doc:"the AS that it is in"`
	Answer string      `json:"answer,omitempty" doc:"what the answer says"`
	Reason string      `json:"reason,omitempty" doc:"where and why it stopped, if it failed"`
	Steps  []ProbeStep `json:"steps" doc:"what each device did, there and back"`
}

// ProbeStep is what one device did with a packet of a probe.
type ProbeStep struct {
	At      float64 `json:"at" doc:"seconds since the request was sent"`
	Device  string  `json:"device"`
	In      string  `json:"in,omitempty" doc:"the routing instance, beside main"`
	AS      uint32  `json:"as,omitempty" doc:"the AS that the device is in"`
	Packet  string  `json:"packet" doc:"echo request, echo reply, the ICMP error, or the flags of a TCP segment"`
	Did     string  `json:"did" doc:"a sentence"`
	Dropped bool    `json:"dropped,omitempty"`
}

// ProbeResult is what a probe came to.
type ProbeResult struct {
	From     string  `json:"from"`
	Source   string  `json:"source"`
	To       string  `json:"to"`
	Address  string  `json:"address"`
	Sent     int     `json:"sent"`
	Answered int     `json:"answered"`
	Summary  string  `json:"summary"`
	Replies  []Reply `json:"replies"`
}

// probeTimeout is how long an answer may take. ARP gives up after three
// seconds, so its verdict is still seen.
const probeTimeout = 5 * event.Second

// addressOf reads an address, or takes the address of a device.
func addressOf(w *network.World, to string) (ip.Addr, error) {
	if d := w.Find(to); d != nil {
		if a := ip.AddrFrom(d.Config().Address()); a.IsValid() {
			return a, nil
		}
		return ip.Addr{}, phrase.Errorf("%s has no address", to)
	}
	a, err := netip.ParseAddr(to)
	if err != nil || !a.Is4() {
		return ip.Addr{}, phrase.Errorf("%q is neither an IPv4 address nor the name of a device", to)
	}
	return ip.AddrFrom(a), nil
}

// Probe sends ICMP echo requests through the simulation. w is a copy of the
// world to try it on: it is run on from its moment. each, if not nil, is shown
// each reply as it comes, and ends the probe by saying false.
func Probe(w *network.World, r ProbeRequest, each func(Reply) bool) (ProbeResult, error) {
	inst, err := facts.InstanceNamed(w, r.From)
	if err != nil {
		return ProbeResult{}, err
	}
	dst, err := addressOf(w, r.To)
	if err != nil {
		return ProbeResult{}, err
	}
	if r.Port != 0 && inst.Local(dst) {
		return ProbeResult{}, phrase.Errorf("%v is an address of %s itself: it needs no network for that", dst, r.From)
	}
	src := inst.SourceFor(dst)
	if r.Source != "" {
		a, err := netip.ParseAddr(r.Source)
		src = ip.AddrFrom(a)
		if err != nil || !inst.Owns(src) {
			return ProbeResult{}, phrase.Errorf("%s is not an address of %s", r.Source, r.From)
		}
	}
	every := event.Second
	if r.Every != "" {
		t, err := parseInterval(r.Every)
		if err != nil {
			return ProbeResult{}, err
		}
		every = t
	}
	if each == nil {
		each = func(Reply) bool { return true }
	}
	p := &prober{w: w, inst: inst, src: src, dst: dst, ases: facts.ASes(w)}
	out := ProbeResult{From: r.From, Source: src.String(), To: r.To, Address: dst.String(), Replies: []Reply{}}
	if r.Trace {
		for ttl := 1; ttl <= 30; ttl++ {
			reply := p.send(ttl, ttl, probeTimeout)
			out.Replies = append(out.Replies, reply)
			out.Sent++
			if !each(reply) {
				break
			}
			if reply.OK {
				out.Answered++
				break
			}
			// Nobody behind answers either, once a packet ended for another
			// reason than its TTL.
			if reply.Device == "" || reply.Answer != facts.TimeExceeded {
				break
			}
			out.Answered++
		}
	} else {
		for seq := 1; seq <= max(1, r.Count); seq++ {
			start := w.Now()
			var reply Reply
			if r.Port != 0 {
				reply = p.connect(seq, r.Port, probeTimeout)
			} else {
				reply = p.send(seq, maxTTL, probeTimeout)
			}
			out.Replies = append(out.Replies, reply)
			out.Sent++
			if reply.OK {
				out.Answered++
			}
			if !each(reply) {
				break
			}
			w.RunUntil(max(w.Now(), start+every), ^uint64(0))
		}
	}
	out.Summary = summary(&out, r.Trace)
	return out, nil
}

func summary(p *ProbeResult, trace bool) string {
	last := p.Replies[len(p.Replies)-1]
	switch {
	case trace && last.OK:
		return phrase.Say("%s is %d hops away", p.To, len(p.Replies))
	case trace && last.Answer == facts.TimeExceeded:
		return phrase.Say("stopped after %s", phrase.Plural(len(p.Replies), "hop"))
	case trace:
		return phrase.Say("the trace ends: %s", last.Reason)
	case p.Answered == p.Sent:
		return phrase.Say("all %d answered", p.Sent)
	case p.Answered == 0:
		return phrase.Say("none of %d answered: %s", p.Sent, last.Reason)
	}
	for _, r := range p.Replies {
		if !r.OK {
			last = r
		}
	}
	return phrase.Say("%d of %d answered; %s", p.Answered, p.Sent, last.Reason)
}

func parseInterval(s string) (event.Time, error) {
	var n float64
	var unit string
	if _, err := fmt.Sscanf(s, "%g%s", &n, &unit); err != nil || n <= 0 || !slices.Contains([]string{"s", "ms"}, unit) {
		return 0, phrase.Errorf("%q is not an interval; write for example 1s or 200ms", s)
	}
	t := event.Time(n * float64(event.Second))
	if unit == "ms" {
		t /= 1000
	}
	if t < event.Millisecond || t > 60*event.Second {
		return 0, phrase.Errorf("the interval %s is out of range: from 1ms to 60s", s)
	}
	return t, nil
}

// probeID is the identifier of the echo requests. It is the one that flows are
// walked with, so that a probe takes the same of several equal paths.
const probeID = 0

type prober struct {
	w        *network.World
	inst     *device.Instance
	src, dst ip.Addr
	ases     map[*device.Device]uint32
}

// send sends one request and runs until its answer is there, its packet is
// dropped for good, or the time is up.
func (p *prober) send(seq, ttl int, timeout event.Time) Reply {
	w := p.w
	start := w.Now()
	r := Reply{Seq: seq, TTL: ttl, SentAt: start.Seconds(), Steps: []ProbeStep{}}
	var last device.Fate
	finished := false
	w.Tracer = func(s device.Fate) {
		if s.Protocol != inet.ProtoICMP || s.ID != probeID || s.Seq != uint16(seq) || s.At < start {
			return
		}
		mine := s.Src == p.src && s.Dst == p.dst
		back := s.Dst == p.src
		if !mine && !back {
			return
		}
		last = s
		r.Steps = append(r.Steps, p.words(s, start))
		if s.Action == device.Dropped {
			r.Reason = p.dropWords(s)
		}
		if s.Action == device.Delivered && s.Device == p.inst.Device().ID() && back && s.Type != inet.EchoRequest {
			rtt := (s.At - start).Seconds()
			r.RTT, r.By, r.OK = &rtt, s.Src.String(), s.Type == inet.EchoReply
			if o := w.Holder(p.inst, s.Src); o != nil {
				r.Device, r.AS = o.Device().Name(), p.ases[o.Device()]
			}
			r.Answer = facts.ICMPWords(s.Type, s.Code)
			finished = true
		}
	}
	p.inst.Echo(p.src, p.dst, uint8(ttl), probeID, uint16(seq))
	for !finished && w.Now() < start+timeout {
		if !w.RunNext(start + timeout) {
			break
		}
	}
	w.Tracer = nil
	if r.OK {
		r.Reason = ""
	} else if r.Reason == "" {
		r.Reason = p.lostWords(last)
	}
	return r
}

func (p *prober) words(s device.Fate, start event.Time) ProbeStep {
	d := p.w.Device(s.Device)
	inst := &d.Instances()[s.Instance]
	out := ProbeStep{At: (s.At - start).Seconds(), Device: d.Name(), In: inst.Name(), AS: p.ases[d], Packet: packetWords(s)}
	var b strings.Builder
	switch s.Action {
	case device.Delivered:
		if !inst.Owns(s.Dst) {
			b.WriteString(phrase.Say("took it: %v is beyond the lab, behind a feed of this router", s.Dst))
			break
		}
		b.WriteString(phrase.Say("took it: %v is its own address", s.Dst))
	case device.Dropped:
		out.Dropped = true
		b.WriteString(phrase.Say("dropped it: %s", p.dropWords(s)))
	default:
		b.WriteString(phrase.Text(s.Action.String()))
		if !s.Out.IsValid() {
			b.WriteString(phrase.Text(" to itself"))
			break
		}
		b.WriteString(phrase.Say(" out of %s", d.Ports()[s.Out.Index()].Config.Name))
		if s.Connected {
			b.WriteString(phrase.Text(", where the destination is"))
		} else {
			b.WriteString(phrase.Say(" to %v", s.Gateway))
		}
		if s.Routed {
			src, _ := inst.Table().Best(s.Prefix)
			b.WriteString(phrase.Say(", by %v (%v)", p.w.Shared().Prefixes.Prefix(s.Prefix), facts.SourceWords(inst, src, s.Prefix)))
		}
		if over := d.InstanceOf(s.Out.Index()); over != inst {
			b.WriteString(phrase.Say(", across into instance %s", cmp.Or(over.Name(), config.MainInstance)))
		}
		if s.Paths > 1 {
			b.WriteString(phrase.Say(", one of %d equal-cost paths", s.Paths))
		}
	}
	out.Did = b.String()
	return out
}

func (p *prober) dropWords(s device.Fate) string {
	d := p.w.Device(s.Device)
	if !s.Out.IsValid() {
		return facts.Sentence(s.Reason.Info().Text, d.Instances()[s.Instance].Ref(), s.Dst.String())
	}
	text := facts.Sentence(s.Reason.Info().Text, facts.PortName(d, s.Out.Index()), s.Gateway.String())
	if fault := p.faultAt(d, s.Out.Index()); fault != "" {
		text += ": " + fault
	}
	return text
}

// faultAt says what keeps packets that leave by a port from arriving, "" if
// nothing does.
func (p *prober) faultAt(d *device.Device, port uint32) string {
	m, from, ok := p.w.MediumOf(d.ID(), port)
	if !ok {
		return note.NotJoined.Info().Text
	}
	for i := range m.Ends {
		if i == from {
			continue
		}
		if passes, code := m.Passes(from, i); !passes {
			return code.Info().Text
		}
		if passes, code := m.Passes(i, from); !passes {
			return code.Info().Text
		}
	}
	return ""
}

// lostWords says where a packet was last seen, when no device dropped it: it
// was lost on the way.
func (p *prober) lostWords(last device.Fate) string {
	d := p.w.Device(last.Device)
	what := packetWords(last)
	if !last.Out.IsValid() {
		return phrase.Say("no answer; the %s was last seen at %s", what, d.Name())
	}
	why := p.faultAt(d, last.Out.Index())
	if why == "" {
		why = phrase.Text("no answer came in time")
	}
	return phrase.Say("the %s left %s and did not arrive: %s", what, facts.PortName(d, last.Out.Index()), why)
}
