// Package network is the world: devices, what joins them, the faults on it, and
// the loop that carries events to their destinations in order. A world is owned
// by one goroutine; Clone makes an independent one in next to no time.
package network

import (
	"fmt"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/policy"
	"hellebore/core/protocols/route"
	"hellebore/core/simulation/device"
)

// World is one simulated network at one moment.
type World struct {
	now     event.Time
	queue   event.Queue
	calm    event.Calm
	seed    uint64
	exact   bool // hellos come at their interval exactly
	devices []*device.Device
	byName  map[string]uint32 // replaced, never written, so clones share it
	holders *holders          // nil before the first text
	media   []Medium
	moved   map[[2]uint32]move   // ports that actions moved; replaced, never written
	says    map[[2]uint32]string // what the text joins ports to; replaced, never written
	flows   []config.Flow
	pool    *ospf.Pool
	shared  *route.Shared
	attrs   *attr.Pool
	book    *policy.Book
	notes   notes
	handled uint64 // events
	forward event.Time
	changes uint64 // of forwarding

	// OnFrame, if set, sees every frame as it is put on its medium. Tracer, if
	// set, sees what becomes of ICMP packets. Neither goes into clones.
	OnFrame func(at event.Time, device, port uint32, frame []byte) `image:"-"`
	Tracer  func(device.Fate)                                      `image:"-"`
	// Watch, if set, sees every event. It does not go into clones either.
	Watch Watcher `image:"-"`
}

// New is an empty world at time 0.
func New() *World {
	return &World{notes: notes{room: MaxNotes}, pool: &ospf.Pool{}, shared: &route.Shared{}, attrs: &attr.Pool{},
		book: policy.Compile(config.Policies{}), byName: map[string]uint32{}}
}

// Clone is an independent copy. A world that was not changed since it was cloned
// may be read and cloned by many goroutines at the same time.
func (w *World) Clone() *World {
	c := *w
	c.OnFrame, c.Tracer, c.Watch = nil, nil, nil
	c.calm.Observe(nil)
	c.queue = w.queue.Clone()
	c.pool = w.pool.Clone()
	c.shared = w.shared.Clone()
	c.attrs = w.attrs.Clone()
	c.notes = w.notes.clone()
	c.media = append([]Medium(nil), w.media...)
	ends := 0
	for i := range w.media {
		ends += len(w.media[i].Ends)
	}
	slab := make([]End, 0, ends)
	for i := range c.media {
		from := len(slab)
		slab = append(slab, w.media[i].Ends...)
		c.media[i].Ends = slab[from:len(slab):len(slab)]
	}
	c.devices = make([]*device.Device, len(w.devices))
	devices := make([]device.Device, len(w.devices))
	n := 0
	for _, d := range w.devices {
		n += len(d.Instances())
	}
	instances := make([]device.Instance, n)
	for i, d := range w.devices {
		n := len(d.Instances())
		d.CloneTo(&devices[i], instances[:n:n], &c)
		instances = instances[n:]
		c.devices[i] = &devices[i]
	}
	return &c
}

// Now is the world's time.
func (w *World) Now() event.Time { return w.now }

// Calm is the account of what is going on.
func (w *World) Calm() *event.Calm { return &w.calm }

// Seed is the lab's seed; ExactHellos says that hellos have no jitter.
func (w *World) Seed() uint64      { return w.seed }
func (w *World) ExactHellos() bool { return w.exact }

// Pool holds the world's LSAs, Shared its prefixes and sets of next hops.
func (w *World) Pool() *ospf.Pool      { return w.pool }
func (w *World) Shared() *route.Shared { return w.shared }

// Attrs holds the world's sets of path attributes, Book the policies of the lab.
func (w *World) Attrs() *attr.Pool  { return w.attrs }
func (w *World) Book() *policy.Book { return w.book }

// Policies are the policies as they are configured; for reading.
func (w *World) Policies() *config.Policies { return w.book.Source() }

// Push queues an event.
func (w *World) Push(e event.Event) {
	if w.Watch != nil {
		w.Watch.Queued(e)
	}
	w.queue.Push(e)
}

// Watcher sees events. It is given copies: a pointer would put each event on the heap,
// watched or not.
type Watcher interface {
	Queued(e event.Event)  // it is put into the queue, while another one is handled
	Handled(e event.Event) // it is taken out to be handled
}

// Work is how much the world has done so far, in a measure that is the same on
// every machine: the notes made, and twice the events they were made of. A unit
// takes 2 to 5 microseconds, keyframes included (docs/performance.md).
func (w *World) Work() uint64 { return 2*w.handled + w.notes.made }

func (w *World) LastForwarding() event.Time     { return w.forward }
func (w *World) ForwardingChanges() uint64      { return w.changes }
func (w *World) Handled() uint64                { return w.handled }
func (w *World) Flows() []config.Flow           { return w.flows }
func (w *World) Devices() []*device.Device      { return w.devices }
func (w *World) Device(i uint32) *device.Device { return w.devices[i] }

