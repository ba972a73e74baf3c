package lab

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/facts"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/why"
)

// twoBorders are two routers of one AS that offer the same prefix to a third AS through one
// policy of the lab, and a policy of its own that one of them has.
const twoBorders = `router quay
  port e1 192.0.2.1/30
  static 203.0.113.0/24 blackhole
  bgp as 64500
    originate 203.0.113.0/24
    peer 192.0.2.2 as 64510
      import-policy none-of-it
      export-policy ours
router pier
  port e1 192.0.2.5/30
  static 203.0.113.0/24 blackhole
  bgp as 64500
    originate 203.0.113.0/24
    peer 192.0.2.6 as 64510
      import-policy none-of-it
      export-policy ours
router skiff
  port e1 192.0.2.2/30
  port e2 192.0.2.6/30
  bgp as 64510
    peer 192.0.2.1 as 64500
      import-policy all
      export-policy none-of-it
    peer 192.0.2.5 as 64500
      import-policy all
      export-policy none-of-it
link quay.e1 skiff.e1
link pier.e1 skiff.e2
policy ours
  statement all
    where prefix in railway
    accept
policy all
  otherwise accept
policy none-of-it
  otherwise reject
prefix-set railway
  203.0.113.0/24
`

// TestAPolicyTakesEffectRouterByRouter stages a change of a policy that two routers use.
func TestAPolicyTakesEffectRouterByRouter(t *testing.T) {
	l := open(t, twoBorders)
	draft := strings.Replace(twoBorders, "prefix-set railway\n  203.0.113.0/24", "prefix-set railway\n  198.51.100.0/24", 1)
	require.Equal(t, []string{"quay", "pier"}, l.Touched(draft), "who leads to the set")
	p, err := l.Preview(Plan{Text: draft, Order: [][]string{{"pier"}, {"quay"}}}, nil)
	require.NoError(t, err)
	require.Len(t, p.Actions, 2)
	require.NoError(t, l.Adopt(p))
	from := func(moment string) (peers []string) {
		m, err := l.ParseMoment(moment)
		require.NoError(t, err)
		x, err := l.Paths(m, "203.0.113.0/24", "skiff")
		require.NoError(t, err)
		for _, r := range x.Routers {
			for _, path := range r.Paths {
				peers = append(peers, path.Peer)
			}
		}
		return peers
	}
	require.Equal(t, []string{"192.0.2.1", "192.0.2.5"}, from("before-2"))
	require.Equal(t, []string{"192.0.2.1"}, from("before-3"), "pier has the new set of its own, quay the old one")
	require.Empty(t, from("now"))
	require.Equal(t, draft, l.Text())
}

// owned is twoBorders where pier has a policy of its own.
var owned = strings.Replace(twoBorders, "router skiff\n", "  policy ours\n    statement never\n      where med = 7\n      accept\n    statement closed\n      reject\nrouter skiff\n", 1)

func TestOwnPoliciesAreShownAsTheRoutersOwn(t *testing.T) {
	l := open(t, owned)
	var ours []paths.PolicyUse
	for _, p := range l.Policies(l.History().Now()) {
		if p.Name == "ours" {
			ours = append(ours, p)
		}
	}
	require.Len(t, ours, 2)
	require.Equal(t, "", ours[0].Device)
	require.Equal(t, "quay", ours[0].Uses[0].Device)
	require.Len(t, ours[0].Uses, 1, "pier uses its own")
	require.Equal(t, "pier", ours[1].Device)
	require.Equal(t, "pier", ours[1].Uses[0].Device)

	a, err := l.Why(l.History().Now(), "why does pier not send 203.0.113.0/24 to skiff", why.Focus{})
	require.NoError(t, err)
	i := slices.IndexFunc(a.Facts, func(f facts.Fact) bool { return strings.Contains(f.Text, "statement closed of ours rejects it") })
	require.GreaterOrEqual(t, i, 0, "%+v", a.Facts)
	require.Equal(t, strings.Count(owned[:strings.Index(owned, "statement closed")], "\n")+1, a.Facts[i].Line)

	warnings := l.StateWarnings(l.History().Now())
	i = slices.IndexFunc(warnings, func(w tables.StateWarning) bool { return w.Code == "statements-idle" })
	require.GreaterOrEqual(t, i, 0)
	require.Equal(t, "policy ours of pier: never matches no route", warnings[i].Text)
	require.Equal(t, strings.Count(owned[:strings.Index(owned, "statement never")], "\n")+1, warnings[i].Line)
}

// TestTheBenchTriesThePolicyThatIsMeant: the lab's and a router's own of one name.
func TestTheBenchTriesThePolicyThatIsMeant(t *testing.T) {
	l := open(t, owned)
	for _, c := range []struct {
		trial    paths.Trial
		accepted int
	}{
		{paths.Trial{Policy: "ours", Routes: []string{"203.0.113.0/24"}}, 1},
		{paths.Trial{Policy: "ours", Owner: "pier", Routes: []string{"203.0.113.0/24"}}, 0},
		{paths.Trial{Policy: "ours", Device: "pier", Peer: "192.0.2.6", Direction: "out"}, 1},
		{paths.Trial{Policy: "ours", Owner: "pier", Device: "pier", Peer: "192.0.2.6", Direction: "out"}, 0},
		{paths.Trial{Policy: "ours", Device: "quay", Peer: "192.0.2.2", Direction: "out"}, 1},
	} {
		b, err := l.TryPolicy(l.History().Now(), c.trial)
		require.NoError(t, err)
		require.Equal(t, c.accepted, b.Accepted, "%+v", c.trial)
	}
	draft := strings.Replace(owned, "      where med = 7\n", "      where prefix in railway\n", 1)
	b, err := l.TryPolicy(l.History().Now(), paths.Trial{Policy: "ours", Owner: "pier", Draft: draft, Device: "pier", Peer: "192.0.2.6", Direction: "out"})
	require.NoError(t, err)
	require.Equal(t, 1, b.Differs)
	_, err = l.TryPolicy(l.History().Now(), paths.Trial{Policy: "ours", Owner: "quay", Routes: []string{"203.0.113.0/24"}})
	require.NoError(t, err, "quay has the lab's")
}
