package labtext

import (
	"cmp"
	"slices"
	"strings"
	"unicode/utf8"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// Suggestion is one way to go on.
type Suggestion struct {
	Label  string `json:"label" doc:"what to insert"`
	Kind   string `json:"kind" enum:"word,name,value"`
	Detail string `json:"detail,omitempty" doc:"the statement's form"`
	Help   string `json:"help,omitempty"`
}

// Completion is what may be at a place of a text: From is the column where
// the word under the cursor begins.
type Completion struct {
	From        int          `json:"from"` // from 1
	Suggestions []Suggestion `json:"suggestions"`
	Expects     string       `json:"expects,omitempty" doc:"the argument that comes next"`
	In          []Context    `json:"in" doc:"the blocks whose statements may stand there, the innermost first"`
	router      string       // in whose block it is, for names of its own
}

// Complete says how a text may go on at a line and column, both from 1. The
// rest of the text may have errors.
func Complete(text string, lineNumber, column int) Completion {
	rows := strings.Split(text, "\n")
	if lineNumber < 1 || lineNumber > len(rows) {
		return Completion{From: column, Suggestions: []Suggestion{}, In: []Context{}}
	}
	p := newParser()
	whole, _ := parse(text)
	p.typing, p.kinds = true, kindsIn(whole)
	for _, l := range p.lines(strings.Join(rows[:lineNumber-1], "\n")) {
		p.line(l)
	}
	left := rows[lineNumber-1]
	if n := utf8.RuneCountInString(left); column-1 < n {
		left = string([]rune(left)[:max(0, column-1)])
	}
	current := (&parser{}).lines(left)[0]
	partial := ""
	from := column
	if n := len(current.tokens); n > 0 && !strings.HasSuffix(left, " ") {
		partial, from = current.tokens[n-1].Text, current.tokens[n-1].Column
		current.tokens = current.tokens[:n-1]
	}
	c := Completion{From: from, Suggestions: []Suggestion{}, In: []Context{}}
	if current.comment != "" {
		return c
	}
	owners := p.owners(current.indent)
	if owners == nil {
		return c
	}
	lab := Parse(text).Lab
	for _, o := range p.stack {
		c.router = cmp.Or(c.router, routerOf(o.nodes))
	}
	c.goOn(current.tokens, owners, &lab, partial, has)
	return c
}

// offer adds a suggestion that goes on with what is written, once.
func (c *Completion) offer(s Suggestion, partial string) {
	if strings.HasPrefix(s.Label, partial) && !slices.ContainsFunc(c.Suggestions, func(o Suggestion) bool { return o.Label == s.Label }) {
		c.Suggestions = append(c.Suggestions, s)
	}
}

// goOn offers what comes behind some words in blocks: values of the argument that is due,
// and statements, but for those that are said there already, if there says so.
func (c *Completion) goOn(tokens []Token, owners []*Node, lab *config.Lab, partial string, there func(*Node, *Row) bool) {
	arg, candidates := expected(tokens, owners)
	for i := len(candidates) - 1; i >= 0; i-- {
		if in := candidates[i].Row.Opens; len(rowsIn(in)) > 0 {
			c.In = append(c.In, in)
		}
	}
	if arg != nil {
		c.Expects = arg.Name + ": " + arg.form()
		for _, s := range values(*arg, lab, c.router) {
			c.offer(s, partial)
		}
		if !arg.Optional && !arg.Repeat {
			return
		}
	}
	for i := len(candidates) - 1; i >= 0; i-- {
		for _, r := range rowsIn(candidates[i].Row.Opens) {
			if r.Many || there == nil || !there(candidates[i], r) {
				c.offer(Suggestion{r.Word, "word", r.Usage(), phrase.Text(r.Help)}, partial)
			}
		}
	}
}

func has(n *Node, r *Row) bool {
	for _, c := range n.Children {
		if c.Row == r {
			return true
		}
	}
	return false
}

// expected walks the words left of the cursor: the argument that comes next, if
// one does, and the statements in which the next word may be.
func expected(tokens []Token, owners []*Node) (*Arg, []*Node) {
	var nodes []*Node
	for len(tokens) > 0 {
		candidates := nodes
		if len(nodes) == 0 {
			candidates = owners
		}
		owner, row := takerOf(tokens[0].Text, candidates)
		if row == nil {
			return nil, nil
		}
		n := &Node{Row: row}
		owner.Children = append(owner.Children, n)
		nodes = append(nodes, n)
		tokens = tokens[1:]
		for i := range row.Args {
			a := &row.Args[i]
			for taken := 0; ; taken++ {
				if len(tokens) == 0 {
					return a, nodes
				}
				if (a.Optional || a.Repeat && taken > 0) && !looksLike(*a, tokens[0], row, owners, nodes) {
					break
				}
				tokens = tokens[1:]
				if !a.Repeat {
					break
				}
			}
		}
	}
	if nodes == nil {
		nodes = owners
	}
	return nil, nodes
}

// routerOf is the name of the router in whose block statements are, "" for none.
func routerOf(owners []*Node) string {
	for _, n := range owners {
		if n.Row.Opens == RouterOf && len(n.Args) > 0 {
			return n.Args[0].Text
		}
	}
	return ""
}

// values are the names and values that an argument can be in the block of a router, ""
// for none.
func values(a Arg, lab *config.Lab, router string) []Suggestion {
	var out []Suggestion
	for _, w := range a.Words {
		out = append(out, Suggestion{Label: w, Kind: "value"})
	}
	if a.Off {
		out = append(out, Suggestion{Label: "off", Kind: "value"})
	}
	for _, name := range namesFor(a.Name, lab, router) {
		out = append(out, Suggestion{Label: name, Kind: "name", Detail: a.Name})
	}
	switch a.Kind {
	case DeviceRef, PeerName, AtRef:
		for i := range lab.Devices {
			d := &lab.Devices[i]
			out = append(out, Suggestion{Label: d.Name, Kind: "name", Detail: d.Kind.String()})
			for _, name := range d.InstanceNames()[1:] {
				if a.Kind == AtRef {
					out = append(out, Suggestion{Label: config.InstanceRef(d.Name, name), Kind: "name", Detail: "instance"})
				}
			}
		}
	case PortRef:
		if a.Repeat && !a.Optional {
			return joinedPorts(lab)
		}
		free := map[config.PortRef]bool{}
		for _, d := range lab.Devices {
			for _, p := range d.Ports {
				free[config.PortRef{Device: d.Name, Port: p.Name}] = !p.Loopback
			}
		}
		for _, l := range lab.Links {
			free[l.A], free[l.B] = false, false
		}
		for _, s := range lab.Segments {
			for _, r := range s.Ports {
				free[r] = false
			}
		}
		for _, d := range lab.Devices {
			for _, p := range d.Ports {
				r := config.PortRef{Device: d.Name, Port: p.Name}
				if free[r] {
					out = append(out, Suggestion{Label: r.String(), Kind: "name", Detail: addressOf(p)})
				}
			}
		}
	case Area:
		seen := map[uint32]bool{}
		for _, d := range lab.Devices {
			for _, p := range d.Ports {
				if p.OSPF.On && !seen[p.OSPF.Area] {
					seen[p.OSPF.Area] = true
					out = append(out, Suggestion{Label: FormatArea(p.OSPF.Area), Kind: "value",
						Detail: phrase.Text("used in this lab")})
				}
			}
		}
		if !seen[0] {
			out = append(out, Suggestion{Label: "0", Kind: "value", Detail: phrase.Text("the backbone")})
		}
	}
	return out
}

// namesFor are the names of the lab that an argument refers to.
func namesFor(argument string, lab *config.Lab, router string) []string {
	var out []string
	p := &lab.Policies
	if d := lab.Device(router); d != nil {
		own := d.Policies.Over(p)
		p = &own
	}
	if strings.Contains(argument, "policy") {
		for _, x := range p.List {
			out = append(out, x.Name)
		}
	}
	if strings.Contains(argument, "prefix set") {
		for _, x := range p.PrefixSets {
			out = append(out, x.Name)
		}
	}
	switch argument {
	case "segment":
		for _, x := range lab.Segments {
			out = append(out, x.Name)
		}
	case "flow":
		for _, x := range lab.Flows {
			out = append(out, x.Name)
		}
	case "instance":
		seen := map[string]bool{"": true}
		out = append(out, config.MainInstance)
		for i := range lab.Devices {
			for _, name := range lab.Devices[i].InstanceNames() {
				if !seen[name] {
					seen[name] = true
					out = append(out, name)
				}
			}
		}
	case "check":
		for _, x := range lab.Checks {
			out = append(out, x.Name)
		}
	case "AS path set":
		for _, x := range p.PathSets {
			out = append(out, x.Name)
		}
	case "community set":
		for _, x := range p.Communities {
			out = append(out, x.Name)
		}
	case "tag or tag set":
		for _, x := range p.Tags {
			out = append(out, x.Name)
		}
	case "neighbour set":
		for _, x := range p.Neighbours {
			out = append(out, x.Name)
		}
	case "key chain":
		for _, x := range lab.Chains {
			out = append(out, x.Name)
		}
	}
	return out
}

func addressOf(p config.Port) string {
	if p.Address.IsValid() {
		return p.Address.String()
	}
	return phrase.Text("no address")
}
