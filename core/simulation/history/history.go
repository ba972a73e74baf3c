package history

import (
	"slices"
	"sort"

	"hellebore/core/ground/event"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/simulation/network"
)

// Engine is the version of the simulation. A record made by another version may
// replay to another digest, and then says so.
const Engine = "13"

// Bounds of one action.
const (
	// MaxWork is when an action that goes on is left for now (network.World.Work), after some 5 to 20 s of a person's time;
	// in a large network there is workPerLSA for each LSA that has to cross each link besides.
	MaxWork    = 5_000_000
	workPerLSA = 6
	// A wait has as much more as a network at rest does in that time, up to a day: LSAs are refreshed twice an hour, hellos and
	// keepalives sent as is configured.
	restPerLSA       = 4 * workPerLSA
	restPerHello     = 6
	restPerKeepalive = 40
	// MaxTime is how much virtual time an action has to settle: longer than every
	// guard and hold time that can be configured, one after the other.
	MaxTime = 48 * 3600 * event.Second
	// End is when virtual time ends: 100 years after the lab began.
	End = 100 * 365 * 24 * 3600 * event.Second
)

// Record is a journal entry: an action, how far it ran, and what it came to. It
// is written before the action takes effect, and completed when it ended.
type Record struct {
	Seq    int        // from 1
	Action string     // as it is typed
	Text   string     // of an apply
	Start  event.Time // virtual time at which it took effect
	// Until, if not 0, is the virtual time at which the run ends, settled or
	// not; else it runs to rest.
	Until event.Time

	Done    bool
	Outcome network.Outcome
	End     event.Time    // virtual time at its end
	Settled event.Time    // time of the last change
	Events  uint64        // handled by the world at its end
	Digest  uint64        // full digest at its end
	State   network.State // digests of what it settled to; zero in old records
	Engine  string
	// Diverged says that a replay did not come to the record: by another engine to
	// another state, by the same to another digest.
	Diverged bool
	Differs  []string // of Diverged by another engine: in what

	// ID distinguishes the action from all others, also if nobody knows whether it was
	// kept; chosen by the caller, of no meaning to the network.
	ID string

	Signature
}

// Signature is who ordered an action, why, and when: said by the caller, of no meaning to
// the network.
type Signature struct {
	Author, Message string
	Made            int64 // by the clock on the wall, unix milliseconds; 0 for unknown
	Origin          Origin
}

// Origin is what an action comes from.
type Origin string

// The origins of actions.
const (
	ByPerson Origin = ""
	// Reverted is a text that the lab put back in place, since the change before
	// it did harm: Message says which.
	Reverted Origin = "reverted"
)

// Step is an action with what is needed to look into it. One that has faded (Fade) has no worlds, but in Whole.
type Step struct {
	Record
	Parsed  Action
	Lab     *config.Lab    // in force from this action on
	Before  *network.World // just before it
	Applied *network.World // just after it took effect, at the same time
	After   *network.World // at its end; nil while it runs
	// Notes of the action: [NotesBefore, NotesApplied) when it took effect,
	// [NotesApplied, NotesAfter) in the run that followed.
	NotesBefore, NotesApplied, NotesAfter uint32
	Lost                                  uint64 // notes of it that were not kept
	frames                                keyframes
	// tried is what the action makes of base, the head when it began.
	tried, base *network.World
	// again, of a replay, is how many events the world had handled when it was
	// stopped or given up, at againAt; 0 if it was not.
	again   uint64
	againAt event.Time
}

// History is a lab's journal and the worlds that follow from it.
type History struct {
	steps []*Step
	head  *network.World
	lab   *config.Lab
	text  string
	seen  *seen       `image:"-"`
	guard Locker      `image:"-"` // of seen
	stop  func() bool `image:"-"` // of a reader: whether to give up; may be nil
}

// New is the history of a lab to which nothing has been done.
func New() *History {
	return &History{head: network.New(), lab: &config.Lab{}, seen: &seen{}, guard: Alone{}}
}

// Share gives the history a lock, so that its readers can be used by several
// goroutines.
func (h *History) Share(guard Locker) { h.guard = guard }

