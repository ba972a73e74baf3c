package network

import (
	"hellebore/core/ground/event"
	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/ospf"
)

// flooding is a model of how refreshed LSAs are flooded over point-to-point links while nothing else happens (RFC 2328 13.3): when
// each process receives each, and how old it says to be. It has the pacing, and the acknowledgment that a neighbour's own copy
// implies; other acknowledgments change neither.
type flooding struct {
	s       *idling
	queue   event.Queue // in the order of the world's events
	floods  []flood
	batches []batch
	seq     uint64
}

// flood is an instance of an LSA on its way.
type flood struct {
	lsa   int32
	e     lsdb.Instance // at its originator
	got   []copied      // by process
	asked []bool        // by port: its neighbour has yet to acknowledge it
}

// copied is an instance at a process.
type copied struct {
	birth, arrived event.Time
	has            bool
}

// batch is what a port sends at once, and how old each LSA says to be.
type batch struct {
	floods []int32
	ages   []uint16
}

// The kinds of events of the model: the end of a port's pacing, or a batch that arrives at a port. A is the port, B the batch.
const (
	pacingEnds event.Kind = iota
	batchArrives
)

// flood has the originator of an LSA flood a new instance of it.
func (f *flooding) flood(r refresh, e lsdb.Instance) {
	f.run(r.at)
	origin := f.s.owner[r.lsa]
	x := flood{lsa: r.lsa, e: e, got: make([]copied, len(f.s.processes)), asked: make([]bool, len(f.s.ports))}
	x.got[origin] = copied{r.at, r.at, true}
	f.floods = append(f.floods, x)
	f.pass(int32(len(f.floods)-1), f.s.processes[origin], nil, r.at)
}

// pass has a process flood an instance out of all ports but the one that it came in by.
func (f *flooding) pass(n int32, p *process, from *portTo, now event.Time) {
	x := &f.floods[n]
	scope := f.s.own[x.lsa].Scope
	for _, q := range p.ports {
		if q == from || !p.inst.OSPF().FloodsInto(scope, q.port) {
			continue
		}
		x.asked[q.number] = true
		q.waits = append(q.waits, n)
		if len(q.waits) == 1 {
			f.push(event.Event{At: now + ospf.FloodPacing, Dest: q.device(), Source: q.device(), Kind: pacingEnds, A: q.number})
		}
	}
}

func (f *flooding) push(e event.Event) {
	f.seq++
	e.Seq = f.seq
	f.queue.Push(e)
}

// run handles all events before a time.
func (f *flooding) run(until event.Time) {
	for f.queue.Next() < until {
		switch e := f.queue.Pop(); e.Kind {
		case pacingEnds:
			f.send(f.s.ports[e.A], e.At)
		case batchArrives:
			f.arrive(f.s.ports[e.A], &f.batches[e.B], e.At)
			f.batches[e.B] = batch{}
		}
	}
}

func (f *flooding) send(q *portTo, now event.Time) {
	var b batch
	for _, n := range q.waits {
		if x := &f.floods[n]; x.asked[q.number] {
			age := (now-x.got[q.of.number].birth)/event.Second + q.transmit
			b.floods, b.ages = append(b.floods, n), append(b.ages, uint16(min(lsdb.MaxAge, age)))
		}
	}
	q.waits = q.waits[:0]
	if len(b.floods) == 0 {
		return
	}
	f.batches = append(f.batches, b)
	f.push(event.Event{At: now + q.delay, Dest: q.far.device(), Source: q.device(), Kind: batchArrives, A: q.far.number,
		B: uint32(len(f.batches) - 1)})
}

func (f *flooding) arrive(q *portTo, b *batch, now event.Time) {
	for i, n := range b.floods {
		x := &f.floods[n]
		if x.got[q.of.number].has {
			x.asked[q.number] = false // an implied acknowledgment, or a duplicate
			continue
		}
		x.got[q.of.number] = copied{now - event.Time(b.ages[i])*event.Second, now, true}
		f.pass(n, q.of, q, now)
	}
}

// install puts the latest instance of each LSA into the databases of those that received it. It says whether all has arrived.
func (f *flooding) install(end event.Time) bool {
	f.run(end)
	if f.queue.Len() > 0 {
		return false
	}
	latest := make([]int32, len(f.s.own))
	for n := range f.floods {
		latest[f.floods[n].lsa] = int32(n) + 1
	}
	for lsa, n := range latest {
		if n == 0 {
			continue
		}
		x, own := &f.floods[n-1], &f.s.own[lsa]
		for k, got := range x.got {
			if got.has && k != f.s.owner[lsa] {
				e := x.e
				e.Birth, e.Arrived = got.birth, got.arrived
				f.s.processes[k].inst.OSPF().Flooded(own.Scope, own.Key, e)
			}
		}
	}
	return true
}
