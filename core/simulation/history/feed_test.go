package history

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/route"
	"hellebore/core/simulation/network"
)

// fedLab is a carrier whose feed two routers receive, one from the other.
func fedLab(feed string) string {
	return fmt.Sprintf(`router carrier
  port e1 192.0.2.1/30
  bgp as 64510
    %s
    peer 192.0.2.2 as 64500
router edge
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port e1 192.0.2.2/30
    ospf area 0 passive
  port e2 192.0.2.5/30
    ospf area 0
  bgp as 64500
    peer 192.0.2.1 as 64510
    peer 10.255.0.2 as 64500
      local-address lo
router inner
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 192.0.2.6/30
    ospf area 0
  bgp as 64500
    originate 10.255.0.2/32
    peer 10.255.0.1 as 64500
      local-address lo
link carrier.e1 edge.e1
link edge.e2 inner.e1
`, feed)
}

// learned are the prefixes that a router uses a route of BGP for.
func learned(w *network.World, name string) map[ip.Prefix]bool {
	out := map[ip.Prefix]bool{}
	t := w.Find(name).Main().Table()
	t.EachUsed(func(id uint32) {
		if s, ok := t.Best(id); ok && s == route.BGP {
			out[w.Shared().Prefixes.Prefix(id)] = true
		}
	})
	return out
}

// TestAPartOfAFeedIsWithdrawnAndComesBack withdraws more and more of a feed, announces it again, and has it flap.
func TestAPartOfAFeedIsWithdrawnAndComesBack(t *testing.T) {
	h := New()
	act(t, h, fedLab("feed 1000 seed 7 within 10.64.0.0/10 as-range 64600..64999"))
	all := learned(h.Head(), "inner")
	require.Len(t, all, 1000)
	whole := h.Steps()[0].State
	before := all
	for _, percent := range []int{10, 30, 30, 60, 100} {
		s := act(t, h, fmt.Sprintf("withdraw %d%% on carrier", percent))
		require.Equal(t, network.Settled, s.Outcome)
		left := learned(h.Head(), "inner")
		require.InDelta(t, 1000-10*percent, len(left), 50, "%d", percent)
		for p := range left {
			require.True(t, before[p], "%v was withdrawn before", p)
		}
		require.Equal(t, len(left), len(learned(h.Head(), "carrier"))-1, "the carrier's own route, and that of inner")
		before = left
		require.Empty(t, h.Head().Check())
	}
	require.Empty(t, before)
	act(t, h, "advertise all on carrier")
	require.Equal(t, all, learned(h.Head(), "inner"))
	require.Equal(t, whole.Routes, h.Steps()[len(h.Steps())-1].State.Routes)

	s := act(t, h, "flap 40% on carrier")
	require.Equal(t, all, learned(h.Head(), "inner"))
	middle := h.At(Moment{s.Seq, s.Start + 5_000_000_000})
	require.InDelta(t, 600, len(learned(middle, "inner")), 50, "in between")
	require.Greater(t, s.Settled, s.Start+10_000_000_000)
	require.Empty(t, h.Head().Check())

	// What was withdrawn stays so, whatever else changes, and comes back with another feed.
	act(t, h, "withdraw 50% on carrier")
	act(t, h, "restart bgp on edge")
	require.InDelta(t, 500, len(learned(h.Head(), "inner")), 60)
	act(t, h, fedLab("feed 1000 seed 8 within 10.64.0.0/10 as-range 64600..64999"))
	require.InDelta(t, 500, len(learned(h.Head(), "inner")), 60)
	act(t, h, "advertise all on carrier")
	require.Len(t, learned(h.Head(), "inner"), 1000)
	act(t, h, fedLab("connect-retry 20s"))
	require.Empty(t, learned(h.Head(), "inner"))
	require.Empty(t, h.Head().Check())
}

// TestFeedsReplay holds a journal with feeds against its replay.
func TestFeedsReplay(t *testing.T) {
	h := New()
	for _, a := range []string{fedLab("feed 300 within 10.64.0.0/10"), "withdraw 12.5% on carrier", "flap 80% on carrier", "cut carrier.e1", "advertise all on carrier", "mend edge.e1"} {
		act(t, h, a)
	}
	again := New()
	for _, s := range h.Steps() {
		a := s.Record.Action
		if s.Text != "" {
			a = s.Text
		}
		x := act(t, again, a)
		require.Equal(t, s.Digest, x.Digest, s.Record.Action)
	}
	require.Equal(t, "withdraw 12.5% on carrier", h.Steps()[1].Record.Action)
}

// TestFeedActionsSayWhatIsWrong does what cannot be done.
func TestFeedActionsSayWhatIsWrong(t *testing.T) {
	h := New()
	act(t, h, fedLab("feed 300 within 10.64.0.0/10"))
	for action, says := range map[string]string{
		"withdraw 30% on inner":    "inner has no feed",
		"flap 30% on nobody":       "no device named nobody",
		"withdraw 30 on carrier":   `"30" is not a share, such as 30%`,
		"withdraw 0% on carrier":   `is not a share`,
		"withdraw 101% on carrier": `is not a share`,
		"withdraw NaN% on carrier": `is not a share`,
		"advertise on carrier":     `advertise all on carrier`,
	} {
		a, err := ParseAction(action)
		if err == nil {
			_, err = h.Begin(a, 0)
		}
		require.ErrorContains(t, err, says, action)
		require.False(t, strings.Contains(err.Error(), "%!"), err.Error())
	}
}
