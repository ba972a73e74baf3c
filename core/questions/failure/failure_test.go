package failure_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/config"
	"hellebore/core/questions/failure"
	"hellebore/core/questions/testlabs"
)

const text = `router mill
  loopback lo 10.255.0.1/32
  port e1 10.0.0.1/30
  port lan 10.1.0.1/24
  bgp as 64500
    peer 10.0.0.2 as 64501
      import-policy all
      export-policy all
router halt
  port e1 10.0.0.2/30
  bgp as 64501
    peer 10.0.0.1 as 64500
      import-policy all
      export-policy all
policy all
  otherwise accept
host kiosk 10.1.0.9/24 gateway 10.1.0.1
link mill.e1 halt.e1
segment yard mill.lan kiosk
risk-group "duct"
  links halt.e1
  segments yard
`

// TestWhatCanFail: each thing once, and nothing that failed already.
func TestWhatCanFail(t *testing.T) {
	h := testlabs.Acted(t, text)
	said := func(kinds ...failure.Kind) (out []string) {
		for _, f := range failure.Of(h.Head(), h.Lab(), kinds) {
			out = append(out, fmt.Sprint(f.Name, ": ", f.Actions))
		}
		return out
	}
	require.Equal(t, []string{"mill.e1 halt.e1, cut: [cut mill.e1]"}, said(failure.Link))
	require.Equal(t, []string{"mill.e1 halt.e1, silent: [silence mill.e1]", "segment yard, silent: [silence mill.lan silence kiosk]"}, said(failure.Silence))
	require.Equal(t, []string{"packets from mill.e1, lost: [silence mill.e1 out]", "packets from halt.e1, lost: [silence halt.e1 out]"}, said(failure.OneWay))
	require.Equal(t, []string{"router mill: [disable mill]", "router halt: [disable halt]"}, said(failure.Router))
	require.Equal(t, []string{"port mill.lan: [cut mill.lan]", "port kiosk: [cut kiosk]"}, said(failure.Port))
	require.Equal(t, []string{"segment yard: [cut mill.lan cut kiosk]"}, said(failure.Segment))
	require.Equal(t, []string{"session of mill with halt (10.0.0.2): [disable 10.0.0.2 on mill]"}, said(failure.Session))
	require.Equal(t, []string{`risk group "duct": [fail "duct"]`}, said(failure.Group))
	require.Len(t, said(failure.Kinds...), 10)

	at := func(f failure.Failure, names ...string) (is []bool) {
		for _, n := range names {
			is = append(is, f.IsAt(ref(n)))
		}
		return is
	}
	all := failure.Of(h.Head(), h.Lab(), failure.Kinds)
	require.Equal(t, []bool{true, true, true, false, false}, at(all[0], "mill", "mill.e1", "halt.e1", "mill.lan", "kiosk"))
	require.Equal(t, []bool{true, true, false}, at(all[3], "mill", "mill.lan", "halt"))
	require.Equal(t, []bool{true, true, true, true}, at(all[9], "mill", "halt.e1", "mill.lan", "kiosk"))

	h = testlabs.Acted(t, text, "cut mill.e1", "disable mill")
	require.Empty(t, said(failure.Link, failure.Silence, failure.Session))
	require.Equal(t, []string{"router halt: [disable halt]"}, said(failure.Router))
	h = testlabs.Acted(t, text, `fail "duct"`)
	require.Empty(t, said(failure.Group, failure.Link, failure.Port, failure.Segment, failure.Silence, failure.OneWay))
	_, err := failure.ParseKinds([]string{"link", "ducts"})
	require.EqualError(t, err, `"ducts" is no kind of failure; known: link, silence, router, port, segment, session, group, maintenance, one-way`)
	all7, err := failure.ParseKinds(nil)
	require.NoError(t, err)
	require.Equal(t, failure.Kinds, all7)
	require.Len(t, config.FailureKinds, len(failure.Kinds))
	for i, k := range failure.Kinds {
		require.Equal(t, config.FailureKinds[i], string(k), "the language and what fails agree")
	}
}

func ref(s string) config.PortRef {
	for i, c := range s {
		if c == '.' {
			return config.PortRef{Device: s[:i], Port: s[i+1:]}
		}
	}
	return config.PortRef{Device: s}
}
