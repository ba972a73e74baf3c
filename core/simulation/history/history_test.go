package history

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

func act(t require.TestingT, h *History, action string) *Step {
	a := Action{Kind: Apply, Text: action}
	if !strings.Contains(action, "\n") {
		var err error
		a, err = ParseAction(action)
		require.NoError(t, err)
	}
	s, err := h.Begin(a, 0)
	require.NoError(t, err)
	require.NoError(t, h.Run(s, nil))
	return s
}

func triangle() string { return demo.Text("triangle-with-ospf") }

func TestActionsReadBackAsTyped(t *testing.T) {
	for _, s := range []string{"cut viaduct.e1", "silence viaduct.e1", "silence viaduct.e1 out", "silence viaduct.e1 in",
		"mend kiosk", `fail "north duct"`, `mend "north duct"`, "disable viaduct", "enable viaduct.e1", "wait 30s", "wait 250ms", "restart ospf on viaduct", "join viaduct.e1 yard", "part viaduct.e1",
		"settle", "restart bgp on viaduct", "reset 192.0.2.2 on viaduct", "reset all on viaduct", "resend from 192.0.2.2 on viaduct",
		"resend to 192.0.2.2 on viaduct", "disable 192.0.2.2 on viaduct", "enable 192.0.2.2 on viaduct"} {
		a, err := ParseAction(s)
		require.NoError(t, err)
		require.Equal(t, s, a.String())
	}
	for in, want := range map[string]string{
		"":                            "no action; write for example: cut viaduct.e1",
		"sever viaduct.e1":            `"sever" is not an action; known: cut, silence, mend, disable, enable, wait, restart, join, part, reset, resend, settle, withdraw, advertise, flap, fail`,
		"fail":                        `fail what? write for example: fail "north duct"`,
		"fail duct":                   `"duct" is not a risk group, in quotes; write for example: fail "north duct"`,
		"fail \"north duct":           `"\"north" is not a risk group, in quotes; write for example: fail "north duct"`,
		"fail \"\"":                   `"\"\"" is not a risk group, in quotes; write for example: fail "north duct"`,
		"mend \"north duct\" now":     `"now" is one word too many; write for example: mend viaduct.e1, or mend "north duct"`,
		"restart viaduct":             `"viaduct" is not a routing process, ospf or bgp; write for example: restart ospf on viaduct`,
		"reset viaduct":               `"viaduct" is not the address of a peer; write for example: reset 192.0.2.2 on viaduct`,
		"reset 192.0.2.2 at viaduct":  `"at" does not fit here; it should be "on"; write for example: reset 192.0.2.2 on viaduct`,
		"resend 192.0.2.2 on viaduct": `"192.0.2.2" is not a direction, from or to; write for example: resend from 192.0.2.2 on viaduct`,
		"cut 192.0.2.2 on viaduct":    `"on" is one word too many; write for example: cut viaduct.e1`,
		"join viaduct.e1":             "join viaduct.e1 what? write for example: join viaduct.e1 yard",
		"cut":                         "cut what? write for example: cut viaduct.e1",
		"cut viaduct.":                `"viaduct." is not a port; write for example: cut viaduct.e1`,
		"wait":                        "wait what? write for example: wait 30s",
		"disable":                     "disable what? write for example: disable viaduct, or disable viaduct.e1, or disable 192.0.2.2 on viaduct",
		"settle now":                  `"now" is one word too many; write for example: settle`,
		"wait long":                   `"long" is not a time to wait, a number and a unit; write for example: wait 30s`,
		"cut viaduct.e1 out":          `"out" is one word too many; write for example: cut viaduct.e1`,
		"silence viaduct.e1 up":       `"up" is not a direction, out or in; write for example: silence viaduct.e1, or silence viaduct.e1 out`,
	} {
		_, err := ParseAction(in)
		require.EqualError(t, err, want)
	}
}

// TestEachFormOfAnActionHasAnExample: what the page and the documents show can be typed.
func TestEachFormOfAnActionHasAnExample(t *testing.T) {
	said := map[string]bool{}
	for _, f := range Forms {
		a, err := ParseAction(f.Example)
		require.NoError(t, err)
		require.Equal(t, f.Kind, a.Kind)
		require.Equal(t, f.Example, a.String())
		require.Equal(t, f.Kind.String(), strings.Fields(f.Form)[0])
		require.False(t, said[f.Says], f.Says)
		said[f.Says] = true
	}
	for k := Cut; k <= Settle; k++ {
		require.True(t, slices.ContainsFunc(Forms, func(f Form) bool { return f.Kind == k }), k)
	}
}

func TestAnActionWithoutATargetIsRefused(t *testing.T) {
	h := New()
	act(t, h, triangle())
	_, err := h.Begin(Action{Kind: Cut}, 0)
	require.EqualError(t, err, "cut does not say what it is done to")
}

