package labtext

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// Build functions of policies and their sets.

func (b *builder) policy(n *Node) {
	name := n.Args[0]
	if name.Text == none || b.taken(b.own("policy"), name.Text) {
		b.errorf(name, "choose another name", "the name %s is taken", name.Text)
		return
	}
	b.place(b.own("policy "+name.Text), name)
	p := config.Policy{Name: name.Text, Own: b.device != ""}
	b.fill(n, &p)
	list := &of[config.Policies](b).List
	*list = append(*list, p)
}

func (b *builder) statement(n *Node) {
	name := n.Args[0]
	p := of[config.Policy](b)
	if b.taken(b.own("statement of "+p.Name), name.Text) {
		b.errorf(name, "choose another name", "there is another statement named %s in this policy", name.Text)
		return
	}
	b.place(b.own("policy "+p.Name+" statement "+name.Text), name)
	s := config.Statement{Name: name.Text}
	b.fill(n, &s)
	p.Statements = append(p.Statements, s)
}

func verdict(word string) config.Verdict {
	if word == "accept" {
		return config.Accept
	}
	return config.Reject
}

func (b *builder) otherwise(n *Node) { of[config.Policy](b).Otherwise = verdict(n.Args[0].Text) }

func (b *builder) decides(n *Node) {
	s := of[config.Statement](b)
	if s.Verdict != config.NoVerdict {
		b.errorf(n.Word, "keep one of them", "the statement has decided already")
	}
	s.Verdict = verdict(n.Word.Text)
}
func (b *builder) accept(n *Node) { b.decides(n) }
func (b *builder) reject(n *Node) { b.decides(n) }

func (b *builder) where(n *Node) {
	if len(n.Children) == 0 && !b.troubled(n) {
		b.errorf(n.Word, "write for example where prefix in SET", "where does not say what must hold")
	}
	b.children(n)
}

// troubled says whether there is an error on a statement's line already, which is
// why it has nothing behind it.
func (b *builder) troubled(n *Node) bool {
	return slices.ContainsFunc(b.problems, func(p Problem) bool { return p.Line == n.Word.Line })
}

func (b *builder) holds(c config.Condition) {
	s := of[config.Statement](b)
	s.Where = append(s.Where, c)
}

// setKinds are the kinds of sets that conditions name.
var setKinds = map[string]string{"prefix": "prefix set", "next-hop": "prefix set", "as-path": "AS path set",
	"community": "community set", "neighbour": "neighbour set", "tag": "tag set"}

// memberRef is a set that a policy names, and its kind; device is the router whose own
// policy it is.
type memberRef struct {
	token  Token
	kind   string
	device string
}

func (b *builder) whereSet(n *Node) {
	b.memberRefs = append(b.memberRefs, memberRef{n.Args[1], setKinds[n.Word.Text], b.device})
	b.holds(config.Condition{What: n.Word.Text, Set: n.Args[1].Text})
}

func (b *builder) whereTag(n *Node) {
	if n.Args[0].Text == "in" {
		b.whereSet(n)
		return
	}
	if !numeric(n.Args[1].Text) {
		b.errorf(n.Args[1], "write a number, or in and the name of a tag set", "%q is not a tag", n.Args[1].Text)
	}
	b.holds(config.Condition{What: "tag", Compare: "=", Value: uint32(number(n.Args[1]))})
}

func numeric(s string) bool {
	return s != "" && strings.Trim(s, "0123456789") == ""
}

func (b *builder) whereWord(n *Node) {
	b.holds(config.Condition{What: n.Word.Text, Word: n.Args[0].Text})
}

func (b *builder) whereNumber(n *Node) {
	b.holds(config.Condition{What: n.Word.Text, Compare: n.Args[0].Text, Value: uint32(number(n.Args[1]))})
}

func (b *builder) wherePolicy(n *Node) {
	b.policyRefs = append(b.policyRefs, policyRef{n.Args[0], false, b.device})
	b.holds(config.Condition{What: "policy", Set: n.Args[0].Text})
}

// act reads a set, add, remove or replace: what it is about follows it.
func (b *builder) act(n *Node) {
	if len(n.Children) == 0 && !b.troubled(n) {
		var known []string
		for _, r := range rowsIn(n.Row.Opens) {
			known = append(known, r.Word)
		}
		b.errorf(n.Word, phrase.Say("known: %s", strings.Join(known, ", ")), "%s does not say what", n.Row.Word)
	}
	if of[config.Statement](b).Verdict != config.NoVerdict {
		b.errorf(n.Word, "put it before the verdict", "the statement has decided already: this is never done")
	}
	b.children(n)
}

func (b *builder) does(a config.Action) {
	s := of[config.Statement](b)
	s.Actions = append(s.Actions, a)
}

