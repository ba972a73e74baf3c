package labtext

import (
	"fmt"
	"net/netip"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"hellebore/core/language/config"
)

// Place is where in a text something is.
type Place struct {
	Line   int `json:"line" doc:"from 1; 0 if it is not in the text"`
	Column int `json:"column"`
}

// Result is what a text says.
type Result struct {
	Lab      config.Lab
	Problems []Problem        // errors and warnings, by line
	Places   map[string]Place // where devices, ports ("viaduct.e1") and flows are
	root     *Node
}

// OK says whether the text has no errors: only then Lab may be used.
func (r *Result) OK() bool {
	for _, p := range r.Problems {
		if p.Severity == Error {
			return false
		}
	}
	return true
}

// Parse reads a text: all its errors at once, and the warnings that it earns
// when it has none.
func Parse(text string) *Result {
	text = Normal(text)
	if p := limits(text); p != nil {
		return &Result{Problems: []Problem{*p}}
	}
	root, problems := parse(text)
	b := &builder{parser: parser{problems: problems}, places: map[string]Place{}, devices: map[string]int{}, names: map[[2]string]bool{}, joined: map[config.PortRef]Token{}}
	b.result.Seed = 1
	b.children(root)
	b.references()
	r := &Result{Lab: b.result, Places: b.places, root: root}
	r.Problems = b.problems
	if r.OK() {
		r.Problems = append(r.Problems, b.warnings()...)
	}
	sort.SliceStable(r.Problems, func(i, j int) bool {
		a, b := r.Problems[i], r.Problems[j]
		return a.Line < b.Line || a.Line == b.Line && a.Column < b.Column
	})
	if len(r.Problems) > maxProblems {
		last := r.Problems[maxProblems]
		r.Problems = append(r.Problems[:maxProblems:maxProblems], Problem{Severity: Error, Line: last.Line, Column: last.Column, End: last.End,
			Message: fmt.Sprintf("there are more than %d problems; those from here on are not shown", maxProblems), Hint: "fix the first ones"})
	}
	if len(r.Problems) > 0 {
		rows := strings.Split(text, "\n")
		for i := range r.Problems {
			r.Problems[i].Fix = fixOf(r.Problems[i], rows)
		}
	}
	return r
}

// Bounds of a text, beside its size.
const (
	MaxDevices  = 10_000
	MaxPorts    = 4_096 // of a device
	maxProblems = 1_000 // that are shown
	maxMeant    = 100   // problems for which another name is suggested
)

// builder turns the tree into config values.
type builder struct {
	parser
	result    config.Lab
	places    map[string]Place
	devices   map[string]int     // by name, indexes of result.Devices
	names     map[[2]string]bool // kinds and names that are taken
	suggested int                // names for unknown ones
	in        Context            // the block that is being read
	device    *config.Device
	at        *config.Port
	route     *config.Static
	told      *config.Area
	sums      *[]config.Summary // of what is injected, or of an NSSA
	sum       *config.Summary
	joint     *config.Range
	inj       *config.Inject
	out       *config.External // of inject or originate
	set       *config.PrefixSet
	chain     *config.KeyChain
	wire      *config.Link
	seg       *config.Segment
	traced    *config.Flow
	deadAt    bool // a dead interval was given

	groups    map[string]*Node // of the bgp block that is being read
	peerNodes []*Node
	session   *config.Peer
	passes    string         // the policy that a through names
	needs     config.Depends // what a when or an unless asks for
	rules     *config.Policy
	clause    *config.Statement
	often     int // how often a prepend is done
	test      *config.Check
	hope      *config.Expect
	// References are checked when everything is there.
	chainRefs  []Token
	signRefs   []Token // of key chains, at peers
	policyRefs []policyRef
	memberRefs []memberRef
	localRefs  []localRef
	flowRefs   []Token // of flows, at checks
	checkRefs  []Token // of checks, at tasks
	faultRefs  []pending
	portRefs   []pending
	deviceRefs []pending
	joined     map[config.PortRef]Token
}

