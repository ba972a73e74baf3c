package timeline

import (
	"cmp"
	"slices"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
)

// TimelineEvent is a mark or a bar on a device's row.
type TimelineEvent struct {
	At    float64  `json:"at" doc:"seconds since the lab began"`
	Until *float64 `json:"until,omitempty" doc:"end of a bar: from an SPF run's cause to the run"`
	Lane  string   `json:"lane" enum:"detection,adjacency,flooding,spf,forwarding,packet,session,updates"`
	Text  string   `json:"text" doc:"of the first six, a line each"`
	Count int      `json:"count" doc:"how many events it shows"`
}

// TimelineRow is a device's events in one action.
type TimelineRow struct {
	Device string          `json:"device"`
	Events []TimelineEvent `json:"events"`
}

// ActionDetail is one action in full.
type ActionDetail struct {
	Action
	Rows   []TimelineRow         `json:"rows" doc:"devices with something to show, in order of their first event"`
	Flows  []traffic.FlowOutages `json:"flows"`
	Merged int                   `json:"merged" doc:"events that share the mark of the one before them, to keep marks few: a narrower window shows them"`
	Found  int                   `json:"found" doc:"events that match what is looked for"`
}

// Window is the part of an action's events that somebody looks at.
type Window struct {
	From, To event.Time // both included
	Find     string     // words that an event or its device has; events that match and those that do not share no mark
}

// All is the window of a whole action.
func All(s *history.Step) Window { return Window{From: s.Start, To: s.End} }

// maxMarks bounds the marks of one window; maxLines the events that a mark names.
const (
	maxMarks = 10_000
	maxLines = 6
)

// mark is one event of a device, or several that come close after each other.
type mark struct {
	device    uint32
	lane      note.Lane
	at, until event.Time // until is 0 for what has no length
	notes     [maxLines]uint32
	count     int
	found     bool
	gap       event.Time // since the mark before it in its row and lane, -1 for the first
}

// DetailOf is one action in full, its events those of a window.
func DetailOf(s *history.Step, outages []traffic.FlowOutages, changes []labtext.Change, part Window) ActionDetail {
	out := ActionDetail{Action: ActionOf(s, outages, changes), Rows: []TimelineRow{}, Flows: outages}
	words := facts.NewWriter(s.After)
	marks, first := marksOf(s, words, part)
	if part.Find != "" {
		for i := range marks {
			if marks[i].found {
				out.Found += marks[i].count
			}
		}
	}
	kept := thinned(marks, maxMarks)
	out.Merged = len(marks) - len(kept)
	rows := map[uint32]*TimelineRow{}
	for i := range kept {
		m := &kept[i]
		row := rows[m.device]
		if row == nil {
			row = &TimelineRow{Device: s.After.Device(m.device).Name(), Events: []TimelineEvent{}}
			rows[m.device] = row
		}
		e := TimelineEvent{At: m.at.Seconds(), Lane: string(m.lane), Count: m.count, Text: textOf(s, words, m)}
		if m.until != 0 {
			until := m.until.Seconds()
			e.Until = &until
		}
		row.Events = append(row.Events, e)
	}
	order := make([]uint32, 0, len(rows))
	for id := range rows {
		order = append(order, id)
	}
	slices.SortFunc(order, func(a, b uint32) int {
		return cmp.Or(cmp.Compare(first[a], first[b]), cmp.Compare(rows[a].Device, rows[b].Device))
	})
	for _, id := range order {
		out.Rows = append(out.Rows, *rows[id])
	}
	return out
}

// marksOf are the events of a window, those of a kind at one time as one, and when each device
// has its first one in the action.
func marksOf(s *history.Step, writer *facts.Writer, part Window) ([]mark, map[uint32]event.Time) {
	words := strings.Fields(strings.ToLower(part.Find))
	type row struct {
		device uint32
		lane   note.Lane
		found  bool
	}
	scheduled, first := map[uint32]event.Time{}, map[uint32]event.Time{}
	before := map[row]int{} // the last mark of a row's lane
	var out []mark
	for i := s.NotesBefore; i < s.NotesAfter; i++ {
		n := s.After.NoteAt(i)
		m := mark{device: n.Device, lane: note.Kinds[n.Kind].Lane, at: event.Time(n.At), count: 1, gap: -1}
		switch n.Kind {
		case note.SPFScheduled:
			scheduled[n.Device] = m.at
			continue
		case note.SPFRun:
			if at, ok := scheduled[n.Device]; ok {
				m.at, m.until = at, m.at
			}
		}
		if _, ok := first[n.Device]; !ok {
			first[n.Device] = m.at
		}
		if max(m.at, m.until) < part.From || m.at > part.To {
			continue
		}
		if len(words) > 0 {
			text := strings.ToLower(s.After.Device(n.Device).Name() + " " + writer.Words(n))
			m.found = !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) })
		}
		in := row{m.device, m.lane, m.found}
		k, ok := before[in]
		if ok && m.until == 0 && out[k].until == 0 && out[k].at == m.at {
			out[k].add(i)
			continue
		}
		if ok {
			m.gap = max(0, m.at-max(out[k].at, out[k].until))
		}
		m.notes[0] = i
		before[in] = len(out)
		out = append(out, m)
	}
	return out, first
}

// add counts one more event for a mark, and names it if there is room.
func (m *mark) add(i uint32) {
	if m.count < maxLines {
		m.notes[m.count] = i
	}
	m.count++
}

// thinned are at most so many marks: those that come closest after another one of their row and
// lane are drawn as one with it. The first of each row and lane stays in any case.
func thinned(marks []mark, most int) []mark {
	if len(marks) <= most {
		return marks
	}
	gaps := make([]event.Time, 0, len(marks))
	for i := range marks {
		if marks[i].gap >= 0 {
			gaps = append(gaps, marks[i].gap)
		}
	}
	slices.Sort(gaps)
	drop := min(len(gaps), len(marks)-most)
	closest := gaps[drop-1]
	less, _ := slices.BinarySearch(gaps, closest)
	ties := drop - less // how many of those just as close go
	type row struct {
		device uint32
		lane   note.Lane
		found  bool
	}
	last := map[row]int{}
	var out []mark
	for i := range marks {
		m := marks[i]
		in := row{m.device, m.lane, m.found}
		k, ok := last[in]
		if ok && m.gap == closest {
			ties--
		}
		if ok && (m.gap < closest || m.gap == closest && ties >= 0) {
			o := &out[k]
			for j := range min(m.count, maxLines) {
				if o.count+j < maxLines {
					o.notes[o.count+j] = m.notes[j]
				}
			}
			o.count += m.count
			if end := max(m.at, m.until); o.until != 0 || m.until != 0 {
				o.until = end
			}
			continue
		}
		last[in] = len(out)
		out = append(out, m)
	}
	return out
}

// textOf are the events of a mark, a line each, as many as it names.
func textOf(s *history.Step, words *facts.Writer, m *mark) string {
	var lines []string
	for _, i := range m.notes[:min(m.count, maxLines)] {
		lines = append(lines, words.Words(s.After.NoteAt(i)))
	}
	return strings.Join(lines, "\n")
}