func (b *builder) setNumber(n *Node) {
	b.does(config.Action{What: n.Word.Text, Value: uint32(number(n.Args[0]))})
}

// setAdjusted sets a number, changes it by one, or takes it from the IGP.
func (b *builder) setAdjusted(n *Node) {
	a := config.Action{What: n.Word.Text}
	text := n.Args[0].Text
	switch {
	case text == "igp":
		a.Word = text
	case text[0] == '+' || text[0] == '-':
		a.Word = text[:1]
		text = text[1:]
	}
	v, _ := strconv.ParseUint(text, 10, 32)
	a.Value = uint32(v)
	b.does(a)
}

func (b *builder) setWord(n *Node) {
	b.does(config.Action{What: n.Word.Text, Word: n.Args[0].Text})
}

func (b *builder) setHop(n *Node) {
	a := config.Action{What: "next-hop", Word: n.Args[0].Text}
	if address, err := netip.ParseAddr(n.Args[0].Text); err == nil {
		a.Address, a.Word = address, ""
	}
	b.does(a)
}

func asNumbers(tokens []Token) []uint32 {
	var out []uint32
	for _, t := range tokens {
		out = append(out, uint32(number(t)))
	}
	return out
}

func words(tokens []Token) []string {
	var out []string
	for _, t := range tokens {
		out = append(out, t.Text)
	}
	return out
}

func (b *builder) prepend(n *Node) {
	if of[config.Statement](b).Verdict != config.NoVerdict {
		b.errorf(n.Word, "put it before the verdict", "the statement has decided already: this is never done")
	}
	list := asNumbers(n.Args)
	often := repeats(1)
	b.fill(n, &often)
	b.does(config.Action{What: "prepend", Path: slices.Repeat(list, int(often))})
}

// repeats is how often a prepend is done.
type repeats int

func (b *builder) times(n *Node) { *of[repeats](b) = repeats(number(n.Args[0])) }

func (b *builder) addCommunities(n *Node) {
	b.does(config.Action{What: "community-add", Words: words(n.Args)})
}

func (b *builder) swapCommunities(n *Node) {
	b.does(config.Action{What: "community-set", Words: words(n.Args)})
}

func (b *builder) takeCommunities(n *Node) {
	if n.Args[0].Text != "in" {
		for _, t := range n.Args {
			if !config.WildCommunity(t.Text) {
				b.errorf(t, "write for example 64500:100, or in and the name of a community set",
					"%q is not a community", t.Text)
			}
		}
		b.does(config.Action{What: "community-remove", Words: words(n.Args)})
		return
	}
	if len(n.Args) != 2 {
		b.errorf(n.Word, "write remove community in SET", "in needs one community set behind it")
		return
	}
	b.memberRefs = append(b.memberRefs, memberRef{n.Args[1], "community set", b.device})
	b.does(config.Action{What: "community-remove", Set: n.Args[1].Text})
}

func (b *builder) takeMED(*Node)     { b.does(config.Action{What: "no-med"}) }
func (b *builder) takePrivate(*Node) { b.does(config.Action{What: "remove-private-as"}) }
func (b *builder) swapPath(n *Node) {
	b.does(config.Action{What: "replace-as-path", Path: asNumbers(n.Args)})
}

func (b *builder) swapAS(n *Node) {
	a := config.Action{What: "replace-as", Word: n.Args[0].Text}
	switch {
	case numeric(a.Word):
		a.Value, a.Word = uint32(number(n.Args[0])), ""
	case a.Word != "peer":
		b.errorf(n.Args[0], "write an AS number, or peer", "%q is not an AS number", a.Word)
	}
	b.does(a)
}

// PolicyPlace is what the place of a policy is filed under, or of a statement of it if
// there is one. device, or an instance of one, is where it was met; own says that it is
// that router's own.
func PolicyPlace(device string, own bool, policy, statement string) string {
	place := "policy " + policy
	if own {
		device, _, _ = strings.Cut(device, "/")
		place = device + " " + place
	}
	if statement != "" {
		place += " statement " + statement
	}
	return place
}

// newSet files a set under its name, unless that is taken.
func (b *builder) newSet(n *Node) bool {
	if b.taken(b.own(n.Row.Word), n.Args[0].Text) {
		b.errorf(n.Args[0], "choose another name", "there is another %s named %s", n.Row.Word, n.Args[0].Text)
		return false
	}
	b.place(b.own(n.Row.Word+" "+n.Args[0].Text), n.Args[0])
	return true
}

func (b *builder) pathSet(n *Node) {
	name, list := n.Args[0].Text, &of[config.Policies](b).PathSets
	if b.newSet(n) {
		*list = append(*list, config.PathSet{Name: name})
		b.children(n)
	}
}

