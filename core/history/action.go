// Package history is a lab over time: its journal of actions, and from it the
// world at any moment. A lab is its text and its journal; everything else here
// is made again by replaying them.
package history

import (
	"fmt"
	"net/netip"
	"strings"
	"time"

	"hellebore/core/bgp"
	"hellebore/core/config"
	"hellebore/core/device"
	"hellebore/core/event"
	"hellebore/core/labtext"
	"hellebore/core/network"
	"hellebore/core/wire/ip"
)

// Kind is what an action does.
type Kind uint8

// The kinds of actions.
const (
	Apply Kind = iota // a text becomes the configuration
	Cut
	Silence
	Mend
	Disable
	Enable
	Wait
	Restart // of a routing process
	Join    // a port to a segment
	Part    // a port from its segment
	Reset   // a BGP session, or all of a router
	Resend  // what a peer sent, or what it was sent
	Settle  // nothing: what was given up before it settled goes on
)

var kindNames = [...]string{"apply", "cut", "silence", "mend", "disable", "enable", "wait", "restart", "join", "part", "reset", "resend", "settle"}

func (k Kind) String() string { return kindNames[k] }

// Action is one thing that is done to a lab.
type Action struct {
	Kind      Kind
	Text      string         // of Apply
	Target    config.PortRef // of the others; Port is "" for a whole device
	Direction network.Direction
	Segment   string        // of Join
	For       time.Duration // of Wait
	Protocol  string        // of Restart: ospf or bgp
	Peer      string        // of Reset, Resend, Disable and Enable of a peer: its address, or all
	Way       string        // of Resend: from or to
}

// String is the action as it is typed; an Apply's text is left out.
func (a Action) String() string {
	switch a.Kind {
	case Apply, Settle:
		return a.Kind.String()
	case Wait:
		return "wait " + labtext.FormatDuration(a.For)
	case Restart:
		return "restart " + a.Protocol + " on " + a.Target.Device
	case Resend:
		return "resend " + a.Way + " " + a.Peer + " on " + a.Target.Device
	case Join:
		return "join " + a.Target.String() + " " + a.Segment
	}
	if a.Peer != "" {
		return a.Kind.String() + " " + a.Peer + " on " + a.Target.Device
	}
	s := a.Kind.String() + " " + a.Target.Device
	switch {
	case a.Target.Port == "":
	case a.Kind == Disable || a.Kind == Enable: // without the port it is the whole host
		s += "." + a.Target.Port
	default:
		s = a.Kind.String() + " " + a.Target.String()
	}
	if a.Kind == Silence && a.Direction != network.Both {
		s += " " + a.Direction.String()
	}
	return s
}

