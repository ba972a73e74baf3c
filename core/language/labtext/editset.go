package labtext

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
)

// set makes the first thing of a statement true that is not; more says that there
// was one. If fresh, the statement must not be there yet.
func (d *document) set(target, statement string, fresh bool) (more bool, err error) {
	target, statement = d.ownPlace(target, statement)
	path, err := d.takers(target, statement)
	if n, _ := d.find(target); err != nil && n != nil && isValueOf(n, statement) {
		// A new address of a port: viaduct.e1 10.0.12.1/30.
		path, err = []*Node{d.above[n]}, nil
		statement = n.Word.Text + " " + n.Args[0].Text + " " + statement
	}
	if n, _ := d.find(target); err != nil && n != nil {
		// The block that it belongs in is said by a template.
		if block := d.blockOf(n, statement); block != "" {
			path, err = []*Node{n}, nil
			statement = block + " " + statement
		}
	}
	if err != nil {
		return false, err
	}
	wanted, err := d.wanted(path, statement)
	if err != nil {
		return false, err
	}
	for i, w := range wanted {
		for _, c := range w.Children {
			if m := match(path[i], c); m != nil && fresh {
				return false, phrase.Errorf("%s is there already, on line %d", head(m), m.Word.Line)
			}
		}
	}
	for i, w := range wanted {
		if more, err := d.merge(path[i], w); more || err != nil {
			return more, err
		}
	}
	return false, nil
}

// head is a statement without what belongs to it.
func head(n *Node) string {
	f := &formatter{}
	f.words(n, nil)
	return f.out.String()
}

// takers are the statements in which the first word of a statement may be, from the
// target inwards: the target, or a block within it. A statement of a peer finds the
// peers that are on a port.
func (d *document) takers(target, statement string) ([]*Node, error) {
	word, _ := cutWord(statement)
	if target == "" {
		if rowFor(word, Top) == nil {
			return nil, d.unknown(word)
		}
		return []*Node{d.root}, nil
	}
	n, err := d.find(target)
	if err != nil {
		return nil, err
	}
	if path := pathTo(n, word); path != nil {
		return path, nil
	}
	if n.Row.Word == "port" || n.Row.Word == "vlan" {
		if path := d.peerTaker(n, word); path != nil {
			return path, nil
		}
	}
	return nil, misplaced(n, target, word)
}

// ownPlace is where a statement about a place is written that only a template says: below
// the router or port that takes the template, with the place before it.
func (d *document) ownPlace(target, statement string) (string, string) {
	n := d.inTemplates(target)
	if n == nil {
		return target, statement
	}
	statement = head(n) + " " + statement
	if i := strings.LastIndexByte(target, '/'); i >= 0 {
		if n.Row.Word == "peer" {
			statement = "bgp " + statement
		}
		return d.ownPlace(target[:i], statement)
	}
	return d.ownPlace(target[:strings.LastIndexByte(target, '.')], statement)
}

// inTemplates is a port or session that a router has from a template alone, nil if it is
// its own or there is none.
func (d *document) inTemplates(target string) *Node {
	if _, err := d.find(target); err == nil || target == "" {
		return nil
	}
	n, err := d.writtenOut().find(target)
	if err != nil {
		return nil
	}
	return n
}

// blockOf is the block of a place that a statement belongs in and that only a template
// writes there.
func (d *document) blockOf(n *Node, statement string) string {
	word, _ := cutWord(statement)
	var words []string
	for _, block := range pathTo(d.withTemplates(n), word) {
		if block.Row != n.Row {
			words = append(words, head(block))
		}
	}
	return strings.Join(words, " ")
}

// isValueOf says whether a statement begins with a value of the argument behind the
// target's name.
func isValueOf(n *Node, statement string) bool {
	word, _ := cutWord(statement)
	k := identity(n.Row)
	if k != 1 || len(n.Row.Args) < 2 {
		return false
	}
	what := judge(n.Row.Args[k], Token{Text: word}).what
	return what == "" && looksLike(n.Row.Args[k], Token{Text: word}, n.Row)
}

// pathTo are the statements from n to the one in which a word may be.
func pathTo(n *Node, word string) []*Node {
	if rowFor(word, n.Row.Opens) != nil {
		return []*Node{n}
	}
	for _, c := range n.Children {
		if c.Row.Opens == "" || c.Row.Word == "vlan" || c.Row.Many && c.Row.Opens != AreaOf {
			continue // one of several would be chosen by chance
		}
		if path := pathTo(c, word); path != nil {
			return append([]*Node{n}, path...)
		}
	}
	return nil
}

// peerTaker is the peer that is on a port's network, if a word may be in it.
func (d *document) peerTaker(port *Node, word string) []*Node {
	if len(port.Args) < 2 || rowFor(word, PeerOf) == nil {
		return nil
	}
	network, ok := networkOf(port.Args[1].Text)
	owner := port
	for owner.Row.Word != "router" && owner.Row.Word != "instance" && owner.Row.Word != "template" {
		owner = d.above[owner]
	}
	for _, speaker := range childrenOf(owner, "bgp") {
		for _, p := range childrenOf(speaker, "peer") {
			if a, err := parseAddress(p.Args[0].Text); ok && err == nil && network.Contains(a) {
				return []*Node{p}
			}
		}
	}
	return nil
}

// misplaced says why a word may not be in a target, and what may.
func misplaced(n *Node, target, word string) error {
	known := wordsIn(n)
	var blocks []string
	for _, r := range rowsIn(n.Row.Opens) {
		if r.Opens != "" && rowFor(word, r.Opens) != nil {
			blocks = append(blocks, r.Word)
		}
	}
	if len(blocks) > 0 {
		return phrase.Errorf("%s belongs into %s of %s: write %s %s ... %s", word, blocks[0], target, target, blocks[0], word)
	}
	if near := nearest(word, known); near != "" {
		return phrase.Errorf("%s does not belong in %s; did you mean %s?", word, target, near)
	}
	return phrase.Errorf("%s does not belong in %s; known there: %s", word, target, strings.Join(known, ", "))
}

