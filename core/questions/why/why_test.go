package why_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/core/questions/why"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

func opened(t *testing.T, slug string, actions ...string) *history.History {
	t.Helper()
	h := history.New()
	text := ""
	for _, d := range demo.Labs() {
		if d.Slug == slug {
			text = d.Text
		}
	}
	for i, s := range append([]string{text}, actions...) {
		a := history.Action{Kind: history.Apply, Text: s}
		if i > 0 {
			var err error
			a, err = history.ParseAction(s)
			require.NoError(t, err)
		}
		step, err := h.Begin(a, 0)
		require.NoError(t, err)
		require.NoError(t, h.Run(step, nil))
	}
	return h
}

// TestQuestionsAreUnderstood reads questions in the ways in which they are typed.
func TestQuestionsAreUnderstood(t *testing.T) {
	w := opened(t, "two-carriers").Head()
	focus := why.Focus{Who: "viaduct", To: "198.51.100.0/25"}
	for _, c := range []struct {
		text  string
		focus why.Focus
		kind  why.Kind
		full  string
	}{
		{"why is viaduct - summit not up?", why.Focus{}, why.Neighbour, "Why are viaduct and summit neighbours, or why not?"},
		{"why is the session of viaduct with skylark in Active", why.Focus{}, why.Neighbour, "Why are viaduct and skylark neighbours, or why not?"},
		{"viaduct/192.0.2.2", why.Focus{}, why.Neighbour, "Why are viaduct and 192.0.2.2 neighbours, or why not?"},
		{"why is this neighbour not up?", why.Focus{Who: "viaduct/192.0.2.2"}, why.Neighbour, "Why are viaduct and 192.0.2.2 neighbours, or why not?"},
		{"why 198.51.100.0/25 on viaduct", why.Focus{}, why.Route, "Why does viaduct have this route to 198.51.100.0/25, or none?"},
		{"why is this route absent?", focus, why.Route, "Why does viaduct have this route to 198.51.100.0/25, or none?"},
		{"why is 198.51.100.7 not the best", why.Focus{Who: "quarry"}, why.Route, "Why does quarry have this route to 198.51.100.7/32, or none?"},
		{"who has 198.51.100.0/25", why.Focus{}, why.Route, "Who has a route to 198.51.100.0/25, and why?"},
		{"why is 198.51.100.0/25 not sent to gannet by quarry", why.Focus{}, why.Sent, "Why does quarry send gannet the prefix 198.51.100.0/25, or why not?"},
		{"why does quarry not announce 198.51.100.0/25 to gannet?", why.Focus{}, why.Sent, "Why does quarry send gannet the prefix 198.51.100.0/25, or why not?"},
		{"why is this prefix not sent to skylark", focus, why.Sent, "Why does viaduct send skylark the prefix 198.51.100.0/25, or why not?"},
		{"why is 203.0.113.0/24 told to viaduct/192.0.2.2", why.Focus{}, why.Sent, "Why does viaduct send 192.0.2.2 the prefix 203.0.113.0/24, or why not?"},
		{"why does traffic from tickets to crane go this way", why.Focus{}, why.Path, "Why does traffic from tickets to crane take this path?"},
		{"traffic to crane from tickets", why.Focus{}, why.Path, "Why does traffic from tickets to crane take this path?"},
		{"why from tickets to crane", why.Focus{}, why.Path, "Why does traffic from tickets to crane take this path?"},
		{"why does the flow trams take this path", why.Focus{}, why.Path, "Why does traffic from tram-shed to crane take this path?"},
		{"why does it go this way", why.Focus{To: "flow trams"}, why.Path, "Why does traffic from tram-shed to crane take this path?"},
		{"what breaks without viaduct.e1", why.Focus{}, why.Break, "What would break without viaduct.e1?"},
		{"what would break if this link went?", why.Focus{Who: "viaduct.up"}, why.Break, "What would break without viaduct.up?"},
		{"what breaks if viaduct fails", why.Focus{}, why.Break, "What would break without viaduct?"},
	} {
		q, err := why.Parse(w, c.text, c.focus)
		require.NoError(t, err, c.text)
		require.Equal(t, c.kind, q.Kind, c.text)
		require.Equal(t, c.full, q.String(), c.text)
	}
	for _, text := range []string{"", "what is for dinner", "why is it not up", "why is 198.51.100.0/25 not sent"} {
		_, err := why.Parse(w, text, why.Focus{})
		require.ErrorContains(t, err, "ask for example: ", text)
	}
}

