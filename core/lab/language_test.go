package lab

import (
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/traffic"
	"hellebore/core/questions/why"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// foreign is a language whose letters are not those of English: what is in it stands
// out, and values stay as they are.
type foreign struct{ asked map[string]bool }

var valuesOf = regexp.MustCompile(`%[-+# 0]*(?:\[\d+\])?[0-9.]*[a-zA-Z%]|\{[a-zA-Z:]*\}`)

func strange(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' {
			return r + 0xfee0 // full width
		}
		return r
	}, s)
}

func (f foreign) Sentence(english string) (string, bool) {
	f.asked[english] = true
	var out strings.Builder
	last := 0
	for _, at := range valuesOf.FindAllStringIndex(english, -1) {
		out.WriteString(strange(english[last:at[0]]) + english[at[0]:at[1]])
		last = at[1]
	}
	return out.String() + strange(english[last:]), true
}

func (f foreign) Count(n int, noun string) (string, bool) {
	return fmt.Sprintf("%d ", n) + strange(noun), true
}

// said are the strings of an answer, and where they are; those with a fixed set of
// values are codes.
func said(v reflect.Value, at string, each func(at, text string)) {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			said(v.Elem(), at, each)
		}
	case reflect.Struct:
		for i := range v.NumField() {
			f := v.Type().Field(i)
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			if f.Anonymous {
				said(v.Field(i), at, each)
			} else if f.Tag.Get("enum") == "" && name != "-" && f.IsExported() {
				said(v.Field(i), at+"."+f.Name, each)
			}
		}
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			said(v.Index(i), at+"[]", each)
		}
	case reflect.Map:
		for _, k := range v.MapKeys() {
			said(v.MapIndex(k), at+"{}", each)
		}
	case reflect.String:
		each(at, v.String())
	}
}

