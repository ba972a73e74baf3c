package labtext

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/language/config"
	"hellebore/demo"
)

// said are all statements of a text, each with what it is in; what is in another
// statement is so under its name, whatever else that says.
func said(root *Node) map[string]int {
	out := map[string]int{}
	var walk func(n *Node, in string)
	walk = func(n *Node, in string) {
		for _, c := range n.Children {
			out[in+" / "+head(c)]++
			walk(c, in+" / "+keyOf(c))
		}
	}
	walk(root, "")
	return out
}

// keyOf is what a statement is called among its siblings.
func keyOf(n *Node) string {
	var key strings.Builder
	key.WriteString(n.Word.Text)
	for i := range min(identity(n.Row), len(n.Args)) {
		key.WriteString(" " + written(n.Args[i]))
	}
	if byContent(n.Row) {
		key.WriteString(canonBlock(n))
	}
	return key.String()
}

// lacking are the facts of a that b has fewer of.
func lacking(a, b map[string]int) []string {
	var out []string
	for f, n := range a {
		for range n - b[f] {
			out = append(out, f)
		}
	}
	slices.Sort(out)
	return out
}

// comments are all comments of a text, by how often they are there.
func comments(text string) map[string]int {
	out := map[string]int{}
	for _, l := range newParser().lines(text) {
		if l.comment != "" {
			out[l.comment]++
		}
	}
	return out
}

// argument draws a valid argument.
func argument(t *rapid.T, a Arg, lab *config.Lab) string {
	number := func(low, high uint64) uint64 {
		if high == 0 {
			high = 1000
		}
		return rapid.Uint64Range(low, high).Draw(t, a.Name)
	}
	if len(a.Words) > 0 {
		return rapid.SampledFrom(a.Words).Draw(t, a.Name)
	}
	device := func() string { return rapid.SampledFrom(lab.Devices).Draw(t, "device").Name }
	prefix := func() string {
		return fmt.Sprintf("10.%d.%d.0/%d", number(0, 255), number(0, 255), number(24, 28))
	}
	switch a.Kind {
	case Quoted:
		return `"` + rapid.StringMatching(`[a-z #'->]{1,12}`).Draw(t, a.Name) + `"`
	case Pixels:
		return fmt.Sprint(rapid.IntRange(-maxPixels, maxPixels).Draw(t, a.Name))
	case Number, Adjusted, MEDValue, Value:
		return fmt.Sprint(number(a.Min, a.Max))
	case Seconds:
		return fmt.Sprint(number(a.Min, min(a.Max, 60)), "s")
	case Duration:
		return fmt.Sprint(number(2, 900), "ms")
	case Rate:
		return fmt.Sprint(number(1, 100), "M")
	case Percent:
		return fmt.Sprint(number(0, 100), "%")
	case Lengths:
		return "28..32"
	case ASRange:
		return fmt.Sprint(number(64512, 64600), "..", number(64600, 65534))
	case Stretch:
		return "10m..2h"
	case Address, HopValue:
		return fmt.Sprintf("10.9.%d.%d", number(0, 255), number(1, 254))
	case Interface:
		return fmt.Sprintf("10.8.%d.%d/24", number(0, 255), number(1, 254))
	case Prefix, PrefixOrName:
		return prefix()
	case Area:
		return fmt.Sprint(number(0, 9))
	case PortRef, DeviceRef, AtRef, PeerName:
		return device()
	case Compare:
		return "<="
	case Community, WildCommunity, CommunityOrIn:
		return fmt.Sprintf("64500:%d", number(0, 999))
	case PathWord:
		return "64496"
	}
	return rapid.StringMatching(`n[a-z0-9_-]{0,6}`).Draw(t, a.Name)
}

// statement draws a statement of a row.
func statement(t *rapid.T, r *Row, lab *config.Lab) string {
	word := r.Word
	if word == prefixWord {
		word = fmt.Sprintf("10.%d.0.0/16", rapid.IntRange(0, 255).Draw(t, "prefix"))
	}
	for _, a := range r.Args {
		if !a.Optional || rapid.Bool().Draw(t, "optional") {
			word += " " + argument(t, a, lab)
		}
	}
	return word
}

