package note

import (
	"hellebore/core/ground/phrase"
)

// Code names a reason.
type Code uint8

// The reasons, in the order in which an engineer would look for them.
const (
	None Code = iota

	// Why a port is down.
	NotJoined
	LinkCut
	PortDisabled
	DeviceDisabled
	FarPortDisabled
	FarDeviceDisabled

	// Why an adjacency is not up.
	PortIsDown
	ProtocolAbsent
	ProtocolDisabled
	NoRouterID
	NoAddress
	PassivePort
	AreaDiffers
	SubnetDiffers
	HelloIntervalDiffers
	DeadIntervalDiffers
	AuthenticationDiffers
	SameRouterID
	MTUTooLarge
	LinkSilenced
	NothingHeard
	NotListed
	StillForming
	DeadIntervalExpired
	FarEndNotAPort
	TypeDiffers
	RouterIDChanged
	NoAdjacencyNeeded
	StubFlagDiffers
	KeyIDDiffers
	KeyDiffers
	KeyNotInTime
	ReplayedPacket
	ProcessRestarted
	NoTransitPath
	VirtualUnanswered
	TagDiffers

	// Why a packet or an LSA was discarded.
	Malformed
	BadChecksum
	UnknownLSA
	TooSoon
	OlderThanOurs
	NoNeighbour
	StubTakesNoExternal

	// Why a packet did not arrive.
	NoRoute
	Blackholed
	TTLExpired
	NoAnswerToARP
	NotForThisHost
	Loop
	QueuedTooLong

	// Why a candidate route is not used.
	LessSpecific
	WorsePreference
	HigherCost
	HopUnresolved

	// Why a BGP session is not up.
	PeerDisabled
	PeerRemoved
	SessionReset
	NoRouteToPeer
	PeerNotOnLink
	PeerLinkDown
	NoLocalAddress
	PeerIsLocal
	PeerUnknown
	WrongLocalAddress
	PeerASDiffers
	NoCommonFamily
	BothPassive
	TTLTooLow
	SignatureMissing
	SignatureUnexpected
	SignatureDiffers
	ConnectionUnanswered
	ConnectionRefused
	ConnectionReset
	ConnectionLost
	ConnectionClosed
	Collision
	HoldTimeExpired
	NotificationReceived
	MalformedMessage
	UnexpectedMessage
	PrefixLimit

	// Why a path is not accepted.
	OwnASInPath
	OwnOriginator
	OwnCluster
	NextHopIsLocal
	NextHopNotOnLink
	NoImportPolicy
	PolicyRejected

	// Why a path is not the best, in the order of the decision.
	NextHopUnresolved
	LocalPathPreferred
	LowerLocalPref
	LongerASPath
	WorseOrigin
	HigherMED
	InternalLosesToExternal
	HigherInteriorCost
	HigherRouterID
	LongerClusterList
	HigherPeerAddress

	// Why a path is not sent to a peer.
	NoBestPath
	FromThatPeer
	CommunityNoAdvertise
	CommunityNoExport
	BetweenInternal
	PeerASInPath
	NoExportPolicy
	WithinAggregate
	NotInUse
	UpdateTooLong
	PeerCaptured
	TTLTooShort
	SharedByOneAS
	SharingIsFull

	codes
)

// Info describes a reason. Mine and Theirs are the two values that disagreed,
// of kind Value ("" if there are none); Remedy may name them as {mine} and
// {theirs}, and the ends as {a} and {b}.
type Info struct {
	Slug   string // stable, for machines
	What   string // what disagrees or is missing, a few words
	Text   string // one sentence
	Remedy string // what to do, one line; "" if there is nothing to do
	Value  string // kind of the two values
	RFC    string // "2328 10.5", "" if no RFC speaks of it
}

