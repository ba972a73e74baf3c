// Package labtext is the lab language: one table of statements (Grammar) that
// drives parser, checker, formatter, completion and the reference, and the code
// that turns a text into config values. It knows config and nothing else.
//
// To add a statement: one row in the table below, with the build function that
// puts it into the config, and the code elsewhere that honours it.
package labtext

import (
	"slices"
	"strings"
)

// Context is where a statement may be.
type Context string

// The contexts.
const (
	Top      Context = "the lab"
	LabBlock Context = "lab"
	RouterOf Context = "router"
	HostOf   Context = "host"
	PortOf   Context = "port"
	Loopback Context = "loopback"
	PortOSPF Context = "ospf on a port"
	OSPFOf   Context = "ospf"
	StaticOf Context = "static"
	LinkOf   Context = "link"
	SegOf    Context = "segment"
	FlowOf   Context = "flow"
	AreaOf   Context = "area"
	StubOf   Context = "stub"
	NSSAOf   Context = "nssa"
	VirtOf   Context = "virtual-link"
	JoinOf   Context = "summary"
	VLANOf   Context = "vlan"
	RangeOf  Context = "range"
	InjectOf Context = "inject"
	OrigOf   Context = "originate default"
	SetOf    Context = "prefix-set"
	MemberOf Context = "a prefix of a set"
	ChainOf  Context = "key-chain"
	KeyOf    Context = "key"
	PlanOf   Context = "plan"

	DefaultsOf Context = "defaults"
)

// prefixWord is the word of a statement that begins with a prefix.
const prefixWord = "PREFIX"

// ArgKind is what an argument is.
type ArgKind uint8

// The kinds of arguments.
const (
	Name ArgKind = iota
	Quoted
	Number
	Seconds   // whole seconds, with unit
	Duration  // any duration, with unit
	Rate      // bit/s, with unit
	Percent   // 0% to 100%
	Lengths   // 24..32, or 24
	ASRange   // 64600..64999, or 64600
	Stretch   // 10m..2h, or 10m..
	Address   // 192.0.2.1
	Interface // 192.0.2.1/24: an address with its prefix length
	Prefix    // 192.0.2.0/24: no host bits
	Area      // 0 or 0.0.0.0
	PortRef   // device.port, or a host's name
	DeviceRef // a device's name
	AtRef     // a device, or an instance of one: junction/ferry
	Literal   // the word itself
	Compare   // <, <=, =, >= or >
	Value     // a number or a name
	HopValue  // an address, self or peer
	Community // 64500:100, 64500:1:2 or a name
	WildCommunity
	CommunityOrIn
	PathWord // a word of an AS path pattern
	PeerName // a device's name, or an address
	PrefixOrName
	Adjusted // 100, +10 or -10
	MEDValue // the same, or igp
	Pixels   // a place on the map: 320 or -40
)

var argForms = [...]string{
	Name: "NAME", Quoted: `"TEXT"`, Number: "NUMBER", Seconds: "10s", Duration: "200ms", Rate: "100M", Percent: "2%", Lengths: "24..32", ASRange: "64600..64999", Stretch: "10m..2h",
	Address: "192.0.2.1", Interface: "192.0.2.1/24", Prefix: "192.0.2.0/24", Area: "AREA",
	PortRef: "DEVICE.PORT", DeviceRef: "DEVICE", AtRef: "DEVICE[/INSTANCE]", Literal: "",
	Compare: "< | <= | = | >= | >", Value: "NUMBER | NAME", HopValue: "192.0.2.1 | self | peer", Community: "64500:100", WildCommunity: "64500:*",
	CommunityOrIn: "64500:* | in NAME", PathWord: "64496 | * | ...", PeerName: "DEVICE | 192.0.2.1",
	PrefixOrName: "192.0.2.0/24 | NAME", Adjusted: "NUMBER | +NUMBER | -NUMBER", MEDValue: "NUMBER | +NUMBER | -NUMBER | igp", Pixels: "NUMBER",
}