// ParseAction reads an action as it is typed: "cut viaduct.e1", "silence
// viaduct.e1 out", "wait 30s". An Apply cannot be typed, since it needs a text.
func ParseAction(s string) (Action, error) {
	words := strings.Fields(s)
	if len(words) == 0 {
		return Action{}, fmt.Errorf("no action; write for example: cut viaduct.e1")
	}
	a := Action{}
	found := false
	for k := Cut; k <= Settle; k++ {
		if words[0] == k.String() {
			a.Kind, found = k, true
		}
	}
	if !found {
		return a, fmt.Errorf("%q is not an action; known: %s", words[0], strings.Join(kindNames[1:], ", "))
	}
	if a.Kind == Settle {
		if len(words) > 1 {
			return a, fmt.Errorf("settle stands alone: it lets the network run until it is settled")
		}
		return a, nil
	}
	if a.Kind == Restart {
		if len(words) != 4 || words[1] != "ospf" && words[1] != "bgp" || words[2] != "on" {
			return a, fmt.Errorf("restart what? write for example: restart ospf on viaduct, or restart bgp on viaduct")
		}
		a.Protocol, a.Target.Device = words[1], words[3]
		return a, nil
	}
	if len(words) >= 3 && words[len(words)-2] == "on" || a.Kind == Reset || a.Kind == Resend {
		return parsePeerAction(a, words)
	}
	if len(words) < 2 {
		return a, fmt.Errorf("%s what? write for example: %s", words[0], map[bool]string{true: "wait 30s", false: words[0] + " viaduct.e1"}[a.Kind == Wait])
	}
	if a.Kind == Wait {
		d, err := time.ParseDuration(words[1])
		if err != nil || d <= 0 || len(words) > 2 {
			return a, fmt.Errorf("%q is not a time to wait; write a number and a unit, for example wait 30s", strings.Join(words[1:], " "))
		}
		a.For = d
		return a, nil
	}
	device, port, dotted := strings.Cut(words[1], ".")
	if device == "" || dotted && port == "" {
		return a, fmt.Errorf("%q names no port; write for example: %s viaduct.e1", words[1], words[0])
	}
	a.Target = config.PortRef{Device: device, Port: port}
	if !dotted && a.Kind != Disable && a.Kind != Enable {
		a.Target.Port = config.HostPort
	}
	switch {
	case a.Kind == Join && len(words) == 3:
		a.Segment = words[2]
	case a.Kind == Join:
		return a, fmt.Errorf("join needs a port and a segment; write for example: join %s yard", words[1])
	case len(words) == 2:
	case len(words) == 3 && a.Kind == Silence && words[2] == "out":
		a.Direction = network.Out
	case len(words) == 3 && a.Kind == Silence && words[2] == "in":
		a.Direction = network.In
	default:
		return a, fmt.Errorf("%q is one word too many; only silence takes a direction, out or in", words[len(words)-1])
	}
	return a, nil
}

// parsePeerAction reads what is done to a BGP session: "reset 192.0.2.2 on
// viaduct", "reset all on viaduct", "resend from 192.0.2.2 on viaduct".
func parsePeerAction(a Action, words []string) (Action, error) {
	example := "reset 192.0.2.2 on viaduct, or reset all on viaduct"
	rest := words[1:]
	switch a.Kind {
	case Resend:
		example = "resend from 192.0.2.2 on viaduct, or resend to 192.0.2.2 on viaduct"
		if len(rest) > 0 && (rest[0] == "from" || rest[0] == "to") {
			a.Way, rest = rest[0], rest[1:]
		} else {
			rest = nil
		}
	case Disable, Enable:
		example = words[0] + " 192.0.2.2 on viaduct"
	case Reset:
	default:
		return a, fmt.Errorf("%s is nothing that is done to a peer", words[0])
	}
	if len(rest) != 3 || rest[1] != "on" {
		return a, fmt.Errorf("%s which session? write for example: %s", words[0], example)
	}
	if _, err := netip.ParseAddr(rest[0]); err != nil && !(rest[0] == "all" && a.Kind == Reset) {
		return a, fmt.Errorf("%q is not the address of a peer; write for example: %s", rest[0], example)
	}
	a.Peer, a.Target.Device = rest[0], rest[2]
	return a, nil
}

// performOnPeer does the action to a session.
func (a Action) performOnPeer(d *device.Device) error {
	if !d.BGP().Running() {
		return fmt.Errorf("BGP does not run on %s", d.Name())
	}
	var peers []ip.Addr
	d.BGP().Peers(func(v bgp.PeerView) {
		if a.Peer == "all" || v.Address.String() == a.Peer {
			peers = append(peers, v.Address)
		}
	})
	if len(peers) == 0 {
		return fmt.Errorf("%s has no peer %s", d.Name(), a.Peer)
	}
	for _, p := range peers {
		ok := d.Peer(p, func(s *bgp.Speaker, i int) bool {
			switch {
			case a.Kind == Reset:
				s.Reset(d, i, "")
			case a.Kind == Resend && a.Way == "from":
				return s.AskAgain(d, i)
			case a.Kind == Resend:
				return s.SendAgain(d, i)
			case a.Kind == Disable:
				s.Force(d, i, bgp.ForceDisabled)
			default:
				s.Force(d, i, bgp.ForceEnabled)
			}
			return true
		})
		if !ok {
			return fmt.Errorf("the session of %s with %s is not up", d.Name(), a.Peer)
		}
	}
	return nil
}

