// Package failure finds what can fail in a network: links, routers, ports, segments, sessions, and what shares a risk.
package failure

import (
	"fmt"
	"slices"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Kind is what a failure is of.
type Kind string

// The kinds of failures.
const (
	Link    Kind = "link"    // both ends lose carrier
	Silence Kind = "silence" // of links and segments: packets are lost, all ends keep carrier
	Router  Kind = "router"
	Port    Kind = "port" // on a segment: of one that is on a link, the link fails
	Segment Kind = "segment"
	Session Kind = "session"
	Group   Kind = "group" // a risk group
	Own     Kind = "own"   // in a list of one's own

	// Maintenance is of links and routers that OSPF runs on: drained first, which means that their cost is the highest, then cut or
	// switched off. It is no accident, so it is tried only when it is asked for.
	Maintenance Kind = "maintenance"
	// OneWay is of links: the packets of one end are lost. It takes as long as silence, twice a link, so it is tried only when it is asked
	// for.
	OneWay Kind = "one-way"
)

// onRequest are the kinds that are tried only when they are asked for.
var onRequest = []Kind{Maintenance, OneWay}

// Kinds are those of which all failures are tried, unless kinds are asked for.
var Kinds = []Kind{Link, Silence, Router, Port, Segment, Session, Group}

// ParseKinds reads a list of kinds: "link,router". None is all.
func ParseKinds(list []string) ([]Kind, error) {
	var out []Kind
	for _, k := range list {
		if !slices.Contains(Kinds, Kind(k)) && !slices.Contains(onRequest, Kind(k)) {
			return nil, phrase.Errorf("%q is no kind of failure; known: %s", k, strings.Join(kindNames(), ", "))
		}
		out = append(out, Kind(k))
	}
	if len(out) == 0 {
		return Kinds, nil
	}
	return out, nil
}

func kindNames() (out []string) {
	for _, k := range append(slices.Clone(Kinds), onRequest...) {
		out = append(out, string(k))
	}
	return out
}

// Failure is what fails at once.
type Failure struct {
	Kind    Kind     `json:"kind" enum:"link,silence,router,port,segment,session,group,maintenance,one-way,own"`
	Name    string   `json:"name" doc:"what fails, in words"`
	Drain   []string `json:"drain,omitempty" doc:"edits of the text that are applied first, and come to rest"`
	Actions []string `json:"actions" doc:"what does it, as it is typed; all at once"`
	Places  []string `json:"places,omitempty" doc:"what fails, ports or whole devices; of a session its routers"`
	Same    string   `json:"same,omitempty" doc:"the name of an earlier failure of the list that leaves the network in the very same state"`
}

// IsAt says whether the failure is of a device or a port, or of something at it.
func (f *Failure) IsAt(r config.PortRef) bool {
	return slices.ContainsFunc(f.Places, func(place string) bool {
		device, port, _ := strings.Cut(place, ".")
		return device == r.Device && (r.Port == "" || port == r.Port || port == "")
	})
}

// Perform has the failure happen on a copy of a network at rest, which runs to rest; text is the one in force. The steps are those of
// the drain, if there is one, and of the failure. The error says what it refers to that is not there.
func (f *Failure) Perform(w *network.World, lab *config.Lab, text string, stop func() bool) ([]*history.Step, error) {
	var steps []*history.Step
	if len(f.Drain) > 0 {
		s, err := f.drain(w, text, stop)
		if err != nil {
			return nil, err
		}
		steps, w, lab = append(steps, s), s.After, s.Lab
	}
	var actions []history.Action
	for _, typed := range f.Actions {
		a, err := history.ParseAction(typed)
		if err != nil {
			return nil, err
		}
		actions = append(actions, a)
	}
	s, err := history.Try(w, lab, actions, stop)
	return append(steps, s), err
}

func (f *Failure) drain(w *network.World, text string, stop func() bool) (*history.Step, error) {
	edits, err := labtext.ParseEdits(strings.Join(f.Drain, "\n"))
	if err != nil {
		return nil, err
	}
	if text, err = labtext.EditText(text, edits...); err != nil {
		return nil, err
	}
	r := labtext.Parse(text)
	if !r.OK() {
		return nil, &history.TextError{Problems: r.Problems}
	}
	return history.Try(w, &r.Lab, []history.Action{{Kind: history.Apply, Text: text}}, stop)
}

// OwnOf is a failure in a list of one's own: actions that happen at once, joined by "and".
func OwnOf(line string) (Failure, error) {
	f := Failure{Kind: Own, Name: line}
	for s := range strings.SplitSeq(line, " and ") {
		a, err := history.ParseAction(strings.TrimSpace(s))
		if err != nil {
			return f, err
		}
		f.Actions = append(f.Actions, a.String())
	}
	return f, nil
}

// Of are all failures that a network can have, of some kinds; what failed already cannot fail.
func Of(w *network.World, lab *config.Lab, kinds []Kind) []Failure {
	out := []Failure{}
	for _, k := range kinds {
		switch k {
		case Link, Silence:
			for i := range w.Media() {
				m := &w.Media()[i]
				if m.Kind == network.Segment && k == Silence && works(w, m) {
					out = append(out, silent(w, m))
				}
				if m.Kind == network.Link && works(w, m) {
					ends := namesOf(w, m)
					verb, says := "cut", "%s, cut"
					if k == Silence {
						verb, says = "silence", "%s, silent"
					}
					out = append(out, Failure{Kind: k, Name: phrase.Say(says, words(ends)), Actions: []string{verb + " " + ends[0].String()}, Places: placesOf(ends)})
				}
			}
		case Router:
			for _, d := range w.Devices() {
				if !d.Gone() && d.Enabled() && d.Kind() == config.Router {
					out = append(out, Failure{Kind: k, Name: phrase.Say("router %s", d.Name()), Actions: []string{"disable " + d.Name()}, Places: []string{d.Name()}})
				}
			}
		case Port, Segment:
			for i := range w.Media() {
				m := &w.Media()[i]
				if m.Kind != network.Segment || !works(w, m) {
					continue
				}
				all := Failure{Kind: Segment, Name: phrase.Say("segment %s", m.Name)}
				for n, end := range namesOf(w, m) {
					if e := m.Ends[n]; e.Parted || e.Cut {
						continue
					}
					cut := "cut " + end.String()
					all.Actions, all.Places = append(all.Actions, cut), append(all.Places, end.String())
					if k == Port {
						out = append(out, Failure{Kind: k, Name: phrase.Say("port %s", end), Actions: []string{cut}, Places: []string{end.String()}})
					}
				}
				if k == Segment && len(all.Actions) > 0 {
					out = append(out, all)
				}
			}
		case OneWay:
			for i := range w.Media() {
				if m := &w.Media()[i]; m.Kind == network.Link && works(w, m) {
					for _, end := range namesOf(w, m) {
						out = append(out, Failure{Kind: k, Name: phrase.Say("packets from %s, lost", end), Actions: []string{fmt.Sprintf("silence %s out", end)},
							Places: placesOf(namesOf(w, m))})
					}
				}
			}
		case Session:
			out = append(out, sessions(w)...)
		case Maintenance:
			out = append(out, maintenance(w)...)
		case Group:
			for _, g := range lab.RiskGroups {
				if !canFail(w, &g) {
					continue
				}
				out = append(out, Failure{Kind: k, Name: phrase.Say("risk group %q", g.Name), Actions: []string{fmt.Sprintf("fail \"%s\"", g.Name)}, Places: placesOf(membersOf(w, &g))})
			}
		}
	}
	return out
}

// silent is a segment that loses all packets while its ports keep carrier: a switch that hangs.
func silent(w *network.World, m *network.Medium) Failure {
	f := Failure{Kind: Silence, Name: phrase.Say("segment %s, silent", m.Name)}
	for n, end := range namesOf(w, m) {
		if e := m.Ends[n]; !e.Parted && !e.Cut {
			f.Actions, f.Places = append(f.Actions, "silence "+end.String()), append(f.Places, end.String())
		}
	}
	return f
}

// works says whether what a medium joins could talk before it fails.
func works(w *network.World, m *network.Medium) bool {
	if m.Gone || m.Cut {
		return false
	}
	up := 0
	for _, e := range m.Ends {
		if d := w.Device(e.Device); d.PortEnabled(e.Port) && !e.Cut && !e.Parted && !e.SilentIn && !e.SilentOut {
			up++
		}
	}
	return up >= 2
}

// namesOf are the ports at the ends of a medium.
func namesOf(w *network.World, m *network.Medium) (out []config.PortRef) {
	for _, e := range m.Ends {
		d := w.Device(e.Device)
		out = append(out, config.PortRef{Device: d.Name(), Port: d.Ports()[e.Port].Config.Name})
	}
	return out
}

func placesOf(ends []config.PortRef) (out []string) {
	for _, e := range ends {
		out = append(out, e.String())
	}
	return out
}

func words(ends []config.PortRef) string {
	return strings.Join(placesOf(ends), " ")
}

// canFail says whether something of a risk group has not failed yet.
func canFail(w *network.World, g *config.RiskGroup) bool {
	if slices.ContainsFunc(g.Devices, func(name string) bool { d := w.Find(name); return d != nil && d.Enabled() }) {
		return true
	}
	for i := range w.Media() {
		m := &w.Media()[i]
		ends := namesOf(w, m)
		of := m.Kind == network.Segment && slices.Contains(g.Segments, m.Name)
		for n, e := range m.Ends {
			if (of && !e.Parted || slices.Contains(g.Links, ends[n])) && !m.Cut && !e.Cut {
				return true
			}
		}
	}
	return false
}

// membersOf are the devices of a risk group, and the ports at its links and segments.
func membersOf(w *network.World, g *config.RiskGroup) (out []config.PortRef) {
	for _, d := range g.Devices {
		out = append(out, config.PortRef{Device: d})
	}
	for i := range w.Media() {
		m := &w.Media()[i]
		if ends := namesOf(w, m); slices.ContainsFunc(ends, func(e config.PortRef) bool { return slices.Contains(g.Links, e) }) ||
			m.Kind == network.Segment && slices.Contains(g.Segments, m.Name) {
			out = append(out, ends...)
		}
	}
	return out
}

// maintenance is of all links between routers that OSPF runs on, and of all routers with such a link: RFC 6987 has a router drained so.
func maintenance(w *network.World) (out []Failure) {
	drained := map[string][]string{} // by router
	for i := range w.Media() {
		m := &w.Media()[i]
		if m.Kind != network.Link || !works(w, m) {
			continue
		}
		ends := namesOf(w, m)
		f := Failure{Kind: Maintenance, Name: phrase.Say("%s, drained, then cut", words(ends)), Actions: []string{"cut " + ends[0].String()}, Places: placesOf(ends)}
		for n, e := range m.Ends {
			c := w.Device(e.Device).Ports()[e.Port].Config
			if c.OSPF.On && !c.OSPF.Passive {
				edit := fmt.Sprintf("%s ospf cost %d", ends[n], maxCost)
				f.Drain = append(f.Drain, edit)
				drained[ends[n].Device] = append(drained[ends[n].Device], edit)
			}
		}
		if len(f.Drain) == len(m.Ends) {
			out = append(out, f)
		}
	}
	for _, d := range w.Devices() {
		if edits := drained[d.Name()]; len(edits) > 0 {
			out = append(out, Failure{Kind: Maintenance, Name: phrase.Say("router %s, drained, then off", d.Name()), Drain: edits,
				Actions: []string{"disable " + d.Name()}, Places: []string{d.Name()}})
		}
	}
	return out
}

// maxCost is the highest cost of a link: it is still used if there is no other (RFC 6987 2).
const maxCost = 65535

// peerWords is a peer by its name and address.
func peerWords(w *network.World, inst *device.Instance, v bgp.PeerView) string {
	name, address := facts.PeerName(w, inst, v), v.Address.String()
	if name == address {
		return address
	}
	return name + " (" + address + ")"
}

// sessions are the failures of the BGP sessions that are up, each from the first of its ends.
func sessions(w *network.World) (out []Failure) {
	type ends struct{ a, b ip.Addr }
	seen := map[ends]int{} // where in out
	for _, inst := range facts.AllInstances(w) {
		inst.BGP().Peers(func(v bgp.PeerView) {
			if v.State != bgp.Established {
				return
			}
			router := inst.Device().Name()
			if i, other := seen[ends{v.Address, v.Local}]; other {
				if !slices.Contains(out[i].Places, router) {
					out[i].Places = append(out[i].Places, router)
				}
				return
			}
			seen[ends{v.Local, v.Address}] = len(out)
			out = append(out, Failure{Kind: Session, Name: phrase.Say("session of %s with %s", inst.Ref(), peerWords(w, inst, v)),
				Actions: []string{fmt.Sprintf("disable %s on %s", v.Address, inst.Ref())}, Places: []string{router}})
		})
	}
	return out
}
