package lab

import (
	"fmt"
	"io"

	"hellebore/core/ground/image"
	"hellebore/core/ground/phrase"
	"hellebore/core/questions/timeline"
	"hellebore/core/simulation/history"
)

// imaged is what an image of a lab holds: its worlds, and the rows of its timeline that the worlds are no longer there for.
type imaged struct {
	history *history.History
	actions map[outageKey]timeline.Action
}

// imageForm is that of all labs.
var imageForm = func() *image.Form[imaged] {
	f, err := image.Of[imaged](history.ImageRules()...)
	if err != nil {
		panic(err)
	}
	return f
}()

// WriteImage writes the lab as bytes, from which it goes on (Resume) without a replay: a reader's, for any goroutine. It is nothing
// that has to be kept: the journal has all.
func (l *Lab) WriteImage(to io.Writer) error { return imageForm.Write(to, imageOf(l)) }

func imageOf(l *Lab) *imaged {
	x := &imaged{history: l.history, actions: map[outageKey]timeline.Action{}}
	l.found.mu.Lock()
	defer l.found.mu.Unlock()
	for key, a := range l.found.actions {
		if key.seq <= len(l.history.Steps()) {
			x.actions[key] = a
		}
	}
	return x
}

// Resume is the lab of a journal, which goes on from an image of it as it was after some of its actions. An image of another
// engine, of another journal, or one that was damaged is an error: the journal is to be replayed then (Open).
func Resume(image io.Reader, records []history.Record, stop func() bool) (*Lab, error) {
	x, err := imageForm.Read(image)
	if err != nil {
		return nil, err
	}
	if x.history == nil {
		return nil, phrase.Error("the image holds nothing")
	}
	if err := x.history.Resume(records); err != nil {
		return nil, err
	}
	l := New()
	l.history, l.found.actions = x.history, x.actions
	if err := l.goOn(records, stop); err != nil {
		return nil, err
	}
	return l, nil
}

// ImageVersion is of what engine and what layout an image has to be to be read here.
func ImageVersion() string { return fmt.Sprintf("%s-%016x", history.Engine, imageForm.Print()) }

// Weigh is about how many bytes labs hold together.
func Weigh(labs ...*Lab) uint64 {
	all := make([]*imaged, len(labs))
	for i, l := range labs {
		all[i] = &imaged{history: l.history}
	}
	return imageForm.Weigh(all...)
}
