// Package playback is a stretch of a lab's time as it is played: the packets on their way, what
// happens on the devices, and where packets are lost.
package playback

import (
	"cmp"
	"slices"
	"time"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/questions/capture"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Stretch is what happens from one moment to another.
type Stretch struct {
	From    float64      `json:"from" doc:"seconds since the lab began"`
	To      float64      `json:"to" doc:"earlier than what was asked for if there is more than is shown at once"`
	More    bool         `json:"more" doc:"there is more after To: ask again from there"`
	Flights []Flight     `json:"flights" doc:"packets that are on their way at some time in the stretch, the earliest first"`
	Events  []Occurrence `json:"events" doc:"what happens on devices, the earliest first"`
}

// Flight is a packet on its way from one port to another.
type Flight struct {
	At    float64       `json:"at" doc:"when it is sent"`
	Until float64       `json:"until" doc:"when it arrives, or would have"`
	From  string        `json:"from" doc:"port"`
	To    string        `json:"to" doc:"port"`
	Class capture.Class `json:"class" enum:"hello,exchange,flooding,acknowledgment,session,keepalive,update,notification,tcp,arp,packet,flow"`
	Kind  string        `json:"kind" doc:"by its RFC name; of a flow its name"`
	Lost  string        `json:"lost,omitempty" doc:"why it does not arrive"`
	// What it brings, to be followed from device to device.
	Carries []capture.Cargo `json:"carries,omitempty"`
	Transit bool            `json:"transit,omitempty" doc:"the device that it arrives at only forwards it"`
	Loops   bool            `json:"loops,omitempty" doc:"of a flow: it goes to a device where it has been before"`
}

// Occurrence is something that happens on a device.
type Occurrence struct {
	At     float64 `json:"at"`
	Device string  `json:"device"`
	Lane   string  `json:"lane" enum:"detection,adjacency,flooding,spf,forwarding,packet,session,updates"`
	Word   string  `json:"word" doc:"in a word or two"`
	Text   string  `json:"text"`
	About  string  `json:"about,omitempty" doc:"the prefix whose route changes, or the flow whose packet is lost: flow tickets"`
}

// most bounds the flights and events of one stretch that is given at once.
const most = 5000

// Of is what happens from one time to another, both included. stop, if not nil, is asked now
// and then whether to give up. Of flows it has the first packets that take another path or are lost; all says that it has
// one for each interval as well.
func Of(h *history.History, from, to event.Time, all bool, stop func() bool) (Stretch, error) {
	p := &player{from: from, to: to}
	early := from - p.longest(h.Head())
	err := h.Again(max(0, early), to, p.begin, func() bool { return p.full || stop != nil && stop() })
	if err != nil && !p.full {
		return Stretch{}, err
	}
	out := p.stretch()
	p.flows(h, &out, all, stop)
	return out, nil
}

// player watches worlds that run again.
type player struct {
	from, to event.Time
	w        *network.World
	sent     *sending
	flights  []flight
	byEvent  map[[2]uint64]int // by source and counter of the event, while it is on its way
	notes    uint32            // up to which they are looked at
	events   []Occurrence
	full     bool
	until    event.Time // up to which it is complete, if it is full
}

type flight struct {
	Flight
	at, until event.Time
}

// sending is a frame that is being put on its medium, and the ports that it is for.
type sending struct {
	at           event.Time
	device, port uint32
	frame        []byte
	to           []network.End
}

// longest is how long a packet may be on its way at most: those that are late take up to five
// times the delay.
func (p *player) longest(w *network.World) (most event.Time) {
	for _, m := range w.Media() {
		most = max(most, 5*m.Delay)
	}
	return most
}

func (p *player) begin(w *network.World) {
	if p.w != nil {
		p.end()
	}
	p.w, p.byEvent, p.notes = w, map[[2]uint64]int{}, w.Notes()
	w.Watch = p
	w.OnFrame = p.frame
}

// end takes what the world that ran until now still has.
func (p *player) end() {
	p.left()
	p.noted()
}

// frame is a frame that is put on a medium: those that it reaches are queued next.
func (p *player) frame(at event.Time, dev, port uint32, frame []byte) {
	p.left()
	m, from, ok := p.w.MediumOf(dev, port)
	if !ok {
		return
	}
	s := &sending{at: at, device: dev, port: port, frame: frame}
	dst := inet.MAC(frame)
	for i, e := range m.Ends {
		if i != from && !e.Parted && (m.Kind != network.Segment || dst.Group() || dst == inet.PortMAC(e.Device, uint16(e.Port))) {
			s.to = append(s.to, e)
		}
	}
	p.sent = s
}

// Queued and Handled make a player a network.Watcher.
func (p *player) Queued(e event.Event) {
	if e.Kind != device.FrameArrives || p.sent == nil {
		return
	}
	if i := slices.IndexFunc(p.sent.to, func(x network.End) bool { return x.Device == e.Dest && x.Port == e.A }); i >= 0 {
		p.sent.to = slices.Delete(p.sent.to, i, i+1)
	}
	if k := p.add(p.sent, e.Dest, e.A, e.At, ""); k >= 0 {
		p.byEvent[[2]uint64{uint64(e.Source), e.Seq}] = k
	}
}

func (p *player) Handled(e event.Event) {
	p.left()
	p.noted()
	if e.Kind != device.FrameArrives {
		return
	}
	key := [2]uint64{uint64(e.Source), e.Seq}
	if k, ok := p.byEvent[key]; ok {
		delete(p.byEvent, key)
		if !p.w.Arrives(&e) {
			p.flights[k].Lost = phrase.Text(note.LinkCut.Info().Text)
		}
	}
}

// left are the ports that the last frame was for and does not reach.
func (p *player) left() {
	s := p.sent
	p.sent = nil
	if s == nil {
		return
	}
	m, from, ok := p.w.MediumOf(s.device, s.port)
	if !ok {
		return
	}
	for _, e := range s.to {
		why := phrase.Text("lost at random")
		for i := range m.Ends {
			if m.Ends[i].Device == e.Device && m.Ends[i].Port == e.Port {
				if passes, code := m.Passes(from, i); !passes {
					why = phrase.Text(code.Info().Text)
				}
			}
		}
		p.add(s, e.Device, e.Port, s.at+m.Delay, why)
	}
}

// add keeps a flight that is in the stretch, and says where; -1 if it is not.
func (p *player) add(s *sending, dev, port uint32, until event.Time, lost string) int {
	if until < p.from || s.at > p.to {
		return -1
	}
	if !p.full && len(p.flights)+len(p.events) >= most && s.at > p.from {
		p.full, p.until = true, s.at-1
	}
	if p.full && s.at > p.until {
		return -1
	}
	f := flight{at: s.at, until: until}
	d := p.w.Device(dev)
	dst := capture.Destination(s.frame)
	f.Flight = Flight{At: s.at.Seconds(), Until: until.Seconds(), From: facts.PortName(p.w.Device(s.device), s.port), To: facts.PortName(d, port),
		Class: capture.ClassOf(s.frame), Kind: capture.KindOf(s.frame), Lost: lost, Carries: capture.CargoOf(s.frame),
		Transit: dst.IsValid() && !dst.Multicast() && !d.InstanceOf(port).Owns(dst)}
	p.flights = append(p.flights, f)
	return len(p.flights) - 1
}

// noted takes the notes that were made since the last time.
func (p *player) noted() {
	for n := p.w.Notes(); p.notes < n; p.notes++ {
		x := p.w.NoteAt(p.notes)
		at := event.Time(x.At)
		word := wordOf(x)
		if at < p.from || at > p.to || word == "" {
			continue
		}
		e := Occurrence{At: at.Seconds(), Device: p.w.Device(x.Device).Name(), Lane: string(note.Kinds[x.Kind].Lane), Word: word, Text: facts.Words(p.w, x)}
		if x.Kind == note.RouteChanged {
			e.About = p.w.Shared().Prefixes.Prefix(uint32(x.A)).String()
		}
		p.events = append(p.events, e)
	}
}

// stretch is what was seen, up to where it is complete.
func (p *player) stretch() Stretch {
	if p.w != nil {
		p.end()
	}
	to := p.to
	if p.full {
		to = max(p.from, p.until)
	}
	out := Stretch{From: p.from.Seconds(), To: to.Seconds(), More: p.full, Flights: []Flight{}, Events: []Occurrence{}}
	slices.SortStableFunc(p.flights, func(a, b flight) int { return cmp.Compare(a.at, b.at) })
	for _, f := range p.flights {
		if f.at <= to {
			out.Flights = append(out.Flights, f.Flight)
		}
	}
	for _, e := range p.events {
		if event.FromSeconds(e.At) <= to {
			out.Events = append(out.Events, e)
		}
	}
	return out
}

// wordOf says what a note is in a word or two; "" for what is not shown.
func wordOf(n note.Note) string {
	switch n.Kind {
	case note.PortUp:
		return phrase.Text("port up")
	case note.PortDown:
		return phrase.Text("port down")
	case note.NeighbourState:
		switch {
		case adjacency.State(n.C) == adjacency.Full:
			return phrase.Text("neighbour Full")
		case adjacency.State(n.C) == adjacency.Down && adjacency.State(n.B) >= adjacency.TwoWay:
			return phrase.Text("neighbour lost")
		}
	case note.LSAOriginated:
		return phrase.Text("LSA originated")
	case note.LSAFlushed:
		return phrase.Text("LSA flushed")
	case note.SPFScheduled:
		return phrase.Say("SPF due in %s", labtext.FormatDuration(time.Duration(n.A)))
	case note.SPFRun:
		return "SPF"
	case note.RouteChanged, note.HopChanged:
		return phrase.Text("table changed")
	case note.PortRole:
		return phrase.Text("DR elected")
	case note.SessionState:
		switch {
		case bgp.State(n.C) == bgp.Established:
			return phrase.Text("session up")
		case bgp.State(n.B) == bgp.Established:
			return phrase.Text("session lost")
		}
	case note.PacketDropped:
		return phrase.Text("packet dropped")
	case note.NotificationSent:
		return "NOTIFICATION"
	}
	return ""
}