// Arg is one argument of a statement.
type Arg struct {
	Name     string
	Kind     ArgKind
	Min, Max uint64   // of a Number, Seconds (s), Duration (ns) or Rate (bit/s); both 0: no bound
	Words    []string // the values allowed, for a Name; the word, for a Literal
	Optional bool
	Repeat   bool // the last argument can be repeated
	Off      bool // of a Number: off is allowed too, which takes away what a group says
}

func (a Arg) form() string {
	f := argForms[a.Kind]
	if len(a.Words) > 0 {
		f = strings.Join(a.Words, " | ")
	}
	if a.Off {
		f += " | off"
	}
	if a.Repeat {
		f += " ..."
	}
	if a.Optional {
		f = "[" + f + "]"
	}
	return f
}

// Effect is what a changed statement does to a running network.
type Effect string

// The effects.
const (
	Live           Effect = "live"
	Nothing        Effect = "changes nothing in the network"
	Reoriginate    Effect = "re-originates the router LSA"
	RestartPort    Effect = "restarts OSPF on the port"
	RestartProcess Effect = "restarts the OSPF process"
	Rejoin         Effect = "carrier goes and comes"
	Rewrites       Effect = "changes routes"
	RestartArea    Effect = "restarts OSPF on the area's ports"
	Announces      Effect = "originates or flushes LSAs"
	AsTaken        Effect = "as the statements in it"
)

// Row is one statement of the language.
type Row struct {
	Word    string
	In      []Context
	Opens   Context // what may be in it; "" for nothing
	Args    []Arg
	Inline  bool // the formatter leaves it on its owner's line
	Many    bool // can be repeated in one place
	Default string
	Effect  Effect
	RFC     string
	Help    string
	build   func(*builder, *Node)
}

// Usage is the statement's form: "cost NUMBER".
func (r *Row) Usage() string {
	parts := []string{r.Word}
	for _, a := range r.Args {
		parts = append(parts, a.form())
	}
	return strings.Join(parts, " ")
}

// switched says whether a statement can be switched off by itself.
func (r *Row) switched() bool {
	return len(r.Args) == 1 && slices.Equal(r.Args[0].Words, []string{"on", "off"})
}

// Grammar is the table of all statements, in the order of the reference.
var Grammar []Row

