package relations

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"time"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	wire "hellebore/core/protocols/wire/bgp"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/fixes"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Session is what a BGP relation has beyond an adjacency.
type Session struct {
	External bool         `json:"external"`
	A        *SessionSide `json:"a,omitempty" doc:"absent if that end has no such peer"`
	B        *SessionSide `json:"b,omitempty"`
}

// SessionSide is one end's part in a session.
type SessionSide struct {
	AS           uint32         `json:"as" doc:"the router's own"`
	Peer         string         `json:"peer" doc:"the address that it is configured to have the session with"`
	PeerAS       uint32         `json:"peerAs" doc:"the AS in which it expects the peer"`
	Group        string         `json:"group,omitempty"`
	Description  string         `json:"description,omitempty"`
	Import       string         `json:"import,omitempty" doc:"the import policy"`
	Export       string         `json:"export,omitempty" doc:"the export policy"`
	Client       bool           `json:"client" doc:"the peer is a client of this reflector"`
	Received     uint32         `json:"received" doc:"prefixes in Adj-RIB-In"`
	Accepted     uint32         `json:"accepted" doc:"of them, by the import policy"`
	Sent         uint32         `json:"sent" doc:"prefixes in Adj-RIB-Out"`
	Waiting      int            `json:"waiting" doc:"prefixes that wait for the advertisement interval"`
	HoldTime     string         `json:"holdTime" doc:"in force if the session is up, else configured"`
	NextTry      *float64       `json:"nextTry,omitempty" doc:"seconds until it is tried again"`
	Ups          uint32         `json:"ups" doc:"how often the session came up"`
	Ended        string         `json:"ended,omitempty" doc:"how the last session or attempt ended"`
	EndedAt      *float64       `json:"endedAt,omitempty"`
	Opened       bool           `json:"opened" doc:"this end opened the TCP connection"`
	TCP          string         `json:"tcp,omitempty" doc:"the TCP connection, if the session is up"`
	Capabilities []Capability   `json:"capabilities"`
	Messages     []MessageCount `json:"messages"`
	Faults       uint32         `json:"faults" doc:"UPDATEs with a malformed attribute that were taken gently (RFC 7606)"`
}

// Capability is a capability and who sent it.
type Capability struct {
	Name     string `json:"name"`
	RFC      string `json:"rfc"`
	Sent     string `json:"sent,omitempty" doc:"what this end sent; absent if it did not"`
	Received string `json:"received,omitempty"`
}

// MessageCount is how many messages of a type this end sent and received.
type MessageCount struct {
	Type     string `json:"type"`
	Sent     uint32 `json:"sent"`
	Received uint32 `json:"received"`
}

// talker is one end of a session in its world: a router's instance and its peer, or one
// that was meant and has no such peer.
type talker struct {
	w    *network.World
	d    *device.Instance // nil if nobody has the address
	v    bgp.PeerView
	has  bool    // the peer is configured
	addr ip.Addr // of this end: as the other end has it
}

// Sessions are the relations of BGP: one row a pair of peers.
func Sessions(w *network.World) []Neighbour { return sessions(w, everyone) }

func sessions(w *network.World, of among) []Neighbour {
	var out []Neighbour
	type end struct {
		at   *device.Instance
		peer int
	}
	done := map[end]bool{}
	for _, inst := range facts.AllInstances(w) {
		if inst.Config().BGP.AS == 0 || !of(inst.Device()) {
			continue
		}
		for _, v := range facts.PeersOf(inst) {
			if done[end{inst, v.Number}] {
				continue
			}
			a := talker{w: w, d: inst, v: v, has: true}
			b := talker{w: w, d: w.Holder(inst, v.Address), addr: v.Address}
			if b.d != nil && !of(b.d.Device()) {
				continue
			}
			if b.d != nil && b.d != inst {
				if back, ok := BackOf(inst, v, b.d); ok {
					b.v, b.has = back, true
					a.addr = back.Address
					done[end{b.d, back.Number}] = true
				}
			}
			if !a.addr.IsValid() {
				a.addr = cmp.Or(v.Local, localOf(inst, v))
			}
			out = append(out, sessionRow(w, a, b))
		}
	}
	return out
}

