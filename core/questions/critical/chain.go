// Package critical finds what the convergence of an action waited for: the chain of causes
// from the action to the change of forwarding that was the last to matter. The action is done
// again on a copy, where each event is known by the one that queued it, or that set the timer
// that it ends. So each link of the chain begins where the one before it ends, and their
// durations add up exactly.
package critical

import (
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/questions/capture"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
)

// Chain is a critical path: what the convergence of an action waited for.
type Chain struct {
	Seq    int      `json:"seq" doc:"of the action"`
	Action string   `json:"action"`
	Flow   string   `json:"flow,omitempty" doc:"the flow whose packets arrive from the end of the path on, or are lost"`
	Source string   `json:"source,omitempty" doc:"of the flow, or of a pair of devices; absent: the end is the last change of forwarding of all"`
	Target string   `json:"target,omitempty"`
	Start  float64  `json:"start" doc:"seconds since the lab began"`
	Took   float64  `json:"took" doc:"seconds from the action to the end; the durations of the links add up to it"`
	Device string   `json:"device" doc:"that changed its forwarding at the end"`
	Prefix string   `json:"prefix,omitempty" doc:"of the route that changed there"`
	Begins []string `json:"begins" doc:"what the action itself did, where the path begins"`
	Links  []Wait   `json:"links" doc:"oldest first"`
	Says   string   `json:"says" doc:"a sentence"`
}

// Wait is a link of a path: what was waited for, and what happened then.
type Wait struct {
	Kind    string   `json:"kind" doc:"flooding, session, update ..., or the name of a timer: dead-interval, spf-delay ..."`
	From    float64  `json:"from" doc:"seconds after the action"`
	Took    float64  `json:"took" doc:"seconds"`
	Device  string   `json:"device" doc:"where it ended"`
	Port    string   `json:"port,omitempty"`
	Via     []string `json:"via" doc:"of packets: the devices that they passed, in order"`
	Packets int      `json:"packets" doc:"how many of them were one after the other"`
	Says    string   `json:"says" doc:"what was waited for"`
	Setting string   `json:"setting,omitempty" doc:"what makes it that long, as an edit is written: viaduct.e1 dead-interval 40s"`
	RFC     string   `json:"rfc,omitempty" doc:"section that fixes how long, or asks for the wait"`
	Early   bool     `json:"early,omitempty" doc:"it had begun before the action"`
	Then    []string `json:"then" doc:"what happened at its end"`
	Place   string   `json:"-"`
	Line    int      `json:"line" doc:"of the setting in the text; 0 for none"`
	from    event.Time
	to      event.Time
	wait    note.Wait
}

// About is what a path leads to: the change of forwarding that mended a flow or a pair of
// devices for good, or if it stays out, that broke it. The zero About is the last change of all.
type About struct {
	Flow     string
	From, To string // devices; of a flow they follow
}

// Of is the path of an action; nil if nothing had to be waited for. last says that no action
// follows. stop, if not nil, is asked now and then whether to give up.
func Of(s *history.Step, about About, last bool, stop func() bool) (*Chain, error) {
	if s.After == nil || s.After.ForwardingChanges() == s.Before.ForwardingChanges() {
		return nil, nil
	}
	end := s.After.LastForwarding()
	at := func(n note.Note) bool { return true }
	if about != (About{}) {
		turn, err := about.turn(s, last)
		if err != nil || turn == nil {
			return nil, err
		}
		end = turn.At
		at = func(n note.Note) bool { return n.Device == turn.Device && n.Instance == turn.Instance }
	}
	t, err := tracing(s, end, stop)
	if err != nil {
		return nil, err
	}
	out := t.path(func(n note.Note) bool { return forwards(n) && event.Time(n.At) == end && at(n) })
	if out != nil {
		out.Flow, out.Source, out.Target = about.Flow, about.From, about.To
	}
	return out, nil
}

// turn is the change of forwarding that the path leads to.
func (a *About) turn(s *history.Step, last bool) (*traffic.Turn, error) {
	if a.Flow != "" {
		i := slices.IndexFunc(s.After.Flows(), func(f config.Flow) bool { return f.Name == a.Flow })
		if i < 0 {
			return nil, phrase.Errorf("there is no flow named %s in this lab", a.Flow)
		}
		a.From, a.To = s.After.Flows()[i].From, s.After.Flows()[i].To
	}
	return traffic.TurnOf(s, a.From, a.To, last)
}

// Took is how long an action took to what the path would lead to.
func Took(s *history.Step, about About) (seconds float64, err error) {
	end := s.Start
	if about != (About{}) {
		turn, err := about.turn(s, true)
		if err != nil {
			return 0, err
		}
		if turn != nil {
			end = turn.At
		}
	} else if s.After.ForwardingChanges() != s.Before.ForwardingChanges() {
		end = s.After.LastForwarding()
	}
	return (end - s.Start).Seconds(), nil
}

func forwards(n note.Note) bool { return n.Kind == note.RouteChanged || n.Kind == note.HopChanged }

