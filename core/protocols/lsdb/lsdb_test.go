package lsdb

import (
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/ground/event"
)

func TestMoreRecent(t *testing.T) { // RFC 2328 13.1, a case a rule
	base := Version{Age: 100, Seq: 5, Sum: 7}
	for name, c := range map[string]struct {
		change func(*Version)
		want   int
	}{
		"same":                        {func(*Version) {}, 0},
		"higher sequence":             {func(v *Version) { v.Seq = 6 }, 1},
		"sequence is signed":          {func(v *Version) { v.Seq = InitialSeq }, -1},
		"larger checksum":             {func(v *Version) { v.Sum = 8 }, 1},
		"MaxAge wins":                 {func(v *Version) { v.Age = MaxAge }, 1},
		"age differs by MaxAgeDiff":   {func(v *Version) { v.Age = 100 + MaxAgeDiff }, 0},
		"older by more than that":     {func(v *Version) { v.Age = 101 + MaxAgeDiff }, -1},
		"sequence before larger sum":  {func(v *Version) { v.Seq, v.Sum = 4, 9 }, -1},
		"checksum before MaxAge":      {func(v *Version) { v.Age, v.Sum = MaxAge, 6 }, -1},
		"younger by more than a diff": {func(v *Version) { v.Age = 0 }, 0},
	} {
		v := base
		c.change(&v)
		sign := func(n int) int { return min(1, max(-1, n)) }
		require.Equal(t, c.want, sign(v.Compare(base)), name)
		require.Equal(t, -c.want, sign(base.Compare(v)), name)
	}
}

// TestWhatBecomesOfAnInstance is RFC 2328 13, a case for each step and each of its
// conditions.
func TestWhatBecomesOfAnInstance(t *testing.T) {
	const now = 100 * event.Second
	ours := Instance{Birth: now - 50*event.Second, Arrived: now - 50*event.Second, Body: 1, Seq: 5, Sum: 7, Flooded: true}
	same := Version{Seq: 5, Sum: 7, Age: 50}
	newer, older := Version{Seq: 6, Sum: 7, Age: 1}, Version{Seq: 4, Sum: 7, Age: 90}
	with := func(change func(*Instance)) *Instance { e := ours; change(&e); return &e }
	for name, c := range map[string]struct {
		held Receiver
		got  Version
		want Step
	}{
		"4: at MaxAge and not ours":              {Receiver{}, Version{Age: MaxAge}, AckOnly},
		"4: but somebody exchanges":              {Receiver{Exchanging: true}, Version{Age: MaxAge}, Install},
		"5: not in the database":                 {Receiver{}, newer, Install},
		"5: more recent":                         {Receiver{Own: &ours}, newer, Install},
		"5: more recent by MaxAge":               {Receiver{Own: &ours}, Version{Seq: 5, Sum: 7, Age: MaxAge}, Install},
		"5 a: ours came a moment ago":            {Receiver{Own: with(func(e *Instance) { e.Arrived = now - MinLSArrival + 1 })}, newer, TooSoon},
		"5 a: a whole MinLSArrival ago":          {Receiver{Own: with(func(e *Instance) { e.Arrived = now - MinLSArrival })}, newer, Install},
		"5 a: but not by flooding":               {Receiver{Own: with(func(e *Instance) { e.Arrived, e.Flooded = now, false })}, newer, Install},
		"5: also if it was asked for":            {Receiver{Own: &ours, Requested: true}, newer, Install},
		"6: asked for, and it is the same":       {Receiver{Own: &ours, Requested: true, Unanswered: true}, same, BadReq},
		"6: asked for, and it is older":          {Receiver{Own: &ours, Requested: true}, older, BadReq},
		"7 a: the same, which it has to answer":  {Receiver{Own: &ours, Unanswered: true}, same, Implied},
		"7 b: the same":                          {Receiver{Own: &ours}, same, Duplicate},
		"8: older":                               {Receiver{Own: &ours}, older, Answer},
		"8: older, and ours is on its way":       {Receiver{Own: with(func(e *Instance) { e.Arrived = now })}, older, Silence},
		"8: older, and ours was just sent":       {Receiver{Own: with(func(e *Instance) { e.Answered = now - 1 })}, older, Silence},
		"8: older, and ours is at the end of it": {Receiver{Own: with(func(e *Instance) { e.Seq, e.Dying = MaxSeq, true })}, older, Wrapping},
		"8: at the end, but in force":            {Receiver{Own: with(func(e *Instance) { e.Seq = MaxSeq })}, older, Answer},
	} {
		require.Equal(t, c.want, c.held.Step(c.got, now), name)
		require.Equal(t, c.held.Own == nil || c.got == newer || c.got.Age == MaxAge, c.held.Newer(c.got, now), name)
	}
}

