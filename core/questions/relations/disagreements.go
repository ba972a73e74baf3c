package relations

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/adjacency"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/fixes"
	"hellebore/core/simulation/network"
)

// collector gathers the reasons of a relation, each once.
type collector struct {
	a, b    side
	reasons []facts.Reason
}

// disagreement marks the reasons that are about both ends at once: each is
// once in a row, whoever observed it.
var disagreement = map[note.Code]bool{
	note.AreaDiffers: true, note.SubnetDiffers: true, note.HelloIntervalDiffers: true, note.DeadIntervalDiffers: true,
	note.AuthenticationDiffers: true, note.KeyIDDiffers: true, note.KeyDiffers: true, note.KeyNotInTime: true,
	note.MTUTooLarge: true, note.SameRouterID: true, note.TypeDiffers: true, note.StubFlagDiffers: true,
	note.LinkCut: true,
}

// add keeps a reason unless it is known. by is the end that it is said of, or
// that observed it; mine and theirs are the values at a and b.
func (c *collector) add(code note.Code, source string, by side, mine, theirs string) *facts.Reason {
	for i := range c.reasons {
		r := &c.reasons[i]
		if r.Code == code.Info().Slug && (disagreement[code] || r.Mine == mine && r.Theirs == theirs) {
			if source == "observed" && r.By != "" && r.By != by.ref() {
				r.By += phrase.Say(" and %s", by.ref())
			}
			return r
		}
	}
	r := facts.PlainReason(code, source)
	r.Mine, r.Theirs = mine, theirs
	first, second, his, hers := c.a, c.b, mine, theirs
	if by.d == c.b.d && by.port == c.b.port {
		first, second, his, hers = c.b, c.a, theirs, mine
	}
	r.Remedy = strings.NewReplacer("{a}", first.ref(), "{b}", second.ref(), "{mine}", his, "{theirs}",
		hers).Replace(r.Remedy)
	r.Fixes = fixes.For(fixes.Case{World: c.a.w, Code: code, A: first.fixed(), B: second.fixed()})
	if source == "observed" {
		r.By = by.ref()
	}
	c.reasons = append(c.reasons, r)
	return &c.reasons[len(c.reasons)-1]
}

// each calls what for both ends, with the values in the order of a and b.
func (c *collector) each(what func(s, other side, order func(mine, theirs string) (string, string))) {
	what(c.a, c.b, func(m, t string) (string, string) { return m, t })
	what(c.b, c.a, func(m, t string) (string, string) { return t, m })
}

// observed is what the devices know: their own ports and processes, and the
// packets that they refused.
func (c *collector) observed(m *network.Medium) {
	c.each(func(s, other side, order func(string, string) (string, string)) {
		up, why := s.d.Up(s.port)
		if why == note.FarPortDisabled || why == note.FarDeviceDisabled {
			return // the other end says so itself
		}
		if !up {
			mine, theirs := order("down", "")
			if why == note.LinkCut {
				mine, theirs = "down", "down"
			}
			r := c.add(why, "observed", s, mine, theirs)
			r.What = note.PortIsDown.Info().What
		}
	})
	c.each(func(s, _ side, order func(string, string) (string, string)) {
		if r := s.refusal(); r.Reason != note.None {
			kind := r.Reason.Info().Value
			mine, theirs := order(facts.Value(s.w, kind, r.Mine), facts.Value(s.w, kind, r.Theirs))
			c.add(r.Reason, "observed", s, mine, theirs).Count += r.Count
		}
	})
	c.each(func(s, other side, order func(string, string) (string, string)) {
		n, ok := s.sees()
		switch {
		case !ok:
		case n.State == adjacency.Init && s.refusal().Reason == note.None:
			mine, theirs := order("heard", phrase.Text("does not list it"))
			c.add(note.NotListed, "observed", s, mine, theirs)
		case n.State >= adjacency.ExStart && n.State < adjacency.Full:
			mine, theirs := order(n.State.String(), "")
			c.add(note.StillForming, "observed", s, mine, theirs)
		}
	})
	c.each(func(s, _ side, order func(string, string) (string, string)) {
		v := s.inst().OSPF().Port(s.port)
		_, sees := s.sees()
		if up, _ := s.d.Up(s.port); up && s.active() && v.On && s.inst().OSPF().Running() && !sees &&
			s.refusal().Reason == note.None {
			mine, theirs := order(phrase.Text("nothing heard"), "")
			c.add(note.NothingHeard, "observed", s, mine, theirs)
		}
	})
	if m == nil {
		return // a virtual link
	}
	for _, pair := range [][2]side{{c.a, c.b}, {c.b, c.a}} {
		from := pair[0]
		if ok, why := m.Passes(from.at, pair[1].at); !ok && why == note.LinkSilenced {
			r := c.add(why, "fault", from, "", "")
			r.Text = phrase.Say("packets from %s are lost on the link", from.ref())
			r.Code += "-" + from.ref()
		}
	}
}

