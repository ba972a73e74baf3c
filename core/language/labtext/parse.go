package labtext

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"hellebore/core/ground/phrase"
)

// MaxSize is the largest text that is read, in bytes.
const MaxSize = 4 << 20

// Severity of a problem.
type Severity string

// The severities. A text with errors is never applied.
const (
	Error   Severity = "error"
	Warning Severity = "warning"
)

// Problem is something wrong with a text, or something that a careful colleague
// would remark on.
type Problem struct {
	Severity Severity     `json:"severity" enum:"error,warning"`
	Line     int          `json:"line" doc:"from 1"`
	Column   int          `json:"column" doc:"in characters, from 1"`
	End      int          `json:"end" doc:"column after the last character concerned"`
	Message  string       `json:"message"`
	Hint     string       `json:"hint,omitempty" doc:"what to write instead"`
	Fix      *Replacement `json:"fix,omitempty" doc:"what makes it go away"`
	Edits    []string     `json:"edits,omitempty" doc:"edits that make it go away, a way each; several lines are several edits"`
}

// String is the form that the command line prints: line:column: message; hint.
func (p Problem) String() string {
	s := fmt.Sprintf("%d:%d: %s", p.Line, p.Column, p.Message)
	if p.Hint != "" {
		s += "; " + p.Hint
	}
	return s
}

// Token is a word of the text with its place.
type Token struct {
	Text   string
	Quoted bool
	Line   int
	Column int // in characters, from 1
}

func (t Token) end() int {
	n := t.Column + utf8.RuneCountInString(t.Text)
	if t.Quoted {
		n += 2
	}
	return n
}

// Node is one statement of a text: its row of the grammar, its arguments, and
// the statements that belong to it.
type Node struct {
	Row      *Row
	Word     Token
	Args     []Token
	Children []*Node
	Leading  []string // comment lines above it
	Trailing string   // comment behind it
	Closing  []string // comment lines at the end of its block
	Blank    bool     // a blank line is above it
	held     *held    // of a template
	single   []*Node  // the children that may be there once
}

// line is one line of the text in words.
type line struct {
	number  int
	indent  int
	tokens  []Token
	comment string // with its #
}

// parser reads lines one after the other.
type parser struct {
	problems []Problem
	root     *Node
	stack    []open // the blocks that are open, outermost first
	leading  []string
	blank    bool
	partial  bool // what has a name may be without its other arguments
	typing   bool // templates are read at once, as kinds says
	likes    int
	kinds    map[string]Context // what takes a template that nothing here takes
}

// errorf reports an error at a word; it is nil if there are more than are shown. The
// problem may be completed until the next one is reported.
func (p *parser) errorf(t Token, hint, format string, args ...any) *Problem {
	if len(p.problems) >= 4*maxProblems {
		return nil
	}
	p.problems = append(p.problems,
		Problem{Severity: Error, Line: t.Line, Column: t.Column, End: t.end(), Message: phrase.Say(format, args...),
			Hint: phrase.Text(hint)})
	return &p.problems[len(p.problems)-1]
}

// wrong reports what is wrong with a word.
func (p *parser) wrong(t Token, f fault) {
	p.errorf(t, f.hint, "%s", f.what).instead(f.instead)
}

func didYouMean(near string) string { return phrase.Say("did you mean %s?", near) }

// nearest is nearest, while there are few problems.
func (p *parser) nearest(word string, known []string) string {
	if len(p.problems) > maxProblems {
		return ""
	}
	return nearest(word, known)
}

// open is a line whose statements may have more below it.
type open struct {
	indent int
	nodes  []*Node // outermost first
}

var topRow = Row{Word: "", Opens: Top}

func newParser() *parser {
	root := &Node{Row: &topRow}
	return &parser{root: root, stack: []open{{-1, []*Node{root}}}}
}

// parse reads a text into its tree. Statements that cannot be understood are
// left out, with a problem each.
func parse(text string) (*Node, []Problem) {
	p := newParser()
	p.read(p.lines(text))
	p.root.Closing = p.leading
	return p.root, p.problems
}

// read reads lines, templates last.
func (p *parser) read(lines []line) {
	for len(lines) > 0 {
		l := lines[0]
		lines = lines[1:]
		if n := p.line(l); n != nil {
			lines = p.hold(n, l, lines)
		}
	}
	p.templates()
}

