package lab

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/traffic"
	"hellebore/core/questions/why"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Said is the answer to a question that was typed as one line.
type Said struct {
	Line  string      `json:"line" doc:"the question as it was typed"`
	Asked string      `json:"asked,omitempty" enum:"ping,trace,path,routes,neighbours,ports,why"`
	Says  string      `json:"says" doc:"the answer, a sentence"`
	Good  bool        `json:"good" doc:"what was asked for is as one would wish: packets arrive, sessions are up"`
	Rows  []string    `json:"rows" doc:"what it rests on, a line each"`
	Fixes []facts.Fix `json:"fixes,omitempty"`
	View  string      `json:"view" enum:"map,neighbours,routes,paths,ports" doc:"where more of it is to be seen"`
	Who   string      `json:"who,omitempty"`
	To    string      `json:"to,omitempty"`
}

// Asking is one form of a question, for completion and help.
type Asking struct {
	Word string `json:"word"`
	Form string `json:"form"`
	Help string `json:"help"`
}

// Askings are the questions that a line can ask.
var Askings = []Asking{
	{"ping", "ping FROM TO", "sends five echo requests, and says who answered"},
	{"trace", "trace FROM TO", "says which devices the packets go through"},
	{"path", "path FROM TO", "follows the tables from device to device"},
	{"path", "path PREFIX", "says which BGP path each router uses, and why"},
	{"routes", "routes ROUTER [PREFIX | connected | static | ospf | bgp]", "lists a router's routes"},
	{"neighbours", "neighbours ROUTER", "lists its adjacencies and sessions, with what is wrong"},
	{"ports", "ports DEVICE", "lists its ports"},
	{"why", "why ...", "answers a question with the facts that prove it"},
}

// Say answers a question that is typed as one line; the focus fills in what it leaves
// out.
func (l *Lab) Say(m history.Moment, line string, focus why.Focus) (Said, error) {
	words := strings.Fields(line)
	if len(words) == 0 {
		return Said{}, phrase.Error("write a question, for example ping kiosk booth")
	}
	out := Said{Line: strings.Join(words, " "), Asked: words[0], Rows: []string{}}
	var err error
	switch args := words[1:]; words[0] {
	case "ping", "trace":
		err = l.probeLine(m, &out, words[0] == "trace", args)
	case "path":
		err = l.pathLine(m, &out, args)
	case "routes":
		err = l.routesLine(m, &out, args)
	case "neighbours":
		err = l.neighboursLine(m, &out, args)
	case "ports":
		err = l.portsLine(m, &out, args)
	case "why":
		err = l.whyLine(m, &out, line, focus)
	default:
		err = phrase.Errorf("%q is no question: write %s", words[0], strings.Join(askingWords(), ", "))
	}
	return out, err
}

func askingWords() []string {
	var out []string
	for _, a := range Askings {
		if !slices.Contains(out, a.Word) {
			out = append(out, a.Word)
		}
	}
	return out
}

// formOf is how a question is written.
func formOf(word string) error {
	var forms []string
	for _, a := range Askings {
		if a.Word == word {
			forms = append(forms, a.Form)
		}
	}
	return phrase.Errorf("write %s", strings.Join(forms, phrase.Text(", or ")))
}

func (l *Lab) probeLine(m history.Moment, out *Said, trace bool, args []string) error {
	word := map[bool]string{true: "trace", false: "ping"}[trace]
	if len(args) != 2 {
		return formOf(word)
	}
	r, err := traffic.Probe(l.Fork(m), traffic.ProbeRequest{From: args[0], To: args[1], Count: 5, Trace: trace},
		func(traffic.Reply) bool { return !l.Stopped() })
	if err != nil {
		return err
	}
	out.Says, out.View, out.Who, out.To = r.Summary, "map", args[0], r.Address
	if trace {
		out.Good = len(r.Replies) > 0 && r.Replies[len(r.Replies)-1].OK
	} else {
		out.Good = r.Answered == r.Sent
	}
	for _, x := range r.Replies {
		row := fmt.Sprintf("%d  %s", x.Seq, x.Answer)
		if trace {
			row = fmt.Sprintf("%d  %s %s", x.TTL, x.Device, x.By)
		}
		if x.RTT != nil {
			row += phrase.Say("  %.1f ms", *x.RTT*1000)
		}
		if x.Reason != "" {
			row += "  " + x.Reason
		}
		out.Rows = append(out.Rows, row)
	}
	if !out.Good {
		if p, err := l.Path(m, args[0], args[1]); err == nil {
			out.Fixes = p.Fixes
		}
	}
	return nil
}

func (l *Lab) pathLine(m history.Moment, out *Said, args []string) error {
	w := l.World(m)
	switch len(args) {
	case 1:
		p, err := netip.ParsePrefix(args[0])
		if err != nil {
			return phrase.Errorf("%q is not a prefix: write path 198.51.100.0/24, or path FROM TO", args[0])
		}
		found := paths.PathsTo(w, p.Masked(), "")
		out.View, out.To = "paths", p.Masked().String()
		for _, r := range found.Routers {
			out.Rows = append(out.Rows, r.Answer)
			out.Good = out.Good || len(r.Paths) > 0
		}
		out.Says = phrase.Say("%s of BGP know %v", phrase.Plural(len(found.Routers), "router"), p.Masked())
		if len(found.Routers) == 0 && len(found.Near) > 0 {
			out.Says += phrase.Say("; near it: %s", strings.Join(found.Near, ", "))
		}
		return nil
	case 2:
		p, err := l.Path(m, args[0], args[1])
		if err != nil {
			return err
		}
		out.View, out.Who, out.To, out.Good, out.Fixes = "map", args[0], args[1], p.Arrives, p.Fixes
		out.Says = p.Reason
		if p.Arrives {
			out.Says = phrase.Say("%s reaches %s over %s", args[0], args[1], phrase.Plural(len(p.Hops)-1, "link"))
		}
		for _, h := range p.Hops {
			row := h.Device
			if h.Out != "" {
				row += phrase.Say("  out of %s, by %s, %s", h.Out, h.Prefix, h.Source)
			}
			out.Rows = append(out.Rows, row)
		}
		return nil
	}
	return formOf("path")
}

