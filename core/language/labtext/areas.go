package labtext

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// Build functions of what a router's ospf says of areas and of routes from
// outside, and of prefix sets.

func (b *builder) ospfType(n *Node) {
	of[config.Port](b).OSPF.Type = config.PointToPoint
	if n.Args[0].Text == "broadcast" {
		of[config.Port](b).OSPF.Type = config.Broadcast
	}
}

func (b *builder) areaBlock(n *Node) {
	id, _ := parseArea(n.Args[0].Text)
	o := &of[config.Routing](b).OSPF
	if slices.ContainsFunc(o.Areas, func(a config.Area) bool { return a.ID == id }) {
		b.errorf(n.Args[0], "keep one of them", "%s says twice what area %s is", b.owner(), FormatArea(id))
		return
	}
	a := config.Area{ID: id, DefaultCost: config.DefaultStubCost}
	b.fill(n, &a)
	switch {
	case a.Stub && a.NSSA:
		b.errorf(n.Args[0], "keep one of them", "an area is a stub or an NSSA, not both")
	case id == 0 && a.Closed():
		b.errorf(n.Args[0], "choose another area", "the backbone cannot be a stub area or an NSSA")
	case len(a.Virtual) > 0 && (id == 0 || a.Closed()):
		b.errorf(n.Args[0], "let it cross an area that is neither",
			"a virtual link cannot cross the backbone, a stub area or an NSSA")
	}
	o.Areas = append(o.Areas, a)
}

func (b *builder) stub(n *Node) { of[config.Area](b).Stub = true; b.children(n) }

func (b *builder) nssa(n *Node) {
	a := of[config.Area](b)
	a.NSSA = true
	b.fill(n, &a.Summaries)
}

func (b *builder) translate(*Node) { of[config.Area](b).Translate = true }

// summary joins external routes: those that are injected, or an NSSA's.
func (b *builder) summary(n *Node) {
	p, _ := netip.ParsePrefix(n.Args[0].Text)
	list := of[[]config.Summary](b)
	if slices.ContainsFunc(*list, func(s config.Summary) bool { return s.Prefix == p }) {
		b.errorf(n.Args[0], "keep one of them", "the summary %v is given twice", p)
		return
	}
	s := config.Summary{Prefix: p}
	b.fill(n, &s)
	*list = append(*list, s)
}

func (b *builder) virtualLink(n *Node) {
	peer, _ := netip.ParseAddr(n.Args[0].Text)
	if slices.ContainsFunc(of[config.Area](b).Virtual, func(v config.VirtualLink) bool { return v.Peer == peer }) {
		b.errorf(n.Args[0], "keep one of them", "the virtual link to %v is given twice", peer)
		return
	}
	p := config.Port{}
	b.open = append(b.open, &p)
	b.defaultOSPF(n)
	b.open = b.open[:len(b.open)-1]
	of[config.Area](b).Virtual = append(of[config.Area](b).Virtual, config.VirtualLink{Peer: peer, OSPF: p.OSPF})
}

func (b *builder) noSummary(*Node)     { of[config.Area](b).NoSummary = true }
func (b *builder) defaultCost(n *Node) { of[config.Area](b).DefaultCost = uint32(number(n.Args[0])) }

// rangeName is what a range's place is filed under.
func rangeName(device string, area uint32, p netip.Prefix) string {
	return fmt.Sprintf("%s area %s range %v", device, FormatArea(area), p)
}

func (b *builder) areaRange(n *Node) {
	var r config.Range
	r.Prefix, _ = netip.ParsePrefix(n.Args[0].Text)
	a := of[config.Area](b)
	b.place(rangeName(b.owner(), a.ID, r.Prefix), n.Args[0])
	if slices.ContainsFunc(a.Ranges, func(o config.Range) bool { return o.Prefix == r.Prefix }) {
		b.errorf(n.Args[0], "keep one of them", "the range %v is given twice", r.Prefix)
	}
	b.fill(n, &r)
	a.Ranges = append(a.Ranges, r)
}

func (b *builder) rangeCost(n *Node) { of[config.Range](b).Cost = uint32(number(n.Args[0])) }

func (b *builder) hidden(*Node) {
	if b.in == JoinOf {
		of[config.Summary](b).Hidden = true
		return
	}
	of[config.Range](b).Hidden = true
}

func (b *builder) inject(n *Node) {
	i := config.Inject{Source: n.Args[0].Text, External: config.External{Metric: config.DefaultExternalMetric}}
	b.fill(n, &i, &i.External)
	o := &of[config.Routing](b).OSPF
	o.Injects = append(o.Injects, i)
}

func (b *builder) through(n *Node) {
	of[config.Inject](b).Through = n.Args[0].Text
	b.policyRefs = append(b.policyRefs, policyRef{n.Args[0], true, b.device})
}

func (b *builder) originateDefault(n *Node) {
	d := &of[config.Routing](b).OSPF.Default
	*d = config.OriginateDefault{On: true, External: config.External{Metric: config.DefaultExternalMetric}}
	b.fill(n, &d.External)
}

func (b *builder) always(*Node)         { of[config.Routing](b).OSPF.Default.Always = true }
func (b *builder) metric(n *Node)       { of[config.External](b).Metric = uint32(number(n.Args[0])) }
func (b *builder) externalType(n *Node) { of[config.External](b).Type1 = number(n.Args[0]) == 1 }

func (b *builder) tag(n *Node) {
	v := uint32(number(n.Args[0]))
	if b.in == JoinOf {
		of[config.Summary](b).Tag = v
		return
	}
	of[config.External](b).Tag = v
}

