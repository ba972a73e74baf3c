package labtext

import (
	"maps"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// document is a text that is edited: its lines, and its tree, whose statements
// know their lines. One change can be made; the tree says then what the text
// must say.
type document struct {
	lines []string
	root  *Node
	above map[*Node]*Node // owners
	fresh *Node           // the tree of the lines as they are after a change, if it was read
}

func newDocument(text string) *document {
	root, _ := parse(text)
	d := &document{lines: strings.Split(text, "\n"), root: root, above: map[*Node]*Node{}}
	d.own(root)
	return d
}

// again is the document after a change, ready for the next one.
func (d *document) again() *document {
	if d.fresh == nil {
		return newDocument(d.text())
	}
	next := &document{lines: d.lines, root: d.fresh, above: map[*Node]*Node{}}
	next.own(next.root)
	return next
}

func (d *document) own(n *Node) {
	for _, c := range n.Children {
		d.above[c] = n
		d.own(c)
	}
}

func (d *document) text() string { return strings.Join(d.lines, "\n") }

// settle holds the lines against the tree after a change within a block at the
// top, which was in the lines from and to before. If they do not say the same,
// since a word belongs to another statement now, the block is written anew in the
// canonical form.
func (d *document) settle(before []string, top *Node, from, to int) error {
	if now, _ := parse(d.text()); meaning(now) == meaning(d.root) {
		d.fresh = now
		return nil
	}
	f := &formatter{}
	f.statement(top, 0)
	f.block(top, 1)
	block := strings.Split(strings.TrimSuffix(f.out.String(), "\n"), "\n")
	d.lines = slices.Replace(slices.Clone(before), from-1, to, block...)
	if now, _ := parse(d.text()); meaning(now) != meaning(d.root) {
		return phrase.Error("the text cannot say that where it is: format it first")
	}
	return nil
}

// meaning writes a tree to be compared: without comments and layout, and what stays
// on a statement's line before what is below it.
func meaning(n *Node) string {
	var line, below []*Node
	for _, c := range n.Children {
		if c.Row.Inline {
			line = append(line, c)
		} else {
			below = append(below, c)
		}
	}
	var b strings.Builder
	b.WriteString(head(n) + "{")
	for _, c := range append(line, below...) {
		b.WriteString(meaning(c))
	}
	b.WriteString("}")
	return b.String()
}

// topOf is the statement at the start of a line that holds n.
func (d *document) topOf(n *Node) *Node {
	for d.above[n] != d.root {
		n = d.above[n]
	}
	return n
}

// within makes a change of lines and tree within a block.
func (d *document) within(n *Node, change func()) error {
	top := d.topOf(n)
	before, from, to := slices.Clone(d.lines), top.Word.Line, lastLine(top)
	change()
	return d.settle(before, top, from, to)
}

// cut replaces the characters of a line from a column up to another one.
func (d *document) cut(line, from, to int, by string) {
	r := []rune(d.lines[line-1])
	d.lines[line-1] = strings.TrimRight(string(r[:from-1])+by+string(r[min(to-1, len(r)):]), " ")
}

// setArgs gives a statement other arguments.
func (d *document) setArgs(n *Node, args []Token) error {
	return d.within(n, func() {
		from := n.Word.end()
		to := from
		if len(n.Args) > 0 {
			to = n.Args[len(n.Args)-1].end()
		}
		words := written(args...)
		if words != "" {
			words = " " + words
		}
		d.cut(n.Word.Line, from, to, words)
		n.Args = args
	})
}

// written are tokens as they are written in a line.
func written(tokens ...Token) string {
	var words []string
	for _, t := range tokens {
		if t.Quoted {
			t.Text = `"` + t.Text + `"`
		}
		words = append(words, t.Text)
	}
	return strings.Join(words, " ")
}

// insert puts a new statement into a block.
func (d *document) insert(owner, n *Node) error {
	if owner == d.root {
		d.insertTop(n)
		return nil
	}
	at := positionOf(owner, n)
	change := func() { d.insertBelow(owner, n, at) }
	if inline(n) && !swallowed(owner, n) {
		change = func() { d.insertBehind(owner, n) }
	}
	return d.within(owner, func() {
		change()
		owner.Children = slices.Insert(owner.Children, at, n)
	})
}

// swallowed says whether a statement at the end of its owner's line would be read as an
// argument of what stands there.
func swallowed(owner, n *Node) bool {
	for _, c := range slices.Backward(owner.Children) {
		if c.Word.Line == owner.Word.Line {
			return swallows(c, n)
		}
	}
	return false
}

// positionOf is the index among the owner's statements at which a new one has its
// place: behind its like, else behind what comes before it in the grammar.
func positionOf(owner, n *Node) int {
	at := 0
	for i, c := range owner.Children {
		onLine := inline(c) || c.Word.Line == owner.Word.Line
		if inline(n) && inline(c) || !inline(n) && (onLine || orderOf(owner, c) <= orderOf(owner, n)) {
			at = i + 1
		}
	}
	return at
}

// orderOf is the place of a statement among others: that of its row in the
// grammar, where it has one; in other blocks all come one after the other. A
// verdict ends a policy's statement.
func orderOf(owner, n *Node) int {
	switch owner.Row.Opens {
	case StatementOf:
		switch n.Row.Word {
		case "where":
			return 0
		case "accept", "reject":
			return 2
		}
		return 1
	case Top:
		return 0
	}
	for i := range Grammar {
		if &Grammar[i] == n.Row {
			return i
		}
	}
	return len(Grammar)
}

// insertBehind writes a statement into its owner's line.
func (d *document) insertBehind(owner, n *Node) {
	at := owner.Word.end()
	if len(owner.Args) > 0 {
		at = owner.Args[len(owner.Args)-1].end()
	}
	for _, c := range owner.Children {
		if inline(c) && c.Word.Line == owner.Word.Line {
			at = max(at, endOnLine(c))
		}
	}
	d.cut(owner.Word.Line, at, at, " "+lineOf(n))
}

// endOnLine is the column behind a statement and what belongs to it on its line.
func endOnLine(n *Node) int {
	at := n.Word.end()
	for _, a := range n.Args {
		at = max(at, a.end())
	}
	for _, c := range n.Children {
		if c.Word.Line == n.Word.Line {
			at = max(at, endOnLine(c))
		}
	}
	return at
}

// insertBelow writes a statement into lines of its own below its owner, as the
// at-th of the block.
func (d *document) insertBelow(owner, n *Node, at int) {
	line := owner.Word.Line
	indent := indentOf(d.lines[line-1]) + 2
	for i, c := range owner.Children {
		if i < at {
			line = max(line, lastLine(c))
		}
		if d.starts(c) {
			indent = indentOf(d.lines[c.Word.Line-1])
		}
	}
	d.lines = slices.Insert(d.lines, line, rendered(n, indent)...)
}

// starts says whether a statement begins its line.
func (d *document) starts(n *Node) bool {
	return indentOf(d.lines[n.Word.Line-1]) == n.Word.Column-1
}

// rendered is a statement in lines.
func rendered(n *Node, indent int) []string {
	f := &formatter{}
	f.comments(n.Leading, 0)
	f.statement(n, 0)
	f.block(n, 1)
	lines := strings.Split(strings.TrimSuffix(f.out.String(), "\n"), "\n")
	for i := range lines {
		if lines[i] != "" {
			lines[i] = strings.Repeat(" ", indent) + lines[i]
		}
	}
	return lines
}

// insertTop writes a block at the top: behind the last one of its kind, else at
// the end. A blank line keeps blocks of several lines, and kinds, apart.
func (d *document) insertTop(n *Node) {
	at := len(d.root.Children)
	for i, c := range d.root.Children {
		if c.Row == n.Row {
			at = i + 1
		}
	}
	block := rendered(n, 0)
	if at == 0 {
		if len(d.root.Closing) > 0 && strings.TrimSpace(d.text()) != "" {
			block = append([]string{""}, block...)
		}
		d.lines = append(trimmed(d.lines), append(block, "")...)
		d.root.Children = append(d.root.Children, n)
		return
	}
	before := d.root.Children[at-1]
	if before.Row != n.Row || len(block) > 1 || lastLine(before) > before.Word.Line {
		block = append([]string{""}, block...)
	}
	line := lastLine(before)
	if line == len(d.lines) {
		block = append(block, "")
	}
	d.lines = slices.Insert(d.lines, line, block...)
	d.root.Children = slices.Insert(d.root.Children, at, n)
}

// trimmed are lines without the empty ones at their end.
func trimmed(lines []string) []string {
	for len(lines) > 0 && strings.TrimSpace(lines[len(lines)-1]) == "" {
		lines = lines[:len(lines)-1]
	}
	return lines
}

// delete takes a statement out, with all that belongs to it; comments above it
// stay.
func (d *document) delete(n *Node) error {
	owner := d.above[n]
	i := slices.Index(owner.Children, n)
	gone := func() {
		d.deleteLines(n)
		owner.Children = slices.Delete(owner.Children, i, i+1)
	}
	if owner == d.root {
		before := slices.Clone(d.lines)
		gone()
		return d.settle(before, n, 1, 0)
	}
	return d.within(owner, gone)
}

// deleteLines takes a statement out of the lines.
func (d *document) deleteLines(n *Node) {
	first, last := n.Word.Line, lastLine(n)
	if d.starts(n) {
		d.dropLines(n, first, last)
		return
	}
	for line := last; line > first; line-- {
		d.lines = slices.Delete(d.lines, line-1, line)
	}
	r := []rune(d.lines[first-1])
	from := n.Word.Column
	for from > 1 && r[from-2] == ' ' {
		from--
	}
	d.cut(first, from, endOnLine(n), "")
}

// dropLines takes whole lines out, and the blank line that would be one too many.
func (d *document) dropLines(n *Node, first, last int) {
	d.lines = slices.Delete(d.lines, first-1, last)
	blank := func(line int) bool {
		return line < 1 || line <= len(d.lines) && strings.TrimSpace(d.lines[line-1]) == ""
	}
	head := d.above[n] != d.root && d.above[n].Word.Line == first-1
	if first < len(d.lines) && blank(first) && (blank(first-1) || head) {
		d.lines = slices.Delete(d.lines, first-1, first)
	}
	if end := trimmed(d.lines); len(end) < len(d.lines) {
		d.lines = append(end, "")
	}
}

// find is what a name at the start of an edit means: a router or host, a port, or
// a session.
func (d *document) find(target string) (*Node, error) {
	if device, rest, ok := strings.Cut(target, "/"); ok {
		n := targetNode(d.root, device)
		if n == nil {
			return nil, d.unknown(device)
		}
		instance, peer, more := strings.Cut(rest, "/")
		if !more && n.Row.Word == "router" {
			if _, err := parseAddress(rest); err == nil {
				instance, peer = "", rest
			}
		}
		if instance != "" && (more || peer == "") && instance != config.MainInstance {
			inside, err := instanceNode(n, instance)
			if err != nil || !more {
				return inside, err
			}
			n = inside
		}
		blocks := []*Node{n}
		if !more {
			blocks = append(blocks, childrenOf(n, "instance")...) // one that main has not may be an instance's
		}
		var peers []string
		for _, block := range blocks {
			for _, bgp := range childrenOf(block, "bgp") {
				for _, p := range childrenOf(bgp, "peer") {
					if p.Args[0].Text == peer {
						return p, nil
					}
					peers = append(peers, p.Args[0].Text)
				}
			}
		}
		if len(peers) == 0 {
			return nil, phrase.Errorf("%s has no peers", device)
		}
		return nil, phrase.Errorf("%s has no peer %s; it has %s", device, peer, strings.Join(peers, ", "))
	}
	if n := targetNode(d.root, target); n != nil {
		return n, nil
	}
	return nil, d.unknown(target)
}

// instanceNode is an instance of a router.
func instanceNode(router *Node, name string) (*Node, error) {
	known := []string{}
	for _, c := range childrenOf(router, "instance") {
		if c.Args[0].Text == name {
			return c, nil
		}
		known = append(known, c.Args[0].Text)
	}
	if len(known) == 0 {
		return nil, phrase.Errorf("%s has no instance %s; it has main alone", router.Args[0].Text, name)
	}
	return nil, phrase.Errorf("%s has no instance %s; it has main, %s", router.Args[0].Text, name, strings.Join(known, ", "))
}

// portsOf are the ports and loopbacks of a router, those in its instances included.
func portsOf(n *Node) []*Node {
	var out []*Node
	for _, c := range n.Children {
		switch c.Row.Word {
		case "port", "loopback":
			out = append(out, c)
		case "instance":
			out = append(out, portsOf(c)...)
		}
	}
	return out
}

// unknown says that there is no such router, host or port, and which one may be
// meant.
func (d *document) unknown(target string) error {
	var known []string
	device, port, dotted := strings.Cut(target, ".")
	if n := targetNode(d.root, device); n != nil && dotted {
		for _, c := range portsOf(n) {
			known = append(known, c.Args[0].Text)
		}
		switch {
		case n.Row.Word == "host":
			return phrase.Errorf("%s is a host: its port has its name; write %s", device, device)
		case len(known) == 0:
			return phrase.Errorf("%s has no ports; add %s port %s", device, device, port)
		}
		return phrase.Errorf("%s has no port %s; it has %s", device, port, strings.Join(known, ", "))
	}
	words := map[string]bool{}
	for i := range Grammar {
		words[Grammar[i].Word] = slices.Contains(Grammar[i].In, Top) || words[Grammar[i].Word]
	}
	for _, n := range d.root.Children {
		if n.Row.Word == "router" || n.Row.Word == "host" || n.Row.Word == "template" {
			words[n.Args[0].Text] = true
		}
	}
	for w := range maps.Keys(words) {
		if words[w] {
			known = append(known, w)
		}
	}
	slices.Sort(known)
	if near := nearest(device, known); near != "" {
		return phrase.Errorf("there is no router or host named %s; did you mean %s?", device, near)
	}
	return phrase.Errorf("there is no router or host named %s; write the name of one, or what to add: router, host, link", device)
}

// childrenOf are a statement's children with a word.
func childrenOf(n *Node, word string) []*Node {
	var out []*Node
	for _, c := range n.Children {
		if c.Row.Word == word {
			out = append(out, c)
		}
	}
	return out
}

// targetNode finds a router, a host, a template, a port or a sub-port of the tree.
func targetNode(root *Node, target string) *Node {
	device, port, dotted := strings.Cut(target, ".")
	for _, n := range root.Children {
		if (n.Word.Text != "router" && n.Word.Text != "host" && n.Word.Text != "template") || n.Args[0].Text != device {
			continue
		}
		if !dotted {
			return n
		}
		port, tag, tagged := strings.Cut(port, ".")
		for _, c := range portsOf(n) {
			if c.Args[0].Text != port {
				continue
			}
			if !tagged {
				return c
			}
			for _, sub := range childrenOf(c, "vlan") {
				if sub.Args[0].Text == tag {
					return sub
				}
			}
		}
	}
	return nil
}

func wordsIn(n *Node) []string {
	var out []string
	for _, r := range rowsIn(n.Row.Opens) {
		out = append(out, r.Word)
	}
	return out
}

func indentOf(s string) int { return len(s) - len(strings.TrimLeft(s, " ")) }

// lastLine is the last line of a statement and all that belongs to it.
func lastLine(n *Node) int {
	last := n.Word.Line
	for _, c := range n.Children {
		last = max(last, lastLine(c))
	}
	return last
}
