package labtext

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"hellebore/core/language/config"
)

// Change is one difference between two labs by meaning. From is empty for what
// came, To for what went.
type Change struct {
	Subject string `json:"subject" doc:"device, port, link ..."`
	What    string `json:"what,omitempty" doc:"the property; empty for the subject itself"`
	From    string `json:"from,omitempty"`
	To      string `json:"to,omitempty"`
	Effect  string `json:"effect" doc:"what the change does to the running network"`
}

// String is the change in words: "viaduct.e1 ospf cost: 10 -> 40".
func (c Change) String() string {
	s := strings.TrimSpace(c.Subject + " " + c.What)
	switch {
	case c.From == "" && c.What == "":
		return s + " added"
	case c.To == "" && c.What == "":
		return s + " removed"
	case c.From == "":
		return s + ": " + c.To
	case c.To == "":
		return s + ": no longer " + c.From
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
		out = append(out, Change{name, "name", was, name, string(Live)})
	}
	for _, f := range now {
		o, known := was[id{f.subject, f.what}]
		_, subjectKnown := was[id{f.subject, ""}]
		switch {
		case known && o.value != f.value:
			out = append(out, Change{f.subject, f.what, o.value, f.value, string(f.effect)})
		case !known && !f.usual && (f.what == "" || subjectKnown):
			out = append(out, Change{f.subject, f.what, "", f.value, string(f.effect)})
		}
	}
	for _, f := range old {
		_, known := is[id{f.subject, f.what}]
		_, subjectKnown := is[id{f.subject, ""}]
		if !known && !f.usual && (f.what == "" || subjectKnown) {
			out = append(out, Change{f.subject, f.what, cmp.Or(f.value, "there"), "", string(f.effect)})
		}
	}
	slices.SortStableFunc(out, func(a, b Change) int { return cmp.Compare(a.Subject, b.Subject) })
	return out
}

