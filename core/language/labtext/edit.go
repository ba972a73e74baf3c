package labtext

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
)

// Verb is what an edit does.
type Verb uint8

// The verbs. An edit that begins with none of their words is ToSet.
const (
	ToSet     Verb = iota // the text says the statement afterwards
	ToAdd                 // the same, and the statement must be new
	ToRemove              // the text does not say it any more
	ToRename              // what has a name has another one, wherever it is named
	ToMove                // a statement has another place among its siblings
	ToJoin                // a port is on a segment
	ToPart                // a port is on no segment and no link
	ToNew                 // a device, a segment or a whole shape is there, with free names and addresses
	ToConnect             // two devices, or a device and a segment, are joined by new ports
	ToRun                 // routers run a protocol with each other
)

var verbs = [...]string{ToSet: "", ToAdd: "add", ToRemove: "remove", ToRename: "rename", ToMove: "move", ToJoin: "join", ToPart: "part",
	ToNew: "new", ToConnect: "connect", ToRun: "run"}

// Edit is one change of a text. Its written form is one line, or a line with what
// belongs to it below:
//
//	viaduct.e1 ospf cost 40
//	summit.up, quarry.up bandwidth 100M
//	add router halt
//	remove viaduct.e1 ospf passive
//	rename viaduct.e1 up
//	move policy to-skylark statement own before rest
//	join viaduct.lan yard
//	part viaduct.lan
//	new router depot at 320 140
//	new ring 6
//	connect viaduct summit
//	run ospf area 0 on viaduct, summit, quarry
//	run bgp as 64500 on viaduct, summit, quarry reflectors summit
//	run ebgp on viaduct, skylark
type Edit struct {
	Do Verb
	// Targets are routers, hosts, ports ("viaduct.e1") and sessions
	// ("viaduct/192.0.2.2"); none: the statement is one at the start of a line.
	Targets []string
	// Statement is what is set, or the words by which a statement is found.
	Statement string
	// To is the new name, the place among the siblings, or the segment.
	To string
}

// ParseEdit reads an edit's written form.
func ParseEdit(s string) (Edit, error) {
	s = strings.TrimSpace(Normal(s))
	if s == "" {
		return Edit{}, phrase.Error("write what to change, for example viaduct.e1 ospf cost 40")
	}
	first, below, _ := strings.Cut(s, "\n")
	word, rest := cutWord(first)
	e := Edit{}
	if i := slices.Index(verbs[:], word); i > 0 {
		e.Do = Verb(i)
		first = rest
	}
	switch e.Do {
	case ToJoin, ToPart:
		port, segment := cutWord(first)
		e.Targets, e.To = []string{port}, segment
		if port == "" || (e.Do == ToJoin) != (segment != "") || strings.Contains(segment, " ") || below != "" {
			return Edit{}, phrase.Errorf("write %s", map[Verb]string{ToJoin: "join DEVICE.PORT SEGMENT", ToPart: "part DEVICE.PORT"}[e.Do])
		}
		return e, nil
	case ToNew, ToConnect, ToRun:
		e.Statement = first
		if below != "" {
			return Edit{}, phrase.Errorf("%s takes one line", verbs[e.Do])
		}
		return e, nil
	case ToRename:
		first, e.To = cutLast(first)
	case ToMove:
		first, e.To = cutPlace(first)
		if e.To == "" {
			return Edit{}, phrase.Error("write where to: first, last, before NAME or after NAME")
		}
	}
	e.Targets, first = cutTargets(first)
	e.Statement = first
	if below != "" {
		if e.Do != ToSet && e.Do != ToAdd {
			return Edit{}, phrase.Errorf("%s takes one line", verbs[e.Do])
		}
		e.Statement += "\n" + below
	}
	if e.Statement == "" && (e.Do == ToSet || e.Do == ToAdd || len(e.Targets) == 0) {
		if len(e.Targets) == 0 {
			return Edit{}, phrase.Errorf("write what to %s", verbs[e.Do])
		}
		return Edit{}, phrase.Errorf("write what to set on %s, for example %s disabled", strings.Join(e.Targets, ", "), e.Targets[0])
	}
	return e, nil
}

// ParseEdits reads several edits: each begins at the start of a line, what belongs
// to it is indented. Empty lines and comments are passed over.
func ParseEdits(s string) ([]Edit, error) {
	var blocks []string
	for line := range strings.SplitSeq(Normal(s), "\n") {
		trimmed := strings.TrimSpace(line)
		switch {
		case trimmed == "" || strings.HasPrefix(line, "#"):
		case line[0] == ' ' && len(blocks) > 0:
			blocks[len(blocks)-1] += "\n" + line
		default:
			blocks = append(blocks, trimmed)
		}
	}
	var out []Edit
	for _, b := range blocks {
		e, err := ParseEdit(b)
		if err != nil {
			return nil, err
		}
		out = append(out, e)
	}
	return out, nil
}