// BackOf is the peer at far that is inst: the one of the session that is up,
// else the one whose address is that which inst uses, else any of its addresses that
// no other peer of inst answers to.
func BackOf(inst *device.Instance, v bgp.PeerView, far *device.Instance) (back bgp.PeerView, ok bool) {
	best := 0
	for _, o := range facts.PeersOf(far) {
		rank := 0
		switch {
		case v.Local.IsValid() && o.Address == v.Local && o.Local == v.Address:
			rank = 4
		case o.Address == localOf(inst, v) && localOf(far, o) == v.Address:
			rank = 3
		case o.Address == localOf(inst, v):
			rank = 2
		case inst.Owns(o.Address) && !spokenFor(inst, far, v, o.Address):
			rank = 1
		}
		if rank > best {
			best, back, ok = rank, o, true
		}
	}
	return back, ok
}

// spokenFor says whether another session of inst with far has an address of inst's.
func spokenFor(inst, far *device.Instance, v bgp.PeerView, a ip.Addr) bool {
	return slices.ContainsFunc(facts.PeersOf(inst), func(x bgp.PeerView) bool {
		return x.Address != v.Address && far.Owns(x.Address) && localOf(inst, x) == a
	})
}

// localOf is the address that a router uses towards a peer, as far as that is
// known now.
func localOf(inst *device.Instance, v bgp.PeerView) ip.Addr {
	d := inst.Device()
	if v.Local.IsValid() {
		return v.Local
	}
	if v.Config.Local != "" {
		if p := d.Config().Port(v.Config.Local); p != nil {
			return ip.AddrFrom(p.Address.Addr())
		}
	}
	for i := range d.Ports() { // on a common network: also while the port is down
		p := &d.Ports()[i]
		if !p.Gone && p.Config.Address.IsValid() && !p.Config.Loopback && d.InstanceOf(uint32(i)) == inst &&
			ip.PrefixFrom(p.Config.Address).Contains(v.Address) {
			return ip.AddrFrom(p.Config.Address.Addr())
		}
	}
	return inst.SourceTo(v.Address)
}

func (t talker) end() facts.End {
	e := facts.End{Absent: t.d == nil, Address: t.addr.String(), State: bgp.StateNames[bgp.Idle]}
	if !t.addr.IsValid() {
		e.Address = ""
	}
	if t.d == nil {
		return e
	}
	e.Device, e.Instance = t.d.Device().Name(), t.d.Name()
	for i := range t.d.Device().Ports() {
		if p := &t.d.Device().Ports()[i]; !p.Gone && p.Config.Address.IsValid() && t.d.Device().InstanceOf(uint32(i)) == t.d &&
			ip.AddrFrom(p.Config.Address.Addr()) == t.addr {
			e.Port = p.Config.Name
		}
	}
	if t.d.BGP().Running() {
		e.RouterID = t.d.BGP().RouterID().String()
	}
	if !t.has {
		return e
	}
	e.State, e.Since = t.v.State.String(), t.v.Since.Seconds()
	if t.v.HoldAt != 0 && t.v.State == bgp.Established {
		in := (t.v.HoldAt - t.w.Now()).Seconds()
		e.DeadIn = &in
	}
	return e
}

func (t talker) side() *SessionSide {
	if !t.has {
		return nil
	}
	v := t.v
	s := &SessionSide{AS: t.d.Config().BGP.AS, Peer: v.Address.String(), PeerAS: v.Config.AS, Group: v.Config.Group,
		Description: v.Config.Description,
		Import:      v.Config.Import, Export: v.Config.Export, Client: v.Config.Client, Received: v.Received,
		Accepted: v.Accepted, Sent: v.Sent,
		Waiting: v.Waiting, HoldTime: labtext.FormatDuration(v.Config.HoldTime), Ups: v.Ups, Opened: v.Opened,
		Faults:       v.Faults,
		Capabilities: capabilities(v), Messages: []MessageCount{}}
	if v.State == bgp.Established {
		s.HoldTime = labtext.FormatDuration(time.Duration(v.HoldTime))
		c := t.d.TCP().View(v.Conn)
		s.TCP = phrase.Say("%v port %d to %v port %d, %v", c.Local, c.LocalPort, c.Remote, c.RemotePort, c.State)
	}
	if v.NextTry != 0 && v.State < bgp.OpenSent {
		in := (v.NextTry - t.w.Now()).Seconds()
		s.NextTry = &in
	}
	if v.Last.Reason != note.None {
		s.Ended = endingWords(v.Last)
		at := v.Last.At.Seconds()
		s.EndedAt = &at
	}
	for k := wire.TypeOpen; k <= wire.TypeRouteRefresh; k++ {
		s.Messages = append(s.Messages, MessageCount{k.String(), v.Out[k], v.In[k]})
	}
	return s
}

