package facts

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/route"
	bgpwire "hellebore/core/protocols/wire/bgp"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/simulation/network"
)

// Value writes one of the values that reasons and notes carry. w is a world of their
// lab, no older than they are.
func Value(w *network.World, kind string, v uint64) string {
	switch kind {
	case "area":
		return labtext.FormatArea(uint32(v))
	case "duration":
		return labtext.FormatDuration(time.Duration(v))
	case "prefix":
		return fmt.Sprintf("%v/%d", w.Shared().Addrs.Addr(uint32(v>>8)), v&0xff)
	case "address", "peer":
		return w.Shared().Addrs.Addr(uint32(v)).String()
	case "sequence":
		return Sequence(int32(uint32(v)))
	case "portState":
		return ospf.PortStateNames[v]
	case "router":
		if v == 0 {
			return phrase.Text("none")
		}
		return ip.Quad(v).String()
	case "identity":
		return ip.Quad(v).String()
	case "authType":
		if v < uint64(len(wire.AuthTypeName)) {
			return wire.AuthTypeName[v]
		}
	case "keyID":
		return phrase.Say("key %d", v)
	case "stubFlag":
		switch {
		case v&wire.OptionN != 0:
			return "NSSA"
		case v == 0:
			return "stub"
		}
		return "plain"
	case "nbrState":
		return adjacency.StateNames[v]
	case "sessionState":
		return bgp.StateNames[v]
	case "notification":
		return bgpwire.CodeWords(uint8(v>>8), uint8(v))
	case "verdict":
		return bgpwire.Verdict(v).String()
	case "messageType":
		return bgpwire.Type(v).String()
	case "origin":
		return attr.Origin(v).String()
	case "spfState":
		return ospf.DelayNames[v]
	}
	return strconv.FormatUint(v, 10)
}

// Sequence is the sequence number of an LSA: 0x80000001.
func Sequence(seq int32) string { return fmt.Sprintf("%#08x", uint32(seq)) }

// Words is a note in words. w is a world of the note's lab, no older than the
// note.
func Words(w *network.World, n note.Note) string { return NewWriter(w).Words(n) }

// Writer writes many notes of a world that does not change meanwhile.
type Writer struct {
	w       *network.World
	routers *RouterNames
}

// NewWriter is a writer of the notes of a world.
func NewWriter(w *network.World) *Writer {
	return &Writer{w: w, routers: NamesOfRouters(w)}
}

// Words is a note in words.
func (x *Writer) Words(n note.Note) string {
	w := x.w
	d := w.Device(n.Device)
	inst := d.Main()
	if int(n.Instance) < len(d.Instances()) {
		inst = &d.Instances()[n.Instance]
	}
	args := map[string]uint64{"a": n.A, "b": n.B, "c": n.C}
	return note.Expand(phrase.Text(note.Kinds[n.Kind].Text), func(name, kind string) string {
		switch name {
		case "did":
			return didWords(int(n.B), int(n.C))
		case "port":
			if i, ok := n.Port.Number(); ok {
				return d.Ports()[i].Config.Name
			}
			return phrase.Text("the device")
		case "reason":
			return ReasonWords(w, n)
		case "because":
			if n.Reason == note.None {
				return ""
			}
			return ", " + ReasonWords(w, n)
		}
		v := args[name]
		switch kind {
		case "vertices":
			return phrase.Plural(int(v), "vertex")
		case "routes":
			return phrase.Plural(int(v), "route")
		case "peer":
			a := w.Shared().Addrs.Addr(uint32(v))
			if far := w.Holder(inst, a); far != nil {
				return fmt.Sprintf("%s (%v)", far.Ref(), a)
			}
		case "lsa":
			return w.Pool().Key(uint32(v)).String()
		case "identity":
			if far := x.routers.Of(inst)[ip.Quad(v)]; far != nil {
				return fmt.Sprintf("%s (%v)", far.Ref(), ip.Quad(v))
			}
		case "prefix":
			return w.Shared().Prefixes.Prefix(uint32(v)).String()
		case "hop":
			if v == 0 {
				return phrase.Text("nothing")
			}
			return hopWords(w, d, inst.Table().Set(route.HopID(v)))
		case "set":
			return hopWords(w, d, route.SetID(v))
		}
		return Value(w, kind, v)
	})
}

// didWords is how many prefixes an UPDATE announces and withdraws.
func didWords(announced, withdrawn int) string {
	switch {
	case withdrawn == 0:
		return phrase.Say("announced %s", phrase.Plural(announced, "prefix"))
	case announced == 0:
		return phrase.Say("withdrew %s", phrase.Plural(withdrawn, "prefix"))
	}
	return phrase.Say("announced %s and withdrew %d", phrase.Plural(announced, "prefix"), withdrawn)
}

// ReasonWords is the reason of a note as a sentence.
func ReasonWords(w *network.World, n note.Note) string {
	info := n.Reason.Info()
	far := Value(w, "address", n.A)
	if n.Kind == note.NeighbourState {
		far = Value(w, "identity", n.A)
	}
	text := Sentence(info.Text, phrase.Text("the router"), far)
	if n.Kind == note.HelloRefused && info.Value != "" {
		text += phrase.Say(" (%s here, %s there)", Value(w, info.Value, n.B), Value(w, info.Value, n.C))
	}
	return text
}

// Sentence fills the two names of a reason's sentence in.
func Sentence(text, a, b string) string {
	var out strings.Builder
	for {
		before, after, found := strings.Cut(text, "{")
		out.WriteString(before)
		switch {
		case !found:
			return out.String()
		case strings.HasPrefix(after, "a}"):
			out.WriteString(a)
			text = after[2:]
		case strings.HasPrefix(after, "b}"):
			out.WriteString(b)
			text = after[2:]
		default:
			out.WriteByte('{')
			text = after
		}
	}
}
