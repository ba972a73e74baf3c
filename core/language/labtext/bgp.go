package labtext

import (
	"fmt"
	"hellebore/core/ground/phrase"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"hellebore/core/language/config"
)

// Build functions of a router's bgp.

// none means no policy, where a group has one.
const none = "none"

func (b *builder) bgp(n *Node) {
	g := &of[config.Routing](b).BGP
	*g = config.BGP{Multipath: 1, ConnectRetry: config.DefaultConnectRetry}
	b.groups, b.peerNodes = map[string]*Node{}, nil
	b.children(n)
	if g.AS == 0 {
		b.errorf(n.Word, "write for example bgp as 64500", "bgp does not say in which AS the router is")
	}
	b.place(b.owner()+" bgp", n.Word)
	for _, p := range b.peerNodes {
		b.buildPeer(p)
	}
	// The order in which sessions are written means nothing.
	slices.SortStableFunc(g.Peers, func(p, q config.Peer) int { return p.Address.Compare(q.Address) })
}

// peer and peerGroup are built when all groups are known.
func (b *builder) peer(n *Node) { b.peerNodes = append(b.peerNodes, n) }

func (b *builder) peerGroup(n *Node) {
	name := n.Args[0]
	if _, twice := b.groups[name.Text]; twice {
		b.errorf(name, "choose another name", "there is another peer group named %s", name.Text)
		return
	}
	b.groups[name.Text] = n
	// A group is read once for its own errors, used or not.
	b.fill(n, &config.Peer{})
}

// PeerPlace is what a peer's place is filed under.
func PeerPlace(device string, peer netip.Addr) string { return device + " peer " + peer.String() }

func (b *builder) buildPeer(n *Node) {
	outer := b.in
	b.in = BGPOf
	defer func() { b.in = outer }()
	g := &of[config.Routing](b).BGP
	a, _ := netip.ParseAddr(n.Args[0].Text)
	if g.Peer(a) != nil {
		b.errorf(n.Args[0], "keep one of them", "the peer %v is given twice", a)
		return
	}
	p := config.Peer{Address: a, HoldTime: config.DefaultHoldTime}
	for _, c := range n.Children {
		if c.Row.Word != "group" {
			continue
		}
		group, ok := b.groups[c.Args[0].Text]
		if !ok {
			var names []string
			for name := range b.groups {
				names = append(names, name)
			}
			slices.Sort(names)
			b.unnamed(c.Args[0], c.Args[0].Text, names, "there is no peer group named %s", c.Args[0].Text)
			continue
		}
		problems := len(b.problems)
		b.fill(group, &p)
		b.problems = b.problems[:problems] // said where the group is
		p.Group = c.Args[0].Text
	}
	b.fill(n, &p)
	switch {
	case p.AS == 0:
		b.errorf(n.Args[0], "add as NUMBER to the peer or to its group", "the peer %v does not say in which AS it is",
			a)
	case p.LocalAS != 0 && p.AS == g.AS:
		b.errorf(n.Args[0], "take local-as off",
			"the peer %v is internal: only external peers see the router in another AS", a)
	case p.LocalAS != 0 && p.LocalAS == p.AS:
		b.errorf(n.Args[0], "write the AS in which the peer is to see this router",
			"local-as is the AS of the peer %v itself", a)
	case p.HoldTime == time.Second || p.HoldTime == 2*time.Second:
		b.errorf(n.Args[0], "write 0s, or 3s and more", "a hold time of %s is not allowed", FormatDuration(p.HoldTime))
	case p.Client && p.AS != g.AS:
		b.errorf(n.Args[0], "take client off",
			"the peer %v is external: only internal peers are clients of a reflector", a)
	}
	b.place(PeerPlace(b.owner(), a), n.Args[0])
	g.Peers = append(g.Peers, p)
}