// TestAnswersAreChainsOfFacts asks and looks for the answer, for what proves it,
// and for where that is.
func TestAnswersAreChainsOfFacts(t *testing.T) {
	for _, c := range []struct {
		lab      string
		actions  []string
		question string
		says     string
		facts    []string // each within one fact: "text @ view place"
	}{
		{"two-carriers", nil, "why is 198.51.100.0/25 not sent to gannet by quarry", "198.51.100.0/25 is not sent to gannet by quarry: ",
			[]string{"ours-and-customers", "@ policies policy to-gannet", "statement no-transit of ours-and-customers rejects it @ policies policy ours-and-customers statement no-transit", "quarry uses the path from viaduct"}},
		{"two-carriers", nil, "why is 203.0.113.0/24 sent to gannet by quarry", "203.0.113.0/24 is sent to gannet by quarry: ",
			[]string{"statement allowed of to-gannet accepts it", "@ paths quarry/192.0.2.6"}},
		{"two-carriers", nil, "why 198.51.100.0/25 on quarry", "quarry reaches 198.51.100.0/25 by",
			[]string{"won: longest match", "local preference (80 against 200)", "quarry at "}},
		{"two-carriers", []string{"cut viaduct.up"}, "why is viaduct - skylark not up", "skylark and viaduct: BGP ",
			[]string{"@ text viaduct peer 192.0.2.2", "session with skylark (192.0.2.2): Established to Idle"}},
		{"two-carriers", nil, "why from tickets to crane", "tickets - summit - viaduct - skylark - harbour - crane",
			[]string{"summit sends it out of e1 to viaduct: 198.51.100.0/25 is the longest match, from bgp"}},
		{"two-carriers", nil, "what breaks without viaduct.up", "after cut viaduct.up ",
			[]string{"flow timetable is out for", "session skylark - viaduct", "moved from Skylark to Gannet"}},
		{"two-carriers", nil, "what breaks without harbour.lan", "could not reach each other any more", []string{"flow timetable is out for good"}},
		{"planted-faults", nil, "why is depot - larches not up", "OSPF ", []string{"@ packets"}},
		{"triangle-with-ospf", nil, "viaduct summit", "OSPF Full", []string{"viaduct at ", "Exchange to Full"}},
		{"triangle-with-ospf", nil, "why is 10.0.12.0/30 not sent to quarry by viaduct", "BGP does not run on viaduct", []string{"@ text viaduct"}},
	} {
		t.Run(c.question, func(t *testing.T) {
			h := opened(t, c.lab, c.actions...)
			digest := h.Head().Digest(true)
			q, err := why.Parse(h.Head(), c.question, why.Focus{})
			require.NoError(t, err)
			a, err := why.Ask(h, h.Now(), q, nil)
			require.NoError(t, err)
			require.Contains(t, a.Says, c.says)
			var all strings.Builder
			places := labtext.Parse(h.Text()).Places
			for _, f := range a.Facts {
				all.WriteString(f.Text + " @ " + f.View + " " + f.Place + f.Who + "\n")
				require.NotEmpty(t, f.View, f.Text)
				if f.Place != "" {
					require.NotZero(t, places[f.Place].Line, f.Place)
				}
				if f.When != nil {
					require.LessOrEqual(t, *f.When, float64(h.Head().Now())/1e9)
				}
			}
			for _, s := range c.facts {
				require.Contains(t, all.String(), s)
			}
			require.Equal(t, digest, h.Head().Digest(true), "the lab does not notice")
		})
	}
}

