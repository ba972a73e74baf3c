// Package history is a lab over time: its journal of actions, and from it the
// world at any moment. A lab is its text and its journal; everything else here
// is made again by replaying them.
package history

import (
	"time"

	"hellebore/core/ground/event"
	"hellebore/core/language/config"
	"hellebore/core/simulation/network"
)

// Kind is what an action does.
type Kind uint8

// The kinds of actions.
const (
	Apply Kind = iota // a text becomes the configuration
	Cut
	Silence
	Mend
	Disable
	Enable
	Wait
	Restart // of a routing process
	Join    // a port to a segment
	Part    // a port from its segment
	Reset   // a BGP session, or all of a router
	Resend  // what a peer sent, or what it was sent
	Settle  // nothing: what was given up before it settled goes on
	Withdraw
	Advertise
	Flap // withdraw, and announce again a little later
	Fail // of a risk group
)

var kindNames = [...]string{"apply", "cut", "silence", "mend", "disable", "enable", "wait", "restart", "join", "part",
	"reset", "resend", "settle", "withdraw", "advertise", "flap", "fail"}

func (k Kind) String() string { return kindNames[k] }

// Action is one thing that is done to a lab.
type Action struct {
	Kind      Kind
	Text      string         // of Apply
	Target    config.PortRef // of the others; Port is "" for a whole device
	Direction network.Direction
	Segment   string        // of Join
	For       time.Duration // of Wait
	Instance  string        // of the target, where it counts; "" for main
	Protocol  string        // of Restart: ospf or bgp
	Peer      string        // of Reset, Resend, Disable and Enable of a peer: its address, or all
	Share     uint16        // of Withdraw and Flap: of the prefixes of the router's feeds, of feed.Turns
	Group     string        // the name of a risk group, of Fail and Mend
	ToPeer    bool          // of Resend: what the router sent the peer, rather than what the peer sent it
}

// until is when a Wait that begins at start ends.
func (a Action) until(start event.Time) event.Time { return start + event.FromDuration(a.For) }