func (b *builder) bgpAS(n *Node)  { of[config.Routing](b).BGP.AS = uint32(number(n.Args[0])) }
func (b *builder) peerAS(n *Node) { of[config.Peer](b).AS = uint32(number(n.Args[0])) }
func (b *builder) clusterID(n *Node) {
	of[config.Routing](b).BGP.ClusterID, _ = netip.ParseAddr(n.Args[0].Text)
}
func (b *builder) medAmong(n *Node) { of[config.Routing](b).BGP.MEDAmongAll = n.Args[0].Text == "all" }
func (b *builder) multipath(n *Node) {
	of[config.Routing](b).BGP.Multipath, of[config.Routing](b).BGP.MultipathAny = int(number(n.Args[0])), len(n.Args) > 1
}
func (b *builder) inUseOnly(n *Node)    { of[config.Routing](b).BGP.InUseOnly = on(n) }
func (b *builder) bestExternal(n *Node) { of[config.Routing](b).BGP.BestExternal = on(n) }
func (b *builder) externalPolicy(n *Node) {
	of[config.Routing](b).BGP.NeedPolicy = n.Args[0].Text == "required"
}
func (b *builder) connectRetry(n *Node) { of[config.Routing](b).BGP.ConnectRetry = duration(n.Args[0]) }

func (b *builder) loopCheck(n *Node) {
	off := n.Args[0].Text == "off"
	if b.in == BGPOf {
		of[config.Routing](b).BGP.NoLoopCheck = off
		return
	}
	of[config.Peer](b).NoLoopCheck = off
}

func (b *builder) originate(n *Node) {
	p, _ := netip.ParsePrefix(n.Args[0].Text)
	g := &of[config.Routing](b).BGP
	if b.taken("originate on "+of[config.Device](b).Name, p.String()) {
		b.errorf(n.Args[0], "keep one of them", "%v is originated twice", p)
		return
	}
	var c conditions
	b.fill(n, &c)
	b.place(fmt.Sprintf("%s originate %v", of[config.Device](b).Name, p), n.Args[0])
	g.Originates = append(g.Originates, config.Originate{Prefix: p, Policy: c.policy, Depends: c.depends})
}

// conditions are what a through, a when or an unless says.
type conditions struct {
	policy  string
	depends config.Depends
}

func (b *builder) bgpInject(n *Node) {
	var c conditions
	b.fill(n, &c)
	b.place(fmt.Sprintf("%s inject %s", of[config.Device](b).Name, n.Args[0].Text), n.Args[0])
	of[config.Routing](b).BGP.Injects = append(of[config.Routing](b).BGP.Injects,
		config.BGPInject{Source: n.Args[0].Text, Policy: c.policy, Depends: c.depends})
}

// depends is a when or an unless.
func (b *builder) depends(n *Node) {
	needs := &of[conditions](b).depends
	if needs.IsValid() {
		b.errorf(n.Word, "keep one of them, or name a policy", "what it depends on is said twice")
	}
	*needs = config.Depends{Unless: n.Word.Text == "unless"}
	if p, err := netip.ParsePrefix(n.Args[0].Text); err == nil {
		needs.Prefix = p
		return
	}
	needs.Name = n.Args[0].Text
	b.policyRefs = append(b.policyRefs, policyRef{n.Args[0], true, b.device})
}

func (b *builder) bgpThrough(n *Node) {
	of[conditions](b).policy = n.Args[0].Text
	b.policyRefs = append(b.policyRefs, policyRef{n.Args[0], true, b.device})
}

func (b *builder) aggregate(n *Node) {
	p, _ := netip.ParsePrefix(n.Args[0].Text)
	g := &of[config.Routing](b).BGP
	if b.taken("aggregate on "+of[config.Device](b).Name, p.String()) {
		b.errorf(n.Args[0], "keep one of them", "the aggregate %v is given twice", p)
		return
	}
	a := config.Aggregate{Prefix: p}
	var c conditions
	b.fill(n, &a, &c)
	a.Policy = c.policy
	g.Aggregates = append(g.Aggregates, a)
}

func (b *builder) alone(*Node) { of[config.Aggregate](b).Alone = true }
func (b *builder) asSet(*Node) { of[config.Aggregate](b).ASSet = true }

// on is the value of a switch; without an argument it is on.
func on(n *Node) bool { return len(n.Args) == 0 || n.Args[0].Text == "on" }