type pending struct {
	token Token
	ref   config.PortRef
}

func (b *builder) children(n *Node) {
	outer := b.in
	b.in = n.Row.Opens
	for _, c := range n.Children {
		c.Row.build(b, c)
	}
	b.in = outer
}

func (b *builder) place(name string, t Token) { b.places[name] = Place{t.Line, t.Column} }

func (b *builder) lab(n *Node)  { b.result.Name = n.Args[0].Text; b.children(n) }
func (b *builder) seed(n *Node) { b.result.Seed = number(n.Args[0]) }

func (b *builder) helloJitter(n *Node) { b.result.Exact = n.Args[0].Text == "off" }

func number(t Token) uint64 {
	v, _ := strconv.ParseUint(t.Text, 10, 64)
	return v
}

func duration(t Token) time.Duration {
	d, _ := parseDuration(t.Text)
	return d
}

// find is a device by its name, nil if there is none.
func (b *builder) find(name string) *config.Device {
	if i, ok := b.devices[name]; ok && i >= 0 {
		return &b.result.Devices[i]
	}
	return nil
}

// taken says whether a name of a kind is taken already; from now on it is.
func (b *builder) taken(kind, name string) bool {
	key := [2]string{kind, name}
	was := b.names[key]
	b.names[key] = true
	return was
}

// newDevice adds a device, unless its name is taken.
func (b *builder) newDevice(n *Node, kind config.Kind) bool {
	name := n.Args[0]
	if len(b.devices) >= MaxDevices {
		if len(b.devices) == MaxDevices {
			b.devices[name.Text+" and more"] = -1 // say it once
			b.errorf(name, "split the lab", "more than %d devices", MaxDevices)
		}
		return false
	}
	if b.find(name.Text) != nil {
		b.errorf(name, "choose another name", "there is another device named %s, on line %d", name.Text, b.places[name.Text].Line)
		return false
	}
	b.place(name.Text, name)
	b.devices[name.Text] = len(b.result.Devices)
	b.result.Devices = append(b.result.Devices, config.Device{Name: name.Text, Kind: kind,
		OSPF: config.OSPF{ReferenceBandwidth: config.DefaultReferenceBandwidth, MaxECMP: config.DefaultMaxECMP}})
	b.device = &b.result.Devices[len(b.result.Devices)-1]
	return true
}

func (b *builder) router(n *Node) {
	if b.newDevice(n, config.Router) {
		b.children(n)
	}
	b.device = nil
}

func (b *builder) host(n *Node) {
	if b.newDevice(n, config.Host) {
		b.addPort(n, config.HostPort, false, n.Args[1:])
	}
	b.device, b.at = nil, nil
}

func (b *builder) loopback(n *Node) { b.addPort(n, n.Args[0].Text, true, n.Args[1:]); b.at = nil }
func (b *builder) port(n *Node)     { b.addPort(n, n.Args[0].Text, false, n.Args[1:]); b.at = nil }

func (b *builder) addPort(n *Node, name string, loopback bool, address []Token) {
	full := config.PortRef{Device: b.device.Name, Port: name}.String()
	if b.device.Port(name) != nil {
		b.errorf(n.Args[0], "choose another name", "%s has another port named %s, on line %d", b.device.Name, name, b.places[full].Line)
		return
	}
	if len(b.device.Ports) >= MaxPorts {
		b.errorf(n.Args[0], "split the router", "more than %d ports on %s", MaxPorts, b.device.Name)
		return
	}
	p := config.Port{Name: name, Loopback: loopback, Bandwidth: config.DefaultBandwidth, MTU: config.DefaultMTU}
	if len(address) > 0 {
		p.Address, _ = netip.ParsePrefix(address[0].Text)
	}
	if b.device.Kind == config.Router {
		b.place(full, n.Args[0])
	}
	b.device.Ports = append(b.device.Ports, p)
	b.at = &b.device.Ports[len(b.device.Ports)-1]
	b.children(n)
}

