package sweep

import (
	"cmp"
	"slices"

	"hellebore/core/ground/phrase"
	"hellebore/core/questions/failure"
	"hellebore/core/simulation/network"
)

// Changed is a failure that does something else after a change of the network than before it.
type Changed struct {
	Title string  `json:"title" doc:"what fails"`
	Turn  string  `json:"turn" enum:"worse,better,new,gone" doc:"new and gone: what fails is there on one side alone"`
	Was   *Impact `json:"was,omitempty"`
	Is    *Impact `json:"is,omitempty"`

	WasSays string `json:"wasSays,omitempty" doc:"what it did, in a line"`
	IsSays  string `json:"isSays,omitempty"`
}

func changed(title, turn string, was, is *Impact) Changed {
	c := Changed{Title: title, Turn: turn, Was: was, Is: is}
	if was != nil {
		c.WasSays = was.Says()
	}
	if is != nil {
		c.IsSays = is.Says()
	}
	return c
}

// Against is two sweeps held against each other.
type Against struct {
	Worse   int       `json:"worse"`
	Better  int       `json:"better"`
	Same    int       `json:"same"`
	Changes []Changed `json:"changes" doc:"the failures that became worse first, then new ones that do harm, better ones, and those that are gone"`
}

// turns are in the order in which they are said.
var turns = []string{"worse", "new", "better", "gone"}

// counts is what of an impact decides first whether another one is worse: what is lost, and what fails.
func (r *Impact) counts() []int {
	settles := 0
	if r.Outcome != network.Settled.String() {
		settles = 1
	}
	return []int{settles, r.FlowsLost(), len(r.Checks), r.Pairs.Lost, r.Borders.Sent, len(r.Overloaded)}
}

// A time is another one only if it differs by more than a hello or a timer's jitter that comes at another moment can make it: by half,
// and by longerBy seconds.
const (
	longerTimes = 1.5
	longerBy    = 0.010
)

// longer compares two times, in seconds.
func longer(is, was float64) int {
	switch {
	case is > was*longerTimes && is > was+longerBy:
		return 1
	case was > is*longerTimes && was > is+longerBy:
		return -1
	}
	return 0
}

// worse says whether an impact is worse (1) or better (-1) than another. Pairs that are out for a time are said, and decide nothing:
// which paths a packet has decides how many there are.
func (r *Impact) worse(was *Impact) int {
	return cmp.Or(slices.Compare(r.counts(), was.counts()), longer(r.WorstFlow(), was.WorstFlow()), longer(r.Pairs.Longest, was.Pairs.Longest))
}

// Hold holds the impacts of the same failures before and after a change against each other.
func Hold(before, after []Impact) Against {
	out := Against{Changes: []Changed{}}
	was := map[string]*Impact{}
	for i := range before {
		was[before[i].Title()] = &before[i]
	}
	for i := range after {
		is := &after[i]
		title := is.Title()
		old := was[title]
		delete(was, title)
		if old == nil {
			if !is.Harmless() {
				out.Changes = append(out.Changes, changed(title, "new", nil, is))
			}
			continue
		}
		switch is.worse(old) {
		case 1:
			out.Worse++
			out.Changes = append(out.Changes, changed(title, "worse", old, is))
		case -1:
			out.Better++
			out.Changes = append(out.Changes, changed(title, "better", old, is))
		default:
			out.Same++
		}
	}
	for i := range before {
		if old := was[before[i].Title()]; old != nil {
			out.Changes = append(out.Changes, changed(old.Title(), "gone", old, nil))
		}
	}
	slices.SortStableFunc(out.Changes, func(a, b Changed) int { return slices.Index(turns, a.Turn) - slices.Index(turns, b.Turn) })
	return out
}

// Within is a comparison for which not all failures may have been tried.
type Within struct {
	Against
	Tried int `json:"tried" doc:"failures that were tried on both sides"`
	Of    int `json:"of" doc:"failures that there are"`
}

// Between tries failures of some kinds on two networks, those for which first says so before all others, until the work is worth a
// budget (network.World.Work), and holds what they do against each other.
func Between(before, after *Sweep, kinds []failure.Kind, first func(*failure.Failure) bool, budget uint64, stop func() bool) Within {
	type both struct{ was, is *failure.Failure }
	var all []both
	at := map[string]int{}
	add := func(list []failure.Failure, set func(*both, *failure.Failure)) {
		for i := range list {
			n, there := at[list[i].Name]
			if !there {
				n = len(all)
				at[list[i].Name] = n
				all = append(all, both{})
			}
			set(&all[n], &list[i])
		}
	}
	add(before.Failures(kinds), func(b *both, f *failure.Failure) { b.was = f })
	add(after.Failures(kinds), func(b *both, f *failure.Failure) { b.is = f })
	suspect := func(b both) int {
		if b.was == nil || b.is == nil || first(b.was) || first(b.is) {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(all, func(a, b both) int { return suspect(a) - suspect(b) })
	out := Within{Of: len(all)}
	var was, is []Impact
	var spent uint64
	try := func(s *Sweep, f *failure.Failure, into *[]Impact) {
		if f == nil {
			return
		}
		r, err := s.Try(*f, stop)
		if err != nil {
			r = NotTried(*f, err.Error())
		}
		spent += r.work
		*into = append(*into, r)
	}
	for _, b := range all {
		if spent >= budget || stop != nil && stop() {
			break
		}
		try(before, b.was, &was)
		try(after, b.is, &is)
		out.Tried++
	}
	out.Against = Hold(was, is)
	return out
}

// String is the comparison in a sentence.
func (a Against) String() string {
	return phrase.Say("the change makes %s worse and %d better; %d stay as they are", phrase.Plural(a.Worse, "failure"), a.Better, a.Same)
}

// String is the comparison in a sentence, with how far it goes.
func (w Within) String() string {
	if w.Tried == w.Of {
		return w.Against.String()
	}
	return phrase.Say("%s; %d of %s were tried", w.Against.String(), w.Tried, phrase.Plural(w.Of, "failure"))
}