func (b *builder) peerGroupOf(*Node)     {} // read before the rest of the peer
func (b *builder) description(n *Node)   { of[config.Peer](b).Description = n.Args[0].Text }
func (b *builder) multihop(n *Node)      { of[config.Peer](b).Multihop = uint8(number(n.Args[0])) }
func (b *builder) ttlSecurity(n *Node)   { of[config.Peer](b).TTLSecurity = uint8(number(n.Args[0])) }
func (b *builder) peerPassive(n *Node)   { of[config.Peer](b).Passive = on(n) }
func (b *builder) holdTime(n *Node)      { of[config.Peer](b).HoldTime = duration(n.Args[0]) }
func (b *builder) nextHopSelf(n *Node)   { of[config.Peer](b).NextHopSelf = on(n) }
func (b *builder) nextHopKept(n *Node)   { of[config.Peer](b).NextHopKept = on(n) }
func (b *builder) client(n *Node)        { of[config.Peer](b).Client = on(n) }
func (b *builder) maxPrefixes(n *Node)   { of[config.Peer](b).MaxPrefixes = uint32(number(n.Args[0])) }
func (b *builder) ownAS(n *Node)         { of[config.Peer](b).OwnAS = uint8(number(n.Args[0])) }
func (b *builder) removePrivate(n *Node) { of[config.Peer](b).RemovePrivate = on(n) }
func (b *builder) peerDefault(n *Node) {
	of[config.Peer](b).Default = len(n.Args) < 2 || n.Args[1].Text == "on"
	var c conditions
	b.fill(n, &c)
	of[config.Peer](b).DefaultWhen = c.depends
}
func (b *builder) localAS(n *Node)         { of[config.Peer](b).LocalAS = uint32(number(n.Args[0])) }
func (b *builder) noPrependIn(n *Node)     { of[config.Peer](b).NoPrependIn = on(n) }
func (b *builder) replaceOldAS(n *Node)    { of[config.Peer](b).ReplaceOldAS = on(n) }
func (b *builder) fourOctet(n *Node)       { of[config.Peer](b).TwoOctetAS = !on(n) }
func (b *builder) routeRefresh(n *Node)    { of[config.Peer](b).NoRefresh = !on(n) }
func (b *builder) shutdownMessage(n *Node) { of[config.Peer](b).Shutdown = n.Args[0].Text }
func (b *builder) minInterval(n *Node) {
	of[config.Peer](b).Interval, of[config.Peer](b).IntervalSet = duration(n.Args[0]), true
}

func (b *builder) localAddress(n *Node) {
	of[config.Peer](b).Local = n.Args[0].Text
	if of[config.Peer](b).Local == none {
		of[config.Peer](b).Local = ""
		return
	}
	b.localRefs = append(b.localRefs, localRef{n.Args[0], of[config.Device](b).Name})
}

func (b *builder) policyNamed(n *Node) string {
	if n.Args[0].Text == none {
		return ""
	}
	b.policyRefs = append(b.policyRefs, policyRef{n.Args[0], false, b.device})
	return n.Args[0].Text
}
func (b *builder) importPolicy(n *Node) { of[config.Peer](b).Import = b.policyNamed(n) }
func (b *builder) exportPolicy(n *Node) { of[config.Peer](b).Export = b.policyNamed(n) }

// policyRef is a policy that something names; orSet says that a prefix set does
// as well, device is the router on which it does.
type policyRef struct {
	token  Token
	orSet  bool
	device string
}

// localRef is a port that a local-address of a device names.
type localRef struct {
	token  Token
	device string
}

// bgpReferences checks what bgp blocks and policies name.
func (b *builder) bgpReferences() {
	seen := map[Token]bool{}
	for _, r := range b.localRefs {
		d := b.find(r.device)
		if seen[r.token] || d == nil {
			continue
		}
		seen[r.token] = true
		if p := d.Port(r.token.Text); p == nil || !p.Address.IsValid() {
			var ports []string
			for _, p := range d.Ports {
				if p.Address.IsValid() {
					ports = append(ports, p.Name)
				}
			}
			b.unnamed(r.token, r.token.Text, ports, "%s has no port named %s with an address", d.Name,
				r.token.Text)
		}
	}
	policies, either := map[string][]string{}, map[string][]string{} // by router
	for _, r := range b.policyRefs {
		if policies[r.device] == nil {
			p := b.policiesOf(r.device)
			names := []string{}
			for _, x := range p.List {
				names = append(names, x.Name)
			}
			policies[r.device], either[r.device] = names, slices.Concat(names, setNames(&p)["prefix set"])
		}
		known, what := policies[r.device], "policy"
		if r.orSet {
			known, what = either[r.device], "policy or prefix set"
		}
		if !seen[r.token] && !slices.Contains(known, r.token.Text) {
			seen[r.token] = true
			b.unnamed(r.token, r.token.Text, known, "there is no %s named %s", phrase.Text(what), r.token.Text)
		}
	}
	b.setReferences()
}