// vlan adds a sub-port, which is beside its port in the config.
func (b *builder) vlan(n *Node) {
	parent := b.at.Name
	sub := n.Args[0].Text
	name := parent + "." + sub
	outer := len(b.device.Ports) - 1
	if b.device.Port(name) != nil {
		b.errorf(n.Args[0], "choose another tag", "%s.%s has the tag %s twice", b.device.Name, parent, sub)
		return
	}
	for b.device.Ports[outer].Name != parent {
		outer--
	}
	bandwidth, mtu := b.at.Bandwidth, b.at.MTU
	full := config.PortRef{Device: b.device.Name, Port: name}.String()
	p := config.Port{Name: name, Parent: parent, VLAN: uint16(number(n.Args[0])), Bandwidth: bandwidth, MTU: mtu}
	if len(n.Args) > 1 {
		p.Address, _ = netip.ParsePrefix(n.Args[1].Text)
	}
	b.place(full, n.Args[0])
	b.device.Ports = append(b.device.Ports, p)
	b.at = &b.device.Ports[len(b.device.Ports)-1]
	b.children(n)
	b.at = &b.device.Ports[outer]
}

func (b *builder) routerID(n *Node)  { b.device.RouterID, _ = netip.ParseAddr(n.Args[0].Text) }
func (b *builder) bandwidth(n *Node) { b.at.Bandwidth, _ = parseRate(n.Args[0].Text) }
func (b *builder) mtu(n *Node)       { b.at.MTU = uint16(number(n.Args[0])) }

func (b *builder) static(n *Node) {
	s := config.Static{Preference: config.DefaultStaticPreference}
	s.Prefix, _ = netip.ParsePrefix(n.Args[0].Text)
	b.route = &s
	b.children(n)
	switch {
	case s.Blackhole && s.Via.IsValid():
		b.errorf(n.Word, "keep one of them", "a static route has a next hop or is a blackhole, not both")
	case !s.Blackhole && !s.Via.IsValid():
		b.errorf(n.Word, "add via ADDRESS, or blackhole", "the static route does not say where to")
	default:
		b.device.Statics = append(b.device.Statics, s)
	}
}

func (b *builder) via(n *Node)        { b.route.Via, _ = netip.ParseAddr(n.Args[0].Text) }
func (b *builder) blackhole(*Node)    { b.route.Blackhole = true }
func (b *builder) preference(n *Node) { b.route.Preference = uint8(number(n.Args[0])) }

// defaultOSPF reads a block of OSPF's settings of a port over their defaults.
func (b *builder) defaultOSPF(n *Node) {
	o := &b.at.OSPF
	*o = config.PortOSPF{On: true, Priority: config.DefaultPriority, HelloInterval: config.DefaultHello,
		RetransmitInterval: config.DefaultRetransmit, TransmitDelay: config.DefaultTransmitDelay}
	b.deadAt = false
	b.children(n)
	if !b.deadAt {
		o.DeadInterval = min(config.DeadFactor*o.HelloInterval, 65535*time.Second)
	}
}

func (b *builder) portOSPF(n *Node) {
	b.defaultOSPF(n)
	for _, c := range n.Children {
		if c.Row.Word == "area" {
			return
		}
	}
	b.errorf(n.Word, "write ospf area 0", "ospf does not say in which area the port is")
}