// answers are everything that can be asked about a lab.
func answers(t *testing.T, l *Lab, each func(name string, answer any)) {
	now := l.History().Now()
	world := l.World(now)
	ask := func(name string, answer any, err error) {
		if err != nil {
			answer = err.Error()
		}
		each(name, answer)
	}
	for seq := 0; seq <= len(l.History().Steps())+1; seq++ {
		a, err := l.Action(seq)
		ask("Action", a, err)
		pairs, err := l.Pairs(seq)
		ask("Pairs", pairs, err)
	}
	each("Ports", l.Ports(now, tables.PortsAsk{}))
	each("Neighbours", l.Neighbours(now, relations.Ask{}))
	each("Database", l.Database(now))
	each("Routes", l.Routes(now))
	each("Messages", l.Messages(now, timeline.MessagesAsk{}))
	each("Map", l.Map(now))
	each("StateWarnings", l.StateWarnings(now))
	each("Policies", l.Policies(now))
	each("Revisions", l.Revisions())
	each("Report", l.Report())
	each("Compare", l.Compare(history.Moment{}, now))
	checks, _ := l.Checks(now)
	each("Checks", checks)
	var names, prefixes []string
	for _, d := range world.Devices() {
		names = append(names, d.Name())
	}
	for _, r := range l.Routes(now).Rows {
		if !slices.Contains(prefixes, r.Prefix) {
			prefixes = append(prefixes, r.Prefix)
		}
	}
	prefixes = append(prefixes, "192.0.2.0/25", "rubbish")
	for i, p := range prefixes {
		d := names[i%len(names)]
		x, err := l.Explain(now, d, p)
		ask("Explain", x, err)
		y, err := l.Paths(now, p, "")
		ask("Paths", y, err)
		z, err := l.Summary(now, []string{p, prefixes[0]}, "")
		ask("Summary", z, err)
		for _, q := range []string{"why " + p + " on " + d, "why is " + p + " not sent to " + names[(i+1)%len(names)] + " by " + d, "why " + p} {
			w, err := l.Why(now, q, why.Focus{})
			ask("Why", w, err)
		}
		for _, line := range []string{"path " + p, "routes " + d + " " + p} {
			s, err := l.Say(now, line, why.Focus{})
			ask("Say", s, err)
		}
	}
	for i, a := range names {
		b := names[(i+1)%len(names)]
		for _, q := range []string{"why is " + a + " - " + b + " not up", "why " + a + " to " + b, "what breaks without " + a} {
			w, err := l.Why(now, q, why.Focus{})
			ask("Why", w, err)
		}
		for _, word := range []string{"ping", "trace", "path"} {
			s, err := l.Say(now, word+" "+a+" "+b, why.Focus{})
			ask("Say", s, err)
		}
		for _, word := range []string{"routes", "neighbours", "ports", "banana"} {
			s, err := l.Say(now, word+" "+a, why.Focus{})
			ask("Say", s, err)
		}
		p, err := l.Path(now, a, b)
		ask("Path", p, err)
		tree, err := l.Tree(now, a)
		ask("Tree", tree, err)
		for _, peer := range world.Device(uint32(i)).Config().BGP.Peers {
			table, err := l.PathTable(now, a, peer.Address.String(), paths.TableAsk{Way: paths.Out, By: "origin AS", Limit: 100})
			ask("PathTable", table, err)
			bench, err := l.TryPolicy(now, paths.Trial{Device: a, Peer: peer.Address.String(), Direction: "in"})
			ask("TryPolicy", bench, err)
			bench, err = l.TryPolicy(now, paths.Trial{Policy: peer.Import, Routes: []string{"203.0.113.0/24 path 64496 64500", "rubbish"}})
			ask("TryPolicy", bench, err)
		}
		if port := firstPort(*world.Device(uint32(i)).Config()); port != "" {
			x, err := l.Packets(a+"."+port, history.Moment{}, now, nil)
			ask("Packets", x, err)
		}
		r, err := traffic.Probe(l.Fork(now), traffic.ProbeRequest{From: a, To: "192.0.2.77", Count: 2},
			func(traffic.Reply) bool { return true })
		ask("Probe", r, err)
	}
	preview, err := l.Preview(Plan{Text: strings.Replace(l.Text(), "ospf area 0", "ospf area 7", 1), Guard: true}, nil)
	ask("Preview", preview, err)
	_, err = l.Preview(Plan{Text: "router 5"}, nil)
	ask("Preview", nil, err)
	ask("Name", nil, l.NameMoment("now", now))
	_, err = l.ParseMoment("banana")
	ask("Moment", nil, err)
	for _, wrong := range []string{"", "banana", "cut", "cut nowhere.e1", "cut " + names[0] + ".e99", "mend " + names[0], "wait", "wait 5", "reset 192.0.2.9 on " + names[0], "restart ospf on " + names[0], "join " + names[0] + ".lo nowhere"} {
		a, err := history.ParseAction(wrong)
		if err == nil {
			_, err = l.Do(a, 0)
		}
		ask("Do", a, err)
	}
	for _, edit := range []string{"banana", "remove nothing.e1", names[0] + " ospf cost many", names[0] + ".e1 ospf", "add router 5", "new ring 99", "rename " + names[0] + " " + names[len(names)-1]} {
		list, err := labtext.ParseEdits(edit)
		if err == nil {
			_, err = labtext.EditText(l.Text(), list...)
		}
		ask("Edit", nil, err)
	}
}

// broken are texts made from one by leaving out or changing one word.
func broken(text string, each func(string)) {
	rows := strings.Split(text, "\n")
	for i, row := range rows {
		words := strings.Fields(row)
		if len(words) < 2 {
			continue
		}
		for _, change := range []string{"", "qqqq", "999999999999", "\"qqqq\"", "10.0.0.1"} {
			k := 1 + i%(len(words)-1)
			x := slices.Clone(words)
			x[k] = change
			y := slices.Clone(rows)
			y[i] = strings.Repeat(" ", len(row)-len(strings.TrimLeft(row, " "))) + strings.Join(x, " ")
			each(strings.Join(y, "\n"))
		}
	}
}