// joined writes what something depends on behind it.
func joined(s string, d config.Depends) string { return strings.TrimSpace(s + " " + d.String()) }

// bgpFacts writes a router's BGP as facts, for differences.
func bgpFacts(owner string, g *config.BGP, add func(subject, what, value string, in Context, word string)) {
	if g.AS == 0 {
		return
	}
	self := func(what, value string, word string) { add(owner, what, value, BGPOf, word) }
	flag := func(b bool, word string) string {
		if b {
			return word
		}
		return ""
	}
	self("bgp as", strconv.FormatUint(uint64(g.AS), 10), "as")
	self("bgp disabled", flag(g.Disabled, "disabled"), "disabled")
	if g.ClusterID.IsValid() {
		self("bgp cluster-id", g.ClusterID.String(), "cluster-id")
	}
	self("bgp med-among", flag(g.MEDAmongAll, "all"), "med-among")
	if g.Multipath > 1 {
		self("bgp multipath", strconv.Itoa(g.Multipath)+flag(g.MultipathAny, " any-as"), "multipath")
	}
	self("bgp in-use-only", flag(g.InUseOnly, "on"), "in-use-only")
	self("bgp best-external", flag(g.BestExternal, "on"), "best-external")
	self("bgp external-policy", flag(g.NeedPolicy, "required"), "external-policy")
	self("bgp loop-check", flag(g.NoLoopCheck, "off"), "loop-check")
	if g.ConnectRetry != config.DefaultConnectRetry {
		self("bgp connect-retry", FormatDuration(g.ConnectRetry), "connect-retry")
	}
	through := func(policy string) string {
		if policy == "" {
			return "there"
		}
		return "through " + policy
	}
	for _, o := range g.Originates {
		self(fmt.Sprintf("bgp originate %v", o.Prefix), joined(through(o.Policy), o.Depends), "originate")
	}
	for _, i := range g.Injects {
		self("bgp inject "+i.Source, joined(through(i.Policy), i.Depends), "inject")
	}
	for _, a := range g.Aggregates {
		value := through(a.Policy) + flag(a.Alone, ", alone") + flag(a.ASSet, ", as-set")
		self(fmt.Sprintf("bgp aggregate %v", a.Prefix), value, "aggregate")
	}
	feedFacts(g.Feeds, func(what, value, word string) { self(what, value, word) })
	for i := range g.Peers {
		p := &g.Peers[i]
		n := owner + " peer " + p.Address.String()
		set := func(word, value string) { add(n, word, value, PeerOf, word) }
		add(n, "", "peer", BGPOf, "peer")
		set("as", strconv.FormatUint(uint64(p.AS), 10))
		set("group", p.Group)
		set("disabled", flag(p.Disabled, "disabled"))
		set("description", p.Description)
		set("shutdown-message", p.Shutdown)
		set("local-address", p.Local)
		if p.Keys != nil {
			set("keys", p.Keys.Name)
		}
		set("passive", flag(p.Passive, "on"))
		set("next-hop-self", flag(p.NextHopSelf, "on"))
		set("next-hop-unchanged", flag(p.NextHopKept, "on"))
		set("client", flag(p.Client, "on"))
		set("import-policy", p.Import)
		set("export-policy", p.Export)
		set("loop-check", flag(p.NoLoopCheck, "off"))
		set("remove-private-as", flag(p.RemovePrivate, "on"))
		if p.Default {
			set("originate", joined("default", p.DefaultWhen))
		}
		set("no-prepend-inbound", flag(p.NoPrependIn, "on"))
		set("replace-old-as", flag(p.ReplaceOldAS, "on"))
		set("four-octet-as", flag(p.TwoOctetAS, "off"))
		set("route-refresh", flag(p.NoRefresh, "off"))
		number := func(word string, v uint32) {
			if v != 0 {
				set(word, strconv.FormatUint(uint64(v), 10))
			}
		}
		number("multihop", uint32(p.Multihop))
		number("local-as", p.LocalAS)
		number("ttl-security", uint32(p.TTLSecurity))
		number("max-prefixes", p.MaxPrefixes)
		number("own-as-allowed", uint32(p.OwnAS))
		if p.HoldTime != config.DefaultHoldTime {
			set("hold-time", FormatDuration(p.HoldTime))
		}
		if p.IntervalSet {
			set("min-advertisement-interval", FormatDuration(p.Interval))
		}
	}
}

