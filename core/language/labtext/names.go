package labtext

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"unicode/utf8"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// NameUse is a place where a name is.
type NameUse struct {
	Line       int    `json:"line"`
	Column     int    `json:"column" doc:"in characters, from 1"`
	End        int    `json:"end" doc:"column after it"`
	Definition bool   `json:"definition" doc:"it is defined here"`
	Text       string `json:"text" doc:"the whole line"`
}

// Named is what a name means, and all places where it does.
type Named struct {
	Kind string    `json:"kind" doc:"device, port, policy, prefix-set ..."`
	Name string    `json:"name"`
	In   string    `json:"in,omitempty" doc:"the router or policy within which it counts"`
	Uses []NameUse `json:"uses"`
}

// occurrence is a name in a text: what it names, and where it is.
type occurrence struct {
	kind, name, in string
	line           int
	from, to       int // columns
	definition     bool
	quoted         bool
}

// defines are the statements whose first argument is a name, and what it names.
var defines = map[string]string{"router": "device", "host": "device", "port": "port", "loopback": "port",
	"policy": "policy", "statement": "statement",
	"prefix-set": "prefix-set", "as-path-set": "as-path-set", "community-set": "community-set", "tag-set": "tag-set",
	"neighbour-set": "neighbour-set",
	"key-chain":     "key-chain", "peer-group": "peer-group", "instance": "instance", "segment": "segment", "flow": "flow", "check": "check", "template": "template",
	"risk-group": "risk-group"}

// refers are the arguments that name something, by what the grammar calls them.
var refers = map[string]string{"policy": "policy", "prefix set": "prefix-set", "AS path set": "as-path-set",
	"community set":  "community-set",
	"tag or tag set": "tag-set", "neighbour set": "neighbour-set", "key chain": "key-chain",
	"peer group": "peer-group", "segment": "segment", "flow": "flow", "check": "check", "template": "template"}

// occurrences are all names of a text.
func occurrences(root *Node) []occurrence {
	var out []occurrence
	policies := map[string]bool{} // of the lab, and below a router's name its own
	for _, n := range root.Children {
		if n.Row.Opens == PolicyOf {
			policies[n.Args[0].Text] = true
		}
		for _, c := range n.Children {
			if c.Row.Opens == PolicyOf {
				policies[head(n)+" "+c.Args[0].Text] = true
			}
		}
	}
	add := func(kind, in string, t Token, name string, skip int, definition bool) {
		from := t.Column + skip
		if t.Quoted {
			from++
		}
		out = append(out, occurrence{kind, name, in, t.Line, from, from + utf8.RuneCountInString(name), definition,
			t.Quoted})
	}
	top := ""
	var walk func(n *Node, router, instance, rule string)
	walk = func(n *Node, router, instance, rule string) {
		for i, t := range n.Args {
			a := argAt(n.Row, i)
			switch kind := defines[n.Row.Word]; {
			case i == 0 && kind != "" && definesHere(n):
				in := ""
				switch kind {
				case "port", "instance":
					in = router
				case "peer-group":
					in = config.InstanceRef(router, instance)
				case "statement":
					in = rule
				}
				add(kind, in, t, t.Text, 0, true)
			case a.Kind == AtRef:
				device, instance, one := strings.Cut(t.Text, "/")
				add("device", "", t, device, 0, false)
				if one && instance != config.MainInstance {
					add("instance", device, t, instance, len(device)+1, false)
				}
			case a.Kind == DeviceRef, a.Kind == PeerName && validName(t.Text):
				add("device", "", t, t.Text, 0, false)
			case a.Kind == PortRef:
				device, port, dotted := strings.Cut(t.Text, ".")
				add("device", "", t, device, 0, false)
				if dotted {
					name, _, _ := strings.Cut(port, ".")
					add("port", device, t, name, len(device)+1, false)
				}
			case a.Name == "policy or prefix set":
				if kind := map[bool]string{true: "policy", false: "prefix-set"}[policies[t.Text] || policies[top+" "+t.Text]]; t.Text != none {
					add(kind, "", t, t.Text, 0, false)
				}
			case a.Name == "port or none" && t.Text != none:
				add("port", router, t, t.Text, 0, false)
			case n.Row.Word == "policy" && i == 0, refers[a.Name] == "policy" && t.Text != none:
				add("policy", "", t, t.Text, 0, false)
			case refers[a.Name] == "peer-group":
				add("peer-group", config.InstanceRef(router, instance), t, t.Text, 0, false)
			case n.Row.Opens == TakeOf && t.Text != config.MainInstance:
				add("instance", router, t, t.Text, 0, false)
			case refers[a.Name] == "tag-set" && numeric(t.Text):
			case refers[a.Name] != "" && t.Text != none:
				add(refers[a.Name], "", t, t.Text, 0, false)
			case a.Kind == CommunityOrIn && i == 1 && n.Args[0].Text == "in":
				add("community-set", "", t, t.Text, 0, false)
			}
		}
		switch n.Word.Text {
		case "router", "host", "template":
			if len(n.Args) > 0 {
				router = n.Args[0].Text
			}
		case "instance":
			if n.Row.Opens == InstanceOf {
				instance = n.Args[0].Text
			}
		case "policy":
			if n.Row.Opens == PolicyOf {
				rule = strings.TrimSpace(router + " " + n.Args[0].Text)
			}
		}
		for _, c := range n.Children {
			walk(c, router, instance, rule)
		}
	}
	for _, n := range root.Children {
		top = head(n)
		walk(n, "", "", "")
	}
	return out
}

