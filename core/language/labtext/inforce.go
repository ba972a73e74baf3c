package labtext

import (
	"fmt"
	"strings"
)

// InForce is a statement that counts at a place, and where it is said.
type InForce struct {
	Text  string `json:"text" doc:"the statement, with what stays on its line"`
	Depth int    `json:"depth" doc:"how far it is indented below the place, from 0"`
	Line  int    `json:"line" doc:"where it is said, from 1"`
	From  string `json:"from,omitempty" doc:"template NAME or defaults; empty if the place says it itself"`
}

// WhatHolds are the statements that count at a router, host, port or session, written
// out: its own, those of the templates that it takes, and the lab's defaults.
func WhatHolds(text, target string) ([]InForce, error) {
	text = Normal(text)
	if p := limits(text); p != nil {
		return nil, fmt.Errorf("%s; %s", p.Message, p.Hint)
	}
	root, problems := parse(text)
	p := &parser{root: root, problems: problems}
	d := &document{lines: strings.Split(text, "\n"), root: p.expanded()}
	n, err := d.find(target)
	if err != nil {
		return nil, err
	}
	source := map[int]string{} // by line
	for _, t := range root.Children {
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
	out := []InForce{}
	var walk func(n *Node, depth int)
	walk = func(n *Node, depth int) {
		for _, c := range n.Children {
			if c.Row.Word == "like" {
				continue
			}
			out = append(out, InForce{head(c), depth, c.Word.Line, source[c.Word.Line]})
			walk(c, depth+1)
		}
	}
	walk(n, 0)
	return out, nil
}
