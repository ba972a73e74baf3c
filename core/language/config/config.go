// Package config is the configuration of a lab as plain values: what its text
// says, with defaults filled in, and nothing of how it is written or run. All
// types compare by reflect.DeepEqual.
package config

import (
	"net/netip"
	"strconv"
	"time"
)

// Lab is all that a lab text says.
type Lab struct {
	Name       string
	About      string   // what it is about, in a sentence
	Difficulty string   // easy, medium or hard; "" if the text does not say
	Seed       uint64   // of all randomness of the lab
	Exact      bool     // hellos are sent at their interval to the nanosecond, without jitter
	Devices    []Device // names are unique
	Links      []Link
	Segments   []Segment
	Flows      []Flow
	RiskGroups []RiskGroup // names are unique
	Chains     []KeyChain  // names are unique
	Policies   Policies    // of the whole lab
	Checks     []Check     // names are unique
	Brief      Brief
	Plans      []Plan
}

// Plan is where the addresses of new links, loopbacks and hosts' networks come from.
type Plan struct {
	What   string // links, loopbacks or lans
	Prefix netip.Prefix
	Length int    // of each network that is taken from it
	Area   uint32 // if InArea: only for what is in this area
	InArea bool
	AS     uint32 // only for what is in this AS; 0: any
}

// PlanLengths are the lengths of networks where a plan says none.
var PlanLengths = map[string]int{"links": 30, "loopbacks": 32, "lans": 24}

// Point is a place on the map, in pixels; the zero Point is none.
type Point struct {
	X, Y int
	Set  bool
}

// String is the point as it is written; "" for none.
func (p Point) String() string {
	if !p.Set {
		return ""
	}
	return strconv.Itoa(p.X) + " " + strconv.Itoa(p.Y)
}

// Kind is what a device is.
type Kind uint8

// The kinds of devices.
const (
	Router Kind = iota
	Host
)

func (k Kind) String() string { return [...]string{"router", "host"}[k] }

// HostPort is the name of a host's only port.
const HostPort = "nic"

// Device is a router or a host. A host has one port, HostPort, and one static
// default route through its gateway, if it has one.
type Device struct {
	Name      string
	Kind      Kind
	Disabled  bool
	Ports     []Port     // of all instances; names are unique within the device
	Routing              // of the instance main
	Instances []Instance // beside main; names are unique within the device
	Policies  Policies   // its own, which hide the lab's of the same name
	Services  []Service  // of a host; ports are unique
	At        Point
}

// MainInstance is the name of the routing instance that every device has.
const MainInstance = "main"

// Instance is a routing instance of a router beside main (RFC 8529's network
// instance): tables and protocols of its own, over the ports that name it.
type Instance struct {
	Name string
	Routing
}

// Routing is how a routing instance makes its table.
type Routing struct {
	RouterID netip.Addr // the zero Addr: chosen by the router
	Statics  []Static
	OSPF     OSPF
	BGP      BGP
	Takes    []Take // at most one from each instance
}

// Take has routes of another instance of the router appear in this one's table: those
// that a policy accepts.
type Take struct {
	From    string // the instance; "" for main
	Through string // name of a policy or a prefix set
}

// Instance is what a router says of an instance, "" for main; nil if there is none of
// that name.
func (d *Device) Instance(name string) *Routing {
	if name == "" {
		return &d.Routing
	}
	for i := range d.Instances {
		if d.Instances[i].Name == name {
			return &d.Instances[i].Routing
		}
	}
	return nil
}

// InstanceNames are the names of a device's instances, "" for main, which is the first.
func (d *Device) InstanceNames() []string {
	names := []string{""}
	for i := range d.Instances {
		names = append(names, d.Instances[i].Name)
	}
	return names
}

// InstanceRef names an instance of a device: "junction/ferry", or "junction" for main.
func InstanceRef(device, instance string) string {
	if instance == "" {
		return device
	}
	return device + "/" + instance
}

// Service is a TCP port on which a host takes connections.
type Service struct {
	Port uint16
	Name string // for people; "" for none
}