// definesHere distinguishes a policy from a condition that names one, a check from a task's.
func definesHere(n *Node) bool {
	switch n.Row.Word {
	case "policy", "check":
		return n.Row.Opens != ""
	case "flow":
		return n.Row.Opens == FlowOf
	case "port":
		return n.Row.Opens == PortOf
	case "instance":
		return n.Row.Opens == InstanceOf
	}
	return true
}

func argAt(r *Row, i int) Arg {
	if len(r.Args) == 0 {
		return Arg{}
	}
	return r.Args[min(i, len(r.Args)-1)]
}

// find is the name under a place of a text.
func find(list []occurrence, line, column int) (occurrence, error) {
	for _, o := range list {
		if o.line == line && column >= o.from && column <= o.to {
			return o, nil
		}
	}
	return occurrence{}, phrase.Errorf("there is no name in line %d at column %d", line, column)
}

// NameAt is the name under a place of a text, with all places where it is.
func NameAt(text string, line, column int) (Named, error) {
	root, _ := parse(text)
	all := occurrences(root)
	at, err := find(all, line, column)
	if err != nil {
		return Named{}, err
	}
	lines := strings.Split(text, "\n")
	out := Named{Kind: at.kind, Name: at.name, In: at.in, Uses: []NameUse{}}
	for _, o := range all {
		if o.same(at) {
			out.Uses = append(out.Uses, NameUse{o.line, o.from, o.to, o.definition, strings.TrimSpace(lines[o.line-1])})
		}
	}
	return out, nil
}

func (o occurrence) same(x occurrence) bool {
	return o.kind == x.kind && o.name == x.name && o.in == x.in
}

// Rename gives what is named at a place another name, wherever it is named. It
// returns the text and how many places changed.
func Rename(text string, line, column int, to string) (string, int, error) {
	root, _ := parse(text)
	all := occurrences(root)
	at, err := find(all, line, column)
	switch {
	case err != nil:
		return "", 0, err
	case !at.quoted && !validName(to):
		return "", 0, phrase.Errorf("%q is not a name: a name begins with a letter and goes on with letters, digits, - and _", to)
	case at.quoted && (to == "" || strings.ContainsAny(to, "\"\n")):
		return "", 0, phrase.Errorf("%q cannot be written in quotes", to)
	}
	for _, o := range all {
		if o.kind == at.kind && o.in == at.in && o.name == to && o.definition {
			return "", 0, phrase.Errorf("there is another %s named %s, on line %d", phrase.Text(string(at.kind)), to, o.line)
		}
	}
	if other := sharedPort(root, at); other != "" {
		return "", 0, phrase.Errorf("the port %s of %s is also said by %s: change the name in both by hand", at.name, at.in, other)
	}
	lines := strings.Split(text, "\n")
	n := 0
	slices.SortStableFunc(all, func(a, b occurrence) int { return b.from - a.from }) // from the right, so that columns stay true
	for _, o := range all {
		if o.same(at) {
			r := []rune(lines[o.line-1])
			lines[o.line-1] = string(r[:o.from-1]) + to + string(r[o.to-1:])
			n++
		}
	}
	return strings.Join(lines, "\n"), n, nil
}