func (b *builder) pathPattern(n *Node) {
	list := of[config.Policies](b).PathSets
	pattern := strings.Join(words(n.Args), " ")
	if _, err := config.ParsePattern(pattern); err != nil {
		b.errorf(n.Args[0], "", "%v", err)
	}
	last := &list[len(list)-1]
	last.Patterns = append(last.Patterns, pattern)
}

func (b *builder) communitySet(n *Node) {
	name, list := n.Args[0].Text, &of[config.Policies](b).Communities
	if b.newSet(n) {
		*list = append(*list, config.CommunitySet{Name: name})
		b.children(n)
	}
}

func (b *builder) communityMembers(n *Node) {
	list := of[config.Policies](b).Communities
	last := &list[len(list)-1]
	last.Members = append(last.Members, words(n.Args)...)
}

func (b *builder) tagSet(n *Node) {
	name, list := n.Args[0].Text, &of[config.Policies](b).Tags
	if b.newSet(n) {
		*list = append(*list, config.TagSet{Name: name})
		b.children(n)
	}
}

func (b *builder) tagMembers(n *Node) {
	list := of[config.Policies](b).Tags
	last := &list[len(list)-1]
	last.Tags = append(last.Tags, asNumbers(n.Args)...)
}

func (b *builder) neighbourSet(n *Node) {
	name, list := n.Args[0].Text, &of[config.Policies](b).Neighbours
	if b.newSet(n) {
		*list = append(*list, config.NeighbourSet{Name: name})
		b.children(n)
	}
}

func (b *builder) neighbourMembers(n *Node) {
	list := of[config.Policies](b).Neighbours
	last := &list[len(list)-1]
	for _, t := range n.Args {
		a, _ := netip.ParseAddr(t.Text)
		last.Addresses = append(last.Addresses, a)
	}
}

// setNames are the names of sets, by kind.
func setNames(p *config.Policies) map[string][]string {
	names := map[string][]string{}
	add := func(kind, name string) { names[kind] = append(names[kind], name) }
	for _, s := range p.PrefixSets {
		add("prefix set", s.Name)
	}
	for _, s := range p.PathSets {
		add("AS path set", s.Name)
	}
	for _, s := range p.Communities {
		add("community set", s.Name)
	}
	for _, s := range p.Tags {
		add("tag set", s.Name)
	}
	for _, s := range p.Neighbours {
		add("neighbour set", s.Name)
	}
	return names
}

// setReferences checks the sets that policies name, and that no policy asks
// itself.
func (b *builder) setReferences() {
	names := map[string]map[string][]string{}
	for _, r := range b.memberRefs {
		known := names[r.device]
		if known == nil {
			p := b.policiesOf(r.device)
			known = setNames(&p)
			names[r.device] = known
		}
		if !slices.Contains(known[r.kind], r.token.Text) {
			b.unnamed(r.token, r.token.Text, known[r.kind], "there is no %s named %s", phrase.Text(r.kind), r.token.Text)
		}
	}
	lab := b.circles("", &b.result.Policies, nil)
	for i := range b.result.Devices {
		if d := &b.result.Devices[i]; len(d.Policies.List) > 0 {
			p := d.Policies.Over(&b.result.Policies)
			b.circles(d.Name, &p, lab)
		}
	}
}

// circles reports the policies that ask themselves in the end, but for those that are
// known already, and returns them. device is the router that has the policies; "" for
// those of the lab.
func (b *builder) circles(device string, p *config.Policies, known map[string]bool) map[string]bool {
	asks := map[string][]string{}
	for _, x := range p.List {
		for _, s := range x.Statements {
			for _, c := range s.Where {
				if c.What == "policy" {
					asks[x.Name] = append(asks[x.Name], c.Set)
				}
			}
		}
	}
	found := map[string]bool{}
	for _, x := range p.List {
		if known[x.Name] || !reaches(asks, x.Name, x.Name, map[string]bool{}) {
			continue
		}
		found[x.Name] = true
		at := b.places[PolicyPlace(device, x.Own, x.Name, "")]
		token := Token{Text: x.Name, Line: at.Line, Column: at.Column}
		if device == "" {
			b.errorf(token, "let it ask another policy", "the policy %s asks itself in the end", x.Name)
		} else {
			b.errorf(token, "let it ask another policy", "the policy %s asks itself in the end, with the policies that %s has of its own", x.Name, device)
		}
	}
	return found
}

func reaches(asks map[string][]string, from, to string, seen map[string]bool) bool {
	for _, next := range asks[from] {
		if next == to {
			return true
		}
		if !seen[next] {
			seen[next] = true
			if reaches(asks, next, to, seen) {
				return true
			}
		}
	}
	return false
}