// Port is an interface of a device.
type Port struct {
	Name      string
	Loopback  bool
	Disabled  bool
	Address   netip.Prefix // the address with its prefix length; invalid if none
	Bandwidth uint64       // bit/s, what cost is computed from
	MTU       uint16       // bytes of an IP packet
	Instance  string       // that it is in; "" for main
	Parent    string       // of an 802.1Q sub-port, the port that carries it; "" otherwise
	VLAN      uint16       // of an 802.1Q sub-port, its tag; 0 otherwise
	Virtual   *VirtualPort // of a virtual link's end, which is no port of the text; nil otherwise
	OSPF      PortOSPF
}

// Defaults of a port.
const (
	DefaultBandwidth = 1_000_000_000 // bit/s
	DefaultMTU       = 1500          // bytes
)

// PortOSPF is what a port says about OSPF.
type PortOSPF struct {
	On                 bool
	Area               uint32
	Type               PortType
	Priority           uint8  // to become DR of a segment; 0 never does
	Cost               uint16 // 0: from bandwidth and reference bandwidth
	Passive            bool
	OwnMask            bool // of a loopback: its network with its mask, not a host route
	IgnoreMTU          bool
	Keys               *KeyChain // in force: its own, or its area's; nil for none
	KeysFrom           string    // where they are set: "the port", "the virtual link", "area 0"
	Disabled           bool
	HelloInterval      time.Duration // whole seconds, 1 to 65535
	DeadInterval       time.Duration // whole seconds, 1 to 65535
	RetransmitInterval time.Duration // whole seconds
	TransmitDelay      time.Duration // whole seconds
}

// PortType is what OSPF takes the network behind a port for.
type PortType uint8

// The types of ports.
const (
	AutoType PortType = iota // broadcast on a segment, point-to-point on a link
	PointToPoint
	Broadcast
)

// DefaultPriority is the router priority of a port.
const DefaultPriority = 1

// Defaults of OSPF on a port (RFC 2328 C.3). A dead interval that is not given
// is DeadFactor hello intervals.
const (
	DefaultHello         = 10 * time.Second
	DeadFactor           = 4
	DefaultRetransmit    = 5 * time.Second
	DefaultTransmitDelay = time.Second
)

// OSPF is the router's OSPF process. It runs if any port has OSPF.
type OSPF struct {
	Disabled           bool
	ReferenceBandwidth uint64 // bit/s
	Areas              []Area // those that are more than plain
	Injects            []Inject
	Summaries          []Summary // of what is injected
	Default            OriginateDefault
	MaxECMP            int  // equal ways to a prefix, at most
	Strict             bool // RFC1583Compatibility is off (RFC 2328 C.1)
	SPF                SPFDelays
}

// SPFDelays are the parameters of RFC 8405 section 4, 1 ms to 10 min each.
type SPFDelays struct {
	Initial, Short, Long time.Duration
	Learn                time.Duration // TIME_TO_LEARN_INTERVAL
	HoldDown             time.Duration // HOLDDOWN_INTERVAL
}

// DefaultSPFDelays are the values that RFC 8405 section 6 suggests.
var DefaultSPFDelays = SPFDelays{Initial: 50 * time.Millisecond, Short: 200 * time.Millisecond, Long: 5 * time.Second,
	Learn: 500 * time.Millisecond, HoldDown: 10 * time.Second}

// DefaultMaxECMP is how many equal paths to a prefix are used.
const DefaultMaxECMP = 16

// Area is the settings of an area at one router.
type Area struct {
	ID          uint32
	Keys        string // name of a key chain; "" for none
	Stub        bool
	NSSA        bool
	NoSummary   bool
	Translate   bool   // of an NSSA: whoever else does
	DefaultCost uint32 // of the default route into a stub area or NSSA, 0 to 16777214
	Ranges      []Range
	Summaries   []Summary     // of an NSSA's external routes, where they are translated
	Virtual     []VirtualLink // that cross the area
}

// Closed says whether the area takes no AS external LSAs.
func (a *Area) Closed() bool { return a.Stub || a.NSSA }

// KindWords says what sort of area it is.
func (a *Area) KindWords() string {
	switch {
	case a.NSSA:
		return "NSSA"
	case a.Stub:
		return "stub"
	}
	return "plain"
}

// Area is the router's settings of an area; a plain one if it has none.
func (o *OSPF) Area(id uint32) Area {
	for _, a := range o.Areas {
		if a.ID == id {
			return a
		}
	}
	return Area{ID: id, DefaultCost: DefaultStubCost}
}

// VirtualLink joins two border routers of an area through it, as if they had a
// link in the backbone.
type VirtualLink struct {
	Peer netip.Addr // router ID of the other end
	OSPF PortOSPF
}

