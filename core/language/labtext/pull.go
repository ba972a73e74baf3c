package labtext

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
)

// Common is what several places of a text say alike, so that it could be said once.
type Common struct {
	In         Context  `json:"in" doc:"what the places are: port, router, peer ..."`
	Statements string   `json:"statements" doc:"what they have in common, as it is written in a template"`
	Takers     []string `json:"takers" doc:"the places: viaduct.e1, viaduct/192.0.2.2 ..."`
	Lines      int      `json:"lines" doc:"how much shorter the text gets"`
	Name       string   `json:"name" doc:"a free name for the template"`
	set        map[string]bool
}

// Bounds of the search for what is alike.
const (
	maxShapes = 80 // different places that are compared with each other, the most frequent first
	maxCommon = 8  // that are offered
)

// taker is a place that can take a template, with the elements of what it says.
type taker struct {
	name string
	node *Node
	set  map[string]bool
}

// Alike finds what several places of a text say alike, what makes the text shortest
// first.
func Alike(text string) []Common {
	root, problems := parse(Normal(text))
	out := []Common{}
	if len(problems) > 0 {
		return out
	}
	for _, in := range fits {
		list := takersIn(root, in)
		for _, set := range candidates(list) {
			if c := common(root, in, list, set); c.Lines > 0 && len(c.Takers) > 1 {
				out = append(out, c)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Common) int { return cmp.Compare(b.Lines, a.Lines) })
	return out[:min(len(out), maxCommon)]
}

// Pull writes a template with statements that are alike, as Alike says them, and takes
// it where they were said. The network stays the same.
func Pull(text string, in Context, statements, name string) (string, error) {
	text = Normal(text)
	root, problems := parse(text)
	if len(problems) > 0 {
		return "", phrase.Errorf("mend the text first: %s", problems[0])
	}
	if !validName(name) {
		return "", phrase.Errorf("%q is not a name: a name begins with a letter and goes on with letters, digits, - and _", name)
	}
	var found *Common
	for _, x := range Alike(text) {
		if x.In == in && x.Statements == statements {
			found = &x
			break
		}
	}
	if found == nil {
		return "", phrase.Error("the places do not say this alike any more: look again")
	}
	lines := strings.Split(text, "\n")
	blocks := map[*Node]*Node{} // at the top, old to new
	for _, n := range root.Children {
		if e := pulled(n, found.In, found.set, name); e != n {
			blocks[n] = e
		}
	}
	for _, n := range slices.Backward(root.Children) {
		if e := blocks[n]; e != nil {
			f := &formatter{}
			f.comments(e.Leading[len(n.Leading):], 0)
			f.statement(e, 0)
			f.block(e, 1)
			lines = slices.Replace(lines, n.Word.Line-1, lastLine(n), strings.Split(strings.TrimSuffix(f.out.String(), "\n"), "\n")...)
		}
	}
	at := 0
	for _, n := range root.Children {
		if w := n.Word.Text; w == "router" || w == "host" {
			at = n.Word.Line - 1 - commentsAbove(lines, n.Word.Line)
			break
		}
	}
	t := append(append([]string{"template " + name}, strings.Split(found.Statements, "\n")...), "")
	for i := 1; i < len(t)-1; i++ {
		t[i] = "  " + t[i]
	}
	after, _ := Format(strings.Join(t, "\n"))
	after = strings.Join(slices.Insert(lines, at, strings.Split(after, "\n")...), "\n")
	if r, was := Parse(after), Parse(text); !r.OK() {
		return "", phrase.Errorf("that cannot be said once: %s", r.Problems[0].Message)
	} else if d := Differences(&was.Lab, &r.Lab); len(d) > 0 {
		return "", phrase.Errorf("that would change %s", d[0])
	}
	return after, nil
}

// takersIn are the places of a tree that can take a template in a context.
func takersIn(root *Node, in Context) []taker {
	var out []taker
	var walk func(n *Node, name string)
	walk = func(n *Node, name string) {
		for _, c := range n.Children {
			next := placeName(name, c)
			if c.held != nil || c.Row.Word == "defaults" {
				continue
			}
			if c.Row.Opens == in {
				t := taker{next, c, map[string]bool{}}
				elements(c, "", func(e string) { t.set[e] = true })
				if len(t.set) > 0 {
					out = append(out, t)
				}
			}
			walk(c, next)
		}
	}
	walk(root, "")
	return out
}

// placeName is what a place below another one is called.
func placeName(owner string, n *Node) string {
	switch n.Row.Opens {
	case RouterOf, HostOf:
		return n.Args[0].Text
	case InstanceOf:
		return owner + "/" + n.Args[0].Text
	case PortOf, Loopback, VLANOf:
		device, _, _ := strings.Cut(owner, "/") // a port is its router's, whatever instance it is in
		return device + "." + n.Args[0].Text
	case PeerOf:
		return owner + "/" + n.Args[0].Text
	case AreaOf:
		return owner + " area " + n.Args[0].Text
	}
	return owner
}

// apart says whether a statement belongs to its place and to no template.
func apart(n *Node) bool { return n.Row.Word == "at" || n.Row.Word == "like" }

// whole says whether a statement is pulled as a whole or not at all.
func whole(n *Node) bool { return n.Row.Opens == "" || len(n.Children) == 0 || byContent(n.Row) }

// step is the element of a statement within its owner's.
func step(owner string, n *Node) string {
	if whole(n) {
		return owner + "/" + canon(n)
	}
	words := []string{n.Word.Text}
	for _, a := range n.Args[:min(identity(n.Row), len(n.Args))] {
		words = append(words, a.Text)
	}
	return owner + "/" + strings.Join(words, " ")
}

// rest is the element of the arguments that do not say which one a statement is.
func rest(at string, n *Node) (string, bool) {
	if whole(n) || len(n.Args) <= identity(n.Row) {
		return "", false
	}
	return at + "=" + written(n.Args...), true
}

// elements lists what is said below a statement.
func elements(n *Node, at string, f func(string)) {
	for _, c := range n.Children {
		if apart(c) {
			continue
		}
		e := step(at, c)
		f(e)
		if r, ok := rest(e, c); ok {
			f(r)
		}
		if !whole(c) {
			elements(c, e, f)
		}
	}
}

// candidates are sets of elements that several places have in common.
func candidates(list []taker) []map[string]bool {
	shapes := map[string]int{}
	sets := map[string]map[string]bool{}
	for _, t := range list {
		k := strings.Join(slices.Sorted(maps.Keys(t.set)), "\n")
		shapes[k]++
		sets[k] = t.set
	}
	keys := slices.SortedFunc(maps.Keys(shapes), func(a, b string) int {
		return cmp.Or(cmp.Compare(shapes[b], shapes[a]), cmp.Compare(a, b))
	})
	keys = keys[:min(len(keys), maxShapes)]
	seen := map[string]bool{}
	var out []map[string]bool
	for i, a := range keys {
		for _, b := range keys[i:] {
			both := map[string]bool{}
			for e := range sets[a] {
				if sets[b][e] {
					both[e] = true
				}
			}
			if k := strings.Join(slices.Sorted(maps.Keys(both)), "\n"); !seen[k] && len(both) > 0 {
				seen[k] = true
				out = append(out, both)
			}
		}
	}
	return out
}

// common is what a set of elements is worth.
func common(root *Node, in Context, list []taker, set map[string]bool) Common {
	c := Common{In: in, set: set, Takers: []string{}}
	var template *Node
	for _, t := range list {
		if !covers(t.set, set) {
			continue
		}
		if template == nil {
			template = kept(t.node, "", set)
			c.Lines = -2 - linesBelow(template)
		}
		c.Takers = append(c.Takers, t.name)
		c.Lines += linesBelow(t.node) - linesBelow(without(t.node, "", set, &[]string{}))
	}
	if template == nil || len(template.Children) == 0 {
		return Common{}
	}
	f := &formatter{}
	f.block(bare(template), 0)
	for _, x := range template.Children {
		if x.Row.Inline { // the formatter leaves it on its owner's line
			c.Statements += lineOf(x) + "\n"
		}
	}
	c.Statements = strings.TrimSuffix(c.Statements+f.out.String(), "\n")
	taken := kindsIn(root)
	c.Name = string(in) + "s"
	for i := 2; ; i++ {
		if _, is := taken[c.Name]; !is && targetNode(root, c.Name) == nil {
			return c
		}
		c.Name = fmt.Sprintf("%ss-%d", in, i)
	}
}

func covers(all, some map[string]bool) bool {
	for e := range some {
		if !all[e] {
			return false
		}
	}
	return true
}

// bare is a block without comments.
func bare(n *Node) *Node {
	e := *n
	e.Leading, e.Trailing, e.Blank = nil, "", false
	e.Children = nil
	for _, c := range n.Children {
		e.Children = append(e.Children, bare(c))
	}
	return &e
}

// linesBelow counts the lines below a statement's own, in the canonical form.
func linesBelow(n *Node) int {
	lines := 0
	for _, c := range n.Children {
		if !inline(c) {
			lines++
		}
		lines += linesBelow(c)
	}
	return lines
}

// kept is a statement with only what is in a set below it. A block of which nothing is
// kept goes.
func kept(n *Node, at string, set map[string]bool) *Node {
	e := *n
	e.Children = nil
	for _, c := range n.Children {
		path := step(at, c)
		if apart(c) || !set[path] {
			continue
		}
		if whole(c) {
			e.Children = append(e.Children, c)
			continue
		}
		k := kept(c, path, set)
		if r, ok := rest(path, c); ok && !set[r] {
			k.Args = c.Args[:identity(c.Row)]
		}
		if len(k.Children) > 0 {
			e.Children = append(e.Children, k)
		}
	}
	return &e
}

// without is a statement without what is in a set below it. The comments of what goes
// are added to comments.
func without(n *Node, at string, set map[string]bool, comments *[]string) *Node {
	e := *n
	e.Children = nil
	goes := func(c *Node) {
		*comments = append(*comments, c.Leading...)
		if c.Trailing != "" {
			*comments = append(*comments, c.Trailing)
		}
	}
	for _, c := range n.Children {
		path := step(at, c)
		switch {
		case apart(c) || !set[path]:
			e.Children = append(e.Children, c)
		case whole(c):
			goes(c)
		default:
			k := without(c, path, set, comments)
			r, more := rest(path, c)
			if len(k.Children) > 0 || more && !set[r] || len(kept(c, path, set).Children) == 0 {
				e.Children = append(e.Children, k)
			} else {
				goes(c)
			}
		}
	}
	return &e
}

// pulled is a statement in which all takers of a context take the template.
func pulled(n *Node, in Context, set map[string]bool, name string) *Node {
	if n.held != nil || n.Row.Word == "defaults" {
		return n
	}
	if n.Row.Opens == in {
		said := map[string]bool{}
		elements(n, "", func(e string) { said[e] = true })
		if !covers(said, set) {
			return n
		}
		var comments []string
		e := without(n, "", set, &comments)
		e.Leading = append(slices.Clone(e.Leading), comments...)
		takes := Token{Text: name}
		for i, c := range e.Children {
			if c.Row.Word == "like" {
				l := *c
				l.Args = append(slices.Clone(c.Args), takes)
				e.Children[i] = &l
				return e
			}
		}
		e.Children = append([]*Node{{Row: rowFor("like", in), Word: Token{Text: "like"}, Args: []Token{takes}}}, e.Children...)
		return e
	}
	e := *n
	e.Children = slices.Clone(n.Children)
	changed := false
	for i, c := range n.Children {
		e.Children[i] = pulled(c, in, set, name)
		changed = changed || e.Children[i] != c
	}
	if !changed {
		return n
	}
	return &e
}
