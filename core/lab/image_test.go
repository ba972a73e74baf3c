package lab

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/questions/testlabs"
	"hellebore/core/questions/timeline"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// TestALabGoesOnFromItsImage makes a lab again of its image at a random point, and does the same to both from there on: nobody
// can tell them apart, in the present or the past, and the journal replays to the same.
func TestALabGoesOnFromItsImage(t *testing.T) {
	texts := []string{bare, testlabs.Fed("feed 300 seed 7 within 10.64.0.0/10 as-range 64600..64999"), testlabs.Grid(4, 3)}
	for _, d := range demo.Labs() {
		texts = append(texts, d.Text)
	}
	for round := range oracleRuns(2 * len(texts)) {
		r := rand.New(rand.NewPCG(uint64(round), 18))
		text := testlabs.Random(r)
		if round%2 == 0 {
			text = texts[round/2%len(texts)]
		}
		l := open(t, text)
		other := l
		actions, imaged := 10+r.IntN(60), 0
		for n := range actions {
			typed := anyAction(r, l)
			if r.IntN(2) == 0 {
				typed = plainAction(r, l)
			}
			a, err := history.ParseAction(typed)
			if err != nil || a.For > 3600e9 {
				continue
			}
			stops := r.IntN(8) == 0
			for _, x := range []*Lab{l, other} {
				var s *history.Step
				if s, err = x.Begin(a, 0); err != nil {
					break
				}
				asked := 0
				require.NoError(t, x.Run(s, func() bool { asked++; return stops && asked > 2 || asked > 40 }))
				if l == other {
					break
				}
			}
			if err == nil && (imaged == 0 && n > actions/3 || r.IntN(20) == 0) {
				imaged = len(l.History().Steps())
				require.Subset(t, []string{"config.KeyChain within []config.KeyChain", "[]config.KeyChain within config.KeyChain"}, imageForm.Parted(imageOf(l.Reader())),
					"what is written twice is only read")
				other, err = Resume(imageBytes(t, other), l.History().Records(), nil)
				require.NoError(t, err)
			}
		}
		say := fmt.Sprintf("round %d, image after %d of %d actions", round, imaged, len(l.History().Steps()))
		require.Equal(t, l.History().Records(), other.History().Records(), say)
		require.Equal(t, asJSON(t, l.Timeline()), asJSON(t, other.Timeline()), say)
		require.Equal(t, l.Messages(l.History().Now(), timeline.MessagesAsk{}), other.Messages(l.History().Now(), timeline.MessagesAsk{}), say)
		for range 6 {
			m := l.History().AtTime(event.Time(r.Int64N(int64(l.History().Head().Now()) + 1)))
			require.Equal(t, l.World(m).Digest(true), other.World(m).Digest(true), "%s, %v", say, m)
			require.Equal(t, asJSON(t, l.Routes(m)), asJSON(t, other.Routes(m)), "%s, %v", say, m)
		}
		again, err := Open(other.History().Records(), nil)
		require.NoError(t, err)
		for _, s := range again.History().Steps() {
			require.False(t, s.Diverged, "%s: %s replays to the same", say, s.Record.Action)
		}
	}
}

func imageBytes(t *testing.T, l *Lab) *bytes.Buffer {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, l.Reader().WriteImage(&b))
	return &b
}

// plainAction is an action that the lab does.
func plainAction(r *rand.Rand, l *Lab) string {
	devices := l.History().Lab().Devices
	if len(devices) == 0 {
		return "wait 3s"
	}
	d := devices[r.IntN(len(devices))]
	port := d.Name
	if len(d.Ports) > 0 {
		port += "." + d.Ports[r.IntN(len(d.Ports))].Name
	}
	return []string{"cut " + port, "mend " + port, "mend " + port, "silence " + port + " in", "disable " + d.Name, "enable " + d.Name,
		"restart ospf on " + d.Name, "reset all on " + d.Name, "wait 31m", "wait 7s", "withdraw 30% on " + d.Name, "advertise all on " + d.Name}[r.IntN(12)]
}

func asJSON(t *testing.T, v any) string {
	t.Helper()
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return string(b)
}

// TestAnImageOfSomethingElseIsRefused resumes images that are not of the journal: each is an error, and the journal replays.
func TestAnImageOfSomethingElseIsRefused(t *testing.T) {
	l := open(t, demo.Text("tarn-valley"), "cut viaduct.e1", "mend viaduct.e1")
	whole, records := imageBytes(t, l).Bytes(), l.History().Records()
	resume := func(image []byte, change func(r []history.Record) []history.Record) error {
		_, err := Resume(bytes.NewReader(image), change(append([]history.Record(nil), records...)), nil)
		return err
	}
	same := func(r []history.Record) []history.Record { return r }
	require.NoError(t, resume(whole, same))
	require.EqualError(t, resume(whole[:len(whole)-1], same), "the image is damaged")
	require.EqualError(t, resume(nil, same), "the image is damaged")
	for _, x := range []struct {
		say    string
		change func(r []history.Record) []history.Record
	}{
		{"the image has 3 actions, the journal 2", func(r []history.Record) []history.Record { return r[:2] }},
		{"action 2 is not that of the journal", func(r []history.Record) []history.Record { r[1].Action = "cut viaduct.e2"; return r }},
		{"action 3 is not that of the journal", func(r []history.Record) []history.Record { r[2].Digest++; return r }},
		{"action 1 is not that of the journal", func(r []history.Record) []history.Record { r[0].Text += "\n"; return r }},
		{"action 3 is not that of the journal", func(r []history.Record) []history.Record { r[2].Done = false; return r }},
	} {
		require.EqualError(t, resume(whole, x.change), x.say)
	}
	// What came after the image is replayed; what another engine did is taken as it is.
	do(t, l, "wait 3s", "cut viaduct.e2")
	more, err := Resume(bytes.NewReader(whole), l.History().Records(), nil)
	require.NoError(t, err)
	require.Equal(t, l.History().Records(), more.History().Records())
	require.NoError(t, resume(whole, func(r []history.Record) []history.Record {
		r[1].Engine, r[1].Digest = "0", 1
		return r
	}))
	stopped, err := Resume(bytes.NewReader(whole), l.History().Records(), func() bool { return true })
	require.ErrorIs(t, err, history.ErrStopped)
	require.Nil(t, stopped)
}