func (b *builder) area(n *Node)       { b.at.OSPF.Area, _ = parseArea(n.Args[0].Text) }
func (b *builder) priority(n *Node)   { b.at.OSPF.Priority = uint8(number(n.Args[0])) }
func (b *builder) ignoreMTU(*Node)    { b.at.OSPF.IgnoreMTU = true }
func (b *builder) cost(n *Node)       { b.at.OSPF.Cost = uint16(number(n.Args[0])) }
func (b *builder) hello(n *Node)      { b.at.OSPF.HelloInterval = duration(n.Args[0]) }
func (b *builder) dead(n *Node)       { b.at.OSPF.DeadInterval, b.deadAt = duration(n.Args[0]), true }
func (b *builder) retransmit(n *Node) { b.at.OSPF.RetransmitInterval = duration(n.Args[0]) }
func (b *builder) transmitDelay(n *Node) {
	b.at.OSPF.TransmitDelay = duration(n.Args[0])
}
func (b *builder) passive(*Node) { b.at.OSPF.Passive = true }

func (b *builder) ownMask(n *Node) {
	if !b.at.Loopback {
		b.errorf(n.Word, "take it out", "%s is a port, whose network is announced with its mask anyway", b.at.Name)
	}
	b.at.OSPF.OwnMask = true
}

func (b *builder) ospf(n *Node) {
	b.sums = &b.device.OSPF.Summaries
	b.children(n)
}
func (b *builder) rfc1583(n *Node)   { b.device.OSPF.Strict = n.Args[0].Text == "off" }
func (b *builder) maxECMP(n *Node)   { b.device.OSPF.MaxECMP = int(number(n.Args[0])) }
func (b *builder) reference(n *Node) { b.device.OSPF.ReferenceBandwidth, _ = parseRate(n.Args[0].Text) }

func (b *builder) gateway(n *Node) {
	via, _ := netip.ParseAddr(n.Args[0].Text)
	b.device.Statics = append(b.device.Statics, config.Static{
		Prefix: netip.PrefixFrom(netip.IPv4Unspecified(), 0), Via: via, Preference: config.DefaultStaticPreference})
	if !b.at.Address.Contains(via) {
		b.errorf(n.Args[0], fmt.Sprintf("choose an address in %v", b.at.Address.Masked()), "the gateway is not on the host's network")
	}
}

func (b *builder) service(n *Node) {
	s := config.Service{Port: uint16(number(n.Args[0]))}
	if len(n.Args) > 1 {
		s.Name = n.Args[1].Text
	}
	if slices.ContainsFunc(b.device.Services, func(o config.Service) bool { return o.Port == s.Port }) {
		b.errorf(n.Args[0], "keep one of them", "%s has two services on port %d", b.device.Name, s.Port)
		return
	}
	b.device.Services = append(b.device.Services, s)
}

// disabled is in several blocks: the one that is being read is meant.
func (b *builder) disabled(*Node) {
	switch b.in {
	case PortOf, VLANOf, Loopback:
		b.at.Disabled = true
	case PortOSPF, VirtOf:
		b.at.OSPF.Disabled = true
	case OSPFOf:
		b.device.OSPF.Disabled = true
	case BGPOf:
		b.device.BGP.Disabled = true
	case PeerOf, GroupOf:
		b.session.Disabled = true
	default:
		b.device.Disabled = true
	}
}

func (b *builder) link(n *Node) {
	l := config.Link{A: ParseRef(n.Args[0].Text), B: ParseRef(n.Args[1].Text), Delay: config.DefaultDelay}
	b.portRefs = append(b.portRefs, pending{n.Args[0], l.A}, pending{n.Args[1], l.B})
	b.wire = &l
	b.children(n)
	b.wire = nil
	b.result.Links = append(b.result.Links, l)
}

func (b *builder) segment(n *Node) {
	s := config.Segment{Name: n.Args[0].Text, Delay: config.DefaultDelay}
	if b.taken("segment", s.Name) {
		b.errorf(n.Args[0], "choose another name", "there is another segment named %s", s.Name)
	}
	for _, t := range n.Args[1:] {
		r := ParseRef(t.Text)
		b.portRefs = append(b.portRefs, pending{t, r})
		s.Ports = append(s.Ports, r)
	}
	b.seg = &s
	b.children(n)
	b.seg = nil
	b.result.Segments = append(b.result.Segments, s)
}