// facts writes a lab as single facts, each with the effect that its row of the
// grammar names. A subject's own fact has an empty what.
func facts(l *config.Lab) []fact {
	var out []fact
	add := func(subject, what, value string, in Context, word string) {
		if value == "" && what != "" {
			return
		}
		effect := Live
		if r := rowFor(word, in); r != nil {
			effect = r.Effect
		}
		out = append(out, fact{subject, what, value, effect, false})
	}
	usual := func(is bool) { out[len(out)-1].usual = is }
	flag := func(b bool, word string) string {
		if b {
			return word
		}
		return ""
	}
	add("lab", "", "", Top, "lab")
	add("lab", "title", l.Name, Top, "lab")
	add("lab", "seed", strconv.FormatUint(l.Seed, 10), LabBlock, "seed")
	add("lab", "hello-jitter", onOrOff(!l.Exact), LabBlock, "hello-jitter")
	usual(!l.Exact)
	for _, d := range l.Devices {
		add(d.Name, "", d.Kind.String(), Top, d.Kind.String())
		add(d.Name, "disabled", flag(d.Disabled, "disabled"), RouterOf, "disabled")
		if d.RouterID.IsValid() {
			add(d.Name, "router-id", d.RouterID.String(), RouterOf, "router-id")
		}
		if d.Kind == config.Router {
			add(d.Name, "ospf disabled", flag(d.OSPF.Disabled, "disabled"), OSPFOf, "disabled")
			add(d.Name, "max-ecmp", strconv.Itoa(d.OSPF.MaxECMP), OSPFOf, "max-ecmp")
			usual(d.OSPF.MaxECMP == config.DefaultMaxECMP)
			add(d.Name, "rfc1583-compatibility", onOrOff(!d.OSPF.Strict), OSPFOf, "rfc1583-compatibility")
			usual(!d.OSPF.Strict)
			add(d.Name, "reference-bandwidth", FormatRate(d.OSPF.ReferenceBandwidth), OSPFOf, "reference-bandwidth")
		}
		areaFacts(&d, func(what, value string, in Context, word string) { add(d.Name, what, value, in, word) })
		bgpFacts(&d, add)
		for _, s := range d.Services {
			add(d.Name, fmt.Sprintf("service %d", s.Port), cmp.Or(s.Name, "there"), HostOf, "service")
		}
		for _, s := range d.Statics {
			to := "blackhole"
			if !s.Blackhole {
				to = "via " + s.Via.String()
			}
			add(d.Name, fmt.Sprintf("static %v %s", s.Prefix, to), fmt.Sprintf("preference %d", s.Preference), RouterOf, "static")
		}
		for _, p := range d.Ports {
			n := config.PortRef{Device: d.Name, Port: p.Name}.String()
			if d.Kind == config.Router {
				add(n, "", "port", RouterOf, "port")
			}
			if p.Address.IsValid() {
				add(n, "address", p.Address.String(), RouterOf, "port")
			}
			add(n, "disabled", flag(p.Disabled, "disabled"), PortOf, "disabled")
			if !p.Loopback {
				add(n, "bandwidth", FormatRate(p.Bandwidth), PortOf, "bandwidth")
				add(n, "mtu", strconv.Itoa(int(p.MTU)), PortOf, "mtu")
			}
			if o := p.OSPF; o.On {
				add(n, "ospf area", FormatArea(o.Area), PortOSPF, "area")
				if o.Type != config.AutoType {
					add(n, "ospf type", typed(o.Type).String(), PortOSPF, "type")
				}
				if o.Keys != nil {
					add(n, "ospf keys", o.Keys.Name+", set on "+o.KeysFrom, PortOSPF, "keys")
				}
				add(n, "ospf mtu-ignore", flag(o.IgnoreMTU, "mtu-ignore"), PortOSPF, "mtu-ignore")
				if !p.Loopback {
					add(n, "ospf priority", strconv.Itoa(int(o.Priority)), PortOSPF, "priority")
					usual(o.Priority == config.DefaultPriority)
				}
				add(n, "ospf own-mask", flag(o.OwnMask, "own-mask"), PortOSPF, "own-mask")
				add(n, "ospf passive", flag(o.Passive, "passive"), PortOSPF, "passive")
				add(n, "ospf disabled", flag(o.Disabled, "disabled"), PortOSPF, "disabled")
				if !p.Loopback {
					add(n, "ospf cost", strconv.Itoa(int(d.OSPF.CostOf(&p))), PortOSPF, "cost")
					usual(o.Cost == 0)
				}
				add(n, "ospf hello-interval", FormatDuration(o.HelloInterval), PortOSPF, "hello-interval")
				usual(o.HelloInterval == config.DefaultHello)
				add(n, "ospf dead-interval", FormatDuration(o.DeadInterval), PortOSPF, "dead-interval")
				usual(o.DeadInterval == config.DeadFactor*o.HelloInterval)
				add(n, "ospf retransmit-interval", FormatDuration(o.RetransmitInterval), PortOSPF, "retransmit-interval")
				usual(o.RetransmitInterval == config.DefaultRetransmit)
				add(n, "ospf transmit-delay", FormatDuration(o.TransmitDelay), PortOSPF, "transmit-delay")
				usual(o.TransmitDelay == config.DefaultTransmitDelay)
			}
		}
	}
	for _, k := range l.Links {
		ends := []string{k.A.String(), k.B.String()}
		slices.Sort(ends)
		n := "link " + strings.Join(ends, " ")
		add(n, "", "", Top, "link")
		add(n, "delay", FormatDuration(k.Delay), LinkOf, "delay")
		for word, share := range map[string]uint32{"loss": k.Loss, "reorder": k.Reorder, "duplicate": k.Duplicate} {
			add(n, word, strconv.FormatFloat(float64(share)/10_000, 'f', -1, 64)+"%", LinkOf, word)
		}
	}
	for _, s := range l.Segments {
		n := "segment " + s.Name
		add(n, "", "", Top, "segment")
		add(n, "delay", FormatDuration(s.Delay), SegOf, "delay")
		for _, r := range s.Ports {
			add(n, r.String(), "joined", Top, "segment")
		}
	}
	for _, c := range l.Chains {
		n := "key-chain " + c.Name
		add(n, "", "", Top, "key-chain")
		for _, k := range c.Keys {
			add(n, fmt.Sprintf("key %d", k.ID), keyWords(k), ChainOf, "key")
		}
	}
	policyFacts(l, add)
	checkFacts(l, add)
	for _, s := range l.Sets {
		n := "prefix-set " + s.Name
		add(n, "", "", Top, "prefix-set")
		for _, m := range s.Members {
			value := fmt.Sprintf("length %d..%d", m.Min, m.Max)
			if m.Min == m.Max {
				value = fmt.Sprintf("length %d", m.Min)
			}
			add(n, m.Prefix.String(), value, SetOf, prefixWord)
		}
	}
	for _, f := range l.Flows {
		n := "flow " + f.Name
		add(n, "", "", Top, "flow")
		add(n, "ends", f.From+" to "+f.To, Top, "flow")
		add(n, "every", FormatDuration(f.Every), FlowOf, "every")
	}
	return out
}
