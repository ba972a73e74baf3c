package relations

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/fixes"
	"hellebore/core/questions/traffic"
)

// sessionReasons gathers why a session is not up.
type sessionReasons struct {
	a, b talker
	list []facts.Reason
}

// add keeps a reason once; by is the end that it is said of or that observed it,
// mine and theirs are the values at a and b.
func (c *sessionReasons) add(code note.Code, source string, by, other talker, mine, theirs string) *facts.Reason {
	if by.d != c.a.d || by.addr != c.a.addr {
		mine, theirs = theirs, mine
	}
	for i := range c.list {
		if r := &c.list[i]; r.Code == code.Info().Slug && (r.By == by.name() || r.Mine == mine && r.Theirs == theirs) {
			return r
		}
	}
	r := facts.PlainReason(code, source)
	r.Mine, r.Theirs = mine, theirs
	own, far := mine, theirs
	if by.d != c.a.d || by.addr != c.a.addr {
		own, far = theirs, mine
	}
	r.Remedy = strings.NewReplacer("{a}", by.name(), "{b}", other.name(), "{mine}", own, "{theirs}",
		far).Replace(r.Remedy)
	r.Fixes = fixes.For(fixes.Case{World: c.a.w, Code: code, A: by.fixed(other), B: other.fixed(by)})
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
		if up := t.d.Device().Enabled(); !up {
			c.add(note.DeviceDisabled, "observed", t, other, "", "")
			return
		}
		if code := t.v.Blocked; code != note.None {
			c.add(code, "observed", t, other, "", other.addr.String())
		}
		if t.v.Limited {
			c.add(note.PrefixLimit, "observed", t, other, phrase.Say("%d at most", t.v.Last.Mine),
				phrase.Say("%d sent", t.v.Last.Theirs))
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
			expected := phrase.Text("no such peer")
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
		return phrase.Say("expects AS %d", l.Mine), fmt.Sprintf("AS %d", l.Theirs)
	case note.SameRouterID:
		return ip.Quad(l.Mine).String(), ip.Quad(l.Theirs).String()
	case note.HoldTimeExpired:
		return labtext.FormatDuration(time.Duration(l.Mine)), ""
	}
	return "", ""
}

