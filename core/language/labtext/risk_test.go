package labtext

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

const ducts = `lab "Ducts"
router mill
  port e1 10.0.0.1/30
  port e2 10.0.1.1/30
  port lan 10.9.0.1/24
router halt
  port e1 10.0.0.2/30
  port e2 10.0.1.2/30
  port lan 10.9.0.2/24
router weir
link mill.e1 halt.e1
link mill.e2 halt.e2
segment yard mill.lan halt.lan

risk-group "north duct"
  links mill.e1 halt.e2
  segments yard
  devices weir halt
`

// TestARiskGroupFollowsItsMembers: what is renamed stays in its group, and what is gone leaves it.
func TestARiskGroupFollowsItsMembers(t *testing.T) {
	require.True(t, Parse(ducts).OK(), "%v", Parse(ducts).Problems)
	g := Parse(ducts).Lab.RiskGroups
	require.Len(t, g, 1)
	require.Equal(t, "[{north duct [mill.e1 halt.e2] [yard] [weir halt]}]", fmt.Sprint(g))
	groups := func(text string) string { return fmt.Sprint(Parse(text).Lab.RiskGroups) }
	require.Equal(t, "[{north duct [mill.e1 halt.e2] [yard] [halt]}]", groups(edited(t, ducts, "remove router weir")))
	require.Equal(t, "[{north duct [mill.e1] [yard] [weir halt]}]", groups(edited(t, ducts, "remove halt.e2")))
	require.Equal(t, "[{north duct [] [yard] [weir]}]", groups(edited(t, ducts, "remove router halt")))
	require.Equal(t, "[{north duct [mill.e1 halt.e2] [] [weir halt]}]", groups(edited(t, ducts, "remove segment yard")))
	require.Equal(t, "[{north duct [halt.e2] [yard] [weir halt]}]", groups(edited(t, ducts, "remove link halt.e1 mill.e1")))
	require.Equal(t, "[]", groups(edited(t, "router a\nrouter b\nrisk-group \"rack\"\n  devices a\n", "remove router a")))

	line := func(at string) (int, int) {
		for i, l := range strings.Split(ducts, "\n") {
			if c := strings.Index(l, at); c >= 0 {
				return i + 1, c + 1
			}
		}
		t.Fatal(at)
		return 0, 0
	}
	for from, want := range map[string]string{
		"mill":        "[{north duct [other.e1 halt.e2] [yard] [weir halt]}]",
		"yard mill":   "[{north duct [mill.e1 halt.e2] [other] [weir halt]}]",
		"north duct":  "[{other [mill.e1 halt.e2] [yard] [weir halt]}]",
		"weir halt":   "[{north duct [mill.e1 halt.e2] [yard] [other halt]}]",
		"e2 10.0.1.2": "[{north duct [mill.e1 halt.other] [yard] [weir halt]}]",
	} {
		l, c := line(from)
		out, n, err := Rename(ducts, l, c, "other")
		require.NoError(t, err, from)
		require.Positive(t, n)
		require.True(t, Parse(out).OK(), out)
		require.Equal(t, want, groups(out), from)
	}
	// What is in a group changes nothing in the network, and is a difference by meaning.
	before, after := Parse(ducts).Lab, Parse(edited(t, ducts, "remove router weir")).Lab
	var said []string
	for _, c := range Differences(&before, &after) {
		said = append(said, c.String())
	}
	require.Contains(t, fmt.Sprint(said), "device weir")
}

// TestWhatIsLeftOutFollowsItsNames: a check goes on without a device that is gone, and follows one that is renamed.
func TestWhatIsLeftOutFollowsItsNames(t *testing.T) {
	const text = ducts + "check \"c\"\n  whenever link fails except weir mill.e1\n  expect reach mill -> halt\n"
	fails := func(text string) string {
		t.Helper()
		r := Parse(text)
		require.True(t, r.OK(), "%v\n%s", r.Problems, text)
		require.Len(t, r.Lab.Checks, 1)
		return fmt.Sprint(r.Lab.Checks[0].Fails)
	}
	require.Equal(t, "[{link [weir mill.e1]}]", strings.ReplaceAll(fails(text), "weir.", "weir"))
	without := edited(t, text, "remove router weir")
	require.Contains(t, without, "whenever link fails except mill.e1\n")
	require.Contains(t, edited(t, without, "remove mill.e1"), "whenever link fails\n")
	for i, l := range strings.Split(text, "\n") {
		if c := strings.Index(l, "weir mill.e1"); c >= 0 {
			out, _, err := Rename(text, i+1, c+1, "ford")
			require.NoError(t, err)
			require.Contains(t, out, "except ford mill.e1")
			require.Contains(t, out, "devices ford halt")
		}
	}
	before, after := Parse(text).Lab, Parse(without).Lab
	require.Contains(t, fmt.Sprint(Differences(&before, &after)), "whenever link fails")
}
