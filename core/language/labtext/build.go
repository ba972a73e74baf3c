package labtext

import (
	"net/netip"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// Place is where in a text something is.
type Place struct {
	Line   int `json:"line" doc:"from 1; 0 if it is not in the text"`
	Column int `json:"column"` // from 1
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
	b := &builder{parser: parser{problems: problems, root: root}, places: map[string]Place{}, devices: map[string]int{},
		names: map[[2]string]bool{}, joined: map[config.PortRef]Token{}}
	b.result.Seed = 1
	b.open = []any{&b.result.Policies}
	b.children(b.expanded())
	b.references()
	b.once()
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
		r.Problems = append(r.Problems[:maxProblems:maxProblems],
			Problem{Severity: Error, Line: last.Line, Column: last.Column, End: last.End,
				Message: phrase.Say("there are more than %d problems; those from here on are not shown", maxProblems),
				Hint:    phrase.Text("fix the first ones")})
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
	device    string             // the router that is being read; "" outside of one
	instance  string             // of the router that is being read; "" for main
	open      []any              // pointers to what is being read, the innermost last

	groups    map[string]*Node // of the bgp block that is being read
	peerNodes []*Node
	// References are checked when everything is there.
	chainRefs  []Token
	signRefs   []Token // of key chains, at peers
	policyRefs []policyRef
	memberRefs []memberRef
	localRefs  []localRef
	takeRefs   []takeRef
	flowRefs   []Token // of flows, at checks
	checkRefs  []Token // of checks, at tasks
	faultRefs  []pending
	portRefs   []pending
	riskRefs   []Token // ports of links in risk groups
	riskSegs   []Token // segments in risk groups
	deviceRefs []pending
	joined     map[config.PortRef]Token

	templateNames []Token
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

// fill reads the statements of a block into values: their build functions find them
// with of.
func (b *builder) fill(n *Node, values ...any) {
	b.open = append(b.open, values...)
	b.children(n)
	b.open = b.open[:len(b.open)-len(values)]
}

// of is the innermost value of a type that is being read.
func of[T any](b *builder) *T {
	for i := len(b.open) - 1; i >= 0; i-- {
		if v, ok := b.open[i].(*T); ok {
			return v
		}
	}
	panic("no such block is being read: a row of the grammar is in a context that its build function does not know")
}

func (b *builder) place(name string, t Token) { b.places[name] = Place{t.Line, t.Column} }

func (b *builder) lab(n *Node)        { b.result.Name = n.Args[0].Text; b.children(n) }
func (b *builder) about(n *Node)      { b.result.About = n.Args[0].Text }
func (b *builder) difficulty(n *Node) { b.result.Difficulty = n.Args[0].Text }
func (b *builder) seed(n *Node)       { b.result.Seed = number(n.Args[0]) }

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

// newDevice adds a device, unless its name is taken; then it is nil.
func (b *builder) newDevice(n *Node, kind config.Kind) *config.Device {
	name := n.Args[0]
	if len(b.devices) >= MaxDevices {
		if len(b.devices) == MaxDevices {
			b.devices[name.Text+" and more"] = -1 // say it once
			b.errorf(name, "split the lab", "more than %d devices", MaxDevices)
		}
		return nil
	}
	if b.find(name.Text) != nil {
		b.errorf(name, "choose another name", "there is another device named %s, on line %d", name.Text,
			b.places[name.Text].Line)
		return nil
	}
	b.place(name.Text, name)
	b.devices[name.Text] = len(b.result.Devices)
	b.result.Devices = append(b.result.Devices, config.Device{Name: name.Text, Kind: kind, Routing: newRouting()})
	return &b.result.Devices[len(b.result.Devices)-1]
}

// newRouting is an instance that says nothing.
func newRouting() config.Routing {
	return config.Routing{OSPF: config.OSPF{ReferenceBandwidth: config.DefaultReferenceBandwidth, MaxECMP: config.DefaultMaxECMP, SPF: config.DefaultSPFDelays}}
}

// owner is the instance that is being read, by name: "junction/ferry", or "junction" for main.
func (b *builder) owner() string { return config.InstanceRef(of[config.Device](b).Name, b.instance) }

func (b *builder) router(n *Node) {
	if d := b.newDevice(n, config.Router); d != nil {
		b.device = d.Name
		b.fill(n, d, &d.Routing, &d.Policies)
		b.device = ""
	}
}

// own is a name for something that a router may have of its own: below the name of the
// router that is being read.
func (b *builder) own(s string) string { return strings.TrimSpace(b.device + " " + s) }

// policiesOf are the policies that a router has; those of the lab for "".
func (b *builder) policiesOf(device string) config.Policies {
	if d := b.find(device); d != nil {
		return d.Policies.Over(&b.result.Policies)
	}
	return b.result.Policies
}

func (b *builder) host(n *Node) {
	if d := b.newDevice(n, config.Host); d != nil {
		b.open = append(b.open, d, &d.Routing)
		b.addPort(n, config.HostPort, false, n.Args[1:])
		b.open = b.open[:len(b.open)-2]
	}
}

func (b *builder) loopback(n *Node) { b.addPort(n, n.Args[0].Text, true, n.Args[1:]) }
func (b *builder) port(n *Node)     { b.addPort(n, n.Args[0].Text, false, n.Args[1:]) }

// subPorts are those of the port that is being read.
type subPorts []config.Port

func (b *builder) addPort(n *Node, name string, loopback bool, address []Token) {
	d := of[config.Device](b)
	full := config.PortRef{Device: d.Name, Port: name}.String()
	if d.Port(name) != nil {
		b.errorf(n.Args[0], "choose another name", "%s has another port named %s, on line %d", d.Name, name,
			b.places[full].Line)
		return
	}
	if len(d.Ports) >= MaxPorts {
		b.errorf(n.Args[0], "split the router", "more than %d ports on %s", MaxPorts, d.Name)
		return
	}
	p := config.Port{Name: name, Instance: b.instance, Loopback: loopback, Bandwidth: config.DefaultBandwidth, MTU: config.DefaultMTU}
	if len(address) > 0 {
		p.Address, _ = netip.ParsePrefix(address[0].Text)
	}
	if d.Kind == config.Router {
		b.place(full, n.Args[0])
	}
	var subs subPorts
	b.fill(n, &p, &subs)
	d.Ports = append(append(d.Ports, p), subs...)
}

// vlan adds a sub-port, which is beside its port in the config.
func (b *builder) vlan(n *Node) {
	d, parent, subs := of[config.Device](b), of[config.Port](b), of[subPorts](b)
	sub := n.Args[0].Text
	name := parent.Name + "." + sub
	if slices.ContainsFunc(*subs, func(p config.Port) bool { return p.Name == name }) || d.Port(name) != nil {
		b.errorf(n.Args[0], "choose another tag", "%s.%s has the tag %s twice", d.Name, parent.Name, sub)
		return
	}
	p := config.Port{Name: name, Instance: b.instance, Parent: parent.Name, VLAN: uint16(number(n.Args[0])), Bandwidth: parent.Bandwidth,
		MTU: parent.MTU}
	if len(n.Args) > 1 {
		p.Address, _ = netip.ParsePrefix(n.Args[1].Text)
	}
	b.place(config.PortRef{Device: d.Name, Port: name}.String(), n.Args[0])
	b.fill(n, &p)
	*subs = append(*subs, p)
}

func (b *builder) routerID(n *Node) {
	of[config.Routing](b).RouterID, _ = netip.ParseAddr(n.Args[0].Text)
}
func (b *builder) bandwidth(n *Node) { of[config.Port](b).Bandwidth, _ = parseRate(n.Args[0].Text) }
func (b *builder) mtu(n *Node)       { of[config.Port](b).MTU = uint16(number(n.Args[0])) }

func (b *builder) static(n *Node) {
	s := config.Static{Preference: config.DefaultStaticPreference}
	s.Prefix, _ = netip.ParsePrefix(n.Args[0].Text)
	b.fill(n, &s)
	switch {
	case s.Blackhole && s.Via.IsValid():
		b.errorf(n.Word, "keep one of them", "a static route has a next hop or is a blackhole, not both")
	case !s.Blackhole && !s.Via.IsValid():
		b.errorf(n.Word, "add via ADDRESS, or blackhole", "the static route does not say where to")
	default:
		of[config.Routing](b).Statics = append(of[config.Routing](b).Statics, s)
	}
}

func (b *builder) via(n *Node)        { of[config.Static](b).Via, _ = netip.ParseAddr(n.Args[0].Text) }
func (b *builder) blackhole(*Node)    { of[config.Static](b).Blackhole = true }
func (b *builder) preference(n *Node) { of[config.Static](b).Preference = uint8(number(n.Args[0])) }

// timers says what of a port's timers was given.
type timers struct{ dead bool }

// defaultOSPF reads a block of OSPF's settings of a port over their defaults.
func (b *builder) defaultOSPF(n *Node) {
	o := &of[config.Port](b).OSPF
	var given timers
	*o = config.PortOSPF{On: true, Priority: config.DefaultPriority, HelloInterval: config.DefaultHello,
		RetransmitInterval: config.DefaultRetransmit, TransmitDelay: config.DefaultTransmitDelay}
	b.fill(n, &given)
	if !given.dead {
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

func (b *builder) area(n *Node)      { of[config.Port](b).OSPF.Area, _ = parseArea(n.Args[0].Text) }
func (b *builder) priority(n *Node)  { of[config.Port](b).OSPF.Priority = uint8(number(n.Args[0])) }
func (b *builder) ignoreMTU(n *Node) { of[config.Port](b).OSPF.IgnoreMTU = on(n) }
func (b *builder) cost(n *Node)      { of[config.Port](b).OSPF.Cost = uint16(number(n.Args[0])) }
func (b *builder) hello(n *Node)     { of[config.Port](b).OSPF.HelloInterval = duration(n.Args[0]) }
func (b *builder) dead(n *Node) {
	of[config.Port](b).OSPF.DeadInterval, of[timers](b).dead = duration(n.Args[0]), true
}
func (b *builder) retransmit(n *Node) {
	of[config.Port](b).OSPF.RetransmitInterval = duration(n.Args[0])
}
func (b *builder) transmitDelay(n *Node) {
	of[config.Port](b).OSPF.TransmitDelay = duration(n.Args[0])
}
func (b *builder) passive(n *Node) { of[config.Port](b).OSPF.Passive = on(n) }

func (b *builder) ownMask(n *Node) {
	if !of[config.Port](b).Loopback {
		b.errorf(n.Word, "take it out", "%s is a port, whose network is announced with its mask anyway",
			of[config.Port](b).Name)
	}
	of[config.Port](b).OSPF.OwnMask = on(n)
}

func (b *builder) ospf(n *Node) {
	b.fill(n, &of[config.Routing](b).OSPF.Summaries)
}
func (b *builder) rfc1583(n *Node) { of[config.Routing](b).OSPF.Strict = n.Args[0].Text == "off" }

// SPFDelay is the delay that a statement sets.
func SPFDelay(s *config.SPFDelays, word string) *time.Duration {
	switch word {
	case "spf-initial-delay":
		return &s.Initial
	case "spf-short-delay":
		return &s.Short
	case "spf-long-delay":
		return &s.Long
	case "spf-time-to-learn":
		return &s.Learn
	}
	return &s.HoldDown
}

func (b *builder) spfDelay(n *Node) {
	*SPFDelay(&of[config.Routing](b).OSPF.SPF, n.Row.Word) = duration(n.Args[0])
}

func (b *builder) maxECMP(n *Node) { of[config.Routing](b).OSPF.MaxECMP = int(number(n.Args[0])) }
func (b *builder) reference(n *Node) {
	of[config.Routing](b).OSPF.ReferenceBandwidth, _ = parseRate(n.Args[0].Text)
}

func (b *builder) gateway(n *Node) {
	via, _ := netip.ParseAddr(n.Args[0].Text)
	of[config.Routing](b).Statics = append(of[config.Routing](b).Statics, config.Static{
		Prefix: netip.PrefixFrom(netip.IPv4Unspecified(), 0), Via: via, Preference: config.DefaultStaticPreference})
	if !of[config.Port](b).Address.Contains(via) {
		b.errorf(n.Args[0], phrase.Say("choose an address in %v", of[config.Port](b).Address.Masked()),
			"the gateway is not on the host's network")
	}
}

func (b *builder) service(n *Node) {
	s := config.Service{Port: uint16(number(n.Args[0]))}
	if len(n.Args) > 1 {
		s.Name = n.Args[1].Text
	}
	if slices.ContainsFunc(of[config.Device](b).Services, func(o config.Service) bool { return o.Port == s.Port }) {
		b.errorf(n.Args[0], "keep one of them", "%s has two services on port %d", of[config.Device](b).Name, s.Port)
		return
	}
	of[config.Device](b).Services = append(of[config.Device](b).Services, s)
}

// disabled is in several blocks: the one that is being read is meant.
func (b *builder) disabled(n *Node) {
	switch b.in {
	case PortOf, VLANOf, Loopback:
		of[config.Port](b).Disabled = on(n)
	case PortOSPF, VirtOf:
		of[config.Port](b).OSPF.Disabled = on(n)
	case OSPFOf:
		of[config.Routing](b).OSPF.Disabled = on(n)
	case BGPOf:
		of[config.Routing](b).BGP.Disabled = on(n)
	case PeerOf, GroupOf:
		of[config.Peer](b).Disabled = on(n)
	default:
		of[config.Device](b).Disabled = on(n)
	}
}

func (b *builder) link(n *Node) {
	l := config.Link{A: ParseRef(n.Args[0].Text), B: ParseRef(n.Args[1].Text), Delay: config.DefaultDelay}
	b.portRefs = append(b.portRefs, pending{n.Args[0], l.A}, pending{n.Args[1], l.B})
	b.fill(n, &l)
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
	b.fill(n, &s)
	b.result.Segments = append(b.result.Segments, s)
}

// at is where a device or a segment is on the map.
func (b *builder) at(n *Node) {
	p := config.Point{Set: true}
	p.X, _ = strconv.Atoi(n.Args[0].Text)
	p.Y, _ = strconv.Atoi(n.Args[1].Text)
	if b.in == SegOf {
		of[config.Segment](b).At = p
	} else {
		of[config.Device](b).At = p
	}
}

func (b *builder) plan(n *Node) {
	p := config.Plan{What: n.Args[0].Text, Length: config.PlanLengths[n.Args[0].Text]}
	p.Prefix, _ = netip.ParsePrefix(n.Args[1].Text)
	b.fill(n, &p)
	if p.Length < p.Prefix.Bits() {
		b.errorf(n.Args[1], phrase.Say("write a length from %d to 32", p.Prefix.Bits()),
			"networks of length %d do not fit into %v", p.Length, p.Prefix)
	}
	b.result.Plans = append(b.result.Plans, p)
}

func (b *builder) planLength(n *Node) { of[config.Plan](b).Length = int(number(n.Args[0])) }
func (b *builder) planAS(n *Node)     { of[config.Plan](b).AS = uint32(number(n.Args[0])) }
func (b *builder) planArea(n *Node) {
	p := of[config.Plan](b)
	p.Area, _ = parseArea(n.Args[0].Text)
	p.InArea = true
}

func (b *builder) delay(n *Node) {
	d := duration(n.Args[0])
	if b.in == LinkOf {
		of[config.Link](b).Delay = d
	} else {
		of[config.Segment](b).Delay = d
	}
}

func (b *builder) loss(n *Node)      { of[config.Link](b).Loss, _ = parsePercent(n.Args[0].Text) }
func (b *builder) reorder(n *Node)   { of[config.Link](b).Reorder, _ = parsePercent(n.Args[0].Text) }
func (b *builder) duplicate(n *Node) { of[config.Link](b).Duplicate, _ = parsePercent(n.Args[0].Text) }

func (b *builder) flow(n *Node) {
	f := config.Flow{Name: n.Args[0].Text, From: n.Args[1].Text, To: n.Args[3].Text, Every: config.DefaultEvery}
	if b.taken("flow", f.Name) {
		b.errorf(n.Args[0], "choose another name", "there is another flow named %s", f.Name)
	}
	b.place("flow "+f.Name, n.Args[0])
	b.deviceRefs = append(b.deviceRefs, pending{token: n.Args[1]}, pending{token: n.Args[3]})
	b.fill(n, &f)
	b.result.Flows = append(b.result.Flows, f)
}

func (b *builder) rate(n *Node) { of[config.Flow](b).Rate, _ = parseRate(n.Args[0].Text) }

func (b *builder) every(n *Node) { of[config.Flow](b).Every = duration(n.Args[0]) }

// references checks that what is referred to exists, and that a port is joined
// once.
func (b *builder) references() {
	var names []string
	for _, d := range b.result.Devices {
		names = append(names, d.Name)
	}
	for _, r := range b.deviceRefs {
		b.atReference(r.token, names)
	}
	for _, r := range b.portRefs {
		d := b.find(r.ref.Device)
		switch {
		case d == nil:
			b.unnamed(r.token, r.ref.Device, names, "there is no device named %s", r.ref.Device)
			continue
		case d.Port(r.ref.Port) == nil && r.ref.Port == config.HostPort:
			b.errorf(r.token, phrase.Say("write %s.PORT", d.Name), "%s is a router: say which port", d.Name)
			continue
		case d.Port(r.ref.Port) == nil:
			var ports []string
			for _, p := range d.Ports {
				if !p.Loopback {
					ports = append(ports, p.Name)
				}
			}
			b.unnamed(r.token, r.ref.Port, ports, "%s has no port named %s", d.Name, r.ref.Port)
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
	b.instanceReferences()
	b.templateReferences()
	b.resolveKeys()
	b.resolveSessionKeys()
	b.bgpReferences()
	b.checkReferences()
	b.riskReferences()
	for i := range b.result.Devices {
		d := &b.result.Devices[i]
		for _, name := range d.InstanceNames() {
			b.resolveInjects(d, d.Instance(name).OSPF.Injects)
		}
	}
}

// resolveInjects finds what the injects of a router go through.
func (b *builder) resolveInjects(d *config.Device, injects []config.Inject) {
	p := d.Policies.Over(&b.result.Policies)
	for k := range injects {
		injects[k].Policy = p.Policy(injects[k].Through) != nil
		for _, s := range p.PrefixSets {
			if s.Name == injects[k].Through {
				injects[k].Set = s.Members
			}
		}
	}
}

// unnamed reports a name in t that nothing has, with the one that was probably meant.
func (b *builder) unnamed(t Token, name string, known []string, format string, args ...any) {
	hint, near := "", ""
	if b.suggested++; b.suggested <= maxMeant {
		near = nearest(name, known)
		switch {
		case near != "":
			hint = didYouMean(near)
		case len(known) == 0:
			hint = "there are none yet"
		case len(known) <= 8:
			hint = phrase.Say("known: %s", strings.Join(known, ", "))
		}
	}
	found := b.errorf(t, hint, format, args...)
	if near == "" {
		return
	}
	switch device, port, dotted := strings.Cut(t.Text, "."); {
	case t.Quoted:
		near = strconv.Quote(near)
	case dotted && device == name:
		near += "." + port
	case dotted && port == name:
		near = device + "." + near
	}
	if device, instance, slashed := strings.Cut(t.Text, "/"); slashed && device == name {
		near += "/" + instance
	} else if slashed && instance == name {
		near = device + "/" + near
	}
	found.instead(near)
}
