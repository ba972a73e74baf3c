package history

import (
	"math"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/feed"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Form is one way to write an action. Its words are literals, with "|" between those
// that may be in one place, and what is named, in capitals: a word of the table
// of fields below.
type Form struct {
	Kind    Kind
	Form    string
	Says    string // what it does
	Example string
	do      func(a Action, w *network.World, d *device.Device) error // nil: nothing at once
}

// Forms are all actions that can be typed, a row each: reading and writing, doing,
// completion and documents follow from it. An apply cannot be typed, since it needs
// a text.
var Forms = []Form{
	{Cut, "cut PORT", "cuts the link of a port: both ends lose carrier", "cut viaduct.e1", onPort(cut)},
	{Silence, "silence PORT", "has the link of a port lose every packet; both ends keep carrier", "silence viaduct.e1", onPort(silence)},
	{Silence, "silence PORT out|in", "the same in one direction", "silence viaduct.e1 out", onPort(silence)},
	{Mend, "mend PORT", "ends a cut or a silence", "mend viaduct.e1", onPort(mend)},
	{Fail, "fail GROUP", "has all of a risk group fail at once: links and segments are cut, devices are switched off", `fail "north duct"`, nil},
	{Mend, "mend GROUP", "ends all faults of what is in a risk group, and switches on the devices that actions switched off", `mend "north duct"`, nil},
	{Disable, "disable DEVICE", "switches a device off", "disable viaduct", forceDevice(config.ForceDisabled)},
	{Disable, "disable PORT", "disables a port", "disable viaduct.e1", forcePort(config.ForceDisabled)},
	{Disable, "disable PEER on ROUTER", "ends a BGP session and keeps it down", "disable 192.0.2.2 on viaduct", onPeer(forcePeer(config.ForceDisabled))},
	{Enable, "enable DEVICE", "switches a device on", "enable viaduct", forceDevice(config.ForceEnabled)},
	{Enable, "enable PORT", "enables a port", "enable viaduct.e1", forcePort(config.ForceEnabled)},
	{Enable, "enable PEER on ROUTER", "lets a BGP session come up", "enable 192.0.2.2 on viaduct", onPeer(forcePeer(config.ForceEnabled))},
	{Wait, "wait TIME", "lets virtual time pass", "wait 30s", nil},
	{Restart, "restart ospf|bgp on ROUTER", "restarts a routing process without a word to its neighbours", "restart ospf on viaduct", restart},
	{Join, "join PORT SEGMENT", "plugs a port into a segment", "join viaduct.e1 yard", join},
	{Part, "part PORT", "unplugs a port from its segment", "part viaduct.e1", onPort(part)},
	{Reset, "reset PEER|all on ROUTER", "ends a BGP session, or all of a router; they come up again", "reset 192.0.2.2 on viaduct", onPeer(reset)},
	{Resend, "resend from|to PEER on ROUTER", "asks a peer for its routes again (from), or sends it ours again (to)", "resend from 192.0.2.2 on viaduct", onPeer(resend)},
	{Withdraw, "withdraw SHARE on ROUTER", "withdraws a share of the prefixes of a router's feeds", "withdraw 30% on carrier", onFeeds(withdraw)},
	{Advertise, "advertise all on ROUTER", "advertises what was withdrawn of a router's feeds", "advertise all on carrier", onFeeds(advertise)},
	{Flap, "flap SHARE on ROUTER", "withdraws a share of the prefixes of a router's feeds, and advertises them again 10 s later", "flap 30% on carrier", onFeeds(flap)},
	{Settle, "settle", "lets the network go on until it is settled", "settle", nil},
}

// field is what a form names, or chooses: how it is read into an action, and read out
// of it, "" if the action does not have it.
type field struct {
	what string // in errors
	set  func(a *Action, word string) bool
	get  func(a *Action) string
}

var fields = map[string]field{
	"PORT": {"a port", func(a *Action, word string) bool {
		device, port, dotted := strings.Cut(word, ".")
		if !dotted {
			port = config.HostPort
		}
		a.Target = config.PortRef{Device: device, Port: port}
		return device != "" && port != "" && !strings.HasPrefix(word, quote)
	}, func(a *Action) string {
		switch {
		case a.Target.Port == "":
			return ""
		case a.Kind == Disable || a.Kind == Enable: // without the port it is the whole host
			return a.Target.Device + "." + a.Target.Port
		}
		return a.Target.String()
	}},
	"DEVICE": {"a device", func(a *Action, word string) bool {
		a.Target = config.PortRef{Device: word}
		return !strings.Contains(word, ".")
	}, func(a *Action) string {
		if a.Target.Port != "" || a.Peer != "" {
			return ""
		}
		return a.Target.Device
	}},
	"ROUTER": {"a router, or an instance of one", func(a *Action, word string) bool {
		a.Target.Device, a.Instance, _ = strings.Cut(word, "/")
		if a.Instance == config.MainInstance {
			a.Instance = ""
		}
		return !strings.Contains(word, ".") && !strings.Contains(a.Instance, "/")
	}, func(a *Action) string { return config.InstanceRef(a.Target.Device, a.Instance) }},
	"PEER":     {"the address of a peer", setPeer, func(a *Action) string { return a.Peer }},
	"PEER|all": {"the address of a peer", func(a *Action, word string) bool { return setPeer(a, word) || word == "all" }, func(a *Action) string { return a.Peer }},
	"SHARE": {"a share, such as 30%", func(a *Action, word string) bool {
		number, percent := strings.CutSuffix(word, "%")
		x, err := strconv.ParseFloat(number, 64)
		a.Share = uint16(math.Round(max(0, min(x, 100)) * feed.Turns / 100))
		return percent && err == nil && x <= 100 && a.Share > 0
	}, func(a *Action) string {
		if a.Share == 0 {
			return ""
		}
		return strconv.FormatFloat(float64(a.Share)*100/feed.Turns, 'f', -1, 64) + "%"
	}},
	"GROUP": {"a risk group, in quotes", func(a *Action, word string) bool {
		name, opened := strings.CutPrefix(word, quote)
		name, closed := strings.CutSuffix(name, quote)
		a.Group = name
		return opened && closed && name != ""
	}, func(a *Action) string {
		if a.Group == "" {
			return ""
		}
		return quote + a.Group + quote
	}},
	"SEGMENT": {"a segment", func(a *Action, word string) bool { a.Segment = word; return true }, func(a *Action) string { return a.Segment }},
	"TIME": {"a time to wait, a number and a unit", func(a *Action, word string) bool {
		d, err := time.ParseDuration(word)
		a.For = d
		return err == nil && d > 0
	}, func(a *Action) string { return labtext.FormatDuration(a.For) }},
	"out|in": {"a direction, out or in", func(a *Action, word string) bool {
		a.Direction = map[string]network.Direction{"out": network.Out, "in": network.In}[word]
		return a.Direction != network.Both
	}, func(a *Action) string {
		if a.Direction == network.Both {
			return ""
		}
		return a.Direction.String()
	}},
	"ospf|bgp": {"a routing process, ospf or bgp", func(a *Action, word string) bool { a.Protocol = word; return word == "ospf" || word == "bgp" },
		func(a *Action) string { return a.Protocol }},
	"from|to": {"a direction, from or to", func(a *Action, word string) bool { a.ToPeer = word == "to"; return a.ToPeer || word == "from" },
		func(a *Action) string {
			if a.ToPeer {
				return "to"
			}
			return "from"
		}},
}

func setPeer(a *Action, word string) bool {
	a.Peer = word
	_, err := netip.ParseAddr(word)
	return err == nil
}

// String is the action as it is typed; an apply's text is left out.
func (a Action) String() string {
	best := ""
	for i := range Forms {
		if f := &Forms[i]; f.Kind == a.Kind {
			if s, ok := f.write(a); ok && len(s) > len(best) {
				best = s
			}
		}
	}
	if best == "" {
		return a.Kind.String()
	}
	return best
}

// write is the action in this form; ok is false if it lacks something.
func (f *Form) write(a Action) (s string, ok bool) {
	words := strings.Fields(f.Form)
	for i, w := range words {
		if x, named := fields[w]; named {
			if words[i] = x.get(&a); words[i] == "" {
				return "", false
			}
		}
	}
	return strings.Join(words, " "), true
}

// read is the action that words say in this form; at is the place of the first word
// that does not fit, len(words) if words are missing.
func (f *Form) read(words []string) (a Action, at int, ok bool) {
	a.Kind = f.Kind
	form := strings.Fields(f.Form)
	for i, w := range form {
		switch x, named := fields[w]; {
		case i == len(words), named && !x.set(&a, words[i]), !named && w != words[i]:
			return a, i, false
		}
	}
	return a, len(form), len(words) == len(form)
}

// ParseAction reads an action as it is typed: "cut viaduct.e1", "silence viaduct.e1
// out", "wait 30s".
func ParseAction(s string) (Action, error) {
	words := wordsOf(s)
	if len(words) == 0 {
		return Action{}, phrase.Error("no action; write for example: cut viaduct.e1")
	}
	var near *Form // the one that fits farthest
	farthest := 0
	var examples []string
	for i := range Forms {
		f := &Forms[i]
		if !strings.HasPrefix(f.Form+" ", words[0]+" ") {
			continue
		}
		a, at, ok := f.read(words)
		if ok {
			return a, nil
		}
		if examples = append(examples, f.Example); at >= farthest && at > 0 {
			near, farthest = f, at
		}
	}
	if near == nil {
		return Action{}, phrase.Errorf("%q is not an action; known: %s", words[0], strings.Join(kindNames[1:], ", "))
	}
	write := phrase.Say("; write for example: %s", strings.Join(examples, phrase.Text(", or ")))
	form := strings.Fields(near.Form)
	switch {
	case len(words) == 1:
		return Action{Kind: near.Kind}, phrase.Errorf("%s what?%s", words[0], write[1:])
	case farthest == len(form):
		return Action{Kind: near.Kind}, phrase.Errorf("%q is one word too many%s", words[farthest], write)
	case farthest == len(words):
		return Action{Kind: near.Kind}, phrase.Errorf("%s what?%s", s, write[1:])
	}
	if x, named := fields[form[farthest]]; named {
		return Action{Kind: near.Kind}, phrase.Errorf("%q is not %s%s", words[farthest], phrase.Text(x.what), write)
	}
	return Action{Kind: near.Kind}, phrase.Errorf("%q does not fit here; it should be %q%s", words[farthest], form[farthest], write)
}

// quote is around the name of a risk group.
const quote = "\""

// wordsOf are the words of an action; what is in quotes is one, with its quotes.
func wordsOf(s string) (out []string) {
	for s = strings.TrimSpace(s); s != ""; s = strings.TrimSpace(s) {
		n := strings.IndexFunc(s, unicode.IsSpace)
		if strings.HasPrefix(s, quote) {
			if end := strings.Index(s[1:], quote); end >= 0 {
				n = end + 2
			}
		}
		if n < 0 {
			n = len(s)
		}
		out, s = append(out, s[:n]), s[n:]
	}
	return out
}

// Perform does the action to a world. The error says what it refers to that is
// not there; the world is untouched then.
func (a Action) Perform(w *network.World, lab *config.Lab) error {
	if a.Kind == Apply {
		w.Configure(lab)
		return nil
	}
	i := slices.IndexFunc(Forms, func(f Form) bool { s, ok := f.write(a); return ok && f.Kind == a.Kind && s == a.String() })
	switch {
	case i < 0:
		return phrase.Errorf("%s does not say what it is done to", a.Kind)
	case a.Group != "":
		return a.toGroup(w, lab)
	case Forms[i].do == nil:
		return nil
	}
	d := w.Find(a.Target.Device)
	if d == nil {
		return phrase.Errorf("there is no device named %s", a.Target.Device)
	}
	return Forms[i].do(a, w, d)
}

// atPort and atPeer are what an action does at a port, and to a session.
type (
	atPort func(a Action, w *network.World, d *device.Device, port uint32) error
	atPeer func(a Action, inst *device.Instance, s *bgp.Speaker, i int) bool
)

// port is the port that an action names.
func (a Action) port(d *device.Device) (uint32, error) {
	p, ok := d.Port(a.Target.Port)
	switch {
	case ok:
		return p, nil
	case a.Target.Port != config.HostPort:
		return 0, phrase.Errorf("%s has no port named %s", d.Name(), a.Target.Port)
	case len(d.Ports()) == 0:
		return 0, phrase.Errorf("%s has no port", d.Name())
	}
	return 0, phrase.Errorf("%s is a router: say which port, for example %s.%s", d.Name(), d.Name(), d.Ports()[0].Config.Name)
}

// onPort does something to what a port is joined to.
func onPort(do atPort) func(Action, *network.World, *device.Device) error {
	return func(a Action, w *network.World, d *device.Device) error {
		p, err := a.port(d)
		if err != nil {
			return err
		}
		if _, _, joined := w.MediumOf(d.ID(), p); !joined {
			return phrase.Errorf("%v is not joined to anything", a.Target)
		}
		return do(a, w, d, p)
	}
}

func cut(a Action, w *network.World, d *device.Device, port uint32) error {
	if !w.Cut(d.ID(), port) {
		return phrase.Errorf("the link of %v is cut already", a.Target)
	}
	return nil
}

func silence(a Action, w *network.World, d *device.Device, port uint32) error {
	if !w.Silence(d.ID(), port, a.Direction) {
		return phrase.Errorf("the link of %v is silent already", a.Target)
	}
	return nil
}

func mend(a Action, w *network.World, d *device.Device, port uint32) error {
	if !w.Mend(d.ID(), port) {
		return phrase.Errorf("the link of %v has no fault", a.Target)
	}
	return nil
}

func part(a Action, w *network.World, d *device.Device, port uint32) error {
	if !w.Part(d.ID(), port) {
		m, _, _ := w.MediumOf(d.ID(), port)
		return phrase.Errorf("%v is on the link %s, not on a segment; cut it instead", a.Target, linkWords(w, m))
	}
	return nil
}

func join(a Action, w *network.World, d *device.Device) error {
	p, err := a.port(d)
	if err != nil {
		return err
	}
	s := w.Segment(a.Segment)
	if s == nil {
		return phrase.Errorf("there is no segment named %s", a.Segment)
	}
	if d.Ports()[p].Config.Loopback || !w.JoinSegment(d.ID(), p, s) {
		return phrase.Errorf("%v is joined already; part it first", a.Target)
	}
	return nil
}

func forceDevice(o config.Override) func(Action, *network.World, *device.Device) error {
	return func(_ Action, w *network.World, d *device.Device) error {
		w.ForceDevice(d.ID(), o)
		return nil
	}
}

func forcePort(o config.Override) func(Action, *network.World, *device.Device) error {
	return func(a Action, w *network.World, d *device.Device) error {
		p, err := a.port(d)
		if err == nil {
			w.ForcePort(d.ID(), p, o)
		}
		return err
	}
}

// instance is the instance that an action names.
func (a Action) instance(d *device.Device) (*device.Instance, error) {
	if inst := d.Instance(a.Instance); inst != nil {
		return inst, nil
	}
	known := []string{config.MainInstance}
	for i := range d.Config().Instances {
		known = append(known, d.Config().Instances[i].Name)
	}
	return nil, phrase.Errorf("%s has no instance named %s; it has %s", d.Name(), a.Instance, phrase.List(known))
}

func restart(a Action, _ *network.World, d *device.Device) error {
	inst, err := a.instance(d)
	switch {
	case err != nil:
		return err
	case a.Protocol == "bgp" && !inst.RestartBGP():
		return phrase.Errorf("BGP does not run on %s", inst.Ref())
	case a.Protocol == "ospf" && !inst.RestartOSPF():
		return phrase.Errorf("OSPF does not run on %s", inst.Ref())
	}
	return nil
}

// onPeer does something to a session, or to all of a router.
func onPeer(do atPeer) func(Action, *network.World, *device.Device) error {
	return func(a Action, _ *network.World, d *device.Device) error {
		inst, err := a.instance(d)
		if err != nil {
			return err
		}
		if !inst.BGP().Running() {
			return phrase.Errorf("BGP does not run on %s", inst.Ref())
		}
		var peers []ip.Addr
		inst.BGP().Peers(func(v bgp.PeerView) {
			if a.Peer == "all" || v.Address.String() == a.Peer {
				peers = append(peers, v.Address)
			}
		})
		if len(peers) == 0 {
			return phrase.Errorf("%s has no peer %s", inst.Ref(), a.Peer)
		}
		for _, p := range peers {
			if !inst.Peer(p, func(s *bgp.Speaker, i int) bool { return do(a, inst, s, i) }) {
				return phrase.Errorf("the session of %s with %s is not up", inst.Ref(), a.Peer)
			}
		}
		return nil
	}
}

func reset(_ Action, inst *device.Instance, s *bgp.Speaker, i int) bool {
	s.Reset(inst, i, "")
	return true
}

func resend(a Action, inst *device.Instance, s *bgp.Speaker, i int) bool {
	if !a.ToPeer {
		return s.AskAgain(inst, i)
	}
	return s.SendAgain(inst, i)
}

func forcePeer(o config.Override) atPeer {
	return func(_ Action, inst *device.Instance, s *bgp.Speaker, i int) bool {
		s.Force(inst, i, o)
		return true
	}
}

// onFeeds does something to the feeds of a router.
func onFeeds(do func(a Action, inst *device.Instance, s *bgp.Speaker) bool) func(Action, *network.World, *device.Device) error {
	return func(a Action, _ *network.World, d *device.Device) error {
		inst, err := a.instance(d)
		switch {
		case err != nil:
			return err
		case !inst.BGP().Running():
			return phrase.Errorf("BGP does not run on %s", inst.Ref())
		case !inst.Speak(func(s *bgp.Speaker) bool { return do(a, inst, s) }):
			return phrase.Errorf("%s has no feed; write for example in its bgp: feed 1000 within 10.0.0.0/8", inst.Ref())
		}
		return nil
	}
}

func withdraw(a Action, inst *device.Instance, s *bgp.Speaker) bool  { return s.Withdraw(inst, a.Share) }
func advertise(_ Action, inst *device.Instance, s *bgp.Speaker) bool { return s.Withdraw(inst, 0) }
func flap(a Action, inst *device.Instance, s *bgp.Speaker) bool      { return s.Flap(inst, a.Share) }

// linkWords names a link by its ends.
func linkWords(w *network.World, m *network.Medium) string {
	name := func(e network.End) string {
		d := w.Device(e.Device)
		return config.PortRef{Device: d.Name(), Port: d.Ports()[e.Port].Config.Name}.String()
	}
	return name(m.Ends[0]) + " " + name(m.Ends[1])
}