// perform does the action to a world. The error says what it refers to that is
// not there; the world is untouched then.
func (a Action) perform(w *network.World, lab *config.Lab) error {
	switch a.Kind {
	case Apply:
		w.Configure(lab)
		return nil
	case Wait, Settle:
		return nil
	}
	d := w.Find(a.Target.Device)
	if d == nil {
		return fmt.Errorf("there is no device named %s", a.Target.Device)
	}
	if a.Peer != "" {
		return a.performOnPeer(d)
	}
	if a.Kind == Restart && a.Protocol == "bgp" {
		if !d.RestartBGP() {
			return fmt.Errorf("BGP does not run on %s", d.Name())
		}
		return nil
	}
	if a.Kind == Restart {
		if !d.RestartOSPF() {
			return fmt.Errorf("OSPF does not run on %s", d.Name())
		}
		return nil
	}
	override := device.ForceDisabled
	if a.Kind == Enable {
		override = device.ForceEnabled
	}
	if a.Target.Port == "" {
		w.ForceDevice(d.ID(), override)
		return nil
	}
	p, ok := d.Port(a.Target.Port)
	if !ok {
		if a.Target.Port == config.HostPort {
			return errWhichPort(d)
		}
		return fmt.Errorf("%s has no port named %s", d.Name(), a.Target.Port)
	}
	m, _, joined := w.MediumOf(d.ID(), p)
	if a.Kind == Join {
		s := w.Segment(a.Segment)
		if s == nil {
			return fmt.Errorf("there is no segment named %s", a.Segment)
		}
		if d.Ports()[p].Config.Loopback || !w.JoinSegment(d.ID(), p, s) {
			return fmt.Errorf("%v is joined already; part it first", a.Target)
		}
		return nil
	}
	if !joined && a.Kind != Disable && a.Kind != Enable {
		return fmt.Errorf("%v is not joined to anything", a.Target)
	}
	switch a.Kind {
	case Cut:
		if !w.Cut(d.ID(), p) {
			return fmt.Errorf("the link of %v is cut already", a.Target)
		}
	case Silence:
		if !w.Silence(d.ID(), p, a.Direction) {
			return fmt.Errorf("the link of %v is silent already", a.Target)
		}
	case Mend:
		if !w.Mend(d.ID(), p) {
			return fmt.Errorf("the link of %v has no fault", a.Target)
		}
	case Part:
		if !w.Part(d.ID(), p) {
			return fmt.Errorf("%v is on the link %s, not on a segment; cut it instead", a.Target, linkWords(w, m))
		}
	case Disable, Enable:
		w.ForcePort(d.ID(), p, override)
	}
	return nil
}

// errWhichPort says that an action on a router names no port.
func errWhichPort(d *device.Device) error {
	if len(d.Ports()) == 0 {
		return fmt.Errorf("%s has no port", d.Name())
	}
	return fmt.Errorf("%s is a router: say which port, for example %s.%s", d.Name(), d.Name(), d.Ports()[0].Config.Name)
}

// until is when a Wait that begins at start ends.
func (a Action) until(start event.Time) event.Time { return start + event.FromDuration(a.For) }

// linkWords names a link by its ends.
func linkWords(w *network.World, m *network.Medium) string {
	name := func(e network.End) string {
		d := w.Device(e.Device)
		return config.PortRef{Device: d.Name(), Port: d.Ports()[e.Port].Config.Name}.String()
	}
	return name(m.Ends[0]) + " " + name(m.Ends[1])
}
