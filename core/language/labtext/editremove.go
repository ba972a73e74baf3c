package labtext

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// networkOf is the network of an address with its prefix length.
func networkOf(s string) (netip.Prefix, bool) {
	p, err := netip.ParsePrefix(s)
	return p.Masked(), err == nil
}

// remove takes a statement out that is found by its words; more says that only
// something was taken out that would mean nothing without it.
func (d *document) remove(target, words string) (more bool, err error) {
	n, err := d.lookup(target, words)
	var other *saidByOther
	if errors.As(err, &other) && other.n.Row.switched() {
		return d.set(target, words+" off", false)
	}
	if err != nil {
		return false, err
	}
	if n.Row.switched() && len(n.Args) == 1 && n.Args[0].Text == "off" && !strings.HasSuffix(words, " off") {
		return false, nil // it does not hold
	}
	if released, err := d.release(n); released || err != nil {
		return released, err
	}
	if err := d.stillNamed(n); err != nil {
		return false, err
	}
	return false, d.drop(n)
}

// drop deletes a statement, and its owner if that says nothing without it.
func (d *document) drop(n *Node) error {
	for {
		owner := d.above[n]
		named := len(owner.Args) > 0 && !byContent(owner.Row) && owner.Row.Opens != TakeOf
		if owner == d.root || len(owner.Children) > 1 || named || !hollow(owner.Row) {
			return d.delete(n)
		}
		n = owner
	}
}

// hollow says whether a block says nothing when it is empty.
func hollow(r *Row) bool {
	return byContent(r) && r.Opens != StaticOf || r.Opens == OSPFOf || r.Opens == TakeOf
}

// lookup finds a statement by its target and words.
func (d *document) lookup(target, words string) (*Node, error) {
	p := newParser()
	lines := p.lines(words)
	tokens := lines[0].tokens
	if target == "" {
		return d.lookupIn(d.root, tokens, words)
	}
	if n := d.inTemplates(target); n != nil {
		device, _, _ := strings.Cut(strings.Replace(target, "/", ".", 1), ".")
		if len(tokens) > 0 {
			if list := within(n, tokens); len(list) > 0 {
				n = list[0]
			}
		}
		return nil, &saidByOther{device, head(n), n, d.sourceOf(n)}
	}
	n, err := d.find(target)
	if err != nil {
		return nil, err
	}
	if len(tokens) == 0 {
		return n, nil
	}
	path, err := d.takers(target, words)
	if err != nil {
		if path := pathTo(d.withTemplates(n), tokens[0].Text); path != nil {
			if list := within(path[len(path)-1], tokens); len(list) > 0 {
				return nil, &saidByOther{head(n), words, list[0], d.sourceOf(list[0])}
			}
		}
		return nil, err
	}
	return d.lookupIn(path[len(path)-1], tokens, words)
}

func (d *document) lookupIn(owner *Node, tokens []Token, words string) (*Node, error) {
	found := within(owner, tokens)
	switch len(found) {
	case 0:
		where := "the lab"
		if owner != d.root {
			where = head(owner)
		}
		if said := d.saidElsewhere(owner, tokens); said != nil {
			return nil, &saidByOther{where, words, said, d.sourceOf(said)}
		}
		return nil, phrase.Errorf("%s has no %s", where, words)
	case 1:
		return found[0], nil
	}
	var lines []string
	for _, n := range found {
		lines = append(lines, fmt.Sprint(n.Word.Line))
	}
	return nil, phrase.Errorf("%s is there several times, on lines %s: write more of it", words, strings.Join(lines, ", "))
}

// saidByOther is the error that a place has something from a template or the defaults,
// which is not its own to remove.
type saidByOther struct {
	where, words string
	n, source    *Node
}

func (e *saidByOther) Error() string {
	return fmt.Sprintf("%s has no %s of its own: %s says it, on line %d; change it there, or say another value here", e.where, e.words, head(e.source), e.n.Word.Line)
}