// TestWhyItIsDesignated asks about elections: DR, BDR, who cannot be one, and what
// would change it.
func TestWhyItIsDesignated(t *testing.T) { // RFC 2328 9.4
	h := opened(t, "station-yard")
	ask := func(text string) why.Answer {
		q, err := why.Parse(h.Head(), text, why.Focus{})
		require.NoError(t, err)
		require.Equal(t, why.Election, q.Kind)
		a, err := why.About(h.Head(), q)
		require.NoError(t, err)
		return a
	}
	a := ask("why is turntable not DR?")
	require.Equal(t, "turntable.yard is DR Other; DR is signal-box 10.2.0.1: highest priority, 20; BDR is depot 10.2.0.2: highest priority, 10", a.Says)
	require.Len(t, a.Facts, 5)
	require.Contains(t, a.Facts[3].Text, "workshop 10.2.0.3: priority 0")
	require.Contains(t, a.Facts[3].Text, "never elected")
	require.Equal(t, "workshop.yard", a.Facts[3].Who)
	fix := a.Facts[4].Fixes
	require.Equal(t, []string{"turntable.yard ospf priority 21"}, fix[0].Edits)

	// What the fix says, done in its order, makes it the DR.
	list, err := labtext.ParseEdits(fix[0].Edits[0])
	require.NoError(t, err)
	text, err := labtext.EditText(h.Text(), list...)
	require.NoError(t, err)
	for _, action := range []string{"", fix[0].Action, fix[1].Action} {
		do := history.Action{Kind: history.Apply, Text: text}
		if action != "" {
			do, err = history.ParseAction(action)
			require.NoError(t, err)
		}
		step, err := h.Begin(do, 0)
		require.NoError(t, err)
		require.NoError(t, h.Run(step, nil))
	}
	require.Contains(t, ask("who is the DR on yard").Says, "DR is turntable 10.2.0.4")
	a = ask("why is turntable.yard the DR")
	for _, f := range a.Facts {
		require.Empty(t, f.Fixes, "it is what was asked for")
	}
	h = opened(t, "triangle-with-ospf")
	require.Contains(t, ask("why is viaduct not designated").Says, "no election")
}

// TestWhatIsToBeOriginatedAndIsNotThere asks for a prefix that a router originates and
// does not have exactly: the line and the prefixes that are there are named.
func TestWhatIsToBeOriginatedAndIsNotThere(t *testing.T) {
	h := opened(t, "planted-sessions")
	for _, text := range []string{"who has 10.20.0.0/16", "why 10.20.0.0/16 on viaduct", "why is 10.20.0.0/16 not sent to gannet by quarry"} {
		q, err := why.Parse(h.Head(), text, why.Focus{})
		require.NoError(t, err)
		a, err := why.About(h.Head(), q)
		require.NoError(t, err)
		require.Contains(t, a.Codes, "not-originated", text)
		var says strings.Builder
		for _, f := range a.Facts {
			says.WriteString(f.Text + "|" + f.Place + "\n")
		}
		require.Contains(t, says.String(), "quarry originates 10.20.0.0/16, and its table has no route for exactly that: nothing is announced|quarry originate 10.20.0.0/16")
		require.Contains(t, says.String(), "fix: the table has 10.20.2.0/25 and 10.20.3.0/24")
	}
}

// TestExamplesAreOfThisLab reads back the examples that a question that nobody
// understands is answered with.
func TestExamplesAreOfThisLab(t *testing.T) {
	for _, d := range demo.Labs() {
		h := opened(t, d.Slug)
		_, err := why.Parse(h.Head(), "banana", why.Focus{})
		_, list, found := strings.Cut(err.Error(), "ask for example: ")
		require.True(t, found, d.Slug)
		for text := range strings.SplitSeq(list, "; ") {
			q, err := why.Parse(h.Head(), text, why.Focus{})
			require.NoError(t, err, "%s: %s", d.Slug, text)
			if q.Kind != why.Break {
				a, err := why.About(h.Head(), q)
				require.NoError(t, err)
				require.NotEmpty(t, a.Says)
			}
		}
	}
}

// TestNoOSPFSentenceWithoutOSPF asks for a route in a lab where no router runs OSPF.
func TestNoOSPFSentenceWithoutOSPF(t *testing.T) {
	h := opened(t, "first-triangle")
	q, err := why.Parse(h.Head(), "why 192.0.2.0/24 on viaduct", why.Focus{})
	require.NoError(t, err)
	a, err := why.About(h.Head(), q)
	require.NoError(t, err)
	for _, f := range a.Facts {
		require.NotContains(t, f.Text, "OSPF")
	}
}
