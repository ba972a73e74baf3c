package network

import (
	"reflect"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/protocols/wire/ospf"
	"hellebore/core/simulation/device"
)

// MediumKind is what joins ports.
type MediumKind uint8

// The kinds of media.
const (
	Link    MediumKind = iota // two ports, point to point
	Segment                   // any number of ports on a switch
)

// End is one port on a medium, with the faults on it.
type End struct {
	Device, Port uint32
	Cut          bool // a segment's end only: carrier lost on this port's cable
	Parted       bool // a segment's end only: an action took the port off it
	SilentIn     bool // packets towards the port vanish
	SilentOut    bool // packets from the port vanish
	// Generations of what is in flight: a fault begins a new one, and a packet
	// of an old one dies with it.
	genIn, genOut uint32
}

// Medium joins ports. A medium that was taken out of the lab keeps its number,
// Gone.
type Medium struct {
	Kind  MediumKind
	Name  string // of a segment
	Gone  bool
	Cut   bool       // a link only: carrier lost at both ends
	Delay event.Time // in one direction
	// Shares of packets that are lost, arrive late and arrive twice, each in a
	// million.
	Loss, Reorder, Duplicate uint32
	Ends                     []End
	sent                     uint64 // the counter of keyed randomness
}

func (m *Medium) digest(d *store.Digest) {
	d.Flag(m.Gone)
	d.Flag(m.Cut)
	d.Add(uint64(m.Delay), uint64(m.Loss), uint64(m.Reorder), uint64(m.Duplicate))
	for _, e := range m.Ends {
		d.Add(uint64(e.Device), uint64(e.Port))
		d.Flag(e.Cut)
		d.Flag(e.Parted)
		d.Flag(e.SilentIn)
		d.Flag(e.SilentOut)
	}
}

// Media are all media by number, those that are gone included; for reading.
func (w *World) Media() []Medium { return w.media }

// MediumOf is the medium that a port is joined to, a sub-port by its port, and
// which end of it the port is; ok is false for a port that is joined to nothing.
func (w *World) MediumOf(dev, port uint32) (m *Medium, end int, ok bool) {
	port = w.devices[dev].Carries(port)
	joint := w.devices[dev].Ports()[port].Joint
	if !joint.IsValid() {
		return nil, 0, false
	}
	m = &w.media[joint.Index()]
	for i := range m.Ends {
		if m.Ends[i].Device == dev && m.Ends[i].Port == port {
			return m, i, true
		}
	}
	return nil, 0, false
}

// Station is a port that is reached through a medium, and which end of that it
// is on.
type Station struct {
	Device, Port uint32
	End          int
}

// Facing are the ports at the other ends of what a port is joined to: for a
// sub-port, those with its tag.
func (w *World) Facing(dev, port uint32) []Station {
	m, from, ok := w.MediumOf(dev, port)
	if !ok {
		return nil
	}
	tag := w.devices[dev].Ports()[port].Config.VLAN
	var out []Station
	for i, e := range m.Ends {
		if i == from || e.Parted {
			continue
		}
		if p, ok := w.devices[e.Device].Tagged(e.Port, tag); ok {
			out = append(out, Station{e.Device, p, i})
		}
	}
	return out
}

// Passes says whether packets from one end of a medium reach another.
func (m *Medium) Passes(from, to int) (ok bool, why note.Code) {
	a, b := &m.Ends[from], &m.Ends[to]
	switch {
	case a.Parted || b.Parted:
		return false, note.NotJoined
	case m.Cut || a.Cut || b.Cut:
		return false, note.LinkCut
	case a.SilentOut || b.SilentIn:
		return false, note.LinkSilenced
	}
	return true, note.None
}

// Flight is the generation of packets in flight from one end to another: those
// that left in another one than they arrive in die on the way.
func (m *Medium) Flight(from, to int) uint32 { return m.Ends[from].genOut + m.Ends[to].genIn }