func init() {
	portName := Arg{Name: "name", Kind: Name}
	spfDelay := []Arg{{Name: "delay", Kind: Duration, Min: 1_000_000, Max: 600_000_000_000}} // 1 ms to 10 min, RFC 9129
	interval := []Arg{{Name: "interval", Kind: Seconds, Min: 1, Max: 65535}}
	Grammar = []Row{
		{Word: "lab", In: []Context{Top}, Opens: LabBlock, Args: []Arg{{Name: "title", Kind: Quoted}},
			Effect: Live, Help: "names the lab", build: (*builder).lab},
		{Word: "about", In: []Context{LabBlock}, Args: []Arg{{Name: "sentence", Kind: Quoted}},
			Effect: Nothing, Help: "what the lab is about, in a sentence; the list of labs shows it", build: (*builder).about},
		{Word: "difficulty", In: []Context{LabBlock}, Args: []Arg{{Name: "difficulty", Kind: Name, Words: []string{"easy", "medium", "hard"}}},
			Effect: Nothing, Help: "how much a reader has to know, for the list of labs", build: (*builder).difficulty},
		{Word: "seed", In: []Context{LabBlock}, Args: []Arg{{Name: "seed", Kind: Number, Max: 1 << 53}}, Default: "1",
			Effect: Live, Help: "the seed of all jitter and random loss; another seed is another run of the same lab", build: (*builder).seed},

		{Word: "hello-jitter", In: []Context{LabBlock}, Args: []Arg{{Name: "jitter", Kind: Name, Words: []string{"on", "off"}}}, Default: "on",
			Effect: Live, RFC: "2328 4.4", Help: "each OSPF hello is sent up to a tenth of its interval early, by chance; off sends them exactly at it", build: (*builder).helloJitter},

		{Word: "plan", In: []Context{Top}, Opens: PlanOf, Many: true,
			Args:   []Arg{{Name: "what for", Kind: Name, Words: []string{"links", "loopbacks", "lans"}}, {Name: "prefix", Kind: Prefix}},
			Effect: Nothing, Help: "where the addresses of new links, loopbacks and hosts' networks come from", build: (*builder).plan},
		{Word: "length", In: []Context{PlanOf}, Inline: true, Args: []Arg{{Name: "length", Kind: Number, Min: 8, Max: 32}}, Default: "30 for links, 32 for loopbacks, 24 for hosts' networks",
			Effect: Nothing, Help: "the prefix length of each network that is taken from it", build: (*builder).planLength},
		{Word: "area", In: []Context{PlanOf}, Inline: true, Args: []Arg{{Name: "area", Kind: Area}},
			Effect: Nothing, Help: "only for what is in this OSPF area", build: (*builder).planArea},
		{Word: "as", In: []Context{PlanOf}, Inline: true, Args: []Arg{{Name: "AS number", Kind: Number, Min: 1, Max: 4294967295}},
			Effect: Nothing, Help: "only for what is in this AS", build: (*builder).planAS},

		{Word: "template", In: []Context{Top}, Many: true, Args: []Arg{{Name: "name", Kind: Name}},
			Effect: AsTaken, Help: "statements that several routers, hosts, ports, loopbacks, areas or peers have in common; they take them with like", build: (*builder).template},
		{Word: "like", In: []Context{RouterOf, HostOf, PortOf, Loopback, VLANOf, AreaOf, PeerOf}, Inline: true,
			Args:   []Arg{{Name: "template", Kind: Name, Repeat: true}},
			Effect: AsTaken, Help: "has what the template says; of several, a later one comes before an earlier one, and what is written here before all", build: (*builder).like},
		{Word: "defaults", In: []Context{Top}, Opens: DefaultsOf,
			Effect: AsTaken, Help: "what holds in the whole lab where neither a template nor the place itself says otherwise", build: (*builder).defaults},

		{Word: "router", In: []Context{Top}, Opens: RouterOf, Many: true, Args: []Arg{{Name: "name", Kind: Name}},
			Effect: Live, Help: "a router", build: (*builder).router},
		{Word: "at", In: []Context{RouterOf, HostOf, SegOf}, Inline: true,
			Args:   []Arg{{Name: "x", Kind: Pixels}, {Name: "y", Kind: Pixels}},
			Effect: Nothing, Help: "the place on the map, in pixels from its top left corner", build: (*builder).at},
		{Word: "router-id", In: []Context{RouterOf, InstanceOf}, Args: []Arg{{Name: "id", Kind: Address}},
			Default: "highest loopback address, else highest port address; it stays while the process runs",
			Effect:  RestartProcess, RFC: "2328 C.1", Help: "the router's identity in its routing protocols", build: (*builder).routerID},
		{Word: "loopback", In: []Context{RouterOf, InstanceOf}, Opens: Loopback, Many: true,
			Args:   []Arg{portName, {Name: "address", Kind: Interface}},
			Effect: Rewrites, Help: "an address of the router itself, up as long as the router is; OSPF announces it as a host route", build: (*builder).loopback},
		{Word: "port", In: []Context{RouterOf, InstanceOf}, Opens: PortOf, Many: true,
			Args:   []Arg{portName, {Name: "address", Kind: Interface, Optional: true}},
			Effect: Rewrites, Help: "an Ethernet port, with its address", build: (*builder).port},
		{Word: "vlan", In: []Context{PortOf}, Opens: VLANOf, Many: true,
			Args:   []Arg{{Name: "tag", Kind: Number, Min: 1, Max: 4094}, {Name: "address", Kind: Interface, Optional: true}},
			Effect: Rewrites, Help: "a sub-port with an 802.1Q tag, named PORT.TAG; the far end needs one with the same tag", build: (*builder).vlan},
		{Word: "bandwidth", In: []Context{PortOf, VLANOf, DefaultsOf}, Inline: true, Args: []Arg{{Name: "rate", Kind: Rate, Min: 1000, Max: 10_000_000_000_000}}, Default: "1G",
			Effect: Reoriginate, Help: "what the port's cost is computed from", build: (*builder).bandwidth},
		{Word: "mtu", In: []Context{PortOf, VLANOf, DefaultsOf}, Inline: true, Args: []Arg{{Name: "bytes", Kind: Number, Min: 576, Max: 9216}}, Default: "1500",
			Effect: Live, RFC: "2328 10.6", Help: "the largest IP packet that the port takes, in bytes", build: (*builder).mtu},
		{Word: "static", In: []Context{RouterOf, InstanceOf}, Opens: StaticOf, Many: true, Args: []Arg{{Name: "prefix", Kind: Prefix}},
			Effect: Rewrites, Help: "a static route; several of one prefix and preference share the traffic", build: (*builder).static},
		{Word: "via", In: []Context{StaticOf}, Inline: true, Args: []Arg{{Name: "address", Kind: Address}},
			Effect: Rewrites, Help: "the next hop, resolved through the table if it is not on a port", build: (*builder).via},
		{Word: "blackhole", In: []Context{StaticOf}, Inline: true,
			Effect: Rewrites, Help: "drops what goes there", build: (*builder).blackhole},
		{Word: "preference", In: []Context{StaticOf}, Inline: true, Args: []Arg{{Name: "preference", Kind: Number, Min: 1, Max: 255}}, Default: "1",
			Effect: Rewrites, Help: "the route's preference among sources; lower wins", build: (*builder).preference},

		{Word: "ospf", In: []Context{PortOf, VLANOf, Loopback}, Opens: PortOSPF,
			Effect: RestartPort, RFC: "2328 9", Help: "OSPF runs on the port", build: (*builder).portOSPF},
		{Word: "area", In: []Context{PortOSPF}, Inline: true, Args: []Arg{{Name: "area", Kind: Area}},
			Effect: RestartPort, RFC: "2328 C.3", Help: "the area that the port is in", build: (*builder).area},
		{Word: "type", In: []Context{PortOSPF, DefaultsOf}, Args: []Arg{{Name: "type", Kind: Name, Words: []string{"point-to-point", "broadcast"}}}, Default: "broadcast on a segment, point-to-point on a link",
			Effect: RestartPort, RFC: "2328 C.3", Help: "how OSPF sees what the port is joined to", build: (*builder).ospfType},
		{Word: "cost", In: []Context{PortOSPF}, Args: []Arg{{Name: "cost", Kind: Number, Min: 1, Max: 65535}},
			Default: "reference bandwidth over bandwidth, at least 1",
			Effect:  Reoriginate, RFC: "2328 C.3", Help: "what it costs to send by the port", build: (*builder).cost},
		{Word: "hello-interval", In: []Context{PortOSPF, VirtOf, DefaultsOf}, Args: interval, Default: "10s",
			Effect: Live, RFC: "2328 C.3", Help: "how often a hello is sent; both ends must agree", build: (*builder).hello},
		{Word: "dead-interval", In: []Context{PortOSPF, VirtOf, DefaultsOf}, Args: interval, Default: "4 hello intervals",
			Effect: Live, RFC: "2328 C.3", Help: "how long without a hello until the neighbour counts as down; both ends must agree", build: (*builder).dead},
		{Word: "retransmit-interval", In: []Context{PortOSPF, VirtOf, DefaultsOf}, Args: interval, Default: "5s",
			Effect: Live, RFC: "2328 C.3", Help: "how long an acknowledgment may take", build: (*builder).retransmit},
		{Word: "transmit-delay", In: []Context{PortOSPF, VirtOf, DefaultsOf}, Args: interval, Default: "1s",
			Effect: Live, RFC: "2328 C.3", Help: "how much older an LSA gets by crossing the link", build: (*builder).transmitDelay},
		{Word: "priority", In: []Context{PortOSPF, DefaultsOf}, Args: []Arg{{Name: "priority", Kind: Number, Max: 255}}, Default: "1",
			Effect: Live, RFC: "2328 9.4", Help: "who becomes designated router of a segment: the highest wins and never pre-empts; 0 never does", build: (*builder).priority},
		{Word: "keys", In: []Context{PortOSPF, VirtOf, AreaOf}, Args: []Arg{{Name: "key chain", Kind: Name}},
			Effect: Live, RFC: "2328 D.3", Help: "authenticates packets with this key chain; for an area, on all its ports that name none, and none switches authentication off", build: (*builder).keys},
		{Word: "mtu-ignore", In: []Context{PortOSPF}, Args: onOff,
			Effect: Live, RFC: "2328 10.6", Help: "takes neighbours whose MTU is larger; off undoes it where a template says it", build: (*builder).ignoreMTU},
		{Word: "passive", In: []Context{PortOSPF}, Inline: true, Args: onOff,
			Effect: RestartPort, Help: "the port's network is announced, but no hello is sent or heard; off undoes it where a template says it", build: (*builder).passive},
		{Word: "own-mask", In: []Context{PortOSPF}, Inline: true, Args: onOff,
			Effect: Reoriginate, RFC: "2328 12.4.1.1", Help: "a loopback is announced with its own mask instead of as a host route", build: (*builder).ownMask},

		{Word: "ospf", In: []Context{RouterOf, InstanceOf}, Opens: OSPFOf,
			Effect: Live, Help: "settings of the router's OSPF process; it runs when a port has ospf", build: (*builder).ospf},
		{Word: "reference-bandwidth", In: []Context{OSPFOf, DefaultsOf}, Args: []Arg{{Name: "rate", Kind: Rate, Min: 1000, Max: 100_000_000_000_000}}, Default: "10G",
			Effect: Reoriginate, RFC: "2328 C.3", Help: "the bandwidth that costs 1", build: (*builder).reference},
		{Word: "max-ecmp", In: []Context{OSPFOf, DefaultsOf}, Args: []Arg{{Name: "ways", Kind: Number, Min: 1, Max: 64}}, Default: "16",
			Effect: Rewrites, RFC: "9129 2.3", Help: "how many equal-cost paths to a prefix are used at most", build: (*builder).maxECMP},
		{Word: "spf-initial-delay", In: []Context{OSPFOf, DefaultsOf}, Args: spfDelay, Default: "50ms",
			Effect: Live, RFC: "8405 4", Help: "how long the SPF computation waits after the first change in a quiet network", build: (*builder).spfDelay},
		{Word: "spf-short-delay", In: []Context{OSPFOf, DefaultsOf}, Args: spfDelay, Default: "200ms",
			Effect: Live, RFC: "8405 4", Help: "how long it waits after changes that come within the time to learn", build: (*builder).spfDelay},
		{Word: "spf-long-delay", In: []Context{OSPFOf, DefaultsOf}, Args: spfDelay, Default: "5s",
			Effect: Live, RFC: "8405 4", Help: "how long it waits after changes that come later, until the network is quiet again", build: (*builder).spfDelay},
		{Word: "spf-time-to-learn", In: []Context{OSPFOf, DefaultsOf}, Args: spfDelay, Default: "500ms",
			Effect: Live, RFC: "8405 4", Help: "how long after the first change all changes may be of one failure", build: (*builder).spfDelay},
		{Word: "spf-hold-down", In: []Context{OSPFOf, DefaultsOf}, Args: spfDelay, Default: "10s",
			Effect: Live, RFC: "8405 4", Help: "how long no change makes the network quiet again", build: (*builder).spfDelay},
		{Word: "rfc1583-compatibility", In: []Context{OSPFOf, DefaultsOf}, Args: []Arg{{Name: "compatibility", Kind: Name, Words: []string{"on", "off"}}}, Default: "on",
			Effect: Rewrites, RFC: "2328 C.1", Help: "on: the cheapest path to an AS boundary router is used; off: a path inside an area that is not the backbone comes first; all routers must agree", build: (*builder).rfc1583},

		{Word: "area", In: []Context{OSPFOf}, Opens: AreaOf, Many: true, Args: []Arg{{Name: "area", Kind: Area}},
			Effect: Live, RFC: "2328 C.2", Help: "settings of an area", build: (*builder).areaBlock},
		{Word: "stub", In: []Context{AreaOf}, Opens: StubOf,
			Effect: RestartArea, RFC: "2328 3.6", Help: "the area takes no external routes; all its routers must say so", build: (*builder).stub},
		{Word: "nssa", In: []Context{AreaOf}, Opens: NSSAOf,
			Effect: RestartArea, RFC: "3101", Help: "the area takes no external routes of others, but may have its own; all its routers must say so", build: (*builder).nssa},
		{Word: "translate", In: []Context{NSSAOf}, Args: []Arg{{Name: "when", Kind: Literal, Words: []string{"always"}}},
			Default: "if it has the highest router ID of the area's border routers",
			Effect:  Announces, RFC: "3101 3.1", Help: "on a border router: the area's external routes are translated for the others by this one in any case", build: (*builder).translate},
		{Word: "no-summary", In: []Context{StubOf, NSSAOf}, Inline: true,
			Effect: Announces, RFC: "2328 3.6", Help: "on a border router: the area takes no routes of other areas either, only a default", build: (*builder).noSummary},
		{Word: "default-cost", In: []Context{StubOf, NSSAOf}, Args: []Arg{{Name: "cost", Kind: Number, Max: 16777214}}, Default: "1",
			Effect: Announces, RFC: "2328 C.2", Help: "the cost of the default route that a border router gives the stub area or NSSA", build: (*builder).defaultCost},
		{Word: "range", In: []Context{AreaOf}, Opens: RangeOf, Many: true, Args: []Arg{{Name: "prefix", Kind: Prefix}},
			Effect: Announces, RFC: "2328 C.2", Help: "on a border router: joins the area's networks that it covers into one for the other areas", build: (*builder).areaRange},
		{Word: "cost", In: []Context{RangeOf}, Args: []Arg{{Name: "cost", Kind: Number, Min: 1, Max: 16777214}}, Default: "the largest cost of what the range covers",
			Effect: Announces, RFC: "2328 12.4.3", Help: "the cost of the range", build: (*builder).rangeCost},
		{Word: "hidden", In: []Context{RangeOf, JoinOf}, Inline: true,
			Effect: Announces, RFC: "2328 C.2", Help: "neither it nor what it covers is announced", build: (*builder).hidden},
		{Word: "virtual-link", In: []Context{AreaOf}, Opens: VirtOf, Many: true, Args: []Arg{{Name: "router ID", Kind: Address}},
			Effect: Live, RFC: "2328 15", Help: "joins this border router to another one through the area, as if by a link in the backbone", build: (*builder).virtualLink},
		{Word: "inject", In: []Context{OSPFOf}, Opens: InjectOf, Many: true,
			Args:   []Arg{{Name: "source", Kind: Name, Words: []string{"static", "connected", "bgp", "taken"}}},
			Effect: Announces, RFC: "2328 12.4.4", Help: "announces the routes of another source as external ones", build: (*builder).inject},
		{Word: "through", In: []Context{InjectOf}, Inline: true, Args: []Arg{{Name: "policy or prefix set", Kind: Name}},
			Effect: Announces, Help: "only what this policy accepts, with the metric, type and tag that it sets; or only the prefixes of this set", build: (*builder).through},
		{Word: "summary", In: []Context{OSPFOf, NSSAOf}, Opens: JoinOf, Many: true, Args: []Arg{{Name: "prefix", Kind: Prefix}},
			Effect: Announces, RFC: "3101 3.2", Help: "joins the injected routes that it covers into one; in an NSSA, those that are translated", build: (*builder).summary},
		{Word: "originate", In: []Context{OSPFOf}, Opens: OrigOf, Args: []Arg{{Name: "what", Kind: Literal, Words: []string{"default"}}},
			Effect: Announces, RFC: "2328 12.4.4", Help: "announces a default route if the router has one of another source", build: (*builder).originateDefault},
		{Word: "always", In: []Context{OrigOf}, Inline: true,
			Effect: Announces, Help: "announces the default route whether the router has one or not", build: (*builder).always},
		{Word: "metric", In: []Context{InjectOf, OrigOf}, Inline: true, Args: []Arg{{Name: "metric", Kind: Number, Max: 16777214}}, Default: "20",
			Effect: Announces, RFC: "2328 12.4.4", Help: "the metric outside", build: (*builder).metric},
		{Word: "type", In: []Context{InjectOf, OrigOf}, Inline: true, Args: []Arg{{Name: "type", Kind: Number, Min: 1, Max: 2}}, Default: "2",
			Effect: Announces, RFC: "2328 2.3", Help: "1: the metric adds to the cost of the path; 2: it alone is compared first", build: (*builder).externalType},
		{Word: "tag", In: []Context{InjectOf, OrigOf, JoinOf}, Inline: true, Args: []Arg{{Name: "tag", Kind: Number, Max: 4294967295}}, Default: "0",
			Effect: Announces, RFC: "2328 A.4.5", Help: "a number that goes with the route", build: (*builder).tag},

		{Word: "key-chain", In: []Context{Top}, Opens: ChainOf, Many: true, Args: []Arg{{Name: "name", Kind: Name}},
			Effect: Live, RFC: "8177", Help: "keys that authenticate packets: sent with the first, taken with any", build: (*builder).keyChain},
		{Word: "key", In: []Context{ChainOf}, Opens: KeyOf, Many: true,
			Args: []Arg{{Name: "ID", Kind: Number, Max: 255}, {Name: "algorithm", Kind: Name,
				Words: []string{"simple", "md5", "hmac-sha-1", "hmac-sha-256", "hmac-sha-384", "hmac-sha-512"}}, {Name: "secret", Kind: Quoted}},
			Effect: Live, RFC: "5709", Help: "a key; a simple one is a password of up to eight characters that travels in clear", build: (*builder).key},
		{Word: "send", In: []Context{KeyOf}, Inline: true, Args: []Arg{{Name: "time", Kind: Stretch}}, Default: "always",
			Effect: Live, RFC: "8177 2.1", Help: "when packets are sent with the key, in time since the lab began; the first key whose time it is counts", build: (*builder).sendTime},
		{Word: "accept", In: []Context{KeyOf}, Inline: true, Args: []Arg{{Name: "time", Kind: Stretch}}, Default: "always",
			Effect: Live, RFC: "8177 2.1", Help: "when packets with the key are taken, in time since the lab began", build: (*builder).acceptTime},

		{Word: "prefix-set", In: []Context{Top, RouterOf}, Opens: SetOf, Many: true, Args: []Arg{{Name: "name", Kind: Name}},
			Effect: Live, Help: "a set of prefixes, for whatever filters by them" + hides, build: (*builder).prefixSet},
		{Word: prefixWord, In: []Context{SetOf}, Opens: MemberOf, Many: true,
			Effect: Live, Help: "this prefix, such as 192.0.2.0/24, is in the set", build: (*builder).member},
		{Word: "length", In: []Context{MemberOf}, Inline: true, Args: []Arg{{Name: "lengths", Kind: Lengths}}, Default: "the prefix's own",
			Effect: Live, Help: "prefixes within it whose length is in this range, such as 24..26", build: (*builder).length},

		{Word: "host", In: []Context{Top}, Opens: HostOf, Many: true,
			Args:   []Arg{{Name: "name", Kind: Name}, {Name: "address", Kind: Interface}},
			Effect: Rewrites, Help: "a host with one port", build: (*builder).host},
		{Word: "gateway", In: []Context{HostOf}, Inline: true, Args: []Arg{{Name: "address", Kind: Address}},
			Effect: Rewrites, Help: "where the host sends what is not on its own network", build: (*builder).gateway},

		{Word: "service", In: []Context{HostOf}, Many: true, Args: []Arg{{Name: "port", Kind: Number, Min: 1, Max: 65535}, {Name: "name", Kind: Quoted, Optional: true}},
			Effect: Live, RFC: "9293 3.10.7.2", Help: "the host takes TCP connections on this port", build: (*builder).service},

		{Word: "disabled", In: []Context{RouterOf, HostOf, PortOf, VLANOf, Loopback, PortOSPF, VirtOf, OSPFOf, BGPOf, PeerOf, GroupOf}, Inline: true, Args: onOff,
			Effect: Live, Help: "keeps the configuration and takes it out of service; off undoes it where a template or a group says it", build: (*builder).disabled},

		{Word: "link", In: []Context{Top}, Opens: LinkOf, Many: true,
			Args:   []Arg{{Name: "one end", Kind: PortRef}, {Name: "other end", Kind: PortRef}},
			Effect: Rejoin, Help: "joins two ports point to point", build: (*builder).link},
		{Word: "segment", In: []Context{Top}, Opens: SegOf, Many: true,
			Args:   []Arg{{Name: "name", Kind: Name}, {Name: "ports", Kind: PortRef, Optional: true, Repeat: true}},
			Effect: Rejoin, Help: "joins any number of ports through a switch", build: (*builder).segment},
		{Word: "delay", In: []Context{LinkOf, SegOf}, Inline: true, Args: []Arg{{Name: "delay", Kind: Duration, Min: 1000, Max: 10_000_000_000}}, Default: "1ms",
			Effect: Live, Help: "one-way delay", build: (*builder).delay},
		{Word: "loss", In: []Context{LinkOf}, Inline: true, Args: []Arg{{Name: "share", Kind: Percent}}, Default: "0%",
			Effect: Live, Help: "the share of packets lost at random, in each direction", build: (*builder).loss},
		{Word: "reorder", In: []Context{LinkOf}, Inline: true, Args: []Arg{{Name: "share", Kind: Percent}}, Default: "0%",
			Effect: Live, Help: "the share of packets that take up to five times the delay, so that later ones overtake them", build: (*builder).reorder},
		{Word: "duplicate", In: []Context{LinkOf}, Inline: true, Args: []Arg{{Name: "share", Kind: Percent}}, Default: "0%",
			Effect: Live, Help: "the share of packets that arrive twice", build: (*builder).duplicate},

		{Word: "flow", In: []Context{Top}, Opens: FlowOf, Many: true,
			Args: []Arg{{Name: "name", Kind: Name}, {Name: "from", Kind: DeviceRef},
				{Name: "arrow", Kind: Literal, Words: []string{"->"}}, {Name: "to", Kind: DeviceRef}},
			Effect: Live, Help: "traffic that the lab watches: does it arrive, by which path, and when did it not", build: (*builder).flow},
		{Word: "every", In: []Context{FlowOf}, Inline: true, Args: []Arg{{Name: "interval", Kind: Duration, Min: 1_000_000, Max: 60_000_000_000}}, Default: "100ms",
			Effect: Live, Help: "the interval of the flow's packets", build: (*builder).every},
		{Word: "rate", In: []Context{FlowOf}, Inline: true, Args: []Arg{{Name: "rate", Kind: Rate, Min: 1000, Max: 10_000_000_000_000}}, Default: "none",
			Effect: Nothing, Help: "the traffic of the flow; a sweep adds up what each link carries, in percent of its bandwidth", build: (*builder).rate},
	}
	Grammar = slices.Concat(Grammar, riskRows(), instanceRows(), bgpRows(), feedRows(), policyRows(), checkRows())
	for i := range Grammar {
		rowsByWord[Grammar[i].Word] = append(rowsByWord[Grammar[i].Word], &Grammar[i])
	}
}

// rowsByWord are the rows of each word.
var rowsByWord = map[string][]*Row{}

// rowFor is the statement that a word is in a context, nil if none.
func rowFor(word string, in Context) *Row {
	rows := rowsByWord[word]
	if len(rows) == 0 && prefixLike(word) {
		rows = rowsByWord[prefixWord]
	}
	for _, r := range rows {
		if slices.Contains(r.In, in) {
			return r
		}
	}
	return nil
}

// prefixLike says whether a word is meant for a prefix.
func prefixLike(word string) bool {
	return word != "" && word[0] >= '0' && word[0] <= '9' && strings.ContainsAny(word, "./")
}

// rowsIn are the statements that may be in a context.
func rowsIn(in Context) []*Row {
	var rows []*Row
	for i := range Grammar {
		for _, c := range Grammar[i].In {
			if c == in {
				rows = append(rows, &Grammar[i])
			}
		}
	}
	return rows
}
