// Package topology is the network as a map shows it: devices, links, sessions and
// flows, each with its state.
package topology

import (
	"time"

	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/feed"
	"hellebore/core/protocols/ospf"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// MapDevice is a card on the map.
type MapDevice struct {
	Name      string   `json:"name"`
	Kind      string   `json:"kind" enum:"router,host"`
	Address   string   `json:"address,omitempty" doc:"loopback, or the first port's"`
	Addresses []string `json:"addresses" doc:"all addresses in main, to send probes from"`
	RouterID  string   `json:"routerId,omitempty"`
	Areas     []string `json:"areas"`
	Roles     []string `json:"roles" doc:"area border router, AS boundary router, translator of an NSSA"`
	Enabled   bool     `json:"enabled"`
	AS        uint32   `json:"as,omitempty" doc:"the AS that the device is in"`
	Reflector bool     `json:"reflector" doc:"it reflects internal paths"`
	Instances []MapBay `json:"instances,omitempty" doc:"routing instances beside main"`
	Services  []string `json:"services" doc:"TCP ports on which a host takes connections, with their names"`
}

// MapFeed is what the feeds of a speaker advertise.
type MapFeed struct {
	Router    string  `json:"router" doc:"or the instance of one: junction/ferry"`
	Prefixes  int     `json:"prefixes" doc:"of all its feeds"`
	Withdrawn float64 `json:"withdrawn" doc:"percent of them that are withdrawn"`
}

// feedOf is what the feeds of an instance's speaker advertise.
func feedOf(inst *device.Instance) (f MapFeed, ok bool) {
	feeds, withdrawn := inst.BGP().Feeds()
	f = MapFeed{Router: inst.Ref(), Withdrawn: 100 * float64(withdrawn) / feed.Turns}
	for _, x := range feeds {
		f.Prefixes += x.Count
	}
	return f, len(feeds) > 0
}

// MapBay is a routing instance of a router beside main.
type MapBay struct {
	Name      string   `json:"name"`
	Ports     []string `json:"ports" doc:"that are in it"`
	Addresses []string `json:"addresses" doc:"theirs, to send probes from"`
	AS        uint32   `json:"as,omitempty"`
	RouterID  string   `json:"routerId,omitempty" doc:"of its OSPF process, if one runs"`
}

// MapEnd is one end of a link on the map.
type MapEnd struct {
	Device  string   `json:"device"`
	Port    string   `json:"port"`
	In      string   `json:"in,omitempty" doc:"the routing instance of the port, beside main"`
	Address string   `json:"address,omitempty"`
	Cost    uint16   `json:"cost,omitempty" doc:"OSPF cost, if OSPF runs on it"`
	Area    string   `json:"area,omitempty"`
	Up      bool     `json:"up"`
	Why     string   `json:"why,omitempty" doc:"why the port is down"`
	Code    string   `json:"code,omitempty" doc:"the reason of that"`
	Silent  bool     `json:"silent" doc:"packets from this end vanish"`
	State   string   `json:"state,omitempty" doc:"of the OSPF neighbour, as this end sees it"`
	Role    string   `json:"role,omitempty" doc:"on a segment: DR, Backup, DR Other or Waiting"`
	Tags    []string `json:"tags" doc:"the sub-ports on the cable, with their addresses"`
}

// MapVirtual is a virtual link on the map.
type MapVirtual struct {
	A     string `json:"a" doc:"device"`
	B     string `json:"b"`
	Port  string `json:"port" doc:"its end at a, as a port"`
	Area  string `json:"area" doc:"the transit area"`
	Up    bool   `json:"up"`
	State string `json:"state"`
}

// MapLink is what joins ports: two of a link, any number of a segment.
type MapLink struct {
	ID    string   `json:"id"`
	Kind  string   `json:"kind" enum:"link,segment"`
	Name  string   `json:"name,omitempty" doc:"of a segment"`
	Ends  []MapEnd `json:"ends"`
	Cut   bool     `json:"cut"`
	Delay string   `json:"delay"`
	Loss  float64  `json:"loss" doc:"percent"`
}

// Map is the Map view.
type Map struct {
	Devices []MapDevice    `json:"devices"`
	Links   []MapLink      `json:"links"`
	Virtual []MapVirtual   `json:"virtual" doc:"virtual links of which both ends are there"`
	Flows   []traffic.Flow `json:"flows"`
	// Sessions of BGP, drawn as arcs.
	Sessions []MapSession `json:"sessions"`
	// Places are of the lab and not of the network: whoever shows the map knows them.
	Places map[string]Position `json:"places" doc:"where cards were put: by device, or segment and its name"`
	Feeds  []MapFeed           `json:"feeds,omitempty" doc:"speakers that advertise feeds"`
}

// Position is where a card is on the map.
type Position struct {
	X int `json:"x" minimum:"-100000" maximum:"100000" doc:"pixels from the left"`
	Y int `json:"y" minimum:"-100000" maximum:"100000" doc:"pixels from the top"`
}

// MapSession is a BGP session on the map.
type MapSession struct {
	A        string `json:"a" doc:"device"`
	B        string `json:"b"`
	InA      string `json:"inA,omitempty" doc:"the routing instance at a, beside main"`
	InB      string `json:"inB,omitempty"`
	External bool   `json:"external"`
	Up       bool   `json:"up"`
	State    string `json:"state"`
	Why      string `json:"why,omitempty" doc:"why it is not up, a sentence"`
	Peer     string `json:"peer" doc:"the address that a has the session with"`
	Back     string `json:"back,omitempty" doc:"the address that b has it with; absent if b has no such peer"`
	Linked   bool   `json:"linked" doc:"a link joins the two"`
}

// MapOf makes the Map view of a world.
func MapOf(w *network.World) Map {
	out := Map{Devices: []MapDevice{}, Links: []MapLink{}, Virtual: []MapVirtual{}, Flows: traffic.FlowsOf(w),
		Sessions: mapSessions(w), Places: map[string]Position{}}
	ases := facts.ASes(w)
	for _, n := range relations.VirtualLinks(w) {
		d := w.Find(n.A.Device)
		if i, ok := d.Port(n.A.Port); ok && w.Find(n.B.Device) != nil {
			out.Virtual = append(out.Virtual, MapVirtual{A: n.A.Device, B: n.B.Device, Port: n.A.Port,
				Area: labtext.FormatArea(d.Ports()[i].Config.Virtual.Transit), Up: n.Up, State: n.State})
		}
	}
	for _, d := range w.Devices() {
		if d.Gone() {
			continue
		}
		m := MapDevice{Name: d.Name(), Kind: d.Kind().String(), Services: traffic.Services(d), Areas: []string{},
			Roles: []string{}, Addresses: []string{}, Enabled: d.Enabled()}
		m.AS = ases[d]
		for _, inst := range facts.Instances(d) {
			m.Reflector = m.Reflector || reflects(inst)
			if inst.Name() != "" {
				m.Instances = append(m.Instances, bayOf(inst))
			}
			if f, ok := feedOf(inst); ok {
				out.Feeds = append(out.Feeds, f)
			}
		}
		if a := d.Config().Address(); a.IsValid() {
			m.Address = a.String()
		}
		if inst := d.Main(); d.Kind() == config.Router && inst.OSPF().Running() {
			p := tables.ProcessOf(w, inst)
			m.RouterID, m.Areas, m.Roles = p.RouterID, p.Areas, p.Roles
		}
		for i := range d.Ports() {
			if p := &d.Ports()[i]; !p.Gone && p.Config.Address.IsValid() && p.Config.Instance == "" {
				m.Addresses = append(m.Addresses, p.Config.Address.Addr().String())
			}
		}
		out.Devices = append(out.Devices, m)
	}
	for i := range w.Media() {
		m := &w.Media()[i]
		if m.Gone {
			continue
		}
		l := MapLink{Kind: "link", Name: m.Name, Cut: m.Cut, Ends: []MapEnd{},
			Delay: labtext.FormatDuration(time.Duration(m.Delay)), Loss: float64(m.Loss) / 10_000}
		if m.Kind == network.Segment {
			l.Kind, l.ID = "segment", "segment "+m.Name
		}
		for _, e := range m.Ends {
			if e.Parted {
				continue
			}
			d := w.Device(e.Device)
			c := d.Ports()[e.Port].Config
			up, why := d.Up(e.Port)
			inst := d.InstanceOf(e.Port)
			end := MapEnd{Device: d.Name(), Port: c.Name, In: inst.Name(), Up: up, Silent: e.SilentOut, Tags: []string{}}
			if !up {
				end.Why, end.Code = why.Info().Text, why.String()
			}
			if c.Address.IsValid() {
				end.Address = c.Address.String()
			}
			if c.OSPF.On {
				end.Cost, end.Area = inst.Config().OSPF.CostOf(c), labtext.FormatArea(c.OSPF.Area)
			}
			if v := inst.OSPF().Port(e.Port); v.Broadcast && v.State >= ospf.PortWaiting {
				end.Role = v.State.String()
			}
			inst.OSPF().Neighbours(e.Port, func(n ospf.NeighbourView) { end.State = n.State.String() })
			end.subPorts(d, e.Port)
			l.Ends = append(l.Ends, end)
		}
		// Packets into an end vanish: on a link, those from the other end do.
		if m.Kind == network.Link {
			l.Ends[0].Silent = l.Ends[0].Silent || m.Ends[1].SilentIn
			l.Ends[1].Silent = l.Ends[1].Silent || m.Ends[0].SilentIn
			l.ID = facts.PortName(w.Device(m.Ends[0].Device),
				m.Ends[0].Port) + " " + facts.PortName(w.Device(m.Ends[1].Device), m.Ends[1].Port)
		}
		out.Links = append(out.Links, l)
	}
	return out
}

// subPorts puts what a cable's sub-ports say on its end: their addresses, and the
// cost and area if they agree.
func (end *MapEnd) subPorts(d *device.Device, port uint32) {
	first := true
	for i := range d.Ports() {
		p := &d.Ports()[i]
		if p.Config.VLAN == 0 || p.Gone || d.Carries(uint32(i)) != port {
			continue
		}
		word := p.Config.Name
		if p.Config.Address.IsValid() {
			word += " " + p.Config.Address.String()
		}
		end.Tags = append(end.Tags, word)
		if p.Config.OSPF.On {
			cost := d.InstanceOf(uint32(i)).Config().OSPF.CostOf(p.Config)
			if first && end.Area == "" {
				end.Cost, end.Area = cost, labtext.FormatArea(p.Config.OSPF.Area)
			} else if cost != end.Cost {
				end.Cost = 0
			}
			first = false
			d.InstanceOf(uint32(i)).OSPF().Neighbours(uint32(i), func(n ospf.NeighbourView) { end.State = n.State.String() })
		}
	}
}

func bayOf(inst *device.Instance) MapBay {
	b := MapBay{Name: inst.Name(), Ports: []string{}, Addresses: []string{}, AS: inst.Config().BGP.AS}
	d := inst.Device()
	if inst.OSPF().Running() {
		b.RouterID = inst.OSPF().RouterID().String()
	}
	for i := range d.Ports() {
		if p := &d.Ports()[i]; !p.Gone && p.Config.Virtual == nil && d.InstanceOf(uint32(i)) == inst {
			b.Ports = append(b.Ports, p.Config.Name)
			if a := p.Config.Address.Addr(); a.IsValid() {
				b.Addresses = append(b.Addresses, a.String())
			}
		}
	}
	return b
}

func reflects(inst *device.Instance) bool {
	for _, p := range inst.Config().BGP.Peers {
		if p.Client {
			return true
		}
	}
	return false
}

// mapSessions are the sessions whose two ends are devices of the lab.
func mapSessions(w *network.World) []MapSession {
	out := []MapSession{}
	for _, n := range relations.Sessions(w) {
		if w.Find(n.A.Device) == nil || w.Find(n.B.Device) == nil {
			continue
		}
		m := MapSession{A: n.A.Device, B: n.B.Device, InA: n.A.Instance, InB: n.B.Instance, External: n.Session.External, Up: n.Up, State: n.State}
		if n.Session.A != nil {
			m.Peer = n.Session.A.Peer
		}
		if n.Session.B != nil {
			m.Back = n.Session.B.Peer
		}
		if len(n.Reasons) > 0 {
			m.Why = n.Reasons[0].Text
		}
		a, b := w.Find(m.A), w.Find(m.B)
		for i := range a.Ports() {
			for _, e := range w.Facing(a.ID(), uint32(i)) {
				m.Linked = m.Linked || e.Device == b.ID()
			}
		}
		out = append(out, m)
	}
	return out
}