// Transmit puts a frame on what the port is joined to. What is lost,
// late or doubled at random is keyed by the medium and its count of frames.
func (w *World) Transmit(dev, port uint32, frame []byte, class event.Class) {
	m, from, ok := w.MediumOf(dev, port)
	if !ok {
		return
	}
	if w.OnFrame != nil {
		w.OnFrame(w.now, dev, port, frame)
	}
	dst := inet.MAC(frame)
	for to := range m.Ends {
		e := &m.Ends[to]
		if to == from || m.Kind == Segment && !dst.Group() && dst != inet.PortMAC(e.Device, uint16(e.Port)) {
			continue
		}
		if ok, _ := m.Passes(from, to); !ok {
			continue
		}
		m.sent++
		if dst == toDRouters && !w.devices[e.Device].HearsDRouters(e.Port) {
			continue
		}
		if m.struck(w, m.Loss, lossPurpose) {
			continue
		}
		copies, late := 1, event.Time(0)
		if m.struck(w, m.Duplicate, duplicatePurpose) {
			copies = 2
		}
		if m.struck(w, m.Reorder, reorderPurpose) {
			late = m.Delay + event.Time(store.Below(m.chance(w, latePurpose), uint64(3*m.Delay)))
		}
		for range copies {
			if class == event.Pending {
				w.calm.Begin()
			}
			w.Push(event.Event{
				At: w.now + m.Delay + late, Dest: e.Device, Source: dev, Seq: w.devices[dev].NextSeq(),
				Kind: device.FrameArrives, Class: class, Frame: frame,
				A: e.Port, B: uint32(from), C: m.Flight(from, to),
			})
		}
	}
}

// toDRouters is where most of a segment's acknowledgments go, to be dropped by all but two.
var toDRouters = inet.GroupMAC(ospf.AllDRouters)

// Purposes of keyed randomness.
const (
	lossPurpose = 1<<21 + iota
	duplicatePurpose
	reorderPurpose
	latePurpose
)

// chance is keyed randomness of the packet that is being sent.
func (m *Medium) chance(w *World, purpose uint64) uint64 {
	e := &m.Ends[0]
	return store.Keyed(w.seed, uint64(w.devices[e.Device].Ports()[e.Port].Joint.Index()), purpose, m.sent)
}

// struck says whether a share, in a million, takes the packet that is being sent.
func (m *Medium) struck(w *World, share uint32, purpose uint64) bool {
	return share != 0 && store.Below(m.chance(w, purpose), 1_000_000) < uint64(share)
}

// arrive hands a frame to its port, unless what carried it broke meanwhile.
func (w *World) arrive(e *event.Event) {
	if w.Arrives(e) {
		w.devices[e.Dest].Receive(e.A, e.Frame)
	}
}

// Arrives says whether what carries a frame is still what it was when the frame was sent.
func (w *World) Arrives(e *event.Event) bool {
	m, to, ok := w.MediumOf(e.Dest, e.A)
	return ok && int(e.B) < len(m.Ends) && m.Ends[e.B].Device == e.Source && m.Flight(int(e.B), to) == e.C
}

// carriers makes the carrier of a medium's ports be what medium and far ends
// give.
func (w *World) carriers(m *Medium) {
	for i := range m.Ends {
		e := &m.Ends[i]
		if e.Parted {
			continue // what it is joined to now says
		}
		carrier, why := true, note.None
		switch {
		case m.Gone:
			carrier, why = false, note.NotJoined
		case m.Cut || e.Cut:
			carrier, why = false, note.LinkCut
		case m.Kind == Link:
			far := &m.Ends[1-i]
			switch d := w.devices[far.Device]; {
			case !d.Enabled():
				carrier, why = false, note.FarDeviceDisabled
			case !d.PortEnabled(far.Port):
				carrier, why = false, note.FarPortDisabled
			}
		}
		if !carrier {
			e.genIn++
			e.genOut++
		}
		w.devices[e.Device].SetCarrier(e.Port, carrier, why)
	}
}

// Configure takes the difference between the configuration in force and this
// one: devices and links that did not change are not touched.
func (w *World) Configure(lab *config.Lab) {
	w.seed, w.exact, w.flows = lab.Seed, lab.Exact, lab.Flows
	if !reflect.DeepEqual(w.book.Source(), &lab.Policies) {
		w.book = policy.Compile(lab.Policies)
	}
	names := make(map[string]uint32, len(lab.Devices))
	renamed := w.renamed(lab)
	wanted := make(map[string]bool, len(lab.Devices))
	for i := range lab.Devices {
		wanted[lab.Devices[i].Name] = true
	}
	for i, d := range w.devices {
		now, ok := renamed[d.Name()]
		if !ok {
			now = d.Name()
		}
		if !d.Gone() && !wanted[now] {
			d.Remove()
		}
		if _, taken := names[now]; !taken || !d.Gone() {
			names[now] = uint32(i)
		}
	}
	// All devices exist before any gets its ports, and all know their
	// ports before links bring them up.
	for i := range lab.Devices {
		c := &lab.Devices[i]
		id, ok := names[c.Name]
		if !ok {
			id = uint32(len(w.devices))
			w.devices = append(w.devices, device.New(w, id))
			names[c.Name] = id
		}
		w.devices[id].Configure(*c, w.bookOf(w.devices[id], c, &lab.Policies))
	}
	w.byName, w.holders = names, w.findHolders()
	w.join(lab)
	for i := range w.media {
		if !w.media[i].Gone {
			w.carriers(&w.media[i])
		}
	}
	w.calm.Disturb(w.now)
}