// place is a statement of a text, and the words that lead to it from the top.
type placed struct {
	n     *Node
	words string
	top   string // what the block at the top that it is in is called
}

// places are all statements of a text.
func places(root *Node) []placed {
	var out []placed
	var walk func(n *Node, words, top string)
	walk = func(n *Node, words, top string) {
		for _, c := range n.Children {
			in := top
			if n == root {
				in = keyOf(c)
			}
			w := strings.TrimSpace(words + " " + head(c))
			if byContent(c.Row) {
				out = append(out, placed{c, strings.TrimSpace(words + " " + lineOf(c)), in})
				continue
			}
			out = append(out, placed{c, w, in})
			walk(c, w, in)
		}
	}
	walk(root, "", "")
	return out
}

// aDemo draws a lab: one of the demos, in its layout or one nobody would write.
func aDemo(t *rapid.T) string {
	labs := append(demo.Labs(), demo.Lab{Slug: "every statement", Text: Examples})
	text := labs[rapid.IntRange(0, len(labs)-1).Draw(t, "lab")].Text
	for i := range rapid.IntRange(0, 2).Draw(t, "pulls") {
		if alike := Alike(text); len(alike) > 0 {
			c := rapid.SampledFrom(alike).Draw(t, "pull")
			pulled, err := Pull(text, c.In, c.Statements, fmt.Sprintf("common%d", i))
			require.NoError(t, err)
			text = pulled
		}
	}
	if every := rapid.IntRange(0, 7).Draw(t, "remarks"); every > 2 {
		lines := strings.Split(text, "\n")
		for i := every; i < len(lines); i += every {
			if lines[i] != "" {
				lines[i] += fmt.Sprintf("  # remark %d", i)
			}
		}
		text = strings.Join(lines, "\n")
	}
	for range rapid.IntRange(0, 3).Draw(t, "joined lines") {
		text = joinedLines(text, rapid.IntRange(1, strings.Count(text, "\n")-1).Draw(t, "line"))
	}
	return text
}

// joinedLines writes a line and those that follow behind the line above, as long as
// they mean the same there.
func joinedLines(text string, at int) string {
	root, _ := parse(text)
	for range 4 {
		lines := strings.Split(text, "\n")
		if at >= len(lines) || strings.Contains(lines[at-1], "#") || indentOf(lines[at]) <= indentOf(lines[at-1]) {
			return text
		}
		lines[at-1] += " " + strings.TrimSpace(lines[at])
		tried := strings.Join(slices.Delete(lines, at, at+1), "\n")
		if now, _ := parse(tried); meaning(now) != meaning(root) {
			return text
		}
		text = tried
	}
	return text
}

// TestAnyStatementCanBeSet writes a random statement of the grammar at a random place
// of a lab that takes it: the text says it, and nothing else is different.
func TestAnyStatementCanBeSet(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := aDemo(t)
		root, _ := parse(text)
		lab := Parse(text).Lab
		all := append(places(root), placed{root, "", ""})
		at := rapid.SampledFrom(slices.DeleteFunc(all, func(p placed) bool { return len(rowsIn(p.n.Row.Opens)) == 0 || byContent(p.n.Row) })).Draw(t, "place")
		row := rapid.SampledFrom(rowsIn(at.n.Row.Opens)).Draw(t, "row")
		says := strings.TrimSpace(at.words + " " + statement(t, row, &lab))
		if row.Opens != "" && byContent(row) {
			inner := rapid.SampledFrom(rowsIn(row.Opens)).Draw(t, "inner")
			says += " " + statement(t, inner, &lab)
		}
		e, err := ParseEdit(says)
		if err != nil {
			t.Fatal(says, err)
		}
		after, err := EditText(text, e)
		if err != nil && strings.HasPrefix(at.top, "template ") && strings.Contains(err.Error(), "not everything that takes the template") {
			return
		}
		if err != nil {
			t.Fatalf("%s: %v", says, err)
		}
		was, now := said(root), said(newDocument(after).root)
		added, removed := lacking(now, was), lacking(was, now)
		if len(added) > 2 || len(removed) > len(added) {
			t.Fatalf("%s:\nadded %q\nremoved %q", says, added, removed)
		}
		for _, f := range added {
			if !strings.Contains(f, strings.Fields(f)[1]) {
				t.Fatal(f)
			}
		}
		if again, err := EditText(after, e); err != nil || again != after {
			t.Fatalf("%s is not there: %v\n%s", says, err, again)
		}
		keptComments(t, says, text, after)
		agreesWithFormatter(t, says, text, after)
	})
}

