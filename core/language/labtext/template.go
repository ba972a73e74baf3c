package labtext

import (
	"slices"

	"hellebore/core/ground/phrase"
)

// What several places have in common is written once, in a template that they take
// with like, or in defaults for the whole lab. The tree of a text keeps it as it is
// written; expanded writes it out.

// fits are the contexts whose blocks take templates, the likeliest first for a template
// that nothing takes.
var fits = []Context{PortOf, RouterOf, PeerOf, HostOf, AreaOf, Loopback, VLANOf}

// templateRows are the row of template by what takes it: that says which statements may
// be in it.
var templateRows = map[Context]*Row{}

func init() {
	row := rowFor("template", Top)
	for _, c := range fits {
		r := *row
		r.Opens = c
		templateRows[c] = &r
	}
}

// held is what is behind and below a template's name, until it is known what takes it.
type held struct {
	indent   int
	first    []Token // behind the name
	comment  string
	below    []line
	taken    bool
	bodies   map[Context]*Node
	problems []Problem // of the body that the tree has
}

// take is a like: a name, and the context of the block that it is in.
type take struct {
	name Token
	in   Context
}

// hold keeps what is below a template's line for later, and returns the lines behind it.
func (p *parser) hold(n *Node, l line, rest []line) []line {
	end := 0
	for i, b := range rest {
		if len(b.tokens) > 0 {
			if b.indent <= l.indent {
				break
			}
			end = i + 1
		}
	}
	n.held.indent, n.held.below, n.held.comment = l.indent, rest[:end], l.comment
	return rest[end:]
}

// templates reads what was held, each template as what takes it: a port, a router. One
// that nothing takes is read as what it looks like most.
func (p *parser) templates() {
	named := map[string]*Node{}
	for _, n := range p.root.Children {
		if n.held == nil {
			continue
		}
		if first := named[n.Args[0].Text]; first != nil {
			p.errorf(n.Args[0], "choose another name", "there is another template named %s, on line %d", n.Args[0].Text, first.Word.Line)
			p.settle(n, p.guess(n))
			continue
		}
		named[n.Args[0].Text] = n
	}
	if len(named) == 0 && p.likes == 0 {
		return
	}
	open := takesIn(p.root, nil)
	follow := func() {
		for len(open) > 0 {
			t := open[0]
			open = open[1:]
			n := named[t.name.Text]
			if n == nil {
				continue // references says so
			}
			n.held.taken = true
			if n.held.bodies[t.in] == nil {
				open = append(open, takesIn(p.settle(n, t.in), nil)...)
			}
		}
	}
	follow()
	for _, n := range p.root.Children {
		if n.held != nil && n.held.bodies == nil {
			in, known := p.kinds[n.Args[0].Text]
			if !known {
				in = p.guess(n)
			}
			open = takesIn(p.settle(n, in), nil)
			follow()
		}
	}
}

// takesIn are the likes in a block and below it.
func takesIn(n *Node, out []take) []take {
	for _, c := range n.Children {
		if c.Row.Word == "like" {
			for _, name := range c.Args {
				out = append(out, take{name, n.Row.Opens})
			}
		}
		out = takesIn(c, out)
	}
	return out
}

// guess is what a template that nothing takes is meant for.
func (p *parser) guess(n *Node) Context {
	best, fewest := fits[0], -1
	for _, in := range fits {
		if _, problems := p.body(n, in); fewest < 0 || len(problems) < fewest {
			best, fewest = in, len(problems)
		}
	}
	return best
}

// settle reads a template as what takes it. The first reading is the one that the tree
// has; the problems of others are added if they are others.
func (p *parser) settle(n *Node, in Context) *Node {
	body, problems := p.body(n, in)
	if n.held.bodies == nil {
		n.held.bodies = map[Context]*Node{}
		n.Row, n.Children = body.Row, body.Children
		if len(n.Children) > 0 && len(n.held.first) > 0 && n.held.comment != "" {
			n.Trailing = ""
		}
	}
	n.held.bodies[in] = body
	for _, x := range problems {
		if !slices.ContainsFunc(n.held.problems, func(o Problem) bool { return o.Line == x.Line && o.Column == x.Column }) {
			n.held.problems = append(n.held.problems, x)
			p.problems = append(p.problems, x)
		}
	}
	return body
}

// body reads a template's statements as they are in a context.
func (p *parser) body(n *Node, in Context) (*Node, []Problem) {
	root := &Node{Row: templateRows[in], Word: n.Word, Args: n.Args}
	q := &parser{root: root, stack: []open{{-1, []*Node{root}}}, partial: true}
	h := n.held
	nodes := []*Node{root}
	if len(h.first) > 0 {
		nodes = q.behind(h.first, nil, nodes)
		nodes[len(nodes)-1].Trailing = h.comment
	}
	q.stack = append(q.stack, open{h.indent, nodes})
	for _, l := range h.below {
		q.line(l)
	}
	return root, q.problems
}

