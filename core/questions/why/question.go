// Package why answers questions about a network in a short chain of facts, each
// with the place where it is proven: a row of a view, a line of the text, an
// event. Answers are made from the state and the typed notes.
package why

import (
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/simulation/network"
)

// Kind is what a question is about.
type Kind string

// The kinds of questions.
const (
	Neighbour Kind = "neighbour" // why is this relation in its state
	Route     Kind = "route"     // why is this route here, absent, not best
	Sent      Kind = "sent"      // why is this prefix sent to that peer, or not
	Path      Kind = "path"      // why does traffic take this path
	Election  Kind = "election"  // why is this router designated, or not
	Break     Kind = "break"     // what would break without this
)

// Question is a question as it was understood.
type Question struct {
	Kind    Kind
	Device  string // whom it is about: the router, the sender
	Other   string // the neighbour, peer or destination: a device's name, or an address
	Port    string // "viaduct.e1"
	Segment string
	Prefix  netip.Prefix
}

// String is the question in full.
func (q Question) String() string {
	switch q.Kind {
	case Neighbour:
		return phrase.Say("Why are %s and %s neighbours, or why not?", q.Device, q.Other)
	case Route:
		if q.Device == "" {
			return phrase.Say("Who has a route to %v, and why?", q.Prefix)
		}
		return phrase.Say("Why does %s have this route to %v, or none?", q.Device, q.Prefix)
	case Sent:
		return phrase.Say("Why does %s send %s the prefix %v, or why not?", q.Device, q.Other, q.Prefix)
	case Election:
		switch {
		case q.Port != "":
			return phrase.Say("Why is %s the DR, or not?", q.Port)
		case q.Device != "":
			return phrase.Say("Why is %s the DR, or not?", q.Device)
		}
		return phrase.Say("Why are DR and BDR of %s what they are?", q.Segment)
	case Path:
		return phrase.Say("Why does traffic from %s to %s take this path?", q.Device, q.Other)
	}
	what := q.Port
	if what == "" {
		what = q.Device
	}
	return phrase.Say("What would break without %s?", what)
}

// examples are questions that can be asked about a network, one of a kind.
func examples(w *network.World) string {
	var out []string
	for _, n := range relations.NeighboursOf(w) {
		if !n.B.Absent {
			out = append(out, "why is "+n.A.Device+" - "+n.B.Device+" not up")
			break
		}
	}
	for _, d := range w.Devices() {
		if d.Gone() || d.Kind() != config.Router {
			continue
		}
		designates := false
		for i := range d.Ports() {
			_, in := tables.ElectionAt(d.InstanceOf(uint32(i)).OSPF(), uint32(i))
			designates = designates || in
		}
		if designates {
			out = append(out, "why is "+d.Name()+" DR, or not")
			break
		}
	}
	for _, inst := range facts.AllInstances(w) {
		prefixes := inst.Prefixes()
		if inst.Device().Kind() != config.Router || len(prefixes) == 0 {
			continue
		}
		out = append(out, "why "+w.Shared().Prefixes.Prefix(prefixes[0]).String()+" on "+inst.Ref())
		break
	}
	for _, inst := range facts.AllInstances(w) {
		peer := ""
		s := inst.BGP()
		s.Peers(func(v bgp.PeerView) { peer = facts.PeerName(w, inst, v) })
		if id := firstChosen(s); peer != "" && id < s.Prefixes() {
			out = append(out, "why is "+w.Shared().Prefixes.Prefix(id).String()+" not sent to "+peer+" by "+inst.Ref())
			break
		}
	}
	if flows := w.Flows(); len(flows) > 0 {
		out = append(out, "why from "+flows[0].From+" to "+flows[0].To)
	}
	for _, d := range w.Devices() {
		if !d.Gone() {
			out = append(out, "what breaks without "+d.Name())
			break
		}
	}
	if len(out) == 0 {
		return phrase.Text("the lab has no device yet: add one")
	}
	return phrase.Say("ask for example: %s", strings.Join(out, "; "))
}

// firstChosen is the first prefix that a speaker has a best path for, or how many it
// knows.
func firstChosen(s *bgp.Speaker) uint32 {
	for id := range s.Prefixes() {
		if set, _, _ := s.Best(id); set != 0 {
			return id
		}
	}
	return s.Prefixes()
}