// line reads a line, and returns the template that it begins.
func (p *parser) line(l line) *Node {
	if len(l.tokens) == 0 {
		switch {
		case l.comment != "":
			p.leading = append(p.leading, l.comment)
		case len(p.leading) > 0:
			p.leading = append(p.leading, "")
		default:
			p.blank = true
		}
		return nil
	}
	nodes := p.statements(l, p.owners(l.indent))
	// What is below a statement that was not understood cannot be judged:
	// its line opens a block without owners, and one error is enough.
	p.stack = append(p.stack, open{l.indent, nodes})
	if len(nodes) > 0 {
		nodes[0].Leading, nodes[0].Blank = p.leading, p.blank
		nodes[len(nodes)-1].Trailing = l.comment
	}
	p.leading, p.blank = nil, false
	if len(nodes) > 0 && nodes[0].held != nil {
		return nodes[0]
	}
	return nil
}

// owners are the statements of the line that a line with this indentation
// is below.
func (p *parser) owners(indent int) []*Node {
	for p.stack[len(p.stack)-1].indent >= indent {
		p.stack = p.stack[:len(p.stack)-1]
	}
	return p.stack[len(p.stack)-1].nodes
}

// statements reads one line. owners are the statements of the line it is
// below, outermost first; nil if that line was not understood.
func (p *parser) statements(l line, owners []*Node) []*Node {
	if owners == nil {
		return nil
	}
	return p.behind(l.tokens, owners, nil)
}

// behind reads statements that are behind others on a line, innermost last.
func (p *parser) behind(rest []Token, owners, nodes []*Node) []*Node {
	for len(rest) > 0 {
		candidates := nodes
		if len(nodes) == 0 {
			candidates = owners
		}
		word := rest[0]
		owner, row := takerOf(word.Text, candidates)
		if row == nil {
			p.unknown(word, candidates)
			return nodes
		}
		n := &Node{Row: row, Word: word}
		var ok bool
		if rest, ok = p.arguments(n, rest[1:], owners, nodes); !ok {
			return nodes
		}
		if row.Word == "like" {
			p.likes++
		}
		if in, known := p.kinds[nameOf(n).Text]; row.Word == "template" && p.typing && known {
			n.Row = templateRows[in]
		} else if row.Word == "template" {
			n.held = &held{first: rest}
			owner.Children = append(owner.Children, n)
			return []*Node{n}
		}
		nodes = append(nodes, n)
		if len(nodes) > maxOnLine {
			p.errorf(word, "write some of them on lines of their own, indented", "more than %d statements are on one line", maxOnLine)
			return nodes
		}
		if !row.Many {
			if first := owner.only(row); first != nil {
				p.errorf(word, "keep one of them", "%s is here twice, first on line %d", row.Word, first.Word.Line)
				continue
			}
			owner.single = append(owner.single, n)
		}
		owner.Children = append(owner.Children, n)
	}
	return nodes
}

// maxOnLine bounds the statements on one line.
const maxOnLine = 500

// only is the child that may be there once, nil if it is not there yet.
func (n *Node) only(row *Row) *Node {
	for _, c := range n.single {
		if c.Row == row {
			return c
		}
	}
	return nil
}

// takerOf is the nearest of the owners, innermost last, in which a word may
// be.
func takerOf(word string, owners []*Node) (*Node, *Row) {
	for i := len(owners) - 1; i >= 0; i-- {
		if row := rowFor(word, owners[i].Row.Opens); row != nil {
			return owners[i], row
		}
	}
	return nil, nil
}

// unknown says that a word may not be where it does, and what may.
func (p *parser) unknown(word Token, owners []*Node) {
	var allowed []string
	for i := len(owners) - 1; i >= 0; i-- {
		for _, r := range rowsIn(owners[i].Row.Opens) {
			allowed = append(allowed, r.Word)
		}
	}
	var where string
	if o := owners[len(owners)-1]; o.Row == &topRow {
		where = phrase.Text("at the start of a line")
	} else if o.Row.Opens != "" {
		where = phrase.Say("in %s", o.Row.Opens)
	} else {
		where = phrase.Say("behind %s", o.Row.Word)
	}
	var places []string
	for i := range Grammar {
		if Grammar[i].Word == word.Text {
			for _, c := range Grammar[i].In {
				places = append(places, string(c))
			}
		}
	}
	if near := p.nearest(word.Text, allowed); near != "" && len(places) == 0 {
		p.errorf(word, didYouMean(near), "unknown word %q %s", word.Text, where).instead(near)
		return
	}
	hint := ""
	switch {
	case len(places) > 0:
		hint = phrase.Say("%s belongs in %s; check the indentation", word.Text, strings.Join(places, phrase.Text(" or ")))
	case len(allowed) > 0:
		hint = phrase.Say("known there: %s", strings.Join(allowed, ", "))
	default:
		hint = "write nothing more there"
	}
	p.errorf(word, hint, "unknown word %q %s", word.Text, where)
}