// routerNamed is a device of a world, for a question about one.
func routerNamed(w *network.World, name, word string, args int) error {
	if args == 0 {
		return formOf(word)
	}
	_, err := facts.InstanceNamed(w, name)
	return err
}

func (l *Lab) routesLine(m history.Moment, out *Said, args []string) error {
	w := l.World(m)
	if len(args) > 2 {
		return formOf("routes")
	}
	if err := routerNamed(w, first(args), "routes", len(args)); err != nil {
		return err
	}
	out.View, out.Who = "routes", args[0]
	var only netip.Prefix
	source := ""
	if len(args) == 2 {
		if p, err := netip.ParsePrefix(args[1]); err == nil {
			only, out.To = p.Masked(), p.Masked().String()
		} else if source = args[1]; !slices.Contains([]string{"connected", "static", "ospf", "bgp", "taken"}, source) {
			return phrase.Errorf("%q is neither a prefix nor a source: write connected, static, ospf, bgp or taken", source)
		}
	}
	inst, err := facts.InstanceNamed(w, args[0])
	if err != nil {
		return err
	}
	for _, r := range tables.RoutesOf(w, inst) {
		p, _ := netip.ParsePrefix(r.Prefix)
		if source != "" && r.Source != source || only.IsValid() && (!only.Contains(p.Addr()) || p.Bits() < only.Bits()) {
			continue
		}
		out.Rows = append(out.Rows, routeRow(r))
	}
	out.Good = len(out.Rows) > 0
	out.Says = phrase.Say("%s has %s", args[0], phrase.Plural(len(out.Rows), strings.TrimSpace(phrase.Say("%s route", source))))
	if only.IsValid() {
		out.Says += phrase.Say(" within %v", only)
	}
	return nil
}

func routeRow(r tables.Route) string {
	var hops []string
	for _, h := range r.NextHops {
		hops = append(hops, strings.TrimSpace(phrase.Say("%s on %s", h.Via, h.Port)))
	}
	row := phrase.Say("%-18s %-10s cost %-5d %s", r.Prefix, cmp.Or(r.Origin, r.Source), r.Metric, strings.Join(hops, ", "))
	return strings.TrimRight(row, " ")
}

func first(args []string) string {
	if len(args) == 0 {
		return ""
	}
	return args[0]
}

func (l *Lab) neighboursLine(m history.Moment, out *Said, args []string) error {
	w := l.World(m)
	if len(args) > 1 {
		return formOf("neighbours")
	}
	if err := routerNamed(w, first(args), "neighbours", len(args)); err != nil {
		return err
	}
	up := 0
	for _, n := range relations.NeighboursOf(w) {
		a, b := n.A, n.B
		if b.Device == args[0] {
			a, b = b, a
		}
		if a.Device != args[0] {
			continue
		}
		row := fmt.Sprintf("%-4s  %-12s %-6s %s", n.Protocol, b.Name(), a.Port, n.State)
		if n.Up {
			up++
		} else if len(n.Reasons) > 0 {
			row += ": " + n.Reasons[0].Text
			out.Fixes = append(out.Fixes, n.Reasons[0].Fixes...)
		}
		out.Rows = append(out.Rows, row)
	}
	out.View, out.Who, out.Good = "neighbours", args[0], up == len(out.Rows)
	out.Says = phrase.Say("%s has %s, %d up", args[0], phrase.Plural(len(out.Rows), "neighbour"), up)
	return nil
}

func (l *Lab) portsLine(m history.Moment, out *Said, args []string) error {
	w := l.World(m)
	if len(args) > 1 {
		return formOf("ports")
	}
	if err := routerNamed(w, first(args), "ports", len(args)); err != nil {
		return err
	}
	up := 0
	for _, p := range tables.PortsOf(w, tables.PortsAsk{}).Ports {
		if p.Device != args[0] {
			continue
		}
		row := phrase.Say("%-6s %-18s up", p.Port, p.Address)
		if p.Up {
			up++
		} else {
			row = phrase.Say("%-6s %-18s down: %s", p.Port, p.Address, p.Why.Text)
			out.Fixes = append(out.Fixes, p.Why.Fixes...)
		}
		if p.OSPF != nil {
			row += phrase.Say(", OSPF area %s, cost %d, %s", p.OSPF.Area, p.OSPF.Cost, p.OSPF.State)
		}
		out.Rows = append(out.Rows, row)
	}
	out.View, out.Who, out.Good = "ports", args[0], up == len(out.Rows)
	out.Says = phrase.Say("%s has %s, %d up", args[0], phrase.Plural(len(out.Rows), "port"), up)
	return nil
}

func (l *Lab) whyLine(m history.Moment, out *Said, line string, focus why.Focus) error {
	a, err := l.Why(m, line, focus)
	if err != nil {
		return err
	}
	out.Says, out.Good = a.Says, true
	out.View, out.Who, out.To = "map", focus.Who, focus.To
	for _, f := range a.Facts {
		out.Rows = append(out.Rows, f.Text)
		out.Fixes = append(out.Fixes, f.Fixes...)
		if out.View == "map" && slices.Contains([]string{"neighbours", "routes", "paths", "ports"}, f.View) {
			out.View = f.View
		}
	}
	return nil
}