// Reader is the history as it is now. After Share, any number of goroutines may look into it,
// branch off and fork, while the history itself goes on. Nothing may be done to
// the reader.
func (h *History) Reader() *History {
	r := *h
	r.steps = slices.Clip(h.steps)
	if n := len(h.steps); n > 0 {
		r.head = h.steps[n-1].After
	} else {
		r.head = h.head.Clone()
	}
	return &r
}

// Until is a reader's history for somebody who may lose interest: stop is asked now and then whether to give up, and must go on
// saying so. What comes back after that is to be thrown away.
func (h *History) Until(stop func() bool) *History {
	r := *h
	r.stop = stop
	return &r
}

func (h *History) stopped() bool { return h.stop != nil && h.stop() }

// Steps are the actions so far, oldest first; for reading.
func (h *History) Steps() []*Step { return h.steps }

// Head is the present; for reading, until the next action. Text is the text in force, Lab what it
// says.
func (h *History) Head() *network.World { return h.head }
func (h *History) Text() string         { return h.text }
func (h *History) Lab() *config.Lab     { return h.lab }

// Begin checks an action and makes its record, which the caller writes to the
// journal before Run. until is 0 to run to rest, else a duration. Nothing has
// happened yet.
func (h *History) Begin(a Action, until event.Time) (*Step, error) {
	s := &Step{Parsed: a, Lab: h.lab}
	s.Record = Record{Seq: len(h.steps) + 1, Action: a.String(), Text: a.Text, Start: h.head.Now(), Engine: Engine}
	if a.Kind == Wait {
		s.Until = a.until(s.Start)
	}
	if until != 0 {
		s.Until = s.Start + until
	}
	if s.Until < 0 || s.Until > End || s.Start > End {
		return nil, phrase.Errorf("the lab's time ends after 100 years; it is at %v now, so wait less", s.Start)
	}
	if a.Kind == Apply {
		r := labtext.Parse(a.Text)
		if !r.OK() {
			return nil, &TextError{r.Problems}
		}
		s.Lab = &r.Lab
	}
	if err := h.try(s); err != nil {
		return nil, err
	}
	return s, nil
}

// try has a begun step take effect on a copy of the head.
func (h *History) try(s *Step) error {
	s.tried, s.base = h.head.Clone(), h.head
	return s.Parsed.Perform(s.tried, s.Lab)
}

// TextError is a text that cannot be applied.
type TextError struct {
	Problems []labtext.Problem
}

func (e *TextError) Error() string {
	n := 0
	for _, p := range e.Problems {
		if p.Severity == labtext.Error {
			n++
		}
	}
	if n == 1 {
		return phrase.Text("the text has an error, nothing was applied")
	}
	return phrase.Say("the text has %d errors, nothing was applied", n)
}

// Run performs a begun step: it takes effect, and time runs to rest or to the
// step's bound. stop, if not nil, is asked now and then whether to give up.
func (h *History) Run(s *Step, stop func() bool) error {
	if s.base != h.head {
		if err := h.try(s); err != nil {
			return err
		}
	}
	lost := h.head.LostNotes()
	s.NotesBefore = h.head.Notes()
	s.Before = h.head // which is not written any more
	w := s.tried
	w.ForgetNotes(h.oldestNote())
	h.head, s.tried, s.base = w, nil, nil
	s.NotesApplied = w.Notes()
	s.Applied = keyframe(w)
	h.steps = append(h.steps, s)
	h.lab, h.seen = s.Lab, &seen{}
	if s.Parsed.Kind == Apply {
		h.text = s.Parsed.Text
	}
	if s.again != 0 {
		h.advanceAgain(s, w, stop)
	} else {
		h.advance(s, w, stop)
	}
	s.Done, s.End, s.Settled = true, w.Now(), max(s.Start, w.Calm().LastChange())
	s.Events, s.NotesAfter, s.Lost = w.Handled(), w.Notes(), w.LostNotes()-lost
	w.BeginAction() // the next one
	s.Digest, s.State = w.Digests(true)
	s.After = w.Clone()
	h.head = s.After
	return nil
}