// Focus fills in what a question leaves out.
type Focus struct {
	Who string // a device, a port or a session ("viaduct/192.0.2.2")
	To  string // a prefix, an address, or "flow tickets"
}

// words that say what a question is about.
var telling = []struct {
	kind  Kind
	words []string
}{
	{Break, []string{"break", "breaks", "fail", "fails", "failed", "cut", "without", "lost", "lose", "loses", "what"}},
	{Election, []string{"dr", "bdr", "designated", "backup", "elected", "election", "drother"}},
	{Sent, []string{"sent", "send", "sends", "advertise", "advertised", "advertises", "announced", "announce", "told",
		"tell", "export", "exported"}},
	{Path, []string{"traffic", "packets", "packet", "way", "flow", "goes", "go", "->", "reach", "reaches"}},
	{Neighbour, []string{"neighbour", "neighbours", "neighbor", "session", "adjacency", "up", "down", "established",
		"full", "active", "idle"}},
	{Route, []string{"route", "preference", "preferred", "prefer", "best", "path", "chosen", "absent", "prefix"}},
}

// heard is what was recognised in a question.
type heard struct {
	kinds    map[Kind]bool
	devices  []string
	ports    []string
	peer     string
	flow     string
	segment  string
	prefixes []netip.Prefix
	after    map[string]string // "to", "by", "from", "on": the name behind it
}

// Parse reads a question as it is typed; the focus gives what it leaves out.
func Parse(w *network.World, text string, focus Focus) (Question, error) {
	h := heard{kinds: map[Kind]bool{}, after: map[string]string{}}
	h.listen(w, text)
	spoken := len(h.devices)+len(h.ports)+len(h.prefixes) > 0 || h.flow != "" || h.segment != "" || h.peer != ""
	h.fill(w, focus)
	q, ok := h.question(w)
	switch {
	case ok:
		return q, nil
	case strings.TrimSpace(text) == "" || !spoken && len(h.kinds) == 0:
		return q, phrase.Errorf("that is no question about this lab; %s", examples(w))
	}
	return q, phrase.Errorf("it is not clear what is asked about; %s", examples(w))
}

func (h *heard) listen(w *network.World, text string) {
	words := strings.Fields(strings.NewReplacer("?", " ", ",", " ", "–", "-", "→", "->", ";", " ").Replace(text))
	before := ""
	for i, word := range words {
		low := strings.ToLower(word)
		for _, t := range telling {
			if slices.Contains(t.words, low) && !(low == "what" && i > 0) {
				h.kinds[t.kind] = true
			}
		}
		if name := h.name(w, word); name != "" {
			if _, taken := h.after[before]; !taken {
				h.after[before] = name
			}
		}
		if low != "the" && low != "router" && low != "host" {
			before = low
		}
	}
}

// name recognises a name or an address, and returns what it names.
func (h *heard) name(w *network.World, word string) string {
	if p, err := netip.ParsePrefix(word); err == nil && p.Addr().Is4() {
		h.prefixes = append(h.prefixes, p.Masked())
		return ""
	}
	if a, err := netip.ParseAddr(word); err == nil && a.Is4() {
		h.prefixes = append(h.prefixes, netip.PrefixFrom(a, 32))
		return word
	}
	if device, rest, ok := strings.Cut(word, "/"); ok && w.Find(device) != nil {
		instance, peer, _ := strings.Cut(rest, "/")
		if _, err := netip.ParseAddr(instance); err == nil {
			instance, peer = "", rest
		}
		if inst, err := facts.InstanceNamed(w, device+"/"+instance); err == nil {
			device = inst.Ref()
		}
		h.devices, h.peer = append(h.devices, device), peer
		return device
	}
	if w.Find(word) != nil {
		h.devices = append(h.devices, word)
		return word
	}
	if device, port, ok := strings.Cut(word, "."); ok {
		if d := w.Find(device); d != nil {
			if _, is := d.Port(port); is {
				h.ports = append(h.ports, word)
				return word
			}
		}
	}
	for _, f := range w.Flows() {
		if f.Name == word && h.flow == "" {
			h.flow = word
		}
	}
	for i := range w.Media() {
		if m := &w.Media()[i]; !m.Gone && m.Kind == network.Segment && m.Name == word {
			h.segment = word
		}
	}
	return ""
}