// TestAcknowledgments is RFC 2328 13.5, table 19, for what is not acknowledged at once.
func TestAcknowledgments(t *testing.T) {
	for _, c := range []struct{ back, backup, fromDR, want bool }{
		{true, false, false, false}, // flooded back out: no acknowledgment
		{true, true, true, false},
		{false, true, true, true},   // BDR, from the DR: delayed
		{false, true, false, false}, // BDR, from another: none
		{false, false, false, true}, // delayed
		{false, false, true, true},
	} {
		require.Equal(t, c.want, AckNewer(c.back, c.backup, c.fromDR), "%+v", c)
	}
	require.True(t, AckImplied(true, true, true, false), "BDR, from the DR: delayed")
	require.False(t, AckImplied(true, true, false, true))
	require.False(t, AckImplied(true, false, true, true))
	require.True(t, AckImplied(false, false, false, true), "our copy will not answer for it")
	require.False(t, AckImplied(false, false, false, false))
}

func TestWhoPassesOn(t *testing.T) { // RFC 2328 13.3 (3) and (4)
	require.True(t, (&Segment{FromDR: true}).PassedOn())
	require.True(t, (&Segment{FromBDR: true}).PassedOn())
	require.True(t, (&Segment{Backup: true, DRKnows: true}).PassedOn(), "a BDR leaves it to the DR")
	require.False(t, (&Segment{Backup: true}).PassedOn(), "which does not know yet")
	require.False(t, (&Segment{DRKnows: true}).PassedOn(), "others do not")
}

// TestADatabaseIsAMap holds a database, and a copy that goes on by itself, against a
// map.
func TestADatabaseIsAMap(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var d, left Database
		model, leftModel := map[uint32]Instance{}, map[uint32]Instance{}
		order := func(a, b uint32) int { return int(b) - int(a) }
		for range rapid.IntRange(1, 60).Draw(t, "steps") {
			key := rapid.Uint32Range(1, 12).Draw(t, "key")
			switch rapid.IntRange(0, 5).Draw(t, "step") {
			case 0, 1, 2:
				e := Instance{Body: rapid.Uint32Range(1, 3).Draw(t, "body"), Seq: rapid.Int32().Draw(t, "seq"), Dying: rapid.Bool().Draw(t, "dying")}
				require.Equal(t, model[key], d.Put(key, e))
				model[key] = e
			case 3:
				d.Remove(key)
				delete(model, key)
			case 4:
				held := rapid.Uint32Range(0, 12).Draw(t, "held")
				gone := map[uint32]Instance{}
				d.Sweep(func(k uint32, e *Instance) bool { require.Equal(t, model[k], *e); return k <= held },
					func(k uint32, e Instance) { gone[k] = e })
				for k, e := range model {
					if e.Dying && k > held {
						require.Equal(t, e, gone[k])
						delete(gone, k)
						delete(model, k)
					}
				}
				require.Empty(t, gone)
			default:
				left, leftModel = d.Clone(), maps.Clone(model)
			}
			for i, x := range []*Database{&d, &left} {
				want := []map[uint32]Instance{model, leftModel}[i]
				keys := x.Keys(order, func(uint32, *Instance) bool { return true })
				wanted := slices.SortedFunc(maps.Keys(want), order)
				require.Equal(t, wanted, keys)
				dying := false
				for k := range uint32(13) {
					e, is := want[k]
					require.Equal(t, e, x.Get(k))
					require.Equal(t, is, x.At(k) != nil)
					require.Equal(t, is && !e.Dying, x.Usable(k) != nil)
					dying = dying || e.Dying
				}
				require.Equal(t, dying, x.Dying())
			}
		}
	})
}

// TestAListIsAMap holds a list, and a copy that goes on by itself, against a map.
func TestAListIsAMap(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var l, left List
		model, leftModel := map[uint32]Stamp{}, map[uint32]Stamp{}
		order := func(a, b uint32) int { return int(b) - int(a) }
		for range rapid.IntRange(1, 60).Draw(t, "steps") {
			key := rapid.Uint32Range(0, 12).Draw(t, "key")
			switch rapid.IntRange(0, 3).Draw(t, "step") {
			case 0, 1:
				v := Version{Seq: rapid.Int32().Draw(t, "seq"), Age: rapid.SampledFrom([]uint16{0, MaxAge}).Draw(t, "age")}
				s := StampOf(v)
				require.True(t, s.Is(v))
				require.Zero(t, s.Version().Compare(v))
				require.False(t, s.Is(Version{Seq: v.Seq + 1, Age: v.Age}))
				require.False(t, s.Is(Version{Seq: v.Seq, Age: MaxAge - v.Age}), "in one of the two, it is at MaxAge")
				l.Put(key, s)
				model[key] = s
			case 2:
				l.Remove(key)
				delete(model, key)
			default:
				left, leftModel = l.Clone(), maps.Clone(model)
			}
			for i, x := range []*List{&l, &left} {
				want := []map[uint32]Stamp{model, leftModel}[i]
				require.Equal(t, len(want), x.Len())
				require.ElementsMatch(t, slices.SortedFunc(maps.Keys(want), order), x.Sorted(order))
				for k := range uint32(13) {
					s, is := want[k]
					got, has := x.Get(k)
					require.Equal(t, is, has)
					require.Equal(t, is, x.Has(k))
					if is {
						require.Equal(t, s.Version(), got.Version())
					}
				}
			}
		}
	})
}