// keptComments fails if a comment is gone.
func keptComments(t *rapid.T, edit, before, after string) {
	now := comments(after)
	for c, n := range comments(before) {
		if now[c] < n {
			t.Fatalf("%s: the comment %q is gone", edit, c)
		}
	}
}

// agreesWithFormatter fails if a canonical text is not canonical any more.
func agreesWithFormatter(t *rapid.T, edit, before, after string) {
	if formatted, ok := Format(before); !ok || formatted != before {
		return
	}
	if formatted, ok := Format(after); !ok || formatted != after {
		t.Fatalf("%s: the formatter writes\n%v", edit, Hunks(after, formatted))
	}
}

// TestAnyStatementCanBeRemoved takes a random statement out of a lab: it, what is in
// it and what cannot be without it are gone, and nothing else; written again it is
// there again.
func TestAnyStatementCanBeRemoved(t *testing.T) {
	refused := 0
	rapid.Check(t, func(t *rapid.T) {
		text := aDemo(t)
		root, _ := parse(text)
		p := rapid.SampledFrom(places(root)).Draw(t, "statement")
		e, err := ParseEdit("remove " + p.words)
		if err != nil {
			t.Fatal(err)
		}
		after, err := EditText(text, e)
		if err != nil {
			if !strings.Contains(err.Error(), "is used on line") && !strings.Contains(err.Error(), "several times") {
				t.Fatalf("%s: %v", p.words, err)
			}
			refused++
			return
		}
		was, now := said(root), said(newDocument(after).root)
		if added := lacking(now, was); slices.ContainsFunc(added, func(f string) bool { return !shortened(f) }) {
			t.Fatalf("remove %s added %q", p.words, added)
		}
		if now[factOf(p.words)] != 0 && !byContent(p.n.Row) {
			t.Fatalf("%s is still there", p.words)
		}
		for _, f := range lacking(was, now) {
			top, _, _ := strings.Cut(strings.TrimPrefix(f, " / "), " / ")
			named := slices.Contains([]string{"link", "segment"}, p.n.Row.Word) && strings.HasPrefix(top, "risk-group") || p.n.Row.Word == "router" || p.n.Row.Word == "host" || p.n.Row.Word == "port" || p.n.Row.Word == "flow" || p.n.Row.Word == "check"
			own := strings.HasPrefix(top, p.top)
			if !own && !(named && (strings.HasPrefix(top, "link") || strings.HasPrefix(top, "segment") || strings.HasPrefix(top, "flow") || strings.HasPrefix(top, "check") || strings.HasPrefix(top, "risk-group") || strings.HasPrefix(top, "brief"))) {
				t.Fatalf("remove %s took %s", p.words, f)
			}
		}
		agreesWithFormatter(t, "remove "+p.words, text, after)
		if now, before := Parse(after), Parse(text); !now.OK() && before.OK() && len(p.n.Children) == 0 && p.n.Row.Word != "as" && p.n.Row.Word != "area" && p.n.Row.Word != "via" && !p.n.Row.Many && p.n.Row.Word != "group" && p.n.Row.Word != "like" && p.n.Row.Word != "within" {
			t.Fatalf("remove %s: %v", p.words, now.Problems)
		}
	})
}

// shortened says whether a fact may be what is left of a list that named what was removed.
func shortened(fact string) bool {
	return strings.HasPrefix(fact, " / segment ") || strings.HasPrefix(fact, " / risk-group ") || strings.Contains(fact, " / except ")
}

// factOf is a statement's own fact, if it is at the top.
func factOf(words string) string { return " / " + words }