// bookOf is the policies of a device. One whose policies stay what they were keeps its
// book, so that nothing is decided anew.
func (w *World) bookOf(d *device.Device, c *config.Device, lab *config.Policies) *policy.Book {
	if c.Policies.Empty() {
		return w.book
	}
	all := c.Policies.Over(lab)
	if old := d.Book(); old != nil && reflect.DeepEqual(old.Source(), &all) {
		return old
	}
	return policy.Compile(all)
}

// renamed maps the old names of devices that only changed their name to the new
// ones.
func (w *World) renamed(lab *config.Lab) map[string]string {
	var before []config.Device
	for _, d := range w.devices {
		if !d.Gone() {
			before = append(before, *d.Config())
		}
	}
	out := map[string]string{}
	for now, old := range config.RenamedDevices(before, lab.Devices) {
		out[old] = now
	}
	return out
}

// join makes the media be what the lab says. A link keeps its identity by its
// two ports, a segment by its name, and each port on it by itself.
func (w *World) join(lab *config.Lab) {
	w.keepMoves(lab)
	wanted := make([]Medium, 0, len(lab.Links)+len(lab.Segments))
	end := func(r config.PortRef) End {
		d := w.devices[w.byName[r.Device]]
		i, _ := d.Port(r.Port)
		return End{Device: d.ID(), Port: i}
	}
	for _, l := range lab.Links {
		wanted = append(wanted,
			Medium{Kind: Link, Delay: event.FromDuration(l.Delay), Loss: l.Loss, Reorder: l.Reorder,
				Duplicate: l.Duplicate, Ends: []End{end(l.A), end(l.B)}})
	}
	for _, s := range lab.Segments {
		m := Medium{Kind: Segment, Name: s.Name, Delay: event.FromDuration(s.Delay)}
		for _, r := range s.Ports {
			e := end(r)
			if x, moved := w.moved[[2]uint32{e.Device, e.Port}]; moved && x.to != s.Name {
				e.Parted = true
			}
			m.Ends = append(m.Ends, e)
		}
		for _, at := range w.movedTo(s.Name) {
			if e := (End{Device: at[0], Port: at[1]}); !m.has(e) {
				m.Ends = append(m.Ends, e)
			}
		}
		wanted = append(wanted, m)
	}
	matched := make([]bool, len(w.media))
	place := make([]int, len(wanted))
	for i := range wanted {
		place[i] = -1
		for j := range w.media {
			if !matched[j] && w.media[j].is(&wanted[i]) {
				matched[j], place[i] = true, j
				break
			}
		}
	}
	for j := range w.media {
		if !matched[j] && !w.media[j].Gone {
			w.media[j].Gone = true
			w.carriers(&w.media[j])
			for _, e := range w.media[j].Ends {
				if !e.Parted {
					w.devices[e.Device].Join(e.Port, 0, false)
				}
			}
		}
	}
	for i := range wanted {
		m := wanted[i]
		j := place[i]
		if j < 0 {
			j = len(w.media)
			w.media = append(w.media, m)
		} else {
			old := w.media[j]
			m.Cut, m.sent = old.Cut && !old.Gone, old.sent
			for k := range m.Ends {
				for _, e := range old.Ends {
					if e.Device == m.Ends[k].Device && e.Port == m.Ends[k].Port {
						e.Parted = m.Ends[k].Parted
						m.Ends[k] = e
					}
				}
			}
			for _, e := range old.Ends {
				if !m.has(e) && !e.Parted {
					w.devices[e.Device].Join(e.Port, 0, false)
					w.devices[e.Device].SetCarrier(e.Port, false, note.NotJoined)
				}
			}
			w.media[j] = m
		}
		for _, e := range m.Ends {
			if !e.Parted {
				w.devices[e.Device].Join(e.Port, store.RefTo(uint32(j)), m.Kind == Segment)
			}
		}
	}
}

func (m *Medium) has(e End) bool {
	for _, x := range m.Ends {
		if x.Device == e.Device && x.Port == e.Port {
			return true
		}
	}
	return false
}

func (m *Medium) is(o *Medium) bool {
	if m.Kind != o.Kind {
		return false
	}
	if m.Kind == Segment {
		return m.Name == o.Name
	}
	return m.has(o.Ends[0]) && m.has(o.Ends[1])
}