// ForwardingChanged notes the time of a change of some FIB.
func (w *World) ForwardingChanged() { w.forward = w.now; w.changes++ }

// Tracing says whether anybody traces; Trace passes a step on to them.
func (w *World) Tracing() bool       { return w.Tracer != nil }
func (w *World) Trace(s device.Fate) { w.Tracer(s) }

// Owner is the router or host that has an address, up or not; nil if none has.
func (w *World) Owner(a ip.Addr) *device.Device {
	if w.holders == nil {
		return nil
	}
	for _, h := range w.holders.of[a] {
		if h.instance == 0 {
			return w.devices[h.device]
		}
	}
	return nil
}

// Find is a device by name, nil if there is none.
func (w *World) Find(name string) *device.Device {
	if i, ok := w.byName[name]; ok && !w.devices[i].Gone() {
		return w.devices[i]
	}
	return nil
}

// step carries the earliest event to its destination.
func (w *World) step() {
	e := w.queue.Pop()
	w.now = e.At
	w.handled++
	if w.Watch != nil {
		w.Watch.Handled(e)
	}
	if e.Kind == device.FrameArrives {
		if e.Class == event.Pending {
			w.calm.End()
		}
		w.arrive(&e)
		return
	}
	w.devices[e.Dest].Handle(&e)
}

// RunUntil handles all events up to and including time t, which becomes now.
// At most limit units of work are done; done says whether that was enough.
func (w *World) RunUntil(t event.Time, limit uint64) (done bool) {
	from := w.Work()
	for w.queue.Len() > 0 && w.queue.Next() <= t {
		if w.Work()-from >= limit {
			return false
		}
		w.step()
	}
	w.now = max(w.now, t)
	return true
}

// RunNext handles the next event, if it comes no later than t; else t becomes
// now and it says false.
func (w *World) RunNext(t event.Time) bool {
	if w.queue.Len() == 0 || w.queue.Next() > t {
		w.now = max(w.now, t)
		return false
	}
	w.step()
	return true
}

// Outcome is how a run ended.
type Outcome uint8

// The outcomes of Settle.
const (
	Settled    Outcome = iota
	Unsettled          // something changes in a round, for ever
	Stopped            // stop said so
	Unfinished         // the bound was reached
)

func (o Outcome) String() string {
	return [...]string{"settled", "does not settle", "stopped", "does not settle so far"}[o]
}

// Settle runs the world until it is settled and then to rest. At most limit units
// of work are done; stop, if not nil, is asked every few thousand events.
// The moment of settling is that of the last change: Calm().LastChange().
func (w *World) Settle(limit uint64, stop func() bool) Outcome {
	from := w.Work()
	for n := 1; ; n++ {
		if w.calm.Settled() {
			rest := w.calm.RestAfter()
			if w.queue.Next() > rest {
				w.now = max(w.now, rest)
				return Settled
			}
		}
		if w.queue.Len() == 0 {
			return Settled
		}
		if w.Work()-from >= limit {
			return Unfinished
		}
		if n%4096 == 0 && stop != nil && stop() {
			return Stopped
		}
		w.step()
	}
}

// State is the digests of what a settled network comes to, part by part: equal for
// worlds in which only ages, sequence numbers and the phases of timers differ.
type State struct {
	Ports, Neighbours, Database, Routes, Paths uint64
}

// stateForm begins with the version of the digests: those of another one mean nothing.
const stateForm = "2 %016x %016x %016x %016x %016x"

// String is the digests as they are recorded; ParseState reads them, and anything
// else as no state.
func (s State) String() string {
	return fmt.Sprintf(stateForm, s.Ports, s.Neighbours, s.Database, s.Routes, s.Paths)
}

// ParseState reads what String writes.
func ParseState(text string) (s State) {
	if n, err := fmt.Sscanf(text, stateForm, &s.Ports, &s.Neighbours, &s.Database, &s.Routes,
		&s.Paths); n != 5 || err != nil {
		return State{}
	}
	return s
}

// Digest is equal for worlds in equal states. Full means everything but how much work it took to get there; without
// it, tables and databases only, without ages, sequence numbers and phases of
// timers.
func (w *World) Digest(full bool) uint64 {
	digest, _ := w.Digests(full)
	return digest
}

// Digests are Digest, and the digests of tables and databases part by part.
func (w *World) Digests(full bool) (uint64, State) {
	var parts device.Parts
	var passing store.Digest
	for _, v := range w.devices {
		v.Digest(&parts, &passing)
	}
	for i := range w.media {
		w.media[i].digest(&parts.Ports)
	}
	s := State{uint64(parts.Ports), uint64(parts.Neighbours), uint64(parts.Database), uint64(parts.Routes),
		uint64(parts.Paths)}
	d := store.Digest(1)
	d.Add(s.Ports, s.Neighbours, s.Database, s.Routes, s.Paths)
	if full {
		d.Add(uint64(passing), uint64(w.now), w.changes, uint64(w.Notes()))
	}
	return uint64(d), s
}
