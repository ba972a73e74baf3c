package labtext

// Contexts of BGP.
const (
	BGPOf     Context = "bgp"
	PeerOf    Context = "peer"
	GroupOf   Context = "peer-group"
	BringOf   Context = "originate or inject in bgp"
	DefaultOf Context = "originate default of a peer"
	Aggregate Context = "aggregate"
)

// Effects of changes on BGP.
const (
	RestartBGP   Effect = "ends all sessions and starts anew"
	ResetSession Effect = "resets the session"
	Reconsiders  Effect = "decides again on stored paths; no session is reset"
)

// onOff is the argument of a switch that a peer can set otherwise than its group.
var onOff = []Arg{{Name: "switch", Kind: Name, Words: []string{"on", "off"}, Optional: true}}

// bgpRows are the statements of BGP.
func bgpRows() []Row {
	as := []Arg{{Name: "AS number", Kind: Number, Min: 1, Max: 4294967295}}
	both := []Context{PeerOf, GroupOf}
	all := append([]Context{DefaultsOf}, both...)
	policyName := []Arg{{Name: "policy", Kind: Name}}
	return []Row{
		{Word: "bgp", In: []Context{RouterOf, InstanceOf}, Opens: BGPOf,
			Effect: RestartBGP, RFC: "4271", Help: "the router speaks BGP", build: (*builder).bgp},
		{Word: "as", In: []Context{BGPOf}, Inline: true, Args: as,
			Effect: RestartBGP, RFC: "6793", Help: "the router's AS", build: (*builder).bgpAS},
		{Word: "cluster-id", In: []Context{BGPOf}, Args: []Arg{{Name: "id", Kind: Address}}, Default: "the router ID",
			Effect: RestartBGP, RFC: "4456 7", Help: "of a reflector: what marks the paths that it passes on; reflectors of one cluster share it", build: (*builder).clusterID},
		{Word: "originate", In: []Context{BGPOf}, Opens: BringOf, Many: true, Args: []Arg{{Name: "prefix", Kind: Prefix}},
			Effect: Reconsiders, RFC: "4271 9.4", Help: "announces this prefix while the table has exactly it from another source than BGP", build: (*builder).originate},
		{Word: "inject", In: []Context{BGPOf}, Opens: BringOf, Many: true,
			Args:   []Arg{{Name: "source", Kind: Name, Words: []string{"connected", "static", "ospf", "taken"}}},
			Effect: Reconsiders, RFC: "4271 9.4", Help: "announces the routes of another source", build: (*builder).bgpInject},
		{Word: "through", In: []Context{BringOf, Aggregate}, Inline: true, Args: []Arg{{Name: "policy or prefix set", Kind: Name}},
			Effect: Reconsiders, RFC: "9067 2", Help: "only what this policy accepts, changed as it says; or only the prefixes of this set", build: (*builder).bgpThrough},
		{Word: "when", In: []Context{BringOf, DefaultOf}, Inline: true, Args: []Arg{{Name: "prefix, policy or prefix set", Kind: PrefixOrName}},
			Effect: Reconsiders, Help: "only while the table has a route for exactly this prefix, or one that the policy or the set accepts", build: (*builder).depends},
		{Word: "unless", In: []Context{BringOf, DefaultOf}, Inline: true, Args: []Arg{{Name: "prefix, policy or prefix set", Kind: PrefixOrName}},
			Effect: Reconsiders, Help: "only while the table has no such route", build: (*builder).depends},
		{Word: "aggregate", In: []Context{BGPOf}, Opens: Aggregate, Many: true, Args: []Arg{{Name: "prefix", Kind: Prefix}},
			Effect: Reconsiders, RFC: "4271 9.2.2.2", Help: "announces this prefix while there is a path to something within it", build: (*builder).aggregate},
		{Word: "alone", In: []Context{Aggregate}, Inline: true,
			Effect: Reconsiders, RFC: "4271 9.2.2.2", Help: "what is within it is not announced beside it", build: (*builder).alone},
		{Word: "as-set", In: []Context{Aggregate}, Inline: true,
			Effect: Reconsiders, RFC: "4271 9.2.2.2", Help: "the ASes of what is within it go with it as a set, and their communities too", build: (*builder).asSet},
		{Word: "med-among", In: []Context{BGPOf, DefaultsOf}, Args: []Arg{{Name: "choice of paths", Kind: Name, Words: []string{"same-as", "all"}}}, Default: "same-as",
			Effect: Reconsiders, RFC: "4271 9.1.2.2 c", Help: "between which paths MED is compared: those from the same neighbouring AS, or all", build: (*builder).medAmong},
		{Word: "multipath", In: []Context{BGPOf, DefaultsOf}, Args: []Arg{{Name: "paths", Kind: Number, Min: 1, Max: 16}, {Name: "neighbouring AS", Kind: Name, Words: []string{"any-as"}, Optional: true}}, Default: "1",
			Effect: Reconsiders, Help: "how many paths that are equal up to the interior cost share the traffic: the best one and the next in the order of the decision; with any-as also those from other neighbouring ASes", build: (*builder).multipath},
		{Word: "in-use-only", In: []Context{BGPOf, DefaultsOf}, Args: onOff, Default: "off",
			Effect: Reconsiders, RFC: "4271 9.1.3", Help: "a learned path is advertised only while the table uses it, and not another source's route for the prefix", build: (*builder).inUseOnly},
		{Word: "best-external", In: []Context{BGPOf, DefaultsOf}, Args: onOff, Default: "off",
			Effect: Reconsiders, Help: "while the best path comes from an internal peer, internal peers receive the best path from outside, so that they have it when the other one fails", build: (*builder).bestExternal},
		{Word: "external-policy", In: []Context{BGPOf, DefaultsOf}, Args: []Arg{{Name: "rule", Kind: Name, Words: []string{"required", "optional"}}}, Default: "optional",
			Effect: Reconsiders, RFC: "8212", Help: "whether external sessions without a policy let nothing through", build: (*builder).externalPolicy},
		{Word: "loop-check", In: append([]Context{BGPOf, DefaultsOf}, both...), Args: []Arg{{Name: "switch", Kind: Name, Words: []string{"on", "off"}}}, Default: "on",
			Effect: Reconsiders, RFC: "4271 9.1.3", Help: "whether paths that hold the peer's AS are withheld from it", build: (*builder).loopCheck},
		{Word: "connect-retry", In: []Context{BGPOf, DefaultsOf}, Args: []Arg{{Name: "interval", Kind: Seconds, Min: 1, Max: 65535}}, Default: "30s",
			Effect: Live, RFC: "4271 10", Help: "how long until a session is tried again", build: (*builder).connectRetry},

		{Word: "peer-group", In: []Context{BGPOf}, Opens: GroupOf, Many: true, Args: []Arg{{Name: "name", Kind: Name}},
			Effect: Live, Help: "what several peers have in common; each may say otherwise", build: (*builder).peerGroup},
		{Word: "peer", In: []Context{BGPOf}, Opens: PeerOf, Many: true, Args: []Arg{{Name: "address", Kind: Address}},
			Effect: Live, RFC: "4271 8", Help: "a session with the router at this address", build: (*builder).peer},
		{Word: "as", In: []Context{PeerOf}, Inline: true, Args: as,
			Effect: ResetSession, RFC: "4271 6.2", Help: "the peer's AS", build: (*builder).peerAS},
		{Word: "as", In: []Context{GroupOf}, Args: as,
			Effect: ResetSession, RFC: "4271 6.2", Help: "the AS of all peers of the group", build: (*builder).peerAS},
		{Word: "group", In: []Context{PeerOf}, Inline: true, Args: []Arg{{Name: "peer group", Kind: Name}},
			Effect: Live, Help: "the peer has what the group has, and what it says itself above that", build: (*builder).peerGroupOf},
		{Word: "description", In: both, Args: []Arg{{Name: "text", Kind: Quoted}},
			Effect: Live, Help: "a description, shown with the peer", build: (*builder).description},
		{Word: "local-address", In: both, Args: []Arg{{Name: "port or none", Kind: Name}}, Default: "the address of the port by which the peer is reached",
			Effect: ResetSession, RFC: "4271 8.2.1", Help: "the port or loopback whose address the session has on this side", build: (*builder).localAddress},
		{Word: "multihop", In: both, Args: []Arg{{Name: "hops", Kind: Number, Min: 1, Max: 255, Off: true}}, Default: "an external peer is on a network of ours",
			Effect: ResetSession, Help: "the peer may be this many hops away; with ttl-security, that says how many", build: (*builder).multihop},
		{Word: "ttl-security", In: both, Args: []Arg{{Name: "hops", Kind: Number, Min: 1, Max: 254, Off: true}}, Default: "off",
			Effect: ResetSession, RFC: "5082", Help: "packets from further away than this many hops are dropped; both ends must say so", build: (*builder).ttlSecurity},
		{Word: "keys", In: both, Args: []Arg{{Name: "key chain", Kind: Name}}, Default: "none",
			Effect: ResetSession, RFC: "2385", Help: "signs the segments of the session with this key chain, of md5 keys; none for no signature", build: (*builder).peerKeys},
		{Word: "passive", In: both, Inline: true, Args: onOff, Default: "off",
			Effect: ResetSession, RFC: "4271 8.1.1", Help: "waits for the peer to open the connection", build: (*builder).peerPassive},
		{Word: "hold-time", In: all, Args: []Arg{{Name: "time", Kind: Seconds, Max: 65535}}, Default: "90s",
			Effect: ResetSession, RFC: "4271 4.2", Help: "how long the peer may be silent; the lower of both ends counts, 0s is for ever", build: (*builder).holdTime},
		{Word: "min-advertisement-interval", In: all, Args: []Arg{{Name: "interval", Kind: Seconds, Max: 600}}, Default: "30s towards an external peer, 5s towards an internal one",
			Effect: Live, RFC: "4271 9.2.1.1", Help: "the least time between two rounds of news to the peer", build: (*builder).minInterval},
		{Word: "next-hop-self", In: both, Args: onOff, Default: "off",
			Effect: Reconsiders, RFC: "4271 5.1.3", Help: "the peer receives our address as the next hop of what we learned from outside", build: (*builder).nextHopSelf},
		{Word: "next-hop-unchanged", In: both, Args: onOff, Default: "off",
			Effect: Reconsiders, RFC: "4271 5.1.3", Help: "an external peer receives the next hop that we received", build: (*builder).nextHopKept},
		{Word: "client", In: both, Inline: true, Args: onOff, Default: "off",
			Effect: Reconsiders, RFC: "4456 6", Help: "we reflect: what this internal peer sends goes to the others, and theirs to it", build: (*builder).client},
		{Word: "import-policy", In: both, Args: policyName,
			Effect: Reconsiders, RFC: "9067 4", Help: "what the peer sends goes through this policy; none for no policy", build: (*builder).importPolicy},
		{Word: "export-policy", In: both, Args: policyName,
			Effect: Reconsiders, RFC: "9067 4", Help: "what the peer is sent goes through this policy; none for no policy", build: (*builder).exportPolicy},
		{Word: "max-prefixes", In: both, Args: []Arg{{Name: "prefixes", Kind: Number, Min: 1, Max: 10_000_000, Off: true}}, Default: "no limit",
			Effect: Live, RFC: "4486 4", Help: "more than these, and the session ends until it is reset", build: (*builder).maxPrefixes},
		{Word: "own-as-allowed", In: both, Args: []Arg{{Name: "times", Kind: Number, Min: 1, Max: 10, Off: true}}, Default: "not at all",
			Effect: Reconsiders, RFC: "4271 9.1.2", Help: "our AS may be in a path at most this many times", build: (*builder).ownAS},
		{Word: "remove-private-as", In: both, Args: onOff, Default: "off",
			Effect: Reconsiders, RFC: "6996 4", Help: "AS numbers for private use are taken out of paths towards the peer", build: (*builder).removePrivate},
		{Word: "originate", In: both, Opens: DefaultOf, Args: append([]Arg{{Name: "what", Kind: Name, Words: []string{"default"}}}, onOff...),
			Effect: Reconsiders, Help: "the peer is sent a default route of our own, whether we have one or not; the export policy may change or reject it", build: (*builder).peerDefault},
		{Word: "local-as", In: both, Args: []Arg{{Name: "AS number", Kind: Number, Min: 1, Max: 4294967295, Off: true}}, Default: "the router's AS",
			Effect: ResetSession, RFC: "7705 3", Help: "the AS that the external peer sees the router in, while ASes are merged; it is put before the router's own AS in paths, in both directions", build: (*builder).localAS},
		{Word: "no-prepend-inbound", In: both, Args: onOff, Default: "off",
			Effect: Reconsiders, RFC: "7705 3.1", Help: "local-as is not put before the paths that the peer sends", build: (*builder).noPrependIn},
		{Word: "replace-old-as", In: both, Args: onOff, Default: "off",
			Effect: Reconsiders, RFC: "7705 3.2", Help: "paths sent to the peer carry local-as instead of the router's AS", build: (*builder).replaceOldAS},
		{Word: "four-octet-as", In: all, Args: []Arg{{Name: "switch", Kind: Name, Words: []string{"on", "off"}}}, Default: "on",
			Effect: ResetSession, RFC: "6793", Help: "whether the four-octet AS capability is advertised", build: (*builder).fourOctet},
		{Word: "route-refresh", In: all, Args: []Arg{{Name: "switch", Kind: Name, Words: []string{"on", "off"}}}, Default: "on",
			Effect: ResetSession, RFC: "2918", Help: "whether the route refresh capability is advertised", build: (*builder).routeRefresh},
		{Word: "shutdown-message", In: both, Args: []Arg{{Name: "text", Kind: Quoted}},
			Effect: Live, RFC: "9003", Help: "the message that the peer receives when it is disabled here", build: (*builder).shutdownMessage},
	}
}
