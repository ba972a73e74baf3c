package labtext

import (
	"slices"
	"strings"
)

// Format writes a text in its canonical form: two spaces a level, short
// properties behind their statement, others below it, comments kept. A text
// with statements that cannot be understood is returned as it is, with false.
func Format(text string) (formatted string, ok bool) {
	if limits(text) != nil {
		return text, false
	}
	root, problems := parse(Normal(text))
	if len(problems) > 0 {
		return text, false
	}
	f := &formatter{}
	f.block(root, 0)
	comments := slices.Clone(root.Closing)
	for len(comments) > 0 && comments[len(comments)-1] == "" {
		comments = comments[:len(comments)-1]
	}
	if len(comments) > 0 && f.out.Len() > 0 {
		f.out.WriteString("\n")
	}
	f.comments(comments, 0)
	return f.out.String(), true
}

type formatter struct {
	out strings.Builder
}

func (f *formatter) comments(lines []string, depth int) {
	for _, c := range lines {
		if c != "" {
			f.out.WriteString(strings.Repeat("  ", depth) + c)
		}
		f.out.WriteString("\n")
	}
}

// inline says whether a statement may stay on its owner's line.
func inline(n *Node) bool { return n.Row.Inline && len(n.Leading) == 0 }

// behind are the statements that stay on their owner's line: all that may, up to one whose
// word an argument that can be repeated would take for its own.
func behind(n *Node) (out []*Node) {
	for _, c := range n.Children {
		if !inline(c) {
			continue
		}
		if len(out) > 0 && swallows(out[len(out)-1], c) {
			return out
		}
		out = append(out, c)
	}
	return out
}

// swallows says whether a statement on the same line would be read as an argument of the
// one before it.
func swallows(before, n *Node) bool {
	if inner := behind(before); len(inner) > 0 {
		return swallows(inner[len(inner)-1], n)
	}
	args := before.Row.Args
	return len(args) > 0 && args[len(args)-1].Repeat && before.Row.Word != "like" &&
		looksLike(args[len(args)-1], n.Word, before.Row)
}

func (f *formatter) block(n *Node, depth int) {
	first := true
	above := behind(n)
	for _, c := range n.Children {
		if n.Row != &topRow && slices.Contains(above, c) {
			continue
		}
		if c.Blank && !(first && f.out.Len() == 0) && !(first && n.Row != &topRow) {
			f.out.WriteString("\n")
		}
		first = false
		f.comments(c.Leading, depth)
		f.statement(c, depth)
		f.block(c, depth+1)
	}
}

func (f *formatter) statement(n *Node, depth int) {
	f.out.WriteString(strings.Repeat("  ", depth))
	for _, c := range f.line(n, nil) {
		f.out.WriteString("  " + c)
	}
	f.out.WriteString("\n")
}

// line writes a statement and what stays on its line, and returns the comments
// that follow them.
func (f *formatter) line(n *Node, comments []string) []string {
	comments = f.words(n, comments)
	for _, c := range behind(n) {
		f.out.WriteString(" ")
		comments = f.line(c, comments)
	}
	return comments
}

func (f *formatter) words(n *Node, comments []string) []string {
	f.out.WriteString(n.Word.Text)
	for _, a := range n.Args {
		if a.Quoted {
			f.out.WriteString(` "` + a.Text + `"`)
		} else {
			f.out.WriteString(" " + a.Text)
		}
	}
	if n.Trailing != "" {
		comments = append(comments, n.Trailing)
	}
	return comments
}
