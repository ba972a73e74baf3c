package lab

import (
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/core/questions/compare"
	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// leak is the demo lab of two carriers with a policy that lets what Skylark sent
// us go to Gannet.
func leak(t testing.TB) (before, after string) {
	before = demo.Text("two-carriers")
	after = strings.Replace(before, "    where policy ours-and-customers\n    prepend", "    prepend", 1)
	require.NotEqual(t, before, after)
	return before, after
}

func TestAPreviewShowsALeak(t *testing.T) {
	text, draft := leak(t)
	l := open(t, text)
	at := l.position()
	p, err := l.Preview(Plan{Text: draft}, nil)
	require.NoError(t, err)
	require.Equal(t, at, l.position(), "the lab does not notice")
	require.False(t, p.Same)
	require.Contains(t, strings.Join(p.Summary, "\n"), "quarry sends gannet 1 more prefix: 198.51.100.0/25")
	first := p.Section(compare.Sent).Rows[0]
	require.True(t, first.Outside, "what a neighbouring AS sees comes first")
	require.Equal(t, "quarry", first.Device)
	require.Empty(t, p.Section(compare.Neighbours).Rows, "no session is reset")
	require.True(t, l.Holds(p))
	require.NoError(t, l.Adopt(p))
	require.Equal(t, draft, l.Text())
	require.Equal(t, p.Digest(), l.History().Head().Digest(true))
}

func TestAPreviewThatIsOutOfDateIsNotAdopted(t *testing.T) {
	text, draft := leak(t)
	l := open(t, text)
	p, err := l.Preview(Plan{Text: draft}, nil)
	require.NoError(t, err)
	do(t, l, "cut viaduct.up")
	require.False(t, l.Holds(p))
	require.ErrorContains(t, l.Adopt(p), "cut viaduct.up")
	require.Equal(t, []string{"cut viaduct.up"}, l.Since(p))
}

// edited is a text with one to three random lines taken out, repeated elsewhere
// or with another number in them, such that it still can be applied.
func edited(r *rand.Rand, text string) string {
	for range 200 {
		lines := strings.Split(text, "\n")
		for range 1 + r.IntN(3) {
			i := r.IntN(len(lines))
			switch r.IntN(3) {
			case 0:
				lines = slices.Delete(lines, i, i+1)
			case 1:
				if !strings.Contains(lines[i], "disabled") && strings.HasPrefix(lines[i], "  port ") {
					lines[i] += " disabled"
				}
			default:
				words := strings.Split(lines[i], " ")
				if v, err := strconv.Atoi(words[len(words)-1]); err == nil {
					words[len(words)-1] = strconv.Itoa(v%64000 + 1 + r.IntN(50))
					lines[i] = strings.Join(words, " ")
				}
			}
		}
		out := strings.Join(lines, "\n")
		if p := labtext.Parse(out); out != text && p.OK() {
			return out
		}
	}
	return text + "\n"
}

// oracleRuns is how many random labs are tried: usual, unless ORACLE says otherwise.
func oracleRuns(usual int) int {
	if n, err := strconv.Atoi(os.Getenv("ORACLE")); err == nil {
		return n
	}
	return usual
}

// TestPreviewEqualsApply previews random edits of random labs and of the demo
// labs and then really applies them: the two worlds are equal in everything.
// ORACLE=n makes n rounds.
func TestPreviewEqualsApply(t *testing.T) {
	demos := demo.Labs()
	for i := range oracleRuns(60) {
		r := rand.New(rand.NewPCG(uint64(i), 5))
		text := testlabs.Random(r)
		if i%3 == 0 {
			text = demos[i/3%len(demos)].Text
		}
		l := New()
		_, err := l.Do(history.Action{Kind: history.Apply, Text: text}, 0)
		require.NoError(t, err)
		draft := edited(r, text)
		p, err := l.Preview(Plan{Text: draft}, nil)
		require.NoError(t, err)
		s, err := l.Do(history.Action{Kind: history.Apply, Text: draft}, 0)
		require.NoError(t, err)
		require.Equal(t, s.Digest, p.Digest(), "round %d:\n%s", i, draft)
		require.Equal(t, p.Actions[0], l.actionOf(s))
		if s.Outcome == network.Settled {
			require.Empty(t, l.History().Head().Check())
		}
		c := compare.Worlds(s.Before, s.After, nil)
		require.Equal(t, c, p.Comparison)
	}
}

// TestNothingIsDifferentFromItself compares all demo labs with themselves, and
// with themselves a long quiet time later.
func TestNothingIsDifferentFromItself(t *testing.T) {
	for _, d := range demo.Labs() {
		l := open(t, d.Text)
		w := l.History().Head()
		c := compare.Worlds(w, w.Clone(), nil)
		require.True(t, c.Same, d.Slug)
		do(t, l, "wait 4000s") // LSAs are refreshed and keepalives sent meanwhile
		c = compare.Worlds(l.World(l.History().BeforeStep(2)), l.History().Head(), nil)
		require.True(t, c.Same, "%s: %v", d.Slug, c.Summary)
		require.Empty(t, c.Summary)
		require.Empty(t, c.Devices)
	}
}

func TestStagesShowTheDamageOfTheWrongOrder(t *testing.T) {
	text := `lab "Two keys"
router mill
  port e1 10.0.12.1/30
    ospf area 0
      hello-interval 1s
  loopback lo 10.255.0.1/32
    ospf area 0
router halt
  port e1 10.0.12.2/30
    ospf area 0
      hello-interval 1s
  loopback lo 10.255.0.2/32
    ospf area 0
link mill.e1 halt.e1
flow works mill -> halt
`
	draft := strings.ReplaceAll(text, "hello-interval 1s", "hello-interval 2s")
	l := open(t, text)
	require.Equal(t, []string{"mill", "halt"}, l.Touched(draft))
	once, err := l.Preview(Plan{Text: draft}, nil)
	require.NoError(t, err)
	require.Len(t, once.Actions, 1)
	staged, err := l.Preview(Plan{Text: draft, Order: [][]string{{"mill"}, {"halt"}}, Pause: 30}, nil)
	require.NoError(t, err)
	require.Len(t, staged.Actions, 2)
	require.Greater(t, staged.Flows[0].Out, 20.0, "with one side changed there is no adjacency")
	require.True(t, staged.Flows[0].After)
	require.Equal(t, draft, staged.Steps()[1].Text)
	require.NotEqual(t, draft, staged.Steps()[0].Text)
	require.Equal(t, "(stage 1 of 2: mill)", staged.Steps()[0].Message)

	_, err = l.Preview(Plan{Text: draft, Order: [][]string{{"mill"}, {"crane"}}}, nil)
	require.ErrorContains(t, err, "does not touch crane")
	_, err = l.Preview(Plan{Text: draft, Order: [][]string{{"mill"}, {"mill"}}}, nil)
	require.ErrorContains(t, err, "is in the order twice")
}

func TestAStageThatCannotStandIsRefused(t *testing.T) {
	text := "router mill\n  port e1 10.0.12.1/30\nrouter halt\n  port e1 10.0.12.2/30\nlink mill.e1 halt.e1\n"
	draft := strings.Replace(text, "router mill\n  port e1", "router mill\n  port e9", 1)
	draft = strings.Replace(draft, "link mill.e1", "link mill.e9", 1) + "router shed\n"
	l := open(t, text)
	require.Equal(t, []string{labtext.Shared, "mill", "shed"}, l.Touched(draft))
	p, err := l.Preview(Plan{Text: draft, Order: [][]string{{"mill", "shed"}, {labtext.Shared}}}, nil)
	require.NoError(t, err, "the link goes with its device")
	require.Len(t, p.Actions, 2)
}

func TestAHarmfulChangeIsTakenBack(t *testing.T) {
	text := demo.Text("triangle-with-ospf") + "\ncheck \"they arrive\"\n  expect flow tickets\n"
	l := open(t, text)
	flow := l.History().Head().Flows()[0]
	// The flow's destination loses its port.
	draft := strings.Replace(text, "host "+flow.To, "host "+flow.To+" ", 1)
	lines := strings.Split(draft, "\n")
	for i, s := range lines {
		if strings.HasPrefix(s, "host "+flow.To) {
			lines[i] = s + " disabled"
		}
	}
	draft = strings.Join(lines, "\n")
	p, err := l.Preview(Plan{Text: draft, Guard: true, Author: "Ada", Message: "spare the host"}, nil)
	require.NoError(t, err)
	require.Contains(t, p.TakenBack, "flow "+flow.Name+" no longer arrives")
	require.NotEmpty(t, p.Checks)
	for _, c := range p.Checks {
		require.Equal(t, *c.Before, c.After.Passed, "%s: what is shown is the network after that", c.Name)
	}
	require.Len(t, p.Steps(), 2)
	require.Equal(t, "spare the host", p.Steps()[0].Message)
	require.Equal(t, history.Reverted, p.Steps()[1].Origin)
	require.Contains(t, p.Steps()[1].Message, "flow "+flow.Name+" no longer arrives")
	require.NoError(t, l.Adopt(p))
	require.Equal(t, text, l.Text())
	require.Len(t, l.Timeline(), 3)

	unguarded, err := l.Preview(Plan{Text: draft}, nil)
	require.NoError(t, err)
	require.Empty(t, unguarded.TakenBack)
	require.Equal(t, []string{"flow " + flow.Name + " no longer arrives"}, unguarded.Summary[:1])
}
