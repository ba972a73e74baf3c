package history

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// grouped is the triangle with a risk group of all kinds of members.
func grouped() string {
	return triangle() + `
router hut
  port e1 10.7.0.1/24
    ospf area 0
router shed
  port e1 10.7.0.2/24
    ospf area 0
router barn
  disabled
segment yard hut.e1 shed.e1
risk-group "north duct"
  links viaduct.e1
  segments yard
  devices quarry barn
`
}

// TestARiskGroupFailsAtOnceAndIsMended has a group fail: it is as if each of it failed, at one time; mended, all is as before.
func TestARiskGroupFailsAtOnceAndIsMended(t *testing.T) {
	h := New()
	act(t, h, grouped())
	before := h.Head()
	s := act(t, h, `fail "north duct"`)
	require.Equal(t, s.Start, s.Applied.Now())
	w := before.Clone()
	for _, text := range []string{"cut viaduct.e1", "cut hut.e1", "cut shed.e1", "disable quarry"} {
		a, err := ParseAction(text)
		require.NoError(t, err)
		require.NoError(t, a.Perform(w, h.Lab()))
	}
	require.Equal(t, w.Digest(true), s.Applied.Digest(true))

	refused := func(text, why string) {
		t.Helper()
		a, err := ParseAction(text)
		require.NoError(t, err)
		_, err = h.Begin(a, 0)
		require.EqualError(t, err, why)
	}
	refused(`fail "north duct"`, `all of the risk group "north duct" has failed already`)
	refused(`fail "south duct"`, `there is no risk group named "south duct"`)
	act(t, h, `mend "north duct"`)
	refused(`mend "north duct"`, `nothing in the risk group "north duct" has a fault`)
	_, was := before.Digests(false)
	_, is := h.Head().Digests(false)
	require.Equal(t, was, is)
	require.False(t, h.Head().Find("barn").Enabled(), "its text says so")
	again, err := Replay(h.Records(), nil, nil)
	require.NoError(t, err)
	require.Equal(t, h.Records(), again.Records())
}
