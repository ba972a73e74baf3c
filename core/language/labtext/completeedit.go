package labtext

import (
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// CompleteEdit says how an edit may go on: with a router, host or port, with a statement
// of the place that it names, with the statement's argument, with a verb.
func CompleteEdit(text, edit string) Completion {
	tokens := (&parser{}).lines(edit)[0].tokens
	partial, from := "", len([]rune(edit))+1
	if n := len(tokens); n > 0 && !strings.HasSuffix(edit, " ") {
		partial, from = tokens[n-1].Text, tokens[n-1].Column
		tokens = tokens[:n-1]
	}
	c := Completion{From: from, Suggestions: []Suggestion{}, In: []Context{}}
	add := func(s Suggestion) { c.offer(s, partial) }
	lab := Parse(text).Lab
	verb := ToSet
	if len(tokens) > 0 && slices.Contains(verbs[1:], tokens[0].Text) {
		verb = Verb(slices.Index(verbs[:], tokens[0].Text))
		tokens = tokens[1:]
	}
	d := newDocument(text)
	if len(tokens) == 0 {
		begin(&lab, verb, add)
		return c
	}
	if verb == ToNew || verb == ToConnect || verb == ToRun {
		begin(&lab, ToConnect, add)
		return c
	}
	owners := []*Node{copyOf(d.root)}
	if rowFor(tokens[0].Text, Top) == nil || strings.HasSuffix(tokens[0].Text, ",") {
		for len(tokens) > 0 && strings.HasSuffix(tokens[0].Text, ",") {
			tokens = tokens[1:]
		}
		if len(tokens) == 0 {
			begin(&lab, ToConnect, add)
			return c
		}
		n, err := d.find(tokens[0].Text)
		if err != nil {
			return c
		}
		tokens = tokens[1:]
		c.router = routerOf([]*Node{d.topOf(n)})
		owners = takersFor(n, tokens)
	}
	c.goOn(tokens, owners, &lab, partial, nil)
	return c
}

// takersFor are the blocks of a place in which the words of an edit may be: the place,
// and what is within it.
func takersFor(n *Node, tokens []Token) []*Node {
	if len(tokens) > 0 {
		if path := pathTo(n, tokens[0].Text); path != nil {
			return []*Node{copyOf(path[len(path)-1])}
		}
		return []*Node{copyOf(n)}
	}
	out := []*Node{copyOf(n)}
	for _, c := range n.Children {
		if c.Row.Opens != "" && !c.Row.Many {
			out = append([]*Node{copyOf(c)}, out...)
		}
	}
	return out
}

// copyOf is a block without what is in it.
func copyOf(n *Node) *Node { return &Node{Row: n.Row, Word: n.Word, Args: n.Args} }

// begin offers what an edit, or what follows its verb, can begin with.
func begin(lab *config.Lab, verb Verb, add func(Suggestion)) {
	if verb == ToSet {
		for _, v := range verbs[1:] {
			add(Suggestion{Label: v, Kind: "word"})
		}
	}
	switch verb {
	case ToNew:
		for _, w := range []string{"router", "host", "segment", "ring", "line", "star", "mesh", "grid", "tiers"} {
			add(Suggestion{Label: w, Kind: "word"})
		}
		return
	case ToRun:
		for _, w := range []string{"ospf", "bgp", "ebgp"} {
			add(Suggestion{Label: w, Kind: "word"})
		}
		return
	}
	for _, d := range lab.Devices {
		add(Suggestion{Label: d.Name, Kind: "name", Detail: d.Kind.String()})
	}
	for _, d := range lab.Devices {
		if d.Kind == config.Host {
			continue
		}
		for _, p := range d.Ports {
			add(Suggestion{Label: config.PortRef{Device: d.Name, Port: p.Name}.String(), Kind: "name", Detail: addressOf(p)})
		}
		for _, name := range d.InstanceNames() {
			owner := config.InstanceRef(d.Name, name)
			if name != "" {
				add(Suggestion{Label: owner, Kind: "name", Detail: "instance"})
			}
			for _, p := range d.Instance(name).BGP.Peers {
				add(Suggestion{Label: owner + "/" + p.Address.String(), Kind: "name", Detail: p.Description})
			}
		}
	}
	if verb == ToConnect {
		for _, s := range lab.Segments {
			add(Suggestion{Label: s.Name, Kind: "name", Detail: "segment"})
		}
		return
	}
	for _, r := range rowsIn(Top) {
		add(Suggestion{r.Word, "word", r.Usage(), phrase.Text(r.Help)})
	}
}