func TestActionsThatCannotBe(t *testing.T) {
	h := New()
	act(t, h, triangle())
	act(t, h, "cut viaduct.e1")
	before := h.Head().Digest(true)
	for in, want := range map[string]string{
		"cut viaduct.e1":        "the link of viaduct.e1 is cut already",
		"mend summit.e2":        "the link of summit.e2 has no fault",
		"cut viaduct.e9":        "viaduct has no port named e9",
		"cut mill.e1":           "there is no device named mill",
		"restart ospf on kiosk": "OSPF does not run on kiosk",
		"cut viaduct":           "viaduct is a router: say which port, for example viaduct.lo",
		"cut viaduct.lo":        "viaduct.lo is not joined to anything",
		"part viaduct.e2":       "viaduct.e2 is on the link viaduct.e2 quarry.e1, not on a segment; cut it instead",
		"join viaduct.lan yard": "there is no segment named yard",
		"join viaduct.e2 hall":  "viaduct.e2 is joined already; part it first",
	} {
		a, err := ParseAction(in)
		require.NoError(t, err)
		_, err = h.Begin(a, 0)
		require.EqualError(t, err, want)
	}
	_, err := h.Begin(Action{Kind: Apply, Text: "router\nrouter 7\n"}, 0)
	require.EqualError(t, err, "the text has 2 errors, nothing was applied")
	require.Equal(t, before, h.Head().Digest(true))
}

// TestSeekEqualsRunning holds seeking, from keyframes, against a world that is
// simply run from the start.
func TestSeekEqualsRunning(t *testing.T) {
	h := New()
	act(t, h, triangle())
	act(t, h, "silence viaduct.e2 out")
	act(t, h, "mend viaduct.e2")
	end := h.Head().Now()
	rapid.Check(t, func(t *rapid.T) {
		at := event.Time(rapid.Int64Range(0, int64(end)).Draw(t, "at"))
		m := h.AtTime(at)
		plain := network.New()
		for _, s := range h.Steps()[:m.Step] {
			plain.RunUntil(s.Start, MaxWork)
			require.NoError(t, s.Parsed.Perform(plain, s.Lab))
		}
		plain.RunUntil(at, MaxWork)
		require.Equal(t, plain.Digest(true), h.At(m).Digest(true))
	})
	require.Equal(t, h.Steps()[1].Before.Digest(true), h.At(h.BeforeStep(2)).Digest(true))
	require.Equal(t, h.Steps()[1].Digest, h.At(h.AfterStep(2)).Digest(true))
}

// TestSessionsAreReplayed: what is done to sessions comes out the same again, and
// at any moment in between.
func TestSessionsAreReplayed(t *testing.T) {
	text := ""
	for _, l := range demo.Labs() {
		if l.Slug == "two-carriers" {
			text = l.Text
		}
	}
	h := New()
	for _, a := range []string{text, "cut viaduct.up", "mend viaduct.up", "reset 192.0.2.2 on viaduct", "reset all on summit", "resend from 10.64.0.2 on summit",
		"resend to 10.64.0.2 on summit", "disable 192.0.2.6 on quarry", "enable 192.0.2.6 on quarry", "restart bgp on harbour", "disable gannet", "enable gannet"} {
		s := act(t, h, a)
		require.Equal(t, network.Settled, s.Outcome, a)
		require.Empty(t, h.Head().Check(), a)
	}
	again, err := Replay(h.Records(), nil, nil)
	require.NoError(t, err)
	require.Equal(t, h.Records(), again.Records())
	for _, s := range h.Steps() {
		require.Equal(t, s.Digest, again.At(again.AfterStep(s.Seq)).Digest(true), s.Record.Action)
	}
	// Nothing is left of the disturbances: the tables are as they were in the beginning.
	require.Equal(t, h.Steps()[0].After.Digest(false), h.Head().Digest(false))
	for action, want := range map[string]string{
		"reset 192.0.2.9 on viaduct":    "viaduct has no peer 192.0.2.9",
		"reset all on crane":            "BGP does not run on crane",
		"restart bgp on crane":          "BGP does not run on crane",
		"resend to 192.0.2.2 on nobody": "there is no device named nobody",
	} {
		a, err := ParseAction(action)
		require.NoError(t, err)
		_, err = h.Begin(a, 0)
		require.EqualError(t, err, want)
	}
}

func TestReplayComesToTheSameDigests(t *testing.T) {
	h := New()
	for _, a := range []string{triangle(), "cut viaduct.e2", "wait 2000s", "mend viaduct.e2", "disable quarry", "enable quarry"} {
		act(t, h, a)
	}
	again, err := Replay(h.Records(), nil, nil)
	require.NoError(t, err)
	require.Equal(t, h.Records(), again.Records())

	t.Run("an action that was not completed is carried to its end", func(t *testing.T) {
		records := h.Records()
		last := &records[len(records)-1]
		want := last.Digest
		*last = Record{Seq: last.Seq, Action: last.Action, Start: last.Start, Until: last.Until}
		again, err := Replay(records, nil, nil)
		require.NoError(t, err)
		require.Equal(t, want, again.Records()[len(records)-1].Digest)
	})
	t.Run("another digest is said", func(t *testing.T) {
		records := h.Records()
		records[1].Digest++
		again, err := Replay(records, nil, nil)
		require.NoError(t, err)
		require.True(t, again.Steps()[1].Diverged)
		require.False(t, again.Steps()[2].Diverged)
	})
}