// Reasons is the table of reasons, by Code.
var Reasons = [codes]Info{
	None: {"none", "", "", "", "", ""},

	NotJoined:         {"not-joined", "not joined", "nothing is plugged into the port", "join it with a link or a segment", "", ""},
	LinkCut:           {"link-cut", "link cut", "the link has no carrier", "mend the link", "", ""},
	PortDisabled:      {"port-disabled", "port disabled", "the port is disabled", "take disabled off the port", "", ""},
	DeviceDisabled:    {"device-disabled", "device disabled", "the device is disabled", "take disabled off the device", "", ""},
	FarPortDisabled:   {"far-port-disabled", "far port disabled", "the port at the other end is disabled, so there is no carrier", "take disabled off the other port", "", ""},
	FarDeviceDisabled: {"far-device-disabled", "far device disabled", "the device at the other end is disabled, so there is no carrier", "take disabled off the other device", "", ""},

	PortIsDown:            {"port-down", "port", "the port is down", "bring the port up", "word", "2328 9.3"},
	ProtocolAbsent:        {"not-enabled", "OSPF", "OSPF does not run on the port", "add ospf area {theirs} to the port", "area", "2328 9"},
	ProtocolDisabled:      {"process-disabled", "OSPF", "the OSPF process or its port is disabled", "take disabled off ospf", "word", ""},
	NoRouterID:            {"no-router-id", "router ID", "the router has no address to take a router ID from", "set router-id", "word", "2328 C.1"},
	NoAddress:             {"no-address", "address", "the port has no address", "give the port an address in the subnet of {theirs}", "word", "2328 9"},
	PassivePort:           {"passive", "passive", "the port is passive: it neither sends nor hears hellos", "take passive off the port", "word", ""},
	AreaDiffers:           {"area", "area", "the two ports are in different areas", "set area {theirs} on {a}, or area {mine} on {b}", "area", "2328 8.2"},
	SubnetDiffers:         {"subnet", "subnet", "the two addresses are not in one subnet with one mask", "put both ports in one subnet", "prefix", "2328 10.5"},
	HelloIntervalDiffers:  {"hello-interval", "hello interval", "the hello intervals differ", "set hello-interval {theirs} on {a}", "duration", "2328 10.5"},
	DeadIntervalDiffers:   {"dead-interval", "dead interval", "the router dead intervals differ", "set dead-interval {theirs} on {a}", "duration", "2328 10.5"},
	AuthenticationDiffers: {"authentication", "authentication", "the authentication types differ", "use the same authentication on both ends", "authType", "2328 D.4"},
	SameRouterID:          {"same-router-id", "router ID", "both routers have the same router ID", "give one of them another router-id", "identity", "2328 C.1"},
	MTUTooLarge:           {"mtu", "MTU", "the other end's MTU is larger than this port can take", "set the same mtu on both ends", "count", "2328 10.6"},
	LinkSilenced:          {"silenced", "silence", "packets are lost on the link", "mend the link", "word", ""},
	NothingHeard:          {"nothing-heard", "hellos", "no hello is heard from the other end", "", "word", "2328 10.1"},
	NotListed:             {"not-listed", "hellos", "the other end is heard, but does not list us: it does not hear us", "", "word", "2328 10.5"},
	StillForming:          {"forming", "exchange", "the databases are still being exchanged", "", "word", "2328 10.3"},
	DeadIntervalExpired:   {"dead-interval-expired", "dead interval", "no hello arrived for a router dead interval", "", "duration", "2328 10.3"},
	FarEndNotAPort:        {"far-end-host", "far end", "the other end is a host: it runs no routing protocol", "make the port passive", "word", ""},

	TypeDiffers:       {"type", "type", "the two ports take the network between them for different things", "set type {theirs} on {a}, or type {mine} on {b}", "word", "2328 12.4.1"},
	RouterIDChanged:   {"router-id-changed", "router ID", "another router ID was heard from the neighbour's address", "", "identity", "2328 10.5"},
	NoAdjacencyNeeded: {"two-way", "adjacency", "both are neither DR nor BDR of the segment: they stay at 2-Way, as they should", "", "word", "2328 10.4"},

	StubFlagDiffers: {"stub", "kind of area", "the two ends take the area for different kinds: plain, stub or NSSA", "say the same of the area on both routers", "stubFlag", "2328 10.5"},

	KeyIDDiffers:      {"key-id", "key ID", "the key ID is not in the key chain of the other end", "put a key with the same ID into both key chains", "count", "2328 D.4.3"},
	KeyDiffers:        {"key", "key", "the keys differ, or their algorithms do", "give key {mine} the same secret and algorithm on both ends", "keyID", "2328 D.4.3"},
	KeyNotInTime:      {"key-lifetime", "key lifetime", "packets with this key are not taken at this time", "let both ends take key {mine} for as long as one of them sends with it", "keyID", "8177 2.1"},
	ProcessRestarted:  {"restarted", "OSPF", "the OSPF process was restarted", "", "", ""},
	NoTransitPath:     {"no-transit", "transit area", "the transit area has no path to a border router with that router ID", "join both routers to the transit area, and check the router ID", "word", "2328 15"},
	VirtualUnanswered: {"virtual-one-sided", "virtual link", "the other end has no virtual link back through the area", "add virtual-link {theirs} to the area on {b}", "word", "2328 C.4"},
	TagDiffers:        {"vlan", "VLAN tag", "the other end of the link has no sub-port with this tag", "give both ends the same vlan", "word", ""},
	ReplayedPacket:    {"replayed", "sequence", "the packet's authentication is older than one that was taken already", "", "count", "2328 D.5.3"},

	Malformed:     {"malformed", "format", "the packet cannot be read", "", "", "2328 8.2"},
	BadChecksum:   {"checksum", "checksum", "the checksum is wrong", "", "count", "2328 8.2"},
	UnknownLSA:    {"unknown-lsa", "LSA type", "the LSA type is unknown", "", "count", "2328 13"},
	TooSoon:       {"too-soon", "MinLSArrival", "the LSA came within MinLSArrival of the copy before", "", "duration", "2328 13"},
	OlderThanOurs: {"older", "sequence", "the database copy is more recent", "", "sequence", "2328 13"},
	NoNeighbour:   {"no-neighbour", "neighbour", "the sender is not a neighbour in the state that this packet needs", "", "", "2328 10"},

	StubTakesNoExternal: {"stub-external", "stub area", "a stub area takes no external LSAs", "", "", "2328 13"},

	NoRoute:        {"no-route", "route", "{a} has no route to {b}", "", "", "1812 5.2.4"},
	Blackholed:     {"blackhole", "blackhole", "{a} drops packets for {b} on purpose: a blackhole route", "", "", ""},
	TTLExpired:     {"ttl", "TTL", "the time to live ran out at {a}", "", "", "1812 5.3.1"},
	NoAnswerToARP:  {"arp", "ARP", "nobody answers for {b} on {a}", "", "", "826"},
	NotForThisHost: {"not-for-host", "destination", "{a} is a host and does not forward packets for {b}", "", "", "1122 3.3.1"},
	Loop:           {"loop", "loop", "the packet came back to {a}: a forwarding loop", "", "", ""},
	QueuedTooLong:  {"queue", "queue", "too many packets wait for the address of {b}", "", "", "1122 2.3.2"},

	LessSpecific:    {"less-specific", "prefix length", "a longer prefix matches", "", "prefix", "1812 5.2.4.3"},
	WorsePreference: {"preference", "route preference", "another source is preferred", "", "count", ""},
	HigherCost:      {"cost", "cost", "another path costs less", "", "count", "2328 16.1"},
	HopUnresolved:   {"unresolved", "next hop", "the next hop cannot be resolved", "", "word", "1812 5.1"},

	PeerDisabled:         {"peer-disabled", "peer", "the peer is disabled", "enable the peer on {a}", "", ""},
	PeerRemoved:          {"peer-removed", "peer", "the peer was taken out of the configuration", "", "", ""},
	SessionReset:         {"session-reset", "session", "the session was reset", "", "", ""},
	NoRouteToPeer:        {"no-route-to-peer", "route", "there is no route to the peer's address", "bring a route for {theirs} to {a}, for example by the IGP", "address", "4271 8.2.2"},
	PeerNotOnLink:        {"peer-not-on-link", "link", "an external peer has to be on a network of a port that is up, unless multihop is set", "check the port and its address on {a}, or set multihop", "address", "4271 5.1.3"},
	PeerLinkDown:         {"peer-link-down", "link", "the port towards the peer went down", "", "", "4271 8.1.4"},
	NoLocalAddress:       {"no-local-address", "local address", "the port of local-address is down or has no address", "give it an address, or name another port", "", ""},
	PeerIsLocal:          {"peer-is-local", "address", "the peer's address is one of the router's own", "write the address of the other router", "address", ""},
	PeerUnknown:          {"peer-unknown", "peer", "it came from an address that is no peer's", "add peer {theirs} on {a}, or give the session the address that is expected", "address", "4271 8.2.1"},
	WrongLocalAddress:    {"wrong-local-address", "address", "it is meant for another address than local-address names", "let both ends name the same two addresses", "address", "4271 8.2.1"},
	PeerASDiffers:        {"peer-as", "AS number", "the peer is in another AS than was configured", "write the AS that the other end has: {theirs}", "count", "4271 6.2"},
	NoCommonFamily:       {"no-common-family", "address family", "the peer does not take IPv4 unicast prefixes", "", "", "4760 8"},
	BothPassive:          {"both-passive", "passive", "both ends wait for the other to open the connection", "take passive off one end", "", "4271 8.1.1"},
	TTLTooLow:            {"ttl-too-low", "TTL", "TTL security drops packets that have come further than it allows", "allow for the hops between them on both ends, or take ttl-security off", "count", "5082 3"},
	TTLTooShort:          {"ttl-too-short", "TTL", "the peer is further away than packets of the session go", "set multihop on both ends to the hops between them", "count", "4271 5.1.3"},
	PeerCaptured:         {"peer-captured", "route", "a route that BGP learned leads packets for the peer elsewhere", "filter the route, or bring a more specific one for {theirs} to {a}", "prefix", "4271 9.1.2.1"},
	SignatureMissing:     {"signature-missing", "key", "it expects signed segments, and the other end does not sign", "give both ends keys, or take keys off {a}", "", "2385 2.0"},
	SignatureUnexpected:  {"signature-unexpected", "key", "the other end signs its segments, and it has no keys for the session", "give both ends keys, or take keys off {b}", "", "2385 2.0"},
	SignatureDiffers:     {"signature", "key", "the segments are signed with another key", "give both ends key chains with the same md5 key, at the same times", "", "2385 2.0"},
	ConnectionUnanswered: {"connection-unanswered", "connection", "the peer did not answer", "check the path there and back, and filters of TTL", "", "4271 8.2.2"},
	ConnectionRefused:    {"connection-refused", "connection", "the peer refused the connection", "add the peer on the other end, with the address that this end uses", "", "4271 8.2.2"},
	ConnectionReset:      {"connection-reset", "connection", "the peer broke the connection off", "", "", "9293 3.10.7.4"},
	ConnectionLost:       {"connection-lost", "connection", "nothing was acknowledged for too long", "", "", "9293 3.8.3"},
	ConnectionClosed:     {"connection-closed", "connection", "the peer closed the connection", "", "", "4271 8.2.2"},
	Collision:            {"collision", "connection", "of two connections one was closed", "", "", "4271 6.8"},
	HoldTimeExpired:      {"hold-time", "hold time", "nothing was heard for the hold time", "", "duration", "4271 6.5"},
	NotificationReceived: {"notification", "NOTIFICATION", "the peer sent a NOTIFICATION", "", "notification", "4271 4.5"},
	MalformedMessage:     {"malformed-message", "message", "the peer sent a message that cannot be read", "", "notification", "4271 6.1"},
	UnexpectedMessage:    {"unexpected-message", "message", "the peer sent a message that has no place in this state", "", "messageType", "6608"},
	PrefixLimit:          {"prefix-limit", "prefixes", "the peer sent more prefixes than max-prefixes allows", "raise max-prefixes on {a} or filter on {b}, then reset the session", "count", "4486 4"},

	OwnASInPath:      {"own-as", "AS path", "our AS is in the path: it would loop", "set own-as-allowed on {a}; or on {b} set loop-check off, and replace as peer in the export policy", "count", "4271 9.1.2"},
	OwnOriginator:    {"own-originator", "originator", "we are the originator: it came back by reflection", "", "address", "4456 8"},
	OwnCluster:       {"own-cluster", "cluster list", "our cluster ID is in the cluster list: it came back by reflection", "", "address", "4456 8"},
	NextHopIsLocal:   {"next-hop-local", "next hop", "the next hop is an address of our own", "", "address", "4271 5.1.3"},
	NextHopNotOnLink: {"next-hop-off-link", "next hop", "the next hop is not on the network that we share with the peer", "", "address", "4271 6.3"},
	NoImportPolicy:   {"no-import-policy", "policy", "external sessions without an import policy let nothing in", "name an import-policy", "", "8212 3"},
	PolicyRejected:   {"policy", "policy", "the policy rejects it", "", "", "9067 5"},

	NextHopUnresolved:       {"next-hop-unresolved", "next hop", "no route leads to the next hop", "bring the next hop's network into the IGP, or set next-hop-self on the border router", "address", "4271 9.1.2.1"},
	LocalPathPreferred:      {"local-path", "route preference", "we bring the prefix in ourselves", "", "count", ""},
	LowerLocalPref:          {"local-preference", "local preference", "another path has a higher local preference", "", "count", "4271 9.1.1"},
	LongerASPath:            {"as-path-length", "AS path length", "another path goes through fewer ASes", "", "count", "4271 9.1.2.2 a"},
	WorseOrigin:             {"origin", "origin", "another path has a better origin", "", "origin", "4271 9.1.2.2 b"},
	HigherMED:               {"med", "MED", "another path from the same neighbouring AS has a lower MED", "", "count", "4271 9.1.2.2 c"},
	InternalLosesToExternal: {"internal", "external or internal", "another path was learned from an external peer", "", "word", "4271 9.1.2.2 d"},
	HigherInteriorCost:      {"interior-cost", "interior cost", "another path's next hop is nearer", "", "count", "4271 9.1.2.2 e"},
	HigherRouterID:          {"bgp-identifier", "BGP identifier", "another path comes from a lower BGP identifier", "", "address", "4271 9.1.2.2 f"},
	LongerClusterList:       {"cluster-list", "cluster list", "another path has a shorter cluster list", "", "count", "4456 9"},
	HigherPeerAddress:       {"peer-address", "peer address", "another path comes from a lower peer address", "", "address", "4271 9.1.2.2 g"},

	NoBestPath:           {"no-path", "path", "there is no path to send", "", "", "4271 9.1.3"},
	FromThatPeer:         {"from-that-peer", "peer", "it was learned from that peer", "", "", "4271 9.2"},
	CommunityNoAdvertise: {"no-advertise", "community", "the community no-advertise keeps it here", "", "", "1997"},
	CommunityNoExport:    {"no-export", "community", "the community no-export keeps it within the AS", "", "", "1997"},
	BetweenInternal:      {"between-internal", "internal peers", "what an internal peer sent is not passed on to another", "join the two by a session, or make {a} a reflector for one of them", "", "4271 9.2"},
	PeerASInPath:         {"peer-as-in-path", "AS path", "the peer's AS is in the path: the peer would refuse it", "set loop-check off on {a}, and own-as-allowed on {b} or replace as peer in the export policy of {a}", "", "4271 9.1.3"},
	NoExportPolicy:       {"no-export-policy", "policy", "external sessions without an export policy let nothing out", "name an export-policy", "", "8212 3"},
	UpdateTooLong:        {"update-too-long", "attributes", "an UPDATE of 4096 octets has no room for its attributes", "shorten its AS path, or remove communities in the export policy towards {a}", "", "4271 9.2"},
	NotInUse:             {"not-in-use", "route in use", "the table uses another source's route for the prefix, and in-use-only is on", "take in-use-only off {a}, or the other route", "", "4271 9.1.3"},
	SharedByOneAS:        {"shared-by-one-as", "multipath", "it is as good as the best path, but comes from another neighbouring AS: multipath shares with paths from the same one", "multipath N any-as on {a} shares with all", "count", ""},
	SharingIsFull:        {"sharing-is-full", "multipath", "it is as good as the best path, but multipath uses no more paths: those that the next steps of the decision prefer share the traffic", "raise multipath on {a}", "count", ""},
	WithinAggregate:      {"within-aggregate", "aggregate", "an aggregate is sent instead of it", "", "prefix", "4271 9.2.2.2"},
}

// Info is the reason's row in the table.
func (c Code) Info() Info {
	i := Reasons[c]
	i.What, i.Text, i.Remedy = phrase.Text(i.What), phrase.Text(i.Text), phrase.Text(i.Remedy)
	return i
}

// String is the reason's slug.
func (c Code) String() string { return Reasons[c].Slug }
