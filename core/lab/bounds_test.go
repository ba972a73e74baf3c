package lab

import (
	"archive/zip"
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/note"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// corner is one of the labs that show a rule in a corner.
func corner(t testing.TB, name string) string {
	t.Helper()
	text, err := os.ReadFile(filepath.Join("..", "simulation", "network", "testdata", filepath.FromSlash(name)+".lab"))
	require.NoError(t, err)
	return string(text)
}

func TestOneRouterIDTwiceSaysWhatKeepsMoving(t *testing.T) {
	l := New()
	s, err := l.Do(history.Action{Kind: history.Apply, Text: corner(t, "ospf/dup")}, 0)
	require.NoError(t, err)
	require.Equal(t, network.Unsettled, s.Outcome)
	require.Less(t, s.Events, uint64(1_000_000), "said soon")
	a := l.Timeline()[0]
	require.Len(t, a.Moving, 1)
	require.Regexp(t, `^a, b originated router LSA of 1.1.1.1 in turn, \d+ times: they have the same router ID$`, a.Moving[0])
	require.True(t, strings.HasPrefix(a.Summary, "does not settle; what keeps moving: a, b originated"), a.Summary)

	// It can go on, and is mended as any lab is.
	settle, err := history.ParseAction("settle")
	require.NoError(t, err)
	s, err = l.Do(settle, 0)
	require.NoError(t, err)
	require.Equal(t, network.Unsettled, s.Outcome)
	s, err = l.Do(history.Action{Kind: history.Apply, Text: strings.Replace(corner(t, "ospf/dup"), "router b\n  router-id 1.1.1.1", "router b\n  router-id 1.1.1.3", 1)}, 0)
	require.NoError(t, err)
	require.Equal(t, network.Settled, s.Outcome)

	again, err := Open(l.History().Records(), nil)
	require.NoError(t, err)
	require.Equal(t, l.History().Records(), again.History().Records())
}

// idle is a pair of routers that say hello every second.
const idle = "router a\n  port e1 10.0.0.1/30\n    ospf area 0 hello-interval 1s\nrouter b\n  port e1 10.0.0.2/30\n    ospf area 0 hello-interval 1s\nlink a.e1 b.e1\n"

func TestAWaitThatIsTooMuchIsLeftAndCanGoOn(t *testing.T) {
	if testing.Short() {
		t.Skip("millions of events")
	}
	l := New()
	_, err := l.Do(history.Action{Kind: history.Apply, Text: idle}, 0)
	require.NoError(t, err)
	wait, err := history.ParseAction("wait 87600h")
	require.NoError(t, err)
	s, err := l.Do(wait, 0)
	require.NoError(t, err)
	require.Equal(t, network.Unfinished, s.Outcome)
	a := l.Timeline()[1]
	require.Regexp(t, `^left at \d+\.\d+ s, before its time was up; no forwarding change$`, a.Summary)
	require.Empty(t, a.Moving)
	again, err := Open(l.History().Records(), nil)
	require.NoError(t, err)
	require.Equal(t, l.History().Records(), again.History().Records())
}

func TestTimeHasAnEnd(t *testing.T) {
	l := New()
	_, err := l.Do(history.Action{Kind: history.Apply, Text: "router a\n"}, 0)
	require.NoError(t, err)
	long, err := history.ParseAction("wait 2562047h")
	require.NoError(t, err)
	_, err = l.Do(long, 0)
	require.ErrorContains(t, err, "the lab's time ends after 100 years")
	years, err := history.ParseAction("wait 700000h")
	require.NoError(t, err)
	_, err = l.Do(years, 0)
	require.NoError(t, err)
	_, err = l.Do(years, 0)
	require.ErrorContains(t, err, "the lab's time ends after 100 years")
}

func TestOutagesAreKeptHoweverMuchElseHappens(t *testing.T) {
	l := New()
	_, err := l.Do(history.Action{Kind: history.Apply, Text: idle + "flow f a -> b\n"}, 0)
	require.NoError(t, err)
	head := l.History().Head()
	for range network.MaxNotes + 10 { // as many notes as a world keeps of one action
		head.Note(refreshed)
	}
	require.NotZero(t, head.LostNotes())
	cut, err := history.ParseAction("cut a.e1")
	require.NoError(t, err)
	_, err = l.Do(cut, 0)
	require.NoError(t, err)
	mend, err := history.ParseAction("mend a.e1")
	require.NoError(t, err)
	s, err := l.Do(mend, 0)
	require.NoError(t, err)
	require.Zero(t, s.Lost, "each action has room of its own")
	r := l.Report()
	require.Len(t, r.Flows[0].Outages, 1)
	require.NotNil(t, r.Flows[0].Outages[0].To, "the flow arrives again, and the outage says so")
}

// refreshed is a note of the work that protocols do.
var refreshed = note.Note{Kind: note.LSAOriginated}

// A bundle that would unpack into more than is reasonable is refused with a sentence.
func TestABundleHasBounds(t *testing.T) {
	pack := func(journal string) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		w, err := z.Create(bundleJournal)
		require.NoError(t, err)
		_, err = w.Write([]byte(journal))
		require.NoError(t, err)
		require.NoError(t, z.Close())
		return b.Bytes()
	}
	many := pack(`{"format":1,"actions":[` + strings.Repeat(`{"action":"wait 1s"},`, 1_200_000) + `{"action":"wait 1s"}]}`)
	require.Less(t, len(many), 1<<20)
	_, err := ReadBundle(many)
	require.EqualError(t, err, "the bundle has 1200001 actions; the limit is 10000")
	_, err = ReadBundle(pack(strings.Repeat(" ", maxBundle+1)))
	require.ErrorContains(t, err, "larger than 64 MiB")
	_, err = ReadBundle(pack(`{"format":1,"actions":[{"action":"wait 1s","author":"\u0000"}]}`))
	require.ErrorContains(t, err, "NUL")
}
