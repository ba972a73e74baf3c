// Package compare says what is different between two worlds, in rows and in
// words: ports, relations, routes, databases, BGP's tables, flows. Counters,
// ages, sequence numbers and the phases of timers are no difference.
//
// The two worlds need not be of one lab. Devices are the same if they have the
// same name, or if one is the other renamed.
package compare

import (
	"cmp"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Sections of a comparison, in the order in which a reader wants them.
const (
	Flows      = "flows"
	Neighbours = "neighbours"
	Sent       = "sent" // to BGP peers
	Routes     = "routes"
	Paths      = "paths"    // Loc-RIB
	Received   = "received" // by BGP peers, and what the import policy made of it
	Database   = "database"
	Ports      = "ports"
)

// Kind is what became of a thing.
type Kind string

// The kinds of differences.
const (
	Came    Kind = "came"
	Went    Kind = "went"
	Moved   Kind = "moved" // it takes another path than before
	Changed Kind = "changed"
)

// Weight says whether a difference is for the better.
type Weight string

// The weights of differences.
const (
	Better    Weight = "better"
	Worse     Weight = "worse"
	Different Weight = "different"
)

// Cause is why a thing differs, where more than its state says.
type Cause string

// WasReset is the cause of a session that is up in both worlds, and was down between.
const (
	WasReset   Cause = "reset"
	Summarised Cause = "summary"
)

// Row is one difference. Before is empty for what came, After for what went.
type Row struct {
	Section string `json:"section" enum:"flows,neighbours,sent,routes,paths,received,database,ports"`
	Kind    Kind   `json:"kind" enum:"came,went,moved,changed" doc:"moved: it takes another path than before"`
	Cause   Cause  `json:"cause,omitempty" enum:"reset,summary" doc:"reset: the session was reset and is up again; summary: a summary replaced the route, or the route a summary"`
	Device  string `json:"device" doc:"whose it is; of a relation the first end"`
	Other   string `json:"other,omitempty" doc:"the peer, or the other end"`
	Peer    string `json:"peer,omitempty" doc:"the peer's address, of sent and received"`
	Subject string `json:"subject" doc:"the prefix, port, LSA or flow"`
	Before  string `json:"before"`
	After   string `json:"after"`
	// Outside marks what a neighbouring AS sees.
	Outside bool   `json:"outside,omitempty" doc:"a neighbouring AS sees it"`
	Weight  Weight `json:"weight" enum:"better,worse,different"`
}

// Section is one kind of differences.
type Section struct {
	Name  string `json:"name"`
	Rows  []Row  `json:"rows" doc:"at most 5000 of them"`
	Total int    `json:"total" doc:"differences there are"`
	Same  int    `json:"same" doc:"what is as it was"`
	Says  string `json:"says" doc:"one line for what is unchanged"`
}

// Comparison is what is different between two worlds.
type Comparison struct {
	Summary  []string  `json:"summary" doc:"in words, what matters first; empty if nothing is different"`
	Same     bool      `json:"same" doc:"nothing is different"`
	Devices  []string  `json:"devices" doc:"devices of which something is different"`
	Of       int       `json:"of" doc:"devices there are"`
	Sections []Section `json:"sections"`
}

// MaxRows bounds the rows of a section.
const MaxRows = 5000

// Section finds a section by name.
func (c *Comparison) Section(name string) *Section {
	for i := range c.Sections {
		if c.Sections[i].Name == name {
			return &c.Sections[i]
		}
	}
	return &Section{Name: name}
}

// pair is an instance of a device in the two worlds; one of them may be nil.
type pair struct {
	name   string // the newer one
	before *device.Instance
	after  *device.Instance
}

// comparer holds the two worlds while they are compared.
type comparer struct {
	before, after *network.World
	pairs         []pair
	renamed       map[string]string // old name to new
	sections      map[string]*Section
	touched       map[string]bool
	exits         map[exit]map[string]bool // prefixes that left one neighbour for another
	lost, gained  map[string]bool          // prefixes without, and with, a route on some router
	sizes         map[string]*[2]int       // routes in the table of a device, before and after
	within, outOf map[string]bool          // summaries that replaced more specific routes, and that were replaced by them
}

// Worlds compares two worlds. stop, if not nil, is asked now and then whether to
// give up; what comes out then is to be thrown away.
func Worlds(before, after *network.World, stop func() bool) Comparison {
	c := &comparer{before: before, after: after, sections: map[string]*Section{}, touched: map[string]bool{},
		exits: map[exit]map[string]bool{}, sizes: map[string]*[2]int{},
		lost: map[string]bool{}, gained: map[string]bool{}, within: map[string]bool{}, outOf: map[string]bool{}}
	for _, name := range []string{Flows, Neighbours, Sent, Routes, Paths, Received, Database, Ports} {
		c.sections[name] = &Section{Name: name, Rows: []Row{}}
	}
	for _, part := range []func(){c.match, c.flows, c.neighbours, c.tables, c.speakers, c.database, c.ports} {
		if stop != nil && stop() {
			return Comparison{}
		}
		part()
	}
	return c.result()
}

func there(w *network.World) (out []*device.Device) {
	for _, d := range w.Devices() {
		if !d.Gone() {
			out = append(out, d)
		}
	}
	return out
}

func configs(list []*device.Device) (out []config.Device) {
	for _, d := range list {
		out = append(out, *d.Config())
	}
	return out
}

// match finds which device is which.
func (c *comparer) match() {
	old, now := there(c.before), there(c.after)
	was := config.RenamedDevices(configs(old), configs(now))
	c.renamed = map[string]string{}
	for name, old := range was {
		c.renamed[old] = name
	}
	seen := map[string]bool{}
	for _, d := range now {
		name := cmp.Or(was[d.Name()], d.Name())
		seen[name] = true
		c.pair(d.Name(), c.before.Find(name), d)
	}
	for _, d := range old {
		if !seen[d.Name()] {
			c.pair(d.Name(), d, nil)
		}
	}
}

// pair adds the instances of a device, one of which may be nil.
func (c *comparer) pair(name string, before, after *device.Device) {
	var names []string
	for _, d := range []*device.Device{after, before} {
		if d == nil {
			continue
		}
		for _, inst := range facts.Instances(d) {
			if !slices.Contains(names, inst.Name()) {
				names = append(names, inst.Name())
			}
		}
	}
	in := func(d *device.Device, name string) *device.Instance {
		if d == nil {
			return nil
		}
		return d.Instance(name)
	}
	for _, n := range names {
		c.pairs = append(c.pairs, pair{config.InstanceRef(name, n), in(before, n), in(after, n)})
	}
}

// now is the present name of a device that an old row names.
func (c *comparer) now(name string) string {
	if d, instance, ok := strings.Cut(name, "/"); ok && d != "" {
		return config.InstanceRef(c.now(d), instance)
	}
	return cmp.Or(c.renamed[name], name)
}

// names writes present names into words that name devices as they were called.
func (c *comparer) names(words string) string {
	if len(c.renamed) == 0 {
		return words
	}
	var out strings.Builder
	for at := 0; at < len(words); {
		end := at
		for end < len(words) &&
			(words[end] == '-' || words[end] == '_' || words[end] >= '0' && words[end] <= '9' ||
				words[end]|0x20 >= 'a' && words[end]|0x20 <= 'z') {
			end++
		}
		if end == at {
			end++
		}
		out.WriteString(c.now(words[at:end]))
		at = end
	}
	return out.String()
}

// add counts a row, and keeps it if there is room.
func (c *comparer) add(r Row) {
	if r.Kind == "" {
		switch {
		case r.Before == "":
			r.Kind = Came
		case r.After == "":
			r.Kind = Went
		default:
			r.Kind = Changed
		}
	}
	if r.Weight == "" {
		r.Weight = Different
	}
	s := c.sections[r.Section]
	if len(s.Rows) < MaxRows {
		s.Rows = append(s.Rows, r)
	}
	c.count(r.Section, r.Device)
}

// full says whether a section keeps no more rows: the words of others are not made.
func (c *comparer) full(section string) bool { return len(c.sections[section].Rows) == MaxRows }

// count counts a row of a device.
func (c *comparer) count(section, device string) {
	c.sections[section].Total++
	c.touched[device] = true
}

func (c *comparer) result() Comparison {
	out := Comparison{Same: true, Devices: []string{}, Summary: []string{}, Of: len(c.pairs)}
	for _, name := range []string{Flows, Neighbours, Sent, Routes, Paths, Received, Database, Ports} {
		s := c.sections[name]
		slices.SortStableFunc(s.Rows, func(a, b Row) int {
			if a.Outside != b.Outside { // what others see comes first
				if a.Outside {
					return -1
				}
				return 1
			}
			return 0
		})
		s.Says = unchanged(s)
		out.Same = out.Same && s.Total == 0
		out.Sections = append(out.Sections, *s)
	}
	for _, p := range c.pairs {
		if c.touched[p.name] {
			out.Devices = append(out.Devices, p.name)
		}
	}
	out.Summary = c.summary()
	return out
}

// keyed compares two lists of things that have a name and words.
func keyed[T any](before, after []T, key func(T, bool) string, see func(name string, a, b *T)) {
	old := map[string]*T{}
	for i := range before {
		old[key(before[i], true)] = &before[i]
	}
	for i := range after {
		name := key(after[i], false)
		see(name, old[name], &after[i])
		delete(old, name)
	}
	for i := range before { // in their order, not the map's
		name := key(before[i], true)
		if old[name] != nil {
			see(name, old[name], nil)
			delete(old, name)
		}
	}
}

func (c *comparer) flows() {
	keyed(traffic.FlowsOf(c.before), traffic.FlowsOf(c.after), func(f traffic.Flow, _ bool) string { return f.Name },
		func(name string, a, b *traffic.Flow) {
			r := Row{Section: Flows, Subject: name}
			if a != nil {
				r.Device, r.Other, r.Before = c.now(a.From), c.now(a.To), c.way(a.Path, true)
			}
			if b != nil {
				r.Device, r.Other, r.After = b.From, b.To, c.way(b.Path, false)
			}
			if a != nil && b != nil {
				if r.Before == r.After && a.Back.Arrives == b.Back.Arrives {
					c.sections[Flows].Same++
					return
				}
				if r.Before == r.After {
					r.Before += back(a.Back)
					r.After += back(b.Back)
				}
				ok := func(f *traffic.Flow) bool { return f.Arrives && f.Back.Arrives }
				switch {
				case ok(a) && !ok(b):
					r.Weight = Worse
				case ok(b) && !ok(a):
					r.Weight = Better
				case a.Arrives && b.Arrives:
					r.Kind = Moved
				}
			}
			c.add(r)
		})
}

func back(p traffic.Path) string {
	if p.Arrives {
		return phrase.Text("; answers come back")
	}
	return phrase.Say("; answers do not come back: %s", p.Reason)
}

// way is a path in words.
func (c *comparer) way(p traffic.Path, old bool) string {
	var s strings.Builder
	for i, h := range p.Hops {
		if i > 0 {
			s.WriteString(" - ")
		}
		if old {
			h.Device = c.now(h.Device)
		}
		s.WriteString(h.Device)
	}
	if !p.Arrives {
		s.WriteString(": " + p.Reason)
	}
	return s.String()
}

func (c *comparer) neighbours() {
	end := func(e facts.End, old bool) string {
		if old {
			e.Device = c.now(e.Device)
		}
		if e.Absent {
			return e.Name()
		}
		if e.Port == "" || e.Port == config.HostPort {
			return e.Device
		}
		return e.Device + "." + e.Port
	}
	key := func(n relations.Neighbour, old bool) string {
		if n.Protocol == "bgp" {
			a, b := n.A, n.B
			if old {
				a.Device, b.Device = c.now(a.Device), c.now(b.Device)
			}
			return "bgp " + inOrder(a.Device+" "+a.Address, b.Device+" "+b.Address)
		}
		return n.Protocol + " " + inOrder(end(n.A, old), end(n.B, old))
	}
	words := func(n *relations.Neighbour) string {
		s := n.State
		if !n.Up && len(n.Reasons) > 0 {
			s += ": " + n.Reasons[0].Text
		}
		return s
	}
	keyed(relations.NeighboursOf(c.before), relations.NeighboursOf(c.after), key,
		func(_ string, a, b *relations.Neighbour) {
			r := Row{Section: Neighbours}
			n := b
			if b == nil {
				n = a
			}
			r.Device, r.Other, r.Subject = n.A.Device, n.B.Device, end(n.A, b == nil)+" - "+end(n.B, b == nil)
			if n.Protocol == "bgp" {
				r.Subject = phrase.Say("session %s - %s (%s)", n.A.Name(), n.B.Name(), n.B.Address)
				r.Peer = n.B.Address
				r.Outside = n.Session != nil && n.Session.External
			}
			if a != nil {
				r.Before = words(a)
			}
			if b != nil {
				r.After = words(b)
			}
			reset := a != nil && b != nil && a.Up && b.Up && c.follows() && n.Since > float64(c.before.Now())/1e9
			if r.Before == r.After && !reset {
				c.sections[Neighbours].Same++
				return
			}
			switch was, is := a != nil && a.Up, b != nil && b.Up; {
			case reset:
				r.Cause = WasReset
				r.After += phrase.Text(", after it was reset")
			case was && !is:
				r.Weight = Worse
			case is && !was:
				r.Weight = Better
			}
			c.add(r)
		})
}

// inOrder joins the names of two ends such that it does not count which is first.
func inOrder(a, b string) string {
	if b < a {
		a, b = b, a
	}
	return a + " " + b
}

// follows says whether the one world may have become the other: only then times
// can be compared.
func (c *comparer) follows() bool { return c.after.Follows(c.before) }

func (c *comparer) ports() {
	key := func(p tables.Port, old bool) string {
		if old {
			return c.now(p.Device) + "." + p.Port
		}
		return p.Device + "." + p.Port
	}
	keyed(tables.PortsOf(c.before, tables.PortsAsk{}).Ports, tables.PortsOf(c.after, tables.PortsAsk{}).Ports, key, func(name string, a, b *tables.Port) {
		r := Row{Section: Ports, Subject: name}
		if a != nil {
			r.Device, r.Before = c.now(a.Device), portWords(a)
		}
		if b != nil {
			r.Device, r.After = b.Device, portWords(b)
		}
		if r.Before == r.After {
			c.sections[Ports].Same++
			return
		}
		switch was, is := a != nil && a.Up, b != nil && b.Up; {
		case was && !is:
			r.Weight = Worse
		case is && !was:
			r.Weight = Better
		}
		c.add(r)
	})
}
