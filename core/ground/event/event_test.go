package event

import (
	"sort"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestQueueGivesEventsInTotalOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var q Queue
		var want []Event
		for i := range rapid.IntRange(1, 200).Draw(t, "n") {
			e := Event{
				At:     Time(rapid.IntRange(0, 5).Draw(t, "at")),
				Dest:   uint32(rapid.IntRange(0, 3).Draw(t, "dest")),
				Source: uint32(rapid.IntRange(0, 3).Draw(t, "source")),
				Seq:    uint64(i),
			}
			q.Push(e)
			want = append(want, e)
		}
		sort.Slice(want, func(i, j int) bool { return want[i].before(&want[j]) })
		copied := q.Clone()
		for _, w := range want {
			require.Equal(t, w.At, q.Next())
			require.Equal(t, w, q.Pop())
		}
		require.Equal(t, Never, q.Next())
		require.Equal(t, len(want), copied.Len())
	})
}

type bench struct {
	now  Time
	q    Queue
	calm Calm
	seq  uint64
}

func (b *bench) Now() Time   { return b.now }
func (b *bench) Calm() *Calm { return &b.calm }
func (b *bench) Schedule(e Event) {
	b.seq++
	e.Seq = b.seq
	b.q.Push(e)
}

// TestTimerAgainstDeadline holds the lazy timer against the obvious one: it
// expires exactly at the last deadline set, unless stopped.
func TestTimerAgainstDeadline(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var b bench
		var timer Timer
		var deadline, expired Time
		for range rapid.IntRange(1, 60).Draw(t, "steps") {
			switch rapid.IntRange(0, 3).Draw(t, "step") {
			case 0:
				deadline = b.now + Time(rapid.IntRange(1, 20).Draw(t, "in"))
				timer.Set(&b, deadline, 1, Pending, 0, 0)
			case 1:
				timer.Stop(&b, Pending)
				deadline = 0
			default:
				until := b.now + Time(rapid.IntRange(0, 10).Draw(t, "wait"))
				for b.q.Next() <= until {
					e := b.q.Pop()
					b.now = e.At
					if timer.Fired(&b, &e) {
						expired = b.now
						require.Equal(t, deadline, expired)
						deadline = 0
					}
				}
				b.now = until
				require.False(t, deadline != 0 && deadline <= b.now, "missed its deadline")
			}
			require.Equal(t, deadline != 0, timer.Running())
			require.Equal(t, deadline == 0, b.calm.Pending() == 0)
		}
	})
}

func TestSettledWantsEveryGuardRefreshedSinceTheLastDisturbance(t *testing.T) {
	var c Calm
	var a, b Watch
	c.Start(&a)
	c.Start(&b)
	require.False(t, c.Settled())
	c.Refresh(&a)
	c.Refresh(&a)
	require.False(t, c.Settled(), "b is still unproven")
	c.Refresh(&b)
	require.True(t, c.Settled())
	c.Begin()
	require.False(t, c.Settled(), "something is pending")
	c.End()
	c.Disturb(7)
	require.False(t, c.Settled())
	c.Stop(&a)
	c.Refresh(&b)
	require.True(t, c.Settled())
	require.Equal(t, Time(7), c.LastChange())
}
