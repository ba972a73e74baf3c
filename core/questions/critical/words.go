package critical

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/questions/facts"
)

// packetWords says what packets did.
func packetWords(l *Wait) string {
	way := strings.Join(l.Via, ", ")
	switch l.Kind {
	case "hello":
		return phrase.Say("hellos pass %s", way)
	case "exchange":
		return phrase.Say("databases are exchanged by %s", way)
	case "flooding":
		return phrase.Say("LSAs are flooded over %s", way)
	case "acknowledgment":
		return phrase.Say("LSAs are acknowledged by %s", way)
	case "session", "keepalive":
		return phrase.Say("messages of the session pass %s", way)
	case "update":
		return phrase.Say("UPDATEs pass %s", way)
	case "notification":
		return phrase.Say("a NOTIFICATION passes %s", way)
	case "tcp":
		return phrase.Say("TCP segments pass %s", way)
	case "arp":
		return phrase.Say("an address is resolved by %s", way)
	}
	return phrase.Say("packets pass %s", way)
}

// setting says what makes a timer's wait that long, and where that is said.
func (t *trace) setting(i int32, l *Wait) {
	e := &t.list[i].event
	word := note.Waits[l.wait].Setting
	if word == "" {
		return
	}
	d := t.w.Device(e.Dest)
	switch l.wait {
	case note.SPFWait:
		inst := &d.Instances()[e.Instance]
		spf := &inst.Config().OSPF.SPF
		word, value := "spf-initial-delay", spf.Initial
		switch t.delayState(i) {
		case ospf.ShortWait:
			word, value = "spf-short-delay", spf.Short
		case ospf.LongWait:
			word, value = "spf-long-delay", spf.Long
		}
		l.Setting = fmt.Sprintf("%s ospf %s %s", inst.Ref(), word, labtext.FormatDuration(value))
		l.Place = inst.Ref()
	case note.ConnectWait:
		inst := &d.Instances()[e.Instance]
		l.Setting = fmt.Sprintf("%s bgp %s %s", inst.Ref(), word, labtext.FormatDuration(inst.Config().BGP.ConnectRetry))
		l.Place = inst.Ref()
	case note.HoldWait, note.KeepaliveWait, note.AdvertiseWait:
		inst := &d.Instances()[e.Instance]
		inst.BGP().Peers(func(v bgp.PeerView) {
			if v.Number != int(e.A) {
				return
			}
			value := v.Config.HoldTime
			if l.wait == note.AdvertiseWait {
				value = inst.Config().BGP.MinInterval(&v.Config)
			}
			l.Setting = fmt.Sprintf("%s/%v %s %s", inst.Ref(), v.Address, word, labtext.FormatDuration(value))
			l.Place = labtext.PeerPlace(inst.Ref(), v.Address.Netip())
		})
	default:
		if int(e.A) >= len(d.Ports()) {
			return
		}
		c := d.Ports()[e.A].Config
		if c.Virtual != nil {
			return
		}
		value := map[string]time.Duration{"hello-interval": c.OSPF.HelloInterval, "dead-interval": c.OSPF.DeadInterval,
			"retransmit-interval": c.OSPF.RetransmitInterval}[word]
		l.Port = c.Name
		l.Place = config.PortRef{Device: d.Name(), Port: c.Name}.String()
		l.Setting = fmt.Sprintf("%s %s %s", l.Place, word, labtext.FormatDuration(value))
	}
}

// delayState is the state of RFC 8405 in which the SPF computation was put off that an occurrence begins.
func (t *trace) delayState(i int32) uint64 {
	e := &t.list[i].event
	for k := t.list[i].notes; k > 0; k-- {
		n := t.w.NoteAt(k - 1)
		if n.Kind == note.SPFScheduled && n.Device == e.Dest && n.Instance == e.Instance {
			return n.B
		}
	}
	return ospf.Quiet
}

// words is the path in a sentence: how long it took, and the largest parts of that.
func (p *Chain) words() string {
	parts := slices.Clone(p.Links)
	slices.SortStableFunc(parts, func(a, b Wait) int { return cmp.Compare(b.Took, a.Took) })
	var list []string
	for _, l := range parts[:min(len(parts), 3)] {
		if l.Took >= p.Took/20 {
			list = append(list, phrase.Say("for %s on %s %s", facts.Seconds(event.FromSeconds(l.Took)), l.Device, l.Says))
		}
	}
	took := facts.Seconds(event.FromSeconds(p.Took))
	if len(list) == 0 {
		return phrase.Say("%s changes its forwarding at once", p.Device)
	}
	return phrase.Say("%s from the action to the change on %s: %s", took, p.Device, strings.Join(list, "; "))
}