// fill takes from the focus what the question does not say.
func (h *heard) fill(w *network.World, focus Focus) {
	if alone := h.kinds[Sent] && len(h.devices) == 1; (len(h.devices) == 0 || alone) && len(h.ports) == 0 &&
		focus.Who != "" {
		h.name(w, focus.Who)
	}
	if len(h.prefixes) > 0 || h.flow != "" || len(h.devices) > 1 && !h.kinds[Sent] {
		return
	}
	if name, ok := strings.CutPrefix(focus.To, "flow "); ok {
		h.flow = name
	} else if focus.To != "" {
		h.name(w, focus.To)
	}
}

// question makes of what was heard the question that fits best.
func (h *heard) question(w *network.World) (Question, bool) {
	var q Question
	if len(h.devices) > 0 {
		q.Device = h.devices[0]
	}
	if len(h.devices) > 1 {
		q.Other = h.devices[1]
	}
	if len(h.ports) > 0 {
		q.Port = h.ports[0]
		if q.Device == "" {
			q.Device = labtext.ParseRef(q.Port).Device
		}
	}
	if len(h.prefixes) > 0 {
		q.Prefix = h.prefixes[0]
	}
	switch {
	case h.kinds[Election] && (q.Port != "" || q.Device != "" || h.segment != ""):
		q.Kind, q.Segment = Election, h.segment
		return q, true
	case h.kinds[Break] && (q.Port != "" || q.Device != ""):
		q.Kind = Break
		return q, true
	case h.kinds[Sent] && q.Prefix.IsValid():
		return h.sent(q)
	case h.flow != "":
		for _, f := range w.Flows() {
			if f.Name == h.flow {
				q.Kind, q.Device, q.Other = Path, f.From, f.To
				return q, true
			}
		}
		return q, false
	case h.kinds[Path] && q.Device != "" && (q.Other != "" || q.Prefix.IsValid()):
		q.Kind = Path
		if from := h.after["from"]; from != "" && from == q.Other {
			q.Device, q.Other = q.Other, q.Device
		}
		if q.Other == "" {
			q.Other = q.Prefix.String()
			if q.Prefix.IsSingleIP() {
				q.Other = q.Prefix.Addr().String()
			}
		}
		return q, true
	case h.peer != "" && !q.Prefix.IsValid():
		q.Kind, q.Other = Neighbour, h.peer
		return q, true
	case q.Device != "" && q.Prefix.IsValid() && h.kinds[Neighbour] && q.Prefix.IsSingleIP():
		q.Kind, q.Other = Neighbour, q.Prefix.Addr().String()
		return q, true
	case q.Prefix.IsValid():
		q.Kind = Route
		return q, true
	case q.Device != "" && q.Other != "":
		q.Kind = Neighbour
		if h.after["from"] == q.Device && h.after["to"] == q.Other {
			q.Kind = Path
		}
		return q, true
	case q.Port != "" || q.Device != "" && h.kinds[Neighbour]:
		q.Kind = Neighbour
		return q, true
	}
	return q, false
}

// sent finds out which is the sender and which the peer.
func (h *heard) sent(q Question) (Question, bool) {
	q.Kind = Sent
	if peer := h.peer; peer != "" {
		q.Other = peer
		return q, true
	}
	// The peer's address is among the prefixes.
	for i, p := range h.prefixes {
		if p.IsSingleIP() && len(h.prefixes) > 1 {
			q.Other = p.Addr().String()
			q.Prefix = h.prefixes[1-min(i, 1)]
		}
	}
	to := h.after["to"]
	for _, word := range []string{"by", "from", "on"} {
		if from := h.after[word]; from != "" && from != to {
			q.Device = from
		}
	}
	if to != "" && slices.Contains(h.devices, to) {
		q.Other = to
		for _, d := range h.devices {
			if q.Device == to && d != to {
				q.Device = d
			}
		}
	}
	return q, q.Device != "" && q.Other != "" && q.Device != q.Other
}
