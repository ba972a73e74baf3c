package labtext

import (
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// Build functions of checks and briefs.

func (b *builder) check(n *Node) {
	name := n.Args[0]
	if b.taken("check", name.Text) {
		b.errorf(name, "choose another name", "there is another check named %q", name.Text)
		return
	}
	b.place("check "+name.Text, name)
	c := config.Check{Name: name.Text}
	b.fill(n, &c)
	if !slices.ContainsFunc(n.Children, func(c *Node) bool { return c.Word.Text == "expect" }) && !b.troubled(n) {
		b.errorf(n.Word, "write for example expect reach A -> B", "the check expects nothing")
	}
	b.result.Checks = append(b.result.Checks, c)
}

func (b *builder) when(n *Node) {
	words := []string{}
	for _, a := range n.Args {
		words = append(words, a.Text)
	}
	verb, target := n.Args[0].Text, n.Args[1]
	if len(n.Args) > 2 && verb != "silence" {
		b.errorf(n.Args[2], "leave it out", "only silence takes a direction")
	}
	if able := verb == "disable" || verb == "enable"; able && !strings.Contains(target.Text, ".") {
		b.deviceRefs = append(b.deviceRefs, pending{token: target})
	} else {
		b.faultRefs = append(b.faultRefs, pending{target, ParseRef(target.Text)})
	}
	c := of[config.Check](b)
	c.When = append(c.When, strings.Join(words, " "))
}

func (b *builder) whenever(n *Node) {
	f := config.AnyFailure{Kind: n.Args[0].Text}
	b.fill(n, &f)
	c := of[config.Check](b)
	c.Fails = append(c.Fails, f)
}

func (b *builder) except(n *Node) {
	f := of[config.AnyFailure](b)
	for _, t := range n.Args {
		if !strings.Contains(t.Text, ".") {
			b.deviceRefs = append(b.deviceRefs, pending{token: t})
			f.Except = append(f.Except, config.PortRef{Device: t.Text})
			continue
		}
		r := ParseRef(t.Text)
		b.faultRefs = append(b.faultRefs, pending{t, r})
		f.Except = append(f.Except, r)
	}
}

func (b *builder) expect(n *Node) {
	if len(n.Children) != 1 && !b.troubled(n) {
		b.errorf(n.Word, "write for example expect reach A -> B",
			"expect names one thing: flow, reach, no-reach, path, route, no-route, neighbour, sent or not-sent")
		return
	}
	e := config.Expect{Words: wordsOf(n.Children)}
	b.fill(n, &e)
	c := of[config.Check](b)
	c.Expect = append(c.Expect, e)
}

// wordsOf writes statements as they are on their line.
func wordsOf(list []*Node) string {
	var words []string
	for _, n := range list {
		words = append(words, n.Word.Text)
		for _, a := range n.Args {
			words = append(words, a.Text)
		}
		if s := wordsOf(n.Children); s != "" {
			words = append(words, s)
		}
	}
	return strings.Join(words, " ")
}

func (b *builder) expectFlow(n *Node) {
	of[config.Expect](b).Kind, of[config.Expect](b).Name = config.ExpectFlow, n.Args[0].Text
	b.flowRefs = append(b.flowRefs, n.Args[0])
	b.children(n)
}

func (b *builder) expectOutage(n *Node) {
	of[config.Expect](b).Bound, of[config.Expect](b).OrEqual, of[config.Expect](b).Outage = true,
		n.Args[0].Text == "<=", duration(n.Args[1])
}

func (b *builder) between(n *Node, kind config.Expectation) {
	of[config.Expect](b).Kind, of[config.Expect](b).From, of[config.Expect](b).To = kind, n.Args[0].Text, n.Args[2].Text
	b.deviceRefs = append(b.deviceRefs, pending{token: n.Args[0]}, pending{token: n.Args[2]})
}

func (b *builder) expectReach(n *Node) {
	b.between(n, config.ExpectReach)
	of[config.Expect](b).Not = n.Word.Text == "no-reach"
}

func (b *builder) expectPath(n *Node) {
	b.between(n, config.ExpectPath)
	b.children(n)
	if len(of[config.Expect](b).Through)+len(of[config.Expect](b).Avoiding) == 0 && !b.troubled(n) {
		b.errorf(n.Word, "add through DEVICE or avoiding DEVICE, or write reach", "the path is not given")
	}
}

func (b *builder) expectThrough(n *Node) {
	b.deviceRefs = append(b.deviceRefs, pending{token: n.Args[0]})
	list := &of[config.Expect](b).Through
	if n.Word.Text == "avoiding" {
		list = &of[config.Expect](b).Avoiding
	}
	*list = append(*list, n.Args[0].Text)
}

func (b *builder) expectRoute(n *Node) {
	of[config.Expect](b).Kind, of[config.Expect](b).From, of[config.Expect](b).Not = config.ExpectRoute,
		n.Args[0].Text, n.Word.Text == "no-route"
	of[config.Expect](b).Prefix, _ = netip.ParsePrefix(n.Args[1].Text)
	b.deviceRefs = append(b.deviceRefs, pending{token: n.Args[0]})
	b.children(n)
}

func (b *builder) expectSource(n *Node) { of[config.Expect](b).Source = n.Args[0].Text }

func (b *builder) expectVia(n *Node) {
	of[config.Expect](b).Via = n.Args[0].Text
	b.deviceRefs = append(b.deviceRefs, pending{token: n.Args[0]})
}

func (b *builder) expectLimit(n *Node) {
	of[config.Expect](b).Limits = append(of[config.Expect](b).Limits,
		config.Limit{What: n.Word.Text, Compare: n.Args[0].Text, Value: number(n.Args[1])})
}

func (b *builder) expectCommunity(n *Node) {
	of[config.Expect](b).Communities = append(of[config.Expect](b).Communities, n.Args[0].Text)
}

func (b *builder) expectNeighbour(n *Node) {
	of[config.Expect](b).Kind, of[config.Expect](b).From, of[config.Expect](b).To,
		of[config.Expect](b).State = config.ExpectNeighbour, n.Args[0].Text, n.Args[1].Text, n.Args[2].Text
	b.deviceRefs = append(b.deviceRefs, pending{token: n.Args[0]}, pending{token: n.Args[1]})
}

func (b *builder) expectSent(n *Node) {
	of[config.Expect](b).Kind, of[config.Expect](b).From, of[config.Expect](b).To,
		of[config.Expect](b).Not = config.ExpectSent, n.Args[0].Text, n.Args[1].Text, n.Word.Text == "not-sent"
	of[config.Expect](b).Prefix, _ = netip.ParsePrefix(n.Args[2].Text)
	b.deviceRefs = append(b.deviceRefs, pending{token: n.Args[0]})
	if _, err := netip.ParseAddr(n.Args[1].Text); err != nil {
		b.deviceRefs = append(b.deviceRefs, pending{token: n.Args[1]})
	}
}

func (b *builder) brief(n *Node)     { b.place("brief", n.Word); b.children(n) }
func (b *builder) briefText(n *Node) { t := &b.result.Brief; t.Text = append(t.Text, n.Args[0].Text) }

func (b *builder) task(n *Node) {
	t := config.Task{Text: n.Args[0].Text}
	b.fill(n, &t)
	b.result.Brief.Tasks = append(b.result.Brief.Tasks, t)
}

func (b *builder) taskCheck(n *Node) {
	t := of[config.Task](b)
	t.Checks = append(t.Checks, n.Args[0].Text)
	b.checkRefs = append(b.checkRefs, n.Args[0])
}

func (b *builder) taskAct(n *Node) { t := of[config.Task](b); t.Acts = append(t.Acts, n.Args[0].Text) }
func (b *builder) taskLook(n *Node) {
	t := of[config.Task](b)
	t.Looks = append(t.Looks, n.Args[0].Text)
}

func (b *builder) question(n *Node) {
	q := config.Question{Text: n.Args[0].Text}
	b.fill(n, &q)
	b.result.Brief.Questions = append(b.result.Brief.Questions, q)
}

func (b *builder) answer(n *Node) {
	of[config.Question](b).Answer = n.Args[0].Text
}

// checkReferences checks what checks and briefs refer to.
func (b *builder) checkReferences() {
	var flows, checks []string
	for _, f := range b.result.Flows {
		flows = append(flows, f.Name)
	}
	for _, c := range b.result.Checks {
		checks = append(checks, c.Name)
	}
	for _, t := range b.flowRefs {
		if !slices.Contains(flows, t.Text) {
			b.unnamed(t, t.Text, flows, "there is no flow named %s", t.Text)
		}
	}
	for _, t := range b.checkRefs {
		if !slices.Contains(checks, t.Text) {
			b.unnamed(t, t.Text, checks, "there is no check named %q", t.Text)
		}
	}
	for _, r := range b.faultRefs {
		if d := b.find(r.ref.Device); d == nil || d.Port(r.ref.Port) == nil {
			b.errorf(r.token, "write DEVICE.PORT, or the name of a host", "there is no port named %s", r.token.Text)
		}
	}
}

// exceptWords says what of a kind of failures is left out.
func exceptWords(f config.AnyFailure) string {
	if len(f.Except) == 0 {
		return phrase.Text("all are tried")
	}
	var names []string
	for _, r := range f.Except {
		names = append(names, AtWords(r))
	}
	return phrase.Say("except %s", strings.Join(names, " "))
}

// AtWords is a port, or a whole device, as a check names it.
func AtWords(r config.PortRef) string {
	if r.Port == "" {
		return r.Device
	}
	return r.String()
}

// checkFacts are what the comparison by meaning sees of checks and briefs.
func checkFacts(l *config.Lab, add func(subject, what, value string, in Context, word string)) {
	for _, c := range l.Checks {
		n := "check \"" + c.Name + "\""
		add(n, "", "", Top, "check")
		add(n, "when", strings.Join(c.When, ", then "), CheckOf, "when")
		for _, f := range c.Fails {
			add(n, "whenever "+f.Kind+" fails", exceptWords(f), CheckOf, "whenever")
		}
		var words []string
		for _, e := range c.Expect {
			words = append(words, e.Words)
		}
		add(n, "expect", strings.Join(words, "; "), CheckOf, "expect")
	}
	b := &l.Brief
	add("brief", "text", strings.Join(b.Text, " "), BriefOf, "text")
	for _, t := range b.Tasks {
		var done []string
		for _, x := range []struct {
			by    string
			names []string
		}{{"checked by ", t.Checks}, {"done by ", t.Acts}, {"seen in ", t.Looks}} {
			if len(x.names) > 0 {
				done = append(done, x.by+strings.Join(x.names, ", "))
			}
		}
		add("brief", "task \""+t.Text+"\"", strings.Join(done, "; "), BriefOf, "task")
	}
	for _, q := range b.Questions {
		add("brief", "question \""+q.Text+"\"", q.Answer, BriefOf, "question")
	}
	if len(b.Text)+len(b.Tasks)+len(b.Questions) > 0 {
		add("brief", "", "", Top, "brief")
	}
}
