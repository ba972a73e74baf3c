package why

import (
	"fmt"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/tables"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// election answers why a router is designated on its segments, or not (RFC 2328 9.4).
func (a *Answer) election(w *network.World, q Question) {
	found := false
	for _, d := range w.Devices() {
		if d.Gone() || q.Device != "" && d.Name() != q.Device || q.Device == "" && found {
			continue
		}
		for i := range d.Ports() {
			m, _, joined := w.MediumOf(d.ID(), uint32(i))
			named := q.Segment == "" || joined && m.Name == q.Segment
			port := facts.PortName(d, uint32(i))
			if e, in := tables.ElectionAt(d.InstanceOf(uint32(i)).OSPF(), uint32(i)); in && named && (q.Port == "" || q.Port == port) {
				a.electionAt(w, d, uint32(i), e)
				found = true
			}
		}
	}
	if !found {
		a.Says = phrase.Text("there is no election: OSPF elects a DR only on a segment")
	}
}

func (a *Answer) electionAt(w *network.World, d *device.Device, i uint32, e tables.Election) {
	port := facts.PortName(d, i)
	own := d.Ports()[i].Address()
	inst := d.InstanceOf(i)
	name := func(x ip.Addr) string { return facts.AddressWords(w, inst, x) }
	var says []string
	role := inst.OSPF().Port(i).State.String()
	says = append(says, phrase.Say("%s is %s", port, role))
	var dr, bdr, me tables.Standing
	for _, s := range e.List {
		if s.DR {
			dr = s
			says = append(says, phrase.Say("DR is %s: %s", name(s.Address), e.DRWhy))
		}
		if s.BDR {
			bdr = s
			says = append(says, phrase.Say("BDR is %s: %s", name(s.Address), e.BDRWhy))
		}
		if s.Address == own {
			me = s
		}
	}
	if a.Says != "" {
		a.Says += "; "
	}
	a.Says += strings.Join(says, "; ")
	for _, s := range e.List {
		text := phrase.Say("%s: priority %d, router ID %v", name(s.Address), s.Priority, s.RouterID)
		if s.Priority == 0 {
			text += phrase.Text("; with priority 0 it is never elected (RFC 2328 9.4)")
		}
		f := facts.Fact{Text: text, View: "ports"}
		if at := w.Holder(inst, s.Address); at != nil {
			far := at.Device()
			f.Who = far.Name()
			for k := range far.Ports() {
				if far.Ports()[k].Address() == s.Address && far.InstanceOf(uint32(k)) == at {
					f.Who = facts.PortName(far, uint32(k))
					f.Place = config.PortRef{Device: far.Name(), Port: far.Ports()[k].Config.Name}.String()
				}
			}
		}
		a.fact(f)
	}
	if me.DR || !dr.Address.IsValid() {
		return
	}
	holder := w.Holder(inst, dr.Address)
	if holder == nil {
		return
	}
	best := uint8(0)
	for _, s := range e.List {
		if s.Address != own {
			best = max(best, s.Priority)
		}
	}
	text := phrase.Say("fix: a DR is never pre-empted. Give %s the highest priority, then restart OSPF on %s", port, holder.Ref())
	fixes := []facts.Fix{{Edits: []string{fmt.Sprintf("%s ospf priority %d", port, min(int(best)+1, 255))},
		Action: "restart ospf on " + holder.Ref()}}
	if next := w.Holder(inst, bdr.Address); !me.BDR && next != nil {
		// The BDR takes the place of the DR first (RFC 2328 9.4).
		text += phrase.Say(", and after that on %s, which takes its place", next.Ref())
		fixes = append(fixes, facts.Fix{Action: "restart ospf on " + next.Ref()})
	}
	a.fact(facts.Fact{Text: text, View: "text", Fixes: fixes,
		Place: config.PortRef{Device: d.Name(), Port: d.Ports()[i].Config.Name}.String()})
}
