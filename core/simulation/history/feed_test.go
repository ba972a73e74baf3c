package history_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// does has a history do something, a text or an action.
func does(t *testing.T, h *history.History, action string) *history.Step {
	t.Helper()
	a := history.Action{Kind: history.Apply, Text: action}
	if !strings.Contains(action, "\n") {
		var err error
		a, err = history.ParseAction(action)
		require.NoError(t, err)
	}
	s, err := h.Begin(a, 0)
	require.NoError(t, err)
	require.NoError(t, h.Run(s, nil))
	return s
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
	h := history.New()
	does(t, h, testlabs.Fed("feed 1000 seed 7 within 10.64.0.0/10 as-range 64600..64999"))
	all := learned(h.Head(), "inner")
	require.Len(t, all, 1000)
	whole := h.Steps()[0].State
	before := all
	for _, percent := range []int{10, 30, 30, 60, 100} {
		s := does(t, h, fmt.Sprintf("withdraw %d%% on carrier", percent))
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
	does(t, h, "advertise all on carrier")
	require.Equal(t, all, learned(h.Head(), "inner"))
	require.Equal(t, whole.Routes, h.Steps()[len(h.Steps())-1].State.Routes)

	s := does(t, h, "flap 40% on carrier")
	require.Equal(t, all, learned(h.Head(), "inner"))
	middle := h.At(history.Moment{Step: s.Seq, At: s.Start + 5_000_000_000})
	require.InDelta(t, 600, len(learned(middle, "inner")), 50, "in between")
	require.Greater(t, s.Settled, s.Start+10_000_000_000)
	require.Empty(t, h.Head().Check())

	// What was withdrawn stays so, whatever else changes, and comes back with another feed.
	does(t, h, "withdraw 50% on carrier")
	does(t, h, "restart bgp on edge")
	require.InDelta(t, 500, len(learned(h.Head(), "inner")), 60)
	does(t, h, testlabs.Fed("feed 1000 seed 8 within 10.64.0.0/10 as-range 64600..64999"))
	require.InDelta(t, 500, len(learned(h.Head(), "inner")), 60)
	does(t, h, "advertise all on carrier")
	require.Len(t, learned(h.Head(), "inner"), 1000)
	does(t, h, testlabs.Fed("connect-retry 20s"))
	require.Empty(t, learned(h.Head(), "inner"))
	require.Empty(t, h.Head().Check())
}

// TestFeedsReplay holds a journal with feeds against its replay.
func TestFeedsReplay(t *testing.T) {
	h := history.New()
	for _, a := range []string{testlabs.Fed("feed 300 within 10.64.0.0/10"), "withdraw 12.5% on carrier", "flap 80% on carrier", "cut carrier.e1", "advertise all on carrier", "mend edge.e1"} {
		does(t, h, a)
	}
	again := history.New()
	for _, s := range h.Steps() {
		a := s.Record.Action
		if s.Text != "" {
			a = s.Text
		}
		x := does(t, again, a)
		require.Equal(t, s.Digest, x.Digest, s.Record.Action)
	}
	require.Equal(t, "withdraw 12.5% on carrier", h.Steps()[1].Record.Action)
}

// TestFeedActionsSayWhatIsWrong does what cannot be done.
func TestFeedActionsSayWhatIsWrong(t *testing.T) {
	h := history.New()
	does(t, h, testlabs.Fed("feed 300 within 10.64.0.0/10"))
	for action, says := range map[string]string{
		"withdraw 30% on inner":    "inner has no feed",
		"flap 30% on nobody":       "no device named nobody",
		"withdraw 30 on carrier":   `"30" is not a share, such as 30%`,
		"withdraw 0% on carrier":   `is not a share`,
		"withdraw 101% on carrier": `is not a share`,
		"withdraw NaN% on carrier": `is not a share`,
		"advertise on carrier":     `advertise all on carrier`,
	} {
		a, err := history.ParseAction(action)
		if err == nil {
			_, err = h.Begin(a, 0)
		}
		require.ErrorContains(t, err, says, action)
		require.False(t, strings.Contains(err.Error(), "%!"), err.Error())
	}
}