// policyFacts writes policies and the sets that they name as facts; device is the
// router whose own they are.
func policyFacts(device string, l *config.Policies, add func(subject, what, value string, in Context, word string)) {
	own := func(s string) string { return strings.TrimSpace(device + " " + s) }
	for i := range l.List {
		p := &l.List[i]
		n := own("policy " + p.Name)
		add(n, "", "", Top, "policy")
		for k := range p.Statements {
			s := &p.Statements[k]
			add(n, fmt.Sprintf("statement %s", s.Name), fmt.Sprintf("%d: %s", k+1, statementWords(s)), PolicyOf,
				"statement")
		}
		if p.Otherwise != config.NoVerdict {
			add(n, "otherwise", p.Otherwise.String(), PolicyOf, "otherwise")
		}
	}
	list := func(kind, name string, members []string, in Context, word string) {
		n := own(kind + " " + name)
		add(n, "", "", Top, kind)
		for _, m := range members {
			add(n, m, "there", in, word)
		}
	}
	for _, s := range l.PrefixSets {
		n := own("prefix-set " + s.Name)
		add(n, "", "", Top, "prefix-set")
		for _, m := range s.Members {
			value := fmt.Sprintf("length %d..%d", m.Min, m.Max)
			if m.Min == m.Max {
				value = fmt.Sprintf("length %d", m.Min)
			}
			add(n, m.Prefix.String(), value, SetOf, prefixWord)
		}
	}
	for _, s := range l.PathSets {
		list("as-path-set", s.Name, s.Patterns, PathSetOf, "path")
	}
	for _, s := range l.Communities {
		list("community-set", s.Name, s.Members, CommSetOf, "community")
	}
	for _, s := range l.Tags {
		list("tag-set", s.Name, strings.Fields(joinNumbers(s.Tags)), TagSetOf, "tag")
	}
	for _, s := range l.Neighbours {
		var members []string
		for _, a := range s.Addresses {
			members = append(members, a.String())
		}
		list("neighbour-set", s.Name, members, NbrSetOf, "neighbour")
	}
}

func joinNumbers(list []uint32) string {
	var words []string
	for _, n := range list {
		words = append(words, strconv.FormatUint(uint64(n), 10))
	}
	return strings.Join(words, " ")
}

// statementWords writes a statement of a policy in one line.
func statementWords(s *config.Statement) string {
	var words []string
	for _, c := range s.Where {
		w := "where " + c.What
		switch {
		case c.Set != "" && c.What == "policy":
			w += " " + c.Set
		case c.Set != "":
			w += " in " + c.Set
		case c.Word != "":
			w += " " + c.Word
		default:
			w += fmt.Sprintf(" %s %d", c.Compare, c.Value)
		}
		words = append(words, w)
	}
	for _, a := range s.Actions {
		w := a.What
		switch {
		case len(a.Path) > 0:
			w += " " + joinNumbers(a.Path)
		case len(a.Words) > 0:
			w += " " + strings.Join(a.Words, " ")
		case a.Set != "":
			w += " in " + a.Set
		case a.Word == "+" || a.Word == "-":
			w += fmt.Sprintf(" %s%d", a.Word, a.Value)
		case a.Word != "":
			w += " " + a.Word
		case a.Address.IsValid():
			w += " " + a.Address.String()
		default:
			w += fmt.Sprintf(" %d", a.Value)
		}
		words = append(words, w)
	}
	if s.Verdict != config.NoVerdict {
		words = append(words, s.Verdict.String())
	}
	return strings.Join(words, ", ")
}