func (b *builder) delay(n *Node) {
	d := duration(n.Args[0])
	if b.wire != nil {
		b.wire.Delay = d
	} else {
		b.seg.Delay = d
	}
}

func (b *builder) loss(n *Node)      { b.wire.Loss, _ = parsePercent(n.Args[0].Text) }
func (b *builder) reorder(n *Node)   { b.wire.Reorder, _ = parsePercent(n.Args[0].Text) }
func (b *builder) duplicate(n *Node) { b.wire.Duplicate, _ = parsePercent(n.Args[0].Text) }

func (b *builder) flow(n *Node) {
	f := config.Flow{Name: n.Args[0].Text, From: n.Args[1].Text, To: n.Args[3].Text, Every: config.DefaultEvery}
	if b.taken("flow", f.Name) {
		b.errorf(n.Args[0], "choose another name", "there is another flow named %s", f.Name)
	}
	b.place("flow "+f.Name, n.Args[0])
	b.deviceRefs = append(b.deviceRefs, pending{token: n.Args[1]}, pending{token: n.Args[3]})
	b.traced = &f
	b.children(n)
	b.result.Flows = append(b.result.Flows, f)
}

func (b *builder) every(n *Node) { b.traced.Every = duration(n.Args[0]) }

// references checks that what is referred to exists, and that a port is joined
// once.
func (b *builder) references() {
	var names []string
	for _, d := range b.result.Devices {
		names = append(names, d.Name)
	}
	for _, r := range b.deviceRefs {
		if b.find(r.token.Text) == nil {
			b.errorf(r.token, b.meant(r.token.Text, names), "there is no device named %s", r.token.Text)
		}
	}
	for _, r := range b.portRefs {
		d := b.find(r.ref.Device)
		switch {
		case d == nil:
			b.errorf(r.token, b.meant(r.ref.Device, names), "there is no device named %s", r.ref.Device)
			continue
		case d.Port(r.ref.Port) == nil && r.ref.Port == config.HostPort:
			b.errorf(r.token, "write "+d.Name+".PORT", "%s is a router: say which port", d.Name)
			continue
		case d.Port(r.ref.Port) == nil:
			var ports []string
			for _, p := range d.Ports {
				if !p.Loopback {
					ports = append(ports, p.Name)
				}
			}
			b.errorf(r.token, b.meant(r.ref.Port, ports), "%s has no port named %s", d.Name, r.ref.Port)
			continue
		case d.Port(r.ref.Port).Loopback:
			b.errorf(r.token, "join a port", "%v is a loopback: it cannot be joined to anything", r.ref)
			continue
		}
		if first, twice := b.joined[r.ref]; twice {
			b.errorf(r.token, "take it out of one of them", "%v is already joined on line %d", r.ref, first.Line)
			continue
		}
		b.joined[r.ref] = r.token
	}
	b.resolveKeys()
	b.resolveSessionKeys()
	b.bgpReferences()
	b.checkReferences()
	for i := range b.result.Devices {
		injects := b.result.Devices[i].OSPF.Injects
		for k := range injects {
			injects[k].Policy = slices.ContainsFunc(b.result.Policies.List, func(p config.Policy) bool { return p.Name == injects[k].Through })
			for _, s := range b.result.Sets {
				if s.Name == injects[k].Through {
					injects[k].Set = s.Members
				}
			}
		}
	}
}

// meant is a hint for a name that does not exist.
func (b *builder) meant(name string, known []string) string {
	if b.suggested++; b.suggested > maxMeant {
		return ""
	}
	if near := nearest(name, known); near != "" {
		return fmt.Sprintf("did you mean %s?", near)
	}
	if len(known) == 0 {
		return "there are none yet"
	}
	if len(known) > 8 {
		return ""
	}
	var hint strings.Builder
	hint.WriteString("known: ")
	for i, k := range known {
		if i > 0 {
			hint.WriteString(", ")
		}
		hint.WriteString(k)
	}
	return hint.String()
}
