// Package tables is what routers hold at a moment: ports, routes, databases and
// shortest-path trees, and how a router came to a route or why it has none.
package tables

import (
	"cmp"
	"slices"
	"strings"

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

// Port is a row of Ports.
type Port struct {
	Device    string        `json:"device"`
	Port      string        `json:"port"`
	Instance  string        `json:"instance,omitempty" doc:"the routing instance that it is in, beside main"`
	Kind      string        `json:"kind" enum:"port,loopback,virtual link,host"`
	Address   string        `json:"address,omitempty"`
	Up        bool          `json:"up"`
	Why       *facts.Reason `json:"why,omitempty" doc:"why it is not up"`
	Since     float64       `json:"since" doc:"seconds since the lab began"`
	Bandwidth string        `json:"bandwidth,omitempty"`
	MTU       uint16        `json:"mtu"`
	JoinedTo  []string      `json:"joinedTo" doc:"the ports at the other end"`
	OSPF      *PortOSPF     `json:"ospf,omitempty"`
}

// PortOSPF is what OSPF does on a port.
type PortOSPF struct {
	Area               string   `json:"area"`
	Type               string   `json:"type" enum:"point-to-point,broadcast,loopback"`
	State              string   `json:"state" enum:"Down,Loopback,Waiting,Point-to-point,DR Other,Backup,DR,Passive" doc:"RFC 2328 9.1, and Passive"`
	Priority           *uint8   `json:"priority,omitempty" doc:"to become DR, on a segment"`
	DR                 string   `json:"dr,omitempty" doc:"the designated router of the segment, a device and its address"`
	BDR                string   `json:"bdr,omitempty"`
	DRWhy              string   `json:"drWhy,omitempty" doc:"why it is the DR"`
	BDRWhy             string   `json:"bdrWhy,omitempty" doc:"why it is the BDR"`
	Cost               uint16   `json:"cost"`
	CostFrom           string   `json:"costFrom" doc:"where the cost comes from"`
	Passive            bool     `json:"passive"`
	Disabled           bool     `json:"disabled"`
	HelloInterval      string   `json:"helloInterval"`
	DeadInterval       string   `json:"deadInterval"`
	RetransmitInterval string   `json:"retransmitInterval"`
	TransmitDelay      string   `json:"transmitDelay"`
	NextHello          *float64 `json:"nextHello,omitempty" doc:"seconds until the next hello"`
	Authentication     string   `json:"authentication" doc:"the key chain in force, without its secrets; none"`
	KeysFrom           string   `json:"keysFrom,omitempty" doc:"where it is set: the port, or its area"`
	Neighbours         []string `json:"neighbours" doc:"device, or else router ID, and state of each"`
}

// Process is a router's OSPF process.
type Process struct {
	Device             string   `json:"device"`
	Running            bool     `json:"running"`
	WhyNot             string   `json:"whyNot,omitempty"`
	RouterID           string   `json:"routerId,omitempty"`
	RouterIDFrom       string   `json:"routerIdFrom,omitempty"`
	Areas              []string `json:"areas"`
	Roles              []string `json:"roles" doc:"area border router, AS boundary router, translator of an NSSA"`
	Ports              int      `json:"ports" doc:"ports on which it runs"`
	Full               int      `json:"full" doc:"neighbours in state Full"`
	LSAs               int      `json:"lsas"`
	SPFRuns            uint32   `json:"spfRuns"`
	ReferenceBandwidth string   `json:"referenceBandwidth"`
}

// Ports is the Ports view, or a part of it: the ports of some owners, routing instances of routers and hosts, with their processes.
type Ports struct {
	Processes []Process `json:"processes"`
	Ports     []Port    `json:"ports"`
	Offset    int       `json:"offset" doc:"of the first owner, among those that were found"`
	Found     int       `json:"found" doc:"owners that have a port that was asked for"`
	Matching  int       `json:"matching" doc:"ports that were asked for"`
	All       int       `json:"all" doc:"ports of the devices that were asked for"`
	Up        int       `json:"up" doc:"of those"`
	OSPF      int       `json:"ospf" doc:"of those that have OSPF"`
}

// PortsAsk is which ports are asked for. The zero value asks for all.
type PortsAsk struct {
	Devices []string // of these; none for all
	Only    string   // "ospf": with OSPF; "down": that are not up; "" for all
	Find    string   // only those that have this in their name, address, or what they are joined to
	Sort    string   // of owners: "" as in the text, "name", "down" for the most ports that are not up first
	Offset  int      // owners to pass over
	Limit   int      // owners; 0 for all
}

// Owner is the routing instance of the port: "viaduct", or "viaduct/mail".
func (p *Port) Owner() string {
	if p.Instance == "" {
		return p.Device
	}
	return config.InstanceRef(p.Device, p.Instance)
}

func (a *PortsAsk) wants(p *Port) bool {
	if a.Only == "ospf" && p.OSPF == nil || a.Only == "down" && p.Up {
		return false
	}
	text := p.Device + "." + p.Port + " " + p.Address + " " + strings.Join(p.JoinedTo, " ")
	return a.Find == "" || strings.Contains(strings.ToLower(text), strings.ToLower(a.Find))
}

// owned is the ports of an owner that are asked for.
type owned struct {
	name  string
	ports []Port
	down  int
}

// part is the part of all ports that is asked for.
func (a *PortsAsk) part(all Ports) Ports {
	out := Ports{Processes: []Process{}, Ports: []Port{}, Offset: a.Offset, All: len(all.Ports)}
	var owners []*owned
	byName := map[string]*owned{}
	for i := range all.Ports {
		p := &all.Ports[i]
		if p.Up {
			out.Up++
		}
		if p.OSPF != nil {
			out.OSPF++
		}
		if !a.wants(p) {
			continue
		}
		out.Matching++
		o := byName[p.Owner()]
		if o == nil {
			o = &owned{name: p.Owner()}
			byName[o.name] = o
			owners = append(owners, o)
		}
		o.ports = append(o.ports, *p)
		if !p.Up {
			o.down++
		}
	}
	out.Found = len(owners)
	switch a.Sort {
	case "name":
		slices.SortStableFunc(owners, func(x, y *owned) int { return facts.CompareNames(x.name, y.name) })
	case "down":
		slices.SortStableFunc(owners, func(x, y *owned) int { return cmp.Compare(y.down, x.down) })
	}
	owners = owners[min(a.Offset, len(owners)):]
	if a.Limit > 0 {
		owners = owners[:min(a.Limit, len(owners))]
	}
	shown := map[string]bool{}
	for _, o := range owners {
		out.Ports = append(out.Ports, o.ports...)
		shown[o.name] = true
	}
	// Owners of which no port matches have a process all the same, if everything is asked for.
	whole := a.Only == "" && a.Find == "" && a.Offset == 0 && a.Limit == 0
	for _, p := range all.Processes {
		if whole || shown[p.Device] {
			out.Processes = append(out.Processes, p)
		}
	}
	return out
}

// PortsOf makes the Ports view of a world.
func PortsOf(w *network.World, ask PortsAsk) Ports {
	all := Ports{Processes: []Process{}, Ports: []Port{}}
	names := facts.NamesOfRouters(w)
	for _, d := range w.Devices() {
		if d.Gone() || len(ask.Devices) > 0 && !slices.Contains(ask.Devices, d.Name()) {
			continue
		}
		if d.Kind() == config.Router {
			for _, inst := range facts.Instances(d) {
				all.Processes = append(all.Processes, ProcessOf(w, inst))
			}
		}
		for i := range d.Ports() {
			if !d.Ports()[i].Gone {
				all.Ports = append(all.Ports, portOf(w, names, d, uint32(i)))
			}
		}
	}
	return ask.part(all)
}

// ProcessOf is the OSPF process of a router, or why it does not run.
func ProcessOf(w *network.World, inst *device.Instance) Process {
	d := inst.Device()
	o := inst.OSPF()
	p := Process{Device: inst.Ref(), Running: o.Running(), Areas: []string{}, Roles: []string{},
		ReferenceBandwidth: labtext.FormatRate(inst.Config().OSPF.ReferenceBandwidth)}
	configured := false
	for i := range d.Ports() {
		if d.InstanceOf(uint32(i)) != inst {
			continue
		}
		c := d.Ports()[i].Config
		configured = configured || c.OSPF.On
		if v := o.Port(uint32(i)); v.On && o.Running() {
			p.Ports++
		}
		o.Neighbours(uint32(i), func(n ospf.NeighbourView) {
			if n.State == adjacency.Full {
				p.Full++
			}
		})
	}
	if o.Running() {
		var areas []uint32
		for i := range d.Ports() {
			if v := o.Port(uint32(i)); v.On && !slices.Contains(areas, v.Area) {
				areas = append(areas, v.Area)
			}
		}
		slices.Sort(areas)
		for _, a := range areas {
			p.Areas = append(p.Areas, labtext.FormatArea(a))
		}
	}
	if !o.Running() {
		switch {
		case !d.Enabled():
			p.WhyNot = note.DeviceDisabled.Info().Text
		case !configured:
			p.WhyNot = phrase.Text("no port runs OSPF")
		case inst.Config().OSPF.Disabled:
			p.WhyNot = phrase.Text("the OSPF process is disabled")
		default:
			p.WhyNot = note.NoRouterID.Info().Text
		}
		return p
	}
	p.RouterID, p.SPFRuns = o.RouterID().String(), o.Runs()
	p.RouterIDFrom = phrase.Text("chosen from the ports")
	if inst.Config().RouterID.IsValid() {
		p.RouterIDFrom = "configured"
	} else {
		for i := range d.Ports() {
			if d.Ports()[i].Address().Quad() == o.RouterID() && d.InstanceOf(uint32(i)) == inst {
				p.RouterIDFrom = phrase.Say("address of %s", d.Ports()[i].Config.Name)
			}
		}
	}
	o.Scopes(inst, func(_ ospf.Scope, _ uint64, each func(key func(id uint32))) { each(func(uint32) { p.LSAs++ }) })
	if o.AreaBorder() {
		p.Roles = append(p.Roles, phrase.Text("area border router"))
	}
	if o.ASBoundary() {
		p.Roles = append(p.Roles, phrase.Text("AS boundary router"))
	}
	for _, a := range o.Areas() {
		if o.Translates(a) {
			p.Roles = append(p.Roles, phrase.Say("translator of area %s", labtext.FormatArea(a)))
		}
	}
	return p
}

func portOf(w *network.World, names *facts.RouterNames, d *device.Device, i uint32) Port {
	p := &d.Ports()[i]
	up, why := d.Up(i)
	out := Port{Device: d.Name(), Port: p.Config.Name, Instance: d.InstanceOf(i).Name(), Kind: "port", Up: up, Since: p.Since.Seconds(),
		MTU: p.Config.MTU, JoinedTo: []string{}}
	switch {
	case d.Kind() == config.Host:
		out.Kind = "host"
	case p.Config.Loopback:
		out.Kind = "loopback"
	case p.Config.Virtual != nil:
		out.Kind = "virtual link"
		if far := names.Of(d.InstanceOf(i))[ip.AddrFrom(p.Config.Virtual.Peer).Quad()]; far != nil {
			out.JoinedTo = append(out.JoinedTo, far.Ref())
		}
		if v := d.InstanceOf(i).OSPF().Port(i); v.Address.IsValid() {
			out.Address = v.Address.String()
		}
	default:
		out.Bandwidth = labtext.FormatRate(p.Config.Bandwidth)
	}
	if p.Config.Address.IsValid() {
		out.Address = p.Config.Address.String()
	}
	if !up {
		r := facts.PlainReason(why, "observed")
		r.Fixes = fixes.For(fixes.Case{World: w, Code: why, A: fixes.End{Device: d, Port: p.Config.Name}})
		out.Why = &r
	}
	for _, e := range w.Facing(d.ID(), i) {
		out.JoinedTo = append(out.JoinedTo, facts.PortName(w.Device(e.Device), e.Port))
	}
	if p.Config.OSPF.On {
		out.OSPF = portOSPF(w, names, d, i)
	}
	return out
}

func portOSPF(w *network.World, names *facts.RouterNames, d *device.Device, i uint32) *PortOSPF {
	p := &d.Ports()[i]
	o := &p.Config.OSPF
	v := d.InstanceOf(i).OSPF().Port(i)
	out := &PortOSPF{Area: labtext.FormatArea(o.Area), Type: "point-to-point", Passive: o.Passive, Disabled: o.Disabled,
		Cost: d.InstanceOf(i).Config().OSPF.CostOf(p.Config), Neighbours: []string{},
		Authentication: labtext.ChainWords(o.Keys), KeysFrom: o.KeysFrom,
		HelloInterval: labtext.FormatDuration(o.HelloInterval), DeadInterval: labtext.FormatDuration(o.DeadInterval),
		RetransmitInterval: labtext.FormatDuration(o.RetransmitInterval),
		TransmitDelay:      labtext.FormatDuration(o.TransmitDelay)}
	up, _ := d.Up(i)
	switch {
	case !v.On || !d.InstanceOf(i).OSPF().Running() || !up || !v.Address.IsValid():
		out.State = "Down"
	case p.Config.Loopback:
		out.State = "Loopback"
	case o.Passive:
		out.State = "Passive"
	default:
		out.State = v.State.String()
	}
	if v.Broadcast {
		out.Type = "broadcast"
		if !v.Passive {
			out.Priority = &v.Priority
			out.DR, out.BDR = facts.AddressWords(w, d.InstanceOf(i), ip.V4(v.DR)), facts.AddressWords(w, d.InstanceOf(i), ip.V4(v.BDR))
			out.DRWhy, out.BDRWhy = electionWords(d.InstanceOf(i).OSPF(), i)
		}
	}
	switch {
	case p.Config.Loopback && o.OwnMask && o.Cost != 0:
		out.Type, out.CostFrom = "loopback", phrase.Text("set on the port")
	case p.Config.Loopback:
		out.Type, out.Cost, out.CostFrom = "loopback", 0, phrase.Text("a loopback costs nothing at its router")
	case p.Config.Virtual != nil:
		out.Cost, out.CostFrom = v.Cost, phrase.Say("of the path through area %s", labtext.FormatArea(p.Config.Virtual.Transit))
	case o.Cost != 0:
		out.CostFrom = phrase.Text("set on the port")
	default:
		out.CostFrom = phrase.Say("%s over %s", labtext.FormatRate(d.InstanceOf(i).Config().OSPF.ReferenceBandwidth), labtext.FormatRate(p.Config.Bandwidth))
	}
	if v.NextHello != 0 {
		in := (v.NextHello - w.Now()).Seconds()
		out.NextHello = &in
	}
	owners := names.Of(d.InstanceOf(i))
	d.InstanceOf(i).OSPF().Neighbours(i, func(n ospf.NeighbourView) {
		out.Neighbours = append(out.Neighbours, owners.Name(n.RouterID)+" "+n.State.String())
	})
	return out
}