// within finds the statements of a block that some words lead to.
func within(owner *Node, tokens []Token) []*Node {
	var out []*Node
	for _, c := range owner.Children {
		rest, ok := follow(c, tokens)
		switch {
		case byContent(c.Row) && lineOf(c) == written(tokens...):
			out = append(out, c)
		case !ok:
		case len(rest) == 0:
			out = append(out, c)
		default:
			inner := within(c, rest)
			if len(inner) > 0 && byContent(c.Row) && (c.Row.Opens == StaticOf || len(c.Children) == 1) {
				inner = []*Node{c}
			}
			out = append(out, inner...)
		}
	}
	return out
}

// lineOf is the words of a statement and of what stays on its line.
func lineOf(n *Node) string {
	f := &formatter{}
	f.line(n, nil)
	return f.out.String()
}

// follow takes a statement's own words off the front of tokens: its word, and as
// many of its arguments as are written.
func follow(n *Node, tokens []Token) (rest []Token, ok bool) {
	if n.Word.Text != tokens[0].Text {
		return nil, false
	}
	tokens = tokens[1:]
	if n.Row.Word == "link" && len(tokens) > 1 && len(n.Args) == 2 {
		ends := []string{n.Args[0].Text, n.Args[1].Text}
		if a, b := tokens[0].Text, tokens[1].Text; a != b && slices.Contains(ends, a) && slices.Contains(ends, b) {
			return tokens[2:], true
		}
		return nil, false
	}
	for i, a := range n.Args {
		if len(tokens) == 0 {
			return nil, true
		}
		if a.Text != tokens[0].Text {
			// The other arguments may be left out.
			return tokens, i >= identity(n.Row) && rowFor(tokens[0].Text, n.Row.Opens) != nil
		}
		tokens = tokens[1:]
	}
	return tokens, true
}

// release takes the first statement out that means nothing once a device, a port, a
// flow or a check is gone: a link, a flow, a check, an end on a segment.
func (d *document) release(n *Node) (released bool, err error) {
	if n.Row.Opens == LinkOf {
		return d.releaseLink(n)
	}
	kind, router := defines[n.Row.Word], ""
	switch kind {
	case "port":
		router = d.topOf(n).Args[0].Text
	case "device", "segment", "flow", "check":
		if !definesHere(n) {
			return false, nil
		}
	default:
		return false, nil
	}
	for _, o := range occurrences(d.root) {
		if o.definition || o.kind != kind || o.name != n.Args[0].Text || o.in != router {
			continue
		}
		use := d.statementOn(o.line, o.from)
		if use == nil || d.inside(use, n) {
			continue
		}
		if use.Row.In[0] == WheneverOf {
			return true, d.leaveList(use, o.line, o.from)
		}
		switch top := d.topOf(use); top.Row.Word {
		case "link", "flow", "check":
			if released, err := d.release(top); released || err != nil {
				return released, err
			}
			return true, d.drop(top)
		case "segment":
			return true, d.leave(top, o.line, o.from)
		case "risk-group":
			return true, d.leaveGroup(use, o.line, o.from)
		case "brief":
			return true, d.drop(use)
		}
	}
	return false, nil
}

// leave takes the port at a place off a segment, and the segment out with its last
// port.
func (d *document) leave(segment *Node, line, column int) error {
	at := slices.IndexFunc(segment.Args, func(t Token) bool { return t.Line == line && column >= t.Column && column < t.end() })
	if len(segment.Args) <= 2 || at < 1 {
		return d.drop(segment)
	}
	return d.setArgs(segment, slices.Delete(slices.Clone(segment.Args), at, at+1))
}