// foreseen is what the two configurations say is, or will be, in the way.
func (c *sessionReasons) foreseen() {
	a, b := c.a, c.b
	say := func(code note.Code, by, other talker, mine, theirs string) *facts.Reason {
		return c.add(code, "foreseen", by, other, mine, theirs)
	}
	c.each(func(t, other talker) {
		if t.d == nil {
			return
		}
		g := &t.d.Config().BGP
		switch {
		case t.d.Device().Kind() == config.Host:
			say(note.FarEndNotAPort, t, other, "a host", "")
		case g.AS == 0:
			r := say(note.ProtocolAbsent, t, other, "no BGP", "")
			r.Text, r.Remedy = phrase.Say("BGP does not run on %s", t.name()), phrase.Say("add bgp as NUMBER to %s", t.name())
		case g.Disabled:
			r := say(note.ProtocolDisabled, t, other, "disabled", "enabled")
			r.Text, r.Remedy = phrase.Say("BGP is disabled on %s", t.name()), phrase.Say("enable it on %s", t.name())
		case !t.has && other.has:
			r := say(note.PeerUnknown, t, other, phrase.Text("no such peer"), other.addr.String())
			r.Text = phrase.Say("%s has no peer %v", t.name(), other.addr)
			r.Remedy = phrase.Say("add peer %v as %d on %s", other.addr, other.d.Config().BGP.ASTowards(&other.v.Config), t.name())
		}
	})
	if b.d == nil {
		r := say(note.NoRoute, a, b, "", a.v.Address.String())
		r.What, r.Text, r.Remedy = "peer", phrase.Say("no router has the address %v", a.v.Address),
			phrase.Text("write the address of the other router")
		return
	}
	if !a.has || !b.has {
		return
	}
	c.each(func(t, other talker) {
		if real := other.d.Config().BGP.ASTowards(&other.v.Config); t.v.Config.AS != real && real != 0 {
			say(note.PeerASDiffers, t, other, phrase.Say("expects AS %d", t.v.Config.AS), fmt.Sprintf("AS %d", real))
		}
		if from := localOf(t.d, t.v); from.IsValid() && from != other.v.Address {
			r := say(note.PeerUnknown, other, t, other.v.Address.String(), from.String())
			r.Text = phrase.Say("%s comes from %v, and %s expects it from %v", t.name(), from, other.name(),
				other.v.Address)
			r.Remedy = phrase.Say("set local-address on %s to the port with %v", t.name(), other.v.Address)
		}
	})
	if a.v.Config.Passive && b.v.Config.Passive {
		say(note.BothPassive, a, b, "passive", "passive")
	}
	c.keys()
	hops := func(t talker) string {
		switch {
		case t.v.Config.TTLSecurity > 0:
			return phrase.Say("ttl-security %d", t.v.Config.TTLSecurity)
		case t.v.Config.Multihop > 0:
			return phrase.Say("multihop %d", t.v.Config.Multihop)
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
	if t.v.Blocked != note.None || !t.d.Device().Enabled() || t.v.State == bgp.Established {
		return
	}
	path := traffic.Walk(t.w, t.d, t.v.Address)
	for _, h := range path.Hops {
		// A prefix that BGP has learned of, and that leads to the peer's own address.
		if h.Source == route.BGP.String() && (!path.Arrives || path.Hops[len(path.Hops)-1].Ref() != other.name()) {
			r := c.add(note.PeerCaptured, "observed", t, other, h.Prefix, t.v.Address.String())
			r.Text = phrase.Say("packets for %v leave %s by the BGP route %s, and do not arrive: %s", t.v.Address,
				h.Ref(), h.Prefix, path.Reason)
			r.Remedy = phrase.Say("keep %s out with the import policy of %s, or give it a more specific route to %v",
				h.Prefix, h.Device, t.v.Address)
			return
		}
	}
	if !path.Arrives {
		r := c.add(note.NoRouteToPeer, "observed", t, other, "", t.v.Address.String())
		r.Text = phrase.Say("packets from %s for %v do not arrive: %s", t.name(), t.v.Address, path.Reason)
		return
	}
	needed := max(1, len(path.Hops)-1)
	send, _ := t.v.TTL()
	_, least := other.v.TTL()
	far := phrase.Say("%s away", phrase.Plural(needed, "hop"))
	switch {
	case needed > int(send):
		r := c.add(note.TTLTooShort, "observed", t, other, ttl(t), far)
		r.Text = phrase.Say("%v is %s from %s, and packets of the session go %s: %s drops them", t.v.Address, far,
			t.name(), phrase.Plural(int(send), "hop"), path.Hops[int(send)].Device)
		r.Remedy = phrase.Say("set multihop %d on %s for the peer %v, and the same at the other end", needed,
			t.name(), t.v.Address)
	case int(send)-needed+1 < int(least):
		r := c.add(note.TTLTooLow, "observed", other, t, ttl(other), far)
		r.Remedy = phrase.Say("set ttl-security %d on both ends", needed)
	}
}

// keys says whether each end takes what the other signs now (RFC 2385 2.0).
func (c *sessionReasons) keys() {
	now := time.Duration(c.a.w.Now())
	words := func(k *config.KeyChain) string {
		if k == nil {
			return phrase.Text("no keys")
		}
		return phrase.Say("key %d of %s", k.Sending(now).ID, k.Name)
	}
	c.each(func(t, other talker) {
		mine, theirs := t.v.Config.Keys, other.v.Config.Keys
		say := func(code note.Code, text string) {
			c.add(code, "foreseen", t, other, words(mine), words(theirs)).Text = fmt.Sprintf(text, t.name(),
				other.name())
		}
		switch {
		case mine == nil && theirs == nil:
		case mine == nil:
			say(note.SignatureUnexpected, "%s has no keys for the session, and drops what %s signs")
		case theirs == nil:
			say(note.SignatureMissing, "%s drops what is not signed, and %s does not sign")
		case !slices.ContainsFunc(mine.Taken(now),
			func(k config.Key) bool { return k.Secret == theirs.Sending(now).Secret }):
			say(note.SignatureDiffers, "%s takes none of what %s signs: the keys differ")
		}
	})
}
