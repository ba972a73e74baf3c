package sweep

import (
	"cmp"
	"slices"

	"hellebore/core/ground/phrase"
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

// String is the comparison in a sentence.
func (a Against) String() string {
	return phrase.Say("the change makes %s worse and %d better; %d stay as they are", phrase.Plural(a.Worse, "failure"), a.Better, a.Same)
}