// foreseen is what the two configurations say will be in the way, once what is
// in the way now is gone.
func (c *collector) foreseen() {
	c.each(func(s, other side, order func(string, string) (string, string)) {
		p, o := s.config(), s.config().OSPF
		d := s.d
		area := labtext.FormatArea(other.config().OSPF.Area)
		say := func(code note.Code, mine, theirs string) {
			m, t := order(mine, theirs)
			c.add(code, "foreseen", s, m, t)
		}
		switch {
		case d.Kind() == config.Host:
			say(note.FarEndNotAPort, "a host", "")
		case !o.On:
			say(note.ProtocolAbsent, "no OSPF", area)
		case o.Disabled || s.inst().Config().OSPF.Disabled:
			say(note.ProtocolDisabled, "disabled", "enabled")
		case o.Passive:
			say(note.PassivePort, "passive", "active")
		}
		if o.On && !p.Address.IsValid() && p.Virtual == nil {
			theirs := ""
			if other.config().Address.IsValid() {
				theirs = other.config().Address.String()
			}
			say(note.NoAddress, "none", theirs)
		}
		if o.On && d.Enabled() && !s.inst().Config().OSPF.Disabled && !s.inst().OSPF().Running() {
			say(note.NoRouterID, "none", "")
		}
	})
	x, y := c.a.config(), c.b.config()
	if x.VLAN != y.VLAN {
		words := map[bool]string{false: phrase.Text("no tag"), true: phrase.Text("vlan ")}
		tag := func(p *config.Port) string {
			if p.VLAN == 0 {
				return words[false]
			}
			return words[true] + strconv.Itoa(int(p.VLAN))
		}
		c.add(note.TagDiffers, "foreseen", c.a, tag(x), tag(y))
	}
	differ := func(code note.Code, mine, theirs string) {
		if mine != theirs {
			c.add(code, "foreseen", c.a, mine, theirs)
		}
	}
	if !x.OSPF.On || !y.OSPF.On {
		return
	}
	c.types()
	c.keys(x.OSPF.Keys, y.OSPF.Keys)
	differ(note.AreaDiffers, labtext.FormatArea(x.OSPF.Area), labtext.FormatArea(y.OSPF.Area))
	if x.Address.IsValid() && y.Address.IsValid() && x.Address.Masked() != y.Address.Masked() {
		differ(note.SubnetDiffers, x.Address.String(), y.Address.String())
	}
	if x.OSPF.Area == y.OSPF.Area {
		differ(note.StubFlagDiffers, facts.AreaKind(c.a.inst(), x.OSPF.Area), facts.AreaKind(c.b.inst(), x.OSPF.Area))
	}
	differ(note.HelloIntervalDiffers, labtext.FormatDuration(x.OSPF.HelloInterval),
		labtext.FormatDuration(y.OSPF.HelloInterval))
	differ(note.DeadIntervalDiffers, labtext.FormatDuration(x.OSPF.DeadInterval),
		labtext.FormatDuration(y.OSPF.DeadInterval))
	if x.MTU > y.MTU && !y.OSPF.IgnoreMTU || y.MTU > x.MTU && !x.OSPF.IgnoreMTU {
		differ(note.MTUTooLarge, strconv.Itoa(int(x.MTU)), strconv.Itoa(int(y.MTU)))
	}
	if id := c.a.inst().OSPF().RouterID(); c.a.d != c.b.d && id != 0 && id == c.b.inst().OSPF().RouterID() {
		c.add(note.SameRouterID, "foreseen", c.a, id.String(), id.String())
	}
}

// keys says which of type, key ID and key the two ends do not share. Secrets are
// never shown.
func (c *collector) keys(x, y *config.KeyChain) {
	kind := func(k *config.KeyChain) string {
		switch {
		case k == nil:
			return wire.AuthTypeName[wire.AuthNone]
		case k.Keys[0].Algorithm == wire.Simple.String():
			return wire.AuthTypeName[wire.AuthSimple]
		}
		return wire.AuthTypeName[wire.AuthCryptographic]
	}
	if a, b := kind(x), kind(y); a != b {
		c.add(note.AuthenticationDiffers, "foreseen", c.a, a, b)
		return
	}
	if x == nil || y == nil {
		return
	}
	// What one sends must be in the other's chain, both ways.
	for _, way := range []struct {
		by       side
		from, to *config.KeyChain
	}{{c.b, x, y}, {c.a, y, x}} {
		sent := way.from.Sending(time.Duration(c.a.w.Now()))
		i := slices.IndexFunc(way.to.Keys,
			func(k config.Key) bool { return k.ID == sent.ID || sent.Algorithm == wire.Simple.String() })
		switch {
		case i < 0:
			c.add(note.KeyIDDiffers, "foreseen", c.a, strconv.Itoa(int(x.Sending(time.Duration(c.a.w.Now())).ID)),
				strconv.Itoa(int(y.Sending(time.Duration(c.a.w.Now())).ID)))
		case way.to.Keys[i].Secret != sent.Secret || way.to.Keys[i].Algorithm != sent.Algorithm:
			words := func(k config.Key) string { return phrase.Say("key %d", k.ID) }
			c.add(note.KeyDiffers, "foreseen", c.a, words(sent), words(sent))
		}
	}
}

// types says that the two ends take what is between them for different things.
// The adjacency comes up all the same, but routes do not follow it.
func (c *collector) types() {
	word := func(s side) string {
		v := s.inst().OSPF().Port(s.port)
		switch {
		case !v.On:
			return ""
		case v.Broadcast:
			return "broadcast"
		}
		return "point-to-point"
	}
	if a, b := word(c.a), word(c.b); a != "" && b != "" && a != b {
		c.add(note.TypeDiffers, "foreseen", c.a, a, b)
	}
}
