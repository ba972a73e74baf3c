package labtext

// Contexts of policies and of the sets that they name.
const (
	PolicyOf    Context = "policy"
	StatementOf Context = "statement"
	WhereOf     Context = "where"
	ActionSet   Context = "set"
	ActionAdd   Context = "add"
	ActionTake  Context = "remove"
	ActionSwap  Context = "replace"
	PrependOf   Context = "prepend"
	PathSetOf   Context = "as-path-set"
	CommSetOf   Context = "community-set"
	TagSetOf    Context = "tag-set"
	NbrSetOf    Context = "neighbour-set"
)

// hides is what it means that a router has a policy or a set of its own.
const hides = "; in a router's block it is that router's own, and hides the lab's of the same name there"

// policyRows are the statements of policies (RFC 9067).
func policyRows() []Row {
	name := []Arg{{Name: "name", Kind: Name}}
	compared := []Arg{{Name: "comparison", Kind: Compare}, {Name: "value", Kind: Number, Max: 4294967295}}
	inSet := func(what string) []Arg {
		return []Arg{{Name: "in", Kind: Literal, Words: []string{"in"}}, {Name: what, Kind: Name}}
	}
	value := func(what string, top uint64) []Arg { return []Arg{{Name: what, Kind: Number, Max: top}} }
	const top32 = 4294967295
	numbers := []Arg{{Name: "AS numbers", Kind: Number, Min: 1, Max: top32, Repeat: true}}
	communities := []Arg{{Name: "communities", Kind: Community, Repeat: true}}
	row := func(word string, in Context, args []Arg, rfc, help string, build func(*builder, *Node)) Row {
		return Row{Word: word, In: []Context{in}, Inline: true, Args: args, Effect: Reconsiders, RFC: rfc, Help: help, build: build}
	}
	line := func(word string, in Context, args []Arg, rfc, help string, build func(*builder, *Node)) Row {
		r := row(word, in, args, rfc, help, build)
		r.Inline = false // its place among the others counts
		return r
	}
	block := func(word string, in, opens Context, args []Arg, rfc, help string, build func(*builder, *Node)) Row {
		return Row{Word: word, In: []Context{in}, Opens: opens, Many: true, Args: args, Effect: Reconsiders, RFC: rfc, Help: help, build: build}
	}
	owned := func(word string, opens Context, args []Arg, rfc, help string, build func(*builder, *Node)) Row {
		r := block(word, Top, opens, args, rfc, help+hides, build)
		r.In = append(r.In, RouterOf)
		return r
	}
	rows := []Row{
		owned("policy", PolicyOf, name, "9067", "statements that decide on routes, in order; who names it is a peer, an inject or another policy", (*builder).policy),
		block("statement", PolicyOf, StatementOf, name, "9067 5", "if all its where lines hold its actions are taken; without accept or reject the next statement goes on", (*builder).statement),
		line("otherwise", PolicyOf, []Arg{{Name: "verdict", Kind: Name, Words: []string{"accept", "reject"}}}, "9067 5", "what becomes of routes that no statement decided on; reject if it is left out", (*builder).otherwise),
		block("where", StatementOf, WhereOf, nil, "9067 4.2", "what must hold", (*builder).where),
		row("prefix", WhereOf, inSet("prefix set"), "9067 4.1", "the prefix is in the set", (*builder).whereSet),
		row("as-path", WhereOf, inSet("AS path set"), "9067 4.1", "a pattern of the set fits the AS path", (*builder).whereSet),
		row("community", WhereOf, inSet("community set"), "9067 4.1", "a community of the route is in the set", (*builder).whereSet),
		row("neighbour", WhereOf, inSet("neighbour set"), "9067 4.1", "the peer that it comes from or goes to is in the set", (*builder).whereSet),
		row("next-hop", WhereOf, inSet("prefix set"), "9067 4.2", "the next hop, as a prefix of length 32, is in the set", (*builder).whereSet),
		row("tag", WhereOf, []Arg{{Name: "comparison", Kind: Name, Words: []string{"in", "="}}, {Name: "tag or tag set", Kind: Value}}, "9067 4.1", "the tag is this one, or in the set", (*builder).whereTag),
		row("source", WhereOf, []Arg{{Name: "source", Kind: Name, Words: []string{"connected", "static", "ospf", "bgp", "taken"}}}, "9067 4.2", "where the route comes from", (*builder).whereWord),
		row("instance", WhereOf, []Arg{{Name: "instance", Kind: Name}}, "8529 3", "the routing instance in which the route began: of a taken route not the one that runs the policy", (*builder).whereWord),
		row("route-type", WhereOf, []Arg{{Name: "type", Kind: Name, Words: []string{"internal", "external", "local", "intra-area", "inter-area", "external-1", "external-2"}}}, "9067 4.2", "of BGP: from an internal or an external peer, or our own; of OSPF: its kind of route", (*builder).whereWord),
		row("origin", WhereOf, []Arg{{Name: "origin", Kind: Name, Words: []string{"igp", "egp", "incomplete"}}}, "4271 5.1.1", "the ORIGIN attribute", (*builder).whereWord),
		row("med", WhereOf, compared, "9067 4.2", "the MED; a route without one counts as 0", (*builder).whereNumber),
		row("local-preference", WhereOf, compared, "9067 4.2", "the local preference; a route without one counts as 100", (*builder).whereNumber),
		row("metric", WhereOf, compared, "9067 4.2", "the metric that the route has at its source", (*builder).whereNumber),
		row("as-path-length", WhereOf, compared, "9067 4.2", "how many ASes the path goes through", (*builder).whereNumber),
		row("policy", WhereOf, name, "9067 4.3", "another policy accepts it", (*builder).wherePolicy),

		line("accept", StatementOf, nil, "9067 4.3", "the route passes; no later statement is looked at", (*builder).accept),
		line("reject", StatementOf, nil, "9067 4.3", "the route does not pass; no later statement is looked at", (*builder).reject),
		block("prepend", StatementOf, PrependOf, numbers, "4271 5.1.2", "these ASes are put before the path, and before them our own when it is sent", (*builder).prepend),
		row("times", PrependOf, []Arg{{Name: "times", Kind: Number, Min: 1, Max: 10}}, "4271 5.1.2", "puts them there this many times", (*builder).times),
		block("set", StatementOf, ActionSet, nil, "9067 4.3", "sets a property of the route", (*builder).act),
		row("local-preference", ActionSet, []Arg{{Name: "preference", Kind: Adjusted}}, "4271 5.1.5", "how much the path is preferred within the AS; higher wins; +10 and -10 change the one that it has", (*builder).setAdjusted),
		row("med", ActionSet, []Arg{{Name: "MED", Kind: MEDValue}}, "4271 5.1.4", "a hint to the neighbouring AS which path in to take; lower wins; igp is the interior cost of the path's next hop", (*builder).setAdjusted),
		row("metric", ActionSet, value("metric", 16777214), "9067 4.3", "the metric with which it is injected", (*builder).setNumber),
		row("metric-type", ActionSet, []Arg{{Name: "type", Kind: Number, Min: 1, Max: 2}}, "2328 2.3", "the type of an OSPF external metric", (*builder).setNumber),
		row("tag", ActionSet, value("tag", top32), "9067 4.3", "a number that goes with the route", (*builder).setNumber),
		row("origin", ActionSet, []Arg{{Name: "origin", Kind: Name, Words: []string{"igp", "egp", "incomplete"}}}, "4271 5.1.1", "the ORIGIN attribute", (*builder).setWord),
		row("next-hop", ActionSet, []Arg{{Name: "next hop", Kind: HopValue}}, "4271 5.1.3", "the next hop: an address, self for ours, or peer for the peer's", (*builder).setHop),
		block("add", StatementOf, ActionAdd, nil, "9067 4.3", "adds to the route", (*builder).act),
		row("community", ActionAdd, communities, "1997", "adds communities", (*builder).addCommunities),
		block("remove", StatementOf, ActionTake, nil, "9067 4.3", "takes something off the route", (*builder).act),
		row("community", ActionTake, []Arg{{Name: "communities, or in and a set", Kind: CommunityOrIn, Repeat: true}}, "1997", "takes communities off: these, or those in a set", (*builder).takeCommunities),
		row("med", ActionTake, nil, "4271 5.1.4", "takes the MED off", (*builder).takeMED),
		row("private-as", ActionTake, nil, "6996 4", "takes AS numbers for private use out of the path", (*builder).takePrivate),
		block("replace", StatementOf, ActionSwap, nil, "9067 4.3", "puts something else in place", (*builder).act),
		row("as-path", ActionSwap, numbers, "4271 5.1.2", "the whole AS path becomes these ASes", (*builder).swapPath),
		row("as", ActionSwap, []Arg{{Name: "AS number or peer", Kind: Value}}, "4271 5.1.2", "this AS, or peer for the peer's, becomes our own wherever it is in the path", (*builder).swapAS),
		row("community", ActionSwap, communities, "1997", "the communities become these", (*builder).swapCommunities),

		owned("as-path-set", PathSetOf, name, "9067 4.1", "patterns over AS paths", (*builder).pathSet),
		{Word: "path", In: []Context{PathSetOf}, Many: true, Args: []Arg{{Name: "pattern", Kind: PathWord, Repeat: true}}, Effect: Reconsiders, RFC: "9067 4.1",
			Help:  "a pattern, nearest AS first: 64496, 64496..64511, 64496|64500, * for any one AS, ... for any number of them, + behind a word for once or more; empty alone for a path without an AS",
			build: (*builder).pathPattern},
		owned("community-set", CommSetOf, name, "9067 4.1", "communities", (*builder).communitySet),
		{Word: "community", In: []Context{CommSetOf}, Many: true, Args: []Arg{{Name: "communities", Kind: WildCommunity, Repeat: true}}, Effect: Reconsiders, RFC: "1997, 8092",
			Help: "communities such as 64500:100, 64500:1:2 or no-export; * is any number", build: (*builder).communityMembers},
		owned("tag-set", TagSetOf, name, "9067 4.1", "tags", (*builder).tagSet),
		{Word: "tag", In: []Context{TagSetOf}, Many: true, Args: []Arg{{Name: "tags", Kind: Number, Max: top32, Repeat: true}}, Effect: Reconsiders, RFC: "9067 4.1", Help: "tags of the set", build: (*builder).tagMembers},
		owned("neighbour-set", NbrSetOf, name, "9067 4.1", "addresses of peers", (*builder).neighbourSet),
		{Word: "neighbour", In: []Context{NbrSetOf}, Many: true, Args: []Arg{{Name: "addresses", Kind: Address, Repeat: true}}, Effect: Reconsiders, RFC: "9067 4.1", Help: "addresses of the set", build: (*builder).neighbourMembers},
	}
	return rows
}
