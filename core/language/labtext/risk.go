package labtext

import (
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// RiskOf is the context of a risk group.
const RiskOf Context = "risk-group"

// riskRows are the statements of risk groups: they change nothing in the network.
func riskRows() []Row {
	members := func(word string, a Arg, help string, build func(*builder, *Node)) Row {
		a.Repeat = true
		return Row{Word: word, In: []Context{RiskOf}, Many: true, Args: []Arg{a}, Effect: Nothing, Help: help, build: build}
	}
	return []Row{
		{Word: "risk-group", In: []Context{Top}, Opens: RiskOf, Many: true, Args: []Arg{{Name: "name", Kind: Quoted}}, Effect: Nothing,
			Help: "what fails together, as it shares a duct, a rack or a power feed; a sweep tries it, and the action fail has it fail", build: (*builder).riskGroup},
		members("links", Arg{Name: "link of a port", Kind: PortRef}, "links of the group, each by a port at one of its ends", (*builder).riskLinks),
		members("segments", Arg{Name: "segment", Kind: Name}, "segments of the group", (*builder).riskSegments),
		members("devices", Arg{Name: "device", Kind: DeviceRef}, "routers and hosts of the group", (*builder).riskDevices),
	}
}

func (b *builder) riskGroup(n *Node) {
	g := config.RiskGroup{Name: n.Args[0].Text}
	if b.taken("risk-group", g.Name) {
		b.errorf(n.Args[0], "choose another name", "there is another risk group named %q", g.Name)
	}
	b.place("risk-group "+g.Name, n.Args[0])
	b.fill(n, &g)
	if len(g.Links)+len(g.Segments)+len(g.Devices) == 0 && !b.troubled(n) {
		b.errorf(n.Word, "write for example devices quarry", "nothing is in the risk group")
	}
	b.result.RiskGroups = append(b.result.RiskGroups, g)
}

func (b *builder) riskLinks(n *Node) {
	g := of[config.RiskGroup](b)
	for _, t := range n.Args {
		g.Links = append(g.Links, ParseRef(t.Text))
		b.riskRefs = append(b.riskRefs, t)
	}
}

func (b *builder) riskSegments(n *Node) {
	g := of[config.RiskGroup](b)
	for _, t := range n.Args {
		g.Segments = append(g.Segments, t.Text)
		b.riskSegs = append(b.riskSegs, t)
	}
}

func (b *builder) riskDevices(n *Node) {
	g := of[config.RiskGroup](b)
	for _, t := range n.Args {
		g.Devices = append(g.Devices, t.Text)
		b.deviceRefs = append(b.deviceRefs, pending{token: t})
	}
}

// riskReferences checks that what risk groups name is there: ports that are on a link, and segments.
func (b *builder) riskReferences() {
	linked := map[config.PortRef]bool{}
	var ports, segments []string
	for _, l := range b.result.Links {
		for _, r := range []config.PortRef{l.A, l.B} {
			linked[r] = true
			ports = append(ports, r.String())
		}
	}
	for _, s := range b.result.Segments {
		segments = append(segments, s.Name)
	}
	for _, t := range b.riskRefs {
		if !linked[ParseRef(t.Text)] {
			b.unnamed(t, t.Text, ports, "%s is not on a link", t.Text)
		}
	}
	for _, t := range b.riskSegs {
		if !slices.Contains(segments, t.Text) {
			b.unnamed(t, t.Text, segments, "there is no segment named %s", t.Text)
		}
	}
}

// riskFacts are what the comparison by meaning sees of risk groups.
func riskFacts(lab *config.Lab, add func(subject, what, value string, in Context, word string)) {
	for _, g := range lab.RiskGroups {
		n := "risk-group \"" + g.Name + "\""
		add(n, "", "", Top, "risk-group")
		for _, r := range g.Links {
			add(n, phrase.Say("link of %s", r), "in the group", RiskOf, "links")
		}
		for _, s := range g.Segments {
			add(n, phrase.Say("segment %s", s), "in the group", RiskOf, "segments")
		}
		for _, r := range g.Devices {
			add(n, phrase.Say("device %s", r), "in the group", RiskOf, "devices")
		}
	}
}

// leaveGroup takes the member at a place out of a risk group, and the group out with its last member.
func (d *document) leaveGroup(use *Node, line, column int) error {
	if group := d.above[use]; len(use.Args) == 1 && len(group.Children) == 1 {
		return d.drop(group)
	}
	return d.leaveList(use, line, column)
}

// leaveList takes the name at a place out of a list, and the list out with its last name.
func (d *document) leaveList(use *Node, line, column int) error {
	at := slices.IndexFunc(use.Args, func(t Token) bool { return t.Line == line && column >= t.Column && column < t.end() })
	if at < 0 || len(use.Args) == 1 {
		return d.drop(use)
	}
	return d.setArgs(use, slices.Delete(slices.Clone(use.Args), at, at+1))
}

// releaseLink takes a link out of the first risk group that names it.
func (d *document) releaseLink(link *Node) (released bool, err error) {
	for _, group := range d.root.Children {
		if group.Row.Opens != RiskOf {
			continue
		}
		for _, use := range group.Children {
			for _, t := range use.Args {
				if use.Row.Word == "links" && slices.ContainsFunc(link.Args, func(end Token) bool { return end.Text == t.Text }) {
					return true, d.leaveGroup(use, t.Line, t.Column)
				}
			}
		}
	}
	return false, nil
}

// joinedPorts are the ports that are on links, for completion.
func joinedPorts(lab *config.Lab) (out []Suggestion) {
	for _, l := range lab.Links {
		for _, ends := range [][2]config.PortRef{{l.A, l.B}, {l.B, l.A}} {
			out = append(out, Suggestion{Label: ends[0].String(), Kind: "name", Detail: strings.TrimSpace("link to " + ends[1].String())})
		}
	}
	return out
}