// VirtualPort is a virtual link's end: through the area Transit to the router
// with the router ID Peer.
type VirtualPort struct {
	Transit uint32 // area
	Peer    netip.Addr
}

// VirtualPorts are the ends of a router's virtual links, as ports in the
// backbone (RFC 2328 15).
func (d *Device) VirtualPorts() []Port {
	var out []Port
	for _, instance := range d.InstanceNames() {
		for _, a := range d.Instance(instance).OSPF.Areas {
			for _, v := range a.Virtual {
				p := Port{Name: "virtual-link " + v.Peer.String(), MTU: DefaultMTU, Virtual: &VirtualPort{a.ID, v.Peer},
					OSPF: v.OSPF, Instance: instance}
				if instance != "" {
					p.Name += " in " + instance
				}
				for _, o := range out {
					if o.Name == p.Name { // to the same router by another area
						p.Name += " by area " + strconv.FormatUint(uint64(a.ID), 10)
					}
				}
				out = append(out, p)
			}
		}
	}
	return out
}

// Summary joins external routes that it covers into one.
type Summary struct {
	Prefix netip.Prefix
	Hidden bool
	Tag    uint32
}

// DefaultStubCost is the cost of the default route that a border router gives a
// stub area.
const DefaultStubCost = 1

// Range joins the networks of an area into one for the other areas.
type Range struct {
	Prefix netip.Prefix
	Cost   uint32 // 0: the largest of what it covers
	Hidden bool
}

// External is how a route from outside is announced.
type External struct {
	Metric uint32 // 0 to 16777214 (RFC 2328 B, LSInfinity)
	Type1  bool
	Tag    uint32
}

// DefaultExternalMetric is the metric of an external route.
const DefaultExternalMetric = 20

// Inject announces the routes of another source as external ones.
type Inject struct {
	External
	Source  string // static, connected or bgp
	Through string // name of a prefix set or a policy; "" for all
	Policy  bool   // Through is a policy
	Set     []Member
}

// OriginateDefault announces a default route: always, or if there is one.
type OriginateDefault struct {
	External
	On, Always bool
}

// KeyChain is a named list of keys (RFC 8177): packets are sent with the first
// and taken with any.
type KeyChain struct {
	Name string
	Keys []Key
}

// Key authenticates packets.
type Key struct {
	ID        uint8  // as packets name it
	Algorithm string // simple, md5, hmac-sha-256 ...
	Secret    string
	// When packets are sent and taken with it, in time since the lab began (RFC
	// 8177 2.1, send-lifetime and accept-lifetime).
	Send, Accept Span
}

// Span is a stretch of time since the lab began; Until 0 is without end.
type Span struct {
	From, Until time.Duration
}

// Holds says whether a time is in the span.
func (s Span) Holds(t time.Duration) bool { return t >= s.From && (s.Until == 0 || t < s.Until) }

// Taken are the keys that packets are taken with at a time: those whose time it
// is, or else the one that packets are sent with.
func (c *KeyChain) Taken(t time.Duration) (keys []Key) {
	for _, k := range c.Keys {
		if k.Accept.Holds(t) {
			keys = append(keys, k)
		}
	}
	if keys == nil {
		keys = append(keys, c.Sending(t))
	}
	return keys
}

// Sending is the key that packets are sent with at a time: the first whose time
// it is, or else the one whose time ended last (RFC 2328 D.3: it is then used on,
// rather than none).
func (c *KeyChain) Sending(t time.Duration) Key {
	last := c.Keys[0]
	for _, k := range c.Keys {
		if k.Send.Holds(t) {
			return k
		}
		if k.Send.Until > last.Send.Until {
			last = k
		}
	}
	return last
}

// PrefixSet is a named set of prefixes.
type PrefixSet struct {
	Name    string
	Members []Member
}

// Member is the prefixes within Prefix whose lengths are from Min to
// Max.
type Member struct {
	Prefix   netip.Prefix
	Min, Max uint8 // 0 to 32
}

// Matches says whether a prefix is in a list of members.
func Matches(members []Member, p netip.Prefix) bool {
	for _, m := range members {
		if n := uint8(p.Bits()); n >= m.Min && n <= m.Max && m.Prefix.Contains(p.Addr()) &&
			p.Bits() >= m.Prefix.Bits() {
			return true
		}
	}
	return false
}