// kindsIn is what takes each template of a tree.
func kindsIn(root *Node) map[string]Context {
	out := map[string]Context{}
	for _, n := range root.Children {
		if n.held != nil {
			out[n.Args[0].Text] = n.Row.Opens
		}
	}
	return out
}

// maxTaken bounds the statements that templates and defaults write.
const maxTaken = 1_000_000

// expander writes out what templates and defaults say.
type expander struct {
	*parser
	named    map[string]*Node
	done     map[take]*Node // expanded bodies, by name and context
	open     []string       // templates that are being expanded
	defaults []*Node
	taken    int
}

// expanded is the tree with everything written out: defaults first, templates over
// them in the order of like, what a place itself says over all. The tree stays as it
// is; what nothing is added to is shared with it.
func (p *parser) expanded() *Node {
	x := &expander{parser: p, named: map[string]*Node{}, done: map[take]*Node{}}
	for _, n := range p.root.Children {
		switch {
		case n.held != nil && x.named[n.Args[0].Text] == nil:
			x.named[n.Args[0].Text] = n
		case n.Row.Word == "defaults":
			x.defaults = n.Children
		}
	}
	if len(x.named) == 0 && len(x.defaults) == 0 {
		return p.root
	}
	out := *p.root
	out.Children = make([]*Node, 0, len(p.root.Children))
	for _, n := range p.root.Children {
		if n.held == nil && n.Row.Word != "defaults" {
			n = x.expand(n)
			n = x.process(n)
			n = x.below(n)
			n = x.complete(n, nameOf(n))
		}
		out.Children = append(out.Children, n)
	}
	if x.taken > maxTaken {
		p.errorf(p.root.Children[0].Word, "take fewer of them", "templates write more than %d statements", maxTaken)
		return &Node{Row: &topRow}
	}
	return &out
}

// expand writes a statement's templates out.
func (x *expander) expand(n *Node) *Node {
	if len(n.Children) == 0 || x.taken > maxTaken {
		return n
	}
	var base, own []*Node
	changed := false
	for _, c := range n.Children {
		if c.Row.Word == "like" {
			for _, name := range c.Args {
				if body := x.template(name, n.Row.Opens); body != nil {
					base = x.overlay(base, body.Children)
				}
			}
			changed = true
			continue
		}
		e := x.expand(c)
		changed = changed || e != c
		own = append(own, e)
	}
	if !changed {
		return n
	}
	e := *n
	e.Children = x.overlay(base, own)
	return &e
}

// template is what a template says in a context, with what it takes itself.
func (x *expander) template(name Token, in Context) *Node {
	n := x.named[name.Text]
	if n == nil || n.held.bodies[in] == nil {
		return nil // said by templateReferences
	}
	key := take{Token{Text: name.Text}, in}
	if body := x.done[key]; body != nil {
		return body
	}
	if slices.Contains(x.open, name.Text) {
		x.errorf(name, "take it out of one of them", "the template %s takes itself", name.Text)
		return nil
	}
	x.open = append(x.open, name.Text)
	body := x.expand(n.held.bodies[in])
	x.open = x.open[:len(x.open)-1]
	x.done[key] = body
	return body
}

// overlay puts statements over others: of two that are the same one, the upper says its
// values, and what is in it lies over what is in the other. What only the lower ones
// have comes first.
func (x *expander) overlay(base, over []*Node) []*Node {
	if len(base) == 0 {
		return over
	}
	lower := &Node{Children: base}
	under := make(map[*Node]bool, len(base))
	out := make([]*Node, 0, len(base)+len(over))
	merged := make([]*Node, len(over))
	for i, c := range over {
		merged[i] = c
		m := match(lower, c)
		if m == nil {
			continue
		}
		under[m] = true
		e := *c
		if c.Row.Many && c.Row.Opens != "" && len(c.Args) < len(m.Args) {
			e.Args = m.Args
		}
		e.Children = x.overlay(m.Children, c.Children)
		merged[i] = &e
	}
	for _, m := range base {
		if !under[m] {
			x.taken += 1 + len(m.Children)
			out = append(out, m)
		}
	}
	return append(out, merged...)
}

