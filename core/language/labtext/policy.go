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
	if name.Text == none || b.taken("policy", name.Text) {
		b.errorf(name, "choose another name", "the name %s is taken", name.Text)
		return
	}
	b.place("policy "+name.Text, name)
	p := config.Policy{Name: name.Text}
	b.fill(n, &p)
	b.result.Policies.List = append(b.result.Policies.List, p)
}

func (b *builder) statement(n *Node) {
	name := n.Args[0]
	p := of[config.Policy](b)
	if b.taken("statement of "+p.Name, name.Text) {
		b.errorf(name, "choose another name", "there is another statement named %s in this policy", name.Text)
		return
	}
	b.place("policy "+p.Name+" statement "+name.Text, name)
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

// memberRef is a set that a policy names, and its kind.
type memberRef struct {
	token Token
	kind  string
}

func (b *builder) whereSet(n *Node) {
	b.memberRefs = append(b.memberRefs, memberRef{n.Args[1], setKinds[n.Word.Text]})
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
	b.policyRefs = append(b.policyRefs, policyRef{n.Args[0], false})
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
	b.memberRefs = append(b.memberRefs, memberRef{n.Args[1], "community set"})
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

// newSet files a set under its name, unless that is taken.
func (b *builder) newSet(n *Node) bool {
	if b.taken(n.Row.Word, n.Args[0].Text) {
		b.errorf(n.Args[0], "choose another name", "there is another %s named %s", n.Row.Word, n.Args[0].Text)
		return false
	}
	b.place(n.Row.Word+" "+n.Args[0].Text, n.Args[0])
	return true
}

func (b *builder) pathSet(n *Node) {
	name, list := n.Args[0].Text, &b.result.Policies.PathSets
	if b.newSet(n) {
		*list = append(*list, config.PathSet{Name: name})
		b.children(n)
	}
}

func (b *builder) pathPattern(n *Node) {
	list := b.result.Policies.PathSets
	pattern := strings.Join(words(n.Args), " ")
	if _, err := config.ParsePattern(pattern); err != nil {
		b.errorf(n.Args[0], "", "%v", err)
	}
	last := &list[len(list)-1]
	last.Patterns = append(last.Patterns, pattern)
}

func (b *builder) communitySet(n *Node) {
	name, list := n.Args[0].Text, &b.result.Policies.Communities
	if b.newSet(n) {
		*list = append(*list, config.CommunitySet{Name: name})
		b.children(n)
	}
}

func (b *builder) communityMembers(n *Node) {
	list := b.result.Policies.Communities
	last := &list[len(list)-1]
	last.Members = append(last.Members, words(n.Args)...)
}

func (b *builder) tagSet(n *Node) {
	name, list := n.Args[0].Text, &b.result.Policies.Tags
	if b.newSet(n) {
		*list = append(*list, config.TagSet{Name: name})
		b.children(n)
	}
}

func (b *builder) tagMembers(n *Node) {
	list := b.result.Policies.Tags
	last := &list[len(list)-1]
	last.Tags = append(last.Tags, asNumbers(n.Args)...)
}

func (b *builder) neighbourSet(n *Node) {
	name, list := n.Args[0].Text, &b.result.Policies.Neighbours
	if b.newSet(n) {
		*list = append(*list, config.NeighbourSet{Name: name})
		b.children(n)
	}
}

func (b *builder) neighbourMembers(n *Node) {
	list := b.result.Policies.Neighbours
	last := &list[len(list)-1]
	for _, t := range n.Args {
		a, _ := netip.ParseAddr(t.Text)
		last.Addresses = append(last.Addresses, a)
	}
}

// setReferences checks the sets that policies name, and that no policy asks
// itself.
func (b *builder) setReferences() {
	p := &b.result.Policies
	names := map[string][]string{}
	for _, s := range b.result.Sets {
		names["prefix set"] = append(names["prefix set"], s.Name)
	}
	for _, s := range p.PathSets {
		names["AS path set"] = append(names["AS path set"], s.Name)
	}
	for _, s := range p.Communities {
		names["community set"] = append(names["community set"], s.Name)
	}
	for _, s := range p.Tags {
		names["tag set"] = append(names["tag set"], s.Name)
	}
	for _, s := range p.Neighbours {
		names["neighbour set"] = append(names["neighbour set"], s.Name)
	}
	for _, r := range b.memberRefs {
		if !slices.Contains(names[r.kind], r.token.Text) {
			b.unnamed(r.token, r.token.Text, names[r.kind], "there is no %s named %s", phrase.Text(r.kind), r.token.Text)
		}
	}
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
	for _, x := range p.List {
		if reaches(asks, x.Name, x.Name, map[string]bool{}) {
			at := b.places["policy "+x.Name]
			b.errorf(Token{Text: x.Name, Line: at.Line, Column: at.Column}, "let it ask another policy",
				"the policy %s asks itself in the end", x.Name)
		}
	}
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