// DefaultReferenceBandwidth makes a port of 1 Gbit/s cost 10.
const DefaultReferenceBandwidth = 10_000_000_000

// CostOf is the cost of a port: its own, or reference bandwidth over bandwidth,
// at least 1 and at most 65535 (RFC 2328 C.3). A loopback costs 0, or with its own
// mask what it says (RFC 2328 12.4.1).
func (o OSPF) CostOf(p *Port) uint16 {
	switch {
	case p.Loopback && !p.OSPF.OwnMask:
		return 0
	case p.OSPF.Cost != 0 || p.Loopback:
		return p.OSPF.Cost
	case p.Bandwidth == 0:
		return 1
	}
	return uint16(min(65535, max(1, o.ReferenceBandwidth/p.Bandwidth)))
}

// DefaultStaticPreference is the route preference of a static route.
const DefaultStaticPreference = 1

// Static is a static route: through an address, or into a blackhole.
type Static struct {
	Prefix     netip.Prefix
	Via        netip.Addr // the zero Addr for a blackhole
	Blackhole  bool
	Preference uint8 // 1 to 255; lower is better
}

// PortRef names a port of a device.
type PortRef struct {
	Device, Port string
}

func (r PortRef) String() string {
	if r.Port == HostPort {
		return r.Device
	}
	return r.Device + "." + r.Port
}

// Link joins two ports point to point.
type Link struct {
	A, B  PortRef
	Delay time.Duration // one way, above 0
	// Packets lost at random, arriving late enough to be overtaken, and arriving
	// twice, each in a million.
	Loss, Reorder, Duplicate uint32
}

// DefaultDelay is the one-way delay of a link or a segment.
const DefaultDelay = time.Millisecond

// Segment joins any number of ports through one switch.
type Segment struct {
	Name  string
	Ports []PortRef
	Delay time.Duration // from any port to any other
	At    Point
}

// Flow is traffic that the lab watches, from one device to another.
type Flow struct {
	Name     string
	From, To string        // device names
	Every    time.Duration // interval of its packets
	Rate     uint64        // bit/s of its traffic; 0 if the text does not say
}

// RiskGroup is what fails together: links, segments and devices that share a duct, a rack or a power feed.
type RiskGroup struct {
	Name     string
	Links    []PortRef // each by a port at one of its ends
	Segments []string
	Devices  []string
}

// DefaultEvery is the interval of a flow's packets.
const DefaultEvery = 100 * time.Millisecond

// Device finds a device by name.
func (l *Lab) Device(name string) *Device {
	for i := range l.Devices {
		if l.Devices[i].Name == name {
			return &l.Devices[i]
		}
	}
	return nil
}

// Port finds a port by name.
func (d *Device) Port(name string) *Port {
	for i := range d.Ports {
		if d.Ports[i].Name == name {
			return &d.Ports[i]
		}
	}
	return nil
}

// IdentifiedBy says whether the router ID of a router's instance, "" for main, is, or
// would be chosen as, the given one (RFC 2328 C.1): the configured one, else the highest
// loopback address, else the highest port address.
func (d *Device) IdentifiedBy(instance string, id netip.Addr) bool {
	if own := d.Instance(instance).RouterID; own.IsValid() || d.Kind != Router {
		return own == id && d.Kind == Router
	}
	var loopback, port netip.Addr
	for _, p := range d.Ports {
		switch a := p.Address.Addr(); {
		case !p.Address.IsValid() || p.Instance != instance:
		case p.Loopback && (!loopback.IsValid() || loopback.Less(a)):
			loopback = a
		case !p.Loopback && (!port.IsValid() || port.Less(a)):
			port = a
		}
	}
	if loopback.IsValid() {
		return loopback == id
	}
	return port == id
}

// Address is the address at which a device is reached: the first loopback's,
// else the first port's that has one; invalid if there is none.
func (d *Device) Address() netip.Addr { return d.AddressIn("") }

// AddressIn is Address in an instance.
func (d *Device) AddressIn(instance string) netip.Addr {
	var first netip.Addr
	for _, p := range d.Ports {
		if p.Address.IsValid() && p.Instance == instance {
			if p.Loopback {
				return p.Address.Addr()
			}
			if !first.IsValid() {
				first = p.Address.Addr()
			}
		}
	}
	return first
}