// String is the written form.
func (e Edit) String() string {
	parts := []string{verbs[e.Do], strings.Join(e.Targets, ", "), e.Statement, e.To}
	return strings.Join(slices.DeleteFunc(parts, func(s string) bool { return s == "" }), " ")
}

// cutWord cuts the first word off; one in quotes is a word.
func cutWord(s string) (word, rest string) {
	s = strings.TrimLeft(s, " ")
	if strings.HasPrefix(s, `"`) {
		if end := strings.IndexByte(s[1:], '"'); end >= 0 {
			return s[:end+2], strings.TrimSpace(s[end+2:])
		}
	}
	end := strings.IndexAny(s, " \n")
	if end < 0 {
		return s, ""
	}
	return s[:end], strings.TrimSpace(s[end:])
}

// cutLast cuts the last word off.
func cutLast(s string) (rest, word string) {
	s = strings.TrimSpace(s)
	if strings.HasSuffix(s, `"`) && len(s) > 1 {
		if start := strings.LastIndexByte(s[:len(s)-1], '"'); start >= 0 {
			return strings.TrimSpace(s[:start]), s[start+1 : len(s)-1]
		}
	}
	i := strings.LastIndexByte(s, ' ')
	return strings.TrimSpace(s[:i+1]), s[i+1:]
}

// cutPlace cuts the place of a move off: first, last, before or after something.
func cutPlace(s string) (rest, place string) {
	rest, word := cutLast(s)
	if word == "first" || word == "last" {
		return rest, word
	}
	for _, side := range []string{" before ", " after "} {
		if i := strings.LastIndex(s, side); i >= 0 {
			return strings.TrimSpace(s[:i]), strings.TrimSpace(s[i+1:])
		}
	}
	return s, ""
}

// cutTargets cuts the targets off: nothing if the first word is a statement that
// begins a line.
func cutTargets(s string) (targets []string, rest string) {
	rest = s
	for {
		word, after := cutWord(rest)
		more := strings.HasSuffix(word, ",")
		if len(targets) == 0 && !more && (word == "" || rowFor(word, Top) != nil) {
			return nil, rest
		}
		for t := range strings.SplitSeq(word, ",") {
			if t != "" {
				targets = append(targets, t)
			}
		}
		rest = after
		if !more {
			return targets, rest
		}
	}
}

// maxSteps bounds the changes that one edit of one target makes: each makes a
// statement true that is written in the edit, or takes one away.
const maxSteps = 10_000

// EditText makes edits, in order, all or none. What an edit asks for may be there
// already: then nothing changes. Comments, order and layout of all else stay.
// Names of things that are not there are not looked at: Parse says so.
func EditText(text string, edits ...Edit) (string, error) {
	text = Normal(text)
	if p := limits(text); p != nil {
		return "", fmt.Errorf("%s; %s", p.Message, p.Hint)
	}
	for _, e := range edits {
		targets := e.Targets
		if len(targets) == 0 {
			targets = []string{""}
		}
		for _, target := range targets {
			after, err := e.on(text, target)
			if err != nil {
				if len(edits) > 1 {
					return "", fmt.Errorf("%s: %w", e, err)
				}
				return "", err
			}
			text = after
		}
	}
	return text, nil
}

// stillFits refuses what a template cannot say for all that take it: for a port, say, but
// not for a sub-port.
func stillFits(before, after string) error {
	root, problems := parse(before)
	if len(problems) > 0 || len(kindsIn(root)) == 0 {
		return nil
	}
	if _, problems := parse(after); len(problems) > 0 {
		return phrase.Errorf("not everything that takes the template can have that: %s", problems[0].Message)
	}
	return nil
}

// on makes the edit on one target; "" is the whole lab.
func (e Edit) on(text, target string) (string, error) {
	switch e.Do {
	case ToRename:
		return renameAt(text, target, e.Statement, e.To)
	case ToJoin, ToPart:
		return e.onMedium(text, target)
	case ToNew, ToConnect, ToRun:
		return e.construct(text)
	}
	d := newDocument(text)
	for step := range maxSteps {
		var more bool
		var err error
		switch e.Do {
		case ToRemove:
			more, err = d.remove(target, e.Statement)
		case ToMove:
			err = d.move(target, e.Statement, e.To)
		default:
			more, err = d.set(target, e.Statement, e.Do == ToAdd && step == 0)
		}
		if err != nil {
			return "", err
		}
		if !more {
			after := d.text()
			return after, stillFits(text, after)
		}
		d = d.again()
	}
	return "", phrase.Errorf("the edit has more than %d parts: make it in several", maxSteps)
}
