// Package facts is what every room of questions shares: a fact with its place, what
// a device, port or address is called, and notes, reasons and values in words.
package facts

import (
	"hellebore/core/ground/event"
)

// Fact is one link of a chain of reasons, and where its proof is to be seen.
type Fact struct {
	Text string `json:"text" doc:"a sentence"`
	// Where it is proven: a view with its focus, or a line of the text.
	View  string   `json:"view,omitempty" enum:"map,text,ports,neighbours,routes,paths,policies,database,packets,timeline"`
	Who   string   `json:"who,omitempty"`
	To    string   `json:"to,omitempty"`
	When  *float64 `json:"when,omitempty" doc:"the moment, seconds since the lab began, if it is not the one that was asked about"`
	Line  int      `json:"line,omitempty" doc:"of the text in force"`
	Fixes []Fix    `json:"fixes,omitempty" doc:"of a remedy: the ways to do what it says"`
	// Place is what is in that line, by its name in the text.
	Place string `json:"-"`
}

// At is a fact at another moment.
func (f Fact) At(t event.Time) Fact {
	s := t.Seconds()
	f.When = &s
	return f
}
