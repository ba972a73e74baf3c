// Package lab is the whole: one lab with its history and all views of it, as
// the server and the command line use it. A Lab is owned by one goroutine; its
// readers may be used by others.
package lab

import (
	"cmp"
	"io"
	"maps"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/capture"
	"hellebore/core/questions/check"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/interchange"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/topology"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Lab is an open lab.
type Lab struct {
	history *history.History
	found   *found                       // shared with readers
	names   map[string]history.Moment    // of moments
	moved   map[string]topology.Position // of cards on the map; never changed in place
	stop    func() bool                  // of a reader: whether to give up; may be nil
}

type outageKey struct {
	seq  int
	last bool
}

// found is what was found out about the lab's past once and for all.
type found struct {
	mu        history.Locker
	outages   map[outageKey][]traffic.FlowOutages
	actions   map[outageKey]timeline.Action
	pairs     map[outageKey]traffic.Pairs
	checked   []check.Result // the checks' results, found at checkedAt
	checkedAt position
}

// once looks a step up in a map of what was found, or finds it. What was stopped
// is not kept.
func once[T any](l *Lab, of map[outageKey]T, key outageKey, find func() T) T {
	l.found.mu.Lock()
	x, ok := of[key]
	l.found.mu.Unlock()
	if ok {
		return x
	}
	x = find()
	if !l.Stopped() {
		l.found.mu.Lock()
		of[key] = x
		l.found.mu.Unlock()
	}
	return x
}

// Share gives the lab a lock, so that its readers can be used by several
// goroutines.
func (l *Lab) Share(guard history.Locker) {
	l.found.mu = guard
	l.history.Share(guard)
}

// Reader is the lab as it is now, to be looked into, after Share, by any goroutine
// while the lab itself goes on. Nothing may be done to it.
func (l *Lab) Reader() *Lab {
	return &Lab{history: l.history.Reader(), found: l.found, names: maps.Clone(l.names), moved: l.moved}
}

// Until is the reader for somebody who may lose interest: stop is asked now and
// then whether to give up, and must go on saying so. What a view returns after
// that is to be thrown away; Stopped says so.
func (l *Lab) Until(stop func() bool) *Lab {
	r := *l
	r.stop, r.history = stop, l.history.Until(stop)
	return &r
}

// Stopped says whether whoever asks has lost interest.
func (l *Lab) Stopped() bool { return l.stop != nil && l.stop() }

// New is an empty lab: its first action is to apply a text.
func New() *Lab {
	f := &found{mu: history.Alone{}, outages: map[outageKey][]traffic.FlowOutages{},
		actions: map[outageKey]timeline.Action{}, pairs: map[outageKey]traffic.Pairs{}}
	return &Lab{history: history.New(), found: f, names: map[string]history.Moment{}}
}

// Open replays a journal.
func Open(records []history.Record, stop func() bool) (*Lab, error) {
	l := New()
	if err := l.goOn(records, stop); err != nil {
		return nil, err
	}
	return l, nil
}

// goOn does what a journal has and the lab has not yet.
func (l *Lab) goOn(records []history.Record, stop func() bool) error {
	return l.history.GoOn(records, stop, func(*history.History) { l.fade() })
}

// History is the lab's journal and worlds; for reading.
func (l *Lab) History() *history.History { return l.history }

// Title is what the text calls the lab.
func (l *Lab) Title() string { return l.history.Lab().Name }

// Text is the text in force.
func (l *Lab) Text() string { return l.history.Text() }

// Begin checks an action and makes its record; Run performs it. See
// history.History.
func (l *Lab) Begin(a history.Action, until event.Time) (*history.Step, error) {
	return l.history.Begin(a, until)
}

// Run performs a begun action.
func (l *Lab) Run(s *history.Step, stop func() bool) error {
	err := l.history.Run(s, stop)
	l.fade()
	return err
}

// fade lets go of old actions' worlds, of which the rows in the timeline stay.
func (l *Lab) fade() {
	for old := l.history.Fading(); old != nil; old = l.history.Fading() {
		l.actionOf(old)
		l.history.Fade()
	}
}

// Lighten lets go of what is least missed of the lab's worlds, and says whether there was anything. It is made again for whoever asks.
func (l *Lab) Lighten() bool {
	return l.history.Lighten(func(s *history.Step) { l.actionOf(s) })
}

// Do begins and runs an action.
func (l *Lab) Do(a history.Action, until event.Time) (*history.Step, error) {
	s, err := l.Begin(a, until)
	if err != nil {
		return nil, err
	}
	return s, l.Run(s, nil)
}

// ParseMoment reads a moment: "now", "before-3" and "after-3" (the third
// action), or seconds of virtual time.
func (l *Lab) ParseMoment(s string) (history.Moment, error) {
	h := l.history
	if s == "" || s == "now" {
		return h.Now(), nil
	}
	for _, side := range []string{"before-", "after-"} {
		if number, ok := strings.CutPrefix(s, side); ok {
			seq, err := strconv.Atoi(number)
			if err != nil || seq < 1 || seq > len(h.Steps()) {
				return history.Moment{},
					phrase.Errorf("there is no action %s in this lab: it has %d", number, len(h.Steps()))
			}
			if side == "before-" {
				return h.BeforeStep(seq), nil
			}
			return h.AfterStep(seq), nil
		}
	}
	if m, ok := l.names[s]; ok {
		return m, nil
	}
	t, err := strconv.ParseFloat(s, 64)
	if err != nil {
		return history.Moment{},
			phrase.Errorf("%q is not a moment; write now, before-3, after-3, seconds, or the name of a moment", s)
	}
	if now := float64(h.Head().Now()) / 1e9; t < 0 || t > now+1e-9 {
		return history.Moment{},
			phrase.Errorf("the moment %s s is not in this lab's time, which goes from 0 s to %.3f s", s, now)
	}
	// Half a nanosecond more than written would lose the event at that time.
	return h.AtTime(Nanoseconds(t)), nil
}

// NameMoment gives a moment a name by which ParseMoment finds it; a name that
// was taken moves.
func (l *Lab) NameMoment(name string, m history.Moment) error {
	if !momentName.MatchString(name) || reserved.MatchString(name) {
		return phrase.Errorf("%q is no name for a moment: begin with a letter and go on with letters, digits and -; now, before-3 and after-3 are taken", name)
	}
	l.names[name] = m
	return nil
}

var (
	momentName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9-]{0,39}$`)
	reserved   = regexp.MustCompile(`^(now|before-\d+|after-\d+|all|everything)$`)
)

// Nanoseconds is the virtual time of seconds as views give them.
func Nanoseconds(s float64) event.Time { return event.Time(s*1e9 + 0.5) }

// ForgetMoment takes a name away.
func (l *Lab) ForgetMoment(name string) { delete(l.names, name) }

// MomentOf is the moment of a name, if there is one.
func (l *Lab) MomentOf(name string) (history.Moment, bool) {
	m, ok := l.names[name]
	return m, ok
}

// NamedMoment is a moment that has a name.
type NamedMoment struct {
	Name string  `json:"name"`
	At   float64 `json:"at" doc:"seconds since the lab began"`
	Step int     `json:"step" doc:"actions done by then"`
}

// Moments are the named moments, in order of time.
func (l *Lab) Moments() []NamedMoment {
	out := []NamedMoment{}
	for name, m := range l.names {
		out = append(out, NamedMoment{name, float64(m.At) / 1e9, m.Step})
	}
	slices.SortFunc(out, func(a, b NamedMoment) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.Step, b.Step), cmp.Compare(a.Name, b.Name))
	})
	return out
}

// World is the world at a moment, for reading.
func (l *Lab) World(m history.Moment) *network.World { return l.history.At(m) }

// Ports, Neighbours, Routes and Flows are the views of a moment.
func (l *Lab) Ports(m history.Moment, ask tables.PortsAsk) tables.Ports {
	return tables.PortsOf(l.World(m), ask)
}
func (l *Lab) Neighbours(m history.Moment, ask relations.Ask) relations.Neighbours {
	return ask.Part(relations.NeighboursOf(l.World(m)))
}

// Takes are what crosses between the instances of routers.
func (l *Lab) Takes(m history.Moment) []tables.Take { return tables.TakesOf(l.World(m)) }

func (l *Lab) Database(m history.Moment) tables.Database { return tables.DatabaseOf(l.World(m)) }
func (l *Lab) Routes(m history.Moment) tables.Routes     { return tables.RouteTable(l.World(m)) }

// Names are what can be named at a moment, and the risk groups of the text in force.
func (l *Lab) Names(m history.Moment) tables.Names {
	out := tables.NamesOf(l.World(m))
	for _, g := range l.history.Lab().RiskGroups {
		out.Groups = append(out.Groups, g.Name)
	}
	return out
}

// Explain says how a device came to its route for a prefix or an address.
func (l *Lab) Explain(m history.Moment, device, to string) (tables.RouteStory, error) {
	w := l.World(m)
	inst, err := facts.InstanceNamed(w, device)
	if err != nil {
		return tables.RouteStory{}, err
	}
	p, err := netip.ParsePrefix(to)
	if err != nil {
		a, err := netip.ParseAddr(to)
		if err != nil || !a.Is4() {
			return tables.RouteStory{}, phrase.Errorf("%q is neither a prefix nor an address", to)
		}
		p = netip.PrefixFrom(a, 32)
	}
	return tables.Explain(w, inst, p.Masked()), nil
}

// Path is the way from a device to an address or another device.
func (l *Lab) Path(m history.Moment, from, to string) (traffic.Path, error) {
	return traffic.FlowBetween(l.World(m), from, to)
}

// portAt finds a port by its name ("viaduct.e1") in a world.
func portAt(w *network.World, port string) (dev, i uint32, err error) {
	r := labtext.ParseRef(port)
	d := w.Find(r.Device)
	if d == nil {
		return 0, 0, phrase.Errorf("there is no device named %s at that moment", r.Device)
	}
	i, ok := d.Port(r.Port)
	if !ok {
		return 0, 0, phrase.Errorf("%s has no port named %s", r.Device, r.Port)
	}
	return d.ID(), i, nil
}

// Capture writes the frames of the link or segment that a port ("viaduct.e1") is
// on, between two moments, as a pcapng file. It returns how many there were.
func (l *Lab) Capture(out io.Writer, port string, from, to history.Moment) (frames int, err error) {
	w := l.World(to)
	dev, i, err := portAt(w, port)
	if err != nil {
		return 0, err
	}
	return interchange.Pcapng(out, l.history, w, dev, i, from, to, l.stop)
}

// Packets are the frames of the link or segment that a port is on, between two
// moments, decoded; if kinds are given, only packets of these.
func (l *Lab) Packets(port string, from, to history.Moment, kinds []string) (capture.Packets, error) {
	w := l.World(to)
	dev, i, err := portAt(w, port)
	if err != nil {
		return capture.Packets{}, err
	}
	return capture.PacketsOf(l.history, w, dev, i, from.At, to.At, kinds, l.stop)
}

// Tree is the shortest-path tree of a router; Ladder how an adjacency came to
// its state; Messages what routers would log; Summary a prefix that summarises several.
func (l *Lab) Tree(m history.Moment, device string) (tables.Tree, error) {
	return tables.TreeOf(l.World(m), device)
}
func (l *Lab) Ladder(m history.Moment, a, b string) (relations.Ladder, error) {
	return relations.LadderOf(l.World(m), a, b)
}
func (l *Lab) Messages(m history.Moment, ask timeline.MessagesAsk) timeline.Messages {
	return timeline.MessagesOf(l.World(m), ask, l.stop)
}
func (l *Lab) Summary(m history.Moment, prefixes []string, area string) (tables.Summary, error) {
	return tables.SummaryOf(l.World(m), prefixes, area)
}

// Fork is a copy of the world at a moment, to try things on: the lab itself does
// not notice.
func (l *Lab) Fork(m history.Moment) *network.World { return l.history.Fork(m) }

func (l *Lab) outagesOf(s *history.Step) []traffic.FlowOutages {
	key := outageKey{s.Seq, s.Seq == len(l.history.Steps())}
	return once(l, l.found.outages, key, func() []traffic.FlowOutages { return traffic.OutagesOf(l.history.Whole(s.Seq), key.last, l.stop) })
}

// actionOf is a step as views show it, made once.
func (l *Lab) actionOf(s *history.Step) timeline.Action {
	key := outageKey{s.Seq, s.Seq == len(l.history.Steps())}
	return once(l, l.found.actions, key,
		func() timeline.Action {
			return timeline.ActionOf(l.history.Whole(s.Seq), l.outagesOf(s), l.changesOf(s))
		})
}

// changesOf is what an apply changed, by meaning.
func (l *Lab) changesOf(s *history.Step) []labtext.Change {
	if s.Parsed.Kind != history.Apply || s.Seq == 1 {
		return nil
	}
	return labtext.Differences(l.history.Steps()[s.Seq-2].Lab, s.Lab)
}

// Timeline is all actions so far.
func (l *Lab) Timeline() []timeline.Action { return l.TimelineAfter(0) }

// TimelineAfter is all actions after action seq.
func (l *Lab) TimelineAfter(seq int) []timeline.Action {
	out := []timeline.Action{}
	steps := l.history.Steps()
	for _, s := range steps[min(seq, len(steps)):] {
		if l.Stopped() {
			break
		}
		out = append(out, l.actionOf(s))
	}
	return out
}

func (l *Lab) step(seq int) (*history.Step, error) {
	if seq < 1 || seq > len(l.history.Steps()) {
		return nil, phrase.Errorf("there is no action %d in this lab: it has %d", seq, len(l.history.Steps()))
	}
	return l.history.Whole(seq), nil
}

// Action is one action in full.
func (l *Lab) Action(seq int) (timeline.ActionDetail, error) {
	s, err := l.step(seq)
	if err != nil {
		return timeline.ActionDetail{}, err
	}
	return timeline.DetailOf(s, l.outagesOf(s), l.changesOf(s), timeline.All(s)), nil
}

// ActionPart is one action with the events from one time to another, in seconds since the lab
// began; to is 0 for its end. Events are looked through for the words of find.
func (l *Lab) ActionPart(seq int, from, to float64, find string) (timeline.ActionDetail, error) {
	s, err := l.step(seq)
	if err != nil {
		return timeline.ActionDetail{}, err
	}
	if to == 0 {
		to = s.End.Seconds()
	}
	if !(0 <= from && from <= to) {
		return timeline.ActionDetail{}, phrase.Errorf("%v s to %v s is no stretch of time: give two times, the earlier one first", from, to)
	}
	to = min(to, s.End.Seconds())
	part := timeline.Window{From: event.FromSeconds(min(from, to)), To: event.FromSeconds(to), Find: find}
	return timeline.DetailOf(s, l.outagesOf(s), l.changesOf(s), part), nil
}

// Differences compares a text with the one in force, by meaning.
func (l *Lab) Differences(after *config.Lab) []labtext.Change {
	return labtext.Differences(l.history.Lab(), after)
}
