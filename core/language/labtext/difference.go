package labtext

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// ChangeKind is what a change does to its subject, or to a property of it.
type ChangeKind string

// The kinds of changes.
const (
	Added   ChangeKind = "added"
	Removed ChangeKind = "removed"
	Changed ChangeKind = "changed"
)

// Change is one difference between two labs by meaning. From is empty for what
// came, To for what went, and both for what has no value, as a link.
type Change struct {
	Kind    ChangeKind `json:"kind" enum:"added,removed,changed"`
	Subject string     `json:"subject" doc:"device, port, link ..."`
	What    string     `json:"what,omitempty" doc:"the property; empty for the subject itself"`
	From    string     `json:"from,omitempty"`
	To      string     `json:"to,omitempty"`
	Effect  string     `json:"effect" doc:"what the change does to the running network"`
}

// String is the change in words: "viaduct.e1 ospf cost: 10 -> 40".
func (c Change) String() string {
	s := strings.TrimSpace(c.Subject + " " + c.What)
	switch {
	case c.Kind == Added && (c.What == "" || c.To == ""):
		return phrase.Say("%s added", s)
	case c.Kind == Removed && (c.What == "" || c.From == ""):
		return phrase.Say("%s removed", s)
	case c.From == "":
		return s + ": " + c.To
	case c.To == "":
		return phrase.Say("%s: no longer %s", s, c.From)
	}
	return s + ": " + c.From + " -> " + c.To
}

func onOrOff(on bool) string {
	if on {
		return "on"
	}
	return "off"
}

type fact struct {
	subject, what string
	value         string
	effect        Effect
	usual         bool // the default: no news when its subject comes or goes
}

// Differences compares two labs by meaning: order, layout and comments do not
// count, a default that is written out is the default.
func Differences(before, after *config.Lab) []Change {
	names := config.RenamedDevices(before.Devices, after.Devices)
	renamed := before.Rename(names)
	old, now := facts(&renamed), facts(after)
	type id struct{ subject, what string }
	index := func(fs []fact) map[id]fact {
		m := make(map[id]fact, len(fs))
		for _, f := range fs {
			m[id{f.subject, f.what}] = f
		}
		return m
	}
	was, is := index(old), index(now)
	var out []Change
	for name, was := range names {
		out = append(out, Change{Changed, name, "name", was, name, phrase.Text(string(Live))})
	}
	for _, f := range now {
		o, known := was[id{f.subject, f.what}]
		_, subjectKnown := was[id{f.subject, ""}]
		switch {
		case known && o.value != f.value:
			out = append(out, Change{Changed, f.subject, f.what, o.value, f.value, phrase.Text(string(f.effect))})
		case !known && !f.usual && (f.what == "" || subjectKnown):
			out = append(out, Change{Added, f.subject, f.what, "", f.value, phrase.Text(string(f.effect))})
		}
	}
	for _, f := range old {
		_, known := is[id{f.subject, f.what}]
		_, subjectKnown := is[id{f.subject, ""}]
		if !known && !f.usual && (f.what == "" || subjectKnown) {
			out = append(out, Change{Removed, f.subject, f.what, f.value, "", phrase.Text(string(f.effect))})
		}
	}
	slices.SortStableFunc(out, func(a, b Change) int { return cmp.Compare(a.Subject, b.Subject) })
	return out
}

// factList gathers facts, each with the effect that its row of the grammar names.
type factList []fact

// add adds a fact that a statement gives: its word, in its context. What has no value
// is no fact, but for the subject itself.
func (l *factList) add(subject, what, value string, in Context, word string) {
	if value == "" && what != "" {
		return
	}
	effect := Live
	if r := rowFor(word, in); r != nil {
		effect = r.Effect
	}
	*l = append(*l, fact{subject, what, value, effect, false})
}

// flag adds a fact that is its word, or not there.
func (l *factList) flag(subject, what string, on bool, in Context, word string) {
	if on {
		l.add(subject, what, word, in, word)
	}
}

// usually adds a fact that may be the default: no news when its subject comes or goes.
func (l *factList) usually(is bool, subject, what, value string, in Context, word string) {
	l.add(subject, what, value, in, word)
	(*l)[len(*l)-1].usual = is
}

