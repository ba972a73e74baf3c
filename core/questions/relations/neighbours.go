// Package relations is what routers have with each other: OSPF adjacencies and BGP
// sessions, how they came to their state, and what the two ends disagree about.
package relations

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/ospf"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/fixes"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Neighbour is a row of Neighbours: one adjacency or session, both ends.
type Neighbour struct {
	Protocol string         `json:"protocol" enum:"ospf,bgp"`
	Segment  string         `json:"segment,omitempty" doc:"the segment that joins them; absent on a link"`
	A        facts.End      `json:"a"`
	B        facts.End      `json:"b"`
	Up       bool           `json:"up" doc:"it is as it should be: Full, or 2-Way between two that are neither DR nor BDR"`
	State    string         `json:"state" doc:"the lower of the two states"`
	Since    float64        `json:"since"`
	Reasons  []facts.Reason `json:"reasons" doc:"why it is not up: observed first, then what will prevent it next"`
	Session  *Session       `json:"session,omitempty" doc:"of BGP"`
}

// stateRank orders the states' names.
var stateRank = func() map[string]int {
	m := map[string]int{}
	for i, n := range adjacency.StateNames {
		m[n] = i
	}
	return m
}()

// NeighboursOf makes the rows: OSPF's adjacencies, and BGP's sessions.
func NeighboursOf(w *network.World) []Neighbour {
	return inOrder(append(Adjacencies(w), Sessions(w)...))
}

// Between are the rows of two devices with each other, instances of them included; a name is that of a device or of an instance. The
// others are not made.
func Between(w *network.World, a, b string) []Neighbour {
	names := [2]string{}
	for i, name := range []string{a, b} {
		names[i], _, _ = strings.Cut(name, "/")
	}
	of := func(d *device.Device) bool { return slices.Contains(names[:], d.Name()) }
	rows := slices.DeleteFunc(append(adjacencies(w, of), sessions(w, of)...), func(n Neighbour) bool {
		return !(n.A.Is(a) && n.B.Is(b) || n.A.Is(b) && n.B.Is(a))
	})
	return inOrder(rows)
}

// among says which devices are looked at.
type among func(*device.Device) bool

func everyone(*device.Device) bool { return true }

// Adjacencies are the rows of OSPF: one for each pair of ports on a link, or of
// routers on a segment, of which at least one runs OSPF and is not passive, and
// one for each virtual link.
func Adjacencies(w *network.World) []Neighbour {
	return inOrder(append(adjacencies(w, everyone), unplugged(w)...))
}

func adjacencies(w *network.World, of among) []Neighbour {
	out := []Neighbour{}
	for i := range w.Media() {
		m := &w.Media()[i]
		ends := 0
		for _, e := range m.Ends {
			if of(w.Device(e.Device)) {
				ends++
			}
		}
		if !m.Gone && ends >= 2 {
			out = append(out, onMedium(w, m)...)
		}
	}
	out = append(out, virtualLinks(w, of)...)
	sinceTheyFell(w, out)
	return out
}

// sinceTheyFell says of the ends that are Down since when they are: a router forgets a
// neighbour that goes Down, so that only the notes know.
func sinceTheyFell(w *network.World, rows []Neighbour) {
	down := adjacency.StateNames[adjacency.Down]
	if !slices.ContainsFunc(rows, func(n Neighbour) bool { return n.State == down }) {
		return
	}
	type end struct{ device, port, id string }
	last := map[end]float64{}
	w.EachNote(func(_ uint32, n note.Note) {
		if n.Kind != note.NeighbourState || adjacency.State(n.C) != adjacency.Down {
			return
		}
		if port, ok := n.Port.Number(); ok {
			d := w.Device(n.Device)
			at := end{d.Name(), d.Ports()[port].Config.Name, ip.Quad(n.A).String()}
			last[at] = event.Time(n.At).Seconds()
			at.id = "" // on a link, whoever it was
			last[at] = event.Time(n.At).Seconds()
		}
	})
	for i := range rows {
		n := &rows[i]
		if n.State != down {
			continue
		}
		fell := math.Inf(1)
		for _, e := range []struct{ own, far *facts.End }{{&n.A, &n.B}, {&n.B, &n.A}} {
			at := end{e.own.Device, e.own.Port, ""}
			if n.Segment != "" {
				at.id = e.far.RouterID
			}
			if t, ok := last[at]; ok && e.own.State == down && t >= e.own.Since {
				e.own.Since, fell = t, min(fell, t)
			}
		}
		if !math.IsInf(fell, 1) {
			n.Since = max(fell, n.Since)
		}
	}
}

// inOrder puts those first that are not up.
func inOrder(out []Neighbour) []Neighbour {
	slices.SortFunc(out, func(x, y Neighbour) int {
		if x.Up != y.Up {
			if y.Up {
				return -1
			}
			return 1
		}
		return cmp.Or(cmp.Compare(y.Protocol, x.Protocol), cmp.Compare(x.A.Device, y.A.Device),
			cmp.Compare(x.A.Port, y.A.Port),
			cmp.Compare(x.B.Device, y.B.Device), cmp.Compare(x.B.Port, y.B.Port))
	})
	return out
}

