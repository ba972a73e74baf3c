package history

import (
	"fmt"
	"math/rand"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/simulation/network"
)

// TestAWaitThatIsSkippedCanBeLookedInto has half a day pass, and looks at moments of it and at its packets: they are what they would be
// if time had been gone through.
func TestAWaitThatIsSkippedCanBeLookedInto(t *testing.T) {
	t.Run("on links", func(t *testing.T) { lookInto(t, triangle(), 20) })
	t.Run("on a segment", func(t *testing.T) { lookInto(t, segment(5), 3) })
}

// lookInto does so in a lab, of which so many times as much is skipped as is gone through.
func lookInto(t *testing.T, text string, skipped uint64) {
	h := New()
	act(t, h, text)
	s := act(t, h, "wait 12h")
	through := s.Before.Clone()
	var want []Frame
	through.OnFrame = func(at event.Time, device, port uint32, frame []byte) {
		want = append(want, Frame{at, device, port, frame})
	}
	r := rand.New(rand.NewSource(18))
	at := s.Start
	for at < s.End {
		at = min(at+event.Time(r.Int63n(int64(3*3600*event.Second))), s.End)
		through.RunUntil(at, 1<<40)
		require.Equal(t, through.Digest(true), h.At(Moment{2, at}).Digest(true), "%v", at)
		require.Equal(t, through.Digest(true), h.Fork(Moment{2, at}).Digest(true), "%v", at)
	}
	require.Greater(t, through.Handled(), skipped*s.After.Handled(), "it was skipped")

	for range 6 {
		from := s.Start + event.Time(r.Int63n(int64(s.End-s.Start)))
		to := min(s.End, from+event.Time(r.Int63n(int64(3600*event.Second))))
		var got []Frame
		require.NoError(t, h.Frames(from, to, func(f Frame) { got = append(got, f) }, nil))
		var part []Frame
		for _, f := range want {
			if f.At >= from && f.At <= to {
				part = append(part, f)
			}
		}
		require.Equal(t, part, got, "every packet from %v to %v", from, to)
	}

	// Let go of and made again, or replayed, it is the same.
	for h.Lighten(func(*Step) {}) {
	}
	act(t, h, "settle")
	require.Equal(t, s.Record, h.Whole(2).Record)
	require.Equal(t, s.Digest, h.Whole(2).After.Digest(true))
	again, err := Replay(h.Records(), nil, nil)
	require.NoError(t, err)
	require.Equal(t, h.Records(), again.Records())
}

// TestAWaitAfterALossIsSkippedOnceLSAsAgedOut loses a router: its LSAs age out within the hour (RFC 2328 14), and the rest of the day is
// skipped. Wherever it is stopped, a replay comes to the same.
func TestAWaitAfterALossIsSkippedOnceLSAsAgedOut(t *testing.T) {
	h := New()
	act(t, h, triangle())
	act(t, h, "disable quarry")
	s := act(t, h, "wait 24h")
	require.Less(t, s.After.Handled()-s.Before.Handled(), uint64(5000))
	through := s.Before.Clone()
	through.RunUntil(s.End, 1<<40)
	require.Equal(t, through.Digest(true), s.After.Digest(true))

	for _, stopAt := range []int{0, 1, 4} {
		h := New()
		act(t, h, triangle())
		act(t, h, "disable quarry")
		a, _ := ParseAction("wait 240000h") // more than is skipped at once
		s, err := h.Begin(a, 0)
		require.NoError(t, err)
		asked := 0
		require.NoError(t, h.Run(s, func() bool { asked++; return asked > stopAt }))
		require.Equal(t, network.Stopped, s.Outcome)
		again, err := Replay(h.Records(), nil, nil)
		require.NoError(t, err)
		require.Equal(t, h.Records(), again.Records())
		for h.Lighten(func(*Step) {}) {
		}
		act(t, h, "settle")
		act(t, h, "settle")
		for h.Lighten(func(*Step) {}) {
		}
		require.Equal(t, s.Digest, h.Whole(3).After.Digest(true), "done again")
	}
}

// segment is routers on one segment.
func segment(routers int) string {
	var b, ends strings.Builder
	b.WriteString("lab \"Segment\"\n")
	for i := range routers {
		fmt.Fprintf(&b, "router r%d\n  port e1 10.200.0.%d/24\n    ospf area 0\n", i, i+1)
		fmt.Fprintf(&ends, " r%d.e1", i)
	}
	return b.String() + "segment lan" + ends.String() + "\n"
}

// TestADayOfASegmentPasses has a day pass for 30 routers on a segment; wherever it is stopped, a replay comes to the same.
func TestADayOfASegmentPasses(t *testing.T) {
	h := New()
	act(t, h, segment(30))
	require.Equal(t, network.Settled, act(t, h, "wait 24h").Outcome)
	for _, stopAt := range []int{0, 1, 3} {
		h := New()
		act(t, h, segment(12))
		a, _ := ParseAction("wait 2400h")
		s, err := h.Begin(a, 0)
		require.NoError(t, err)
		asked := 0
		require.NoError(t, h.Run(s, func() bool { asked++; return asked > stopAt }))
		require.Equal(t, network.Stopped, s.Outcome)
		again, err := Replay(h.Records(), nil, nil)
		require.NoError(t, err)
		require.Equal(t, h.Records(), again.Records())
	}
}