// TestOneEditIsOneDifference sets properties of random ports and devices: the
// difference in meaning is what was set, and nothing else.
func TestOneEditIsOneDifference(t *testing.T) {
	type intent struct {
		edit, what, to string
	}
	rapid.Check(t, func(t *rapid.T) {
		text := aDemo(t)
		before := Parse(text)
		var ports []config.PortRef
		for _, d := range before.Lab.Devices {
			for _, p := range d.Ports {
				if d.Kind == config.Router && !p.Loopback && p.Parent == "" && p.OSPF.On {
					ports = append(ports, config.PortRef{Device: d.Name, Port: p.Name})
				}
			}
		}
		if len(ports) == 0 {
			return
		}
		port := rapid.SampledFrom(ports).Draw(t, "port").String()
		n := rapid.IntRange(2, 200).Draw(t, "n")
		i := rapid.SampledFrom([]intent{
			{edit: fmt.Sprintf("%s ospf cost %d", port, n), what: "ospf cost", to: fmt.Sprint(n)},
			{edit: fmt.Sprintf("%s cost %d", port, n), what: "ospf cost", to: fmt.Sprint(n)},
			{edit: fmt.Sprintf("%s mtu %d", port, 600+n), what: "mtu", to: fmt.Sprint(600 + n)},
			{edit: fmt.Sprintf("%s ospf priority %d", port, n), what: "ospf priority", to: fmt.Sprint(n)},
			{edit: fmt.Sprintf("%s ospf area 77", port), what: "ospf area", to: "77"},
			{edit: fmt.Sprintf("%s ospf retransmit-interval %ds", port, n), what: "ospf retransmit-interval", to: FormatDuration(duration(Token{Text: fmt.Sprintf("%ds", n)}))},
			{edit: port + " disabled", what: "disabled", to: "disabled"},
			{edit: port + " ospf disabled", what: "ospf disabled", to: "ospf disabled"},
			{edit: port + " 10.250.7.1/24", what: "address", to: "10.250.7.1/24"},
		}).Draw(t, "intent")
		e, err := ParseEdit(i.edit)
		if err != nil {
			t.Fatal(err)
		}
		after, err := EditText(text, e)
		if err != nil {
			t.Fatalf("%s: %v", i.edit, err)
		}
		now := Parse(after)
		for _, c := range Differences(&before.Lab, &now.Lab) {
			// An area of its own has no keys of the old one.
			if c.Subject != port || c.What != i.what && !(i.what == "ospf area" && c.What == "ospf keys") {
				t.Fatalf("%s: %v", i.edit, c)
			}
		}
	})
}

// FuzzEdits makes edits that nobody would write: none panics, and what is made is
// made.
func FuzzEdits(f *testing.F) {
	for _, s := range []string{"mill.e1 ospf cost 40", "remove mill", "rename mill halt2", "move policy other first", "join gate yard", "part mill.e1",
		"mill, halt ospf\n  area 0\n    keys k", "router \"x\"", "remove remove", ", ,", "mill/ x", "mill.", ".e1 x", "link mill.e1", "lab \"#\"", "host host 1.2.3.4/5 # x"} {
		f.Add(editable, s)
		f.Add("defaults mtu 1400\ntemplate t like u\n  ospf area 0 passive\ntemplate u bandwidth 1M\nrouter mill like t\n  port e1 like t # c\n", s)
		f.Add("router remove\n  port e1 10.0.0.1/24 ospf area 0 cost 1 # c\n  # d\n\nrouter link\nlink remove.e1 link.e1", s)
	}
	f.Fuzz(func(t *testing.T, text, edit string) {
		if len(text)+len(edit) > 4000 {
			return
		}
		edits, err := ParseEdits(edit)
		if err != nil {
			require.NotEmpty(t, err.Error())
			return
		}
		after, err := EditText(text, edits...)
		if err != nil {
			require.NotContains(t, err.Error(), "parts: make it in several")
			return
		}
		for _, e := range edits {
			if len(edits) == 1 && e.Do == ToSet {
				again, err := EditText(after, e)
				require.NoError(t, err)
				require.Equal(t, after, again, "said twice")
			}
		}
		Hunks(text, after)
	})
}
