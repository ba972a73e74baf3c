package compare

import (
	"cmp"
	"hellebore/core/simulation/device"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
)

// what each section counts.
var nouns = map[string]string{Flows: "flow", Neighbours: "adjacency or session", Sent: "advertisement",
	Routes: "route", Paths: "chosen path",
	Received: "received path", Database: "LSA", Ports: "port"}

func counted(n int, section string) string {
	if section == Neighbours && n != 1 {
		return phrase.Say("%d adjacencies and sessions", n)
	}
	return phrase.Plural(n, nouns[section])
}

func unchanged(s *Section) string {
	all := s.Same + s.Total
	switch {
	case all == 0:
		return phrase.Text("there are none")
	case s.Total == 0:
		return phrase.Say("all %s as before", counted(all, s.Name))
	case s.Same == 0:
		return phrase.Text("none as before")
	}
	return phrase.Say("%d of %s unchanged", s.Same, counted(all, s.Name))
}

// summary says in words what is different, what matters first.
func (c *comparer) summary() []string {
	var out []string
	say := func(format string, args ...any) { out = append(out, phrase.Say(format, args...)) }
	c.flowWords(say)
	c.relationWords(say)
	c.exitWords(say)
	c.sentWords(say)
	c.routeWords(say)
	c.sizeWords(say)
	if s := c.sections[Ports]; s.Total > 0 {
		say("%s different", phrase.Plural(s.Total, "port"))
	}
	if out == nil {
		for _, s := range []string{Paths, Received, Database} {
			if n := c.sections[s].Total; n > 0 {
				say("%s different", counted(n, s))
			}
		}
	}
	if out == nil {
		out = []string{}
	}
	return out
}

func (c *comparer) flowWords(say func(string, ...any)) {
	groups := []struct {
		kind           Kind // any if empty
		weight         Weight
		words, several string
	}{
		{"", Worse, phrase.Text("no longer arrives"), phrase.Text("no longer arrive")}, {"", Better, phrase.Text("arrives now"), phrase.Text("arrive now")},
		{Moved, Different, phrase.Text("takes another path"), phrase.Text("take another path")},
		{Came, Different, phrase.Text("is new"), phrase.Text("are new")}, {Went, Different, phrase.Text("is gone"), phrase.Text("are gone")},
	}
	for _, g := range groups {
		var names []string
		for _, r := range c.sections[Flows].Rows {
			if r.Weight == g.weight && (g.kind == "" || r.Kind == g.kind) {
				names = append(names, r.Subject)
			}
		}
		switch len(names) {
		case 0:
		case 1:
			say("flow %s %s", names[0], g.words)
		default:
			say("flows %s %s", phrase.List(names), g.several)
		}
	}
}

func (c *comparer) relationWords(say func(string, ...any)) {
	count := map[string][]string{}
	for _, r := range c.sections[Neighbours].Rows {
		what := "changed"
		switch {
		case r.Weight == Worse && r.Kind == Went:
			what = "gone"
		case r.Weight == Worse:
			what = "down"
		case r.Weight == Better:
			what = "up"
		case r.Cause == WasReset:
			what = "reset"
		}
		count[what] = append(count[what], strings.TrimSpace(r.Device+" - "+r.Other))
	}
	for _, g := range []struct{ what, one, several string }{{"gone", phrase.Text("1 neighbour relation is gone"), phrase.Text("are gone")},
		{"down", phrase.Text("1 neighbour relation goes down"), phrase.Text("go down")},
		{"up", phrase.Text("1 neighbour relation comes up"), phrase.Text("come up")}, {"reset", phrase.Text("1 session is reset"), phrase.Text("are reset")},
		{"changed", phrase.Text("1 neighbour relation changes"), phrase.Text("change")}} {
		switch names := count[g.what]; len(names) {
		case 0:
		case 1:
			say("%s: %s", g.one, names[0])
		default:
			say("%d neighbour relations %s: %s", len(names), g.several, phrase.List(names))
		}
	}
}

// sentWords says what neighbouring ASes receive that they did not, or no longer receive.
func (c *comparer) sentWords(say func(string, ...any)) {
	type key struct{ device, peer string }
	more, fewer, other := map[key][]string{}, map[key][]string{}, map[key][]string{}
	var order []key
	for _, r := range c.sections[Sent].Rows {
		if !r.Outside {
			continue
		}
		k := key{r.Device, r.Other}
		if !slices.Contains(order, k) {
			order = append(order, k)
		}
		switch {
		case r.Before == "":
			more[k] = append(more[k], r.Subject)
		case r.After == "":
			fewer[k] = append(fewer[k], r.Subject)
		default:
			other[k] = append(other[k], r.Subject)
		}
	}
	// What our own routers say comes first: those of the AS that has the most.
	size := c.members()
	slices.SortStableFunc(order, func(a, b key) int { return size[c.asOf(b.device)] - size[c.asOf(a.device)] })
	for _, k := range order {
		if l := more[k]; len(l) > 0 {
			say("%s sends %s %s: %s", k.device, k.peer, morePrefixes(len(l)), phrase.List(l))
		}
		if l := fewer[k]; len(l) > 0 {
			say("%s withdraws %s from %s: %s", k.device, prefixes(len(l)), k.peer, phrase.List(l))
		}
		if l := other[k]; len(l) > 0 {
			say("%s sends %s %s with other attributes: %s", k.device, k.peer, prefixes(len(l)), phrase.List(l))
		}
	}
}