// endingWords says how a session or an attempt ended.
func endingWords(e bgp.Ending) string {
	words := e.Reason.Info().Text
	if e.Received {
		words = phrase.Say("the peer sent a NOTIFICATION: %s", wire.CodeWords(e.Code, e.Subcode))
	} else if e.Notify {
		words += phrase.Say("; it was sent a NOTIFICATION: %s", wire.CodeWords(e.Code, e.Subcode))
	}
	if e.Text != "" {
		words += fmt.Sprintf(", %q", e.Text)
	}
	return words
}

func capabilities(v bgp.PeerView) []Capability {
	out := []Capability{}
	words := func(list []wire.Capability, code uint8) string {
		for _, c := range list {
			if c.Code != code {
				continue
			}
			switch {
			case code == wire.CapFourOctetAS && len(c.Value) == 4:
				return "AS " + strconv.FormatUint(uint64(c.Value[0])<<24|uint64(c.Value[1])<<16|uint64(c.Value[2])<<8|uint64(c.Value[3]), 10)
			case code == wire.CapMultiprotocol:
				if f, ok := wire.ReadFamily(c.Value); ok {
					return f.String()
				}
			}
			return "yes"
		}
		return ""
	}
	for _, r := range wire.CapabilityNames {
		c := Capability{Name: r.Name, RFC: r.RFC, Sent: words(v.SentCaps, r.Code), Received: words(v.TheirCaps, r.Code)}
		if c.Sent != "" || c.Received != "" {
			out = append(out, c)
		}
	}
	return out
}

func sessionRow(w *network.World, a, b talker) Neighbour {
	if b.d != nil && b.has && b.d.Ref() < a.d.Ref() {
		a, b = b, a
	}
	n := Neighbour{Protocol: "bgp", A: a.end(), B: b.end(), Reasons: []facts.Reason{},
		Session: &Session{External: a.v.External, A: a.side(), B: b.side()}}
	n.State, n.Since = n.A.State, n.A.Since
	if b.has && b.v.State < a.v.State {
		n.State, n.Since = n.B.State, n.B.Since
	}
	if !b.has {
		n.State = n.A.State
	}
	n.Up = a.v.State == bgp.Established && b.has && b.v.State == bgp.Established
	if n.Up {
		n.Since = max(n.A.Since, n.B.Since)
		return n
	}
	c := &sessionReasons{a: a, b: b}
	c.observed()
	c.foreseen()
	// That nobody answered is no reason where it is known why.
	if slices.ContainsFunc(c.list, func(r facts.Reason) bool {
		return slices.Contains([]string{note.TTLTooShort.String(), note.TTLTooLow.String(),
			note.PeerCaptured.String()}, r.Code)
	}) {
		c.list = slices.DeleteFunc(c.list,
			func(r facts.Reason) bool { return r.Code == note.ConnectionUnanswered.String() })
	}
	// What the other end said of it explains less than what is behind it.
	slices.SortStableFunc(c.list, func(a, b facts.Reason) int {
		rank := map[string]int{note.NotificationReceived.String(): 1, note.ConnectionClosed.String(): 1}
		return rank[a.Code] - rank[b.Code]
	})
	n.Reasons = append(n.Reasons, c.list...)
	return n
}

// fixed is the end as fixes know it.
func (t talker) fixed(other talker) fixes.End {
	e := fixes.Of(t.d)
	e.Peer, e.Has = other.addr, t.has
	if t.has {
		e.Peer = t.v.Address
	}
	return e
}

func (t talker) name() string {
	if t.d == nil {
		return t.addr.String()
	}
	return t.d.Ref()
}