// facts writes a lab as single facts. A subject's own fact has an empty what.
func facts(lab *config.Lab) []fact {
	var l factList
	l.add("lab", "", "", Top, "lab")
	l.add("lab", "title", lab.Name, Top, "lab")
	l.add("lab", "about", lab.About, LabBlock, "about")
	l.add("lab", "difficulty", lab.Difficulty, LabBlock, "difficulty")
	l.add("lab", "seed", strconv.FormatUint(lab.Seed, 10), LabBlock, "seed")
	l.usually(!lab.Exact, "lab", "hello-jitter", onOrOff(!lab.Exact), LabBlock, "hello-jitter")
	for i := range lab.Devices {
		l.device(&lab.Devices[i])
	}
	l.media(lab)
	for _, p := range lab.Plans {
		value := fmt.Sprintf("length %d", p.Length)
		if p.InArea {
			value += " area " + FormatArea(p.Area)
		}
		if p.AS != 0 {
			value += fmt.Sprintf(" as %d", p.AS)
		}
		l.add(fmt.Sprintf("plan %s %v", p.What, p.Prefix), "", value, Top, "plan")
	}
	for _, c := range lab.Chains {
		n := "key-chain " + c.Name
		l.add(n, "", "", Top, "key-chain")
		for _, k := range c.Keys {
			l.add(n, fmt.Sprintf("key %d", k.ID), keyWords(k), ChainOf, "key")
		}
	}
	policyFacts("", &lab.Policies, l.add)
	checkFacts(lab, l.add)
	riskFacts(lab, l.add)
	for _, f := range lab.Flows {
		n := "flow " + f.Name
		l.add(n, "", "", Top, "flow")
		l.add(n, "ends", f.From+" to "+f.To, Top, "flow")
		l.add(n, "every", FormatDuration(f.Every), FlowOf, "every")
		if f.Rate > 0 {
			l.add(n, "rate", FormatRate(f.Rate), FlowOf, "rate")
		}
	}
	return l
}

func (l *factList) device(d *config.Device) {
	l.add(d.Name, "", d.Kind.String(), Top, d.Kind.String())
	if d.At.Set {
		l.usually(true, d.Name, "at", d.At.String(), RouterOf, "at")
	}
	l.flag(d.Name, "disabled", d.Disabled, RouterOf, "disabled")
	for _, name := range d.InstanceNames() {
		n := config.InstanceRef(d.Name, name)
		if name != "" {
			l.add(n, "", "instance", RouterOf, "instance")
		}
		l.routing(n, d.Kind, d.Instance(name))
	}
	for _, s := range d.Services {
		l.add(d.Name, fmt.Sprintf("service %d", s.Port), cmp.Or(s.Name, "there"), HostOf, "service")
	}
	for i := range d.Ports {
		l.port(d, &d.Ports[i])
	}
	policyFacts(d.Name, &d.Policies, l.add)
}

// routing adds the facts of an instance, n by name.
func (l *factList) routing(n string, kind config.Kind, r *config.Routing) {
	if r.RouterID.IsValid() {
		l.add(n, "router-id", r.RouterID.String(), RouterOf, "router-id")
	}
	if kind == config.Router {
		l.flag(n, "ospf disabled", r.OSPF.Disabled, OSPFOf, "disabled")
		l.usually(r.OSPF.MaxECMP == config.DefaultMaxECMP, n, "max-ecmp", strconv.Itoa(r.OSPF.MaxECMP), OSPFOf,
			"max-ecmp")
		l.usually(!r.OSPF.Strict, n, "rfc1583-compatibility", onOrOff(!r.OSPF.Strict), OSPFOf,
			"rfc1583-compatibility")
		for _, word := range []string{"spf-initial-delay", "spf-short-delay", "spf-long-delay", "spf-time-to-learn", "spf-hold-down"} {
			usual := config.DefaultSPFDelays
			is := *SPFDelay(&r.OSPF.SPF, word)
			l.usually(is == *SPFDelay(&usual, word), n, word, FormatDuration(is), OSPFOf, word)
		}
		l.add(n, "reference-bandwidth", FormatRate(r.OSPF.ReferenceBandwidth), OSPFOf, "reference-bandwidth")
	}
	areaFacts(&r.OSPF, func(what, value string, in Context, word string) { l.add(n, what, value, in, word) })
	bgpFacts(n, &r.BGP, l.add)
	for _, s := range r.Statics {
		to := "blackhole"
		if !s.Blackhole {
			to = "via " + s.Via.String()
		}
		l.add(n, fmt.Sprintf("static %v %s", s.Prefix, to), fmt.Sprintf("preference %d", s.Preference), RouterOf,
			"static")
	}
	for _, t := range r.Takes {
		l.add(n, "take "+cmp.Or(t.From, config.MainInstance), "through "+t.Through, InstanceOf, "take")
	}
}