func prefixes(n int) string {
	if n == 1 {
		return "1 prefix"
	}
	return phrase.Say("%d prefixes", n)
}

func morePrefixes(n int) string {
	if n == 1 {
		return phrase.Text("1 more prefix")
	}
	return phrase.Say("%d more prefixes", n)
}

// exitWords says which prefixes moved from one neighbouring AS to another, and how
// many were lost.
func (c *comparer) exitWords(say func(string, ...any)) {
	names, size := asNames(c.after), c.members()
	var exits []exit
	for e := range c.exits {
		exits = append(exits, e)
	}
	slices.SortFunc(exits, func(a, b exit) int {
		return cmp.Or(cmp.Compare(size[b.as], size[a.as]), cmp.Compare(len(c.exits[b]), len(c.exits[a])),
			cmp.Compare(a.as, b.as), cmp.Compare(a.from, b.from), cmp.Compare(a.to, b.to))
	})
	for _, e := range exits {
		lost := phrase.Text("none lost")
		gone := map[string]bool{}
		for _, r := range c.sections[Routes].Rows {
			if r.After == "" && c.asOf(r.Device) == e.as {
				gone[r.Subject] = true
			}
		}
		if n := len(gone); n > 0 {
			lost = phrase.Say("%s lost", prefixes(n))
		}
		say("AS %d: %s moved from %s to %s, %s", e.as, prefixes(len(c.exits[e])), asName(names, e.from),
			asName(names, e.to), lost)
	}
}

// routeWords says what became of routes that no AS boundary explains.
func (c *comparer) routeWords(say func(string, ...any)) {
	moved, other := 0, 0
	routers := map[string]bool{}
	for _, r := range c.sections[Routes].Rows {
		switch {
		case r.Cause == Summarised:
		case r.Kind == Moved:
			moved++
			routers[r.Device] = true
		case r.Kind == Changed:
			other++
		}
	}
	if len(c.exits) == 0 && len(c.lost) > 0 {
		say("%s lost on some router: %s", prefixes(len(c.lost)), phrase.List(sorted(c.lost)))
	}
	if len(c.gained) > 0 {
		verb := phrase.Text("are")
		if len(c.gained) == 1 {
			verb = phrase.Text("is")
		}
		say("%s %s new on some router: %s", prefixes(len(c.gained)), verb, phrase.List(sorted(c.gained)))
	}
	if len(c.within) > 0 {
		say("%s replaces more specific routes on some router", phrase.List(sorted(c.within)))
	}
	if len(c.outOf) > 0 {
		say("more specific routes replace %s on some router", phrase.List(sorted(c.outOf)))
	}
	more := ""
	if c.sections[Routes].Total > len(c.sections[Routes].Rows) {
		more = phrase.Text(" and more")
	}
	if moved > 0 {
		say("%s%s moved to another path, on %s", phrase.Plural(moved, "route"), more,
			phrase.Plural(len(routers), "router"))
	}
	if other > 0 {
		say("%s%s changed in cost only", phrase.Plural(other, "route"), more)
	}
}

// sized is how many tables are named with their size.
const sized = 3

// sizeWords says how large tables were and are, where a table became much larger or
// smaller, and after a summary always.
func (c *comparer) sizeWords(say func(string, ...any)) {
	type table struct {
		name    string
		was, is int
	}
	var list []table
	for _, p := range c.pairs {
		if n := c.sizes[p.name]; n != nil && n[0] != n[1] {
			list = append(list, table{p.name, n[0], n[1]})
		}
	}
	by := func(t table) int { return max(t.is-t.was, t.was-t.is) }
	slices.SortStableFunc(list, func(a, b table) int { return by(b) - by(a) })
	if len(list) == 0 || len(c.within)+len(c.outOf) == 0 && (by(list[0]) < 3 || 10*by(list[0]) < list[0].was) {
		return
	}
	var names []string
	for _, t := range list[:min(len(list), sized)] {
		names = append(names, phrase.Say("table of %s %d -> %d", t.name, t.was, t.is))
	}
	if n := len(list) - len(names); n > 0 {
		say("%s, and %s of another size", strings.Join(names, ", "), phrase.Plural(n, "other"))
		return
	}
	say("%s", strings.Join(names, ", "))
}

func sorted(set map[string]bool) []string {
	out := make([]string, 0, len(set))
	for s := range set {
		out = append(out, s)
	}
	slices.Sort(out)
	return out
}

// members is how many routers each AS has.
func (c *comparer) members() map[uint32]int {
	out := map[uint32]int{}
	type member struct {
		d  *device.Device
		as uint32
	}
	seen := map[member]bool{}
	for _, p := range c.pairs {
		m := member{one(p).Device(), one(p).Config().BGP.AS}
		if m.as != 0 && !seen[m] {
			seen[m] = true
			out[m.as]++
		}
	}
	return out
}

func (c *comparer) asOf(device string) uint32 {
	for _, p := range c.pairs {
		if p.name == device {
			return one(p).Config().BGP.AS
		}
	}
	return 0
}