// onMedium are the relations of ports on a link or a segment; sub-ports meet
// those with the same tag.
func onMedium(w *network.World, m *network.Medium) []Neighbour {
	var out []Neighbour
	row := func(a, b side) {
		hosts := m.Kind == network.Segment && (a.d.Kind() == config.Host || b.d.Kind() == config.Host)
		if a.d.Gone() || b.d.Gone() || hosts || !a.active() && !b.active() {
			return
		}
		if b.d.Name() < a.d.Name() {
			a, b = b, a
		}
		a.far, b.far = b.d.Ports()[b.port].Address(), a.d.Ports()[a.port].Address()
		out = append(out, relation(m, a, b))
	}
	var sides, alone []side
	for k := range m.Ends {
		if m.Ends[k].Parted {
			continue
		}
		own := sideOf(w, m, k)
		sides = append(sides, own)
		for i := range own.d.Ports() {
			if p := &own.d.Ports()[i]; p.Config.VLAN != 0 && !p.Gone && own.d.Carries(uint32(i)) == own.port {
				sub := own
				sub.port = uint32(i)
				sides = append(sides, sub)
			}
		}
	}
	for i, a := range sides {
		met := false
		for k, b := range sides {
			if a.at == b.at || a.config().VLAN != b.config().VLAN {
				continue
			}
			met = true
			if k > i {
				row(a, b)
			}
		}
		if !met && a.config().VLAN != 0 && a.active() {
			alone = append(alone, a)
		}
	}
	// A sub-port whose tag nobody shares faces those of the other ends that are
	// as alone, or else their ports.
	for i, a := range alone {
		faced := false
		for k, b := range alone {
			if faced = faced || a.at != b.at; a.at != b.at && k > i {
				row(a, b)
			}
		}
		if !faced && m.Kind == network.Link {
			row(a, sideOf(w, m, 1-a.at))
		}
		for _, b := range sides { // on a segment, those that it shares the subnet with
			if m.Kind == network.Segment && !faced && a.at != b.at && b.active() && a.config().Address.IsValid() &&
				a.config().Address.Masked() == b.config().Address.Masked() {
				row(a, b)
			}
		}
	}
	return out
}

// unplugged are the ports that are meant to have neighbours and are joined to
// nothing.
func unplugged(w *network.World) []Neighbour {
	var out []Neighbour
	for _, d := range w.Devices() {
		for i := range d.Ports() {
			p := &d.Ports()[i]
			s := side{w: w, d: d, port: uint32(i)}
			if _, _, joined := w.MediumOf(d.ID(), uint32(i)); joined || d.Gone() || p.Gone || p.Config.Loopback ||
				p.Config.Virtual != nil || !s.active() {
				continue
			}
			c := &collector{a: s, b: s}
			c.add(note.NotJoined, "observed", s, phrase.Text("nothing plugged in"), "")
			out = append(out, Neighbour{Protocol: "ospf", A: s.end(), State: adjacency.StateNames[adjacency.Down],
				Since: p.Since.Seconds(), Reasons: c.reasons,
				B: facts.End{Absent: true, State: adjacency.StateNames[adjacency.Down]}})
		}
	}
	return out
}

// VirtualLinks are the relations of virtual links, each of which at least one
// end configures.
func VirtualLinks(w *network.World) []Neighbour { return virtualLinks(w, everyone) }

func virtualLinks(w *network.World, of among) []Neighbour {
	var out []Neighbour
	for _, d := range w.Devices() {
		if !of(d) {
			continue
		}
		for i := range d.Ports() {
			p := &d.Ports()[i]
			v := p.Config.Virtual
			if d.Gone() || p.Gone || v == nil {
				continue
			}
			a := side{w: w, d: d, port: uint32(i)}
			far := facts.RouterIDs(w, a.inst())[ip.AddrFrom(v.Peer).Quad()]
			back := -1
			if far != nil {
				back = slices.IndexFunc(far.Device().Ports(), func(q device.Port) bool {
					o := q.Config.Virtual
					return o != nil && !q.Gone && q.Config.Instance == far.Name() && o.Transit == v.Transit && ip.QuadFrom(o.Peer) == a.inst().OSPF().RouterID()
				})
			}
			switch {
			case back < 0:
				out = append(out, oneSided(a, far, v))
			case d.Name() < far.Device().Name():
				b := side{w: w, d: far.Device(), port: uint32(back)}
				out = append(out, relation(nil, a, b))
			}
		}
	}
	return out
}