// advance runs the world to the end of the step, leaving keyframes behind.
func (h *History) advance(s *Step, w *network.World, stop func() bool) {
	from, most := w.Work(), maxWork(w)
	if s.Until != 0 {
		most += restWork(w, s.Until-w.Now())
	}
	t := triesUntil(w, s.Until)
	s.frames = begun(w)
	var churn network.Churn
	for {
		if s.Until != 0 {
			if t.runs(w) {
				s.Outcome = network.Settled
				return
			}
		} else if s.Outcome = w.Settle(frameWork, stop); s.Outcome == network.Settled || s.Outcome == network.Stopped {
			return
		}
		switch {
		case stop != nil && stop():
			s.Outcome = network.Stopped
			return
		case s.Until == 0 && churn.Recurs(w, s.NotesApplied):
			s.Outcome = network.Unsettled
			return
		case w.Work()-from >= most || s.Until == 0 && w.Now()-s.Start >= MaxTime:
			s.Outcome = network.Unfinished
			return
		}
		s.frames.pass(w)
	}
}

// restWork is what a network at rest does in a time, of a day at most.
func restWork(w *network.World, d event.Time) uint64 {
	hellos, keepalives := w.Rest(min(d, 24*3600*event.Second))
	lsas := restPerLSA * floodings(w) * uint64(len(w.Devices())) * uint64(min(d, 24*3600*event.Second)/event.Second) / 3600
	return restPerHello*hellos + restPerKeepalive*keepalives + lsas
}

// floodings is how many links there are to flood over. On a segment all hear the acknowledgments of all.
func floodings(w *network.World) uint64 {
	n := 0
	for i := range w.Media() {
		n += max(1, len(w.Media()[i].Ends)*len(w.Media()[i].Ends)/4)
	}
	return uint64(n)
}

// maxWork is the most work of an action in a network.
func maxWork(w *network.World) uint64 {
	return MaxWork + workPerLSA*uint64(len(w.Devices()))*uint64(len(w.Media()))
}

// advanceAgain runs the world to where a replayed step was stopped or given up,
// event by event.
func (h *History) advanceAgain(s *Step, w *network.World, stop func() bool) {
	t := triesUntil(w, s.Until)
	s.frames = begun(w)
	frame := w.Work() + frameWork
	for w.Handled() < s.again && t.runsNext(w) {
		if w.Work() < frame {
			continue
		}
		if stop != nil && stop() {
			s.Outcome = network.Stopped
			return
		}
		frame = w.Work() + frameWork
		s.frames.pass(w)
	}
	w.RunUntil(s.againAt, 0)
}

// Branch is an independent history that begins as this one is now. What is done
// to it is not noticed here.
func (h *History) Branch() *History {
	b := *h
	b.steps = slices.Clip(h.steps)
	b.head = h.head.Clone()
	b.seen = &seen{}
	return &b
}

// BranchAt is an independent history that begins as this one was at a moment.
func (h *History) BranchAt(m Moment) *History {
	if m == h.Now() {
		return h.Branch()
	}
	b := New()
	b.steps = slices.Clip(h.steps[:m.Step])
	b.head = h.At(m).Clone()
	for _, s := range b.steps {
		b.lab = s.Lab
		if s.Parsed.Kind == Apply {
			b.text = s.Parsed.Text
		}
	}
	return b
}

// ErrStopped says that what was asked for was stopped before its end.
var ErrStopped error = stopped{}

type stopped struct{}

func (stopped) Error() string { return phrase.Text("it was stopped before its end") }

// Replay does again what a journal says; ErrStopped if stop, asked now and then,
// says so: nothing is to be concluded then. A record that was not completed, since
// the server died, is carried to its end and completed in place; one whose
// digest does not come out again is marked Diverged. each, if not nil, is called after every action.
func Replay(records []Record, stop func() bool, each func(h *History)) (*History, error) {
	h := New()
	if err := h.GoOn(records, stop, each); err != nil {
		return nil, err
	}
	return h, nil
}