// wanted reads a statement as if it were in the blocks of the path, and returns
// them with nothing else in them. What has a name may be without its other
// arguments.
func (d *document) wanted(path []*Node, statement string) ([]*Node, error) {
	p := newParser()
	p.partial, p.kinds = true, kindsIn(d.root)
	var blocks []*Node
	for _, n := range path {
		blocks = append(blocks, &Node{Row: n.Row, Word: n.Word, Args: n.Args})
	}
	last := path[len(path)-1]
	if word, _ := cutWord(statement); rowFor(word, last.Row.Opens) == nil {
		return nil, phrase.Errorf("%s does not belong in %s", word, head(last))
	}
	p.stack = []open{{-1, blocks}}
	p.root = blocks[0]
	p.read(p.lines(statement))
	if len(p.problems) > 0 {
		x := p.problems[0]
		if x.Hint != "" {
			return nil, fmt.Errorf("%s; %s", x.Message, x.Hint)
		}
		return nil, fmt.Errorf("%s", x.Message)
	}
	return blocks, nil
}

// identity is how many arguments of a statement that can be there several times say
// which one it is.
func identity(r *Row) int {
	switch {
	case !r.Many:
		return 0
	case r.Word == "link", r.Opens == "", r.Word == "prepend":
		return len(r.Args)
	}
	return min(1, len(r.Args))
}

// byContent says whether it is what a statement holds that says which one it is,
// and not a name.
func byContent(r *Row) bool {
	switch r.Opens {
	case StaticOf, WhereOf, ActionSet, ActionAdd, ActionTake, ActionSwap, ExpectOf:
		return true
	}
	return false
}

// match is the statement of a block that a wanted one is about, nil if it is new.
func match(owner, w *Node) *Node {
	for _, c := range owner.Children {
		if c.Row == w.Row && sameKey(c, w) && (!byContent(w.Row) || sameContent(c, w)) {
			return c
		}
	}
	return nil
}

func sameKey(a, b *Node) bool {
	if a.Row.Word == prefixWord && a.Word.Text != b.Word.Text {
		return false
	}
	k := identity(a.Row)
	if a.Row.Word == "link" {
		return len(a.Args) == 2 && len(b.Args) == 2 && blockName(a) == blockName(b)
	}
	if a.Row.Opens == "" || a.Row.Word == "prepend" { // all arguments, of which the last can repeat
		k = max(len(a.Args), len(b.Args))
		if !a.Row.Many {
			return true
		}
	}
	for i := range k {
		if i >= len(a.Args) || i >= len(b.Args) || a.Args[i].Text != b.Args[i].Text {
			return false
		}
	}
	return true
}

// sameContent says whether two statements without names are about the same: the same
// property is set, the same next hop used, the same condition asked.
func sameContent(c, w *Node) bool {
	switch w.Row.Opens {
	case ActionSet, ActionSwap:
		return slices.ContainsFunc(w.Children, func(x *Node) bool { return hasRow(c, x.Row) })
	case StaticOf:
		for _, x := range w.Children {
			if x.Row.Word == "preference" {
				continue
			}
			m := match(c, x)
			if m == nil || canon(m) != canon(x) {
				return false
			}
		}
		return true
	}
	return canonBlock(c) == canonBlock(w)
}

// canonBlock is canon of what belongs to a statement.
func canonBlock(n *Node) string { return canon(&Node{Children: n.Children}) }

func hasRow(n *Node, r *Row) bool {
	return slices.ContainsFunc(n.Children, func(c *Node) bool { return c.Row == r })
}

// merge makes the first thing true that is wanted of a block and is not; changed
// says that there was one.
func (d *document) merge(owner, w *Node) (changed bool, err error) {
	for _, c := range w.Children {
		m := match(owner, c)
		if m == nil {
			if err := complete(c); err != nil {
				return false, err
			}
			if other := verdictOf(owner); other != nil && (c.Row.Word == "accept" || c.Row.Word == "reject") {
				return true, d.delete(other)
			}
			return true, d.insert(owner, c)
		}
		if k := identity(c.Row); !sameWords(m.Args, c.Args) && (!c.Row.Many || len(c.Args) > k) && !joins(m, c) {
			return true, d.setArgs(m, c.Args)
		}
		if changed, err := d.merge(m, c); changed || err != nil {
			return changed, err
		}
	}
	return false, nil
}

// verdictOf is the accept or reject of a policy's statement, nil if it has none. One takes
// the place of the other.
func verdictOf(n *Node) *Node {
	for _, c := range n.Children {
		if n.Row.Opens == StatementOf && (c.Row.Word == "accept" || c.Row.Word == "reject") {
			return c
		}
	}
	return nil
}

// joins says whether two statements are the same link, from one end and from the
// other.
func joins(a, b *Node) bool { return a.Row.Word == "link" && blockName(a) == blockName(b) }

func sameWords(a, b []Token) bool {
	return slices.EqualFunc(a, b, func(x, y Token) bool { return x.Text == y.Text && x.Quoted == y.Quoted })
}

// complete says which argument a new statement lacks.
func complete(n *Node) error {
	for i, a := range n.Row.Args {
		if !a.Optional && i >= len(n.Args) {
			return phrase.Errorf("%s is new, and needs its %s; write %s", head(n), a.Name, n.Row.Usage())
		}
	}
	for _, c := range n.Children {
		if err := complete(c); err != nil {
			return err
		}
	}
	return nil
}