// stillNamed refuses to take out what others name: without a policy or a key chain
// they would do something else.
func (d *document) stillNamed(n *Node) error {
	kind := defines[n.Row.Word]
	if kind == "" || !definesHere(n) || kind == "device" || kind == "statement" {
		return nil
	}
	in := ""
	switch kind {
	case "port", "instance":
		in = d.topOf(n).Args[0].Text
	case "peer-group":
		in = d.topOf(n).Args[0].Text
		for o := n; o != d.root; o = d.above[o] {
			if o.Row.Word == "instance" {
				in = config.InstanceRef(in, o.Args[0].Text)
			}
		}
	}
	if d.hidden(n) {
		return nil // the lab's of the same name is meant from then on
	}
	for _, o := range occurrences(d.root) {
		if o.definition || o.kind != kind || o.name != n.Args[0].Text || o.in != in {
			continue
		}
		if use := d.statementOn(o.line, o.from); use != nil && !d.inside(use, n) && d.means(use, n) {
			where := head(d.topOf(use))
			if owner := d.above[use]; owner != d.root && owner != d.topOf(use) {
				where = head(owner) + " of " + where
			}
			return phrase.Errorf("%s is used on line %d, by %s: take %s out there first", head(n), o.line, where, head(use))
		}
	}
	return nil
}

// statementOn is the statement whose words are at a place.
func (d *document) statementOn(line, column int) *Node {
	var found *Node
	var walk func(n *Node)
	walk = func(n *Node) {
		for _, t := range append([]Token{n.Word}, n.Args...) {
			if n != d.root && t.Line == line && column >= t.Column && column < t.end() {
				found = n
			}
		}
		for _, c := range n.Children {
			walk(c)
		}
	}
	walk(d.root)
	return found
}

// inside says whether a statement is another one or within it.
func (d *document) inside(n, block *Node) bool {
	for ; n != nil; n = d.above[n] {
		if n == block {
			return true
		}
	}
	return false
}

// saidElsewhere is what a template or the defaults say at a place.
func (d *document) saidElsewhere(owner *Node, tokens []Token) *Node {
	if list := within(d.withTemplates(owner), tokens); len(list) > 0 {
		return list[0]
	}
	return nil
}

// writtenOut is the document with everything that templates and the defaults say in its
// place, to be read.
func (d *document) writtenOut() *document {
	p := &parser{root: d.root}
	return &document{lines: d.lines, root: p.expanded()}
}

// withTemplates is a statement with what templates and the defaults add to it.
func (d *document) withTemplates(n *Node) *Node {
	all := d.writtenOut().root
	if all == d.root {
		return n
	}
	found := n
	var walk func(c *Node)
	walk = func(c *Node) {
		if c.Word == n.Word && c.Row == n.Row {
			found = c
		}
		for _, below := range c.Children {
			walk(below)
		}
	}
	walk(all)
	return found
}

// sourceOf is the block at the top that a statement is written in.
func (d *document) sourceOf(n *Node) *Node {
	for _, t := range d.root.Children {
		if n.Word.Line >= t.Word.Line && n.Word.Line <= lastLine(t) {
			return t
		}
	}
	return d.root
}

// hidden says whether a policy or set of a router hides one of the lab.
func (d *document) hidden(n *Node) bool {
	return d.above[n] != d.root && slices.Contains(n.Row.In, Top) && sameName(d.root, n) != nil
}

// means says whether a statement that names what n is called can mean n: a policy or set of
// a router is named there alone, and one of the lab not where a router hides it.
func (d *document) means(use, n *Node) bool {
	if !slices.Contains(n.Row.In, Top) || !slices.Contains(n.Row.In, RouterOf) {
		return true
	}
	if owner := d.above[n]; owner != d.root {
		return d.topOf(use) == owner || owner.Row.Word == "template"
	}
	return d.topOf(use).Row.Opens != RouterOf || sameName(d.topOf(use), n) == nil
}

// sameName is the statement of a block that has the word and the name of another one.
func sameName(owner, n *Node) *Node {
	for _, c := range owner.Children {
		if c.Row == n.Row && c.Args[0].Text == n.Args[0].Text {
			return c
		}
	}
	return nil
}
