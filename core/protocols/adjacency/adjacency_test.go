package adjacency

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/lsdb"
)

func TestElection(t *testing.T) { // RFC 2328 9.4
	router := func(priority uint8, id ip.Quad, dr, bdr ip.Quad) Candidate {
		return Candidate{Priority: priority, ID: id, Name: id + 100, DR: dr, BDR: bdr}
	}
	for name, c := range map[string]struct {
		self    Candidate
		others  []Candidate
		dr, bdr ip.Quad
	}{
		"alone":                                    {router(1, 5, 0, 0), nil, 105, 0},
		"alone, of priority 0":                     {router(0, 5, 0, 0), nil, 0, 0},
		"the highest router ID":                    {router(1, 5, 0, 0), []Candidate{router(1, 9, 0, 0), router(1, 7, 0, 0)}, 109, 109}, // until its hello says that it is not BDR,
		"priority before router ID":                {router(2, 5, 0, 0), []Candidate{router(1, 9, 0, 0), router(3, 1, 0, 0)}, 101, 101},
		"priority 0 never":                         {router(1, 5, 0, 0), []Candidate{router(0, 9, 0, 0)}, 105, 0},
		"who is DR stays, whoever else comes":      {router(255, 9, 0, 0), []Candidate{router(1, 5, 105, 104), router(1, 4, 105, 104)}, 105, 104},
		"the BDR takes the place of a DR gone":     {router(9, 9, 105, 104), []Candidate{router(1, 4, 105, 104), router(1, 7, 105, 104)}, 104, 104},
		"and makes room for another BDR itself":    {router(1, 4, 105, 104), []Candidate{router(9, 9, 105, 104), router(1, 7, 105, 104)}, 104, 109},
		"of two who say that they are DR":          {router(1, 5, 105, 0), []Candidate{router(1, 9, 109, 0)}, 109, 105},
		"a router of priority 0 sees who they are": {router(0, 9, 0, 0), []Candidate{router(1, 5, 105, 104), router(1, 4, 105, 104)}, 105, 104},
		"who is it finds the other at once":        {router(1, 9, 0, 0), []Candidate{router(1, 5, 0, 0), router(1, 7, 0, 0)}, 109, 107},
	} {
		dr, bdr := Elect(c.self, c.others)
		require.Equal(t, []ip.Quad{c.dr, c.bdr}, []ip.Quad{dr, bdr}, name)
	}
}

// TestAllAgreeOnDRAndBDR: routers that tell each other whom they take for DR and BDR
// come to agree, whoever was there first, and nobody is both.
func TestAllAgreeOnDRAndBDR(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 6).Draw(t, "routers")
		all := make([]Candidate, n)
		for i := range all {
			id := ip.Quad(10*i + rapid.IntRange(1, 9).Draw(t, "id"))
			all[i] = Candidate{Priority: uint8(rapid.IntRange(0, 3).Draw(t, "priority")), ID: id, Name: 1000 - id}
		}
		here := all[:rapid.IntRange(1, n).Draw(t, "first")]
		settle := func() {
			for round := 0; ; round++ {
				require.Less(t, round, 20, "%+v", here)
				changed := false
				for i := range here {
					dr, bdr := Elect(here[i], slices.Concat(here[:i], here[i+1:]))
					changed = changed || dr != here[i].DR || bdr != here[i].BDR
					here[i].DR, here[i].BDR = dr, bdr
				}
				if !changed {
					return
				}
			}
		}
		settle()
		before := here[0].DR
		here = all // the others come
		settle()
		able := 0
		for _, c := range here {
			require.Equal(t, here[0].DR, c.DR)
			require.Equal(t, here[0].BDR, c.BDR)
			if c.Priority > 0 {
				able++
			}
		}
		if before != 0 {
			require.Equal(t, before, here[0].DR, "who is DR stays DR")
		}
		require.Equal(t, able > 0, here[0].DR != 0)
		require.Equal(t, able > 1, here[0].BDR != 0)
		require.True(t, here[0].DR != here[0].BDR || able == 0)
	})
}

// end is one end of an exchange, as a protocol would keep it.
type end struct {
	Descriptions
	id    ip.Quad
	state State
	mine  []uint32
	got   []uint32
	sent  packet // last
}

type packet struct {
	Description
	keys []uint32
}

func (e *end) begin(seq uint32) {
	e.state = ExStart
	e.Begin(seq)
	e.sent = packet{Description: Description{Init: true, More: true, Master: true, Seq: seq}}
}

// receive takes a packet and says whether e.sent is to be sent.
func (e *end) receive(t require.TestingT, p packet, from ip.Quad, fit int) bool {
	switch e.Receive(e.state, p.Description, len(p.keys) == 0, from, e.id) {
	case Ignored:
		return false
	case Repeated:
		return !e.Master()
	case Mismatch:
		require.Fail(t, "packets are lost and doubled, but none is wrong")
	case Negotiated:
		e.state = Exchange
		e.Describe(e.mine)
	}
	e.got = append(e.got, p.keys...)
	answer := e.Answer()
	if answer {
		keys := e.Next(fit, func(uint32) bool { return true })
		e.sent = packet{e.Sent(), keys}
	}
	if e.Done() && !(answer && e.Master()) {
		e.state = Full
	}
	return answer
}