func (l *factList) port(d *config.Device, p *config.Port) {
	n := config.PortRef{Device: d.Name, Port: p.Name}.String()
	if d.Kind == config.Router {
		l.add(n, "", "port", RouterOf, "port")
	}
	if p.Instance != "" {
		l.add(n, "instance", p.Instance, RouterOf, "instance")
	}
	if p.Address.IsValid() {
		l.add(n, "address", p.Address.String(), RouterOf, "port")
	}
	l.flag(n, "disabled", p.Disabled, PortOf, "disabled")
	if !p.Loopback {
		l.add(n, "bandwidth", FormatRate(p.Bandwidth), PortOf, "bandwidth")
		l.add(n, "mtu", strconv.Itoa(int(p.MTU)), PortOf, "mtu")
	}
	o := &p.OSPF
	if !o.On {
		return
	}
	l.add(n, "ospf area", FormatArea(o.Area), PortOSPF, "area")
	if o.Type != config.AutoType {
		l.add(n, "ospf type", typed(o.Type).String(), PortOSPF, "type")
	}
	if o.Keys != nil {
		l.add(n, "ospf keys", o.Keys.Name+", set on "+o.KeysFrom, PortOSPF, "keys")
	}
	l.flag(n, "ospf mtu-ignore", o.IgnoreMTU, PortOSPF, "mtu-ignore")
	if !p.Loopback {
		l.usually(o.Priority == config.DefaultPriority, n, "ospf priority", strconv.Itoa(int(o.Priority)), PortOSPF,
			"priority")
	}
	l.flag(n, "ospf own-mask", o.OwnMask, PortOSPF, "own-mask")
	l.flag(n, "ospf passive", o.Passive, PortOSPF, "passive")
	l.flag(n, "ospf disabled", o.Disabled, PortOSPF, "disabled")
	if !p.Loopback {
		l.usually(o.Cost == 0, n, "ospf cost", strconv.Itoa(int(d.Instance(p.Instance).OSPF.CostOf(p))), PortOSPF, "cost")
	}
	for _, t := range []struct {
		word  string
		value time.Duration
		usual time.Duration
	}{
		{"hello-interval", o.HelloInterval, config.DefaultHello},
		{"dead-interval", o.DeadInterval, config.DeadFactor * o.HelloInterval},
		{"retransmit-interval", o.RetransmitInterval, config.DefaultRetransmit},
		{"transmit-delay", o.TransmitDelay, config.DefaultTransmitDelay},
	} {
		l.usually(t.value == t.usual, n, "ospf "+t.word, FormatDuration(t.value), PortOSPF, t.word)
	}
}

// media adds the facts of links and segments.
func (l *factList) media(lab *config.Lab) {
	for _, k := range lab.Links {
		ends := []string{k.A.String(), k.B.String()}
		slices.Sort(ends)
		n := "link " + strings.Join(ends, " ")
		l.add(n, "", "", Top, "link")
		l.add(n, "delay", FormatDuration(k.Delay), LinkOf, "delay")
		for _, x := range []struct {
			word  string
			share uint32 // in a million
		}{{"loss", k.Loss}, {"reorder", k.Reorder}, {"duplicate", k.Duplicate}} {
			l.add(n, x.word, strconv.FormatFloat(float64(x.share)/10_000, 'f', -1, 64)+"%", LinkOf, x.word)
		}
	}
	for _, s := range lab.Segments {
		n := "segment " + s.Name
		l.add(n, "", "", Top, "segment")
		l.add(n, "at", s.At.String(), SegOf, "at")
		l.add(n, "delay", FormatDuration(s.Delay), SegOf, "delay")
		for _, r := range s.Ports {
			l.add(n, r.String(), "joined", Top, "segment")
		}
	}
}
