package sweep

import (
	"slices"

	"hellebore/core/ground/phrase"
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

// weight is what of an impact decides whether another one is worse: what is lost, what fails, and for how long, to the millisecond.
func (r *Impact) weight() []int {
	settles := 0
	if r.Outcome != "settled" {
		settles = 1
	}
	ms := func(s float64) int { return int(s * 1000) }
	return []int{settles, r.FlowsLost(), len(r.Checks), r.Pairs.Lost, r.Borders.Sent, len(r.Overloaded), ms(r.WorstFlow()), ms(r.Pairs.Longest), r.Pairs.Out}
}

// Hold holds the impacts of the same failures before and after a change against each other. How many pairs are out for a time counts
// only where nothing else differs.
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
		switch slices.Compare(is.weight(), old.weight()) {
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
