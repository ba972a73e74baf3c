package live

import "sync"

// EventKind is what has happened to a lab.
type EventKind string

// The kinds of events.
const (
	Progress EventKind = "progress" // an action is running
	Changed  EventKind = "changed"  // an action has ended: views are out of date
	Ended    EventKind = "ended"    // work that changes nothing has ended
)

// Event is news of a lab.
type Event struct {
	Kind    EventKind `json:"kind" enum:"progress,changed,ended"`
	Work    string    `json:"work,omitempty" doc:"what is running, to be stopped by this name"`
	Action  string    `json:"action,omitempty" doc:"the same for people: an action, the preview, opening the lab"`
	At      float64   `json:"at,omitempty" doc:"how far it is: virtual seconds"`
	Events  uint64    `json:"events,omitempty" doc:"events that the network has handled by then"`
	Actions int       `json:"actions" doc:"actions in the journal"`
}

// feed hands news to whoever watches. A watcher that is slow misses some: each
// event says all there is to know, so the latest is enough.
type feed struct {
	mu       sync.Mutex
	watchers map[chan Event]struct{}
}

func (f *feed) publish(e Event) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for w := range f.watchers {
		select {
		case w <- e:
		default:
			// Make room: the oldest news is the one to lose.
			select {
			case <-w:
			default:
			}
			select {
			case w <- e:
			default:
			}
		}
	}
}

// Watch returns a channel of news, and what ends it.
func (o *Lab) Watch() (<-chan Event, func()) {
	w := make(chan Event, 8)
	o.feed.mu.Lock()
	if o.feed.watchers == nil {
		o.feed.watchers = map[chan Event]struct{}{}
	}
	o.feed.watchers[w] = struct{}{}
	o.feed.mu.Unlock()
	return w, func() {
		o.feed.mu.Lock()
		delete(o.feed.watchers, w)
		o.feed.mu.Unlock()
	}
}

// Closed is closed when the lab goes away.
func (o *Lab) Closed() <-chan struct{} { return o.closed }