func (b *builder) prefixSet(n *Node) {
	name := n.Args[0]
	if b.taken(b.own("prefix set"), name.Text) {
		b.errorf(name, "choose another name", "there is another prefix set named %s", name.Text)
		return
	}
	b.place(b.own("prefix-set "+name.Text), name)
	s := config.PrefixSet{Name: name.Text}
	b.fill(n, &s)
	list := &of[config.Policies](b).PrefixSets
	*list = append(*list, s)
}

// member is a line of a prefix set: its word is the prefix.
func (b *builder) member(n *Node) {
	if f := judge(Arg{Name: "prefix", Kind: Prefix}, n.Word); f.what != "" {
		b.wrong(n.Word, f)
		return
	}
	p, _ := netip.ParsePrefix(n.Word.Text)
	m := config.Member{Prefix: p, Min: uint8(p.Bits()), Max: uint8(p.Bits())}
	b.fill(n, &m)
	s := of[config.PrefixSet](b)
	s.Members = append(s.Members, m)
}

func (b *builder) length(n *Node) {
	m := of[config.Member](b)
	low, high, _ := parseLengths(n.Args[0].Text)
	if int(low) < m.Prefix.Bits() {
		b.errorf(n.Args[0], phrase.Say("write for example %d..32", m.Prefix.Bits()),
			"no prefix of length %d is within %v", low, m.Prefix)
		return
	}
	m.Min, m.Max = low, high
}

// parseLengths reads "24..32", or "24" for just that length.
func parseLengths(s string) (low, high uint8, ok bool) {
	l, h, ok := parseRange(s, 8)
	return uint8(l), uint8(h), ok && h <= 32
}

// parseRange reads two numbers of so many bits, or one that is both, the first not above the second.
func parseRange(s string, bits int) (from, to uint64, ok bool) {
	first, last, both := strings.Cut(s, "..")
	if !both {
		last = first
	}
	from, err1 := strconv.ParseUint(first, 10, bits)
	to, err2 := strconv.ParseUint(last, 10, bits)
	return from, to, err1 == nil && err2 == nil && from <= to
}

// areaFacts and the like write what this file builds as facts, for differences.
func areaFacts(o *config.OSPF, add func(what, value string, in Context, word string)) {
	for _, a := range o.Areas {
		name := "area " + FormatArea(a.ID)
		if a.Stub {
			add(name, "stub", AreaOf, "stub")
			add(name+" default-cost", strconv.Itoa(int(a.DefaultCost)), StubOf, "default-cost")
		}
		if a.NSSA {
			add(name, "nssa", AreaOf, "nssa")
			add(name+" default-cost", strconv.Itoa(int(a.DefaultCost)), NSSAOf, "default-cost")
		}
		if a.Translate {
			add(name+" translate", "always", NSSAOf, "translate")
		}
		if a.NoSummary {
			add(name+" summaries", "no-summary", StubOf, "no-summary")
		}
		summaryFacts(name+" ", a.Summaries, NSSAOf, add)
		for _, v := range a.Virtual {
			to := fmt.Sprintf("%s virtual-link %v", name, v.Peer)
			words := fmt.Sprintf("hello-interval %s, dead-interval %s, retransmit-interval %s, transmit-delay %s",
				FormatDuration(v.OSPF.HelloInterval),
				FormatDuration(v.OSPF.DeadInterval), FormatDuration(v.OSPF.RetransmitInterval),
				FormatDuration(v.OSPF.TransmitDelay))
			if v.OSPF.Disabled {
				words += ", disabled"
			}
			add(to, words, AreaOf, "virtual-link")
			if v.OSPF.Keys != nil {
				add(to+" keys", v.OSPF.Keys.Name+", set on "+v.OSPF.KeysFrom, VirtOf, "keys")
			}
		}
		for _, r := range a.Ranges {
			value := "announced"
			switch {
			case r.Hidden:
				value = "hidden"
			case r.Cost != 0:
				value = fmt.Sprintf("cost %d", r.Cost)
			}
			add(fmt.Sprintf("%s range %v", name, r.Prefix), value, AreaOf, "range")
		}
	}
	summaryFacts("", o.Summaries, OSPFOf, add)
	for _, i := range o.Injects {
		name := "inject " + i.Source
		if i.Through != "" {
			name += " through " + i.Through
		}
		add(name, externalWords(i.External), OSPFOf, "inject")
	}
	if def := o.Default; def.On {
		value := externalWords(def.External)
		if def.Always {
			value = "always, " + value
		}
		add("originate default", value, OSPFOf, "originate")
	}
}

func summaryFacts(of string, list []config.Summary, in Context, add func(what, value string, in Context, word string)) {
	for _, s := range list {
		value := "announced"
		if s.Hidden {
			value = "hidden"
		}
		if s.Tag != 0 {
			value += fmt.Sprintf(" tag %d", s.Tag)
		}
		add(fmt.Sprintf("%ssummary %v", of, s.Prefix), value, in, "summary")
	}
}

func externalWords(e config.External) string {
	kind := 2
	if e.Type1 {
		kind = 1
	}
	s := fmt.Sprintf("metric %d type %d", e.Metric, kind)
	if e.Tag != 0 {
		s += fmt.Sprintf(" tag %d", e.Tag)
	}
	return s
}

func (m typed) String() string { return [...]string{"automatic", "point-to-point", "broadcast"}[m] }

type typed config.PortType
