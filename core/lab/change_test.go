package lab

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/critical"
	"hellebore/core/questions/timeline"
	"hellebore/core/questions/topology"
	"hellebore/core/questions/why"
	"hellebore/core/simulation/history"
	"hellebore/demo"
)

// apply applies a text, signed.
func apply(t *testing.T, l *Lab, text, author, message string) {
	t.Helper()
	s, err := l.Begin(history.Action{Kind: history.Apply, Text: text}, 0)
	require.NoError(t, err)
	s.Author, s.Message, s.Made = author, message, 1_795_000_000_000
	require.NoError(t, l.Run(s, nil))
}

func TestEveryAppliedTextIsARevision(t *testing.T) {
	text := demo.Text("triangle-with-ospf")
	l := open(t, text)
	do(t, l, "cut viaduct.e1")
	second := strings.Replace(text, "seed 7", "seed 9", 1)
	apply(t, l, second, "Ada", "another seed")
	third := strings.Replace(second, "delay 2ms", "delay 5ms", 1)
	apply(t, l, third, "Bob", "slower")

	r := l.Revisions()
	require.Len(t, r, 3, "the cut is none")
	require.Equal(t, []int{1, 3, 4}, []int{r[0].Seq, r[1].Seq, r[2].Seq})
	require.Equal(t, "Ada", r[1].Author)
	require.Equal(t, "another seed", r[1].Message)
	require.NotZero(t, r[1].Made)
	require.Equal(t, "lab seed: 7 -> 9", r[1].Changes[0].String())
	require.Equal(t, []bool{false, false, true}, []bool{r[0].Current, r[1].Current, r[2].Current})
	require.Equal(t, 1, r[2].Total)

	pair, err := l.CompareRevisions(1, 4)
	require.NoError(t, err)
	require.Equal(t, text, pair.Before)
	require.Equal(t, third, pair.After)
	require.Len(t, pair.Changes, 2)
	back, err := l.CompareRevisions(4, 1)
	require.NoError(t, err)
	require.Equal(t, pair.Changes[0].From, back.Changes[0].To, "the other way round")
	_, err = l.CompareRevisions(2, 4)
	require.EqualError(t, err, "action 2 is no revision: it did not apply a text")
	_, err = l.CompareRevisions(1, 9)
	require.EqualError(t, err, "there is no action 9 in this lab: it has 4")

	a := l.Timeline()[3]
	require.Equal(t, "Bob", a.Author)
	require.Equal(t, "slower", a.Message)
}

func TestMomentsHaveNames(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"))
	calm := l.History().Now()
	require.NoError(t, l.NameMoment("calm", calm))
	do(t, l, "cut viaduct.e1")
	require.NoError(t, l.NameMoment("storm", l.History().Now()))
	m, err := l.ParseMoment("calm")
	require.NoError(t, err)
	require.Equal(t, calm, m)
	require.Equal(t, []string{"calm", "storm"}, []string{l.Moments()[0].Name, l.Moments()[1].Name})
	require.NoError(t, l.NameMoment("calm", l.History().Now()), "a name can move")
	l.ForgetMoment("storm")
	require.Len(t, l.Moments(), 1)
	_, err = l.ParseMoment("storm")
	require.ErrorContains(t, err, `"storm" is not a moment`)
	for _, name := range []string{"", "now", "before-1", "after-22", "9lives", "a b", "all", strings.Repeat("x", 41)} {
		require.Error(t, l.NameMoment(name, calm), name)
	}
}

func TestABundleHoldsTheWholeLab(t *testing.T) {
	l := open(t, demo.Text("two-carriers"))
	do(t, l, "cut viaduct.up", "wait 30s")
	apply(t, l, strings.Replace(l.Text(), "seed 11", "seed 12", 1), "Ada", "a seed")
	require.NoError(t, l.NameMoment("calm", l.History().BeforeStep(2)))
	places := map[string]topology.Position{"viaduct": {X: 40, Y: 90}}
	require.NoError(t, l.Move(places))
	var b bytes.Buffer
	require.NoError(t, l.Bundle(&b))
	u, err := ReadBundle(b.Bytes())
	require.Equal(t, places, u.Places)
	records, moments := u.Records, u.Moments
	require.NoError(t, err)
	require.Equal(t, l.History().Records(), records)
	require.Equal(t, l.Moments(), moments)
	x, err := Open(records, nil)
	require.NoError(t, err)
	require.Equal(t, l.History().Head().Digest(true), x.History().Head().Digest(true))
	for _, s := range x.History().Steps() {
		require.False(t, s.Diverged)
	}
}

