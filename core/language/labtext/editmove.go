package labtext

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
)

// renameAt gives what some words lead to another name, wherever it is named.
func renameAt(text, target, words, to string) (string, error) {
	d := newDocument(text)
	n, err := d.lookup(target, words)
	if err != nil {
		return "", err
	}
	if defines[n.Row.Word] == "" || !definesHere(n) || len(n.Args) == 0 {
		return renumber(d, n, to)
	}
	if device, _, dotted := strings.Cut(target, "."); dotted && words == "" {
		to = strings.TrimPrefix(to, device+".")
	}
	name := n.Args[0]
	if name.Text == to {
		return text, nil
	}
	column := name.Column
	if name.Quoted {
		column++
	}
	after, _, err := Rename(text, name.Line, column, to)
	return after, err
}

// renumber gives a statement that is called by an address, a number or a prefix another
// one: a peer, a tag, an area. No other statement names it.
func renumber(d *document, n *Node, to string) (string, error) {
	if identity(n.Row) != 1 || len(n.Args) == 0 || d.above[n] == d.root || byContent(n.Row) {
		return "", phrase.Errorf("%s has no name", head(n))
	}
	t := n.Args[0]
	t.Text = to[strings.LastIndex(to, "/")+1:]
	if n.Row.Args[0].Kind != Address {
		t.Text = to
	}
	if f := judge(n.Row.Args[0], t); f.what != "" {
		return "", fmt.Errorf("%s; %s", f.what, phrase.Text(f.hint))
	}
	args := append([]Token{t}, n.Args[1:]...)
	if m := match(d.above[n], &Node{Row: n.Row, Word: n.Word, Args: args}); m != nil && m != n {
		return "", phrase.Errorf("%s is there already, on line %d", head(m), m.Word.Line)
	}
	err := d.setArgs(n, args)
	return d.text(), err
}

// move gives a statement another place among its siblings.
func (d *document) move(target, words, to string) error {
	n, err := d.lookup(target, words)
	if err != nil {
		return err
	}
	owner := d.above[n]
	if inline(n) && owner != d.root || !d.starts(n) {
		return phrase.Errorf("%s is on the line of another statement: its order means nothing", head(n))
	}
	rest := slices.DeleteFunc(slices.Clone(owner.Children), func(c *Node) bool { return c == n })
	at, err := placeAmong(rest, n, to)
	if err != nil {
		return err
	}
	if owner.Children[at] == n {
		return nil
	}
	top := d.root.Children[0]
	if owner != d.root {
		top = d.topOf(n)
	}
	before, from, last := slices.Clone(d.lines), top.Word.Line, lastLine(top)
	d.moveLines(n, rest, at)
	owner.Children = slices.Insert(rest, at, n)
	if owner == d.root {
		from, last = 1, 0
	}
	return d.settle(before, top, from, last)
}

// placeAmong is the index among its siblings that the words of a move mean.
func placeAmong(rest []*Node, n *Node, to string) (int, error) {
	side, name := cutWord(to)
	switch side {
	case "first":
		// Before its like: a policy's statements come before its otherwise.
		for i, c := range rest {
			if c.Row == n.Row {
				return i, nil
			}
		}
		return 0, nil
	case "last":
		for i, c := range slices.Backward(rest) {
			if c.Row == n.Row {
				return i + 1, nil
			}
		}
		return len(rest), nil
	}
	var known []string
	for i, c := range rest {
		if len(c.Args) == 0 {
			continue
		}
		if s := written(c.Args[0]); s == name || c.Args[0].Text == name || head(c) == name {
			if side == "after" {
				i++
			}
			return i, nil
		}
		known = append(known, c.Args[0].Text)
	}
	return 0, phrase.Errorf("there is no %s beside %s; there: %s", name, head(n), strings.Join(known, ", "))
}

// moveLines moves a statement's lines, with the comments directly above it, to where
// it is the at-th of the rest.
func (d *document) moveLines(n *Node, rest []*Node, at int) {
	first, last := n.Word.Line-commentsAbove(d.lines, n.Word.Line), lastLine(n)
	block := slices.Clone(d.lines[first-1 : last])
	var line int // behind which it goes
	if at < len(rest) {
		next := rest[at].Word.Line
		line = next - commentsAbove(d.lines, next) - 1
	} else {
		line = lastLine(rest[at-1])
	}
	if line >= last {
		line -= len(block)
	}
	d.lines = slices.Insert(slices.Delete(d.lines, first-1, last), line, block...)
}

// onMedium joins a port to a segment, or parts it from what it is on.
func (e Edit) onMedium(text, target string) (string, error) {
	d := newDocument(text)
	port, err := d.find(target)
	if err != nil {
		return "", err
	}
	if port.Row.Word != "port" && port.Row.Word != "host" {
		return "", phrase.Errorf("%s is no port that can be joined", target)
	}
	var segment *Node
	for _, n := range d.root.Children {
		for i, t := range n.Args {
			on := argAt(n.Row, i).Kind == PortRef && t.Text == target && (n.Row.Word == "link" || n.Row.Word == "segment")
			switch {
			case on && e.Do == ToJoin && n.Row.Word == "segment" && n.Args[0].Text == e.To:
				return text, nil
			case on && e.Do == ToJoin:
				return "", phrase.Errorf("%s is on %s already: part it first", target, head(n))
			case on && n.Row.Word == "link":
				err := d.drop(n)
				return d.text(), err
			case on:
				err := d.leave(n, t.Line, t.Column)
				return d.text(), err
			}
		}
		if n.Row.Word == "segment" && n.Args[0].Text == e.To {
			segment = n
		}
	}
	if e.Do == ToPart {
		return "", phrase.Errorf("%s is on no segment and no link", target)
	}
	if segment == nil {
		return EditText(text, Edit{Statement: "segment " + e.To + " " + target})
	}
	err = d.setArgs(segment, append(slices.Clone(segment.Args), Token{Text: target}))
	return d.text(), err
}