// TestEverySentenceCanBeSaidInAnotherLanguage asks everything in a language of its own
// letters: no English is left but names, values and what is written in the lab
// language.
func TestEverySentenceCanBeSaidInAnotherLanguage(t *testing.T) {
	f := foreign{map[string]bool{}}
	phrase.Use(f)
	t.Cleanup(func() { phrase.Use(nil) })
	known := map[string]bool{"lo": true, "lan": true, "nic": true}
	tokens, quoted := regexp.MustCompile(`[a-zA-Z]+`), regexp.MustCompile(`"[^"]*"`)
	for i := range labtext.Grammar {
		for _, w := range tokens.FindAllString(labtext.Grammar[i].Usage(), -1) {
			known[w] = true
		}
	}
	for i := range labtext.Grammar {
		for _, h := range labtext.WordHelp(labtext.Grammar[i].Word) {
			require.NotRegexp(t, `[a-z]+ [a-z]+ [a-z]+`, quoted.ReplaceAllString(h.Help, ""))
		}
	}
	for _, form := range history.Forms {
		for _, w := range tokens.FindAllString(form.Form+" "+form.Example, -1) {
			known[w] = true
		}
	}
	for _, a := range Askings {
		known[a.Word] = true
	}
	// Names that the RFCs give to packets, LSAs and errors, and of formats.
	names := regexp.MustCompile(`(router|network|summary|AS boundary router summary|AS external|NSSA external) LSA( \S+)? of|` +
		`(router|network|summary|AS external) \S+ ｏｆ|ARP re(quest|ply)|IPv4 unicast|multiprotocol|(OPEN|UPDATE) message error: [a-zA-Z ]+|` +
		`cease: [a-z ]+|hold timer expired`)
	// What is typed, and what a person called a thing.
	asIs := regexp.MustCompile(`^(Say\.Line|.*\.Edits\[\]|Problem\.Fix\.Text|.*Checks\[\]\.(After\.|Before\.)?Name|.*\.Ports\[\])$`)
	left := map[string]string{}
	for _, slug := range []string{"planted-faults", "planted-sessions", "five-faults", "triangle-with-ospf", "beyond-the-pass", "guarded-line", "shared-cable", "tarn-valley"} {
		text := demo.Text(slug)
		plain := regexp.MustCompile(`(?m)#.*$|^ *(about|text|question|answer) .*$`).ReplaceAllString(text, "")
		data := append(quoted.FindAllString(plain, -1), "banana", "rubbish", "nothing", "nowhere", "qqqq")
		slices.SortFunc(data, func(a, b string) int { return len(b) - len(a) })
		mine := map[string]bool{}
		for _, w := range tokens.FindAllString(quoted.ReplaceAllString(plain, ""), -1) {
			mine[w] = true
		}
		check := func(at, s string) {
			if asIs.MatchString(at) {
				return
			}
			s, _, _ = strings.Cut(s, strange("example: ")) // what follows is typed
			s = names.ReplaceAllString(quoted.ReplaceAllString(s, ""), "")
			for _, d := range data {
				s = strings.ReplaceAll(s, strings.Trim(d, `"`), "")
			}
			for _, w := range tokens.FindAllString(s, -1) {
				if len(w) > 1 && w == strings.ToLower(w) && strings.Contains(s, " ") && !known[w] && !mine[w] {
					left[at+" "+w] = s
				}
			}
		}
		each := func(name string, answer any) { said(reflect.ValueOf(answer), name, check) }
		l := open(t, text)
		port := ""
		for _, d := range l.World(l.History().Now()).Devices() {
			if port = firstPort(*d.Config()); port != "" {
				port = d.Name() + "." + port
				break
			}
		}
		do(t, l, "cut "+port)
		answers(t, l, each)
		do(t, l, "mend "+port)
		broken(text, func(s string) {
			for _, p := range labtext.Parse(s).Problems {
				each("Problem", p)
			}
		})
	}
	for at, s := range left {
		t.Errorf("%s\t%q", at, s)
	}
	require.Greater(t, len(f.asked), 300)
}