// TestWrongBundlesAreRefused damages a bundle in every way that has a sentence.
func TestWrongBundlesAreRefused(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"))
	do(t, l, "cut viaduct.e1")
	var whole bytes.Buffer
	require.NoError(t, l.Bundle(&whole))
	packed := func(edit func(map[string]any)) []byte {
		z, err := zip.NewReader(bytes.NewReader(whole.Bytes()), int64(whole.Len()))
		require.NoError(t, err)
		f, err := z.Open("journal.json")
		require.NoError(t, err)
		raw, err := io.ReadAll(f)
		require.NoError(t, err)
		var journal map[string]any
		require.NoError(t, json.Unmarshal(raw, &journal))
		edit(journal)
		raw, err = json.Marshal(journal)
		require.NoError(t, err)
		var out bytes.Buffer
		w := zip.NewWriter(&out)
		member, err := w.Create("journal.json")
		require.NoError(t, err)
		_, err = member.Write(raw)
		require.NoError(t, err)
		require.NoError(t, w.Close())
		return out.Bytes()
	}
	action := func(i int, key string, value any) func(map[string]any) {
		return func(j map[string]any) { j["actions"].([]any)[i].(map[string]any)[key] = value }
	}
	var empty bytes.Buffer
	require.NoError(t, zip.NewWriter(&empty).Close())
	for says, data := range map[string][]byte{
		"it is no zip archive":                []byte("lab"),
		"it holds no journal.json":            empty.Bytes(),
		"the bundle is of format 9":           packed(func(j map[string]any) { j["format"] = 9 }),
		"does not begin with a text":          packed(func(j map[string]any) { j["actions"] = []any{} }),
		"action 2 of the bundle":              packed(action(1, "action", "explode viaduct")),
		"has the unknown outcome \"happily\"": packed(action(1, "outcome", "happily")),
		"action 1 of the bundle has no":       packed(action(0, "digest", "zzz")),
		"the text has an error":               packed(action(0, "text", "router\n")),
		"cannot be read":                      packed(func(j map[string]any) { j["actions"] = "none" }),
	} {
		_, err := ReadBundle(data)
		require.ErrorContains(t, err, says)
	}
	// One that lies about a result is replayed, and says so.
	u, err := ReadBundle(packed(action(1, "digest", "00000000000000ff")))
	require.NoError(t, err)
	x, err := Open(u.Records, nil)
	require.NoError(t, err)
	require.True(t, x.History().Steps()[1].Diverged)
}

func TestTasksAreTickedOffByTheirChecks(t *testing.T) {
	text := demo.Text("tarn-valley")
	l := open(t, text)
	require.True(t, l.HasBrief())
	b := l.Brief()
	require.Len(t, b.Text, 2)
	done := func() (out []bool) {
		for _, t := range l.Brief().Tasks {
			out = append(out, t.Done)
		}
		return out
	}
	require.Equal(t, []bool{false, true, true}, done())
	require.NotEmpty(t, b.Tasks[0].Checks[0].Outcomes)
	require.NotEmpty(t, b.Questions[0].Answer)
	apply(t, l, strings.Replace(text, "prefix-set tramway-prefixes\n  10.64.8.0/22\n", "prefix-set tramway-prefixes\n  10.64.8.0/21 length 22\n", 1), "", "")
	require.Equal(t, []bool{true, true, true}, done())
	require.False(t, open(t, "router mill\n").HasBrief())
}

func TestChecksAreLookedAtOnceAMoment(t *testing.T) {
	l := open(t, demo.Text("tarn-valley"))
	first, ok := l.Checks(l.History().Now())
	require.True(t, ok)
	require.NotZero(t, first[0].Line)
	again, _ := l.Until(func() bool { return true }).Checks(l.History().Now())
	require.Equal(t, first, again, "they are known already")
	do(t, l, "cut viaduct.up")
	_, ok = l.Until(func() bool { return true }).Checks(l.History().Now())
	require.False(t, ok, "and are found out anew when the lab has moved on")
}

func TestTheReportOfAConvergence(t *testing.T) {
	l := open(t, demo.Text("triangle-with-ospf"))
	do(t, l, "wait 60s", "cut viaduct.e2")
	detail, err := l.Action(3)
	require.NoError(t, err)
	pairs, err := l.Pairs(3)
	require.NoError(t, err)
	path, err := l.CriticalPath(3, critical.About{})
	require.NoError(t, err)
	c := timeline.Convergence{Action: detail, Pairs: pairs, Path: path}
	text := c.Markdown()
	for _, part := range []string{"# cut viaduct.e2\n", "## What it waited for", "LSAs are flooded over", "the SPF computation is held back | summit ospf spf-initial-delay 50ms |",
		"## Flows", "tickets", "## All hosts and loopbacks", "pairs were out for a time"} {
		require.Contains(t, text, part)
	}
	require.Equal(t, strings.Count(text, "\n| "), len(path.Links)+1+min(len(pairs.Out), 200)+1, "a row each, and the heads")
	_, err = l.Pairs(9)
	require.Error(t, err)
}

func TestAQuestionLeadsToLines(t *testing.T) {
	l := open(t, demo.Text("two-carriers"))
	a, err := l.Why(l.History().Now(), "why is 198.51.100.0/25 not sent to gannet by quarry", why.Focus{})
	require.NoError(t, err)
	lines := strings.Split(l.Text(), "\n")
	found := false
	for _, f := range a.Facts {
		if f.Line > 0 {
			found = found || strings.Contains(lines[f.Line-1], "no-transit")
		}
	}
	require.True(t, found, "the line of the statement that rejects it")
	_, err = l.Why(l.History().BeforeStep(1), "what breaks without viaduct.up", why.Focus{})
	require.Error(t, err)
	then, err := l.Why(l.History().Now(), "what breaks without viaduct.up", why.Focus{})
	require.NoError(t, err)
	do(t, l, "cut viaduct.up")
	later, err := l.Why(l.History().BeforeStep(2), "what breaks without viaduct.up", why.Focus{})
	require.NoError(t, err)
	require.Equal(t, then, later, "the past is asked as it was")
}

func TestChecksOfThePastAreAsTheyWere(t *testing.T) {
	l := open(t, demo.Text("tarn-valley"))
	then, _ := l.Checks(l.History().Now())
	do(t, l, "cut viaduct.up")
	apply(t, l, strings.ReplaceAll(l.Text(), "check \"no carrier", "check \"really no carrier"), "", "")
	digest := l.History().Head().Digest(true)
	was, ok := l.Checks(l.History().BeforeStep(2))
	require.True(t, ok)
	require.Equal(t, then, was)
	is, _ := l.Checks(l.History().Now())
	require.NotEqual(t, then, is)
	require.Equal(t, "really no carrier receives what the other sent", is[1].Name)
	require.Contains(t, is[3].Error, "is cut already")
	require.Equal(t, digest, l.History().Head().Digest(true), "the lab does not notice")
}
