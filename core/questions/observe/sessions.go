package observe

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/route"
	wire "hellebore/core/protocols/wire/bgp"
	"hellebore/core/protocols/wire/ip"
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

// talker is one end of a session in its world: a router and its peer, or a router
// that was meant and has no such peer.
type talker struct {
	w    *network.World
	d    *device.Device // nil if nobody has the address
	v    bgp.PeerView
	has  bool    // the peer is configured
	addr ip.Addr // of this end: as the other end has it
}

// sessionsOf are the relations of BGP: one row a pair of peers.
func sessionsOf(w *network.World) []Neighbour {
	var out []Neighbour
	type end struct {
		device uint32
		peer   int
	}
	done := map[end]bool{}
	for _, d := range w.Devices() {
		if d.Gone() || d.Config().BGP.AS == 0 {
			continue
		}
		for _, v := range peersOf(d) {
			if done[end{d.ID(), v.Number}] {
				continue
			}
			a := talker{w: w, d: d, v: v, has: true}
			b := talker{w: w, d: w.Owner(v.Address), addr: v.Address}
			if b.d != nil && b.d != d {
				if back, ok := backOf(w, d, v, b.d); ok {
					b.v, b.has = back, true
					a.addr = back.Address
					done[end{b.d.ID(), back.Number}] = true
				}
			}
			if a.addr == 0 {
				a.addr = cmp.Or(v.Local, localOf(d, v))
			}
			out = append(out, sessionRow(w, a, b))
		}
	}
	return out
}

// peersOf are a router's peers; those of a speaker that does not run are made of
// the configuration.
func peersOf(d *device.Device) []bgp.PeerView {
	var out []bgp.PeerView
	if d.BGP().Running() {
		d.BGP().Peers(func(v bgp.PeerView) { out = append(out, v) })
		return out
	}
	g := &d.Config().BGP
	for i := range g.Peers {
		out = append(out, bgp.PeerView{Number: -1 - i, Config: g.Peers[i], Address: ip.AddrFrom(g.Peers[i].Address), External: g.External(&g.Peers[i])})
	}
	return out
}

// backOf is the peer at far that stands for d: the one of the session that is up,
// else the one whose address is that which d uses, else any of d's addresses that
// no other peer of d answers to.
func backOf(w *network.World, d *device.Device, v bgp.PeerView, far *device.Device) (back bgp.PeerView, ok bool) {
	best := 0
	for _, o := range peersOf(far) {
		rank := 0
		switch {
		case v.Local != 0 && o.Address == v.Local && o.Local == v.Address:
			rank = 4
		case o.Address == localOf(d, v) && localOf(far, o) == v.Address:
			rank = 3
		case o.Address == localOf(d, v):
			rank = 2
		case d.Owns(o.Address) && !spokenFor(d, far, v, o.Address):
			rank = 1
		}
		if rank > best {
			best, back, ok = rank, o, true
		}
	}
	return back, ok
}

// spokenFor says whether another session of d with far has an address of d's.
func spokenFor(d, far *device.Device, v bgp.PeerView, a ip.Addr) bool {
	return slices.ContainsFunc(peersOf(d), func(x bgp.PeerView) bool {
		return x.Address != v.Address && far.Owns(x.Address) && localOf(d, x) == a
	})
}

// localOf is the address that a router uses towards a peer, as far as that can be
// told now.
func localOf(d *device.Device, v bgp.PeerView) ip.Addr {
	if v.Local != 0 {
		return v.Local
	}
	if v.Config.Local != "" {
		if p := d.Config().Port(v.Config.Local); p != nil {
			return ip.AddrFrom(p.Address.Addr())
		}
	}
	for i := range d.Ports() { // on a common network: also while the port is down
		p := &d.Ports()[i]
		if !p.Gone && p.Config.Address.IsValid() && !p.Config.Loopback && ip.PrefixFrom(p.Config.Address).Contains(v.Address) {
			return ip.AddrFrom(p.Config.Address.Addr())
		}
	}
	return d.SourceTo(v.Address)
}