// GoOn is Replay of the records of a journal that the history does not have yet.
func (h *History) GoOn(records []Record, stop func() bool, each func(h *History)) error {
	for _, r := range records[len(h.steps):] {
		a := Action{Kind: Apply, Text: r.Text}
		if r.Action != Apply.String() {
			var err error
			if a, err = ParseAction(r.Action); err != nil {
				return phrase.Errorf("journal entry %d: %w", r.Seq, err)
			}
		}
		s, err := h.Begin(a, 0)
		if err != nil {
			return phrase.Errorf("journal entry %d, %s: %w", r.Seq, r.Action, err)
		}
		s.Until = r.Until
		if r.Done && r.Outcome != network.Settled && r.Engine == Engine {
			// It was stopped or given up after so many events: the same again.
			s.again, s.againAt, s.Outcome = r.Events, r.End, r.Outcome
		}
		if err := h.Run(s, stop); err != nil {
			return phrase.Errorf("journal entry %d, %s: %w", r.Seq, r.Action, err)
		}
		if stop != nil && stop() {
			return ErrStopped
		}
		if r.Done {
			s.compare(&r)
		}
		s.ID = r.ID
		s.Signature = r.Signature
		if each != nil {
			each(h)
		}
	}
	return nil
}

// compare marks a replayed step if it did not come to its record. Another engine
// may have moved only the time.
func (s *Step) compare(r *Record) {
	was, is := r.State, s.State
	switch {
	case r.Engine == Engine:
		s.Diverged = s.Digest != r.Digest
	case was != network.State{}:
		for _, part := range []struct {
			name    string
			was, is uint64
		}{{"ports", was.Ports, is.Ports}, {"neighbours", was.Neighbours, is.Neighbours},
			{"link-state databases", was.Database, is.Database},
			{"routes", was.Routes, is.Routes}, {"BGP paths", was.Paths, is.Paths}} {
			if part.was != part.is {
				s.Differs = append(s.Differs, part.name)
			}
		}
		s.Diverged = s.Differs != nil
	}
	s.Engine = r.Engine
}

// Records is the journal.
func (h *History) Records() []Record {
	out := make([]Record, len(h.steps))
	for i, s := range h.steps {
		out[i] = s.Record
	}
	return out
}

// ForkRecords is the journal of a lab that forks off at a moment: what was done
// until then.
func (h *History) ForkRecords(m Moment) []Record {
	out := h.Records()[:m.Step]
	if last := m.Step - 1; last >= 0 && m.At < h.steps[last].End {
		r := &out[last]
		r.Until, r.Done = m.At, false
	}
	return out
}

// Moment is a position in a lab's history: the state after Step actions, at
// virtual time At, all events up to and including At handled. A Step whose
// action has yet to run gives the state before that action.
type Moment struct {
	Step int
	At   event.Time
}

// Now is the present moment.
func (h *History) Now() Moment { return Moment{len(h.steps), h.head.Now()} }

// BeforeStep is the moment just before action seq, from 1; AfterStep that at
// its end.
func (h *History) BeforeStep(seq int) Moment { return Moment{seq - 1, h.steps[seq-1].Start} }
func (h *History) AfterStep(seq int) Moment  { return Moment{seq, h.steps[seq-1].End} }

// AtTime is the moment of a virtual time, the actions at that time included.
func (h *History) AtTime(t event.Time) Moment {
	t = min(max(t, 0), h.head.Now())
	n := sort.Search(len(h.steps), func(i int) bool { return h.steps[i].Start > t })
	return Moment{n, t}
}

// At is the world at a moment, for reading only: it is shared between callers.
func (h *History) At(m Moment) *network.World {
	if m == h.Now() {
		return h.head
	}
	return h.sought(m)
}

// seek runs from the nearest keyframe before the moment.
func (h *History) seek(m Moment) *network.World {
	if m.Step == 0 {
		return network.New()
	}
	s := h.steps[m.Step-1]
	if s.After != nil && m.At >= s.End {
		return s.After
	}
	s = h.Whole(m.Step)
	if s.After != nil && m.At >= s.End {
		return s.After
	}
	base := s.Applied
	for _, f := range s.frames.worlds {
		if f.Now() < m.At {
			base = f
		}
	}
	w := base.Clone()
	t := tries{until: m.At, next: m.At}
	if s.Until != 0 {
		t = triesUntil(w, m.At)
	}
	for !t.runs(w) && !h.stopped() { // to the next keyframe at most
	}
	return w.Clone() // which many may read
}

// Fork is an independent copy of the world at a moment, to try things on.
func (h *History) Fork(m Moment) *network.World { return h.At(m).Clone() }