// sharedPort is a template that says something of the same port, or a router that takes
// the template and does: a name that changes in one of them alone would make two ports.
func sharedPort(root *Node, at occurrence) string {
	if at.kind != "port" {
		return ""
	}
	says := func(n *Node) bool {
		return slices.ContainsFunc(portsOf(n), func(c *Node) bool { return c.Args[0].Text == at.name })
	}
	takes := map[string][]string{} // by name, routers and templates of routers
	for _, n := range root.Children {
		if n.Row.Opens == RouterOf {
			for _, like := range childrenOf(n, "like") {
				for _, t := range like.Args {
					takes[n.Args[0].Text] = append(takes[n.Args[0].Text], t.Text)
				}
			}
		}
	}
	reaches := func(from, to string) bool {
		seen := map[string]bool{}
		open := []string{from}
		for len(open) > 0 {
			name := open[len(open)-1]
			open = open[:len(open)-1]
			if name == to {
				return true
			}
			if !seen[name] {
				seen[name] = true
				open = append(open, takes[name]...)
			}
		}
		return false
	}
	for _, n := range root.Children {
		if n.Row.Opens != RouterOf || n.Args[0].Text == at.in || !says(n) {
			continue
		}
		name := n.Args[0].Text
		if reaches(at.in, name) || reaches(name, at.in) {
			return head(n)
		}
	}
	return ""
}

// Differing is something of a router's block that another router cannot have as
// well.
type Differing struct {
	What    string `json:"what" doc:"name, router ID, address of e1 ..."`
	Value   string `json:"value"`
	Suggest string `json:"suggest" doc:"a free value"`
}

// MustDiffer are the names and addresses of a router's block that a copy of it
// needs others for.
func MustDiffer(text, router string) ([]Differing, error) {
	r := Parse(text)
	d := r.Lab.Device(router)
	if d == nil {
		return nil, phrase.Errorf("there is no router named %s", router)
	}
	taken := map[netip.Addr]bool{}
	for _, x := range r.Lab.Devices {
		taken[x.RouterID] = true
		for _, p := range x.Ports {
			taken[p.Address.Addr()] = true
		}
	}
	name := router + "-2"
	for i := 3; r.Lab.Device(name) != nil; i++ {
		name = fmt.Sprintf("%s-%d", router, i)
	}
	out := []Differing{{"name", router, name}}
	for _, instance := range d.InstanceNames() {
		if id := d.Instance(instance).RouterID; id.IsValid() {
			out = append(out, Differing{"router ID", id.String(), freeAfter(netip.PrefixFrom(id, 32), taken).Addr().String()})
		}
	}
	for _, p := range d.Ports {
		if p.Address.IsValid() {
			out = append(out, Differing{"address of " + p.Name, p.Address.String(),
				freeAfter(p.Address, taken).String()})
		}
	}
	return out, nil
}

// freeAfter is the next address that nobody has: in the same network, else in the
// next network of the size that is free; it is taken then.
func freeAfter(p netip.Prefix, taken map[netip.Addr]bool) netip.Prefix {
	network := p.Masked()
	for a := p.Addr().Next(); a.IsValid(); a = a.Next() {
		in := p.Bits() >= 32 || network.Contains(a)
		if !in { // a new network: none of its addresses may be in use
			network = netip.PrefixFrom(a, p.Bits()).Masked()
			used := false
			for x := range taken {
				used = used || network.Contains(x)
			}
			if used {
				a = broadcast(network)
				continue
			}
		}
		first, last := network.Addr() == a, broadcast(network) == a
		if taken[a] || p.Bits() < 31 && (first || last) {
			continue
		}
		taken[a] = true
		return netip.PrefixFrom(a, p.Bits())
	}
	return p
}

func broadcast(p netip.Prefix) netip.Addr {
	b := p.Addr().As4()
	for i := p.Bits(); i < 32; i++ {
		b[i/8] |= 0x80 >> (i % 8)
	}
	return netip.AddrFrom4(b)
}

// CopyRouter writes a copy of a router's block behind it, with other values for
// what must differ; values maps old to new.
func CopyRouter(text, router string, values map[string]string) (string, error) {
	lines := strings.Split(text, "\n")
	for _, b := range Outline(text) {
		if b.Kind != "router" || b.Name != router {
			continue
		}
		copied := []string{""}
		for _, s := range lines[b.Line-1 : b.To] {
			copied = append(copied, replaceWords(s, values))
		}
		return strings.Join(slices.Insert(lines, b.To, copied...), "\n"), nil
	}
	return "", phrase.Errorf("there is no router named %s", router)
}

// replaceWords replaces whole words of a line.
func replaceWords(s string, values map[string]string) string {
	words := strings.Split(s, " ")
	for i, w := range words {
		if v, ok := values[w]; ok && v != "" {
			words[i] = v
		}
	}
	return strings.Join(words, " ")
}