// TestBothDescribeAll: however packets are lost and doubled, both ends come to know
// exactly what the other has, and agree that the higher router ID is master (RFC 2328
// 10.6, 10.8).
func TestBothDescribeAll(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		fit := rapid.IntRange(1, 4).Draw(t, "fit")
		ends := [2]*end{{id: 1}, {id: 2}}
		if rapid.Bool().Draw(t, "swap") {
			ends[0].id, ends[1].id = 2, 1
		}
		for i, e := range ends {
			for k := range rapid.IntRange(0, 9).Draw(t, "lsas") {
				e.mine = append(e.mine, uint32(100*i+k))
			}
			e.begin(uint32(rapid.IntRange(0, 5).Draw(t, "seq")))
		}
		for step := 0; ends[0].state != Full || ends[1].state != Full; step++ {
			require.Less(t, step, 400)
			from := rapid.IntRange(0, 1).Draw(t, "from")
			if step >= 300 {
				from = step % 2 // from here on, nothing is lost
			}
			// Whoever sends first speaks up: both in ExStart, then the master until it is
			// answered (RFC 2328 10.8).
			sender, receiver := ends[from], ends[1-from]
			if sender.state != ExStart && !sender.Master() {
				continue
			}
			if sender.state == Full && receiver.state == Full {
				break
			}
			lost := func() bool { return step < 300 && rapid.IntRange(0, 3).Draw(t, "lost") == 0 }
			for range rapid.IntRange(1, 2).Draw(t, "copies") {
				if lost() {
					continue
				}
				if receiver.receive(t, sender.sent, sender.id, fit) && !receiver.Master() && !lost() {
					sender.receive(t, receiver.sent, receiver.id, fit)
				}
			}
		}
		for i, e := range ends {
			require.ElementsMatch(t, ends[1-i].mine, e.got)
			require.Equal(t, e.id == 2, e.Master())
		}
	})
}

// TestWhatEndsAnExchange is RFC 2328 10.6: a case for each disagreement.
func TestWhatEndsAnExchange(t *testing.T) {
	master := func() *Descriptions { // has negotiated, and sent description 8
		var x Descriptions
		x.Begin(7)
		require.Equal(t, Negotiated, x.Receive(ExStart, Description{More: true, Seq: 7, Options: 2}, false, 1, 2))
		x.Describe([]uint32{1, 2, 3})
		require.True(t, x.Answer())
		x.Next(1, func(uint32) bool { return true })
		return &x
	}
	good := Description{More: true, Seq: 8, Options: 2}
	for name, c := range map[string]struct {
		state  State
		change func(*Description)
		want   Verdict
	}{
		"as it should be":             {Exchange, func(*Description) {}, Taken},
		"the last once more":          {Exchange, func(d *Description) { d.Seq = 7 }, Repeated},
		"the last, when all is known": {Full, func(d *Description) { d.Seq = 7 }, Repeated},
		"both master":                 {Exchange, func(d *Description) { d.Master = true }, Mismatch},
		"it begins anew":              {Exchange, func(d *Description) { d.Init = true }, Mismatch},
		"other options":               {Exchange, func(d *Description) { d.Options = 0 }, Mismatch},
		"one left out":                {Exchange, func(d *Description) { d.Seq = 9 }, Mismatch},
		"a new one, when loading":     {Loading, func(*Description) {}, Mismatch},
		"a new one, when all is over": {Full, func(*Description) {}, Mismatch},
		"before anything began":       {TwoWay, func(*Description) {}, Ignored},
	} {
		d := good
		c.change(&d)
		require.Equal(t, c.want, master().Receive(c.state, d, false, 1, 2), name)
	}
	var x Descriptions
	x.Begin(7)
	initial := Description{Init: true, More: true, Master: true, Seq: 3}
	require.Equal(t, Ignored, x.Receive(ExStart, initial, true, 1, 2), "the lower router ID is not master")
	require.Equal(t, Ignored, x.Receive(ExStart, initial, false, 3, 2), "a first description is empty")
	require.Equal(t, Negotiated, x.Receive(ExStart, initial, true, 3, 2))
	require.False(t, x.Master())
	require.Equal(t, uint32(3), x.Seq())
}

func TestRequestsAreAskedForInParts(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var r Requests
		n := rapid.IntRange(0, 12).Draw(t, "wanted")
		order := func(a, b uint32) int { return int(b) - int(a) }
		for k := range n {
			r.Want(uint32(k), lsdb.Version{Seq: int32(k)})
		}
		fit := rapid.IntRange(1, 5).Draw(t, "fit")
		came := map[uint32]bool{}
		for round := 0; r.Len() > 0; round++ {
			require.LessOrEqual(t, round, n)
			keys := r.Ask(fit, false, order)
			require.Len(t, keys, min(fit, r.Len()))
			require.True(t, slices.IsSortedFunc(keys, order))
			require.Equal(t, keys, r.Ask(fit, true, order), "what has not come is asked for again")
			for i, k := range keys {
				require.Equal(t, len(keys)-i, r.Asked())
				v, ok := r.Wanted(k)
				require.True(t, ok)
				require.Equal(t, int32(k), v.Seq)
				require.False(t, came[k])
				came[k] = true
				r.Came(k)
			}
			require.Zero(t, r.Asked())
		}
		require.Len(t, came, n)
		require.Empty(t, r.Ask(fit, false, order))
	})
}