// oneSided is a virtual link that the other end does not have.
func oneSided(a side, far *device.Instance, v *config.VirtualPort) Neighbour {
	n := Neighbour{Protocol: "ospf", A: a.end(), State: adjacency.StateNames[adjacency.Down],
		Since: a.d.Ports()[a.port].Since.Seconds(), Reasons: []facts.Reason{},
		B: facts.End{Device: v.Peer.String(), RouterID: v.Peer.String(),
			State: adjacency.StateNames[adjacency.Down]}}
	c := &collector{a: a, b: a}
	if up, why := a.d.Up(a.port); !up {
		c.add(why, "observed", a, "down", "")
	}
	if far != nil {
		n.B.Device = far.Ref()
		r := c.add(note.VirtualUnanswered, "foreseen", a, v.Peer.String(), "none")
		r.Remedy = phrase.Say("add virtual-link %v to area %s on %s", a.inst().OSPF().RouterID(),
			labtext.FormatArea(v.Transit), far.Ref())
		r.Fixes = fixes.For(fixes.Case{World: a.w, Code: note.VirtualUnanswered, A: a.fixed(), B: fixes.Of(far)})
	}
	n.Reasons = c.reasons
	return n
}

// side is one end of a relation in its world.
type side struct {
	w    *network.World
	d    *device.Device
	port uint32
	at   int     // which end of the medium
	far  ip.Addr // the other end's address
}

func sideOf(w *network.World, m *network.Medium, end int) side {
	return side{w: w, d: w.Device(m.Ends[end].Device), port: m.Ends[end].Port, at: end}
}

// refusal is what this end refuses of the other.
func (s side) refusal() ospf.Refusal {
	v := s.inst().OSPF().Port(s.port)
	if !v.Broadcast {
		return v.Refusal()
	}
	for _, r := range v.Refusals {
		if r.From == s.far {
			return r
		}
	}
	return ospf.Refusal{}
}

// inst is the instance that the port is in.
func (s side) inst() *device.Instance { return s.d.InstanceOf(s.port) }

func (s side) config() *config.Port { return s.d.Ports()[s.port].Config }

// fixed is the end as fixes know it.
func (s side) fixed() fixes.End { return fixes.End{Device: s.d, Port: s.config().Name} }

func (s side) ref() string { return facts.PortName(s.d, s.port) }

// active says whether the port is meant to have neighbours.
func (s side) active() bool {
	o := s.config().OSPF
	return o.On && !o.Passive
}

// sees is what this end knows of the other: the neighbour on its port.
func (s side) sees() (n ospf.NeighbourView, ok bool) {
	broadcast := s.inst().OSPF().Port(s.port).Broadcast
	s.inst().OSPF().Neighbours(s.port, func(v ospf.NeighbourView) {
		if (!broadcast || v.Address == s.far) && (!ok || v.State > n.State) {
			n, ok = v, true
		}
	})
	return n, ok
}

func (s side) end() facts.End {
	c := s.config()
	e := facts.End{Device: s.d.Name(), Instance: s.inst().Name(), Port: c.Name, State: adjacency.StateNames[adjacency.Down],
		Since: s.d.Ports()[s.port].Since.Seconds()}
	if c.Address.IsValid() {
		e.Address = c.Address.String()
	}
	v := s.inst().OSPF().Port(s.port)
	if v.Virtual && v.Address.IsValid() {
		e.Address = v.Address.String()
	}
	if s.inst().OSPF().Running() {
		e.RouterID = s.inst().OSPF().RouterID().String()
	}
	if c.OSPF.On {
		e.Area = labtext.FormatArea(c.OSPF.Area)
		e.Hello, e.Dead = labtext.FormatDuration(c.OSPF.HelloInterval), labtext.FormatDuration(c.OSPF.DeadInterval)
		if e.Cost = s.inst().Config().OSPF.CostOf(c); v.Virtual {
			e.Cost = v.Cost
		}
	}
	if v.Broadcast && v.State >= ospf.PortWaiting {
		e.Role, e.Priority = v.State.String(), &v.Priority
	}
	if n, ok := s.sees(); ok {
		e.State, e.Since = n.State.String(), n.Since.Seconds()
		if n.DeadAt != 0 {
			in := (n.DeadAt - s.w.Now()).Seconds()
			e.DeadIn = &in
		}
	}
	return e
}

func relation(m *network.Medium, a, b side) Neighbour {
	n := Neighbour{Protocol: "ospf", A: a.end(), B: b.end(), Reasons: []facts.Reason{}}
	n.State, n.Since = n.A.State, n.A.Since
	if stateRank[n.B.State] < stateRank[n.A.State] {
		n.State, n.Since = n.B.State, n.B.Since
	}
	if m != nil && m.Kind == network.Segment {
		n.Segment = m.Name
	}
	other := ospf.PortStateNames[ospf.PortDROther]
	asTold := n.State == adjacency.StateNames[adjacency.TwoWay] && n.A.Role == other && n.B.Role == other
	n.Up = n.State == adjacency.StateNames[adjacency.Full] || asTold
	if n.Up {
		n.Since = max(n.A.Since, n.B.Since)
		c := &collector{a: a, b: b}
		if asTold {
			c.add(note.NoAdjacencyNeeded, "observed", a, "", "")
		} else {
			c.types()
		}
		n.Reasons = append(n.Reasons, c.reasons...)
		return n
	}
	c := &collector{a: a, b: b}
	c.observed(m)
	c.foreseen()
	n.Reasons = c.reasons
	return n
}