// path is the path to the last note of those that are asked for.
func (t *trace) path(about func(n note.Note) bool) *Chain {
	at, n, ok := t.last(about)
	if !ok {
		return nil
	}
	end := t.list[at].event.At
	d := t.w.Device(n.Device)
	out := &Chain{Seq: t.step.Seq, Action: t.step.Record.Action, Start: t.step.Start.Seconds(), Took: (end - t.step.Start).Seconds(),
		Device: d.Instances()[n.Instance].Ref(), Links: []Wait{}, Begins: []string{}}
	if n.Kind == note.RouteChanged {
		out.Prefix = t.w.Shared().Prefixes.Prefix(uint32(n.A)).String()
	}
	links := t.links(at)
	for i := range links {
		l := &links[i]
		l.From, l.Took = (l.from - t.step.Start).Seconds(), (l.to - l.from).Seconds()
	}
	out.Links = append(out.Links, links...)
	where := n.Device
	if chain, _ := t.chain(at); len(chain) > 0 {
		if first := &t.list[chain[0]].event; first.Kind == device.FrameArrives {
			where = first.Source
		} else {
			where = first.Dest
		}
	}
	out.Begins = t.happened(0, where)
	out.Says = out.words()
	return out
}

// links are the parts of the chain to an occurrence.
func (t *trace) links(at int32) []Wait {
	chain, early := t.chain(at)
	var raw []Wait
	from := t.step.Start
	for k, i := range chain {
		e := &t.list[i].event
		l := t.link(i)
		l.from, l.to, l.Early = from, e.At, early && k == 0
		from = e.At
		raw = append(raw, l)
	}
	return t.join(raw)
}

// link is one occurrence as a part of a path, without its times.
func (t *trace) link(i int32) Wait {
	e := &t.list[i].event
	d := t.w.Device(e.Dest)
	l := Wait{wait: device.WaitOf(e.Kind), Device: d.Name(), Via: []string{}, Then: t.happened(i, e.Dest)}
	if l.wait == note.OnLink {
		l.Kind, l.Packets = string(capture.ClassOf(e.Frame)), 1
		l.Port = d.Ports()[e.A].Config.Name
		l.Via = []string{t.w.Device(e.Source).Name(), d.Name()}
		return l
	}
	l.Device = d.Instances()[e.Instance].Ref()
	info := note.Waits[l.wait]
	l.Kind, l.Says, l.RFC = info.Name, phrase.Text(info.Text), info.RFC
	t.setting(i, &l)
	if l.Setting == "" {
		l.Port = ""
	}
	return l
}

// happened is what an occurrence made of note at a device, in words; at most a few.
func (t *trace) happened(i int32, at uint32) []string {
	const enough = 4
	out := []string{}
	lanes := map[note.Lane]int{}
	from, to := t.notesOf(i)
	for k := from; k < to && len(out) < enough; k++ {
		n := t.w.NoteAt(k)
		lane := note.Kinds[n.Kind].Lane
		if n.Device != at || n.Kind == note.LSAReceived || lanes[lane] > 1 {
			continue
		}
		lanes[lane]++
		out = append(out, facts.Words(t.w, n))
	}
	return out
}

// tiny is below what a link is shown for by itself: an event that only puts work off.
const tiny = 10 * event.Microsecond

// join makes one link of those that go on with each other: packets that pass several
// devices, and what gathers them. What ran without the action's doing until something was not
// heard any more is one wait.
func (t *trace) join(raw []Wait) []Wait {
	for i := len(raw) - 1; i > 0; i-- {
		if raw[i].wait != note.DeadWait && raw[i].wait != note.HoldWait {
			continue
		}
		if !slices.ContainsFunc(raw[:i], func(l Wait) bool { return !keepsUp(l) }) {
			raw[i].from = raw[0].from
			raw[i].Early = raw[0].Early
			raw = raw[i:]
		}
		break
	}
	var out []Wait
	for _, l := range raw {
		n := len(out) - 1
		switch {
		case n >= 0 && (l.Kind == out[n].Kind && l.wait == note.OnLink || gathers(l) == out[n].Kind):
			last := &out[n]
			last.to, last.Device, last.Port, last.Then = l.to, l.Device, l.Port, l.Then
			last.Packets += l.Packets
			for _, v := range l.Via {
				if len(last.Via) == 0 || last.Via[len(last.Via)-1] != v {
					last.Via = append(last.Via, v)
				}
			}
			if last.wait != note.OnLink {
				last.Kind, last.wait = l.Kind, l.wait
			}
		case n >= 0 && out[n].to-out[n].from <= tiny && out[n].wait != note.OnLink:
			l.from, l.Early = out[n].from, out[n].Early
			if len(l.Then) == 0 {
				l.Then = out[n].Then
			}
			out[n] = l
		default:
			out = append(out, l)
		}
	}
	// What gathers LSAs before they are flooded is part of that.
	for i := 0; i+1 < len(out); i++ {
		if gathers(out[i]) == out[i+1].Kind {
			out[i+1].from, out[i+1].Early = out[i].from, out[i].Early
			out = slices.Delete(out, i, i+1)
			i--
		}
	}
	for i := range out {
		if l := &out[i]; l.wait == note.OnLink {
			l.Says = packetWords(l)
		}
	}
	return out
}

// gathers is the kind of the packets for which a wait gathers what they carry.
func gathers(l Wait) string {
	switch l.wait {
	case note.PacingWait:
		return "flooding"
	case note.AcknowledgeWait:
		return "acknowledgment"
	}
	return "nothing"
}

// keepsUp says whether a link is of what neighbours and peers send all the time.
func keepsUp(l Wait) bool {
	return l.Kind == "hello" || l.Kind == "keepalive" || l.wait == note.HelloWait || l.wait == note.KeepaliveWait || l.Kind == "tcp"
}
