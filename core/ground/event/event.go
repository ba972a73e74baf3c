// Package event is the simulation's clock: virtual time, the events that wait
// for it, timers that cost nothing to restart, and the account of what is
// still going on (Calm), from which "settled" follows.
//
// Events are plain data. They are totally ordered by time, destination, source
// and the source's own counter, so that two runs of one lab are equal.
package event

import (
	"fmt"
	"math"
	"strconv"
	"time"
)

// Time is virtual time in nanoseconds since the lab began.
type Time int64

// Never is later than every event.
const Never Time = math.MaxInt64

// Units of virtual time.
const (
	Microsecond Time = 1_000
	Millisecond      = 1000 * Microsecond
	Second           = 1000 * Millisecond
)

// FromDuration converts a configured duration.
func FromDuration(d time.Duration) Time { return Time(d) }

// FromSeconds converts a number of seconds, as views and actions give it.
func FromSeconds(s float64) Time { return Time(math.Round(s * float64(Second))) }

// Seconds is t as a floating point number of seconds.
func (t Time) Seconds() float64 { return float64(t) / float64(Second) }

// String is t in seconds, exact: "12.346 s".
func (t Time) String() string {
	if t == Never {
		return "never"
	}
	return strconv.FormatFloat(t.Seconds(), 'f', -1, 64) + " s"
}

// Kind says what an event asks of its destination; the destination's package
// numbers its own kinds.
type Kind uint8

// Class says what an outstanding event means for "settled".
type Class uint8

// The four classes of timers and messages.
const (
	Periodic Class = iota // hello, refresh, age, probe: goes on for ever and changes nothing by itself
	Pending               // a message in flight, an SPF that is due: something will still happen
	Guard                 // a dead timer: happens only if nobody refreshes it
	Retry                 // an attempt that may repeat for ever
)

func (c Class) String() string {
	return [...]string{"periodic", "pending", "guard", "retry"}[c]
}

// Event is something that will happen to Dest at At. A, B and C are arguments
// whose meaning Kind gives; Frame, if any, is immutable and may be shared.
type Event struct {
	At       Time
	Seq      uint64 // the source's counter
	Dest     uint32
	Source   uint32
	A, B     uint32
	Kind     Kind
	Class    Class
	Instance uint16 // routing instance of Dest that it is for
	C        uint32
	Frame    []byte
}

func (e *Event) before(o *Event) bool {
	switch {
	case e.At != o.At:
		return e.At < o.At
	case e.Dest != o.Dest:
		return e.Dest < o.Dest
	case e.Source != o.Source:
		return e.Source < o.Source
	}
	return e.Seq < o.Seq
}

func (e *Event) String() string {
	return fmt.Sprintf("%v kind %d for %d from %d/%d", e.At, e.Kind, e.Dest, e.Source, e.Seq)
}

// Queue is a 4-ary heap of events. The zero value is empty.
type Queue struct {
	heap []Event
}

// Len is the number of events that wait.
func (q *Queue) Len() int { return len(q.heap) }

// Next is the time of the earliest event, or Never.
func (q *Queue) Next() Time {
	if len(q.heap) == 0 {
		return Never
	}
	return q.heap[0].At
}

// Push adds an event.
func (q *Queue) Push(e Event) {
	q.heap = append(q.heap, e)
	h := q.heap
	i := len(h) - 1
	for i > 0 {
		parent := (i - 1) / 4
		if !e.before(&h[parent]) {
			break
		}
		h[i] = h[parent]
		i = parent
	}
	h[i] = e
}

// Pop removes and returns the earliest event; the queue must not be empty.
func (q *Queue) Pop() Event {
	h := q.heap
	first := h[0]
	last := len(h) - 1
	e := h[last]
	h[last].Frame = nil
	q.heap = h[:last]
	if last == 0 {
		return first
	}
	h = q.heap
	i := 0
	for {
		child := 4*i + 1
		if child >= last {
			break
		}
		least := child
		for c := child + 1; c < child+4 && c < last; c++ {
			if h[c].before(&h[least]) {
				least = c
			}
		}
		if !h[least].before(&e) {
			break
		}
		h[i] = h[least]
		i = least
	}
	h[i] = e
	return first
}

// Clone is an independent copy; frames are shared, they are immutable.
func (q *Queue) Clone() Queue {
	return Queue{heap: append(make([]Event, 0, len(q.heap)+16), q.heap...)}
}

// Filter keeps the events that a condition holds for.
func (q *Queue) Filter(keep func(*Event) bool) {
	all := q.heap
	q.heap = make([]Event, 0, len(all))
	for i := range all {
		if keep(&all[i]) {
			q.Push(all[i])
		}
	}
}

// Each visits all waiting events in no useful order.
func (q *Queue) Each(visit func(*Event)) {
	for i := range q.heap {
		visit(&q.heap[i])
	}
}
