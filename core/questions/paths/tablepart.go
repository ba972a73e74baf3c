package paths

import (
	"cmp"
	"encoding/csv"
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// TableAsk is which part of a table is wanted.
type TableAsk struct {
	Peer   ip.Addr // of a session; the zero Addr: Loc-RIB
	Way    string  // In or Out
	Find   string  // rows that have this in them
	By     string  // one of Groupings; "": none
	Offset int     // lines, headings of groups included
	Limit  int
}

// Groupings are what rows are grouped by.
var Groupings = []string{"next hop", "next-hop router", "neighbouring AS", "origin AS", "outcome"}

// TablePart is a part of a session's table, or of Loc-RIB.
type TablePart struct {
	Device string       `json:"device"`
	Peer   string       `json:"peer,omitempty"`
	With   string       `json:"with,omitempty" doc:"the device at the other end"`
	Stages []StageCount `json:"stages" doc:"how many rows the whole table has, by how far they came"`
	Found  int          `json:"found" doc:"rows that have in them what is looked for"`
	Lines  int          `json:"lines" doc:"those rows, and the headings of their groups"`
	Offset int          `json:"offset" doc:"of the first line here"`
	Part   []TableLine  `json:"part"`
}

// StageCount is how many rows came so far.
type StageCount struct {
	Stage string `json:"stage" enum:"chosen,accepted,refused,sent,withheld"`
	Rows  int    `json:"rows"`
}

// TableLine is a row, or the heading of a group.
type TableLine struct {
	Row   *TableRow `json:"row,omitempty"`
	Group string    `json:"group,omitempty" doc:"of a heading: what the rows below it have in common"`
	Rows  int       `json:"rows,omitempty" doc:"of a heading: how many they are"`
}

// TablePartOf is a part of a table. It costs a look at each prefix, and words for the rows that it has.
func TablePartOf(w *network.World, inst *device.Instance, ask TableAsk) (TablePart, error) {
	out := TablePart{Device: inst.Ref(), Stages: []StageCount{}, Part: []TableLine{}, Offset: ask.Offset}
	if ask.By != "" && !slices.Contains(Groupings, ask.By) {
		return out, phrase.Errorf("rows are not grouped by %q; take one of: %s", ask.By, strings.Join(Groupings, ", "))
	}
	t, err := tableOf(w, inst, ask.Peer, ask.Way)
	if err != nil {
		return out, err
	}
	if t.peer != nil {
		out.Peer, out.With = ask.Peer.String(), facts.PeerName(w, inst, *t.peer)
	}
	rows := t.rows()
	for _, l := range rows {
		i := slices.IndexFunc(out.Stages, func(c StageCount) bool { return c.Stage == l.stage })
		if i < 0 {
			i = len(out.Stages)
			out.Stages = append(out.Stages, StageCount{Stage: l.stage})
		}
		out.Stages[i].Rows++
	}
	rows = t.find(rows, ask.Find)
	out.Found, out.Lines = len(rows), len(rows)
	at := 0
	line := func(x func() TableLine) {
		if at >= ask.Offset && len(out.Part) < ask.Limit {
			out.Part = append(out.Part, x())
		}
		at++
	}
	show := func(rows []lean) {
		from := max(0, min(ask.Offset-at, len(rows)))
		at += from
		for _, l := range rows[from:] {
			if len(out.Part) == ask.Limit {
				return
			}
			line(func() TableLine { r := t.row(l); return TableLine{Row: &r} })
		}
	}
	if ask.By == "" {
		show(rows)
		return out, nil
	}
	groups := t.groups(rows, ask.By)
	out.Lines += len(groups)
	for _, g := range groups {
		line(func() TableLine { return TableLine{Group: g.name, Rows: len(g.rows)} })
		show(g.rows)
	}
	return out, nil
}

// find are the rows that have something in them: their prefix, path, next hop, communities, reason, or where they came from. A
// prefix or an address finds what it is in, and what is in it.
func (t *table) find(rows []lean, wanted string) []lean {
	wanted = strings.ToLower(strings.TrimSpace(wanted))
	if wanted == "" {
		return rows
	}
	around, isPrefix := prefixIn(wanted)
	sets := map[attr.ID]bool{}
	inSet := func(id attr.ID) bool {
		is, known := sets[id]
		if !known {
			a := t.w.Attrs().Get(id)
			words := a.Path.String() + " " + strings.Join(a.CommunityList(), " ")
			if a.NextHop.IsValid() {
				words += " " + a.NextHop.String()
			}
			is = strings.Contains(strings.ToLower(words), wanted)
			sets[id] = is
		}
		return is
	}
	has := func(words string) bool { return strings.Contains(strings.ToLower(words), wanted) }
	var out []lean
	for _, l := range rows {
		p := t.w.Shared().Prefixes.Prefix(l.id)
		switch {
		case isPrefix && (p.Covers(around) || around.Covers(p)), has(p.String()), inSet(l.set):
		case t.peer == nil && l.stage == "chosen" && has(t.from(l.id)):
		case t.peer == nil && l.stage == "chosen" || l.stage == "sent":
			continue
		default:
			if r := t.row(l); !has(r.Why) && !has(r.From) {
				continue
			}
		}
		out = append(out, l)
	}
	return out
}

// from is where the best path to a prefix came from.
func (t *table) from(id uint32) string {
	_, from, _ := t.s.Best(id)
	if from == bgp.Local {
		_, how, _, _ := t.s.OwnPath(id)
		return how
	}
	return facts.PeerName(t.w, t.inst, t.s.Peer(from))
}

// prefixIn reads a prefix or an address.
func prefixIn(text string) (p ip.Prefix, ok bool) {
	if a, err := netip.ParseAddr(text); err == nil && a.Is4() {
		return ip.MakePrefix(ip.AddrFrom(a), 32), true
	}
	x, err := netip.ParsePrefix(text)
	return ip.PrefixFrom(x.Masked()), err == nil && x.Addr().Is4()
}

type group struct {
	name string
	rows []lean
}

// groups are rows by what they have in common, the largest group first.
func (t *table) groups(rows []lean, by string) (out []*group) {
	known := map[attr.ID]*group{}
	named := map[string]*group{}
	for _, l := range rows {
		g := known[l.set]
		if g == nil || by == "outcome" {
			name := t.groupOf(l, by)
			if g = named[name]; g == nil {
				g = &group{name: name}
				named[name], out = g, append(out, g)
			}
			known[l.set] = g
		}
		g.rows = append(g.rows, l)
	}
	slices.SortStableFunc(out, func(a, b *group) int { return cmp.Compare(len(b.rows), len(a.rows)) })
	return out
}

// groupOf is what a row has in common with others.
func (t *table) groupOf(l lean, by string) string {
	a := t.w.Attrs().Get(l.set)
	switch by {
	case "outcome":
		return phrase.Text(l.stage)
	case "next hop":
		if a.NextHop.IsValid() {
			return phrase.Say("next hop %v", a.NextHop)
		}
		return phrase.Text("its own")
	case "next-hop router":
		if a.NextHop.IsValid() {
			if far := t.w.Holder(t.inst, a.NextHop); far != nil {
				return phrase.Say("through %s", far.Ref())
			}
		}
		return phrase.Text("its own")
	case "neighbouring AS":
		if a.FirstAS != 0 {
			return phrase.Say("AS %d", a.FirstAS)
		}
		return phrase.Text("inside the AS")
	}
	origin := uint32(0)
	a.Path.Each(func(as uint32) { origin = as })
	if origin != 0 {
		return phrase.Say("from AS %d", origin)
	}
	return phrase.Text("from inside the AS")
}

// TableCSV writes a whole table, or what of it has something in it.
func TableCSV(out io.Writer, w *network.World, inst *device.Instance, ask TableAsk) error {
	t, err := tableOf(w, inst, ask.Peer, ask.Way)
	if err != nil {
		return err
	}
	c := csv.NewWriter(out)
	if err := c.Write([]string{"prefix", "outcome", "why", "from", "AS path", "next hop", "local preference", "MED", "origin", "communities"}); err != nil {
		return err
	}
	number := func(n *uint32) string {
		if n == nil {
			return ""
		}
		return fmt.Sprint(*n)
	}
	for _, l := range t.find(t.rows(), ask.Find) {
		r := t.row(l)
		a := cmp.Or(r.Path, &Attributes{})
		if err := c.Write([]string{r.Prefix, r.Stage, r.Why, r.From, a.ASPath, a.NextHop, number(a.LocalPref), number(a.MED), a.Origin,
			strings.Join(a.Communities, " ")}); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}
