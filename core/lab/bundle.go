package lab

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/topology"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// A bundle is a zip archive of a lab with its journal, so that somebody else can
// replay it: lab.lab, the text in force, and journal.json.
const (
	bundleText    = "lab.lab"
	bundleJournal = "journal.json"
	bundleFormat  = 1
	// Bounds of what is read out of a bundle: bytes of its journal, and actions.
	maxBundle  = 64 << 20
	maxActions = 10_000
)

type bundle struct {
	Format  int                          `json:"format"`
	Engine  string                       `json:"engine"`
	Actions []bundleAction               `json:"actions"`
	Moments []NamedMoment                `json:"moments"`
	Places  map[string]topology.Position `json:"places,omitempty"`
}

type bundleAction struct {
	Action  string     `json:"action"`
	Text    string     `json:"text,omitempty"`
	Start   event.Time `json:"start"`
	Until   event.Time `json:"until,omitempty"`
	Outcome string     `json:"outcome"`
	End     event.Time `json:"end"`
	Settled event.Time `json:"settled"`
	Events  uint64     `json:"events"`
	Digest  string     `json:"digest"`
	State   string     `json:"state,omitempty"`
	Engine  string     `json:"engine"`
	Author  string     `json:"author,omitempty"`
	Message string     `json:"message,omitempty"`
	Made    int64      `json:"made,omitempty"`
	Origin  string     `json:"origin,omitempty"`
}

// Bundle writes the lab and its journal as a zip archive.
func (l *Lab) Bundle(out io.Writer) error {
	return WriteBundle(out, l.Text(), Unpacked{l.history.Records(), l.Moments(), l.moved})
}

// Unpacked is what a bundle holds beside the text in force.
type Unpacked struct {
	Records []history.Record
	Moments []NamedMoment
	Places  map[string]topology.Position // of cards that somebody moved
}

// WriteBundle writes a text and a journal as a zip archive.
func WriteBundle(out io.Writer, text string, u Unpacked) error {
	b := bundle{Format: bundleFormat, Engine: history.Engine, Moments: u.Moments, Places: u.Places, Actions: []bundleAction{}}
	for _, r := range u.Records {
		b.Actions = append(b.Actions,
			bundleAction{r.Action, r.Text, r.Start, r.Until, r.Outcome.String(), r.End, r.Settled, r.Events,
				fmt.Sprintf("%016x", r.Digest), r.State.String(), r.Engine, r.Author, r.Message, r.Made,
				string(r.Origin)})
	}
	journal, err := json.MarshalIndent(b, "", " ")
	if err != nil {
		return err
	}
	z := zip.NewWriter(out)
	for name, data := range map[string][]byte{bundleText: []byte(text), bundleJournal: append(journal, '\n')} {
		w, err := z.Create(name)
		if err != nil {
			return err
		}
		if _, err := w.Write(data); err != nil {
			return err
		}
	}
	return z.Close()
}

// ReadBundle reads a journal and what is kept beside it out of a bundle. Nothing in it
// is believed before it has been replayed.
func ReadBundle(data []byte) (Unpacked, error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return Unpacked{}, phrase.Error("this is no bundle: it is no zip archive; export one from a lab")
	}
	f, err := z.Open(bundleJournal)
	if err != nil {
		return Unpacked{}, phrase.Errorf("this is no bundle: it holds no %s", bundleJournal)
	}
	raw, err := io.ReadAll(io.LimitReader(f, maxBundle+1))
	if err != nil || len(raw) > maxBundle {
		return Unpacked{}, phrase.Errorf("the bundle's %s is damaged or larger than %d MiB", bundleJournal, maxBundle>>20)
	}
	if n := bytes.Count(raw, []byte(`"action"`)); n > maxActions {
		return Unpacked{}, phrase.Errorf("the bundle has %d actions; the limit is %d", n, maxActions)
	}
	var b bundle
	if err := json.Unmarshal(raw, &b); err != nil {
		return Unpacked{}, phrase.Errorf("the bundle's %s cannot be read: %w", bundleJournal, err)
	}
	if b.Format != bundleFormat {
		return Unpacked{}, phrase.Errorf("the bundle is of format %d; this program reads format %d", b.Format, bundleFormat)
	}
	for _, a := range b.Actions {
		if strings.Contains(a.Author+a.Message, "\x00") {
			return Unpacked{}, phrase.Errorf("the bundle's %s holds a NUL character", bundleJournal)
		}
	}
	records, err := b.records()
	return Unpacked{records, b.Moments, b.Places}, err
}

func (b *bundle) records() ([]history.Record, error) {
	if len(b.Actions) > maxActions {
		return nil, phrase.Errorf("the bundle has %d actions; the limit is %d", len(b.Actions), maxActions)
	}
	if len(b.Actions) == 0 || b.Actions[0].Action != history.Apply.String() {
		return nil, phrase.Error("the bundle's journal does not begin with a text")
	}
	var out []history.Record
	for i, a := range b.Actions {
		r := history.Record{Seq: i + 1, Action: a.Action, Text: a.Text, Start: a.Start, Until: a.Until, Done: true,
			End: a.End, Settled: a.Settled,
			Events: a.Events, State: network.ParseState(a.State), Engine: a.Engine,
			Signature: history.Signature{Author: a.Author, Message: a.Message, Made: a.Made,
				Origin: history.Origin(a.Origin)}}
		if _, err := fmt.Sscanf(a.Digest, "%x", &r.Digest); err != nil {
			return nil, phrase.Errorf("action %d of the bundle has no digest", i+1)
		}
		found := false
		for o := network.Settled; o <= network.Unfinished; o++ {
			if o.String() == a.Outcome {
				r.Outcome, found = o, true
			}
		}
		if !found {
			return nil, phrase.Errorf("action %d of the bundle has the unknown outcome %q", i+1, a.Outcome)
		}
		if a.Action == history.Apply.String() {
			if p := labtext.Parse(a.Text); !p.OK() {
				return nil, &history.TextError{Problems: p.Problems}
			}
		} else if _, err := history.ParseAction(a.Action); err != nil {
			return nil, phrase.Errorf("action %d of the bundle: %w", i+1, err)
		}
		out = append(out, r)
	}
	return out, nil
}
