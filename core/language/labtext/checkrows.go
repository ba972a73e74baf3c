package labtext

import "hellebore/core/language/config"

// Contexts of checks and briefs.
const (
	CheckOf     Context = "check"
	ExpectOf    Context = "expect"
	FlowExpect  Context = "expect flow"
	PathExpect  Context = "expect path"
	RouteExpect Context = "expect route"
	BriefOf     Context = "brief"
	TaskOf      Context = "task"
	WheneverOf  Context = "whenever"
	QuestionOf  Context = "question"
)

// checkRows are the statements of checks and briefs: they change nothing in the
// network.
func checkRows() []Row {
	ends := []Arg{{Name: "from", Kind: AtRef}, {Name: "arrow", Kind: Literal, Words: []string{"->"}}, {Name: "to", Kind: AtRef}}
	compared := []Arg{{Name: "comparison", Kind: Compare}, {Name: "value", Kind: Number, Max: 4294967295}}
	quoted := func(name string) []Arg { return []Arg{{Name: name, Kind: Quoted}} }
	told := []Arg{{Name: "router", Kind: AtRef}, {Name: "peer", Kind: PeerName}, {Name: "prefix", Kind: Prefix}}
	at := []Arg{{Name: "router", Kind: AtRef}, {Name: "prefix", Kind: Prefix}}
	device := []Arg{{Name: "device", Kind: AtRef}}
	block := func(word string, in, opens Context, args []Arg, help string, build func(*builder, *Node)) Row {
		return Row{Word: word, In: []Context{in}, Opens: opens, Many: true, Args: args, Effect: Nothing, Help: help, build: build}
	}
	inline := func(word string, in Context, opens Context, args []Arg, help string, build func(*builder, *Node)) Row {
		r := block(word, in, opens, args, help, build)
		r.Inline = true
		return r
	}
	return []Row{
		block("check", Top, CheckOf, quoted("name"), "something that is expected of the lab; it is looked at in every preview, and by hellebore run", (*builder).check),
		block("when", CheckOf, "", []Arg{{Name: "action", Kind: Name, Words: []string{"cut", "silence", "mend", "disable", "enable"}}, {Name: "target", Kind: PortRef},
			{Name: "direction", Kind: Name, Words: []string{"in", "out"}, Optional: true}},
			"what is done first, on a copy of the network; several are done in order, each to settled", (*builder).when),
		{Word: "whenever", In: []Context{CheckOf}, Opens: WheneverOf, Many: true, Args: []Arg{{Name: "kind of failure", Kind: Name, Words: config.FailureKinds},
			{Name: "fails", Kind: Literal, Words: []string{"fails"}}}, Effect: Nothing,
			Help: "each failure of this kind is tried on a copy of the network, alone; what is expected must hold after every one of them", build: (*builder).whenever},
		inline("except", WheneverOf, "", []Arg{{Name: "device or port", Kind: PortRef, Repeat: true}}, "what fails at this device or port is left out", (*builder).except),
		block("expect", CheckOf, ExpectOf, nil, "what must be true then", (*builder).expect),
		inline("flow", ExpectOf, FlowExpect, []Arg{{Name: "flow", Kind: Name}}, "the flow arrives, and its answers come back", (*builder).expectFlow),
		inline("outage", FlowExpect, "", []Arg{{Name: "comparison", Kind: Name, Words: []string{"<", "<="}}, {Name: "time", Kind: Duration, Min: 0, Max: 3_600_000_000_000}},
			"how much of the flow is lost at most while the check's actions are done", (*builder).expectOutage),
		inline("reach", ExpectOf, "", ends, "packets from the one device arrive at the other", (*builder).expectReach),
		inline("no-reach", ExpectOf, "", ends, "packets from the one device do not arrive at the other", (*builder).expectReach),
		inline("path", ExpectOf, PathExpect, ends, "packets from the one device arrive at the other, by this path", (*builder).expectPath),
		inline("through", PathExpect, "", device, "the path goes through this device", (*builder).expectThrough),
		inline("avoiding", PathExpect, "", device, "the path does not go through this device", (*builder).expectThrough),
		inline("route", ExpectOf, RouteExpect, at, "the router has a route for exactly this prefix", (*builder).expectRoute),
		inline("no-route", ExpectOf, "", at, "the router has no route for exactly this prefix", (*builder).expectRoute),
		inline("source", RouteExpect, "", []Arg{{Name: "source", Kind: Name, Words: []string{"connected", "static", "ospf", "bgp", "taken"}}}, "where the route comes from", (*builder).expectSource),
		inline("via", RouteExpect, "", device, "a next hop of the route is this device", (*builder).expectVia),
		inline("metric", RouteExpect, "", compared, "the cost of the route", (*builder).expectLimit),
		inline("local-preference", RouteExpect, "", compared, "of the chosen BGP path", (*builder).expectLimit),
		inline("as-path-length", RouteExpect, "", compared, "of the chosen BGP path", (*builder).expectLimit),
		inline("community", RouteExpect, "", []Arg{{Name: "community", Kind: Community}}, "the chosen BGP path carries it", (*builder).expectCommunity),
		inline("neighbour", ExpectOf, "", []Arg{{Name: "one end", Kind: AtRef}, {Name: "other end", Kind: AtRef}, {Name: "state", Kind: Name,
			Words: []string{"up", "down", "Full", "2-Way", "Established", "Idle", "Connect", "Active", "Init", "ExStart", "Exchange", "Loading", "Down"}}},
			"every adjacency and session of the two is in this state", (*builder).expectNeighbour),
		inline("sent", ExpectOf, "", told, "the router advertises the prefix to the peer, a device or an address", (*builder).expectSent),
		inline("not-sent", ExpectOf, "", told, "the router does not advertise the prefix to the peer", (*builder).expectSent),

		{Word: "brief", In: []Context{Top}, Opens: BriefOf, Effect: Nothing, Help: "a text for whoever opens the lab, shown beside the work", build: (*builder).brief},
		block("text", BriefOf, "", quoted("paragraph"), "a paragraph of background", (*builder).briefText),
		block("task", BriefOf, TaskOf, quoted("task"), "something to be done", (*builder).task),
		block("check", TaskOf, "", quoted("check"), "the task is done when this check passes, and the others that it names", (*builder).taskCheck),
		block("act", TaskOf, "", []Arg{{Name: "action", Kind: Name, Words: config.Acts}}, "the task is done when somebody has done such an action; apply is a change of the text", (*builder).taskAct),
		block("look", TaskOf, "", []Arg{{Name: "view", Kind: Name, Words: config.Places}}, "the task is done when its reader has opened this view or panel; failures, when some have been tried", (*builder).taskLook),
		block("question", BriefOf, QuestionOf, quoted("question"), "a question for the reader", (*builder).question),
		{Word: "answer", In: []Context{QuestionOf}, Args: quoted("answer"), Effect: Nothing, Help: "shown when the reader asks for it", build: (*builder).answer},
	}
}
