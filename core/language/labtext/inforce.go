package labtext

import "fmt"

// InForce is a statement that counts at a place, and where it is said.
type InForce struct {
	Text  string `json:"text" doc:"the statement, without what is below it"`
	Depth int    `json:"depth" doc:"how far it is indented below the place, from 0"`
	Line  int    `json:"line" doc:"where it is said, from 1"`
	From  string `json:"from,omitempty" doc:"template NAME or defaults; empty if the place says it itself"`
}

// Hover is what is known of a word of a text: what it means, and if it names a place or
// a template, what counts there.
type Hover struct {
	Help  []Suggestion `json:"help"`
	Place string       `json:"place,omitempty" doc:"router viaduct, port e1 10.0.1.1/30, template trunk ..."`
	Holds []InForce    `json:"holds"`
}

// WhatHolds are the statements that count at a router, host, port, session or template,
// written out: its own, those of the templates that it takes, and the lab's defaults.
func WhatHolds(text, target string) ([]InForce, error) {
	text = Normal(text)
	if p := limits(text); p != nil {
		return nil, fmt.Errorf("%s; %s", p.Message, p.Hint)
	}
	d := newDocument(text)
	n, err := d.writtenOut().find(target)
	if err != nil {
		return nil, err
	}
	return d.holds(n), nil
}

// HoverAt is what is known of the word at a line and column, both from 1.
func HoverAt(text string, line, column int) Hover {
	out := Hover{Help: []Suggestion{}, Holds: []InForce{}}
	text = Normal(text)
	if limits(text) != nil {
		return out
	}
	d := newDocument(text)
	n := d.statementOn(line, column)
	if n == nil {
		return out
	}
	if column < n.Word.end() {
		if help := WordHelp(n.Word.Text); help != nil {
			out.Help = help
		}
	}
	if n.Row.Word == "like" && column >= n.Word.end() {
		for _, t := range n.Args {
			if column >= t.Column && column < t.end() {
				n = targetNode(d.root, t.Text)
			}
		}
	}
	if n == nil || !takes(n) && n.held == nil {
		return out
	}
	out.Place = head(n)
	out.Holds = d.holds(d.withTemplates(n))
	return out
}

// takes says whether a statement is a place that can take templates.
func takes(n *Node) bool { return n.Row.Opens != "" && rowFor("like", n.Row.Opens) != nil }

// holds lists what is below a statement that is written out.
func (d *document) holds(n *Node) []InForce {
	source := map[int]string{} // by line
	for _, t := range d.root.Children {
		name := ""
		switch {
		case t.held != nil:
			name = "template " + t.Args[0].Text
		case t.Row.Word == "defaults":
			name = "defaults"
		default:
			continue
		}
		for line := t.Word.Line; line <= lastLine(t); line++ {
			source[line] = name
		}
	}
	own := source[n.Word.Line]
	out := []InForce{}
	var walk func(n *Node, depth, line int)
	walk = func(n *Node, depth, line int) { // line is the index of what stays on the owner's line, -1 for nothing
		for _, c := range n.Children {
			if c.Row.Word == "like" {
				continue
			}
			from := source[c.Word.Line]
			if from == own {
				from = ""
			}
			if line >= 0 && c.Row.Inline && out[line].From == from && len(c.Leading) == 0 {
				out[line].Text += " " + head(c)
				walk(c, depth, line)
				continue
			}
			out = append(out, InForce{head(c), depth, c.Word.Line, from})
			walk(c, depth+1, len(out)-1)
		}
	}
	walk(n, 0, -1)
	return out
}