// arguments reads a statement's arguments off the front of the tokens.
func (p *parser) arguments(n *Node, rest []Token, owners, nodes []*Node) ([]Token, bool) {
	for i, a := range n.Row.Args {
		spare := a.Optional || p.partial && n.Row.Many && n.Row.Opens != "" && i >= identity(n.Row)
		for taken := 0; ; taken++ {
			if len(rest) == 0 || (spare || a.Repeat && taken > 0) && !looksLike(a, rest[0], n.Row, owners, nodes) {
				if !spare && taken == 0 {
					p.errorf(n.Word, phrase.Say("write %s", n.Row.Usage()), "%s needs its %s", n.Row.Word, phrase.Text(a.Name))
					return rest, false
				}
				break
			}
			if f := judge(a, rest[0]); f.what != "" {
				p.wrong(rest[0], f)
				return rest, false
			}
			n.Args = append(n.Args, rest[0])
			rest = rest[1:]
			if !a.Repeat {
				break
			}
		}
	}
	if len(n.Args) > 0 && len(rest) > 0 && strings.Contains(n.Args[len(n.Args)-1].Text, ".") && maskLike(rest[0].Text) {
		address, mask := n.Args[len(n.Args)-1], rest[0]
		both := withMask(address.Text, mask.Text)
		found := p.errorf(mask, phrase.Say("write the prefix length behind the address: %s", both),
			"masks are written as prefix lengths")
		if found.instead(both); found != nil {
			found.Fix.Column = address.Column
		}
		return rest, false
	}
	return rest, true
}

// looksLike says whether an optional or repeated argument is there: what is
// not a statement of the block, or begins like an address.
func looksLike(a Arg, t Token, row *Row, owners ...[]*Node) bool {
	if a.Optional && len(a.Words) > 0 {
		return slices.Contains(a.Words, t.Text)
	}
	if a.Kind == Interface || a.Kind == Address || a.Kind == Prefix {
		return t.Text != "" && t.Text[0] >= '0' && t.Text[0] <= '9'
	}
	if row.Word == "like" {
		return !slices.ContainsFunc(owners, func(o []*Node) bool { _, r := takerOf(t.Text, o); return r != nil })
	}
	return rowFor(t.Text, row.Opens) == nil
}

// lines splits a text into words.
func (p *parser) lines(text string) []line {
	var out []line
	for i, s := range strings.Split(text, "\n") {
		s = strings.TrimSuffix(s, "\r")
		l := line{number: i + 1}
		for l.indent < len(s) && s[l.indent] == ' ' {
			l.indent++
		}
		if l.indent < len(s) && s[l.indent] == '\t' {
			p.errorf(Token{Text: " ", Line: l.number, Column: l.indent + 1}, "indent with two spaces",
				"a tab in the indentation").instead("  ")
			s = strings.ReplaceAll(s, "\t", "  ")
			for l.indent < len(s) && s[l.indent] == ' ' {
				l.indent++
			}
		}
		p.words(&l, s)
		out = append(out, l)
	}
	return out
}

func (p *parser) words(l *line, s string) {
	column := 1 // of s[at]
	for at := 0; at < len(s); {
		switch c := s[at]; {
		case c == ' ' || c == '\t':
			at++
			column++
		case c == '#':
			l.comment = strings.TrimRight(s[at:], " ")
			return
		case c == '"':
			t := Token{Quoted: true, Line: l.number, Column: column}
			end := strings.IndexByte(s[at+1:], '"')
			if end < 0 {
				t.Text = s[at+1:]
				p.errorf(t, `close it with "`, "the quoted text does not end on its line")
				l.tokens = append(l.tokens, t)
				return
			}
			t.Text = s[at+1 : at+1+end]
			l.tokens = append(l.tokens, t)
			at += end + 2
			column = t.end()
		default:
			end := at
			for end < len(s) && s[end] != ' ' && s[end] != '\t' && s[end] != '"' && s[end] != '#' {
				end++
			}
			t := Token{Text: s[at:end], Line: l.number, Column: column}
			l.tokens = append(l.tokens, t)
			at, column = end, t.end()
		}
	}
}

// nearest is the allowed word that a mistyped one was probably meant to be.
func nearest(word string, allowed []string) string {
	best, distance := "", 3
	for _, a := range allowed {
		if d := edits(word, a); d < distance && d < len(a) {
			best, distance = a, d
		}
	}
	return best
}

// edits is the Levenshtein distance.
func edits(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range len(a) {
		diagonal := row[0]
		row[0] = i + 1
		for j := range len(b) {
			cost := diagonal
			if a[i] != b[j] {
				cost++
			}
			diagonal = row[j+1]
			row[j+1] = min(cost, row[j]+1, row[j+1]+1)
		}
	}
	return row[len(b)]
}