func TestStoppedActionReplaysToTheSamePoint(t *testing.T) {
	var b strings.Builder
	for i := range 60 {
		fmt.Fprintf(&b, "router r%d\n  port a 10.0.%d.1/30\n    ospf area 0\n  port b 10.0.%d.2/30\n    ospf area 0\n", i, i, (i+59)%60)
	}
	for i := range 59 {
		fmt.Fprintf(&b, "link r%d.a r%d.b loss 0.0001%%\n", i, i+1) // or the wait would be skipped
	}
	h := New()
	act(t, h, b.String())
	a, _ := ParseAction("wait 20000s")
	s, err := h.Begin(a, 0)
	require.NoError(t, err)
	asked := 0
	require.NoError(t, h.Run(s, func() bool { asked++; return asked == 2 }))
	require.Equal(t, network.Stopped, s.Outcome)
	again, err := Replay(h.Records(), nil, nil)
	require.NoError(t, err)
	require.Equal(t, h.Records(), again.Records())
}

func TestForkBeginsWhereItSays(t *testing.T) {
	h := New()
	act(t, h, triangle())
	act(t, h, "silence viaduct.e2")
	m := Moment{2, h.Steps()[1].Start + 10*event.Second}
	forked, err := Replay(h.ForkRecords(m), nil, nil)
	require.NoError(t, err)
	require.Equal(t, h.At(m).Digest(true), forked.Head().Digest(true))
	act(t, forked, "mend viaduct.e2")
	require.Len(t, h.Steps(), 2)
}

// TestARestartOfOSPF restarts a process: no packet says so,
// the neighbours see the router begin anew and come back to Full, and the router
// ID is chosen anew.
func TestARestartOfOSPF(t *testing.T) {
	h := New()
	text := strings.Replace(triangle(), "  loopback lo 10.255.0.3/32\n    ospf area 0 passive\n", "", 1)
	act(t, h, triangle())
	act(t, h, text) // the router ID stays, although its loopback is gone
	quarry := h.Head().Find("quarry")
	require.Equal(t, "10.255.0.3", quarry.Main().OSPF().RouterID().String())
	s := act(t, h, "restart ospf on quarry")
	require.Equal(t, network.Settled, s.Outcome)
	require.Empty(t, h.Head().Check())
	quarry = h.Head().Find("quarry")
	require.Equal(t, "10.0.23.2", quarry.Main().OSPF().RouterID().String(), "chosen anew")
	require.Greater(t, s.After.ForwardingChanges(), s.Before.ForwardingChanges())
	again, err := Replay(h.Records(), nil, nil)
	require.NoError(t, err)
	require.Equal(t, h.Records(), again.Records())
}

// Another engine may move the time; what differs in the settled state is named.
func TestAnotherEngineIsComparedByWhatItSettlesTo(t *testing.T) {
	h := New()
	s, err := h.Begin(Action{Kind: Apply, Text: "router mill\n  port e1 10.0.0.1/30\n    ospf area 0\nrouter halt\n  port e1 10.0.0.2/30\n    ospf area 0\nlink mill.e1 halt.e1\n"}, 0)
	require.NoError(t, err)
	require.NoError(t, h.Run(s, nil))
	record := h.Records()[0]
	record.Engine, record.Digest, record.End = "older", record.Digest+1, record.End+1
	again, err := Replay([]Record{record}, nil, nil)
	require.NoError(t, err)
	require.False(t, again.Steps()[0].Diverged)
	record.State.Routes++
	again, err = Replay([]Record{record}, nil, nil)
	require.NoError(t, err)
	require.True(t, again.Steps()[0].Diverged)
	require.Equal(t, []string{"routes"}, again.Steps()[0].Differs)
	record.Engine = Engine
	again, err = Replay([]Record{record}, nil, nil)
	require.NoError(t, err)
	require.True(t, again.Steps()[0].Diverged, "the same engine comes to the same in everything")
}

func TestAReplayThatIsStoppedIsNoResult(t *testing.T) {
	h := New()
	s, err := h.Begin(Action{Kind: Apply, Text: "router mill\n"}, 0)
	require.NoError(t, err)
	require.NoError(t, h.Run(s, nil))
	_, err = Replay(h.Records(), func() bool { return true }, nil)
	require.ErrorIs(t, err, ErrStopped)
}

// TestAnIdleNetworkMakesNoNotes: refreshes (RFC 2328 12.4) go round for hours, and nobody reads of them.
func TestAnIdleNetworkMakesNoNotes(t *testing.T) {
	h := New()
	act(t, h, triangle())
	before := h.Head().Notes()
	s := act(t, h, "wait 6h")
	require.Greater(t, s.NotesAfter, before+30, "refreshes")
	for i := before; i < s.NotesAfter; i++ {
		require.Equal(t, note.LSAOriginated, s.After.NoteAt(i).Kind)
	}
	require.Less(t, s.NotesAfter-before, uint32(100))
}