func (t talker) end() End {
	e := End{Absent: t.d == nil, Address: t.addr.String(), State: bgp.StateNames[bgp.Idle]}
	if t.addr == 0 {
		e.Address = ""
	}
	if t.d == nil {
		return e
	}
	e.Device = t.d.Name()
	for i := range t.d.Ports() {
		if p := &t.d.Ports()[i]; !p.Gone && p.Config.Address.IsValid() && ip.AddrFrom(p.Config.Address.Addr()) == t.addr {
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
	s := &SessionSide{AS: t.d.Config().BGP.AS, Peer: v.Address.String(), PeerAS: v.Config.AS, Group: v.Config.Group, Description: v.Config.Description,
		Import: v.Config.Import, Export: v.Config.Export, Client: v.Config.Client, Received: v.Received, Accepted: v.Accepted, Sent: v.Sent,
		Waiting: v.Waiting, HoldTime: labtext.FormatDuration(v.Config.HoldTime), Ups: v.Ups, Opened: v.Opened, Faults: v.Faults,
		Capabilities: capabilities(v), Messages: []MessageCount{}}
	if v.State == bgp.Established {
		s.HoldTime = labtext.FormatDuration(time.Duration(v.HoldTime))
		c := t.d.TCP().View(v.Conn)
		s.TCP = fmt.Sprintf("%v port %d to %v port %d, %v", c.Local, c.LocalPort, c.Remote, c.RemotePort, c.State)
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
		words = "the peer sent a NOTIFICATION: " + wire.CodeWords(e.Code, e.Subcode)
	} else if e.Notify {
		words += "; it was sent a NOTIFICATION: " + wire.CodeWords(e.Code, e.Subcode)
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
				return "IPv4 unicast"
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
	if b.d != nil && b.has && b.d.Name() < a.d.Name() {
		a, b = b, a
	}
	n := Neighbour{Protocol: "bgp", A: a.end(), B: b.end(), Reasons: []Reason{},
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
	if slices.ContainsFunc(c.list, func(r Reason) bool {
		return slices.Contains([]string{note.TTLTooShort.String(), note.TTLTooLow.String(), note.PeerCaptured.String()}, r.Code)
	}) {
		c.list = slices.DeleteFunc(c.list, func(r Reason) bool { return r.Code == note.ConnectionUnanswered.String() })
	}
	// What the other end said of it explains less than what is behind it.
	slices.SortStableFunc(c.list, func(a, b Reason) int {
		rank := map[string]int{note.NotificationReceived.String(): 1, note.ConnectionClosed.String(): 1}
		return rank[a.Code] - rank[b.Code]
	})
	n.Reasons = append(n.Reasons, c.list...)
	return n
}

// sessionReasons gathers why a session is not up.
type sessionReasons struct {
	a, b talker
	list []Reason
}

func (t talker) name() string {
	if t.d == nil {
		return t.addr.String()
	}
	return t.d.Name()
}

// add keeps a reason once; by is the end that it is said of or that observed it,
// mine and theirs are the values at a and b.
func (c *sessionReasons) add(code note.Code, source string, by, other talker, mine, theirs string) *Reason {
	if by.d != c.a.d || by.addr != c.a.addr {
		mine, theirs = theirs, mine
	}
	for i := range c.list {
		if r := &c.list[i]; r.Code == code.Info().Slug && (r.By == by.name() || r.Mine == mine && r.Theirs == theirs) {
			return r
		}
	}
	r := plainReason(code, source)
	r.Mine, r.Theirs = mine, theirs
	own, far := mine, theirs
	if by.d != c.a.d || by.addr != c.a.addr {
		own, far = theirs, mine
	}
	r.Remedy = strings.NewReplacer("{a}", by.name(), "{b}", other.name(), "{mine}", own, "{theirs}", far).Replace(r.Remedy)
	r.By = by.name()
	c.list = append(c.list, r)
	return &c.list[len(c.list)-1]
}

func (c *sessionReasons) each(what func(t, other talker)) {
	what(c.a, c.b)
	what(c.b, c.a)
}

// observed is what the routers know: what keeps them from trying, how the last
// attempt ended, and whom they turned away.
func (c *sessionReasons) observed() {
	c.each(func(t, other talker) {
		if t.d == nil || !t.has {
			return
		}
		if up := t.d.Enabled(); !up {
			c.add(note.DeviceDisabled, "observed", t, other, "", "")
			return
		}
		if code := t.v.Blocked; code != note.None {
			c.add(code, "observed", t, other, "", other.addr.String())
		}
		if t.v.Limited {
			c.add(note.PrefixLimit, "observed", t, other, fmt.Sprintf("%d at most", t.v.Last.Mine), fmt.Sprintf("%d sent", t.v.Last.Theirs))
			return
		}
		if l := t.v.Last; l.Reason != note.None && t.v.State < bgp.OpenSent {
			mine, theirs := endingValues(l)
			if r := c.add(l.Reason, "observed", t, other, mine, theirs); l.Received || l.Notify {
				r.Text = endingWords(l)
			}
		}
	})
	c.each(func(t, other talker) {
		if t.d == nil || other.d == nil {
			return
		}
		for _, x := range t.d.BGP().Strangers() {
			if !other.d.Owns(x.From) || t.has && x.To != t.addr && x.Reason != note.WrongLocalAddress {
				continue
			}
			if t.has && x.From == t.v.Address && t.v.State >= bgp.OpenSent {
				continue
			}
			expected := "no such peer"
			if t.has && x.Reason == note.PeerUnknown {
				expected = t.v.Address.String()
			}
			r := c.add(x.Reason, "observed", t, other, expected, x.From.String())
			r.Count += x.Count
		}
	})
}

func endingValues(l bgp.Ending) (mine, theirs string) {
	switch l.Reason {
	case note.PeerASDiffers:
		return fmt.Sprintf("expects AS %d", l.Mine), fmt.Sprintf("AS %d", l.Theirs)
	case note.SameRouterID:
		return ip.Addr(l.Mine).String(), ip.Addr(l.Theirs).String()
	case note.HoldTimeExpired:
		return formatValue("duration", l.Mine), ""
	}
	return "", ""
}

// foreseen is what the two configurations say is, or will be, in the way.
func (c *sessionReasons) foreseen() {
	a, b := c.a, c.b
	say := func(code note.Code, by, other talker, mine, theirs string) *Reason {
		return c.add(code, "foreseen", by, other, mine, theirs)
	}
	c.each(func(t, other talker) {
		if t.d == nil {
			return
		}
		g := &t.d.Config().BGP
		switch {
		case t.d.Kind() == config.Host:
			say(note.FarEndNotAPort, t, other, "a host", "")
		case g.AS == 0:
			r := say(note.ProtocolAbsent, t, other, "no BGP", "")
			r.Text, r.Remedy = "BGP does not run on "+t.name(), "add bgp as NUMBER to "+t.name()
		case g.Disabled:
			r := say(note.ProtocolDisabled, t, other, "disabled", "enabled")
			r.Text, r.Remedy = "BGP is disabled on "+t.name(), "enable it on "+t.name()
		case !t.has && other.has:
			r := say(note.PeerUnknown, t, other, "no such peer", other.addr.String())
			r.Text = fmt.Sprintf("%s has no peer %v", t.name(), other.addr)
			r.Remedy = fmt.Sprintf("add peer %v as %d on %s", other.addr, other.d.Config().BGP.AS, t.name())
		}
	})
	if b.d == nil {
		r := say(note.NoRoute, a, b, "", a.v.Address.String())
		r.What, r.Text, r.Remedy = "peer", fmt.Sprintf("no router has the address %v", a.v.Address), "write the address of the other router"
		return
	}
	if !a.has || !b.has {
		return
	}
	c.each(func(t, other talker) {
		if real := other.d.Config().BGP.ASTowards(&other.v.Config); t.v.Config.AS != real && real != 0 {
			say(note.PeerASDiffers, t, other, fmt.Sprintf("expects AS %d", t.v.Config.AS), fmt.Sprintf("AS %d", real))
		}
		if from := localOf(t.d, t.v); from != 0 && from != other.v.Address {
			r := say(note.PeerUnknown, other, t, other.v.Address.String(), from.String())
			r.Text = fmt.Sprintf("%s comes from %v, and %s expects it from %v", t.name(), from, other.name(), other.v.Address)
			r.Remedy = fmt.Sprintf("set local-address on %s to the port with %v", t.name(), other.v.Address)
		}
	})
	if a.v.Config.Passive && b.v.Config.Passive {
		say(note.BothPassive, a, b, "passive", "passive")
	}
	c.keys()
	hops := func(t talker) string {
		switch {
		case t.v.Config.TTLSecurity > 0:
			return fmt.Sprintf("ttl-security %d", t.v.Config.TTLSecurity)
		case t.v.Config.Multihop > 0:
			return fmt.Sprintf("multihop %d", t.v.Config.Multihop)
		case t.v.External:
			return "TTL 1"
		}
		return "TTL 64"
	}
	if (a.v.Config.TTLSecurity > 0) != (b.v.Config.TTLSecurity > 0) {
		say(note.TTLTooLow, a, b, hops(a), hops(b))
	}
	c.each(func(t, other talker) { c.travel(t, other, hops) })
}

// travel says what becomes of packets for the other end: whether their TTL lasts,
// and whether a route that BGP itself brought leads them elsewhere.
func (c *sessionReasons) travel(t, other talker, ttl func(talker) string) {
	if t.v.Blocked != note.None || !t.d.Enabled() || t.v.State == bgp.Established {
		return
	}
	path := Walk(t.w, t.d, t.v.Address)
	for _, h := range path.Hops {
		// A prefix that BGP has learned of, and that leads to the peer's own address.
		if h.Source == route.BGP.String() && (!path.Arrives || path.Hops[len(path.Hops)-1].Device != other.name()) {
			r := c.add(note.PeerCaptured, "observed", t, other, h.Prefix, t.v.Address.String())
			r.Text = fmt.Sprintf("packets for %v leave %s by the BGP route %s, and do not arrive: %s", t.v.Address, h.Device, h.Prefix, path.Reason)
			r.Remedy = fmt.Sprintf("keep %s out with the import policy of %s, or give it a more specific route to %v", h.Prefix, h.Device, t.v.Address)
			return
		}
	}
	if !path.Arrives {
		r := c.add(note.NoRouteToPeer, "observed", t, other, "", t.v.Address.String())
		r.Text = fmt.Sprintf("packets from %s for %v do not arrive: %s", t.name(), t.v.Address, path.Reason)
		return
	}
	needed := max(1, len(path.Hops)-1)
	send, _ := t.v.TTL()
	_, least := other.v.TTL()
	far := fmt.Sprintf("%s away", plural(needed, "hop"))
	switch {
	case needed > int(send):
		r := c.add(note.TTLTooShort, "observed", t, other, ttl(t), far)
		r.Text = fmt.Sprintf("%v is %s from %s, and packets of the session go %s: %s drops them", t.v.Address, far, t.name(), plural(int(send), "hop"), path.Hops[int(send)].Device)
		r.Remedy = fmt.Sprintf("set multihop %d on %s for the peer %v, and the same at the other end", needed, t.name(), t.v.Address)
	case int(send)-needed+1 < int(least):
		r := c.add(note.TTLTooLow, "observed", other, t, ttl(other), far)
		r.Remedy = fmt.Sprintf("set ttl-security %d on both ends", needed)
	}
}

// keys says whether each end takes what the other signs now (RFC 2385 2.0).
func (c *sessionReasons) keys() {
	now := time.Duration(c.a.w.Now())
	words := func(k *config.KeyChain) string {
		if k == nil {
			return "no keys"
		}
		return fmt.Sprintf("key %d of %s", k.Sending(now).ID, k.Name)
	}
	c.each(func(t, other talker) {
		mine, theirs := t.v.Config.Keys, other.v.Config.Keys
		say := func(code note.Code, text string) {
			c.add(code, "foreseen", t, other, words(mine), words(theirs)).Text = fmt.Sprintf(text, t.name(), other.name())
		}
		switch {
		case mine == nil && theirs == nil:
		case mine == nil:
			say(note.SignatureUnexpected, "%s has no keys for the session, and drops what %s signs")
		case theirs == nil:
			say(note.SignatureMissing, "%s drops what is not signed, and %s does not sign")
		case !slices.ContainsFunc(mine.Taken(now), func(k config.Key) bool { return k.Secret == theirs.Sending(now).Secret }):
			say(note.SignatureDiffers, "%s takes none of what %s signs: the keys differ")
		}
	})
}