// process gives a router that runs OSPF the block that its defaults are in.
func (x *expander) process(n *Node) *Node {
	if n.Row.Opens != RouterOf && n.Row.Opens != InstanceOf || len(x.defaultsIn(OSPFOf)) == 0 {
		return n
	}
	runs, has := false, false
	for i, c := range n.Children {
		switch c.Row.Opens {
		case OSPFOf:
			has = true
		case InstanceOf:
			if inside := x.process(c); inside != c {
				e := *n
				e.Children = slices.Clone(n.Children)
				e.Children[i], n = inside, &e
			}
		case PortOf, Loopback:
			runs = runs || slices.ContainsFunc(c.Children, func(p *Node) bool {
				return p.Row.Opens == PortOSPF || p.Row.Opens == VLANOf && len(childrenOf(p, "ospf")) > 0
			})
		}
	}
	if !runs || has {
		return n
	}
	e := *n
	e.Children = append(slices.Clip(n.Children), &Node{Row: rowFor("ospf", n.Row.Opens), Word: Token{Text: "ospf", Line: n.Word.Line, Column: n.Word.Column}})
	return &e
}

// defaultsIn are the defaults of a context. A sub-port has its port's, a peer its
// group's: they are not said again there.
func (x *expander) defaultsIn(in Context) []*Node {
	if in == VLANOf {
		return nil
	}
	var out []*Node
	for _, d := range x.defaults {
		if slices.Contains(d.Row.In, in) {
			out = append(out, d)
		}
	}
	return out
}

// below puts what is said over the defaults.
func (x *expander) below(n *Node) *Node {
	base := x.defaultsIn(n.Row.Opens)
	if n.Row.Opens == PeerOf && len(childrenOf(n, "group")) > 0 {
		base = nil
	}
	var own []*Node
	for i, c := range n.Children {
		e := x.below(c)
		if e != c && own == nil {
			own = slices.Clone(n.Children)
		}
		if own != nil {
			own[i] = e
		}
	}
	if own == nil && len(base) == 0 {
		return n
	}
	e := *n
	if own != nil {
		e.Children = own
	}
	e.Children = x.overlay(base, e.Children)
	return &e
}

// complete leaves out what lacks an argument that nobody gives it, and says so.
func (x *expander) complete(n *Node, at Token) *Node {
	var kept []*Node
	for i, c := range n.Children {
		e := c
		if missing := lacks(c); missing != "" {
			x.errorf(at, phrase.Say("write %s with its %s below %s, or in the template", head(c), missing, head(n)),
				"%s takes a template whose %s has no %s", head(n), head(c), missing)
			e = nil
		} else if c.Row.Opens != "" {
			e = x.complete(c, at)
		}
		if e != c && kept == nil {
			kept = slices.Clone(n.Children[:i])
		}
		if kept != nil && e != nil {
			kept = append(kept, e)
		}
	}
	if kept == nil {
		return n
	}
	e := *n
	e.Children = kept
	return &e
}

// nameOf is where a statement is pointed at: its name, else its word.
func nameOf(n *Node) Token {
	if len(n.Args) > 0 {
		return n.Args[0]
	}
	return n.Word
}

// lacks is the argument that a statement needs and does not have.
func lacks(n *Node) string {
	for i, a := range n.Row.Args {
		if !a.Optional && i >= len(n.Args) {
			return a.Name
		}
	}
	return ""
}

// templateReferences checks the names of templates, and those that like names.
func (b *builder) templateReferences() {
	var known []string
	for _, t := range b.templateNames {
		known = append(known, t.Text)
		if b.find(t.Text) != nil {
			b.errorf(t, "choose another name", "a router or host is named %s as well", t.Text)
		}
	}
	for _, t := range takesIn(b.root, nil) {
		if !slices.Contains(known, t.name.Text) {
			hint := phrase.Say("write template %s, with what it says below it", t.name.Text)
			near := nearest(t.name.Text, known)
			if near != "" {
				hint = didYouMean(near)
			}
			b.errorf(t.name, hint, "there is no template named %s", t.name.Text).instead(near)
		}
	}
}

// once drops the problems that are said again: what a template says is read at each
// place that takes it.
func (b *builder) once() {
	type key struct {
		line, column int
		message      string
	}
	seen := map[key]bool{}
	b.problems = slices.DeleteFunc(b.problems, func(p Problem) bool {
		k := key{p.Line, p.Column, p.Message}
		was := seen[k]
		seen[k] = true
		return was
	})
}

// template checks a template's name: what it says is read where it is taken.
func (b *builder) template(n *Node) {
	name := n.Args[0]
	b.place("template "+name.Text, name)
	for i := range Grammar {
		if Grammar[i].Word == name.Text {
			b.errorf(name, "choose another name", "%s is a statement, and no name for a template", name.Text)
			return
		}
	}
	b.templateNames = append(b.templateNames, name)
}

// like and defaults are written out before.
func (*builder) like(*Node)     {}
func (*builder) defaults(*Node) {}
