package labtext

import (
	"slices"
	"strings"
)

// Block is one statement at the top of a text with all that belongs to it.
type Block struct {
	Kind  string `json:"kind" doc:"its word: router, link, policy ..."`
	Name  string `json:"name"`
	From  int    `json:"from" doc:"first line, comments above it included"`
	Line  int    `json:"line" doc:"of the statement itself"`
	To    int    `json:"to" doc:"last line"`
	Parts []Part `json:"parts" doc:"what it holds that has a name"`
	canon string
}

// Part is a statement within a block, for an outline.
type Part struct {
	Kind string `json:"kind"`
	Name string `json:"name"`
	Line int    `json:"line"`
}

// Outline lists the blocks of a text, as far as they can be understood.
func Outline(text string) []Block {
	root, _ := parse(text)
	lines := strings.Split(text, "\n")
	out := []Block{}
	for i, n := range root.Children {
		b := Block{Kind: n.Word.Text, Name: blockName(n), Line: n.Word.Line,
			From: n.Word.Line - commentsAbove(lines, n.Word.Line), To: len(lines), Parts: []Part{}, canon: canon(n)}
		if i+1 < len(root.Children) {
			next := root.Children[i+1].Word.Line
			b.To = next - commentsAbove(lines, next) - 1
		}
		for b.To > b.Line && (strings.TrimSpace(lines[b.To-1]) == "" || strings.HasPrefix(lines[b.To-1], "#")) {
			b.To--
		}
		for _, c := range n.Children {
			if c.Row.Many && len(c.Args) > 0 {
				b.Parts = append(b.Parts, Part{c.Word.Text, c.Args[0].Text, c.Word.Line})
			} else if c.Row.Opens != "" {
				b.Parts = append(b.Parts, Part{c.Word.Text, "", c.Word.Line})
			}
		}
		out = append(out, b)
	}
	return out
}

// commentsAbove counts the comment lines directly above a line.
func commentsAbove(lines []string, line int) int {
	n := 0
	for line-2-n >= 0 && strings.HasPrefix(strings.TrimSpace(lines[line-2-n]), "#") {
		n++
	}
	return n
}

// blockName is what a block is called: a link by its ends, in order.
func blockName(n *Node) string {
	switch {
	case n.Word.Text == "link" && len(n.Args) == 2:
		ends := []string{n.Args[0].Text, n.Args[1].Text}
		slices.Sort(ends)
		return strings.Join(ends, " ")
	case len(n.Args) > 0:
		return n.Args[0].Text
	}
	return ""
}

// canon writes a statement without comments and layout, to be compared.
func canon(n *Node) string {
	var b strings.Builder
	var write func(n *Node)
	write = func(n *Node) {
		b.WriteString(n.Word.Text)
		for _, a := range n.Args {
			b.WriteString(" " + a.Text)
		}
		b.WriteString("{")
		for _, c := range n.Children {
			write(c)
		}
		b.WriteString("}")
	}
	write(n)
	return b.String()
}

// of is a block's text.
func (b *Block) of(lines []string) []string { return lines[b.From-1 : b.To] }

func (b *Block) key() string { return b.Kind + " " + b.Name }

func (b *Block) device() bool { return b.Kind == "router" || b.Kind == "host" }
